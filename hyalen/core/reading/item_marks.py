"""Marks at the head of items, bullets and numbers, that the engine's layout analysis passed over."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from hyalen.core.imaging.pixels import Image, pieces, with_margin
from hyalen.core.languages import mostly_right_to_left
from hyalen.core.layout.bullets import BULLET
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord, Shape
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.reader import Reader

DARK = 140  # grey level of ink
# Of the height of a row's capitals: from where to where such ink stands before the row, how high and wide it is at most,
# the white on its both sides, and how far it reaches over and under the row.
REACH, HIGHEST, WIDEST, WHITE, OFF = 4.0, 1.3, 2.6, (0.15, 0.45), 0.3
LEAST = 0.12  # of that height: what is lower is dust
MOST_PIECES = 6
ROUND, SOLID, BULLET_HEIGHT = (0.7, 1.4), 0.68, (0.15, 0.62)  # a disc fills 0.79 of its box
ALIKE, BENEATH, LEAST_BULLETS = 0.3, 0.35, 2  # of its size and of the capitals' height: bullets beneath each other
LETTERS = 3  # of a mark; what was read by itself and is no longer belongs to the line beside it
MARK = re.compile(r"[(\[]?(?:\d{1,3}|[ivxlc]{1,5}|[^\W\d_])[.)\]]|\(\d{1,3}\)", re.IGNORECASE)
SURE = 0.5  # confidence of a mark
AROUND = 1 / 15  # inches of white around what is read
MOST = 60  # rows of a page that are looked at closely


class _Before(NamedTuple):
    """The ink before a row, and the words, of this row or another, that were read of it."""

    line: FoundLine
    ink: Box
    read: tuple[FoundWord, ...]
    disc: bool


def with_item_marks(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks with the bullet, number or letter that stands before a row put at its head.

    A bullet is told by its shape and by others of its size beneath or over it; what else stands there is read, and kept
    where it reads as the mark of an item.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    lines = [line for block in blocks for line in block.lines if line.words]
    found = list(_before(page, lines))[:MOST]
    marks: dict[int, FoundWord] = {}
    for each in found:
        word = _bullet(each, found) if each.disc else _read(page, dpi, languages, each, reader)
        if word is not None:
            marks[id(each.line)] = word
    taken = {id(w) for each in found if id(each.line) in marks for w in each.read}

    def marked(line: FoundLine) -> FoundLine | None:
        words = tuple(w for w in line.words if id(w) not in taken)
        mark = marks.get(id(line))
        if mark is None and len(words) == len(line.words):
            return line
        words = words if mark is None else (mark, *words)
        return line._replace(words=words, box=union(w.box for w in words)) if words else None

    return [block._replace(lines=tuple(filter(None, map(marked, block.lines)))) for block in blocks]


def _before(page: Image, lines: Sequence[FoundLine]) -> Iterator[_Before]:
    for line in lines:
        at = _begins(line)
        if at is None:
            continue
        first, size = line.words[at], type_size(line)
        backwards = mostly_right_to_left([w.language for w in line.words])
        begins = first.box.right if backwards else first.box.left
        sides = [begins + (1 if backwards else -1) * far * size for far in (REACH, WHITE[0])]
        level = line.level_at(begins)
        left, right, top, bottom = min(sides), max(sides), level - (1 + OFF) * size, level + OFF * size
        place = Box(*(max(0, round(v)) for v in (left, top, right, bottom)))
        ink = _cluster(page, place, size, backwards)
        if ink is None:
            continue
        near = [(other, w) for other in lines for w in other.words if w.box.overlap(ink) > 0 and w is not first]
        if all((other is line and w in line.words[:at]) or _is_short(other) for other, w in near):
            yield _Before(line, ink, tuple(w for _, w in near), _is_disc(page, ink, size))


def _begins(line: FoundLine) -> int | None:
    """Where the line's text begins behind bits of a mark; None where it begins with a whole one, or is none."""
    for at, word in enumerate(line.words[:2]):
        if MARK.fullmatch(word.text) or word.text == BULLET:
            return None
        if any(map(str.isalnum, word.text)):
            return at if len(line.words) - at > 1 or len(word.text) > LETTERS else None
    return None


def _is_short(line: FoundLine) -> bool:
    return len(line.words) == 1 and len(line.words[0].text) <= LETTERS


def _cluster(page: Image, place: Box, size: float, backwards: bool) -> Box | None:
    """The ink in a place where it is small, white is around it, and it stands as high as the row."""
    window = (page[place.top : place.bottom, place.left : place.right] < DARK).astype(np.uint8)
    if not window.any():
        return None
    stats = pieces(window).stats[1:]
    found = [Box(x, y, x + w, y + h) for x, y, w, h, _ in stats.tolist() if max(w, h) >= LEAST * size]
    found = [b for b in found if b.top > 0 and b.bottom < window.shape[0]] or found
    nearest: list[Box] = []
    for box in sorted(found, key=lambda b: b.left if backwards else -b.right):  # what is far off is another column's
        inner = union(nearest) if nearest else box
        if (box.left - inner.right if backwards else inner.left - box.right) > WHITE[1] * size:
            break
        nearest.append(box)
    if not 0 < len(nearest) <= MOST_PIECES:
        return None
    ink = union(nearest)
    outside = window.shape[1] - ink.right if backwards else ink.left
    white = outside >= WHITE[1] * size and ink.top > 0 and ink.bottom < window.shape[0]
    if not white or ink.height > HIGHEST * size or ink.width > WIDEST * size:
        return None
    return Box(ink.left + place.left, ink.top + place.top, ink.right + place.left, ink.bottom + place.top)


def _is_disc(page: Image, box: Box, size: float) -> bool:
    ink = page[box.top : box.bottom, box.left : box.right] < DARK
    round_ = ROUND[0] < box.width / max(1, box.height) < ROUND[1]
    return bool(round_ and ink.mean() > SOLID and BULLET_HEIGHT[0] * size < box.height < BULLET_HEIGHT[1] * size)


def _bullet(each: _Before, found: Sequence[_Before]) -> FoundWord | None:
    size = type_size(each.line)
    beneath = [
        other
        for other in found
        if other.disc
        and abs(other.ink.height - each.ink.height) <= ALIKE * each.ink.height + 1
        and abs(other.ink.centre.x - each.ink.centre.x) < BENEATH * size
    ]
    if len(beneath) < LEAST_BULLETS or each.ink.centre.y > each.line.level - BULLET_HEIGHT[0] * size:
        return None
    return FoundWord(BULLET, each.ink, 0.9, each.line.words[-1].language)


def _read(page: Image, dpi: float, languages: tuple[str, ...], each: _Before, reader: Reader) -> FoundWord | None:
    """What is read of the ink, alone or with the row's first words, where that is a mark."""
    line, margin = each.line, int(dpi * AROUND)
    beside = [w.box for w in line.words if not w.box.overlap(each.ink)][:2]
    for place in (union((each.ink, *beside)), each.ink):
        crop = np.ascontiguousarray(page[place.top : place.bottom, place.left : place.right])
        found = reader.read_region(with_margin(crop, margin), dpi, languages, Shape.LINE)
        words = [w for block in found for row in block.lines for w in row.words]
        if words and MARK.fullmatch(words[0].text) and words[0].confidence >= SURE:
            return words[0]._replace(box=each.ink, others=tuple(w.text for w in each.read))
    return None
