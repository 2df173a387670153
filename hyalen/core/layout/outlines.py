"""Outlines of regions: along text that goes round something, and what of a ragged picture counts in the order."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hyalen.core.model.content import Region, RegionKind
from hyalen.core.model.geometry import Box, Point, union

RAGGED = 0.05  # of the lines that may reach beyond a region's straight edge


def outlined(regions: Sequence[Region]) -> tuple[Region, ...]:
    """The regions; text whose box another region reaches into is outlined along its lines."""
    boxes = [r.box for r in regions]
    return tuple(
        region.model_copy(update={"outline": _staircase([line.box for line in region.lines])})
        if len(region.lines) > 1 and any(b.overlap(boxes[i]) for j, b in enumerate(boxes) if j != i)
        else region
        for i, region in enumerate(regions)
    )


def core(region: Region) -> Box:
    """The region's box; of a ragged picture, what nine tenths of it lie in, for its ends reach in among the text."""
    if region.kind is not RegionKind.FIGURE or len(region.outline) <= 4:
        return region.box
    box = region.box
    step = max(1.0, max(box.width, box.height) / 200)
    mask = np.zeros((int(box.height / step) + 2, int(box.width / step) + 2), np.uint8)
    corners = np.round((np.array(region.outline) - (box.left, box.top)) / step).astype(np.int32)
    cv2.fillPoly(mask, [corners], (1,))
    edges = []
    for axis in (0, 1):
        held = np.cumsum(mask.sum(axis=axis))
        edges.append(np.searchsorted(held, (RAGGED * held[-1], (1 - RAGGED) * held[-1])) * step)
    (left, right), (top, bottom) = edges
    return Box(box.left + int(left), box.top + int(top), box.left + int(right) + 1, box.top + int(bottom) + 1)


def _staircase(lines: Sequence[Box]) -> tuple[Point, ...]:
    """A polygon around lines from top to bottom, clockwise; lines with like sides share them."""
    runs: list[Box] = []
    for box in lines:
        slack = 0.8 * box.height
        if runs and abs(runs[-1].left - box.left) < slack and abs(runs[-1].right - box.right) < slack:
            runs[-1] = union((runs[-1], box))
        else:
            runs.append(box)
    right: list[Point] = []
    left: list[Point] = []
    for i, box in enumerate(runs):
        top = box.top if i == 0 else (runs[i - 1].bottom + box.top) / 2
        bottom = box.bottom if i + 1 == len(runs) else (box.bottom + runs[i + 1].top) / 2
        right += [Point(box.right, top), Point(box.right, bottom)]
        left += [Point(box.left, top), Point(box.left, bottom)]
    return (*right, *reversed(left))
