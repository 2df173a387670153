"""Bundles: put in order, numbered, marked, made."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Query, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse

from hyalen.core.bundling import arranging
from hyalen.core.bundling.lists import Known, read_list
from hyalen.core.bundling.plan import SheetKind
from hyalen.core.decisions.ink import Lay
from hyalen.core.model.bundle import BundleRules, BundleState, Entry, MarkKind
from hyalen.core.model.text import fit
from hyalen.core.proofing.search import MOST_OF_A_PATTERN, PatternError, Sought, Way
from hyalen.store.bundles import BundleFile, BundleWish, Mark
from hyalen.store.search import Found, Scope
from hyalen.web.bundle_schemas import (
    BundleEntry,
    BundleFileMade,
    BundleHit,
    BundleHits,
    BundleName,
    BundleSheetTold,
    BundleSummary,
    BundleTold,
    BundleWanted,
    BundleWork,
    ChangeTold,
    EntriesToPutIn,
    EntriesToTakeOut,
    EntryOrder,
    EntryTold,
    HitsToMark,
    ListTold,
    MarkChange,
    MarksMade,
    MarkTold,
    MarkToMake,
    NewBundle,
    OfBundle,
    RulesTold,
    SortedBy,
)
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import Id
from hyalen.web.services import Given, Services
from hyalen.web.uploads import FILE, described, only_file
from hyalen.work.bundle_orders import CALLED, View, changes_of, edition_of, issue_now, placed_mark, view_of

router = APIRouter(tags=["bundles"])
LARGEST_LIST = 20_000_000  # bytes
MOST_HITS = 200  # in one answer
MOST_MARKED = 20_000  # hits that are marked at once
LIST = described("file", file=FILE)
MEDIA = {
    "pdf": "application/pdf",
    "supplement": "application/pdf",
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}


@router.get("/bundles")
def all_bundles(given: Given) -> list[BundleSummary]:
    return [
        BundleSummary(
            id=b.id, name=b.name, created=b.created, issued=b.issued,
            documents=sum(not e.section for e in b.state.entries),
        )
        for b in given.store.bundles.all()
    ]  # fmt: skip


@router.post("/bundles", status_code=201)
def add_bundle(wanted: NewBundle, given: Given) -> BundleTold:
    return _told(given, given.store.bundles.add(wanted.name, BundleRules(language=wanted.language)))


@router.get("/bundles/{bundle_id}")
def bundle(bundle_id: Id, given: Given) -> BundleTold:
    return _told(given, bundle_id)


@router.put("/bundles/{bundle_id}/name")
def rename(bundle_id: Id, wanted: BundleName, given: Given) -> BundleTold:
    given.store.bundles.rename(bundle_id, wanted.name)
    return _told(given, bundle_id)


@router.delete("/bundles/{bundle_id}", status_code=204)
def delete_bundle(bundle_id: Id, given: Given) -> None:
    """A bundle with its marks and files; its documents stay in their batches."""
    given.bundling.cancel(bundle_id)
    given.store.delete_bundle(bundle_id)


# Order


@router.post("/bundles/{bundle_id}/entries")
def put_in(bundle_id: Id, wanted: EntriesToPutIn, given: Given) -> BundleTold:
    """Put in documents of any batch, or a section; what is in already stays where it is."""
    entries = [Entry(id=0, section=True, title=wanted.section)] if wanted.section else []
    for document_id in wanted.documents:
        document = given.store.documents.document(document_id)
        known = document.title or document.source_name
        entries.append(Entry(id=0, document_id=document.id, known_as=known[:500], after_page=wanted.after_page))
    if not entries:
        raise BadRequest("Nothing to put in", "Neither documents nor a section are named.")
    label = "section begun" if wanted.section else "documents put in"
    return _change(given, bundle_id, wanted, label, lambda s: arranging.put_in(s, entries, wanted.behind))


@router.post("/bundles/{bundle_id}/entries-out")
def take_out(bundle_id: Id, wanted: EntriesToTakeOut, given: Given) -> BundleTold:
    return _change(given, bundle_id, wanted, "entries taken out", lambda s: arranging.take_out(s, wanted.entries))


@router.put("/bundles/{bundle_id}/order")
def order_entries(bundle_id: Id, wanted: EntryOrder, given: Given) -> BundleTold:
    order = [(e.id, e.depth) for e in wanted.entries]
    return _change(given, bundle_id, wanted, "entries moved", lambda s: arranging.arrange(s, order))


@router.post("/bundles/{bundle_id}/sort")
def sort_entries(bundle_id: Id, wanted: SortedBy, given: Given) -> BundleTold:
    """Put the documents of each section in order."""
    how = arranging.by_date if wanted.by == "date" else arranging.by_title
    label = f"ordered by {wanted.by}"
    return _change(given, bundle_id, wanted, label, lambda s: how(s, given.store.bundles.inside(s.entries)))


@router.post("/bundles/{bundle_id}/list", openapi_extra=LIST)
async def order_by_list(bundle_id: Id, request: Request, given: Given) -> ListTold:
    """Put documents in the order of a CSV file, which names them by their files."""
    given.store.bundles.bundle(bundle_id)
    data = await only_file(request, LARGEST_LIST)
    return await run_in_threadpool(_listed, given, bundle_id, data)


def _listed(given: Services, bundle_id: int, data: bytes) -> ListTold:
    names = {b.batch.id: b.batch.name for b in given.store.documents.batches()}
    known = [
        Known(d.id, d.source_name, name, d.title)
        for batch_id, name in names.items()
        for d in given.store.documents.of_batch(batch_id)
    ]
    try:
        found = read_list(data, known)
    except ValueError as error:
        raise BadRequest("No list", f"The list cannot be read: {error}.") from error
    given.store.bundles.change(bundle_id, None, "ordered by a list", lambda s: arranging.listed(s, found.entries))
    return ListTold(entries=len(found.entries), unused=found.unused)


@router.put("/bundles/{bundle_id}/entries/{entry_id}")
def tell_entry(bundle_id: Id, entry_id: Id, wanted: EntryTold, given: Given) -> BundleTold:
    """Another title, date or label for the index, "" for the document's own; a place within another's pages, 0 for none."""
    told: dict[str, Any] = wanted.model_dump(exclude={"revision"}, exclude_none=True)
    if told.get("after_page") == 0:
        told["after_page"] = None
    return _change(given, bundle_id, wanted, "entry changed", lambda s: arranging.tell(s, entry_id, told))


@router.put("/bundles/{bundle_id}/rules")
def set_rules(bundle_id: Id, wanted: RulesTold, given: Given) -> BundleTold:
    return _change(given, bundle_id, wanted, "rules changed", lambda s: s.model_copy(update={"rules": wanted.rules}))


@router.post("/bundles/{bundle_id}/keep-numbers")
def keep_numbers(bundle_id: Id, wanted: OfBundle, given: Given) -> BundleTold:
    """All numbers as they are now stay; pages that come later get numbers between them."""
    plan = view_of(given.store, bundle_id).plan
    return _change(given, bundle_id, wanted, "numbers kept", lambda s: arranging.keep(s, plan))


@router.post("/bundles/{bundle_id}/number-anew")
def number_anew(bundle_id: Id, wanted: OfBundle, given: Given) -> BundleTold:
    return _change(given, bundle_id, wanted, "numbered anew", arranging.number_anew)


@router.post("/bundles/{bundle_id}/undo")
def undo(bundle_id: Id, given: Given) -> BundleTold:
    return _turned(given, bundle_id, True)


@router.post("/bundles/{bundle_id}/redo")
def redo(bundle_id: Id, given: Given) -> BundleTold:
    return _turned(given, bundle_id, False)


def _turned(given: Services, bundle_id: int, back: bool) -> BundleTold:
    given.store.bundles.bundle(bundle_id)
    if not given.store.bundles.turn(bundle_id, back):
        raise BadRequest("Nothing to do", f"There is nothing to {'undo' if back else 'do again'}.", 409)
    return _told(given, bundle_id)


def _change(given: Services, bundle_id: int, of: OfBundle, label: str, how: Any) -> BundleTold:
    def made(state: BundleState) -> BundleState:
        try:
            changed: BundleState = how(state)
        except ValueError as error:
            raise BadRequest("It cannot be done", fit(str(error)), 409) from error
        return changed

    given.store.bundles.change(bundle_id, of.revision, label, made)
    return _told(given, bundle_id)


# What it is


@router.get("/bundles/{bundle_id}/sheets")
def sheets(bundle_id: Id, given: Given) -> list[BundleSheetTold]:
    """The sheets in order, without the index."""
    view = view_of(given.store, bundle_id)
    entries = view.bundle.state.entries
    return [
        BundleSheetTold(
            kind=s.kind, entry=entries[s.entry].id, page=s.page, document=entries[s.entry].document_id, label=s.label
        )
        for s in view.plan.sheets
    ]


@router.get("/bundles/{bundle_id}/changes")
def changed_since(bundle_id: Id, given: Given) -> list[ChangeTold]:
    """What has changed since the bundle was delivered."""
    view = view_of(given.store, bundle_id)
    found = changes_of(given.store, view, issue_now(given.store, view))
    if found is None:
        return []
    entries = view.bundle.state.entries
    first: dict[tuple[int, str], int] = {}
    for at in found.sheets:
        first.setdefault((entries[view.plan.sheets[at].entry].id, ""), at)
    return [
        ChangeTold(
            kind=c.kind, says=CALLED[c.kind], title=c.title, before=c.before, labels=c.labels,
            sheet=first.get((c.entry, ""), -1),
        )
        for c in found.told
    ]  # fmt: skip


@router.get("/bundles/{bundle_id}/search")
def search_bundle(
    bundle_id: Id,
    given: Given,
    text: Annotated[str, Query(max_length=MOST_OF_A_PATTERN)],
    way: Way = Way.PART,
    exact: bool = False,
    first: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    limit: Annotated[int, Query(ge=0, le=MOST_HITS)] = 50,
) -> BundleHits:
    """Places in all of the bundle's documents, in its order."""
    view = view_of(given.store, bundle_id)
    found = _found(given, view, Sought(text=text, way=way, exact=exact))
    at = _places(view)
    hits = sorted((hit for hit in found.hits if hit.page_id in at), key=lambda h: at[h.page_id])
    entries = view.bundle.state.entries
    told = []
    for hit in hits[first : first + limit]:
        sheet = view.plan.sheets[at[hit.page_id]]
        told.append(
            BundleHit(
                sheet=at[hit.page_id], label=sheet.label, page=hit.page_id, entry=entries[sheet.entry].id,
                before=hit.before, found=hit.found, after=hit.after, boxes=[span.box for span in hit.words],
            )
        )  # fmt: skip
    return BundleHits(total=len(hits), hits=told)


