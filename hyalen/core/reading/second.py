"""A second, different reading of words that are not certain: where both agree a word is nearly always right."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.content import Word
from hyalen.core.model.found import FoundWord, Model
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.lines import read_line
from hyalen.core.reading.reader import Reader

LINE_PIXELS = 36.0  # height at which it is read: smaller than what suits the engine best
SMOOTHED = 0.7  # pixels of blur, which takes off what made the first reading err
SHARED = 0.5  # of a word's width, by which another lies on the same ink


def second_reading(
    page: Image, dpi: float, words: Sequence[Word], height: float, languages: tuple[str, ...], reader: Reader
) -> list[str]:
    """What another reading of some words of a line has on the ink of each; "" where it has nothing.

    They are read so that specks, joined and broken letters come out otherwise, by a model that was trained otherwise
    where there is one (`read_otherwise`).

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    words : sequence of Word
        Beside each other.
    height : float
        Of their line, in pixels.
    """
    read = read_otherwise(page, dpi, union(w.box for w in words), height, languages, reader)
    joined = {w.id for other in read if (of := _joined(words, other)) for w in of}
    return [word.text if word.id in joined else _on(word, read) for word in words]


def read_otherwise(
    page: Image, dpi: float, box: Box, height: float, languages: tuple[str, ...], reader: Reader
) -> list[FoundWord]:
    """The words in a part of a line, read smaller and smoothed, which errs otherwise than the first reading."""
    found = read_line(page, dpi, box, height, languages, reader, LINE_PIXELS, (0.3, 2.5), SMOOTHED, Model.OTHER)
    return [word for line in found for word in line.words]


def _joined(words: Sequence[Word], other: FoundWord) -> list[Word]:
    """Words that the other reading has without the white between them, and so agrees with."""
    there = [w for w in words if _shared(w, other) > SHARED * w.box.width]
    return there if "".join(w.text for w in there) == other.text else []


def _on(word: Word, words: list[FoundWord]) -> str:
    there = [w for w in words if _shared(word, w) > SHARED * min(word.box.width, w.box.width)]
    return " ".join(w.text for w in there)


def _shared(word: Word, other: FoundWord) -> float:
    return min(word.box.right, other.box.right) - max(word.box.left, other.box.left)
