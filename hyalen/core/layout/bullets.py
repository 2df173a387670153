"""Bullets: solid round marks at the head of a line, which readers take for letters."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box, union

BULLET = "•"
SURE = 0.93  # a letter read with more confidence is one
LEAST_SOLID = 0.68  # of its box; a disc fills 0.79 of it, a ring or an e far less
HEIGHT = (0.18, 0.62)  # of the capitals'
DARK = 150  # grey level of a bullet's ink
LEAST_BULLETS = 2  # on a page, before unread ones are looked for
REACH, NEAREST = 1.3, 0.15  # of the usual step from bullet to text, and of the capitals' height
MOST_ELSE = 1.15  # of the disc's ink, beside it


def mark_bullets(page: Image, lines: Sequence[FoundLine]) -> list[FoundLine]:
    """The lines with a first word that is a solid round mark read as a bullet.

    On a page that has several, those that the reader passed over are put before their lines.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    lines : sequence of FoundLine
    """
    marked = [_marked(page, line) for line in lines]
    steps = [line.words[1].box.left - line.words[0].box.left for line in marked if line.words[0].text == BULLET]
    if len(steps) < LEAST_BULLETS:
        return marked
    reach = REACH * float(np.median(steps))
    return [line if line.words[0].text == BULLET else _with_unread(page, line, reach) for line in marked]


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


def _with_unread(page: Image, line: FoundLine, reach: float) -> FoundLine:
    """The line with the bullet that stands by itself before it, where one does."""
    size, first = type_size(line), line.words[0]
    left, right = round(first.box.left - reach), round(first.box.left - NEAREST * size)
    beside = Box(max(0, left), max(0, round(line.level - size)), max(0, right), round(line.level))
    disc = _disc(page, beside, size)
    if disc is None or not first.text[0].isalnum():
        return line
    if _inked(page, beside) > MOST_ELSE * _inked(page, disc):
        return line
    bullet = FoundWord(BULLET, disc, 0.8, first.language)
    return line._replace(words=(bullet, *line.words), box=union((disc, line.box)))


def _inked(page: Image, box: Box) -> int:
    return int((page[box.top : box.bottom, box.left : box.right] < DARK).sum())


def _is_disc(page: Image, word: FoundWord, size: float) -> bool:
    return _disc(page, word.box, size) is not None


def _disc(page: Image, box: Box, size: float) -> Box | None:
    """The largest mark in a box, if it is a disc of a bullet's size."""
    window = page[max(0, box.top) : box.bottom, max(0, box.left) : box.right]
    if window.size == 0:
        return None
    stats = pieces((window < DARK).astype(np.uint8)).stats[1:]
    if len(stats) == 0:
        return None
    left, top, width, height, area = (int(v) for v in stats[int(np.argmax(stats[:, 4]))])
    round_ = 0.7 < width / max(1, height) < 1.4
    if not round_ or area <= LEAST_SOLID * width * height or not HEIGHT[0] * size < height < HEIGHT[1] * size:
        return None
    left, top = left + max(0, box.left), top + max(0, box.top)
    return Box(left, top, left + width, top + height)
