"""A page's blocks as bands of columns, one band beneath the other: how a word processor would have to lay them out."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from hyalen.core.model.geometry import Box, union


class Part(NamedTuple):
    """Lines of a block, from `start` up to before `end`."""

    block: int
    start: int
    end: int


class Band(NamedTuple):
    """Columns that stand side by side, each its parts of blocks from top to bottom."""

    columns: tuple[tuple[Part, ...], ...]


def bands(blocks: Sequence[Sequence[Box]], slack: float, from_the_right: bool = False) -> list[Band]:
    """As few bands as hold all blocks in their places.

    From the top on each band takes as much of the page as falls into columns without two things side by side in one of
    them. A block that goes on beside what needs other columns is parted there between its lines.

    Parameters
    ----------
    blocks : sequence of sequences of Box
        The lines of each block, from top to bottom; one box for what cannot be parted.
    slack : float
        By how many pixels blocks one beneath the other, or side by side, may overlap.
    from_the_right : bool
        Whether columns follow each other from right to left.
    """
    rest = [Part(i, 0, len(lines)) for i, lines in enumerate(blocks) if lines]
    told, found = _Lines(blocks), []
    while rest:
        columns, rest = _next(rest, told, slack)
        ordered = sorted(columns, key=lambda column: min(told.box(part).left for part in column))
        found.append(Band(tuple(map(tuple, reversed(ordered) if from_the_right else ordered))))
    return found


class _Lines:
    """The boxes of blocks' lines, and those around parts of them, each of which is asked for often."""

    def __init__(self, blocks: Sequence[Sequence[Box]]) -> None:
        self._blocks = blocks
        self._boxes: dict[Part, Box] = {}

    def middle(self, block: int, line: int) -> float:
        return self._blocks[block][line].centre.y

    def box(self, part: Part) -> Box:
        if part not in self._boxes:
            self._boxes[part] = union(self._blocks[part.block][part.start : part.end])
        return self._boxes[part]


def _next(parts: list[Part], lines: _Lines, slack: float) -> tuple[list[list[Part]], list[Part]]:
    """The columns of the highest band, and what is left beneath it."""
    edges = {edge for part in parts for box in [lines.box(part)] for edge in (box.top, box.bottom)}
    for height in sorted(edges, reverse=True):
        above, below = _cut(parts, lines, height)
        if above and (columns := _columns(above, lines, slack)) is not None:
            return columns, below
    first = min(parts, key=lambda part: lines.box(part).top)  # it lies over another one
    return [[first]], [part for part in parts if part is not first]


def _cut(parts: Iterable[Part], lines: _Lines, height: float) -> tuple[list[Part], list[Part]]:
    """What lies above a height and what beneath it, lines by their middle."""
    above, below = [], []
    for part in parts:
        at = part.start
        while at < part.end and lines.middle(part.block, at) < height:
            at += 1
        if at > part.start:
            above.append(part._replace(end=at))
        if at < part.end:
            below.append(part._replace(start=at))
    return above, below


def _columns(parts: Iterable[Part], lines: _Lines, slack: float) -> list[list[Part]] | None:
    """The columns that parts fall into, None where two of them stand side by side in one."""
    ordered = sorted(parts, key=lambda part: lines.box(part).top)
    if _is_stack(ordered, lines, slack):
        return [ordered]
    columns: list[tuple[Box, list[Part]]] = []
    for part in ordered:
        box, mine = lines.box(part), [part]
        for other in [each for each in columns if not _apart(each[0], box, slack)]:
            columns.remove(other)
            box, mine = union((box, other[0])), other[1] + mine
        columns.append((box, mine))
    stacks = [sorted(column, key=lambda part: lines.box(part).top) for _, column in columns]
    return stacks if all(_is_stack(column, lines, slack) for column in stacks) else None


def _is_stack(column: Sequence[Part], lines: _Lines, slack: float) -> bool:
    """Whether parts, the highest first, stand one beneath the other."""
    bottom = float("-inf")
    for part in column:
        box = lines.box(part)
        if box.top < bottom - slack:
            return False
        bottom = max(bottom, box.bottom)
    return True


def _apart(one: Box, other: Box, slack: float) -> bool:
    """Whether they have no part of the page's width in common."""
    return one.right <= other.left + slack or other.right <= one.left + slack
