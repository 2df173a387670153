"""The one structure tree: what a document says, with the standard structure types of ISO 32000-1, 14.8.4.

Every format, the read-through and the spoken form are walks over it. The top level is made
block by block from pages that are taken one after the other, so that a document of a thousand
pages is never in memory whole.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property, partial
from itertools import groupby
from typing import Literal, NamedTuple

from hyalen.core.model.content import Cell, Line, PageContent, Region, RegionKind, Role, Table, Word
from hyalen.core.model.document import Attachment, BookmarkEntry, LabelRange, OwnPage, Part, Particulars
from hyalen.core.model.found import Style
from hyalen.core.structure.contents import without_leader
from hyalen.core.structure.flow import FlowBlock, Run, flow, joined_runs, joined_text
from hyalen.core.structure.headers import headers_of
from hyalen.core.structure.lists import Entry, ListItem, Numbering, nested, parse_item
from hyalen.core.structure.references import Place, Target, address_in, led_to, linked, note_references, targets_of


class Tag(StrEnum):
    """Standard structure types (ISO 32000-1, 14.8.4), and what is left out of the tree."""

    DOCUMENT = "Document"
    PART = "Part"
    H1 = "H1"
    H2 = "H2"
    H3 = "H3"
    H4 = "H4"
    H5 = "H5"
    H6 = "H6"
    P = "P"
    BLOCK_QUOTE = "BlockQuote"
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
    REFERENCE = "Reference"
    SPAN = "Span"
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

LEAST_ADDRESS = 6  # letters
_GROUPED = (Role.LIST_ITEM, Role.CONTENTS_ENTRY, Role.QUOTATION)


class Piece(NamedTuple):
    """Where a node's own content stands: a page (from 0), a region of it and the lines; a figure has none."""

    page: int
    region: Region
    lines: tuple[Line, ...]


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
        A picture's description, or the summary of a table.
    cell : Cell or None
        Of TH and TD: row, column and spans.
    number : int or None
        Of LI: the number that is printed.
    around : pair of str
        Of L: what stands before and after the number or letter of its items.
    caption : Node or None
        Of a picture or table: its caption, which stands before it where `caption_first`.
    captions : str or None
        Of a caption that stands alone for now: id of what it explains.
    headers : tuple of Node
        Of a cell: the header cells that it goes with, those of columns first.
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
    around: tuple[str, str] = ("", "")
    caption: Node | None = None
    caption_first: bool = False
    captions: str | None = None
    headers: tuple[Node, ...] = ()
    again: tuple[Node, ...] = ()

    @property
    def backwards(self) -> bool:
        """Of a table: whether its first column stands at the right."""
        return any(piece.region.table is not None and piece.region.table.backwards for piece in self.pieces)

    @property
    def runs(self) -> list[Run]:
        """The node's own text by how it is set."""
        lines = [line for piece in self.pieces for line in piece.lines]
        if "\n" in self.text:
            each = [joined_runs([line], self.language) for line in lines]
            found = [run for i, runs in enumerate(each) for run in ([Run("\n")] if i else []) + runs]
        else:
            found = joined_runs(lines, self.language)
        if "".join(run.text for run in found) != self.text:  # a label that is no word of its own
            return [Run(self.text)]
        return found

    @property
    def plain_runs(self) -> list[Run]:
        """The same without what every heading or header cell looks like anyway."""
        if self.tag.heading_level is None and self.tag is not Tag.TH:
            return self.runs
        return [run._replace(style=run.style - {Style.BOLD, Style.UNDERLINED}) for run in self.runs]

    @property
    def parts(self) -> tuple[Node, ...]:
        """Of an item or entry: its label and its text."""
        return tuple(part for part in self.children if part.tag in (Tag.LBL, Tag.LBODY, Tag.P))

    def items(self, depth: int = 0) -> Iterator[tuple[int, Node, Node]]:
        """Of a list or contents: the items, those of the lists within it too, each with its depth and its list."""
        for item in self.children:
            yield depth, self, item
            for inner in (*item.children, *(each for part in item.parts for each in part.children)):
                if inner.tag in (Tag.L, Tag.TOC):
                    yield from inner.items(depth + 1)

    @property
    def with_caption(self) -> tuple[Node, ...]:
        """Itself and, before or after it, its caption."""
        if self.caption is None:
            return (self,)
        return (self.caption, self) if self.caption_first else (self, self.caption)

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

    `labels` are what its pages are called, `particulars` what else is told of it, `abbreviations` what stands for what,
    `bookmarks` what a person made of them, their pages by number;
    `own_pages` are the pages, from 0, that say their own text and may be kept as they came; `pictures`
    gives the images that stand in pictures' stead, `attachments` the files that go along, `parts` the documents that it was
    joined from, between which nothing goes on, `withheld` words that stand nowhere beside what a page shows.
    """

    title: str
    language: str
    pages: Sequence[PageContent] = field(repr=False)
    join_tables: bool = False
    own_pages: Mapping[int, OwnPage] = field(default_factory=dict, repr=False)
    pictures: Callable[[str], bytes] = field(default=_no_picture, repr=False)
    labels: Sequence[LabelRange] = ()
    particulars: Particulars = field(default_factory=Particulars)
    abbreviations: Mapping[str, str] = field(default_factory=dict)
    bookmarks: Sequence[BookmarkEntry] | None = None
    attachments: Sequence[Attachment] = ()
    parts: Sequence[Part] = ()
    withheld: frozenset[str] = frozenset()

    @property
    def documents(self) -> Sequence[Part]:
        """The documents that it consists of: itself, where it was not joined from several."""
        whole = Part(0, len(self.pages), self.title, self.language, self.abbreviations, self.bookmarks)
        return self.parts or (whole,)

    def part_at(self, page: int) -> int:
        """The number, from 0, of the joined document to which a page belongs."""
        return next((i for i, part in enumerate(self.parts) if part.first <= page < part.end), 0)

    def language_at(self, page: int) -> str:
        """The language of the document to which a page, from 0, belongs."""
        return next((part.language for part in self.parts if part.first <= page < part.end), self.language)

    def nodes(self, first_page: int = 0, keep_running_heads: bool = False) -> Iterator[Node]:
        """The top level in reading order, from a page (counted from 0) on.

        With `keep_running_heads`, running heads and page numbers come as artifacts where they stand.
        """
        for part in self.documents:
            first = max(part.first, first_page)
            told = partial(self._told, part.abbreviations)
            blocks = flow(self.pages, part.language, keep_running_heads, first, self.join_tables, told, part.end)
            yield from _with_captions(self._grouped(blocks, part))

    def _grouped(self, blocks: Iterator[FlowBlock], part: Part) -> Iterator[Node]:
        for role, group in groupby(blocks, key=lambda block: block.role if block.role in _GROUPED else None):
            if role is Role.LIST_ITEM:
                yield from _lists(list(group))
            elif role is Role.CONTENTS_ENTRY:
                yield self._contents(list(group), part)
            elif role is Role.QUOTATION:
                told = tuple(_node(block) for block in group)
                yield Node(Tag.BLOCK_QUOTE, told[0].language, told)
            else:
                yield from (_node(block) for block in group)

    @staticmethod
    def _told(abbreviations: Mapping[str, str], index: int, page: PageContent) -> PageContent:
        """A page with what its marks lead to and its abbreviations stand for."""
        notes = note_references(page)

        def told(word: Word) -> Word:
            update = {}
            if word.id in notes and not word.link:
                update["link"] = Place(index, notes[word.id]).address
            elif not word.link and len(word.text) > LEAST_ADDRESS and (address := address_in(word.text)):
                update["link"] = address
            if full := _expansion(abbreviations, word.text):
                update["expansion"] = full
            return word.model_copy(update=update) if update else word

        def line_told(line: Line) -> Line:
            words = tuple(map(told, line.words))
            same = all(a is b for a, b in zip(words, line.words, strict=True))
            return line if same else line.model_copy(update={"words": words})

        return page.with_lines(line_told)

    @cached_property
    def _targets(self) -> list[Target]:
        """What entries of the contents may lead to; only a document with such is gone through twice."""
        return targets_of(self.pages)

    def _contents(self, blocks: Sequence[FlowBlock], part: Part) -> Node:
        """A table of contents (ISO 32000-1, table 333): titles and page numbers without their leaders, within each other."""
        entries: list[tuple[int, Node]] = []
        targets = [t for t in self._targets if part.first <= t.place.page < part.end]
        for block in blocks:
            pieces = tuple(Piece(page, r, without_leader(r.lines)) for page, r in block.sources)
            lines = [line for piece in pieces for line in piece.lines]
            target = led_to(lines, targets)
            if target is not None:
                pieces = tuple(piece._replace(lines=linked(piece.lines, target.address)) for piece in pieces)
            title = Node(Tag.P, block.language, pieces=pieces, text=joined_text(lines, block.language))
            entries.append((block.region.depth, Node(Tag.TOCI, block.language, (title,))))
        return _contents_of(entries, blocks[0].language)


def _expansion(abbreviations: Mapping[str, str], text: str) -> str:
    """What a word stands for, with and without the marks around it."""
    return abbreviations.get(text) or abbreviations.get(text.strip("()[]{}“”\"'„,;:!?"), "")


def _contents_of(entries: Sequence[tuple[int, Node]], language: str) -> Node:
    """Entries as a TOC, deeper ones as a TOC of their own within the entry above them."""
    depth = min((d for d, _ in entries), default=0)
    found: list[Node] = []
    deeper: list[tuple[int, Node]] = []

    def close() -> None:
        if deeper and found:
            found[-1] = replace(found[-1], children=(*found[-1].children, _contents_of(deeper, language)))
        elif deeper:
            found.extend(node for _, node in deeper)
        deeper.clear()

    for own, entry in entries:
        if own > depth:
            deeper.append((own, entry))
            continue
        close()
        found.append(entry)
    close()
    return Node(Tag.TOC, language, tuple(found))


def _with_captions(nodes: Iterator[Node]) -> Iterator[Node]:
    """The nodes with each caption in the picture or table that it explains (ISO 32000-1, table 338)."""
    held: Node | None = None  # a caption whose picture comes
    last: Node | None = None  # a picture or table whose caption may come
    for node in nodes:
        if node.tag is Tag.CAPTION and node.captions:
            if last is not None and last.caption is None and _is_at(last, node):
                yield replace(last, caption=node)
                last = None
                continue
            yield from (each for each in (last, held) if each is not None)
            held, last = node, None
            continue
        if last is not None:
            yield last
            last = None
        if held is not None:
            if _is_at(node, held):
                node = replace(node, caption=held, caption_first=True)
            else:
                yield held
            held = None
        if node.tag.is_picture or node.tag is Tag.TABLE:
            last = node
        else:
            yield node
    yield from (each for each in (last, held) if each is not None)


def _is_at(node: Node, caption: Node) -> bool:
    if not (node.tag.is_picture or node.tag is Tag.TABLE):
        return False
    return any(p.page == caption.first.page and p.region.id == caption.captions for p in node.pieces)


def _lists(blocks: Sequence[FlowBlock]) -> Iterator[Node]:
    """Items that follow each other as lists, and lists within these."""
    items = [parse_item(block.text) for block in blocks]
    depths = [block.region.depth for block in blocks]
    for entries in nested(items, depths):
        yield _list(entries, blocks, items)


def _list(entries: Sequence[Entry], blocks: Sequence[FlowBlock], items: Sequence[ListItem]) -> Node:
    children = tuple(_item(blocks[entry.at], items[entry.at], entry, blocks, items) for entry in entries)
    numbering = entries[0].counted.numbering
    around = items[entries[0].at].around
    return Node(Tag.L, children[0].language, children, numbering=numbering, around=around)


def _item(
    block: FlowBlock, item: ListItem, entry: Entry, blocks: Sequence[FlowBlock], items: Sequence[ListItem]
) -> Node:
    page, region = block.sources[0]
    lines = list(region.lines)
    label: tuple[Piece, ...] = ()
    if item.label and lines and lines[0].words and lines[0].words[0].text == item.label:
        label = (Piece(page, region, (lines[0].model_copy(update={"words": lines[0].words[:1]}),)),)
        rest = lines[0].words[1:]
        lines = [lines[0].model_copy(update={"words": rest}), *lines[1:]] if rest else lines[1:]
    pieces = [Piece(page, region, tuple(lines))] if lines else []
    pieces += [Piece(p, r, r.lines) for p, r in block.sources[1:]]
    children = []
    if label:
        children.append(Node(Tag.LBL, block.language, pieces=label, text=item.label))
    body = item.body if label else block.text
    within = tuple(_list(each, blocks, items) for each in entry.lists)
    children.append(Node(Tag.LBODY, block.language, within, tuple(pieces), body))
    return Node(Tag.LI, block.language, tuple(children), number=entry.counted.number)


def _node(block: FlowBlock) -> Node:
    region = block.region
    if region.role.is_artifact:
        tag = Tag.ARTIFACT
    elif region.kind.is_picture:
        page, _ = block.sources[0]
        alternative = region.description
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
    pieces = pieces or (Piece(block.sources[0][0], region, ()),)
    return Node(tag, block.language, pieces=pieces, text=block.text, captions=block.captions)


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
        by_row: defaultdict[int, list[Cell]] = defaultdict(list)
        for each in region.table.cells:
            by_row[each.row].append(_as_read(each, region.table))
        for row in range(region.table.rows):
            cells = sorted(by_row[row], key=lambda c: c.column)
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
            whole = len(cells) > 1 and all(c.header for c in cells)  # a row of column headers
            made = (_cell(c, page, region, block.language, offset, heads_columns=whole) for c in cells)
            rows.append(Node(Tag.TR, block.language, tuple(made)))
    places = tuple(Piece(page, region, ()) for page, region in block.sources)
    summary = (block.region.alternative_text or "").strip() or None
    return Node(Tag.TABLE, block.language, headers_of(rows), places, alternative=summary, again=tuple(again))


def _as_read(cell: Cell, table: Table) -> Cell:
    """The cell with its column counted from the side at which rows begin."""
    return (
        cell.model_copy(update={"column": table.columns - cell.column - cell.column_span}) if table.backwards else cell
    )


def _cell(
    cell: Cell,
    page: int,
    region: Region,
    language: str,
    offset: int,
    tag: Tag | None = None,
    heads_columns: bool = False,
) -> Node:
    of_row = cell.column == 0 and cell.row > 0 and not heads_columns
    return Node(
        tag or (Tag.TH if cell.header else Tag.TD),
        language,
        pieces=(Piece(page, region, cell.lines),) if cell.lines else (),
        text=joined_text(cell.lines, language),
        cell=cell.model_copy(update={"row": cell.row + offset}),
        scope=("Row" if of_row else "Column") if cell.header else None,
    )
