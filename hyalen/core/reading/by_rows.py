"""Rows of joined script by their own ink, where the engine's lines run into each other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import script_of
from hyalen.core.model.found import FoundBlock, FoundLine
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.ink_rows import Row, ink_rows, read_row
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import sure_letters, with_lines_replaced, without_emptied
from hyalen.core.reading.tangles import usual_height

JOINED = frozenset({"ARABIC", "SYRIAC"})  # scripts whose vowel signs and dots fill the space between the rows
LEAST_ROWS = 5  # rows that read well, for others to be told by their height
TALL = 1.3  # usual heights: higher lines have ink of another row
CROSSED, BESIDE = 0.35, 0.5  # of a line's height and width, that another line has as well
SAME_ROW = 0.75  # of both heights, in common
# Of a line's height and of their own area: what signs over the letters have in its place; of what confidence they are.
SIGNS, WITHIN, UNSURE = 0.6, 0.7, 0.5
READ = 0.5, 0.25  # of a line's place, and of one of several rows, that lines read now have
# Pairs of lines beside each other that tell of columns, and their least width in usual heights.
LEAST_PAIRS, WIDE_LINE = 3, 3.0


def read_by_rows(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks of a page in joined script with rows read one by one where lines have ink of each other's rows.

    Parameters
    ----------
    page : (h, w) uint8
        Dark on white.
    dpi : float
        Pixels an inch.
    """
    lines = [line for block in blocks for line in block.lines if line.words]
    usual = usual_height(blocks)
    if usual is None or not _is_joined(lines):
        return list(blocks)
    result = list(blocks)
    for column in _columns(lines, usual):
        muddled = [line for line in column if _is_muddled(line, column, usual)]
        if not muddled:
            continue
        again: list[FoundLine] = []
        others = [line for line in lines if all(line is not own for own in column)]
        for row in ink_rows(page, column, others, usual):
            good = [x for x in column if _is_row(x.box, row.box) and all(x is not y for y in muddled)]
            again += good or read_row(row, dpi, languages, reader)
        # Rows reach into each other's boxes; a line stays of whose place little was read.
        spoilt = {id(line) for line in muddled}
        again += [
            x
            for x in column
            if sum(x.box.overlap(y.box) for y in again) < READ[id(x) in spoilt] * x.box.area and x not in again
        ]
        if sum(map(sure_letters, again)) > sum(map(sure_letters, column)):
            result = with_lines_replaced(result, column, again)
    return without_emptied(result, blocks)


def with_rows_measured(page: Image, blocks: Sequence[FoundBlock]) -> list[FoundBlock]:
    """The blocks of a page in joined script with each line as high, and on the level, that its row's own ink tells.

    The engine measures rows by what it takes for letters: where those run into each other one size of print would be
    three. Where its heights are more alike than the rows' own they stay. Signs that were read as a line by themselves,
    within the place of one, are none.

    Parameters
    ----------
    page : (h, w) uint8
        Dark on white.
    """
    lines = [line for block in blocks for line in block.lines if line.words]
    if len(lines) < LEAST_ROWS or not _is_joined(lines):
        return list(blocks)
    signs = {id(line) for line in lines if line.confidence < UNSURE and any(_is_within(line.box, x) for x in lines)}
    lines = [line for line in lines if id(line) not in signs]
    blocks = without_emptied(
        [b._replace(lines=tuple(line for line in b.lines if id(line) not in signs)) for b in blocks], blocks
    )
    usual = float(np.median([line.box.height for line in lines]))
    told: dict[int, FoundLine] = {}
    for column in _columns(lines, usual):
        others = [line for line in lines if all(line is not own for own in column)]
        rows = ink_rows(page, column, others, usual)
        pairs = [(line, row) for line in column if (row := _row_of(line, rows)) is not None]
        heights, sizes = [line.height for line, _ in pairs], [row.size for _, row in pairs]
        if len(pairs) < LEAST_ROWS or _spread(heights) <= _spread(sizes):
            continue
        height = float(np.median(heights) / np.median(sizes))
        off = float(np.median([line.level - row.level for line, row in pairs]))
        told |= {id(line): _as_row(line, row, height, off) for line, row in pairs}
    return [b._replace(lines=tuple(told.get(id(line), line) for line in b.lines)) for b in blocks]


