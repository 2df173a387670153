"""Words in another colour than those around them, from the pixels of the page."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.geometry import Box

DARKEST = 15  # per cent of a box's pixels that are surely ink
COLOURED, BLACK = 22.0, 12.0  # chroma in CIELAB: what is seen as coloured, and what as black or grey; no source
FEWEST = 3  # black words, without which a coloured one is no exception


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
