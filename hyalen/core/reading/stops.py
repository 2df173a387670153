"""Full stops and commas at words' ends, told by their ink: the engine takes one for the other in worn and small type,
passes over one of two, and reads specks as either."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.languages import EDGES, is_known, is_right_to_left, script_of
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box

DARK = 128  # grey level of ink
LEAST_SIZE = 10.0  # pixels of a capital: in smaller type both are specks
# In heights of a capital:
ABOVE, BELOW, BESIDE = 1.3, 0.6, 0.3  # what is looked at around a word, over and under its baseline and behind it
RISES, STANDS = 0.5, 0.18  # what rises so far is a letter, whose foot is that near the baseline
HIGH, LOW = 0.5, 0.5  # how far over and under the letters' feet a mark reaches
LEAST, WIDEST, TALLEST = 0.05, 0.4, 0.6  # a mark's sides
TOUCHES = 0.1  # how far a mark may reach under the letter before it
FAR = 0.8  # from one mark's left side to the next one's, at most
FALLS, TALLER = 0.1, 1.35  # a comma reaches below the letters' feet, and is so many times as tall as the page's stops
SIZED, PIXEL, PLACED = 0.3, 0.8, 0.08  # by which stops of a page differ: shares of their sides and pixels; their place
LEAST_STOPS, SURE = 6, 0.85  # stops that surely are some, from which a page's own are known; confidence of such a word
DOTTED = frozenset({"ARABIC"})  # scripts whose letters have dots under the line, which look like both
SHORT, TWICE = 6, 2  # letters of a shortened word at most; times a page has it before a small letter or a figure


class Mark(NamedTuple):
    """A mark after a word, in heights of a capital: how far it falls below the letters' feet, its sides, the gap between
    it and the last letter.

    `pixel` is as large as one pixel.
    """

    fall: float
    height: float
    width: float
    gap: float
    pixel: float


class Usual(NamedTuple):
    """What a full stop looks like on a page, and its words that are shortened: that have one where no sentence ends."""

    stop: Mark
    shortened: frozenset[str] = frozenset()


def usual_stop(page: Image, blocks: Sequence[FoundBlock]) -> Usual | None:
    """The middle of those before a capital, a figure or a line's end; None where there are too few.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    blocks : sequence of FoundBlock
    """
    sure: list[list[Mark]] = []
    shortened: Counter[str] = Counter()
    for line in (line for block in blocks for line in block.lines):
        for word, following in zip(line.words, (*line.words[1:], None), strict=True):
            if not word.text.endswith("."):
                continue
            first = following.text[0] if following else ""
            if first.islower() or first.isdigit():
                shortened[word.text.strip(EDGES)] += 1
            if word.confidence > SURE and not first.islower():
                sure.append(marks_after(page, word, line))
    found = [marks[0] for marks in sure if len(marks) == 1]
    if len(found) < LEAST_STOPS:
        return None
    own = frozenset(core for core, count in shortened.items() if count >= TWICE)
    return Usual(Mark(*np.median(np.array(found), axis=0).tolist()), own)


def is_stop(mark: Mark, usual: Mark) -> bool:
    """Whether a mark may be one of the page's own full stops."""
    pixels = PIXEL * max(mark.pixel, usual.pixel)
    sides = ((mark.height, usual.height), (mark.width, usual.width))
    return all(abs(a - b) <= SIZED * b + pixels for a, b in sides) and abs(mark.fall - usual.fall) <= PLACED


def is_comma(mark: Mark, usual: Mark) -> bool:
    """Whether a mark is no full stop of the page, but falls below the letters as commas do."""
    return mark.fall >= FALLS and mark.height >= TALLER * usual.height


def ends_in_stop(page: Image, word: FoundWord, line: FoundLine, usual: Usual | None) -> bool:
    """Whether one mark, and such a one as the page's full stops are, is after the word."""
    marks = marks_after(page, word, line) if usual else []
    return usual is not None and len(marks) == 1 and is_stop(marks[0], usual.stop)


