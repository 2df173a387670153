"""Tables and their grids: what a table's cells tell of its lines, words put into cells, and a grid within an outline."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import is_right_to_left
from hyalen.core.layout.aligned import find_aligned_tables, split_rows
from hyalen.core.layout.cells import as_read, settled
from hyalen.core.layout.columns import columns as chains_of
from hyalen.core.layout.rules import find_rules
from hyalen.core.layout.tables import FoundTable, find_grids
from hyalen.core.model.content import Cell, Line, Table
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box, union
from hyalen.core.model.grid import Grid, Span

LEVEL = 0.5  # line heights within which lines stand in one row
GUTTER = 0.8  # line heights of white between two columns
MOST_CROSSED = 0.15  # of the rows, that may run across a gutter
LEAST_COVER = 0.5  # of an outline, that a grid of rules in it fills


def grid_of(table: Table) -> Grid:
    """Where the lines of a table stand, from its cells."""

    def lines(count: int, first: str, length: str, start: str, end: str) -> tuple[int, ...]:
        found = []
        for at in range(count + 1):
            edges = [getattr(c.box, start) for c in table.cells if getattr(c, first) == at]
            edges += [getattr(c.box, end) for c in table.cells if getattr(c, first) + getattr(c, length) == at]
            found.append(round(float(np.median(edges))) if edges else -1)
        for at, value in enumerate(found):  # a line that no cell ends at lies between its neighbours
            if value < 0:
                known = [(i, v) for i, v in enumerate(found) if v >= 0]
                found[at] = round(float(np.interp(at, [i for i, _ in known], [v for _, v in known])))
        return tuple(int(v) for v in np.maximum.accumulate(found))

    rows = lines(table.rows, "row", "row_span", "top", "bottom")
    columns = lines(table.columns, "column", "column_span", "left", "right")
    spans = [Span(c.row, c.column, c.row_span, c.column_span) for c in table.cells]
    heads = {(s.row + i, s.column + j): c.header for c, s in zip(table.cells, spans, strict=True)
             for i in range(s.row_span) for j in range(s.column_span)}  # fmt: skip
    header_rows = _leading([all(heads.get((r, c), False) for c in range(table.columns)) for r in range(table.rows)])
    below = range(header_rows, table.rows)
    across = range(table.columns)[::-1] if table.backwards else range(table.columns)
    header_columns = _leading([all(heads.get((r, c), False) for r in below) for c in across])
    return Grid(
        rows=rows,
        columns=columns,
        spans=tuple(s for s in spans if s.row_span * s.column_span > 1),
        header_rows=header_rows,
        header_columns=header_columns if header_rows < table.rows else 0,
        backwards=table.backwards,
    )


def _leading(flags: Sequence[bool]) -> int:
    return next((i for i, flag in enumerate(flags) if not flag), len(flags))


def table_on(grid: Grid, lines: Sequence[Line]) -> Table:
    """The table of a grid, each word in the cell that its middle lies in."""
    spans = list(grid.cells())
    owner = {(s.row + i, s.column + j): n for n, s in enumerate(spans)
             for i in range(s.row_span) for j in range(s.column_span)}  # fmt: skip
    held: list[list[Line]] = [[] for _ in spans]
    for line in lines:
        parts: dict[int, list[int]] = {}
        for at, word in enumerate(line.words):
            middle = word.box.centre
            parts.setdefault(owner[grid.place(middle.x, middle.y)], []).append(at)
        for cell, members in parts.items():
            held[cell].append(part_of(line, members))
    last = len(grid.columns) - 1 - grid.header_columns
    cells = [
        Cell(
            row=s.row,
            column=s.column,
            row_span=s.row_span,
            column_span=s.column_span,
            header=s.row < grid.header_rows or (s.column >= last if grid.backwards else s.column < grid.header_columns),
            box=grid.box_of(s),
            lines=tuple(sorted(mine, key=lambda line: line.level)),
        )
        for s, mine in zip(spans, held, strict=True)
    ]
    return Table(
        rows=len(grid.rows) - 1,
        columns=len(grid.columns) - 1,
        cells=as_read(cells, grid.backwards),
        backwards=grid.backwards,
    )


def turned(table: Table, language: str) -> Table:
    """The table with its rows read from the side at which those of a language begin, and headed there."""
    backwards = is_right_to_left(language)
    if table.backwards == backwards:
        return table
    grid = grid_of(table).model_copy(update={"backwards": backwards})
    return table_on(grid, [line for cell in table.cells for line in cell.lines])


def part_of(line: Line, members: Sequence[int]) -> Line:
    """A line with some of its words."""
    if len(members) == len(line.words):
        return line
    words = tuple(line.words[i] for i in members)
    return line.model_copy(update={"words": words, "box": union(w.box for w in words)})


def rows_of(lines: Sequence[Line], backwards: bool = False, gap: float | None = None) -> list[Line]:
    """Lines that stand level made one, from top to bottom.

    Parameters
    ----------
    backwards : bool
        Whether they run from the right.
    gap : float, optional
        Line heights of white that part what stands level; where it is left out nothing does.
    """
    rows: list[list[Line]] = []
    for line in sorted(lines, key=lambda each: (each.level, each.box.left)):
        row = next((r for r in rows if _goes_with(line, r, gap)), None)
        if row is None:
            rows.append([line])
        else:
            row.append(line)
    return [_one(row, backwards) for row in rows]


def _goes_with(line: Line, row: Sequence[Line], gap: float | None) -> bool:
    size = min(line.height, *(each.height for each in row))
    if abs(line.level - float(np.mean([each.level for each in row]))) > LEVEL * size:
        return False
    box = union(each.box for each in row)
    shared = min(box.right, line.box.right) - max(box.left, line.box.left)
    return shared < 0.3 * min(box.width, line.box.width) and (gap is None or -shared < gap * size)


def _one(row: Sequence[Line], backwards: bool) -> Line:
    if len(row) == 1:
        return row[0]
    parts = sorted(row, key=lambda line: line.box.left, reverse=backwards)
    words = tuple(w for line in parts for w in line.words)
    first, last = min(row, key=lambda line: line.box.left), max(row, key=lambda line: line.box.right)
    size = float(np.median([line.height for line in row]))
    baseline = (first.baseline[0], last.baseline[1])
    return Line(words=words, box=union(w.box for w in words), baseline=baseline, height=size)


# Found


def find_grid(page: Image, dpi: float, outline: Box, lines: Sequence[Line], backwards: bool = False) -> Grid:
    """The rows and columns within an outline: printed rules, else words that stand under each other.

    Parameters
    ----------
    page : (h, w) uint8
        The part of the cleaned page under `outline`.
    dpi : float
        Pixels an inch.
    outline : Box
        In pixels of the cleaned page.
    lines : sequence of Line
        What is read there.
    backwards : bool
        Whether its rows are read from the right.
    """
    grid = _lines_within(page, dpi, outline, lines).model_copy(update={"backwards": backwards})
    return _headed(grid, lines)


def _lines_within(page: Image, dpi: float, outline: Box, lines: Sequence[Line]) -> Grid:
    read = [_found(line) for line in lines]
    ruled = max(find_grids(find_rules(page, dpi)).tables, key=lambda t: t.box.area, default=None)
    if ruled is not None and ruled.box.area > LEAST_COVER * outline.area:
        return _grid(split_rows(_moved(ruled, outline), read), outline)
    if read:
        aligned = max(find_aligned_tables(chains_of(read)), key=lambda t: t.box.area, default=None)
        if aligned is not None and aligned.box.area > LEAST_COVER * outline.area:
            return _grid(aligned, outline)
    return _grid_of_white(lines, outline)


def _found(line: Line) -> FoundLine:
    words = tuple(FoundWord(w.text, w.box, w.confidence, "") for w in line.words)
    return FoundLine(words, line.box, line.baseline, line.height)


def _moved(table: FoundTable, to: Box) -> FoundTable:
    def move(box: Box) -> Box:
        return Box(box.left + to.left, box.top + to.top, box.right + to.left, box.bottom + to.top)

    return table._replace(box=move(table.box), cells=tuple(c._replace(box=move(c.box)) for c in table.cells))


def _grid(table: FoundTable, outline: Box) -> Grid:
    """A found table's grid, stretched to the outline."""
    cells = [
        Cell(row=c.row, column=c.column, row_span=c.row_span, column_span=c.column_span, box=c.box) for c in table.cells
    ]
    return grid_of(Table(rows=table.rows, columns=table.columns, cells=tuple(cells))).stretched(outline)


