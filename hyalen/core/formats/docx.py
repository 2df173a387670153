"""An editable DOCX: flowing text with heading styles, real lists, tables and running heads (ECMA-376)."""

from __future__ import annotations

import copy
import io
from collections.abc import Mapping
from dataclasses import replace
from typing import Any, BinaryIO

from docx import Document
from docx.enum.section import WD_ORIENT
from docx.enum.style import WD_STYLE_TYPE
from docx.enum.text import WD_TAB_ALIGNMENT, WD_TAB_LEADER
from docx.opc.constants import RELATIONSHIP_TYPE
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Inches, Length, Pt, RGBColor
from docx.text.paragraph import Paragraph
from docx.text.run import Run as TextRun

from hyalen.core.formats.cut import CutPictures
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.model.content import Role
from hyalen.core.model.found import Style
from hyalen.core.structure.flow import Run
from hyalen.core.structure.lists import Numbering
from hyalen.core.structure.references import Place, place_at
from hyalen.core.structure.tree import Node, StructureTree, Tag

FONT = {
    Style.BOLD: "bold",
    Style.ITALIC: "italic",
    Style.UNDERLINED: "underline",
    Style.SMALL_CAPITALS: "small_caps",
    Style.STRUCK: "strike",
    Style.SUPERSCRIPT: "superscript",
    Style.SUBSCRIPT: "subscript",
}
SIZES = {Style.SMALLER: Pt(9), Style.LARGER: Pt(14)}  # beside the template's 11 points
DEEPEST = 8  # level of a list, from 0 (ECMA-376-1, 17.9.3)
BY_STYLE = {f"Heading {level}": frozenset({Style.BOLD, Style.UNDERLINED}) for level in range(1, 7)}


