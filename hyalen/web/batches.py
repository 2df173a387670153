"""Batches: bringing in, progress, delivery."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from urllib.parse import quote

from fastapi import APIRouter, Header, UploadFile
from fastapi.responses import FileResponse, StreamingResponse
from sse_starlette import EventSourceResponse
from zipstream import ZipStream

from hyalen import __version__
from hyalen.core.decisions.replay import roles_for
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.names import delivery_stem
from hyalen.core.languages import is_right_to_left, language_name, language_tag
from hyalen.core.model.content import RegionKind, Role
from hyalen.core.proofing.doubts import SURE, Stage
from hyalen.core.read import AUTO
from hyalen.core.reading.engine import installed_languages
from hyalen.store.records import DeliveryRecord
from hyalen.store.store import Store
from hyalen.web import events
from hyalen.web.answers import batch_of
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import (
    About,
    Batch,
    BatchSummary,
    DeliveryOrder,
    FileProblem,
    Format,
    Intake,
    Language,
    NewBatch,
    RoleRule,
    Started,
)
from hyalen.web.services import Given
from hyalen.work.foreman import Event
from hyalen.work.intake import take_in

router = APIRouter(tags=["batches"])


@router.get("/about")
def about(accept_language: str = Header(default="en")) -> About:
    """Languages are named in the browser's own language."""
    reader = accept_language.split(",")[0].split(";")[0].strip() or "en"
    languages = [
        Language(code=c, tag=language_tag(c), name=language_name(c, reader), right_to_left=is_right_to_left(c))
        for c in installed_languages()
    ]
    return About(
        version=__version__,
        languages=sorted(languages, key=lambda each: each.name),
        formats=[Format(name=f.name, describes=f.describes, tables_only=f.tables_only) for f in FORMATS.values()],
        roles=[
            RoleRule(role=role, artifact=role.is_artifact, kinds=[k for k in RegionKind if role in roles_for(k)])
            for role in Role
        ],
        stages=list(Stage),
        sure=SURE,
    )


@router.get("/events", response_class=EventSourceResponse)
async def watch(given: Given) -> EventSourceResponse:
    return events.response(given.foreman)


@router.get("/batches")
def list_batches(given: Given) -> list[BatchSummary]:
    return [
        BatchSummary(
            id=r.batch.id,
            name=r.batch.name,
            created=r.batch.created,
            documents=r.documents,
            pages=r.pages,
            doubts=r.doubts,
            busy=r.busy > 0,
            size=given.store.batch_size(r.batch.id),
        )
        for r in given.store.documents.batches()
    ]


@router.post("/batches", status_code=201)
def add_batch(new: NewBatch, given: Given) -> Batch:
    check_languages(new.languages)
    return batch_of(given.store, given.store.documents.add_batch(new.name.strip() or "Batch", new.languages))


@router.get("/batches/{batch_id}")
def get_batch(batch_id: int, given: Given) -> Batch:
    return batch_of(given.store, batch_id)


@router.delete("/batches/{batch_id}", status_code=204)
def delete_batch(batch_id: int, given: Given) -> None:
    given.store.delete_batch(batch_id)
    given.foreman.tell(Event("batch", batch_id, state="deleted"))


@router.post("/batches/{batch_id}/files", status_code=201)
def add_files(batch_id: int, files: list[UploadFile], given: Given) -> Intake:
    """Each file becomes a document or a problem; one bad file does not stop the others."""
    store, limits = given.store, given.foreman.limits
    store.documents.batch(batch_id)
    known = {p.id for p in store.documents.problems(batch_id)}
    documents = []
    for file in files:
        name = Path((file.filename or "unnamed").replace("\\", "/")).name or "unnamed"
        with store.blobs.held():
            try:
                blob = store.blobs.put_stream(file.file, limits.bytes)
            except ValueError as error:
                store.documents.add_problem(batch_id, name, f"the file is {error}")
                continue
            document_id = take_in(store, batch_id, name, blob, limits)
        if document_id is not None:
            documents.append(document_id)
    given.foreman.wake()
    given.foreman.tell(Event("batch", batch_id, state="files"))
    problems = [p for p in store.documents.problems(batch_id) if p.id not in known]
    return Intake(documents=documents, problems=[FileProblem(id=p.id, file=p.file, reason=p.reason) for p in problems])


@router.delete("/batches/{batch_id}/problems/{problem_id}", status_code=204)
def dismiss_problem(batch_id: int, problem_id: int, given: Given) -> None:
    given.store.documents.dismiss_problem(batch_id, problem_id)


@router.post("/batches/{batch_id}/cancel")
def cancel(batch_id: int, given: Given) -> Started:
    count = given.store.tasks.cancel_batch(batch_id)
    given.foreman.tell(Event("batch", batch_id, state="cancelled"))
    return Started(tasks=count)


@router.post("/batches/{batch_id}/retry")
def retry(batch_id: int, given: Given) -> Started:
    count = given.store.retry(batch_id)
    given.foreman.wake()
    given.foreman.tell(Event("batch", batch_id, state="retried"))
    return Started(tasks=count)


@router.post("/batches/{batch_id}/deliveries", status_code=202)
def order(batch_id: int, wanted: DeliveryOrder, given: Given) -> Started:
    unknown = [f for f in wanted.formats if f not in FORMATS]
    if unknown:
        raise BadRequest("Unknown format", f"There is no format {unknown[0]}; choose among {', '.join(FORMATS)}.")
    options = DeliveryOptions(keep_running_heads=wanted.keep_running_heads)
    count = 0
    for document in given.store.documents.of_batch(batch_id):
        if wanted.documents is not None and document.id not in wanted.documents:
            continue
        if given.store.tasks.unread_pages(document.id):
            raise BadRequest("Not read yet", f"{document.source_name} is still being read; deliver it afterwards.", 409)
        for name in wanted.formats:
            given.foreman.ask_for_delivery(document.id, name, options)
            count += 1
    return Started(tasks=count)


@router.get("/deliveries/{delivery_id}/file", response_class=FileResponse)
def download(delivery_id: int, given: Given) -> FileResponse:
    delivery = given.store.deliveries.delivery(delivery_id)
    media_type = FORMATS[delivery.format].media_type
    return FileResponse(given.store.blobs.path(delivery.blob), media_type=media_type, filename=delivery.name)


@router.get("/batches/{batch_id}/zip", response_class=StreamingResponse)
def download_all(batch_id: int, given: Given) -> StreamingResponse:
    """All current deliveries of the batch in one ZIP, made as it is sent."""
    store = given.store
    batch = store.documents.batch(batch_id)
    current = [d for d in store.deliveries.of_batch(batch_id) if d.edition == store.deliveries.edition(d.document_id)]
    if not current:
        raise BadRequest("Nothing to download", "Nothing has been delivered yet, or all of it is out of date.", 409)
    name = f"{delivery_stem(batch.name + '.x')}.zip"
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    return StreamingResponse(_zipped(store, current), media_type="application/zip", headers=headers)


def _zipped(store: Store, deliveries: list[DeliveryRecord]) -> Iterator[bytes]:
    archive = ZipStream()
    for delivery in deliveries:
        archive.add_path(store.blobs.path(delivery.blob), delivery.name)
    yield from archive


def check_languages(codes: list[str]) -> None:
    """Raise BadRequest where a language is not installed."""
    missing = [c for c in codes if c != AUTO and c not in installed_languages()]
    if missing or (AUTO in codes and len(codes) > 1):
        what = (
            f"No data is installed for {', '.join(missing)}." if missing else "Choose languages or automatic, not both."
        )
        raise BadRequest("Languages", what)
