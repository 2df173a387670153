"""A document as it is delivered: its pages in order, title and languages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from enum import StrEnum
from typing import Literal, NamedTuple

from pydantic import Field

from hyalen.core.model.content import PageContent
from hyalen.core.model.geometry import Frozen
from hyalen.core.model.text import OneLine

TextFrom = Literal["", "file", "ink"]  # where a page's text is taken from; "" lets the program decide


class PageKind(StrEnum):
    """Where a page's text comes from."""

    SCANNED = "scanned"
    BORN_DIGITAL = "born_digital"


class OwnPage(NamedTuple):
    """Where a born-digital page is as it came: a PDF file and its page in it, from 0."""

    path: str
    page: int


class Attachment(NamedTuple):
    """A file that goes along within a document: where it lies, what it is called and what it is (RFC 6838)."""

    path: str
    name: str
    media_type: str


class LabelStyle(StrEnum):
    """How pages are counted (ISO 32000-1, table 159)."""

    DECIMAL = "D"
    ROMAN = "R"
    SMALL_ROMAN = "r"
    LETTERS = "A"
    SMALL_LETTERS = "a"
    NONE = ""


class LabelRange(Frozen):
    """Pages from `first` (from 0) on that are counted in one way, from `start`, after a prefix."""

    first: int = Field(default=0, ge=0, le=100_000)
    style: LabelStyle = LabelStyle.DECIMAL
    prefix: OneLine = Field(default="", max_length=40)
    start: int = Field(default=1, ge=1, le=1_000_000)


class Particulars(Frozen):
    """What is told of a document beside its title and language (Dublin Core's creator, subject, and so on)."""

    author: OneLine = Field(default="", max_length=500)
    subject: OneLine = Field(default="", max_length=1_000)
    keywords: OneLine = Field(default="", max_length=1_000)
    reference: OneLine = Field(default="", max_length=200)
    rights: OneLine = Field(default="", max_length=1_000)
    date: OneLine = Field(default="", max_length=100)


class Abbreviation(Frozen):
    """What a word stands for wherever it occurs in a document."""

    short: OneLine = Field(min_length=1, max_length=60)
    full: OneLine = Field(min_length=1, max_length=300)


class BookmarkEntry(Frozen):
    """A bookmark that a person has had a hand in.

    Attributes
    ----------
    page : int
        Id of its page; in a tree, its number from 0.
    top, left : float or None
        The place it leads to, as shares of the page's height and width; None for the page as a whole.
    follows : str
        Text of the heading of that page whose place it has; "" for a place of its own.
    renamed : bool
        Whether its title stays when the heading's text changes.
    colour : str
        Red, green and blue as six hexadecimal digits, or "".
    """

    title: OneLine = Field(min_length=1, max_length=500)
    page: int
    top: float | None = Field(default=None, ge=0, le=1)
    left: float | None = Field(default=None, ge=0, le=1)
    depth: int = Field(default=0, ge=0, le=20)
    follows: OneLine = Field(default="", max_length=500)
    renamed: bool = False
    bold: bool = False
    italic: bool = False
    colour: str = Field(default="", pattern="^([0-9a-f]{6})?$")


class DocumentContent(Frozen):
    """A document as the page content model has it (JSON).

    Attributes
    ----------
    title : str
        Shown in the viewer's title bar (ISO 14289-1, 7.1).
    language : str
        ISO 639-3 code of most of the text.
    pages : tuple of PageContent
    """

    title: str
    language: str
    pages: tuple[PageContent, ...]


class Part(NamedTuple):
    """One of the documents that are delivered as one: its pages from `first` up to before `end`, from 0.

    `bookmarks` are what a person made of them, their pages by number in the whole.
    """

    first: int
    end: int
    title: str
    language: str
    abbreviations: Mapping[str, str] = {}
    bookmarks: Sequence[BookmarkEntry] | None = None
