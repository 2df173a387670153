"""Plain text in reading order."""

from __future__ import annotations

from hyalen.core.model.content import RegionKind, Table
from hyalen.core.model.document import DocumentContent
from hyalen.core.structure.flow import flow, joined_text


def write_text(document: DocumentContent, keep_running_heads: bool = False) -> str:
    """Paragraphs parted by an empty line; a table's row is a line, its cells parted by tabs.

    Running heads and page numbers are left out unless they are asked for; a picture
    is its alternative text in brackets.
    """
    parts = []
    for block in flow(document.pages, document.language, keep_running_heads):
        region = block.region
        if region.kind is RegionKind.FIGURE:
            if region.alternative_text:
                parts.append(f"[{region.alternative_text}]")
        elif region.table is not None:
            parts.append(table_text(region.table, block.language))
        elif block.text:
            parts.append(block.text)
    return "\n\n".join(parts) + "\n"


def table_text(table: Table, language: str) -> str:
    """The rows as lines of cells parted by tabs."""
    rows = []
    for row in range(table.rows):
        cells = sorted((c for c in table.cells if c.row == row), key=lambda c: c.column)
        rows.append("\t".join(joined_text(c.lines, language) for c in cells))
    return "\n".join(rows)
