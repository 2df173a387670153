"""A document's tables as a workbook, each on its own sheet."""

from __future__ import annotations

from typing import BinaryIO

from openpyxl import Workbook
from openpyxl.styles import Alignment, Font
from openpyxl.utils import get_column_letter

from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.structure.numbers import Number, column_numbers
from hyalen.core.structure.tree import Node, StructureTree, Tag


def write_xlsx(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """The workbook; spans are merged and header cells bold.

    A cell is stored as a number, in the form it was shown in, only where language and column make it certain.
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
    widths = [8] * node.columns
    cells = [(each, each.cell) for row in node.children for each in row.children]
    numbers = _numbers(node)
    for each, cell in cells:
        assert cell is not None
        text = each.text
        place = sheet.cell(cell.row + 1, cell.column + 1)
        number = numbers.get((cell.row, cell.column))
        if number:
            place.value, place.number_format = number
        elif text:
            place.value = text
            place.data_type = "s"  # else what begins with = is a formula
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


def _numbers(node: Node) -> dict[tuple[int, int], Number]:
    """The certain numbers of a table, by row and column."""
    columns: dict[tuple[int, str], list[tuple[int, str]]] = {}
    for row in node.children:
        for each in row.children:
            if each.cell is not None and not each.cell.header:
                columns.setdefault((each.cell.column, each.language), []).append((each.cell.row, each.text))
    found: dict[tuple[int, int], Number] = {}
    for (column, language), cells in columns.items():
        for (at, _), number in zip(cells, column_numbers([text for _, text in cells], language), strict=True):
            if number:
                found[at, column] = number
    return found
