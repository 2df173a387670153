"""What must be read before a change by hand can be made."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.decisions.requests import DrawRegion, EditError, FindLines, ReadRegions, Request, SetKind, ShapeRegion
from hyalen.core.decisions.targets import region_of
from hyalen.core.languages import is_language
from hyalen.core.layout.areas import NoArea, Outline, holds, sound
from hyalen.core.layout.grids import part_of
from hyalen.core.model.content import Line, PageContent, Region, RegionKind
from hyalen.core.model.geometry import bounds
from hyalen.core.model.part import PartWanted

AROUND = 24  # lines


def wanted(content: PageContent, request: Request) -> list[PartWanted]:
    """The parts of the page that are to be read, in the order in which `decide` takes what was.

    Raises
    ------
    EditError
        If the page has no such region, or what was drawn is no area.
    """
    lines = [line for region in content.regions if not region.kind.is_picture for line in region.all_lines]
    return [part._replace(around=_nearest(lines, part.outline)) for part in _parts(content, request)]


def _nearest(lines: Sequence[Line], outline: Outline) -> tuple[Line, ...]:
    x, y = bounds(outline).centre
    ordered = sorted(lines, key=lambda line: abs(line.box.centre.y - y) + abs(line.box.centre.x - x) / 4)
    return tuple(ordered[:AROUND])


def _parts(content: PageContent, request: Request) -> list[PartWanted]:
    match request:
        case DrawRegion(outline=outline, kind=kind):
            area = on_page(content, outline)
            held = words_in(content, area)
            return [] if kind.is_picture else [_part(content, area, held, kind is RegionKind.TABLE)]
        case ShapeRegion(region_id=region_id, outline=outline):
            region, area = region_of(content, region_id), on_page(content, outline)
            if region.kind.is_picture:
                return []
            return [_part(content, area, words_in(content, area), False, region.language)]
        case SetKind(region_ids=ids, kind=kind):
            regions = [region_of(content, i) for i in dict.fromkeys(ids)]
            return [_for_kind(content, r, kind) for r in regions if needs_reading(r, kind)]
        case ReadRegions(region_ids=ids, languages=languages):
            for code in languages:
                if not is_language(code):
                    raise EditError(f"There is no language {code!r}; languages have three letters (ISO 639-3).")
            regions = [region_of(content, i) for i in dict.fromkeys(ids)]
            if any(r.kind is RegionKind.FIGURE for r in regions):
                raise EditError("a picture is not read; make it text first")
            told = [languages or _languages(content, r.language) for r in regions]
            return [PartWanted(r.outline, codes) for r, codes in zip(regions, told, strict=True)]
        case FindLines(region_id=region_id):
            region = region_of(content, region_id)
            return [_part(content, region.outline, region.all_lines, True, region.language)]
    return []


def needs_reading(region: Region, kind: RegionKind) -> bool:
    """Whether a region must be read, or its lines looked for, to become of another kind."""
    return region.kind is not kind and (kind is RegionKind.TABLE or (kind is RegionKind.TEXT and not region.all_lines))


def on_page(content: PageContent, outline: Sequence[tuple[float, float]]) -> Outline:
    """What was drawn, as a sound outline on the page (raises EditError)."""
    try:
        return sound(outline, content.width, content.height)
    except NoArea as error:
        raise EditError(str(error)) from error


def words_in(content: PageContent, outline: Outline) -> tuple[Line, ...]:
    """The lines of text and tables, as far as their words lie in an outline."""
    found = []
    for region in content.everything:
        if region.kind.is_picture:
            continue
        for line in region.all_lines:
            members = [i for i, held in enumerate(holds(outline, [w.box for w in line.words])) if held]
            if members:
                found.append(part_of(line, members))
    return tuple(found)


def _for_kind(content: PageContent, region: Region, kind: RegionKind) -> PartWanted:
    return _part(content, region.outline, region.all_lines, kind is RegionKind.TABLE, region.language)


def _part(
    content: PageContent, outline: Outline, held: Sequence[Line], grid: bool, language: str | None = None
) -> PartWanted:
    return PartWanted(outline, _languages(content, language), tuple(held), grid)


def _languages(content: PageContent, first: str | None) -> tuple[str, ...]:
    """A region's own language, which takes the least time, else the page's."""
    return (first,) if first else content.languages or ("eng",)
