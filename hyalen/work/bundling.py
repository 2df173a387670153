"""Makes bundles: first what has changed of their documents, then the whole of them. One at a time, as they were asked for."""

from __future__ import annotations

import logging
import shutil
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, wait
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

from hyalen.core.bundling.arranging import keep
from hyalen.core.bundling.volumes import Volume, volumes
from hyalen.core.formats.bundle_pdf import BundleOrder
from hyalen.core.formats.format import DeliveryOptions, Quality
from hyalen.core.formats.names import delivery_stem
from hyalen.core.model.bundle import LateRule
from hyalen.core.model.text import fit
from hyalen.store.bundles import BundleFile, BundleTask, BundleWish, FileKind, Part
from hyalen.store.deliveries import Order
from hyalen.store.records import NotFound
from hyalen.store.store import Store
from hyalen.work.attendant import why
from hyalen.work.bundle_jobs import (
    Made,
    MadeBundle,
    MadePart,
    bundle_progress,
    front_pages,
    make_bundle,
    make_front,
    make_part,
)
from hyalen.work.bundle_orders import (
    Ready,
    View,
    changes_of,
    changes_table,
    edition_of,
    index_table,
    issue_now,
    page_marks,
    pdf_order,
    view_of,
)
from hyalen.work.foreman import Event, Foreman
from hyalen.work.orders import write_order
from hyalen.work.workers import Job, Workers, WorkersGone, make_workers

log = logging.getLogger(__name__)

SECONDS, SECONDS_A_PAGE = 120.0, 10.0
WHOLE_SECONDS_A_PAGE = 0.5
A_ROW = 600  # bytes of the index, measured: 350 to 500
FRONT = 120_000  # bytes of what each file has beside its pages: faces, metadata
TRIES = 5  # to find volumes that are small enough
SPARE = 0.97
PAUSE = 1.0
RESTING = 60.0  # seconds for which workers are kept that have nothing to do


class NotWanted(Exception):
    """It was cancelled."""


class Progress(NamedTuple):
    """What is being done for a bundle, and how much of it."""

    phase: str = ""
    done: int = 0
    total: int = 0


