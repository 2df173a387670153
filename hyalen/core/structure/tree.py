"""The one structure tree: what a document says, with the standard structure types of ISO 32000-1, 14.8.4.

Every format, the read-through and the spoken form are walks over it. The top level is made
block by block from pages that are taken one after the other, so that a document of a thousand
pages is never in memory whole.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from itertools import groupby
from typing import Literal, NamedTuple

from hyalen.core.model.content import Cell, Line, PageContent, Region, RegionKind, Role
from hyalen.core.model.document import LabelRange, OwnPage, Particulars
from hyalen.core.structure.contents import without_leader
from hyalen.core.structure.flow import FlowBlock, Run, flow, joined_runs, joined_text
from hyalen.core.structure.lists import parse_item


class Tag(StrEnum):
    """Standard structure types (ISO 32000-1, 14.8.4), and what is left out of the tree."""

    DOCUMENT = "Document"
    H1 = "H1"
    H2 = "H2"
    H3 = "H3"
    H4 = "H4"
    H5 = "H5"
    H6 = "H6"
    P = "P"
    L = "L"
    LI = "LI"
    LBL = "Lbl"
    LBODY = "LBody"
    TABLE = "Table"
    TR = "TR"
    TH = "TH"
    TD = "TD"
    TOC = "TOC"
    TOCI = "TOCI"
    FIGURE = "Figure"
    FORMULA = "Formula"
    CAPTION = "Caption"
    NOTE = "Note"
    ARTIFACT = "Artifact"

    @property
    def is_picture(self) -> bool:
        """Whether it is shown as it is and has a description."""
        return self in (Tag.FIGURE, Tag.FORMULA)

    @property
    def heading_level(self) -> int | None:
        """1 to 6 for a heading, else None."""
        return int(self.value[1]) if len(self.value) == 2 and self.value[0] == "H" else None


_TAGS = {Role.PARAGRAPH: Tag.P, Role.CAPTION: Tag.CAPTION, Role.NOTE: Tag.NOTE, Role.SIDE_NOTE: Tag.NOTE} | {
    Role(f"heading_{i}"): Tag(f"H{i}") for i in range(1, 7)
}

_GROUPED = (Role.LIST_ITEM, Role.CONTENTS_ENTRY)


class Piece(NamedTuple):
    """Where a node's own content stands: a page (from 0), a region of it and the lines; a figure has none."""

    page: int
    region: Region
    lines: tuple[Line, ...]


class Numbering(StrEnum):
    """How a list's items are labelled (ISO 32000-1, table 347, ListNumbering)."""

    DECIMAL = "Decimal"
    DISC = "Disc"
    AS_PRINTED = "None"


@dataclass(frozen=True, slots=True)
class Node:
    """An element of the structure tree.

    Attributes
    ----------
    language : str
        ISO 639-3 code.
    text : str
        Its own text as one run, line ends and their hyphens undone.
    alternative : str or None
        A figure's or formula's description.
    cell : Cell or None
        Of TH and TD: row, column and spans.
    number : int or None
        Of LI: the number that is printed.
    again : tuple of Node
        Of a table that goes on over pages: its header cells where they are printed again, as artifacts.
    """

    tag: Tag
    language: str
    children: tuple[Node, ...] = ()
    pieces: tuple[Piece, ...] = ()
    text: str = ""
    alternative: str | None = None
    cell: Cell | None = None
    scope: Literal["Column", "Row"] | None = None
    number: int | None = None
    numbering: Numbering | None = None
    again: tuple[Node, ...] = ()

    @property
    def runs(self) -> list[Run]:
        """The node's own text by how it is set."""
        found = joined_runs([line for piece in self.pieces for line in piece.lines], self.language)
        if "".join(run.text for run in found) != self.text:  # a label that is no word of its own
            return [Run(self.text)]
        return found

    @property
    def columns(self) -> int:
        """Of a table."""
        return max(
            (n.cell.column + n.cell.column_span for row in self.children for n in row.children if n.cell), default=0
        )

    @property
    def first(self) -> Piece:
        """Where the node begins.

        Raises
        ------
        LookupError
            If neither it nor any node below it has a place.
        """
        if self.pieces:
            return self.pieces[0]
        for child in self.children:
            try:
                return child.first
            except LookupError:
                continue
        raise LookupError(f"{self.tag} has no place on any page")


def _no_picture(name: str) -> bytes:
    raise KeyError(name)


@dataclass(frozen=True)
class StructureTree:
    """A document's title, language and the children of its Document element, made as they are asked for.

    `labels` are what its pages are called, `particulars` what else is told of it;
    `own_pages` are the pages, from 0, that say their own text and may be kept as they came; `pictures`
    gives the images that stand in pictures' stead.
    """

    title: str
    language: str
    pages: Sequence[PageContent] = field(repr=False)
    join_tables: bool = False
    own_pages: Mapping[int, OwnPage] = field(default_factory=dict, repr=False)
    pictures: Callable[[str], bytes] = field(default=_no_picture, repr=False)
    labels: Sequence[LabelRange] = ()
    particulars: Particulars = field(default_factory=Particulars)

    def nodes(self, first_page: int = 0, keep_running_heads: bool = False) -> Iterator[Node]:
        """The top level in reading order, from a page (counted from 0) on.

        With `keep_running_heads`, running heads and page numbers come as artifacts where they stand.
        """
        blocks = flow(self.pages, self.language, keep_running_heads, first_page, self.join_tables)
        for role, group in groupby(blocks, key=lambda block: block.role if block.role in _GROUPED else None):
            if role is Role.LIST_ITEM:
                yield from _lists(list(group))
            elif role is Role.CONTENTS_ENTRY:
                yield _contents(list(group))
            else:
                yield from (_node(block) for block in group)


