"""Whether what a reader found is text: words and lines that read, and what strokes and specks are read as."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.languages import EDGES, is_known
from hyalen.core.layout.sizes import TALL, word_size
from hyalen.core.layout.strokes import DARK
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box

TRUSTED = 0.6  # confidence of a word in no list that counts as read
SURE = 0.75  # confidence at which any word counts
UNSURE = 0.55  # of a letter or two that may be specks
LEAST_CONFIDENCE = 0.4  # of a line of words
LEAST_EVEN = 0.25  # the same, where its letters stand evenly
PRINT_WORDS, PRINT_AREA, PRINT_KNOWN = 10, 0.25, 0.35  # of a place: words of length; their share of it; of them, known
CLOSE, FLUSH, MANY_FLUSH = 3, 5, 3  # sizes up and down to lines of like edges; as many of them speak for short lines
# Of a size, how exactly lines begin or end alike beside a picture; sizes up and down to them; times as high, at most.
AT_EDGE, FAR_FLUSH, MOST_UNLIKE = 0.4, 8, 1.35
LEAST_LETTERS = 3  # of such a short line: a chart's numbers are none
JUSTIFIED = 6  # lines of a block
IN_ROW, AS_HIGH = 8, 0.75  # heights to the next cell; of a height, that two cells share, and how alike they are in it
FLAT, LOWEST = 0.8, 0.031  # of a letter's width; inches: capitals of three points
SET_LETTERS, PER_LETTER = 8, (0.6, 1.6)  # of a line of type, however it reads; pieces of ink for each
PIECE, ON_LINE, MOST_ON_LINE = (
    0.25,
    0.15,
    0.65,
)  # of its height: a letter's; off the usual foot; share that stands there
NEAR = 12  # lines of other columns may come between two of one

_BRACKETED = re.compile(r"^(?:\(\w{1,5}\)|\[\w{1,5}\])$")  # no specks stand so


def plausible(word: FoundWord, dpi: float) -> bool:
    letters = sum(c.isalnum() for c in word.text)
    return (
        word.confidence > TRUSTED
        and letters > 0
        and word.box.height < dpi * 0.9
        and not (letters < 3 and word.box.height > dpi * 0.35)
    )


def is_print(box: Box, lines: Sequence[FoundLine]) -> bool:
    """Whether a place is full of words of which many are known, however unsurely they read: it is no picture."""
    words = [w for line in lines for w in line.words if sum(map(str.isalpha, w.text)) > 2 and box.covers(w.box, 0.6)]
    known = sum(is_known(w.text.strip(EDGES), w.language) for w in words)
    full = sum(box.overlap(w.box) for w in words) > PRINT_AREA * box.area
    return len(words) >= PRINT_WORDS and full and known > PRINT_KNOWN * len(words)


def is_noise(line: FoundLine, dpi: float) -> bool:
    """What the engine makes of specks, rules and stains."""
    text = "".join(w.text for w in line.words)
    letters = sum(c.isalnum() for c in text)
    best = max(w.confidence for w in line.words)
    if letters == 0:
        return not any(c in "•*–—-…" for c in text) or best < 0.5 or len(text) < 2
    if line.box.height < dpi / 40 or (line.box.height > dpi * 1.2 and not stands_up(line)):
        return True
    if _BRACKETED.match(text):
        return False
    mean = sum(w.confidence * len(w.text) for w in line.words) / len(text)
    if mean < 0.3:
        return not any(len(w.text) >= 4 and is_known(w.text.strip(".,;:"), w.language) for w in line.words)
    return (letters <= 2 and mean < UNSURE) or (mean < SURE and _is_flat(line, text, dpi))


def is_set(page: Image, line: FoundLine) -> bool:
    """Whether the ink stands like type, however badly it reads: a piece for about each letter, most on one foot.

    Parameters
    ----------
    page : (h, w) uint8
        Grey, dark on white.
    line : FoundLine
    """
    letters = sum(c.isalpha() for w in line.words for c in w.text)
    if letters < SET_LETTERS:
        return False
    left, top, right, bottom = line.box
    ink = (page[max(0, top) : bottom, max(0, left) : right] < DARK).astype(np.uint8)
    upper, high = pieces(ink).stats[1:, [1, 3]].T
    feet = (upper + high)[high > PIECE * line.box.height]
    if not PER_LETTER[0] * letters < len(feet) < PER_LETTER[1] * letters:
        return False
    return float(np.mean(np.abs(feet - np.median(feet)) < ON_LINE * line.box.height)) > MOST_ON_LINE


def _is_flat(line: FoundLine, text: str, dpi: float) -> bool:
    """Whether it is lower than tall letters are wide, or than any are printed: the heads or feet of a row."""
    words = [w for w in line.words if any(map(str.isalnum, w.text))]  # a dash is as wide as it likes
    width = sum(w.box.width for w in words) / sum(len(w.text) for w in words)
    return TALL.search(text) is not None and line.box.height < max(FLAT * width, LOWEST * dpi)


def stands_up(line: FoundLine) -> bool:
    """Whether the line runs up or down the page and reads."""
    return len(line.words) > 1 and line.box.height > 3 * line.box.width and line.confidence > SURE


def columnar(lines: Sequence[FoundLine]) -> set[int]:
    """Ids of the lines that fill a column between a line above and one below, or go on from several: smudged or not,
    they are text. So are those beside a large initial or a picture, which begin or end as the column's above and below.
    """
    found = set()
    ordered = sorted(lines, key=lambda line: line.box.centre.y)
    legible = {id(line) for line in ordered if reads(line)}
    for at, line in enumerate(ordered):
        around = [x for x in ordered[max(0, at - NEAR) : at + NEAR + 1] if x is not line and id(x) in legible]
        steps = [step for other in around if 1 < abs(step := _step(line, other)) < FLUSH and _fills(line, other)]
        close = {step > 0 for step in steps if abs(step) < CLOSE}
        lettered = sum(c.isalpha() for w in line.words for c in w.text) >= LEAST_LETTERS
        fills = (len(close) == 2 and len(line.words) > 2) or (close and len(steps) >= MANY_FLUSH and lettered)
        if fills or (lettered and any(_is_flush(line, around, edge) for edge in (0, 2))):
            found.add(id(line))
    return found | _justified([line for line in ordered if len(line.words) > 2])


def _step(line: FoundLine, other: FoundLine) -> float:
    """How many of the smaller one's sizes the other stands below the line."""
    return (other.box.centre.y - line.box.centre.y) / min(line.height, other.height)


