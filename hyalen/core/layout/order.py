"""Reading order of boxes on a page."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.model.geometry import Box


def reading_order(boxes: Sequence[Box], right_to_left: bool = False) -> list[int]:
    """Indices of `boxes` in reading order.

    Breuel, "High performance document layout analysis" (SDIUT 2003): a comes
    before b where it stands above b in the same column, or wholly to the left of b
    (right for right-to-left text) with nothing between them in height that spans
    both; the order is a topological sort of these relations.

    Parameters
    ----------
    boxes : sequence of Box
    right_to_left : bool
        Columns run from the right.
    """
    count = len(boxes)
    if count < 2:
        return list(range(count))
    left, top, right, bottom = np.array(boxes, dtype=np.float64).T
    if right_to_left:
        left, right = -right, -left
    # Boxes are shrunk a little, so that touching neighbours do not count as overlapping.
    slack = np.minimum(right - left, bottom - top) * 0.1
    left, right, top, bottom = left + slack, right - slack, top + slack, bottom - slack
    left, right = _spanning(left, right, top, bottom)
    share_column = (left[:, None] < right[None, :]) & (left[None, :] < right[:, None])
    above = top[:, None] < top[None, :]
    before = share_column & above
    beside = right[:, None] <= left[None, :]
    for a, b in zip(*np.nonzero(beside), strict=True):
        upper, lower = min(top[a], top[b]), max(bottom[a], bottom[b])
        between = (top > upper) & (bottom < lower)
        spanning = between & share_column[a] & share_column[b]
        # A spanning box only parts the two where one lies above it and the other below.
        parted = spanning & (((bottom[a] <= top) & (top[b] >= bottom)) | ((bottom[b] <= top) & (top[a] >= bottom)))
        if not parted.any():
            before[a, b] = True
    return _topological(before, [(float(t), float(x)) for t, x in zip(top, left, strict=True)])


def _spanning(
    left: np.ndarray, right: np.ndarray, top: np.ndarray, bottom: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Edges in which a box that reaches into two columns counts as wide as both.

    A short line centred over two columns stands over the whole of them.
    """
    over = (left[:, None] < right[None, :]) & (left[None, :] < right[:, None])
    side_by_side = ~over & (top[:, None] < bottom[None, :]) & (top[None, :] < bottom[:, None])
    np.fill_diagonal(over, False)
    wide_left, wide_right = left.copy(), right.copy()
    for i in range(len(left)):
        under = np.flatnonzero(over[i])
        if side_by_side[np.ix_(under, under)].any():
            wide_left[i] = min(left[i], left[under].min())
            wide_right[i] = max(right[i], right[under].max())
    return wide_left, wide_right


def _topological(before: np.ndarray, place: list[tuple[float, float]]) -> list[int]:
    """Nodes so that each comes after its predecessors; contradictions go to the upper one."""
    waiting = set(range(len(place)))
    order: list[int] = []
    while waiting:
        free = [n for n in waiting if not any(before[m, n] for m in waiting if m != n)]
        chosen = min(free or waiting, key=lambda n: place[n])
        order.append(chosen)
        waiting.remove(chosen)
    return order
