"""A bundle as it will be: its sheets in order with what each is called, and the entries of its index."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Mapping, Sequence
from enum import StrEnum
from typing import NamedTuple

from hyalen.core.bundling.numbers import NumbersFull, counted, key
from hyalen.core.model.bundle import BundleRules, Entry, LateRule, PageNumber
from hyalen.core.model.document import LabelRange, LabelStyle
from hyalen.core.structure.labels import numeral

Given = Mapping[tuple[int, int], PageNumber]  # by entry and page


class SheetKind(StrEnum):
    INDEX = "index"
    PAGE = "page"
    BLANK = "blank"  # a back left empty, so that what follows begins on a right-hand page
    MISSING = "missing"  # what stands in the place of a document that cannot be had


class Inside(NamedTuple):
    """What an entry holds: its pages' ids in order; `trouble` says why it has none."""

    pages: Sequence[int] = ()
    title: str = ""
    date: str = ""
    name: str = ""  # of the file
    trouble: str = ""


class Sheet(NamedTuple):
    """A side of paper: `entry` is its entry's place, -1 for the index; `page` a page's id, 0 where it is none."""

    kind: SheetKind
    entry: int
    page: int
    number: PageNumber | None
    label: str


class Row(NamedTuple):
    """A line of the index; `sheet` is the place of its first sheet, of a section that of what it holds, or -1."""

    entry: int
    section: bool
    depth: int
    label: str
    title: str
    date: str
    first: str
    last: str
    sheet: int
    pages: int


class Plan(NamedTuple):
    """`sheets` are without the index; `trouble` says why the numbers that are kept could not be."""

    sheets: list[Sheet]
    rows: list[Row]
    trouble: str = ""


def plan(entries: Sequence[Entry], inside: Sequence[Inside], rules: BundleRules, given: Given) -> Plan:
    """Put a bundle's sheets in order and number them.

    Parameters
    ----------
    entries : sequence of Entry
        In order.
    inside : sequence of Inside
        What each holds.
    given : mapping of (int, int) to PageNumber
        The numbers that are kept, by entry's id and page's id (0 for the place of a document that cannot be had).
    """
    order = _in_order(entries, inside, _series(entries, rules))
    kept = _kept(order, entries, given)
    names, trouble = [each.series for each in order], ""
    try:
        numbers = counted(names, kept, rules.start, rules.late, list(given.values()))
    except NumbersFull as error:
        trouble = str(error)
        numbers = counted(names, kept, rules.start, LateRule.ANEW)
    sheets: list[Sheet] = []
    first: dict[int, int] = {}
    last: dict[int, int] = {}
    for (entry, page, _), number in zip(order, numbers, strict=True):
        begins = entry not in first
        if begins and rules.right_hand and len(sheets) % 2 and entries[entry].after_page is None:
            sheets.append(Sheet(SheetKind.BLANK, entry, 0, None, ""))
        first.setdefault(entry, len(sheets))
        last[entry] = len(sheets)
        kind = SheetKind.PAGE if page else SheetKind.MISSING
        sheets.append(Sheet(kind, entry, page, number, rules.prefix + number.text))
    return Plan(sheets, _rows(entries, inside, sheets, first, last), trouble)


def _kept(order: Sequence[_Placed], entries: Sequence[Entry], given: Given) -> list[PageNumber | None]:
    """The number that each place keeps; what stands in a document's stead has that of its first page, and it again its."""
    first: dict[int, PageNumber] = {}
    for (entry, _), known in given.items():
        first[entry] = min(first.get(entry, known), known, key=key)
    found: list[PageNumber | None] = []
    seen: set[int] = set()
    for each in order:
        entry = entries[each.entry].id
        number = given.get((entry, each.page))
        if number is None and not each.page:
            number = first.get(entry)
        elif number is None and entry not in seen:
            number = given.get((entry, 0))
        seen.add(entry)
        found.append(number)
    return found


class _Placed(NamedTuple):
    """A page, or 0, of the entry at a place, and what it is counted in."""

    entry: int
    page: int
    series: str


def _in_order(entries: Sequence[Entry], inside: Sequence[Inside], series: Sequence[str]) -> list[_Placed]:
    """All pages in order; late ones behind the page where they belong, and in its series."""
    late: defaultdict[int, list[int]] = defaultdict(list)
    everywhere = {page for each in inside for page in each.pages}
    for at, entry in enumerate(entries):
        if entry.after_page in everywhere:
            assert entry.after_page is not None
            late[entry.after_page].append(at)
    placed = {at for those in late.values() for at in those}
    found: list[_Placed] = []
    done: set[int] = set()

    def put(at: int, name: str) -> None:
        if at in done or entries[at].section:
            return
        done.add(at)
        if not inside[at].pages:
            found.append(_Placed(at, 0, name))
        for page in inside[at].pages:
            found.append(_Placed(at, page, name))
            for other in late.get(page, ()):
                put(other, name)

    for at in range(len(entries)):
        if at not in placed:
            put(at, series[at])
    for at in range(len(entries)):  # two that lie behind each other's pages
        put(at, series[at])
    return found


