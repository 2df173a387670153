"""What a workbook takes for a number.

The forms are those of CLDR's number symbols (numbers/symbols, root of each locale's own tests): 1,234.5 in English,
1.234,5 in German, 1 234,5 in French with a narrow no-break space.
"""

from __future__ import annotations

import io

import pytest
from babel.numbers import format_decimal
from hypothesis import given
from hypothesis import strategies as st
from openpyxl import load_workbook

from hyalen.core.languages import language_tag
from hyalen.core.model.document import DocumentContent
from hyalen.core.structure.numbers import column_numbers
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
