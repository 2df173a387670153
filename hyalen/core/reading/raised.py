"""Raised and lowered figures, which the engine takes for marks ("m?", "CO,", "dusk'*"), are read by themselves."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import groupby
from typing import NamedTuple

import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import mostly_right_to_left
from hyalen.core.layout.aligned import FRACTIONS
from hyalen.core.layout.lettering import LEAST_SIZE, glyph_boxes, shift
from hyalen.core.layout.sizes import type_size
from hyalen.core.layout.strokes import DARK
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord, Style
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.numerals import read_numerals
from hyalen.core.reading.reader import Reader

ALPHABET = "0123456789*†°"
MOST = 120  # readings a page: more are noise
SURE = 0.6  # confidence of the figures that replace marks
# What a lowered figure follows: a letter or a chemical formula. Behind other words stand commas.
_FORMULA = re.compile(r"^(?:[A-Za-z]|\(?[A-Z][a-z]?\d*\)?[A-Z0-9(][A-Za-z0-9()]{0,6})$")


class _Run(NamedTuple):
    """Glyphs beside each other that stand above or below the line, and the characters they were read as."""

    box: Box
    start: int
    end: int


def read_raised(page: Image, dpi: float, blocks: Sequence[FoundBlock], reader: Reader) -> list[FoundBlock]:
    """The blocks with the raised and lowered marks of words read again as the figures that they may be.

    What the word was read as stays as another reading.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    left = MOST

    def mended(word: FoundWord, line: FoundLine, size: float) -> FoundWord:
        nonlocal left
        run = _run(page, word, line, size) if left > 0 else None
        if run is None:
            return word
        left -= 1
        found = read_numerals(page, dpi, run.box, word.language, reader, ALPHABET)
        if found is None or found.confidence < SURE or found.text == word.text[run.start : run.end]:
            return word
        text = word.text[: run.start] + found.text + word.text[run.end :]
        return word._replace(text=text, letters="", others=(*word.others, word.text))

    def settled(line: FoundLine) -> FoundLine:
        size = type_size(line)
        if (
            size < LEAST_SIZE
            or mostly_right_to_left([w.language for w in line.words])
            or not any(_may_end_raised(w.text) for w in line.words)
        ):
            return line
        words = tuple(mended(w, line, size) if _may_end_raised(w.text) else w for w in line.words)
        return line._replace(words=words)

    return [block._replace(lines=tuple(map(settled, block.lines))) for block in blocks]


def _may_end_raised(text: str) -> bool:
    """Whether a word has marks or figures that may be raised ones; letters that are raised the engine reads."""
    return any(not c.isalpha() and c not in "-–—./:" for c in text) and not any(c in FRACTIONS for c in text)


def _run(page: Image, word: FoundWord, line: FoundLine, size: float) -> _Run | None:
    left, top, right, bottom = (max(0, v) for v in word.box)
    ink = (page[top:bottom, left:right] < DARK).astype(np.uint8)
    if ink.size == 0:
        return None
    glyphs, level = glyph_boxes(ink), line.level_at(word.box.centre.x) - top
    shifts = [shift(box, level, size) for box in glyphs]
    at, runs = 0, []
    for style, group in groupby(shifts):
        count = len(list(group))
        if style is not None:
            runs.append((at, at + count))
        at += count
    if len(runs) != 1:
        return None
    start, end = runs[0]
    lowered = shifts[start] is Style.SUBSCRIPT
    box = union(glyphs[start:end])
    box = Box(box.left + left, box.top + top, box.right + left, box.bottom + top)
    text = word.text
    if len(glyphs) != len(text):
        # Letters that touch: what is no letter at the word's end stands for the marks at its end.
        if end != len(glyphs):
            return None
        start, end = len(text.rstrip("".join(c for c in text if not c.isalpha()))), len(text)
    if start == end or any(c.isalpha() and c not in "lIOoSs" for c in text[start:end]):
        return None
    if lowered and not _FORMULA.match(text[:start]):
        return None
    return _Run(box, start, end)
