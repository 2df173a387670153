"""Running heads and feet: lines that come back page after page."""

from __future__ import annotations

import re
from collections.abc import Sequence

from rapidfuzz import fuzz

from hyalen.core.model.content import PageContent, Region, RegionKind, Role
from hyalen.core.structure.roles import PAGE_NUMBER

ALIKE = 82.0
EDGE = 0.13


def edge_regions(page: PageContent) -> list[tuple[str, Region]]:
    """The text regions that stand first and last on a page, within an eighth of its edge."""
    texts = [r for r in page.regions if r.kind is RegionKind.TEXT and len(r.lines) <= 2]
    found = []
    for region in texts:
        box = region.box
        if box.bottom < page.height * EDGE:
            found.append(("head", region))
        elif box.top > page.height * (1 - EDGE):
            found.append(("foot", region))
    return found


def comparable(text: str) -> str:
    """The text with its numbers made alike."""
    return re.sub(r"\d+", "#", " ".join(text.split()).casefold())


def find_running_heads(pages: Sequence[PageContent]) -> list[set[str]]:
    """For each page, the ids of the regions that recur at the same edge of another page.

    Neighbouring pages and pages two apart (left and right heads differ) are compared.
    """
    edges = [edge_regions(page) for page in pages]
    found: list[set[str]] = [set() for _ in pages]
    for i, mine in enumerate(edges):
        for j in (i - 2, i - 1, i + 1, i + 2):
            if not 0 <= j < len(pages) or i == j:
                continue
            for side, region in mine:
                text = comparable(region.text)
                for other_side, other in edges[j]:
                    if side == other_side and _same_height(region, pages[i], other, pages[j]):
                        alike = fuzz.ratio(text, comparable(other.text)) >= ALIKE
                        numbers = PAGE_NUMBER.match(region.text) and PAGE_NUMBER.match(other.text)
                        if alike or numbers:
                            found[i].add(region.id)
    return found


def _same_height(a: Region, page_a: PageContent, b: Region, page_b: PageContent) -> bool:
    return abs(a.box.centre.y / page_a.height - b.box.centre.y / page_b.height) < 0.04


def set_aside(page: PageContent, region_ids: set[str]) -> PageContent:
    """The page with these regions as artifacts."""
    if not region_ids:
        return page
    moved = [
        r.model_copy(
            update={
                "role": Role.PAGE_NUMBER if PAGE_NUMBER.match(r.text) else Role.RUNNING_HEAD,
                "confidence": 0.9,
                "reason": "recurs on other pages",
            }
        )
        for r in page.regions
        if r.id in region_ids
    ]
    kept = tuple(r for r in page.regions if r.id not in region_ids)
    return page.model_copy(update={"regions": kept, "artifacts": page.artifacts + tuple(moved)})
