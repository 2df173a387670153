"""Fractions set as one sign (½, ¼, ¾), which the engine has no sign for: it reads per cents and figures ("17%", "434d.").

A stroke that rises from left to right, small ink above it at its left and below it at its right, are a fraction where
both read as figures that make one; the rings of a per cent do not.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.layout.lettering import glyph_boxes
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.numerals import read_numerals
from hyalen.core.reading.reader import Reader

# Unicode, Number Forms and Latin-1 Supplement.
SIGNS = {
    ("1", "2"): "½", ("1", "4"): "¼", ("3", "4"): "¾", ("1", "3"): "⅓", ("2", "3"): "⅔", ("1", "8"): "⅛", ("3", "8"): "⅜",
    ("5", "8"): "⅝", ("7", "8"): "⅞", ("1", "5"): "⅕", ("2", "5"): "⅖", ("3", "5"): "⅗", ("4", "5"): "⅘", ("1", "6"): "⅙",
    ("5", "6"): "⅚",
}  # fmt: skip
MOST = 60  # places of a page that are tried in vain: a table of per cents has hundreds
WHITE, SHARES = 255, (0.5, 0.65, 0.4)  # grey level; of the way to it from the darkest ink, where ink may end
LEAST_HEIGHT = 12  # pixels: below it its figures cannot be read
TALL = 0.4  # of the row's height, at least
NARROWEST, WIDEST = 0.6, 1.6  # times as wide as high
MOST_PARTS = 3  # that do not touch: its figures and the stroke
UPPER, LOWER = 0.68, 0.3  # of its height: where the upper figure ends, and where the lower one begins
MIDDLE, STROKE = (0.37, 0.65), 0.95  # of its height, where the stroke surely is; of these rows, that it has ink in
LEAST_SLOPE = 0.4  # of the width, that it rises over
FIGURE = 0.3  # of its height, that a figure has at least
MOST_READ = 4  # characters that it was read as


# Where the strokes that are tried meet the lower and the upper edge, as shares of the width.
_BELOW, _ABOVE = (
    each.ravel() for each in np.meshgrid(np.linspace(-0.6, 0.5, 23), np.linspace(0.5, 1.6, 23), indexing="ij")
)
_BELOW, _ABOVE = _BELOW[_ABOVE - _BELOW >= LEAST_SLOPE], _ABOVE[_ABOVE - _BELOW >= LEAST_SLOPE]


class Halves(NamedTuple):
    """The figure above the stroke and the one below it."""

    upper: Box
    lower: Box


def with_fractions(page: Image, dpi: float, blocks: Sequence[FoundBlock], reader: Reader) -> list[FoundBlock]:
    """The blocks with fractions where their ink is.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    vain = {True: 0, False: 0}  # places tried without a fraction, in words with and without a per cent

    def mended(word: FoundWord, line: FoundLine) -> FoundWord:
        likely = "%" in word.text
        if vain[likely] >= MOST or not (likely or any(c.isdigit() for c in word.text)):
            return word
        for start, end, sign in _found(page, dpi, word, line.height, reader):
            if sign:
                text = word.text[:start] + sign + word.text[end:]
                return word._replace(text=text, letters="", others=())
            vain[likely] += 1
        return word

    def told(line: FoundLine) -> FoundLine:
        return line._replace(words=tuple(mended(word, line) for word in line.words))

    return [block._replace(lines=tuple(map(told, block.lines))) for block in blocks]


def _found(page: Image, dpi: float, word: FoundWord, height: float, reader: Reader) -> Iterator[tuple[int, int, str]]:
    """Places in a word's text where a fraction may stand, from and to, and its sign, or "" where it reads as none."""
    box = word.box
    left, top = max(0, box.left), max(0, box.top)
    crop = page[top : max(0, box.bottom), left : max(0, box.right)]
    for share in SHARES if "%" in word.text else SHARES[:1]:
        for start, end, halves in _halves(ink_of(crop, share), word.text, height):
            figures = [
                read_numerals(page, dpi, _moved(half, left, top), word.language, reader, "12345678") for half in halves
            ]
            told = tuple(figure.text if figure else "" for figure in figures)
            yield start, end, SIGNS.get((told[0], told[1]), "")


