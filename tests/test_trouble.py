"""What goes wrong around the program: folders, disks, databases, ports, second servers, and stops."""

from __future__ import annotations

import asyncio
import errno
import os
import shutil
import signal
import socket
import sqlite3
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import psutil
import pytest

from hyalen.cli import main
from hyalen.commands import batch
from hyalen.commands.usage import listening_at
from hyalen.core.formats.kinds import files_of
from hyalen.core.formats.names import delivery_stem, free_name, shown
from hyalen.core.formats.source import Limits
from hyalen.store.database import Unusable
from hyalen.store.held import Held, InUse
from hyalen.store.store import Store
from hyalen.work.attendant import Attendant, JobFailed
from hyalen.work.foreman import Foreman
from hyalen.work.intake import take_in_file
from hyalen.work.workers import Job, LocalWorkers, TooMuchMemory
from tests.helpers import AT_ONCE, Server, many_pages, until_idle


@pytest.fixture
def store(data: Path) -> Iterator[Store]:
    made = Store(data)
    yield made
    made.close()


def told(capsys: pytest.CaptureFixture[str], *command: str) -> tuple[int, str]:
    """A command's code and what it says on standard error."""
    try:
        code = main(list(command))
    except SystemExit as ended:
        code = int(ended.code or 0)
    return code, capsys.readouterr().err


def test_a_folder_is_read_and_what_is_left_out_is_said(tmp_path: Path, small_scan: Path) -> None:
    box = tmp_path / "box"
    (box / "inner").mkdir(parents=True)
    shutil.copy(small_scan, box / "b.png")
    shutil.copy(small_scan, box / "a scan without an ending")
    shutil.copy(small_scan, box / "inner" / "c.png")
    (box / "notes.txt").write_text("no scan")
    (box / ".hidden.png").write_bytes(small_scan.read_bytes())
    left_out: list[Path] = []
    named = tmp_path / "nowhere.pdf"
    found = list(files_of([box, named], recursive=False, left_out=left_out))
    assert [p.name for p in found] == ["a scan without an ending", "b.png", "nowhere.pdf"]
    assert sorted(p.name for p in left_out) == ["inner", "notes.txt"]
    assert [p.name for p in files_of([box], recursive=True, left_out=[])][-1] == "c.png"


def test_batch_takes_a_folder(tmp_path: Path, small_scan: Path, capsys: pytest.CaptureFixture[str]) -> None:
    box = tmp_path / "box"
    box.mkdir()
    shutil.copy(small_scan, box / "con.png")
    (box / "list.txt").write_text("nothing")
    code, said = told(capsys, "batch", str(box), "--out", str(tmp_path / "out"), "--formats", "txt")
    assert code == 0 and "left out" in said and "list.txt" in said
    assert [p.name for p in (tmp_path / "out").iterdir()] == ["file-con.txt"]
    (tmp_path / "empty").mkdir()
    code, said = told(capsys, "batch", str(tmp_path / "empty"), "--out", str(tmp_path / "out"))
    assert code == 2 and "nothing to read" in said


