"""A word processor's table: widths, spans, header rows that repeat, columns of figures (ECMA-376-1, 17.4)."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from docx.document import Document
from docx.enum.text import WD_ALIGN_PARAGRAPH, WD_TAB_ALIGNMENT
from docx.oxml import OxmlElement
from docx.shared import Inches, Length, Pt
from docx.table import Table
from docx.text.paragraph import Paragraph

from hyalen.core.languages import is_right_to_left
from hyalen.core.layout.aligned import is_number
from hyalen.core.layout.cells import numeric_columns
from hyalen.core.model.content import Cell
from hyalen.core.structure.tree import Node, Tag

MOST_ROWS, MOST_COLUMNS = 32_767, 63  # common practice, no source
EDGES = Inches(0.16)  # of a cell's width that its text has not
DIGIT = Pt(6)  # that a digit of the template's type takes
THOUSANDS = 4  # a mark and as many digits as part thousands, which may be no fraction
_FRACTION = re.compile(r"[.,]\d+$")
LEAST = 0.05  # of the table's width, that a column has


def add_table(
    docx: Document, node: Node, wide: Length, fill: Callable[[Paragraph, Node], None], point: str = ""
) -> Table:
    """Put a table of a width at the document's end.

    Parameters
    ----------
    point : str
        The document's decimal mark: figures of different fractions stand with theirs beneath each other; "" to have
        all figures at the right.

    Raises
    ------
    ValueError
        If it is larger than a word processor's tables may be.
    """
    columns = node.columns
    if len(node.children) > MOST_ROWS or columns > MOST_COLUMNS:
        raise ValueError(
            f"A table on page {node.first.page + 1} has {len(node.children):,} rows and {columns} columns; a word"
            f" processor takes {MOST_ROWS:,} and {MOST_COLUMNS}. Deliver it as CSV or XLSX."
        )
    table: Table = docx.add_table(rows=len(node.children), cols=columns, style="Table Grid")
    table.autofit = False
    if node.backwards:  # the first column at the right (17.4.1); it stands behind the style (CT_TblPrBase)
        table._tbl.tblPr.insert(1, OxmlElement("w:bidiVisual"))
    cells = [each.cell for row in node.children for each in row.children if each.cell is not None]
    figures = numeric_columns(cells, columns)
    widths = column_widths(node, wide)
    points = {column: _fraction(cells, column, point) for column in figures} if point else {}
    for column, width in zip(table.columns, widths, strict=True):
        column.width = width
    places = table._cells  # asked for one by one they are all counted each time
    for each in (each for row in node.children for each in row.children):
        cell = each.cell
        assert cell is not None
        place = places[cell.row * columns + cell.column]
        if cell.row_span > 1 or cell.column_span > 1:
            last = (cell.row + cell.row_span - 1) * columns + cell.column + cell.column_span - 1
            place = place.merge(places[last])
        place.width = Length(sum(widths[cell.column : cell.column + cell.column_span]))
        paragraph = place.paragraphs[0]
        fill(paragraph, each)
        if cell.column in figures and cell.column_span == 1 and not cell.header:
            fraction = points.get(cell.column, 0)
            if is_right_to_left(each.language):  # whose paragraphs begin at the right, which is called left (17.3.1.13)
                paragraph.alignment = WD_ALIGN_PARAGRAPH.LEFT
            elif fraction:  # a decimal tab takes effect in a cell without a tab before the text (17.3.1.37)
                at = Length(widths[cell.column] - EDGES - fraction * DIGIT)
                paragraph.paragraph_format.tab_stops.add_tab_stop(max(at, DIGIT), WD_TAB_ALIGNMENT.DECIMAL)
            else:
                paragraph.alignment = WD_ALIGN_PARAGRAPH.RIGHT
        if each.tag is Tag.TH:
            for run in paragraph.runs:
                run.bold = True
    for row in table.rows:
        row._tr.get_or_add_trPr().append(OxmlElement("w:cantSplit"))
    for row, told in zip(table.rows, node.children, strict=True):
        if not told.children or any(each.tag is not Tag.TH for each in told.children):
            break
        row._tr.get_or_add_trPr().append(OxmlElement("w:tblHeader"))
    return table


def _fraction(cells: Sequence[Cell], column: int, point: str) -> int:
    """The most characters from the decimal mark on of a column whose figures have different ones; else 0."""
    told = [c.text.strip() for c in cells if c.column == column and not c.header and is_number(c.text)]
    marked = [m.group() for text in told if (m := _FRACTION.search(text))]
    lengths = {len(m) for m in marked} | ({0} if len(marked) < len(told) else set())
    if len(lengths) < 2 or {m[0] for m in marked} != {point} or any(len(m) == THOUSANDS for m in marked):
        return 0
    return max(lengths)


def column_widths(node: Node, wide: Length) -> list[Length]:
    """Each column's width: as the cells lie on the page, none so narrow that it holds nothing."""
    edges: dict[int, list[int]] = {}
    for each in (each for row in node.children for each in row.children):
        if each.cell is not None and each.cell.column_span == 1 and each.cell.box.width > 0:
            edges.setdefault(each.cell.column, []).append(each.cell.box.width)
    middle = sorted(w for widths in edges.values() for w in widths)
    usual = middle[len(middle) // 2] if middle else 1
    widest = [max(edges.get(column, [usual])) for column in range(node.columns)]
    shares = [max(share, LEAST * sum(widest)) for share in widest]
    return [Length(int(wide * share / sum(shares))) for share in shares]
