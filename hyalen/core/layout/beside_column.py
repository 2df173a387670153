"""Notes in a narrow margin, that a reader ran together with the lines of the column beside them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import mostly_right_to_left
from hyalen.core.layout.rows import LEAST_GUTTER, parted
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box, union

AT_EDGE = 0.5  # line heights: how exactly lines begin at their column's edge; a page may lean
MANY = 0.35  # of the lines around, that begin at the edge of the column itself
REACH = 15.0  # line heights up and down, within which its lines tell a column's edge
LEAST_AT_EDGE, MOST_BEYOND = 6, 0.5  # lines that tell it; of those, how many may reach beyond it
# Line heights: how far in a paragraph's first line begins; a space before it, that parts no words.
INDENT, WIDE = 3.0, 1.2
OUT = 1.0  # line heights that a note begins out of the column
PITCH = 2.0  # line heights from one line of a note to the next
LEAST_LETTERS = 3  # of a line of a note; its last may have fewer
MOST_WIDE, MOST_TALL = 0.4, 1.3  # of the line, that stands in the margin; times the height of what stands in the column


class _Cut(NamedTuple):
    """A line, the edge at which it is cut into its parts, and what stands in the margin: its box and its letters' count.

    `tall` where that was read as higher than what stands in the column.
    """

    line: FoundLine
    x: float
    parts: tuple[list[FoundWord], list[FoundWord]]
    note: Box
    letters: int
    tall: bool


def with_notes_apart(lines: Sequence[FoundLine], page: Image | None = None) -> list[FoundLine]:
    """The lines, those cut at their column's edge that go on into a note of two lines or more in the margin.

    Most lines begin (or end) at the edge; some begin farther out and have a space right there. A list's numbers and
    single words, as a glossary's, are no notes.

    Parameters
    ----------
    lines : sequence of FoundLine
    page : (h, w) uint8, optional
        Dark on white: the parts have their heights from its ink.
    """
    result = list(lines)
    for at_start in (True, False):
        places = np.array([(*_without_numbers(x), x.level) for x in result], np.float64).reshape(-1, 3)
        cuts = [cut for line in result if (cut := _cut(line, places, at_start)) is not None]
        noted = [a for a in cuts if a.letters >= LEAST_LETTERS]
        # A word of several rows is no line of a note, but one may be that a line beneath ran into.
        noted = [
            a
            for a in noted
            if any(_is_beneath(a, b) and not (a.tall and b.tall) for b in noted)
            or any(_is_in_margin(line, a, at_start) for line in result)
        ]
        noted += [a for a in cuts if a not in noted and any(_is_beneath(a, b) for b in noted)]  # its short last line
        parts = {id(cut.line): cut.parts for cut in noted}
        result = [p for x in result for p in (parted(x, parts[id(x)], page) if id(x) in parts else [x])]
    return result


def _is_beneath(cut: _Cut, other: _Cut) -> bool:
    """Whether two parts in the margin are lines of one note."""
    height = cut.line.height
    near = 0 < abs(other.line.level - cut.line.level) < PITCH * height
    return near and abs(other.x - cut.x) < AT_EDGE * height and abs(other.note.left - cut.note.left) < OUT * height


def _is_in_margin(line: FoundLine, cut: _Cut, at_start: bool) -> bool:
    """Whether a line is one of the note's that was not run together with the column's."""
    near = 0 < abs(line.level - cut.line.level) < PITCH * cut.line.height
    out = line.box.right < cut.x if at_start else line.box.left > cut.x
    return near and out and abs(line.box.left - cut.note.left) < OUT * cut.line.height and not cut.tall


def _without_numbers(line: FoundLine) -> tuple[float, float]:
    """Where the line begins and ends without a number, as a list's or a verse's, that stands apart before or behind it."""
    words = sorted(line.words, key=lambda w: w.box.left)
    least = LEAST_GUTTER * line.height
    while len(words) > 1 and not _has_letter(words[0]) and words[1].box.left - words[0].box.right > least:
        del words[0]
    while len(words) > 1 and not _has_letter(words[-1]) and words[-1].box.left - words[-2].box.right > least:
        del words[-1]
    return words[0].box.left, max(w.box.right for w in words)


def _has_letter(word: FoundWord) -> bool:
    return any(map(str.isalpha, word.text))


def _cut(line: FoundLine, places: NDArray[np.float64], at_start: bool) -> _Cut | None:
    """Where the line has a space at the edge of most lines around it, and goes on into the margin."""
    words = sorted(line.words, key=lambda w: w.box.left)
    if mostly_right_to_left([w.language for w in words]):
        return None
    left, right, level = places.T
    shared = np.minimum(right, line.box.right) - np.maximum(left, line.box.left) > 0.5 * line.box.width
    around = places[shared & (np.abs(level - line.level) < REACH * line.height)]

    starts = around[:, 0] if at_start else -around[:, 1]

    def edge_at(x: float, indent: float = 0.0, least: float = LEAST_AT_EDGE) -> float | None:
        """The edge, counted inwards, that lines begin at there or up to an indent farther out."""
        near = starts[(starts > x - indent - AT_EDGE * line.height) & (starts < x + AT_EDGE * line.height)]
        if len(near) < least:
            return None
        edge = float(np.median(near))
        return edge if int((starts < edge - OUT * line.height).sum()) < MOST_BEYOND * len(near) else None

    many = max(LEAST_AT_EDGE, MANY * len(starts))  # notes beneath each other have an edge, too
    if edge_at(line.box.left if at_start else -line.box.right, least=many) is not None:
        return None
    for k in range(1, len(words)):
        space = words[k].box.left - words[k - 1].box.right
        if space < LEAST_GUTTER * line.height:
            continue
        margin, text = (words[:k], words[k:]) if at_start else (words[k:], words[:k])
        note, column = union(w.box for w in margin), union(w.box for w in text)
        begins = column.left if at_start else -column.right
        indent = min(space, INDENT * line.height) if at_start and space > WIDE * line.height else 0.0
        edge = edge_at(begins, indent)
        letters = sum(c.isalpha() for w in margin for c in w.text)
        if edge is None or not letters or note.width > MOST_WIDE * line.box.width:
            continue
        if edge - (note.left if at_start else -note.right) < OUT * line.height:
            continue
        return _Cut(line, abs(edge), (words[:k], words[k:]), note, letters, note.height > MOST_TALL * column.height)
    return None
