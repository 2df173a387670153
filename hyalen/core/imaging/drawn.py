"""Long thin strokes across a page, traced along their bends: a ruled table shows best how its paper curves."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, ink_mask, pieces

LEAST_INCHES = 2.0  # of a rule; joined strokes of a word and an engraving's hatching are shorter
THICKEST = 0.045  # inches
GAP = 0.035  # inches, where a stroke down crosses
STEEPEST = 0.15  # of its length, how far a rule rises or falls
LEAST_DRAWN = 0.8  # of its length
STEP = 0.08  # inches between the points of a trace: about a letter's width
LEAST_RULES = 4  # fewer may be a drawing's
BESIDE, ALONGSIDE = (
    0.7,
    0.02,
)  # of a rule's length, and inches by which the distance may vary, in which another runs along

NEAREST = 8  # rules above and below, among which that other one is looked for
MOST_POINTS = 8_000  # of a page: of a large sheet's rules every second, third and so on is enough
Floats = NDArray[np.float64]


class Traces(NamedTuple):
    """Points on the middles of rules, in pixels, and each one's rule by number."""

    x: Floats
    y: Floats
    line: NDArray[np.int64]


def find_traces(page: Image, dpi: float) -> Traces:
    """Rules across the page that may bend; none where there are fewer than four.

    Parameters
    ----------
    page : (h, w) uint8
        At about 150 dpi.
    dpi : float
        Pixels an inch.
    """
    ink = as_uint8(ink_mask(page, dpi))
    # What is no thicker than a rule, however it leans: letters leave short strokes of it, rules down nothing.
    thick = as_uint8(cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((int(THICKEST * dpi) + 1, 1), np.uint8)))
    closing = np.ones((1, 2 * int(GAP * dpi / 2) + 1), np.uint8)
    found = pieces(as_uint8(cv2.morphologyEx(cv2.subtract(ink, thick), cv2.MORPH_CLOSE, closing)))
    step = STEP * dpi
    rows: list[Floats] = []
    for number, (left, top, width, height, area) in enumerate(found.stats.tolist()):
        if number == 0 or width < LEAST_INCHES * dpi or height > STEEPEST * width or area > 2 * THICKEST * dpi * width:
            continue
        own = found.labels[top : top + height, left : left + width] == number
        count = own.sum(axis=0)
        tall = height - np.argmax(own[::-1], axis=0) - np.argmax(own, axis=0)
        if (count > 0).mean() < LEAST_DRAWN or np.percentile(tall[count > 0], 90) > 2 * THICKEST * dpi:
            continue
        y, x = np.nonzero(own)
        at = ((left + x) / step).astype(np.int64)
        held = np.bincount(at, minlength=int(page.shape[1] / step) + 1)
        rows.append(np.where(held > 0, top + np.bincount(at, y, len(held)) / np.maximum(held, 1), np.nan))
    kept = _alongside(np.array(rows), ALONGSIDE * dpi) if len(rows) >= LEAST_RULES else np.empty((0, 0))
    if len(kept) < LEAST_RULES:
        return Traces(np.empty(0), np.empty(0), np.empty(0, np.int64))
    kept = kept[:: max(1, np.isfinite(kept).sum() // MOST_POINTS)]
    line, at = np.nonzero(np.isfinite(kept))
    return Traces(np.asarray((at + 0.5) * step), kept[line, at], line)


def _alongside(rows: Floats, most: float) -> Floats:
    """Of rules' heights at each step across, the ones that run beside another: a drawing's do so by chance only."""
    rows = rows[np.argsort(np.nanmean(rows, axis=1), kind="stable")]
    kept = np.zeros(len(rows), bool)
    for i, row in enumerate(rows):
        drawn = np.isfinite(row)
        near = np.delete(rows[max(0, i - NEAREST) : i + NEAREST + 1], min(i, NEAREST), axis=0)[:, drawn]
        near = near[np.isfinite(near).mean(axis=1) > BESIDE]
        kept[i] = bool((np.nanstd(near - row[drawn], axis=1) <= most).any())
    return rows[kept]
