"""A searchable, tagged PDF: page images, invisible text and a structure tree.

ISO 32000-1 with the identification of PDF/UA-1 (ISO 14289-1) and PDF/A-2b
(ISO 19005-2).
"""

from __future__ import annotations

import io
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from typing import Any
from xml.sax.saxutils import escape

import pikepdf
from pikepdf import Array, Dictionary, Name, OutlineItem, String
from PIL import Image as Pillow
from PIL import ImageCms

from hyalen import __version__
from hyalen.core.formats.codecs import fax_strip
from hyalen.core.formats.pdf_font import InvisibleFont
from hyalen.core.formats.pdf_text import TextLayer
from hyalen.core.model.content import Line, PageContent, Region, RegionKind, Role
from hyalen.core.model.document import DocumentContent, language_tag
from hyalen.core.model.geometry import Box
from hyalen.core.structure.bookmarks import Bookmark, bookmarks
from hyalen.core.structure.flow import FlowBlock, flow
from hyalen.core.structure.lists import parse_item

POINTS_PER_INCH = 72.0
TAGS = {Role.PARAGRAPH: "P", Role.CAPTION: "Caption"} | {Role(f"heading_{i}"): f"H{i}" for i in range(1, 7)}
PAGINATION = {Role.RUNNING_HEAD, Role.PAGE_NUMBER}


def write_pdf(document: DocumentContent, images: Iterable[bytes], made: datetime | None = None) -> bytes:
    """The document as a PDF file.

    Parameters
    ----------
    document : DocumentContent
    images : iterable of bytes
        The cleaned pages as JPEG or one-bit PNG files, one a page, taken one by one.
    made : datetime, optional
        Date of creation; now where it is not given.
    """
    return _Writer(document).write(images, made or datetime.now(UTC))


