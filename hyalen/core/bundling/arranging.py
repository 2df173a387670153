"""What is done to a bundle: each takes its state and gives the next."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from hyalen.core.bundling.dates import day_of
from hyalen.core.bundling.plan import Given, Inside, Plan, entry_labels
from hyalen.core.model.bundle import DEEPEST, BundleState, Entry, KeptNumber, LateRule

SECTION_LABELS = [chr(ord("A") + i) for i in range(26)]


class NotSo(ValueError):
    """The bundle does not allow it; the message says why."""


def given(state: BundleState) -> Given:
    """The numbers that are kept, as `plan` takes them."""
    return {(each.entry, each.page): each.number for each in state.numbers}


def put_in(state: BundleState, entries: Sequence[Entry], behind: int | None = None) -> BundleState:
    """New entries behind one (0: before all), or at the end; those within a section lie a level deeper than it.

    A document that is in already is left where it is.
    """
    here = {e.document_id for e in state.entries if e.document_id is not None}
    fresh: list[Entry] = []
    last = state.last
    for each in entries:
        if each.document_id is not None:
            if each.document_id in here:
                continue
            here.add(each.document_id)
        last += 1
        fresh.append(each.model_copy(update={"id": last}))
    at = len(state.entries)
    if behind is not None:
        at = _place(state, behind) + 1 if behind else 0
    deep = _depth_at(state.entries, at)
    placed = [e if e.section else e.model_copy(update={"depth": min(DEEPEST, max(e.depth, deep))}) for e in fresh]
    rest = list(state.entries[at:])
    if placed and placed[-1].section:  # what follows is its own, up to the next
        end = next((i for i, e in enumerate(rest) if e.section or e.depth > placed[-1].depth), len(rest))
        rest[:end] = [e.model_copy(update={"depth": placed[-1].depth + 1}) for e in rest[:end]]
    labelled = _with_labels([*state.entries[:at], *placed, *rest])
    return state.model_copy(update={"entries": tuple(labelled), "last": last})


def _depth_at(entries: Sequence[Entry], at: int) -> int:
    """How deep a document lies that is put there."""
    before = entries[at - 1] if at else None
    if before is None:
        return 0
    return before.depth + 1 if before.section else before.depth


def _with_labels(entries: Sequence[Entry]) -> list[Entry]:
    """Sections of the first level that have no label get the next letter that is free."""
    taken = {e.label for e in entries if e.section}
    found = []
    for entry in entries:
        if entry.section and entry.depth == 0 and not entry.label:
            free = next((label for label in SECTION_LABELS if label not in taken), "")
            taken.add(free)
            entry = entry.model_copy(update={"label": free})
        found.append(entry)
    return found


def take_out(state: BundleState, ids: Sequence[int]) -> BundleState:
    """Without entries; what lay within a document's pages lies behind it."""
    gone = set(ids)
    if strange := gone - {e.id for e in state.entries}:
        raise NotSo(f"There is no entry {min(strange)} in the bundle.")
    return state.model_copy(update={"entries": tuple(e for e in state.entries if e.id not in gone)})


def arrange(state: BundleState, order: Sequence[tuple[int, int]]) -> BundleState:
    """The entries in another order, each with its depth."""
    by_id = {e.id: e for e in state.entries}
    if sorted(i for i, _ in order) != sorted(by_id):
        raise NotSo("The bundle's entries have changed meanwhile; nothing was moved.")
    before, entries = -1, []
    for entry_id, depth in order:
        before = max(0, min(depth, before + 1, DEEPEST))
        entries.append(by_id[entry_id].model_copy(update={"depth": before}))
    return state.model_copy(update={"entries": tuple(_with_labels(entries))})


def by_date(state: BundleState, inside: Sequence[Inside]) -> BundleState:
    """The documents of each section by their dates; those without one come last, as they were."""
    dates = {e.id: day_of(e.date or i.date) for e, i in zip(state.entries, inside, strict=True)}
    return _sorted(state, lambda e: (dates[e.id] is None, dates[e.id] or ()))


def by_title(state: BundleState, inside: Sequence[Inside]) -> BundleState:
    """The documents of each section by their titles; numbers within them count as numbers."""
    titles = {e.id: e.title or i.title or e.known_as for e, i in zip(state.entries, inside, strict=True)}
    return _sorted(state, lambda e: natural(titles[e.id]))


