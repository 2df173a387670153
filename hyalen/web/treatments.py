"""Cleaning: previews, treatments for one page or many, named treatments, and the order of pages."""

from __future__ import annotations

from fastapi import APIRouter

from hyalen.core.imaging.margins import even_frame
from hyalen.core.model.treatment import (
    Cleaned,
    Split,
    Switch,
    Treatment,
    Trim,
    Turn,
    for_other_pages,
)
from hyalen.store.database import Row
from hyalen.store.store import NotFound, Store
from hyalen.web.documents import document_of
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import (
    Document,
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

router = APIRouter(tags=["treatments"])


# One page


@router.post("/pages/{page_id}/preview")
def preview(page_id: int, wanted: PreviewWanted, given: Given) -> Preview:
    """The page as the treatment would make it, at screen resolution; nothing is kept."""
    shown = given.previews.show(page_id, wanted.treatment, wanted.view)
    return Preview(
        image=shown.data_url,
        width=shown.width,
        height=shown.height,
        dpi=shown.dpi,
        findings=list(shown.findings),
        applied=shown.applied,
    )


@router.post("/pages/{page_id}/patches")
def patches(page_id: int, wanted: PatchWanted, given: Given) -> Patches:
    """What was drawn on the page, or a mark and its like, as patches to add to the treatment."""
    if len(wanted.outline) == 2:
        raise BadRequest("Not an area", "Two points enclose nothing; draw an area or point at a mark.")
    found = given.previews.patches(page_id, wanted.treatment, wanted.outline, wanted.erase, wanted.alike)
    return Patches(patches=found)


# Many pages


@router.put("/pages/{page_id}/treatment", status_code=202)
def treat(page_id: int, change: TreatmentChange, given: Given) -> Started:
    """Clean again with another treatment, then read again; settled words are kept."""
    store = given.store
    page = store.page(page_id)
    chosen = _chosen(store, page, change)
    count = 0
    for document_id, page_ids in chosen.items():
        wanted: dict[int, Treatment] = {}
        for each in page_ids:
            row = store.page(each)
            if row["original_blob"] is None or row["removed_from"] is not None:
                continue  # the other half of a spread may just have been joined to the first
            own = Treatment.model_validate_json(row["treatment"])
            treatment = change.treatment if each == page_id else for_other_pages(change.treatment, own)
            wanted |= _with_other_half(store, row, treatment)
        count += store.arrangement.set_treatments(document_id, wanted)
        given.foreman.tell(Event("document", store.document(document_id)["batch_id"], document_id, state="treated"))
    given.foreman.wake()
    return Started(tasks=count)


@router.post("/documents/{document_id}/treatments/undo", status_code=202)
def take_back(document_id: int, given: Given) -> Started:
    """Back to the treatments before the last change."""
    pages = given.store.arrangement.take_back_treatment(document_id)
    given.foreman.wake()
    return Started(tasks=len(pages))


@router.post("/documents/{document_id}/turn", status_code=202)
def turn(document_id: int, wanted: TurnPages, given: Given) -> Started:
    """Quarter turns on top of how each page stands."""
    changes: dict[int, Treatment] = {}
    for row in _of_document(given.store, document_id, wanted.pages):
        own = Treatment.model_validate_json(row["treatment"])
        now = own.turn.degrees if own.turn.switch is Switch.BY_HAND else _cleaned(row).turn if row["cleaned"] else 0
        degrees = (now + wanted.degrees) % 360
        turned = own.model_copy(update={"turn": Turn(switch=Switch.BY_HAND, degrees=degrees)})  # type: ignore[arg-type]
        changes |= _with_other_half(given.store, row, turned)
    return _changed(given, document_id, changes)


@router.post("/documents/{document_id}/margins", status_code=202)
def margins(document_id: int, wanted: Margins, given: Given) -> Started:
    """Give the pages one size with their content at one place, or let each keep its own."""
    rows = _of_document(given.store, document_id, wanted.pages)
    frame = even_frame([_cleaned(r) for r in rows if r["cleaned"]]) if wanted.even else None
    if wanted.even and frame is None:
        raise BadRequest("Nothing to even", "None of these pages is cleaned yet, or all are blank.")
    changes = {}
    for row in rows:
        own = Treatment.model_validate_json(row["treatment"])
        trim = Trim(switch=own.trim.switch, box=own.trim.box, frame=frame)
        if trim != own.trim:
            changes[row["id"]] = own.model_copy(update={"trim": trim})
    return _changed(given, document_id, changes)


# Order


@router.put("/documents/{document_id}/order")
def order(document_id: int, wanted: Order, given: Given) -> Document:
    given.store.document(document_id)
    try:
        given.store.arrangement.arrange(document_id, wanted.pages)
    except ValueError as error:
        raise BadRequest("The pages have changed", str(error), 409) from error
    return _rearranged(given, document_id)


@router.post("/documents/{document_id}/pages/remove")
def remove(document_id: int, wanted: PagesChosen, given: Given) -> Document:
    """Take pages out of the document; they can be put back."""
    given.store.document(document_id)
    try:
        given.store.arrangement.remove_pages(document_id, wanted.pages)
    except ValueError as error:
        raise BadRequest("Not all pages", f"Nothing was taken out: {error}.", 409) from error
    return _rearranged(given, document_id)


@router.post("/documents/{document_id}/pages/restore")
def restore(document_id: int, wanted: PagesChosen, given: Given) -> Document:
    given.store.document(document_id)
    given.store.pages_restored(given.store.arrangement.restore_pages(document_id, wanted.pages))
    given.foreman.wake()
    return _rearranged(given, document_id)


# Named treatments


@router.get("/treatments")
def named(given: Given) -> list[NamedTreatment]:
    return [
        NamedTreatment(id=r["id"], name=r["name"], treatment=Treatment.model_validate_json(r["treatment"]))
        for r in given.store.arrangement.named_treatments()
    ]


@router.post("/treatments", status_code=201)
def save_named(new: NewNamedTreatment, given: Given) -> NamedTreatment:
    """Keep a treatment under a name; what is one page's own is left out. A taken name is refused with 409."""
    treatment = for_other_pages(new.treatment, Treatment())
    number = given.store.arrangement.save_named_treatment(new.name.strip(), treatment, new.replace)
    return NamedTreatment(id=number, name=new.name.strip(), treatment=treatment)


@router.delete("/treatments/{treatment_id}", status_code=204)
def delete_named(treatment_id: int, given: Given) -> None:
    given.store.arrangement.delete_named_treatment(treatment_id)


def _chosen(store: Store, page: Row, change: TreatmentChange) -> dict[int, list[int]]:
    """Page ids by document."""
    document_id = page["document_id"]
    ids = store.arrangement.page_ids
    if change.pages == "document":
        return {document_id: ids(document_id)}
    if change.pages == "batch":
        batch_id = store.document(document_id)["batch_id"]
        return {d["id"]: ids(d["id"]) for d in store.documents(batch_id)}
    if change.pages == "selection":
        wanted = set(change.selection)
        return {document_id: [p for p in ids(document_id) if p in wanted]}
    return {document_id: [page["id"]]}


def _with_other_half(store: Store, page: Row, treatment: Treatment) -> dict[int, Treatment]:
    """The page's treatment, and what the two halves of one picture share: its turn and its fold."""
    if page["half"] == "whole":
        return {page["id"]: treatment}
    if treatment.split.switch is Switch.OFF:
        store.arrangement.join_spread(page)
        return {page["id"]: treatment}
    other = store.arrangement.other_half(page)
    if other is None:
        return {page["id"]: treatment}
    theirs = Treatment.model_validate_json(store.page(other)["treatment"])
    shared: dict[str, Turn | Split] = {"turn": treatment.turn, "split": treatment.split}
    if theirs.turn == treatment.turn and theirs.split == treatment.split:
        return {page["id"]: treatment}
    return {page["id"]: treatment, other: theirs.model_copy(update=shared)}


def _of_document(store: Store, document_id: int, page_ids: list[int]) -> list[Row]:
    store.document(document_id)
    rows = [store.page(p) for p in store.arrangement.page_ids(document_id) if p in set(page_ids)]
    if not rows:
        raise NotFound("None of these pages is in the document.")
    return [r for r in rows if r["original_blob"]]


def _changed(given: Services, document_id: int, changes: dict[int, Treatment]) -> Started:
    if changes:
        given.store.arrangement.set_treatments(document_id, changes)
        given.foreman.wake()
    return Started(tasks=len(changes))


def _rearranged(given: Services, document_id: int) -> Document:
    given.store.recheck(document_id)
    return document_of(given.store, document_id)


def _cleaned(row: Row) -> Cleaned:
    return Cleaned.model_validate_json(row["cleaned"])
