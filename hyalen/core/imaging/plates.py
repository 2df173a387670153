"""Plates: a picture set on plain paper, with a line of writing beneath it or beside it."""

from __future__ import annotations

import cv2
import numpy as np

from hyalen.core.imaging.curvature import LETTERS_DPI, find_letters
from hyalen.core.imaging.outline import find_outline
from hyalen.core.imaging.pictures import LEAST_LETTERS
from hyalen.core.imaging.pixels import Image, Mask, grey, reduced
from hyalen.core.imaging.trim import goes_on_beyond

MOST_LETTERS = 300  # in lines, on a plate's whole page: more are a page of text


def plate_mask(page: Image, dpi: float) -> Mask | None:
    """Where a page bears a plate; None where it has none.

    Its outline would be a sheet's, but for the page that goes on beyond it. What is pale in it is tone and no paper.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Straight, not whitened.
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(page, dpi, LETTERS_DPI)
    letters = find_letters(grey(small), dpi / factor)
    if not 0 < len(letters.x) <= MOST_LETTERS:
        return None
    corners = find_outline(small, dpi / factor).corners
    if corners is None or not goes_on_beyond(small, dpi / factor, corners):
        return None
    outline = np.array(corners, np.float32) * np.float32(dpi / factor)
    places = zip(letters.x.tolist(), letters.bottom.tolist(), strict=True)
    if sum(cv2.pointPolygonTest(outline, place, False) >= 0 for place in places) >= LEAST_LETTERS:
        return None
    mask = np.zeros(small.shape[:2], np.uint8)
    cv2.fillConvexPoly(mask, np.round(outline).astype(np.int32), (1,))
    return mask
