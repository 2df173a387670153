"""Which standards a PDF says that it meets, what is told of it, and what of it they ask for apart from its pages."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from xml.sax.saxutils import escape

import pikepdf
from pikepdf import Array, Dictionary, Name, String
from PIL import ImageCms

from hyalen import __version__
from hyalen.core.formats.format import Standard
from hyalen.core.languages import language_tag
from hyalen.core.model.document import LabelRange, Particulars
from hyalen.core.structure.tree import StructureTree

PRODUCER = f"Hyalen {__version__}"
VERSION = {Standard.PDF_1_7: "1.7", Standard.PDF_2_0: "2.0"}


def identify(pdf: pikepdf.Pdf, tree: StructureTree, made: datetime, standard: Standard, accessible: bool) -> None:
    """Metadata and output intent of PDF/A-2a or, with files attached, 3a; of PDF/A-4 or 4f; and of PDF/UA where it is that.

    ISO 19005-2, 6.6; ISO 19005-3, 6.8; ISO 19005-4, 6.7; ISO 14289-1, clause 5; ISO 14289-2, clause 5.
    """
    made = made.replace(microsecond=0)
    attached = bool(tree.attachments)
    xmp = _XMP.format(
        title=escape(tree.title),
        producer=PRODUCER,
        made=made.strftime("%Y-%m-%dT%H:%M:%S+00:00"),
        language=language_tag(tree.language),
        archive=_archive(standard, attached),
        accessible=_ACCESSIBLE[standard] if accessible else "",
        particulars=_dublin_core(tree.particulars),
        extension=_EXTENSION if standard is Standard.PDF_1_7 else "",
    )
    pdf.Root.Metadata = pdf.make_stream(xmp.encode("utf8"), Type=Name.Metadata, Subtype=Name.XML)
    if standard is Standard.PDF_2_0:  # ISO 19005-4, 6.1.3: no information dictionary
        if "/Info" in pdf.trailer:
            del pdf.trailer.Info
    else:
        _inform(pdf, tree, made)
    profile = pdf.make_stream(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes(), N=3)
    pdf.Root.OutputIntents = Array(
        [
            Dictionary(
                Type=Name.OutputIntent,
                S=Name.GTS_PDFA1,
                OutputConditionIdentifier=String("sRGB"),
                Info=String("sRGB IEC61966-2.1"),
                DestOutputProfile=profile,
            )
        ]
    )


def label_pages(pdf: pikepdf.Pdf, labels: Sequence[LabelRange], pages: int) -> None:
    """What the pages are called (ISO 32000-1, 12.4.2)."""
    numbers: Any = Array()
    ranges = [r for r in sorted(labels, key=lambda r: r.first) if r.first < pages]
    if ranges and ranges[0].first > 0:  # the number tree begins with the first page
        ranges.insert(0, LabelRange())
    for each in ranges:
        entry = Dictionary()
        if each.style:
            entry.S = Name("/" + each.style.value)
        if each.prefix:
            entry.P = String(each.prefix)
        if each.start > 1:
            entry.St = each.start
        numbers.extend([each.first, entry])
    if len(numbers):
        pdf.Root.PageLabels = pdf.make_indirect(Dictionary(Nums=numbers))


def relate_attachments(pdf: pikepdf.Pdf) -> None:
    """Say that the attached files are what the document was made from (ISO 19005-3, 6.8; ISO 32000-2, 14.13)."""
    files: Any = Array()
    for spec in pikepdf.NameTree(pdf.Root.Names.EmbeddedFiles).values():
        spec.AFRelationship = Name.Source
        files.append(spec)
    pdf.Root.AF = files


def _inform(pdf: pikepdf.Pdf, tree: StructureTree, made: datetime) -> None:
    """The information dictionary (ISO 32000-1, 14.3.3), which agrees with the metadata (ISO 19005-2, 6.6.3)."""
    told = tree.particulars
    pdf.docinfo["/Title"] = String(tree.title)
    for key, value in (("/Author", told.author), ("/Subject", told.subject), ("/Keywords", told.keywords)):
        if value:
            pdf.docinfo[key] = String(value)
    pdf.docinfo["/Producer"] = String(PRODUCER)
    pdf.docinfo["/CreationDate"] = String(made.strftime("D:%Y%m%d%H%M%S+00'00'"))


def _archive(standard: Standard, attached: bool) -> str:
    if standard is Standard.PDF_2_0:
        told = "<pdfaid:part>4</pdfaid:part><pdfaid:rev>2020</pdfaid:rev>"
        return told + ("<pdfaid:conformance>F</pdfaid:conformance>" if attached else "")
    return f"<pdfaid:part>{3 if attached else 2}</pdfaid:part><pdfaid:conformance>A</pdfaid:conformance>"


_ACCESSIBLE = {
    Standard.PDF_1_7: "<pdfuaid:part>1</pdfuaid:part>",
    Standard.PDF_2_0: "<pdfuaid:part>2</pdfuaid:part><pdfuaid:rev>2024</pdfuaid:rev>",
}


def _dublin_core(told: Particulars) -> str:
    """What is told of the document, as XMP has it (ISO 16684-1, 8.3)."""

    def item(name: str, kind: str, value: str, attribute: str = "") -> str:
        return f"<{name}><rdf:{kind}><rdf:li{attribute}>{escape(value)}</rdf:li></rdf:{kind}></{name}>" if value else ""

    plain = ' xml:lang="x-default"'
    return "\n   ".join(
        part
        for part in (
            item("dc:creator", "Seq", told.author),
            item("dc:description", "Alt", told.subject, plain),
            f"<pdf:Keywords>{escape(told.keywords)}</pdf:Keywords>" if told.keywords else "",
            f"<dc:identifier>{escape(told.reference)}</dc:identifier>" if told.reference else "",
            item("dc:rights", "Alt", told.rights, plain),
            f"<dc:coverage>{escape(told.date)}</dc:coverage>" if told.date else "",
        )
        if part
    )


_XMP = """<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
<x:xmpmeta xmlns:x="adobe:ns:meta/">
 <rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">
  <rdf:Description rdf:about=""
    xmlns:dc="http://purl.org/dc/elements/1.1/"
    xmlns:xmp="http://ns.adobe.com/xap/1.0/"
    xmlns:pdf="http://ns.adobe.com/pdf/1.3/"
    xmlns:pdfaid="http://www.aiim.org/pdfa/ns/id/"
    xmlns:pdfuaid="http://www.aiim.org/pdfua/ns/id/">
   <dc:format>application/pdf</dc:format>
   <dc:title><rdf:Alt><rdf:li xml:lang="x-default">{title}</rdf:li></rdf:Alt></dc:title>
   <dc:language><rdf:Bag><rdf:li>{language}</rdf:li></rdf:Bag></dc:language>
   {particulars}
   <xmp:CreateDate>{made}</xmp:CreateDate>
   <pdf:Producer>{producer}</pdf:Producer>
   {archive}
   {accessible}
  </rdf:Description>
{extension} </rdf:RDF>
</x:xmpmeta>
<?xpacket end="w"?>"""

# The pdfuaid schema is not among those PDF/A predefines, so it is described (ISO 19005-2, 6.6.2.3).
_EXTENSION = """  <rdf:Description rdf:about=""
    xmlns:pdfaExtension="http://www.aiim.org/pdfa/ns/extension/"
    xmlns:pdfaSchema="http://www.aiim.org/pdfa/ns/schema#"
    xmlns:pdfaProperty="http://www.aiim.org/pdfa/ns/property#">
   <pdfaExtension:schemas>
    <rdf:Bag>
     <rdf:li rdf:parseType="Resource">
      <pdfaSchema:schema>PDF/UA identification schema</pdfaSchema:schema>
      <pdfaSchema:namespaceURI>http://www.aiim.org/pdfua/ns/id/</pdfaSchema:namespaceURI>
      <pdfaSchema:prefix>pdfuaid</pdfaSchema:prefix>
      <pdfaSchema:property>
       <rdf:Seq>
        <rdf:li rdf:parseType="Resource">
         <pdfaProperty:name>part</pdfaProperty:name>
         <pdfaProperty:valueType>Integer</pdfaProperty:valueType>
         <pdfaProperty:category>internal</pdfaProperty:category>
         <pdfaProperty:description>Part of ISO 14289 to which the file conforms</pdfaProperty:description>
        </rdf:li>
       </rdf:Seq>
      </pdfaSchema:property>
     </rdf:li>
    </rdf:Bag>
   </pdfaExtension:schemas>
  </rdf:Description>
"""
