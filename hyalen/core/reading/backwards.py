"""Figures in lines that run from right to left, each read by itself by a Latin model.

The models of those scripts lose figures, or make letters of them, and figures of Latin letters: 28.11.1919 becomes 9.
What may be a figure is cut out with all the ink that belongs to it, and what the Latin model surely reads is taken.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, with_margin
from hyalen.core.languages import EDGES, LATIN, SCRIPT_LANGUAGES, is_right_to_left, listed_frequency
from hyalen.core.model.content import Word
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord, Model
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.latin import as_seen
from hyalen.core.reading.lines import read_line
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.second import read_otherwise

MOST = 200  # figures a page
UNSURE = 0.75  # confidence of a word that no list has, from which it may be a figure
WIDE, NARROW = 0.45, 0.22  # of the line's height: white that always parts words, and that mostly stands between figures
SHARED = 0.5  # of the narrower one's width, by which a word lies on the ink of those that were read
DARK = 128  # grey level
ABOVE = 0.1  # of the line's height, above and below what was read, that are looked at, too
SURE = 0.8  # confidence of the Latin model's figure
LEAST_SURE, SURE_LETTER = 4, 8  # letters of a word that tell by themselves how sure it is; the least of them, of 9
VERY_UNSURE = 0.6  # confidence of what was read before, from which fewer figures may be right
LATIN_FIGURES = 0.5  # share of the sure ones; of Arabic figures (٤٧) the Latin model makes letters, or it is unsure
_MARKS = ".,;:"
_FIGURE = re.compile(r"[(\[]?[-+±£$€№]?\d[\d.,:/–-]*%?[)\]]?|%\d[\d.,]*")
_WORD = re.compile(r"[^\W\d_]{3,}")


class _Group(NamedTuple):
    """What may be figures: its words' places in the line, and the ink that belongs to them."""

    at: range
    ink: Box


class _Asked(NamedTuple):
    """What the Latin model surely has in the place of some words of a line, the one at the right first; perhaps nothing."""

    at: range
    read: list[FoundWord]


def with_latin_figures(page: Image, dpi: float, blocks: Sequence[FoundBlock], reader: Reader) -> list[FoundBlock]:
    """The blocks with the figures of lines that run from right to left; what was read before stays as another reading.

    Latin words are put as they are seen, for `latin.in_reading_order`.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    if LATIN not in reader.languages():
        return list(blocks)
    asked: dict[int, list[_Asked]] = {}
    left = MOST
    for line in (line for block in blocks for line in block.lines):
        if not line.words or not is_right_to_left(line.words[0].language):
            continue
        for group in _groups(page, line, range(len(line.words)), WIDE):
            if left <= 0:
                break
            left -= len(group.at)
            found = [_read(page, dpi, group, line, reader)]
            if not found[0].read:
                found = [_read(page, dpi, g, line, reader) for g in _groups(page, line, group.at, NARROW)]
            asked.setdefault(id(line), []).extend(found)
    figures = [
        any(map(_is_figure, each.read))
        for of_line in asked.values()
        for each in of_line
        if not any(map(_is_word, each.read))
    ]
    if sum(figures) < LATIN_FIGURES * len(figures):
        return list(blocks)
    return [
        block._replace(lines=tuple(_mended(line, asked.get(id(line), [])) for line in block.lines)) for block in blocks
    ]


def is_latin_figure(text: str) -> bool:
    """Whether a word has figures of Latin print and no letters of another script."""
    return any("0" <= c <= "9" for c in text) and not any(c.isalpha() and not c.isascii() for c in text)


def second_figure(page: Image, dpi: float, word: Word, height: float, language: str, reader: Reader) -> str:
    """What another reading by a Latin model has on the ink of a figure; "" where it has nothing.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    word : Word
        In a line that runs from right to left.
    height : float
        Of the line, in pixels.
    language : str
        Of the letters around it.
    """
    found = _read_alone(page, dpi, word.box, height, reader, again=True)
    text = " ".join(w.text for w in found)
    return text if text.strip(_MARKS).isalpha() else _told(text, word.text, language, False)


def _groups(page: Image, line: FoundLine, places: range, gap: float) -> list[_Group]:
    """What may be figures among some words of a line, with the ink that no wider white parts."""
    words = line.words
    others = [w.box for w in words if not _may_be(w)]
    groups: list[_Group] = []
    for i in places:
        if not _may_be(words[i]):
            continue
        group = _Group(range(i, i + 1), _ink(page, words[i].box, others, gap * line.height))
        if groups and groups[-1].at.stop == i and _overlap(groups[-1].ink, group.ink) > 0:
            before = groups.pop()
            group = _Group(range(before.at.start, i + 1), union((before.ink, group.ink)))
        groups.append(group)
    return [g for g in groups if any(c.isdigit() for i in g.at for c in words[i].text)]


def _overlap(a: Box, b: Box) -> int:
    return min(a.right, b.right) - max(a.left, b.left)


def _may_be(word: FoundWord) -> bool:
    core = word.text.strip(EDGES)
    if not core or not any(c.isalpha() for c in core):
        return True
    return word.confidence < UNSURE and not listed_frequency(core.casefold(), word.language)


def _ink(page: Image, box: Box, others: Sequence[Box], gap: float) -> Box:
    """The box with the ink beside it that no wide white parts from it, as far as other words' ink."""
    left = max((o.right for o in others if o.right <= box.centre.x), default=0)
    right = min((o.left for o in others if o.left >= box.centre.x), default=page.shape[1])
    inked: NDArray[np.bool_] = np.any(page[max(0, box.top) : box.bottom] < DARK, axis=0)
    return box._replace(left=_end(inked, box.left, -1, left, gap), right=_end(inked, box.right - 1, 1, right, gap) + 1)


