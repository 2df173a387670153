"""What has changed in a bundle since it was delivered, and which of its pages go out as a supplement."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from enum import StrEnum
from itertools import groupby
from typing import NamedTuple

from hyalen.core.bundling.plan import Plan
from hyalen.core.model.bundle import Entry
from hyalen.core.model.geometry import Frozen


class DeliveredSheet(Frozen):
    """A page as it was delivered; `mark` changes whenever anything on it does."""

    entry: int
    page: int
    label: str
    mark: str


class DeliveredEntry(Frozen):
    """An entry as the index had it."""

    entry: int
    label: str
    title: str
    date: str
    first: str


class Issue(Frozen):
    """A bundle as it was delivered."""

    sheets: tuple[DeliveredSheet, ...] = ()
    entries: tuple[DeliveredEntry, ...] = ()


class ChangeKind(StrEnum):
    PUT_IN = "put_in"
    TAKEN_OUT = "taken_out"
    LATE = "late"
    CHANGED = "changed"
    RENUMBERED = "renumbered"
    PAGES_GONE = "pages_gone"
    SAYS_ELSE = "says_else"
    MOVED = "moved"


class Change(Frozen):
    """What happened to an entry: `labels` are those of the pages that it is about, "" for none."""

    kind: ChangeKind
    entry: int
    title: str
    labels: str = ""
    before: str = ""


class Changes(NamedTuple):
    """What happened, and the places of the sheets that are new or other than they were."""

    told: list[Change]
    sheets: list[int]


def issue_of(plan: Plan, entries: Sequence[Entry], marks: Mapping[int, str]) -> Issue:
    """A bundle as it is delivered now; `marks` by page's id."""
    return Issue(
        sheets=tuple(
            DeliveredSheet(entry=entries[s.entry].id, page=s.page, label=s.label, mark=marks.get(s.page, ""))
            for s in plan.sheets
            if s.number is not None
        ),
        entries=tuple(
            DeliveredEntry(entry=entries[r.entry].id, label=r.label, title=r.title, date=r.date, first=r.first)
            for r in plan.rows
        ),
    )


def changes(before: Issue, now: Issue, places: Sequence[int]) -> Changes:
    """What is other now than it was.

    Parameters
    ----------
    places : sequence of int
        Of the sheets of `now` in the plan.
    """
    old = {(s.entry, s.page): s for s in before.sheets}
    known = {e.entry: e for e in before.entries}
    here = {e.entry: e for e in now.entries}
    kinds: list[tuple[ChangeKind, DeliveredSheet] | None] = []
    for sheet in now.sheets:
        was = old.get((sheet.entry, sheet.page))
        if was is None:
            kinds.append((ChangeKind.PUT_IN if sheet.entry not in known else ChangeKind.LATE, sheet))
        elif was.mark != sheet.mark:
            kinds.append((ChangeKind.CHANGED, sheet))
        elif was.label != sheet.label:
            kinds.append((ChangeKind.RENUMBERED, sheet))
        else:
            kinds.append(None)
    found: list[Change] = []
    touched = [k for k in kinds if k]
    for (kind, entry), those in groupby(touched, key=lambda k: (k[0], k[1].entry)):
        labels = span([s.label for _, s in those])
        title = here[entry].title if entry in here else ""
        was_first = known[entry].first if kind is ChangeKind.RENUMBERED and entry in known else ""
        found.append(Change(kind=kind, entry=entry, title=title, labels=labels, before=was_first))
    found += _of_entries(known, here, now)
    still = {(s.entry, s.page) for s in now.sheets}
    gone = [s for s in before.sheets if (s.entry, s.page) not in still and s.entry in here]
    for entry, lost in groupby(gone, key=lambda s: s.entry):
        labels = span([s.label for s in lost])
        found.append(Change(kind=ChangeKind.PAGES_GONE, entry=entry, title=here[entry].title, labels=labels))
    found += _taken_out(before, here)
    return Changes(found, [place for place, kind in zip(places, kinds, strict=True) if kind])


def _of_entries(known: Mapping[int, DeliveredEntry], here: Mapping[int, DeliveredEntry], now: Issue) -> list[Change]:
    found = []
    paged = {s.entry for s in now.sheets}
    for entry, told in here.items():
        was = known.get(entry)
        if was is None:
            if entry not in paged:
                found.append(Change(kind=ChangeKind.PUT_IN, entry=entry, title=told.title))
        elif (was.label, was.title, was.date) != (told.label, told.title, told.date):
            before = " ".join(filter(None, (was.label, was.title, was.date)))
            found.append(Change(kind=ChangeKind.SAYS_ELSE, entry=entry, title=told.title, before=before))
    order = [e for e in known if e in here]
    if order != [e for e in here if e in known]:
        places = {e: i for i, e in enumerate(order)}
        latest = -1
        for entry in (e for e in here if e in known):
            if places[entry] < latest:
                found.append(Change(kind=ChangeKind.MOVED, entry=entry, title=here[entry].title))
            latest = max(latest, places[entry])
    return found


def _taken_out(before: Issue, here: Mapping[int, DeliveredEntry]) -> list[Change]:
    found = []
    for told in before.entries:
        if told.entry not in here:
            labels = span([s.label for s in before.sheets if s.entry == told.entry])
            found.append(Change(kind=ChangeKind.TAKEN_OUT, entry=told.entry, title=told.title, labels=labels))
    return found


def span(labels: Sequence[str]) -> str:
    """Labels of pages that follow each other, the first and the last."""
    return labels[0] if len(set(labels)) == 1 else f"{labels[0]} to {labels[-1]}" if labels else ""
