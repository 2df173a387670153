"""Cells of columns of figures, read one by one where they were read badly or not at all."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import is_known
from hyalen.core.layout.aligned import FRACTIONS, is_number
from hyalen.core.layout.cells import INSTEAD, as_read, numeric_columns
from hyalen.core.model.content import Cell, Line, PageContent, Region, Table, Word
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.numerals import read_numerals
from hyalen.core.reading.reader import Reader

ALPHABET = "0123456789.,:-–/()%£$€½¼¾"
WEAK = 0.8  # confidence of a word in a column of figures, below which its cell is read again
BETTER = 0.05  # by which another reading of a figure must be surer
SURE = 0.6  # confidence of a figure in a cell that was empty
MOST = 150  # cells a page
GUTTER = 0.5  # of the figures' height: white between columns
DARK = 128  # grey level
MORE = 1.3  # times a word's height or width: its cell's ink was not read whole
FEW_MARKED = 0.2  # of a column's figures
_MARKS = re.compile(r"^[«»‘’“”'\"`|_~]+|[«»‘’“”'\"`|_~.,:;·]+$")
RULED, EDGE = 0.85, 0.4  # of a row of pixels, inked: a rule's; of the height, within which one stands above or below
INSET = 0.012  # inches from the cell's rules
LEAST_INK, LEAST_HEIGHT = 0.004, 0.045  # of the cell's area; inches: less is a speck or a leader
WHOLE = 0.35  # inches: higher ink than this is no figure


def read_cells(page: Image, dpi: float, content: PageContent, reader: Reader) -> PageContent:
    """The content with the weak and the empty cells of columns of figures read again as figures.

    What was read before stays as another reading.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    left = MOST
    number = 0

    def again(cell: Cell, language: str) -> Cell:
        nonlocal left, number
        words = [w for line in cell.lines for w in line.words]
        weak = not words or any(w.confidence < WEAK or not is_number(w.text) for w in words)
        bad = len(words) > 1 and all(w.confidence < WEAK for w in words) and not all(is_number(w.text) for w in words)
        if not weak or (len(words) > 1 and not bad) or left <= 0 or any(c in FRACTIONS for w in words for c in w.text):
            return cell
        if any(_stands_instead(w, language) for w in words):
            return cell
        box = _place(page, dpi, union(w.box for w in words), cell.box) if words else _ink(page, dpi, cell.box)
        if box is None:
            return cell
        left -= 1
        found = read_numerals(page, dpi, box, language, reader, ALPHABET)
        if found is None or not is_number(found.text):
            return cell
        text, confidence = found.text, found.confidence
        if not words:
            if confidence < SURE:
                return cell
            number += 1
            word = Word(id=f"n{number}", text=text, box=box, confidence=round(confidence, 3))
            return cell.model_copy(update={"lines": (line_of(word),)})
        before = " ".join(w.text for w in words)
        longer = sum(c.isdigit() for c in text) >= sum(c.isalnum() for c in before)
        better = confidence > min(w.confidence for w in words) + BETTER or not is_number(before)
        if text == before or not longer or not better:
            return cell
        others = tuple(dict.fromkeys((before, *(words[0].others if len(words) == 1 else ()))))
        word = words[0].model_copy(
            update={"text": text, "confidence": round(confidence, 3), "others": others, "letters": "", "box": box}
        )
        return cell.model_copy(update={"lines": (line_of(word),)})

    def mended(region: Region) -> Region:
        table = region.table
        if table is None:
            return region
        numeric = numeric_columns(table.cells, table.columns)
        language = region.language or (content.languages or ("eng",))[0]
        parted = [part for c in table.cells for part in _parted(page, c, table, numeric)]
        cells = tuple(
            again(c, language) if c.column in numeric and c.column_span == 1 and not c.header else c for c in parted
        )
        cells = _without_marks(cells, numeric)
        return region.model_copy(update={"table": table.model_copy(update={"cells": cells})})

    return content.model_copy(update={"regions": tuple(map(mended, content.regions))})


def _stands_instead(word: Word, language: str) -> bool:
    """Whether a word that reads surely is no misread figure: "nil", or another that the language has."""
    text = word.text.strip(" .").casefold()
    return word.confidence >= WEAK and (text in INSTEAD or (len(text) > 2 and is_known(text, language)))


def _without_marks(cells: Sequence[Cell], numeric: set[int]) -> tuple[Cell, ...]:
    """The cells without marks before and behind a figure that few of its column's have: specks."""
    specked: set[int] = set()
    for column in numeric:
        figures = [c for c in cells if c.column == column and is_number(c.text.strip())]
        marked = [c for c in figures if _MARKS.search(c.text.strip())]
        if len(marked) <= FEW_MARKED * len(figures):
            specked |= set(map(id, marked))

    def cleared(cell: Cell) -> Cell:
        words = [w for line in cell.lines for w in line.words]
        if id(cell) not in specked or len(words) != 1:
            return cell
        (old,) = words
        others = tuple(dict.fromkeys((old.text, *old.others)))
        word = old.model_copy(update={"text": _MARKS.sub("", old.text), "others": others, "letters": ""})
        lines = (line.model_copy(update={"words": (word,)}) if line.words else line for line in cell.lines)
        return cell.model_copy(update={"lines": tuple(lines)})

    return tuple(map(cleared, cells))


