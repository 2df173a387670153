"""A page's regions from what the engine read and what the image shows."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import identify, is_known, mostly_right_to_left
from hyalen.core.layout.columns import columns
from hyalen.core.layout.figures import find_figures, merged
from hyalen.core.layout.order import reading_order
from hyalen.core.layout.paragraphs import split_paragraphs
from hyalen.core.layout.rows import join_rows
from hyalen.core.layout.tables import FoundTable, find_ruled_tables
from hyalen.core.model.content import Cell, Line, Region, RegionKind, Role, Table, Word
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, union

TRUSTED = 0.6


def find_regions(
    page: Image, dpi: float, blocks: Sequence[FoundBlock], languages: tuple[str, ...]
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
    """
    numbered = _Numbering()
    tables = find_ruled_tables(page, dpi)
    read = _without_doubles([line for block in blocks for line in block.lines])
    trusted = [w.box for line in read for w in line.words if _plausible(w, dpi)]
    figures = find_figures(page, dpi, trusted, [t.box for t in tables])
    pictures = [b.box for b in blocks if b.kind is BlockKind.PICTURE and not b.lines]
    figures = merged(
        figures
        + [p for p in pictures if _is_picture(p, dpi, trusted) and not any(t.box.covers(p, 0.3) for t in tables)]
    )
    figures = [f for f in figures if not any(t.box.covers(f) for t in tables)]

    regions: list[Region] = []
    for table in tables:
        regions.append(_table_region(table, read, numbered, languages))
    tables_at = [t.box for t in tables]
    for box in figures:
        regions.append(
            Region(
                id=numbered("r"),
                kind=RegionKind.FIGURE,
                role=Role.FIGURE,
                outline=box.polygon(),
                confidence=0.8,
                reason="ink that is no text",
            )
        )
    kept = [t for line in read if (t := _without(line, tables_at, figures)) is not None and not _is_noise(t, dpi)]
    for column in columns(join_rows(kept)):
        right_to_left = mostly_right_to_left([w.language for line in column for w in line.words])
        for paragraph in split_paragraphs([_line(line, numbered) for line in column], right_to_left):
            regions.append(_text_region(paragraph, numbered, languages))
    main = mostly_right_to_left([w.language for line in read for w in line.words])
    order = reading_order([r.box for r in regions], main)
    return tuple(regions[i] for i in order)


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
    if line.box.height < dpi / 40 or line.box.height > dpi * 1.2:
        return True
    mean = sum(w.confidence * len(w.text) for w in line.words) / len(text)
    if mean < 0.3:
        return not any(len(w.text) >= 4 and is_known(w.text.strip(".,;:"), w.language) for w in line.words)
    return letters <= 2 and mean < 0.55


def _without(line: FoundLine, tables: Sequence[Box], figures: Sequence[Box]) -> FoundLine | None:
    """The line less its words that lie in tables or figures; None where none are left.

    A word that is surely read and whose line goes on outside a figure is text that the
    figure (a stamp, a drawn bracket) merely reaches into.
    """
    outside = any(not any(b.covers(w.box) for b in figures) for w in line.words)

    def stays(word: FoundWord) -> bool:
        if any(b.covers(word.box) for b in tables):
            return False
        return not any(b.covers(word.box) for b in figures) or (outside and word.confidence > 0.85)

    words = tuple(w for w in line.words if stays(w))
    if not words:
        return None
    if len(words) == len(line.words):
        return line
    return line._replace(words=words, box=union(w.box for w in words))


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
    table: FoundTable, read: Sequence[FoundLine], numbered: _Numbering, languages: tuple[str, ...]
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
    grid = Table(rows=table.rows, columns=table.columns, cells=tuple(cells))
    texts = [w.text for c in cells for line in c.lines for w in line.words]
    language, _ = identify(texts, languages) if len(languages) > 1 else (None, 0.0)
    return Region(
        id=numbered("r"),
        kind=RegionKind.TABLE,
        role=Role.TABLE,
        outline=table.box.polygon(),
        table=grid,
        language=language or languages[0],
        confidence=0.9,
        reason="ruled grid",
    )
