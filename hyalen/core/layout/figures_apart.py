"""Figures of neighbouring columns that were read as one word."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box

INK = 140  # grey level
WHITE = 1.5  # widths of a figure: no two of one number stand so far apart
USUAL_WIDTH = 0.6  # of a line's height: a figure's, where the line has no other (common practice, no source)
LEAST_ALIKE = 3  # figures by themselves in a line, that tell how wide one is
MARKS = "-–—_~·|"  # what white between two figures is read as


def with_figures_apart(page: Image, line: FoundLine) -> FoundLine:
    """The line with what white wider than any within a number parts as words of their own.

    Parameters
    ----------
    page : (h, w) uint8
        Grey, dark on white.
    line : FoundLine
    """
    plain = [w.box.width / len(w.text) for w in line.words if w.text.isdecimal()]
    usual = float(np.median(plain)) if len(plain) >= LEAST_ALIKE else USUAL_WIDTH * line.height
    words: list[FoundWord] = []
    for word in line.words:
        words += _parts(page, word, WHITE * usual) if _is_of_two(word) else [word]
    return line if len(words) == len(line.words) else line._replace(words=tuple(words))


def _is_of_two(word: FoundWord) -> bool:
    letters = sum(map(str.isalpha, word.text))
    return len(word.text) > 1 and max(1, letters) <= sum(map(str.isdecimal, word.text))


def _parts(page: Image, word: FoundWord, widest: float) -> list[FoundWord]:
    left, top, right, bottom = word.box
    inked = np.flatnonzero((page[max(0, top) : bottom, max(0, left) : right] < INK).any(axis=0))
    wide = np.flatnonzero(np.diff(inked) > widest)
    if not len(wide):
        return [word]
    firsts = [0, *(int(inked[i + 1]) for i in wide)]
    ends = [*(int(inked[i]) + 1 for i in wide), right - left]
    boxes = [Box(left + a, top, left + b, bottom) for a, b in zip(firsts, ends, strict=True)]
    texts = _shared_out(word.text, [box.width for box in boxes])
    spaced = len(texts) > 2 and all(len(text) == 1 for text in texts)
    if spaced or not all(any(map(str.isalnum, text)) for text in texts):
        return [word]
    return [word._replace(text=text, box=box, others=(), letters="") for text, box in zip(texts, boxes, strict=True)]


def _shared_out(text: str, widths: Sequence[int]) -> list[str]:
    """The text in as many parts, each as long as it is wide; a mark that stands for the white between them goes."""
    ends = np.round(np.cumsum(widths) / sum(widths) * sum(c not in MARKS for c in text)).astype(int)
    letters = [c for c in text if c not in MARKS]
    return ["".join(letters[a:b]) for a, b in pairwise([0, *ends.tolist()])]
