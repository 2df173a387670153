"""Cleaning: previews, treatments for one page or many, named treatments, and the order of pages."""

from __future__ import annotations

from fastapi import APIRouter

from hyalen.core.imaging.margins import even_frame
from hyalen.core.model.treatment import Patch, Switch, Treatment, Trim, Turn, for_other_pages
from hyalen.store.records import NotFound, PageRecord
from hyalen.store.store import Store
from hyalen.web.answers import document_of
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import (
    Document,
    Id,
    Margins,
    NamedTreatment,
    NewNamedTreatment,
    Order,
    PagesChosen,
    Patches,
    PatchWanted,
    Preview,
    PreviewWanted,
    Started,
    TreatmentChange,
    TurnPages,
)
from hyalen.web.services import Given, Services
from hyalen.work.foreman import Event
from hyalen.work.preview import Shown, show
from hyalen.work.preview import patches as find_patches

router = APIRouter(tags=["treatments"])
SHOWING_SECONDS = 30.0  # of a processor; a page that takes longer is shown when it is cleaned


# One page


@router.post("/pages/{page_id}/preview")
def preview(page_id: Id, wanted: PreviewWanted, given: Given) -> Preview:
    """The page as the treatment would make it, at screen resolution; nothing is kept."""
    scan = given.scanned(given.store.pages.page(page_id))
    shown: Shown = given.showing.do(show, scan, wanted.treatment, wanted.view, seconds=SHOWING_SECONDS)
    return Preview(
        image=shown.data_url,
        width=shown.width,
        height=shown.height,
        dpi=shown.dpi,
        findings=list(shown.findings),
        applied=shown.applied,
    )


@router.post("/pages/{page_id}/patches")
def patches(page_id: Id, wanted: PatchWanted, given: Given) -> Patches:
    """What was drawn on the page, or a mark and its like, as patches to add to the treatment."""
    if len(wanted.outline) == 2:
        raise BadRequest("Not an area", "Two points enclose nothing; draw an area or point at a mark.")
    scan = given.scanned(given.store.pages.page(page_id))
    drawn = (wanted.treatment, wanted.outline, wanted.erase, wanted.alike)
    found: list[Patch] = given.showing.do(find_patches, scan, *drawn, seconds=SHOWING_SECONDS)
    return Patches(patches=found)


# Many pages


@router.put("/pages/{page_id}/treatment", status_code=202)
def treat(page_id: Id, change: TreatmentChange, given: Given) -> Started:
    """Clean again with another treatment, then read again; what was decided is kept."""
    store = given.store
    page = store.pages.page(page_id)
    count = 0
    with store.changing(page.document_id, change.revision):
        for document_id, page_ids in _chosen(store, page, change).items():
            wanted: dict[int, Treatment] = {}
            for each in page_ids:
                record = store.pages.page(each)
                if record.original_blob is not None:
                    own = each == page_id
                    wanted[each] = change.treatment if own else for_other_pages(change.treatment, record.treatment)
            count += _treated(given, document_id, wanted)
    return Started(tasks=count, revision=store.documents.document(page.document_id).revision)


@router.post("/documents/{document_id}/turn", status_code=202)
def turn(document_id: Id, wanted: TurnPages, given: Given) -> Started:
    """Quarter turns on top of how each page stands."""
    changes: dict[int, Treatment] = {}
    with given.store.changing(document_id, wanted.revision):
        for page in _of_document(given.store, document_id, wanted.pages):
            own = page.treatment
            now = own.turn.degrees if own.turn.switch is Switch.BY_HAND else page.cleaned.turn if page.cleaned else 0
            degrees = (now + wanted.degrees) % 360
            turned = Turn(switch=Switch.BY_HAND, degrees=degrees)  # type: ignore[arg-type]
            changes[page.id] = own.model_copy(update={"turn": turned})
        count = _treated(given, document_id, changes)
    return Started(tasks=count, revision=given.store.documents.document(document_id).revision)


