"""Double-page spreads: where the fold lies between two pages of an open book."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, grey, reduced
from hyalen.core.imaging.skew import glyph_mask

WORKING_DPI = 75.0  # pixels an inch: a fold is a shadow an eighth of an inch wide
LEAST_RATIO = 1.12  # width over height
SURE = 0.75  # confidence of a fold that is cut without asking
LEAST_SIDE = 100  # pixels: smaller pictures show nothing
MIDDLE = (0.36, 0.64)  # shares of the width between which a fold may lie
BESIDE = 0.1  # inches beyond the gap in the writing, in which its valley may still lie
CLEAR_VALLEY, FAINT_VALLEY = 0.06, 0.025  # depth as a share of the paper's level: of a fold, of one that a gap confirms
# Inches free of writing: beside a faint valley; of two inner margins; of two narrow ones, which stay a doubt.
CONFIRMING_GAP, WIDE_GAP, NARROW_GAP = 0.4, 1.0, 0.7
BY_DEPTH, BY_BOTH, BY_WIDE_GAP, BY_NARROW_GAP = (
    (0.55, 2.5),
    0.8,
    0.78,
    0.5,
)  # confidences; of a valley: at least, and a depth
BANDS, LEAST_STEADY = 8, 5  # of the height, in each of which the valley is looked for; in which it must lie in line
TALLEST_LETTER = 23  # pixels that are closed down the page, so that letters go and a valley stays
PAPER_PERCENTILE = 60  # of a band's column, that is paper
NEAREST_REACH = 6  # pixels at least, beside the fold, where the paper has risen again
EMPTY = 0.004  # of a column's height in ink, that is none
BALANCE = 0.12  # of the busier side's ink, that the other bears at least: both pages are written on


class Fold(NamedTuple):
    """x at the upper and at the lower edge, in inches; a confidence of 0 is no spread."""

    top: float
    bottom: float
    confidence: float


NONE = Fold(0.0, 0.0, 0.0)


def find_fold(page: Image, dpi: float) -> Fold:
    """The fold of a spread, near the middle of a picture wider than high.

    Two signs are weighed: a band free of writing, as wide as two inner margins, with writing
    on both sides; and in it a dark valley or a sharp line from top to bottom, where the sheets
    bend into the spine. Columns of one wide page have a narrower gap and no valley (common
    practice, no source).

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Upright.
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(grey(page), dpi, WORKING_DPI)
    height, width = small.shape
    if width < LEAST_RATIO * height or min(small.shape) < LEAST_SIDE:
        return NONE
    scale = dpi / factor
    low, high = int(MIDDLE[0] * width), int(MIDDLE[1] * width)
    valley_at, valley, line = _valley(small, low, high)
    gap_left, gap_right, busy = _gap(small, scale, low, high)
    gap = (gap_right - gap_left) / scale
    inside = gap_left - BESIDE * scale <= valley_at <= gap_right + BESIDE * scale
    confidence = 0.0
    if valley > CLEAR_VALLEY and (inside or gap == 0):
        confidence = min(1.0, BY_DEPTH[0] + BY_DEPTH[1] * valley)
    elif valley > FAINT_VALLEY and inside and gap > CONFIRMING_GAP:
        confidence = BY_BOTH
    elif busy and gap >= WIDE_GAP:
        confidence = BY_WIDE_GAP
    elif busy and gap >= NARROW_GAP:
        confidence = BY_NARROW_GAP
    if confidence == 0:
        return NONE
    if valley > FAINT_VALLEY and (inside or gap == 0):
        slope, at_middle = line
        top, bottom = at_middle - slope * height / 2, at_middle + slope * height / 2
    else:
        top = bottom = (gap_left + gap_right) / 2
    return Fold(float(top) / scale, float(bottom) / scale, round(confidence, 3))


def _valley(small: Image, low: int, high: int) -> tuple[float, float, tuple[float, float]]:
    """Where the darkest upright line of paper lies, its depth as a share of the paper's level, and (slope, x)."""
    height = small.shape[0]
    closed = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((TALLEST_LETTER, 1), np.uint8))
    bands = np.array_split(closed.astype(np.float32), BANDS)
    profiles = np.array([np.percentile(band, PAPER_PERCENTILE, axis=0) for band in bands])
    reach = max(NEAREST_REACH, (high - low) // 3)
    paper = cv2.blur(profiles, (2 * reach + 1, 1), borderType=cv2.BORDER_REPLICATE)
    depth = (np.maximum(paper, cv2.dilate(paper, np.ones((1, reach), np.uint8))) - profiles) / np.maximum(paper, 1)
    whole = np.median(depth, axis=0)
    at = low + int(np.argmax(whole[low:high]))
    # Beside a fold the paper rises again on both sides.
    sides = min(float(whole[at] - whole[max(0, at - reach)]), float(whole[at] - whole[min(len(whole) - 1, at + reach)]))
    near = slice(max(low, at - reach // 3), min(high, at + reach // 3 + 1))
    rows = (np.arange(BANDS) + 0.5) * height / BANDS - height / 2
    places = near.start + np.argmax(depth[:, near], axis=1)
    steady = np.abs(places - np.median(places)) < reach / 4
    if steady.sum() < LEAST_STEADY:
        return float(at), 0.0, (0.0, float(at))
    slope, middle = np.polyfit(rows[steady], places[steady], 1)
    return float(at), max(0.0, sides), (float(slope), float(middle))


def _gap(small: Image, dpi: float, low: int, high: int) -> tuple[float, float, bool]:
    """The widest band without writing around the middle, and whether there is writing on both sides."""
    mask = glyph_mask(small, dpi)
    columns: NDArray[np.float64] = mask.sum(axis=0, dtype=np.float64)
    empty = columns <= EMPTY * small.shape[0]
    best, start = (0, 0), None
    for x in range(low - (high - low) // 2, high + (high - low) // 2 + 1):
        if empty[x] and start is None:
            start = x
        if (not empty[x] or x == high + (high - low) // 2) and start is not None:
            if x - start > best[1] - best[0] and start < high and x > low:
                best = (start, x)
            start = None
    left, right = columns[: best[0]].sum(), columns[best[1] :].sum()
    busy = bool(min(left, right) > BALANCE * max(left, right, 1) and best[1] > best[0])
    return float(best[0]), float(best[1]), busy