def _found(given: Services, view: View, sought: Sought) -> Found:
    documents = frozenset(e.document_id for e in view.bundle.state.entries if e.document_id is not None)
    try:
        return given.store.search.find(sought, Scope(documents=documents), 0, MOST_MARKED)
    except PatternError as error:
        raise BadRequest("Not found", f"{error}.") from error


def _places(view: View) -> dict[int, int]:
    """The places of the sheets of pages."""
    return {s.page: at for at, s in enumerate(view.plan.sheets) if s.kind is SheetKind.PAGE}


# Marks


@router.get("/bundles/{bundle_id}/marks")
def marks(bundle_id: Id, given: Given) -> list[MarkTold]:
    """In the order of the sheets; those of pages that are not in the bundle are left out."""
    return _marks_told(given, view_of(given.store, bundle_id), given.store.bundles.marks(bundle_id))


@router.get("/bundles/{bundle_id}/pages/{page_id}/marks")
def marks_of_page(bundle_id: Id, page_id: Id, given: Given) -> list[MarkTold]:
    found = [m for m in given.store.bundles.marks(bundle_id) if m.page_id == page_id]
    return _marks_told(given, view_of(given.store, bundle_id), found)


def _marks_told(given: Services, view: View, found: Sequence[Mark]) -> list[MarkTold]:
    at = _places(view)
    told = []
    for mark in sorted((m for m in found if m.page_id in at), key=lambda m: (at[m.page_id], m.id)):
        page, content = given.store.pages.page(mark.page_id), given.store.pages.content(mark.page_id)
        if content is None:
            continue
        placed = placed_mark(mark, Lay(page.cleaned), content)
        told.append(
            MarkTold(
                id=mark.id, page=mark.page_id, sheet=at[mark.page_id], label=view.plan.sheets[at[mark.page_id]].label,
                kind=mark.kind, boxes=list(placed.boxes), colour=mark.colour, name=mark.name, text=placed.text,
            )
        )  # fmt: skip
    return told


