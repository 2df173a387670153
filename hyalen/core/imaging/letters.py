"""How tall a page's letters stand, told from the ink alone: no resolution is asked."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces

LEAST_LETTERS = 40  # fewer do not tell a page's type
LEAST_SHARE = 0.08  # of all marks, that are letters in rows: in a photograph few happen to be
LEAST_ALIKE = 0.55  # of the heights near the usual one, where marks are letters
FEW, ALIKE_IF_FEW = 0.2, 0.74  # where most marks are none, as in mere noise
LARGEST_SIDE = 2600  # beyond, letters are measured on a reduced page
SMALLEST_SIDE = 1300  # below, on an enlarged one, so that small print comes apart
LEGIBLE = 13.0  # pixels; smaller letters read better enlarged (bench/real)
COMFORTABLE = 20.0  # pixels of small letters, to which smaller ones are enlarged
STEPS = (1.5, 2.0, 3.0, 4.0)  # few, so that pages of one document come out alike
MOST_PIXELS = 24e6  # of an enlarged page: bounds the time and memory of reading
# Cleaning takes up to 18 bytes a pixel, and a worker may take 1.5 GB: so many pixels are left as they are (A3 at
# 600 dpi has 70e6); of larger pages so many that they have room beside the scan itself.
LEFT_AS_THEY_ARE, BYTES_A_PIXEL, ROOM = 75e6, 18, 1.35e9
DARK = 140  # grey level of ink on a cleaned page
SUFFICES = 14.0  # pixels: letters of a clean page read no better taller than this (bench/text)
LEAST_REDUCTION, MOST_REDUCTION = 0.6, 0.95  # beyond the latter, reducing takes what it saves
STEPPED, SMOOTHED = 13.5, 0.5  # pixels: of such small letters the outlines are stairs; a Gaussian's deviation
SMALL_SHARE = 5.0  # %: so much small print among the letters decides for all


def letter_height(page: Image) -> float | None:
    """The usual height of small letters without ascender, in pixels; None where too few stand in rows.

    Ink is told from paper by a local mean. Parts of letter shape that have a like neighbour
    beside them count, each by its height; in running text a little more than half of them are
    small letters, so the height below which 40 % lie is theirs.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    """
    ink = grey(page)
    longest = max(ink.shape)
    scale = min(1.0, LARGEST_SIDE / longest) if longest > SMALLEST_SIDE else min(3.0, SMALLEST_SIDE / longest)
    if scale != 1.0:
        how = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
        ink = as_uint8(cv2.resize(ink, None, fx=scale, fy=scale, interpolation=how))
    side = max(15, max(ink.shape) // 50) | 1
    local = cv2.boxFilter(ink, cv2.CV_32F, (side, side), borderType=cv2.BORDER_REPLICATE)
    depth = local - ink
    dark = depth > max(14.0, 0.4 * float(np.percentile(depth[::3, ::3], 99.0)))
    found = pieces(dark.astype(np.uint8)).stats[1:]
    heights = in_rows(found.astype(np.float64))
    if len(heights) < max(LEAST_LETTERS, LEAST_SHARE * len(found)):
        return None
    usual = float(np.percentile(heights, 40))
    few = len(heights) < FEW * len(found)
    if np.mean((heights > 0.75 * usual) & (heights < 1.7 * usual)) < (ALIKE_IF_FEW if few else LEAST_ALIKE):
        return None
    return float(usual / scale)


def working_scale(page: Image) -> float:
    """By how much a page is to be reduced so that it can be cleaned in a worker's memory; 1 for all but plans.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    """
    pixels = page.shape[0] * page.shape[1]
    if pixels <= LEFT_AS_THEY_ARE:
        return 1.0
    return float(np.sqrt((ROOM - page.nbytes) / BYTES_A_PIXEL / pixels))


def reading_scale(page: Image) -> float:
    """By how much a page is to be enlarged so that its letters can be cleaned and read; 1 where they are tall enough.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    """
    if max(page.shape[:2]) > LARGEST_SIDE:
        return 1.0
    height = letter_height(page) or letter_height(np.rot90(page))  # a page that lies on its side has rows, too
    if height is None or height >= LEGIBLE:
        return 1.0
    most = float(np.sqrt(MOST_PIXELS / (page.shape[0] * page.shape[1])))
    wanted = min(COMFORTABLE / height, most)
    return max((step for step in STEPS if step <= 1.35 * wanted), default=1.0)


def smallest_letters(page: Image) -> float | None:
    """Height in pixels of the smallest print of a cleaned page, scraps of it left aside; None where letters are few.

    Parameters
    ----------
    page : (h, w) uint8
        Dark ink on white.
    """
    scale = min(1.0, LARGEST_SIDE / max(page.shape))
    small = as_uint8(cv2.resize(page, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)) if scale < 1 else page
    found = pieces((small < DARK).astype(np.uint8)).stats[1:]
    heights = in_rows(found.astype(np.float64))
    if len(heights) < max(LEAST_LETTERS, LEAST_ALIKE * len(found)):
        return None
    return float(np.percentile(heights, SMALL_SHARE) / scale)


def suited(page: Image, may_reduce: bool = True) -> tuple[Image, float]:
    """A cleaned page as it reads best and soonest, and by how much it was scaled for that.

    It is reduced as far as its smallest print allows; where that has few pixels, their stairs are smoothed.

    Parameters
    ----------
    page : (h, w) uint8
    may_reduce : bool
    """
    smallest = smallest_letters(page)
    if smallest is None:
        return page, 1.0
    if smallest < STEPPED:
        return as_uint8(cv2.GaussianBlur(page, (0, 0), SMOOTHED)), 1.0
    scale = float(np.clip(SUFFICES / smallest, LEAST_REDUCTION, 1.0))
    if not may_reduce or scale > MOST_REDUCTION:
        return page, 1.0
    size = (round(page.shape[1] * scale), round(page.shape[0] * scale))
    return as_uint8(cv2.resize(page, size, interpolation=cv2.INTER_AREA)), scale


def rescaled(page: Image, scale: float) -> Image:
    """The page with `scale` times the pixels a side, smooth between them."""
    if scale == 1.0:
        return page
    how = cv2.INTER_CUBIC if scale > 1 else cv2.INTER_AREA
    return as_uint8(cv2.resize(page, None, fx=scale, fy=scale, interpolation=how))


def in_rows(stats: NDArray[np.float64]) -> NDArray[np.float64]:
    """Heights of the parts that have a neighbour of like height right beside them.

    Parameters
    ----------
    stats : (n, 5) float64
        Left, top, width, height and area of each part.
    """
    _, _, width, height, area = stats.T
    shaped = (height >= 5) & (width >= 2) & (width < 6 * height) & (height < 5 * width) & (area > 0.12 * width * height)
    left, top, width, height, _ = stats[shaped].T
    order = np.lexsort((left, np.round((top + height) / 4)))
    left, top, width, height = left[order], top[order], width[order], height[order]
    kept = np.zeros(len(left), bool)
    for step in (1, 2, 3):
        if len(left) <= step:
            break
        taller = np.maximum(height[step:], height[:-step])
        shorter = np.minimum(height[step:], height[:-step])
        gap = left[step:] - (left + width)[:-step]
        level = np.abs((top + height)[step:] - (top + height)[:-step]) < 0.3 * taller
        beside = (taller < 1.7 * shorter) & (gap > -0.3 * taller) & (gap < 1.2 * taller) & level
        kept[step:] |= beside
        kept[:-step] |= beside
    return np.asarray(height[kept])
