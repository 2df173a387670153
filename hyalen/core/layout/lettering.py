"""How words are set, told by their ink: bold, italic, underlined, struck, small capitals, raised and lowered letters."""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence
from itertools import groupby
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces
from hyalen.core.layout.sizes import TALL, type_size
from hyalen.core.layout.strokes import DARK
from hyalen.core.model.content import Line, PageContent, Part, Region, Word
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, union

LEAST_SIZE = 12.0  # pixels of a capital: in smaller type neither slant nor weight can be told
LEAST_LETTERS = 3  # of a word whose weight is told by itself; shorter ones follow their neighbours
LEAST_STEMS = 2  # of a word whose slant is: letters without an upright stroke lean both ways
STEMS = frozenset("bdfhijklmnpqrtuBDEFHIJKLMNPRTUßþбвгдзийклмнпртуфхцчшщъыьюяГЕКЛМНПРФЦЧШЩηικμνπρτφψΓΕΗΙΚΜΝΠΡΤΦ")
BOLD, SPREADS = 1.25, 3.5  # times the page's usual strokes; deviations of these beyond which a word is bold
OWN_SIZE = 1.2  # times larger or smaller than its block's usual type is a line of a size of its own
LIGHT = 0.25  # quantile of a block's weights that its lighter words have
LEAST_UNDERLINED, LEAST_STRUCK = 16.0, 24.0  # pixels of a capital: letters of smaller type run together into strokes
# Of stems, to the right: upright ones of a page that is straight within a degree or two, and italics.
UPRIGHT, SLANTED = np.tan(np.radians([-2, 0, 2])), np.tan(np.radians([8, 10, 12, 14, 17, 20]))
SLANT_SIZE = 28.0  # pixels of a capital that suffice to tell slant
PERHAPS = 0.95  # times as sharp, at two slants alone, may a slanted word be
SHARPER = 1.06  # times as sharp as upright must the columns of a slanted word be
CROSSED = 0.96  # of a word's width that a stroke runs along
BEYOND = 1.5  # capitals: a stroke that goes on farther beyond its line is a printed rule
THICK = 0.15  # capitals: as far above and below a stroke much less of the row is ink
UNDER = (0.04, 0.5, 0.8)  # capitals below the baseline: an underline; share of ink beside it
THROUGH = (-0.55, -0.18, 0.6)  # the same of a stroke through letters, which reach it from both sides
SMALL, EVEN = (0.55, 0.87), 1.2  # capitals: small capitals, which are of one height
SHIFTED_SIZE = (0.5, 0.8)  # capitals: raised and lowered letters; commas and quotation marks are smaller
MOST_GLYPHS = 80  # of a word: more are specks
RAISED, LOWERED = 0.28, 0.14  # capitals above and below the baseline, of such a letter's foot
CAP_LINE = 0.68  # capitals: a raised letter's head rises above this, a lowered one's stays below


class Lettering(NamedTuple):
    """A word's style and the parts of it that are set otherwise."""

    style: frozenset[Style]
    parts: tuple[Part, ...] = ()


def with_lettering(content: PageContent, page: Image) -> PageContent:
    """The content with the style of its words; what the reader told of it is replaced.

    Parameters
    ----------
    content : PageContent
    page : (h, w) or (h, w, 3) uint8
        The cleaned page.
    """
    ink = Ink.of(page)
    weight = _usual_weight(content, ink)

    def lettered(line: Line, usual: float, of_block: Weight) -> Line:
        own = type_size(line)
        found = lettering(line, ink, of_block, usual if usual / OWN_SIZE < own < OWN_SIZE * usual else own)
        words = (
            w if (tuple(sorted(f.style)), f.parts) == (w.style, w.parts) else _with(w, f)
            for w, f in zip(line.words, found, strict=True)
        )
        return line.model_copy(update={"words": tuple(words)})

    def all_of(lines: Sequence[Line]) -> tuple[Line, ...]:
        usual = float(np.median([type_size(line) for line in lines])) if lines else 0.0
        of_block = weight.within(_weights(lines, ink))
        return tuple(lettered(line, usual, of_block) for line in lines)

    def told(region: Region) -> Region:
        if region.table is not None:
            cells = (c.model_copy(update={"lines": all_of(c.lines)}) for c in region.table.cells)
            return region.model_copy(update={"table": region.table.model_copy(update={"cells": tuple(cells)})})
        return region.model_copy(update={"lines": all_of(region.lines)}) if region.lines else region

    return content.model_copy(update={"regions": tuple(map(told, content.regions))})


