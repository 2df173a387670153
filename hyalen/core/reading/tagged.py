"""The content of a page whose file says what each of its parts is."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.layout.making import Numbering, made_line, text_region
from hyalen.core.model.content import Cell, PageContent, Region, RegionKind, Role, Table
from hyalen.core.model.geometry import Box, union
from hyalen.core.model.tagged import TaggedBlock

REASON = "tagged so in its file"
PICTURES = {Role.FIGURE: RegionKind.FIGURE, Role.FORMULA: RegionKind.FORMULA}


def tagged_content(
    size: tuple[int, int], dpi: float, languages: tuple[str, ...], known: Sequence[str], blocks: Sequence[TaggedBlock]
) -> PageContent:
    """Regions as they are tagged, in the order in which they are read; what their author says stays.

    Parameters
    ----------
    size : (int, int)
        Height and width of the page in pixels.
    languages : tuple of str
        Of blocks that do not tell their own; ISO 639-3 codes.
    known : sequence of str
        The codes among which a block's own language is looked for.
    """
    numbered = Numbering()
    codes = {language_tag(code).split("-")[0]: code for code in reversed(list(known))}
    regions: list[Region] = []
    artifacts: list[Region] = []
    for block in blocks:
        own = codes.get(block.language.split("-")[0].lower(), "")
        told = (own,) if own else languages
        if block.role in PICTURES:
            region = Region(
                id=numbered("r"),
                kind=PICTURES[block.role],
                role=block.role,
                outline=block.box.polygon(),
                alternative_text=block.alternative,
                language=told[0],
            )
        elif block.role is Role.TABLE:
            region = _table(block, numbered, told)
        else:
            lines = [made_line(line, numbered) for line in block.lines]
            region = text_region(lines, numbered, told).model_copy(update={"role": block.role, "depth": block.depth})
        region = region.model_copy(update={"tagged": True, "confidence": 1.0, "reason": REASON})
        (artifacts if block.role.is_artifact else regions).append(region)
    height, width = size
    return PageContent(
        width=width, height=height, dpi=dpi, regions=tuple(regions), artifacts=tuple(artifacts), languages=languages
    )


def _table(block: TaggedBlock, numbered: Numbering, languages: tuple[str, ...]) -> Region:
    rows = max(cell.row + cell.row_span for cell in block.cells)
    columns = max(cell.column + cell.column_span for cell in block.cells)
    held = [[made_line(line, numbered) for line in cell.lines] for cell in block.cells]
    region = text_region([line for lines in held for line in lines], numbered, languages)
    backwards = is_right_to_left(region.language or languages[0])
    firsts = [columns - c.column - c.column_span if backwards else c.column for c in block.cells]  # from the left
    placed = [
        (cell, first, line.box) for cell, first, lines in zip(block.cells, firsts, held, strict=True) for line in lines
    ]
    tops = _edges([(c.row, c.row_span, b.top, b.bottom) for c, _, b in placed], rows, block.box.top, block.box.bottom)
    lefts = _edges(
        [(first, c.column_span, b.left, b.right) for c, first, b in placed], columns, block.box.left, block.box.right
    )
    cells = tuple(
        Cell(
            row=cell.row,
            column=first,
            row_span=cell.row_span,
            column_span=cell.column_span,
            header=cell.header,
            box=Box(lefts[first], tops[cell.row], lefts[first + cell.column_span], tops[cell.row + cell.row_span]),
            lines=tuple(lines),
        )
        for cell, first, lines in zip(block.cells, firsts, held, strict=True)
    )
    return region.model_copy(
        update={
            "kind": RegionKind.TABLE,
            "role": Role.TABLE,
            "lines": (),
            "table": Table(rows=rows, columns=columns, cells=cells, backwards=backwards),
            "outline": union([block.box, *(cell.box for cell in cells)]).polygon(),
        }
    )


def _edges(parts: Sequence[tuple[int, int, int, int]], count: int, first: int, last: int) -> list[int]:
    """Where a table's rows or columns part: midway between what ends and what begins there, evenly where nothing tells.

    Parameters
    ----------
    parts : sequence of (index, span, begin, end)
        Of what stands in the table, in pixels.
    """
    edges: list[int | None] = [first, *[None] * (count - 1), last]
    for at in range(1, count):
        ends = [end for index, span, _, end in parts if index + span == at]
        begins = [begin for index, _, begin, _ in parts if index == at]
        if ends and begins:
            edges[at] = (max(ends) + min(begins)) // 2
        elif begins or ends:
            edges[at] = min(begins) if begins else max(ends)
    found = [first]
    for at in range(1, count + 1):
        told = edges[at]
        if told is None:
            following = next(i for i in range(at, count + 1) if edges[i] is not None)
            told = found[-1] + ((edges[following] or last) - found[-1]) // (following - at + 1)
        found.append(max(found[-1] + 1, told))
    return found
