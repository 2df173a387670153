"""The lines of a table and what spans them, and how a hand changes them."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from typing import Literal, NamedTuple

from hyalen.core.model.geometry import Box, Frozen

Axis = Literal["rows", "columns"]
LEAST_GAP = 3  # pixels between two lines


class GridError(ValueError):
    """A change that the grid cannot take; the message says why."""


class Span(NamedTuple):
    """A cell over several places of the grid; rows and columns count from 0."""

    row: int
    column: int
    row_span: int
    column_span: int

    def holds(self, row: int, column: int) -> bool:
        return self.row <= row < self.row + self.row_span and self.column <= column < self.column + self.column_span

    def meets(self, other: Span) -> bool:
        apart = (
            self.row + self.row_span <= other.row
            or other.row + other.row_span <= self.row
            or self.column + self.column_span <= other.column
            or other.column + other.column_span <= self.column
        )
        return not apart

    def around(self, other: Span) -> Span:
        row, column = min(self.row, other.row), min(self.column, other.column)
        bottom = max(self.row + self.row_span, other.row + other.row_span)
        right = max(self.column + self.column_span, other.column + other.column_span)
        return Span(row, column, bottom - row, right - column)


class Grid(Frozen):
    """Where a table's lines stand.

    Attributes
    ----------
    rows, columns : tuple of int
        The lines from the first to the last, in pixels of the page: one more than there are rows and columns.
    spans : tuple of Span
        The cells of more than one place.
    header_rows, header_columns : int
        How many at the head and where rows begin are headers.
    backwards : bool
        As of `content.Table`.
    """

    rows: tuple[int, ...]
    columns: tuple[int, ...]
    spans: tuple[Span, ...] = ()
    header_rows: int = 0
    header_columns: int = 0
    backwards: bool = False

    @property
    def box(self) -> Box:
        return Box(self.columns[0], self.rows[0], self.columns[-1], self.rows[-1])

    def cells(self) -> Iterator[Span]:
        """All cells, row by row."""
        held = {(s.row, s.column): s for s in self.spans}
        for row in range(len(self.rows) - 1):
            for column in range(len(self.columns) - 1):
                if (row, column) in held:
                    yield held[row, column]
                elif not any(s.holds(row, column) for s in self.spans):
                    yield Span(row, column, 1, 1)

    def box_of(self, cell: Span) -> Box:
        return Box(
            self.columns[cell.column],
            self.rows[cell.row],
            self.columns[cell.column + cell.column_span],
            self.rows[cell.row + cell.row_span],
        )

    def place(self, x: float, y: float) -> tuple[int, int]:
        """Row and column of a point; the nearest where it lies outside."""
        row = min(max(bisect_right(self.rows, y) - 1, 0), len(self.rows) - 2)
        column = min(max(bisect_right(self.columns, x) - 1, 0), len(self.columns) - 2)
        return row, column

    def _lines(self, axis: Axis) -> list[int]:
        return list(self.rows if axis == "rows" else self.columns)

    def _with(self, axis: Axis, lines: list[int], spans: list[Span] | None = None) -> Grid:
        kept = self.spans if spans is None else tuple(s for s in spans if s.row_span * s.column_span > 1)
        heads = {
            "header_rows": min(self.header_rows, len(lines) - 1 if axis == "rows" else len(self.rows) - 1),
            "header_columns": min(self.header_columns, len(lines) - 1 if axis == "columns" else len(self.columns) - 1),
        }
        return self.model_copy(update={axis: tuple(lines), "spans": kept, **heads})

    def moved(self, axis: Axis, index: int, to: int) -> Grid:
        """With a line at another place, kept between its neighbours.

        Raises
        ------
        GridError
            If there is no such line.
        """
        lines = self._lines(axis)
        if not 0 <= index < len(lines):
            raise GridError("the table has no such line")
        least = lines[index - 1] + LEAST_GAP if index else 0
        most = lines[index + 1] - LEAST_GAP if index + 1 < len(lines) else to
        lines[index] = min(max(to, least), max(most, least))
        return self._with(axis, lines)

    def added(self, axis: Axis, at: int) -> Grid:
        """With a line more, through whatever spans its place.

        Raises
        ------
        GridError
            If a line stands there already, or it would lie outside.
        """
        lines = self._lines(axis)
        if not lines[0] < at < lines[-1] or any(abs(at - line) < LEAST_GAP for line in lines):
            raise GridError("a new line must stand inside the table and apart from the others")
        index = bisect_right(lines, at)
        first, count = _names(axis)
        spans = []
        for span in self.spans:
            start, length = getattr(span, first), getattr(span, count)
            if start >= index:
                spans.append(span._replace(**{first: start + 1}))
            elif start + length >= index:  # a cell over the new line spans it
                spans.append(span._replace(**{count: length + 1}))
            else:
                spans.append(span)
        lines.insert(index, at)
        return self._with(axis, lines, spans)

    def removed(self, axis: Axis, index: int) -> Grid:
        """Without a line: the cells on both its sides become one.

        Raises
        ------
        GridError
            If it is an outer line, or there is none.
        """
        lines = self._lines(axis)
        if not 0 < index < len(lines) - 1:
            raise GridError("an outer line of a table cannot be taken away; draw its outline anew instead")
        first, count = _names(axis)
        spans = []
        for span in self.spans:
            start, length = getattr(span, first), getattr(span, count)
            if start >= index:
                spans.append(span._replace(**{first: start - 1}))
            elif start + length > index:
                spans.append(span._replace(**{count: length - 1}))
            else:
                spans.append(span)
        lines.pop(index)
        return self._with(axis, lines, _apart(spans))

    def merged(self, cells: Span) -> Grid:
        """With the cells of a block of places made one, those that reach out of it included.

        Raises
        ------
        GridError
            If it reaches beyond the grid.
        """
        if cells.row + cells.row_span >= len(self.rows) or cells.column + cells.column_span >= len(self.columns):
            raise GridError("the table has no such cells")
        return self.model_copy(update={"spans": tuple(_apart([*self.spans, cells]))})

    def parted(self, row: int, column: int) -> Grid:
        """With the cell over a place parted into its places.

        Raises
        ------
        GridError
            If it spans only one: a line must be added first.
        """
        left = tuple(s for s in self.spans if not s.holds(row, column))
        if len(left) == len(self.spans):
            raise GridError("this cell is one place of the grid; add a line to part it")
        return self.model_copy(update={"spans": left})

    def headed(self, rows: int, columns: int) -> Grid:
        """With so many header rows and columns.

        Raises
        ------
        GridError
            If there are not so many.
        """
        if rows >= len(self.rows) or columns >= len(self.columns):
            raise GridError("the table has not so many rows or columns")
        return self.model_copy(update={"header_rows": rows, "header_columns": columns})

    def stretched(self, box: Box) -> Grid:
        """With its outer lines on a box; lines that lie outside go."""
        grid = self
        for axis, start, end in (("rows", box.top, box.bottom), ("columns", box.left, box.right)):
            name: Axis = "rows" if axis == "rows" else "columns"
            while len(grid._lines(name)) > 2 and grid._lines(name)[1] < start + LEAST_GAP:
                grid = grid.removed(name, 1)
            while len(grid._lines(name)) > 2 and grid._lines(name)[-2] > end - LEAST_GAP:
                grid = grid.removed(name, len(grid._lines(name)) - 2)
            grid = grid._with(name, [start, *grid._lines(name)[1:-1], end])
        return grid

    def part(self, axis: Axis, first: int, last: int) -> Grid:
        """The rows or columns from line `first` to line `last`."""
        name, count = _names(axis)
        spans = []
        for span in self.spans:
            start, end = getattr(span, name), getattr(span, name) + getattr(span, count)
            start, end = max(start, first), min(end, last)
            if end > start:
                spans.append(span._replace(**{name: start - first, count: end - start}))
        heads, lost = (self.header_rows, first) if axis == "rows" else (self.header_columns, first)
        if axis == "columns" and self.backwards:
            lost = len(self.columns) - 1 - last
        kept = {"header_rows" if axis == "rows" else "header_columns": max(0, min(heads - lost, last - first))}
        grid = self._with(axis, self._lines(axis)[first : last + 1], spans)
        return grid.model_copy(update=kept)


def _names(axis: Axis) -> tuple[str, str]:
    return ("row", "row_span") if axis == "rows" else ("column", "column_span")


def _apart(spans: list[Span]) -> list[Span]:
    """The spans, those that meet made one."""
    kept: list[Span] = []
    for span in spans:
        while other := next((k for k in kept if k.meets(span)), None):
            kept.remove(other)
            span = span.around(other)
        kept.append(span)
    return [s for s in kept if s.row_span * s.column_span > 1]
