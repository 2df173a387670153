"""What a page of a PDF/UA file says of its own structure: headings, lists, tables, pictures with their descriptions.

Only a file that claims to be made for readers (ISO 14289-1, 5) is taken at its word; its tags were made or looked at by
who wrote it, and stand above what the layout looks like.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pikepdf
import pypdfium2
import pypdfium2.raw as pdfium

from hyalen.core.formats.codecs import heard
from hyalen.core.formats.pdf_own_text import (
    Glyph,
    Place,
    glyphs_of,
    laid,
    laid_box,
    line_of,
    linked,
    placed_links,
    placing,
    runs_of,
)
from hyalen.core.formats.source import blamed
from hyalen.core.layout.numerals import page_number
from hyalen.core.model.content import Role
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine
from hyalen.core.model.geometry import Box, union
from hyalen.core.model.tagged import TaggedBlock, TaggedCell
from hyalen.core.model.treatment import Cleaned

COVERED = 0.98  # of the letters, that tags have to hold
DEEPEST = 60  # elements within elements
GROUPS = frozenset(
    {"Document", "DocumentFragment", "Part", "Art", "Sect", "Div", "NonStruct", "Aside", "TOC", "Private", "Index", ""}
)
ROLES = {
    "P": Role.PARAGRAPH, "H": Role.HEADING_1, "Title": Role.HEADING_1, "Caption": Role.CAPTION, "Note": Role.NOTE,
    "FENote": Role.NOTE, "TOCI": Role.CONTENTS_ENTRY, "BlockQuote": Role.QUOTATION, "LI": Role.LIST_ITEM,
    "Figure": Role.FIGURE, "Formula": Role.FORMULA, "Table": Role.TABLE, "Form": Role.PARAGRAPH, "Code": Role.PARAGRAPH,
    **{f"H{level}": Role(f"heading_{level}") for level in range(1, 7)},
}  # fmt: skip
APART = frozenset({"L", "LI", "Table", "Figure", "Note", "FENote", "Caption"})  # within others, and yet by themselves


@dataclass(frozen=True, slots=True)
class _Element:
    """An element of the structure tree; its kids are elements and marked contents, as (page, number), in their order."""

    kind: str
    language: str
    alternative: str
    rows: int
    columns: int
    kids: tuple[_Element | tuple[int, int], ...]
    page: int | None = None
    place: tuple[float, ...] = ()  # BBox in points (ISO 32000-1, table 344): some programs tell no more of a picture

    @property
    def children(self) -> Iterator[_Element]:
        return (kid for kid in self.kids if isinstance(kid, _Element))

    @property
    def is_block(self) -> bool:
        return self.kind in ROLES or self.kind == "L"


def tagged_blocks(path: Path, index: int, size: tuple[int, int]) -> list[TaggedBlock] | None:
    """The blocks of a page in the order in which they are read, artifacts last; None where its tags do not tell.

    Parameters
    ----------
    path : Path
        Of a PDF file.
    index : int
        Of the page, from 0.
    size : (int, int)
        Width and height in pixels of the page rendered.

    Raises
    ------
    SourceError
        If the page cannot be read.
    """
    with blamed("the page"), heard():
        stat = path.stat()
        roots = _structure(path, stat.st_mtime_ns, stat.st_size)
        if not roots:
            return None
        document = pypdfium2.PdfDocument(path)
        try:
            page = document[index]
            return _Reader(document, page, placing(page, size, False), index).blocks(roots)
        finally:
            document.close()


def laid_tags(blocks: Sequence[TaggedBlock], cleaned: Cleaned) -> list[TaggedBlock]:
    """Blocks of an original as they lie on the cleaned page; what was cut off is gone."""
    whole = Box(0, 0, cleaned.width, cleaned.height)

    def lines(of: tuple[FoundLine, ...]) -> tuple[FoundLine, ...]:
        found = laid([FoundBlock(BlockKind.TEXT, line.box, (line,)) for line in of], cleaned)
        return tuple(line for block in found for line in block.lines)

    found = []
    for block in blocks:
        moved = block._replace(
            box=laid_box(block.box, cleaned).intersection(whole),
            lines=lines(block.lines),
            cells=tuple(cell._replace(lines=lines(cell.lines)) for cell in block.cells),
        )
        if moved.lines or (moved.role in (Role.FIGURE, Role.FORMULA, Role.TABLE) and moved.box.overlap(whole)):
            found.append(moved)
    return found


@lru_cache(maxsize=2)
def _structure(path: Path, changed: int, size: int) -> tuple[_Element, ...]:
    """The tree of a file that says that it is PDF/UA and has no fields, whose values tags do not show; else nothing."""
    with pikepdf.open(path) as pdf:
        if "/AcroForm" in pdf.Root and len(pdf.Root.AcroForm.get("/Fields", ())):
            return ()
        if "pdfuaid:part" not in pdf.open_metadata() or "/StructTreeRoot" not in pdf.Root:
            return ()
        root = pdf.Root.StructTreeRoot
        pages = {page.obj.objgen: number for number, page in enumerate(pdf.pages)}
        names = {str(k): str(v) for k, v in root.RoleMap.items()} if "/RoleMap" in root else {}
        reading = _Reading(pages, names, set())
        return tuple(each for each in _kids(root, None, reading, 0) if isinstance(each, _Element))


class _Reading(NamedTuple):
    """What is known while a tree is read: numbers of pages, standard names of types, elements that were met."""

    pages: Mapping[tuple[int, int], int]
    names: Mapping[str, str]
    met: set[tuple[int, int]]


def _kids(
    owner: pikepdf.Object, page: int | None, reading: _Reading, level: int
) -> Iterator[_Element | tuple[int, int]]:
    """What an element holds (ISO 32000-1, 14.7.2): elements, and marked contents with their pages."""
    told = owner.get("/K")
    if told is None or level > DEEPEST:
        return
    for kid in told if isinstance(told, pikepdf.Array) else [told]:
        if not isinstance(kid, pikepdf.Dictionary):
            if page is not None:
                yield page, int(kid)
            continue
        own = reading.pages.get(kid.Pg.objgen, page) if "/Pg" in kid else page
        if "/S" in kid:
            if kid.is_indirect and kid.objgen in reading.met:  # a tree that bites its own tail
                continue
            reading.met.add(kid.objgen)
            yield _element(kid, own, reading, level + 1)
        elif "/MCID" in kid and own is not None:
            yield own, int(kid.MCID)


def _element(told: pikepdf.Object, page: int | None, reading: _Reading, level: int) -> _Element:
    kind = str(told.S)
    for _ in range(len(reading.names)):
        if kind not in reading.names:
            break
        kind = reading.names[kind]
    attributes = told.get("/A")
    listed = [attributes] if isinstance(attributes, pikepdf.Dictionary) else list(attributes or ())
    listed = [each for each in listed if isinstance(each, pikepdf.Dictionary)]
    spans = [max((int(a.get(name, 1)) for a in listed), default=1) for name in ("/RowSpan", "/ColSpan")]
    place = next((tuple(map(float, a.BBox)) for a in listed if "/BBox" in a), ())
    kids = tuple(_kids(told, page, reading, level))
    language, alternative = (str(told.get(name, "")) for name in ("/Lang", "/Alt"))
    return _Element(
        kind.removeprefix("/"), language, alternative, max(1, spans[0]), max(1, spans[1]), kids, page, place
    )


class _Reader:
    def __init__(self, document: pypdfium2.PdfDocument, page: pypdfium2.PdfPage, place: Place, index: int) -> None:
        self._page, self._place = index, place
        self._links = list(placed_links(document, page, place))
        self._glyphs: dict[int, list[Glyph | None]] = {}
        content = -1
        for glyph in glyphs_of(page, place, False):
            content = content if glyph is None else glyph.content
            self._glyphs.setdefault(content, []).append(glyph)
        self._boxes: dict[int, list[Box]] = {}
        for each in page.get_objects(max_depth=3):
            told = int(pdfium.FPDFPageObj_GetMarkedContentID(each.raw))
            if told >= 0:
                self._boxes.setdefault(told, []).append(self._box(each.get_bounds()))
        self._taken: set[int] = set()

    def _box(self, edges: Sequence[float]) -> Box:
        """Left, bottom, right and top in points, as pixels of the page."""
        left, bottom, right, top = edges
        corners = self._place(np.array([[left, top], [right, bottom]]))
        (x0, y0), (x1, y1) = corners.min(axis=0), corners.max(axis=0)
        return Box(round(float(x0)), round(float(y0)), round(float(x1)), round(float(y1)))

    def blocks(self, roots: Sequence[_Element]) -> list[TaggedBlock] | None:
        """See `tagged_blocks`."""
        found = [block for root in roots for block in self._walk(root, "", 0, False)]
        letters = {told: sum(g is not None for g in glyphs) for told, glyphs in self._glyphs.items() if told >= 0}
        held = sum(count for told, count in letters.items() if told in self._taken)
        if not found or held < COVERED * sum(letters.values()):
            return None
        return found + list(self._artifacts())

    def _walk(self, element: _Element, language: str, depth: int, quoted: bool) -> Iterator[TaggedBlock]:
        """The blocks of an element and of those within it; `depth` counts lists within lists."""
        kind, language = element.kind, element.language or language
        if kind == "Table":
            yield from self._table(element, language)
        elif kind in ("Figure", "Formula"):
            yield from self._picture(element, language)
        elif kind == "L":
            for child in element.children:
                yield from self._walk(child, language, depth + (child.kind == "L"), quoted)
        elif kind in ROLES and not (kind == "BlockQuote" and any(child.is_block for child in element.children)):
            role = Role.QUOTATION if quoted and kind == "P" else ROLES[kind]
            contents, within = self._own(element)
            lines = self._lines(contents)
            if lines:
                yield TaggedBlock(role, union(line.box for line in lines), lines, language, None, depth)
            for child in within:
                inner = depth + 1 if kind == "LI" and child.kind == "L" else depth
                yield from self._walk(child, language, inner, quoted)
        else:
            loose = [kid[1] for kid in element.kids if not isinstance(kid, _Element) and kid[0] == self._page]
            if kind not in GROUPS and (lines := self._lines(loose)):  # a span or link by itself
                yield TaggedBlock(Role.PARAGRAPH, union(line.box for line in lines), lines, language)
            for child in element.children:
                yield from self._walk(child, language, depth, quoted or kind == "BlockQuote")

    def _own(self, element: _Element) -> tuple[list[int], list[_Element]]:
        """A block's marked contents on this page, and the elements within it that are blocks by themselves."""
        contents: list[int] = []
        within: list[_Element] = []
        for kid in element.kids:
            if not isinstance(kid, _Element):
                contents += [kid[1]] if kid[0] == self._page else []
            elif kid.kind in APART:
                within.append(kid)
            else:
                more, others = self._own(kid)
                contents += more
                within += others
        return contents, within

    def _lines(self, contents: Sequence[int]) -> tuple[FoundLine, ...]:
        self._taken |= set(contents)
        glyphs = [glyph for told in contents for glyph in self._glyphs.get(told, ())]
        lines = [linked(line, self._links) for run in runs_of(glyphs) if (line := line_of(run)) is not None]
        return tuple(lines)

    def _picture(self, element: _Element, language: str) -> Iterator[TaggedBlock]:
        contents, within = self._own(element)
        boxes = [box for told in contents for box in self._boxes.get(told, ()) if box.width > 0 and box.height > 0]
        self._taken |= set(contents)
        if not boxes and element.page == self._page and len(element.place) == 4:
            boxes = [self._box(element.place)]
        if boxes:
            yield TaggedBlock(ROLES[element.kind], union(boxes), (), language, element.alternative or None)
        for child in within:
            yield from self._walk(child, language, 0, False)

    def _table(self, element: _Element, language: str) -> Iterator[TaggedBlock]:
        """The rows of a table that have something on this page."""
        cells: list[TaggedCell] = []
        taken: set[tuple[int, int]] = set()
        row = 0
        for each in _rows(element):
            if each.kind == "Caption":
                yield from self._walk(each, language, 0, False)
                continue
            held = [self._lines(self._all(child)) for child in each.children]
            if not any(held):
                continue
            column = 0
            for child, lines in zip(each.children, held, strict=True):
                while (row, column) in taken:
                    column += 1
                taken |= {(row + r, column + c) for r in range(child.rows) for c in range(child.columns)}
                cells.append(TaggedCell(row, column, child.rows, child.columns, child.kind == "TH", lines))
                column += child.columns
            row += 1
        if boxes := [line.box for cell in cells for line in cell.lines]:
            yield TaggedBlock(Role.TABLE, union(boxes), (), language, None, 0, tuple(cells))

    def _all(self, element: _Element) -> list[int]:
        found: list[int] = []
        for kid in element.kids:
            if isinstance(kid, _Element):
                found += self._all(kid)
            elif kid[0] == self._page:
                found.append(kid[1])
        return found

    def _artifacts(self) -> Iterator[TaggedBlock]:
        """What is outside all tags: page numbers and running heads."""
        for run in runs_of(self._glyphs.get(-1, [])):
            if (line := line_of(run)) is not None:
                number = page_number(" ".join(word.text for word in line.words)) is not None
                yield TaggedBlock(Role.PAGE_NUMBER if number else Role.RUNNING_HEAD, line.box, (line,))


def _rows(table: _Element) -> Iterator[_Element]:
    """The rows and captions of a table."""
    for child in table.children:
        if child.kind in ("TR", "Caption"):
            yield child
        else:
            yield from _rows(child)