@router.post("/bundles/{bundle_id}/marks", status_code=201)
def make_mark(bundle_id: Id, wanted: MarkToMake, given: Given) -> MarksMade:
    page = given.store.pages.page(wanted.page)
    content = given.store.pages.content(wanted.page)
    if content is None:
        raise BadRequest("Not read yet", "The page has not been read yet.", 409)
    if any(b.width <= 0 or b.height <= 0 for b in wanted.boxes):
        raise BadRequest("No such place", "A mark has a place on the page.")
    lay = Lay(page.cleaned)
    places = [lay.corners(box) for box in wanted.boxes]
    mark = Mark(0, bundle_id, wanted.page, wanted.kind, places, wanted.colour, wanted.name, wanted.text)
    return MarksMade(made=len(given.store.bundles.add_marks(bundle_id, [mark])))


@router.post("/bundles/{bundle_id}/marks-of-hits", status_code=201)
def mark_hits(bundle_id: Id, wanted: HitsToMark, given: Given) -> MarksMade:
    """Highlight each place where a text stands."""
    view = view_of(given.store, bundle_id)
    found = _found(given, view, Sought(text=wanted.text, way=wanted.way, exact=wanted.exact))
    at = _places(view)
    made: list[Mark] = []
    lays: dict[int, Lay] = {}
    for hit in found.hits:
        if hit.page_id not in at or not hit.words:
            continue
        if hit.page_id not in lays:
            lays[hit.page_id] = Lay(given.store.pages.page(hit.page_id).cleaned)
        places = [lays[hit.page_id].corners(span.box) for span in hit.words]
        made.append(Mark(0, bundle_id, hit.page_id, MarkKind.HIGHLIGHT, places, wanted.colour, wanted.name, ""))
    return MarksMade(made=len(given.store.bundles.add_marks(bundle_id, made)))