def _with(word: Word, found: Lettering) -> Word:
    return word.model_copy(update={"style": tuple(sorted(found.style)), "parts": found.parts})


class Ink(NamedTuple):
    """A page's dark pixels, and those of them at the rim of the ink; (h, w) uint8, 0 or 1."""

    dark: NDArray[np.uint8]
    rim: NDArray[np.uint8]

    @classmethod
    def of(cls, page: Image) -> Ink:
        dark = (grey(page) < DARK).astype(np.uint8)
        return cls(dark, dark - as_uint8(cv2.erode(dark, np.ones((3, 3), np.uint8))))

    def stroke(self, box: Box) -> float:
        """Mean width of the strokes in a box, in pixels: area over half the rim."""
        rim = _count(self.rim, box)
        return 2.0 * _count(self.dark, box) / rim if rim else 0.0


class Weight(NamedTuple):
    """Strokes as a share of the capitals' height: what is usual on a page, and beyond what a word is bold."""

    usual: float
    bold: float

    def within(self, shares: Sequence[float]) -> Weight:
        """What is bold in a block of these weights: small print is sturdier throughout, and a bold block all bold."""
        if len(shares) <= LEAST_LETTERS:
            return self
        light = float(np.quantile(shares, LIGHT))
        if light > self.bold:
            return self._replace(bold=light / BOLD)
        return self._replace(bold=max(self.bold, BOLD * light))


def _usual_weight(content: PageContent, ink: Ink) -> Weight:
    shares = [share for region in content.regions for share in _weights(region.all_lines, ink)]
    usual = float(np.median(shares)) if len(shares) > LEAST_LETTERS else 0.0
    if usual == 0:
        return Weight(0.0, np.inf)
    spread = 1.4826 * float(np.median(np.abs(np.array(shares) / usual - 1)))  # of a normal distribution
    return Weight(usual, usual * max(BOLD, 1 + SPREADS * spread))


def _weights(lines: Sequence[Line], ink: Ink) -> list[float]:
    """Strokes as shares of the capitals' height, of the words that tell them."""
    return [
        ink.stroke(w.box) / size
        for line in lines
        if (size := type_size(line)) >= LEAST_SIZE
        for w in line.words
        if sum(c.isalpha() for c in w.text) > LEAST_LETTERS
    ]


def lettering(line: Line, ink: Ink, weight: Weight, size: float) -> list[Lettering]:
    """The lettering of a line's words.

    Italics are told by the shear that makes the columns of a word sharpest, as skew of a page is;
    bold by the mean width of strokes; short words are set as both their neighbours are.

    Parameters
    ----------
    line : Line
    ink : Ink
        Of the page.
    weight : Weight
        Of the page's type.
    size : float
        Height of its capitals in pixels.
    """
    if size < LEAST_SIZE or any(unicodedata.bidirectional(w.text[:1]) in ("R", "AL") for w in line.words):
        return [Lettering(frozenset())] * len(line.words)
    bold: list[bool | None] = []
    for word in line.words:
        own = ink.stroke(word.box) / size if sum(c.isalpha() for c in word.text) >= LEAST_LETTERS else 0.0
        bold.append(own > weight.bold if own else None)
    italic = _leaning(line, ink.dark, size)
    rules = [_strokes_along(line, word, ink.dark, size) for word in line.words]
    found = []
    for word, is_bold, leans, ruled in zip(line.words, _filled(bold), _filled(italic), rules, strict=True):
        style = set(ruled)
        style |= {Style.BOLD} if is_bold else set()
        style |= {Style.ITALIC} if leans else set()
        letters = letter_boxes(_crop(ink.dark, word.box), len(word.text)) if not ruled else None
        parts: tuple[Part, ...] = ()
        if letters:
            if _has_small_capitals(word.text, letters, size):
                style.add(Style.SMALL_CAPITALS)
            else:
                parts = _shifted(line, word, letters, size)
        if len(parts) == 1 and (parts[0].start, parts[0].end) == (0, len(word.text)):
            style, parts = style | {parts[0].style}, ()
        found.append(Lettering(frozenset(style), parts))
    return found


