"""Where the blocks of a page stand, and how their paragraphs have to be set to come out there."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import pairwise
from statistics import median
from typing import NamedTuple

from hyalen.core.formats.typefaces import LEADING, NARROWEST, WIDEST, Fit, Typeface, fit, lines_of
from hyalen.core.languages import is_right_to_left
from hyalen.core.model.content import Line
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, union
from hyalen.core.structure.flow import Run, joined_text
from hyalen.core.structure.tree import Node, Piece, Tag

ASCENT = 0.8  # of a line of exact height that lies above the baseline: common practice of word processors, no source
LONE = 1.03  # of a lone line's length, that it may take
LEAST_SIZE = 0.5  # of its size, in which type is set where there is too much of it
MOST_PRESSED = 0.8  # of lines' distances, where more stands above something than there is room for
TIGHTEST = 0.7  # ems from a line to the next
EVEN = 0.7  # ems by which edges may differ that are one
SHORT = 3  # letters of a line that tell no direction
SIDEWAYS = 2.0  # times as high as it is wide
PART = 3  # lines that have an edge of their own
ELSEWHERE = 2.0  # heights of a line, by which an edge is another one
TRIES = 20  # per cent by which type is set narrower or wider so that it takes as many lines


class Alignment(StrEnum):
    """How a paragraph's lines are set between its edges."""

    START = "start"
    CENTRE = "centre"
    END = "end"
    JUSTIFIED = "justified"


@dataclass(frozen=True)
class Block:
    """What stands in one place: a node or a piece of one.

    Attributes
    ----------
    lines : tuple of Line
        Of a text, its label's among them.
    depth, within
        Of a list's item or an entry of the contents: how deep it stands, and in which list.
    labelled : bool
        Whether it is an item that begins with its label.
    """

    node: Node
    page: int
    box: Box
    lines: tuple[Line, ...] = ()
    depth: int = 0
    within: Node | None = None
    labelled: bool = False
    quoted: bool = False
    root: Node | None = None


def blocks(nodes: Iterable[Node]) -> Iterator[tuple[int, list[Block]]]:
    """The blocks of each page that has any, pages in their order, blocks as they are read."""
    waiting: dict[int, list[Block]] = {}
    for node in nodes:
        first = node.first.page
        for page in sorted(p for p in waiting if p < first):
            yield page, waiting.pop(page)
        for block in _blocks(node):
            waiting.setdefault(block.page, []).append(block)
    yield from sorted(waiting.items())


def _blocks(node: Node) -> Iterator[Block]:
    if node.caption is not None:
        for each in node.with_caption:
            yield from _blocks(replace(each, caption=None))
    elif node.tag is Tag.BLOCK_QUOTE:
        for child in node.children:
            yield from (replace(each, quoted=True) for each in _pieces(child))
    elif node.tag in (Tag.L, Tag.TOC):
        for depth, within, item in node.items():
            yield from _item(item, depth, within, node)
    elif node.tag is Tag.TABLE or node.tag.is_picture:
        piece = node.first
        yield Block(node, piece.page, piece.region.box)
    elif node.text:
        yield from _pieces(node)


def part_of(block: Block, start: int, end: int) -> Block:
    """Some of a block's lines."""
    if (start, end) == (0, len(block.lines)) or not block.lines:
        return block
    lines = block.lines[start:end]
    piece = block.node.pieces[0]
    kept = piece.lines[len(piece.lines) - len(block.lines[start:]) :][
        : len(lines)
    ]  # a label's line may be none of them
    node = replace(block.node, text=joined_text(kept, block.node.language), pieces=(piece._replace(lines=kept),))
    return replace(block, node=node, box=_around(lines), lines=lines, labelled=block.labelled and not start)


def _item(item: Node, depth: int, within: Node, root: Node) -> Iterator[Block]:
    labelled = any(part.tag is Tag.LBL for part in item.parts)
    for number, block in enumerate(_pieces(item.parts[-1])):
        own = replace(block, depth=depth, within=within, root=root, labelled=labelled and not number)
        region = block.node.pieces[0].region
        if own.labelled and region.lines:  # the label's words belong to its place
            own = replace(own, box=_around(region.lines), lines=region.lines)
        yield own


