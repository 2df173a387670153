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
# Grey levels by which a pixel's channels differ more than the usual ink's: a stroke's rim, its core; the core's share.
WEAK, STRONG, LEAST_CORE = 25, 55, 0.3
# Of pale strokes: by how much their channels differ, at least and over how deep they are; how deep they are; the core as
# above. On a rubricated page nine in ten pale red pixels have 0.7 and more, on brown pages half of the ink 0.35 at most.
MUCH = 0.003  # of a page, printed in colour: then pale strokes are, too
PALE, PURE, PALE_DEPTH, PALE_STRONG, PALE_CORE = 30, 0.75, 25, 35, 0.2
LEAST_PAPER = 0.8  # of it, around which the ground is paper
UNTINTED = 200  # the darkest channel of a ground that is paper
GROUND_DPI, SEEN_DPI = 75.0, 100.0  # pixels an inch that tell of tints, and whether there is any such ink
WIDEST_STROKE = 8  # parts of an inch: what is wider is a tint or a mark laid over the writing


def coloured_ink(page: Image, dpi: float) -> NDArray[np.bool_] | None:
    """Where there is ink on paper in another colour than the page's usual ink, or None where there is none.

    Pale strokes count where much of the page is printed so: else they may be rims of brown ink.

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
    if int(colour.max()) <= own + STRONG:
        return None
    small, factor = reduced(darkest, dpi, GROUND_DPI)
    side = max(3, round(dpi / factor / WIDEST_STROKE)) | 1
    ground = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((side, side), np.uint8))
    paper = as_uint8(
        cv2.resize((ground > UNTINTED).astype(np.uint8), darkest.shape[::-1], interpolation=cv2.INTER_NEAREST)
    )
    found = _strokes(colour > own + WEAK, colour > own + STRONG, LEAST_CORE, paper)
    if found is None or np.count_nonzero(found) < MUCH * found.size:
        return found
    depth = as_uint8(255 - levels)
    pure = as_uint8(cv2.convertScaleAbs(depth, alpha=PURE))
    pale = _strokes(
        (colour > PALE) & (depth > PALE_DEPTH) & (colour > pure), colour > own + PALE_STRONG, PALE_CORE, paper
    )
    return found if pale is None else found | pale


def _strokes(
    weak: NDArray[np.bool_], strong: NDArray[np.bool_], least: float, paper: Image
) -> NDArray[np.bool_] | None:
    """The parts of `weak`, on paper, of which so much is `strong`; None where there are none."""
    parts = pieces(as_uint8(weak))
    count, area, labels = len(parts.stats), parts.stats[:, 4], parts.labels.ravel()
    cores = np.bincount(labels[np.flatnonzero(strong)], minlength=count)
    printed = np.bincount(labels[np.flatnonzero(weak & (paper == 1))], minlength=count)
    told = (cores >= least * area) & (printed >= LEAST_PAPER * area)
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
