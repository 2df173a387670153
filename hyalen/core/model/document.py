"""A document as it is delivered: its pages in order, title and languages."""

from __future__ import annotations

from enum import StrEnum

from hyalen.core.model.content import PageContent
from hyalen.core.model.geometry import Frozen


class PageKind(StrEnum):
    """Where a page's text comes from."""

    SCANNED = "scanned"
    BORN_DIGITAL = "born_digital"


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


# ISO 639-3 -> BCP 47: the shortest ISO 639 code (RFC 5646, 2.2.1).
BCP_47 = {
    "eng": "en",
    "fra": "fr",
    "deu": "de",
    "spa": "es",
    "por": "pt",
    "ita": "it",
    "nld": "nl",
    "pol": "pl",
    "rus": "ru",
    "ell": "el",
    "ara": "ar",
    "heb": "he",
}
RIGHT_TO_LEFT = frozenset({"ara", "heb"})
LANGUAGE_NAMES = {
    "eng": "English",
    "fra": "French",
    "deu": "German",
    "spa": "Spanish",
    "por": "Portuguese",
    "ita": "Italian",
    "nld": "Dutch",
    "pol": "Polish",
    "rus": "Russian",
    "ell": "Greek",
    "ara": "Arabic",
    "heb": "Hebrew",
}


def language_tag(code: str) -> str:
    """The BCP 47 tag of an ISO 639-3 code; an unknown code is its own tag."""
    return BCP_47.get(code, code)