def _pieces(node: Node) -> Iterator[Block]:
    parts = [
        (piece.page, piece.region, lines)
        for piece in node.pieces
        if piece.lines
        for lines in _even_parts(piece.lines, len(node.pieces) == 1 and "\n" in node.text)
    ]
    for page, region, lines in parts:
        text = node.text if len(parts) == 1 else joined_text(lines, node.language)
        own = replace(node, text=text, pieces=(Piece(page, region, lines),))
        if all(map(_is_sideways, lines)):  # a paragraph cannot be turned: it is shown, and said
            yield Block(replace(own, tag=Tag.FIGURE, alternative=text), page, region.box)
        else:
            yield Block(own, page, _around(lines), lines)


def _even_parts(lines: Sequence[Line], whole: bool) -> Iterator[tuple[Line, ...]]:
    """Lines that have their edges in common: a text that runs around something has others beside it than beneath."""
    start, height = 0, median(line.box.height for line in lines)
    for at in range(PART, len(lines) - PART + 1) if not whole else ():
        before, after = lines[max(start, at - PART) : at], lines[at : at + PART]
        if at - start >= PART and _parted(before, after, ELSEWHERE * height):
            yield tuple(lines[start:at])
            start = at
    yield tuple(lines[start:])


def _parted(before: Sequence[Line], after: Sequence[Line], apart: float) -> bool:
    """Whether an edge of all lines before is elsewhere than that of all lines after."""
    for side in ("left", "right"):
        old, new = ([getattr(line.box, side) for line in part] for part in (before, after))
        if min(old) > max(new) + apart or min(new) > max(old) + apart:
            return True
    return False


def _is_sideways(line: Line) -> bool:
    return len(line.text) > SHORT and line.box.height > SIDEWAYS * line.box.width


def _around(lines: Sequence[Line]) -> Box:
    return union(line.box for line in lines)


class Shape(NamedTuple):
    """How a paragraph is set; lengths in pixels of the page.

    Attributes
    ----------
    top, pitch, rows
        Where its first line begins, how far lines are apart, how many there are.
    start, end
        Between which it stands, its first line beginning `first` farther in. Of a text from right to left they are
        counted from there: the negatives of its right and its left edge.
    em, width
        Size of its type, and its width in per cent of its own.
    """

    top: float
    pitch: float
    rows: int
    start: float
    end: float
    first: float
    alignment: Alignment
    em: float
    width: int

    @property
    def level(self) -> float:
        """Where its first line's baseline is."""
        return self.top + ASCENT * self.pitch

    @property
    def bottom(self) -> float:
        return self.top + self.rows * self.pitch


def shape(block: Block, face: Typeface, unit: float, fitted: Fit | None = None, room: float | None = None) -> Shape:
    """How a block of text has to be set so that it takes the lines and the place that it has on the page.

    Parameters
    ----------
    unit : float
        Points a pixel.
    fitted : Fit or None
        Size and width of its type where they are told by more than its own lines.
    room : float or None
        How wide a lone line may be, in pixels.
    """
    em, width = fitted or fit(face, block.lines, unit)
    rows = _rows(block.lines, em)
    levels = [row[0].level for row in rows]
    pitch = median(b - a for a, b in pairwise(levels)) if len(rows) > 1 else LEADING * em
    pitch = max(pitch, TIGHTEST * em)
    starts = [min(line.box.left for line in row) for row in rows]
    ends = [max(line.box.right for line in row) for row in rows]
    backwards = is_right_to_left(block.node.language)
    if backwards:
        starts, ends = [-v for v in ends], [-v for v in starts]
    start = float(median(starts[1:]) if len(rows) > 1 else starts[0])
    first = starts[0] - start if abs(starts[0] - start) > EVEN * em else 0.0
    words = rows[0][0].words
    if block.labelled and len(words) > 1:
        if len(rows) == 1:
            start = float(-words[1].box.right if backwards else words[1].box.left)
        first = starts[0] - start
    alignment = _alignment(starts, ends, em)
    if alignment in (Alignment.CENTRE, Alignment.END):
        start, first = float(min(starts)), 0.0
    end = float(max(ends))
    beside = end - start if len(rows) > 1 else (room or end - starts[0]) * LONE
    em, width = _as_many_lines(
        face, block.node.runs, Fit(em, width), beside, first if len(rows) > 1 else 0.0, len(rows), 0.5 / unit
    )
    return Shape(levels[0] - ASCENT * pitch, pitch, len(rows), start, end, first, alignment, em, width)


