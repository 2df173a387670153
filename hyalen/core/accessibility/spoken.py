"""What a screen reader announces before it reads a block aloud."""

from __future__ import annotations

from hyalen.core.structure.tree import Node, Tag


def announced(node: Node) -> str:
    """The kind of a block as it is spoken; nothing for plain text."""
    level = node.tag.heading_level
    if level is not None:
        return f"heading level {level}"
    if node.tag is Tag.L:
        return _counted(len(node.children), "list with", "item")
    if node.tag is Tag.TABLE:
        columns = max((sum(c.cell.column_span for c in row.children if c.cell) for row in node.children), default=0)
        return f"{_counted(len(node.children), 'table with', 'row')} and {_counted(columns, '', 'column')}"
    if node.tag is Tag.FIGURE:
        return "graphic" if node.alternative else "graphic without a description"
    if node.tag is Tag.FORMULA:
        return "formula" if node.alternative else "formula without a description"
    if node.tag is Tag.TOC:
        return _counted(len(node.children), "contents with", "entry")
    return {Tag.CAPTION: "caption", Tag.NOTE: "note", Tag.ARTIFACT: "not read aloud"}.get(node.tag, "")


def _counted(number: int, before: str, what: str) -> str:
    many = f"{what[:-1]}ies" if what.endswith("y") else f"{what}s"
    return f"{before} {number} {what if number == 1 else many}".strip()
