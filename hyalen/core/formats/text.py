"""Plain text in reading order."""

from __future__ import annotations

from dataclasses import replace
from typing import BinaryIO

from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.structure.tree import Node, StructureTree, Tag


def write_text(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """Paragraphs parted by an empty line; a table's row is a line, its cells parted by tabs.

    Running heads and page numbers are left out unless they are asked for; a picture
    is its alternative text in brackets.
    """
    parted = b""
    for node in tree.nodes(keep_running_heads=options.keep_running_heads):
        for text in _paragraphs(node):
            file.write(parted + text.encode("utf8"))
            parted = b"\n\n"
    file.write(b"\n")


def _paragraphs(node: Node) -> list[str]:
    if node.tag in (Tag.L, Tag.TOC):
        return [" ".join(part.text for part in item.parts if part.text) for _, _, item in node.items()]
    if node.tag is Tag.BLOCK_QUOTE:
        return [text for child in node.children for text in _paragraphs(child)]
    if node.caption is not None:
        return [text for each in node.with_caption for text in _paragraphs(replace(each, caption=None))]
    if node.tag.is_picture:
        return [f"[{node.alternative}]"] if node.alternative else []
    if node.tag is Tag.TABLE:
        return [table_text(node)]
    return [node.text] if node.text else []


def table_text(table: Node) -> str:
    """The rows as lines of cells parted by tabs."""
    return "\n".join("\t".join(cell.text for cell in row.children) for row in table.children)