def line_of(word: Word) -> Line:
    """A line of one figure, which has no descenders."""
    left, _, right, bottom = word.box
    return Line(
        words=(word,), box=word.box, baseline=(Point(left, bottom), Point(right, bottom)), height=word.box.height
    )


def _parted(page: Image, cell: Cell, table: Table, numeric: set[int]) -> list[Cell]:
    """The cell; where it spans columns of figures and holds one bad word with white between the columns, one of each.

    The word stays in the first, to be read again.
    """
    words = [w for line in cell.lines for w in line.words]
    columns = range(cell.column, cell.column + cell.column_span)
    if cell.column_span == 1 or cell.header or len(words) != 1 or not numeric.issuperset(columns):
        return [cell]
    (word,) = words
    if word.confidence >= WEAK:
        return [cell]
    box = word.box.intersection(Box(0, 0, page.shape[1], page.shape[0]))
    inked = np.flatnonzero((page[box.top : box.bottom, box.left : box.right] < DARK).any(axis=0)) + box.left
    cuts = [cell.box.left]
    for column in columns[1:]:
        lefts = [c.box.left for c in table.cells if c.column == column and c.column_span == 1]
        edge = round(float(np.median(lefts))) if lefts else cell.box.right
        before, after = inked[inked < edge], inked[inked >= edge]
        if not len(before) or not len(after) or after[0] - before[-1] < GUTTER * box.height:
            return [cell]
        cuts.append(edge)
    (first, *others) = (
        Cell(row=cell.row, column=k, row_span=cell.row_span, box=Box(a, cell.box.top, b, cell.box.bottom))
        for k, (a, b) in zip(columns, pairwise([*cuts, cell.box.right]), strict=True)
    )
    kept = inked[inked < cuts[1]]
    trimmed = word.model_copy(update={"box": Box(box.left, box.top, int(kept[-1]) + 1, box.bottom), "letters": ""})
    line = next(line for line in cell.lines if line.words)
    lines = (line.model_copy(update={"words": (trimmed,), "box": trimmed.box}),)
    return list(as_read([first.model_copy(update={"lines": lines}), *others], table.backwards))


def _place(page: Image, dpi: float, word: Box, cell: Box) -> Box | None:
    """The word's box with a little white around it, without what reaches into the rows above and below, or a rule there.

    Where the cell has much more ink than that, it is that ink's.
    """
    ink = _ink(page, dpi, cell)
    if ink is not None and (ink.width > MORE * word.width or ink.height > MORE * word.height):
        return ink
    left, top, right, bottom = word.grown(2, Box(0, 0, page.shape[1], page.shape[0]))
    top, bottom = max(top, cell.top), min(bottom, cell.bottom)
    if bottom <= top or right - left <= 4:
        return None
    ruled = np.flatnonzero((page[top:bottom, left + 2 : right - 2] < DARK).mean(axis=1) > RULED)
    edge = EDGE * (bottom - top)
    above, below = ruled[ruled < edge], ruled[ruled >= bottom - top - edge]
    return Box(
        left, top + int(above[-1]) + 1 if len(above) else top, right, top + int(below[0]) if len(below) else bottom
    )


def _ink(page: Image, dpi: float, cell: Box) -> Box | None:
    """The box of a cell's ink, without the rules around it; None where there is none of a figure's size."""
    inset = max(1, int(INSET * dpi))
    left, top, right, bottom = cell.left + inset, cell.top + inset, cell.right - inset, cell.bottom - inset
    window = page[max(0, top) : max(0, bottom), max(0, left) : max(0, right)]
    if window.size == 0:
        return None
    _, labels, stats, _ = cv2.connectedComponentsWithStats((window < DARK).astype(np.uint8), connectivity=8)
    height, width = window.shape
    _, y, w, h, _ = stats.T
    # What runs along the whole cell, or is cut off by its edge, is a rule or belongs to a neighbour.
    rule = (w > 0.9 * width) | (h > 0.9 * height) | ((h < 0.2 * w) & (w > 0.3 * width))
    outside = (y == 0) | (y + h == height)
    mine = ~(rule | outside)
    mine[0] = False
    ys, xs = np.nonzero(mine[labels])
    if len(ys) < LEAST_INK * window.size:
        return None
    box = Box(int(xs.min()) + left, int(ys.min()) + top, int(xs.max()) + 1 + left, int(ys.max()) + 1 + top)
    return box if LEAST_HEIGHT * dpi < box.height < WHOLE * dpi else None
