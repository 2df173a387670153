"""Outlines as a hand draws and changes them: one simple polygon each, whatever was drawn."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from shapely import GeometryCollection, LineString, MultiPolygon, Polygon, box, contains_xy, make_valid, unary_union
from shapely.geometry.base import BaseGeometry
from shapely.ops import split

from hyalen.core.model.geometry import Box, Point

Outline = tuple[Point, ...]
LEAST_SIDE = 4.0  # pixels: less is a slip of the hand
THINNEST = 2.0  # pixels: a splinter that is thinner has no corners in whole pixels
SLIT = 1.0  # pixels: width of the cut that opens a hole to the outside


class NoArea(ValueError):
    """What was drawn encloses nothing of the page; the message says what is wrong."""


def sound(points: Sequence[tuple[float, float]], width: int, height: int) -> Outline:
    """A drawn outline as one simple polygon within the page.

    Where the outline crosses itself its largest part counts; what lies beyond the page is cut off.

    Raises
    ------
    NoArea
        If nothing is left of it.
    """
    if len(points) < 3:
        raise NoArea("two points enclose nothing; draw an area")
    drawn = make_valid(Polygon(points))
    inside = _largest(drawn.intersection(box(0, 0, width, height)))
    if inside is None:
        raise NoArea("that lies beyond the page or encloses nothing; draw an area on the page")
    return _ring(inside)


def holds(outline: Outline, boxes: Iterable[Box]) -> list[bool]:
    """For each box, whether its middle lies in the outline."""
    middles = [b.centre for b in boxes]
    area = Polygon(outline).buffer(SLIT)  # what a slit to a hole runs through is within
    return [bool(v) for v in contains_xy(area, [p.x for p in middles], [p.y for p in middles])] if middles else []


def without(outline: Outline, area: Outline) -> Outline | None:
    """The outline less an area, a hole opened to the outside by a slit; None where nothing is left.

    Where the area parts the outline, the largest part is left.
    """
    rest = _largest(Polygon(outline).buffer(0).difference(Polygon(area).buffer(0)))
    return None if rest is None else _ring(rest)


def joined(outlines: Sequence[Outline]) -> Outline:
    """One outline around several: along them where they touch, else the straight lines around all."""
    whole = unary_union([Polygon(o).buffer(0) for o in outlines])
    around = whole if isinstance(whole, Polygon) else whole.convex_hull
    assert isinstance(around, Polygon)
    return _ring(around)


def cut(outline: Outline, start: Point, end: Point) -> list[Outline]:
    """The parts of an outline on both sides of a straight cut, those above or at the left first.

    Raises
    ------
    NoArea
        If the cut does not go through the outline.
    """
    area = Polygon(outline).buffer(0)
    parts = [p for p in split(area, _through(area, start, end)).geoms if _is_whole(p)]
    if len(parts) < 2:
        raise NoArea("the cut does not go through the block")
    down = abs(end.y - start.y) > abs(end.x - start.x)
    sides: dict[bool, list[BaseGeometry]] = {True: [], False: []}
    for part in parts:
        sides[_before(part.representative_point(), start, end, down)].append(part)
    if not all(sides.values()):
        raise NoArea("the cut does not go through the block")
    return [joined([_ring(p) for p in sides[first] if isinstance(p, Polygon)]) for first in (True, False)]


def overlap(outline: Outline, other: Outline) -> float:
    """Area in common, in square pixels."""
    return float(Polygon(outline).buffer(0).intersection(Polygon(other).buffer(0)).area)


def _through(area: Polygon, start: Point, end: Point) -> LineString:
    """The line through both points, long enough to cross the area."""
    left, top, right, bottom = area.bounds
    reach = (right - left) + (bottom - top) + abs(end.x - start.x) + abs(end.y - start.y)
    length = max(1e-6, ((end.x - start.x) ** 2 + (end.y - start.y) ** 2) ** 0.5)
    dx, dy = (end.x - start.x) / length * reach, (end.y - start.y) / length * reach
    return LineString([(start.x - dx, start.y - dy), (end.x + dx, end.y + dy)])


def _before(point: BaseGeometry, start: Point, end: Point, down: bool) -> bool:
    """Whether a point lies above a cut across, or at the left of one down."""
    x, y = point.x, point.y  # type: ignore[attr-defined]
    if down:
        return bool(x < start.x + (end.x - start.x) * (y - start.y) / (end.y - start.y))
    return bool(y < start.y + (end.y - start.y) * (x - start.x) / (end.x - start.x or 1.0))


def _largest(found: BaseGeometry) -> Polygon | None:
    parts = list(found.geoms) if isinstance(found, MultiPolygon | GeometryCollection) else [found]
    whole = [p for p in parts if isinstance(p, Polygon) and _is_whole(p)]
    return max(whole, key=lambda p: p.area, default=None)


def _is_whole(part: BaseGeometry) -> bool:
    if part.is_empty:
        return False
    left, top, right, bottom = part.bounds
    large = right - left >= LEAST_SIDE and bottom - top >= LEAST_SIDE and part.area >= LEAST_SIDE**2
    return bool(large and not part.buffer(-THINNEST / 2).is_empty)


def _ring(area: Polygon) -> Outline:
    """The outline as one ring, in whole pixels, clockwise on the page from a corner at the upper left."""
    for hole in area.interiors:
        left, _, right, bottom = hole.bounds
        middle = (left + right) // 2 + 0.75  # off half pixels, so that rounding does not close the slit
        slit = box(middle - SLIT / 2, area.bounds[1] - 1, middle + SLIT / 2, bottom)
        opened = _largest(area.difference(slit))
        area = opened if opened is not None else area
    outer = area.exterior.simplify(0)  # corners that lie on a side are none
    ring = [Point(float(round(x)), float(round(y))) for x, y in list(outer.coords)[:-1]]
    corners = [p for i, p in enumerate(ring) if p != ring[i - 1]]
    around = sum(a.x * b.y - b.x * a.y for a, b in zip(corners, corners[1:] + corners[:1], strict=True))
    if around < 0:
        corners.reverse()
    first = min(range(len(corners)), key=lambda i: corners[i].x + corners[i].y)
    return tuple(corners[first:] + corners[:first])
