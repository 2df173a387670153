"""What a delivery will look like, weigh and be called; sets that are delivered again; orders."""

from __future__ import annotations

from collections.abc import Sequence

from fastapi import APIRouter
from fastapi.responses import Response

from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions, Quality, Tones
from hyalen.core.formats.ranges import page_range
from hyalen.core.formats.source import SourceError
from hyalen.store.records import NotFound
from hyalen.store.sets import DeliverySet
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import DeliveryOrder, Id, NamedDeliverySet, NamesWanted, SetToSave, Started, ToBeMade, Weight
from hyalen.web.services import Given, Services
from hyalen.work.orders import file_name, orders, whole_source_refused
from hyalen.work.samples import Sheet, as_delivered, weights

router = APIRouter(tags=["delivering"])
SAMPLED = 4  # pages by which a document's size is told
SECONDS = 120.0


@router.post("/batches/{batch_id}/deliveries", status_code=202)
def order(batch_id: Id, wanted: DeliveryOrder, given: Given) -> Started:
    unknown = [f for f in wanted.formats if f not in FORMATS]
    if unknown:
        raise BadRequest("Unknown format", f"There is no format {unknown[0]}; choose among {', '.join(FORMATS)}.")
    given.store.documents.batch(batch_id)
    of_batch = given.store.documents.of_batch(batch_id)
    absent = set(wanted.documents or ()) - {d.id for d in of_batch}
    if absent:
        raise NotFound(f"There is no document {min(absent)} in this batch.")
    chosen = [d for d in of_batch if wanted.documents is None or d.id in wanted.documents]
    for document in chosen:
        if given.store.tasks.unread_pages(document.id):
            raise BadRequest("Not read yet", f"{document.source_name} is still being read; deliver it afterwards.", 409)
    readable = [d for d in chosen if given.store.pages.read_ids(d.id)]
    if not readable:
        raise BadRequest("Nothing to deliver", "No page of these documents could be read.", 409)
    lacking = {d.source_name: given.store.pages.unread(d.id) for d in chosen}
    if any(lacking.values()) and not wanted.without_failed:
        told = "; ".join(f"{name}: page {', '.join(str(p + 1) for p in at[:20])}" for name, at in lacking.items() if at)
        raise BadRequest("Pages are missing", f"Not read, and left out if you deliver: {told}.", 409)
    if not wanted.knowingly and any(d.cautions for d in readable):
        told = "; ".join(f"{d.source_name}: {', '.join(d.cautions)}" for d in readable if d.cautions)
        raise BadRequest("To be known first", f"{told}.", 409)
    if wanted.options.post and given.foreman.post is None:
        raise BadRequest("Nowhere to post to", "There is no folder to post to; start Hyalen with --post DIR.")
    if wanted.options.attach_source and (refused := whole_source_refused(wanted.options)):
        raise BadRequest("More than is wanted", refused, 409)
    for document in readable if wanted.options.attach_source else ():
        if given.store.contents.redactions(document.id):
            raise BadRequest(
                "It would show what is redacted",
                f"{document.source_name} has redacted parts, which its source would show; deliver it without the source.",
                409,
            )
    for document in readable:
        try:
            page_range(wanted.options.pages, len(given.store.pages.read_ids(document.id)))
        except SourceError as error:
            raise BadRequest("No such pages", f"{document.source_name}: {error}.") from error
    made = 0
    for name in dict.fromkeys(wanted.formats):
        if ids := _fitting(given, [d.id for d in readable], name):
            made += given.foreman.ask_for(ids, [name], wanted.options, wanted.made_by)
    if not made:
        raise BadRequest("No tables", "These formats hold tables, and none of these documents has one.", 409)
    return Started(tasks=made)


def _fitting(given: Services, documents: Sequence[int], name: str) -> list[int]:
    """The documents that are made in a format: for one of tables alone, those that have some."""
    return [d for d in documents if not FORMATS[name].tables_only or given.store.documents.has_tables(d)]


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
    chosen = [d.id for d in store.documents.of_batch(batch_id) if wanted.documents is None or d.id in wanted.documents]
    found: list[ToBeMade] = []
    made: set[str] = set()
    for name in dict.fromkeys(wanted.formats):
        fitting = _fitting(given, chosen, name)
        for each in orders(store, fitting, name, wanted.options) if fitting else ():
            called = file_name(store, batch_id, each, made)
            made.add(called)
            found.append(ToBeMade(document_id=each.documents[0], format=name, name=called))
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
