"""Stamps and notes that stand askew on a straight page: the engine reads them when they are turned."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, with_margin
from hyalen.core.imaging.skew import estimate_skew, glyph_mask
from hyalen.core.languages import is_known
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, Shape
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import Letters, unread_strips

NEAR = 0.12  # inches between rows of one stamp
LARGEST = (4.0, 3.0)  # inches
LEAST, MOST = 1.5, 15.0  # degrees: straighter rows are read as they are; what the skew can be told of
MOST_GROUPS = 8  # of a page, the largest first
SURE, LEAST_LETTERS = 0.7, 4  # confidence of a line, and letters, that are taken over
MARGIN = 0.15  # inches of paper around what is turned


def read_askew(
    page: Image,
    dpi: float,
    languages: tuple[str, ...],
    blocks: Sequence[FoundBlock],
    reader: Reader,
    letters: Letters,
) -> list[FoundBlock]:
    """Blocks of what was left unread because it leans by more than a degree or two.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    letters : Letters
        The page's.
    """
    read = [w.box for b in blocks for line in b.lines for w in line.words]
    found = []
    for box in _groups(unread_strips(letters, read), dpi)[:MOST_GROUPS]:
        margin = int(MARGIN * dpi)
        crop = _letters(page, box, dpi, margin)
        lean = estimate_skew(crop, dpi).degrees
        if not LEAST < abs(lean) < MOST:
            continue
        height, width = crop.shape
        turn = cv2.getRotationMatrix2D((width / 2, height / 2), -lean, 1.0)
        turned = as_uint8(cv2.warpAffine(crop, turn, (width, height), flags=cv2.INTER_CUBIC, borderValue=255))
        lines = [line for b in reader.read_region(turned, dpi, languages, Shape.BLOCK) for line in b.lines]
        back = np.asarray(cv2.invertAffineTransform(turn), np.float64)
        back[:, 2] += box.left - margin, box.top - margin
        kept = tuple(_turned(line, back) for line in lines if _is_sure(line))
        if kept:
            found.append(FoundBlock(BlockKind.TEXT, union(line.box for line in kept), kept))
    return found


def _groups(strips: Sequence[Box], dpi: float) -> list[Box]:
    """Boxes around strips that stand together and are no larger than a stamp, the largest first."""
    groups: list[Box] = []
    for strip in strips:
        near = [g for g in groups if g.grown(int(NEAR * dpi)).overlap(strip) > 0]
        groups = [g for g in groups if g not in near] + [union([strip, *near])]
    fitting = [g for g in groups if g.width < LARGEST[0] * dpi and g.height < LARGEST[1] * dpi]
    return sorted(fitting, key=lambda g: -g.area)


def _letters(page: Image, box: Box, dpi: float, margin: int) -> Image:
    """The letters of a part of the page without the frame around them."""
    window = page[box.top : box.bottom, box.left : box.right]
    window = with_margin(window, margin)
    letters = cv2.dilate(glyph_mask(window, dpi).astype(np.uint8), np.ones((5, 5), np.uint8))
    return np.where(letters == 1, window, np.uint8(255)).astype(np.uint8)


def _is_sure(line: FoundLine) -> bool:
    letters = sum(c.isalnum() for w in line.words for c in w.text)
    known = any(len(w.text) > 3 and is_known(w.text.strip(".,:;"), w.language) for w in line.words)
    return letters >= LEAST_LETTERS and (line.confidence > SURE or (known and line.confidence > 0.5))


def _turned(line: FoundLine, matrix: NDArray[np.float64]) -> FoundLine:
    """The line where it stands on the page; its words' boxes are upright ones around them."""

    def point(x: float, y: float) -> Point:
        return Point(*(float(v) for v in matrix @ (x, y, 1.0)))

    def box(b: Box) -> Box:
        corners = [point(x, y) for x in (b.left, b.right) for y in (b.top, b.bottom)]
        xs, ys = [p.x for p in corners], [p.y for p in corners]
        return Box(*(round(v) for v in (min(xs), min(ys), max(xs), max(ys))))

    words = tuple(w._replace(box=box(w.box)) for w in line.words)
    start, end = (point(*p) for p in line.baseline)
    return line._replace(words=words, box=union(w.box for w in words), baseline=(start, end))
