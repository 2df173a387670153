"""Pages that go from one document to another, and what is told of many documents at once."""

from __future__ import annotations

from fastapi import APIRouter, Request
from fastapi.concurrency import run_in_threadpool

from hyalen.core.model.document import Particulars
from hyalen.core.structure.particulars_table import read_table
from hyalen.web.answers import batch_of
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import Batch, Documents, DocumentsTold, Id, Move, Split, TableTold
from hyalen.web.services import Given, Services
from hyalen.web.uploads import FILE, described, only_file
from hyalen.work.foreman import Event

router = APIRouter(tags=["binding"])
LARGEST_TABLE = 20_000_000  # bytes
TABLE = described("file", file=FILE)


@router.post("/documents/{document_id}/move")
def move_pages(document_id: Id, wanted: Move, given: Given) -> Batch:
    """Put pages into another document of the batch; what was decided on them goes with them."""
    with given.store.changing(document_id, wanted.revision):
        given.store.binding.move(document_id, wanted.pages, wanted.to, wanted.behind)
    return _changed(given, given.store.documents.document(document_id).batch_id)


@router.post("/documents/{document_id}/split")
def split_document(document_id: Id, wanted: Split, given: Given) -> Batch:
    """Begin new documents at pages."""
    with given.store.changing(document_id, wanted.revision):
        given.store.binding.split(document_id, wanted.pages)
    return _changed(given, given.store.documents.document(document_id).batch_id)


@router.post("/batches/{batch_id}/join")
def join_documents(batch_id: Id, wanted: Documents, given: Given) -> Batch:
    """Make several documents one: the first, with the pages of the others behind its own."""
    _of_batch(given, batch_id, wanted.documents)
    given.store.binding.join(wanted.documents)
    return _changed(given, batch_id)


@router.put("/batches/{batch_id}/order")
def order_documents(batch_id: Id, wanted: Documents, given: Given) -> Batch:
    given.store.documents.batch(batch_id)
    given.store.binding.arrange(batch_id, wanted.documents)
    return _changed(given, batch_id)


@router.post("/batches/{batch_id}/particulars-table", openapi_extra=TABLE)
async def tell_by_table(batch_id: Id, request: Request, given: Given) -> TableTold:
    """Titles and particulars of many documents, from a CSV file that names them by their files."""
    given.store.documents.batch(batch_id)
    data = await only_file(request, LARGEST_TABLE)
    return await run_in_threadpool(_told, given, batch_id, data)


@router.post("/batches/{batch_id}/documents-told")
def tell_documents(batch_id: Id, wanted: DocumentsTold, given: Given) -> Batch:
    """Tell several documents at once; what is left empty stays as it is."""
    _of_batch(given, batch_id, wanted.documents)
    fresh = {k: v for k, v in wanted.particulars.model_dump().items() if v}
    for document_id in dict.fromkeys(wanted.documents):
        now = given.store.documents.document(document_id).particulars
        merged = Particulars.model_validate(now.model_dump() | fresh)
        _tell(given, document_id, wanted.title.strip() or None, merged)
    return _changed(given, batch_id)


def _tell(given: Services, document_id: int, title: str | None, particulars: Particulars) -> None:
    document = given.store.documents.document(document_id)
    if title and title != document.title:
        given.store.settings.entitle(document_id, title)
    if particulars != document.particulars:
        given.store.settings.tell(document_id, particulars)


def _told(given: Services, batch_id: int, data: bytes) -> TableTold:
    store = given.store
    known = [(d.id, d.source_name, d.particulars) for d in store.documents.of_batch(batch_id)]
    try:
        table = read_table(data, known)
    except ValueError as error:
        raise BadRequest("No table", f"The table cannot be read: {error}.") from error
    for each in table.told:
        _tell(given, each.document, each.title, each.particulars)
    _changed(given, batch_id)
    return TableTold(told=len(table.told), unused=table.unused)


def _of_batch(given: Services, batch_id: int, documents: list[int]) -> None:
    here = {d.id for d in given.store.documents.of_batch(batch_id)}
    if strange := next((d for d in documents if d not in here), None):
        raise BadRequest("No such document", f"There is no document {strange} in batch {batch_id}.", 404)


def _changed(given: Services, batch_id: int) -> Batch:
    given.foreman.wake()
    given.foreman.tell(Event("batch", batch_id, state="bound"))
    return batch_of(given, batch_id)
