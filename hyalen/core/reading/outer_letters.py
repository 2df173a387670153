"""Letters that the engine passed over at the beginning or the end of a row, right beside its first or last word."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np

from hyalen.core.imaging.pixels import Image, pieces, with_margin
from hyalen.core.languages import EDGES, is_known
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord, Shape
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.reader import Reader

DARK = 128  # grey level of ink
REACH, GAP = 1.1, 0.22  # of the row's height: how far off such ink ends; the white between it and the word, at most
LETTER, SLIMMEST = (0.55, 1.15), 0.12  # of the row's height: how high a letter is, and how wide
OFF = 0.15  # of the row's height, by which it may stand higher or lower than the row
HIGH = 75  # percentile of the heights of a row's words: those with capitals or ascenders
MOST_LETTERS = 2
AROUND = 1 / 15  # inches of white around a word that is read
MOST = 12  # words of a page that are read


class _Cut(NamedTuple):
    """A word at an end of its row, and its place with the ink before or behind it."""

    line: FoundLine
    at: int
    before: bool
    place: Box


def with_outer_letters(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks with words at the ends of rows read with the letter or two beside them, where that makes a known word.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    lines = [line for block in blocks for line in block.lines if line.words]
    whole: dict[int, list[FoundWord]] = {}
    for cut in list(_cut_words(page, lines))[:MOST]:
        margin = int(dpi * AROUND)
        crop = np.ascontiguousarray(page[cut.place.top : cut.place.bottom, cut.place.left : cut.place.right])
        found = reader.read_region(with_margin(crop, margin), dpi, languages, Shape.LINE)
        read = [w for block in found for line in block.lines for w in line.words]
        words = whole.setdefault(id(cut.line), list(cut.line.words))
        if len(read) == 1 and _is_whole(read[0], words[cut.at], cut.before):
            part = words[cut.at]
            words[cut.at] = part._replace(
                text=read[0].text,
                box=union((part.box, cut.place)),
                confidence=read[0].confidence,
                letters="",
                others=(*part.others, part.text),
            )

    def mended(line: FoundLine) -> FoundLine:
        words = tuple(whole.get(id(line), line.words))
        return (
            line if words == line.words else line._replace(words=words, box=union((line.box, *(w.box for w in words))))
        )

    return [block._replace(lines=tuple(map(mended, block.lines))) for block in blocks]


def _is_whole(read: FoundWord, part: FoundWord, before: bool) -> bool:
    """Whether what was read is a known word, and is the part with a letter or two more before or behind it."""
    core, old = read.text.strip(EDGES), part.text.strip(EDGES)
    more = len(core) - len(old)
    return (
        bool(old)
        and 0 < more <= MOST_LETTERS
        and (core.endswith(old) if before else core.startswith(old))
        and is_known(core, part.language)
    )


def _cut_words(page: Image, lines: Sequence[FoundLine]) -> Iterator[_Cut]:
    for line in lines:
        usual = float(np.percentile([w.box.height for w in line.words], HIGH))
        for at, before in ((0, True), (len(line.words) - 1, False)):
            box = line.words[at].box
            height = max(usual, float(box.height))
            reach = round(REACH * height)
            beside = (
                Box(max(0, box.left - reach), box.top, box.left, box.bottom)
                if before
                else Box(box.right, box.top, box.right + reach, box.bottom)
            )
            letter = _letter(page, beside, height, before)
            if letter is None:
                continue
            others = (w.box for other in lines for w in other.words if w is not line.words[at])
            if not any(o.overlap(beside) > 0 and o.intersection(beside).height > OFF * height for o in others):
                yield _Cut(line, at, before, union((box, letter)))


def _letter(page: Image, place: Box, height: float, before: bool) -> Box | None:
    """The ink of a letter, or of two, that ends within the place, as high as its row's letters and close to its inner side."""
    off = round(OFF * height)
    top, left = max(0, place.top - off - 2), place.left
    ink = (page[top : place.bottom + off + 2, left : place.right] < DARK).astype(np.uint8)
    if not ink.any():
        return None
    found = [Box(x, y, x + w, y + h) for x, y, w, h, _ in pieces(ink).stats[1:].tolist()]
    as_high = [b for b in found if LETTER[0] * height <= b.height <= LETTER[1] * height]
    high = [b for b in as_high if b.width >= SLIMMEST * height]
    if not 0 < len(high) <= MOST_LETTERS:
        return None
    letters = union(high)
    gap = ink.shape[1] - letters.right if before else letters.left
    outer = letters.left > 0 if before else letters.right < ink.shape[1]
    within = letters.top > 0 and letters.bottom < ink.shape[0]
    if not (within and outer and gap <= GAP * height):
        return None
    return Box(letters.left + left, letters.top + top, letters.right + left, letters.bottom + top)
