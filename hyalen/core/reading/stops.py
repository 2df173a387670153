"""Full stops by their ink: a speck behind a word seldom has the size and the place of the page's own stops."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.languages import is_right_to_left
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord

DARK = 128  # grey level of ink
REACH = 0.6  # of the row's height: how far from the word's end a stop may begin
BELOW, TALLEST = 0.35, 0.5  # of the row's height: how far from the baseline it ends, and how tall it is
LEAST_PIXELS = 3
LEAST = 6  # stops that surely are some, from which a page's own are known
SURE = 0.85  # confidence of the word before such a one
SIZE, PLACE = 0.3, 0.08  # by which another may differ, of its size; of the row's height


class Stop(NamedTuple):
    """Width, height and foot above the line's baseline, as shares of the row's height."""

    width: float
    height: float
    foot: float


def usual_stop(page: Image, blocks: Sequence[FoundBlock]) -> Stop | None:
    """What a full stop looks like on the page: the middle of those before a capital, a figure or a line's end.

    None where there are too few.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    blocks : sequence of FoundBlock
    """
    sure = [
        stop_of(page, word, line)
        for block in blocks
        for line in block.lines
        for word, following in zip(line.words, (*line.words[1:], None), strict=True)
        if word.text.endswith(".") and word.confidence > SURE and not (following and following.text[0].islower())
    ]
    found = [stop for stop in sure if stop is not None]
    return Stop(*np.median(np.array(found), axis=0).tolist()) if len(found) >= LEAST else None


def is_like(stop: Stop | None, usual: Stop | None) -> bool:
    """Whether a mark may be one of the page's own full stops."""
    if stop is None or usual is None:
        return False
    sized = all(abs(a - b) <= SIZE * b for a, b in ((stop.width, usual.width), (stop.height, usual.height)))
    return sized and abs(stop.foot - usual.foot) <= PLACE


def stop_of(page: Image, word: FoundWord, line: FoundLine) -> Stop | None:
    """The mark at a word's end; None where no small ink stands there."""
    height, box = line.height, word.box
    reach, left, right = round(REACH * height), box.left, box.right
    if is_right_to_left(word.language):
        left, right = left - 2, min(right, left + reach)
    else:
        left, right = max(left, right - reach), right + 2
    left, top = max(0, left), max(0, box.top)
    window = (page[top : max(0, box.bottom + round(BELOW * height)), left : max(0, right)] < DARK).astype(np.uint8)
    level = line.level_at((left + right) / 2)
    marks = [
        Stop(w / height, h / height, (level - top - y - h) / height)
        for x, y, w, h, area in pieces(window).stats[1:].tolist()
        if area >= LEAST_PIXELS
        and x > 0
        and x + w < window.shape[1]
        and h < TALLEST * height
        and abs(level - top - y - h) < BELOW * height
    ]
    return marks[0] if len(marks) == 1 else None
