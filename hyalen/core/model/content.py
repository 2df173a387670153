"""What a page says: regions in reading order, their lines and words, and artifacts.

Coordinates are pixels of the cleaned page. The order of `PageContent.regions`
is the reading order (ISO 32000-2, 14.8.2.5: the logical content order).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from enum import StrEnum
from typing import NamedTuple

from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, Frozen, Point, bounds
from hyalen.core.model.text import Lines, OneLine


class RegionKind(StrEnum):
    """What a region is made of."""

    TEXT = "text"
    TABLE = "table"
    FIGURE = "figure"
    FORMULA = "formula"

    @property
    def is_picture(self) -> bool:
        """Whether it is shown as it is and needs a description (ISO 14289-1, 7.3 and 7.7)."""
        return self in (RegionKind.FIGURE, RegionKind.FORMULA)


class Role(StrEnum):
    """What a region is for; each maps to a standard structure type of ISO 32000-1, 14.8.4."""

    HEADING_1 = "heading_1"
    HEADING_2 = "heading_2"
    HEADING_3 = "heading_3"
    HEADING_4 = "heading_4"
    HEADING_5 = "heading_5"
    HEADING_6 = "heading_6"
    PARAGRAPH = "paragraph"
    LIST_ITEM = "list_item"
    CAPTION = "caption"
    QUOTATION = "quotation"
    ADDRESS = "address"
    NOTE = "note"
    SIDE_NOTE = "side_note"
    CONTENTS_ENTRY = "contents_entry"
    TABLE = "table"
    FIGURE = "figure"
    FORMULA = "formula"
    RUNNING_HEAD = "running_head"
    PAGE_NUMBER = "page_number"
    ARTIFACT = "artifact"

    @property
    def heading_level(self) -> int | None:
        """1 to 6 for a heading, else None."""
        return int(self.value[-1]) if self.value.startswith("heading_") else None

    @property
    def is_artifact(self) -> bool:
        """Whether it is left out of the structure tree (ISO 32000-1, 14.8.2.2)."""
        return self in (Role.RUNNING_HEAD, Role.PAGE_NUMBER, Role.ARTIFACT)


class Subject(StrEnum):
    """What a picture shows, as far as its ink tells; a stamp may be text as well."""

    PHOTOGRAPH = "photograph"
    DRAWING = "drawing"
    CHART = "chart"
    MUSIC = "music"
    BAR_CODE = "bar_code"
    STAMP = "stamp"
    SEAL = "seal"
    SIGNATURE = "signature"
    LOGO = "logo"


class WordState(StrEnum):
    """Whether a person has looked at the word."""

    READ = "read"
    ACCEPTED = "accepted"
    CORRECTED = "corrected"


class Part(NamedTuple):
    """Characters of a word, from `start` up to `end`, that are set otherwise than the rest."""

    start: int
    end: int
    style: Style


class Word(Frozen):
    """A run of glyphs between spaces.

    Attributes
    ----------
    confidence : float
        The reader's, 0 to 1.
    others : tuple of str
        Its other readings of the ink.
    letters : str
        A digit for each character, 9 where the reader was sure of it (ALTO 4, String/@CC turned round), or empty.
    parts : tuple of Part
        Raised and lowered letters.
    colour : str
        Red, green and blue of its type as six hexadecimal digits, where it is not black and the file says so.
    link : str
        The address it leads to.
    language : str
        ISO 639-3 code where it is another than its block's, or empty.
    expansion : str
        What an abbreviation stands for, or empty.
    second : str or None
        What a second, different reading of its ink says; None where there was none.
    recognised : str or None
        What another model reads on its ink; None where it was not asked.
    """

    id: str
    text: OneLine
    box: Box
    confidence: float
    state: WordState = WordState.READ
    others: tuple[str, ...] = ()
    style: tuple[Style, ...] = ()
    letters: str = ""
    parts: tuple[Part, ...] = ()
    colour: str = ""
    link: str = ""
    language: str = ""
    expansion: str = ""
    second: str | None = None
    recognised: str | None = None

    @property
    def readings(self) -> tuple[str, ...]:
        """All other readings of its ink that differ from its text."""
        told = dict.fromkeys((*self.others, self.second or "", self.recognised or ""))
        return tuple(text for text in told if text and text != self.text)

    @property
    def settled(self) -> bool:
        return self.state is not WordState.READ


class Line(Frozen):
    """Words in logical order; `baseline` runs from the line's left end to its right end."""

    words: tuple[Word, ...]
    box: Box
    baseline: tuple[Point, Point]
    height: float

    @property
    def text(self) -> str:
        return " ".join(word.text for word in self.words)

    @property
    def level(self) -> float:
        """Height of the baseline's middle."""
        return (self.baseline[0].y + self.baseline[1].y) / 2

    def level_at(self, x: float) -> float:
        """Height of the baseline at a place."""
        (x0, y0), (x1, y1) = self.baseline
        return y0 + (y1 - y0) / (x1 - x0) * (x - x0) if x1 != x0 else y0

    @property
    def baseline_in_box(self) -> tuple[Point, Point]:
        """The part of the baseline beneath the line's box."""
        left, right = (Point(x, self.level_at(x)) for x in (self.box.left, self.box.right))
        return left, right


