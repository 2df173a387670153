"""What keeps a treatment that somebody sends from being carried out."""

from __future__ import annotations

import math
from collections.abc import Iterator

from hyalen.core.model.treatment import Corners, Treatment

LARGEST_SHEET = 100.0  # inches: a plan of size A0 is 47 long
LARGEST_FRAME = 60.0  # inches: the longest page whose resolution is believed
FARTHEST = 2000.0  # inches from the scan's corner: an image of 60,000 pixels at 50 dpi ends at 1,200
SMALLEST_SIDE = 0.2  # inches of a sheet or cut that a clerk sets


def flaw(treatment: Treatment) -> str:
    """Why a treatment cannot be carried out, in words for the clerk; empty where it can."""
    if not all(math.isfinite(v) and abs(v) <= FARTHEST for v in _numbers(treatment.model_dump())):
        return "A number in it is none, or is beyond any page."
    if (corners := treatment.outline.corners) is not None and not _encloses_a_sheet(corners):
        return "The four corners do not enclose a sheet; go round it clockwise from the upper left."
    if (box := treatment.trim.box) is not None and min(box[2] - box[0], box[3] - box[1]) < SMALLEST_SIDE:
        return "The cut leaves nothing of the page."
    if (frame := treatment.trim.frame) is not None:
        if not all(SMALLEST_SIDE <= side <= LARGEST_FRAME for side in (frame.width, frame.height)):
            return f"An even page is between {SMALLEST_SIDE} and {LARGEST_FRAME:.0f} inches wide and high."
        if not (0 <= frame.left <= frame.width and 0 <= frame.top <= frame.height):
            return "On an even page the content must begin within the page."
    if (bend := treatment.flatten.bend) is not None:
        if any(len(row) != len(bend.along) for row in bend.down):
            return "The bend's grid is ragged: each row has as many nodes as there are columns."
        if not all(SMALLEST_SIDE <= side <= LARGEST_SHEET for side in bend.size):
            return "The bend's sheet is too small or too large."
        if max(abs(v) for row in (*bend.down, bend.along) for v in row) > max(bend.size):
            return "The bend's grid leads off the sheet."
    return ""


def _numbers(value: object) -> Iterator[float]:
    if isinstance(value, dict):
        value = tuple(value.values())
    if isinstance(value, (tuple, list)):
        for part in value:
            yield from _numbers(part)
    elif isinstance(value, float):
        yield value


def _encloses_a_sheet(corners: Corners) -> bool:
    """Whether four points go round a convex area clockwise (y downwards), no side too short."""
    for at in range(4):
        (ax, ay), (bx, by), (cx, cy) = corners[at], corners[(at + 1) % 4], corners[(at + 2) % 4]
        if math.hypot(bx - ax, by - ay) < SMALLEST_SIDE:
            return False
        if (bx - ax) * (cy - by) - (by - ay) * (cx - bx) < SMALLEST_SIDE**2 / 10:
            return False
    return True
