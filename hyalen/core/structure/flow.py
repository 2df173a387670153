"""A document as flowing text: paragraphs joined over lines, columns and pages, hyphens undone."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from enum import StrEnum
from itertools import groupby
from typing import NamedTuple

from hyalen.core.languages import frequency
from hyalen.core.layout.paragraphs import LIST_MARKER, SENTENCE_END
from hyalen.core.model.content import Cell, Line, PageContent, Region, Role, Table, Word
from hyalen.core.model.found import Style
from hyalen.core.structure.captions import beside_their_pictures, captioned

HYPHENS = "-‐¬\u00ad"
KEEPS_LINES = frozenset({Role.ADDRESS})  # their line ends mean something
SHIFTED = frozenset({Style.SUPERSCRIPT, Style.SUBSCRIPT})
MOST_COLUMN_SHIFT = 0.04  # of the page's width, by which one column may move against another
_AFTER_A_HANGING_HYPHEN = frozenset({"und", "oder", "bis", "and", "or", "to", "en", "of", "og"})
_EDGE = "\"'“”„‘’«»()[]{}.,;:!?…"


class FlowBlock(NamedTuple):
    """One block of the flow, with the regions (page index, region) that it was joined from."""

    role: Role
    text: str
    language: str
    sources: tuple[tuple[int, Region], ...]
    captions: str | None = None  # id of the picture or table on its page that it explains

    @property
    def region(self) -> Region:
        return self.sources[0][1]


class LineEnd(StrEnum):
    """What joins a line to the next."""

    SPACE = "space"
    HYPHEN = "hyphen"  # the word's own hyphen: nothing comes between
    BREAK = "break"  # put there by the line break: it goes


def line_end(line: Line, following: Line, language: str) -> LineEnd:
    """How two lines are joined.

    A hyphen was put there by the line break when the next line goes on in lower case and
    the joined word is known, or the two parts are not both words of their own.
    """
    if not line.words or not following.words:
        return LineEnd.SPACE
    first, second = line.words[-1].text, following.words[0].text
    if len(first) < 2 or first[-1] not in HYPHENS or not first[-2].isalnum() or not second[0].isalnum():
        return LineEnd.SPACE
    head, tail = first[:-1].strip(_EDGE), second.strip(_EDGE)
    if tail in _AFTER_A_HANGING_HYPHEN:
        return LineEnd.SPACE
    if not head[-1:].isalpha() or not second[0].isalpha() or second[0].isupper():
        return LineEnd.HYPHEN
    whole = frequency((head + tail).casefold(), language)
    parts = min(frequency(head.casefold(), language), frequency(tail.casefold(), language))
    if parts == 0 or (whole > 0 and whole > parts - 3):
        return LineEnd.BREAK
    return LineEnd.HYPHEN


class Run(NamedTuple):
    """Text that is set and told in one way; see `Word`."""

    text: str
    style: frozenset[Style] = frozenset()
    colour: str = ""
    link: str = ""
    language: str = ""
    expansion: str = ""

    @property
    def way(self) -> tuple[frozenset[Style], str, str, str, str]:
        return self.style, self.colour, self.link, self.language, self.expansion


def joined_runs(lines: Sequence[Line], language: str) -> list[Run]:
    """The lines as one run of text after the other, hyphens of line breaks undone.

    A space is set as the words on both its sides are, but neither raised nor lowered.
    """
    pieces: list[Run] = []
    for i, line in enumerate(lines):
        end = line_end(line, lines[i + 1], language) if i + 1 < len(lines) else LineEnd.SPACE
        for j, word in enumerate(line.words):
            own = word_runs(word)
            if pieces and pieces[-1].text == " ":
                pieces[-1] = _between(pieces[-1], own[0])
            pieces += own
            if j + 1 < len(line.words) or end is LineEnd.SPACE:
                pieces.append(own[-1]._replace(text=" "))
            elif end is LineEnd.BREAK:
                pieces[-1] = pieces[-1]._replace(text=pieces[-1].text[:-1])
    if pieces and pieces[-1].text == " ":
        pieces.pop()
    return [
        Run("".join(piece.text for piece in group), *way) for way, group in groupby(pieces, key=lambda run: run.way)
    ]


def _between(before: Run, after: Run) -> Run:
    """The space between two runs."""

    def both(name: str) -> str:
        told: str = getattr(before, name)
        return told if told == getattr(after, name) else ""

    return Run(
        " ",
        (before.style & after.style) - SHIFTED,
        both("colour"),
        both("link"),
        both("language"),
        both("expansion"),
    )


def word_runs(word: Word) -> list[Run]:
    """A word's letters by how they are set."""
    whole = Run(word.text, frozenset(word.style), word.colour, word.link, word.language, word.expansion)
    runs, at = [], 0
    for part in word.parts:
        if at < part.start:
            runs.append(whole._replace(text=word.text[at : part.start]))
        runs.append(whole._replace(text=word.text[part.start : part.end], style=whole.style | {part.style}))
        at = part.end
    if at < len(word.text) or not runs:
        runs.append(whole._replace(text=word.text[at:]))
    return runs


