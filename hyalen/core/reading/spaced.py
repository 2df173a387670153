"""Words set with their letters far apart, as print without italics stresses them.

Where such a word meets one that is set as usual the engine joins both, and letters very far apart it takes for words:
"vonS kar nholm" for "von S k a r n h o l m". The line is set anew with its letters as close as all others on the page,
and read so.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise, product
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from rapidfuzz import fuzz

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import EDGES, ONE_LETTER, listed_frequency
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box
from hyalen.core.reading.lines import read_line
from hyalen.core.reading.reader import Reader

FIGURES = re.compile(r"\d+")
Whites = NDArray[np.int64]
DARK = 128  # grey level of ink
# Of the row's height: white that is a letter's usual one at most, that stands about a letter set apart at least,
# and at most; a letter's width at most; a mark's height and width at most; the white that is put between words.
USUAL, LEAST, MOST, WIDEST, MARK, BETWEEN_WORDS = 0.25, 0.13, 1.6, 1.4, 0.4, 0.3
WIDER = 2.0  # times the page's usual white
MOST_READ = 60  # readings of a page's lines: figures in columns may seem set apart, too
LETTERS = 4  # set apart, one after the other, at least
NEXT_WORD, EVEN = 1.45, 0.4  # times the white between letters set apart; the least of this, of the most
COMMON, UNKNOWN = 4.0, 2.0  # Zipf frequency above which a word is no more usual; what one that no list has takes off
ALIKE = 80  # per cent of the letters that both readings have


class Piece(NamedTuple):
    """Columns of ink, from the line's left edge: a letter's, or those of letters that touch, with marks that stand
    close."""

    left: int
    right: int


class Run(NamedTuple):
    """Places of white between letters that stand apart, the last ones excluded: with the white that parts them from
    other words, and without; `own` tells where the white within is that of letters set apart."""

    first: int
    last: int
    begin: int
    end: int
    own: NDArray[np.bool_]


def with_spaced_words(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks with lines that have letters set far apart read with these set close, where more of it is words then.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    lines = [line for block in blocks for line in block.lines if line.words]
    inked = {id(line): _inked(page, line) for line in lines}
    usual = _usual_white([(inked[id(line)], line.height) for line in lines])
    left = MOST_READ

    def told(line: FoundLine) -> FoundLine:
        nonlocal left
        best, asked = line, list[bytes]()
        if id(line) not in inked or not _may_stand_apart(inked[id(line)], line.height):
            return line
        pieces = _pieces(page, line, inked[id(line)])
        for bridged, alone in product((False, True), (False, True)):
            runs = _runs_apart(pieces, line.height, usual, bridged)
            whites = _set_close(pieces, line.height, usual, runs, alone)
            if runs and whites.tobytes() not in asked and left:
                asked.append(whites.tobytes())
                left -= 1
                words = _read(page, dpi, languages, line, pieces, whites, reader)
                for word in line.words:
                    best = _with_better(best, words, word.box.left, word.box.right)
        return best

    return [block._replace(lines=tuple(map(told, block.lines))) for block in blocks]


def _with_better(line: FoundLine, words: Sequence[FoundWord], left: int, right: int) -> FoundLine:
    """The line with other words for those from one place to another, where these have the same letters and more of it
    is words; never with numbers joined, or with letters parted that are no words."""
    before = after = list[FoundWord]()
    while True:
        before, after = ([w for w in each if w.box.left < right and w.box.right > left] for each in (line.words, words))
        reach = min((left, *(w.box.left for w in before + after))), max((right, *(w.box.right for w in before + after)))
        if reach == (left, right):
            break
        left, right = reach
    joined = len(FIGURES.findall(_text(after))) < len(FIGURES.findall(_text(before)))
    alike = fuzz.ratio(*(_text(each).replace(" ", "").casefold() for each in (before, after))) >= ALIKE
    parted = _stray_letters(after) > _stray_letters(before)
    if not before or not after or joined or parted or not alike or _worth(after) <= _worth(before):
        return line
    at = line.words.index(before[0])
    if list(line.words[at : at + len(before)]) != before:
        return line
    return line._replace(words=(*line.words[:at], *after, *line.words[at + len(before) :]))


def _ink(page: Image, line: FoundLine) -> NDArray[np.bool_]:
    box = line.box
    return np.asarray(page[max(0, box.top) : max(0, box.bottom), max(0, box.left) : max(0, box.right)] < DARK)


def _inked(page: Image, line: FoundLine) -> list[Piece]:
    """The line's columns that hold ink, from the left to the right."""
    held = np.flatnonzero(np.diff(np.concatenate([[0], _ink(page, line).any(axis=0).astype(np.int8), [0]])))
    return [Piece(left, right) for left, right in zip(held[::2].tolist(), held[1::2].tolist(), strict=True)]


def _may_stand_apart(inked: Sequence[Piece], height: float) -> bool:
    wide = _whites(inked) >= LEAST * height
    return any(end - first >= LETTERS - 2 for first, end in _runs(wide))


def _pieces(page: Image, line: FoundLine, inked: Sequence[Piece]) -> list[Piece]:
    """The line's letters from the left to the right."""
    ink = _ink(page, line)
    whole: list[tuple[Piece, bool]] = []
    for piece in inked:
        mark = _is_mark(ink[:, piece.left : piece.right], line.height)
        if whole and (mark or whole[-1][1]) and piece.left - whole[-1][0].right < LEAST * line.height:
            whole[-1] = Piece(whole[-1][0].left, piece.right), mark and whole[-1][1]
        else:
            whole.append((piece, mark))
    return [piece for piece, _ in whole]


