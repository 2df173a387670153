"""Ruled tables: grids of lines on the page and the cells they enclose."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import as_uint8, pieces
from hyalen.core.layout.rules import Rules
from hyalen.core.model.geometry import Box

LEAST_ROW = 0.105  # inches: lower than a row of six-point type are the lines of a staff
LEAST_WIDTH, LEAST_HEIGHT = 1.0, 0.14  # inches of a table: one column of figures, one row of type
LEAST_RULED = 0.2  # of a grid's width or height that a rule runs along
LEAST_PARTED = 0.5  # of the side between two cells that is ruled
LEAST_STAFF = 4  # rules above each other, of a staff's five
STAFF_BUNDLE = 2.5  # times the usual gap: the height of a rule, above which it is a staff's five
LEAST_CELLS = {True: 3, False: 4}  # in a single row or column, and in a grid: two cells are a box with a divider


class FoundCell(NamedTuple):
    """Rows and columns count from 0."""

    row: int
    column: int
    row_span: int
    column_span: int
    box: Box


class FoundTable(NamedTuple):
    """A grid whose cells are merged where no rule parts them."""

    box: Box
    rows: int
    columns: int
    cells: tuple[FoundCell, ...]


class Grids(NamedTuple):
    """What crossing rules form: tables, and the staves of printed music."""

    tables: list[FoundTable]
    staves: list[Box]


def find_grids(rules: Rules) -> Grids:
    """Tables with rules between both rows and columns, and staves, whose rules stand in bundles.

    Strokes that cross form a grid; two neighbouring places of the grid are one cell where
    less than half of the side between them is ruled.
    """
    across, down, factor, dpi = rules.across_mask, rules.down_mask, rules.factor, rules.dpi
    gap = max(3, int(dpi / 30))
    grid = cv2.dilate(across | down, np.ones((gap, gap), np.uint8))
    labels, stats, _ = pieces(as_uint8(grid))
    tables: list[FoundTable] = []
    staves: list[Box] = []
    for i, (left, top, width, height, _) in enumerate(stats.tolist()):
        if i == 0 or width < LEAST_WIDTH * dpi or height < LEAST_HEIGHT * dpi:
            continue
        window = (slice(top, top + height), slice(left, left + width))
        mine = labels[window] == i
        if _is_staff(across[window] * mine, width, gap):
            staves.append(Box(*(int(v * factor) for v in (left, top, left + width, top + height))))
            continue
        table = _grid(across[window] * mine, down[window] * mine, gap)
        if table is not None and _row_height(table) > LEAST_ROW * dpi:
            tables.append(_placed(table, left, top, factor))
    return Grids(tables, staves)


def _is_staff(across: NDArray[np.uint8], width: int, gap: int) -> bool:
    """Whether the rules across stand in bundles, as those of printed music do."""
    hits = np.flatnonzero(across.sum(axis=1, dtype=np.float64) >= LEAST_RULED * width)
    if len(hits) == 0:
        return False
    runs = np.split(hits, np.flatnonzero(np.diff(hits) > gap * 2) + 1)
    if float(np.median([run[-1] - run[0] for run in runs])) <= STAFF_BUNDLE * gap:
        return False
    # One stroke that leans is high as well, but there are no five of them above each other.
    begins = np.diff(across.astype(np.int8), axis=0, prepend=0) == 1
    return float(np.median(begins.sum(axis=0))) >= LEAST_STAFF


def _row_height(table: FoundTable) -> float:
    return float(np.median([cell.box.height / cell.row_span for cell in table.cells]))


def _positions(profile: NDArray[np.float64], least: float, gap: int) -> list[int]:
    """Centres of the runs in which the profile reaches `least`; runs nearer than `gap` are one."""
    hits = np.flatnonzero(profile >= least)
    if len(hits) == 0:
        return []
    runs = np.split(hits, np.flatnonzero(np.diff(hits) > gap) + 1)
    return [int(run.mean()) for run in runs]


def _grid(across: NDArray[np.uint8], down: NDArray[np.uint8], gap: int) -> FoundTable | None:
    height, width = across.shape
    ys = _positions(across.sum(axis=1, dtype=np.float64), LEAST_RULED * width, gap * 2)
    xs = _positions(down.sum(axis=0, dtype=np.float64), LEAST_RULED * height, gap * 2)
    rows, columns = len(ys) - 1, len(xs) - 1
    if rows < 1 or columns < 1:
        return None

    def ruled_below(row: int, column: int) -> bool:
        strip = across[max(0, ys[row + 1] - gap) : ys[row + 1] + gap + 1, xs[column] : xs[column + 1]]
        return bool(strip.max(axis=0).mean() >= LEAST_PARTED)

    def ruled_right(row: int, column: int) -> bool:
        strip = down[ys[row] : ys[row + 1], max(0, xs[column + 1] - gap) : xs[column + 1] + gap + 1]
        return bool(strip.max(axis=1).mean() >= LEAST_PARTED)

    taken = np.zeros((rows, columns), dtype=bool)
    cells = []
    for row in range(rows):
        for column in range(columns):
            if taken[row, column]:
                continue
            wide = 1
            while column + wide < columns and not taken[row, column + wide] and not ruled_right(row, column + wide - 1):
                wide += 1
            tall = 1
            while row + tall < rows and all(not ruled_below(row + tall - 1, c) for c in range(column, column + wide)):
                tall += 1
            taken[row : row + tall, column : column + wide] = True
            box = Box(xs[column], ys[row], xs[column + wide], ys[row + tall])
            cells.append(FoundCell(row, column, tall, wide, box))
    if len(cells) < LEAST_CELLS[min(rows, columns) == 1]:
        return None
    return FoundTable(Box(xs[0], ys[0], xs[-1], ys[-1]), rows, columns, tuple(cells))


def _placed(table: FoundTable, left: int, top: int, factor: float) -> FoundTable:
    def place(box: Box) -> Box:
        return Box(
            int((box.left + left) * factor),
            int((box.top + top) * factor),
            int((box.right + left) * factor),
            int((box.bottom + top) * factor),
        )

    cells = tuple(cell._replace(box=place(cell.box)) for cell in table.cells)
    return table._replace(box=place(table.box), cells=cells)