def write_docx(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """The document as flowing text.

    Paragraphs are joined over lines, columns and pages, running heads and page
    numbers stand in the header and footer instead of the flow.
    """
    _Writer(tree, images).write(file)


class _Writer:
    def __init__(self, tree: StructureTree, images: Images) -> None:
        self.tree = tree
        self.cut = CutPictures(tree, images)
        self.docx = Document()
        self.usable = self.tallest = Length(0)
        self.marks = 0

    def write(self, file: BinaryIO) -> None:
        self._page_setup()
        properties = self.docx.core_properties
        properties.title = self.tree.title
        properties.language = language_tag(self.tree.language)
        told = self.tree.particulars
        properties.author, properties.subject, properties.keywords = (
            told.author[:255],
            told.subject[:255],
            told.keywords[:255],
        )
        properties.identifier = told.reference[:255]
        properties.comments = ""
        self._defaults()
        for node in self.tree.nodes():
            self._add(node)
        self._running_heads()
        self.docx.save(file)

    def _page_setup(self) -> None:
        section = self.docx.sections[0]
        if len(self.tree.pages):
            page = self.tree.pages[0]
            width, height = page.width / page.dpi, page.height / page.dpi
            if 3 <= width <= 22 and 3 <= height <= 22:
                section.page_width, section.page_height = Inches(width), Inches(height)
                section.orientation = WD_ORIENT.LANDSCAPE if width > height else WD_ORIENT.PORTRAIT
        width = section.page_width or Inches(8.27)
        margin = Length(min(Inches(1), width // 8))
        section.left_margin = section.right_margin = margin
        section.top_margin = section.bottom_margin = margin
        self.usable = Length(width - 2 * margin)
        self.tallest = Length((section.page_height or Inches(11.69)) - 2 * margin - Inches(0.5))

    def _defaults(self) -> None:
        """Black type for headings, and w:lang of the default run properties (ECMA-376-1, 17.3.2.20)."""
        defaults = self.docx.styles.element.find(qn("w:docDefaults"))
        properties = defaults.find(qn("w:rPrDefault")).find(qn("w:rPr"))
        for old in properties.findall(qn("w:lang")):
            properties.remove(old)
        properties.append(_lang(self.tree.language))
        for name in (*(f"Heading {level}" for level in range(1, 7)), "Caption"):
            style: Any = self.docx.styles[name]
            style.font.color.rgb = RGBColor(0, 0, 0)

    def _add(self, node: Node) -> None:
        level = node.tag.heading_level
        if node.caption is not None:
            for each in node.with_caption:
                self._add(replace(each, caption=None))
            if node.caption_first or node.tag.is_picture:  # a page never ends between the two
                before = self.docx.paragraphs[-2]
                before.paragraph_format.keep_with_next = True
        elif node.tag is Tag.BLOCK_QUOTE:
            for child in node.children:
                self._paragraph(child, "Quote")
        elif node.tag.is_picture:
            self._picture(node)
        elif node.tag is Tag.TOC:
            self._contents(node)
        elif node.tag is Tag.TABLE:
            self._table(node)
        elif node.tag is Tag.L:
            self._list(node)
        elif level is not None:
            self._paragraph(node, f"Heading {level}")
        elif node.tag is Tag.CAPTION:
            self._paragraph(node, "Caption")
        elif node.text:
            self._paragraph(node, "Normal")

    def _paragraph(self, node: Node, style: str) -> Paragraph:
        paragraph = self.docx.add_paragraph(style=style)
        if node.tag.heading_level is not None or node.tag is Tag.NOTE:
            self._mark(paragraph, Place(node.first.page, node.first.region.id))
        self._text(paragraph, node, plain=BY_STYLE.get(style, frozenset()))
        return paragraph

    def _mark(self, paragraph: Paragraph, place: Place) -> None:
        """A bookmark that links lead to (ECMA-376-1, 17.13.6.2)."""
        self.marks += 1
        for tag in ("w:bookmarkStart", "w:bookmarkEnd"):
            element = OxmlElement(tag)
            element.set(qn("w:id"), str(self.marks))
            if tag == "w:bookmarkStart":
                element.set(qn("w:name"), _mark_name(place))
            paragraph._p.append(element)

    def _text(self, paragraph: Paragraph, node: Node, plain: frozenset[Style] = frozenset()) -> None:
        """A node's text set as it is printed, but for what the paragraph's style sets anyway."""
        for run in node.runs:
            self._run(paragraph, run._replace(style=run.style - plain), node.language)

    def _run(self, paragraph: Paragraph, told: Run, language: str) -> None:
        run = paragraph.add_run(told.text)
        for each in told.style:
            if each in SIZES:
                run.font.size = SIZES[each]
            else:
                setattr(run.font, FONT[each], True)
        if told.colour:
            run.font.color.rgb = RGBColor.from_string(told.colour.upper())
        if told.link:
            self._link(paragraph, run, told.link)
        language = told.language or language
        backwards = is_right_to_left(language)
        if backwards:
            properties = paragraph._p.get_or_add_pPr()
            if properties.find(qn("w:bidi")) is None:
                properties.append(OxmlElement("w:bidi"))
            run._r.get_or_add_rPr().append(OxmlElement("w:rtl"))
        if language != self.tree.language or backwards:
            run._r.get_or_add_rPr().append(_lang(language))

    def _link(self, paragraph: Paragraph, run: TextRun, address: str) -> None:
        """A w:hyperlink around a run (ECMA-376-1, 17.16.22)."""
        element = OxmlElement("w:hyperlink")
        if place := place_at(address):
            element.set(qn("w:anchor"), _mark_name(place))
        else:
            element.set(qn("r:id"), paragraph.part.relate_to(address, RELATIONSHIP_TYPE.HYPERLINK, is_external=True))
        paragraph._p.remove(run._r)
        element.append(run._r)
        paragraph._p.append(element)

    def _list(self, node: Node) -> None:
        """Items that the word processor numbers, as deep as they stand."""
        kinds = _kinds(node)
        number = self._new_list(kinds)
        own: dict[int, int] = {}  # of lists within it that are numbered otherwise than the first of their depth
        for depth, within, item in node.items():
            kind = "List Number" if within.numbering and within.numbering.counts else "List Bullet"
            if not any(part.tag is Tag.LBL for part in item.parts):
                self._paragraph(item.parts[-1], "List")
                continue
            paragraph = self._paragraph(item.parts[-1], f"{kind} {depth + 1}" if 0 < depth < 3 else kind)
            properties: Any = paragraph._p.get_or_add_pPr()
            properties = properties.get_or_add_numPr()
            if not _numbered_alike(within, kinds[min(depth, DEEPEST)]) and id(within) not in own:
                own[id(within)] = self._new_list(kinds | {min(depth, DEEPEST): within})
            properties.get_or_add_ilvl().val = min(depth, DEEPEST)
            properties.get_or_add_numId().val = own.get(id(within), number)

    def _new_list(self, kinds: Mapping[int, Node]) -> int:
        """A numbering of its own for a list, each depth as the list there is printed (ECMA-376-1, 17.9)."""
        numbering = self.docx.part.numbering_part.element
        used = [int(n) for n in numbering.xpath("./w:abstractNum/@w:abstractNumId")]
        own = max(used, default=-1) + 1
        abstract = OxmlElement("w:abstractNum")
        abstract.set(qn("w:abstractNumId"), str(own))
        _child(abstract, "w:multiLevelType", "hybridMultilevel")
        for depth in range(max(kinds) + 1):
            abstract.append(_level(depth, kinds[depth]))
        numbering.insert(len(used), abstract)  # all of them come before the instances
        return int(numbering.add_num(own).numId)

    def _contents(self, node: Node) -> None:
        """Entries in the word processor's own style for them, the page number at a tab with dots before it."""
        styles = self.docx.styles
        if "toc 1" not in styles:
            style: Any = styles.add_style("toc 1", WD_STYLE_TYPE.PARAGRAPH, builtin=True)
            style.base_style = styles["Normal"]
            style.paragraph_format.space_after = Pt(3)
            style.paragraph_format.tab_stops.add_tab_stop(self.usable, WD_TAB_ALIGNMENT.RIGHT, WD_TAB_LEADER.DOTS)
        for depth, _, entry in node.items():
            told = entry.parts[0]
            title, _, number = told.text.rpartition(" ")
            address = next((w.link for p in told.pieces for line in p.lines for w in line.words), "")
            paragraph = self.docx.add_paragraph(style="toc 1")
            paragraph.paragraph_format.left_indent = Inches(0.25 * depth)
            self._run(paragraph, Run(f"{title}\t{number}" if title else number, link=address), entry.language)

    def _picture(self, node: Node) -> None:
        width = min(Inches(self.cut.inches(node)), self.usable)
        paragraph = self.docx.add_paragraph()
        own = self.cut.of(node)
        picture = paragraph.add_run().add_picture(io.BytesIO(own), width=width)
        if picture.height > self.tallest:
            picture.width, picture.height = Length(picture.width * self.tallest // picture.height), self.tallest
        properties = paragraph._p.xpath(".//wp:docPr")[0]
        if node.alternative:
            properties.set("descr", node.alternative)

    def _table(self, node: Node) -> None:
        table = self.docx.add_table(rows=len(node.children), cols=node.columns, style="Table Grid")
        for each in (cell for row in node.children for cell in row.children):
            cell = each.cell
            assert cell is not None
            place = table.cell(cell.row, cell.column)
            if cell.row_span > 1 or cell.column_span > 1:
                place = place.merge(table.cell(cell.row + cell.row_span - 1, cell.column + cell.column_span - 1))
            self._text(place.paragraphs[0], each)
            if each.tag is Tag.TH:
                for run in place.paragraphs[0].runs:
                    run.bold = True
        for row in table.rows:
            row._tr.get_or_add_trPr().append(OxmlElement("w:cantSplit"))
        if node.children and all(each.tag is Tag.TH for each in node.children[0].children):
            table.rows[0]._tr.get_or_add_trPr().append(OxmlElement("w:tblHeader"))
        self.docx.add_paragraph().paragraph_format.space_after = Pt(0)

    def _running_heads(self) -> None:
        section = self.docx.sections[0]
        head, numbered = "", False
        for index in range(len(self.tree.pages)):
            for artifact in self.tree.pages[index].artifacts:
                head = head or (artifact.text if artifact.role is Role.RUNNING_HEAD else "")
                numbered = numbered or artifact.role is Role.PAGE_NUMBER
            if head and numbered:
                break
        if head:
            section.header.paragraphs[0].text = head.replace("\n", " ")
        if numbered:
            _add_page_field(section.footer.paragraphs[0])


def _mark_name(place: Place) -> str:
    return f"p{place.page + 1}_{place.region_id}"[:40]


def _child(parent: Any, tag: str, value: str) -> Any:
    element = OxmlElement(tag)
    element.set(qn("w:val"), value)
    parent.append(element)
    return element


_FORMATS = {
    Numbering.DECIMAL: "decimal",
    Numbering.LOWER_LETTERS: "lowerLetter",
    Numbering.UPPER_LETTERS: "upperLetter",
    Numbering.LOWER_ROMAN: "lowerRoman",
    Numbering.UPPER_ROMAN: "upperRoman",
}
_BULLETS = {Numbering.CIRCLE: "\u25e6", Numbering.SQUARE: "\u25aa"}


def _kinds(node: Node) -> dict[int, Node]:
    """The first list of each depth, from the outermost."""
    kinds: dict[int, Node] = {}
    for depth, within, _ in node.items():
        kinds.setdefault(min(depth, DEEPEST), within)
    return kinds


def _numbered_alike(one: Node, other: Node) -> bool:
    """Whether a list of the other's numbering begins as this one does: each starts anew within its item."""
    return (one.numbering, one.around, one.children[0].number) == (
        other.numbering,
        other.around,
        other.children[0].number,
    )


def _level(depth: int, node: Node) -> Any:
    """How one depth of a list is numbered (ECMA-376-1, 17.9.6), in the order that its schema asks for."""
    level = OxmlElement("w:lvl")
    level.set(qn("w:ilvl"), str(depth))
    numbering = node.numbering or Numbering.NONE
    before, after = node.around
    _child(level, "w:start", str(node.children[0].number or 1))
    _child(level, "w:numFmt", _FORMATS.get(numbering, "bullet"))
    _child(
        level, "w:lvlText", f"{before}%{depth + 1}{after}" if numbering.counts else _BULLETS.get(numbering, "\u2022")
    )
    _child(level, "w:lvlJc", "left")
    properties = OxmlElement("w:pPr")
    indent = OxmlElement("w:ind")
    indent.set(qn("w:left"), str(360 * (depth + 1)))
    indent.set(qn("w:hanging"), "360")
    properties.append(indent)
    level.append(properties)
    return level


def _lang(language: str) -> Any:
    element = OxmlElement("w:lang")
    tag = language_tag(language)
    element.set(qn("w:val"), tag)
    if is_right_to_left(language):
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