class Cell(Frozen):
    """A table cell; rows and columns count from 0."""

    row: int
    column: int
    row_span: int = 1
    column_span: int = 1
    header: bool = False
    box: Box
    lines: tuple[Line, ...] = ()

    @property
    def text(self) -> str:
        return "\n".join(line.text for line in self.lines)


class Table(Frozen):
    """A grid of cells, row by row as they are read; a spanned place is held by the cell at its upper left.

    Attributes
    ----------
    backwards : bool
        Whether its rows are read from the right. Columns count from the left all the same.
    """

    rows: int
    columns: int
    cells: tuple[Cell, ...]
    backwards: bool = False


class Region(Frozen):
    """A part of the page that is one thing to a reader.

    Attributes
    ----------
    tagged : bool
        Whether the file says of itself what it is, and in which place (ISO 14289-1).
    omitted : bool
        Whether it is blank in all that is delivered.
    substitute : str
        Name of the image that is delivered in a picture's stead, or empty.
    width : float or None
        Of a picture in office files, in inches; None for its width on the page.
    contrast : float or None
        Of a text's ink to its paper, 1 to 21; None where it was not measured.
    depth : int
        Of a list item or an entry of the contents, 0 for the outermost.
    captions : str or None
        Of a caption, the id of what a person has tied it to, "" for nothing; None leaves it to `captioned`.
    data : tuple of tuples of str
        Of a chart, what it shows as rows, the first one of headers.
    coloured : tuple of str
        Ids of the words whose ink is coloured among black ones, as it was measured.
    look : str
        Of a picture, what tells other scans of it as hexadecimal digits (`imaging.likeness`), or empty.
    """

    id: str
    kind: RegionKind
    role: Role
    outline: tuple[Point, ...]
    lines: tuple[Line, ...] = ()
    table: Table | None = None
    language: str | None = None
    alternative_text: Lines | None = None
    confidence: float = 1.0
    reason: str = ""
    drawn: bool = False
    tagged: bool = False
    subject: Subject | None = None
    omitted: bool = False
    substitute: str = ""
    width: float | None = None
    contrast: float | None = None
    depth: int = 0
    captions: str | None = None
    data: tuple[tuple[str, ...], ...] = ()
    coloured: tuple[str, ...] = ()
    look: str = ""

    @property
    def box(self) -> Box:
        return bounds(self.outline)

    @property
    def stays(self) -> bool:
        """Whether what it is was told by a person, here or in its file, and no measure changes it."""
        return self.drawn or self.tagged

    @property
    def all_lines(self) -> tuple[Line, ...]:
        """The lines of the text or, row by row, of the table's cells."""
        if self.table is None:
            return self.lines
        return tuple(line for cell in self.table.cells for line in cell.lines)

    @property
    def description(self) -> str | None:
        """Of a picture, what is told in its stead: its alternative text and, row by row, a chart's data."""
        told = [(self.alternative_text or "").strip()]
        heads = self.data[0] if self.data else ()
        for row in self.data[1:]:
            told.append(", ".join(f"{head}: {cell}" if head else cell for head, cell in zip(heads, row, strict=False)))
        return "\n".join(line for line in told if line) or None

    @property
    def words(self) -> Iterator[Word]:
        return (word for line in self.all_lines for word in line.words)

    @property
    def text(self) -> str:
        """The text with its line ends."""
        return "\n".join(line.text for line in self.all_lines)


