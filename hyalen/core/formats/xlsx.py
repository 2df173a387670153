"""A document's tables as a workbook, each on its own sheet."""

from __future__ import annotations

import re
from typing import BinaryIO

from openpyxl import Workbook
from openpyxl.styles import Alignment, Font
from openpyxl.utils import get_column_letter

from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.structure.tree import Node, StructureTree, Tag

_NUMBER = re.compile(r"^-?\d{1,3}(?:(?:[  ]\d{3})+|\d*)(?:\.\d+)?$")


def write_xlsx(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """The workbook; spans are merged and header cells bold.

    A cell that holds nothing but a number with a point or no decimals is stored as one.
    A document without tables gives one empty sheet that says so.
    """
    book = Workbook()
    for sheet in book.worksheets:
        book.remove(sheet)
    for node in tree.nodes():
        if node.tag is Tag.TABLE:
            _fill(book, f"Page {node.first.page + 1}, table {len(book.sheetnames) + 1}", node)
    if not book.sheetnames:
        book.create_sheet("No tables")
    book.save(file)


def _fill(book: Workbook, title: str, node: Node) -> None:
    sheet = book.create_sheet(title)
    found = node.first.region.table
    assert found is not None
    widths = [8] * found.columns
    cells = [(each, each.cell) for row in node.children for each in row.children]
    for each, cell in cells:
        assert cell is not None
        text = each.text
        place = sheet.cell(cell.row + 1, cell.column + 1)
        plain = text.replace(" ", "").replace(" ", "")
        if _NUMBER.match(text) and not (plain.lstrip("-").startswith("0") and "." not in plain and len(plain) > 1):
            place.value = float(plain) if "." in plain else int(plain)
        else:
            place.value = text or None
            place.data_type = "s" if text else place.data_type
        place.alignment = Alignment(wrap_text=True, vertical="top")
        place.font = Font(bold=cell.header)
        if cell.column_span == 1:
            widths[cell.column] = max(widths[cell.column], min(60, len(text) + 2))
        if cell.row_span > 1 or cell.column_span > 1:
            sheet.merge_cells(
                start_row=cell.row + 1,
                start_column=cell.column + 1,
                end_row=cell.row + cell.row_span,
                end_column=cell.column + cell.column_span,
            )
    for i, width in enumerate(widths, 1):
        sheet.column_dimensions[get_column_letter(i)].width = width
    if node.children and all(each.tag is Tag.TH for each in node.children[0].children):
        sheet.freeze_panes = "A2"