def _contents(blocks: Sequence[FlowBlock]) -> Node:
    """A table of contents (ISO 32000-1, table 333): each entry's title and page number, without its leader."""
    entries = []
    for block in blocks:
        pieces = tuple(Piece(page, r, without_leader(r.lines)) for page, r in block.sources)
        text = joined_text([line for piece in pieces for line in piece.lines], block.language)
        title = Node(Tag.P, block.language, pieces=pieces, text=text)
        entries.append(Node(Tag.TOCI, block.language, (title,)))
    return Node(Tag.TOC, blocks[0].language, tuple(entries))


def _lists(blocks: Sequence[FlowBlock]) -> Iterator[Node]:
    """Items that follow each other; a list ends where the numbers do not go on or the kind of label changes."""
    items: list[Node] = []
    kind: Numbering | None = None
    for block in blocks:
        item, numbering = _item(block)
        before = items[-1].number if items else None
        broken = numbering is Numbering.DECIMAL and before is not None and item.number != before + 1
        if items and (numbering is not kind or broken):
            yield Node(Tag.L, items[0].language, tuple(items), numbering=kind)
            items = []
        items.append(item)
        kind = numbering
    if items:
        yield Node(Tag.L, items[0].language, tuple(items), numbering=kind)


def _item(block: FlowBlock) -> tuple[Node, Numbering]:
    parsed = parse_item(block.text)
    page, region = block.sources[0]
    lines = list(region.lines)
    label: tuple[Piece, ...] = ()
    if parsed.label and lines and lines[0].words and lines[0].words[0].text == parsed.label:
        label = (Piece(page, region, (lines[0].model_copy(update={"words": lines[0].words[:1]}),)),)
        rest = lines[0].words[1:]
        lines = [lines[0].model_copy(update={"words": rest}), *lines[1:]] if rest else lines[1:]
    pieces = [Piece(page, region, tuple(lines))] if lines else []
    pieces += [Piece(p, r, r.lines) for p, r in block.sources[1:]]
    children = []
    if label:
        children.append(Node(Tag.LBL, block.language, pieces=label, text=parsed.label))
    body = parsed.body if label else block.text
    children.append(Node(Tag.LBODY, block.language, pieces=tuple(pieces), text=body))
    if parsed.number is not None and label:
        kind = Numbering.DECIMAL
    elif any(c.isalnum() for c in parsed.label):
        kind = Numbering.AS_PRINTED
    else:
        kind = Numbering.DISC
    return Node(Tag.LI, block.language, tuple(children), number=parsed.number), kind


def _node(block: FlowBlock) -> Node:
    region = block.region
    if region.role.is_artifact:
        tag = Tag.ARTIFACT
    elif region.kind.is_picture:
        page, _ = block.sources[0]
        alternative = (region.alternative_text or "").strip() or None
        formula = region.kind is RegionKind.FORMULA
        if formula:  # what was read of it serves until it is described
            alternative = alternative or block.text or None
        tag = Tag.FORMULA if formula else Tag.FIGURE
        lines = region.lines if formula else ()  # a formula stays searchable
        return Node(tag, block.language, pieces=(Piece(page, region, lines),), alternative=alternative)
    elif region.table is not None:
        return _table(block)
    else:
        tag = _TAGS.get(block.role, Tag.P)
    pieces = tuple(Piece(page, r, r.lines) for page, r in block.sources if r.lines)
    return Node(tag, block.language, pieces=pieces or (Piece(block.sources[0][0], region, ()),), text=block.text)


def _table(block: FlowBlock) -> Node:
    """A table, joined of several where it goes on over pages; header rows that are printed again are artifacts."""
    rows: list[Node] = []
    again: list[Node] = []
    heads: list[list[str]] = []
    named = False  # whether rows have header cells of their own
    for page, region in block.sources:
        assert region.table is not None
        named = named or (not rows and any(c.header and c.row > 1 for c in region.table.cells))
        goes_on = bool(rows)
        offset, repeats = len(rows), True
        for row in range(region.table.rows):
            cells = sorted((c for c in region.table.cells if c.row == row), key=lambda c: c.column)
            texts = [c.text for c in cells]
            repeats = repeats and bool(offset) and row < len(heads) and texts == heads[row]
            if repeats:
                offset -= 1
                again += [_cell(c, page, region, block.language, 0, Tag.ARTIFACT) for c in cells if c.lines]
                continue
            if goes_on:  # each part's first row was taken for one of headers
                cells = [c.model_copy(update={"header": named and c.column == 0}) for c in cells]
            elif len(heads) == len(rows) and all(c.header for c in cells):
                heads.append(texts)
            rows.append(
                Node(Tag.TR, block.language, tuple(_cell(c, page, region, block.language, offset) for c in cells))
            )
    page, region = block.sources[0]
    return Node(Tag.TABLE, block.language, tuple(rows), pieces=(Piece(page, region, ()),), again=tuple(again))


def _cell(cell: Cell, page: int, region: Region, language: str, offset: int, tag: Tag | None = None) -> Node:
    return Node(
        tag or (Tag.TH if cell.header else Tag.TD),
        language,
        pieces=(Piece(page, region, cell.lines),) if cell.lines else (),
        text=joined_text(cell.lines, language),
        cell=cell.model_copy(update={"row": cell.row + offset}),
        scope=("Row" if cell.column == 0 and cell.row > 0 else "Column") if cell.header else None,
    )