class Bundling:
    """A thread that makes what is asked for."""

    def __init__(
        self, store: Store, foreman: Foreman, workers: int, make: Callable[[int], Workers] = make_workers
    ) -> None:
        self.store = store
        self.foreman = foreman
        self._count = workers
        self._make = make
        self._workers: Workers | None = None
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None
        self._progress: dict[int, Progress] = {}
        self._watched: dict[int, Path] = {}  # by bundle, the file that is being written

    def start(self) -> None:
        self._thread = threading.Thread(target=self._loop, name="bundling", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        self._stopping.set()
        self._wake.set()
        if self._thread:
            self._thread.join()
        self._close()

    def ask_for(self, bundle_id: int, wish: BundleWish) -> int:
        task = self.store.bundles.want(bundle_id, wish)
        self._wake.set()
        return task

    def cancel(self, bundle_id: int) -> None:
        self.store.bundles.cancel(bundle_id)
        self._wake.set()

    def idle(self) -> bool:
        return not self._progress and not self.store.bundles.has_open()

    def progress(self, bundle_id: int) -> Progress:
        told = self._progress.get(bundle_id, Progress())
        out = self._watched.get(bundle_id)
        phase, at, count = bundle_progress(out) if out else ("", 0, 0)
        return Progress(phase, at, count) if phase else told

    # The loop

    def _loop(self) -> None:
        rest = 0.0
        while not self._stopping.is_set():
            try:
                task = self.store.bundles.next_task()
                if task is not None:
                    self._do(task)
                    rest = time.monotonic() + RESTING
                    continue
                if time.monotonic() > rest:
                    self._close()
                self._wake.wait(timeout=PAUSE)
                self._wake.clear()
            except Exception:
                log.exception("making bundles met an error and goes on")
                self._stopping.wait(PAUSE)

    def _do(self, task: BundleTask) -> None:
        self._progress[task.bundle_id] = Progress("documents")
        self._tell(task.bundle_id, "running")
        try:
            _Making(self, task).make()
            self.store.bundles.end_task(task.id, "done")
        except NotWanted:  # where the server ends, it waits again at the next start
            self._close()
        except WorkersGone as error:
            log.warning("the workers are gone (%s); the bundle is tried again", error)
            self._close()
            self.store.bundles.put_back(task.id)
            self._stopping.wait(PAUSE)
        except NotFound:
            pass  # it was deleted meanwhile
        except Exception as error:
            if not isinstance(error, ValueError):
                log.exception("bundle %s failed", task.bundle_id)
            self.store.bundles.end_task(task.id, "failed", fit(why(error)))
        finally:
            self._progress.pop(task.bundle_id, None)
            self._watched.pop(task.bundle_id, None)
            self._tell(task.bundle_id, "ended")

    def _tell(self, bundle_id: int, state: str) -> None:
        self.foreman.tell(Event("bundle", state=state, bundle_id=bundle_id))

    def note(self, bundle_id: int, phase: str, done: int, count: int) -> None:
        self._progress[bundle_id] = Progress(phase, done, count)

    def workers(self) -> Workers:
        if self._workers is None:
            self._workers = self._make(self._count)
        return self._workers

    def _close(self) -> None:
        if self._workers is not None:
            self._workers.close()
        self._workers = None

    def check(self, task_id: int) -> None:
        """Raise NotWanted where a task is not wanted any more, or the server ends."""
        if self._stopping.is_set() or not self.store.bundles.is_wanted(task_id):
            raise NotWanted

    @contextmanager
    def writing(self, bundle_id: int) -> Iterator[Path]:
        """A file that a worker writes, watched for its progress."""
        out = self.store.blobs.workplace()
        self._watched[bundle_id] = out
        try:
            yield out
        except NotWanted:
            self._close()  # nothing is written any more
            raise
        finally:
            self._watched.pop(bundle_id, None)
            for left in out.parent.glob(f"{out.name}*"):
                if left.is_dir():
                    shutil.rmtree(left, ignore_errors=True)
                else:
                    left.unlink(missing_ok=True)


class _Making:
    """One task's files."""

    def __init__(self, bundling: Bundling, task: BundleTask) -> None:
        self.bundling, self.task, self.wish = bundling, task, task.wish
        self.store = bundling.store
        self.view: View = view_of(self.store, task.bundle_id)
        self.issue = issue_now(self.store, self.view)
        self.edition = edition_of(self.view, self.issue)
        self.remarks: list[str] = [self.view.plan.trouble] if self.view.plan.trouble else []

    def make(self) -> None:
        bundle, wish, store = self.view.bundle, self.wish, self.store
        changed = changes_of(store, self.view, self.issue)
        if "supplement" in wish.kinds and changed is None:
            raise ValueError("The bundle was never delivered, so nothing can have changed since; deliver it first.")
        if changed is not None and not changed.told and wish.kinds == ("supplement",):
            raise ValueError("Nothing has changed since the bundle was last delivered.")
        whole = {"pdf", "supplement"} & set(wish.kinds)
        ready = self._ready() if whole else Ready({}, {}, {})
        files: list[BundleFile] = []
        old = {f.blob for f in store.bundles.files(bundle.id) if f.kind in wish.kinds}
        if "pdf" in wish.kinds:
            files += self._volumes(ready)
        if "supplement" in wish.kinds and changed is not None and changed.told:
            front = [changes_table(changed, self.view)]
            order = pdf_order(self.view, ready, front, changed.sheets, f"{bundle.name}, supplement")
            order = order.model_copy(update={"right_hand": False})
            files.append(self._assembled(order, "supplement", f"{bundle.name} supplement", 0))
        for kind in ("docx", "xlsx"):
            if kind in wish.kinds:
                files.append(self._front(kind))
        self.bundling.check(self.task.id)
        with store.database.write():
            store.bundles.keep_files(bundle.id, wish.kinds, files)
            if whole:
                self._issue()
        store.drop_files(old)

    def _issue(self) -> None:
        """What was delivered is remembered, and its numbers stay."""
        bundles, bundle = self.store.bundles, self.view.bundle
        bundles.keep_issue(bundle.id, self.issue)
        now = bundles.bundle(bundle.id)
        same = now.state.entries == bundle.state.entries and now.state.rules == bundle.state.rules
        if bundle.state.rules.late is LateRule.LETTERS and same:
            bundles.keep_numbers(bundle.id, lambda state: keep(state, self.view.plan))

    # Parts

    def _ready(self) -> Ready:
        """Every document's part; only those that have changed are made anew."""
        store, bundle = self.store, self.view.bundle
        wanted = {
            e.document_id: list(i.pages)
            for e, i in zip(bundle.state.entries, self.view.inside, strict=True)
            if e.document_id is not None and i.pages
        }
        known = store.bundles.parts(bundle.id)
        lacking: list[tuple[int, str]] = []
        every = store.bundles.marks_of_pages(bundle.id, [p for pages in wanted.values() for p in pages])
        for document_id, pages in wanted.items():
            marks = {page: every[page] for page in pages if page in every}
            edition = store.bundles.part_edition(bundle.id, document_id, marks, bundle.state.rules.quality)
            part = known.get(document_id)
            if part is None or part.edition != edition or not store.blobs.path(part.blob).exists():
                lacking.append((document_id, edition))
        troubles = self._parts(lacking, wanted)
        store.bundles.drop_parts(bundle.id, list(wanted))
        store.drop_files({p.blob for d, p in known.items() if d not in wanted or any(d == x for x, _ in lacking)})
        parts = {d: p for d, p in store.bundles.parts(bundle.id).items() if d in wanted and d not in troubles}
        self._remark(troubles, wanted, [d for d, p in parts.items() if not p.met])
        paths = {d: str(store.blobs.path(p.blob)) for d, p in parts.items()}
        return Ready(paths, troubles, {d: p.size // max(1, len(wanted[d])) for d, p in parts.items()})

    def _remark(self, troubles: dict[int, str], wanted: dict[int, list[int]], unmet: Sequence[int]) -> None:
        titles = {self.view.bundle.state.entries[r.entry].document_id: r.title for r in self.view.plan.rows}
        self.remarks += [f"{titles[d]} could not be put in: {told}" for d, told in troubles.items()]
        for entry, inside in zip(self.view.bundle.state.entries, self.view.inside, strict=True):
            if inside.trouble:
                self.remarks.append(f"{entry.known_as or inside.title} could not be put in: {inside.trouble}")
        for document_id in wanted:
            if lost := self.store.pages.unread(document_id):
                pages = ", ".join(str(p + 1) for p in lost[:20])
                self.remarks.append(f"{titles[document_id]}: page {pages} was never read and is left out.")
            for caution in self.store.documents.document(document_id).cautions:
                self.remarks.append(f"{titles[document_id]}: {caution}.")
        if unmet:
            named = ", ".join(titles[d] for d in unmet[:10])
            more = f" and {len(unmet) - 10} more" if len(unmet) > 10 else ""
            self.remarks.append(f"It cannot say that it is PDF/UA because of {named}{more}: see their Check.")

    def _parts(self, lacking: Sequence[tuple[int, str]], wanted: dict[int, list[int]]) -> dict[int, str]:
        """Make parts, as many at once as there are workers; why some could not be."""
        troubles: dict[int, str] = {}
        waiting = list(lacking)
        running: list[tuple[Future[Any], int, str, tuple[Path, Path]]] = []
        self.bundling.note(self.task.bundle_id, "documents", 0, len(lacking))
        try:
            while waiting or running:
                self.bundling.check(self.task.id)
                while waiting and len(running) <= self.bundling.workers().capacity():
                    document_id, edition = waiting.pop(0)
                    try:
                        running.append(self._begin(document_id, edition, wanted[document_id]))
                    except (ValueError, NotFound, OSError) as error:
                        troubles[document_id] = fit(why(error))
                for each in [r for r in running if r[0].done()]:
                    running.remove(each)
                    self._keep_part(each, troubles)
                    done = len(lacking) - len(waiting) - len(running)
                    self.bundling.note(self.task.bundle_id, "documents", done, len(lacking))
                if running:
                    wait([each[0] for each in running], timeout=0.2, return_when=FIRST_COMPLETED)
        finally:
            for _, _, _, paths in running:
                for path in paths:
                    path.unlink(missing_ok=True)
        return troubles

    def _begin(
        self, document_id: int, edition: str, pages: Sequence[int]
    ) -> tuple[Future[Any], int, str, tuple[Path, Path]]:
        store = self.store
        manuscript, out = store.blobs.workplace(), store.blobs.workplace()
        try:
            options = DeliveryOptions(quality=Quality(self.view.bundle.state.rules.quality))
            if store.pages.read_ids(document_id) != list(pages):
                raise ValueError("It was changed while the bundle was made; make the bundle again.")
            write_order(store, Order(format="pdf", edition="", options=options, documents=(document_id,)), manuscript)
            marks = page_marks(store, store.bundles.marks_of_pages(self.task.bundle_id, pages), pages)
            arguments = (str(manuscript), str(out), f"d{document_id}", options, marks)
            job = Job(make_part, arguments, SECONDS + SECONDS_A_PAGE * len(pages))
            return self.bundling.workers().submit(job), document_id, edition, (manuscript, out)
        except BaseException:
            for path in (manuscript, out):
                path.unlink(missing_ok=True)
            raise

    def _keep_part(self, made: tuple[Future[Any], int, str, tuple[Path, Path]], troubles: dict[int, str]) -> None:
        future, document_id, edition, paths = made
        error = future.exception()
        if isinstance(error, WorkersGone):
            raise error
        if error is not None:
            troubles[document_id] = fit(why(error))
            for path in paths:
                path.unlink(missing_ok=True)
            return
        part: MadePart = future.result()
        with self.store.blobs.held():
            blob = self.store.blobs.adopt(Path(part.made.path), part.made.digest)
            self.store.bundles.keep_part(
                self.task.bundle_id, Part(document_id, edition, blob, part.made.size, part.met)
            )

    # Files

    def _volumes(self, ready: Ready) -> list[BundleFile]:
        view, wish = self.view, self.wish
        rules, sheets = view.bundle.state.rules, view.plan.sheets
        if not wish.most_pages and not wish.most_bytes:
            whole = [Volume(0, len(sheets))]
            return [self._volume(ready, whole, 0)]
        entries = view.bundle.state.entries
        sizes = [ready.sizes.get(entries[s.entry].document_id or 0, 5_000) for s in sheets]
        counted = [index_table(view, [Volume(0, 0), Volume(0, len(sheets))], 1)] if rules.index else []
        front = self._run(front_pages, counted) if counted else 0
        front += front % 2 if rules.right_hand else 0
        extra = FRONT + A_ROW * len(view.plan.rows) if rules.index else FRONT
        room = wish.most_bytes
        for _ in range(TRIES):
            found = volumes(sheets, sizes, wish.most_pages, room, front, extra, rules.right_hand)
            files: list[BundleFile] = []
            for at in range(len(found)):
                files.append(self._volume(ready, found, at))
                if wish.most_bytes and files[-1].size > wish.most_bytes:
                    break
            else:
                return files
            self.store.drop_files({f.blob for f in files})
            room = int(room * SPARE * wish.most_bytes / files[-1].size)
        raise ValueError("No volumes were found that are small enough; allow them more.")

    def _volume(self, ready: Ready, found: Sequence[Volume], at: int) -> BundleFile:
        view = self.view
        several, number = len(found) > 1, f" volume {at + 1}" if len(found) > 1 else ""
        front = [index_table(view, found, at)] if view.bundle.state.rules.index else []
        which = range(found[at].first, found[at].end)
        title = f"{view.bundle.name}, volume {at + 1} of {len(found)}" if several else view.bundle.name
        order = pdf_order(view, ready, front, which, title)
        return self._assembled(order, "pdf", view.bundle.name + number, at + 1 if several else 0)

    def _assembled(self, order: BundleOrder, kind: FileKind, name: str, volume: int) -> BundleFile:
        told = self.store.blobs.workplace()
        told.write_text(order.model_dump_json(exclude_defaults=True), encoding="utf8")
        with self.bundling.writing(self.task.bundle_id) as out:
            try:
                seconds = SECONDS + WHOLE_SECONDS_A_PAGE * len(order.sheets)
                made: MadeBundle = self._run(make_bundle, str(told), str(out), seconds=seconds)
                return self._file(made.made, kind, f"{delivery_stem(name + '.x')}.pdf", volume, made.assembled.pages)
            finally:
                told.unlink(missing_ok=True)

    def _front(self, kind: Any) -> BundleFile:
        view = self.view
        with self.bundling.writing(self.task.bundle_id) as out:
            arguments = (kind, index_table(view), view.bundle.name, view.bundle.state.rules.language, str(out))
            made: Made = self._run(make_front, *arguments)
            return self._file(made, kind, f"{delivery_stem(view.bundle.name + ' index.x')}.{kind}", 0, 0)

    def _file(self, made: Made, kind: FileKind, name: str, volume: int, pages: int) -> BundleFile:
        with self.store.blobs.held():
            blob = self.store.blobs.adopt(Path(made.path), made.digest)
        remarks = self.remarks if kind in ("pdf", "supplement") else []
        return BundleFile(
            0, self.task.bundle_id, name, kind, volume, pages, blob, made.size, self.edition, remarks,
            self.wish.made_by, 0.0,
        )  # fmt: skip

    def _run(self, function: Callable[..., Any], *arguments: Any, seconds: float = SECONDS) -> Any:
        """A job's result, unless the task is cancelled meanwhile."""
        future = self.bundling.workers().submit(Job(function, arguments, seconds))
        while True:
            try:
                return future.result(timeout=0.25)
            except TimeoutError:
                if future.done():
                    raise
                self.bundling.check(self.task.id)
