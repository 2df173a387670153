"""Numbers as they are printed: figures, and Roman numerals, small in a book's front matter."""

from __future__ import annotations

import re
from itertools import pairwise

_SIGNS = ((1000, "m"), (900, "cm"), (500, "d"), (400, "cd"), (100, "c"), (90, "xc"), (50, "l"), (40, "xl"), (10, "x"), (9, "ix"), (5, "v"), (4, "iv"), (1, "i"))  # fmt: skip
_WORTH = {"i": 1, "v": 5, "x": 10, "l": 50, "c": 100, "d": 500, "m": 1000}
ROMAN = re.compile(r"[ivxlcdm]+|[IVXLCDM]+")
_FRONT_MATTER = re.compile(r"[ivxlc]+")
FRONT = -1000  # front matter comes before page 1


def page_number(text: str) -> int | None:
    """A number by which pages sort, Roman ones before all others; None where the text is no page number."""
    text = text.strip("[](){}.,")
    if text.isdecimal() and len(text) <= 4:
        return int(text)
    value = roman_value(text) if _FRONT_MATTER.fullmatch(text) else None
    return None if value is None else FRONT + value


def roman(value: int) -> str:
    """A number in small roman numerals."""
    text = ""
    for worth, sign in _SIGNS:
        text += sign * (value // worth)
        value %= worth
    return text


def roman_value(text: str) -> int | None:
    """What a roman numeral comes to, None where it is not written as it should be."""
    numbers = [_WORTH[c] for c in text.casefold()]
    value = sum(-a if a < b else a for a, b in pairwise([*numbers, 0]))
    return value if roman(value) == text.casefold() else None
