"""A page's regions from what the engine read and what the image shows."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.languages import identify, is_known, mostly_right_to_left
from hyalen.core.layout.aligned import find_aligned_tables, split_rows
from hyalen.core.layout.bullets import mark_bullets
from hyalen.core.layout.cells import settled
from hyalen.core.layout.columns import columns
from hyalen.core.layout.evidence import Evidence, gather
from hyalen.core.layout.figures import Figure, find_figures
from hyalen.core.layout.initials import join_initials
from hyalen.core.layout.order import reading_order
from hyalen.core.layout.paragraphs import split_paragraphs, usual_leading
from hyalen.core.layout.rows import cut_lines, join_rows, part_of
from hyalen.core.layout.tables import FoundTable, find_grids
from hyalen.core.layout.witness import Kind, Witness
from hyalen.core.model.content import Cell, Line, Region, RegionKind, Role, Table, Word
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union

TRUSTED = 0.6
SURE = 0.75
LONG = 5
LEAST_CONFIDENCE = 0.4
NEAR = 12  # lines of other columns may come between two of one
RAGGED = 0.05
STRAY, RIM = 0.1, 0.015  # of the page's width
LEAST_FIGURE = 0.45
MOST_TEXT = 0.25  # of a picture's box, under lines of text
LEAST_EVEN = 0.25
EDGE = ".,;:!?'\"()[]«»“”‘’-—"
RUNNING_TEXT = frozenset({Kind.TEXT, Kind.TITLE, Kind.CAPTION, Kind.REFERENCE})


def find_regions(
    page: Image,
    dpi: float,
    blocks: Sequence[FoundBlock],
    languages: tuple[str, ...],
    evidence: Evidence | None = None,
) -> tuple[Region, ...]:
    """Text, tables and figures in reading order; roles are settled by `structure.roles`.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        The cleaned page.
    dpi : float
        Pixels an inch.
    blocks : sequence of FoundBlock
        What the engine found on it.
    languages : tuple of str
        What it was read in.
    evidence : Evidence, optional
        Gathered here where it is left out.
    """
    told, rules = evidence or gather(page, dpi)
    numbered = _Numbering()
    tables, staves = find_grids(rules)
    read = _without_doubles([line for block in blocks for line in block.lines])
    tables = [split_rows(table, read) for table in tables]
    columnar = _columnar(read)
    figures = [Figure(box, box.polygon()) for box in staves]
    figures += [
        figure
        for figure in _figures(page, dpi, blocks, read, columnar, tables, told, (*rules.across, *rules.down))
        if not any(box.covers(figure.box) for box in staves)
    ]

    ruled = [t.box for t in tables]
    kept = []
    for line in read:
        sure = id(line) in columnar
        part = _without(line, ruled, figures, sure)
        if part is not None and (sure or not _is_noise(part, dpi)):
            kept.append(part)
    upright = [line for line in kept if _stands_up(line)]
    kept = [line for line in kept if not _stands_up(line)]
    rows = join_rows(cut_lines(kept, rules.down, [t.box for t in told if t.kind in RUNNING_TEXT]), rules.down)
    rows = [line for line in rows if len(line.words) > 1 or not _is_noise(line, dpi)]
    rows, strays = _parted_from_strays(mark_bullets(grey(page), rows), page.shape[1])
    aligned = find_aligned_tables(columns(rows, rules.across), rules.across, told)
    rows = [t for line in rows if (t := _without(line, [t.box for t in aligned], ())) is not None]
    chains = columns(join_initials(rows), rules.across)
    regions = [_table_region(table, read, numbered, languages, "ruled grid", 0.9) for table in tables]
    regions += [_table_region(table, read, numbered, languages, "aligned columns", 0.7) for table in aligned]
    regions += [_figure_region(figure, numbered) for figure in figures]
    parts: list[list[Region]] = [[region] for region in regions]
    leading = usual_leading(chains)
    for chain in chains:
        right_to_left = mostly_right_to_left([w.language for line in chain for w in line.words])
        paragraphs = split_paragraphs([_line(line, numbered) for line in chain], right_to_left, leading)
        parts.append([_text_region(paragraph, numbered, languages) for paragraph in paragraphs])
    for line in upright:  # its words stand below each other; no other line goes on from it
        level = (Point(line.box.left, line.box.bottom), Point(line.box.right, line.box.bottom))
        parts.append([_text_region([_line(line._replace(baseline=level), numbered)], numbered, languages)])
    parts += [[_stray_region([_line(line, numbered) for line in stray], numbered)] for stray in strays]
    main = mostly_right_to_left([w.language for line in read for w in line.words])
    order = reading_order([union(_core(region) for region in part) for part in parts], main)
    return _outlined([region for i in order for region in parts[i]])


def _parted_from_strays(lines: Sequence[FoundLine], width: int) -> tuple[list[FoundLine], list[list[FoundLine]]]:
    """The page's own lines, and those at its left and right rim that are the ends of a neighbouring page's."""
    reach = STRAY * width
    strays: list[list[FoundLine]] = []
    kept = list(lines)
    for at_left in (True, False):

        def depth(box: Box, at_left: bool = at_left) -> float:
            """How far the box reaches in from the rim."""
            return box.right if at_left else width - box.left

        def touches(box: Box, at_left: bool = at_left) -> bool:
            return box.left < RIM * width if at_left else box.right > (1 - RIM) * width

        rim = [line for line in kept if depth(line.box) < reach]
        rest = [line for line in kept if depth(line.box) >= reach]
        if rim and rest and sum(touches(line.box) for line in rim) > 0.5 * len(rim):
            kept = rest
            strays.append(sorted(rim, key=lambda line: line.box.top))
    return kept, strays


def _stray_region(lines: Sequence[Line], numbered: _Numbering) -> Region:
    return Region(
        id=numbered("r"),
        kind=RegionKind.TEXT,
        role=Role.ARTIFACT,
        outline=union(line.box for line in lines).polygon(),
        lines=tuple(lines),
        confidence=0.7,
        reason="cut off at the rim: of a neighbouring page",
    )


def _figures(
    page: Image,
    dpi: float,
    blocks: Sequence[FoundBlock],
    read: Sequence[FoundLine],
    columnar: set[int],
    tables: Sequence[FoundTable],
    told: Sequence[Witness],
    rules: Sequence[Box],
) -> list[Figure]:
    reads = {id(line) for line in read if id(line) in columnar or _reads(line)}
    trusted = [w.box for line in read for w in line.words if id(line) in reads or _plausible(w, dpi)]
    text = [line.box for line in read if len(line.words) > 2 and id(line) in reads]
    seen = [t.box for t in told if t.kind is Kind.FIGURE and t.confidence > LEAST_FIGURE]
    seen += [b.box for b in blocks if b.kind is BlockKind.PICTURE and not b.lines and _is_picture(b.box, dpi, trusted)]
    seen = [box for box in seen if sum(box.overlap(line) for line in text) < MOST_TEXT * box.area]
    found = find_figures(page, dpi, trusted, [t.box for t in tables], seen, rules)
    return [f for f in found if not any(t.box.covers(f.box) for t in tables)]


def _outlined(regions: Sequence[Region]) -> tuple[Region, ...]:
    """The regions; text whose box another region reaches into is outlined along its lines."""
    boxes = [r.box for r in regions]
    return tuple(
        region.model_copy(update={"outline": _staircase([line.box for line in region.lines])})
        if len(region.lines) > 1 and any(b.overlap(boxes[i]) for j, b in enumerate(boxes) if j != i)
        else region
        for i, region in enumerate(regions)
    )


def _core(region: Region) -> Box:
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


def _figure_region(figure: Figure, numbered: _Numbering) -> Region:
    return Region(
        id=numbered("r"),
        kind=RegionKind.FIGURE,
        role=Role.FIGURE,
        outline=figure.outline,
        confidence=0.8,
        reason="ink that is no text",
    )


class _Numbering:
    """Ids that are unique within the page."""

    def __init__(self) -> None:
        self._next = 0

    def __call__(self, prefix: str) -> str:
        self._next += 1
        return f"{prefix}{self._next}"


def _without_doubles(lines: Sequence[FoundLine]) -> list[FoundLine]:
    """The lines without words that the engine read a second time on the same ink."""
    words = [w for line in lines for w in line.words]
    if not words:
        return list(lines)
    left, top, right, bottom = np.array([w.box for w in words], dtype=np.float64).T
    confidence = np.array([w.confidence for w in words])
    area = (right - left) * (bottom - top)
    wide = np.minimum(right[:, None], right) - np.maximum(left[:, None], left)
    tall = np.minimum(bottom[:, None], bottom) - np.maximum(top[:, None], top)
    shared = np.clip(wide, 0, None) * np.clip(tall, 0, None)
    rows = np.array([i for i, line in enumerate(lines) for _ in line.words])
    better = (confidence > confidence[:, None]) & (rows[:, None] != rows)
    double = (better & (shared > 0.5 * area[:, None])).any(axis=1) & (confidence < 0.75)
    if not double.any():
        return list(lines)
    gone = {id(w) for w, is_double in zip(words, double, strict=True) if is_double}
    kept = (line._replace(words=tuple(w for w in line.words if id(w) not in gone)) for line in lines)
    return [line for line in kept if line.words]


def _plausible(word: FoundWord, dpi: float) -> bool:
    letters = sum(c.isalnum() for c in word.text)
    return (
        word.confidence > TRUSTED
        and letters > 0
        and word.box.height < dpi * 0.9
        and not (letters < 3 and word.box.height > dpi * 0.35)
    )


def _is_picture(box: Box, dpi: float, words: Sequence[Box]) -> bool:
    inside = sum(box.overlap(w) for w in words)
    return box.width > dpi * 0.4 and box.height > dpi * 0.4 and inside < 0.1 * box.area


def _is_noise(line: FoundLine, dpi: float) -> bool:
    """What the engine makes of specks, rules and stains."""
    text = "".join(w.text for w in line.words)
    letters = sum(c.isalnum() for c in text)
    best = max(w.confidence for w in line.words)
    if letters == 0:
        return not any(c in "•*–—-…" for c in text) or best < 0.5 or len(text) < 2
    if line.box.height < dpi / 40 or (line.box.height > dpi * 1.2 and not _stands_up(line)):
        return True
    mean = sum(w.confidence * len(w.text) for w in line.words) / len(text)
    if mean < 0.3:
        return not any(len(w.text) >= 4 and is_known(w.text.strip(".,;:"), w.language) for w in line.words)
    return letters <= 2 and mean < 0.55


def _stands_up(line: FoundLine) -> bool:
    """Whether the line runs up or down the page and reads."""
    return len(line.words) > 1 and line.box.height > 3 * line.box.width and _mean_confidence(line) > SURE


def _without(line: FoundLine, tables: Sequence[Box], figures: Sequence[Figure], sure: bool = False) -> FoundLine | None:
    """The line less its words that lie in tables or are a figure's strokes misread; None where none are left.

    Text over a picture is text: what reads surely stays.
    """
    sure = sure or _reads(line)

    def stays(word: FoundWord) -> bool:
        if any(b.covers(word.box) for b in tables):
            return False
        long = word.confidence > TRUSTED and sum(c.isalpha() for c in word.text) >= LONG  # strokes make short words
        return sure or long or word.confidence > SURE or not any(f.box.covers(word.box) for f in figures)

    words = tuple(w for w in line.words if stays(w))
    return part_of(line, words) if words else None


def _columnar(lines: Sequence[FoundLine]) -> set[int]:
    """Ids of the lines that fill a column between a line above and one below: smudged or not, they are text."""
    found = set()
    ordered = sorted((line for line in lines if len(line.words) > 2), key=lambda line: line.box.centre.y)
    for at, line in enumerate(ordered):
        sides = set()
        for other in ordered[max(0, at - NEAR) : at + NEAR + 1]:
            size = min(line.height, other.height)
            step = other.box.centre.y - line.box.centre.y
            alike = max(abs(line.box.left - other.box.left), abs(line.box.right - other.box.right)) < size
            if other is not line and alike and size < abs(step) < 3 * size and _reads(other):
                sides.add(step > 0)
        if len(sides) == 2:
            found.add(id(line))
    return found


def _reads(line: FoundLine) -> bool:
    """Whether a line is surely text: most of its letters are in words that are known or read with confidence."""
    letters = [sum(c.isalnum() for c in w.text) for w in line.words]
    if sum(letters) < 3:
        return False
    if len(line.words) > 3 and _mean_confidence(line) > LEAST_EVEN and _is_even(line):
        return True
    told = [
        w.confidence > SURE or (n > 2 and is_known(w.text.strip(EDGE), w.language))
        for w, n in zip(line.words, letters, strict=True)
    ]
    good = sum(n for n, t in zip(letters, told, strict=True) if t)
    return good > 0.5 * sum(letters) and _mean_confidence(line) > LEAST_CONFIDENCE


def _is_even(line: FoundLine) -> bool:
    """Whether words of several letters are of one height, as type is and strokes of a drawing are not."""
    heights = [w.box.height for w in line.words if len(w.text) > 2]
    return len(heights) > 2 and float(np.std(heights)) < 0.25 * float(np.mean(heights))


def _mean_confidence(line: FoundLine) -> float:
    return sum(w.confidence * len(w.text) for w in line.words) / max(1, sum(len(w.text) for w in line.words))


def _line(line: FoundLine, numbered: _Numbering) -> Line:
    words = tuple(
        Word(
            id=numbered("w"),
            text=w.text,
            box=w.box,
            confidence=round(w.confidence, 3),
            others=w.others,
            style=tuple(sorted(w.style)),
        )
        for w in line.words
    )
    return Line(words=words, box=union(w.box for w in words), baseline=line.baseline, height=line.height)


def _text_region(lines: Sequence[Line], numbered: _Numbering, languages: tuple[str, ...]) -> Region:
    words = [w for line in lines for w in line.words]
    language, _ = identify([w.text for w in words], languages) if len(languages) > 1 else (None, 0.0)
    return Region(
        id=numbered("r"),
        kind=RegionKind.TEXT,
        role=Role.PARAGRAPH,
        outline=union(line.box for line in lines).polygon(),
        lines=tuple(lines),
        language=language or languages[0],
        confidence=round(sum(w.confidence for w in words) / len(words), 3),
    )


def _table_region(
    table: FoundTable,
    read: Sequence[FoundLine],
    numbered: _Numbering,
    languages: tuple[str, ...],
    reason: str,
    confidence: float,
) -> Region:
    cells = []
    for cell in table.cells:
        lines = []
        for line in read:
            words = tuple(w for w in line.words if cell.box.covers(w.box) and w.text.strip("|[]_ "))
            if words:
                box = union(w.box for w in words)
                part = line._replace(words=words, box=box)
                lines.append(_line(part, numbered))
        lines.sort(key=lambda each: each.baseline[0].y)
        cells.append(
            Cell(
                row=cell.row,
                column=cell.column,
                row_span=cell.row_span,
                column_span=cell.column_span,
                header=cell.row == 0,
                box=cell.box,
                lines=tuple(lines),
            )
        )
    grid = Table(rows=table.rows, columns=table.columns, cells=settled(cells, table.columns))
    texts = [w.text for c in cells for line in c.lines for w in line.words]
    language, _ = identify(texts, languages) if len(languages) > 1 else (None, 0.0)
    return Region(
        id=numbered("r"),
        kind=RegionKind.TABLE,
        role=Role.TABLE,
        outline=table.box.polygon(),
        table=grid,
        language=language or languages[0],
        confidence=confidence,
        reason=reason,
    )
