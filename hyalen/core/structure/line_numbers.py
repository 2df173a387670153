"""Numbers in the margin that count a text's lines, as of verses and of papers before a court: they are not read with it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from hyalen.core.model.content import Line, Region

LEAST = 3  # numbers that count on
MOST_LETTERS = 3
MOST_OFF = 0.3  # steps by which a number may stand off its place
MOSTLY = 0.6  # of what stands in their strip
WITHIN = 0.4  # of the lines, that begin within a sentence
TEXT_LINES = 4  # of the text beside, at least
_MISREAD = str.maketrans(
    {"I": "1", "l": "1", "|": "1", "O": "0", "o": "0", "S": "5", "s": "5", "B": "8", "a": "2", "i": "1"}
)
_NUMBER = re.compile(r"^\d{1,3}$")


class _Place(NamedTuple):
    region: Region
    line: Line
    value: int | None


def line_numbers(texts: Sequence[Region], body: float) -> set[str]:
    """Ids of regions that hold nothing but numbers of lines: one below the other outside the text, at the pace of its lines.

    Parameters
    ----------
    texts : sequence of Region
    body : float
        Size of the page's usual type, in pixels (see `sizes.body_size`).
    """
    bits = [r for r in texts if all(len(line.text.strip(" .")) <= MOST_LETTERS for line in r.lines)]
    alone = {r.id for r in bits}
    running = [r for r in texts if r.id not in alone]
    lines = [line for r in running for line in r.lines]
    if len(lines) < TEXT_LINES:
        return set()
    found: set[str] = set()
    for at_left in (True, False):
        strip = [r for r in bits if _is_outside(r, lines, at_left)]
        places = [_Place(r, line, _value(line)) for r in strip for line in r.lines]
        edge = _edge(places, at_left, body)
        kept = [p for p in places if abs(_side(p, edge[1]) - edge[0]) < body] if edge else []
        step = _step(kept)
        if step > 1 or (step == 1 and _run_on(kept, lines)):
            found |= {p.region.id for p in kept}
    return found


def _value(line: Line) -> int | None:
    text = line.text.strip(" .").translate(_MISREAD)
    return int(text) if _NUMBER.match(text) else None


def _is_outside(region: Region, lines: Sequence[Line], at_left: bool) -> bool:
    """Whether no line of the text that stands level with it lies over it or on its other side."""
    box = region.box
    level = [line.box for line in lines if line.box.top < box.bottom and box.top < line.box.bottom]
    return all(box.right < b.left if at_left else box.left > b.right for b in level)


def _side(place: _Place, right: bool) -> float:
    return float(place.line.box.right if right else place.line.box.left)


def _edge(places: Sequence[_Place], at_left: bool, body: float) -> tuple[float, bool] | None:
    """Where most of them begin or end, whichever agrees better, and whether that is where they end."""
    told = [p for p in places if p.value is not None]
    if len(told) < 2:
        return None
    edges = [(float(np.median([_side(p, right) for p in told])), right) for right in (at_left, not at_left)]
    return max(edges, key=lambda e: sum(abs(_side(p, e[1]) - e[0]) < 0.5 * body for p in told))


def _step(places: Sequence[_Place]) -> float:
    """By how much they count, if most stand where their values have them, misread ones where another would be; else 0."""
    told = sorted((p.line.level, p.value) for p in places if p.value is not None)
    if len(places) < LEAST or len(told) < max(2, MOSTLY * len(places)):
        return 0.0
    levels, values = np.array([t[0] for t in told]), np.array([t[1] for t in told], float)
    steps = np.diff(values)
    if not (steps > 0).any():
        return 0.0
    pace = float(np.median(np.diff(levels)[steps > 0] / steps[steps > 0]))
    start, step = float(np.median(levels - values * pace)), float(np.min(steps[steps > 0]))
    stands = [(p, (p.line.level - start) / max(pace, 1.0)) for p in places]
    on = [abs(at - (round(at / step) * step if p.value is None else p.value)) < MOST_OFF * step for p, at in stands]
    return step if sum(on) >= max(LEAST, MOSTLY * len(places)) else 0.0


def _run_on(places: Sequence[_Place], lines: Sequence[Line]) -> bool:
    """Whether the lines beside them go on within sentences: where each begins one, the numbers are those of entries."""
    beside = [
        line
        for line in lines
        if any(p.line.box.top < line.box.bottom and line.box.top < p.line.box.bottom for p in places)
    ]
    within = sum(line.text[:1].isalpha() and not line.text[:1].isupper() for line in beside)
    return within > WITHIN * len(beside)
