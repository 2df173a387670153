"""Slides: pages that were some become some again, with title, outline, pictures and tables in placeholders (ECMA-376)."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from itertools import groupby
from typing import Any, BinaryIO

from pptx import Presentation
from pptx.enum.text import PP_ALIGN
from pptx.oxml.ns import qn
from pptx.util import Emu, Inches, Pt

from hyalen.core.formats.cut import CutPictures
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.model.content import PageContent, RegionKind
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, union
from hyalen.core.structure.flow import Run
from hyalen.core.structure.labels import page_labels
from hyalen.core.structure.references import leads_elsewhere
from hyalen.core.structure.tree import Node, StructureTree, Tag

MOST_WORDS = 180  # of a page that is a slide; common practice, no source
HIGH = Inches(7.5)
TITLE_AND_CONTENT, TITLE_ONLY = 1, 5  # of the plain template's layouts
SMALLEST, LARGEST = 10.0, 60.0  # points
TYPE = 0.8  # of a line's height, that is its type's size
DEEPEST = 8  # level of an outline (ECMA-376-1, 21.1.2.2.7)


def write_pptx(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """A document of slides as slides, in the order in which they are read.

    Raises
    ------
    ValueError
        If a page is no slide: upright, or with much text.
    """
    labels = page_labels(tree.labels, len(tree.pages))
    others = [labels[i] for i in range(len(tree.pages)) if not is_slide(tree.pages[i])]
    if others or not len(tree.pages):
        named = ", ".join(others[:20]) + (" …" if len(others) > 20 else "")
        raise ValueError(
            f"These pages are no slides, which lie across and have little text: {named}; name the others under Pages."
            if others
            else "There is no page that could be a slide."
        )
    _Writer(tree, images).write(file)


def is_slide(page: PageContent) -> bool:
    """Whether a page may have been a slide: it lies across and has few words."""
    return page.width > page.height and sum(1 for r in page.regions for _ in r.words) <= MOST_WORDS


class _Writer:
    def __init__(self, tree: StructureTree, images: Images) -> None:
        self.tree = tree
        self.cut = CutPictures(tree, images)
        self.slides: Any = Presentation()
        first = tree.pages[0]
        wide = Emu(int(HIGH * first.width / first.height))
        self._stretch(wide / int(self.slides.slide_width or wide), HIGH / int(self.slides.slide_height or HIGH))
        self.slides.slide_width, self.slides.slide_height = wide, HIGH

    def write(self, file: BinaryIO) -> None:
        told = self.slides.core_properties
        told.title, told.language = self.tree.title[:255], language_tag(self.tree.language)
        told.author, told.subject = self.tree.particulars.author[:255], self.tree.particulars.subject[:255]
        told.keywords = self.tree.particulars.keywords[:255]
        done = -1
        for page, nodes in groupby(self.tree.nodes(), key=lambda node: node.first.page):
            for empty in range(done + 1, page):
                self._slide(empty, [])
            self._slide(page, list(nodes))
            done = page
        for empty in range(done + 1, len(self.tree.pages)):
            self._slide(empty, [])
        self.slides.save(file)

    def _stretch(self, across: float, down: float) -> None:
        """Have the plain layouts fill a slide of another shape."""
        master = self.slides.slide_master
        for holder in (master, *master.slide_layouts):
            for shape in holder.placeholders:
                if shape._element.spPr.find(qn("a:xfrm")) is not None:
                    shape.left, shape.width = Emu(int(shape.left * across)), Emu(int(shape.width * across))
                    shape.top, shape.height = Emu(int(shape.top * down)), Emu(int(shape.height * down))

    def _slide(self, page: int, nodes: Sequence[Node]) -> None:
        title = next((n for n in nodes if n.tag.heading_level is not None), None)
        title = title or next((n for n in nodes if n.tag is Tag.P and n.text), None)
        texts = [n for n in nodes if n is not title and n.tag is not Tag.TABLE and not n.tag.is_picture]
        layout = self.slides.slide_layouts[TITLE_AND_CONTENT if texts else TITLE_ONLY]
        slide = self.slides.slides.add_slide(layout)
        if title is not None:
            self._place(slide.shapes.title, page, [title])
            self._paragraph(
                slide.shapes.title.text_frame.paragraphs[0], title.runs, title.language, _size(title, self._scale(page))
            )
        else:
            slide.shapes.title.text_frame.text = self.tree.title
        if texts:
            body = slide.placeholders[1]
            self._place(body, page, texts)
            self._outline(body.text_frame, texts, page)
        for node in nodes:  # what stands later in the tree of shapes is read later
            if node.tag.is_picture:
                self._picture(slide, page, node)
            elif node.tag is Tag.TABLE:
                self._table(slide, page, node)
            for told in (node.caption,) if node.caption is not None and texts else ():
                self._add(slide.placeholders[1].text_frame, told, 0, False, page)

    def _scale(self, page: int) -> float:
        """Units of a slide a pixel of the page."""
        content = self.tree.pages[page]
        return float(min(self.slides.slide_width / content.width, self.slides.slide_height / content.height))

    def _place(self, shape: Any, page: int, nodes: Sequence[Node]) -> None:
        boxes = [piece.region.box for node in nodes for piece in _pieces(node) if piece.page == page]
        if not boxes:
            return
        content, box = self.tree.pages[page], union(boxes).grown(8)
        # Type is another one than on paper and may need more room: up to what stands beside, or the slide's edge.
        beside = [
            r.box.left
            for r in content.regions
            if r.kind is not RegionKind.TEXT
            and r.box.left > box.left
            and r.box.top < box.bottom
            and box.top < r.box.bottom
        ]
        right = max(box.right, min([content.width - box.left // 2, *beside]))
        scale = self._scale(page)
        shape.left, shape.top = Emu(int(max(0, box.left) * scale)), Emu(int(max(0, box.top) * scale))
        shape.width, shape.height = Emu(int((right - box.left) * scale)), Emu(int(box.height * scale * 1.1))

    def _outline(self, frame: Any, nodes: Sequence[Node], page: int) -> None:
        frame.word_wrap = True
        for node in nodes:
            if node.tag in (Tag.L, Tag.TOC):
                for depth, within, item in node.items():
                    self._add(frame, item.parts[-1], depth, within.numbering is not None, page)
            elif node.tag is Tag.BLOCK_QUOTE:
                for child in node.children:
                    self._add(frame, child, 0, False, page)
            elif node.text:
                self._add(frame, node, 0, False, page)

    def _add(self, frame: Any, node: Node, depth: int, bulleted: bool, page: int) -> None:
        first = frame.paragraphs[0]
        paragraph = first if not first.runs else frame.add_paragraph()
        paragraph.level = min(depth, DEEPEST)
        self._paragraph(paragraph, node.runs, node.language, _size(node, self._scale(page)))
        if not bulleted:
            properties = paragraph._p.get_or_add_pPr()
            properties.set("marL", "0")
            properties.set("indent", "0")
            properties.insert(0, properties.makeelement(qn("a:buNone"), {}))

    def _paragraph(self, paragraph: Any, runs: Sequence[Run], language: str, size: float) -> None:
        for told in runs:
            if told.text == "\n":
                paragraph.add_line_break()
                continue
            run = paragraph.add_run()
            run.text = told.text
            run.font.size = Pt(size)
            run.font.bold, run.font.italic = Style.BOLD in told.style or None, Style.ITALIC in told.style or None
            run.font.underline = Style.UNDERLINED in told.style or None
            run._r.get_or_add_rPr().set("lang", language_tag(told.language or language))
            if leads_elsewhere(told.link):
                run.hyperlink.address = told.link
        if is_right_to_left(language):
            paragraph.alignment = PP_ALIGN.RIGHT  # left and right are the sheet's here (ECMA-376-1, 20.1.10.59)
            paragraph._p.get_or_add_pPr().set("rtl", "1")

    def _box(self, page: int, box: Box) -> tuple[Emu, Emu, Emu, Emu]:
        scale = self._scale(page)
        left, top, wide, high = (Emu(int(max(0, v) * scale)) for v in (box.left, box.top, box.width, box.height))
        return left, top, wide, high

    def _picture(self, slide: Any, page: int, node: Node) -> None:
        left, top, wide, high = self._box(page, node.first.region.box)
        shape = slide.shapes.add_picture(io.BytesIO(self.cut.of(node)), left, top, wide, high)
        shape._element.nvPicPr.cNvPr.set("descr", node.alternative or "")

    def _table(self, slide: Any, page: int, node: Node) -> None:
        left, top, wide, high = self._box(page, node.first.region.box)
        shape = slide.shapes.add_table(max(1, len(node.children)), max(1, node.columns), left, top, wide, high)
        shape._element.nvGraphicFramePr.cNvPr.set("descr", node.alternative or "")
        table = shape.table
        if node.backwards:
            table._tbl.tblPr.set("rtl", "1")
        table.first_row = bool(node.children) and all(each.tag is Tag.TH for each in node.children[0].children)
        for each in (each for row in node.children for each in row.children):
            cell = each.cell
            assert cell is not None
            place = table.cell(cell.row, cell.column)
            if cell.row_span > 1 or cell.column_span > 1:
                place.merge(table.cell(cell.row + cell.row_span - 1, cell.column + cell.column_span - 1))
            frame = place.text_frame
            self._paragraph(frame.paragraphs[0], each.runs, each.language, _size(each, self._scale(page)))


def _pieces(node: Node) -> Iterator[Any]:
    yield from node.pieces
    for child in node.children:
        yield from _pieces(child)


def _size(node: Node, scale: float) -> float:
    """Points of a node's type on its slide."""
    heights = [line.height for piece in _pieces(node) for line in piece.lines]
    size = TYPE * sorted(heights)[len(heights) // 2] * scale / Pt(1) if heights else 18.0
    return round(min(LARGEST, max(SMALLEST, size)), 1)
