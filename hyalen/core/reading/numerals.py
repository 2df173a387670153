"""Figures read by themselves, cut out of the page and enlarged, with an alphabet of their own."""

from __future__ import annotations

import cv2

from hyalen.core.imaging.pixels import Image, as_uint8, with_margin
from hyalen.core.model.found import FoundWord, Shape
from hyalen.core.model.geometry import Box
from hyalen.core.reading.reader import Reader

HEIGHT, MARGIN = 40.0, 20  # pixels of figures that the engine is shown, and white around them


def read_numerals(page: Image, dpi: float, box: Box, language: str, reader: Reader, alphabet: str) -> FoundWord | None:
    """What the ink in a box reads as where it is one word; the word's own box is of no use.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    alphabet : str
        The characters that can stand there.
    """
    crop = page[max(0, box.top) : box.bottom, max(0, box.left) : box.right]
    if crop.size == 0:
        return None
    scale = HEIGHT / crop.shape[0]
    size = (max(1, round(crop.shape[1] * scale)), round(HEIGHT))
    large = as_uint8(cv2.resize(crop, size, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC))
    large = with_margin(large, MARGIN)
    found = reader.read_region(large, dpi, (language,), Shape.LINE, alphabet=alphabet)
    words = [w for block in found for line in block.lines for w in line.words]
    return words[0] if len(words) == 1 else None
