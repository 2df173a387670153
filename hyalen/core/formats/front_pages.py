"""Pages with the tables that stand before a bundle's documents, drawn and tagged.

Table, TR, TH with its scope and TD (ISO 32000-1, table 337); header rows that are repeated are artifacts; each row that
leads to a page has links (ISO 14289-1, 7.18.5).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import pikepdf
from pikepdf import Array, Dictionary, Name, String

from hyalen.core.formats.drawn_text import BOLD, PLAIN, DrawnFonts, Typeset, broken, reads_otherwise, typeset
from hyalen.core.model.front import FrontRow, FrontTable

WIDE, HIGH = 595.28, 841.89  # A4 in points
MARGIN = 54.0
TOP = 62.0
SIZE, LEADING, GAP = 10.5, 14.0, 5.0
HEADING, HEADING_LEADING = 20.0, 26.0
NARROW = 96.0  # points that a column beside the main one takes at most
BETWEEN = 12.0
INDENT = 14.0
INK = "0.09 0.12 0.15"


class FrontLink(NamedTuple):
    """A link on a front page: its annotation, and the sheet that it leads to."""

    note: pikepdf.Object
    sheet: int


class _Cell(NamedTuple):
    lines: list[Typeset]
    x: float
    right: bool
    text: str


class _Row(NamedTuple):
    cells: list[_Cell]
    height: float
    told: FrontRow | None


class FrontPages:
    """Puts tables on pages of a PDF.

    Attributes
    ----------
    pages : list of page objects
    starts : list of int
        By table, the page on which it begins.
    links : list of FrontLink
    marked : for each page, the elements of its marks in their order
    linked : elements of the annotations, which have their `StructParent` set from 0 on in this order
    """

    def __init__(self, pdf: pikepdf.Pdf, fonts: DrawnFonts, part: pikepdf.Object) -> None:
        self._pdf, self._fonts, self._part = pdf, fonts, part
        self.pages: list[pikepdf.Object] = []
        self.starts: list[int] = []
        self.links: list[FrontLink] = []
        self.marked: list[list[pikepdf.Object]] = []
        self.linked: list[pikepdf.Object] = []
        self._operators: list[list[str]] = []
        self._y = 0.0

    def put(self, table: FrontTable) -> None:
        """A table, beginning on a page of its own."""
        self._turn()
        self.starts.append(len(self.pages) - 1)
        heading = self._element("H1", self._part, **_actual(table.heading))
        for line in broken(table.heading, WIDE - 2 * MARGIN, HEADING, BOLD):
            self._y -= HEADING_LEADING
            self._show(heading, typeset(line, BOLD), MARGIN, self._y, HEADING)
        for note in table.notes:
            self._y -= 4
            paragraph = self._element("P", self._part, **_actual(note))
            for line in broken(note, WIDE - 2 * MARGIN, SIZE):
                self._room(LEADING)
                self._y -= LEADING
                self._show(paragraph, typeset(line), MARGIN, self._y, SIZE)
        self._y -= 12
        self._table(table)

    def close(self) -> None:
        """Write the pages' contents; the fonts are embedded elsewhere."""
        for page, operators in zip(self.pages, self._operators, strict=True):
            page.Contents = self._pdf.make_stream("\n".join(operators).encode("ascii"))
            page.Resources.Font = self._fonts.resources()

    # Tables

    def _table(self, table: FrontTable) -> None:
        columns = _columns(table)
        head = _row(table.heads, columns, table, None)
        element = self._element("Table", self._part)
        self._room(head.height + 2 * LEADING)
        self._head(head, element)
        for told in table.rows:
            row = _row(told.cells, columns, table, told)
            if self._y - row.height < MARGIN and row.height < HIGH - TOP - MARGIN - head.height:
                self._turn()
                self._head(head, None)
            self._body(row, element, head, table)

    def _head(self, head: _Row, table: pikepdf.Object | None) -> None:
        """The header cells; with no table to belong to, as an artifact."""
        row = self._element("TR", table) if table is not None else None
        top = self._y
        for cell in head.cells:
            element = (
                self._element("TH", row, A=Dictionary(O=Name.Table, Scope=Name.Column)) if row is not None else None
            )
            for at, line in enumerate(cell.lines):
                self._show(element, line, _left(cell, line), top - LEADING * (at + 1), SIZE)
        self._y -= head.height
        rule = f"{INK} RG 0.8 w {MARGIN} {self._y + 2:.2f} m {WIDE - MARGIN:.2f} {self._y + 2:.2f} l S"
        self._operators[-1].append(f"/Artifact <</Type /Layout>> BDC q {rule} Q EMC")

    def _body(self, row: _Row, table: pikepdf.Object, head: _Row, told: FrontTable) -> None:
        element = self._element("TR", table)
        cells = [
            self._element("TH", element, A=Dictionary(O=Name.Table, Scope=Name.Row), **_actual(cell.text))
            if at == told.main
            else self._element("TD", element, **_actual(cell.text))
            for at, cell in enumerate(row.cells)
        ]
        assert row.told is not None
        depth = max(len(c.lines) for c in row.cells)
        inside: dict[tuple[int, int], pikepdf.Object] = {}  # by column and page, the element of its link
        for at in range(depth):
            if self._y - LEADING < MARGIN:  # a row that is higher than a page
                self._turn()
                self._head(head, None)
            self._y -= LEADING
            for column, cell in enumerate(row.cells):
                if at >= len(cell.lines):
                    continue
                line = cell.lines[at]
                x = _left(cell, line)
                within = cells[column]
                if row.told.sheet >= 0 and column in (told.main, told.numbers):
                    key = column, len(self.pages)
                    box = [x - 1, self._y - 3.5, x + line.width(SIZE) + 1, self._y + 9.5]
                    if key not in inside:
                        inside[key] = self._link(within, box, row.told)
                    else:
                        self._grow(inside[key], box)
                    within = inside[key]
                self._show(within, line, x, self._y, SIZE)
        self._y -= GAP

    # Marks

    def _link(self, parent: pikepdf.Object, box: list[float], told: FrontRow) -> pikepdf.Object:
        note = self._pdf.make_indirect(
            Dictionary(
                Type=Name.Annot, Subtype=Name.Link, Rect=Array([round(v, 2) for v in box]), Border=Array([0, 0, 0]), F=4,
                Contents=String(f"To {' '.join(c for c in told.cells if c)}"), StructParent=len(self.linked),
            )
        )  # fmt: skip
        page = self.pages[-1]
        if "/Annots" not in page:
            page.Annots = Array()
        page.Annots.append(note)
        element = self._element("Link", parent, Pg=page)
        element.K.append(Dictionary(Type=Name.OBJR, Pg=page, Obj=note))
        self.linked.append(element)
        self.links.append(FrontLink(note, told.sheet))
        return element

    def _grow(self, link: pikepdf.Object, box: list[float]) -> None:
        note = next(k.Obj for k in link.K if isinstance(k, Dictionary) and "/Obj" in k)
        left, bottom, right, top = (float(v) for v in note.Rect)
        grown = min(left, box[0]), min(bottom, box[1]), max(right, box[2]), max(top, box[3])
        note.Rect = Array([round(v, 2) for v in grown])

    def _show(self, element: pikepdf.Object | None, line: Typeset, x: float, y: float, size: float) -> None:
        shown = f"{INK} rg {self._fonts.draw(line, x, y, size)}"
        if element is None:
            self._operators[-1].append(f"/Artifact <</Type /Pagination>> BDC\n{shown}\nEMC")
            return
        mcid = len(self.marked[-1])
        self._operators[-1].append(f"{element.S} <</MCID {mcid}>> BDC\n{shown}\nEMC")
        self.marked[-1].append(element)
        page = self.pages[-1]
        if "/Pg" not in element:
            element.Pg = page
        same = element.Pg.objgen == page.objgen
        element.K.append(mcid if same else Dictionary(Type=Name.MCR, Pg=page, MCID=mcid))

    def _element(self, tag: str, parent: pikepdf.Object, **entries: Any) -> pikepdf.Object:
        element = self._pdf.make_indirect(Dictionary(S=Name(f"/{tag}"), P=parent, K=Array(), **entries))
        parent.K.append(element)
        return element

    def _room(self, height: float) -> None:
        if self._y - height < MARGIN:
            self._turn()

    def _turn(self) -> None:
        """A new page."""
        self.pages.append(new_page(self._pdf))
        self.marked.append([])
        self._operators.append([])
        self._y = HIGH - TOP


