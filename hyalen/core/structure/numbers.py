"""Which cells of a table are numbers beyond doubt, and how they are shown."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date
from typing import NamedTuple

from hyalen.core.languages import number_signs

MOST_DIGITS = 15  # a double holds no more decimal digits for certain (IEEE 754 binary64; ECMA-376-1, 18.17.5.2)
SPACES = " \u00a0\u2009\u202f"  # what parts thousands in languages that use a space
FIRST_DAY = date(1900, 3, 1)  # workbooks take 1900 for a leap year (ECMA-376-1, 18.17.4.1)
_DAY = re.compile(r"(\d{1,2})([./-])(\d{1,2})\2(\d{4})", re.ASCII)
_ISO = re.compile(r"(\d{4})-(\d{2})-(\d{2})", re.ASCII)
FIGURES = re.compile(rf"[-+\u2212]?[\d.,'\u2019{SPACES}]*\d[\d.,'\u2019{SPACES}]*", re.ASCII)


class Date(NamedTuple):
    """A day, and the number format in which it looks as it did."""

    value: date
    format: str


class Number(NamedTuple):
    """A value, and the number format (ECMA-376-1, 18.8.31) in which it looks as it did."""

    value: int | float
    format: str


class _Read(NamedTuple):
    whole: str
    decimals: str
    grouped: bool
    negative: bool


def column_numbers(texts: Sequence[str], language: str) -> list[Number | None]:
    """The numbers of a column, header left out; None for what is none, and for all where one is in doubt.

    A cell is a number where it is written as the language writes them: its own signs between thousands, three
    figures between them, its own decimal sign. One cell of figures that is written otherwise ("12.10" in German)
    puts the whole column in doubt. So do three decimals and nothing else to tell them from thousands ("1.234" in
    English): some cell must have other than three, none before them, or more than three figures in a row.
    Figures with leading zeros, or more than fifteen of them, are names of things and no numbers.

    Parameters
    ----------
    texts : sequence of str
    language : str
        ISO 639-3.
    """
    signs = number_signs(language)
    found = [_read(text.strip(), *signs) if signs and FIGURES.fullmatch(text.strip()) else None for text in texts]
    odd = any(read is None and FIGURES.fullmatch(t.strip()) for read, t in zip(found, texts, strict=True))
    reads = [read for read in found if read is not None]
    if odd or not _decimals_are_certain(reads):
        return [None] * len(texts)
    return [_number(read) if read else None for read in found]


def _read(text: str, decimal: str, group: str) -> _Read | None:
    groups = f"[{SPACES}]" if group.isspace() else "['\u2019]" if group in "'\u2019" else re.escape(group)
    form = rf"([-\u2212]?)(\d{{1,3}}(?:{groups}\d{{3}})+|\d+)(?:{re.escape(decimal)}(\d+))?"
    match = re.fullmatch(form, text, re.ASCII)
    if match is None:
        return None
    sign, figures, decimals = match.groups()
    whole = re.sub(r"\D", "", figures)
    if (len(whole) > 1 and whole.startswith("0")) or len(whole + (decimals or "")) > MOST_DIGITS:
        return None
    return _Read(whole, decimals or "", whole != figures, bool(sign))


def _decimals_are_certain(reads: Sequence[_Read]) -> bool:
    with_decimals = [r for r in reads if r.decimals]
    if all(len(r.decimals) != 3 for r in with_decimals):
        return True
    told = (len(r.decimals) != 3 or r.whole == "0" or len(r.whole) > 3 or r.grouped for r in with_decimals)
    return any(told)


def _number(read: _Read) -> Number:
    value = float(f"{read.whole}.{read.decimals}") if read.decimals else int(read.whole)
    form = ("#,##0" if read.grouped else "0") + ("." + "0" * len(read.decimals) if read.decimals else "")
    return Number(-value if read.negative else value, form)


def column_dates(texts: Sequence[str], language: str) -> list[Date | None]:
    """The dates of a column, header left out; None for what is none, and for all where one is in doubt.

    Years have four figures. Day and month are told apart by a number above twelve, or by the language: English alone
    has both orders. Days before March 1900 no workbook counts.
    """
    filled = [text.strip() for text in texts if text.strip()]
    found = [_DAY.fullmatch(text) for text in filled]
    if filled and all(_ISO.fullmatch(text) for text in filled):
        each = (_ISO.fullmatch(text.strip()) for text in texts)
        return [_day(int(m[1]), int(m[2]), int(m[3]), "yyyy-mm-dd") if m else None for m in each]
    told = [m for m in found if m is not None]
    if len(told) != len(filled) or not told or len({m[2] for m in told}) > 1:
        return [None] * len(texts)
    day_first, month_first = any(int(m[1]) > 12 for m in told), any(int(m[3]) > 12 for m in told)
    if day_first == month_first and (day_first or language == "eng"):
        return [None] * len(texts)
    padded = any(m[i].startswith("0") for m in told for i in (1, 3))
    day, month = ("dd", "mm") if padded else ("d", "m")
    parts = (month, day) if month_first else (day, month)
    form = told[0][2].join((*parts, "yyyy"))

    def read(text: str) -> Date | None:
        m = _DAY.fullmatch(text.strip())
        if m is None:
            return None
        first, second, year = int(m[1]), int(m[3]), int(m[4])
        return _day(year, first, second, form) if month_first else _day(year, second, first, form)

    return [read(text) for text in texts]


def _day(year: int, month: int, day: int, form: str) -> Date | None:
    try:
        told = date(year, month, day)
    except ValueError:
        return None
    return Date(told, form) if told >= FIRST_DAY else None
