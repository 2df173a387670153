"""Ink made darker, and its edges sharper."""

from __future__ import annotations

import cv2
import numpy as np

from hyalen.core.imaging.pictures import with_pictures
from hyalen.core.imaging.pixels import Image, Mask, as_uint8

FULL_INK = 25.0  # grey level that black print has in a good scan


def darken(page: Image, level: float, strength: float) -> Image:
    """A straight tone curve that brings ink of `level` towards black and leaves white white.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened.
    level : float
        Grey level of the page's ink.
    strength : float
        0 (as it is) to 1 (black).
    """
    target = level + (min(level, FULL_INK) - level) * strength
    if level >= 254 or target >= level:
        return page
    tones = np.arange(256, dtype=np.float64)
    curve = 255 - (255 - tones) * (255 - target) / (255 - level)
    return as_uint8(cv2.LUT(page, np.clip(curve, 0, 255).astype(np.uint8)))


def sharpen(page: Image, dpi: float, strength: float, pictures: Mask) -> Image:
    """Unsharp masking of writing (a Gaussian of 1/200 inch); pictures stay as they are."""
    if strength <= 0:
        return page
    soft = cv2.GaussianBlur(page, (0, 0), max(0.6, dpi / 200))
    amount = 1.6 * strength
    return with_pictures(as_uint8(cv2.addWeighted(page, 1 + amount, soft, -amount, 0)), page, pictures)