def _crop(ink: NDArray[np.uint8], box: Box) -> NDArray[np.uint8]:
    return ink[max(0, box.top) : max(0, box.bottom), max(0, box.left) : max(0, box.right)]


def _count(ink: NDArray[np.uint8], box: Box) -> int:
    crop = _crop(ink, box)
    return cv2.countNonZero(crop) if crop.size else 0


def _filled(told: Sequence[bool | None]) -> list[bool]:
    """What is not told is as on both its sides, or as on its one side at a line's end."""
    known = [(i, value) for i, value in enumerate(told) if value is not None]
    filled = []
    for i, value in enumerate(told):
        before = next((v for at, v in reversed(known) if at < i), None)
        after = next((v for at, v in known if at > i), None)
        sides = [v for v in (before, after) if v is not None]
        filled.append(bool(value) if value is not None else bool(sides) and all(sides))
    return filled


def _leaning(line: Line, ink: NDArray[np.uint8], size: float) -> list[bool | None]:
    """Whether each word's stems lean to the right; None where it has too few to tell."""
    strip, left = _crop(ink, line.box), max(0, line.box.left)
    if strip.size == 0:
        return [None] * len(line.words)
    scale = min(1.0, SLANT_SIZE / size)
    width, height = (max(1, round(scale * side)) for side in strip.shape[::-1])
    strip = as_uint8(cv2.resize(strip * 255, (width, height), interpolation=cv2.INTER_AREA))
    pad = int(SLANTED[-1] * height) + 2

    def sharpness(slant: float) -> NDArray[np.float64]:
        shear = np.array([[1, slant, pad - slant * height / 2], [0, 1, 0]], np.float32)
        sheared = cv2.warpAffine(strip, shear, (width + 2 * pad, height), flags=cv2.INTER_LINEAR)
        columns = cv2.reduce(sheared, 0, cv2.REDUCE_SUM, dtype=cv2.CV_64F)[0]
        return np.cumsum(np.square(np.diff(columns)))

    reach = 0.1 * size
    spans = [
        (
            max(0, int((word.box.left - left - reach) * scale) + pad),
            min(width + 2 * pad - 2, int((word.box.right - left + reach) * scale) + pad),
        )
        if sum(c in STEMS for c in word.text) >= LEAST_STEMS and word.box.width >= size
        else None
        for word in line.words
    ]

    def sharpest(slants: NDArray[np.float64]) -> list[float]:
        tried = [sharpness(slant) for slant in slants]
        return [max(float(s[span[1]] - s[span[0]]) for s in tried) if span else 0.0 for span in spans]

    upright, leaning = sharpest(UPRIGHT[1:2]), sharpest(SLANTED[1:4:2])
    if any(a > PERHAPS * b for a, b in zip(leaning, upright, strict=True)):  # most lines have nothing in italics
        upright, leaning = sharpest(UPRIGHT), sharpest(SLANTED)
        told = [a > SHARPER * b for a, b in zip(leaning, upright, strict=True)]
    else:
        told = [False] * len(spans)
    return [value if span else None for value, span in zip(told, spans, strict=True)]


