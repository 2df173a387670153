"""Whether a document may say that it is PDF/UA: what stands against it, found while its tree is walked."""

from __future__ import annotations

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
            if level > self._level + 1:
                self.obstacles.append(
                    f"heading {level} on page {node.first.page + 1} skips a level (ISO 14289-1, 7.4.2)"
                )
            self._level = level

    @property
    def met(self) -> bool:
        return not self.obstacles
