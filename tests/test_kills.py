"""The server is killed at random moments, and nothing that was acknowledged is lost."""

from __future__ import annotations

import multiprocessing
import random
import socket
import sqlite3
import time
from collections.abc import Callable
from pathlib import Path

import httpx
import psutil

from hyalen.store.store import Store
from tests.helpers import many_pages

KILLS = 5
DOCUMENTS, DELIVERIES = 3, 4  # what is waiting after the kills is made to its end
SHORT, LONG = (0.1, 1.2), (4.0, 7.0)  # seconds of work between two kills; workers need some to come up
FIRST = 180.0  # seconds that a laden machine may take to read the first page


def serve(data: str, port: int) -> None:
    from hyalen.cli import main

    main(["serve", "--data", data, "--port", str(port), "--workers", "2"])


class Clerk:
    """Brings in, edits and delivers without pause, and remembers what the server acknowledged."""

    def __init__(self, scan: Path, rng: random.Random) -> None:
        self.scan, self.rng = scan, rng
        self.batch = 0
        self.documents: list[int] = []
        self.edits: dict[tuple[int, str], str] = {}  # (page, place of the word) -> text
        self.count = self.deliveries = 0

    def work(self, http: httpx.Client, seconds: float) -> None:
        self.work_until(http, lambda: False, seconds)

    def work_until(self, http: httpx.Client, done: Callable[[], bool], seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not done():
            if not self.batch:
                self.batch = http.post("/batches", json={"name": "b", "languages": ["eng"]}).json()["id"]
            if len(self.documents) < DOCUMENTS and self.rng.random() < 0.3:
                with self.scan.open("rb") as file:
                    told = http.post(f"/batches/{self.batch}/files", files={"files": (self.scan.name, file)})
                self.documents += told.json()["documents"]
            elif self.documents:
                self.edit(http, self.rng.choice(self.documents))
                if self.deliveries < DELIVERIES and self.rng.random() < 0.1:
                    self.deliveries += 1
                    http.post(f"/batches/{self.batch}/deliveries", json={"formats": ["pdf", "txt"]})

    def edit(self, http: httpx.Client, document: int) -> None:
        pages = [p for p in http.get(f"/documents/{document}").json()["pages"] if p["has_content"]]
        if not pages:
            time.sleep(0.05)
            return
        page = http.get(f"/pages/{self.rng.choice(pages)['id']}").json()
        words = [w for r in page["content"]["regions"] for line in r["lines"] for w in line["words"]]
        word = self.rng.choice(words)
        self.count += 1
        text = f"edit{self.count}"
        change = {"op": "set_word", "word_id": word["id"], "text": text}
        answer = http.post(f"/pages/{page['id']}/edits", json={"revision": page["revision"], "operation": change})
        if answer.status_code == 200:
            self.edits[page["id"], str(word["box"][:2])] = text


def test_kills_lose_nothing(data: Path, tmp_path: Path, small_scan: Path) -> None:
    rng = random.Random(50)
    clerk = Clerk(many_pages(tmp_path / "two.tif", small_scan, 2), rng)
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["hyalen.web.app", "hyalen.cli"])

    def start() -> tuple[multiprocessing.process.BaseProcess, httpx.Client]:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        process = context.Process(target=serve, args=(str(data), port))
        process.start()
        http = httpx.Client(base_url=f"http://127.0.0.1:{port}/api", timeout=30)
        end = time.monotonic() + 60
        while True:
            try:
                http.get("/batches").raise_for_status()
                return process, http
            except httpx.HTTPError:
                assert time.monotonic() < end and process.is_alive(), "the server does not start"
                time.sleep(0.05)

    for number in range(KILLS):
        process, http = start()
        assert process.pid is not None
        workers = psutil.Process(process.pid)
        if number == 0:
            clerk.work_until(http, lambda: bool(clerk.edits), FIRST)
            assert clerk.edits, "no page could be edited before the kills"
        clerk.work(http, rng.uniform(*(LONG if number % 10 == 9 else SHORT)))
        theirs = workers.children(recursive=True)
        process.kill()
        process.join()
        http.close()
        _, alive = psutil.wait_procs(theirs, timeout=30)
        assert alive == []
    assert len(clerk.edits) > 1, "nothing was edited between the kills"

    process, http = start()
    end = time.monotonic() + 300
    while any(
        n for states in http.get(f"/batches/{clerk.batch}").json()["progress"].values()
        for state, n in states.items() if state in ("waiting", "running")
    ):  # fmt: skip
        assert time.monotonic() < end
        time.sleep(0.3)
    process.kill()
    process.join()
    assert sqlite3.connect(data / "hyalen.sqlite3").execute("PRAGMA integrity_check").fetchone() == ("ok",)
    store = Store(data)
    store.recover()
    known = {d.id for d in store.documents.of_batch(clerk.batch)}
    assert set(clerk.documents) <= known
    for document in known:
        came = store.database.rows("SELECT source_index, half FROM page WHERE document_id = ?", document)
        assert sorted((r["source_index"], r["half"]) for r in came) == [(0, "whole"), (1, "whole")]
        assert len(store.pages.read_ids(document)) == 2
    for (page_id, _), text in clerk.edits.items():
        content = store.pages.content(page_id)
        assert content is not None and text in [w.text for w in content.words]
    wanted = set(store._files("name IS NOT NULL"))
    there = {p.name for p in (data / "blobs").rglob("*") if p.is_file()}
    assert there == wanted
    store.close()
