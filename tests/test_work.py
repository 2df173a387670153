"""Durable tasks: kills, crashes, limits, lost workers, cancelling."""

from __future__ import annotations

import os
import signal
import threading
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import psutil
import pytest
from PIL import Image as Pillow

from bench.material import Case
from hyalen.core.formats.codecs import decode
from hyalen.core.formats.source import Limits
from hyalen.core.imaging.clean import clean_page
from hyalen.core.model.treatment import Treatment
from hyalen.core.reading.upright import find_turn
from hyalen.demo.spoil import AGED, Spoiling, spoil, spread
from hyalen.store.store import Store
from hyalen.work import jobs
from hyalen.work.foreman import Event, Foreman
from hyalen.work.intake import take_in_file
from hyalen.work.workers import ClusterWorkers, Job, LocalWorkers, WorkerLost, Workers, WorkersGone, make_workers
from tests.conftest import Pages
from tests.helpers import AT_ONCE, Server, many_pages, until_idle


@pytest.fixture
def store(data: Path) -> Iterator[Store]:
    made = Store(data)
    yield made
    made.close()


def bring_in(store: Store, *paths: Path) -> tuple[int, list[int]]:
    batch = store.documents.add_batch("b", ["eng"])
    found = [take_in_file(store, AT_ONCE, batch, path, Limits())[0].document for path in paths]
    return batch, [d for d in found if d is not None]


def test_a_killed_server_finishes_the_batch_and_keeps_the_clerks_edits(
    data: Path, tmp_path: Path, small_scan: Path
) -> None:
    pages = 8
    scan = many_pages(tmp_path / "eight.tif", small_scan, pages)
    server = Server(data)
    batch = server.http.post("/batches", json={"name": "b", "languages": ["eng"]}).json()["id"]
    with scan.open("rb") as file:
        (document,) = server.http.post(f"/batches/{batch}/files", files={"files": ("eight.tif", file)}).json()[
            "documents"
        ]
    end = time.monotonic() + 120
    while True:
        found = server.http.get(f"/documents/{document}").json()
        read = [p for p in found["pages"] if p["has_content"]]
        if read:
            break
        assert time.monotonic() < end
        time.sleep(0.1)
    assert len(read) < pages, "too fast to be killed in the middle"
    page = server.http.get(f"/pages/{read[0]['id']}").json()
    word = page["content"]["regions"][0]["lines"][0]["words"][0]["id"]
    answer = server.http.post(
        f"/pages/{page['id']}/edits",
        json={"revision": page["revision"], "operation": {"op": "set_word", "word_id": word, "text": "Corrected"}},
    )
    answer.raise_for_status()
    workers = psutil.Process(server.process.pid).children(recursive=True)
    server.process.kill()  # the server alone: its workers must end by themselves
    server.process.wait()
    _, alive = psutil.wait_procs(workers, timeout=20)
    assert alive == []

    again = Server(data)
    try:
        end = time.monotonic() + 180
        while True:
            progress = again.http.get(f"/batches/{batch}").json()["progress"]
            if progress.get("read", {}).get("done", 0) == pages:
                break
            assert time.monotonic() < end, progress
            time.sleep(0.3)
        time.sleep(1.0)
        state = again.http.get(f"/batches/{batch}").json()
        # Nothing was done a second time.
        assert state["progress"] == {stage: {"done": pages} for stage in ("bring_in", "clean", "read")}
        kept = again.http.get(f"/pages/{page['id']}").json()
        words = [
            w for r in kept["content"]["regions"] + kept["content"]["artifacts"] for x in r["lines"] for w in x["words"]
        ]
        assert [w["text"] for w in words if w["state"] == "corrected"] == ["Corrected"]
    finally:
        again.kill()


# Workers


def sleep(seconds: float) -> str:
    time.sleep(seconds)
    return "done"


def die(_: object) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def test_a_job_that_takes_too_long_is_ended_and_the_others_go_on() -> None:
    workers = LocalWorkers(1)
    try:
        assert workers.capacity() == 1
        late, next_one = workers.submit(Job(sleep, (60,), 0.5)), workers.submit(Job(sleep, (0,), 30))
        with pytest.raises(TimeoutError):
            late.result(timeout=30)
        assert next_one.result(timeout=30) == "done"
        with pytest.raises(WorkerLost):
            workers.submit(Job(die, (0,), 30)).result(timeout=30)
        assert workers.submit(Job(sleep, (0,), 30)).result(timeout=30) == "done"
    finally:
        workers.close()


