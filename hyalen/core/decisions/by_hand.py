"""From what a hand does on the sheet to operations, and what they are called."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import (
    AssignRole,
    ContentOperation,
    Draw,
    Fill,
    Merge,
    Omit,
    Recast,
    Redact,
    Regrid,
    Remove,
    Reread,
    Reshape,
    Resize,
    Split,
    Substitute,
    Thread,
)
from hyalen.core.decisions.requests import (
    AddLine,
    ByHand,
    CutRegion,
    DrawRegion,
    EditError,
    FindLines,
    MergeCells,
    MergeRegions,
    MoveLine,
    OmitPictures,
    OnTable,
    PartCell,
    ReadRegions,
    RedactAreas,
    RemoveLine,
    RemoveRegions,
    ResizePictures,
    SetCell,
    SetHeaders,
    SetKind,
    SetRoles,
    ShapeRegion,
    SubstitutePicture,
    TakeOutArea,
    ThreadRegions,
    Unredact,
)
from hyalen.core.decisions.shaping import PICTURE_ROLES, taken_from
from hyalen.core.decisions.targets import region_of, retext
from hyalen.core.decisions.wanted import needs_reading, on_page, words_in
from hyalen.core.languages import identify
from hyalen.core.layout.areas import Outline, overlap, without
from hyalen.core.layout.grids import grid_of
from hyalen.core.model.content import Cell, PageContent, Region, RegionKind, Role
from hyalen.core.model.grid import Grid, GridError, Span
from hyalen.core.model.part import PartRead

LEAST_TOUCHED = 9.0  # square pixels that an area must share with a region to be taken out of it
KINDS = {
    RegionKind.TEXT: "text",
    RegionKind.TABLE: "table",
    RegionKind.FIGURE: "picture",
    RegionKind.FORMULA: "formula",
}


def by_hand(
    content: PageContent, request: ByHand | OnTable, lay: Lay, read: Sequence[PartRead]
) -> list[ContentOperation]:
    """The operations that a gesture comes to; see `decide`."""
    match request:
        case DrawRegion():
            return [_draw(content, request, lay, read)]
        case ShapeRegion():
            region = region_of(content, request.region_id)
            outline = on_page(content, request.outline)
            if outline == region.outline:
                return []
            lines = tuple(lay.ink_line(line) for part in read for line in part.lines)
            return [Reshape(region=lay.region(region), outline=lay.places(outline), lines=lines)]
        case TakeOutArea():
            return _take_out(content, request, lay)
        case CutRegion():
            region = region_of(content, request.region_id)
            return [Split(region=lay.region(region), cut=lay.places([request.start, request.end]))]
        case MergeRegions():
            regions = [region_of(content, i) for i in dict.fromkeys(request.region_ids)]
            if len(regions) < 2:
                raise EditError("to merge takes two blocks")
            return [Merge(regions=tuple(lay.region(r) for r in regions))]
        case RemoveRegions():
            return [Remove(region=lay.region(region_of(content, i))) for i in dict.fromkeys(request.region_ids)]
        case OmitPictures():
            pictures = [region_of(content, i) for i in dict.fromkeys(request.region_ids)]
            changed = [p for p in pictures if p.omitted != request.omitted]
            return [Omit(region=lay.region(p), omitted=request.omitted) for p in changed]
        case SubstitutePicture():
            picture = region_of(content, request.region_id)
            if picture.substitute == request.image:
                return []
            return [Substitute(region=lay.region(picture), image=request.image)]
        case ResizePictures():
            pictures = [region_of(content, i) for i in dict.fromkeys(request.region_ids)]
            return [Resize(region=lay.region(p), width=request.width) for p in pictures if p.width != request.width]
        case SetKind():
            return _set_kind(content, request, lay, read)
        case SetRoles():
            regions = [region_of(content, i) for i in dict.fromkeys(request.region_ids)]
            return [AssignRole(region=lay.region(r), role=request.role) for r in regions]
        case ThreadRegions():
            regions = [region_of(content, i) for i in dict.fromkeys(request.region_ids)]
            if any(r.role.is_artifact for r in regions):
                raise EditError("an artifact has no place in the reading order")
            return [Thread(regions=tuple(lay.region(r) for r in regions))] if len(regions) > 1 else []
        case RedactAreas():
            return [Redact(area=lay.places(on_page(content, area))) for area in request.areas]
        case Unredact():
            if request.index >= len(content.redactions):
                raise EditError("the page has no such redaction")
            return [Redact(area=lay.places(content.redactions[request.index]), on=False)]
        case ReadRegions():
            return _read_again(content, request, lay, read)
        case SetCell():
            return _set_cell(content, request, lay)
        case _:
            return _regrid(content, request, lay, read)


def name_by_hand(request: ByHand | OnTable) -> str:
    """What undo calls the gesture."""
    match request:
        case DrawRegion():
            return f"new {KINDS[request.kind]}"
        case SetKind():
            return f"block made {'' if request.kind is RegionKind.TEXT else 'a '}{KINDS[request.kind]}"
        case SetRoles():
            return request.role.value.replace("_", " ")
        case MoveLine() | AddLine() | RemoveLine():
            return f"{_DONE[type(request)]} of a table: {'row' if request.axis == 'rows' else 'column'}"
        case _:
            return _DONE[type(request)]


_DONE: dict[type, str] = {
    ShapeRegion: "outline",
    TakeOutArea: "area taken out",
    CutRegion: "block cut in two",
    MergeRegions: "blocks merged",
    RemoveRegions: "block taken away",
    RedactAreas: "redaction",
    Unredact: "redaction taken back",
    OmitPictures: "picture left out or put back",
    SubstitutePicture: "another picture, or the scan's own",
    ResizePictures: "width of a picture",
    ThreadRegions: "thread",
    ReadRegions: "block read again",
    FindLines: "lines of a table found again",
    MoveLine: "moved line",
    AddLine: "new line",
    RemoveLine: "removed line",
    MergeCells: "cells merged",
    PartCell: "cell parted",
    SetHeaders: "headers of a table",
    SetCell: "cell of a table",
}


def _draw(content: PageContent, request: DrawRegion, lay: Lay, read: Sequence[PartRead]) -> Draw:
    outline = on_page(content, request.outline)
    part = read[0] if read else PartRead()
    if request.kind is RegionKind.TEXT and not part.lines and not words_in(content, outline):
        raise EditError("nothing could be read there; draw it as a picture, or nearer around the letters")
    if request.kind is RegionKind.TABLE and part.grid is None:
        raise EditError("no rows and columns could be found there; draw it as text, or larger")
    taken = taken_from(content, outline).letters
    most = max(taken, key=lambda each: each[1])[0] if taken else None
    role = request.role or PICTURE_ROLES.get(request.kind)
    if role is None:
        role = most.role if most is not None and most.kind is RegionKind.TEXT else Role.PARAGRAPH
    words = [w.text for line in part.lines for w in line.words]
    told = most.language if most is not None else identify(words, content.languages)[0] if words else None
    return Draw(
        outline=lay.places(outline),
        kind=request.kind,
        role=role,
        language=told or next(iter(content.languages), None),
        lines=tuple(lay.ink_line(line) for line in part.lines),
        grid=lay.ink_grid(part.grid) if part.grid else None,
    )


def _take_out(content: PageContent, request: TakeOutArea, lay: Lay) -> list[ContentOperation]:
    area = on_page(content, request.area)
    regions = [region_of(content, request.region_id)] if request.region_id else list(content.everything)
    operations: list[ContentOperation] = []
    for region in regions:
        if overlap(region.outline, area) < LEAST_TOUCHED:
            continue
        rest = _rest(region, area)
        if rest is None:
            operations.append(Remove(region=lay.region(region)))
        else:
            operations.append(Reshape(region=lay.region(region), outline=lay.places(rest), trimmed=True))
    if not operations:
        raise EditError("no block lies there")
    return operations


def _rest(region: Region, area: Outline) -> Outline | None:
    """What is left of a region's outline; None where nothing is, or no word of a text."""
    rest = without(region.outline, area)
    if rest is None or region.kind.is_picture:
        return rest
    alone = PageContent(width=1, height=1, dpi=1, regions=(region,))
    return rest if words_in(alone, rest) else None


