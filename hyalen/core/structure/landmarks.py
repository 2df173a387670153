"""The few regions of a page that say something about the whole document: headings, and lines at its edges."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Literal

import numpy as np
from pydantic import Field

from hyalen.core.layout.sizes import type_size
from hyalen.core.model.content import PageContent, Region, RegionKind, Role
from hyalen.core.model.geometry import Frozen

EDGE = 0.13  # of the page's height: how far from its edge a running head may stand
LONGEST_TEXT = 120  # characters by which running heads are compared
Edge = Literal["head", "foot", ""]


class Landmark(Frozen):
    """A heading, or a line or two at the edge.

    Attributes
    ----------
    role : Role
        As it was read or set by hand, before the document was settled.
    size : float
        Height of a heading's capitals in points, 0 for what is none.
    centre : float
        Its middle's height, as a share of the page's.
    """

    region_id: str
    role: Role
    drawn: bool
    text: str
    edge: Edge = ""
    size: float = 0.0
    centre: float = 0.0


class PageFacts(Frozen):
    """What of a page is looked at when its whole document is.

    Attributes
    ----------
    marks : tuple of Landmark
        In reading order.
    letters : dict of str to int
        How many letters are in each language (ISO 639-3).
    accepted : tuple of str
        Keys of the document's doubts that were left as they are.
    undescribed : int
        Pictures that are no artifacts and have no description.
    """

    marks: tuple[Landmark, ...] = ()
    letters: dict[str, int] = Field(default_factory=dict)
    accepted: tuple[str, ...] = ()
    undescribed: int = 0


def page_facts(content: PageContent, read_roles: Mapping[str, Role]) -> PageFacts:
    """See `landmarks`."""
    letters: dict[str, int] = {}
    for region in content.regions:
        if region.language:
            letters[region.language] = letters.get(region.language, 0) + len(region.text)
    accepted = tuple(key for key in content.accepted if key.startswith("check:"))
    undescribed = sum(r.kind is RegionKind.FIGURE and not (r.alternative_text or "").strip() for r in content.regions)
    return PageFacts(marks=landmarks(content, read_roles), letters=letters, accepted=accepted, undescribed=undescribed)


def main_language(pages: Iterable[PageFacts]) -> str | None:
    """The language of most of the text, or None without any."""
    total: dict[str, int] = {}
    for page in pages:
        for language, count in page.letters.items():
            total[language] = total.get(language, 0) + count
    return max(total, key=lambda code: total[code]) if total else None


def landmarks(content: PageContent, read_roles: Mapping[str, Role]) -> tuple[Landmark, ...]:
    """A page's landmarks in reading order.

    Parameters
    ----------
    content : PageContent
    read_roles : mapping of str to Role
        By region id, the roles that settling has replaced.
    """
    # What one page alone told to be a head or foot is a partner for those of other pages.
    heads = (Role.RUNNING_HEAD, Role.PAGE_NUMBER)
    set_aside = [r for r in content.artifacts if (r.id in read_roles or r.role in heads) and not r.drawn]
    found = (_landmark(r, content, read_roles) for r in (*set_aside, *content.regions))
    return tuple(each for each in found if each is not None)


def _landmark(region: Region, page: PageContent, read_roles: Mapping[str, Role]) -> Landmark | None:
    role = region.role if region.drawn else read_roles.get(region.id, region.role)
    edge = _edge(region, page)
    is_heading = role.heading_level is not None
    if not edge and not is_heading:
        return None
    return Landmark(
        region_id=region.id,
        role=role,
        drawn=region.drawn,
        text=" ".join(region.text.split())[:LONGEST_TEXT],
        edge=edge,
        size=round(_size(region, page.dpi), 2) if is_heading and region.lines else 0.0,
        centre=round(region.box.centre.y / page.height, 4),
    )


def _edge(region: Region, page: PageContent) -> Edge:
    if region.kind is not RegionKind.TEXT or not 0 < len(region.lines) <= 2:
        return ""
    if region.box.bottom < page.height * EDGE:
        return "head"
    return "foot" if region.box.top > page.height * (1 - EDGE) else ""


def _size(region: Region, dpi: float) -> float:
    """Median height of its lines' capitals in points."""
    return float(np.median([type_size(line) for line in region.lines])) * 72 / dpi