def _end(inked: NDArray[np.bool_], start: int, step: int, limit: int, gap: float) -> int:
    """The last inked column from `start` on that follows the ones before within `gap`."""
    at = last = start
    while abs(at + step - last) <= gap and (at + step >= max(0, limit) if step < 0 else at + step < limit):
        at += step
        if inked[at]:
            last = at
    return last


def _read(page: Image, dpi: float, group: _Group, line: FoundLine, reader: Reader) -> _Asked:
    """The Latin model's words on the ink of a group's, if it is sure of as many."""
    own = union(line.words[i].box for i in group.at)
    read = _read_alone(page, dpi, group.ink, line.height, reader)
    found = [w for w in map(_by_letters, read) if _overlap(w.box, own) > SHARED * min(w.box.width, own.width)]
    parted = len(found) == 1 and not any(c.isalpha() for i in group.at for c in line.words[i].text)
    if not (parted or len(found) == len(group.at)) or not all(
        w.confidence >= SURE and (_is_figure(w) or _is_word(w)) for w in found
    ):
        return _Asked(group.at, [])
    return _Asked(group.at, sorted(found, key=lambda w: -w.box.right))


def _read_alone(
    page: Image, dpi: float, box: Box, height: float, reader: Reader, again: bool = False
) -> list[FoundWord]:
    """The Latin model's words on some ink, with white around it instead of what stands there; `again` otherwise than before."""
    above = round(ABOVE * height)
    top, left = max(0, box.top - above), max(0, box.left)
    crop = page[top : box.bottom + above, left : box.right]
    if crop.size == 0:
        return []
    margin = round(height)
    white = with_margin(crop, margin)
    inner = Box(margin, margin, margin + crop.shape[1], margin + crop.shape[0])
    if again:
        read = read_otherwise(white, dpi, inner, height, (LATIN,), reader)
    else:
        lines = read_line(white, dpi, inner, height, (LATIN,), reader, model=Model.FINER)
        read = [w for line in lines for w in line.words]
    moved = (left - margin, top - margin) * 2
    return [w._replace(box=Box(*(v + by for v, by in zip(w.box, moved, strict=True)))) for w in read]


def _by_letters(word: FoundWord) -> FoundWord:
    """A word as sure as its letters where all of them are: a mark that is left out makes the whole word unsure."""
    sure = [int(letter) for c, letter in zip(word.text, word.letters, strict=False) if c not in _MARKS]
    if len(sure) < LEAST_SURE or min(sure) < SURE_LETTER or not word.text.strip(_MARKS).isalpha():
        return word
    return word._replace(confidence=max(word.confidence, sum(sure) / (10 * len(sure))))


def _is_figure(word: FoundWord) -> bool:
    return _FIGURE.fullmatch(word.text.strip(_MARKS)) is not None


def _is_word(word: FoundWord) -> bool:
    return _WORD.fullmatch(word.text.strip(EDGES)) is not None


def _mended(line: FoundLine, asked: Sequence[_Asked]) -> FoundLine:
    words = list(line.words)
    for at, read in reversed(asked):
        if not read:
            continue
        own = words[at.start : at.stop]
        before = " ".join(w.text for w in own)
        to_right = len(read) > 1 and any(map(_is_word, read))  # they run from left to right
        told = [
            w._replace(text=_told(w.text, before, own[0].language, to_right), language=own[0].language) for w in read
        ]
        text = " ".join(w.text for w in told)
        if any(map(_is_word, read)) or _is_better(text, before, max(w.confidence for w in own)):
            others = tuple(dict.fromkeys((*own[0].others, before)))
            words[at.start : at.stop] = [w._replace(others=others, style=own[0].style, letters="") for w in told]
    return line._replace(words=tuple(words))


def _told(shown: str, before: str, language: str, to_right: bool) -> str:
    """The figure or word as it is told, from how it is seen.

    A mark at its left ends it, one at its right belongs to what stands there unless its own reading has one, too. Among
    Arabic letters a percent sign and what a hyphen parts are seen the other way round (UAX #9, W2, W4 and W5).
    """
    core = shown.strip(_MARKS)
    behind = shown[: len(shown) - len(shown.lstrip(_MARKS))]
    if core.isalpha():
        ending = before[len(before.rstrip(_MARKS)) :] if shown == core else behind
        return as_seen(shown.lstrip(_MARKS), ending)
    if to_right:
        return shown
    if not behind and before.strip(_MARKS) != before:
        behind = shown[len(shown.rstrip(_MARKS)) :]
    if language in SCRIPT_LANGUAGES["ARABIC"] and _FIGURE.fullmatch(core):
        core = "-".join(reversed(core.split("-")))
        if core.startswith("%"):
            core = f"{core[1:]}%"
    return core + behind


def _is_better(text: str, before: str, confidence: float) -> bool:
    """Whether a sure figure says more than what was read before; of the same figures, the ones with more marks between."""
    figures, known = ("".join(c for c in each if c.isdigit()) for each in (text, before))
    if sorted(figures) == sorted(known):
        return len(text.strip(_MARKS)) > len(before.strip(_MARKS))
    return len(figures) >= len(known) or "%" in text or confidence < VERY_UNSURE
