"""The tables of a document as comma-separated values (RFC 4180), a file each."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from typing import BinaryIO

from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.structure.tree import Node, StructureTree, Tag

_NUMBER = re.compile(r"[+-][\d.,\s\u00a0\u202f]*\d\s?%?")


def write_csv(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """A ZIP of the tables, named by their page; each cell as it is printed, what spans several at the first.

    A text that a spreadsheet would take for a formula has an apostrophe before it.
    """
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        count = 0
        for node in tree.nodes():
            if node.tag is not Tag.TABLE:
                continue
            count += 1
            archive.writestr(f"table-{count:03}-page-{node.first.page + 1:04}.csv", "\ufeff" + table_csv(node))
        if not count:
            archive.writestr("no-tables.txt", "This document has no tables.\n")


def table_csv(table: Node) -> str:
    columns = table.columns
    rows = [[""] * columns for _ in table.children]
    for cell in (cell for row in table.children for cell in row.children):
        assert cell.cell is not None
        rows[cell.cell.row][cell.cell.column] = inert(cell.text)
    out = io.StringIO()
    csv.writer(out).writerows(rows)
    return out.getvalue()


def inert(text: str) -> str:
    """A text that no spreadsheet takes for a formula."""
    begins = text[:1] in ("=", "@", "\t", "\r") or (text[:1] in ("+", "-") and not _NUMBER.fullmatch(text))
    return f"'{text}" if begins and len(text) > 1 else text
