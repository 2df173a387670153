"""Ink in colour: how dark it is to a reader, and which words have another colour than those around them."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces, reduced
from hyalen.core.model.geometry import Box

DARKEST = 15  # per cent of a box's pixels that are surely ink
COLOURED, BLACK = 22.0, 12.0  # chroma in CIELAB: what is seen as coloured, and what as black or grey; no source
FEWEST = 3  # black words, without which a coloured one is no exception
DARK = 128  # grey level of a page's usual ink, which may be brown: its channels differ, too
WEAK, STRONG = 25, 55  # grey levels by which a pixel's channels differ more than the usual ink's: rim and core
LEAST_CORE = 0.3  # of a stroke in colour: a brown ink's rims have some such pixels, too
LEAST_PAPER = 0.8  # of it, around which the ground is paper
UNTINTED = 200  # the darkest channel of a ground that is paper
GROUND_DPI, SEEN_DPI = 75.0, 100.0  # pixels an inch that tell of tints, and whether there is any such ink
WIDEST_STROKE = 8  # parts of an inch: what is wider is a tint or a mark laid over the writing


def coloured_ink(page: Image, dpi: float) -> NDArray[np.bool_] | None:
    """Where there is ink on paper in another colour than the page's usual ink, or None where there is none.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened; a grey page has none.
    dpi : float
        Pixels an inch.

    Returns
    -------
    (h, w) bool, or None
    """
    if page.ndim == 2:
        return None
    step = int(dpi // SEEN_DPI)
    if step > 1 and _coloured(np.ascontiguousarray(page[::step, ::step]), dpi / step) is None:
        return None  # most pages in colour have a picture or a tint, and black ink
    return _coloured(page, dpi)


def _coloured(page: Image, dpi: float) -> NDArray[np.bool_] | None:
    levels, (darkest, colour) = grey(page), _channels(page)
    counts = cv2.calcHist([colour], [0], as_uint8(levels < DARK), [256], [0, 256]).cumsum()
    own = int(np.searchsorted(counts, counts[-1] / 2)) if counts[-1] else 0
    strong = np.flatnonzero(colour > own + STRONG)
    if not len(strong):
        return None
    weak = as_uint8(colour > own + WEAK)
    parts = pieces(weak)
    small, factor = reduced(darkest, dpi, GROUND_DPI)
    side = max(3, round(dpi / factor / WIDEST_STROKE)) | 1
    ground = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((side, side), np.uint8))
    paper = cv2.resize((ground > UNTINTED).astype(np.uint8), darkest.shape[::-1], interpolation=cv2.INTER_NEAREST)
    count, area = len(parts.stats), parts.stats[:, 4]
    labels = parts.labels.ravel()
    cores = np.bincount(labels[strong], minlength=count)
    printed = np.bincount(labels[np.flatnonzero(cv2.bitwise_and(weak, paper))], minlength=count)
    told = (cores >= LEAST_CORE * area) & (printed >= LEAST_PAPER * area)
    told[0] = False
    return parts.of(told) == 1 if told.any() else None


def ink_levels(page: Image, dpi: float) -> Image:
    """Grey levels in which ink of another colour is as dark as its darkest channel.

    Red print is pale by its luma, and is taken for show-through or for no ink at all; its blue and green are nearly
    black (common practice, no source). Tints and the pictures' colours keep their luma.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened; a grey page is returned as it is.
    dpi : float
        Pixels an inch.

    Returns
    -------
    (h, w) uint8
    """
    coloured, levels = coloured_ink(page, dpi), grey(page)
    if coloured is not None:
        at = np.flatnonzero(coloured)
        levels.ravel()[at] = page.reshape(-1, 3)[at].min(axis=1)
    return levels


def _channels(page: Image) -> tuple[Image, Image]:
    """The darkest channel of each pixel, and by how much the brightest one exceeds it."""
    red, green, blue = cv2.split(page)
    darkest = cv2.min(cv2.min(red, green), blue)
    return as_uint8(darkest), as_uint8(cv2.subtract(cv2.max(cv2.max(red, green), blue), darkest))


def coloured_among_black(page: Image, boxes: Sequence[Box]) -> list[bool]:
    """For each word, whether its ink is coloured where most words' ink is black or grey.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        A grey page has none.
    boxes : sequence of Box
        Words of one text.
    """
    if page.ndim == 2 or len(boxes) <= FEWEST:
        return [False] * len(boxes)
    chroma = [_chroma(page, box) for box in boxes]
    black = sum(c is not None and c < BLACK for c in chroma)
    if black < max(FEWEST, len(boxes) / 2):
        return [False] * len(boxes)
    return [c is not None and c > COLOURED for c in chroma]


def _chroma(page: Image, box: Box) -> float | None:
    """How far from grey the middle of a word's ink is; None without pixels."""
    part = page[max(0, box.top) : box.bottom, max(0, box.left) : box.right]
    if part.size < 3 * 16:
        return None
    lab = cv2.cvtColor(np.ascontiguousarray(part, dtype=np.float32) / 255, cv2.COLOR_RGB2Lab).reshape(-1, 3)
    ink = lab[lab[:, 0] <= np.percentile(lab[:, 0], DARKEST)]
    return float(np.hypot(*np.median(ink[:, 1:], axis=0)))
