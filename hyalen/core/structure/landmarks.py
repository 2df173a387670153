"""The few regions of a page that say something about the whole document: headings, entries, lines at its edges."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import lru_cache
from itertools import pairwise
from typing import Literal

import numpy as np
from pydantic import Field

from hyalen.core.layout.paragraphs import SENTENCE_END
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.content import PageContent, Region, RegionKind, Role
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, Frozen

MOST_OTHERS = 40  # short texts of a page that its contents may name
MOST_LETTERS = 100  # of such a text
FACTS_KEPT = 1_200  # pages
EDGE = 0.13  # of the page's height: how far from its edge a running head may stand
LONGEST_TEXT = 120  # characters by which running heads are compared
Edge = Literal["head", "foot", ""]


class Landmark(Frozen):
    """A heading, an entry of the contents, a line or two at the edge, or a short text that may be a heading.

    Attributes
    ----------
    role : Role
        As it was read or set by hand, before the document was settled.
    size : float
        Height of a heading's capitals in points, 0 for what is none.
    centre : float
        Its middle's height, as a share of the page's.
    depth : int
        Of an entry of the contents.
    box : Box or None
        Of a heading.
    reason : str
        Why it is one.
    italic : bool
        Whether all of it is.
    follows : bool
        Whether a heading stands right before it.
    """

    region_id: str
    role: Role
    drawn: bool
    text: str
    tagged: bool = False
    edge: Edge = ""
    size: float = 0.0
    centre: float = 0.0
    depth: int = 0
    box: Box | None = None
    reason: str = ""
    italic: bool = False
    follows: bool = False

    @property
    def stays(self) -> bool:
        """As of `content.Region`."""
        return self.drawn or self.tagged


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
    redactions : int
    looks : dict of str to str
        By the id of each picture, its look (`imaging.likeness`).
    """

    marks: tuple[Landmark, ...] = ()
    letters: dict[str, int] = Field(default_factory=dict)
    accepted: tuple[str, ...] = ()
    undescribed: int = 0
    redactions: int = 0
    looks: dict[str, str] = Field(default_factory=dict)


def page_facts(content: PageContent, read_roles: Mapping[str, Role]) -> PageFacts:
    """See `landmarks`."""
    letters: dict[str, int] = {}
    for region in content.regions:
        if region.language:
            letters[region.language] = letters.get(region.language, 0) + len(region.text)
    accepted = tuple(key for key in content.accepted if key.startswith("check:"))
    undescribed = sum(r.kind is RegionKind.FIGURE and not r.description for r in content.regions)
    looks = {r.id: r.look for r in content.everything if r.kind is RegionKind.FIGURE and r.look}
    return PageFacts(
        marks=landmarks(content, read_roles),
        letters=letters,
        accepted=accepted,
        undescribed=undescribed,
        redactions=len(content.redactions),
        looks=looks,
    )


@lru_cache(maxsize=FACTS_KEPT)
def facts_from(told: str) -> PageFacts:
    """Facts from their JSON; those of a document's other pages are needed again with every change of one."""
    return PageFacts.model_validate_json(told)


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
    set_aside = [r for r in content.artifacts if (r.id in read_roles or r.role in heads) and not r.stays]
    marks = [each for r in (*set_aside, *content.regions) if (each := _landmark(r, content, read_roles)) is not None]
    known = {mark.region_id for mark in marks}
    read = ((r, r.role if r.stays else read_roles.get(r.id, r.role)) for r in content.regions if r.id not in known)
    others = [r for r, role in read if role is Role.PARAGRAPH and _may_be_heading(r)][:MOST_OTHERS]
    kept = known | {r.id for r in others}
    by_id = {m.region_id: m for m in marks} | {r.id: _told(r, content, Role.PARAGRAPH) for r in others}
    found = [by_id[r.id] for r in (*set_aside, *content.regions) if r.id in kept]
    leading = {m.region_id for m in found if m.role.heading_level is not None}
    after = {b.id for a, b in pairwise(content.regions) if a.id in leading and b.id in leading}
    return tuple(m.model_copy(update={"follows": True}) if m.region_id in after else m for m in found)


def _may_be_heading(region: Region) -> bool:
    """Whether the contents may name it: short, and no sentence."""
    text = region.text
    if region.stays or not 0 < len(region.lines) <= 2 or not 3 < len(text) <= MOST_LETTERS:
        return False
    return (text[0].isupper() or text[0].isdigit()) and not text.endswith(SENTENCE_END)


def _landmark(region: Region, page: PageContent, read_roles: Mapping[str, Role]) -> Landmark | None:
    role = region.role if region.stays else read_roles.get(region.id, region.role)
    if not _edge(region, page) and role.heading_level is None and role is not Role.CONTENTS_ENTRY:
        return None
    return _told(region, page, role)


def _told(region: Region, page: PageContent, role: Role) -> Landmark:
    sized = role.heading_level is not None or role is Role.PARAGRAPH
    return Landmark(
        region_id=region.id,
        role=role,
        drawn=region.drawn,
        tagged=region.tagged,
        text=" ".join(region.text.split())[:LONGEST_TEXT],
        edge=_edge(region, page),
        size=round(_size(region, page.dpi), 2) if sized and region.lines else 0.0,
        centre=round(region.box.centre.y / page.height, 4),
        depth=region.depth,
        box=region.box if region.role.heading_level is not None else None,
        reason=region.reason if region.role.heading_level is not None else "",
        italic=sized and all(Style.ITALIC in w.style for w in region.words),
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
