"""Boxes, points and plane transforms, in pixels: x to the right, y downwards."""

from __future__ import annotations

from collections.abc import Iterable
from math import ceil
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict


class Frozen(BaseModel):
    """Base of every model: immutable, and strict about unknown fields."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class Point(NamedTuple):
    """A point in pixels."""

    x: float
    y: float


class Box(NamedTuple):
    """An upright rectangle; `right` and `bottom` lie just outside it."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def width(self) -> int:
        return self.right - self.left

    @property
    def height(self) -> int:
        return self.bottom - self.top

    @property
    def area(self) -> int:
        return max(0, self.width) * max(0, self.height)

    @property
    def centre(self) -> Point:
        return Point((self.left + self.right) / 2, (self.top + self.bottom) / 2)

    def intersection(self, other: Box) -> Box:
        """The common rectangle; its area is 0 where there is none."""
        return Box(
            max(self.left, other.left),
            max(self.top, other.top),
            min(self.right, other.right),
            min(self.bottom, other.bottom),
        )

    def overlap(self, other: Box) -> int:
        """Area in common, in square pixels."""
        common = self.intersection(other)
        return common.area if common.width > 0 and common.height > 0 else 0

    def covers(self, other: Box, share: float = 0.5) -> bool:
        """Whether at least `share` of `other` lies in this box."""
        return other.area > 0 and self.overlap(other) >= share * other.area

    def grown(self, by: int, within: Box | None = None) -> Box:
        """The box with `by` pixels added on each side, kept inside `within`."""
        box = Box(self.left - by, self.top - by, self.right + by, self.bottom + by)
        return box.intersection(within) if within else box

    def polygon(self) -> tuple[Point, ...]:
        """The four corners, clockwise from the upper left."""
        return (
            Point(self.left, self.top),
            Point(self.right, self.top),
            Point(self.right, self.bottom),
            Point(self.left, self.bottom),
        )


def union(boxes: Iterable[Box]) -> Box:
    """The smallest box around all `boxes`.

    Raises
    ------
    ValueError
        If there are none.
    """
    boxes = list(boxes)
    if not boxes:
        raise ValueError("union of no boxes")
    return Box(
        min(b.left for b in boxes),
        min(b.top for b in boxes),
        max(b.right for b in boxes),
        max(b.bottom for b in boxes),
    )


def bounds(polygon: Iterable[Point]) -> Box:
    """The box around a polygon's corners."""
    xs, ys = zip(*polygon, strict=True)
    return Box(int(min(xs)), int(min(ys)), ceil(max(xs)), ceil(max(ys)))


Matrix = NDArray[np.float64]


def compose(*steps: Matrix) -> Matrix:
    """One 3x3 matrix that applies `steps` in the order given."""
    result = np.eye(3)
    for step in steps:
        result = step @ result
    return result


def translation(dx: float, dy: float) -> Matrix:
    """The 3x3 matrix that moves points by (dx, dy)."""
    return np.array([[1, 0, dx], [0, 1, dy], [0, 0, 1]], dtype=np.float64)
