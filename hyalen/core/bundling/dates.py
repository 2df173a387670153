"""When a document is of, as people write it: for the order of a bundle by date."""

from __future__ import annotations

import re
import unicodedata
from functools import cache

from babel import Locale

LANGUAGES = (
    "en",
    "de",
    "fr",
    "es",
    "it",
    "pt",
    "nl",
    "nb",
    "sv",
    "da",
    "fi",
    "pl",
    "cs",
    "ru",
    "uk",
    "el",
    "tr",
    "ar",
    "he",
)
_YEAR = re.compile(r"(?<!\d)(\d{4})(?!\d)")
_ISO = re.compile(r"(?<!\d)(\d{4})-(\d{1,2})(?:-(\d{1,2}))?(?!\d)")
_NUMBERS = re.compile(r"(?<!\d)(\d{1,2})\s*[./-]\s*(\d{1,2})\s*[./-]\s*(\d{4})(?!\d)")
_DAY = re.compile(r"(?<![\d/.-])(\d{1,2})(?:st|nd|rd|th|er|º|ª|\.)?(?![\d/-])", re.IGNORECASE)
Day = tuple[int, int, int]


def day_of(text: str) -> Day | None:
    """Year, month and day that a text tells, 0 for what it does not; None where it tells no year.

    1898-03-14, 14.3.1898, 14/3/1898 (the day first; the month where it can be no other), 14 March 1898, March 14th,
    1898, mars 1898, 1898; the months in `LANGUAGES` with their names in CLDR.
    """
    if m := _ISO.search(text):
        return int(m[1]), _within(int(m[2]), 12), _within(int(m[3] or 0), 31)
    if m := _NUMBERS.search(text):
        day, month = int(m[1]), int(m[2])
        if month > 12:
            day, month = month, day
        return int(m[3]), _within(month, 12), _within(day, 31)
    year = _YEAR.search(text)
    if year is None:
        return None
    rest = text[: year.start()] + " " + text[year.end() :]
    month = next((_months()[w] for w in re.findall(r"[^\W\d_]+", _plain(rest)) if w in _months()), 0)
    told = _DAY.search(rest)
    return int(year[1]), month, _within(int(told[1]), 31) if told and month else 0


def _within(value: int, most: int) -> int:
    return value if value <= most else 0


@cache
def _months() -> dict[str, int]:
    found: dict[str, int] = {}
    for language in LANGUAGES:
        months = Locale.parse(language).months
        for context in ("format", "stand-alone"):
            for width in ("wide", "abbreviated"):
                for number, name in months[context][width].items():
                    word = _plain(name).strip(".")
                    if len(word) > 2 and not word.isdigit():
                        found.setdefault(word, number)
    return found


def _plain(text: str) -> str:
    """Small letters without accents."""
    parts = unicodedata.normalize("NFKD", text.casefold())
    return "".join(c for c in parts if not unicodedata.combining(c))
