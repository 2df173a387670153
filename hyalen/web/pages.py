"""Pages: content, images, edits, reading again."""

from __future__ import annotations

import re

from fastapi import APIRouter
from fastapi.responses import FileResponse, Response
from PIL import Image as Pillow

from hyalen.core.decisions.requests import SetWord
from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.imaging.orientation import quarter_turned
from hyalen.store.records import NotFound
from hyalen.web.answers import changed_of, page_of
from hyalen.web.batches import check_languages
from hyalen.web.schemas import Changed, Edit, Page, ReadAgain, Started
from hyalen.web.services import Given

router = APIRouter(tags=["pages"])
FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}


@router.get("/pages/{page_id}")
def get_page(page_id: int, given: Given) -> Page:
    return page_of(given.store, page_id)


@router.post("/pages/{page_id}/edits")
def edit(page_id: int, change: Edit, given: Given) -> Changed:
    """Refused with 409 where the page was changed since `revision`."""
    decisions = given.store.decisions
    if change.everywhere and isinstance(change.operation, SetWord):
        outcome = decisions.correct_everywhere(page_id, change.revision, change.operation)
    else:
        outcome = decisions.edit(page_id, change.revision, change.operation)
    return changed_of(given.store, given.store.pages.page(page_id).document_id, outcome)


@router.post("/pages/{page_id}/read", status_code=202)
def read_again(page_id: int, wanted: ReadAgain, given: Given) -> Started:
    """Read again, perhaps in other languages; without `keep`, what was decided on the pages counts no more."""
    store = given.store
    if wanted.languages is not None:
        check_languages(wanted.languages)
    document_id = store.pages.page(page_id).document_id
    whole = wanted.pages == "document"
    pages = [p.id for p in store.pages.states(document_id) if p.has_original] if whole else [page_id]
    store.settings.read_again(document_id, pages, wanted.languages, whole, wanted.keep)
    given.foreman.wake()
    return Started(tasks=len(pages))


@router.post("/pages/{page_id}/retry", status_code=202)
def retry(page_id: int, given: Given) -> Started:
    """Take up a page again at the stage where it failed."""
    given.store.retry_page(page_id)
    given.foreman.wake()
    return Started(tasks=1)


@router.get("/pages/{page_id}/original", response_class=Response)
def original(page_id: int, given: Given) -> Response:
    """The untouched scan, turned as its file states, in a form every browser shows."""
    page = given.store.pages.page(page_id)
    if page.original_blob is None:
        raise NotFound("The page has not been brought in yet.")
    path = given.store.blobs.path(page.original_blob)
    with Pillow.open(path) as picture:
        shown = picture.format in ("JPEG", "PNG") and picture.mode in ("L", "RGB", "1") and page.stated_turn == 0
        kind = picture.format
    if shown:
        return FileResponse(path, media_type=f"image/{(kind or 'png').lower()}", headers=FOREVER)
    image = quarter_turned(decode(path.read_bytes()), page.stated_turn)
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