def clear_of_each_other(column: Sequence[Shape | None], floor: float) -> list[Shape | None]:
    """The shapes of a column, lone lines no higher than what comes before and after, and the page's end, lets them be."""
    settled = list(column)
    for at, now in enumerate(column):
        if now is None or now.rows > 1:
            continue
        level, pitch = now.level, now.pitch
        before, after = column[at - 1] if at else None, column[at + 1] if at + 1 < len(column) else None
        if before is not None:
            pitch = min(pitch, level - before.level - (before.rows - 1) * before.pitch)
        if after is not None:
            pitch = min(pitch, after.level - level)
        pitch = max(min(pitch, (floor - level) / (1 - ASCENT)), TIGHTEST * now.em)
        settled[at] = now._replace(top=level - ASCENT * pitch, pitch=pitch)
    return settled


def pressed(column: Sequence[Shape | None], boxes: Sequence[Box], level: float, limit: float) -> list[Shape | None]:
    """The shapes of a column, their lines so much nearer to each other that it ends above a limit, as far as that may be."""
    at, high = level, 0.0
    for now, box in zip(column, boxes, strict=True):
        top, own = (float(box.top), float(box.height)) if now is None else (now.top, now.rows * now.pitch)
        at = max(at, top) + own
        high += own if now is not None else 0.0
    if at <= limit or not high:
        return list(column)
    share = max(MOST_PRESSED, 1 - (at - limit) / high)
    return [None if now is None else now._replace(pitch=now.pitch * share) for now in column]


def _rows(lines: Sequence[Line], em: float) -> list[list[Line]]:
    """Lines, those that stand on one level together."""
    rows: list[list[Line]] = []
    for line in lines:
        if rows and abs(line.level - rows[-1][0].level) < 0.4 * em:
            rows[-1].append(line)
        else:
            rows.append([line])
    return rows


def _alignment(starts: Sequence[int], ends: Sequence[int], em: float) -> Alignment:
    if len(starts) < 2:
        return Alignment.START
    even = EVEN * em
    begin, end = _spread(starts[1:]) < even, _spread(ends[:-1]) < even
    if begin and end and len(starts) > 2:
        return Alignment.JUSTIFIED
    if begin and (len(starts) > 2 or abs(starts[0] - starts[1]) < even):
        return Alignment.START
    if _spread([a + b for a, b in zip(starts, ends, strict=True)]) < 2 * even:
        return Alignment.CENTRE
    return Alignment.END if _spread(ends) < even and len(starts) > 2 else Alignment.START


def _spread(values: Sequence[int]) -> int:
    return max(values) - min(values)


def _as_many_lines(
    face: Typeface, runs: Sequence[Run], fitted: Fit, room: float, first: float, rows: int, smaller: float
) -> Fit:
    """Type next to what was told, by which the text takes as many lines as it has, and in no case more.

    Parameters
    ----------
    smaller : float
        By how much, in pixels, its size may change at a time.
    """
    words = [part for run in runs for part in _words(run)]
    em, width = fitted
    while True:
        fewest, best = 0, 0
        for by in sorted(range(-TRIES, TRIES + 1), key=abs):
            tried = width + by
            if not NARROWEST <= tried <= WIDEST:
                continue
            count = lines_of(face, words, em * tried / 100, room, first)
            if count == rows:
                return Fit(em, tried)
            if fewest < count < rows:
                fewest, best = count, tried
        if best or em - smaller < LEAST_SIZE * fitted.em:
            return Fit(em, best or max(NARROWEST, width - TRIES))
        em -= smaller


def _words(run: Run) -> Iterator[tuple[str, frozenset[Style]]]:
    return ((word, run.style) for word in run.text.split())
