"""What decisions do to lines: one ends earlier, two become one, one that was not read is put in."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

from hyalen.core.decisions.finding import Unplaced, find_region, find_words
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import BreakBefore, InsertRow, JoinNext
from hyalen.core.decisions.requests import EditError
from hyalen.core.decisions.wording import fresh_words, parted, replaced
from hyalen.core.languages import mostly_right_to_left
from hyalen.core.layout.grids import part_of
from hyalen.core.model.content import Line, PageContent, Region, Word, WordState
from hyalen.core.model.geometry import Box, Point, union

PITCH = 1.3  # line heights from one baseline to the next, where a block has but one line
SAME_INK = 0.5  # of unread ink, that lies in the place of a line
REACH = 2.2  # line heights beneath a line's baseline, down to which unread ink may be its next line


def break_before(content: PageContent, operation: BreakBefore, lay: Lay) -> PageContent:
    span = find_words(content, (operation.word,), lay)
    line = span.region.all_lines[span.line]
    if span.first == 0:
        return content
    members = list(range(len(line.words)))
    return _with(
        content, span.region, span.line, 1, [part_of(line, members[: span.first]), part_of(line, members[span.first :])]
    )


def join_next(content: PageContent, operation: JoinNext, lay: Lay) -> PageContent:
    span = find_words(content, (operation.word,), lay)
    group, at = _group(span.region, span.line)
    if at + 1 == len(group):
        raise EditError("there is no line after it in its block")
    first, second = group[at], group[at + 1]
    ends = sorted((*first.baseline, *second.baseline), key=lambda p: p.x)
    joined = Line(
        words=(*first.words, *second.words),
        box=union((first.box, second.box)),
        baseline=(ends[0], ends[-1]) if abs(first.level - second.level) < first.height / 2 else first.baseline,
        height=max(first.height, second.height),
    )
    return _with(content, span.region, span.line, 2, [joined])


def insert_row(content: PageContent, operation: InsertRow, lay: Lay) -> PageContent:
    region = find_region(content, operation.region, lay)
    if region.table is not None or region.kind.is_picture:
        raise EditError("a line can be put into a text; of a table type into its cells")
    box, at = lay.box(operation.place), 0
    if operation.after is not None:
        span = find_words(content, (operation.after,), lay)
        if span.region.id != region.id:
            raise Unplaced("the line before is in another block now")
        at = span.line + 1
    fresh = fresh_words(content)
    line = written_line(region, box, operation.text.split(), fresh)
    lines = (*region.lines[:at], line, *region.lines[at:])
    outline = region.outline if region.box.covers(box, 1.0) else union((region.box, box)).polygon()
    unread = tuple(b for b in content.unread if not box.covers(b, SAME_INK))
    content = content.model_copy(update={"unread": unread})
    return replaced(content, region.model_copy(update={"lines": lines, "outline": outline}))


def written_line(region: Region, box: Box, tokens: Sequence[str], fresh: Iterator[str]) -> Line:
    """A line of a clerk's words in a place, its words as wide as their letters."""
    boxes = parted(box, tokens)
    if mostly_right_to_left([region.language or ""]):
        boxes = [Box(box.left + box.right - b.right, b.top, box.left + box.right - b.left, b.bottom) for b in boxes]
    words = tuple(
        Word(id=next(fresh), text=t, box=b, confidence=1.0, state=WordState.CORRECTED)
        for t, b in zip(tokens, boxes, strict=True)
    )
    drop = _drop(region)
    level = box.bottom - drop * box.height
    return Line(
        words=words, box=box, baseline=(Point(box.left, level), Point(box.right, level)), height=float(box.height)
    )


def _drop(region: Region) -> float:
    """How much of a line's box lies beneath its baseline, as in the region's other lines."""
    shares = sorted((line.box.bottom - line.level) / max(1, line.box.height) for line in region.lines)
    return min(0.4, max(0.0, shares[len(shares) // 2])) if shares else 0.2


def place_beneath(content: PageContent, region: Region, after: int) -> Box:
    """Where a line that was not read is likeliest to stand: on unread ink, else a line's pitch further.

    Parameters
    ----------
    after : int
        The line above it, from 0; -1 for above the first.
    """
    lines = region.lines
    if not lines:
        return region.box
    line = lines[max(0, after)]
    height = max(4, round(line.height))
    top = line.box.bottom if after >= 0 else round(line.box.top - REACH * height)
    bottom = round(line.level + REACH * height) if after >= 0 else line.box.top
    near = [b for b in content.unread if top - height / 2 <= b.centre.y <= bottom and _beside(b, region.box)]
    if near:
        best = min(near, key=lambda b: abs(b.centre.y - line.box.centre.y))
        return union([b for b in near if abs(b.centre.y - best.centre.y) < height / 2])
    pitches = sorted(b.level - a.level for a, b in pairwise(lines) if b.level > a.level)
    pitch = pitches[len(pitches) // 2] if pitches else PITCH * height
    shift = round(pitch if after >= 0 else -pitch)
    top = min(max(0, line.box.top + shift), content.height - height)
    return Box(region.box.left, top, region.box.right, min(content.height, top + line.box.height))


def _beside(box: Box, column: Box) -> bool:
    return min(box.right, column.right) > max(box.left, column.left)


def _group(region: Region, line: int) -> tuple[Sequence[Line], int]:
    """The lines that one goes with, of its text or its cell, and its place among them."""
    if region.table is None:
        return region.lines, line
    for cell in region.table.cells:
        if line < len(cell.lines):
            return cell.lines, line
        line -= len(cell.lines)
    raise Unplaced("the line is not there any more")


def _with(content: PageContent, region: Region, first: int, count: int, lines: Sequence[Line]) -> PageContent:
    """Other lines in the stead of `count` of a region's, which stand in one text or cell."""
    if region.table is None:
        now = (*region.lines[:first], *lines, *region.lines[first + count :])
        return replaced(content, region.model_copy(update={"lines": now}))
    cells, at = [], first
    for cell in region.table.cells:
        if 0 <= at < len(cell.lines):
            cell = cell.model_copy(update={"lines": (*cell.lines[:at], *lines, *cell.lines[at + count :])})
            at = -1
        elif at >= 0:
            at -= len(cell.lines)
        cells.append(cell)
    return replaced(
        content, region.model_copy(update={"table": region.table.model_copy(update={"cells": tuple(cells)})})
    )
