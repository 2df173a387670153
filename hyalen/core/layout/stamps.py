"""Stamps: text that leans is found in bits, which are one text."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.model.content import Line, Region, Subject
from hyalen.core.model.geometry import union

NEAR = 0.1  # inches between the parts of a stamp
SAME_ROW = 0.6  # of a line's height, that parts of one row may stand off each other


def with_whole_stamps(regions: Sequence[Region], dpi: float) -> list[Region]:
    """The regions, those of a stamp that stand close joined to the first of them, row by row along their lean.

    Parameters
    ----------
    regions : sequence of Region
        In reading order, stamps told by their subject.
    dpi : float
        Pixels an inch.
    """
    reach = int(NEAR * dpi)
    joined: list[Region] = []
    for region in regions:
        if region.subject is Subject.STAMP and region.lines:
            near = [
                other
                for other in joined
                if other.subject is Subject.STAMP and other.lines and other.box.grown(reach).overlap(region.box) > 0
            ]
            if near:
                lines = _in_rows([line for part in (*near, region) for line in part.lines])
                outline = union(line.box for line in lines).polygon()
                region = near[0].model_copy(update={"lines": lines, "outline": outline})
                at = joined.index(near[0])
                joined = [each for each in joined if each not in near]
                joined.insert(at, region)
                continue
        joined.append(region)
    return joined


def _in_rows(lines: Sequence[Line]) -> tuple[Line, ...]:
    slope = float(np.median([_slope(line) for line in lines]))

    def level(line: Line) -> float:
        return line.box.centre.y - slope * line.box.centre.x

    rows: list[list[Line]] = []
    for line in sorted(lines, key=level):
        if rows and level(line) - level(rows[-1][-1]) < SAME_ROW * min(line.height, rows[-1][-1].height):
            rows[-1].append(line)
        else:
            rows.append([line])
    return tuple(_one(sorted(row, key=lambda line: line.box.left)) for row in rows)


def _slope(line: Line) -> float:
    start, end = line.baseline
    return (end.y - start.y) / max(1.0, end.x - start.x)


def _one(row: Sequence[Line]) -> Line:
    """The parts of a row, from the left, as a line."""
    if len(row) == 1:
        return row[0]
    return row[0].model_copy(
        update={
            "words": tuple(word for line in row for word in line.words),
            "box": union(line.box for line in row),
            "baseline": (row[0].baseline[0], row[-1].baseline[1]),
            "height": max(line.height for line in row),
        }
    )