def _is_mark(ink: NDArray[np.bool_], height: float) -> bool:
    rows = np.flatnonzero(ink.any(axis=1))
    return bool(rows[-1] + 1 - rows[0] < MARK * height and ink.shape[1] < MARK * height)


def _whites(pieces: Sequence[Piece]) -> Whites:
    return np.array([right.left - left.right for left, right in pairwise(pieces)], np.int64)


def _usual_white(rows: Sequence[tuple[list[Piece], float]]) -> float:
    """White between two letters of the page, of the row's height."""
    shares = [_whites(pieces) / height for pieces, height in rows if len(pieces) > 1]
    within = np.concatenate(shares) if shares else np.zeros(0)
    within = within[within < USUAL]
    return float(np.median(within)) if len(within) else 0.0


def _runs_apart(pieces: Sequence[Piece], height: float, usual: float, bridged: bool) -> list[Run]:
    """Where letters stand apart; `bridged` where two amid them that stand close are letters never parted, as "ch" is
    not, and no word of their own."""
    if len(pieces) < LETTERS:
        return []
    whites = _whites(pieces)
    apart = (whites >= max(LEAST, WIDER * usual) * height) & (whites < MOST * height)
    narrow = np.array([p.right - p.left < WIDEST * height for p in pieces])
    close = np.zeros_like(apart)
    if bridged:
        close = ~apart & narrow[:-1] & narrow[1:]
        close[1:] &= apart[:-1]
        close[:-1] &= apart[1:]
    found = []
    for first, last in _runs(apart | close):
        # Where a run begins or ends within the line the white there parts it from a word that is set as usual.
        begin, end = first + (first > 0), last + (last == len(whites) - 1)
        letters, own = narrow[begin : end + 1], ~close[begin:end]
        if len(letters) < LETTERS or not letters.all() or own.sum() < LETTERS - 1:
            continue
        within = whites[begin:end][own & ~_far(whites[begin:end], own)]
        if within.min() >= EVEN * within.max():
            found.append(Run(first, last + 1, begin, end, own))
    return found


def _set_close(pieces: Sequence[Piece], height: float, usual: float, runs: Sequence[Run], alone: bool) -> Whites:
    """The white behind each piece but the last with the runs' letters set close; where they stand `alone` their first
    ones are words of one letter before them."""
    whites = _whites(pieces)
    between_words = round(BETWEEN_WORDS * height)
    close = np.where(whites >= USUAL * height, np.maximum(whites, between_words), whites)
    for first, last, begin, end, own in runs:
        new = np.where(_far(whites[begin:end], own), between_words, max(1, round(usual * height)))
        close[begin:end] = np.where(own, np.minimum(whites[begin:end], new), whites[begin:end])
        border = [*range(first, begin + alone), *range(end, last)]
        close[border] = np.maximum(close[border], between_words)
    return close


def _far(whites: Whites, own: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Where white among letters set apart stands between words."""
    return np.asarray(whites > NEXT_WORD * np.median(whites[own]))


def _runs(told: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """First and last place of each run of true ones."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], told.astype(np.int8), [0]])))
    return [(int(first), int(end) - 1) for first, end in zip(edges[::2], edges[1::2], strict=True)]


def _read(
    page: Image,
    dpi: float,
    languages: tuple[str, ...],
    line: FoundLine,
    pieces: Sequence[Piece],
    whites: Whites,
    reader: Reader,
) -> tuple[FoundWord, ...]:
    """The words of the line as it is set with other white; none where it is not read as one line."""
    top, left = max(0, line.box.top), max(0, line.box.left)
    crop = page[top : line.box.bottom, left : line.box.right]
    widths = [p.right - p.left for p in pieces]
    places = np.cumsum([0, *(w + int(white) for w, white in zip(widths, whites, strict=False))])
    row = np.full((crop.shape[0], int(places[-1]) + widths[-1]), 255, np.uint8)
    for piece, width, place in zip(pieces, widths, places.tolist(), strict=True):
        row[:, place : place + width] = crop[:, piece.left : piece.right]
    margin = round(line.height)
    row = cv2.copyMakeBorder(row, margin, margin, margin, margin, cv2.BORDER_CONSTANT, value=255).astype(np.uint8)
    box = Box(margin, margin, row.shape[1] - margin, row.shape[0] - margin)
    found = read_line(row, dpi, box, line.height, languages, reader)
    if len(found) != 1:
        return ()
    new = margin + np.stack([places, places + np.array(widths)], axis=1).ravel()
    old = left + np.array([(p.left, p.right) for p in pieces]).ravel()

    def moved(word: FoundWord) -> FoundWord:
        across = np.interp([word.box.left, word.box.right], new, old).round().astype(int).tolist()
        down = [min(max(y - margin + top, top), line.box.bottom) for y in (word.box.top, word.box.bottom)]
        return word._replace(box=Box(across[0], down[0], across[1], down[1]))

    return tuple(map(moved, found[0].words))


def _text(words: Sequence[FoundWord]) -> str:
    return " ".join(word.text for word in words)


def _stray_letters(words: Sequence[FoundWord]) -> int:
    cores = [(word.text.strip(EDGES).casefold(), word.language) for word in words]
    return sum(len(c) == 1 and c.isalpha() and c not in ONE_LETTER.get(language, "") for c, language in cores)


def _worth(words: Sequence[FoundWord]) -> float:
    """How much of it is words, usual ones above rare ones, and how few are pieces of words; single letters are none."""
    cores = [(word.text.strip(EDGES).casefold(), word.language) for word in words]
    return sum(_worth_of(core, listed_frequency(core, language)) for core, language in cores if len(core) > 1)


def _worth_of(core: str, frequency: float) -> float:
    if not frequency:
        return -UNKNOWN if core.isalpha() else 0.0
    return (len(core) - 0.5) * min(COMMON, frequency)
