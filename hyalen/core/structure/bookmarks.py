"""Bookmarks (PDF: outline items) from a document's headings."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field

from hyalen.core.structure.tree import Node


@dataclass
class Bookmark:
    """A heading with the page (index) and place it leads to."""

    title: str
    page: int
    top: int
    region_id: str
    children: list[Bookmark] = field(default_factory=list)


def bookmarks(nodes: Iterable[Node]) -> list[Bookmark]:
    """The headings among the nodes as a tree; a skipped level hangs under the nearest higher one."""
    roots: list[Bookmark] = []
    open_levels: list[tuple[int, Bookmark]] = []
    for node in nodes:
        level = node.tag.heading_level
        if level is None or not node.text:
            continue
        page, region, _ = node.first
        item = Bookmark(node.text, page, region.box.top, region.id)
        while open_levels and open_levels[-1][0] >= level:
            open_levels.pop()
        (open_levels[-1][1].children if open_levels else roots).append(item)
        open_levels.append((level, item))
    return roots
