"""What was made, handed out: a file, all as a ZIP, a bag, and the record of each."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import FileResponse, Response, StreamingResponse
from zipstream import ZipStream

from hyalen import __version__
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.names import delivery_stem
from hyalen.core.structure.redaction import scrubbed
from hyalen.store.records import DeliveryRecord
from hyalen.store.store import Store
from hyalen.web.errors import BadRequest
from hyalen.web.report import report_of
from hyalen.web.schemas import Id
from hyalen.web.services import Given

router = APIRouter(tags=["delivering"])


def _current(store: Store, batch_id: int) -> list[DeliveryRecord]:
    """The batch's files that are up to date; BadRequest where there are none."""
    store.documents.batch(batch_id)
    found = [d for d in store.deliveries.of_batch(batch_id) if d.edition == store.deliveries.edition(d.document_id)]
    if not found:
        raise BadRequest("Nothing to download", "Nothing has been delivered yet, or all of it is out of date.", 409)
    return found


def _reports(store: Store, deliveries: list[DeliveryRecord]) -> Iterator[tuple[str, str]]:
    """The name and the text of a report on each document."""
    now = datetime.now(UTC)
    for document_id in dict.fromkeys(delivery.document_id for delivery in deliveries):
        stem = scrubbed(store.documents.document(document_id).stem, store.contents.redacted_words(document_id))
        yield f"{delivery_stem(stem + '.x')}-report.html", report_of(store, document_id, now)


def _attached(name: str) -> dict[str, str]:
    return {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}


@router.get("/deliveries/{delivery_id}/file", response_class=FileResponse)
def download(delivery_id: Id, given: Given) -> FileResponse:
    delivery = given.store.deliveries.delivery(delivery_id)
    media_type = FORMATS[delivery.format].media_type
    return FileResponse(given.store.blobs.path(delivery.blob), media_type=media_type, filename=delivery.name)


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
    made = _record(given.store, delivery)
    return Response(made, media_type="application/json", headers=_attached(f"{delivery.name}.json"))


def _record(store: Store, delivery: DeliveryRecord) -> bytes:
    document = store.documents.document(delivery.document_id)
    gone = store.contents.redacted_words(document.id)
    judged = store.judgements.of_document(document.id)
    told: dict[str, Any] = {
        "file": delivery.name,
        "sha256": delivery.blob,
        "bytes": delivery.size,
        "made": datetime.fromtimestamp(delivery.made, UTC).isoformat(timespec="seconds"),
        "by": delivery.made_by,
        "program": f"Hyalen {__version__}",
        "format": delivery.format,
        "options": delivery.options,
        "source": {"file": scrubbed(document.source_name, gone), "sha256": document.source_blob},
        "document": {
            "title": scrubbed(document.title, gone),
            "pages": document.page_count,
            "revision": document.revision,
        },
        "text": {
            "words": delivery.words,
            "expected_wrong": round(delivery.expected, 1),
            "sample": {"looked_at": delivery.looked_at, "right": delivery.found_right},
        },
        "check": {
            "obstacles_to_pdf_ua": store.contents.obstacles(document.id),
            "judged": sum(j.made is not None for j in judged),
            "to_judge": sum(j.made is None for j in judged),
        },
        "redacted_areas": sum(store.contents.redactions(document.id).values()),
        "up_to_date": delivery.edition == store.deliveries.edition(document.id),
    }
    return json.dumps(told, ensure_ascii=False, indent=1).encode("utf8")


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
    small = {f"data/records/{d.name}.json": _record(store, d) for d in deliveries}
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
