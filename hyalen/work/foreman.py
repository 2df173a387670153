"""Takes waiting tasks from the store, has them done and writes down what came of them."""

from __future__ import annotations

import logging
import shutil
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, wait
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.names import shown
from hyalen.core.formats.source import Limits
from hyalen.core.model.document import PageKind
from hyalen.core.model.text import fit
from hyalen.core.model.treatment import Colours
from hyalen.core.proofing.doubts import Stage
from hyalen.core.reading.engine import EngineError
from hyalen.store.deliveries import Order
from hyalen.store.records import NotFound, PageRecord, TaskRecord
from hyalen.store.store import Store
from hyalen.store.tasks import MOST_ATTEMPTS
from hyalen.work import jobs
from hyalen.work.attendant import WHY_NOT, Attendant, why
from hyalen.work.orders import file_name, orders, write_order
from hyalen.work.posting import put_into
from hyalen.work.trouble import is_full
from hyalen.work.workers import Job, WorkerLost, Workers, WorkersGone, make_workers

log = logging.getLogger(__name__)

AHEAD = 2  # tasks handed out beyond those that run, so that no worker waits for the next
# Seconds of a processor, and for each million pixels: many times what the slowest sound page took (cleaning 0.3, reading
# 1.5 a million pixels), because other machines are slower.
SECONDS = 60.0
CLEAN_SECONDS = 1.0
READ_SECONDS = 6.0
DELIVERY_SECONDS_A_PAGE = 10.0
LONGEST_PAUSE = 30.0  # seconds between two tries to find workers or space again
FIRST_PAUSE = 1.0
LEAST_SPACE = 50_000_000  # bytes: a page's images, the database's log


@dataclass(frozen=True)
class Event:
    """Something happened that a screen may show; `kind` is "task", "document", "batch", "scan", "bundle" or "space"."""

    kind: str
    batch_id: int = 0
    document_id: int | None = None
    page_id: int | None = None
    stage: str = ""
    state: str = ""
    bundle_id: int = 0


