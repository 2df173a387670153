"""Lines into columns of running text, from their places alone."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.model.found import FoundLine
from hyalen.core.model.geometry import Box

FARTHEST = 2.3
SIZE_RATIO = 1.3


def columns(lines: Sequence[FoundLine]) -> list[list[FoundLine]]:
    """Chains of lines, each right below the one before.

    Two lines are linked when each is the other's only neighbour across the space between
    them, they are of similar size, start, end or centre alike, and stand no farther apart
    than lines of double-spaced typing.

    Parameters
    ----------
    lines : sequence of FoundLine

    Returns
    -------
    list of list of FoundLine
        From top to bottom within each chain.
    """
    ordered = sorted(lines, key=lambda line: line.box.centre.y)
    above: dict[int, list[int]] = {i: [] for i in range(len(ordered))}
    below: dict[int, list[int]] = {i: [] for i in range(len(ordered))}
    for i in range(len(ordered)):
        for j in _next_below(ordered, i):
            below[i].append(j)
            above[j].append(i)
    following: dict[int, int] = {}
    for i, candidates in below.items():
        if len(candidates) == 1 and len(above[candidates[0]]) == 1 and _linked(ordered[i], ordered[candidates[0]]):
            following[i] = candidates[0]
    chains, started = [], set(following.values())
    for i in range(len(ordered)):
        if i in started:
            continue
        chain = [ordered[i]]
        while i in following:
            i = following[i]
            chain.append(ordered[i])
        chains.append(chain)
    return chains


def _next_below(lines: Sequence[FoundLine], i: int) -> list[int]:
    """The lines that are first met going down from line `i` over its width, within a link's reach."""
    box = lines[i].box
    # A page number far below beside a paragraph's short last line is no neighbour.
    reach = box.bottom + FARTHEST * SIZE_RATIO * max(1.0, lines[i].height)
    met: list[int] = []
    for j in range(i + 1, len(lines)):
        other = lines[j].box
        if other.top > reach:
            continue
        if _shared(box, other) <= 0.1 * min(box.width, other.width) or other.centre.y <= box.bottom - box.height * 0.25:
            continue
        if any(_shared(lines[k].box, other) > 0 and lines[k].box.bottom < other.centre.y for k in met):
            break
        met.append(j)
    return met


def _shared(a: Box, b: Box) -> int:
    return min(a.right, b.right) - max(a.left, b.left)


def _linked(a: FoundLine, b: FoundLine) -> bool:
    size = max(1.0, min(a.height, b.height))
    if max(a.height, b.height) / size > SIZE_RATIO:
        return False
    step = (b.baseline[0].y + b.baseline[1].y - a.baseline[0].y - a.baseline[1].y) / 2
    if step > FARTHEST * size:
        return False
    edges = (
        abs(a.box.left - b.box.left),
        abs(a.box.right - b.box.right),
        abs(a.box.centre.x - b.box.centre.x),
    )
    return min(edges) < 2.2 * size
