"""Bullets: solid round marks at the head of a line, which readers take for letters."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.found import FoundLine, FoundWord

BULLET = "•"
SURE = 0.93  # a letter read with more confidence is one
LEAST_SOLID = 0.68  # of its box; a disc fills 0.79 of it, a ring or an e far less
HEIGHT = (0.18, 0.75)  # of the capitals'


def mark_bullets(page: Image, lines: Sequence[FoundLine]) -> list[FoundLine]:
    """The lines with a first word that is a solid round mark read as a bullet.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    lines : sequence of FoundLine
    """
    return [_marked(page, line) for line in lines]


def _marked(page: Image, line: FoundLine) -> FoundLine:
    if len(line.words) < 2:
        return line
    first, *others = line.words
    if len(first.text) > 2 or first.text[0].isdigit() or first.text == BULLET:
        return line
    if first.text.isalpha() and first.confidence > SURE:
        return line
    rest = line._replace(words=tuple(others))
    if not _is_disc(page, first, type_size(rest)):
        return line
    bullet = first._replace(text=BULLET, confidence=0.9, others=(*first.others, first.text))
    return line._replace(words=(bullet, *others))


def _is_disc(page: Image, word: FoundWord, size: float) -> bool:
    box = word.box
    window = page[max(0, box.top) : box.bottom, max(0, box.left) : box.right]
    if window.size == 0:
        return False
    stats = pieces((window < 150).astype(np.uint8)).stats[1:]
    if len(stats) == 0:
        return False
    _, _, width, height, area = (int(v) for v in stats[int(np.argmax(stats[:, 4]))])
    round_ = 0.7 < width / max(1, height) < 1.4
    return round_ and area > LEAST_SOLID * width * height and HEIGHT[0] * size < height < HEIGHT[1] * size
