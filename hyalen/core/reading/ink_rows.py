"""Rows of print told by their ink, where the engine's lines run into each other."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, pieces, with_margin
from hyalen.core.languages import mostly_right_to_left
from hyalen.core.model.found import FoundLine, Shape
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import DARK, shifted

# Usual heights: letters that tell where rows are, and those of all rows that hang together; rows' least distance, the
# window over which ink is summed up, and what is shown around a row.
LETTER, SEVERAL, APART, WINDOW, AROUND = 0.3, 3.0, 0.5, 0.12, 0.2
PROMINENT = 0.15  # of the root of the fullest row's ink, by which a row stands out: short ones have little
CLOSE, WIDE = 1 / 60, 1 / 15  # inches around a row that is shown: closely where the engine passes it over


class Row(NamedTuple):
    """A row's place in the page, and its ink alone.

    `level` is where it has the most ink, `size` how high the middle four fifths of its ink are: unlike the row's own
    height that is the same whichever signs stand over its letters.
    """

    box: Box
    ink: Image
    level: float
    size: float


def ink_rows(page: Image, column: Sequence[FoundLine], others: Sequence[FoundLine], usual: float) -> list[Row]:
    """The rows of a column from top to bottom: each piece of ink belongs to the one whose letters it is nearest to.

    Parameters
    ----------
    page : (h, w) uint8
        Dark on white.
    column : sequence of FoundLine
        What was read of it.
    others : sequence of FoundLine
        What stands beside it, whose ink is none of its own.
    usual : float
        Height of a line, in pixels.
    """
    from scipy.signal import find_peaks  # slow to load, and needed on such pages only

    area = union(line.box for line in column).grown(round(AROUND * usual), Box(0, 0, page.shape[1], page.shape[0]))
    crop = page[area.top : area.bottom, area.left : area.right].copy()
    for box in (w.box.intersection(area) for line in others for w in line.words if area.overlap(w.box) > 0):
        crop[box.top - area.top : box.bottom - area.top, box.left - area.left : box.right - area.left] = 255
    parts = pieces((crop < DARK).astype(np.uint8))
    height = parts.stats[:, 3]
    letters = (height > LETTER * usual) & (height < SEVERAL * usual)
    letters[0] = False
    full = parts.of(letters).sum(axis=1, dtype=np.float64)
    reach = 2 * round(4 * WINDOW * usual) + 1
    smooth = cv2.GaussianBlur(np.pad(full, round(usual))[:, None], (1, reach), WINDOW * usual)
    summed = np.sqrt(np.asarray(smooth, np.float64).ravel())
    levels = find_peaks(summed, distance=max(1.0, APART * usual), prominence=PROMINENT * summed.max())[0] - round(usual)
    if len(levels) == 0:
        return []
    nearest = np.abs(parts.centres[:, 1:] - levels[None]).argmin(axis=1)
    nearest[(height >= SEVERAL * usual) | (np.arange(len(height)) == 0)] = -1
    rows = (_row(crop, parts.of(nearest == at), area, float(level)) for at, level in enumerate(levels))
    return [row for row in rows if row is not None]


def _row(crop: Image, own: NDArray[np.uint8], area: Box, level: float) -> Row | None:
    left, top, width, height = cv2.boundingRect(own)
    if width == 0:
        return None
    window = (slice(top, top + height), slice(left, left + width))
    rims = cv2.dilate(own[window], np.ones((3, 3), np.uint8))
    ink = as_uint8(np.where(rims > 0, crop[window], 255))
    x, y = area.left + left, area.top + top
    summed = np.cumsum(own[window].sum(axis=1, dtype=np.float64))
    low, high = np.searchsorted(summed, (0.1 * summed[-1], 0.9 * summed[-1]))
    return Row(Box(x, y, x + width, y + height), ink, area.top + level, float(max(1, high - low)))


def read_row(row: Row, dpi: float, languages: tuple[str, ...], reader: Reader) -> list[FoundLine]:
    """What a row says; the engine passes some over that it reads where it does not look for a line first."""
    for around, shape in ((WIDE, Shape.LINE), (CLOSE, Shape.RAW_LINE)):
        margin = round(around * dpi)
        found = reader.read_region(with_margin(row.ink, margin), dpi, languages, shape)
        lines = [line for b in found for line in b.lines if line.words]
        if lines:
            return [shifted(_as_one(lines), row.box.left - margin, row.box.top - margin)]
    return []


def _as_one(lines: Sequence[FoundLine]) -> FoundLine:
    """Parts of a row as one line."""
    if len(lines) == 1:
        return lines[0]
    backwards = mostly_right_to_left([w.language for line in lines for w in line.words])
    parts = sorted(lines, key=lambda line: -line.box.right if backwards else line.box.left)
    box = union(line.box for line in parts)
    level = float(np.median([line.level for line in parts]))
    words = tuple(w for line in parts for w in line.words)
    height = max(line.height for line in parts)
    return FoundLine(words, box, (Point(box.left, level), Point(box.right, level)), height)
