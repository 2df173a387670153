"""A document's tables as a workbook, each on its own sheet."""

from __future__ import annotations

import io
import re

from openpyxl import Workbook
from openpyxl.styles import Alignment, Font
from openpyxl.utils import get_column_letter

from hyalen.core.model.content import Table
from hyalen.core.model.document import DocumentContent
from hyalen.core.structure.flow import joined_text

_NUMBER = re.compile(r"^-?\d{1,3}(?:(?:[  ]\d{3})+|\d*)(?:\.\d+)?$")


def write_xlsx(document: DocumentContent) -> bytes:
    """The workbook; spans are merged and header cells bold.

    A cell that holds nothing but a number with a point or no decimals is stored as one.
    A document without tables gives one empty sheet that says so.
    """
    book = Workbook()
    for sheet in book.worksheets:
        book.remove(sheet)
    for number, page in enumerate(document.pages, 1):
        for region in page.regions:
            if region.table is not None:
                title = f"Page {number}, table {len(book.sheetnames) + 1}"
                _fill(book, title, region.table, region.language or document.language)
    if not book.sheetnames:
        book.create_sheet("No tables")
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _fill(book: Workbook, title: str, table: Table, language: str) -> None:
    sheet = book.create_sheet(title)
    widths = [8] * table.columns
    for cell in table.cells:
        text = joined_text(cell.lines, language)
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
    if all(cell.header for cell in table.cells if cell.row == 0):
        sheet.freeze_panes = "A2"
