"""Dot leaders: rows of dots that lead the eye from an entry to its number, or that a form leaves to be filled in.

The engine reads them as letters ("oo..eeeecees"), so they are taken out before it reads, and put back as one word.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.neighbours import tree_of
from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union

LEADER = "…"
DARK = 160  # grey level
LARGEST_DOT = 0.028  # inches: the full stop of 16-point type
WIDEST_PITCH = 0.2  # inches from dot to dot
LEAST_DOTS = 6  # of a leader: an ellipsis has three or four
OFF_LEVEL = 0.5  # dots: how far one may stand above or below the one before
UNEVEN, MOST_MISSED = 0.3, 3.5  # usual pitches: off a whole number of them; where dots are missing
NEAR, OFF_BASELINE = 4.0, 0.4  # line heights between a leader and its words; from it to their baseline
MOST_DOTS = 20_000  # of a page: more are a halftone


def find_leaders(page: Image, dpi: float) -> list[Box]:
    """Boxes of evenly spaced dots on one level.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    found = pieces((page < DARK).astype(np.uint8))
    left, top, width, height, area = found.stats[1:].T
    most = max(3.0, LARGEST_DOT * dpi)
    dots = (np.maximum(width, height) <= most) & (area > 0.5 * width * height) & (np.maximum(width, height) > most / 7)
    boxes = np.c_[left, top, left + width, top + height][dots].astype(np.float64)
    if not LEAST_DOTS <= len(boxes) <= MOST_DOTS:
        return []
    return [_box(boxes[chain]) for chain in _chains(boxes, WIDEST_PITCH * dpi)]


def _box(dots: NDArray[np.float64]) -> Box:
    return Box(*(int(v) for v in (*dots[:, :2].min(axis=0), *dots[:, 2:].max(axis=0))))


def _chains(boxes: NDArray[np.float64], reach: float) -> list[list[int]]:
    """Indices of dots that follow each other evenly to the right."""
    centres, sizes = (boxes[:, :2] + boxes[:, 2:]) / 2, boxes[:, 3] - boxes[:, 1]
    following = np.full(len(boxes), -1)
    nearest = np.full(len(boxes), np.inf)
    for a, b in tree_of(centres).query_pairs(reach, output_type="ndarray"):
        if centres[a, 0] > centres[b, 0]:
            a, b = b, a
        step, rise = centres[b] - centres[a]
        alike = max(sizes[a], sizes[b]) <= 1.6 * min(sizes[a], sizes[b]) + 1
        if alike and abs(rise) <= max(1.0, OFF_LEVEL * sizes[a]) and 1.2 * sizes[a] < step < nearest[a]:
            following[a], nearest[a] = b, step
    led = set(following[following >= 0].tolist())
    chains = []
    for first in (i for i in range(len(boxes)) if i not in led and following[i] >= 0):
        chain, at = [first], first
        while following[at] >= 0:
            at = int(following[at])
            chain.append(at)
        chains += [run for run in _even_runs(chain, np.diff(centres[chain, 0])) if len(run) >= LEAST_DOTS]
    return chains


def _even_runs(chain: list[int], steps: NDArray[np.float64]) -> list[list[int]]:
    """The chain cut where a step is no whole number of usual ones: a speck beyond the leader's end, another leader."""
    usual = float(np.median(steps))
    cuts = [
        i + 1
        for i, step in enumerate(steps / usual)
        if not 0.5 < step < MOST_MISSED or abs(step - round(step)) > UNEVEN
    ]
    return [chain[a:b] for a, b in zip([0, *cuts], [*cuts, len(chain)], strict=True)]


def without_leaders(page: Image, leaders: Sequence[Box]) -> Image:
    """The page with white in the leaders' stead."""
    if not leaders:
        return page
    page = page.copy()
    for box in leaders:
        page[max(0, box.top - 1) : box.bottom + 1, max(0, box.left - 1) : box.right + 1] = 255
    return page


def with_leaders(blocks: Sequence[FoundBlock], leaders: Sequence[Box]) -> list[FoundBlock]:
    """The blocks with a word for each leader, which joins what stands right to its left and right into one line."""
    blocks = list(blocks)
    for leader in sorted(leaders, key=lambda box: (box.bottom, box.left)):
        lines = [line for block in blocks for line in block.lines if _is_level(line, leader)]
        before = [line for line in lines if -2 <= leader.left - _end(line, leader) < NEAR * line.height]
        if not before:
            continue
        line = max(before, key=lambda each: _end(each, leader))
        after = [
            other for other in lines if other is not line and -2 <= other.box.left - leader.right < NEAR * other.height
        ]
        number = min(after, key=lambda other: other.box.left, default=None)
        blocks = _joined(blocks, line, leader, number)
    return blocks


def _joined(blocks: Sequence[FoundBlock], line: FoundLine, leader: Box, number: FoundLine | None) -> list[FoundBlock]:
    """The blocks with the leader, and the line behind it, at the end of the line before it."""
    word = FoundWord(LEADER, leader, 1.0, line.words[-1].language)
    words = sorted((*line.words, word, *(number.words if number else ())), key=lambda w: w.box.left)
    box = union(w.box for w in words)
    start, end = line.baseline
    whole = line._replace(words=tuple(words), box=box, baseline=(start, Point(max(end.x, box.right), end.y)))
    joined = []
    for block in blocks:
        lines = tuple(whole if each is line else each for each in block.lines if each is not number)
        held = whole in lines
        joined.append(block._replace(lines=lines, box=union((block.box, box)) if held else block.box))
    return joined


def _is_level(line: FoundLine, leader: Box) -> bool:
    return abs(line.level_at(leader.centre.x) - leader.bottom) < OFF_BASELINE * line.height


def _end(line: FoundLine, leader: Box) -> float:
    """Where the last of the line's words before the leader ends; infinite where none is."""
    return max((w.box.right for w in line.words if w.box.right <= leader.left + 2), default=float("inf"))
