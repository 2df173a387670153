"""A tinted sheet under a lid lighter than itself: the lid takes the paper's tint, so that both go to white together."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.letters import letter_height
from hyalen.core.imaging.pictures import fills_the_page
from hyalen.core.imaging.pixels import Image, as_uint8, grey, reduced

WORKING_DPI = 50.0  # pixels an inch: paper and lid show
RIM = 0.15  # inches within the sheet's sides where its paper is looked at
LIGHTER = 10.0  # grey levels by which a lid is lighter than the paper beside it
EVEN = 14.0  # grey levels about the lid's own, within which it lies: whatever else is there stays
LEAST_LID = 0.02  # of the picture
LETTERS = 9  # pixels of the closing that takes letters away
CARRIED = 2.0  # inches over which the paper's level is carried outwards


def lid_tinted(page: Image, dpi: float, corners: NDArray[np.float64]) -> Image:
    """The picture with the lid around a sheet as dark as the sheet's paper; as it is where there is none such.

    A picture on a white page has four sides, too: a sheet bears lines of letters and paper.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    corners : (4, 2) float64
        Of the sheet, in pixels.
    """
    small, factor = reduced(page, dpi, WORKING_DPI)
    sheet = np.zeros(small.shape[:2], np.uint8)
    cv2.fillConvexPoly(sheet, np.round(corners / factor).astype(np.int32), (1,))
    if (sheet == 0).mean() < LEAST_LID:
        return page
    rim = max(3, int(RIM * dpi / factor)) | 1
    inner = cv2.erode(sheet, np.ones((rim, rim), np.uint8), borderValue=0)
    paper = as_uint8(cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((LETTERS, LETTERS), np.uint8)))
    beside = cv2.erode(inner, np.ones((rim, rim), np.uint8), borderValue=0) == 0
    level = grey(paper)
    outside = cv2.dilate(sheet, np.ones((3, 3), np.uint8)) == 0
    if not outside.any() or not (beside & (inner == 1)).any():
        return page
    lid = float(np.median(level[outside]))
    if lid < float(np.median(level[beside & (inner == 1)])) + LIGHTER or not _written(page, dpi, corners):
        return page
    weight = inner.astype(np.float32)
    tint = cv2.GaussianBlur(paper.astype(np.float32) * _spread(weight, paper), (0, 0), CARRIED * dpi / factor)
    total = np.asarray(cv2.GaussianBlur(weight, (0, 0), CARRIED * dpi / factor), dtype=np.float32)
    carried = tint / np.maximum(_spread(total, paper), 1e-6)
    whole = np.zeros(page.shape[:2], np.uint8)
    cv2.fillConvexPoly(whole, np.round(corners).astype(np.int32), (1,))
    # The sheet's own edge casts a shadow or shines: it goes with the lid.
    held = cv2.erode(whole, np.ones((3, 3), np.uint8), iterations=max(1, round(dpi / 100)), borderValue=1)
    clear = (held == 0) & (np.abs(grey(page).astype(np.float32) - lid) < EVEN)
    full = as_uint8(cv2.resize(np.clip(carried, 0, 255), page.shape[1::-1], interpolation=cv2.INTER_LINEAR))
    result = page.copy()
    result[clear] = full[clear]
    return result


def _spread(weight: NDArray[np.float32], like: Image) -> NDArray[np.float32]:
    return weight if like.ndim == 2 else weight[:, :, None]


def _written(page: Image, dpi: float, corners: NDArray[np.float64]) -> bool:
    """Whether the sheet bears lines of letters and is no picture to its rim."""
    left, top = np.maximum(corners.min(axis=0).astype(int), 0)
    right, bottom = corners.max(axis=0).astype(int)
    part = page[top:bottom, left:right]
    return part.size > 0 and letter_height(part) is not None and not fills_the_page(part, dpi)
