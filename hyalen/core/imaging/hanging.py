"""The ink of a row of print, without what hangs into it from the rows above and below."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.model.geometry import Box

PALEST_INK = 190  # grey level; where nothing is darker there are no letters, only grain
ABOVE, BELOW = 0.4, 0.15  # of a word's height: white within it, over and under its letters
MOST_HANGING = 0.3  # of a row's height, that other rows' letters reach into it


def on_ink(page: Image, box: Box) -> Box:
    """The box no higher than its ink; as it is where it has none.

    Parameters
    ----------
    page : (h, w) uint8
        Dark on white.
    box : Box
        Of a word.
    """
    top, left = max(0, box.top), max(0, box.left)
    part = page[top : max(0, box.bottom), left : max(0, box.right)]
    if part.size == 0:
        return box
    full = without_hanging((part < PALEST_INK).astype(np.uint8)).sum(axis=1)
    inked = np.flatnonzero(full)
    if not len(inked):
        return box
    runs = np.split(inked, np.flatnonzero(np.diff(inked) > 1) + 1)
    main = max(range(len(runs)), key=lambda i: int(full[runs[i]].sum()))
    first, last = int(runs[main][0]), int(runs[main][-1])
    tall = last - first + 1
    for run in reversed(runs[:main]):  # dots and accents stand above, the next row's below
        if first - int(run[-1]) > ABOVE * tall:
            break
        first = int(run[0])
    for run in runs[main + 1 :]:
        if int(run[0]) - last > BELOW * tall:
            break
        last = int(run[-1])
    return box._replace(top=top + first, bottom=top + last + 1)


def without_hanging(ink: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """A row's ink without what hangs into it from the rows above and below.

    Parameters
    ----------
    ink : (h, w) uint8
        1 where there is ink.
    """
    if not ink.any():
        return ink
    found = pieces(ink)
    top, height = found.stats[:, cv2.CC_STAT_TOP], found.stats[:, cv2.CC_STAT_HEIGHT]
    bottom, reach = top + height, MOST_HANGING * ink.shape[0]
    hang = ((top == 0) & (bottom < reach)) | ((bottom == ink.shape[0]) & (top > ink.shape[0] - reach))
    hang[0] = False
    return np.where(found.of(hang), np.uint8(0), ink) if hang.any() else ink