def _is_within(box: Box, line: FoundLine) -> bool:
    """Whether it lies, low, in the place of a line."""
    return box.height < SIGNS * line.height and line.box.overlap(box) > WITHIN * box.area


def _spread(sizes: Sequence[float]) -> float:
    low, middle, high = np.percentile(sizes, (10, 50, 90))
    return float((high - low) / middle)


def _row_of(line: FoundLine, rows: Sequence[Row]) -> Row | None:
    """The row on which the line stands alone."""
    mine = [row for row in rows if row.box.top < line.box.centre.y < row.box.bottom]
    row = max(mine, key=lambda row: row.box.overlap(line.box), default=None)
    return row if row is not None and row.box.width < line.box.width / SAME_ROW else None


def _as_row(line: FoundLine, row: Row, height: float, off: float) -> FoundLine:
    """The line without what its words' boxes have of other rows; `height` is what a row's size is multiplied by."""
    words = tuple(
        w._replace(box=w.box._replace(top=max(w.box.top, row.box.top), bottom=min(w.box.bottom, row.box.bottom)))
        if min(w.box.bottom, row.box.bottom) - max(w.box.top, row.box.top) > 0
        else w
        for w in line.words
    )
    level = row.level + off
    (x0, y0), (x1, y1) = line.baseline
    lean = (y1 - y0) / 2
    return FoundLine(
        words, union(w.box for w in words), (Point(x0, level - lean), Point(x1, level + lean)), row.size * height
    )


def _is_joined(lines: Sequence[FoundLine]) -> bool:
    scripts = Counter(script for line in lines for w in line.words for c in w.text if (script := script_of(c)))
    return bool(scripts) and scripts.most_common(1)[0][0] in JOINED


def _columns(lines: Sequence[FoundLine], usual: float) -> list[list[FoundLine]]:
    """Lines that stand in each other's columns, close above and below; what runs over several stands alone."""
    wide = [line for line in lines if line.box.width > WIDE_LINE * usual]
    pairs = [(a.box, b.box) for a in wide for b in wide if a.box.right < b.box.left and _is_level(a.box, b.box)]
    over = {id(line) for line in lines if len(pairs) >= LEAST_PAIRS and any(_runs_over(line.box, *p) for p in pairs)}
    found = [[line] for line in lines if id(line) in over]
    left = sorted((line for line in lines if id(line) not in over), key=lambda line: line.box.top)
    while left:
        column, new = [], [left.pop(0)]
        while new:
            column += new
            new = [x for x in left if any(_is_beside(x.box, y.box, usual) for y in new)]
            left = [x for x in left if all(x is not y for y in new)]
        found.append(column)
    return found


def _is_level(one: Box, other: Box) -> bool:
    return min(one.bottom, other.bottom) - max(one.top, other.top) > BESIDE * min(one.height, other.height)


def _runs_over(box: Box, left: Box, right: Box) -> bool:
    """Whether it stands over both of two lines that stand beside each other."""
    return all(min(box.right, o.right) - max(box.left, o.left) > BESIDE * o.width for o in (left, right))


def _is_beside(one: Box, other: Box, usual: float) -> bool:
    shared = min(one.right, other.right) - max(one.left, other.left)
    gap = max(one.top, other.top) - min(one.bottom, other.bottom)
    return gap < usual and shared > BESIDE * min(one.width, other.width)


def _is_muddled(line: FoundLine, column: Sequence[FoundLine], usual: float) -> bool:
    """Whether it has ink of another row, or only a row's signs."""
    box = line.box
    if box.height > TALL * usual and box.width > box.height:
        return True
    for other in column:
        if other is not line and min(box.right, other.box.right) - max(box.left, other.box.left) > 0:
            shared = min(box.bottom, other.box.bottom) - max(box.top, other.box.top)
            if shared > CROSSED * min(box.height, other.box.height):
                return True
    return False


def _is_row(box: Box, row: Box) -> bool:
    shared = min(box.bottom, row.bottom) - max(box.top, row.top)
    width = min(box.right, row.right) - max(box.left, row.left)
    return shared > SAME_ROW * max(box.height, row.height) and width > SAME_ROW * max(box.width, row.width)
