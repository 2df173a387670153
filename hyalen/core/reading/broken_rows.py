"""Rows that the engine read in two parts, with letters between them that it passed over."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.pixels import Image, with_margin
from hyalen.core.model.found import FoundBlock, FoundLine, Shape
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import (
    DARK,
    letter_widths,
    shifted,
    sure_letters,
    with_lines_replaced,
    without_emptied,
)

GAP, LEVEL, ALIKE = (0.3, 4.0), 0.6, 1.4  # line heights between two parts; of theirs, in common; times as high, at most
LEAST_LETTERS = 2  # in the gap
AROUND = 1 / 15  # inches of white around a row that is read
MOST = 12  # rows of a page


def with_broken_rows(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks with rows read again as a whole where letters between two parts were passed over and that reads better.

    Parameters
    ----------
    page : (h, w) uint8
        Dark on white.
    dpi : float
        Pixels an inch.
    """
    result = list(blocks)
    for left, right in _broken(page, [line for b in blocks for line in b.lines if line.words])[:MOST]:
        if any(all(part is not line for b in result for line in b.lines) for part in (left, right)):
            continue  # a part of a row that is whole by now
        place, margin = union((left.box, right.box)), int(dpi * AROUND)
        crop = np.ascontiguousarray(page[max(0, place.top) : place.bottom, max(0, place.left) : place.right])
        found = reader.read_region(with_margin(crop, margin), dpi, languages, Shape.LINE)
        lines = [
            shifted(line, place.left - margin, place.top - margin) for b in found for line in b.lines if line.words
        ]
        if len(lines) == 1 and sure_letters(lines[0]) > sure_letters(left) + sure_letters(right):
            result = with_lines_replaced(result, (left, right), lines)
    return without_emptied(result, blocks)


def _broken(page: Image, lines: Sequence[FoundLine]) -> list[tuple[FoundLine, FoundLine]]:
    found = []
    for left in lines:
        for right in lines:
            gap = right.box.left - left.box.right
            if not 0 < gap < GAP[1] * left.height:
                continue
            low, high = sorted(min(line.height, line.box.height) for line in (left, right))
            if not GAP[0] * low < gap < GAP[1] * low or high > ALIKE * low:
                continue
            top, bottom = max(left.box.top, right.box.top), min(left.box.bottom, right.box.bottom)
            if bottom - top < LEVEL * min(left.box.height, right.box.height):
                continue
            between = Box(left.box.right, top, right.box.left, bottom)
            if not any(line.box.overlap(between) > 0 for line in lines) and _has_letters(page, between, low):
                found.append((left, right))
    return found


def _has_letters(page: Image, gap: Box, size: float) -> bool:
    """Whether letters stand there, and no rule from above to below."""
    around = page[max(0, round(gap.top - size)) : round(gap.bottom + size), max(0, gap.left) : gap.right] < DARK
    return len(letter_widths(page, gap, size)) >= LEAST_LETTERS and not bool(around.all(axis=0).any())
