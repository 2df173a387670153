"""Lines that the engine made of several rows, and lines in one place that each have words of the other's row."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.pixels import Image, with_margin
from hyalen.core.layout.rows import part_of
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord, Shape
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.ink_rows import ink_rows, read_row
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import SURE, shifted, sure_letters, with_lines_replaced, without_emptied

LEAST_ROWS = 5  # rows that read well, for others to be told by their height
TWO_ROWS, TANGLED = (1.6, 4.0), 0.4  # usual heights of several rows taken for one; confidence below which they may be
UNSURE = 0.6  # confidence of words at an end of such a line, that may be several rows
CROSSED = 0.4  # of a line's place, that another line has as well
SAME_ROW = 0.6  # of both lines' places, in common
BESIDE = 3  # line heights above and below, within which lines are read again with it: rows are found by each other
LEAST_CLEAR, OVER = 0.7, 0.5  # usual heights that the rows around leave a line; of such a row, that it reaches over
LEAST_WORD = 0.4  # usual heights: lower is a row's heads or feet
MOST = 12  # tangles of a page that are read again


def untangled(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks with tangles read again, cut out with some lines above and below, where that reads better.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    usual = usual_height(blocks)
    if usual is None:
        return list(blocks)
    result = list(blocks)
    for at in [i for i, b in enumerate(blocks) if any(_is_tangle(x, usual, b.lines) for x in b.lines)][:MOST]:
        lines = result[at].lines
        tangles = [line for line in lines if _is_tangle(line, usual, lines)]
        if not tangles:  # read again with one near by
            continue
        knots = union(line.box for line in tangles)
        known = [line for b in result for line in b.lines if line.words]
        mine = [line for line in known if _is_beside(line.box, knots, BESIDE * usual)]
        ids = {id(line) for line in mine}
        others = [x for x in known if id(x) not in ids]
        again = read_rows(page, dpi, languages, mine, others, reader)
        if any(_is_tangle(line, usual, again) for line in again):
            by_ink = (read_row(row, dpi, languages, reader) for row in ink_rows(page, mine, others, usual))
            again = max(again, [line for row in by_ink for line in row], key=lambda each: sum(map(sure_letters, each)))
        again = [_surer(line, mine, usual) for line in again]
        again = [part for line in again for part in _parted(line, again, mine, usual)]
        # What was read beside the tangles and is not found now is not lost.
        again += [x for x in mine if x not in tangles and not any(x.box.overlap(y.box) > 0 for y in again)]
        rows = [line for line in again if knots.top < line.box.centre.y < knots.bottom and line.confidence >= SURE]
        if len(rows) > 1 and sum(map(sure_letters, again)) > sum(map(sure_letters, mine)):
            result = with_lines_replaced(result, mine, again)
    return without_emptied(result, blocks)


def _surer(line: FoundLine, before: Sequence[FoundLine], usual: float) -> FoundLine:
    """The line, or what was read of the same row before where that is no tangle and surer."""
    for old in before:
        shared = line.box.overlap(old.box)
        same = shared > SAME_ROW * max(line.box.area, old.box.area)
        if same and not _is_tangle(old, usual, before) and sure_letters(old) >= sure_letters(line):
            return old
    return line


def _parted(line: FoundLine, found: Sequence[FoundLine], before: Sequence[FoundLine], usual: float) -> list[FoundLine]:
    """The line, or for a tangle the rows that were read in its place before and are nowhere else now."""
    if not _is_tangle(line, usual, found):
        return [line]
    rest = [x.box for x in found if x is not line]
    rows = [x for x in before if x.box.overlap(line.box) > SAME_ROW * x.box.area and not _is_tangle(x, usual, before)]
    return [x for x in rows if not any(box.overlap(x.box) > CROSSED * x.box.area for box in rest)] or [line]


def _is_beside(box: Box, knots: Box, reach: float) -> bool:
    shared = min(box.right, knots.right) - max(box.left, knots.left)
    near = max(box.top - knots.bottom, knots.top - box.bottom) < reach
    return near and shared > 0.5 * min(box.width, knots.width)


def read_rows(
    page: Image,
    dpi: float,
    languages: tuple[str, ...],
    lines: Sequence[FoundLine],
    others: Sequence[FoundLine],
    reader: Reader,
) -> list[FoundLine]:
    """What is read where lines stand, without the others around."""
    area = union(line.box for line in lines).grown(int(dpi / 30), Box(0, 0, page.shape[1], page.shape[0]))
    crop = page[area.top : area.bottom, area.left : area.right].copy()
    for word in (w for line in others for w in line.words):
        if area.overlap(word.box) > 0 and not any(line.box.overlap(word.box) > 0 for line in lines):
            left, top, right, bottom = word.box.intersection(area)
            crop[top - area.top : bottom - area.top, left - area.left : right - area.left] = 255
    margin = int(dpi / 15)
    crop = with_margin(crop, margin)
    found = reader.read_region(crop, dpi, languages, Shape.BLOCK)
    return [shifted(line, area.left - margin, area.top - margin) for b in found for line in b.lines if line.words]


def usual_height(blocks: Sequence[FoundBlock]) -> float | None:
    """Of the lines that read well, in pixels; None where they are few."""
    heights = [line.box.height for b in blocks for line in b.lines if line.confidence >= SURE]
    return float(np.median(heights)) if len(heights) >= LEAST_ROWS else None


def parted_from_tangles(blocks: Sequence[FoundBlock]) -> tuple[list[FoundBlock], list[FoundBlock]]:
    """The blocks without lines, or ends of lines, that the engine made of several rows, which read as nothing; and those.

    What they stand on is free to be read row by row (`read_rest`).
    """
    usual = usual_height(blocks)
    if usual is None:
        return list(blocks), []
    kept, tangled = [], []
    for block in blocks:
        own: list[FoundLine] = []
        lost: list[FoundLine] = []
        for line in block.lines:
            if _is_tangle(line, usual, block.lines):
                lost.append(line)
                continue
            begin, end = _read_part(line, usual)
            own.append(part_of(line, line.words[begin:end]))
            lost += [part_of(line, words) for words in (line.words[:begin], line.words[end:]) if words]
        if lost:
            tangled.append(block._replace(lines=tuple(lost)))
        kept.append(block._replace(lines=tuple(own)))
    return without_emptied(kept, blocks), tangled


def clear_of_neighbours(blocks: Sequence[FoundBlock]) -> list[FoundBlock]:
    """The blocks with the words of tall lines no higher than the rows above and below leave them: their size is told by it."""
    lines = [line for block in blocks for line in block.lines if line.words]
    if len(lines) < LEAST_ROWS:
        return list(blocks)
    usual = float(np.median([line.box.height for line in lines]))

    def clear(line: FoundLine) -> FoundLine:
        if line.box.height < TWO_ROWS[0] * usual < line.height < TWO_ROWS[1] * usual:  # what is left of such a line
            return line._replace(height=float(line.box.height))
        if not TWO_ROWS[0] * usual < line.box.height < TWO_ROWS[1] * usual:
            return line
        near: list[FoundLine] = []
        for other in lines:
            flush = max(abs(line.box.left - other.box.left), abs(line.box.right - other.box.right)) < 2 * usual
            shared = line.box.intersection(other.box).height
            if (
                other is not line
                and flush
                and OVER * other.box.height <= shared
                and other.box.height <= TWO_ROWS[0] * usual
            ):
                near.append(other)
        words = tuple(w._replace(box=_left_clear(w.box, line, near, usual)) for w in line.words)
        box = union(w.box for w in words)
        return line._replace(words=words, box=box, height=min(line.height, float(box.height)))

    return [block._replace(lines=tuple(map(clear, block.lines))) for block in blocks]


def _left_clear(word: Box, line: FoundLine, near: Sequence[FoundLine], usual: float) -> Box:
    """A word's box, no higher than the words of the lines near by that stand above and below it leave it."""
    top, bottom = word.top, word.bottom
    for other in near:
        beside = [w.box for w in other.words if w.box.left - usual < word.right and word.left < w.box.right + usual]
        beside = [box for box in beside if box.height > LEAST_WORD * usual]
        if not beside:
            continue
        if other.box.centre.y < line.box.centre.y:
            top = max(top, max(box.bottom for box in beside))
        else:
            bottom = min(bottom, min(box.top for box in beside))
    return word._replace(top=top, bottom=bottom) if bottom - top >= LEAST_CLEAR * usual else word


