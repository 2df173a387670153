"""What the files of a bundle are made from: the order of its sheets, the index, the list of changes."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from hyalen.core.bundling.arranging import given
from hyalen.core.bundling.changes import ChangeKind, Changes, Issue, changes, issue_of
from hyalen.core.bundling.plan import Inside, Plan, Sheet, SheetKind, plan
from hyalen.core.bundling.volumes import Volume
from hyalen.core.decisions.ink import Lay
from hyalen.core.formats.bundle_pdf import BundleMark, BundleOrder, BundlePart, BundleSheet
from hyalen.core.formats.pdf_marks import PageMark
from hyalen.core.model.bundle import MarkKind
from hyalen.core.model.content import PageContent, Word
from hyalen.core.model.front import FrontRow, FrontTable
from hyalen.core.model.geometry import Box, union
from hyalen.store.bundles import BundleRecord, Mark
from hyalen.store.store import Store

CALLED = {
    ChangeKind.PUT_IN: "Put in",
    ChangeKind.TAKEN_OUT: "Taken out",
    ChangeKind.LATE: "Late pages",
    ChangeKind.CHANGED: "Changed",
    ChangeKind.RENUMBERED: "Numbered anew",
    ChangeKind.PAGES_GONE: "Pages taken out",
    ChangeKind.SAYS_ELSE: "Index entry changed",
    ChangeKind.MOVED: "Moved",
}
WITHIN = 0.5  # of a word's box in what was marked: then it belongs to it


class View(NamedTuple):
    """A bundle as it is now."""

    bundle: BundleRecord
    inside: list[Inside]
    plan: Plan


class Ready(NamedTuple):
    """What the documents were made to: the path of each one's part, or why there is none; and what is to be known."""

    paths: Mapping[int, str]
    troubles: Mapping[int, str]
    sizes: Mapping[int, int]


def view_of(store: Store, bundle_id: int) -> View:
    bundle = store.bundles.bundle(bundle_id)
    inside = store.bundles.inside(bundle.state.entries)
    return View(bundle, inside, plan(bundle.state.entries, inside, bundle.state.rules, given(bundle.state)))


def issue_now(store: Store, view: View) -> Issue:
    pages = [sheet.page for sheet in view.plan.sheets if sheet.page]
    marks = store.bundles.page_marks(view.bundle.id, pages)
    return issue_of(view.plan, view.bundle.state.entries, marks)


def edition_of(view: View, issue: Issue) -> str:
    """Changes whenever anything that is delivered of a bundle does."""
    told = view.bundle.name + view.bundle.state.rules.model_dump_json() + issue.model_dump_json()
    return hashlib.sha256(told.encode("utf8")).hexdigest()


def changes_of(store: Store, view: View, issue: Issue) -> Changes | None:
    """What has changed since the bundle was delivered; None where it never was."""
    before = store.bundles.issue(view.bundle.id)
    places = [at for at, sheet in enumerate(view.plan.sheets) if sheet.number is not None]
    return None if before is None else changes(before, issue, places)


def index_table(view: View, volumes: Sequence[Volume] = (), volume: int = 0) -> FrontTable:
    """The index; in one of several volumes it leads to what is in that."""
    words = view.bundle.state.rules.words
    several = len(volumes) > 1
    heads = [words.number, words.title, words.date, *([words.volume] if several else []), words.page]
    here = volumes[volume] if volumes else Volume(0, len(view.plan.sheets))
    rows = []
    for row in view.plan.rows:
        within = here.first <= row.sheet < here.end
        number = next((i for i, v in enumerate(volumes, 1) if v.first <= row.sheet < v.end), 0)
        told = [str(number) if number else ""] if several else []
        rows.append(
            FrontRow(
                cells=(row.label, row.title, row.date, *told, row.first),
                depth=row.depth,
                bold=row.section,
                sheet=row.sheet - here.first if within else -1,
            )
        )
    notes = [view.bundle.name]
    if several:
        labels = [s.label for s in view.plan.sheets[here.first : here.end] if s.label]
        notes.append(f"{words.volume} {volume + 1} / {len(volumes)}: {labels[0]} – {labels[-1]}" if labels else "")
    return FrontTable(
        heading=words.heading, notes=tuple(filter(None, notes)), heads=tuple(heads), rows=tuple(rows),
        numbers=len(heads) - 1,
    )  # fmt: skip


def changes_table(found: Changes, view: View) -> FrontTable:
    """What a supplement brings."""
    first = {s.entry: place for place, s in reversed([*enumerate(view.plan.sheets[at] for at in found.sheets)])}
    places = {view.bundle.state.entries[entry].id: place for entry, place in first.items()}
    rows = tuple(
        FrontRow(cells=(CALLED[c.kind], c.title, c.before, c.labels), sheet=places.get(c.entry, -1) if c.labels else -1)
        for c in found.told
    )
    return FrontTable(
        heading="Supplement",
        notes=(view.bundle.name, "What has changed since the bundle was last delivered."),
        heads=("Change", "Document", "Before", "Pages"),
        rows=rows,
        numbers=3,
    )