def _set_kind(content: PageContent, request: SetKind, lay: Lay, read: Sequence[PartRead]) -> list[ContentOperation]:
    parts = iter(read)
    operations: list[ContentOperation] = []
    for region_id in dict.fromkeys(request.region_ids):
        region = region_of(content, region_id)
        part = next(parts, PartRead()) if needs_reading(region, request.kind) else PartRead()
        if region.kind is request.kind:
            continue
        if request.kind is RegionKind.TEXT and not region.all_lines and not part.lines:
            raise EditError("nothing could be read there, so it stays a picture")
        operations.append(
            Recast(
                region=lay.region(region),
                kind=request.kind,
                lines=tuple(lay.ink_line(line) for line in part.lines),
                grid=lay.ink_grid(part.grid) if part.grid else None,
            )
        )
    return operations


def _read_again(
    content: PageContent, request: ReadRegions, lay: Lay, read: Sequence[PartRead]
) -> list[ContentOperation]:
    operations: list[ContentOperation] = []
    for region_id, part in zip(dict.fromkeys(request.region_ids), read, strict=True):
        region = region_of(content, region_id)
        if not part.lines:
            raise EditError("nothing could be read there; the text stays as it was")
        words = [w.text for line in part.lines for w in line.words]
        told = identify(words, request.languages)[0] or request.languages[0] if request.languages else region.language
        lines = tuple(lay.ink_line(line) for line in part.lines)
        operations.append(Reread(region=lay.region(region), language=told, lines=lines))
    return operations


