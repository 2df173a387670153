"""What only all of a document's pages tell: its running heads and the levels of its headings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from hyalen.core.model.content import PageContent, Region, Role
from hyalen.core.structure.landmarks import Landmark
from hyalen.core.structure.levels import levels
from hyalen.core.structure.margins import PAGE_NUMBER
from hyalen.core.structure.running import recurring

Roles = dict[str, Role]  # by region id


def settle(pages: Sequence[Sequence[Landmark]]) -> list[Roles]:
    """For each page, the roles that differ from what it was read as; what was set by hand is left alone."""
    found: list[Roles] = [{} for _ in pages]
    for page, recurs, roles in zip(pages, recurring(pages), found, strict=True):
        for mark in page:
            if mark.region_id in recurs and not mark.drawn:
                roles[mark.region_id] = Role.PAGE_NUMBER if PAGE_NUMBER.match(mark.text) else Role.RUNNING_HEAD
    headings = [
        (at, mark)
        for at, page in enumerate(pages)
        for mark in page
        if mark.role.heading_level is not None and mark.region_id not in found[at]
    ]
    for (at, mark), role in zip(headings, levels([mark for _, mark in headings]), strict=True):
        if role is not mark.role:
            found[at][mark.region_id] = role
    return found


def with_roles(reading: PageContent, roles: Mapping[str, Role]) -> PageContent:
    """A page as it was read with the roles that its document gives it."""
    if not roles:
        return reading

    def told(region: Region, role: Role) -> Region:
        return region.model_copy(update={"role": role, "confidence": 0.9, "reason": "recurs on other pages"})

    regions = []
    artifacts = [told(r, roles[r.id]) if r.id in roles else r for r in reading.artifacts]
    for region in reading.regions:
        role = roles.get(region.id, region.role)
        if role.is_artifact:
            artifacts.append(told(region, role))
        else:
            regions.append(region.model_copy(update={"role": role}) if role is not region.role else region)
    return reading.model_copy(update={"regions": tuple(regions), "artifacts": tuple(artifacts)})