def _actual(text: str) -> dict[str, String]:
    """What an element says where its glyphs do not (ISO 32000-1, 14.9.4)."""
    return {"ActualText": String(text)} if reads_otherwise(text) else {}


def new_page(pdf: pikepdf.Pdf) -> pikepdf.Object:
    """An empty A4 page that is in no place yet."""
    page = Dictionary(
        Type=Name.Page, MediaBox=Array([0, 0, WIDE, HIGH]), Tabs=Name.S, Resources=Dictionary(Font=Dictionary())
    )
    return pdf.make_indirect(page)


class _Column(NamedTuple):
    x: float
    width: float


def _columns(table: FrontTable) -> list[_Column]:
    """The others as wide as their widest entry, within a limit; the main one takes what is left."""
    widths = []
    for at in range(len(table.heads)):
        texts = {row.cells[at] for row in table.rows} | {table.heads[at]}
        longest = sorted(texts, key=len)[-20:] if at != table.main else []
        widths.append(min(NARROW, max((typeset(t, BOLD).width(SIZE) for t in longest), default=0.0)))
    widths[table.main] = WIDE - 2 * MARGIN - sum(widths) - BETWEEN * (len(widths) - 1)
    starts = [MARGIN + sum(widths[:i]) + BETWEEN * i for i in range(len(widths))]
    return [_Column(x, w) for x, w in zip(starts, widths, strict=True)]


def _row(texts: Sequence[str], columns: Sequence[_Column], table: FrontTable, told: FrontRow | None) -> _Row:
    weight = BOLD if told is None or told.bold else PLAIN
    cells = []
    for at, (text, column) in enumerate(zip(texts, columns, strict=True)):
        indent = INDENT * told.depth if told is not None and at == table.main else 0.0
        lines = [typeset(line, weight) for line in broken(text, column.width - indent, SIZE, weight)] if text else []
        right = at == table.numbers
        cells.append(_Cell(lines, column.x + column.width if right else column.x + indent, right, text))
    height = LEADING * max(1, *(len(c.lines) for c in cells)) + GAP
    return _Row(cells, height, told)


def _left(cell: _Cell, line: Typeset) -> float:
    return cell.x - line.width(SIZE) if cell.right else cell.x


def count_front(tables: Sequence[FrontTable]) -> int:
    """How many pages tables take."""
    with pikepdf.new() as pdf:
        front = FrontPages(pdf, DrawnFonts(pdf), pdf.make_indirect(Dictionary(K=Array())))
        for table in tables:
            front.put(table)
        return len(front.pages)
