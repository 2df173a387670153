"""What a workbook takes for a number.

The forms are those of CLDR's number symbols (numbers/symbols, root of each locale's own tests): 1,234.5 in English,
1.234,5 in German, 1 234,5 in French with a narrow no-break space.
"""

from __future__ import annotations

import io
from datetime import date
from typing import Any

import pytest
from babel.numbers import format_decimal
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import load_workbook

from hyalen.core.languages import language_tag
from hyalen.core.model.document import DocumentContent
from hyalen.core.structure.numbers import column_dates, column_numbers
from tests.conftest import ContentMaker
from tests.helpers import deliver

COLUMNS = [
    ("eng", ["1,234", "12", "7"], [1234, 12, 7], ["#,##0", "0", "0"]),
    ("eng", ["12.10", "3.05"], [12.1, 3.05], ["0.00", "0.00"]),
    ("eng", ["1.234", "5.678"], [None, None], None),
    ("eng", ["1.234", "0.250"], [1.234, 0.25], ["0.000", "0.000"]),
    ("eng", ["-4", "\u221212.5"], [-4, -12.5], ["0", "0.0"]),
    ("eng", ["007", "12"], [None, None], None),
    ("eng", ["12345678901234567890"], [None], None),
    ("eng", ["Oil", "12", "about 3"], [None, 12, None], None),
    ("eng", ["1 234", "5"], [None, None], None),
    ("eng", ["1,23", "5"], [None, None], None),
    ("deu", ["1.234", "12.345"], [1234, 12345], ["#,##0", "#,##0"]),
    ("deu", ["12.10", "1.234"], [None, None], None),
    ("deu", ["12,10", "1.234,50"], [12.1, 1234.5], ["0.00", "#,##0.00"]),
    ("fra", ["1\u202f234,5", "1 000", "2\u00a0000"], [1234.5, 1000, 2000], ["#,##0.0", "#,##0", "#,##0"]),
    ("fra", ["1.234", "5"], [None, None], None),
    ("xyz", ["12", "13"], [None, None], None),
    ("eng", ["", "12"], [None, 12], None),
]


@pytest.mark.parametrize("language,texts,values,formats", COLUMNS, ids=lambda v: str(v)[:30])
def test_a_number_is_one_only_where_language_and_column_make_it_certain(
    language: str, texts: list[str], values: list[float | None], formats: list[str] | None
) -> None:
    found = column_numbers(texts, language)
    assert [n.value if n else None for n in found] == values
    if formats:
        assert [n.format for n in found if n] == formats


@given(st.integers(min_value=0, max_value=10**11), st.sampled_from(["eng", "deu", "fra", "spa", "pol", "rus", "ell"]))
def test_what_cldr_writes_is_read_back(value: int, language: str) -> None:
    """Babel writes by CLDR's patterns; the second cell makes the decimals certain."""
    locale = language_tag(language)
    texts = [format_decimal(value, locale=locale), format_decimal(0.25, locale=locale)]
    numbers = column_numbers(texts, language)
    assert [n.value for n in numbers if n] == [value, 0.25]


def test_a_workbook_keeps_values_and_their_shown_form(maker: type[ContentMaker]) -> None:
    rows = [
        ["Artikel", "Stück", "Preis", "Nr."],
        ["Öl", "1.234", "12,10", "00417"],
        ["Docht", "5.000", "0,75", "12345678901234567"],
    ]
    page = maker("deu").table(rows).page()
    book = load_workbook(
        io.BytesIO(deliver(DocumentContent(title="t", language="deu", pages=(page,)), lambda _: b"", "xlsx"))
    )
    (sheet,) = book.worksheets
    assert [[c.value for c in row][1:] for row in sheet.iter_rows(min_row=2)] == [
        [1234, 12.1, "00417"],
        [5000, 0.75, "12345678901234567"],
    ]
    assert [c.number_format for c in sheet[2]][1:3] == ["#,##0", "0.00"]


@pytest.mark.parametrize(
    ("texts", "language", "wanted"),
    [
        (["18.5.1931", "2.11.1931"], "deu", [(date(1931, 5, 18), "d.m.yyyy"), (date(1931, 11, 2), "d.m.yyyy")]),
        (["18/05/1931", "", "02/11/1931"], "eng", [(date(1931, 5, 18), "dd/mm/yyyy"), None, (date(1931, 11, 2), "dd/mm/yyyy")]),
        (["5/18/1931", "11/2/1931"], "eng", [(date(1931, 5, 18), "m/d/yyyy"), (date(1931, 11, 2), "m/d/yyyy")]),
        (["1931-05-18"], "eng", [(date(1931, 5, 18), "yyyy-mm-dd")]),
        (["5/8/1931", "1/2/1931"], "eng", [None, None]),  # either order
        (["18/5/1931", "5/18/1931"], "fra", [None, None]),  # both orders
        (["18.5.1894"], "deu", [None]),  # before what workbooks count
        (["31.2.1931", "1.2.1931"], "deu", [None, (date(1931, 2, 1), "d.m.yyyy")]),
        (["18.5.1931", "May"], "deu", [None, None]),
        (["", ""], "deu", [None, None]),
    ],
)  # fmt: skip
def test_dates_are_dates_only_where_their_order_is_certain(texts: list[str], language: str, wanted: list[Any]) -> None:
    assert [tuple(d) if d else None for d in column_dates(texts, language)] == wanted


def test_a_workbook_marks_what_to_look_at_and_puts_tables_beneath_each_other() -> None:
    page = ContentMaker().table([["Item", "Sum"], ["Oil", "12"], ["Wick", "7"], ["Total", "20"]])
    page = page.table([["Day", "Fog"], ["18.5.1931", "=2"]])
    content = page.page()
    table = content.regions[0].table
    assert table is not None
    weak = [c.model_copy(update={"lines": tuple(line.model_copy(update={"words": tuple(w.model_copy(update={"confidence": 0.4, "others": ("72",)}) for w in line.words)}) for line in c.lines)}) if c.text == "12" else c for c in table.cells]  # fmt: skip
    first = content.regions[0].model_copy(update={"table": table.model_copy(update={"cells": tuple(weak)})})
    document = DocumentContent(title="t", language="deu", pages=(content.model_copy(update={"regions": (first, *content.regions[1:])}),))  # fmt: skip
    apart = load_workbook(io.BytesIO(deliver(document, lambda _: b"", "xlsx")))
    assert len(apart.worksheets) == 2 and apart.worksheets[0].freeze_panes == "A2"
    sheet = apart.worksheets[0]
    assert "12" in sheet["B2"].comment.text and "72" in sheet["B2"].comment.text and sheet["B3"].comment is None
    assert sheet["D4"].value == "Check: column B: the rows above add up to 19, not to 20"
    assert apart.worksheets[1]["A2"].value.date() == date(1931, 5, 18) and apart.worksheets[1]["B2"].data_type == "s"
    (one,) = load_workbook(io.BytesIO(deliver(document, lambda _: b"", "xlsx", one_sheet=True))).worksheets
    assert [one.cell(r, 1).value for r in (1, 2, 5, 6, 7, 8)] == ["Page 1", "Item", "Total", None, "Page 1", "Day"]
