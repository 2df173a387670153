"""What a delivery will look like, weigh and be called; sets that are delivered again; the record of what was made."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import Response, StreamingResponse
from zipstream import ZipStream

from hyalen import __version__
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions, Quality, Tones
from hyalen.core.formats.names import delivery_stem, free_name, stem_by
from hyalen.core.structure.redaction import scrubbed
from hyalen.store.records import DeliveryRecord
from hyalen.store.sets import DeliverySet
from hyalen.store.store import Store
from hyalen.web.errors import BadRequest
from hyalen.web.report import report_of
from hyalen.web.schemas import Id, NamedDeliverySet, NamesWanted, SetToSave, ToBeMade, Weight
from hyalen.web.services import Given, Services
from hyalen.work.samples import Sheet, as_delivered, weights

router = APIRouter(tags=["delivering"])
SAMPLED = 4  # pages by which a document's size is told
SECONDS = 120.0


@router.get("/documents/{document_id}/weights")
def document_weights(document_id: Id, given: Given, tones: Tones = Tones.AS_IS) -> list[Weight]:
    """What the document's pictures take in each quality, measured on some of its pages."""
    given.store.documents.document(document_id)
    ids = given.store.pages.read_ids(document_id)
    if not ids:
        raise BadRequest("Nothing to deliver", "No page of this document has been read.", 409)
    step = max(1, len(ids) // SAMPLED)
    chosen = ids[::step][:SAMPLED]
    told: dict[Quality, int] = given.showing.do(weights, [_sheet(given, p) for p in chosen], tones, seconds=SECONDS)
    return [Weight(quality=q, bytes=round(v * len(ids) / len(chosen)), pages=len(chosen)) for q, v in told.items()]


@router.get("/pages/{page_id}/as-delivered", response_class=Response)
def page_as_delivered(
    page_id: Id, given: Given, quality: Quality = Quality.AS_SCANNED, tones: Tones = Tones.AS_IS
) -> Response:
    """The page as a viewer will show it, as JPEG."""
    options = DeliveryOptions(quality=quality, tones=tones)
    made = given.showing.do(as_delivered, _sheet(given, page_id), options, seconds=SECONDS)
    return Response(made, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=60"})


def _sheet(given: Services, page_id: int) -> Sheet:
    page, content = given.store.pages.page(page_id), given.store.pages.content(page_id)
    if content is None or page.cleaned_blob is None:
        raise BadRequest("Not read yet", "The page has not been read yet.", 409)
    return Sheet(str(given.store.blobs.path(page.cleaned_blob)), content)


@router.post("/batches/{batch_id}/names")
def names(batch_id: Id, wanted: NamesWanted, given: Given) -> list[ToBeMade]:
    """What would be made, and how it would be called; nothing is."""
    store = given.store
    store.documents.batch(batch_id)
    unknown = [f for f in wanted.formats if f not in FORMATS]
    if unknown:
        raise BadRequest("Unknown format", f"There is no format {', '.join(unknown)}.")
    chosen = [d for d in store.documents.of_batch(batch_id) if wanted.documents is None or d.id in wanted.documents]
    made = {(d.id, f) for d in chosen for f in wanted.formats}
    taken = {d.name for d in store.deliveries.of_batch(batch_id) if (d.document_id, d.format) not in made}
    found = []
    for document in chosen:
        gone = store.contents.redacted_words(document.id)
        parts = {key: scrubbed(value, gone) for key, value in store.documents.name_parts(document).items()}
        stem = stem_by(wanted.options.name, parts)
        for name in dict.fromkeys(wanted.formats):
            called = free_name(stem, FORMATS[name].ending, taken)
            taken.add(called)
            found.append(ToBeMade(document_id=document.id, format=name, name=called))
    return found


@router.get("/delivery-sets")
def sets(given: Given) -> list[NamedDeliverySet]:
    """Formats and their choices that are kept under a name."""
    return [_named(each.id, each.name, each.value) for each in given.store.sets.all()]


@router.put("/delivery-sets")
def save_set(wanted: SetToSave, given: Given) -> list[NamedDeliverySet]:
    """Keep a set under a name; one of that name is replaced."""
    unknown = [f for f in wanted.formats if f not in FORMATS]
    if unknown:
        raise BadRequest("Unknown format", f"There is no format {', '.join(unknown)}.")
    given.store.sets.save(wanted.name, DeliverySet(formats=tuple(wanted.formats), options=wanted.options))
    return sets(given)


@router.delete("/delivery-sets/{set_id}", status_code=204)
def delete_set(set_id: Id, given: Given) -> None:
    given.store.sets.delete(set_id)


def _named(set_id: int, name: str, value: DeliverySet) -> NamedDeliverySet:
    return NamedDeliverySet(id=set_id, name=name, formats=list(value.formats), options=value.options)


@router.get("/deliveries/{delivery_id}/record", response_class=Response)
def record(delivery_id: Id, given: Given) -> Response:
    """From what, how, when and by whom a file was made, how good its text was, and its digest; as JSON."""
    delivery = given.store.deliveries.delivery(delivery_id)
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(delivery.name)}.json"}
    return Response(_record(given.store, delivery), media_type="application/json", headers=headers)


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
    store = given.store
    batch = store.documents.batch(batch_id)
    current = [d for d in store.deliveries.of_batch(batch_id) if d.edition == store.deliveries.edition(d.document_id)]
    if not current:
        raise BadRequest("Nothing to download", "Nothing has been delivered yet, or all of it is out of date.", 409)
    name = delivery_stem(f"{batch.name}.x")
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}-bag.zip"}
    return StreamingResponse(_bagged(store, name, current), media_type="application/zip", headers=headers)


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
    for document_id in dict.fromkeys(d.document_id for d in deliveries):
        stem = scrubbed(store.documents.document(document_id).stem, store.contents.redacted_words(document_id))
        small[f"data/records/{delivery_stem(stem + '.x')}-report.html"] = report_of(store, document_id, now).encode(
            "utf8"
        )
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