def pdf_order(view: View, ready: Ready, front: Sequence[FrontTable], which: Sequence[int], title: str) -> BundleOrder:
    """The order of a PDF of some of the sheets, by their places in the plan."""
    rules, entries = view.bundle.state.rules, view.bundle.state.entries
    at_page = {page: at for each in view.inside for at, page in enumerate(each.pages)}
    with_part = [
        e for e in dict.fromkeys(view.plan.sheets[i].entry for i in which) if entries[e].document_id in ready.paths
    ]
    part_of = {entry: at for at, entry in enumerate(with_part)}
    titles = {row.entry: row.title for row in view.plan.rows}
    parts = tuple(BundlePart(path=ready.paths[entries[e].document_id or 0], title=titles[e]) for e in with_part)
    sheets = tuple(_sheet(view, ready, view.plan.sheets[i], part_of, at_page, titles) for i in which)
    return BundleOrder(
        title=title,
        language=rules.language,
        front=tuple(front),
        sheets=sheets,
        parts=parts,
        bookmarks=tuple(_bookmarks(view, which, part_of)),
        right_hand=rules.right_hand,
        stamp=rules.place if rules.stamped else None,
        size=rules.size,
        blank=rules.words.blank,
    )


def _sheet(
    view: View, ready: Ready, sheet: Sheet, part_of: Mapping[int, int], at_page: Mapping[int, int],
    titles: Mapping[int, str],
) -> BundleSheet:  # fmt: skip
    if sheet.kind is SheetKind.BLANK:
        return BundleSheet(kind=sheet.kind)
    if sheet.kind is SheetKind.PAGE and sheet.entry in part_of:
        return BundleSheet(kind=sheet.kind, part=part_of[sheet.entry], at=at_page[sheet.page], label=sheet.label)
    entry = view.bundle.state.entries[sheet.entry]
    why = ready.troubles.get(entry.document_id or 0) or view.inside[sheet.entry].trouble
    says = f"{titles[sheet.entry]}: this document could not be put in. {why}"
    return BundleSheet(kind=SheetKind.MISSING, label=sheet.label, says=says)


def _bookmarks(view: View, which: Sequence[int], part_of: Mapping[int, int]) -> list[BundleMark]:
    """One for each entry that has a sheet here; a section leads to the first of its own."""
    first: dict[int, int] = {}
    for place, at in enumerate(which):
        if view.plan.sheets[at].kind is not SheetKind.BLANK:
            first.setdefault(view.plan.sheets[at].entry, place)
    rows = view.plan.rows
    found = []
    for at, row in enumerate(rows):
        end = (
            next((i for i in range(at + 1, len(rows)) if rows[i].depth <= row.depth), len(rows))
            if row.section
            else at + 1
        )
        leads = min((first[r.entry] for r in rows[at:end] if r.entry in first), default=-1)
        if leads < 0:
            continue
        title = " ".join(filter(None, (row.label if row.section else "", row.title)))
        found.append(BundleMark(title=title, depth=row.depth, sheet=leads, part=part_of.get(row.entry, -1)))
    return found


def page_marks(store: Store, marks: Mapping[int, Sequence[Mark]], pages: Sequence[int]) -> dict[int, list[PageMark]]:
    """Marks by the place of their page, where they are on it as it is now."""
    found: dict[int, list[PageMark]] = {}
    for at, page_id in enumerate(pages):
        if page_id not in marks:
            continue
        page, content = store.pages.page(page_id), store.pages.content(page_id)
        if content is None:
            continue
        lay = Lay(page.cleaned)
        found[at] = [placed_mark(mark, lay, content) for mark in marks[page_id]]
    return found


def placed_mark(mark: Mark, lay: Lay, content: PageContent) -> PageMark:
    """A mark on a page; one over words goes with them."""
    boxes = [lay.box(place) for place in mark.places]
    text = mark.text
    if mark.kind in (MarkKind.HIGHLIGHT, MarkKind.SIDELINE):
        lines = [
            words
            for region in content.everything
            for line in region.all_lines
            if (words := [w for w in line.words if any(_is_in(w, box) for box in boxes)])
        ]
        if lines:
            boxes = [union(w.box for w in words) for words in lines]
            text = text or " ".join(w.text for words in lines for w in words)
    whole = Box(0, 0, content.width, content.height)
    inside = [box.intersection(whole) for box in boxes]
    kept = [box for box in inside if box.width > 0 and box.height > 0] or [Box(0, 0, 1, 1)]
    return PageMark(mark.kind, kept, mark.colour, mark.name, text)


def _is_in(word: Word, box: Box) -> bool:
    return box.covers(word.box, WITHIN)
