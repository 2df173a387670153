"""Notes at the foot of a word processor's pages (ECMA-376-1, 17.11)."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from docx.document import Document
from docx.enum.style import WD_STYLE_TYPE
from docx.opc.packuri import PackURI
from docx.opc.part import Part
from docx.oxml import OxmlElement, parse_xml
from docx.oxml.ns import nsdecls, qn
from docx.shared import Pt
from docx.text.paragraph import Paragraph
from lxml import etree

TEXT, REFERENCE = "footnote text", "footnote reference"
RELATION = "http://schemas.openxmlformats.org/officeDocument/2006/relationships/footnotes"
KIND = "application/vnd.openxmlformats-officedocument.wordprocessingml.footnotes+xml"
FIRST = 2  # 0 and 1 are the lines above notes


class Notes:
    """The notes of a document, written at its end with `attach`."""

    def __init__(self, docx: Document) -> None:
        self._docx = docx
        self._root: Any = None
        self._count = 0

    def refer(self, paragraph: Paragraph, mark: str, fill: Callable[[Paragraph], None]) -> None:
        """Put a reference at a paragraph's end, and its note at the foot.

        Parameters
        ----------
        mark : str
            As it is printed; one that is a number is counted by the word processor.
        fill : callable
            Writes the note into its paragraph.
        """
        if self._root is None:
            self._begin()
        number, counted = FIRST + self._count, mark.isdigit()
        self._count += 1
        run = self._reference(paragraph._p)
        reference = OxmlElement("w:footnoteReference")
        reference.set(qn("w:id"), str(number))
        run.append(reference)
        if not counted:
            reference.set(qn("w:customMarkFollows"), "1")
            run.append(_text(mark))
        note = OxmlElement("w:footnote")
        note.set(qn("w:id"), str(number))
        p: Any = OxmlElement("w:p")
        note.append(p)
        self._root.append(note)
        told = Paragraph(p, self._docx._body)
        told.style = self._docx.styles[TEXT]
        run = self._reference(p)
        run.append(OxmlElement("w:footnoteRef") if counted else _text(mark))
        told.add_run(" ")
        fill(told)

    def attach(self) -> None:
        """Write the notes into the document, where there are any."""
        if self._root is None:
            return
        package = self._docx.part.package
        data = etree.tostring(self._root, xml_declaration=True, encoding="UTF-8", standalone=True)
        self._docx.part.relate_to(Part(PackURI("/word/footnotes.xml"), KIND, data, package), RELATION)

    def _begin(self) -> None:
        styles = self._docx.styles
        text: Any = styles.add_style(TEXT, WD_STYLE_TYPE.PARAGRAPH, builtin=True)
        text.base_style = styles["Normal"]
        text.font.size = Pt(9)
        text.paragraph_format.space_after = Pt(2)
        reference: Any = styles.add_style(REFERENCE, WD_STYLE_TYPE.CHARACTER, builtin=True)
        reference.font.superscript = True
        self._root = parse_xml(
            f"<w:footnotes {nsdecls('w')}>"
            '<w:footnote w:type="separator" w:id="0"><w:p><w:r><w:separator/></w:r></w:p></w:footnote>'
            '<w:footnote w:type="continuationSeparator" w:id="1"><w:p><w:r><w:continuationSeparator/></w:r></w:p>'
            "</w:footnote></w:footnotes>"
        )

    def _reference(self, parent: Any) -> Any:
        run, properties = OxmlElement("w:r"), OxmlElement("w:rPr")
        style = OxmlElement("w:rStyle")
        style.set(qn("w:val"), self._docx.styles[REFERENCE].style_id)
        properties.append(style)
        run.append(properties)
        parent.append(run)
        return run


def _text(text: str) -> Any:
    element = OxmlElement("w:t")
    element.text = text
    return element
