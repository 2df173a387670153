"""Batches: bringing in, progress, delivery."""

from __future__ import annotations

from fastapi import APIRouter, Header, Request
from fastapi.concurrency import run_in_threadpool
from sse_starlette import EventSourceResponse
from starlette.datastructures import UploadFile

from hyalen import __version__
from hyalen.core.decisions.roles import roles_for
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.names import shown
from hyalen.core.languages import is_right_to_left, language_name, language_tag
from hyalen.core.model.content import RegionKind, Role
from hyalen.core.model.document import Particulars
from hyalen.core.proofing.doubts import SURE, Stage
from hyalen.core.read import AUTO
from hyalen.core.reading.engine import installed_languages
from hyalen.web import events
from hyalen.web.answers import batch_of
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import (
    About,
    Batch,
    BatchParticulars,
    BatchSummary,
    FileProblem,
    Format,
    Id,
    Intake,
    Language,
    NewBatch,
    Pause,
    RoleRule,
    Started,
    Watch,
)
from hyalen.web.services import Given, Services
from hyalen.web.uploads import FILE, described, form_of, name_of
from hyalen.work.foreman import Event
from hyalen.work.intake import Taken, refuse, take_in

router = APIRouter(tags=["batches"])
MOST_FILES = 20_000  # in one request


@router.get("/about")
def about(given: Given, accept_language: str = Header(default="en")) -> About:
    """Languages are named in the browser's own language."""
    reader = accept_language.split(",")[0].split(";")[0].strip() or "en"
    languages = [
        Language(code=c, tag=language_tag(c), name=language_name(c, reader), right_to_left=is_right_to_left(c))
        for c in installed_languages()
    ]
    return About(
        version=__version__,
        languages=sorted(languages, key=lambda each: each.name),
        formats=[
            Format(name=f.name, describes=f.describes, tables_only=f.tables_only, purpose=f.purpose)
            for f in FORMATS.values()
        ],
        roles=[
            RoleRule(role=role, artifact=role.is_artifact, kinds=[k for k in RegionKind if role in roles_for(k)])
            for role in Role
        ],
        stages=list(Stage),
        sure=SURE,
        largest_file=given.foreman.limits.bytes,
        lacks_space=given.foreman.lacks_space,
        post=shown(str(given.foreman.post)) if given.foreman.post else None,
        watches=given.inboxes.folder is not None,
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
    return batch_of(given, given.store.documents.add_batch(new.name.strip() or "Batch", new.languages))


@router.get("/batches/{batch_id}")
def get_batch(batch_id: Id, given: Given) -> Batch:
    return batch_of(given, batch_id)


@router.put("/batches/{batch_id}/particulars")
def tell_batch(batch_id: Id, wanted: BatchParticulars, given: Given) -> Batch:
    """What is told of each document of the batch that is brought in from now on."""
    store, told = given.store, wanted.particulars.model_dump(exclude_defaults=True)
    store.documents.tell_batch(batch_id, wanted.particulars)
    for document in store.documents.of_batch(batch_id) if wanted.fill else ():
        own = document.particulars.model_dump(exclude_defaults=True)
        if told | own != own:
            store.settings.tell(document.id, Particulars.model_validate(told | own))
    return batch_of(given, batch_id)


@router.delete("/batches/{batch_id}", status_code=204)
def delete_batch(batch_id: Id, given: Given) -> None:
    given.store.delete_batch(batch_id)
    given.foreman.tell(Event("batch", batch_id, state="deleted"))


MOST_RANGE = 1_000  # letters that name pages
MOST_PASSWORD = 500
FILES = described(
    "files",
    files={"type": "array", "items": FILE},
    pages={"type": "string", "description": "of each file, for example 1-3, 7; all where empty"},
    password={"type": "string", "description": "of files that open with one only"},
)


@router.post("/batches/{batch_id}/files", status_code=201, openapi_extra=FILES)
async def add_files(batch_id: Id, request: Request, given: Given) -> Intake:
    """Each file becomes a document or a problem; one bad file does not stop the others."""
    given.store.documents.batch(batch_id)
    async with form_of(request, MOST_FILES) as form:
        files = [each for each in form.getlist("files") if isinstance(each, UploadFile)]
        if not files:
            raise BadRequest("No files", "The request brings no files.")
        pages, password = (told if isinstance(told := form.get(name), str) else "" for name in ("pages", "password"))
        return await run_in_threadpool(_taken_in, given, batch_id, files, pages[:MOST_RANGE], password[:MOST_PASSWORD])


def _taken_in(given: Services, batch_id: int, files: list[UploadFile], pages: str, password: str) -> Intake:
    store, limits = given.store, given.foreman.limits
    taken: list[Taken] = []
    for file in files:
        name = name_of(file)
        with store.blobs.held():
            try:
                blob = store.blobs.put_stream(file.file, limits.bytes)
            except ValueError as error:
                taken.append(refuse(store, batch_id, name, f"the file is {error}"))
                continue
            taken += take_in(store, given.foreman.attendant, batch_id, name, blob, limits, pages, password)
    given.foreman.wake()
    given.foreman.tell(Event("batch", batch_id, state="files"))
    problems = [
        FileProblem(id=t.problem, file=t.name, reason=t.reason, locked=t.locked) for t in taken if t.problem is not None
    ]
    return Intake(documents=[t.document for t in taken if t.document is not None], problems=problems)


@router.delete("/batches/{batch_id}/problems/{problem_id}", status_code=204)
def dismiss_problem(batch_id: Id, problem_id: Id, given: Given) -> None:
    given.store.documents.dismiss_problem(batch_id, problem_id)


@router.post("/batches/{batch_id}/cancel")
def cancel(batch_id: Id, given: Given) -> Started:
    given.store.documents.batch(batch_id)
    count = given.store.tasks.cancel_batch(batch_id)
    given.foreman.tell(Event("batch", batch_id, state="cancelled"))
    return Started(tasks=count)


@router.put("/batches/{batch_id}/pause")
def pause(batch_id: Id, wanted: Pause, given: Given) -> Batch:
    """Have work on the batch rest, or go on; what runs comes to its end."""
    given.store.documents.pause(batch_id, wanted.paused)
    given.foreman.wake()
    given.foreman.tell(Event("batch", batch_id, state="paused" if wanted.paused else "resumed"))
    return batch_of(given, batch_id)


@router.put("/batches/{batch_id}/watch")
def watch_folder(batch_id: Id, wanted: Watch, given: Given) -> Batch:
    """Have a folder watched for the batch: what comes into it comes into the batch."""
    given.store.documents.batch(batch_id)
    try:
        given.inboxes.watch(batch_id, wanted.on)
    except ValueError as error:
        raise BadRequest("No folders", str(error)) from error
    return batch_of(given, batch_id)


@router.post("/batches/{batch_id}/retry")
def retry(batch_id: Id, given: Given) -> Started:
    given.store.documents.batch(batch_id)
    count = given.store.retry(batch_id)
    given.foreman.wake()
    given.foreman.tell(Event("batch", batch_id, state="retried"))
    return Started(tasks=count)


def check_languages(codes: list[str]) -> None:
    """Raise BadRequest where a language is not installed."""
    missing = [c for c in codes if c != AUTO and c not in installed_languages()]
    if missing or (AUTO in codes and len(codes) > 1):
        what = (
            f"No data is installed for {', '.join(missing)}." if missing else "Choose languages or automatic, not both."
        )
        raise BadRequest("Languages", what)
