"""What only all of a document's pages tell: its running heads, its headings and their levels."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from rapidfuzz import fuzz, utils

from hyalen.core.layout.leaders import LEADER
from hyalen.core.layout.numerals import page_number
from hyalen.core.model.content import PageContent, Region, Role
from hyalen.core.structure.landmarks import Landmark
from hyalen.core.structure.levels import levels
from hyalen.core.structure.margins import PAGE_NUMBER
from hyalen.core.structure.references import ALIKE
from hyalen.core.structure.running import recurring


class Settled(NamedTuple):
    """What a region is in its document, and why where that is not the page's own reason."""

    role: Role
    reason: str = ""


Roles = dict[str, Settled]  # by region id


class _Entry(NamedTuple):
    title: str
    depth: int


def settle(pages: Sequence[Sequence[Landmark]]) -> list[Roles]:
    """For each page, the roles and reasons that differ from what it was read as; what was set by hand is left alone."""
    found: list[Roles] = [{} for _ in pages]
    for page, recurs, roles in zip(pages, recurring(pages), found, strict=True):
        for mark in page:
            if mark.region_id in recurs and not mark.stays:
                role = Role.PAGE_NUMBER if PAGE_NUMBER.match(mark.text) else Role.RUNNING_HEAD
                roles[mark.region_id] = Settled(role, "recurs on other pages")
    listed = [_Entry(_title(m.text), m.depth) for page in pages for m in page if m.role is Role.CONTENTS_ENTRY]
    headings: list[tuple[int, Landmark, int | None]] = []
    for at, page in enumerate(pages):
        for mark in page:
            if mark.region_id in found[at] or mark.role is Role.CONTENTS_ENTRY:
                continue
            entry = _entry_of(mark.text, listed)
            if mark.role.heading_level is not None or (entry is not None and mark.role is Role.PARAGRAPH):
                headings.append((at, mark, entry))
    told = levels([mark for _, mark, _ in headings], [entry for *_, entry in headings])
    for (at, mark, _), (role, reason) in zip(headings, told, strict=True):
        if role is not mark.role or (reason and not mark.stays):
            found[at][mark.region_id] = Settled(role, reason)
    return found


def _title(entry: str) -> str:
    """An entry of the contents without its leader and page number."""
    words = [word for word in entry.split() if word != LEADER]
    if len(words) > 1 and page_number(words[-1]) is not None:
        words.pop()
    return utils.default_process(" ".join(words))


def _entry_of(text: str, listed: Sequence[_Entry]) -> int | None:
    """How deep a text stands in the contents, None where they do not name it."""
    if not listed:
        return None
    own = utils.default_process(text)
    score, depth = max(((fuzz.ratio(own, entry.title), entry.depth) for entry in listed), key=lambda each: each[0])
    return depth if score >= ALIKE else None


def with_roles(reading: PageContent, roles: Mapping[str, Settled]) -> PageContent:
    """A page as it was read with the roles that its document gives it."""
    if not roles:
        return reading

    def told(region: Region) -> Region:
        if region.id not in roles:
            return region
        role, reason = roles[region.id]
        update: dict[str, object] = {"role": role}
        if role.is_artifact or (reason and region.role is Role.PARAGRAPH):
            update |= {"confidence": 0.9, "reason": reason}
        elif reason:
            update["reason"] = f"{region.reason}; {reason}" if region.reason else reason
        return region.model_copy(update=update)

    everything = [*map(told, reading.artifacts), *map(told, reading.regions)]
    set_aside = {r.id for r in reading.artifacts}
    return reading.model_copy(
        update={
            "regions": tuple(r for r in everything if not (r.role.is_artifact or r.id in set_aside)),
            "artifacts": tuple(r for r in everything if r.role.is_artifact or r.id in set_aside),
        }
    )