def _fills(line: FoundLine, other: FoundLine) -> bool:
    size = min(line.height, other.height)
    return max(abs(line.box.left - other.box.left), abs(line.box.right - other.box.right)) < size


def _is_flush(line: FoundLine, around: Sequence[FoundLine], edge: int) -> bool:
    """Whether lines of its size above and below it are exactly flush with it at one edge, an index into its box."""
    steps = []
    for other in around:
        size, larger = sorted((line.height, other.height))
        near = 1 < abs(step := _step(line, other)) < FAR_FLUSH and larger < MOST_UNLIKE * size
        if near and abs(line.box[edge] - other.box[edge]) < AT_EDGE * size:
            steps.append(step)
    return len(steps) >= MANY_FLUSH and min(steps) < 0 < max(steps)


def in_rows(lines: Sequence[FoundLine]) -> set[int]:
    """Ids of the unsure lines that stand level, and as high, between two figures that read: a smudged cell of a row."""
    words = (w for line in lines for w in line.words)
    figures = [w.box for w in words if w.confidence > TRUSTED and any(map(str.isdecimal, w.text))]
    found = set()
    for line in lines:
        if line.confidence >= UNSURE:
            continue
        x0, top, x1, bottom = line.box
        reach, least = IN_ROW * line.box.height, AS_HIGH * line.box.height
        beside = [b for b in figures if min(bottom, b.bottom) - max(top, b.top) > least and b.height > least]
        left = [b for b in beside if 0 < x0 - b.right < reach]
        right = [b for b in beside if 0 < b.left - x1 < reach]
        if left and right and any(AS_HIGH * b.height < line.box.height for b in (*left, *right)):
            found.add(id(line))
    return found


def _justified(lines: Sequence[FoundLine]) -> set[int]:
    """Ids of the lines of justified blocks, and of each one's last line: no drawing's strokes stand so, however they read."""
    found: set[int] = set()
    runs: list[list[FoundLine]] = []
    for line in lines:
        run = next((r for r in runs[-NEAR:] if _is_next(r[-1], line)), None)
        if run is None:
            runs.append([line])
        elif abs(run[-1].box.right - line.box.right) < line.height:
            run.append(line)
        elif len(run) >= JUSTIFIED and line.box.right < run[-1].box.right:
            found.add(id(line))
    return found | {id(line) for run in runs if len(run) >= JUSTIFIED for line in run}


def _is_next(line: FoundLine, below: FoundLine) -> bool:
    """Whether a line begins right below the other, one row down."""
    size = min(line.height, below.height)
    step = (below.box.centre.y - line.box.centre.y) / size
    return 0.7 < step < 2.0 and abs(line.box.left - below.box.left) < size


def reads(line: FoundLine) -> bool:
    """Whether a line is surely text: most of its letters are in words that are known or read with confidence."""
    letters = [sum(c.isalnum() for c in w.text) for w in line.words]
    if sum(letters) < 3:
        return False
    if len(line.words) > 3 and line.confidence > LEAST_EVEN and _is_even(line):
        return True
    told = [
        w.confidence > SURE or (n > 2 and is_known(w.text.strip(EDGES), w.language))
        for w, n in zip(line.words, letters, strict=True)
    ]
    good = sum(n for n, t in zip(letters, told, strict=True) if t)
    return good > 0.5 * sum(letters) and line.confidence > LEAST_CONFIDENCE


def _is_even(line: FoundLine) -> bool:
    """Whether words of several letters are of one size, as type is and strokes of a drawing are not."""
    sizes = [word_size(w) for w in line.words if len(w.text) > 2]
    return len(sizes) > 2 and float(np.std(sizes)) < 0.25 * float(np.mean(sizes))
