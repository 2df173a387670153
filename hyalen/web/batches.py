"""Batches: bringing in, progress, delivery."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Iterator
from pathlib import Path

from fastapi import APIRouter, UploadFile
from fastapi.responses import FileResponse, StreamingResponse
from sse_starlette import EventSourceResponse

from hyalen import __version__
from hyalen.core.formats.deliver import FORMATS, MEDIA_TYPES, DeliveryOptions
from hyalen.core.formats.names import delivery_stem
from hyalen.core.model.document import LANGUAGE_NAMES, RIGHT_TO_LEFT, language_tag
from hyalen.core.reading.engine import installed_languages
from hyalen.core.reading.page import AUTO
from hyalen.store.database import Row
from hyalen.store.store import Store
from hyalen.web import events
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import (
    About,
    Batch,
    BatchSummary,
    Delivery,
    DeliveryOrder,
    DocumentSummary,
    FailedTask,
    FileProblem,
    Format,
    Intake,
    Language,
    NewBatch,
    Started,
)
from hyalen.web.services import Given
from hyalen.work.foreman import Event
from hyalen.work.intake import take_in

router = APIRouter(tags=["batches"])


@router.get("/about")
def about() -> About:
    languages = [
        Language(code=c, tag=language_tag(c), name=LANGUAGE_NAMES.get(c, c), right_to_left=c in RIGHT_TO_LEFT)
        for c in installed_languages()
    ]
    formats = [Format(name=f, tables_only=f == "xlsx") for f in FORMATS]
    return About(version=__version__, languages=sorted(languages, key=lambda each: each.name), formats=formats)


@router.get("/events", response_class=EventSourceResponse)
async def watch(given: Given) -> EventSourceResponse:
    return events.response(given.foreman)


@router.get("/batches")
def list_batches(given: Given) -> list[BatchSummary]:
    return [
        BatchSummary(
            id=r["id"],
            name=r["name"],
            created=r["created"],
            documents=r["documents"],
            pages=r["pages"],
            doubts=r["doubts"],
            busy=r["busy"] > 0,
        )
        for r in given.store.batches()
    ]


@router.post("/batches", status_code=201)
def add_batch(new: NewBatch, given: Given) -> Batch:
    check_languages(new.languages)
    return batch_of(given.store, given.store.add_batch(new.name.strip() or "Batch", new.languages))


@router.get("/batches/{batch_id}")
def get_batch(batch_id: int, given: Given) -> Batch:
    return batch_of(given.store, batch_id)


@router.delete("/batches/{batch_id}", status_code=204)
def delete_batch(batch_id: int, given: Given) -> None:
    given.store.cancel_tasks(batch_id)
    given.store.delete_batch(batch_id)
    given.foreman.tell(Event("batch", batch_id, state="deleted"))


@router.post("/batches/{batch_id}/files", status_code=201)
def add_files(batch_id: int, files: list[UploadFile], given: Given) -> Intake:
    """Each file becomes a document or a problem; one bad file does not stop the others."""
    store, limits = given.store, given.foreman.limits
    store.batch(batch_id)
    known = {p["id"] for p in store.problems(batch_id)}
    documents = []
    for file in files:
        name = Path((file.filename or "unnamed").replace("\\", "/")).name or "unnamed"
        try:
            blob = store.blobs.put_stream(file.file, limits.bytes)
        except ValueError as error:
            store.add_problem(batch_id, name, f"the file is {error}")
            continue
        document_id = take_in(store, batch_id, name, blob, limits)
        if document_id is not None:
            documents.append(document_id)
    given.foreman.wake()
    given.foreman.tell(Event("batch", batch_id, state="files"))
    problems = [p for p in store.problems(batch_id) if p["id"] not in known]
    return Intake(documents=documents, problems=[_problem(p) for p in problems])


@router.delete("/batches/{batch_id}/problems/{problem_id}", status_code=204)
def dismiss_problem(batch_id: int, problem_id: int, given: Given) -> None:
    given.store.dismiss_problem(batch_id, problem_id)


@router.post("/batches/{batch_id}/cancel")
def cancel(batch_id: int, given: Given) -> Started:
    count = given.store.cancel_tasks(batch_id)
    given.foreman.tell(Event("batch", batch_id, state="cancelled"))
    return Started(tasks=count)


@router.post("/batches/{batch_id}/retry")
def retry(batch_id: int, given: Given) -> Started:
    count = given.store.retry_tasks(batch_id)
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
    for document in given.store.documents(batch_id):
        if wanted.documents is not None and document["id"] not in wanted.documents:
            continue
        if given.store.unread_pages(document["id"]):
            raise BadRequest(
                "Not read yet", f"{document['source_name']} is still being read; deliver it afterwards.", 409
            )
        for file_format in wanted.formats:
            given.foreman.ask_for_delivery(document["id"], file_format, options)
            count += 1
    return Started(tasks=count)


@router.get("/deliveries/{delivery_id}/file", response_class=FileResponse)
def download(delivery_id: int, given: Given) -> FileResponse:
    row = given.store.delivery(delivery_id)
    return FileResponse(
        given.store.blobs.path(row["blob"]), media_type=MEDIA_TYPES[row["format"]], filename=row["name"]
    )


@router.get("/batches/{batch_id}/zip", response_class=StreamingResponse)
def download_all(batch_id: int, given: Given) -> StreamingResponse:
    """All current deliveries of the batch in one ZIP, made as it is sent."""
    store = given.store
    rows = [r for r in store.deliveries(batch_id) if r["edition"] == store.edition(r["document_id"])]
    if not rows:
        raise BadRequest("Nothing to download", "Nothing has been delivered yet, or all of it is out of date.", 409)
    name = f"{delivery_stem(store.batch(batch_id)['name'] + '.x')}.zip"
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{_quoted(name)}"}
    return StreamingResponse(_zipped(store, rows), media_type="application/zip", headers=headers)


def _quoted(name: str) -> str:
    from urllib.parse import quote

    return quote(name)


class _Pipe(io.RawIOBase):
    """What is written can be taken out and is then forgotten."""

    def __init__(self) -> None:
        self._held = bytearray()

    def writable(self) -> bool:
        return True

    def write(self, data: bytes) -> int:  # type: ignore[override]
        self._held += data
        return len(data)

    def take(self) -> bytes:
        held, self._held = bytes(self._held), bytearray()
        return held


def _zipped(store: Store, rows: list[Row]) -> Iterator[bytes]:
    pipe = _Pipe()
    with zipfile.ZipFile(pipe, "w", zipfile.ZIP_STORED) as archive:
        for row in rows:
            with store.blobs.path(row["blob"]).open("rb") as source, archive.open(row["name"], "w") as target:
                while chunk := source.read(1 << 20):
                    target.write(chunk)
                    yield pipe.take()
    yield pipe.take()


def check_languages(codes: list[str]) -> None:
    """Raise BadRequest where a language is not installed."""
    missing = [c for c in codes if c != AUTO and c not in installed_languages()]
    if missing or (AUTO in codes and len(codes) > 1):
        what = (
            f"No data is installed for {', '.join(missing)}." if missing else "Choose languages or automatic, not both."
        )
        raise BadRequest("Languages", what)


def _problem(row: Row) -> FileProblem:
    return FileProblem(id=row["id"], file=row["file"], reason=row["reason"])


def batch_of(store: Store, batch_id: int) -> Batch:
    """The whole state of a batch."""
    batch = store.batch(batch_id)
    busy = store.open_page_tasks(batch_id)
    failed = store.failed_tasks(batch_id)
    delivering = store.deliveries_under_way(batch_id)
    documents = [
        DocumentSummary(
            id=d["id"],
            position=d["position"],
            name=d["source_name"],
            title=d["title"],
            language=d["language"],
            languages=json.loads(d["languages"]),
            pages=d["page_count"],
            note=d["note"],
            doubts=store.doubt_counts("document_id", d["id"]),
            busy=busy.get(d["id"], 0),
            failed=sum(t["document_id"] == d["id"] for t in failed),
            delivering=delivering.get(d["id"], []),
        )
        for d in store.documents(batch_id)
    ]
    return Batch(
        id=batch_id,
        name=batch["name"],
        languages=json.loads(batch["languages"]),
        documents=documents,
        doubts=store.doubt_counts("batch_id", batch_id),
        progress=store.progress(batch_id),
        problems=[_problem(p) for p in store.problems(batch_id)],
        failed=[
            FailedTask(
                id=t["id"],
                document_id=t["document_id"],
                file=t["source_name"] or "",
                page=t["position"] + 1 if t["position"] is not None else None,
                stage=t["stage"],
                reason=t["reason"],
            )
            for t in failed
        ],
        deliveries=[
            Delivery(
                id=r["id"],
                document_id=r["document_id"],
                format=r["format"],
                name=r["name"],
                size=r["size"],
                made=r["made"],
                current=r["edition"] == store.edition(r["document_id"]),
            )
            for r in store.deliveries(batch_id)
        ],
    )
