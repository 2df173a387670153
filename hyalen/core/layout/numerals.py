"""Page numbers as they are printed: figures, and small Roman numerals of a book's front matter."""

from __future__ import annotations

import re

_ROMAN = re.compile(r"(?=[ivxlc])(c{0,3})(xc|xl|l?x{0,3})(ix|iv|v?i{0,3})")
_VALUES = {"i": 1, "v": 5, "x": 10, "l": 50, "c": 100}
FRONT = -1000  # front matter comes before page 1


def page_number(text: str) -> int | None:
    """A number by which pages sort, Roman ones before all others; None where the text is no page number."""
    text = text.strip("[](){}.,")
    if text.isdecimal() and len(text) <= 4:
        return int(text)
    if not text or not _ROMAN.fullmatch(text):
        return None
    values = [_VALUES[c] for c in text]
    return FRONT + sum(v if v >= max(values[i:]) else -v for i, v in enumerate(values))
