"""A DOCX that looks as the paper does: each page a page, each block in its place, in real paragraphs (ECMA-376-1).

Nothing stands in a frame or text box: a page's bands of columns are sections, paragraphs have the lines, sizes and
distances that they have on paper, pictures are anchored.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from itertools import pairwise
from statistics import median
from typing import Any, BinaryIO

from docx import Document
from docx.enum.style import WD_STYLE_TYPE
from docx.enum.table import WD_ROW_HEIGHT_RULE
from docx.enum.text import WD_ALIGN_PARAGRAPH, WD_BREAK, WD_LINE_SPACING, WD_TAB_ALIGNMENT, WD_TAB_LEADER
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Length, Pt
from docx.table import Table
from docx.text.paragraph import Paragraph

from hyalen.core.formats.cut import CutPictures
from hyalen.core.formats.docx import DEEPEST_CONTENTS
from hyalen.core.formats.docx_fields import CONTENTS, begin_field, end_field
from hyalen.core.formats.docx_lists import ListNumbers
from hyalen.core.formats.docx_page import ColumnPlace, Margins, PageSetter, Sheet, set_type
from hyalen.core.formats.docx_picture import anchor
from hyalen.core.formats.docx_sections import set_thin
from hyalen.core.formats.docx_table import add_table
from hyalen.core.formats.docx_text import TextWriter
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.formats.placing import Alignment, Block, Shape, blocks, clear_of_each_other, part_of, pressed, shape
from hyalen.core.formats.typefaces import Typeface, fit, nearest_face
from hyalen.core.languages import is_right_to_left
from hyalen.core.layout.aligned import is_number
from hyalen.core.layout.bands import bands
from hyalen.core.model.content import PageContent
from hyalen.core.model.geometry import Box, union
from hyalen.core.structure.flow import Run
from hyalen.core.structure.labels import page_labels
from hyalen.core.structure.tree import Node, StructureTree, Tag

PAGES_OF_FACE = 20  # that tell the document's typeface
SLACK = 5.0  # points by which blocks may overlap
EDGE = 4.0  # points at a page's end that stay free
EASE = 2.0  # points that a paragraph is wider than on paper
HIGHEST = 1_584.0  # points of a line: common practice of word processors, no source
ALIGNED = {
    Alignment.START: WD_ALIGN_PARAGRAPH.LEFT,
    Alignment.CENTRE: WD_ALIGN_PARAGRAPH.CENTER,
    Alignment.END: WD_ALIGN_PARAGRAPH.RIGHT,
    Alignment.JUSTIFIED: WD_ALIGN_PARAGRAPH.JUSTIFY,
}


def write_placed_docx(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """The document page by page as it is laid out on paper.

    Raises
    ------
    ValueError
        If a table is larger than a word processor's tables may be.
    """
    _Writer(tree, images).write(file)


class _Writer:
    def __init__(self, tree: StructureTree, images: Images) -> None:
        self.tree = tree
        self.cut = CutPictures(tree, images)
        self.docx = Document()
        self.text = TextWriter(self.docx, tree, as_printed=True)
        self.face = _face(tree)
        self.setter = PageSetter(self.docx, self.face, tree.labels)
        self.lists: dict[int, tuple[Node, ListNumbers]] = {}  # of the page in hand, by the list's identity
        self.contents: list[Paragraph] = []  # the entries of the contents in hand
        self.root: Node | None = None  # of which contents they are
        self.pictures: list[tuple[Block, bool]] = []  # which wait for a paragraph to be anchored at
        self.placed = 0  # pictures
        self.backwards = is_right_to_left(tree.language)

    def write(self, file: BinaryIO) -> None:
        self.text.describe()
        self._styles()
        labels = page_labels(self.tree.labels, len(self.tree.pages))
        at = 0
        for index, told in blocks(self.tree.nodes()):
            for empty in range(at, index):
                self._page(empty, [], labels[empty])
            self._page(index, told, labels[index])
            at = index + 1
        for empty in range(at, len(self.tree.pages)):
            self._page(empty, [], labels[empty])
        self._end_contents()
        self.docx.save(file)

    def _styles(self) -> None:
        """No distances of the styles' own, and the document's typeface."""
        styles: Any = self.docx.styles
        for style in styles:
            if style.type != WD_STYLE_TYPE.PARAGRAPH:
                continue
            form = style.paragraph_format
            form.space_before = form.space_after = Pt(0)
            form.keep_with_next = form.keep_together = form.widow_control = False
            fonts = style.element.find(qn("w:rPr") + "/" + qn("w:rFonts"))
            if fonts is not None:
                fonts.getparent().remove(fonts)
        normal = styles["Normal"]
        normal.font.name = self.face.name
        for script in ("w:cs", "w:eastAsia"):
            normal.element.rPr.rFonts.set(qn(script), self.face.name)

    def _page(self, index: int, told: Sequence[Block], label: str) -> None:
        sheet = Sheet(self.tree.pages[index])
        slack = SLACK / sheet.unit
        texts = [block for block in told if not block.node.tag.is_picture]
        found = [
            [[part_of(texts[part.block], part.start, part.end) for part in column] for column in band.columns]
            for band in bands([[line.box for line in b.lines] or [b.box] for b in texts], slack, self.backwards)
        ]
        shapes: dict[int, Shape | None] = {}
        for column in (column for band in found for column in band):
            set_so = [None if b.node.tag is Tag.TABLE else shape(b, self.face, sheet.unit) for b in column]
            shapes |= zip(
                map(id, column), clear_of_each_other(set_so, sheet.page.height - EDGE / sheet.unit), strict=True
            )
        taken = [_taken(b, shapes[id(b)], slack) for band in found for column in band for b in column]
        self.pictures = [(b, any(map(b.box.overlap, taken))) for b in told if b.node.tag.is_picture]
        margins = _margins(sheet.page, taken, slack)
        self.setter.begin_page(index, sheet, margins, label)
        level = margins.top
        for number, band in enumerate(found):
            places = _places(band, margins)
            self.setter.begin_band(sheet, margins, places, number == 0)
            following = [
                shapes[id(b)] or b.box for column in found[number + 1 : number + 2] for each in column for b in each
            ]
            limit = min(
                (each.top for each in following), default=min(margins.bottom, sheet.page.height - EDGE / sheet.unit)
            )
            below = level
            for side, (column, place) in enumerate(zip(band, places, strict=True)):
                at = level
                if len(band) > 1:
                    self._begin_column(break_before=side > 0)
                set_so = pressed([shapes[id(b)] for b in column], [b.box for b in column], level, limit)
                for block, shaped in zip(column, set_so, strict=True):
                    at = self._put(block, shaped, at, place, sheet)
                below = max(below, at)
            level = below
        self._anchor_rest(sheet, bool(found))
        here = {id(block.root) for block in told}
        self.lists = {key: each for key, each in self.lists.items() if key in here}

    def _begin_column(self, break_before: bool) -> None:
        """Distances count from a paragraph before: at a column's top word processors leave them out, or give them to all."""
        paragraph = self.docx.add_paragraph()
        set_thin(paragraph)
        if break_before:
            paragraph.add_run().add_break(WD_BREAK.COLUMN)

    def _put(self, block: Block, shaped: Shape | None, at: float, place: ColumnPlace, sheet: Sheet) -> float:
        """Write a block where it belongs, or right beneath what was written; where it ends."""
        if shaped is None:
            self._table(block, at, place, sheet)
            return max(at, block.box.top) + block.box.height
        paragraph = self._paragraph(block, shaped, place, sheet)
        if block.node.tag.heading_level is None:
            self._anchor(paragraph, sheet)
        self._set(paragraph, shaped, place, sheet, is_right_to_left(block.node.language))
        paragraph.paragraph_format.space_before = sheet.points(max(0.0, shaped.top - at))
        return max(at, shaped.top) + shaped.rows * shaped.pitch

    def _paragraph(self, block: Block, shaped: Shape, place: ColumnPlace, sheet: Sheet) -> Paragraph:
        node, level = block.node, block.node.tag.heading_level
        if block.root is not self.root:
            self._end_contents()
            self.root = block.root
        if block.root is not None and block.root.tag is Tag.TOC:
            return self._entry(block, sheet.points(shaped.end - place.left))
        if block.labelled and block.root is not None and block.within is not None:
            if id(block.root) not in self.lists:
                self.lists[id(block.root)] = block.root, ListNumbers(self.docx, block.root)
            _, numbers = self.lists[id(block.root)]
            paragraph = self.text.paragraph(node, numbers.style(block.depth, block.within))
            numbers.put(paragraph, block.depth, block.within)
            return paragraph
        if node.tag is Tag.CAPTION:
            return self.text.caption(node)
        style = f"Heading {level}" if level else "Quote" if block.quoted else "List" if block.root else "Normal"
        return self.text.paragraph(node, style)

    def _set(
        self, paragraph: Paragraph, shaped: Shape, place: ColumnPlace, sheet: Sheet, backwards: bool, ease: float = EASE
    ) -> None:
        """Give a paragraph its place in its column, its lines and its type."""
        start, end = (-place.right, -place.left) if backwards else place
        form = paragraph.paragraph_format
        form.line_spacing_rule = WD_LINE_SPACING.EXACTLY
        form.line_spacing = Pt(max(1.0, min(HIGHEST, shaped.pitch * sheet.unit)))
        form.left_indent = sheet.points(shaped.start - start)
        form.right_indent = -Pt(3 * ease) if shaped.rows == 1 else sheet.points(end - shaped.end) - Pt(ease)
        form.first_line_indent = sheet.points(shaped.first)
        paragraph.alignment = ALIGNED[shaped.alignment]
        set_type(paragraph, shaped.em * sheet.unit, shaped.width)

    def _entry(self, block: Block, end: Length) -> Paragraph:
        """An entry of the contents, its number at their edge; together they are a field."""
        style = f"toc {min(block.depth + 1, DEEPEST_CONTENTS)}"
        if style not in self.docx.styles:
            own: Any = self.docx.styles.add_style(style, WD_STYLE_TYPE.PARAGRAPH, builtin=True)
            own.base_style = self.docx.styles["Normal"]
        paragraph = self.text.begin(style)
        title, _, number = block.node.text.rpartition(" ")
        address = next((w.link for line in block.node.pieces[0].lines for w in line.words), "")
        paragraph.paragraph_format.tab_stops.add_tab_stop(end, WD_TAB_ALIGNMENT.RIGHT, WD_TAB_LEADER.DOTS)
        self.text.run(paragraph, Run(f"{title}\t{number}" if title else number, link=address), block.node.language)
        self.contents.append(paragraph)
        return paragraph

    def _end_contents(self) -> None:
        if self.contents:
            begin_field(self.contents[0], CONTENTS)
            end_field(self.contents[-1])
        self.contents = []

    def _table(self, block: Block, at: float, place: ColumnPlace, sheet: Sheet) -> None:
        gap = (
            self.docx.add_paragraph()
        )  # tables keep no distance, and two without a paragraph between them would be one
        set_thin(gap)
        gap.paragraph_format.space_before = Pt(max(0.0, (block.box.top - at) * sheet.unit - 1))
        self._anchor(gap, sheet)
        node = block.node
        lines = [
            line for row in node.children for each in row.children for piece in each.pieces for line in piece.lines
        ]
        fitted = fit(self.face, lines, sheet.unit)
        tops = _row_tops(node, block.box)

        def fill(paragraph: Paragraph, cell: Node) -> None:
            own = [line for piece in cell.pieces for line in piece.lines]
            if not own or cell.cell is None:
                set_thin(paragraph)
                return
            self.text.text(paragraph, cell)
            box = cell.cell.box
            backwards = is_right_to_left(cell.language)
            shaped = shape(Block(cell, block.page, box, tuple(own)), self.face, sheet.unit, fitted, box.width)
            top, bottom = tops[cell.cell.row], tops[cell.cell.row + cell.cell.row_span]
            pitch = min(shaped.pitch, (bottom - top) / shaped.rows)  # rows that grew would push all that follows
            shaped = shaped._replace(pitch=pitch, top=max(top, min(shaped.top, bottom - shaped.rows * pitch)))
            if is_number(cell.text):
                shaped = shaped._replace(start=float(-box.right if backwards else box.left))
            self._set(paragraph, shaped, ColumnPlace(box.left, box.right), sheet, backwards, ease=0)
            if is_number(cell.text):
                end = -shaped.end - box.left if backwards else box.right - shaped.end
                paragraph.paragraph_format.right_indent = sheet.points(max(0.0, end))
            paragraph.paragraph_format.space_before = sheet.points(shaped.top - top)

        table = add_table(self.docx, node, sheet.points(block.box.width), fill)
        _lay(table, sheet.points(block.box.left - place.left))
        for row, (top, below) in zip(table.rows, pairwise(tops), strict=True):
            row.height_rule = WD_ROW_HEIGHT_RULE.AT_LEAST
            row.height = sheet.points(max(1.0, below - top))

    def _anchor(self, paragraph: Paragraph, sheet: Sheet) -> None:
        """Put the pictures that wait on the page, before a paragraph's text."""
        for block, beneath in self.pictures:
            self.placed += 1
            run = paragraph.add_run()
            picture = run.add_picture(
                io.BytesIO(self.cut.of(block.node)),
                sheet.points(max(1, block.box.width)),
                sheet.points(max(1, block.box.height)),
            )
            if block.node.alternative:
                picture._inline.docPr.set("descr", block.node.alternative)
            picture._inline.docPr.set("id", str(self.placed))
            anchor(picture, sheet.points(block.box.left), sheet.points(block.box.top), self.placed, beneath)
            paragraph._p.insert(1 if paragraph._p.pPr is not None else 0, run._r)
        self.pictures = []

    def _anchor_rest(self, sheet: Sheet, written: bool) -> None:
        """The pictures at a page's end, and a paragraph that a page without any needs."""
        body: Any = self.docx.element.body
        last = body[-2] if len(body) > 1 else None
        if not written or (last is not None and last.tag == qn("w:tbl")):
            set_thin(self.docx.add_paragraph())
        if self.pictures:
            self._anchor(Paragraph(body[-2], self.docx._body), sheet)