def test_a_cluster_takes_the_jobs_and_its_loss_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    from distributed import LocalCluster

    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=None) as cluster:
        monkeypatch.setenv("HYALEN_SCHEDULER", cluster.scheduler_address)
        workers = make_workers(7)
        assert isinstance(workers, ClusterWorkers) and workers.capacity() == 2
        assert workers.submit(Job(sleep, (0,), 30)).result(timeout=60) == "done"
        with pytest.raises(TimeoutError):
            workers.submit(Job(sleep, (5,), 0.2)).result(timeout=60)
        running = workers.submit(Job(sleep, (20,), 30))
        cluster.close()
        with pytest.raises((WorkersGone, WorkerLost)):
            running.result(timeout=60)
    with pytest.raises(WorkersGone):
        workers.submit(Job(sleep, (0,), 30)).result(timeout=60)
    workers.close()


class Fragile(Workers):
    """Does jobs in its own thread; now and then it loses everything."""

    def __init__(self, losses: list[Callable[[Future[Any]], object]]) -> None:
        self.losses = losses

    def capacity(self) -> int:
        return 1

    def submit(self, job: Job) -> Future[Any]:
        future: Future[Any] = Future()
        if self.losses:
            self.losses.pop()(future)
            return future

        def run() -> None:
            try:
                future.set_result(job.function(*job.arguments))
            except Exception as error:
                future.set_exception(error)

        threading.Thread(target=run).start()
        return future

    def close(self) -> None:
        pass


def gone(_: Future[Any]) -> None:
    raise WorkersGone("the cluster is away")


def test_lost_workers_and_dropped_jobs_are_survived(store: Store, small_scan: Path) -> None:
    batch, (document,) = bring_in(store, small_scan)
    losses = [
        gone,
        lambda f: f.set_exception(WorkersGone("dropped")),
        lambda f: f.set_exception(WorkerLost("died")),
        gone,
    ]
    foreman = Foreman(store, 1, make=lambda _: Fragile(losses))
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    assert losses == [] and store.tasks.failed(batch) == [] and store.pages.states(document)[0].has_content