def _headed(grid: Grid, lines: Sequence[Line]) -> Grid:
    """The grid with its headers marked by what stands in the cells."""
    table = table_on(grid, lines)
    told = grid_of(table.model_copy(update={"cells": settled(table.cells, table.columns, grid.backwards)}))
    return grid.model_copy(update={"header_rows": told.header_rows, "header_columns": told.header_columns})


def _grid_of_white(lines: Sequence[Line], outline: Box) -> Grid:
    """A row for each row of words, a column between white stretches that next to no row crosses."""
    rows = rows_of(lines)
    if not rows:
        return Grid(rows=(outline.top, outline.bottom), columns=(outline.left, outline.right))
    levels = [round((a.box.bottom + b.box.top) / 2) for a, b in pairwise(rows)]
    levels = [int(v) for v in np.maximum.accumulate([outline.top, *levels])][1:]
    height = float(np.median([line.height for line in rows]))
    crossed = np.zeros(max(1, outline.width), np.int32)
    for row in rows:
        taken = np.zeros_like(crossed, dtype=bool)
        spans = sorted((w.box.left - outline.left, w.box.right - outline.left) for w in row.words)
        for left, right in spans:
            taken[max(0, left) : max(0, right)] = True
        crossed += taken
    white = crossed <= MOST_CROSSED * len(rows)
    edges = np.flatnonzero(np.diff(np.r_[0, white.astype(np.int8), 0]))
    gutters = [(a, b) for a, b in edges.reshape(-1, 2).tolist() if b - a >= GUTTER * height]
    inner = [(a + b) // 2 + outline.left for a, b in gutters if a > 0 and b < outline.width]
    grid = Grid(rows=(outline.top, outline.bottom), columns=(outline.left, *inner, outline.right))
    for level in levels:
        if grid.rows[-2] + 3 <= level <= outline.bottom - 3:
            grid = grid.added("rows", level)
    return grid
