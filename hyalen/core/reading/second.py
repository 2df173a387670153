"""A second, different reading of words that are not certain: where both agree a word is nearly always right."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, as_uint8, with_margin
from hyalen.core.model.content import Word
from hyalen.core.model.found import FoundWord, Shape
from hyalen.core.model.geometry import union
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import shifted

LINE_PIXELS = 36.0  # height at which it is read: smaller than what suits the engine best
SMOOTHED = 0.7  # pixels of blur, which takes off what made the first reading err
SHARED = 0.5  # of a word's width, by which another lies on the same ink


def second_reading(
    page: Image, dpi: float, words: Sequence[Word], height: float, languages: tuple[str, ...], reader: Reader
) -> list[str]:
    """What another reading of some words of a line has on the ink of each; "" where it has nothing.

    They are read smaller and smoothed, so that specks, joined and broken letters come out otherwise.

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
    box, margin = union(w.box for w in words), int(0.25 * height) + 2
    left, top = max(0, box.left - margin), max(0, box.top - margin)
    crop = page[top : box.bottom + margin, left : box.right + margin]
    if crop.size == 0:
        return [""] * len(words)
    scale = float(np.clip(LINE_PIXELS / max(1.0, height), 0.3, 2.5))
    how = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    crop = as_uint8(cv2.resize(crop, None, fx=scale, fy=scale, interpolation=how))
    crop = as_uint8(cv2.GaussianBlur(crop, (0, 0), SMOOTHED))
    pad = 10
    crop = with_margin(crop, pad)
    found = reader.read_region(crop, dpi * scale, languages, Shape.LINE)
    read = [
        word
        for block in found
        for each in block.lines
        for word in shifted(each, -pad, -pad, 1 / scale, left, top).words
    ]
    return [_on(word, read) for word in words]


def _on(word: Word, words: list[FoundWord]) -> str:
    there = [w for w in words if _shared(word, w) > SHARED * min(word.box.width, w.box.width)]
    return " ".join(w.text for w in there)


def _shared(word: Word, other: FoundWord) -> float:
    return min(word.box.right, other.box.right) - max(word.box.left, other.box.left)
