"""Anchors: a place on the original scan and what was read there, whatever the page is cleaned and read as later."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from hyalen.core.model.content import Line, PageContent, Part, Region, RegionKind, Word
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, Frozen, Point, union
from hyalen.core.model.grid import Grid, Span
from hyalen.core.model.treatment import Cleaned

Corners = tuple[float, float, float, float, float, float, float, float]
LONGEST_TEXT = 200
Places = tuple[tuple[float, float], ...]  # points on the original


class Ink(Frozen):
    """What a decision is about.

    Attributes
    ----------
    place : 8 floats
        x and y of the four corners on the original, clockwise from what was the upper left.
    text : str
        What it said when the decision was made.
    kind : RegionKind or None
        Of a region; None for a word.
    """

    place: Corners
    text: str
    kind: RegionKind | None = None


class InkWord(Frozen):
    """A word as it was read in a part of the page."""

    place: Corners
    text: str
    confidence: float
    others: tuple[str, ...] = ()
    style: tuple[Style, ...] = ()
    letters: str = ""
    parts: tuple[Part, ...] = ()


class InkLine(Frozen):
    """A line of them; `height` is a share of its box's height, `baseline` its two ends on the original."""

    words: tuple[InkWord, ...]
    baseline: Places
    height: float


class InkGrid(Frozen):
    """A table's lines by their two ends on the original; see `Grid`."""

    rows: tuple[Places, ...]
    columns: tuple[Places, ...]
    spans: tuple[Span, ...] = ()
    header_rows: int = 0
    header_columns: int = 0
    backwards: bool = False


class Lay:
    """How a cleaned page lies on its original; without a cleaning the two are the same."""

    def __init__(self, cleaned: Cleaned | None = None) -> None:
        self._cleaned = cleaned

    def corners(self, box: Box) -> Corners:
        """A box of the page on the original."""
        points = np.array(box.polygon(), dtype=np.float64)
        if self._cleaned is not None:
            points = self._cleaned.original_points(points)
        a, b, c, d, e, f, g, h = (round(float(v), 2) for v in points.ravel())
        return a, b, c, d, e, f, g, h

    def box(self, corners: Corners) -> Box:
        """Corners on the original as the upright box around them on the page."""
        points: NDArray[np.float64] = np.array(corners, dtype=np.float64).reshape(4, 2)
        if self._cleaned is not None:
            points = self._cleaned.cleaned_points(points)
        (left, top), (right, bottom) = points.min(axis=0), points.max(axis=0)
        return Box(round(float(left)), round(float(top)), round(float(right)), round(float(bottom)))

    def places(self, points: Sequence[tuple[float, float]]) -> Places:
        """Points of the page on the original."""
        found: NDArray[np.float64] = np.array(points, dtype=np.float64).reshape(-1, 2)
        if self._cleaned is not None:
            found = self._cleaned.original_points(found)
        return tuple((round(float(x), 2), round(float(y), 2)) for x, y in found)

    def points(self, places: Places) -> tuple[Point, ...]:
        """Points of the original on the page, in whole pixels."""
        found: NDArray[np.float64] = np.array(places, dtype=np.float64).reshape(-1, 2)
        if self._cleaned is not None:
            found = self._cleaned.cleaned_points(found)
        return tuple(Point(float(round(x)), float(round(y))) for x, y in found)

    def ink_line(self, line: Line) -> InkLine:
        words = tuple(
            InkWord(
                place=self.corners(w.box),
                text=w.text,
                confidence=w.confidence,
                others=w.others,
                style=w.style,
                letters=w.letters,
                parts=w.parts,
            )
            for w in line.words
        )
        height = line.height / max(1, union(w.box for w in line.words).height)
        return InkLine(words=words, baseline=self.places(line.baseline), height=round(height, 4))

    def line(self, ink: InkLine, fresh: Callable[[], str]) -> Line:
        """A line that was read, its words with ids that `fresh` gives."""
        words = tuple(
            Word(
                id=fresh(),
                text=w.text,
                box=self.box(w.place),
                confidence=w.confidence,
                others=w.others,
                style=w.style,
                letters=w.letters,
                parts=w.parts,
            )
            for w in ink.words
        )
        box = union(w.box for w in words)
        start, end = self.points(ink.baseline)
        return Line(words=words, box=box, baseline=(start, end), height=ink.height * box.height)

    def ink_grid(self, grid: Grid) -> InkGrid:
        left, top, right, bottom = grid.box
        return InkGrid(
            rows=tuple(self.places([(left, y), (right, y)]) for y in grid.rows),
            columns=tuple(self.places([(x, top), (x, bottom)]) for x in grid.columns),
            spans=grid.spans,
            header_rows=grid.header_rows,
            header_columns=grid.header_columns,
            backwards=grid.backwards,
        )

    def grid(self, ink: InkGrid) -> Grid:
        rows = [sum(p.y for p in self.points(ends)) / len(ends) for ends in ink.rows]
        columns = [sum(p.x for p in self.points(ends)) / len(ends) for ends in ink.columns]
        return Grid(
            rows=tuple(sorted(round(y) for y in rows)),
            columns=tuple(sorted(round(x) for x in columns)),
            spans=ink.spans,
            header_rows=ink.header_rows,
            header_columns=ink.header_columns,
            backwards=ink.backwards,
        )

    def word(self, word: Word) -> Ink:
        return Ink(place=self.corners(word.box), text=word.text)

    def region(self, region: Region) -> Ink:
        return Ink(place=self.corners(region.box), text=region.text[:LONGEST_TEXT], kind=region.kind)


def each_line(content: PageContent) -> list[tuple[Region, int, Line]]:
    """Every line with its region and its place among that region's lines, table cells included."""
    return [(region, i, line) for region in content.everything for i, line in enumerate(region.all_lines)]