def natural(text: str) -> list[tuple[int, int, str]]:
    """By which texts are ordered as people do: 2 before 10."""
    parts: list[tuple[int, int, str]] = []
    word = ""
    for c in [*text.casefold(), ""]:
        if word and (c == "" or c.isdecimal() != word[-1].isdecimal()):
            parts.append((0, int(word), "") if word.isdecimal() else (1, 0, word))
            word = ""
        word += c
    return parts


def _sorted(state: BundleState, key: Callable[[Entry], Any]) -> BundleState:
    """Documents that follow each other sorted; sections stay."""
    entries: list[Entry] = []
    run: list[Entry] = []
    for entry in [*state.entries, None]:
        if entry is not None and not entry.section:
            run.append(entry)
            continue
        entries += sorted(run, key=key)
        run = []
        if entry is not None:
            entries.append(entry)
    return state.model_copy(update={"entries": tuple(entries)})


def listed(state: BundleState, entries: Sequence[Entry]) -> BundleState:
    """Entries in the order of a list: what is in already keeps its number, what the list does not name comes last."""
    by_document = {e.document_id or 0: e for e in state.entries if e.document_id is not None}
    sections = {(e.title, e.depth): e for e in state.entries if e.section}
    last = state.last
    found: list[Entry] = []
    section_depth = -1
    for each in entries:
        known = (
            sections.pop((each.title, each.depth), None)
            if each.section
            else by_document.pop(each.document_id or 0, None)
        )
        if each.section:
            section_depth = each.depth
        told = {k: v for k, v in each.model_dump(include={"title", "date", "label"}).items() if v}
        if known is None:
            last += 1
        base = known or each.model_copy(update={"id": last})
        depth = each.depth if each.section else max(each.depth, section_depth + 1)
        found.append(base.model_copy(update={**told, "depth": min(DEEPEST, depth)}))
    done = {e.id for e in found}
    rest = [e for e in state.entries if e.id not in done and not e.section]
    kept = [e for e in state.entries if e.section and e.id not in done and any(r.depth > e.depth for r in rest)]
    return state.model_copy(update={"entries": tuple(_with_labels([*found, *kept, *rest])), "last": last})


def tell(state: BundleState, entry_id: int, told: Mapping[str, Any]) -> BundleState:
    """An entry with another title, date, label, depth, or place within another's pages."""
    at = _place(state, entry_id)
    entry = Entry.model_validate({**state.entries[at].model_dump(), **told})
    return state.model_copy(update={"entries": (*state.entries[:at], entry, *state.entries[at + 1 :])})


def keep(state: BundleState, plan: Plan) -> BundleState:
    """All numbers and counts as they are now stay from now on; those that were given to what is gone are not lost."""
    known = given(state)
    now = {(state.entries[s.entry].id, s.page): s.number for s in plan.sheets if s.number is not None}
    numbers = tuple(KeptNumber(entry=e, page=p, number=n) for (e, p), n in {**known, **now}.items() if n is not None)
    labels = entry_labels(state.entries)
    entries = tuple(
        e if e.section or e.label else e.model_copy(update={"counted": label})
        for e, label in zip(state.entries, labels, strict=True)
    )
    return state.model_copy(update={"numbers": numbers, "entries": entries})


def keeps(state: BundleState) -> bool:
    """Whether late pages get numbers between those that are kept."""
    return bool(state.numbers) and state.rules.late is LateRule.LETTERS


def number_anew(state: BundleState) -> BundleState:
    """As if nothing had been numbered yet."""
    entries = tuple(e.model_copy(update={"counted": ""}) for e in state.entries)
    return state.model_copy(update={"numbers": (), "entries": entries})


def turned(now: BundleState, left: BundleState, wanted: BundleState) -> BundleState:
    """The state after a step, from `left` to `wanted`, is taken back or again.

    Numbers that were kept by a delivery meanwhile stay, unless the step itself was about numbers.
    """
    last = max(now.last, wanted.last)
    if left.numbers != wanted.numbers:
        return wanted.model_copy(update={"last": last})
    counts = {e.id: e.counted for e in now.entries}
    entries = tuple(e.model_copy(update={"counted": counts.get(e.id, e.counted)}) for e in wanted.entries)
    return wanted.model_copy(update={"entries": entries, "numbers": now.numbers, "last": last})


def _place(state: BundleState, entry_id: int) -> int:
    at = next((i for i, e in enumerate(state.entries) if e.id == entry_id), None)
    if at is None:
        raise NotSo(f"There is no entry {entry_id} in the bundle.")
    return at
