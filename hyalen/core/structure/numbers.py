"""Which cells of a table are numbers beyond doubt, and how they are shown."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

from hyalen.core.languages import number_signs

MOST_DIGITS = 15  # a double holds no more decimal digits for certain (IEEE 754 binary64; ECMA-376-1, 18.17.5.2)
SPACES = " \u00a0\u2009\u202f"  # what parts thousands in languages that use a space
FIGURES = re.compile(rf"[-+\u2212]?[\d.,'\u2019{SPACES}]*\d[\d.,'\u2019{SPACES}]*", re.ASCII)


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
