"""The angle by which a page's lines are turned from the horizontal."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, grey, ink_mask, pieces, reduced

LARGEST_SKEW = 15.0  # degrees: who lays a sheet down otherwise means to


class Skew(NamedTuple):
    """`degrees` is positive where the content stands turned counter-clockwise."""

    degrees: float
    confidence: float


class LineEdges(NamedTuple):
    """Points on the lower edges of glyphs, centred on the page, in pixels."""

    x: NDArray[np.float64]
    y: NDArray[np.float64]

    def every(self, most: int) -> LineEdges:
        """At most about `most` of the points, evenly picked."""
        step = max(1, len(self.x) // most)
        return LineEdges(self.x[::step], self.y[::step])


def glyph_mask(page: Image, dpi: float) -> NDArray[np.uint8]:
    """Ink of letter size: specks, pictures and everything that touches the border are left out."""
    mask = ink_mask(page, dpi).astype(np.uint8)
    found = pieces(mask)
    stats = found.stats
    width, height, area = stats[:, 2], stats[:, 3], stats[:, 4]
    at_border = (
        (stats[:, 0] == 0)
        | (stats[:, 1] == 0)
        | (stats[:, 0] + width == page.shape[1])
        | (stats[:, 1] + height == page.shape[0])
    )
    keep = (np.maximum(width, height) >= dpi / 40) & (area >= (dpi / 75) ** 2 * 2)
    keep &= np.minimum(width, height) <= dpi / 3
    keep &= ~at_border
    keep[0] = False
    return found.of(keep)


def lower_edges(mask: NDArray[np.uint8]) -> LineEdges:
    """Ink pixels with paper beneath: on text they gather on the baselines."""
    below = np.zeros_like(mask)
    below[:-1] = mask[1:]
    y, x = np.nonzero((mask == 1) & (below == 0))
    return LineEdges(x - mask.shape[1] / 2, y - mask.shape[0] / 2)


def concentration(points: LineEdges, degrees: NDArray[np.float64], bin_px: float) -> NDArray[np.float64]:
    """How sharply the points gather in rows when the page is turned by each angle.

    The sum of squares of the projection profile (Postl, ICPR 1986), normalised by
    what evenly spread points would give. Each point is shared between its two
    nearest rows, so that the measure is smooth in the angle.
    """
    result = np.zeros(len(degrees))
    for i, angle in enumerate(np.deg2rad(degrees)):
        row = (points.x * np.sin(angle) + points.y * np.cos(angle)) / bin_px
        row -= row.min() - 1
        low = row.astype(np.int64)
        part = row - low
        size = int(low.max()) + 3
        profile = np.bincount(low, 1 - part, size) + np.bincount(low + 1, part, size)
        result[i] = float(np.sum(profile**2)) * size / len(points.x) ** 2
    return result


def estimate_skew(page: Image, dpi: float) -> Skew:
    """Skew within 15 degrees, to a few hundredths of a degree.

    The projection profile of glyphs' lower edges is sharpest at the angle of the
    lines (Postl, ICPR 1986; bottom points as in Baird, SPSE 1987). A coarse search
    at 75 dpi is refined at 150 dpi, and the last step is a parabola through the
    best three angles.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        An upright page.
    dpi : float
        Pixels an inch.
    """
    page = grey(page)
    small, factor = reduced(page, dpi, 75)
    points = lower_edges(glyph_mask(small, dpi / factor))
    if len(points.x) < 60:
        return Skew(0.0, 0.0)
    coarse = np.arange(-LARGEST_SKEW, LARGEST_SKEW + 0.01, 0.5)
    scores = concentration(points.every(12_000), coarse, 1.0)
    best = float(coarse[int(np.argmax(scores))])
    spread = float(np.median(scores))
    confidence = float(np.clip((scores.max() / spread - 1.0) / 0.6, 0.0, 1.0))

    fine, factor = reduced(page, dpi, 150)
    points = lower_edges(glyph_mask(fine, dpi / factor)).every(150_000)
    if len(points.x) < 60:
        return Skew(best, confidence * 0.5)
    for step, bin_px in ((0.1, 2.0), (0.02, 1.0)):
        angles = np.asarray(best + np.arange(-6, 7) * step, dtype=np.float64)
        scores = concentration(points, angles, bin_px)
        best = float(angles[int(np.argmax(scores))])
    at = int(np.argmax(scores))
    if 0 < at < len(angles) - 1:
        before, here, after = scores[at - 1 : at + 2]
        bend = before - 2 * here + after
        if bend < 0:
            best += 0.02 * 0.5 * float((before - after) / bend)
    return Skew(round(best, 3), round(confidence, 3))
