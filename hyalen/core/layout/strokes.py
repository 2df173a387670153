"""How bold type is, from the width of its strokes."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.model.geometry import Box

DARK = 140  # grey level
LEAST_SPREAD = 0.03  # of strokes of one weight among clean lines, as a share; measured: 0.01 to 0.02
SPREADS = 4.0  # beyond which a line is of another weight
BOLD = 1.17  # times the body's strokes: the lightest bold type measured has 1.24


def stroke_width(page: Image, box: Box) -> float:
    """Mean width of the strokes in a box, in pixels: ink area over half the ink's outline."""
    window = grey(page[max(0, box.top) : box.bottom, max(0, box.left) : box.right])
    if window.size == 0:
        return 0.0
    ink = (window < DARK).astype(np.uint8)
    area = int(ink.sum())
    outline = int((ink - cv2.erode(ink, np.ones((3, 3), np.uint8))).sum())
    return 2.0 * area / outline if outline else 0.0


def least_bold(widths: Sequence[float]) -> float:
    """By how many times lines' usual stroke a line's must be wider to be bold: more where they vary, as in worn type.

    Parameters
    ----------
    widths : sequence of float
        Of lines that are for the most part of one weight.
    """
    known = np.array([w for w in widths if w > 0])
    if len(known) < 3:
        return BOLD + SPREADS * LEAST_SPREAD
    usual = float(np.median(known))
    spread = 1.4826 * float(np.median(np.abs(known / usual - 1)))  # of a normal distribution
    return max(BOLD, 1 + SPREADS * max(spread, LEAST_SPREAD))
