"""Page labels (ISO 32000-1, 12.4.2): what each page is called, and what the printed page numbers propose."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from hyalen.core.layout.numerals import roman, roman_value
from hyalen.core.model.document import LabelRange, LabelStyle

_PRINTED = re.compile(r"^\W*(?:page|seite|p\.|s\.)?\W*(?:(?P<number>\d{1,4})(?P<letter>[a-z])?|(?P<roman>[ivxlcdm]+|[IVXLCDM]+))\W*$", re.IGNORECASE)  # fmt: skip
LARGEST = 5_000  # of a printed number that is taken for a page's


def page_labels(ranges: Sequence[LabelRange], count: int) -> list[str]:
    """What each of `count` pages is called; without ranges they are counted from 1."""
    told = sorted(ranges, key=lambda r: r.first) or [LabelRange()]
    if told[0].first > 0:
        told.insert(0, LabelRange())
    labels = []
    for index in range(count):
        own = next(r for r in reversed(told) if r.first <= index)
        labels.append(own.prefix + numeral(own.start + index - own.first, own.style))
    return labels


def labels_of_part(ranges: Sequence[LabelRange], chosen: Sequence[int]) -> list[LabelRange]:
    """Ranges by which some of a document's pages, by their numbers from 0, keep what they are called."""
    told = sorted(ranges, key=lambda r: r.first)
    if not told or told[0].first > 0:
        told.insert(0, LabelRange())
    found: list[LabelRange] = []
    for at, page in enumerate(chosen):
        own = next(r for r in reversed(told) if r.first <= page)
        made = LabelRange(first=at, style=own.style, prefix=own.prefix, start=own.start + page - own.first)
        last = found[-1] if found else None
        goes_on = last is not None and (last.style, last.prefix) == (made.style, made.prefix)
        if last is None or not goes_on or made.start - last.start != at - last.first:
            found.append(made)
    return found


def numeral(value: int, style: LabelStyle) -> str:
    """A number in a style of table 159: decimal, roman, or letters a to z, aa to zz and so on."""
    match style:
        case LabelStyle.DECIMAL:
            return str(value)
        case LabelStyle.ROMAN | LabelStyle.SMALL_ROMAN:
            text = roman(value)
            return text.upper() if style is LabelStyle.ROMAN else text
        case LabelStyle.LETTERS | LabelStyle.SMALL_LETTERS:
            text = chr(ord("a") + (value - 1) % 26) * ((value - 1) // 26 + 1)
            return text.upper() if style is LabelStyle.LETTERS else text
        case LabelStyle.NONE:
            return ""


class _Printed(NamedTuple):
    style: LabelStyle
    prefix: str
    value: int


def _read(text: str) -> _Printed | None:
    """A printed page number, if it is one."""
    told = _PRINTED.match(text.strip())
    if told is None:
        return None
    if told["roman"]:
        value = roman_value(told["roman"])
        if value is None:
            return None
        return _Printed(LabelStyle.SMALL_ROMAN if told["roman"].islower() else LabelStyle.ROMAN, "", value)
    number = int(told["number"])
    if not 0 < number <= LARGEST:
        return None
    if told["letter"]:
        letter = told["letter"]
        style = LabelStyle.SMALL_LETTERS if letter.islower() else LabelStyle.LETTERS
        return _Printed(style, told["number"], ord(letter.casefold()) - ord("a") + 1)
    return _Printed(LabelStyle.DECIMAL, "", number)


def proposed_labels(printed: Sequence[str | None]) -> list[LabelRange]:
    """Ranges that agree with the numbers that are printed on pages.

    A number that no other bears out is taken for misread, unless it has a letter (24a); pages before a range that its
    numbers leave room for belong to it.

    Parameters
    ----------
    printed : sequence of str or None
        For each page, what is printed as its number.
    """
    read = [_read(text) if text else None for text in printed]
    found: list[LabelRange] = []
    free = 0  # the first page that no number of an earlier range is on
    for first, last in _runs(read):
        told = read[first]
        assert told is not None
        begin = first if told.prefix else max(free, first - told.value + 1)
        found.append(LabelRange(first=begin, style=told.style, prefix=told.prefix, start=told.value - (first - begin)))
        free = last + 1
    return found


def _runs(read: Sequence[_Printed | None]) -> Iterator[tuple[int, int]]:
    """First and last of the numbered pages that go on as they should."""
    known = [(i, told) for i, told in enumerate(read) if told is not None]
    at = 0
    while at < len(known):
        first, told = known[at]
        end = at
        for later in range(at + 1, len(known)):
            index, other = known[later]
            if (other.style, other.prefix) == (told.style, told.prefix) and other.value - told.value == index - first:
                end = later
            elif later - end > 1 or (later + 1 < len(known) and _goes_on(known[later], known[later + 1])):
                break
        if end > at or told.prefix:
            yield first, known[end][0]
        at = end + 1


def _goes_on(before: tuple[int, _Printed], after: tuple[int, _Printed]) -> bool:
    (i, a), (j, b) = before, after
    return (a.style, a.prefix) == (b.style, b.prefix) and b.value - a.value == j - i