def test_a_page_that_kills_its_worker_is_put_aside_with_its_reason(
    store: Store, tmp_path: Path, small_scan: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    batch, documents = bring_in(store, small_scan, small_scan, small_scan)
    bad = store.pages.ids(documents[1])[0]
    plain = Foreman._job

    def job(self: Foreman, task: Any) -> Job:
        made = plain(self, task)
        return made._replace(function=die, arguments=(0,)) if task.page_id == bad and task.stage == "read" else made

    monkeypatch.setattr(Foreman, "_job", job)
    foreman = Foreman(store, 2)
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    assert [store.pages.states(d)[0].has_content for d in documents] == [True, False, True]
    (failed,) = store.tasks.failed(batch)
    assert failed.task.page_id == bad and "3 times" in failed.task.reason and failed.task.attempts == 3


def test_cancel_stops_and_retry_goes_on(store: Store, tmp_path: Path, small_scan: Path) -> None:
    batch, _ = bring_in(store, many_pages(tmp_path / "s.tif", small_scan, 5))
    foreman = Foreman(store, 1)
    heard: list[Event] = []
    foreman.listen(heard.append)
    foreman.start()
    while not any(e.stage == "clean" for e in heard):
        time.sleep(0.05)
    store.tasks.cancel_batch(batch)
    until_idle(foreman)
    done = store.tasks.progress(batch).get("read", {}).get("done", 0)
    states = {s for found in store.tasks.progress(batch).values() for s in found}
    assert done < 5 and states <= {"done", "cancelled"}
    assert store.retry(batch) > 0
    foreman.wake()
    until_idle(foreman)
    foreman.stop()
    assert store.tasks.progress(batch)["read"] == {"done": 5}


def worker_processes() -> list[psutil.Process]:
    """This process's own workers; a server that another test keeps has workers too."""
    found = []
    for child in psutil.Process().children():
        with suppress(psutil.Error):  # another test's may be ending just now
            if "forkserver" in " ".join(child.cmdline()):
                found += child.children()
    return found


def test_a_pool_that_broke_leaves_no_worker_behind_and_the_page_is_read_by_the_next(
    store: Store, small_scan: Path
) -> None:
    before = worker_processes()
    made: list[Workers] = []

    def broken_first(count: int) -> Workers:
        made.append(make_workers(count))
        if len(made) == 1:  # a worker that dies while it has nothing to do breaks the pool
            made[0].submit(Job(sleep, (0,), 30)).result(timeout=60)
            next(p for p in worker_processes() if p not in before).kill()
            time.sleep(2)
        return made[-1]

    batch, _ = bring_in(store, small_scan)
    foreman = Foreman(store, 2, make=broken_first)
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    assert store.tasks.progress(batch)["read"] == {"done": 1}
    assert len(made) == 2 and [p for p in worker_processes() if p not in before] == []


def test_a_stop_ends_the_workers_and_the_next_start_goes_on(store: Store, tmp_path: Path, small_scan: Path) -> None:
    batch, (document,) = bring_in(store, many_pages(tmp_path / "s.tif", small_scan, 3))
    foreman = Foreman(store, 2)
    heard = threading.Event()
    foreman.listen(lambda event: heard.set() if event.stage == "clean" else None)
    before = worker_processes()
    foreman.start()
    assert heard.wait(60)
    theirs = [p for p in worker_processes() if p not in before]
    assert theirs
    foreman.stop()
    _, alive = psutil.wait_procs(theirs, timeout=20)
    assert alive == []
    again = Foreman(store, 2)
    again.start()
    until_idle(again)
    again.stop()
    assert store.tasks.progress(batch)["read"] == {"done": 3}
    assert len(store.pages.read_ids(document)) == 3


def test_a_bad_page_fails_with_its_reason_and_the_rest_is_delivered(
    store: Store, tmp_path: Path, small_scan: Path
) -> None:
    broken = tmp_path / "broken.png"
    broken.write_bytes(small_scan.read_bytes()[:200])
    batch, _ = bring_in(store, broken, small_scan, tmp_path / "missing.png")
    foreman = Foreman(store, 2, formats=["txt"])
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    reasons = {f.source_name: f.task.reason for f in store.tasks.failed(batch)}
    assert set(reasons) == {"broken.png"} and "nothing of it can be shown" in reasons["broken.png"]
    assert [p.file for p in store.documents.problems(batch)] == ["missing.png"]
    assert [d.name for d in store.deliveries.of_batch(batch)] == ["small.txt"]  # nothing of a document without pages


def test_a_delivery_that_fails_leaves_no_file_behind(store: Store, small_scan: Path) -> None:
    _, (document,) = bring_in(store, small_scan)
    foreman = Foreman(store, 1)
    foreman.start()
    until_idle(foreman)
    batch = store.documents.document(document).batch_id
    task_id = store.tasks.want_delivery(batch, document, {"format": "wpd", "edition": "1"})
    foreman.wake()
    until_idle(foreman)
    foreman.stop()
    assert store.tasks.task(task_id).state == "failed"
    assert list((store.directory / "blobs").glob("tmp-*")) == []


def test_an_open_book_is_read_as_two_pages(store: Store, tmp_path: Path, pages: Pages) -> None:
    left, right = (pages.truth(Case("half", code, Spoiling(), dpi=150.0)) for code in ("eng", "fra"))
    scan = spoil(spread(left.image, right.image, 150, shadow=0.4), 150, Spoiling(tint=AGED, noise=3), seed=2)
    Pillow.fromarray(scan).save(tmp_path / "Book.png", dpi=(150, 150))
    foreman = Foreman(store, 2)
    batch = store.documents.add_batch("b", ["eng", "fra"])
    document = take_in_file(store, AT_ONCE, batch, tmp_path / "Book.png", foreman.limits)[0].document
    assert document is not None
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    assert [p.half for p in store.pages.states(document)] == ["left", "right"]
    read = [" ".join(r.text for r in page.regions) for page in store.pages.contents(document)]
    for text, truth in zip(read, (left, right), strict=True):
        words = {w for w in truth.text.split() if len(w) > 5}
        assert len(words & set(text.split())) > 0.9 * len(words)


def test_a_page_is_read_from_what_loses_nothing(small_scan: Path) -> None:
    source = jobs.bring_in(str(small_scan), 0, Limits())
    original = jobs.Original(source.original, source.dpi, source.stated_turn)
    page = clean_page(original.scan().pixels, source.dpi, Treatment(), partial(find_turn, languages=("eng",)))
    made = jobs.clean(original, Treatment(), ("eng",))
    assert np.array_equal(decode(made.read), page.read)


def test_cleaning_is_the_same_wherever_it_is_done(small_scan: Path) -> None:
    source = jobs.bring_in(str(small_scan), 0, Limits())
    original = jobs.Original(source.original, source.dpi, source.stated_turn)
    workers = LocalWorkers(1)
    try:
        there = workers.submit(Job(jobs.clean, (original, Treatment(), ("eng",)), 120)).result(timeout=120)
    finally:
        workers.close()
    here = jobs.clean(original, Treatment(), ("eng",))
    assert there.cleaned == here.cleaned
    assert np.array_equal(np.frombuffer(there.image, np.uint8), np.frombuffer(here.image, np.uint8))
