"""Tables that stand before a bundle's documents: its index, and what has changed."""

from __future__ import annotations

from hyalen.core.model.geometry import Frozen


class FrontRow(Frozen):
    """`sheet` is the sheet that it leads to, from 0 behind the front; -1 for none."""

    cells: tuple[str, ...]
    depth: int = 0
    bold: bool = False
    sheet: int = -1


class FrontTable(Frozen):
    """A heading, what is told beneath it, and rows.

    Attributes
    ----------
    main : int
        The column that heads its row and is indented by the row's depth; the others are as wide as they need to be.
    numbers : int
        The column whose entries stand at the right; -1 for none.
    """

    heading: str
    notes: tuple[str, ...] = ()
    heads: tuple[str, ...]
    rows: tuple[FrontRow, ...] = ()
    main: int = 1
    numbers: int = -1
