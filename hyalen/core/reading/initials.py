"""Drop capitals that the engine's layout analysis passed over: large letters beside the first lines of a paragraph."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, as_uint8, pieces, reduced, with_margin
from hyalen.core.languages import SHAPED_ALIKE
from hyalen.core.layout.initials import LEAST_RISE, MOST_RISE
from hyalen.core.layout.strokes import stroke_width
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord, Shape
from hyalen.core.model.geometry import Box, Point
from hyalen.core.reading.reader import Reader

DARK = 140  # grey level
WORK_DPI = 150.0  # pixels an inch at which they are looked for
SLIMMEST, WIDEST = 0.12, 1.6  # of its height: a letter's width
LEAST_FILLED = 0.12  # of its box that is ink: less is a frame or a scratch
NEAR, LEVEL = 1.5, 0.5  # of the lines' height: how far off they begin, and how far their heads may be from the letter's
BESIDE = 2  # lines at least beside a letter
MOST = 12  # of a page that are read: each costs a reading or two
SHOWN, AROUND = 50, 10  # pixels of a letter's height, and of white around it, that the engine reads best
USUAL_STROKE = 0.08  # of a letter's height
SURE = 0.7  # confidence of a letter that is taken


def read_initials(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """Blocks of one letter each: a mark that no word holds, as high as two lines or more, which both begin beside it.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    lines = [line for block in blocks for line in block.lines if line.words]
    found = []
    for mark in _marks(page, dpi, lines)[:MOST]:
        word = next(filter(None, (_read(each, mark, dpi, languages, reader) for each in _letters(page, mark))), None)
        if word is not None:
            base = (Point(mark.left, mark.bottom), Point(mark.right, mark.bottom))
            found.append(FoundBlock(BlockKind.TEXT, mark, (FoundLine((word,), mark, base, mark.height),)))
    return found


def _letters(page: Image, mark: Box) -> Iterator[Image]:
    """The letter as it is, then, where its strokes are heavy, with usual ones."""
    letter = with_margin(page[mark.top : mark.bottom, mark.left : mark.right], 2)
    yield letter
    less = round(stroke_width(page, mark) - USUAL_STROKE * mark.height)
    if less > 1:
        yield as_uint8(cv2.dilate(letter, np.ones((less, less), np.uint8)))


def _read(letter: Image, mark: Box, dpi: float, languages: tuple[str, ...], reader: Reader) -> FoundWord | None:
    """The one capital that it is read as, for certain."""
    small, _ = reduced(letter, mark.height, SHOWN)
    blocks = reader.read_region(with_margin(small, AROUND), dpi, languages, Shape.LINE)
    words = [w for block in blocks for line in block.lines for w in line.words]
    if len(words) != 1 or words[0].confidence < SURE or len(words[0].text) != 1:
        return None
    text = words[0].text.upper() if words[0].text in SHAPED_ALIKE else words[0].text
    return words[0]._replace(text=text, box=mark) if text.isupper() else None


def _marks(page: Image, dpi: float, lines: Sequence[FoundLine]) -> list[Box]:
    """Where marks stand as an initial does."""
    if not lines:
        return []
    small, factor = reduced(page, dpi, WORK_DPI)
    usual = float(np.median([line.height for line in lines])) / factor
    left, top, width, height, area = pieces((small < DARK).astype(np.uint8)).stats.T
    fits = (height > LEAST_RISE * usual) & (height < MOST_RISE * usual)
    fits &= (width > SLIMMEST * height) & (width < WIDEST * height) & (area > LEAST_FILLED * width * height)
    fits[0] = False
    words = np.array([w.box for line in lines for w in line.words], dtype=np.float64)
    found = []
    for i in np.flatnonzero(fits):
        box = Box(*(round(v * factor) for v in (left[i], top[i], left[i] + width[i], top[i] + height[i])))
        overlap = np.minimum(words[:, 2], box.right) - np.maximum(words[:, 0], box.left)
        level = np.minimum(words[:, 3], box.bottom) - np.maximum(words[:, 1], box.top)
        if not ((overlap > 0) & (level > 0)).any() and _stands_first(box, lines):
            found.append(box)
    return found


def _stands_first(box: Box, lines: Sequence[FoundLine]) -> bool:
    """Whether two lines or more begin right beside it, the first at its head, and what follows begins beneath it."""
    beside, beneath = [], False
    for line in lines:
        first = line.words[0].box
        near = -LEVEL * line.height < first.left - box.right < NEAR * line.height
        if near and box.top - LEVEL * line.height < line.level - 0.5 * line.height < box.bottom:
            beside.append(line)
        under = -0.2 * line.height < line.level - box.bottom < 2.2 * line.height
        beneath |= under and abs(first.left - box.left) < NEAR * line.height
    if len(beside) < BESIDE or not beneath:
        return False
    head = min(beside, key=lambda line: line.level)
    return abs(head.level - head.height - box.top) < 2 * LEVEL * head.height