@router.post("/documents/{document_id}/margins", status_code=202)
def margins(document_id: Id, wanted: Margins, given: Given) -> Started:
    """Give the pages one size with their content at one place, or let each keep its own."""
    with given.store.changing(document_id, wanted.revision):
        count = _treated(given, document_id, _evened(_of_document(given.store, document_id, wanted.pages), wanted.even))
    return Started(tasks=count, revision=given.store.documents.document(document_id).revision)


def _evened(pages: list[PageRecord], even: bool) -> dict[int, Treatment]:
    frame = even_frame([p.cleaned for p in pages if p.cleaned]) if even else None
    if even and frame is None:
        raise BadRequest("Nothing to even", "None of these pages is cleaned yet, or all are blank.")
    changes = {}
    for page in pages:
        trim = Trim(switch=page.treatment.trim.switch, box=page.treatment.trim.box, frame=frame)
        if trim != page.treatment.trim:
            changes[page.id] = page.treatment.model_copy(update={"trim": trim})
    return changes


def _treated(given: Services, document_id: int, changes: dict[int, Treatment]) -> int:
    """How many pages are cleaned again."""
    outcome = given.store.settings.treat(document_id, changes)
    if outcome.label:
        batch_id = given.store.documents.document(document_id).batch_id
        given.foreman.tell(Event("document", batch_id, document_id, state="treated"))
        given.foreman.wake()
    return len(changes) if outcome.label else 0


# Order


@router.put("/documents/{document_id}/order")
def order(document_id: Id, wanted: Order, given: Given) -> Document:
    with given.store.changing(document_id, wanted.revision):
        given.store.settings.arrange(document_id, wanted.pages)
    return document_of(given.store, document_id)


@router.post("/documents/{document_id}/pages/remove")
def remove(document_id: Id, wanted: PagesChosen, given: Given) -> Document:
    """Take pages out of the document; they can be put back."""
    with given.store.changing(document_id, wanted.revision):
        given.store.settings.take_out(document_id, wanted.pages)
    return document_of(given.store, document_id)


@router.post("/documents/{document_id}/pages/restore")
def restore(document_id: Id, wanted: PagesChosen, given: Given) -> Document:
    with given.store.changing(document_id, wanted.revision):
        given.store.settings.put_back(document_id, wanted.pages)
    given.foreman.wake()
    return document_of(given.store, document_id)


# Named treatments


@router.get("/treatments")
def named(given: Given) -> list[NamedTreatment]:
    return [NamedTreatment(id=n.id, name=n.name, treatment=n.treatment) for n in given.store.treatments.all()]


@router.post("/treatments", status_code=201)
def save_named(new: NewNamedTreatment, given: Given) -> NamedTreatment:
    """Keep a treatment under a name; what is one page's own is left out. A taken name is refused with 409."""
    treatment = for_other_pages(new.treatment, Treatment())
    number = given.store.treatments.save(new.name.strip(), treatment, new.replace)
    return NamedTreatment(id=number, name=new.name.strip(), treatment=treatment)


@router.delete("/treatments/{treatment_id}", status_code=204)
def delete_named(treatment_id: Id, given: Given) -> None:
    given.store.treatments.delete(treatment_id)


def _chosen(store: Store, page: PageRecord, change: TreatmentChange) -> dict[int, list[int]]:
    """Page ids by document."""
    document_id = page.document_id
    if change.pages == "document":
        return {document_id: store.pages.ids(document_id)}
    if change.pages == "batch":
        batch_id = store.documents.document(document_id).batch_id
        return {d.id: store.pages.ids(d.id) for d in store.documents.of_batch(batch_id)}
    if change.pages == "selection":
        wanted = set(change.selection)
        return {document_id: [p for p in store.pages.ids(document_id) if p in wanted]}
    return {document_id: [page.id]}


def _of_document(store: Store, document_id: int, page_ids: list[int]) -> list[PageRecord]:
    store.documents.document(document_id)
    pages = [store.pages.page(p) for p in store.pages.ids(document_id) if p in set(page_ids)]
    if not pages:
        raise NotFound("None of these pages is in the document.")
    return [p for p in pages if p.original_blob]
