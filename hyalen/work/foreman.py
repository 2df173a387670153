"""Takes waiting tasks from the store, has them done and writes down what came of them."""

from __future__ import annotations

import json
import logging
import threading
import time
from collections.abc import Callable, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass
from typing import Any

from hyalen.core.formats.deliver import DeliveryOptions
from hyalen.core.formats.names import free_name
from hyalen.core.formats.source import Limits, SourceError
from hyalen.core.model.treatment import Cleaned, Treatment
from hyalen.core.proofing.doubts import Stage
from hyalen.core.reading.engine import EngineError
from hyalen.store.database import Row
from hyalen.store.store import SETTLE, Store, unpacked
from hyalen.work import jobs
from hyalen.work.executors import make_executor

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Event:
    """Something happened that a screen may show."""

    kind: str
    batch_id: int
    document_id: int | None = None
    page_id: int | None = None
    stage: str = ""
    state: str = ""


class Foreman:
    """One thread that keeps the workers busy. Only it and the server's requests write to the store.

    Parameters
    ----------
    store : Store
    workers : int
    limits : Limits
    formats : sequence of str
        Delivered as soon as a document is read.
    """

    def __init__(
        self,
        store: Store,
        workers: int,
        limits: Limits | None = None,
        formats: Sequence[str] = (),
        options: DeliveryOptions | None = None,
        executor_factory: Callable[[int], Executor] = make_executor,
    ) -> None:
        self.store = store
        self.limits = limits or Limits()
        self.formats = tuple(formats)
        self.options = options or DeliveryOptions()
        self._workers = workers
        self._factory = executor_factory
        self._executor: Executor | None = None
        self._running: dict[Future[Any], Row] = {}
        self._suspects: list[Row] = []
        self._listeners: list[Callable[[Event], None]] = []
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None

    # Control

    def start(self) -> None:
        """Take up where the last run stopped."""
        recovered = self.store.recover_tasks()
        if recovered:
            log.info("%d unfinished tasks are taken up again", recovered)
        self._thread = threading.Thread(target=self._loop, name="foreman", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Let the running jobs end without taking new ones; what waits stays in the store."""
        self._stopping.set()
        self._wake.set()
        if self._thread:
            self._thread.join(timeout=30)
        if self._executor:
            self._executor.shutdown(wait=False, cancel_futures=True)

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
        return not self._running and not self._suspects and not self.store.has_open_tasks()

    # The loop

    def _loop(self) -> None:
        while not self._stopping.is_set():
            try:
                self._take()
                if not self._running and not self._suspects:
                    self._wake.wait(timeout=1.0)
                    self._wake.clear()
                    continue
                if not self._running:
                    continue
                done, _ = wait(self._running, timeout=0.25, return_when=FIRST_COMPLETED)
                if any(isinstance(f.exception(), BrokenProcessPool) for f in done):
                    self._after_crash()
                    continue
                for future in done:
                    self._finish(self._running.pop(future), future)
            except Exception:
                log.exception("the foreman met an error and goes on")
                time.sleep(0.5)

    def _take(self) -> None:
        if self._suspects:
            if not self._running:
                self._try_alone(self._suspects.pop(0))
            return
        room = self._workers + 2 - len(self._running)
        if room <= 0:
            return
        taken = [row["id"] for row in self._running.values()]
        for task in self.store.waiting_tasks(room, taken):
            if self._executor is None:
                self._executor = self._factory(self._workers)
            self._submit(task, self._executor)

    def _submit(self, task: Row, executor: Executor) -> None:
        self.store.set_task(task["id"], "running", attempt=True)
        try:
            future = executor.submit(*self._job(task))
        except BrokenProcessPool:
            self.store.set_task(task["id"], "waiting")
            self._after_crash()
            return
        except Exception as error:
            self._fail(task, error)
            return
        self._running[future] = task
        self._report(task, "running")

    def _job(self, task: Row) -> tuple[Any, ...]:
        """The function of a task and its arguments, read from the store."""
        store, settings = self.store, json.loads(task["settings"])
        if task["stage"] == Stage.DELIVER:
            options = DeliveryOptions.model_validate(settings.get("options", {}))
            return jobs.make_delivery, store.document_parts(task["document_id"]), settings["format"], options
        if task["stage"] == SETTLE:
            return jobs.settle, store.document_parts(task["document_id"])
        page = store.page(task["page_id"])
        if task["stage"] == Stage.BRING_IN:
            source = store.document(page["document_id"])["source_blob"]
            return jobs.bring_in, str(store.blobs.path(source)), page["source_index"], self.limits
        if task["stage"] == Stage.CLEAN:
            treatment = Treatment.model_validate_json(page["treatment"])
            reverse = store.arrangement.reverse_of(page)
            return (
                jobs.clean,
                self._original(page),
                treatment,
                store.page_languages(page),
                page["half"],
                store.cleaned(page["id"]),
                self._original(reverse) if reverse else None,
            )
        keep = unpacked(page["content"]) if page["content"] and settings.get("keep", True) else None
        cleaned = store.cleaned(page["id"])
        assert cleaned is not None
        before = settings.get("cleaned_before")
        moved = (Cleaned.model_validate(before), cleaned) if keep is not None and before else None
        image = store.blobs.get(page["read_blob"] or page["cleaned_blob"])
        return jobs.read, image, cleaned.dpi, store.page_languages(page), keep, moved

    def _original(self, page: Row) -> jobs.Original:
        return jobs.Original(
            self.store.blobs.get(page["original_blob"]), page["dpi"], page["stated_turn"], bool(page["dpi_reason"])
        )

    # Outcomes

    def _finish(self, task: Row, future: Future[Any]) -> None:
        try:
            result = future.result()
            self._write(task, result)
        except Exception as error:
            self._fail(task, error)
            return
        self._report(task, "done")

    def _write(self, task: Row, result: Any) -> None:
        store, stage = self.store, task["stage"]
        if stage == Stage.BRING_IN:
            values = {
                "width": result.width,
                "height": result.height,
                "dpi": result.dpi,
                "kind": result.kind.value,
                "dpi_reason": result.dpi_reason,
                "stated_turn": result.stated_turn,
            }
            store.page_brought_in(task, store.blobs.put(result.original), values)
        elif stage == Stage.CLEAN:
            image, thumb = store.blobs.put(result.image), store.blobs.put(result.thumb)
            read = store.blobs.put(result.read) if result.read else None
            store.page_cleaned(task, result.cleaned, image, thumb, read)
        elif stage == Stage.READ:
            label = "Read again" if json.loads(task["settings"]).get("again") else "Read"
            store.page_read(task, result, label)
        elif stage == SETTLE:
            store.document_settled(task, result.pages, result.language)
            for file_format in self.formats:
                self.ask_for_delivery(task["document_id"], file_format, self.options)
            self.tell(Event("document", task["batch_id"], task["document_id"], stage=SETTLE, state="done"))
        elif stage == Stage.DELIVER:
            settings = json.loads(task["settings"])
            document = store.document(task["document_id"])
            taken = {
                d["name"]
                for d in store.deliveries(task["batch_id"])
                if (d["document_id"], d["format"]) != (document["id"], settings["format"])
            }
            name = free_name(document["stem"], settings["format"], taken)
            store.document_delivered(
                task, settings["format"], name, store.blobs.put(result), len(result), settings["edition"]
            )

    def ask_for_delivery(self, document_id: int, file_format: str, options: DeliveryOptions | None = None) -> int:
        """A delivery task; its id."""
        settings = {
            "format": file_format,
            "edition": self.store.edition(document_id),
            "options": (options or DeliveryOptions()).model_dump(),
        }
        task_id = self.store.add_document_task(document_id, Stage.DELIVER, settings)
        self.wake()
        return task_id

    def _fail(self, task: Row, error: BaseException) -> None:
        known = isinstance(error, (SourceError, EngineError, ValueError, MemoryError))
        reason = str(error) if known and str(error) else f"{type(error).__name__}: {error}"
        if not known:
            log.error("task %s (%s) failed", task["id"], task["stage"], exc_info=error)
        try:
            self.store.page_failed(task, reason)
        except Exception:
            log.exception("the failure of task %s could not be written", task["id"])
        self._report(task, "failed")

    def _after_crash(self) -> None:
        """A worker died: every job it might have been is tried by itself, so that only the guilty one fails."""
        for future, task in list(self._running.items()):
            if future.done() and not future.cancelled() and future.exception() is None:
                self._finish(task, future)
            else:
                self._suspects.append(task)
        self._running.clear()
        if self._executor:
            self._executor.shutdown(wait=False, cancel_futures=True)
        self._executor = None
        log.warning("a worker process died; %d jobs are tried one by one", len(self._suspects))

    def _try_alone(self, task: Row) -> None:
        if self.store.task(task["id"])["state"] != "running":
            return
        alone = self._factory(1)
        try:
            self._finish(task, _settled(alone.submit(*self._job(task))))
        except BrokenProcessPool:
            self._fail(
                task,
                ValueError(
                    "The worker process died on this page, perhaps for want of memory. "
                    "The other pages went on; try it again, or scan it at a lower resolution."
                ),
            )
        except Exception as error:
            self._fail(task, error)
        finally:
            alone.shutdown(wait=False, cancel_futures=True)

    def _report(self, task: Row, state: str) -> None:
        self.tell(Event("task", task["batch_id"], task["document_id"], task["page_id"], task["stage"], state))


def _settled(future: Future[Any]) -> Future[Any]:
    """Wait for a future; raises BrokenProcessPool where its worker died."""
    error = future.exception()
    if isinstance(error, BrokenProcessPool):
        raise error
    return future
