"""Isolated specks to white."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from hyalen.core.imaging.pixels import Image, grey


def despeckle(page: Image, dpi: float) -> tuple[Image, int]:
    """Take off marks smaller than a full stop that stand clear of all writing.

    A mark goes when it covers less than a square of 1/60 inch and no letter-sized
    ink lies within 1/14 inch of it, so dots, accents and punctuation stay; so does one as
    large as a full stop (up to 1/25 inch). Marks right above or beside each other stay: a
    colon after a space, a row of leader dots.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened.
    dpi : float
        Pixels an inch.

    Returns
    -------
    page, removed
        The page and the number of marks taken off.
    """
    dark = (grey(page) < 200).astype(np.uint8)
    count, labels, stats, found = cv2.connectedComponentsWithStats(dark, connectivity=8)
    centres = np.asarray(found, dtype=np.float64)
    size = np.maximum(stats[:, 2], stats[:, 3])
    small = (stats[:, 4] <= (dpi / 60) ** 2) & (size <= dpi / 30)
    small[0] = False
    # Letters are found on a coarse grid: their surroundings need no pixel's precision.
    step = max(1, int(dpi / 75))
    if count < 2:
        return page, 0
    letters = np.zeros((page.shape[0] // step + 1, page.shape[1] // step + 1), dtype=np.uint8)
    wide = size > dpi / 2  # a table's frame is not all that it encloses
    for left, top, width, height, _ in stats[1:][(size[1:] > dpi / 25) & ~wide[1:]]:
        letters[top // step : (top + height) // step + 1, left // step : (left + width) // step + 1] = 1
    wide[0] = False
    frames = wide[labels[::step, ::step]]
    letters[: frames.shape[0], : frames.shape[1]] |= frames.astype(np.uint8)
    reach = max(3, int(dpi / 14 / step)) * 2 + 1
    near = cv2.dilate(letters, np.ones((reach, reach), np.uint8))
    at = (np.nan_to_num(centres) / step).astype(np.int64)  # no pixel at all has no centre
    clear = near[at[:, 1], at[:, 0]] == 0
    stops = (stats[:, 4] > (dpi / 60) ** 2) & (size <= dpi / 25) & clear
    stops[0] = False
    gone = (small & clear) | stops
    gone[np.flatnonzero(gone)[_in_a_row(centres[gone], centres, stats[:, 4] > (dpi / 100) ** 2, dpi)]] = False
    if not gone.any():
        return page, 0
    result = page.copy()
    for left, top, width, height, _ in stats[gone]:
        window = (slice(max(0, top - 1), top + height + 1), slice(max(0, left - 1), left + width + 1))
        mask = cv2.dilate(gone[labels[window]].astype(np.uint8), np.ones((3, 3), np.uint8)) == 1
        result[window][mask] = 255
    return result, int(gone.sum())


def _in_a_row(
    places: NDArray[np.float64], centres: NDArray[np.float64], sizable: NDArray[np.bool_], dpi: float
) -> NDArray[np.bool_]:
    """For each place, whether a mark of some size stands right above or beside it within 1/9 inch."""
    marks = centres[1:][sizable[1:]]
    if len(places) == 0 or len(marks) == 0:
        return np.zeros(len(places), dtype=bool)
    reach, slack = dpi / 9, dpi / 100
    found = cKDTree(marks).query_ball_point(places, reach)
    aligned = np.zeros(len(places), dtype=bool)
    for i, near in enumerate(found):
        apart = np.abs(marks[near] - places[i])
        distant = apart.max(axis=1) > slack
        aligned[i] = bool((distant & (apart.min(axis=1) < slack)).any())
    return aligned