class Foreman:
    """One thread that keeps the workers busy. Only it and the server's requests write to the store.

    Parameters
    ----------
    store : Store
    workers : int
        Of the local pool; a cluster has as many as it has.
    limits : Limits
    formats : sequence of str
        Delivered as soon as a document is read.
    post : Path, optional
        The folder into which what is made is put where that is wanted.
    """

    def __init__(
        self,
        store: Store,
        workers: int,
        limits: Limits | None = None,
        formats: Sequence[str] = (),
        options: DeliveryOptions | None = None,
        make: Callable[[int], Workers] = make_workers,
        post: Path | None = None,
    ) -> None:
        self.store = store
        self.limits = limits or Limits()
        self.formats = tuple(formats)
        self.options = options or DeliveryOptions()
        self.post = post
        self._writing: dict[int, tuple[Path, Path]] = {}  # by task, the manuscript and the file of what is delivered
        self._count = workers
        self._make = make
        self._workers: Workers | None = None
        self._running: dict[Future[Any], TaskRecord] = {}
        self._listeners: list[Callable[[Event], None]] = []
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None
        self._pause = 0.0
        # Whether work rests for want of space, and what could not be written then and is put back when there is some.
        self.lacks_space = False
        self._owed: list[TaskRecord] = []
        self._space_pause = FIRST_PAUSE
        self.attendant = Attendant()

    # Control

    def start(self) -> None:
        """Take up where the last run stopped."""
        recovered = self.store.recover()
        if recovered:
            log.info("%d unfinished tasks are taken up again", recovered)
        self._thread = threading.Thread(target=self._loop, name="foreman", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End the workers; what ran and what waits stays in the store and is taken up at the next start."""
        self._stopping.set()
        self._wake.set()
        if self._thread:
            self._thread.join()
        self.attendant.close()

    def wake(self) -> None:
        """There may be new tasks."""
        self._wake.set()

    def listen(self, listener: Callable[[Event], None]) -> Callable[[], None]:
        """Call `listener` on each event, from the foreman's thread; returns what ends that."""
        self._listeners.append(listener)
        return lambda: self._listeners.remove(listener)

    def tell(self, event: Event) -> None:
        for listener in list(self._listeners):
            listener(event)

    def idle(self) -> bool:
        """Whether nothing waits and nothing runs."""
        return not self._running and not self.store.tasks.has_open()

    # The loop

    def _loop(self) -> None:
        while not self._stopping.is_set():
            try:
                if self.lacks_space and not self._pay():
                    self._wake.wait(timeout=self._space_pause)
                    self._wake.clear()
                    self._space_pause = min(LONGEST_PAUSE, 2 * self._space_pause)
                    continue
                self._take()
                if not self._running:
                    self._wake.wait(timeout=self._pause or 1.0)
                    self._wake.clear()
                    continue
                done, _ = wait(self._running, timeout=0.25, return_when=FIRST_COMPLETED)
                self._stop_cancelled()
                for future in done:
                    try:
                        self._finish(self._running[future], future)
                    finally:  # only now, so that nobody takes the foreman for idle meanwhile
                        self._running.pop(future, None)
            except Exception as error:
                if is_full(error):
                    self._rest()
                    continue
                log.exception("the foreman met an error and goes on")
                time.sleep(0.5)
        if self._workers:
            self._workers.close()

    def _rest(self, *tasks: TaskRecord) -> None:
        """Nothing can be written: what ran is owed, and nothing more is begun until there is space."""
        if not self.lacks_space:
            log.error("there is no space left in %s; work rests until there is some", self.store.directory)
            self.lacks_space = True
            self.tell(Event("space", state="none"))
        self._owed.extend(tasks)

    def _pay(self) -> bool:
        """Whether there is space again: then what was owed waits as before."""
        try:
            if shutil.disk_usage(self.store.directory).free < LEAST_SPACE:
                return False
            for task in self._owed:
                self.store.tasks.put_back(task.id, counted=False)
        except Exception as error:
            if not is_full(error):
                raise
            return False
        self._owed.clear()
        self.lacks_space = False
        log.error("there is space again; work goes on")
        self.tell(Event("space", state="some"))
        return True

    def _take(self) -> None:
        try:
            if self._workers is None:
                if not self.store.tasks.has_open():
                    return
                self._workers = self._make(self._count)
            cores = self._workers.capacity()
            room = cores + AHEAD - len(self._running)
            for task in self.store.tasks.next(room, last=cores) if room > 0 else []:
                self._submit(task, self._workers)
            self._pause = 0.0
        except WorkersGone as error:
            self._lose_workers(error)

    def _submit(self, task: TaskRecord, workers: Workers) -> None:
        if not self.store.tasks.begin(task.id):
            return
        try:
            future = workers.submit(self._job(task))
        except WorkersGone:
            self.store.tasks.put_back(task.id, counted=False)
            raise
        except Exception as error:
            self._fail(task, error)
            return
        self._running[future] = task
        self._report(task, "running")

    def _lose_workers(self, error: WorkersGone) -> None:
        """Nobody is there to work: what ran waits again, and new workers are sought after a pause that grows."""
        if not self._pause:
            log.warning("the workers are gone (%s); tasks wait until there are some again", error)
        for task in self._running.values():
            self.store.tasks.put_back(task.id, counted=False)
        self._running.clear()
        self._writing.clear()
        if self._workers is not None:
            with suppress(Exception):  # a cluster that is away cannot be told
                self._workers.close()
        self._workers = None
        self._pause = min(LONGEST_PAUSE, max(0.5, 2 * self._pause))

    # Jobs

    def _job(self, task: TaskRecord) -> Job:
        """The function of a task and its arguments, read from the store."""
        store = self.store
        if task.stage == Stage.DELIVER:
            return self._delivery(task)
        assert task.page_id is not None
        page, stage = store.pages.page(task.page_id), Stage(task.stage)
        if stage is Stage.BRING_IN:
            source, index = store.documents.source_of(page)
            return Job(jobs.bring_in, (str(store.blobs.path(source)), index, self.limits, page.told_dpi), SECONDS)
        if stage is Stage.CLEAN:
            reverse = store.pages.reverse(page)
            arguments = (
                self._original(page),
                page.wanted_treatment,
                store.pages.languages(page),
                page.half,
                page.cleaned,
                self._original(reverse) if reverse else None,
            )
            return Job(jobs.clean, arguments, SECONDS + CLEAN_SECONDS * _millions(page.width, page.height))
        assert page.cleaned is not None and page.cleaned_blob is not None
        image = store.blobs.get(page.read_blob or page.cleaned_blob)
        seconds = SECONDS + READ_SECONDS * _millions(page.cleaned.width, page.cleaned.height)
        languages = store.pages.languages(page)
        if page.own_text and (page.kind == PageKind.BORN_DIGITAL or page.text_from == "file"):
            source, index = store.documents.source_of(page)
            own = jobs.Own(str(store.blobs.path(source)), index, (page.width or 1, page.height or 1), page.kind or "")
            return Job(jobs.read_own, (image, page.cleaned, languages, own, page.text_from), seconds)
        shown = page.cleaned.colours is not Colours.BLACK_AND_WHITE
        return Job(jobs.read, (image, page.cleaned.dpi, languages, shown), seconds)

    def _original(self, page: PageRecord) -> jobs.Original:
        assert page.original_blob is not None
        data = self.store.blobs.get(page.original_blob)
        return jobs.Original(data, page.dpi, page.stated_turn, bool(page.dpi_reason), page.damage)

    def _delivery(self, task: TaskRecord) -> Job:
        order, blobs = Order.of(task), self.store.blobs
        manuscript, out = blobs.workplace(), blobs.workplace()
        try:
            pages = write_order(self.store, order, manuscript)
        except BaseException:
            for path in (manuscript, out):
                path.unlink(missing_ok=True)
            raise
        self._writing[task.id] = manuscript, out
        arguments = (str(manuscript), str(out), order.format, order.options)
        return Job(jobs.make_delivery, arguments, SECONDS + DELIVERY_SECONDS_A_PAGE * pages)

    def pages_reached(self, task_id: int) -> int:
        """How far a delivery has come."""
        writing = self._writing.get(task_id)
        return jobs.pages_reached(writing[1]) if writing else 0

    def _stop_cancelled(self) -> None:
        """What is being written and is not wanted any more stops at its next page."""
        for task_id, (manuscript, _) in list(self._writing.items()):
            if not self.store.tasks.is_running(task_id):
                manuscript.unlink(missing_ok=True)

    # Outcomes

    def _finish(self, task: TaskRecord, future: Future[Any]) -> None:
        self._writing.pop(task.id, None)
        with suppress(NotFound):
            task = self.store.tasks.task(task.id)  # its page may have gone to another document meanwhile
        error = future.exception()
        if isinstance(error, WorkersGone):
            self.store.tasks.put_back(task.id, counted=False)
            self._lose_workers(error)
        elif isinstance(error, WorkerLost):
            self._after_death(task)
        elif error is not None:
            self._fail(task, error)
        else:
            try:
                kept = self._keep(task, future.result())
                self._space_pause = FIRST_PAUSE
            except Exception as met:
                self._fail(task, met)
                return
            self._report(task, "done" if kept else "dropped")

    def _keep(self, task: TaskRecord, result: Any) -> bool:
        """Write a result; False where it is not wanted any more."""
        with self.store.blobs.held():
            kept = self._write(task, result)
        if kept and task.page_id is not None and not self.store.tasks.unread_pages(task.document_id):
            self._document_read(task)
        return kept

    def _write(self, task: TaskRecord, result: Any) -> bool:
        store, stage = self.store, task.stage
        if stage == Stage.BRING_IN:
            values = {
                "width": result.width,
                "height": result.height,
                "dpi": result.dpi,
                "kind": result.kind.value,
                "dpi_reason": result.dpi_reason,
                "stated_turn": result.stated_turn,
                "own_text": result.own_text,
                "damage": fit(result.damage),
            }
            return store.course.brought_in(task, store.blobs.put(result.original), values)
        if stage == Stage.CLEAN:
            image, thumb = store.blobs.put(result.image), store.blobs.put(result.thumb)
            return store.course.cleaned(task, result.cleaned, image, thumb, store.blobs.put(result.read))
        if stage == Stage.READ:
            return store.course.read(task, *result)
        order = Order.of(task)
        name = file_name(store, task.batch_id, order)
        blob = store.blobs.adopt(Path(result.path), result.digest)
        if order.options.post and store.tasks.is_running(task.id):  # what was cancelled meanwhile goes nowhere
            self._post(blob, name, FORMATS[order.format].ending)
        return store.deliveries.delivered(task, name, blob, result.size)

    def _post(self, blob: str, name: str, ending: str) -> None:
        """Put what was made into the folder that is meant for it, under a name that is free there.

        Raises
        ------
        ValueError
            If there is no such folder, or it cannot be written to.
        """
        if self.post is None:
            raise ValueError("There is no folder to post to; start Hyalen with --post DIR.")
        try:
            put_into(self.post, name, ending, self.store.blobs.path(blob))
        except OSError as error:
            raise ValueError(f"It could not be put into {shown(str(self.post))} ({error.strerror}).") from error

    def _document_read(self, task: TaskRecord) -> None:
        """All of a document's pages are read: it is told, and delivered where that is wanted."""
        self.tell(Event("document", task.batch_id, task.document_id, state="settled"))
        if self.formats and self.store.pages.read_ids(task.document_id):
            self.ask_for([task.document_id], self.formats, self.options)

    def ask_for(
        self, documents: Sequence[int], formats: Sequence[str], options: DeliveryOptions, made_by: str = ""
    ) -> int:
        """Have documents of a batch delivered; how many files that will be."""
        batch_id = self.store.documents.document(documents[0]).batch_id
        wanted = [each for name in formats for each in orders(self.store, documents, name, options, made_by)]
        for order in wanted:
            self.store.tasks.want_delivery(batch_id, order.documents[0], order.model_dump(mode="json"))
        self.wake()
        return len(wanted)

    def _after_death(self, task: TaskRecord) -> None:
        """Its worker died on it: it is tried again, until it has taken too many workers with it."""
        if self.store.tasks.task(task.id).attempts < MOST_ATTEMPTS:
            self.store.tasks.put_back(task.id)
            return
        self._fail(
            task,
            ValueError(
                f"The worker process died on this page {MOST_ATTEMPTS} times, perhaps for want of memory. "
                "The other pages went on; try it again, or scan it at a lower resolution."
            ),
        )

    def _fail(self, task: TaskRecord, error: BaseException) -> None:
        if is_full(error):
            self._rest(task)
            return
        if not isinstance(error, (ValueError, EngineError)) and type(error) not in WHY_NOT:
            log.error("task %s (%s) failed", task.id, task.stage, exc_info=error)
        try:
            self.store.course.failed(task, fit(why(error)))
            if task.page_id is not None and not self.store.tasks.unread_pages(task.document_id):
                self._document_read(task)
        except Exception as met:
            if is_full(met):
                self._rest(task)
                return
            log.exception("the failure of task %s could not be written", task.id)
        self._report(task, "failed")

    def _report(self, task: TaskRecord, state: str) -> None:
        self.tell(Event("task", task.batch_id, task.document_id, task.page_id, task.stage, state))


def _millions(width: int | None, height: int | None) -> float:
    return (width or 0) * (height or 0) / 1e6
