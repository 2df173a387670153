"""Puts lines together that the engine cut apart: one row of one column is one line."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.languages import mostly_right_to_left
from hyalen.core.model.found import FoundLine
from hyalen.core.model.geometry import Box, union


def join_rows(lines: Sequence[FoundLine]) -> list[FoundLine]:
    """Lines in which one that continues another at the same height is part of it.

    Two are one when they share most of their height and the space between them is no
    wider than a space between words could be.
    """
    rows: list[FoundLine] = []
    for line in sorted(lines, key=lambda each: each.box.left):
        for at, other in enumerate(rows):
            if _same_row(line.box, other.box, max(line.height, other.height)):
                rows[at] = _joined(other, line)
                break
        else:
            rows.append(line)
    return rows


def _same_row(a: Box, b: Box, size: float) -> bool:
    shared = min(a.bottom, b.bottom) - max(a.top, b.top)
    gap = max(a.left, b.left) - min(a.right, b.right)
    return shared > 0.6 * min(a.height, b.height) and -0.3 * size < gap < 0.75 * size


def _joined(left: FoundLine, right: FoundLine) -> FoundLine:
    backwards = mostly_right_to_left([w.language for w in (*left.words, *right.words)])
    first, second = (right, left) if backwards else (left, right)
    return FoundLine(
        words=(*first.words, *second.words),
        box=union((left.box, right.box)),
        baseline=(left.baseline[0], right.baseline[1]),
        height=max(left.height, right.height),
    )
