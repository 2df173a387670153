"""An editable DOCX: flowing text with heading styles, real lists, tables and running heads (ECMA-376)."""

from __future__ import annotations

import copy
import io
from collections.abc import Callable
from typing import Any

from docx import Document
from docx.enum.section import WD_ORIENT
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Inches, Length, Pt, RGBColor
from docx.text.paragraph import Paragraph

from hyalen.core.model.content import PageContent, Region, RegionKind, Role
from hyalen.core.model.document import RIGHT_TO_LEFT, DocumentContent, language_tag
from hyalen.core.structure.flow import FlowBlock, flow, joined_text
from hyalen.core.structure.lists import parse_item

Crop = Callable[[int, Region], bytes]


def write_docx(document: DocumentContent, crop: Crop) -> bytes:
    """The document as flowing text.

    Paragraphs are joined over lines, columns and pages, running heads and page
    numbers stand in the header and footer instead of the flow.

    Parameters
    ----------
    document : DocumentContent
    crop : callable
        (page index, region) -> JPEG or PNG of a figure.
    """
    return _Writer(document, crop).write()


class _Writer:
    def __init__(self, document: DocumentContent, crop: Crop) -> None:
        self.document = document
        self.crop = crop
        self.docx = Document()
        self.numbering: tuple[bool, int] | None = None
        self.expected = 0
        self.usable = Length(0)

    def write(self) -> bytes:
        self._page_setup()
        properties = self.docx.core_properties
        properties.title = self.document.title
        properties.language = language_tag(self.document.language)
        properties.author = ""
        properties.comments = ""
        self._defaults()
        for block in flow(self.document.pages, self.document.language):
            if block.role is not Role.LIST_ITEM:
                self.numbering = None
            self._add(block)
        self._running_heads()
        out = io.BytesIO()
        self.docx.save(out)
        return out.getvalue()

    def _page_setup(self) -> None:
        section = self.docx.sections[0]
        if self.document.pages:
            page = self.document.pages[0]
            width, height = page.width / page.dpi, page.height / page.dpi
            if 3 <= width <= 22 and 3 <= height <= 22:
                section.page_width, section.page_height = Inches(width), Inches(height)
                section.orientation = WD_ORIENT.LANDSCAPE if width > height else WD_ORIENT.PORTRAIT
        width = section.page_width or Inches(8.27)
        margin = Length(min(Inches(1), width // 8))
        section.left_margin = section.right_margin = margin
        section.top_margin = section.bottom_margin = margin
        self.usable = Length(width - 2 * margin)

    def _defaults(self) -> None:
        """Black type for headings, and w:lang of the default run properties (ECMA-376-1, 17.3.2.20)."""
        defaults = self.docx.styles.element.find(qn("w:docDefaults"))
        properties = defaults.find(qn("w:rPrDefault")).find(qn("w:rPr"))
        for old in properties.findall(qn("w:lang")):
            properties.remove(old)
        properties.append(_lang(self.document.language))
        for name in (*(f"Heading {level}" for level in range(1, 7)), "Caption"):
            style: Any = self.docx.styles[name]
            style.font.color.rgb = RGBColor(0, 0, 0)

    def _add(self, block: FlowBlock) -> None:
        level = block.role.heading_level
        if block.region.kind is RegionKind.FIGURE:
            self._picture(block)
        elif block.region.table is not None:
            self._table(block)
        elif level is not None:
            self._paragraph(block, block.text, f"Heading {level}")
        elif block.role is Role.LIST_ITEM:
            self._list_item(block)
        elif block.role is Role.CAPTION:
            self._paragraph(block, block.text, "Caption")
        elif block.text:
            self._paragraph(block, block.text, "Normal")

    def _paragraph(self, block: FlowBlock, text: str, style: str) -> Paragraph:
        paragraph = self.docx.add_paragraph(style=style)
        self._run(paragraph, text, block.language)
        return paragraph

    def _run(self, paragraph: Paragraph, text: str, language: str) -> None:
        run = paragraph.add_run(text)
        if language in RIGHT_TO_LEFT:
            paragraph._p.get_or_add_pPr().append(OxmlElement("w:bidi"))
            run._r.get_or_add_rPr().append(OxmlElement("w:rtl"))
        if language != self.document.language or language in RIGHT_TO_LEFT:
            run._r.get_or_add_rPr().append(_lang(language))

    def _list_item(self, block: FlowBlock) -> None:
        item = parse_item(block.text)
        numbered = item.number is not None
        lettered = bool(item.label) and not numbered and any(c.isalnum() for c in item.label)
        if lettered:  # lettered and roman labels are kept as they are printed
            self._paragraph(block, block.text, "List")
            self.numbering = None
            return
        goes_on = self.numbering is not None and self.numbering[0] == numbered
        if numbered and goes_on:
            goes_on = item.number == self.expected
        if not goes_on:
            start = item.number if item.number is not None else 1
            self.numbering = (numbered, self._new_list(numbered, start))
        self.expected = (item.number or 0) + 1
        assert self.numbering is not None
        paragraph = self._paragraph(block, item.body, "List Number" if numbered else "List Bullet")
        properties: Any = paragraph._p.get_or_add_pPr()
        properties = properties.get_or_add_numPr()
        properties.get_or_add_ilvl().val = 0
        properties.get_or_add_numId().val = self.numbering[1]

    def _new_list(self, numbered: bool, start: int) -> int:
        """A numbering instance of its own, so that each list starts anew (ECMA-376-1, 17.9.15)."""
        style = self.docx.styles["List Number" if numbered else "List Bullet"]
        template = style.element.pPr.numPr.numId.val
        numbering = self.docx.part.numbering_part.element
        abstract = next(n for n in numbering.num_lst if n.numId == template).abstractNumId.val
        instance = numbering.add_num(abstract)
        if numbered:
            instance.add_lvlOverride(ilvl=0).add_startOverride(start)
        return int(instance.numId)

    def _picture(self, block: FlowBlock) -> None:
        index, region = block.sources[0]
        page = self.document.pages[index]
        width = min(Inches(region.box.width / page.dpi), self.usable)
        paragraph = self.docx.add_paragraph()
        paragraph.add_run().add_picture(io.BytesIO(self.crop(index, region)), width=width)
        properties = paragraph._p.xpath(".//wp:docPr")[0]
        if region.alternative_text:
            properties.set("descr", region.alternative_text)

    def _table(self, block: FlowBlock) -> None:
        found = block.region.table
        assert found is not None
        table = self.docx.add_table(rows=found.rows, cols=found.columns, style="Table Grid")
        for cell in found.cells:
            place = table.cell(cell.row, cell.column)
            if cell.row_span > 1 or cell.column_span > 1:
                place = place.merge(table.cell(cell.row + cell.row_span - 1, cell.column + cell.column_span - 1))
            self._run(place.paragraphs[0], joined_text(cell.lines, block.language), block.language)
            if cell.header:
                for run in place.paragraphs[0].runs:
                    run.bold = True
        for row in table.rows:
            row._tr.get_or_add_trPr().append(OxmlElement("w:cantSplit"))
        if found.cells and all(c.header for c in found.cells if c.row == 0):
            table.rows[0]._tr.get_or_add_trPr().append(OxmlElement("w:tblHeader"))
        self.docx.add_paragraph().paragraph_format.space_after = Pt(0)

    def _running_heads(self) -> None:
        section = self.docx.sections[0]
        heads = _artifacts(self.document.pages, Role.RUNNING_HEAD)
        if heads:
            section.header.paragraphs[0].text = heads[0].text.replace("\n", " ")
        if _artifacts(self.document.pages, Role.PAGE_NUMBER):
            _add_page_field(section.footer.paragraphs[0])


def _artifacts(pages: tuple[PageContent, ...], role: Role) -> list[Region]:
    return [a for page in pages for a in page.artifacts if a.role is role]


def _lang(language: str) -> Any:
    element = OxmlElement("w:lang")
    tag = language_tag(language)
    element.set(qn("w:val"), tag)
    if language in RIGHT_TO_LEFT:
        element.set(qn("w:bidi"), tag)
    return element


def _add_page_field(paragraph: Paragraph) -> None:
    """A PAGE field (ECMA-376-1, 17.16.5.44)."""
    field = OxmlElement("w:fldSimple")
    field.set(qn("w:instr"), "PAGE")
    run = copy.deepcopy(paragraph.add_run("1")._r)
    paragraph._p.remove(paragraph.runs[-1]._r)
    field.append(run)
    paragraph._p.append(field)
