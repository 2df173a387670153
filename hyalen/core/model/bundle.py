"""A bundle: documents of any batches in an order of their own, which go out as one."""

from __future__ import annotations

from enum import StrEnum
from typing import Literal

from pydantic import Field

from hyalen.core.model.geometry import Frozen
from hyalen.core.model.text import OneLine

DEEPEST = 5


class StampPlace(StrEnum):
    """Where on a page its number is stamped."""

    BOTTOM_LEFT = "bottom_left"
    BOTTOM_CENTRE = "bottom_centre"
    BOTTOM_RIGHT = "bottom_right"
    TOP_LEFT = "top_left"
    TOP_CENTRE = "top_centre"
    TOP_RIGHT = "top_right"


class LateRule(StrEnum):
    """How pages are numbered that come between numbered ones."""

    LETTERS = "letters"  # 24a, 24b: no other number changes
    ANEW = "anew"  # all that follow are counted anew


class IndexWords(Frozen):
    """What the index says beside its entries, in the bundle's language."""

    heading: OneLine = Field(default="Index", min_length=1, max_length=100)
    number: OneLine = Field(default="No.", min_length=1, max_length=30)
    title: OneLine = Field(default="Document", min_length=1, max_length=60)
    date: OneLine = Field(default="Date", min_length=1, max_length=30)
    page: OneLine = Field(default="Page", min_length=1, max_length=30)
    volume: OneLine = Field(default="Volume", min_length=1, max_length=30)
    blank: OneLine = Field(default="This page is intentionally blank", min_length=1, max_length=100)


class BundleRules(Frozen):
    """How a bundle is made of its documents.

    Attributes
    ----------
    language : str
        ISO 639-3 code of the index and of the whole.
    right_hand : bool
        Whether each document, and the index, begins on a right-hand page: it is printed on both sides.
    index : bool
        Whether an index comes first.
    size : float
        Of the stamped numbers, in points; 12 to 24 are read across a desk (common practice, no source).
    prefix : str
        Before each number.
    start : int
        Of the first page that is counted: more than 1 where a series goes on from another bundle.
    by_section : bool
        Whether each section is counted from 1 after its own label.
    """

    language: str = Field(default="eng", pattern="^[a-z]{3}(_[a-z]+)?$", max_length=20)
    right_hand: bool = False
    index: bool = True
    stamped: bool = True
    place: StampPlace = StampPlace.BOTTOM_RIGHT
    size: float = Field(default=16.0, ge=12, le=48)
    prefix: OneLine = Field(default="", max_length=20)
    start: int = Field(default=1, ge=1, le=1_000_000)
    by_section: bool = False
    late: LateRule = LateRule.LETTERS
    quality: Literal["as_scanned", "balanced", "smallest"] = "as_scanned"
    words: IndexWords = IndexWords()


class Entry(Frozen):
    """A document's place in a bundle, or the head of a section.

    Attributes
    ----------
    document_id : int or None
        None for a section, and for a document that is gone, whose place is kept.
    title, date, label : str
        What the index says; where it is empty, the document's own title and date, and a count.
    counted : str
        The count that it has kept since the numbers are kept.
    known_as : str
        The document's name when it was put in.
    after_page : int or None
        Id of the page of an entry before it, behind which it lies: late pages within a document.
    """

    id: int
    section: bool = False
    document_id: int | None = None
    title: OneLine = Field(default="", max_length=500)
    date: OneLine = Field(default="", max_length=100)
    label: OneLine = Field(default="", max_length=40)
    counted: str = Field(default="", max_length=60)
    depth: int = Field(default=0, ge=0, le=DEEPEST)
    after_page: int | None = None
    known_as: OneLine = Field(default="", max_length=500)


class PageNumber(Frozen):
    """A page's number: its series' label, its value, and what stands behind it where it came late ("a" of 24a)."""

    series: OneLine = Field(default="", max_length=40)
    value: int = Field(ge=0)
    suffix: str = Field(default="", max_length=40)

    @property
    def text(self) -> str:
        return f"{self.series}{self.value}{self.suffix}"


class MarkKind(StrEnum):
    """What a reader is shown on a page of a bundle."""

    HIGHLIGHT = "highlight"  # over words
    SIDELINE = "sideline"  # beside a passage
    AREA = "area"
    NOTE = "note"


class KeptNumber(Frozen):
    """A number that a page of an entry was given and keeps; page 0 is the place of a document that cannot be had."""

    entry: int
    page: int
    number: PageNumber


class BundleState(Frozen):
    """All that a person decides on a bundle but its marks; `last` is the last id that an entry was given."""

    rules: BundleRules = BundleRules()
    entries: tuple[Entry, ...] = ()
    numbers: tuple[KeptNumber, ...] = ()
    last: int = 0
