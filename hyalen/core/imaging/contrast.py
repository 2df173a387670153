"""How far ink stands out from its paper, as WCAG 2.2 measures it, from the pixels of the page."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.model.geometry import Box

LEAST_INK = 12  # pixels of a box's ink; fewer tell nothing
MOST_BOXES = 80  # that are looked at: the median of more is hardly another
CORE = 25  # per cent: the tone of the darker part of the ink is that of its strokes, the rest are their soft edges
_LINEAR = np.array(
    [c / 12.92 if (c := v / 255) <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for v in range(256)]
)  # sRGB, IEC 61966-2-1


def luminance(colour: Sequence[float]) -> float:
    """Relative luminance of an sRGB colour of 0 to 255 (WCAG 2.2, definition of relative luminance)."""
    red, green, blue = (float(_LINEAR[round(min(255.0, max(0.0, v)))]) for v in colour)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def ratio(one: float, other: float) -> float:
    """Contrast ratio of two luminances, 1 to 21 (WCAG 2.2, definition of contrast ratio)."""
    return (max(one, other) + 0.05) / (min(one, other) + 0.05)


def contrast(page: Image, boxes: Sequence[Box]) -> float | None:
    """The contrast of writing in some boxes, as most of them have it; None where none has enough ink.

    Ink and paper are told apart by Otsu's threshold in each box (IEEE Transactions on Systems, Man, and
    Cybernetics 9(1), 1979); writing that is lighter than its ground counts as well.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    boxes : sequence of Box
        Words.
    """
    tones = grey(page)
    found = [told for box in boxes[:: 1 + len(boxes) // MOST_BOXES] if (told := _of_box(page, tones, box)) is not None]
    return round(float(np.median(found)), 2) if found else None


def _of_box(page: Image, tones: NDArray[np.uint8], box: Box) -> float | None:
    rows, columns = slice(max(0, box.top), box.bottom), slice(max(0, box.left), box.right)
    part = np.ascontiguousarray(tones[rows, columns])
    if part.size < 4 * LEAST_INK:
        return None
    level = int(cv2.threshold(part, 0, 255, cv2.THRESH_BINARY | cv2.THRESH_OTSU)[0])
    counts = np.bincount(part.ravel(), minlength=256)
    dark = int(counts[: level + 1].sum())
    if min(dark, part.size - dark) < LEAST_INK:
        return None
    ink_is_dark = 2 * dark <= part.size
    if ink_is_dark:
        core, ground = (0, _share(counts, 0, level, CORE)), (level + 1, 255)
    else:
        core, ground = (_share(counts, level + 1, 255, 100 - CORE), 255), (0, level)
    if page.ndim == 2:
        one, other = (luminance([_share(counts, *span, 50)] * 3) for span in (core, ground))
    else:
        colours = page[rows, columns]
        one, other = (_median(colours[(part >= low) & (part <= high)]) for low, high in (core, ground))
    return ratio(one, other)


def _share(counts: NDArray[np.intp], low: int, high: int, per_cent: int) -> int:
    """Of the tones from `low` to `high`, the one that so many per cent do not exceed."""
    summed = np.cumsum(counts[low : high + 1])
    return low + int(np.searchsorted(summed, summed[-1] * per_cent / 100))


def _median(colours: Image) -> float:
    """Luminance of the median colour."""
    return luminance(np.median(colours, axis=0).tolist())