def test_what_killed_batches_left_is_cleared_and_what_others_use_is_not(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(batch.tempfile, "gettempdir", lambda: str(tmp_path))
    for name in ("hyalen-killed", "hyalen-runs", "hyalen-other"):
        (tmp_path / name).mkdir()
    for name in ("hyalen-killed", "hyalen-runs"):
        (tmp_path / name / "hyalen.sqlite3").write_bytes(b"x")
    with Held(tmp_path / "hyalen-runs", "a batch"):
        batch.clear_stray()
        assert sorted(p.name for p in tmp_path.iterdir()) == ["hyalen-other", "hyalen-runs"]


def test_names_are_safe_and_distinct_everywhere() -> None:
    """POSIX NAME_MAX is 255 bytes; Microsoft, "Naming Files, Paths, and Namespaces" for the reserved names."""
    assert len(f"{delivery_stem('文' * 85)}-999.docx".encode()) <= 255
    assert [delivery_stem(n) for n in ("con.pdf", "NUL", "Aux.x.tif", "lpt1.png", "console.pdf")] == [
        "file-con", "file-NUL", "file-Aux.x", "file-lpt1", "console",
    ]  # fmt: skip
    assert free_name("Scan", "pdf", ["scan.PDF", "SCAN-2.pdf"]) == "Scan-3.pdf"
    assert free_name("e\u0301te", "pdf", ["\u00e9te.pdf"]) == "e\u0301te-2.pdf"
    assert shown("bad\udcff\x07.tif") == "bad\ufffd\ufffd.tif" and shown("x\ud800.tif") == "x\ufffd.tif"


def test_a_name_that_is_no_text_loses_nothing(store: Store, tmp_path: Path, small_scan: Path) -> None:
    odd = Path(os.fsdecode(bytes(tmp_path) + b"/b\xffd\x0b" + "文".encode() * 60))
    shutil.copy(small_scan, odd)
    batch = store.documents.add_batch("b", ["eng"])
    (taken,) = take_in_file(store, AT_ONCE, batch, odd, Limits())
    assert taken.document is not None
    kept = store.documents.document(taken.document)
    assert kept.source_name.startswith("b\ufffdd\ufffd") and kept.stem.encode()


UNFIT = [
    (["serve", "--port", "99999"], "65535"),
    (["serve", "--port", "-1"], "65535"),
    (["serve", "--workers", "0"], "whole number"),
    (["serve", "--data", "{file}"], "not a folder"),
    (["batch", "x.png", "--out", "{file}"], "not a folder"),
    (["batch", "x.png", "--out", "{file}/below"], "cannot be written"),
]


@pytest.mark.parametrize("command,says", UNFIT, ids=[" ".join(c) for c, _ in UNFIT])
def test_wrong_use_is_one_plain_line(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], command: list[str], says: str
) -> None:
    file = tmp_path / "a-file"
    file.write_text("x")
    code, said = told(capsys, *(part.format(file=file) for part in command))
    assert code == 2 and says in said and "Traceback" not in said


