"""How large a line is set, told by its letters."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from functools import lru_cache
from typing import Protocol

from hyalen.core.model.geometry import Box, Point

TALL = re.compile(r"[A-ZÀ-Þ0-9bdfhklßА-ЯЁбΑ-Ωβδθλξφψאל\"'“”‘’«»?!()]")
DEEP = re.compile(r"[gjpqyçþŋſQJ,;()\[\]|/рцщузфДЦЩβγζημξρφχψ]")  # what reaches below the line
_SHORT = re.compile(r"[itjà-öù-þйёά-ώ]")
CAPITALS = 0.7  # of the line's height
VAGUE = 1.2  # times that sizes differ more where they follow from lines' heights: signs stand over some lines' letters
# Of capitals: letters without ascender, those with a dot or a short one, and what reaches below the line; no source.
X_HEIGHT, DOTTED, DEPTH = 0.68, 0.92, 0.3


class _Word(Protocol):
    @property
    def text(self) -> str: ...
    @property
    def box(self) -> Box: ...


class SetLine(Protocol):
    """A line of words, found or settled."""

    @property
    def words(self) -> Sequence[_Word]: ...
    @property
    def baseline(self) -> tuple[Point, Point]: ...
    @property
    def height(self) -> float: ...
    @property
    def level(self) -> float: ...


@lru_cache(maxsize=50_000)
def _rise(text: str) -> float:
    """How high a word's letters rise, of capitals."""
    return 1.0 if TALL.search(text) else DOTTED if _SHORT.search(text) else X_HEIGHT


def word_size(word: _Word) -> float:
    """Height of capitals of a word's type by its box alone, in pixels."""
    return max(1.0, word.box.height / (_rise(word.text) + (DEPTH if DEEP.search(word.text) else 0.0)))


def _is_uncased(line: SetLine) -> bool:
    text = "".join(word.text for word in line.words)
    return text.lower() == text.upper() and any(map(str.isalpha, text))


def vagueness(line: SetLine) -> float:
    """How many times more than others' the line's size (see `type_size`) may differ from that of its like."""
    return VAGUE if _is_uncased(line) else 1.0


def type_size(line: SetLine) -> float:
    """Height of the line's capitals and ascenders over the baseline, in pixels.

    Unlike the whole line's height it does not depend on which letters happen to stand
    in the line, so it tells sizes of type apart; where no letter rises, it is what such would be.
    In scripts without capitals it follows from the line's height.
    """
    if _is_uncased(line):
        return max(1.0, CAPITALS * line.height)
    (x0, y0), (x1, y1) = line.baseline
    slope = (y1 - y0) / (x1 - x0) if x1 != x0 else 0.0
    tall: list[float] = []
    low: list[float] = []
    for word in line.words:
        box, rise = word.box, _rise(word.text)
        above = y0 + slope * ((box.left + box.right) / 2 - x0) - box.top
        (tall if rise == 1.0 else low).append(above / rise)
    if tall:
        text = "".join(word.text for word in line.words)
        most = 0.8 if text.isupper() else 0.6  # of a line in small capitals only some words have a large one
        return max(1.0, sorted(tall)[round(most * (len(tall) - 1))])
    return max(1.0, sorted(low)[(len(low) - 1) // 2]) if low else 1.0


def body_size(lines: Iterable[SetLine]) -> float:
    """The size (see `type_size`) in which most words are set, in pixels; 0 where there are none."""
    sizes = sorted((type_size(line), len(line.words)) for line in lines)
    half, seen = sum(count for _, count in sizes) / 2, 0
    for size, count in sizes:
        seen += count
        if seen >= half:
            return size
    return 0.0
