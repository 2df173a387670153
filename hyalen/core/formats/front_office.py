"""A bundle's index as a file to be edited: DOCX and XLSX."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import docx
import openpyxl
from docx.enum.text import WD_ALIGN_PARAGRAPH
from docx.oxml import OxmlElement
from docx.shared import Cm, Pt
from openpyxl.styles import Alignment, Font
from openpyxl.utils import get_column_letter

from hyalen.core.languages import language_tag
from hyalen.core.model.front import FrontTable
from hyalen.core.model.text import fit

WIDEST, NARROWEST = 80, 8  # characters of a column


def write_front_docx(table: FrontTable, title: str, language: str, path: Path) -> None:
    """The table with a heading, its header row repeated on each page."""
    document: Any = docx.Document()
    document.core_properties.title, document.core_properties.author = title, ""
    document.core_properties.language = language_tag(language)
    section = document.sections[0]
    section.page_width, section.page_height = Cm(21), Cm(29.7)
    document.add_heading(table.heading, 1)
    for note in table.notes:
        document.add_paragraph(note)
    made = document.add_table(rows=0, cols=len(table.heads), style="Table Grid")
    head = made.add_row()
    _fill(head, table.heads, table, True, 0)
    properties = head._tr.get_or_add_trPr()
    properties.append(OxmlElement("w:tblHeader"))
    for row in table.rows:
        _fill(made.add_row(), row.cells, table, row.bold, row.depth)
    _tell_language(document, language_tag(language))
    document.save(str(path))


def _fill(row: Any, texts: tuple[str, ...], table: FrontTable, bold: bool, depth: int) -> None:
    for at, (cell, text) in enumerate(zip(row.cells, texts, strict=True)):
        paragraph = cell.paragraphs[0]
        run = paragraph.add_run(text)
        run.bold, run.font.size = bold or None, Pt(10.5)
        paragraph.paragraph_format.space_after = Pt(2)
        if at == table.main:
            paragraph.paragraph_format.left_indent = Cm(0.5 * depth)
        if at == table.numbers:
            paragraph.alignment = WD_ALIGN_PARAGRAPH.RIGHT


def _tell_language(document: Any, tag: str) -> None:
    fonts = document.styles["Normal"].element.get_or_add_rPr()
    language = OxmlElement("w:lang")
    language.set("{http://schemas.openxmlformats.org/wordprocessingml/2006/main}val", tag)
    fonts.append(language)


def write_front_xlsx(table: FrontTable, title: str, language: str, path: Path) -> None:
    """The table on a sheet: its header row stays in sight."""
    book = openpyxl.Workbook()
    book.properties.title, book.properties.language = title, language_tag(language)
    sheet: Any = book.active
    sheet.title = safe_sheet_name(table.heading)
    sheet.append(list(table.heads))
    for row in table.rows:
        sheet.append([fit(text) for text in row.cells])
    looks = [(True, 0), *((row.bold, row.depth) for row in table.rows)]
    for number, (bold, depth) in enumerate(looks, 1):
        for at in range(len(table.heads)):
            cell = sheet.cell(number, at + 1)
            cell.data_type, cell.font = "s", Font(bold=bold)  # what begins with "=" is no formula
            cell.number_format = "@"  # 24a and 0012 are labels, not numbers
            cell.alignment = Alignment(
                indent=depth if at == table.main else 0, wrap_text=at == table.main, vertical="top",
                horizontal="right" if at == table.numbers else None,
            )  # fmt: skip
    for at, head in enumerate(table.heads):
        longest = max([len(head), *(len(row.cells[at]) for row in table.rows)])
        sheet.column_dimensions[get_column_letter(at + 1)].width = max(NARROWEST, min(WIDEST, longest + 2))
    sheet.freeze_panes = "A2"
    sheet.print_title_rows = "1:1"
    book.save(path)


def safe_sheet_name(name: str) -> str:
    """At most 31 letters, without those that a sheet's name may not have (ECMA-376, 18.2.19)."""
    kept = "".join(c for c in name if c not in "[]:*?/\\").strip("' ")
    return kept[:31] or "Index"
