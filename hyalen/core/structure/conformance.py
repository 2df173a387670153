"""Whether a document may say that it is PDF/UA: what stands against it, found while its tree is walked."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.structure.landmarks import PageFacts
from hyalen.core.structure.tree import Node


class Conformance:
    """Hand it each node of the top level in turn."""

    def __init__(self, title: str) -> None:
        self._level = 0
        self.obstacles: list[str] = []
        if not title.strip():
            self.obstacles.append("the document has no title (ISO 14289-1, 7.1)")

    def see(self, node: Node) -> None:
        if node.tag.is_picture and node.alternative is None:
            self.obstacles.append(f"a picture on page {node.first.page + 1} has no description (ISO 14289-1, 7.3)")
        level = node.tag.heading_level
        if level is not None:
            self._heading(level, node.first.page)

    def _heading(self, level: int, page: int) -> None:
        if level > self._level + 1:
            self.obstacles.append(f"heading {level} on page {page + 1} skips a level (ISO 14289-1, 7.4.2)")
        self._level = level

    @classmethod
    def of_facts(cls, title: str, pages: Sequence[PageFacts], headings: Sequence[tuple[int, int]]) -> Conformance:
        """The same without a tree: from what is known of each page, and each heading's page (from 0) and level."""
        told = cls(title)
        for at, page in enumerate(pages):
            if page.undescribed:
                told.obstacles.append(
                    f"{page.undescribed} picture{'s' * (page.undescribed > 1)} on page {at + 1} without a description"
                    " (ISO 14289-1, 7.3)"
                )
        for at, level in headings:
            told._heading(level, at)
        return told

    @property
    def met(self) -> bool:
        return not self.obstacles
