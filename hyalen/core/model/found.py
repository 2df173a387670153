"""What any reader finds on a page: blocks of lines of words, before anyone says what they are."""

from __future__ import annotations

from enum import StrEnum
from typing import NamedTuple

from hyalen.core.model.geometry import Box, Point


class BlockKind(StrEnum):
    """What a reader took a block for."""

    TEXT = "text"
    PICTURE = "picture"


class Shape(StrEnum):
    """What a reader is told about the layout of what it is handed."""

    PAGE = "page"
    BLOCK = "block"
    LINE = "line"
    RAW_LINE = "raw_line"


class Model(StrEnum):
    """Which of a language's models reads, where there are several."""

    USUAL = ""
    FINER = "fine"  # slower and better
    OTHER = "other"  # trained otherwise: a witness beside the usual one


class Style(StrEnum):
    """How a word is set, where a reader tells."""

    BOLD = "bold"
    ITALIC = "italic"
    UNDERLINED = "underlined"
    SMALL_CAPITALS = "small_capitals"
    STRUCK = "struck"
    SUPERSCRIPT = "superscript"
    SUBSCRIPT = "subscript"
    SMALLER = "smaller"
    LARGER = "larger"


class FoundWord(NamedTuple):
    """`confidence` is 0 to 1; `others` are other readings of the same ink, the likeliest first.

    `letters` is a digit for each character of the text, 9 where the reader was sure of it, or empty;
    `colour` and `link` are as of `content.Word`.
    """

    text: str
    box: Box
    confidence: float
    language: str
    others: tuple[str, ...] = ()
    style: frozenset[Style] = frozenset()
    letters: str = ""
    colour: str = ""
    link: str = ""


class FoundLine(NamedTuple):
    """Words in logical order; `height` is the row's height in pixels."""

    words: tuple[FoundWord, ...]
    box: Box
    baseline: tuple[Point, Point]
    height: float

    @property
    def level(self) -> float:
        """Height of the baseline's middle: unlike the box, no initial or accent moves it."""
        return (self.baseline[0].y + self.baseline[1].y) / 2

    def level_at(self, x: float) -> float:
        """Height of the baseline at a place."""
        (x0, y0), (x1, y1) = self.baseline
        return y0 + (y1 - y0) / (x1 - x0) * (x - x0) if x1 != x0 else y0

    @property
    def confidence(self) -> float:
        """Mean over the line's letters."""
        return sum(w.confidence * len(w.text) for w in self.words) / max(1, sum(len(w.text) for w in self.words))

    def scaled(self, factor: float) -> FoundLine:
        start, end = self.baseline
        return FoundLine(
            tuple(w._replace(box=_scaled(w.box, factor)) for w in self.words),
            _scaled(self.box, factor),
            (Point(start.x * factor, start.y * factor), Point(end.x * factor, end.y * factor)),
            self.height * factor,
        )


class FoundBlock(NamedTuple):
    """Lines from top to bottom."""

    kind: BlockKind
    box: Box
    lines: tuple[FoundLine, ...]

    def scaled(self, factor: float) -> FoundBlock:
        """The block in the pixels of an image that is `factor` times as large."""
        return FoundBlock(self.kind, _scaled(self.box, factor), tuple(line.scaled(factor) for line in self.lines))


def _scaled(box: Box, factor: float) -> Box:
    return Box(*(round(v * factor) for v in box))
