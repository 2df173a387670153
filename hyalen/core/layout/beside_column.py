"""Notes in a narrow margin, that a reader ran together with the lines of the column beside them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.languages import mostly_right_to_left
from hyalen.core.layout.rows import LEAST_GUTTER
from hyalen.core.model.found import FoundLine
from hyalen.core.model.geometry import Box, union

AT_EDGE = 0.5  # line heights: how exactly lines begin at their column's edge; a page may lean
REACH = 15.0  # line heights up and down, within which its lines tell a column's edge
LEAST_AT_EDGE, MOST_BEYOND = 8, 0.4  # lines that tell it; of those, how many may reach beyond it
OUT = 1.0  # line heights that a note begins out of the column
PITCH = 2.0  # line heights from one line of a note to the next
LEAST_LETTERS = 3  # of a line of a note; its last may have fewer
MOST_WIDE, MOST_TALL = 0.4, 1.3  # of the line, that stands in the margin; times the height of what stands in the column


class _Cut(NamedTuple):
    """A line, the edge at which it is cut, and what of it stands in the margin: its box and its letters' count."""

    line: FoundLine
    x: float
    note: Box
    letters: int


def find_column_edges(lines: Sequence[FoundLine]) -> list[Box]:
    """Edges of columns beside which a note of two lines or more stands in the margin, as rules a pixel wide.

    Most lines begin (or end) at the edge; some begin farther out and have a space right there. A list's numbers and
    single words, as a glossary's, are no notes.
    """
    edges: list[Box] = []
    places = np.array([(x.box.left, x.box.right, x.level) for x in lines], np.float64).reshape(-1, 3)
    for at_start in (True, False):
        cuts = [cut for line in lines if (cut := _cut(line, places, at_start)) is not None]
        noted = [a for a in cuts if a.letters >= LEAST_LETTERS]
        noted = [a for a in noted if any(_is_beneath(a, b) for b in noted)]
        noted += [a for a in cuts if a not in noted and any(_is_beneath(a, b) for b in noted)]  # its short last line
        for line, x, note, _ in noted:
            middle = round((note.right + x) / 2 if at_start else (note.left + x) / 2)
            over = round(line.height)  # the rows above and below begin (or end) at the edge
            edges.append(Box(middle, line.box.top - over, middle + 1, line.box.bottom + over))
    return edges


def _is_beneath(cut: _Cut, other: _Cut) -> bool:
    """Whether two parts in the margin are lines of one note."""
    height = cut.line.height
    near = 0 < abs(other.line.level - cut.line.level) < PITCH * height
    return near and abs(other.x - cut.x) < AT_EDGE * height and abs(other.note.left - cut.note.left) < OUT * height


def _cut(line: FoundLine, places: NDArray[np.float64], at_start: bool) -> _Cut | None:
    """Where the line has a space at the edge of most lines around it, and goes on into the margin."""
    words = sorted(line.words, key=lambda w: w.box.left)
    if mostly_right_to_left([w.language for w in words]):
        return None
    left, right, level = places.T
    shared = np.minimum(right, line.box.right) - np.maximum(left, line.box.left) > 0.5 * line.box.width
    around = places[shared & (np.abs(level - line.level) < REACH * line.height)]

    def is_edge(x: float) -> bool:
        inside = around[:, 0] - x if at_start else x - around[:, 1]
        at_edge = int((np.abs(inside) < AT_EDGE * line.height).sum())
        return at_edge >= LEAST_AT_EDGE and int((inside < -OUT * line.height).sum()) < MOST_BEYOND * at_edge

    if is_edge(line.box.left if at_start else line.box.right):
        return None
    for k in range(1, len(words)):
        if words[k].box.left - words[k - 1].box.right < LEAST_GUTTER * line.height:
            continue
        margin = words[:k] if at_start else words[k:]
        note = union(w.box for w in margin)
        x = words[k].box.left if at_start else words[k - 1].box.right
        out = x - note.left if at_start else note.right - x
        letters = sum(c.isalpha() for w in margin for c in w.text)
        text = union(w.box for w in (words[k:] if at_start else words[:k]))
        if note.height > MOST_TALL * text.height:  # of several rows, as no line of a note is
            continue
        if out < OUT * line.height or note.width > MOST_WIDE * line.box.width or not letters:
            continue
        if is_edge(x):
            return _Cut(line, x, note, letters)
    return None
