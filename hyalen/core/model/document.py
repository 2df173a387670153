"""A document as it is delivered: its pages in order, title and languages."""

from __future__ import annotations

from enum import StrEnum
from typing import Literal, NamedTuple

from hyalen.core.model.content import PageContent
from hyalen.core.model.geometry import Frozen

TextFrom = Literal["", "file", "ink"]  # where a page's text is taken from; "" lets the program decide


class PageKind(StrEnum):
    """Where a page's text comes from."""

    SCANNED = "scanned"
    BORN_DIGITAL = "born_digital"


class OwnPage(NamedTuple):
    """Where a born-digital page is as it came: a PDF file and its page in it, from 0."""

    path: str
    page: int


class DocumentContent(Frozen):
    """What the writers are handed.

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
