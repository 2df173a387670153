"""Isolated specks to white."""

from __future__ import annotations

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, grey


def despeckle(page: Image, dpi: float) -> tuple[Image, int]:
    """Take off marks smaller than a full stop that stand clear of all writing.

    A mark goes when it covers less than a square of 1/60 inch and no letter-sized
    ink lies within 1/14 inch of it, so dots, accents and punctuation stay.

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
    count, labels, stats, _ = cv2.connectedComponentsWithStats(dark, connectivity=8)
    if count < 2:
        return page, 0
    size = np.maximum(stats[:, 2], stats[:, 3])
    small = (stats[:, 4] <= (dpi / 60) ** 2) & (size <= dpi / 30)
    small[0] = False
    letters = size >= dpi / 30
    letters[0] = False
    reach = max(3, int(dpi / 14)) * 2 + 1
    near = cv2.dilate(letters[labels].astype(np.uint8), np.ones((reach, reach), np.uint8))
    protected = np.zeros(count, dtype=bool)
    protected[np.unique(labels[near == 1])] = True
    gone = small & ~protected
    if not gone.any():
        return page, 0
    mask = cv2.dilate(gone[labels].astype(np.uint8), np.ones((3, 3), np.uint8)) == 1
    result = page.copy()
    result[mask] = 255
    return result, int(gone.sum())
