"""Reads one line, or a part of it, at the size that is wanted."""

from __future__ import annotations

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, as_uint8, with_margin
from hyalen.core.model.found import FoundLine, Model, Shape
from hyalen.core.model.geometry import Box
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import shifted

SUITED = 56.0  # pixels: the height that suits the engine for a single line
MARGIN = 12  # pixels of white around it


def read_line(
    page: Image,
    dpi: float,
    box: Box,
    height: float,
    languages: tuple[str, ...],
    reader: Reader,
    pixels: float = SUITED,
    scales: tuple[float, float] = (0.7, 3.0),
    smoothed: float = 0.0,
    model: Model = Model.USUAL,
) -> list[FoundLine]:
    """The lines that are found there, at the page's own places; none where the box lies beside the page.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    box : Box
        Of the words that are read.
    height : float
        Of their line, in pixels.
    pixels : float
        Height at which the line is shown to the engine.
    scales : (float, float)
        How far it is made smaller and larger for that, at most.
    smoothed : float
        Pixels of blur.
    model : Model
        By which it is read where there is one; else by the usual one.
    """
    margin = int(0.25 * height) + 2
    left, top = max(0, box.left - margin), max(0, box.top - margin)
    crop = page[top : max(0, box.bottom + margin), left : max(0, box.right + margin)]
    if crop.size == 0:
        return []
    scale = float(np.clip(pixels / max(1.0, height), *scales))
    if scale != 1.0:
        how = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
        crop = as_uint8(cv2.resize(crop, None, fx=scale, fy=scale, interpolation=how))
    if smoothed:
        crop = as_uint8(cv2.GaussianBlur(crop, (0, 0), smoothed))
    found = reader.read_region(with_margin(crop, MARGIN), dpi * scale, languages, Shape.LINE, model=model)
    return [shifted(each, -MARGIN, -MARGIN, 1 / scale, left, top) for block in found for each in block.lines]
