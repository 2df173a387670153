"""From a scanner into documents: the protocol, the order of sides, and what goes wrong on the way."""

from __future__ import annotations

import random
import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import cv2
import numpy as np
import pytest
import uvicorn

from hyalen.core.scanning.wish import Aim, Sides, Wish
from hyalen.scanner.device import Device, Settings
from hyalen.scanner.server import make_scanner
from hyalen.scanner.sheets import Sheet
from hyalen.store.store import Store
from hyalen.work.foreman import Foreman
from hyalen.work.scanning import Scanning
from tests.helpers import AT_ONCE


@contextmanager
def served(device: Device) -> Iterator[str]:
    """The device on a port of its own; its address."""
    listening = socket.socket()
    listening.bind(("127.0.0.1", 0))
    server = uvicorn.Server(uvicorn.Config(make_scanner(device), log_level="critical", timeout_graceful_shutdown=1))
    thread = threading.Thread(target=server.run, kwargs={"sockets": [listening]}, daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{listening.getsockname()[1]}/eSCL"
    finally:
        server.should_exit = True
        thread.join(10)


def marked(sheet: Sheet, back: bool, settings: Settings) -> bytes:
    """A small picture, of its own for each side of each sheet: blank where the side says "blank"."""
    text = sheet.back if back else sheet.front
    picture = np.full((330, 240), 250, np.uint8)
    if text != "blank":
        for line in range(4):
            cv2.putText(picture, text, (40, 80 + 50 * line), cv2.FONT_HERSHEY_SIMPLEX, 1.0, 0, 3)
    # Noise, as of two scans that are never alike.
    picture[5, :] = np.random.default_rng().integers(200, 255, 240)
    return bytes(cv2.imencode(".png", picture)[1])


def stack(count: int, both: bool = False) -> list[Sheet]:
    return [Sheet(f"f{n}", f"b{n}" if both else "blank", seed=n) for n in range(1, count + 1)]


class Bench:
    """A store with a batch and a device, and the clerk who stands before it."""

    def __init__(self, directory: Path, device: Device, address: str) -> None:
        self.device = device
        self.store = Store(directory)
        self.foreman = Foreman(self.store, 1)  # never started: only what comes in counts here
        self.scanning = Scanning(self.store, self.foreman, AT_ONCE)
        self.batch = self.store.documents.add_batch("Scans", ["eng"])
        self.scanner = self.store.scans.add_scanner(address, "Stand-in")

    def begin(self, wish: Wish, aim: Aim | None = None) -> int:
        return self.store.scans.begin(self.batch, self.scanner, wish, aim or Aim())

    def go_on(self, scan: int) -> str:
        """Until it rests; the kind of trouble, or ""."""
        assert self.scanning.go_on(scan)
        return self.rest(scan)

    def rest(self, scan: int) -> str:
        self.scanning._threads[scan].join(60)
        trouble = self.store.scans.scan(scan).trouble
        return trouble.kind if trouble else ""

    def to_the_end(self, scan: int) -> list[str]:
        """As a clerk does who does what is said; the troubles met."""
        met = []
        while trouble := self.go_on(scan):
            met.append(trouble)
            assert len(met) < 60
            told = self.store.scans.scan(scan).trouble
            assert told is not None
            if trouble == "missing" and "Lay the last" in told.says:
                lost = int(told.says.split()[0])
                self.device.feeder.extendleft([self.device.tray.pop() for _ in range(lost)])
            elif trouble == "empty":
                break
            self.device.clear()
        return met

    def texts(self, scan: int) -> list[str]:
        """What stands on the pages of each document, in order, by the faces that they came from."""
        found = []
        for document in self.store.documents.of_batch(self.batch):
            for page_id in self.store.pages.ids(document.id):
                page = self.store.pages.page(page_id)
                found.append(NAMES[self.store.blobs.get(page.source_blob or "")])
            found.append("|")
        return found


NAMES: dict[bytes, str] = {}


def named(sheet: Sheet, back: bool, settings: Settings) -> bytes:
    data = marked(sheet, back, settings)
    NAMES[data] = sheet.back if back else sheet.front
    return data


@pytest.fixture
def bench(tmp_path: Path) -> Iterator[Bench]:
    device = Device(named, slow=0.01)
    with served(device) as address:
        made = Bench(tmp_path, device, address)
        yield made
        made.scanning.close()
        made.store.close()


def test_a_stack_becomes_a_document_in_its_order(bench: Bench) -> None:
    bench.device.lay(stack(5, both=True))
    scan = bench.begin(Wish(sides=Sides.BOTH, dpi=75))
    assert bench.to_the_end(scan) == []
    assert bench.texts(scan) == ["f1", "b1", "f2", "b2", "f3", "b3", "f4", "b4", "f5", "b5", "|"]
    document = bench.store.documents.of_batch(bench.batch)[0]
    assert document.title == "Scan 0001" and document.duplex
    assert bench.store.pages.page(bench.store.pages.ids(document.id)[0]).told_dpi == 75
    bench.device.lay(stack(7)[5:])
    assert bench.go_on(scan) == ""
    assert bench.texts(scan)[-3:] == ["f6", "f7", "|"]  # whose backs are empty


def test_blank_sides_are_left_out_and_can_be_put_back(bench: Bench) -> None:
    bench.device.lay([Sheet("f1", "blank"), Sheet("f2", "b2"), Sheet("blank", "b3")])
    scan = bench.begin(Wish(sides=Sides.BOTH, dpi=75))
    bench.to_the_end(scan)
    assert bench.texts(scan) == ["f1", "f2", "b2", "b3", "|"]
    left = [f for f in bench.store.scans.faces(scan) if f.fate == "blank"]
    assert len(left) == 2
    for face in left:
        bench.store.scans.put_back(face.id)
    assert bench.texts(scan) == ["f1", "blank", "f2", "b2", "blank", "b3", "|"]


def test_the_other_sides_of_a_stack_find_their_fronts(bench: Bench) -> None:
    bench.device.lay(stack(4, both=True))
    scan = bench.begin(Wish(sides=Sides.SECOND_PASS, dpi=75), Aim(cut="sheets", sheets=2, prefix="Box", counter=7))
    bench.to_the_end(scan)
    assert bench.texts(scan) == ["f1", "f2", "|", "f3", "f4", "|"]
    bench.store.scans.other_sides(scan)
    bench.device.turn_over()
    lost = bench.device.feeder.popleft()
    assert bench.go_on(scan) == "odd_backs"
    assert bench.texts(scan) == ["f1", "f2", "|", "f3", "f4", "|"]  # a shift would put every back behind a wrong front
    bench.store.scans.other_sides(scan)
    bench.device.tray.clear()
    bench.device.lay([lost, *[Sheet(f"b{n}") for n in (3, 2, 1)]])
    assert bench.to_the_end(scan) == []
    assert bench.texts(scan) == ["f1", "b1", "f2", "b2", "|", "f3", "b3", "f4", "b4", "|"]
    assert [d.title for d in bench.store.documents.of_batch(bench.batch)] == ["Box 0007", "Box 0008"]


def test_pages_go_behind_a_page_and_in_the_place_of_one(bench: Bench) -> None:
    bench.device.lay(stack(3))
    bench.to_the_end(bench.begin(Wish(dpi=75)))
    document = bench.store.documents.of_batch(bench.batch)[0]
    first, second, _ = bench.store.pages.ids(document.id)
    bench.device.lay([Sheet("x1"), Sheet("x2")])
    scan = bench.begin(Wish(dpi=75), Aim(after=first))
    bench.to_the_end(scan)
    assert bench.texts(scan) == ["f1", "x1", "x2", "f2", "f3", "|"]
    bench.device.lay([Sheet("y"), Sheet("stays in the feeder")])
    scan = bench.begin(Wish(dpi=75), Aim(instead=second))
    bench.to_the_end(scan)
    assert bench.texts(scan) == ["f1", "x1", "x2", "y", "f3", "|"]
    assert [s.front for s in bench.device.feeder] == ["stays in the feeder"]
    change = bench.store.journal.last(document.id)
    assert change and change.label == "page scanned again"
    bench.store.decisions.undo(document.id, change.id)
    assert "f2" in bench.texts(scan)


def test_a_document_begins_at_a_blank_sheet(bench: Bench) -> None:
    bench.device.lay(
        [Sheet("f1"), Sheet("blank"), Sheet("f2"), Sheet("f3"), Sheet("blank"), Sheet("blank"), Sheet("f4")]
    )
    scan = bench.begin(Wish(dpi=75), Aim(cut="blank"))
    bench.to_the_end(scan)
    assert bench.texts(scan) == ["f1", "|", "f2", "f3", "|", "f4", "|"]


@pytest.mark.parametrize("seed", range(8))
def test_no_trouble_loses_a_page_or_puts_one_twice(bench: Bench, seed: int) -> None:
    """25 random runs each: jams, double feeds, an open cover, broken connections, and a server that is killed."""
    for run in range(25):
        dice = random.Random(1000 * seed + run)
        both = dice.random() < 0.5
        count = dice.randint(1, 9)
        sheets = stack(count, both)
        for at in range(count):
            if dice.random() < 0.3:
                fault = dice.choice(["jam", "double_feed", "cut", "slow", "cover_open"])
                sheets[at] = Sheet(sheets[at].front, sheets[at].back, fault=fault)  # type: ignore[arg-type]
        bench.device.lay(sheets)
        wanted = [t for s in sheets for t in ([s.front, s.back] if both else [s.front])]
        scan = bench.begin(Wish(sides=Sides.BOTH if both else Sides.ONE, dpi=75, drop_blank=False))
        _meddle(bench, scan, dice)
        while bench.to_the_end(scan) == ["empty"] and bench.device.feeder:
            pass
        document = bench.store.documents.of_batch(bench.batch)[-1]
        got = [
            NAMES[bench.store.blobs.get(bench.store.pages.page(p).source_blob or "")]
            for p in bench.store.pages.ids(document.id)
        ]
        assert got == wanted, f"run {run} of seed {seed}"
        bench.device.tray.clear()


def _meddle(bench: Bench, scan: int, dice: random.Random) -> None:
    """Perhaps a jam between two sides, or a program that dies when a face has come and before it is kept."""
    what = dice.choice(["nothing", "jam", "die", "die"])
    after = dice.randint(0, 6)
    if what == "nothing":
        return
    scanning, put = bench.scanning, bench.store.scans.add_face
    seen = 0

    def add_face(*told: object) -> set[int]:
        nonlocal seen
        seen += 1
        if seen == after and what == "die":
            raise KeyError("killed")
        changed = put(*told)  # type: ignore[arg-type]
        if seen == after and what == "jam":
            bench.device.jam_now(bench.store.scans.scan(scan).job.rsplit("/", 1)[-1])
        return changed

    bench.store.scans.add_face = add_face  # type: ignore[method-assign]
    try:
        kind = bench.go_on(scan)
        if kind not in ("", "device"):
            bench.device.clear()
    finally:
        bench.store.scans.add_face = put  # type: ignore[method-assign]
    assert scanning is bench.scanning
