"""Pages: content, images, edits, treatment, reading again."""

from __future__ import annotations

import json
import re

from fastapi import APIRouter
from fastapi.responses import FileResponse, Response
from PIL import Image as Pillow

from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.imaging.orientation import quarter_turned
from hyalen.core.model.treatment import Cleaned, Treatment
from hyalen.core.proofing.doubts import Stage
from hyalen.core.proofing.edits import SetWord
from hyalen.core.proofing.keep import hand_made
from hyalen.store.store import NotFound, Store, unpacked
from hyalen.web.batches import check_languages
from hyalen.web.documents import open_doubt
from hyalen.web.schemas import Edit, Edited, Page, ReadAgain, Started
from hyalen.web.services import Given

router = APIRouter(tags=["pages"])
FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}


@router.get("/pages/{page_id}")
def get_page(page_id: int, given: Given) -> Page:
    return page_of(given.store, page_id)


@router.post("/pages/{page_id}/edits")
def edit(page_id: int, change: Edit, given: Given) -> Edited:
    """Refused with 409 where the page was changed since `revision`."""
    if change.everywhere and isinstance(change.operation, SetWord):
        revision, changed = given.store.edit_everywhere(page_id, change.revision, change.operation, change.label)
        return Edited(revision=revision, changed=changed)
    revision = given.store.edit(page_id, change.revision, change.operation, change.label)
    return Edited(revision=revision, changed=1)


@router.post("/pages/{page_id}/read", status_code=202)
def read_again(page_id: int, wanted: ReadAgain, given: Given) -> Started:
    """Read again, perhaps in other languages; `keep` carries over what was settled."""
    store = given.store
    if wanted.languages is not None:
        check_languages(wanted.languages)
    pages = _these(store, page_id, wanted.pages)
    if wanted.languages is not None and wanted.pages == "document":
        store.update_document(store.page(page_id)["document_id"], languages=json.dumps(wanted.languages))
    for each in pages:
        if wanted.languages is not None:
            store.set_page_languages(each, wanted.languages if wanted.pages == "page" else None)
        stage = Stage.READ if store.page(each)["cleaned_blob"] else Stage.CLEAN
        store.add_page_task(each, stage, {"again": True, "keep": wanted.keep})
    given.foreman.wake()
    return Started(tasks=len(pages))


@router.post("/pages/{page_id}/retry", status_code=202)
def retry(page_id: int, given: Given) -> Started:
    """Take up a page again at the stage where it failed."""
    page = given.store.page(page_id)
    stage = Stage.READ if page["cleaned_blob"] else Stage.CLEAN if page["original_blob"] else Stage.BRING_IN
    given.store.add_page_task(page_id, stage, {"again": page["content"] is not None})
    given.foreman.wake()
    return Started(tasks=1)


@router.get("/pages/{page_id}/original", response_class=Response)
def original(page_id: int, given: Given) -> Response:
    """The untouched scan, turned as its file states, in a form every browser shows."""
    page = given.store.page(page_id)
    if page["original_blob"] is None:
        raise NotFound("The page has not been brought in yet.")
    path = given.store.blobs.path(page["original_blob"])
    with Pillow.open(path) as picture:
        shown = picture.format in ("JPEG", "PNG") and picture.mode in ("L", "RGB", "1") and page["stated_turn"] == 0
        kind = picture.format
    if shown:
        return FileResponse(path, media_type=f"image/{(kind or 'png').lower()}", headers=FOREVER)
    image = quarter_turned(decode(path.read_bytes()), page["stated_turn"])
    return Response(encode_jpeg(image, 92), media_type="image/jpeg", headers=FOREVER)


@router.get("/blobs/{name}", response_class=FileResponse)
def blob(name: str, given: Given) -> FileResponse:
    """An image by its content's hash."""
    if not re.fullmatch(r"[0-9a-f]{64}", name):
        raise NotFound("There is no such image.")
    path = given.store.blobs.path(name)
    if not path.is_file():
        raise NotFound("There is no such image.")
    with path.open("rb") as file:
        kind = "png" if file.read(4) == b"\x89PNG" else "jpeg"
    return FileResponse(path, media_type=f"image/{kind}", headers=FOREVER)


def _these(store: Store, page_id: int, which: str) -> list[int]:
    if which == "page":
        store.page(page_id)
        return [page_id]
    return [p["id"] for p in store.pages(store.page(page_id)["document_id"]) if p["original_blob"]]


def page_of(store: Store, page_id: int) -> Page:
    row = store.page(page_id)
    cleaned = Cleaned.model_validate_json(row["cleaned"]) if row["cleaned"] else None
    content = unpacked(row["content"]) if row["content"] else None
    task = store.last_task(page_id)
    doubts = store.page_doubts(page_id)
    return Page(
        id=page_id,
        document_id=row["document_id"],
        position=row["position"],
        revision=row["revision"],
        kind=row["kind"],
        original=f"/api/pages/{page_id}/original?{row['original_blob'][:12]}" if row["original_blob"] else None,
        cleaned=f"/api/blobs/{row['cleaned_blob']}" if row["cleaned_blob"] else None,
        original_size=(row["width"], row["height"]) if row["width"] else None,
        to_original=list(cleaned.to_original) if cleaned else None,
        mesh=cleaned.mesh if cleaned else None,
        applied=cleaned.applied if cleaned else None,
        cleaned_dpi=cleaned.dpi if cleaned else None,
        cleaned_size=(cleaned.width, cleaned.height) if cleaned and row["cleaned_blob"] else None,
        half=row["half"],
        stated_turn=row["stated_turn"],
        dpi=row["dpi"],
        dpi_reason=row["dpi_reason"],
        treatment=Treatment.model_validate_json(row["treatment"]),
        findings=list(cleaned.findings) if cleaned else [],
        languages=list(store.page_languages(row)),
        own_languages=row["languages"] is not None,
        content=content,
        doubts=[open_doubt(d) for d in doubts],
        settled=hand_made(content) if content else 0,
        task_state=task["state"] if task else None,
        task_stage=task["stage"] if task else None,
        task_reason=task["reason"] if task else None,
    )
