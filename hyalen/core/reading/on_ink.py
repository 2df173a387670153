"""Words' boxes on their ink, where the engine gave them the height of the whole row, or what is their neighbour's."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.hanging import PALEST_INK, without_hanging
from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import mostly_right_to_left
from hyalen.core.layout.sizes import DEEP, TALL
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import union

LEAST_SURE = 2  # letters of a word whose shape is told
HELD = 0.5  # of the next word's width, that a word cannot share
NARROWEST = 0.2  # of the line's height, a letter


def put_on_ink(page: Image, blocks: Sequence[FoundBlock]) -> list[FoundBlock]:
    """The blocks with words that were not measured as high and as wide as their ink, and their lines with them.

    Words of one height of which some reach below the line and others do not cannot have been measured, nor can a word
    that holds the one beside it.

    Parameters
    ----------
    page : (h, w) uint8
    """

    def told(line: FoundLine) -> FoundLine:
        words = _as_high(page, _as_wide(page, line))
        if words == line.words:
            return line
        box = union(w.box for w in words)
        lower = box.height < line.box.height
        return line._replace(words=words, box=box, height=min(line.height, float(box.height)) if lower else line.height)

    return [b._replace(lines=tuple(map(told, b.lines))) for b in blocks]


def _as_wide(page: Image, line: FoundLine) -> tuple[FoundWord, ...]:
    """A line's words without what is the next one's."""
    backwards = mostly_right_to_left([w.language for w in line.words])
    words = list(line.words)
    for i, following in enumerate(words[1:]):
        word, limit = words[i].box, following.box
        if min(word.right, limit.right) - max(word.left, limit.left) <= HELD * limit.width:
            continue
        left, right = (
            (max(word.left, limit.right), word.right) if backwards else (word.left, min(word.right, limit.left))
        )
        part = page[max(0, word.top) : max(0, word.bottom), max(0, left) : max(0, right)]
        inked = np.flatnonzero((part < PALEST_INK).any(axis=0)) + max(0, left)
        if len(inked) and inked[-1] + 1 - inked[0] > NARROWEST * line.height * len(words[i].text):
            left, right = (int(inked[0]), right) if backwards else (left, int(inked[-1]) + 1)
            words[i] = words[i]._replace(box=word._replace(left=left, right=right))
    return tuple(words)


def _as_high(page: Image, words: tuple[FoundWord, ...]) -> tuple[FoundWord, ...]:
    """Words of one row's height as high as their ink."""
    rows: dict[tuple[int, int], list[FoundWord]] = {}
    for word in words:
        if sum(c.isalpha() for c in word.text) >= LEAST_SURE:
            rows.setdefault((word.box.top, word.box.bottom), []).append(word)
    measured = list(words)
    for top, bottom in (row for row, alike in rows.items() if _differ(alike)):
        ink = without_hanging((page[max(0, top) : max(0, bottom)] < PALEST_INK).astype(np.uint8))
        for i, word in enumerate(measured):
            if (word.box.top, word.box.bottom) == (top, bottom):
                inked = np.flatnonzero(ink[:, max(0, word.box.left) : max(0, word.box.right)].any(axis=1)) + max(0, top)
                if len(inked):
                    measured[i] = word._replace(box=word.box._replace(top=int(inked[0]), bottom=int(inked[-1]) + 1))
    return tuple(measured)


def _differ(words: Sequence[FoundWord]) -> bool:
    """Whether their letters reach more and less far up or down."""
    return len({bool(DEEP.search(w.text)) for w in words}) > 1 or len({bool(TALL.search(w.text)) for w in words}) > 1
