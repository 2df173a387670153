"""Totals of tables: what a column adds up to beside what is printed."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator
from typing import NamedTuple

from hyalen.core.model.content import Cell, Table

TOTAL = re.compile(r"^\W*(?:sub-?)?(?:total|totaux|sum|summe|gesamt|totale|suma|итого|σύνολο|المجموع)", re.IGNORECASE)
LEAST = 2  # rows to add


def number(text: str) -> float | None:
    """What a cell says, thousands parted by commas, points, spaces or apostrophes; None where it is no number.

    A last separator before one or two figures parts decimals; before three it parts thousands.
    """
    core = text.strip().strip("*†£$€% ").replace("\u2212", "-").replace("–", "-")
    negative = core.startswith("(") and core.endswith(")")
    core = core.strip("()").replace(" ", "").replace("'", "").replace("’", "")
    if not re.fullmatch(r"-?\d[\d.,]*", core):
        return None
    parts = re.split(r"[.,]", core)
    if len(parts) > 1 and len(parts[-1]) != 3:
        core = "".join(parts[:-1]) + "." + parts[-1]
    else:
        core = "".join(parts)
    value = float(core)
    return -value if negative else value


class Total(NamedTuple):
    """A cell of a row of totals, what it says, the cells that it adds up, and their sum."""

    cell: Cell
    printed: float
    parts: tuple[Cell, ...]
    sum_: float

    @property
    def is_right(self) -> bool:
        return abs(self.sum_ - self.printed) <= 0.006 * max(1, len(self.parts))  # parts may have been rounded


def totals(table: Table) -> Iterator[Total]:
    """The totals whose parts are all numbers.

    A row of totals adds up the rows from the one before it, or from the head.
    """
    by_row: defaultdict[int, dict[int, Cell]] = defaultdict(dict)
    for each in table.cells:
        by_row[each.row][each.column] = each
    rows = [by_row[r] for r in range(table.rows)]
    start = 0
    for r, row in enumerate(rows):
        named = table.columns - 1 if table.backwards else 0
        first = row.get(named)
        if first is None or not TOTAL.match(first.text):
            continue
        for column, cell in row.items():
            if column == named or cell.column_span > 1:
                continue
            printed = number(cell.text)
            above = [c for above_it in rows[start:r] if (c := above_it.get(column)) is not None and not c.header]
            filled = tuple(c for c in above if c.text.strip())
            values = [v for c in filled if (v := number(c.text)) is not None]
            if printed is not None and len(values) == len(filled) >= LEAST:
                yield Total(cell, printed, filled, sum(values))
        start = r + 1


def wrong_totals(table: Table) -> Iterator[tuple[Cell, float]]:
    """Cells of rows of totals that say something else than the rows above add up to, with that sum."""
    return ((total.cell, round(total.sum_, 6)) for total in totals(table) if not total.is_right)


def cells_that_add_up(table: Table) -> Iterator[Cell]:
    """Cells of columns whose total is right, and those totals: hardly one of them can have been misread."""
    return (cell for total in totals(table) if total.is_right for cell in (*total.parts, total.cell))
