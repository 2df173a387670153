"""A watched folder: nothing is lost and nothing is delivered twice, whatever is killed."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import time
from collections import Counter
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image as Pillow

from hyalen import cli
from hyalen.store.database import Database
from hyalen.store.store import Store
from hyalen.work import watched as module
from hyalen.work.foreman import Foreman
from hyalen.work.inbox import InboxKeeper
from hyalen.work.watched import Made, Watched
from tests.helpers import AT_ONCE


class Clock:
    def __init__(self) -> None:
        self.now = 0.0

    def __call__(self) -> float:
        return self.now


def names(folder: Path) -> list[str]:
    return sorted(p.name for p in folder.iterdir() if p.is_file())


def test_a_file_is_complete_when_it_no_longer_changes(tmp_path: Path) -> None:
    clock = Clock()
    watched = Watched(tmp_path, tmp_path / "delivered", 2.0, clock)
    growing = tmp_path / "a.pdf"
    for size in range(3):
        growing.write_bytes(b"x" * size)
        assert list(watched.complete()) == []
        clock.now += 1.5
    assert list(watched.complete()) == []  # it has changed since the last look
    (tmp_path / ".hidden").write_text("x")
    (tmp_path / "link").symlink_to(growing)
    (tmp_path / "folder").mkdir()
    clock.now += 2
    assert [p.name for p in watched.complete()] == ["a.pdf"] and watched.waiting == 1


def test_of_one_name_there_may_be_many(tmp_path: Path) -> None:
    watched = Watched(tmp_path, tmp_path / "out", 0.0)
    (tmp_path / "out/a.txt").write_text("another's")
    for n in range(3):
        (tmp_path / "a.pdf").write_text(str(n))
        claimed = watched.claim(tmp_path / "a.pdf")
        assert claimed is not None
        watched.finish(claimed, [Made(claimed, "a.txt", "txt")], "page 2: it is damaged" if n == 2 else "")
    assert names(tmp_path / "out") == ["a-2.txt", "a-3.txt", "a-4.txt", "a.txt"]
    assert names(tmp_path / "done") == ["a-2.pdf", "a.pdf"]
    assert names(tmp_path / "problems") == ["a.pdf", "a.pdf.txt"]
    assert (tmp_path / "problems/a.pdf.txt").read_text() == "page 2: it is damaged\n"
    assert (tmp_path / "out/a.txt").read_text() == "another's"
    assert watched.claim(tmp_path / "gone.pdf") is None


def test_a_file_that_cannot_be_taken_is_told_once_and_stays(
    tmp_path: Path, small_scan: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    real = Path.rename

    def rename(self: Path, target: Path) -> Path:
        if self.name == "mine.png":
            raise PermissionError(1, "Operation not permitted")
        return real(self, target)

    monkeypatch.setattr(Path, "rename", rename)
    shutil.copy(small_scan, tmp_path / "mine.png")
    shutil.copy(small_scan, tmp_path / "scan.png")
    assert cli.main(["watch", str(tmp_path), "--formats", "txt", "--settle", "0", "--once", "--workers", "1"]) == 3
    said = capsys.readouterr().err
    assert said.count("mine.png: it cannot be taken (Operation not permitted)") == 1
    assert names(tmp_path) == ["mine.png"] and names(tmp_path / "delivered") == ["scan.txt"]


def test_long_names_are_kept(tmp_path: Path) -> None:
    watched = Watched(tmp_path, tmp_path / "out", 0.0)
    path = tmp_path / ("ö" * 125 + ".pdf")  # 254 bytes
    path.write_text("x")
    claimed = watched.claim(path)
    assert claimed is not None
    watched.finish(claimed, [], "it is damaged")
    assert len(names(tmp_path / "problems")) == 2


class Killed(BaseException):
    """The power is gone."""


@settings(deadline=None, max_examples=200)
@given(kills=st.lists(st.integers(0, 14), max_size=6), files=st.integers(1, 3), bad=st.booleans())
def test_a_kill_at_any_step_loses_nothing_and_doubles_nothing(
    tmp_path_factory: pytest.TempPathFactory, kills: list[int], files: int, bad: bool
) -> None:
    folder = tmp_path_factory.mktemp("watched")
    for n in range(files):
        (folder / f"{n}.pdf").write_text(str(n))
    left = list(kills)
    while True:
        with pytest.MonkeyPatch.context() as patch:
            if left:
                kill_after(patch, left.pop(0))
            try:
                work_off(folder, bad)
                break
            except Killed:
                continue
    assert names(folder) == [] and names(folder / "in-hand") == []
    delivered = Counter(p.read_text() for p in (folder / "delivered").rglob("*") if p.is_file())
    assert delivered == {str(n): 2 for n in range(files)}  # in two formats, each once
    assert names(folder / ("problems" if bad else "done")) == sorted(
        name for n in range(files) for name in ([f"{n}.pdf", f"{n}.pdf.txt"] if bad else [f"{n}.pdf"])
    )


def work_off(folder: Path, bad: bool) -> None:
    watched = Watched(folder, folder / "delivered", 0.0)
    waiting = watched.resume()
    waiting += [claimed for path in watched.complete() if (claimed := watched.claim(path)) is not None]
    for path in waiting:
        made = [Made(path, f"{path.stem}.{kind}", kind) for kind in ("txt", "docx")]
        watched.finish(path, made, "bad" if bad else "")


def kill_after(patch: pytest.MonkeyPatch, steps: int) -> None:
    """Every change of the folder is a step, before which the power may go."""
    count = iter(range(steps + 1))

    def guarded(function: Any) -> Any:
        def call(*arguments: Any, **more: Any) -> Any:
            if next(count, None) is None:
                raise Killed
            return function(*arguments, **more)

        return call

    for name in ("rename", "replace", "unlink", "write_text"):
        patch.setattr(Path, name, guarded(getattr(Path, name)))
    patch.setattr(module.os, "link", guarded(os.link))
    patch.setattr(module.shutil, "copyfileobj", guarded(shutil.copyfileobj))


def test_ten_thousand_files_are_each_taken_once(tmp_path: Path) -> None:
    for n in range(10_000):
        (tmp_path / f"{n}.pdf").touch()
    watched = Watched(tmp_path, tmp_path / "out", 0.0)
    taken = [watched.claim(path) for path in watched.complete()]
    assert len(taken) == 10_000 and None not in taken and names(tmp_path) == []
    again = Watched(tmp_path, tmp_path / "out", 0.0)
    assert len(again.resume()) == 10_000


def test_where_links_are_not_known_files_are_renamed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def none(*_: object) -> None:
        raise OSError("links are not supported")

    monkeypatch.setattr(module.os, "link", none)
    (tmp_path / "a.pdf").write_text("x")
    work_off(tmp_path, False)
    assert names(tmp_path / "delivered") == ["a.docx", "a.txt"]


def test_files_are_read_and_delivered_as_they_come(
    tmp_path: Path, small_scan: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    shutil.copy(small_scan, tmp_path / "scan.png")
    (tmp_path / "notes.pdf").write_text("rubbish")
    code = cli.main(["watch", str(tmp_path), "--formats", "txt,pdf", "--settle", "0", "--once", "--workers", "1"])
    said = capsys.readouterr()
    assert code == 3 and "notes.pdf: the file is not a PDF" in said.err and "scan.pdf" in said.out
    assert names(tmp_path / "delivered") == ["scan.pdf", "scan.txt"] and names(tmp_path / "done") == ["scan.png"]
    assert names(tmp_path / "problems") == ["notes.pdf", "notes.pdf.txt"]
    assert "not a PDF" in (tmp_path / "problems/notes.pdf.txt").read_text()


def test_a_killed_watch_goes_on_and_two_do_not_work_on_one_folder(tmp_path: Path, small_scan: Path) -> None:
    command = [sys.executable, "-m", "hyalen.cli", "watch", str(tmp_path), "--formats", "txt", "--settle", "0", "--workers", "1"]  # fmt: skip
    shutil.copy(small_scan, tmp_path / "scan.png")
    first = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    end = time.monotonic() + 60
    while not names(tmp_path / "in-hand") if (tmp_path / "in-hand").exists() else True:
        assert time.monotonic() < end
        time.sleep(0.05)
    second = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
    assert second.returncode == 2 and "already works on" in second.stderr
    os.kill(first.pid, signal.SIGKILL)
    first.wait()
    done = subprocess.run([*command, "--once"], capture_output=True, text=True, timeout=120, check=False)
    assert done.returncode == 0, done.stderr
    assert names(tmp_path / "delivered") == ["scan.txt"] and names(tmp_path / "done") == ["scan.png"]


@pytest.mark.parametrize(
    ("arguments", "says"), [(["{missing}"], "not a folder"), (["{folder}", "--formats", "dvi"], "unknown format")]
)
def test_wrong_use_is_told(tmp_path: Path, capsys: pytest.CaptureFixture[str], arguments: list[str], says: str) -> None:
    filled = [each.format(missing=tmp_path / "missing", folder=tmp_path) for each in arguments]
    assert cli.main(["watch", *filled]) == 2 and says in capsys.readouterr().err


# In the server


class Power(BaseException):
    """The server's power is gone."""


