"""What a hand does to regions: draws, reshapes, merges, splits, takes away, makes text, table or picture, and orders."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import count
from typing import NamedTuple

from hyalen.core.decisions.finding import find_region
from hyalen.core.decisions.ink import Ink, InkLine, Lay
from hyalen.core.decisions.operations import (
    Draw,
    Merge,
    Omit,
    Recast,
    Redact,
    Remove,
    Reread,
    Reshape,
    Resize,
    Split,
    Substitute,
    Thread,
)
from hyalen.core.decisions.requests import EditError
from hyalen.core.decisions.roles import placed
from hyalen.core.decisions.wording import fresh_words, replaced, with_lines
from hyalen.core.languages import mostly_right_to_left
from hyalen.core.layout.areas import NoArea, Outline, cut, holds, joined, overlap, sound, without
from hyalen.core.layout.grids import grid_of, part_of, rows_of, table_on, turned
from hyalen.core.layout.order import reading_order
from hyalen.core.layout.outlines import core
from hyalen.core.model.content import Line, PageContent, Region, RegionKind, Role
from hyalen.core.model.geometry import Box, Point, bounds, union
from hyalen.core.model.grid import Axis, Grid

APART = 2.0  # line heights of white beyond which level lines are of two columns
SAME_INK = 0.5  # of a word's box, that known words cover
BY_HAND = {"drawn": True, "confidence": 1.0, "reason": "set by hand"}
PICTURE_ROLES = {RegionKind.FIGURE: Role.FIGURE, RegionKind.FORMULA: Role.FORMULA, RegionKind.TABLE: Role.TABLE}


def draw(content: PageContent, operation: Draw, lay: Lay) -> PageContent:
    outline = _outline(content, lay.points(operation.outline))
    taken = taken_from(content, outline)
    content, kind = taken.content, operation.kind
    lines = _with_new(taken.groups, operation.lines, content, lay, operation.language)
    region = Region(
        id=next(_fresh_regions(content)),
        kind=kind,
        role=operation.role,
        outline=outline,
        lines=() if kind is RegionKind.TABLE else lines,
        table=table_on(lay.grid(operation.grid), lines) if kind is RegionKind.TABLE and operation.grid else None,
        language=operation.language,
        alternative_text=" ".join(line.text for line in lines) or None if kind.is_picture else None,
        **BY_HAND,  # type: ignore[arg-type]
    )
    content = content.model_copy(update={"unread": _left_unread(content.unread, outline)})
    if region.role.is_artifact:
        return content.model_copy(update={"artifacts": (*content.artifacts, region)})
    at = taken.place if taken.place is not None else _place(content, region)
    regions = (*content.regions[:at], region, *content.regions[at:])
    return content.model_copy(update={"regions": regions})


def reshape(content: PageContent, operation: Reshape, lay: Lay) -> PageContent:
    region = find_region(content, operation.region, lay)
    outline = _outline(content, lay.points(operation.outline))
    if region.kind.is_picture:
        return replaced(content, region.model_copy(update={"outline": outline, **BY_HAND}))
    kept, lost = _parted(region.all_lines, outline)
    taken = taken_from(content, outline, region.id)
    groups = [kept, *taken.groups] if kept else taken.groups
    lines = _with_new(groups, operation.lines, taken.content, lay, region.language)
    unread = _left_unread(taken.content.unread, outline)
    if not operation.trimmed:
        unread += tuple(line.box for line in lost)
    update: dict[str, object] = {"outline": outline, **BY_HAND}
    if region.table is not None:
        update["table"] = table_on(grid_of(region.table).stretched(bounds(outline)), lines)
    else:
        update["lines"] = lines
    content = replaced(taken.content, region.model_copy(update=update))
    return content.model_copy(update={"unread": unread})


def merge(content: PageContent, operation: Merge, lay: Lay) -> PageContent:
    found = [find_region(content, ink, lay) for ink in operation.regions]
    ids = {r.id for r in found}
    regions = [r for r in content.everything if r.id in ids]  # as they are read
    if len(regions) < 2:
        raise EditError("to merge takes two blocks")
    tables = [r for r in regions if r.table is not None]
    pictures = [r for r in regions if r.kind.is_picture]
    if len(tables) > 1:
        raise EditError("two tables cannot be merged; draw the outline of one around both, then find its lines again")
    if pictures and len(pictures) < len(regions):
        raise EditError("a picture and text cannot be merged; make both the same kind first")
    first = tables[0] if tables else regions[0]
    outline = joined([r.outline for r in regions])
    lines = _merged_lines(regions)
    update: dict[str, object] = {"outline": outline, **BY_HAND}
    if pictures:
        told = [r.alternative_text for r in regions if r.alternative_text]
        update |= {"alternative_text": " ".join(told) or None, "lines": tuple(lines)}
    elif first.table is not None:
        outline = bounds(outline).polygon()
        update |= {"outline": outline, "table": table_on(grid_of(first.table).stretched(bounds(outline)), lines)}
    else:
        update["lines"] = tuple(lines)
    content = replaced(content, first.model_copy(update=update))
    return _without(content, ids - {first.id})


def _merged_lines(regions: Sequence[Region]) -> list[Line]:
    """The lines of regions, one after the other; where they stand above each other, halves of a row made one."""
    lines: list[Line] = []
    box = regions[0].box
    for region in regions:
        shared = min(box.right, region.box.right) - max(box.left, region.box.left)
        above = lines and shared > 0.5 * min(box.width, region.box.width)
        lines += region.all_lines
        if above:
            lines = list(_arranged(lines, mostly_right_to_left([region.language or ""])))
        box = union((box, region.box))
    return lines


def split(content: PageContent, operation: Split, lay: Lay) -> PageContent:
    region = find_region(content, operation.region, lay)
    start, end = lay.points(operation.cut)
    if region.table is not None:
        parts = _split_table(region, grid_of(region.table), start, end)
    else:
        try:
            outlines = cut(region.outline, start, end)
        except NoArea as error:
            raise EditError(str(error)) from error
        upper, lower = _parted(region.lines, outlines[0])
        if abs(end.x - start.x) >= abs(end.y - start.y):  # between lines: none is cut that only leans
            most = {w.id for line in upper for w in line.words}
            above = [2 * sum(w.id in most for w in line.words) > len(line.words) for line in region.lines]
            upper = [line for line, is_above in zip(region.lines, above, strict=True) if is_above]
            lower = [line for line, is_above in zip(region.lines, above, strict=True) if not is_above]
        if not region.kind.is_picture and not (upper and lower):
            raise EditError("all of the block's words lie on one side of the cut")
        parts = [
            region.model_copy(update={"outline": outline, "lines": tuple(lines), **BY_HAND})
            for outline, lines in zip(outlines, (upper, lower), strict=True)
        ]
    second = parts[1].model_copy(update={"id": next(_fresh_regions(content))})
    content = replaced(content, parts[0])

    def after(regions: Sequence[Region]) -> tuple[Region, ...]:
        return tuple(each for r in regions for each in ((r, second) if r.id == region.id else (r,)))

    return content.model_copy(update={"regions": after(content.regions), "artifacts": after(content.artifacts)})


def remove(content: PageContent, operation: Remove, lay: Lay) -> PageContent:
    return _without(content, {find_region(content, operation.region, lay).id})


def omit(content: PageContent, operation: Omit, lay: Lay) -> PageContent:
    region = find_region(content, operation.region, lay)
    if not region.kind.is_picture:
        raise EditError("only a picture can be left out; take a text away, or make it a picture first")
    role = Role.ARTIFACT if operation.omitted else PICTURE_ROLES[region.kind]
    update = {"omitted": operation.omitted, "role": role, **BY_HAND}
    return placed(content, region.model_copy(update=update))


def substitute(content: PageContent, operation: Substitute, lay: Lay) -> PageContent:
    return replaced(content, _picture(content, operation.region, lay, substitute=operation.image))


def resize(content: PageContent, operation: Resize, lay: Lay) -> PageContent:
    return replaced(content, _picture(content, operation.region, lay, width=operation.width))


def _picture(content: PageContent, ink: Ink, lay: Lay, **changed: object) -> Region:
    region = find_region(content, ink, lay)
    if not region.kind.is_picture:
        raise EditError("only a picture can have another image or width")
    return region.model_copy(update={**changed, **BY_HAND})


def recast(content: PageContent, operation: Recast, lay: Lay) -> PageContent:
    region = find_region(content, operation.region, lay)
    backwards = mostly_right_to_left([region.language or ""])
    known = rows_of(region.all_lines, backwards) if region.table is not None else list(region.lines)
    lines = _with_new([known] if known else [], operation.lines, content, lay, region.language)
    update: dict[str, object] = {"kind": operation.kind, "alternative_text": None, "subject": None, **BY_HAND}
    update |= {"substitute": "", "width": None}
    if operation.kind is RegionKind.TABLE:
        if operation.grid is None:
            raise EditError("a table has lines")
        grid = lay.grid(operation.grid)
        update |= {"role": Role.TABLE, "lines": (), "table": table_on(grid, lines), "outline": grid.box.polygon()}
    elif operation.kind is RegionKind.TEXT:
        if not lines:
            raise EditError("nothing was read there, so it cannot be text")
        update |= {"role": Role.PARAGRAPH, "lines": lines, "table": None}
    else:
        told = " ".join(" ".join(line.text for line in lines).split())
        role = PICTURE_ROLES[operation.kind]
        update |= {"role": role, "lines": lines, "table": None, "alternative_text": told or None}
    return placed(content, region.model_copy(update=update))


def reread(content: PageContent, operation: Reread, lay: Lay) -> PageContent:
    """What a person settled stays, and so does a line where nothing was read anew."""
    region = find_region(content, operation.region, lay)
    settled = [
        part_of(line, at) for line in region.all_lines if (at := [i for i, w in enumerate(line.words) if w.settled])
    ]
    bare = with_lines(region, [line.model_copy(update={"words": ()}) for line in region.all_lines])
    lines = _with_new([settled] if settled else [], operation.lines, replaced(content, bare), lay, operation.language)
    update: dict[str, object] = {"language": operation.language}
    if region.table is not None:
        update["table"] = turned(table_on(grid_of(region.table), lines), operation.language or "")
    else:
        update["lines"] = lines
    return replaced(content, region.model_copy(update=update))


def redact(content: PageContent, operation: Redact, lay: Lay) -> PageContent:
    area = _outline(content, lay.points(operation.area))
    if operation.on:
        if area in content.redactions:
            return content
        return content.model_copy(update={"redactions": (*content.redactions, area)})
    shared = [overlap(area, other) for other in content.redactions]
    if not any(shared):
        raise EditError("the page has no such redaction")
    gone = shared.index(max(shared))
    kept = (*content.redactions[:gone], *content.redactions[gone + 1 :])
    return content.model_copy(update={"redactions": kept})


def thread(content: PageContent, operation: Thread, lay: Lay) -> PageContent:
    ids: list[str] = []
    for ink in operation.regions:
        region = find_region(content, ink, lay)
        if region.role.is_artifact:
            raise EditError("an artifact has no place in the reading order")
        if region.id not in ids:
            ids.append(region.id)
    moved = {r.id: r for r in content.regions if r.id in ids}
    rest = [r for r in content.regions if r.id not in ids[1:]]
    at = next(i for i, r in enumerate(rest) if r.id == ids[0]) + 1
    regions = (*rest[:at], *(moved[i] for i in ids[1:]), *rest[at:])
    return content.model_copy(update={"regions": regions, "near_ties": ()})


# Words and outlines


class Taken(NamedTuple):
    """The page without the words in an outline, these by the region that they were in, and where the first stood.

    `place` is None where every region that lost words still has some; `letters` are by region, as it was.
    """

    content: PageContent
    groups: list[list[Line]]
    place: int | None
    letters: list[tuple[Region, int]]


def taken_from(content: PageContent, outline: Outline, but: str | None = None) -> Taken:
    """Take the words in an outline from all regions but one; a text that is left without any is gone."""
    groups: list[list[Line]] = []
    letters: list[tuple[Region, int]] = []
    gone: list[str] = []
    area = bounds(outline)
    for region in content.everything:
        if region.id == but or region.kind.is_picture or not area.overlap(region.box):
            continue
        inside, outside = _parted(region.all_lines, outline)
        if not inside:
            continue
        groups.append(inside)
        letters.append((region, sum(len(w.text) for line in inside for w in line.words)))
        if region.table is not None:
            rest = table_on(grid_of(region.table), outside).cells
            kept = region.table.model_copy(update={"cells": rest})
            content = replaced(content, region.model_copy(update={"table": kept}))
        elif outside:
            content = replaced(content, _shrunk(region, outline, outside))
        else:
            gone.append(region.id)
    order = [r.id for r in content.regions]
    emptied = [order.index(i) for i in gone if i in order]
    return Taken(_without(content, set(gone)), groups, min(emptied, default=None), letters)


def _shrunk(region: Region, outline: Outline, lines: Sequence[Line]) -> Region:
    words = [w.box for line in lines for w in line.words]
    rest = without(region.outline, outline)
    if rest is None or not all(holds(rest, words)):
        rest = union(words).polygon()
    return region.model_copy(update={"outline": rest, "lines": tuple(lines)})


def _parted(lines: Sequence[Line], outline: Outline) -> tuple[list[Line], list[Line]]:
    """The parts of lines within an outline, and those without."""
    flags = iter(holds(outline, [w.box for line in lines for w in line.words]))
    inside: list[Line] = []
    outside: list[Line] = []
    for line in lines:
        held = [next(flags) for _ in line.words]
        for side, wanted in ((inside, True), (outside, False)):
            members = [i for i, is_in in enumerate(held) if is_in is wanted]
            if members:
                side.append(part_of(line, members))
    return inside, outside


def _missing(lines: Sequence[Line], held: Sequence[Line]) -> list[Line]:
    """The parts of lines whose words none of the others has."""
    ids = {w.id for line in held for w in line.words}
    return [part_of(line, at) for line in lines if (at := [i for i, w in enumerate(line.words) if w.id not in ids])]


def _with_new(
    groups: Sequence[Sequence[Line]], read: Sequence[InkLine], content: PageContent, lay: Lay, language: str | None
) -> tuple[Line, ...]:
    """Known lines and those that were read besides, in order; ink that is known keeps its words."""
    fresh = _fresh_ids(content, [w.id for g in groups for line in g for w in line.words])
    known = [w.box for group in groups for line in group for w in line.words]
    new = []
    for ink in read:
        line = lay.line(ink, lambda: next(fresh))
        members = [i for i, w in enumerate(line.words) if not _is_known(w.box, known)]
        if members:
            new.append(part_of(line, members))
    if not new and len(groups) < 2:
        return tuple(groups[0]) if groups else ()
    return _arranged([line for group in groups for line in group] + new, mostly_right_to_left([language or ""]))


def _fresh_ids(content: PageContent, taken: Sequence[str]) -> Iterator[str]:
    held = set(taken)
    return (each for each in fresh_words(content) if each not in held)


def _is_known(box: Box, known: Sequence[Box]) -> bool:
    return any(k.covers(box, SAME_INK) or box.covers(k, SAME_INK) for k in known)


def _arranged(lines: Sequence[Line], backwards: bool) -> tuple[Line, ...]:
    """Lines as they are read: level ones made one, column by column where some are far apart."""
    rows = rows_of(lines, backwards, APART)
    if len(rows) == len(rows_of(rows, backwards)):
        return tuple(rows)
    return tuple(rows[i] for i in reading_order([line.box for line in rows], backwards))


def _outline(content: PageContent, points: Sequence[Point]) -> Outline:
    try:
        return sound(points, content.width, content.height)
    except NoArea as error:
        raise EditError(str(error)) from error


def _left_unread(unread: Sequence[Box], outline: Outline) -> tuple[Box, ...]:
    """Ink that nobody could read, without what a person has now drawn an outline around."""
    return tuple(box for box, held in zip(unread, holds(outline, unread), strict=True) if not held)


# The page


def _fresh_regions(content: PageContent) -> Iterator[str]:
    taken = {r.id for r in content.everything}
    return (each for n in count(1) if (each := f"d{n}") not in taken)


def _without(content: PageContent, ids: set[str]) -> PageContent:
    if not ids:
        return content
    return content.model_copy(
        update={
            "regions": tuple(r for r in content.regions if r.id not in ids),
            "artifacts": tuple(r for r in content.artifacts if r.id not in ids),
            "near_ties": tuple(t for t in content.near_ties if t not in ids),
        }
    )


def _place(content: PageContent, region: Region) -> int:
    """Where a new region goes: after what stands before it on the page."""
    backwards = mostly_right_to_left([r.language or "" for r in content.regions])
    order = reading_order([*(core(r) for r in content.regions), region.box], backwards)
    at = order.index(len(content.regions))
    return order[at - 1] + 1 if at else 0


def _split_table(region: Region, grid: Grid, start: Point, end: Point) -> list[Region]:
    """A table cut at the line nearest to the cut."""
    axis: Axis = "rows" if abs(end.x - start.x) >= abs(end.y - start.y) else "columns"
    lines = grid.rows if axis == "rows" else grid.columns
    if len(lines) < 3:
        raise EditError("the table has no line to be cut at")
    middle = (start.y + end.y) / 2 if axis == "rows" else (start.x + end.x) / 2
    at = min(range(1, len(lines) - 1), key=lambda i: abs(lines[i] - middle))
    parts = []
    for first, last in ((0, at), (at, len(lines) - 1)):
        part = grid.part(axis, first, last)
        words = [line for line in region.all_lines for line in _parted([line], part.box.polygon())[0]]
        table = table_on(part, words)
        parts.append(region.model_copy(update={"outline": part.box.polygon(), "table": table, **BY_HAND}))
    left = _missing(region.all_lines, [line for p in parts for line in p.all_lines])
    if left:  # ink beyond the outer lines
        table = table_on(grid.part(axis, at, len(lines) - 1), [*parts[1].all_lines, *left])
        parts[1] = parts[1].model_copy(update={"table": table})
    return parts[::-1] if axis == "columns" and grid.backwards else parts
