"""What was found, made into the regions of a page: ids that are unique within it, languages, confidences, reasons."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.languages import identify, is_right_to_left
from hyalen.core.layout.bar_codes import BarCode
from hyalen.core.layout.cells import as_read, settled
from hyalen.core.layout.figures import Figure
from hyalen.core.layout.grids import rows_of
from hyalen.core.layout.rows import part_of
from hyalen.core.layout.tables import FoundTable
from hyalen.core.model.content import Cell, Line, Region, RegionKind, Role, Subject, Table, Word
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box, union


class Numbering:
    """Ids that are unique within the page."""

    def __init__(self) -> None:
        self._next = 0

    def __call__(self, prefix: str) -> str:
        self._next += 1
        return f"{prefix}{self._next}"


def made_line(line: FoundLine, numbered: Numbering) -> Line:
    """A line with its words' ids."""
    words = tuple(
        Word(
            id=numbered("w"),
            text=w.text,
            box=w.box,
            confidence=round(w.confidence, 3),
            others=w.others,
            style=tuple(sorted(w.style)),
            letters=w.letters if len(w.letters) == len(w.text) else "",
        )
        for w in line.words
    )
    return Line(words=words, box=union(w.box for w in words), baseline=line.baseline, height=line.height)


def text_region(lines: Sequence[Line], numbered: Numbering, languages: tuple[str, ...]) -> Region:
    """Lines as a paragraph, whose role is settled later; its language is told from its words."""
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


def stray_region(lines: Sequence[Line], numbered: Numbering) -> Region:
    """Lines that are cut off at the page's rim: an artifact."""
    return Region(
        id=numbered("r"),
        kind=RegionKind.TEXT,
        role=Role.ARTIFACT,
        outline=union(line.box for line in lines).polygon(),
        lines=tuple(lines),
        confidence=0.7,
        reason="cut off at the rim: of a neighbouring page",
    )


def table_region(
    table: FoundTable,
    read: Sequence[FoundLine],
    numbered: Numbering,
    languages: tuple[str, ...],
    reason: str,
    confidence: float,
) -> Region:
    """A grid with what was read in its cells, figures told by their columns."""
    held = in_cells(table, read)
    texts = [w.text for parts in held for line in parts for w in line.words]
    language, _ = identify(texts, languages) if len(languages) > 1 else (None, 0.0)
    backwards = is_right_to_left(language or languages[0])
    cells = [
        Cell(
            row=cell.row,
            column=cell.column,
            row_span=cell.row_span,
            column_span=cell.column_span,
            box=cell.box,
            lines=tuple(rows_of([made_line(part, numbered) for part in parts], backwards)),
        )
        for cell, parts in zip(table.cells, held, strict=True)
    ]
    grid = Table(
        rows=table.rows,
        columns=table.columns,
        cells=as_read(settled(cells, table.columns, backwards), backwards),
        backwards=backwards,
    )
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


def in_cells(table: FoundTable, read: Sequence[FoundLine]) -> list[list[FoundLine]]:
    """For each cell, the parts of lines in it: each word of the table goes to the cell that holds most of it."""
    held: list[list[FoundLine]] = [[] for _ in table.cells]
    for line in read:
        if not table.box.overlap(line.box):
            continue
        words: dict[int, list[FoundWord]] = {}
        for word in line.words:
            if table.box.covers(word.box) and word.text.strip("|[]_ "):
                at = max(range(len(table.cells)), key=lambda i: table.cells[i].box.overlap(word.box))
                words.setdefault(at, []).append(word)
        for at, mine in words.items():
            held[at].append(part_of(line, tuple(mine)))
    return held


def figure_region(figure: Figure, numbered: Numbering, subject: Subject) -> Region:
    """A picture that nobody has described yet."""
    return Region(
        id=numbered("r"),
        kind=RegionKind.FIGURE,
        role=Role.FIGURE,
        outline=figure.outline,
        confidence=0.8,
        reason="ink that is no text",
        subject=subject,
    )


def formula_region(box: Box, read: Sequence[FoundLine], numbered: Numbering) -> Region:
    """What was read of it stays its text: no description is at hand that says more."""
    parts = [part_of(line, words) for line in read if (words := tuple(w for w in line.words if box.covers(w.box, 0.6)))]
    lines = sorted((made_line(part, numbered) for part in parts), key=lambda line: line.level)
    return Region(
        id=numbered("r"),
        kind=RegionKind.FORMULA,
        role=Role.FORMULA,
        outline=box.polygon(),
        lines=tuple(lines),
        confidence=0.8,
        reason="looks like a formula",
    )


def code_region(code: BarCode, numbered: Numbering) -> Region:
    """What the bars say is the description."""
    return Region(
        id=numbered("r"),
        kind=RegionKind.FIGURE,
        role=Role.FIGURE,
        outline=code.box.polygon(),
        alternative_text=f"Bar code: {code.text}",
        confidence=0.95,
        reason=f"read by its bars ({code.kind})",
        subject=Subject.BAR_CODE,
    )