def _strokes_along(line: Line, word: Word, ink: NDArray[np.uint8], size: float) -> set[Style]:
    """Strokes under or through a word that end with its line."""
    if size < LEAST_UNDERLINED or sum(c.isalnum() for c in word.text) < 2:
        return set()
    level = line.level_at(word.box.centre.x)
    found = set()
    for style, (top, bottom, most) in ((Style.UNDERLINED, UNDER), (Style.STRUCK, THROUGH)):
        rows = ink[max(0, round(level + top * size)) : max(0, round(level + bottom * size)) + 1]
        mine = rows[:, max(0, word.box.left) : word.box.right]
        if mine.size == 0 or (style is Style.STRUCK and size < LEAST_STRUCK):
            continue
        along = _along(mine)
        at, thick = int(along.argmax()), round(THICK * size)
        beside = [along[i] for i in (at - thick, at + thick) if 0 <= i < len(along)]
        if along[at] < CROSSED or (beside and max(beside) > most):
            continue
        reach = round(BEYOND * size)
        left = rows[:, max(0, line.box.left - reach) : max(0, line.box.left - 2)]
        right = rows[:, line.box.right + 2 : line.box.right + reach]
        if any(side.size and _along(side).max() > 0.9 for side in (left, right)):
            continue
        found.add(style)
    return found


def _along(rows: NDArray[np.uint8]) -> NDArray[np.float64]:
    """How much of each row is ink; a stroke may step by a row within a word."""
    held = cv2.dilate(rows, np.ones((2, 1), np.uint8))
    return np.asarray(cv2.reduce(held, 1, cv2.REDUCE_AVG, dtype=cv2.CV_64F)[:, 0])


def letter_boxes(ink: NDArray[np.uint8], count: int) -> list[Box] | None:
    """A box for each of a word's `count` letters, in its own pixels, where its ink falls into as many; else None."""
    letters = glyph_boxes(ink)
    return letters if len(letters) == count else None


def glyph_boxes(ink: NDArray[np.uint8]) -> list[Box]:
    """Boxes of connected ink from the left; a dot or an accent belongs to the letter that it stands over."""
    if ink.size == 0:
        return []
    stats = pieces(ink).stats[1:]
    if len(stats) > MOST_GLYPHS:
        return []
    found: list[Box] = []
    for part in sorted((Box(x, y, x + w, y + h) for x, y, w, h, _ in stats.tolist()), key=lambda b: b.left):
        before = found[-1] if found else None
        if before is not None and min(part.right, before.right) - max(part.left, before.left) > 0.5 * min(
            part.width, before.width
        ):
            found[-1] = union((before, part))
        else:
            found.append(part)
    return found


def _has_small_capitals(text: str, letters: Sequence[Box], size: float) -> bool:
    """Whether all letters that would rise, capitals or not as they were read, are no taller than small letters."""
    low, high = SMALL
    heights = [b.height / size for b in letters]
    rising = [h for c, h in zip(text[1:], heights[1:], strict=True) if c.isalpha() and TALL.match(c)]
    even = [h for c, h in zip(text[1:], heights[1:], strict=True) if c.isalpha()]
    return len(rising) > 1 and low < min(even) and max(even) < min(high, EVEN * min(even))


def shift(box: Box, level: float, size: float) -> Style | None:
    """Whether a letter or figure stands above or below its line.

    Parameters
    ----------
    box : Box
    level : float
        Height of the baseline beneath it, in the box's pixels.
    size : float
        Height of the line's capitals.
    """
    if not SHIFTED_SIZE[0] < box.height / size < SHIFTED_SIZE[1]:
        return None
    foot, head = (level - box.bottom) / size, (level - box.top) / size
    if foot > RAISED and head > CAP_LINE:
        return Style.SUPERSCRIPT
    return Style.SUBSCRIPT if foot < -LOWERED and head < CAP_LINE else None


def _shifted(line: Line, word: Word, letters: Sequence[Box], size: float) -> tuple[Part, ...]:
    """Small letters and figures that stand above or below the line; letters of some faces hang, so only figures do."""
    level = line.level_at(word.box.centre.x) - word.box.top

    def shift_at(at: int) -> Style | None:
        found = shift(letters[at], level, size) if word.text[at].isalnum() else None
        return None if found is Style.SUBSCRIPT and not word.text[at].isdigit() else found

    parts = []
    for style, group in groupby(range(len(word.text)), key=shift_at):
        run = list(group)
        if style is not None:
            parts.append(Part(run[0], run[-1] + 1, style))
    return tuple(parts)
