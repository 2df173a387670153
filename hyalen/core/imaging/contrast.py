"""How far ink stands out from its paper, as WCAG 2.2 measures it, from the pixels of the page."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.model.geometry import Box

LEAST_INK = 12  # pixels of a box's ink; fewer tell nothing
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
    found = [told for box in boxes if (told := _of_box(page, tones, box)) is not None]
    return round(float(np.median(found)), 2) if found else None


def _of_box(page: Image, tones: NDArray[np.uint8], box: Box) -> float | None:
    rows, columns = slice(max(0, box.top), box.bottom), slice(max(0, box.left), box.right)
    part = np.ascontiguousarray(tones[rows, columns])
    if part.size < 4 * LEAST_INK:
        return None
    level, _ = cv2.threshold(part, 0, 255, cv2.THRESH_BINARY | cv2.THRESH_OTSU)
    dark = part <= level
    if min(dark.sum(), dark.size - dark.sum()) < LEAST_INK:
        return None
    ink = dark if dark.mean() <= 0.5 else ~dark
    strokes = part[ink]
    edge = np.percentile(strokes, CORE if ink is dark else 100 - CORE)
    core = ink & (part <= edge if ink is dark else part >= edge)
    colours = page[rows, columns]
    return ratio(_tone(colours, core), _tone(colours, ~ink))


def _tone(colours: Image, where: NDArray[np.bool_]) -> float:
    """Luminance of the median colour."""
    middle = np.median(colours[where], axis=0)
    return luminance([float(middle)] * 3 if colours.ndim == 2 else [float(v) for v in middle])