@settings(deadline=None, max_examples=60)
@given(kills=st.lists(st.integers(1, 40), max_size=5), files=st.integers(1, 3))
def test_a_batchs_folder_gives_each_file_once_over_kills(
    tmp_path_factory: pytest.TempPathFactory, kills: list[int], files: int
) -> None:
    """Killed at any statement to the database and any change of the folder; copies of one file are files of their own."""
    home = tmp_path_factory.mktemp("inbox")
    store = Store(home / "data")
    batch = store.documents.add_batch("Box 14", ["eng"])
    keeper = InboxKeeper(store, Foreman(store, 1), home / "folders", settle=0.0)
    keeper.foreman.attendant = AT_ONCE
    keeper.watch(batch, True)
    folder = keeper.path(batch)
    assert folder is not None
    for n in range(files):
        Pillow.new("L", (40, 60), 200 + n // 2).save(folder / f"{n}.png")  # 0 and 1 are alike
    (folder / "bad.pdf").write_text("no PDF")
    left = list(kills)
    while True:
        count = left.pop(0) if left else 0
        with pytest.MonkeyPatch.context() as patch:
            if count:
                _die_after(patch, count)
            try:
                while keeper.look(store.inboxes.all()[0]):
                    pass
                if not left:
                    break
            except Power:
                pass
        store.close()
        store = Store(home / "data")
        store.recover()
        keeper = InboxKeeper(store, Foreman(store, 1), home / "folders", settle=0.0)
        keeper.foreman.attendant = AT_ONCE
    assert sorted(d.source_name for d in store.documents.of_batch(batch)) == [f"{n}.png" for n in range(files)]
    assert [p.file for p in store.documents.problems(batch)] == ["bad.pdf"]
    assert names(folder) == [] and names(folder / "in-hand") == []
    assert names(folder / "done") == [f"{n}.png" for n in range(files)]
    assert names(folder / "problems") == ["bad.pdf", "bad.pdf.txt"]
    assert all(store.blobs.path(d.source_blob).is_file() for d in store.documents.of_batch(batch))
    assert store.database.rows("SELECT * FROM taken_in") == []
    store.close()


def _die_after(patch: pytest.MonkeyPatch, count: int) -> None:
    left = count

    def dying(real: Any) -> Any:
        def call(*told: Any, **named: Any) -> Any:
            nonlocal left
            left -= 1
            if left == 0:
                raise Power
            return real(*told, **named)

        return call

    for owner, name in (
        (Path, "rename"),
        (Path, "replace"),
        (Path, "unlink"),
        (Path, "write_text"),
        (Database, "write"),
        (Database, "row"),
    ):
        patch.setattr(owner, name, dying(getattr(owner, name)))


def test_a_folder_that_goes_away_is_waited_for(tmp_path: Path) -> None:
    store = Store(tmp_path / "data")
    batch = store.documents.add_batch("Away", ["eng"])
    keeper = InboxKeeper(store, Foreman(store, 1), tmp_path / "folders", settle=0.0, look=0.02)
    keeper.foreman.attendant = AT_ONCE
    keeper.watch(batch, True)
    folder = keeper.path(batch)
    assert folder is not None
    keeper.start()
    try:
        until(lambda: (folder / "done").is_dir())
        folder.rename(tmp_path / "elsewhere")
        until(lambda: keeper.away(batch))
        Pillow.new("L", (40, 60), 200).save(tmp_path / "elsewhere/late.png")
        (tmp_path / "elsewhere").rename(folder)
        until(lambda: names(folder / "done") == ["late.png"])
        assert [d.source_name for d in store.documents.of_batch(batch)] == ["late.png"] and not keeper.away(batch)
        keeper.watch(batch, False)
        assert keeper.path(batch) is None
    finally:
        keeper.stop()
        store.close()


def until(done: Any, seconds: float = 20) -> None:
    end = time.monotonic() + seconds
    while not done():
        assert time.monotonic() < end
        time.sleep(0.02)