def with_marks(page: Image, line: FoundLine, usual: Usual | None) -> FoundLine:
    """The line with the marks that stand in the ink after its words: a stop and a comma of which one was read, and a
    stop that was read as a comma.

    A worn comma looks like a stop: only behind a figure or what may be a shortened word the ink is believed. Elsewhere
    what it says is another reading.
    """

    def marked(word: FoundWord, following: FoundWord | None) -> FoundWord:
        core, bare = word.text.strip(EDGES), word.text.rstrip(".,")
        read = word.text[len(bare) :]
        if usual is None or not bare[-1:].isalnum() or not 1 <= len(read) <= 2 or script_of(bare[-1]) in DOTTED:
            return word
        # No sentence goes on behind two stops: the second is a comma that is worn.
        twice = read == ".." and len(core) <= SHORT and following is not None and following.text[0].isalnum()
        told = ".," if twice else _told(marks_after(page, word, line), usual.stop)
        if not told or told == read:
            return word
        if told == ".,":
            believed = core in usual.shortened or len(core) <= SHORT
        else:
            believed = told == "." and len(read) == 1 and _ends_short(core, word.language, following, usual)
        if believed:
            return word._replace(text=bare + told, others=(word.text, *word.others), letters="")
        return word._replace(others=tuple(dict.fromkeys((bare + told, *word.others))))

    words = tuple(map(marked, line.words, (*line.words[1:], None)))
    return line if words == line.words else line._replace(words=words)


def _told(marks: Sequence[Mark], stop: Mark) -> str:
    """What marks are by their ink; nothing where that does not tell."""
    first = "." if marks and is_stop(marks[0], stop) else "," if marks and is_comma(marks[0], stop) else ""
    if len(marks) == 1:
        return first
    pair = len(marks) == 2 and first == "." and is_comma(marks[1], stop) and marks[1].gap - marks[0].gap < FAR
    return ".," if pair else ""


def _ends_short(core: str, language: str, following: FoundWord | None, usual: Usual) -> bool:
    """Whether a word is a shortened one of the page, or is a figure or may be shortened and no small word goes on."""
    if core in usual.shortened:
        return True
    unknown = core[0].islower() and len(core) <= SHORT and not is_known(core, language)
    goes_on = (
        following is not None and len(following.text) > 1 and following.text.isalpha() and following.text.islower()
    )
    return (core[-1].isdigit() or unknown) and not goes_on


def marks_after(page: Image, word: FoundWord, line: FoundLine) -> list[Mark]:
    """Small ink on the baseline after a word's last letter, the nearest first; none where no letter can be told."""
    size = type_size(line)
    if size < LEAST_SIZE:
        return []
    backwards = is_right_to_left(word.language)
    level = line.level_at(word.box.centre.x)
    left, right = _reach(word, line, BESIDE * size, backwards)
    top = max(0, int(level - ABOVE * size))
    window = page[top : max(0, int(level + BELOW * size)), max(0, left) : max(0, right)]
    if not window.size:
        return []
    ink = (window < DARK).astype(np.uint8)
    if backwards:
        ink = np.ascontiguousarray(ink[:, ::-1])
    level -= top
    parts = [Box(x, y, x + w, y + h) for x, y, w, h, _ in pieces(ink).stats[1:].tolist()]
    letters = [p for p in parts if 0 < p.top < level - RISES * size < p.bottom - RISES / 2 * size]
    if not letters:
        return []
    feet = [p.bottom for p in letters if abs(p.bottom - level) < STANDS * size]
    foot = float(np.median(feet)) if feet else level
    last = max(p.right for p in letters)
    found = [
        p
        for p in sorted(parts, key=lambda p: p.left)
        if p.left > last - TOUCHES * size
        and p.top > foot - HIGH * size
        and foot - STANDS * size < p.bottom < min(foot + LOW * size, ink.shape[0])
        and LEAST * size < min(p.width, p.height)
        and p.width < WIDEST * size
        and p.height < TALLEST * size
    ]
    return [
        Mark((p.bottom - foot) / size, p.height / size, p.width / size, (p.left - last) / size, 1 / size) for p in found
    ]


def _reach(word: FoundWord, line: FoundLine, beside: float, backwards: bool) -> tuple[int, int]:
    """From where to where a word and the marks after it go, up to the next word."""
    left, _, right, _ = word.box
    others = [w.box for w in line.words if w is not word]
    if backwards:
        return int(max([left - beside, *(b.right + 1 for b in others if b.right <= left + beside)])), right
    return left, int(min([right + beside, *(b.left - 1 for b in others if b.left >= right - beside)]))
