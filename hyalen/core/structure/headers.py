"""The header cells that each cell of a table goes with."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from hyalen.core.model.content import Cell
    from hyalen.core.structure.tree import Node


def headers_of(rows: Sequence[Node]) -> tuple[Node, ...]:
    """The rows with each cell's headers: of its columns from the top, then of its rows from the left.

    A header that spans all columns further down heads the rows beneath it, until the next one does (as in the algorithm
    of the HTML standard, 4.9.12, for cells of header rows).
    """
    cells = [(node, node.cell) for row in rows for node in row.children if node.cell is not None]
    columns = max((cell.column + cell.column_span for _, cell in cells), default=0)
    heads = [(node, cell) for node, cell in cells if node.scope == "Column" and node.text]
    of_rows: defaultdict[int, list[tuple[Node, Cell]]] = defaultdict(list)
    for node, cell in cells:
        if node.scope == "Row" and node.text:
            for row in range(cell.row, cell.row + cell.row_span):
                of_rows[row].append((node, cell))

    def of(node: Node) -> tuple[Node, ...]:
        cell = node.cell
        if cell is None:
            return ()
        above: list[Node] = []
        section: Node | None = None
        for head, at in heads:
            if at.row >= cell.row:
                continue
            if at.column_span == columns > 1 and at.row > 0:
                section = head  # the nearest one stays
            elif at.column < cell.column + cell.column_span and cell.column < at.column + at.column_span:
                above.append(head)
        beside: list[Node] = []
        for row in range(cell.row, cell.row + cell.row_span):
            beside += [
                head for head, at in of_rows[row] if at.column < cell.column and all(head is not b for b in beside)
            ]
        return (*above, *([section] if section else []), *beside)

    return tuple(
        replace(row, children=tuple(replace(n, headers=of(n)) for n in row.children if n.cell is not None))
        for row in rows
    )


def is_irregular(table: Node) -> bool:
    """Whether scopes alone do not tell which headers a cell has (ISO 14289-1, 7.5)."""
    heads = [n.cell for row in table.children for n in row.children if n.scope is not None and n.cell is not None]
    columns = [h for h in heads if h.row == 0]
    return any(
        h.row_span > 1 or h.column_span > 1 or (h.row > 0 and h.column > 0) or (h.row > 0 and not columns)
        for h in heads
    ) and bool(heads)
