"""Reading order of blocks on a page."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from hyalen.core.model.content import Region, RegionKind
from hyalen.core.model.geometry import Box, union

SLACK = 0.08  # of a box's shorter side: touching neighbours do not overlap
MOST_DOWN = 0.4  # of the shortest side of all, a line's height: columns lean, rows overlap by less
OTHER_SLACKS = (0.12,)  # the same where boxes are told a little too large
MOST_LIFTED, MOST_ALONE = 0.35, 0.6  # of the area of all, of what may straddle a gutter; and of one box that does
MOST_HEADS = 4  # rows of a head: title, subtitle, date, name
ASIDE_WIDTH = 0.3  # of its neighbour's width: a narrower column beside it is a margin's
ASIDE_COVER = 0.5  # of the height that such a column fills
MOSTLY, BESIDE = 0.8, 3.0  # of an initial, in its column; line heights to the text beside it
ASLANT = 0.1  # of a column's width, by which its parts stand beside each other
LEAST_COLUMN = 4.0  # in heights of the smallest boxes: less is a row, not a column

Boxes = NDArray[np.float64]


def near_ties(boxes: Sequence[Box], right_to_left: bool = False) -> list[int]:
    """Indices of boxes that would follow another one if all stood a little closer or a little farther apart.

    See `reading_order` for the parameters.
    """
    orders = [reading_order(boxes, right_to_left, slack) for slack in (SLACK, *OTHER_SLACKS)]
    before = [dict(zip(order, [-1, *order], strict=False)) for order in orders]
    return [i for i in orders[0] if any(other[i] != before[0][i] for other in before[1:])]


def reading_order(boxes: Sequence[Box], right_to_left: bool = False, slack: float = SLACK) -> list[int]:
    """Indices of `boxes` in reading order.

    Recursive cuts along white space, after Nagy and Seth ("Hierarchical representation of
    optically scanned documents", ICPR 1984): a gutter that runs down the whole part parts columns,
    else white strips across it part what stands above from what stands below. Strips that
    share a gutter stay together. Where there is neither, what straddles the emptiest gutter (a
    headline, a pull quote, a picture) is lifted out: it comes first where it stands at the
    columns' head, last otherwise.

    Parameters
    ----------
    boxes : sequence of Box
    right_to_left : bool
        Columns run from the right.
    slack : float
        Share of a box's shorter side by which it may overlap its neighbour.
    """
    if len(boxes) < 2:
        return list(range(len(boxes)))
    edges = np.array(boxes, dtype=np.float64)
    if right_to_left:
        edges[:, [0, 2]] = -edges[:, [2, 0]]
    shorter = np.minimum(edges[:, 2] - edges[:, 0], edges[:, 3] - edges[:, 1])
    aside, down = shorter * slack, np.minimum(shorter * slack, MOST_DOWN * shorter.min())
    edges = edges + np.stack([aside, down, -aside, -down], axis=1)
    return _ordered(edges, list(range(len(boxes))))


def with_initials_first(parts: Sequence[list[Region]]) -> list[list[Region]]:
    """The parts, a picture that is the initial of one of their paragraphs set before it."""
    result = list(parts)
    for part in parts:
        picture = part[0]
        if picture.kind is not RegionKind.FIGURE:
            continue
        for at, column in enumerate(result):
            begun = next((i for i, each in enumerate(column) if _begins_beside(each, picture.box)), None)
            if begun is not None and union(r.box for r in column).covers(picture.box, MOSTLY):
                result[at] = [*column[:begun], picture, *column[begun:]]
                result.remove(part)
                break
    return result


def _begins_beside(paragraph: Region, picture: Box) -> bool:
    """Whether its first lines stand to the right of the picture, from its head on, and what follows goes on beneath."""
    if len(paragraph.lines) < 2:
        return False
    first = paragraph.lines[0]
    level = abs(first.box.top - picture.top) < first.height
    beside = -0.5 * first.height < first.box.left - picture.right < BESIDE * first.height
    beneath = any(x.box.top > picture.bottom - x.height and x.box.left < picture.centre.x for x in paragraph.lines)
    return level and beside and beneath


def _ordered(edges: Boxes, members: list[int]) -> list[int]:
    if len(members) < 2:
        return members
    columns = _parted(edges, members, 0)
    head = _head_over(edges, columns, members)
    if head:
        return [*_ordered(edges, head), *_ordered(edges, [m for m in members if m not in head])]
    if len(columns) > 1 and not _is_row(edges, columns):
        return [i for column in _asides_last(edges, columns) for i in _ordered(edges, column)]
    strips = _merged(edges, _parted(edges, members, 1))
    if len(strips) > 1:
        return [i for strip in strips for i in _ordered(edges, strip)]
    if len(columns) > 1:
        return [i for column in columns for i in _ordered(edges, column)]
    return _lifted(edges, members)


def _parted(edges: Boxes, members: list[int], axis: int) -> list[list[int]]:
    """The members in groups with white space between, along x (0) or y (1)."""
    low, high = edges[members, axis], edges[members, axis + 2]
    groups: list[list[int]] = []
    reach = -np.inf
    for at in np.argsort(low, kind="stable"):
        if low[at] >= reach or not groups:
            groups.append([])
        groups[-1].append(members[int(at)])
        reach = max(reach, float(high[at]))
    return groups


def _head_over(edges: Boxes, columns: Sequence[list[int]], members: list[int]) -> list[int]:
    """What stands above all columns and reaches out of its own, or over two: a headline that misses a column by chance."""
    if len(columns) < 2:
        return []
    head: list[int] = []
    for strip in _parted(edges, members, 1)[:MOST_HEADS]:
        head += strip
        own = next(c for c in columns if head[0] in c)
        below = [m for m in own if m not in head]
        if len(strip) > 2 or not below or not all(m in own for m in head):
            break
        left, right = edges[below, 0].min(), edges[below, 2].max()
        slack = 0.1 * (right - left)
        reaches = edges[head, 0].min() < left - slack or edges[head, 2].max() > right + slack
        if reaches or len(_parted(edges, below, 0)) > 1:
            return head
    return []


def _is_row(edges: Boxes, columns: Sequence[list[int]]) -> bool:
    """Whether the parts beside each other are hardly higher than a line: a row has no columns."""
    members = [i for column in columns for i in column]
    heights = edges[members, 3] - edges[members, 1]
    whole = edges[members, 3].max() - edges[members, 1].min()
    return bool(len(columns) < len(members) and whole < LEAST_COLUMN * heights.min())


def _asides_last(edges: Boxes, columns: list[list[int]]) -> list[list[int]]:
    """Columns with a narrow, gappy first one, as of notes in the margin, behind the text they stand beside."""
    if len(columns) < 2:
        return columns
    first, second = columns[0], columns[1]
    width = [float(edges[c, 2].max() - edges[c, 0].min()) for c in (first, second)]
    tall = float(edges[second, 3].max() - edges[second, 1].min())
    filled = float((edges[first, 3] - edges[first, 1]).sum())
    if width[0] < ASIDE_WIDTH * width[1] and filled < ASIDE_COVER * tall and len(second) > 1:
        return [second, first, *columns[2:]]
    return columns


def _merged(edges: Boxes, strips: list[list[int]]) -> list[list[int]]:
    """Neighbouring strips that one gutter runs through are one, and so is what goes on below one of the columns only."""
    merged = [strips[0]]
    at = 1
    while at < len(strips):
        before, strip = merged[-1], strips[at]
        rest = _rest_of_column(edges, before, strips[at:])
        both = before + strip
        if rest:
            merged[-1] = [*before, *(i for each in strips[at : at + rest] for i in each)]
            at += rest
            continue
        if (
            len(_parted(edges, before, 0)) > 1
            and len(_parted(edges, strip, 0)) > 1
            and len(_parted(edges, both, 0)) == len(_parted(edges, strip, 0)) == len(_parted(edges, before, 0))
        ):
            merged[-1] = both
        else:
            merged.append(strip)
        at += 1
    return merged


def _rest_of_column(edges: Boxes, above: list[int], strips: Sequence[list[int]]) -> int:
    """How many strips are the rest of one of the columns above but the last: near, as wide as that, within it."""
    columns = _parted(edges, above, 0)
    line = float((edges[:, 3] - edges[:, 1]).min())
    if len(columns) < 2 or edges[above, 3].max() - edges[above, 1].min() < LEAST_COLUMN * line:
        return 0
    for column in columns[:-1]:
        begins, ends, bottom = edges[column, 0].min(), edges[column, 2].max(), edges[above, 3].max()
        slack = ASLANT * (ends - begins)
        fills, count = False, 0
        for strip in strips:
            left, top, right = edges[strip, 0].min(), edges[strip, 1].min(), edges[strip, 2].max()
            if left < begins - slack or right > ends + slack or top - bottom > LEAST_COLUMN * line:
                break
            fills |= bool(left < begins + slack and right > ends - slack)
            bottom, count = edges[strip, 3].max(), count + 1
        if fills:
            return count
    return 0


def _lifted(edges: Boxes, members: list[int]) -> list[int]:
    """Order where nothing can be cut: what straddles the best gutter is taken out of the way."""
    mine = edges[members]
    area = (mine[:, 2] - mine[:, 0]) * (mine[:, 3] - mine[:, 1])
    best: tuple[float, NDArray[np.bool_]] | None = None
    for x in np.unique(np.r_[mine[:, 0], mine[:, 2]]):
        crossing = (mine[:, 0] < x - 0.5) & (mine[:, 2] > x + 0.5)
        left, right = mine[:, 2] <= x + 0.5, mine[:, 0] >= x - 0.5
        if not left.any() or not right.any() or not crossing.any():
            continue
        # Columns balance: a gutter that parts little from much is none.
        tall = min(float((mine[s, 3] - mine[s, 1]).sum()) for s in (left, right))
        cost = float(area[crossing].sum() / area.sum()) - 0.3 * tall / float(mine[:, 3].max() - mine[:, 1].min())
        most = MOST_ALONE if crossing.sum() == 1 else MOST_LIFTED
        if float(area[crossing].sum()) < most * area.sum() and (best is None or cost < best[0]):
            best = cost, crossing
    if best is None:
        return sorted(members, key=lambda i: (edges[i, 1], edges[i, 0]))
    crossing = best[1]
    lifted = [m for m, c in zip(members, crossing, strict=True) if c]
    rest = [m for m, c in zip(members, crossing, strict=True) if not c]
    line = float(np.min(mine[:, 3] - mine[:, 1]))
    head = float(np.min([edges[r, 1] for r in rest]))
    first = [i for i in lifted if edges[i, 1] <= head + line]
    # What hangs below a lifted head, between the columns, belongs to it.
    for i in lifted:
        if i not in first and any(abs(edges[f, 3] - edges[i, 1]) < 3 * line for f in first):
            first.append(i)
    last = [i for i in lifted if i not in first]
    return [*_ordered(edges, first), *_ordered(edges, rest), *_ordered(edges, last)]