def _face(tree: StructureTree) -> Typeface:
    """The typeface that most of the document's pages are nearest to."""
    step = max(1, len(tree.pages) // PAGES_OF_FACE)
    chosen = (tree.pages[i] for i in range(0, len(tree.pages), step))
    return nearest_face(word for page in chosen for region in page.regions for word in region.words)


def _margins(page: PageContent, taken: Sequence[Box], slack: float) -> Margins:
    """The room around all text, to the right half of what is left, so that a line may be somewhat longer."""
    if not taken:
        return Margins(0, 0, page.width, page.height)
    area = union(taken)
    left, right = area.left + slack, area.right - slack
    return Margins(max(0, left), max(0, area.top), right + max(0, page.width - right) / 2, area.bottom)


def _places(columns: Sequence[Sequence[Block]], margins: Margins) -> list[ColumnPlace]:
    """Where a band's columns stand: as wide as their blocks, the outer ones up to the margins."""
    around = sorted((union(block.box for block in column) for column in columns), key=lambda box: box.left)
    lefts = [margins.left, *(box.left for box in around[1:])]
    rights = [*(box.right for box in around[:-1]), margins.right]
    return [ColumnPlace(min(a, b - 1), b) for a, b in zip(lefts, rights, strict=True)]


def _taken(block: Block, shaped: Shape | None, slack: float) -> Box:
    """The room that a block takes, within which a picture would push it aside."""
    top, bottom = (block.box.top, block.box.bottom) if shaped is None else (shaped.top, shaped.bottom)
    return Box(int(block.box.left - slack), int(top), int(block.box.right + slack), int(bottom))


def _row_tops(node: Node, box: Box) -> list[float]:
    """Where a table's rows begin, and where the last one ends."""
    tops: list[float] = []
    for number, row in enumerate(node.children):
        own = [each.cell.box.top for each in row.children if each.cell is not None and each.cell.row == number]
        top = float(median(own)) if own else tops[-1] if tops else float(box.top)
        tops.append(max(top, tops[-1] if tops else top))
    return [*tops, max(float(box.bottom), *tops)]


def _lay(table: Table, indent: Length) -> None:
    """Where a table begins, with no distance between its cells' edges and their text (17.4.50, 17.4.42)."""
    properties: Any = table._tbl.tblPr
    begin = OxmlElement("w:tblInd")
    begin.set(qn("w:w"), str(round(indent.twips)))
    begin.set(qn("w:type"), "dxa")
    properties.find(qn("w:tblLayout")).addprevious(begin)
    edges = OxmlElement("w:tblCellMar")
    for side in ("w:left", "w:right"):
        edge = OxmlElement(side)
        edge.set(qn("w:w"), "0")
        edge.set(qn("w:type"), "dxa")
        edges.append(edge)
    properties.find(qn("w:tblLayout")).addnext(edges)