def test_a_database_that_cannot_be_used_is_named(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for name, spoil in (("rubbish", lambda p: p.write_bytes(os.urandom(5000))), ("newer", make_newer)):
        data = tmp_path / name
        data.mkdir()
        spoil(data / "hyalen.sqlite3")
        with pytest.raises(Unusable):
            Store(data)
        code, said = told(capsys, "serve", "--data", str(data), "--port", "8397")
        assert (
            code == 2 and ("damaged" in said) == (name == "rubbish") and ("newer version" in said) == (name == "newer")
        )


def make_newer(path: Path) -> None:
    with sqlite3.connect(path) as db:
        db.execute("PRAGMA user_version = 9999")


def test_one_server_holds_a_data_directory(tmp_path: Path) -> None:
    server = Server(tmp_path / "data")
    try:
        command = [sys.executable, "-m", "hyalen.cli", "serve", "--port", str(server.port), "--data"]

        def refused(data: str) -> str:
            told = subprocess.run(
                [*command, str(tmp_path / data)], capture_output=True, text=True, timeout=60, check=False
            )
            assert told.returncode == 2
            return told.stderr

        assert f"http://127.0.0.1:{server.port}" in refused("data")
        assert "--port" in refused("other")
    finally:
        server.kill()
    # A killed server holds nothing.
    with Held(tmp_path / "data", "here"), pytest.raises(InUse, match="here"):
        Held(tmp_path / "data", "there")


@pytest.mark.parametrize("sign", [signal.SIGINT, signal.SIGTERM])
def test_a_stop_while_pages_are_read_leaves_nobody_behind(
    tmp_path: Path, small_scan: Path, sign: signal.Signals
) -> None:
    scan = many_pages(tmp_path / "many.tif", small_scan, 30)
    server = Server(tmp_path / "data")
    batch = server.http.post("/batches", json={"name": "b", "languages": ["eng"]}).json()["id"]
    with scan.open("rb") as file:
        server.http.post(f"/batches/{batch}/files", files={"files": ("many.tif", file)})
    process, end = psutil.Process(server.process.pid), time.monotonic() + 60
    while len(process.children(recursive=True)) - len(process.children()) < 2:  # workers are grandchildren
        assert time.monotonic() < end
        time.sleep(0.1)
    time.sleep(1)
    theirs = process.children(recursive=True)
    os.kill(server.process.pid, sign)
    server.process.wait(30)
    _, alive = psutil.wait_procs(theirs, timeout=15)
    assert alive == []


def test_a_full_disk_rests_the_work_and_space_brings_it_back(
    store: Store, small_scan: Path, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    document = take_in_file(store, AT_ONCE, batch, small_scan, Limits())[0].document
    assert document is not None
    foreman, events, full = Foreman(store, 1), [], True
    put = store.blobs.put

    def put_or_not(data: bytes) -> str:
        if full:
            raise OSError(errno.ENOSPC, "No space left on device")
        return put(data)

    monkeypatch.setattr(store.blobs, "put", put_or_not)
    monkeypatch.setattr("hyalen.work.foreman.FIRST_PAUSE", 0.1)
    monkeypatch.setattr("hyalen.work.foreman.LONGEST_PAUSE", 0.3)
    foreman.listen(events.append)
    foreman.start()
    end = time.monotonic() + 60
    while not foreman.lacks_space:
        assert time.monotonic() < end
        time.sleep(0.05)
    time.sleep(1)
    full = False
    until_idle(foreman)
    foreman.stop()
    assert store.pages.read_ids(document) and store.tasks.failed(batch) == []
    told_of = [e.state for e in events if e.kind == "space"]
    assert told_of[0] == "none" and told_of[-1] == "some" and not foreman.lacks_space
    assert sum("no space left" in r.message for r in caplog.records) == told_of.count("none")


def test_a_delivery_that_cannot_be_written_leaves_no_half_file(
    tmp_path: Path, small_scan: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(source: Any, target: Any, length: int) -> None:
        target.write(source.read(10))
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(batch.shutil, "copyfileobj", full)
    code, said = told(capsys, "batch", str(small_scan), "--out", str(tmp_path / "out"), "--formats", "txt")
    assert code == 3 and "small.txt could not be written" in said
    assert list((tmp_path / "out").iterdir()) == []


def burn() -> None:
    while True:
        pass


def eat() -> int:
    held = [bytearray(50_000_000) for _ in range(100)]
    return len(held)


def test_a_job_is_bounded_in_time_and_memory_and_the_next_one_goes_on() -> None:
    attendant = Attendant(lambda: LocalWorkers(1, memory=500_000_000))
    try:
        with pytest.raises(JobFailed, match="longer than any sound file"):
            attendant.do(burn, seconds=1)
        with pytest.raises(JobFailed, match="more memory"):
            attendant.do(eat, seconds=20)
        with pytest.raises(JobFailed, match="died"):
            attendant.do(os._exit, 3, seconds=20)
        assert attendant.do(max, 1, 2, seconds=20) == 2
    finally:
        attendant.close()
    workers = LocalWorkers(1, memory=500_000_000)
    try:
        assert isinstance(workers.submit(Job(eat, (), 20)).exception(timeout=60), TooMuchMemory)
    finally:
        workers.close()


def test_one_file_that_upsets_the_program_is_its_own_problem(
    store: Store, tmp_path: Path, small_scan: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def upset(path: Path, limits: object) -> int:
        if path.read_bytes() == b"%PDF-upsetting":
            raise RuntimeError("nobody thought of this")
        return 1

    monkeypatch.setattr("hyalen.work.intake.count_pages", upset)
    (tmp_path / "upsetting.pdf").write_bytes(b"%PDF-upsetting")
    batch = store.documents.add_batch("b", ["eng"])
    taken = [take_in_file(store, AT_ONCE, batch, p, Limits())[0] for p in (tmp_path / "upsetting.pdf", small_scan)]
    assert taken[0].document is None and "cannot be read" in taken[0].reason and taken[1].document is not None


def test_answers_leave_at_once() -> None:
    """Nagle's algorithm (RFC 896) would keep the second half of an answer until the first is acknowledged, which a
    browser does 40 ms later: on a connection that stays open, each key would wait so long."""

    async def delay() -> int:
        told: asyncio.Future[int] = asyncio.get_running_loop().create_future()

        def connected(_: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            accepted = writer.get_extra_info("socket")
            told.set_result(accepted.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY))
            writer.close()

        async with await asyncio.start_server(connected, sock=(listening := listening_at(0))):
            _, writer = await asyncio.open_connection(*listening.getsockname())
            found = await told
            writer.close()
        return found

    with ThreadPoolExecutor(1) as apart:  # from a loop that a browser of other tests may have left running here
        assert apart.submit(asyncio.run, delay()).result() == 1
