"""What decisions do to tables: their lines, and what their cells say."""

from __future__ import annotations

from hyalen.core.decisions.finding import Unplaced, find_region
from hyalen.core.decisions.ink import Ink, Lay
from hyalen.core.decisions.operations import Fill, Regrid
from hyalen.core.decisions.shaping import BY_HAND
from hyalen.core.decisions.wording import fresh_words, parted, replaced
from hyalen.core.layout.grids import table_on
from hyalen.core.model.content import Cell, Line, PageContent, Region, Table, Word, WordState
from hyalen.core.model.geometry import Box, Point, union

SAME_CELL = 0.5  # of a cell's area
LINE_SHARE = 0.8  # of a line's room in a cell, that its words fill


def regrid(content: PageContent, operation: Regrid, lay: Lay) -> PageContent:
    region, _ = _with_table(content, operation.region, lay)
    grid = lay.grid(operation.grid)
    table = table_on(grid, region.all_lines)
    return replaced(content, region.model_copy(update={"table": table, "outline": grid.box.polygon(), **BY_HAND}))


def fill(content: PageContent, operation: Fill, lay: Lay) -> PageContent:
    region, table = _with_table(content, operation.region, lay)
    place = lay.box(operation.cell)
    at = max(range(len(table.cells)), key=lambda i: table.cells[i].box.overlap(place))
    if not place.covers(table.cells[at].box, SAME_CELL) and not table.cells[at].box.covers(place, SAME_CELL):
        raise Unplaced("the cell is not there any more")
    cell = table.cells[at]
    filled = cell.model_copy(update={"lines": _written(content, cell, operation.text)})
    cells = (*table.cells[:at], filled, *table.cells[at + 1 :])
    return replaced(content, region.model_copy(update={"table": table.model_copy(update={"cells": cells})}))


def _written(content: PageContent, cell: Cell, text: str) -> tuple[Line, ...]:
    """Lines of a text that stand one below the other in a cell."""
    texts = [t for t in (part.split() for part in text.split("\n")) if t]
    fresh = fresh_words(content)
    lines = []
    ink = union(line.box for line in cell.lines) if cell.lines else cell.box
    for i, tokens in enumerate(texts):
        room = ink.height / len(texts)
        inset = 0.0 if cell.lines else (1 - LINE_SHARE) / 2 * room
        left, right = ink.left, max(ink.left + len(tokens), ink.right)
        box = Box(left, round(ink.top + i * room + inset), right, round(ink.top + (i + 1) * room - inset))
        words = tuple(
            Word(id=next(fresh), text=token, box=place, confidence=1.0, state=WordState.CORRECTED)
            for token, place in zip(tokens, parted(box, tokens), strict=True)
        )
        baseline = (Point(box.left, box.bottom), Point(box.right, box.bottom))
        lines.append(Line(words=words, box=box, baseline=baseline, height=float(box.height)))
    return tuple(lines)


def _with_table(content: PageContent, ink: Ink, lay: Lay) -> tuple[Region, Table]:
    region = find_region(content, ink, lay)
    if region.table is None:
        raise Unplaced("the block is no table any more")
    return region, region.table