def _series(entries: Sequence[Entry], rules: BundleRules) -> list[str]:
    """In which series each entry's pages are counted."""
    name, found, taken = "", [], Counter[str]()
    for entry in entries:
        if rules.by_section and entry.section and entry.depth == 0:
            taken[entry.label] += 1
            again = f"{taken[entry.label]}-" if taken[entry.label] > 1 else ""
            name = f"{entry.label or '§'}{again}"
            if name[-1:].isdigit():
                name += "-"
        found.append(name)
    return found


def _rows(
    entries: Sequence[Entry],
    inside: Sequence[Inside],
    sheets: Sequence[Sheet],
    first: Mapping[int, int],
    last: Mapping[int, int],
) -> list[Row]:
    titles = told_apart(
        [(e.title or i.title or e.known_as, e.date or i.date, i.name) for e, i in zip(entries, inside, strict=True)]
    )
    labels = entry_labels(entries)
    rows = []
    for at, (entry, each) in enumerate(zip(entries, inside, strict=True)):
        those = range(at, _end(entries, at)) if entry.section else (at,)
        begins = min((first[i] for i in those if i in first), default=-1)
        ends = -1 if entry.section else last.get(at, -1)
        rows.append(
            Row(
                at,
                entry.section,
                entry.depth,
                labels[at],
                entry.title or entry.known_as if entry.section else titles[at],
                "" if entry.section else entry.date or each.date,
                sheets[begins].label if begins >= 0 else "",
                sheets[ends].label if ends >= 0 else "",
                begins,
                max(1, len(each.pages)) if not entry.section else 0,
            )
        )
    return rows


def _end(entries: Sequence[Entry], at: int) -> int:
    """The place behind what lies within a section."""
    return next((i for i in range(at + 1, len(entries)) if entries[i].depth <= entries[at].depth), len(entries))


def entry_labels(entries: Sequence[Entry]) -> list[str]:
    """What entries are called in the index: as they are labelled by hand, the others by a count.

    Counts that are kept stay; a late entry's is made as a late page's number is (5a).
    """
    counts = [e for e in entries if not e.section and not e.label]
    kept = [_kept_count(e.counted) for e in counts]
    try:
        numbers = counted([""] * len(counts), kept)
    except NumbersFull:
        numbers = counted([""] * len(counts), kept, rule=LateRule.ANEW)
    told = iter(numbers)
    return [e.label if e.section or e.label else next(told).text for e in entries]


def _kept_count(label: str) -> PageNumber | None:
    digits = label.rstrip("abcdefghijklmnopqrstuvwxyz")
    return PageNumber(value=int(digits), suffix=label[len(digits) :]) if digits.isdecimal() else None


def told_apart(told: Sequence[tuple[str, str, str]]) -> list[str]:
    """Titles by which documents of the same title and date are told apart: by their files' names, or a count.

    Parameters
    ----------
    told : sequence of (str, str, str)
        Title, date and name of the file of each.
    """
    same = Counter((title, date) for title, date, _ in told)
    named = Counter(told)
    seen: Counter[tuple[str, str]] = Counter()
    found = []
    for title, date, name in told:
        seen[title, date] += 1
        if same[title, date] == 1:
            found.append(title)
        elif name and named[title, date, name] == 1 and name != title:
            found.append(f"{title} ({name})")
        else:
            found.append(f"{title} ({seen[title, date]})")
    return found


def index_label(at: int) -> str:
    """What a page of the index is called: i, ii."""
    return numeral(at + 1, LabelStyle.SMALL_ROMAN)


def label_ranges(index: int, labels: Iterable[str]) -> list[LabelRange]:
    """Ranges (ISO 32000-1, 12.4.2) by which the index's pages are called i, ii, and those behind it as told."""
    found = [LabelRange(style=LabelStyle.SMALL_ROMAN)] if index else []
    for at, label in enumerate(labels, index):
        made, last = _range(at, label), found[-1] if found else None
        alike = last is not None and (last.style, last.prefix) == (made.style, made.prefix)
        goes_on = alike and (made.style is LabelStyle.NONE or (last and made.start - last.start == at - last.first))
        if at == index or not goes_on:
            found.append(made)
    return found


def _range(at: int, label: str) -> LabelRange:
    head = label.rstrip("0123456789")
    tail = label[len(head) :]
    if tail and not tail.startswith("0") and len(tail) <= 6:
        return LabelRange(first=at, prefix=head, start=int(tail))
    return LabelRange(first=at, style=LabelStyle.NONE, prefix=label)