def _is_tangle(line: FoundLine, usual: float, beside: Sequence[FoundLine]) -> bool:
    """Whether it is of several rows, and badly read; of two lines in one place each has words of the other's row."""
    tall = TWO_ROWS[0] * usual < line.box.height < TWO_ROWS[1] * usual
    if not tall or not line.words or line.box.width < line.box.height:
        return False
    crossed = any(o is not line and line.box.overlap(o.box) > CROSSED * line.box.area for o in beside)
    return line.confidence < TANGLED or (crossed and any(w.confidence < UNSURE for w in line.words))


def _read_part(line: FoundLine, usual: float) -> tuple[int, int]:
    """The words of a tall line, as a pull quote's, without those at its ends that read as nothing.

    There it goes on over several rows of the column beside it.
    """
    count = len(line.words)
    if not TWO_ROWS[0] * usual < line.box.height < TWO_ROWS[1] * usual:
        return 0, count
    unsure = [w.confidence < UNSURE for w in line.words]
    begin = next((i for i, each in enumerate(unsure) if not each), count)
    end = count - next((i for i, each in enumerate(reversed(unsure)) if not each), count)
    if begin >= end:
        return 0, count
    return begin if _is_nothing(line.words[:begin]) else 0, end if _is_nothing(line.words[end:]) else count


def _is_nothing(words: Sequence[FoundWord]) -> bool:
    return len(words) > 1 and float(np.mean([w.confidence for w in words])) < TANGLED


def still_tangled(tangled: Sequence[FoundBlock], found: Sequence[FoundBlock]) -> list[FoundBlock]:
    """Those of the tangled lines most of whose place no row was found on."""
    rows = [line.box for b in found for line in b.lines]

    def free(box: Box) -> bool:
        return sum(box.overlap(row) for row in rows) < CROSSED * box.area

    lines = ((b, tuple(line for line in b.lines if free(line.box))) for b in tangled)
    return [b._replace(lines=left) for b, left in lines if left]
