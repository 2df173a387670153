"""Where a page's number is stamped: the free place nearest to the wanted one, or on a strip that is made for it."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.margin import CELL, InkMap
from hyalen.core.model.bundle import StampPlace

EDGE = 15.0  # points from the paper's edge, which printers leave white
DEEPEST = 66.0  # points from the edge within which a number is sought
LEAST_SCALE = 0.5
APART = 3.0  # points between a number and any ink


class Stamp(NamedTuple):
    """Where a number stands, in points from the paper's lower left.

    `scale` is by how much the page is made smaller, away from the edge at which it has no room; `ground` says whether
    the number needs a light ground.
    """

    x: float
    y: float
    scale: float
    ground: bool


def place_stamp(
    ink: InkMap, size: tuple[float, float], stamp: tuple[float, float], wanted: StampPlace, edge: float = EDGE
) -> Stamp:
    """Where a number of a width and height, in points, goes on a page of a width and height.

    Nowhere does it touch ink. A place is sought along the wanted edge, the nearest first; where there is none, the page
    is made a little smaller.
    """
    width, height = size
    wide, high = stamp[0] + 2 * APART, stamp[1] + 2 * APART
    at_top = wanted.value.startswith("top")
    aim = _aim(width, wide, wanted, edge)
    found = _free(ink, height, wide, high, aim, at_top, edge)
    if found is None:
        strip = edge + high
        scale = max(LEAST_SCALE, 1 - strip / height)
        y = height - edge - stamp[1] if at_top else edge
        return Stamp(aim + APART, y, scale, False)
    row, column = found
    x, top = column * CELL, row * CELL
    span = slice(row, row + math.ceil(high / CELL)), slice(column, column + math.ceil(wide / CELL))
    return Stamp(x + APART, height - top - high + APART, 1.0, bool(ink.dark[span].any()))


def _free(
    ink: InkMap, height: float, wide: float, high: float, aim: float, at_top: bool, edge: float
) -> tuple[int, int] | None:
    """The cell of the upper left of the nearest free box along an edge."""
    deep = math.ceil((DEEPEST + EDGE) / CELL) + 1  # no more of the page is looked at
    first = 0 if at_top else max(0, ink.ink.shape[0] - deep)
    taken = _taken(ink.ink[:deep] if at_top else ink.ink[first:], wide, high)
    rows, columns = taken.shape
    if not rows or not columns:
        return None
    down = (first + np.arange(rows)) * CELL  # of the box's upper edge from the page's
    depth = down if at_top else height - high - down
    across = np.arange(columns) * CELL
    width = ink.ink.shape[1] * CELL
    fits = ((depth >= edge - APART) & (depth <= DEEPEST - high + EDGE))[:, None] & ~taken
    fits &= ((across >= edge - APART) & (across <= width - edge - wide + APART))[None, :]
    if not fits.any():
        return None
    far = np.hypot(across[None, :] - aim, 2 * (depth[:, None] - (edge - APART)))
    row, column = divmod(int(np.argmin(np.where(fits, far, np.inf))), columns)
    return first + row, column


def _aim(width: float, wide: float, wanted: StampPlace, edge: float) -> float:
    """Of the box's left edge."""
    side = wanted.value.rsplit("_", 1)[1]
    left, right = edge - APART, width - edge - wide + APART
    return {"left": left, "centre": (width - wide) / 2, "right": right}[side]


def _taken(ink: NDArray[np.bool_], wide: float, high: float) -> NDArray[np.bool_]:
    """By the cell of a box's upper left, whether it would touch ink or leave the page."""
    from scipy.ndimage import maximum_filter  # slow to load, and only the workers stamp

    rows, columns = math.ceil(high / CELL) + 1, math.ceil(wide / CELL) + 1
    if ink.shape[0] < rows or ink.shape[1] < columns:
        return np.ones((0, 0), dtype=bool)
    begins = -(rows // 2), -(columns // 2)  # the window lies to the right of and below its place
    spread: NDArray[np.bool_] = maximum_filter(ink, size=(rows, columns), origin=begins, mode="constant", cval=0)
    return spread[: ink.shape[0] - rows + 1, : ink.shape[1] - columns + 1]