# Tables


def _regrid(content: PageContent, request: OnTable, lay: Lay, read: Sequence[PartRead]) -> list[ContentOperation]:
    region = region_of(content, request.region_id)
    if region.table is None:
        raise EditError("only a table has lines and cells")
    if isinstance(request, FindLines):
        part = read[0] if read else PartRead()
        if part.grid is None:
            return []
        lines = tuple(lay.ink_line(line) for line in part.lines)
        grid = lay.ink_grid(part.grid)
        return [Recast(region=lay.region(region), kind=RegionKind.TABLE, lines=lines, grid=grid)]
    now = grid_of(region.table)
    try:
        grid_now = _changed(now, request)
    except GridError as error:
        raise EditError(str(error)) from error
    return [] if grid_now == now else [Regrid(region=lay.region(region), grid=lay.ink_grid(grid_now))]


def _changed(grid: Grid, request: OnTable) -> Grid:
    match request:
        case MoveLine():
            return grid.moved(request.axis, request.index, round(request.to))
        case AddLine():
            return grid.added(request.axis, round(request.at))
        case RemoveLine():
            return grid.removed(request.axis, request.index)
        case MergeCells():
            return grid.merged(Span(request.row, request.column, request.row_span, request.column_span))
        case PartCell():
            return grid.parted(request.row, request.column)
        case SetHeaders():
            return grid.headed(request.rows, request.columns)
    return grid


def _set_cell(content: PageContent, request: SetCell, lay: Lay) -> list[ContentOperation]:
    region = region_of(content, request.region_id)
    cell = _cell(region, request.row, request.column)
    texts = request.text.split("\n")
    if " ".join(request.text.split()) == " ".join(cell.text.split()):
        return []
    if cell.lines and len(texts) == len(cell.lines):
        return [o for line, text in zip(cell.lines, texts, strict=True) for o in retext(line, text, lay)]
    return [Fill(region=lay.region(region), cell=lay.corners(cell.box), text=request.text)]


def _cell(region: Region, row: int, column: int) -> Cell:
    for cell in region.table.cells if region.table else ():
        if Span(cell.row, cell.column, cell.row_span, cell.column_span).holds(row, column):
            return cell
    raise EditError("the table has no such cell")
