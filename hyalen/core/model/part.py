"""A part of a page that somebody points at: what is to be read in it, and what was."""

from __future__ import annotations

from typing import NamedTuple

from hyalen.core.model.content import Line
from hyalen.core.model.geometry import Box, Point
from hyalen.core.model.grid import Grid


class PartWanted(NamedTuple):
    """What is to be read.

    Attributes
    ----------
    outline : tuple of Point
        On the cleaned page.
    languages : tuple of str
        ISO 639-3 codes, the likeliest first.
    held : tuple of Line
        Lines in it that are known already and are not read again.
    grid : bool
        Whether rows and columns are looked for.
    around : tuple of Line
        Others of the page, beside which bold type and the like are told.
    """

    outline: tuple[Point, ...]
    languages: tuple[str, ...]
    held: tuple[Line, ...] = ()
    grid: bool = False
    around: tuple[Line, ...] = ()

    @property
    def boxes(self) -> list[Box]:
        return [w.box for line in self.held for w in line.words]


class PartRead(NamedTuple):
    """Lines whose words have no ids yet that count, and the grid where one was wanted."""

    lines: tuple[Line, ...] = ()
    grid: Grid | None = None
