"""Documents: their pages, doubts, journal and the form in which they will be delivered."""

from __future__ import annotations

import json

from fastapi import APIRouter

from hyalen.core.proofing.doubts import Stage
from hyalen.core.structure.flow import flow, joined_text
from hyalen.store.database import Row
from hyalen.store.store import Store
from hyalen.web.batches import check_languages
from hyalen.web.schemas import Document, DocumentChange, FlowItem, OpenDoubt, PageSummary, RemovedPage, TurnedBack
from hyalen.web.services import Given, Services
from hyalen.work.foreman import Event

router = APIRouter(tags=["documents"])


@router.get("/documents/{document_id}")
def get_document(document_id: int, given: Given) -> Document:
    return document_of(given.store, document_id)


@router.patch("/documents/{document_id}")
def change_document(document_id: int, change: DocumentChange, given: Given) -> Document:
    values: dict[str, object] = {}
    if change.title is not None:
        values["title"] = change.title.strip()
    if change.language is not None:
        check_languages([change.language])
        values["language"] = change.language
    if change.languages is not None:
        check_languages(change.languages)
        values["languages"] = json.dumps(change.languages)
    given.store.update_document(document_id, **values)
    if change.duplex is not None and change.duplex != bool(given.store.document(document_id)["duplex"]):
        given.store.arrangement.set_duplex(document_id, change.duplex)
        clean_again(given, [p["id"] for p in given.store.pages(document_id) if p["original_blob"]])
    return document_of(given.store, document_id)


@router.delete("/documents/{document_id}", status_code=204)
def delete_document(document_id: int, given: Given) -> None:
    batch_id = given.store.document(document_id)["batch_id"]
    given.store.delete_document(document_id)
    given.foreman.tell(Event("batch", batch_id, document_id, state="deleted"))


@router.get("/documents/{document_id}/doubts")
def doubts(document_id: int, given: Given, stage: str | None = None, limit: int = 500) -> list[OpenDoubt]:
    """Open doubts, worst first."""
    given.store.document(document_id)
    return [open_doubt(row) for row in given.store.doubts(document_id, stage, min(limit, 2000))]


@router.post("/documents/{document_id}/undo")
def undo(document_id: int, given: Given) -> TurnedBack:
    return _turned_back(given.store, given.store.undo(document_id))


@router.post("/documents/{document_id}/redo")
def redo(document_id: int, given: Given) -> TurnedBack:
    return _turned_back(given.store, given.store.redo(document_id))


@router.get("/documents/{document_id}/flow")
def read_through(document_id: int, given: Given) -> list[FlowItem]:
    """The document as it will be delivered, block by block."""
    parts = given.store.document_parts(document_id)
    content, ids = parts.content(), parts.page_ids
    items = []
    for block in flow(content.pages, content.language):
        index, region = block.sources[0]
        text, rows = block.text, None
        if region.table is not None:
            rows = [
                [joined_text(c.lines, block.language) for c in region.table.cells if c.row == row]
                for row in range(region.table.rows)
            ]
        elif not text:
            text = region.alternative_text or ""
        items.append(
            FlowItem(
                role=block.role.value,
                text=text,
                language=block.language,
                page=index + 1,
                page_id=ids[index],
                region_id=region.id,
                rows=rows,
            )
        )
    return items


def clean_again(given: Services, page_ids: list[int]) -> int:
    """Clean and read pages again under the treatments they have; how many."""
    for page_id in page_ids:
        given.store.add_page_task(page_id, Stage.CLEAN, {"again": True})
    given.foreman.wake()
    return len(page_ids)


def open_doubt(row: Row) -> OpenDoubt:
    return OpenDoubt(**{name: row[name] for name in OpenDoubt.model_fields})


def _turned_back(store: Store, edit: Row | None) -> TurnedBack:
    if edit is None:
        return TurnedBack(page_id=None, position=None, label=None)
    return TurnedBack(page_id=edit["page_id"], position=store.page(edit["page_id"])["position"], label=edit["label"])


def document_of(store: Store, document_id: int) -> Document:
    row = store.document(document_id)
    undo_label, redo_label = store.history(document_id)
    return Document(
        id=document_id,
        batch_id=row["batch_id"],
        batch_name=store.batch(row["batch_id"])["name"],
        name=row["source_name"],
        title=row["title"],
        language=row["language"],
        languages=json.loads(row["languages"]),
        doubts=store.doubt_counts("document_id", document_id),
        removed=[
            RemovedPage(id=p["id"], position=p["removed_from"], thumb=p["thumb_blob"])
            for p in store.arrangement.removed_pages(document_id)
        ],
        duplex=bool(row["duplex"]),
        treatments_undo=store.arrangement.can_take_back_treatment(document_id),
        undo=undo_label,
        redo=redo_label,
        pages=[
            PageSummary(
                id=p["id"],
                position=p["position"],
                kind=p["kind"],
                width=p["width"],
                height=p["height"],
                thumb=p["thumb_blob"],
                doubts=p["doubts"],
                has_content=bool(p["has_content"]),
                revision=p["revision"],
                task_state=p["task_state"],
                task_stage=p["task_stage"],
                task_reason=p["task_reason"],
                half=p["half"],
            )
            for p in store.pages(document_id)
        ],
    )
