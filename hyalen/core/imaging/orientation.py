"""Whether a page's lines run across it or up it; which end is up is a matter of script."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from hyalen.core.imaging.pixels import Image, as_uint8, grey, reduced
from hyalen.core.imaging.skew import LARGEST_SKEW, Skew, concentration, glyph_mask, lower_edges
from hyalen.core.model.treatment import QuarterTurn


class FoundTurn(NamedTuple):
    """Clockwise degrees that make the page upright, with a reason where that is doubtful.

    `skew` is that of the upright page where it was measured on the way.
    """

    degrees: QuarterTurn
    confidence: float
    reason: str = ""
    skew: Skew | None = None


FindTurn = Callable[[Image, float], FoundTurn]


class LineDirection(NamedTuple):
    """`upright` is True where the lines run across the page as it lies."""

    upright: bool
    confidence: float


def line_direction(page: Image, dpi: float) -> LineDirection:
    """Compare how sharply the ink gathers in rows and in columns.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(grey(page), dpi, 75)
    angles = np.arange(-LARGEST_SKEW, LARGEST_SKEW + 0.01, 1.0)
    scores = []
    for view in (small, as_uint8(np.rot90(small))):
        points = lower_edges(glyph_mask(view, dpi / factor))
        if len(points.x) < 60:
            return LineDirection(True, 0.0)
        found = concentration(points.every(12_000), angles, 1.0)
        scores.append(float(found.max() / np.median(found)))
    across, up = scores
    return LineDirection(across >= up, float(np.clip(abs(across - up) / 0.3, 0, 1)))


def quarter_turned(page: Image, degrees: int) -> Image:
    """The page turned clockwise by a multiple of 90 degrees."""
    return as_uint8(np.rot90(page, -degrees // 90))
