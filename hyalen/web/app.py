"""The application: routers, the built front end, and the foreman that runs beside them."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from pathlib import Path
from threading import Thread

from fastapi import FastAPI
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import FileResponse
from fastapi.staticfiles import StaticFiles

from hyalen import __version__
from hyalen.core.formats.source import Limits
from hyalen.core.languages import frequency
from hyalen.core.proofing.chance import fitted
from hyalen.store.records import NotFound
from hyalen.store.store import Store
from hyalen.web import (
    batches,
    binding,
    bundles,
    checking,
    delivering,
    documents,
    errors,
    handing_out,
    pages,
    proofing,
    report,
    scanning,
    search,
    tagging,
    treatments,
)
from hyalen.web.guard import Guard
from hyalen.web.schemas import Problem
from hyalen.web.services import Services
from hyalen.work.attendant import Attendant
from hyalen.work.bundling import Bundling
from hyalen.work.foreman import Foreman
from hyalen.work.inbox import InboxKeeper
from hyalen.work.scanning import Scanning
from hyalen.work.workers import default_workers

PROBLEM = {"application/problem+json": {"schema": {"$ref": "#/components/schemas/Problem"}}}
STATIC = Path(__file__).parent / "static"


def _prepare() -> None:
    """Load what the first page that is shown, and the first word that is corrected, would wait for."""
    fitted()
    frequency("no 1", "eng")


def make_app(
    data: Path,
    workers: int | None = None,
    limits: Limits | None = None,
    post: Path | None = None,
    watch: Path | None = None,
) -> FastAPI:
    """The ASGI application over a data directory.

    What is made may be put into the folder `post`; in the folder `watch` each batch may have one that is watched.
    """
    store = Store(data)
    foreman = Foreman(store, workers or default_workers(), limits, post=post)

    showing, judging = Attendant(), Attendant()
    scans = Scanning(store, foreman, judging)
    inboxes = InboxKeeper(store, foreman, watch)
    bundling = Bundling(store, foreman, workers or default_workers())

    @asynccontextmanager
    async def lifespan(_: FastAPI) -> AsyncIterator[None]:
        await run_in_threadpool(foreman.start)
        Thread(target=_prepare, daemon=True).start()
        inboxes.start()
        bundling.start()
        yield
        await run_in_threadpool(inboxes.stop)
        await run_in_threadpool(bundling.stop)
        await run_in_threadpool(scans.close)
        await run_in_threadpool(foreman.stop)
        await run_in_threadpool(showing.close)
        await run_in_threadpool(judging.close)
        store.close()

    app = FastAPI(
        title="Hyalen",
        version=__version__,
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        separate_input_output_schemas=False,
        responses={
            "4XX": {"model": Problem, "description": "Refused, with the reason", "content": PROBLEM},
            "5XX": {"model": Problem, "description": "A fault, or no space left", "content": PROBLEM},
        },
    )
    app.state.services = Services(store, foreman, showing, scans, inboxes, bundling)
    app.add_middleware(Guard, largest_file=foreman.limits.bytes)
    errors.install(app)
    for router in (
        batches.router,
        binding.router,
        bundles.router,
        checking.router,
        delivering.router,
        documents.router,
        handing_out.router,
        pages.router,
        proofing.router,
        report.router,
        scanning.router,
        search.router,
        tagging.router,
        treatments.router,
    ):
        app.include_router(router, prefix="/api")
    if STATIC.is_dir():
        app.mount("/assets", StaticFiles(directory=STATIC / "assets"), name="assets")

        @app.get("/{path:path}", include_in_schema=False)
        def front_end(path: str) -> FileResponse:
            """Any other address is the single page's own."""
            if path.startswith("api/"):
                raise NotFound("There is no such address.")
            file = STATIC / path
            try:
                inside = file.resolve().is_relative_to(STATIC) and file.is_file()
            except (OSError, ValueError):  # longer than file systems allow
                inside = False
            # The page names hashed assets, so it must itself never be an old copy.
            kept = "public, max-age=86400" if inside and file.suffix == ".svg" else "no-cache"
            return FileResponse(file if inside else STATIC / "index.html", headers={"Cache-Control": kept})

    return app
