"""A server of its own, files of many pages, and the first steps in the interface."""

from __future__ import annotations

import io
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from dataclasses import replace
from pathlib import Path
from typing import Any

import httpx
import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import Locator, Page, expect

from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.content import PageContent
from hyalen.core.model.document import DocumentContent
from hyalen.core.model.treatment import Cleaned
from hyalen.core.structure.tree import StructureTree
from hyalen.store.records import TaskRecord
from hyalen.store.store import Store
from hyalen.work.attendant import Attendant
from hyalen.work.foreman import Foreman
from hyalen.work.jobs import PageRead
from hyalen.work.workers import Job, Workers

WAIT = 90_000
HERE = "http://127.0.0.1:8320"


class AtOnce(Workers):
    """Does each job here and now."""

    def capacity(self) -> int:
        return 1

    def submit(self, job: Job) -> Future[Any]:
        future: Future[Any] = Future()
        try:
            future.set_result(job.function(*job.arguments))
        except Exception as error:
            future.set_exception(error)
        return future

    def close(self) -> None:
        pass


AT_ONCE = Attendant(AtOnce)


def deliver(
    document: DocumentContent,
    image: Callable[[int], bytes],
    name: str,
    pictures: Callable[[str], bytes] | None = None,
    **options: Any,
) -> bytes:
    """A document as the bytes of a file."""
    file = io.BytesIO()
    told = DeliveryOptions(**options)
    tree = StructureTree(document.title, document.language, document.pages, told.join_tables)
    FORMATS[name].write(replace(tree, pictures=pictures) if pictures else tree, image, file, told)
    return file.getvalue()


def cleaned(left: int = 0, **more: Any) -> Cleaned:
    """A cleaning that cuts `left` pixels off an A4 page at 300 dpi."""
    values: dict[str, Any] = {"width": 2480 - left, "height": 3508, "dpi": 300, "turn": 0, "skew": 0, "trim": (left, 0, 2480, 3508),
              "to_original": (1.0, 0, left, 0, 1, 0, 0, 0, 1), "blank": False, "colour": False, "findings": ()}  # fmt: skip
    return Cleaned(**(values | more))


def waiting(store: Store, page_id: int, stage: str) -> TaskRecord:
    """The task that a page waits for."""
    return next(t for t in store.tasks.next(1000) if t.page_id == page_id and t.stage == stage)


def do(store: Store, task: TaskRecord, result: Cleaned | PageContent | None = None, image: str = "") -> bool:
    """Carry a task out as the foreman would, with a result that is made up."""
    assert store.tasks.begin(task.id)
    if isinstance(result, Cleaned):
        return store.course.cleaned(task, result, image or f"{task.id:064x}", image or "2" * 64, None)
    if isinstance(result, PageContent):
        return store.course.read(task, *PageRead.of(result))
    values = {"width": 2480, "height": 3508, "dpi": 300.0, "dpi_reason": "", "kind": "scanned", "stated_turn": 0}
    return store.course.brought_in(task, f"{task.page_id:064x}", values)


def read_page(store: Store, page_id: int, content: PageContent, how: Cleaned | None = None, image: str = "") -> None:
    """Take a page through all that it waits for, up to this content."""
    for stage, result in (("bring_in", None), ("clean", how or cleaned()), ("read", content)):
        for task in store.tasks.next(1000):
            if task.page_id == page_id and task.stage == stage:
                do(store, task, result, image)


def read_document(
    store: Store,
    contents: Sequence[PageContent],
    languages: Sequence[str] = ("eng",),
    image: str | Sequence[str] = "",
    how: Cleaned | None = None,
) -> tuple[int, list[int]]:
    """A document whose pages are read, and their ids; `image` is the file of all their pictures, or of each."""
    images = [image] * len(contents) if isinstance(image, str) else image
    with store.database.write():  # as one, so that no foreman takes a task meanwhile
        batch = store.documents.add_batch("b", list(languages))
        document = store.documents.add(batch, "Some scan.pdf", "0" * 64, len(contents))
        ids = store.pages.ids(document)
        for page_id, content, own in zip(ids, contents, images, strict=True):
            read_page(store, page_id, content, how, own)
    return document, ids


def many_pages(path: Path, scan: Path, count: int) -> Path:
    with Pillow.open(scan) as image:
        grey = image.convert("L")
        others = []
        for i in range(count - 1):
            # A mark of its own makes each page's bytes different.
            each = np.asarray(grey).copy()
            each[-20:-10, 10 + 5 * i : 12 + 5 * i] = 0
            others.append(Pillow.fromarray(each))
        grey.save(path, save_all=True, append_images=others, compression="tiff_lzw", dpi=(150, 150))
    return path


def until_idle(foreman: Foreman, seconds: float = 240) -> None:
    end = time.monotonic() + seconds
    while not foreman.idle():
        assert time.monotonic() < end, "the tasks do not come to an end"
        time.sleep(0.1)


class Server:
    """`hyalen serve` in a process of its own."""

    def __init__(self, data: Path, *told: str) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        command = [
            sys.executable,
            "-m",
            "hyalen.cli",
            "serve",
            "--data",
            str(data),
            "--port",
            str(self.port),
            "--workers",
            "2",
            *told,
        ]
        self.process = subprocess.Popen(command, start_new_session=True)
        # A connection that is kept may be closed by the server just as it is used again.
        fresh = httpx.Limits(max_keepalive_connections=0)
        self.http = httpx.Client(base_url=f"http://127.0.0.1:{self.port}/api", timeout=30, limits=fresh)
        end = time.monotonic() + 60
        while True:
            try:
                self.http.get("/about").raise_for_status()
                return
            except httpx.HTTPError:
                assert time.monotonic() < end and self.process.poll() is None, "the server does not start"
                time.sleep(0.2)

    def kill(self) -> None:
        """SIGKILL to the server and its workers, as when the machine goes."""
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()


def until(page: Page, met: Callable[[], bool]) -> None:
    """Wait for what the server keeps a little later than the screen shows it."""
    for _ in range(100):
        if met():
            return
        page.wait_for_timeout(100)
    raise AssertionError("the server did not come to it")


def begin(page: Page, name: str, *files: Path) -> None:
    page.get_by_role("button", name="New batch").click()
    page.get_by_label("Name").fill(name)
    page.get_by_role("button", name="Begin", exact=True).click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()
    page.set_input_files("#files", [str(f) for f in files])


def step(page: Page, name: str) -> Locator:
    """A step of the treatment, beside the sheet."""
    return page.locator(".step", has=page.get_by_text(name, exact=True))


def image_of(page: Page) -> str:
    return page.locator(".sheet > img").get_attribute("src") or ""
