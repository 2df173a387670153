"""An editable DOCX: flowing text with heading styles, real lists, tables, notes, contents and running heads (ECMA-376)."""

from __future__ import annotations

import io
from dataclasses import replace
from typing import Any, BinaryIO

from docx import Document
from docx.enum.style import WD_STYLE_TYPE
from docx.enum.text import WD_TAB_ALIGNMENT, WD_TAB_LEADER
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Inches, Length, Pt
from docx.text.paragraph import Paragraph

from hyalen.core.formats.cut import CutPictures
from hyalen.core.formats.docx_fields import CONTENTS, begin_field, end_field
from hyalen.core.formats.docx_lists import ListNumbers
from hyalen.core.formats.docx_sections import Room, Span, begin_columns, begin_section, spans
from hyalen.core.formats.docx_table import add_table
from hyalen.core.formats.docx_text import TextWriter
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.layout.column_counts import column_counts
from hyalen.core.structure.flow import Run
from hyalen.core.structure.references import Place
from hyalen.core.structure.tree import Node, StructureTree, Tag

DEEPEST_CONTENTS = 9  # levels that a word processor has styles for


def write_docx(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """The document as flowing text.

    Paragraphs are joined over lines, columns and pages, running heads and page
    numbers stand in the header and footer instead of the flow.
    """
    _Writer(tree, images, options).write(file)


class _Writer:
    def __init__(self, tree: StructureTree, images: Images, options: DeliveryOptions) -> None:
        self.tree = tree
        self.cut = CutPictures(tree, images)
        self.docx = Document()
        self.text = TextWriter(self.docx, tree)
        self.room = self.page_room = Room(Length(0), Length(0))
        self.columns = 1
        self.counts: tuple[int, dict[str, int]] = (-1, {})  # of a page's regions, in how many columns they are set
        self.breaks = options.page_breaks

    def write(self, file: BinaryIO) -> None:
        self.text.describe()
        coming = list(reversed(spans(self.tree)))
        self._begin(coming.pop())
        page = 0
        for node in self.tree.nodes():
            first = node.first.page
            anew = False
            while coming and coming[-1].first <= first:  # of sections without a word the last one counts
                anew = True
                span = coming.pop()
                if not (coming and coming[-1].first <= first):
                    self._begin(span)
            if node.tag is not Tag.NOTE and (number := self._columns_of(node)) != self.columns:
                self.columns = number
                self.room = begin_columns(self.docx, number, self.page_room)
            before = len(self.docx.element.body)
            self._add(node)
            if self.breaks and not anew and first > page:
                self._break_before(before - 1)  # the section's properties stand last
            page = max(page, node.pieces[-1].page if node.pieces else first)
        self.text.notes.attach()
        self.docx.save(file)

    def _begin(self, span: Span) -> None:
        self.room = self.page_room = begin_section(self.docx, self.tree, span)
        self.columns = 1

    def _columns_of(self, node: Node) -> int:
        page, region, _ = node.first
        if page != self.counts[0]:
            self.counts = page, column_counts(self.tree.pages[page])
        return self.counts[1].get(region.id, 1)

    def _break_before(self, at: int) -> None:
        """Have what was added there begin a page."""
        body = self.docx.element.body
        if at < 1 or at >= len(body) - 1:
            return
        if body[at].tag != qn("w:p"):
            body.insert(at, OxmlElement("w:p"))
        Paragraph(body[at], self.docx._body).paragraph_format.page_break_before = True

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
                self.text.paragraph(child, "Quote")
        elif node.tag.is_picture:
            self._picture(node)
        elif node.tag is Tag.TOC:
            self._contents(node)
        elif node.tag is Tag.TABLE:
            self._table(node)
        elif node.tag is Tag.L:
            self._list(node)
        elif level is not None:
            self.text.paragraph(node, f"Heading {level}")
        elif node.tag is Tag.CAPTION:
            self.text.caption(node)
        elif node.tag is Tag.NOTE:
            place = Place(node.first.page, node.first.region.id)
            if place not in self.text.referred:  # else it stands at the foot of its reference's page
                self.text.standing.add(place)
                self.text.paragraph(node, "Normal")
        elif node.text:
            self.text.paragraph(node, "Normal")

    def _list(self, node: Node) -> None:
        """Items that the word processor numbers, as deep as they stand."""
        numbers = ListNumbers(self.docx, node)
        for depth, within, item in node.items():
            labelled = any(part.tag is Tag.LBL for part in item.parts)
            paragraph = self.text.paragraph(item.parts[-1], numbers.style(depth, within) if labelled else "List")
            if labelled:
                numbers.put(paragraph, depth, within)

    def _contents(self, node: Node) -> None:
        """Contents as a field that brings itself up to date from the headings; until then its entries are those printed."""
        added: list[Paragraph] = []
        for depth, _, entry in node.items():
            told = entry.parts[0]
            title, _, number = told.text.rpartition(" ")
            address = next((w.link for p in told.pieces for line in p.lines for w in line.words), "")
            paragraph = self.docx.add_paragraph(style=self._contents_style(min(depth + 1, DEEPEST_CONTENTS)))
            self.text.run(paragraph, Run(f"{title}\t{number}" if title else number, link=address), entry.language)
            added.append(paragraph)
        if added:
            begin_field(added[0], CONTENTS)
            end_field(added[-1])

    def _contents_style(self, level: int) -> str:
        """The word processor's own style for entries of a level, the page number at a tab with dots before it."""
        name, styles = f"toc {level}", self.docx.styles
        if name not in styles:
            style: Any = styles.add_style(name, WD_STYLE_TYPE.PARAGRAPH, builtin=True)
            style.base_style = styles["Normal"]
            style.paragraph_format.space_after = Pt(3)
            style.paragraph_format.left_indent = Inches(0.25 * (level - 1))
            style.paragraph_format.tab_stops.add_tab_stop(self.room.wide, WD_TAB_ALIGNMENT.RIGHT, WD_TAB_LEADER.DOTS)
        return name

    def _picture(self, node: Node) -> None:
        width = min(Inches(self.cut.inches(node)), self.room.wide)
        paragraph = self.docx.add_paragraph()
        own = self.cut.of(node)
        picture = paragraph.add_run().add_picture(io.BytesIO(own), width=width)
        if picture.height > self.room.high:
            picture.width, picture.height = Length(picture.width * self.room.high // picture.height), self.room.high
        properties = paragraph._p.xpath(".//wp:docPr")[0]
        if node.alternative:
            properties.set("descr", node.alternative)

    def _table(self, node: Node) -> None:
        body = self.docx.element.body
        if len(body) > 1 and body[-2].tag == qn("w:tbl"):  # two tables without a word between them would be one
            self.docx.add_paragraph().paragraph_format.space_after = Pt(0)
        add_table(
            self.docx,
            node,
            self.room.wide,
            lambda paragraph, cell: self.text.text(paragraph, cell),
            point=self.text.point,
        )