def _halves(ink: NDArray[np.uint8], text: str, height: float) -> Iterator[tuple[int, int, Halves]]:
    """What may be a fraction in a word's ink: its place in the text, from and to, and its figures' boxes in the ink."""
    parts = glyph_boxes(ink)
    for first in range(len(parts)):
        for last in range(first, min(len(parts), first + MOST_PARTS)):
            whole = union(parts[first : last + 1])
            if whole.height < max(LEAST_HEIGHT, TALL * height):
                continue
            if not NARROWEST <= whole.width / whole.height <= WIDEST:
                continue
            start, end = first, len(text) - (len(parts) - 1 - last)
            if end == start and text.endswith("%"):
                end = len(text) - 1  # whose rings are parts of their own
            if not 0 < end - start <= MOST_READ:
                continue
            if halves := halves_of(ink[whole.top : whole.bottom, whole.left : whole.right]):
                yield start, end, Halves(*(_moved(half, whole.left, whole.top) for half in halves))


def ink_of(crop: Image, share: float = SHARES[0]) -> NDArray[np.uint8]:
    """1 where a word's crop is darker than that share of the way from its darkest ink to white: faint print has faint strokes."""
    darkest = int(crop.min(initial=WHITE))
    return (crop < darkest + share * (WHITE - darkest)).astype(np.uint8)


def halves_of(ink: NDArray[np.uint8]) -> Halves | None:
    """What stands above and below a rising stroke; None where there is no such stroke, or anything else.

    Parameters
    ----------
    ink : (h, w) uint8
        1 where there is ink, cut to its edges.
    """
    height, width = ink.shape
    middle = slice(int(MIDDLE[0] * height), max(1, int(MIDDLE[1] * height)))
    up = 1 - np.arange(height) / max(1, height - 1)
    lines = (_BELOW[:, None] + (_ABOVE - _BELOW)[:, None] * up) * (width - 1)
    inside = (lines >= 0) & (lines <= width - 1)
    dark = inside & (ink[np.arange(height), np.clip(np.round(lines), 0, width - 1).astype(int)] > 0)
    through = np.flatnonzero(dark[:, middle].mean(axis=1) >= STROKE)
    if len(through) == 0:
        return None
    # Of the lines through the stroke's middle, the one that keeps to it longest.
    line = lines[through[dark[through].sum(axis=1).argmax()]]
    half = _half_width(ink[middle], line[middle])
    off = np.arange(width)[None, :] - line[:, None]
    upper, lower = (_box(ink * side) for side in (off < -half, off > half))
    if upper is None or lower is None:
        return None
    if upper.bottom > UPPER * height or lower.top < LOWER * height:
        return None
    return Halves(upper, lower) if min(upper.height, lower.height) >= FIGURE * height else None


def _half_width(ink: NDArray[np.uint8], line: NDArray[np.float64]) -> float:
    """Of the stroke: the middle of how far ink reaches from it to the side where it stands by itself."""
    height, width = ink.shape
    reaches = []
    for y, x in enumerate(np.clip(line, 0, width - 1).astype(int)):
        step = 1 if y < height / 2 else -1  # above, what stands at its right is white
        reach = 0
        while 0 <= x + step * (reach + 1) < width and ink[y, x + step * (reach + 1)]:
            reach += 1
        reaches.append(reach)
    return float(np.median(reaches)) + 1.0


def _box(ink: NDArray[np.uint8]) -> Box | None:
    """Of the larger part of the ink, without crumbs of the stroke."""
    stats = pieces(np.ascontiguousarray(ink, np.uint8)).stats[1:].tolist()
    if not stats:
        return None
    x, y, w, h, _ = max(stats, key=lambda s: int(s[4]))
    return Box(x, y, x + w, y + h)


def _moved(box: Box, x: int, y: int) -> Box:
    return Box(box.left + x, box.top + y, box.right + x, box.bottom + y)
