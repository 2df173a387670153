"""Pictures, drawings and stamps: large ink that is neither text nor a table's rules."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, grey, reduced
from hyalen.core.model.geometry import Box

WORK_DPI = 100.0
FRAMED = 0.12  # more of a box under words than this is text with a frame around it


def find_figures(page: Image, dpi: float, words: Sequence[Box], tables: Sequence[Box]) -> list[Box]:
    """Boxes of pictures.

    Ink under well-read words and tables is taken away; what is left is joined over
    gaps of a twelfth of an inch, and a group counts as a picture when it is larger than half an
    inch both ways, or two thirds of an inch one way with a body of ink.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    words : sequence of Box
        Of words that were read with confidence.
    tables : sequence of Box
    """
    small, factor = reduced(grey(page), dpi, WORK_DPI)
    dpi = dpi / factor
    ink = (small < 200).astype(np.uint8)
    pad = max(1, int(dpi / 60))
    for box in (*words, *tables):
        left, top, right, bottom = (int(v / factor) for v in box)
        ink[max(0, top - pad) : bottom + pad + 1, max(0, left - pad) : right + pad + 1] = 0
    reach = max(3, int(dpi / 12)) | 1
    joined = cv2.morphologyEx(ink, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(joined, connectivity=8)
    found = []
    for i in range(1, count):
        left, top, width, height, area = (int(v) for v in stats[i])
        short, long = min(width, height), max(width, height)
        if short < dpi * 0.4 or long < dpi * 0.55 or area < 0.025 * width * height:
            continue
        strokes = int(
            ink[top : top + height, left : left + width][labels[top : top + height, left : left + width] == i].sum()
        )
        if strokes < 0.012 * width * height:
            continue
        box = Box(*(int(v * factor) for v in (left, top, left + width, top + height)))
        if sum(box.overlap(word) for word in words) > FRAMED * box.area:
            continue
        found.append(box.grown(int(factor), Box(0, 0, page.shape[1], page.shape[0])))
    return merged(found)


def merged(boxes: Sequence[Box]) -> list[Box]:
    """Boxes that overlap become one."""
    result: list[Box] = []
    for box in boxes:
        absorbed = [b for b in result if b.overlap(box) > 0]
        for other in absorbed:
            result.remove(other)
            box = Box(
                min(box.left, other.left),
                min(box.top, other.top),
                max(box.right, other.right),
                max(box.bottom, other.bottom),
            )
        result.append(box)
    return result if len(result) == len(boxes) else merged(result)
