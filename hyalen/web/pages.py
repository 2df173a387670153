"""Pages: content, images, edits, reading again."""

from __future__ import annotations

import re
from urllib.parse import quote

from fastapi import APIRouter, Request
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse, Response
from starlette.datastructures import UploadFile

from hyalen.core.decisions.requests import AcceptDoubt, ReadRegions, SetWord, SubstitutePicture
from hyalen.core.decisions.shaping import PICTURE_ROLES
from hyalen.core.decisions.targets import region_of
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.names import delivery_stem
from hyalen.core.model.content import Region, Role
from hyalen.core.model.part import PartRead
from hyalen.store.records import NotFound
from hyalen.web.answers import changed_of, page_of
from hyalen.web.batches import check_languages
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import Changed, Edit, Id, Page, Picture, ReadAgain, Started, TemplateUse
from hyalen.web.services import Given, Services
from hyalen.web.uploads import FILE, described, form_of, name_of
from hyalen.work import jobs
from hyalen.work.parts import read_parts, write_alone

MOST_BLOCKS = 500  # of a page, as one file
router = APIRouter(tags=["pages"])
SHOWING_SECONDS = 30.0  # of a processor, to make a picture of an original that browsers do not show
READING_SECONDS = 120.0  # of a processor, for parts of a page
PICTURE = described("file", file=FILE)
FOREVER = {"Cache-Control": "public, max-age=31536000, immutable"}


@router.get("/pages/{page_id}")
def get_page(page_id: Id, given: Given) -> Page:
    return page_of(given.store, page_id)


@router.post("/pages/{page_id}/edits")
def edit(page_id: Id, change: Edit, given: Given) -> Changed:
    """Refused with 409 where the page was changed since `revision`."""
    decisions, operation = given.store.decisions, change.operation
    if isinstance(operation, SubstitutePicture):
        known = given.store.documents.pictures(given.store.pages.page(page_id).document_id)
        if operation.image not in ("", *known):
            raise BadRequest("No picture", "The document has no such picture; bring the file in first.")
    read = _read_for(given, page_id, change)
    if change.everywhere and isinstance(change.operation, SetWord):
        outcome = decisions.correct_everywhere(page_id, change.revision, change.operation)
    elif change.everywhere and isinstance(change.operation, AcceptDoubt):
        outcome = decisions.leave_everywhere(page_id, change.revision, change.operation)
    else:
        outcome = decisions.edit(page_id, change.revision, change.operation, read)
    return changed_of(given.store, given.store.pages.page(page_id).document_id, outcome)


def _read_for(given: Services, page_id: int, change: Edit) -> list[PartRead]:
    """What must be read before the change can be made."""
    if isinstance(change.operation, ReadRegions) and change.operation.languages:
        check_languages(list(change.operation.languages))
    wanted = given.store.decisions.wanted(page_id, change.revision, change.operation)
    page = given.store.pages.page(page_id)
    blob = page.read_blob or page.cleaned_blob
    if not wanted or blob is None or page.cleaned is None:
        return []
    path = str(given.store.blobs.path(blob))
    read: list[PartRead] = given.showing.do(read_parts, path, page.cleaned.dpi, wanted, seconds=READING_SECONDS)
    return read


@router.post("/pages/{page_id}/read", status_code=202)
def read_again(page_id: Id, wanted: ReadAgain, given: Given) -> Started:
    """Read again, perhaps in other languages; without `keep`, what was decided on the pages counts no more."""
    store = given.store
    if wanted.languages is not None:
        check_languages(wanted.languages)
    document_id = store.pages.page(page_id).document_id
    whole = wanted.pages == "document"
    here = [p.id for p in store.pages.states(document_id) if p.has_original]
    chosen = {"page": [page_id], "selection": [p for p in here if p in set(wanted.selection)], "document": here}
    pages = chosen[wanted.pages]
    with store.changing(document_id, wanted.revision):
        store.settings.read_again(document_id, pages, wanted.languages, whole, wanted.keep, wanted.text_from)
    given.foreman.wake()
    return Started(tasks=len(pages), revision=store.documents.document(document_id).revision)


@router.post("/pages/{page_id}/retry", status_code=202)
def retry(page_id: Id, given: Given) -> Started:
    """Take up a page again at the stage where it failed."""
    given.store.retry_page(page_id)
    given.foreman.wake()
    return Started(tasks=1)


