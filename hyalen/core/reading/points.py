"""Decimal points and commas in columns of figures, which the engine passes over, told by their ink."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.cells import numeric_columns
from hyalen.core.layout.lettering import glyph_boxes
from hyalen.core.layout.strokes import DARK
from hyalen.core.model.content import Cell, PageContent, Region, Word
from hyalen.core.model.geometry import Box

LEAST_DIGIT = 9  # pixels: in smaller type a point is no more than a speck
SMALLEST, WIDEST = 0.07, 0.32  # of a digit's height: how wide and how tall a point is, a comma a little taller
TALLEST = 0.5
LEVEL = 0.14  # of a digit's height: how far a point's foot may stand off the digits'
FALLS = 0.12  # of a digit's height below the digits' feet: a comma
ALIKE = 0.75  # of the tallest glyph's height, that a digit has
MOSTLY = 0.5  # of a column's figures that bear a mark in their ink: one by itself may be dust
LEAST_CELLS = 2


class _Marked(NamedTuple):
    """A word of digits whose glyphs are parted: its digits and, after how many of them, the marks between."""

    digits: str
    marks: tuple[tuple[int, str], ...]

    @property
    def text(self) -> str:
        after = dict(self.marks)
        return "".join(d + after.get(i, "") for i, d in enumerate(self.digits, 1))


def with_points(page: Image, content: PageContent) -> PageContent:
    """The content with the points and commas that stand in the ink of figures put into their text.

    What was read before stays as another reading.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    content : PageContent
    """

    def mended(region: Region) -> Region:
        table = region.table
        if table is None:
            return region
        cells = list(table.cells)
        for column in numeric_columns(table.cells, table.columns):
            places = [i for i, c in enumerate(cells) if c.column == column and c.column_span == 1 and not c.header]
            words = {i: w for i in places if (w := _single(cells[i])) is not None}
            marked = {i: m for i, w in words.items() if (m := _marked(page, w)) is not None}
            bearing = [i for i, m in marked.items() if m.marks]
            if len(bearing) < max(LEAST_CELLS, MOSTLY * len(marked)):
                continue
            for i in bearing:
                if words[i].text.isdigit():
                    cells[i] = _with(cells[i], words[i], marked[i].text)
        return region.model_copy(update={"table": table.model_copy(update={"cells": tuple(cells)})})

    return content.model_copy(update={"regions": tuple(map(mended, content.regions))})


def _single(cell: Cell) -> Word | None:
    words = [w for line in cell.lines for w in line.words]
    return words[0] if len(words) == 1 else None


def _with(cell: Cell, word: Word, text: str) -> Cell:
    others = tuple(dict.fromkeys((word.text, *word.others)))
    now = word.model_copy(update={"text": text, "others": others, "letters": ""})
    lines = tuple(line.model_copy(update={"words": (now,)}) if line.words else line for line in cell.lines)
    return cell.model_copy(update={"lines": lines})


def _marked(page: Image, word: Word) -> _Marked | None:
    """None where the glyphs do not stand one for each digit."""
    digits = "".join(c for c in word.text if c.isdigit())
    if not digits or any(not c.isdigit() and c not in ".,·" for c in word.text):
        return None
    left, top, right, bottom = word.box
    slack = (bottom - top) // 4  # a comma falls below the box of a word that was read without it
    ink = (page[max(0, top) : bottom + slack, max(0, left) : max(0, right)] < DARK).astype(np.uint8)
    glyphs = glyph_boxes(ink)
    height = max((g.height for g in glyphs), default=0)
    tall = [g for g in glyphs if g.height >= ALIKE * height]
    if height < LEAST_DIGIT or len(tall) != len(digits):
        return None
    foot = float(np.median([g.bottom for g in tall]))
    marks = []
    for glyph in glyphs:
        before = sum(g.right <= glyph.left + 1 for g in tall)
        if glyph in tall or not 0 < before < len(tall):
            continue
        mark = _mark(glyph, height, foot)
        if mark:
            marks.append((before, mark))
    if len({at for at, _ in marks}) != len(marks):
        return None
    return _Marked(digits, tuple(marks))


def _mark(glyph: Box, height: int, foot: float) -> str:
    """A point, a comma, or nothing."""
    if (
        not SMALLEST * height <= glyph.width <= WIDEST * height
        or not SMALLEST * height <= glyph.height <= TALLEST * height
    ):
        return ""
    if glyph.bottom > foot + FALLS * height and glyph.top > foot - WIDEST * height:
        return ","
    return "." if abs(glyph.bottom - foot) <= LEVEL * height and glyph.height <= WIDEST * height else ""
