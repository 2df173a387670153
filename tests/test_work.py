"""Durable tasks: kills, crashes, cancelling."""

from __future__ import annotations

import os
import signal
import time
from concurrent.futures import Executor
from pathlib import Path

import numpy as np
import pytest
from PIL import Image as Pillow

from bench.material import Case
from hyalen.demo.spoil import AGED, Spoiling, spoil, spread
from hyalen.store.store import Store
from hyalen.work.executors import make_executor
from hyalen.work.foreman import Event, Foreman
from hyalen.work.intake import take_in_file
from tests.conftest import Pages
from tests.helpers import Server, many_pages, until_idle


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
    server.kill()

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
        assert all(set(states) == {"done"} for states in state["progress"].values())
        assert {stage: sum(states.values()) for stage, states in state["progress"].items()} == {
            "bring_in": pages,
            "clean": pages,
            "read": pages,
            "settle": 1,
        }  # nothing was done a second time
        kept = again.http.get(f"/pages/{page['id']}").json()
        words = [
            w for r in kept["content"]["regions"] + kept["content"]["artifacts"] for x in r["lines"] for w in x["words"]
        ]
        assert [w["text"] for w in words if w["state"] == "corrected"] == ["Corrected"]
    finally:
        again.kill()


def killer(image: bytes, dpi: float, languages: object, keep: object = None, moved: object = None) -> object:
    """Reads as `jobs.read` does, but dies on the page that bears the black bar."""
    from hyalen.core.formats.codecs import decode
    from hyalen.work import jobs

    page = decode(image)
    if page[: page.shape[0] // 8].mean() < 60:
        os.kill(os.getpid(), signal.SIGKILL)
    return jobs.read(image, dpi, languages, keep, moved)  # type: ignore[arg-type]


def test_a_page_whose_worker_dies_fails_alone(
    data: Path, tmp_path: Path, small_scan: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    store = Store(data)
    batch = store.add_batch("b", ["eng"])
    with Pillow.open(small_scan) as image:
        bad = np.asarray(image.convert("L")).copy()
        bad[: bad.shape[0] // 6, 10:-10] = 0
        bad[:3] = 255
        Pillow.fromarray(bad).save(tmp_path / "bad.png", dpi=(150, 150))
    from hyalen.core.model.treatment import Lighten, Switch, Treatment, Trim

    documents = [
        take_in_file(store, batch, p, Foreman(store, 1).limits) for p in (small_scan, tmp_path / "bad.png", small_scan)
    ]
    as_is = Treatment(trim=Trim(switch=Switch.BY_HAND, box=(0, 0, 99, 99)), lighten=Lighten(switch=Switch.OFF))
    for document in documents:
        page = store.pages(document)[0]["id"]
        with store.database.write() as db:
            db.execute("UPDATE page SET treatment = ? WHERE id = ?", (as_is.model_dump_json(), page))
    foreman = Foreman(store, 2)
    plain = Foreman._job

    def job(self: Foreman, task: object) -> tuple[object, ...]:
        function, *rest = plain(self, task)  # type: ignore[arg-type]
        return (killer, *rest) if function.__name__ == "read" else (function, *rest)

    monkeypatch.setattr(Foreman, "_job", job)
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    assert [store.pages(d)[0]["has_content"] for d in documents] == [1, 0, 1]
    (failed,) = store.failed_tasks(batch)
    assert failed["source_name"] == "bad.png" and "died" in failed["reason"]


def test_cancel_stops_and_retry_goes_on(data: Path, tmp_path: Path, small_scan: Path) -> None:
    store = Store(data)
    batch = store.add_batch("b", ["eng"])
    take_in_file(store, batch, many_pages(tmp_path / "s.tif", small_scan, 5), Foreman(store, 1).limits)
    foreman = Foreman(store, 1)
    heard: list[Event] = []
    foreman.listen(heard.append)
    foreman.start()
    while not any(e.stage == "clean" for e in heard):
        time.sleep(0.05)
    store.cancel_tasks(batch)
    until_idle(foreman)
    done = store.progress(batch).get("read", {}).get("done", 0)
    assert done < 5 and "waiting" not in {s for states in store.progress(batch).values() for s in states}
    assert store.retry_tasks(batch) > 0
    foreman.wake()
    until_idle(foreman)
    foreman.stop()
    assert store.progress(batch)["read"]["done"] == 5


def test_a_bad_page_fails_with_its_reason_and_the_rest_is_delivered(
    data: Path, tmp_path: Path, small_scan: Path
) -> None:
    store = Store(data)
    batch = store.add_batch("b", ["eng"])
    broken = tmp_path / "broken.png"
    cut = bytearray(small_scan.read_bytes())
    cut[len(cut) // 2 : len(cut) // 2 + 400] = b"\0" * 400
    broken.write_bytes(bytes(cut))
    foreman = Foreman(store, 2, formats=["txt"])
    for path in (broken, small_scan, tmp_path / "missing.png"):
        take_in_file(store, batch, path, foreman.limits)
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    reasons = {t["source_name"]: t["reason"] for t in store.failed_tasks(batch)}
    assert "broken.png" in reasons and "not a readable image" in reasons["broken.png"]
    assert [p["file"] for p in store.problems(batch)] == ["missing.png"]
    assert "small.txt" in [d["name"] for d in store.deliveries(batch)]


def test_an_open_book_is_read_as_two_pages(data: Path, tmp_path: Path, pages: Pages) -> None:
    left, right = (pages.truth(Case("half", code, Spoiling(), dpi=150.0)) for code in ("eng", "fra"))
    scan = spoil(spread(left.image, right.image, 150, shadow=0.4), 150, Spoiling(tint=AGED, noise=3), seed=2)
    Pillow.fromarray(scan).save(tmp_path / "Book.png", dpi=(150, 150))
    store = Store(data)
    foreman = Foreman(store, 2)
    document = take_in_file(store, store.add_batch("b", ["eng", "fra"]), tmp_path / "Book.png", foreman.limits)
    assert document is not None
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    assert [p["half"] for p in store.pages(document)] == ["left", "right"]
    read = [" ".join(r.text for r in page.regions) for page in store.document_parts(document).content().pages]
    for text, truth in zip(read, (left, right), strict=True):
        words = {w for w in truth.text.split() if len(w) > 5}
        assert len(words & set(text.split())) > 0.9 * len(words)
    store.close()


def test_the_executor_is_one_of_the_standard_kind() -> None:
    executor = make_executor(1)
    assert isinstance(executor, Executor)
    assert executor.submit(os.getpid).result() != os.getpid()
    executor.shutdown()


def test_a_dask_scheduler_takes_the_jobs(monkeypatch: pytest.MonkeyPatch) -> None:
    from distributed import LocalCluster, default_client

    with LocalCluster(n_workers=1, threads_per_worker=1, dashboard_address=None) as cluster:
        monkeypatch.setenv("HYALEN_SCHEDULER", cluster.scheduler_address)
        executor = make_executor(1)
        assert executor.submit(os.getpid).result(timeout=60) != os.getpid()
        executor.shutdown()
        default_client().close()