LEAST_LIKENESS = 0.7  # of a text layer and its ink; the good ones that were measured have 0.9 and more


class OwnText(Frozen):
    """What became of the text that a page came with.

    Attributes
    ----------
    taken : bool
        Whether the page says that, and not what was read from its ink.
    likeness : float
        How far it is what the ink says, 0 to 1.
    layer, ink : str
        A line of it, and what was read there, where the two differ most.
    """

    taken: bool
    likeness: float
    layer: str = ""
    ink: str = ""

    @property
    def fits(self) -> bool:
        """Whether it says what the ink says."""
        return self.likeness >= LEAST_LIKENESS


class PageContent(Frozen):
    """One page's content.

    Attributes
    ----------
    width, height : int
        Size of the cleaned page in pixels.
    dpi : float
        Its resolution in pixels an inch.
    regions : tuple of Region
        In reading order.
    artifacts : tuple of Region
        What is not read aloud: running heads, page numbers, marks.
    languages : tuple of str
        What it was read in, as ISO 639-3 codes.
    accepted : tuple of str
        Keys of the doubts that a person looked at and left as they were.
    unread : tuple of Box
        Letter-like ink in rows that nobody could read.
    near_ties : tuple of str
        Ids of regions that might as well follow another one.
    own_text : OwnText or None
        Of a page that came with text.
    comments : tuple of str
        What readers have noted on the page in its file.
    redactions : tuple of outlines
        What is taken out of all that is delivered, for good.
    """

    width: int
    height: int
    dpi: float
    regions: tuple[Region, ...] = ()
    artifacts: tuple[Region, ...] = ()
    languages: tuple[str, ...] = ()
    accepted: tuple[str, ...] = ()
    unread: tuple[Box, ...] = ()
    near_ties: tuple[str, ...] = ()
    own_text: OwnText | None = None
    comments: tuple[str, ...] = ()
    redactions: tuple[tuple[Point, ...], ...] = ()

    @property
    def everything(self) -> tuple[Region, ...]:
        return self.regions + self.artifacts

    def region(self, region_id: str) -> Region:
        """The region of that id.

        Raises
        ------
        KeyError
            If the page has none.
        """
        for region in self.everything:
            if region.id == region_id:
                return region
        raise KeyError(region_id)

    def with_lines(self, change: Callable[[Line], Line]) -> PageContent:
        """The content with each of its lines, those of cells too, as `change` gives it."""

        def changed(region: Region) -> Region:
            if region.table is None:
                return region.model_copy(update={"lines": tuple(map(change, region.lines))}) if region.lines else region
            cells = (c.model_copy(update={"lines": tuple(map(change, c.lines))}) for c in region.table.cells)
            return region.model_copy(update={"table": region.table.model_copy(update={"cells": tuple(cells)})})

        return self.model_copy(
            update={
                "regions": tuple(map(changed, self.regions)),
                "artifacts": tuple(map(changed, self.artifacts)),
            }
        )

    @property
    def words(self) -> Iterator[Word]:
        return (word for region in self.everything for word in region.words)

    @property
    def settled(self) -> int:
        """How many words and regions bear a person's decision."""
        return sum(w.settled for w in self.words) + sum(r.drawn for r in self.everything)