@router.post("/pages/{page_id}/template")
def use_as_template(page_id: Id, wanted: TemplateUse, given: Given) -> Changed:
    """Give the page's blocks, tables and order to other pages of the same form; what was read on them stays."""
    document_id = given.store.pages.page(page_id).document_id
    pages = given.store.pages.ids(document_id) if wanted.pages is None else wanted.pages
    outcome = given.store.decisions.use_template(page_id, wanted.revision, pages, wanted.change or 0)
    return changed_of(given.store, document_id, outcome)


@router.get("/pages/{page_id}/regions/{region_ids}/{format_name}", response_class=Response)
def region_file(page_id: Id, region_ids: str, format_name: str, given: Given) -> Response:
    """One block by itself as a file of a format, or several, their ids parted by commas, in the order in which they are read."""
    page, content = given.store.pages.page(page_id), given.store.pages.content(page_id)
    if format_name not in FORMATS:
        raise NotFound("There is no such format.")
    blob = page.cleaned_blob
    if content is None or blob is None:
        raise BadRequest("Not read yet", "The page has not been read yet.", 409)
    wanted = {region_of(content, each).id for each in region_ids.split(",")[:MOST_BLOCKS]}
    chosen = tuple(map(_spoken, (r for r in content.everything if r.id in wanted)))
    region = chosen[0]
    if FORMATS[format_name].tables_only and not any(r.table for r in chosen):
        raise BadRequest("No table", "This format holds tables, and no block in hand is one.")
    document = given.store.documents.document(page.document_id)
    alone = content.model_copy(update={"regions": chosen, "artifacts": ()})
    pictures = {name: str(given.store.blobs.path(name)) for name in given.store.documents.pictures(document.id)}
    language = document.language or region.language or "eng"
    told = (document.title, language, alone, str(given.store.blobs.path(blob)), pictures)
    made: bytes = given.showing.do(write_alone, format_name, *told, seconds=READING_SECONDS)
    stem = f"{delivery_stem(document.source_name)}-page-{page.position + 1}-{region.role.value.replace('_', '-')}"
    name = f"{stem}.{FORMATS[format_name].ending}"
    headers = {"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"}
    return Response(made, media_type=FORMATS[format_name].media_type, headers=headers)


def _spoken(region: Region) -> Region:
    """A block as one that is read aloud: who asks for it by itself wants it said."""
    if not region.role.is_artifact:
        return region
    return region.model_copy(update={"role": PICTURE_ROLES.get(region.kind, Role.PARAGRAPH)})


@router.post("/pages/{page_id}/pictures", status_code=201, openapi_extra=PICTURE)
async def add_picture(page_id: Id, request: Request, given: Given) -> Picture:
    """Bring in an image that can stand in a picture's stead."""
    document_id = given.store.pages.page(page_id).document_id
    async with form_of(request, 1) as form:
        file = form.get("file")
        if not isinstance(file, UploadFile):
            raise BadRequest("No file", "The request brings no file.")
        return await run_in_threadpool(_kept_picture, given, document_id, file)


def _kept_picture(given: Services, document_id: int, file: UploadFile) -> Picture:
    limits, blobs = given.foreman.limits, given.store.blobs
    with blobs.held():
        try:
            came = blobs.put_stream(file.file, limits.bytes)
            made = given.showing.do(jobs.picture, str(blobs.path(came)), limits, seconds=SHOWING_SECONDS)
        except ValueError as error:
            raise BadRequest("No picture", f"{name_of(file)}: {error}.") from error
        blob = blobs.put(made.image)
        given.store.documents.keep_picture(document_id, blob)
    return Picture(image=blob, width=made.width, height=made.height)


@router.get("/pages/{page_id}/original", response_class=Response)
def original(page_id: Id, given: Given) -> Response:
    """The untouched scan, turned as its file states, in a form every browser shows."""
    scan = given.scanned(given.store.pages.page(page_id))
    kind, made = given.showing.do(jobs.rendition, scan.path, scan.stated_turn, seconds=SHOWING_SECONDS)
    if made is None:
        return FileResponse(scan.path, media_type=kind, headers=FOREVER)
    return Response(made, media_type=kind, headers=FOREVER)


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
