"""Anchors: a place on the original scan and what was read there, whatever the page is cleaned and read as later."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from hyalen.core.model.content import Line, PageContent, Region, RegionKind, Word
from hyalen.core.model.geometry import Box, Frozen
from hyalen.core.model.treatment import Cleaned

Corners = tuple[float, float, float, float, float, float, float, float]
LONGEST_TEXT = 200


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

    def word(self, word: Word) -> Ink:
        return Ink(place=self.corners(word.box), text=word.text)

    def region(self, region: Region) -> Ink:
        return Ink(place=self.corners(region.box), text=region.text[:LONGEST_TEXT], kind=region.kind)


def each_line(content: PageContent) -> list[tuple[Region, int, Line]]:
    """Every line with its region and its place among that region's lines, table cells included."""
    return [(region, i, line) for region in content.everything for i, line in enumerate(region.all_lines)]