def joined_text(lines: Sequence[Line], language: str) -> str:
    """The lines as one run of text, hyphens of line breaks undone."""
    return "".join(run.text for run in joined_runs(lines, language))


def goes_on(before: Region, after: Region) -> bool:
    """Whether a paragraph cut by a column or page end goes on in the next one."""
    if before.role is not after.role or before.role not in (Role.PARAGRAPH, Role.LIST_ITEM):
        return False
    if not before.lines or not after.lines or before.language != after.language:
        return False
    if LIST_MARKER.match(after.text):
        return False
    end, start = before.text[-1], after.text.lstrip(_EDGE)[:1]
    if before.text.endswith(SENTENCE_END) or end in '"”»':
        return False
    if end in HYPHENS:
        return start.islower()
    return start.islower() or (bool(start) and not start.isupper() and start.isalpha()) or end == ","


def table_goes_on(before: tuple[int, Region], after: tuple[int, Region], pages: Sequence[PageContent]) -> bool:
    """Whether a table at a page's foot goes on at the next one's head: as many columns, at the same places."""
    first, second = before[1].table, after[1].table
    if first is None or second is None or first.columns != second.columns:
        return False
    edges = [
        [c.box.left / page.width for c in _full_row(table)]
        for table, page in ((first, pages[before[0]]), (second, pages[after[0]]))
    ]
    if len(edges[0]) != len(edges[1]) or not edges[0]:
        return True  # no row has all its cells: the number of columns must do
    shifts = [b - a for a, b in zip(*edges, strict=True)]
    return bool(max(shifts) - min(shifts) < MOST_COLUMN_SHIFT)


def _full_row(table: Table) -> list[Cell]:
    """The cells of the first row without spans, from the left."""
    for row in range(table.rows):
        cells = sorted((c for c in table.cells if c.row == row), key=lambda c: c.column)
        if len(cells) == table.columns and all(c.column_span == 1 for c in cells):
            return cells
    return []


def flow(
    pages: Sequence[PageContent],
    language: str,
    keep_running_heads: bool = False,
    first_page: int = 0,
    join_tables: bool = False,
    told: Callable[[int, PageContent], PageContent] = lambda _, page: page,
    end: int | None = None,
) -> Iterator[FlowBlock]:
    """The document's blocks in reading order; pages are taken one after the other.

    Parameters
    ----------
    pages : sequence of PageContent
    language : str
        ISO 639-3 code of the document.
    keep_running_heads : bool
        Also give running heads and page numbers, where they stand on their page.
    first_page : int
        Where to begin, from 0.
    join_tables : bool
        Whether a table that goes on at the head of the next page is one block.
    told : callable
        What is told of each page (its number from 0, and the page) beside what it says.
    end : int, optional
        The page before which it ends; it goes through to the last where it is not given.
    """
    waiting: list[tuple[int, Region]] = []
    explains: str | None = None  # what the first of those that wait is the caption of
    for index in range(first_page, len(pages) if end is None else end):
        page = told(index, pages[index])
        tied = captioned(page)
        regions = beside_their_pictures(page.regions, tied)
        if keep_running_heads:
            heads = [a for a in page.artifacts if a.role in (Role.RUNNING_HEAD, Role.PAGE_NUMBER)]
            regions = [a for a in heads if a.box.centre.y < page.height / 2] + regions
            regions += [a for a in heads if a.box.centre.y >= page.height / 2]
        for position, region in enumerate(regions):
            cut = bool(waiting) and _is_cut(waiting[-1], (index, region), position == 0)
            over = (
                join_tables and cut and waiting[-1][0] != index and table_goes_on(waiting[-1], (index, region), pages)
            )
            if over or (cut and goes_on(waiting[-1][1], region)):
                waiting.append((index, region))
                continue
            if waiting:
                yield _block(waiting, language, explains)
            waiting, explains = [(index, region)], tied.get(region.id)
    if waiting:
        yield _block(waiting, language, explains)


def _is_cut(before: tuple[int, Region], after: tuple[int, Region], first_on_page: bool) -> bool:
    """Whether a page or column ends between the two."""
    if before[0] != after[0]:
        return first_on_page and after[0] == before[0] + 1
    return after[1].box.top < before[1].box.top


def _block(sources: list[tuple[int, Region]], language: str, captions: str | None) -> FlowBlock:
    region = sources[0][1]
    lines = [line for _, r in sources for line in r.lines]
    told = region.language or language
    text = "\n".join(line.text for line in lines) if region.role in KEEPS_LINES else joined_text(lines, told)
    return FlowBlock(region.role, text, told, tuple(sources), captions)