@router.put("/bundles/{bundle_id}/marks/{mark_id}", status_code=204)
def tell_mark(bundle_id: Id, mark_id: Id, wanted: MarkChange, given: Given) -> None:
    given.store.bundles.tell_mark(bundle_id, mark_id, wanted.colour, wanted.name, wanted.text)


@router.delete("/bundles/{bundle_id}/marks", status_code=204)
def take_marks(bundle_id: Id, given: Given, mark: Annotated[list[Id], Query(min_length=1, max_length=2_000)]) -> None:
    given.store.bundles.bundle(bundle_id)
    given.store.bundles.take_marks(bundle_id, mark)


# Files


@router.post("/bundles/{bundle_id}/orders", status_code=202)
def make(bundle_id: Id, wanted: BundleWanted, given: Given) -> BundleTold:
    """Have files made; one order at a time."""
    view = view_of(given.store, bundle_id)
    if not view.plan.sheets:
        raise BadRequest("Nothing to deliver", "The bundle has no documents yet.", 409)
    task = given.store.bundles.task_of(bundle_id)
    if task is not None and task.state in ("waiting", "running"):
        raise BadRequest("Being made", "The bundle is being made; stop that first.", 409)
    for entry in view.bundle.state.entries:
        if entry.document_id is not None and given.store.tasks.unread_pages(entry.document_id):
            raise BadRequest("Not read yet", f"{entry.known_as} is still being read; deliver it afterwards.", 409)
    if "supplement" in wanted.kinds and given.store.bundles.issue(bundle_id) is None:
        raise BadRequest("Nothing to add to", "A supplement says what has changed since the bundle was delivered.", 409)
    wish = BundleWish(
        kinds=tuple(dict.fromkeys(wanted.kinds)), most_pages=wanted.most_pages,
        most_bytes=round(wanted.most_megabytes * 1_000_000), made_by=wanted.made_by,
    )  # fmt: skip
    given.bundling.ask_for(bundle_id, wish)
    return _told(given, bundle_id)