class _Writer:
    def __init__(self, document: DocumentContent) -> None:
        self.document = document
        self.pdf = pikepdf.new()
        self.font = InvisibleFont()
        self.streams: list[list[str]] = []
        self.parents: list[list[pikepdf.Object]] = []

    def write(self, images: Iterable[bytes], made: datetime) -> bytes:
        pdf, document = self.pdf, self.document
        resources = []
        for content, image in zip(document.pages, images, strict=True):
            resources.append(self._add_page(content, image))
        root = self._structure()
        font = self.font.embed(pdf)
        for i, page in enumerate(pdf.pages):
            resources[i].Font = Dictionary(F0=font)
            page.obj.Contents = pdf.make_stream("\n".join(self.streams[i]).encode("ascii"))
        pdf.Root.StructTreeRoot = root
        pdf.Root.MarkInfo = Dictionary(Marked=True)
        pdf.Root.Lang = String(language_tag(document.language))
        pdf.Root.ViewerPreferences = Dictionary(DisplayDocTitle=True)
        self._outline()
        self._identify(made)
        out = io.BytesIO()
        pdf.save(out, min_version="1.7", object_stream_mode=pikepdf.ObjectStreamMode.generate)
        return out.getvalue()

    def _add_page(self, page: PageContent, image: bytes) -> pikepdf.Object:
        picture = self._picture(image)
        scale = POINTS_PER_INCH / page.dpi
        width, height = page.width * scale, page.height * scale
        resources = self.pdf.make_indirect(Dictionary(XObject=Dictionary(Im0=picture)))
        self.pdf.pages.append(
            pikepdf.Page(
                self.pdf.make_indirect(
                    Dictionary(
                        Type=Name.Page,
                        MediaBox=Array([0, 0, round(width, 3), round(height, 3)]),
                        Resources=resources,
                        StructParents=len(self.parents),
                        Tabs=Name.S,
                    )
                )
            )
        )
        draw = f"q {width:.3f} 0 0 {height:.3f} 0 0 cm /Im0 Do Q"
        self.streams.append([f"/Artifact BMC\n{draw}\nEMC"])
        self.parents.append([])
        layer = TextLayer(self.font, page.height, scale)
        for region in page.artifacts:
            if region.lines:
                kind = "<</Type /Pagination>>" if region.role in PAGINATION else "<</Type /Layout>>"
                text = layer.lines(region.lines, region.language or self.document.language)
                self.streams[-1].append(f"/Artifact {kind} BDC\n{text}\nEMC")
        return resources

    def _picture(self, image: bytes) -> pikepdf.Object:
        """A JPEG as it is, a one-bit image as CCITT Group 4 (ISO 32000-1, 7.4.6 and 7.4.8)."""
        with Pillow.open(io.BytesIO(image)) as opened:
            size, mode = opened.size, opened.mode
            coded = fax_strip(opened) if mode == "1" else image
        entries: dict[str, Any] = {"Type": Name.XObject, "Subtype": Name.Image, "Width": size[0], "Height": size[1]}
        if mode == "1":
            parameters = Dictionary(K=-1, Columns=size[0], Rows=size[1], BlackIs1=False)
            return self.pdf.make_stream(
                coded,
                **entries,
                ColorSpace=Name.DeviceGray,
                BitsPerComponent=1,
                Filter=Name.CCITTFaxDecode,
                DecodeParms=parameters,
            )
        space = Name.DeviceGray if mode == "L" else Name.DeviceRGB
        return self.pdf.make_stream(coded, **entries, ColorSpace=space, BitsPerComponent=8, Filter=Name.DCTDecode)

    # Structure (ISO 32000-1, 14.7 and 14.8)

    def _element(self, tag: str, parent: pikepdf.Object, **entries: Any) -> pikepdf.Object:
        element = self.pdf.make_indirect(
            Dictionary(Type=Name.StructElem, S=Name("/" + tag), P=parent, K=Array(), **entries)
        )
        parent.K.append(element)
        return element

    def _mark(self, element: pikepdf.Object, page: int, operators: str) -> None:
        """Put content on a page as belonging to an element."""
        mcid = len(self.parents[page])
        tag = str(element.S)
        self.streams[page].append(f"{tag} <</MCID {mcid}>> BDC\n{operators}\nEMC")
        self.parents[page].append(element)
        reference = Dictionary(Type=Name.MCR, Pg=self.pdf.pages[page].obj, MCID=mcid)
        if "/Pg" not in element:
            element.Pg = self.pdf.pages[page].obj
        element.K.append(reference)

    def _structure(self) -> pikepdf.Object:
        pdf, language = self.pdf, self.document.language
        root = pdf.make_indirect(Dictionary(Type=Name.StructTreeRoot, K=Array()))
        top = self._element("Document", root, Lang=String(language_tag(language)))
        open_list: pikepdf.Object | None = None
        for block in flow(self.document.pages, language):
            if block.role is Role.LIST_ITEM:
                if open_list is None:
                    open_list = self._element("L", top)
                    numbered = parse_item(block.text).number is not None
                    open_list.A = Dictionary(O=Name.List, ListNumbering=Name.Decimal if numbered else Name.Disc)
                self._list_item(open_list, block)
                continue
            open_list = None
            if block.region.kind is RegionKind.FIGURE:
                self._figure(top, block)
            elif block.region.table is not None:
                self._table(top, block)
            else:
                element = self._element(TAGS.get(block.role, "P"), top, **self._lang(block.region))
                self._text(element, block)
        numbers: Any = Array()
        for i, elements in enumerate(self.parents):
            numbers.extend([i, pdf.make_indirect(Array(elements))])
        root.ParentTree = pdf.make_indirect(Dictionary(Nums=numbers))
        root.ParentTreeNextKey = len(self.parents)
        return root

    def _lang(self, region: Region) -> dict[str, String]:
        if region.language and region.language != self.document.language:
            return {"Lang": String(language_tag(region.language))}
        return {}

    def _layer(self, page: int) -> TextLayer:
        content = self.document.pages[page]
        return TextLayer(self.font, content.height, POINTS_PER_INCH / content.dpi)

    def _coded(self, page: int, lines: Sequence[Line], region: Region) -> str:
        return self._layer(page).lines(lines, region.language or self.document.language)

    def _text(self, element: pikepdf.Object, block: FlowBlock) -> None:
        for page, region in block.sources:
            if region.lines:
                self._mark(element, page, self._coded(page, region.lines, region))

    def _list_item(self, parent: pikepdf.Object, block: FlowBlock) -> None:
        item = self._element("LI", parent, **self._lang(block.region))
        label = parse_item(block.text).label
        page, region = block.sources[0]
        lines = list(region.lines)
        if label and lines and lines[0].words and lines[0].words[0].text == label:
            first = lines[0].model_copy(update={"words": lines[0].words[:1]})
            self._mark(self._element("Lbl", item), page, self._coded(page, [first], region))
            rest = lines[0].words[1:]
            lines[0] = lines[0].model_copy(update={"words": rest})
            lines = lines if rest else lines[1:]
        body = self._element("LBody", item)
        if lines:
            self._mark(body, page, self._coded(page, lines, region))
        for page, region in block.sources[1:]:
            self._mark(body, page, self._coded(page, region.lines, region))

    def _figure(self, parent: pikepdf.Object, block: FlowBlock) -> None:
        page, region = block.sources[0]
        content = self.document.pages[page]
        scale = POINTS_PER_INCH / content.dpi
        left, bottom, right, top = _rectangle(region.box, content.height, scale)
        alternative = region.alternative_text or f"Picture on page {page + 1}, not described"
        element = self._element("Figure", parent, Alt=String(alternative), **self._lang(region))
        element.A = Dictionary(O=Name.Layout, Placement=Name.Block, BBox=Array([left, bottom, right, top]))
        width, height = content.width * scale, content.height * scale
        self._mark(
            element,
            page,
            f"q {left} {bottom} {right - left:.3f} {top - bottom:.3f} re W n "
            f"{width:.3f} 0 0 {height:.3f} 0 0 cm /Im0 Do Q",
        )

    def _table(self, parent: pikepdf.Object, block: FlowBlock) -> None:
        page, region = block.sources[0]
        assert region.table is not None
        table = self._element("Table", parent, **self._lang(region))
        for row in range(region.table.rows):
            line = self._element("TR", table)
            for cell in sorted((c for c in region.table.cells if c.row == row), key=lambda c: c.column):
                element = self._element("TH" if cell.header else "TD", line)
                attributes = Dictionary(O=Name.Table)
                if cell.header:
                    attributes.Scope = Name.Column if row == 0 else Name.Row
                if cell.row_span > 1:
                    attributes.RowSpan = cell.row_span
                if cell.column_span > 1:
                    attributes.ColSpan = cell.column_span
                if len(attributes) > 1:
                    element.A = attributes
                if cell.lines:
                    self._mark(element, page, self._coded(page, cell.lines, region))

    # Navigation and identification

    def _outline(self) -> None:
        marks = bookmarks(self.document.pages, self.document.language)
        if not marks:
            return
        with self.pdf.open_outline() as outline:
            outline.root.extend(self._item(mark) for mark in marks)
        self.pdf.Root.PageMode = Name.UseOutlines

    def _item(self, mark: Bookmark) -> OutlineItem:
        content = self.document.pages[mark.page]
        top = (content.height - mark.top) * POINTS_PER_INCH / content.dpi + 6
        where = Array([self.pdf.pages[mark.page].obj, Name.XYZ, 0, round(top, 2), 0])
        item = OutlineItem(mark.title, destination=where)
        item.children.extend(self._item(child) for child in mark.children)
        return item

    def _identify(self, made: datetime) -> None:
        made = made.replace(microsecond=0)
        producer = f"Hyalen {__version__}"
        stamp = made.strftime("%Y-%m-%dT%H:%M:%S+00:00")
        xmp = XMP.format(
            title=escape(self.document.title),
            producer=producer,
            made=stamp,
            language=language_tag(self.document.language),
        )
        self.pdf.Root.Metadata = self.pdf.make_stream(xmp.encode("utf8"), Type=Name.Metadata, Subtype=Name.XML)
        self.pdf.docinfo["/Title"] = String(self.document.title)
        self.pdf.docinfo["/Producer"] = String(producer)
        self.pdf.docinfo["/CreationDate"] = String(made.strftime("D:%Y%m%d%H%M%S+00'00'"))
        profile = self.pdf.make_stream(ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes(), N=3)
        self.pdf.Root.OutputIntents = Array(
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


def _rectangle(box: Box, height: int, scale: float) -> tuple[float, float, float, float]:
    """Left, bottom, right, top in points."""
    edges = (box.left, height - box.bottom, box.right, height - box.top)
    left, bottom, right, top = (round(v * scale, 3) for v in edges)
    return left, bottom, right, top


# The pdfuaid schema is not among those PDF/A predefines, so it is described
# (ISO 19005-2, 6.6.2.3).
XMP = """<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>
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
   <xmp:CreateDate>{made}</xmp:CreateDate>
   <pdf:Producer>{producer}</pdf:Producer>
   <pdfaid:part>2</pdfaid:part>
   <pdfaid:conformance>B</pdfaid:conformance>
   <pdfuaid:part>1</pdfuaid:part>
  </rdf:Description>
  <rdf:Description rdf:about=""
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
 </rdf:RDF>
</x:xmpmeta>
<?xpacket end="w"?>"""
