"""The sign №, for which most of the engine's models have none: they read "Ne" or "Wo" before a figure.

It is known by its ink: at its right a ring that ends above the line, and a bar beneath it.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.layout.aligned import NUMERO
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord
from hyalen.core.reading.fractions import ink_of

READ_AS = re.compile(r"[NW][eoasc°º9]?([.,:]?)$")
FIGURE = re.compile(r"[(„\"']?\d")
RIGHT = 0.5  # of the sign's width, behind which ring and bar stand
RING = (0.3, 0.75)  # of its height
MOST_BAR = 0.25  # of its height
ALIKE = 0.6  # of the ring's width, that the bar is wide at least


def with_numero(page: Image, blocks: Sequence[FoundBlock]) -> list[FoundBlock]:
    """The blocks with № before figures where its ink is.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    """

    def told(line: FoundLine) -> FoundLine:
        words = list(line.words)
        for i, (word, following) in enumerate(pairwise(line.words)):
            read = READ_AS.match(word.text)
            if read and FIGURE.match(following.text) and _is_numero(page, word):
                words[i] = word._replace(text=NUMERO + read[1], letters="", others=())
        return line._replace(words=tuple(words))

    return [block._replace(lines=tuple(map(told, block.lines))) for block in blocks]


def _is_numero(page: Image, word: FoundWord) -> bool:
    box = word.box
    return ringed_over_bar(ink_of(page[max(0, box.top) : max(0, box.bottom), max(0, box.left) : max(0, box.right)]))


def ringed_over_bar(ink: NDArray[np.uint8]) -> bool:
    """Whether a ring stands over a bar in the right part of a sign's ink.

    Parameters
    ----------
    ink : (h, w) uint8
        1 where there is ink.
    """
    height, width = ink.shape
    parts = [(x, y, w, h) for x, y, w, h, _ in pieces(ink).stats[1:].tolist() if x + w / 2 > RIGHT * width]
    for x, y, w, h in parts:
        if not RING[0] * height <= h <= RING[1] * height:
            continue
        for left, top, wide, high in parts:
            under = min(x + w, left + wide) - max(x, left)
            if top >= y + h and high <= MOST_BAR * height and high < wide and under >= ALIKE * w:
                return True
    return False
