"""Bookmarks (PDF: outline items) from a document's headings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from hyalen.core.model.content import PageContent
from hyalen.core.structure.flow import joined_text


@dataclass
class Bookmark:
    """A heading with the page (index) and place it leads to."""

    title: str
    page: int
    top: int
    region_id: str
    children: list[Bookmark] = field(default_factory=list)


def bookmarks(pages: Sequence[PageContent], language: str) -> list[Bookmark]:
    """The headings as a tree; a skipped level hangs under the nearest higher one."""
    roots: list[Bookmark] = []
    open_levels: list[tuple[int, Bookmark]] = []
    for index, page in enumerate(pages):
        for region in page.regions:
            level = region.role.heading_level
            if level is None or not region.lines:
                continue
            title = joined_text(region.lines, region.language or language)
            item = Bookmark(title, index, region.box.top, region.id)
            while open_levels and open_levels[-1][0] >= level:
                open_levels.pop()
            (open_levels[-1][1].children if open_levels else roots).append(item)
            open_levels.append((level, item))
    return roots