@router.delete("/bundles/{bundle_id}/orders")
def stop_making(bundle_id: Id, given: Given) -> BundleTold:
    given.bundling.cancel(bundle_id)
    return _told(given, bundle_id)


@router.get("/bundle-files/{file_id}/file", response_class=FileResponse)
def bundle_file(file_id: Id, given: Given) -> FileResponse:
    found = given.store.bundles.file(file_id)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(found.name)}"}
    return FileResponse(given.store.blobs.path(found.blob), media_type=MEDIA[found.kind], headers=headers)


@router.delete("/bundle-files/{file_id}", status_code=204)
def forget_bundle_file(file_id: Id, given: Given) -> None:
    given.store.forget_bundle_file(file_id)


# Telling


def _told(given: Services, bundle_id: int) -> BundleTold:
    store = given.store
    view = view_of(store, bundle_id)
    state, plan = view.bundle.state, view.plan
    issue = issue_now(store, view)
    edition = edition_of(view, issue)
    changed = changes_of(store, view, issue)
    undo, redo = store.bundles.steps(bundle_id)
    return BundleTold(
        id=view.bundle.id,
        name=view.bundle.name,
        revision=view.bundle.revision,
        rules=state.rules,
        entries=_entries(given, view),
        pages=sum(s.number is not None for s in plan.sheets),
        blanks=sum(s.kind is SheetKind.BLANK for s in plan.sheets),
        kept=arranging.keeps(state),
        issued=view.bundle.issued,
        changed=len(changed.told) if changed else 0,
        trouble=plan.trouble,
        undo=undo,
        redo=redo,
        work=_work(given, bundle_id),
        files=[_file(f, edition) for f in store.bundles.files(bundle_id)],
        marks=len(store.bundles.marks(bundle_id)),
    )


def _entries(given: Services, view: View) -> list[BundleEntry]:
    batches = given.store.bundles.batches_of([e.document_id for e in view.bundle.state.entries if e.document_id])
    return [
        BundleEntry(
            id=entry.id, section=entry.section, document=entry.document_id if not inside.trouble or inside.name else None,
            batch=batches.get(entry.document_id or 0), depth=entry.depth, label=row.label, title=row.title, date=row.date,
            own_label=entry.label, own_title=entry.title, own_date=entry.date, file=inside.name, pages=row.pages,
            first=row.first, last=row.last, sheet=row.sheet, after_page=entry.after_page, trouble=inside.trouble,
        )
        for entry, inside, row in zip(view.bundle.state.entries, view.inside, view.plan.rows, strict=True)
    ]  # fmt: skip


def _work(given: Services, bundle_id: int) -> BundleWork | None:
    task = given.store.bundles.task_of(bundle_id)
    if task is None or task.state == "done":
        return None
    at = given.bundling.progress(bundle_id)
    return BundleWork(
        state=task.state, reason=task.reason, phase=at.phase, done=at.done, total=at.total, kinds=list(task.wish.kinds)
    )


def _file(file: BundleFile, edition: str) -> BundleFileMade:
    return BundleFileMade(
        id=file.id, name=file.name, kind=file.kind, volume=file.volume, pages=file.pages, size=file.size, made=file.made,
        made_by=file.made_by, current=file.edition == edition, remarks=file.remarks,
    )  # fmt: skip


@router.get("/bundles/{bundle_id}/work")
def work(bundle_id: Id, given: Given) -> BundleWork | None:
    """How far what is being made is."""
    given.store.bundles.bundle(bundle_id)
    return _work(given, bundle_id)
