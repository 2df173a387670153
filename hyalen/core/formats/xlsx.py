"""A document's tables as a workbook, each on its own sheet or all beneath each other."""

from __future__ import annotations

from typing import Any, BinaryIO

from openpyxl import Workbook
from openpyxl.comments import Comment
from openpyxl.styles import Alignment, Font
from openpyxl.utils import get_column_letter

from hyalen import __version__
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.model.content import Cell, Table
from hyalen.core.proofing.doubts import SURE
from hyalen.core.proofing.totals import wrong_totals
from hyalen.core.structure.labels import page_labels
from hyalen.core.structure.numbers import Date, Number, column_dates, column_numbers
from hyalen.core.structure.tree import Node, StructureTree, Tag

NARROWEST, WIDEST = 8, 60  # characters of a column
MOST_ROWS, MOST_COLUMNS = 1_048_576, 16_384  # of a sheet (ECMA-376-1, 18.3.1.73)
AUTHOR = f"Hyalen {__version__}"


def write_xlsx(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """The workbook; spans are merged, header cells bold and kept in sight.

    A cell is stored as a number or a date, in the form it was shown in, only where language and column make it
    certain. A comment marks what was read unsurely, and totals that the rows above do not add up to.
    A document without tables gives one empty sheet that says so.

    Raises
    ------
    ValueError
        If a table is larger than a sheet may be.
    """
    book = Workbook()
    for sheet in book.worksheets:
        book.remove(sheet)
    labels = page_labels(tree.labels, len(tree.pages))
    row = 0
    for count, node in enumerate((node for node in tree.nodes() if node.tag is Tag.TABLE), 1):
        if len(node.children) > MOST_ROWS or node.columns > MOST_COLUMNS:
            raise ValueError(f"A table on page {node.first.page + 1} has more rows or columns than a sheet may have.")
        title = f"Page {node.first.page + 1}, table {count}"
        if options.one_sheet:
            sheet = book.worksheets[0] if book.worksheets else book.create_sheet("Tables")
            sheet.cell(row + 1, 1).value = node.caption.text if node.caption else f"Page {labels[node.first.page]}"
            sheet.cell(row + 1, 1).font = Font(italic=True)
            row = _fill(sheet, node, row + 1) + 1
        else:
            sheet = book.create_sheet(title)
            _fill(sheet, node, 0)
            heads = 0
            for each in node.children:
                if not each.children or any(cell.tag is not Tag.TH for cell in each.children):
                    break
                heads += 1
            if 0 < heads < len(node.children):
                sheet.freeze_panes = f"A{heads + 1}"
    if not book.sheetnames:
        book.create_sheet("No tables")
    book.save(file)


def _fill(sheet: Any, node: Node, top: int) -> int:
    """Put a table into a sheet, beneath `top` rows; the row, from 1, in which it ends."""
    widths = [NARROWEST] * node.columns
    sheet.sheet_view.rightToLeft = sheet.sheet_view.rightToLeft or node.backwards
    told = _values(node)
    for each in (each for row in node.children for each in row.children):
        cell = each.cell
        assert cell is not None
        place = sheet.cell(top + cell.row + 1, cell.column + 1)
        value = told.get((cell.row, cell.column))
        if value:
            place.value, place.number_format = value
        elif each.text:
            place.value = each.text[:MOST_TEXT]
            place.data_type = "s"  # else what begins with = is a formula
        place.alignment = Alignment(wrap_text=True, vertical="top")
        place.font = Font(bold=cell.header)
        if doubt := _doubt(cell):
            place.comment = Comment(doubt, AUTHOR)
        if cell.column_span == 1:
            widths[cell.column] = max(widths[cell.column], min(WIDEST, len(each.text) + 2))
        if cell.row_span > 1 or cell.column_span > 1:
            sheet.merge_cells(
                start_row=top + cell.row + 1,
                start_column=cell.column + 1,
                end_row=top + cell.row + cell.row_span,
                end_column=cell.column + cell.column_span,
            )
    _check(sheet, node, top)
    for i, width in enumerate(widths, 1):
        column = sheet.column_dimensions[get_column_letter(i)]
        column.width = max(width, column.width or 0) if top > 1 else width
    return top + len(node.children)


MOST_TEXT = 32_767  # characters of a cell (ECMA-376-1, 18.18.91 and common practice)


def _doubt(cell: Cell) -> str:
    """What is to be looked at in a cell."""
    unsure = [w for line in cell.lines for w in line.words if not w.settled and w.confidence < SURE]
    if not unsure:
        return ""
    others = list(dict.fromkeys(other for w in unsure for other in w.others if other))[:3]
    also = f" It may be {' or '.join(others)}." if others else ""
    return f"Read unsurely: {', '.join(w.text for w in unsure)}.{also}"


def _check(sheet: Any, node: Node, top: int) -> None:
    """A column beside the table that says which totals the rows above do not add up to."""
    cells = tuple(each.cell for row in node.children for each in row.children if each.cell is not None)
    table = Table(rows=len(node.children), columns=node.columns, cells=cells)
    for cell, added in wrong_totals(table):
        beside = sheet.cell(top + cell.row + 1, table.columns + 2)
        said = f"column {get_column_letter(cell.column + 1)}: the rows above add up to {added:g}, not to {cell.text}"
        beside.value = f"{beside.value}; {said}" if beside.value else f"Check: {said}"
        beside.font = Font(italic=True)


def _values(node: Node) -> dict[tuple[int, int], Number | Date]:
    """The certain numbers and dates of a table, by row and column."""
    columns: dict[tuple[int, str], list[tuple[int, str]]] = {}
    for row in node.children:
        for each in row.children:
            if each.cell is not None and not each.cell.header:
                columns.setdefault((each.cell.column, each.language), []).append((each.cell.row, each.text))
    found: dict[tuple[int, int], Number | Date] = {}
    for (column, language), cells in columns.items():
        texts = [text for _, text in cells]
        numbers, dates = column_numbers(texts, language), column_dates(texts, language)
        for (at, _), number, day in zip(cells, numbers, dates, strict=True):
            if value := number or day:
                found[at, column] = value
    return found
