"""What was made, handed out: a file, all as a ZIP, a bag, and the record of each."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from datetime import UTC, datetime
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import FileResponse, HTMLResponse, Response, StreamingResponse
from zipstream import ZipStream

from hyalen import __version__
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.names import delivery_stem, free_name
from hyalen.core.structure.redaction import scrubbed
from hyalen.store.records import DeliveryRecord
from hyalen.store.store import Store
from hyalen.web.errors import BadRequest
from hyalen.web.record import as_json, as_page, record_of
from hyalen.web.report import report_of
from hyalen.web.schemas import Id
from hyalen.web.services import Given

router = APIRouter(tags=["delivering"])


def _current(store: Store, batch_id: int) -> list[DeliveryRecord]:
    """The batch's files that are up to date; BadRequest where there are none."""
    store.documents.batch(batch_id)
    found = [d for d in store.deliveries.of_batch(batch_id) if store.deliveries.is_current(d)]
    if not found:
        raise BadRequest("Nothing to download", "Nothing has been delivered yet, or all of it is out of date.", 409)
    return found


def _reports(store: Store, deliveries: list[DeliveryRecord]) -> Iterator[tuple[str, str]]:
    """The name and the text of a report on each document."""
    now, taken = datetime.now(UTC), set[str]()
    for document_id in dict.fromkeys(each for delivery in deliveries for each in delivery.documents):
        stem = scrubbed(store.documents.document(document_id).stem, store.contents.redacted_words(document_id))
        name = free_name(f"{delivery_stem(stem + '.x')}-report", "html", taken)
        taken.add(name)
        yield name, report_of(store, document_id, now)


def _attached(name: str) -> dict[str, str]:
    return {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}


@router.get("/deliveries/{delivery_id}/file", response_class=FileResponse)
def download(delivery_id: Id, given: Given) -> FileResponse:
    delivery = given.store.deliveries.delivery(delivery_id)
    media_type = FORMATS[delivery.format].media_type
    return FileResponse(given.store.blobs.path(delivery.blob), media_type=media_type, filename=_last(delivery.name))


def _last(name: str) -> str:
    """A name without its folders."""
    return name.rsplit("/", 1)[-1]


@router.get("/batches/{batch_id}/zip", response_class=StreamingResponse)
def download_all(batch_id: Id, given: Given) -> StreamingResponse:
    """All current deliveries of the batch in one ZIP with a report on each document, made as it is sent."""
    store, current = given.store, _current(given.store, batch_id)
    headers = _attached(f"{delivery_stem(store.documents.batch(batch_id).name + '.x')}.zip")
    return StreamingResponse(_zipped(store, current), media_type="application/zip", headers=headers)


def _zipped(store: Store, deliveries: list[DeliveryRecord]) -> Iterator[bytes]:
    archive = ZipStream()
    for delivery in deliveries:
        archive.add_path(store.blobs.path(delivery.blob), delivery.name)
    for name, report in _reports(store, deliveries):
        archive.add(report, name)
    yield from archive


@router.get("/deliveries/{delivery_id}/record", response_class=Response)
def record(delivery_id: Id, given: Given) -> Response:
    """From what, how, when and by whom a file was made, how good its text was, and its digest; as JSON."""
    delivery = given.store.deliveries.delivery(delivery_id)
    made = as_json(record_of(given.store, delivery))
    return Response(made, media_type="application/json", headers=_attached(f"{_last(delivery.name)}.json"))


@router.get("/deliveries/{delivery_id}/record.html", response_class=HTMLResponse)
def readable_record(delivery_id: Id, given: Given) -> HTMLResponse:
    """The same as a page to be read."""
    return HTMLResponse(as_page(record_of(given.store, given.store.deliveries.delivery(delivery_id))))


@router.delete("/deliveries/{delivery_id}", status_code=204)
def forget(delivery_id: Id, given: Given) -> None:
    """Take a file off the list."""
    given.store.forget_delivery(delivery_id)


@router.get("/batches/{batch_id}/bag", response_class=StreamingResponse)
def bag(batch_id: Id, given: Given) -> StreamingResponse:
    """All current deliveries of the batch with their records and reports as a BagIt bag (RFC 8493) in a ZIP."""
    store, current = given.store, _current(given.store, batch_id)
    name = delivery_stem(f"{store.documents.batch(batch_id).name}.x")
    return StreamingResponse(
        _bagged(store, name, current), media_type="application/zip", headers=_attached(f"{name}-bag.zip")
    )


def _bagged(store: Store, name: str, deliveries: list[DeliveryRecord]) -> Iterator[bytes]:
    now = datetime.now(UTC)
    archive = ZipStream()
    digests: dict[str, str] = {}
    size = 0
    for delivery in deliveries:
        archive.add_path(store.blobs.path(delivery.blob), f"{name}/data/{delivery.name}")
        digests[f"data/{delivery.name}"] = delivery.blob
        size += delivery.size
    small = {f"data/records/{d.name}.json": as_json(record_of(store, d)) for d in deliveries}
    small |= {f"data/records/{called}": told.encode("utf8") for called, told in _reports(store, deliveries)}
    digests |= {path: hashlib.sha256(data).hexdigest() for path, data in small.items()}
    size += sum(map(len, small.values()))
    tags = {
        "bagit.txt": b"BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n",
        "bag-info.txt": (
            f"Bagging-Date: {now:%Y-%m-%d}\nPayload-Oxum: {size}.{len(digests)}\nBag-Software-Agent: Hyalen {__version__}\n"
        ).encode(),
        "manifest-sha256.txt": "".join(f"{digest}  {path}\n" for path, digest in sorted(digests.items())).encode(
            "utf8"
        ),
    }
    tags["tagmanifest-sha256.txt"] = "".join(
        f"{hashlib.sha256(data).hexdigest()}  {path}\n" for path, data in sorted(tags.items())
    ).encode()
    for path, data in (small | tags).items():
        archive.add(data, f"{name}/{path}")
    yield from archive
