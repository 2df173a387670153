"""From a scanner into documents: the protocol, the order of sides, and what goes wrong on the way."""

from __future__ import annotations

import os
import random
import subprocess
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import cv2
import httpx
import numpy as np
import pypdfium2 as pdfium
import pytest
import zxingcpp

from hyalen.core.imaging.pixels import as_uint8
from hyalen.core.scanning.escl import ProtocolError, read_capabilities, read_status, write_settings
from hyalen.core.scanning.judge import judge_sheet
from hyalen.core.scanning.separators import read_separator, separator_sheets
from hyalen.core.scanning.wish import Aim, Area, Colour, Sides, Wish
from hyalen.scanner.announce import announced
from hyalen.scanner.device import Device, Settings
from hyalen.scanner.sheets import STACKS, Sheet, letter
from hyalen.store.outcome import Stale
from hyalen.store.store import Store
from hyalen.work.foreman import Foreman
from hyalen.work.scanner_client import ScannerClient, Unreachable, address_of
from hyalen.work.scanner_finder import Announced, find_scanners
from hyalen.work.scanning import Scanning
from tests.helpers import AT_ONCE
from tests.scanners import marked, served, stack


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
def bench(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Bench]:
    monkeypatch.setattr("hyalen.work.scanning.PAUSE", 0.02)
    device = Device(named, slow=0.01)
    with served(device) as address:
        made = Bench(tmp_path, device, address)
        yield made
        made.scanning.close()
        made.store.close()


def test_who_is_told_that_a_scan_rests_does_not_find_it_running(bench: Bench) -> None:
    bench.device.lay(stack(2))
    scan = bench.begin(Wish(dpi=75))
    found = []
    bench.foreman.listen(lambda event: found.append((event.state, bench.scanning.is_running(scan))))
    assert bench.go_on(scan) == ""
    assert found[0] == ("running", True) and found[-1] == ("resting", False)


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


def test_sides_that_are_all_blank_can_still_be_put_back(bench: Bench) -> None:
    bench.device.lay([Sheet("blank"), Sheet("blank"), Sheet("blank")])
    scan = bench.begin(Wish(dpi=75))
    bench.to_the_end(scan)
    assert bench.texts(scan) == []
    _, middle, last = bench.store.scans.faces(scan)
    for face in (last, middle):
        bench.store.scans.put_back(face.id)
    assert bench.texts(scan) == ["blank", "blank", "|"]
    bench.device.lay([Sheet("f4")])
    bench.to_the_end(scan)
    assert bench.texts(scan) == ["blank", "blank", "f4", "|"]


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


def test_a_document_into_which_sheets_come_is_not_removed(bench: Bench) -> None:
    bench.device.lay(stack(2))
    scan = bench.begin(Wish(dpi=75))
    bench.to_the_end(scan)
    (document,) = bench.store.documents.of_batch(bench.batch)
    bench.store.scans.set_state(scan, "running")
    with pytest.raises(Stale):
        bench.store.delete_document(document.id)
    assert bench.texts(scan) == ["f1", "f2", "|"]
    bench.store.scans.set_state(scan, "resting")
    bench.store.delete_document(document.id)
    assert bench.store.scans.scan(scan).state == "ended"  # nothing is counted on to what is gone


def test_a_document_begins_at_a_blank_sheet(bench: Bench) -> None:
    bench.device.lay(
        [Sheet("f1"), Sheet("blank"), Sheet("f2"), Sheet("f3"), Sheet("blank"), Sheet("blank"), Sheet("f4")]
    )
    scan = bench.begin(Wish(dpi=75), Aim(cut="blank"))
    bench.to_the_end(scan)
    assert bench.texts(scan) == ["f1", "|", "f2", "f3", "|", "f4", "|"]


@pytest.mark.parametrize("seed", range(4))
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


# What is to be seen on a sheet


def paper(*texts: tuple[str, int, int], size: tuple[int, int] = (1100, 850), tone: int = 245) -> np.ndarray:
    """A sheet at 100 dpi with words at places."""
    scan = np.random.default_rng(1).normal(tone, 2.0, size).clip(0, 255).astype(np.uint8)
    for text, x, y in texts:
        cv2.putText(scan, text, (x, y), cv2.FONT_HERSHEY_SIMPLEX, 0.6, 30, 2)
    return scan


LINES = [(f"The lamp of Grimhaug was lit at {n} o'clock", 120, 150 + 40 * n) for n in range(1, 18)]


def test_a_blank_side_is_told_from_one_that_says_little() -> None:
    blank = paper()
    cv2.circle(blank, (60, 550), 12, 40, -1)  # a punch hole
    blank[300:302, 500:502] = 60  # dust
    blank[:, :9] = 38  # the bed
    ghost = cv2.GaussianBlur(paper(*LINES), (0, 0), 2)
    through = (blank * (0.86 + 0.14 * ghost[:, ::-1] / 255.0)).astype(np.uint8)
    assert judge_sheet(blank, 100).judged.blank
    assert judge_sheet(through, 100, front=paper(*LINES)).judged.blank
    assert not judge_sheet(through, 100, front=paper(*LINES[::4])).judged.blank  # pale, and not of the other side
    assert not judge_sheet(through, 100).judged.blank  # what cannot be told is kept
    assert not judge_sheet(paper(("no. 7", 700, 1000)), 100).judged.blank
    pencil = paper()
    cv2.putText(pencil, "seen", (300, 300), cv2.FONT_HERSHEY_SIMPLEX, 0.8, 165, 2)
    assert not judge_sheet(pencil, 100).judged.blank
    assert not any(judge_sheet(np.full((1100, 850), 250, np.uint8), 100).judged.remarks)


def test_what_is_wrong_with_a_sheet_is_said() -> None:
    good = paper(*LINES)
    assert judge_sheet(good, 100).judged.remarks == ()
    cut = good[:, 135:]
    assert any("runs off the left edge" in r for r in judge_sheet(cut, 100).judged.remarks)
    faint = (225 + (good.astype(int) - 245) * 0.12).clip(0, 255).astype(np.uint8)
    assert any("faint" in r for r in judge_sheet(faint, 100).judged.remarks)
    other = np.concatenate([good[:880], good[:550]])
    assert any("mm long" in r for r in judge_sheet(other, 100, length=11.0).judged.remarks)
    other[877:880] = (other[877:880] * 0.6).astype(np.uint8)
    assert any("edge lies across" in r for r in judge_sheet(other[300:1400], 100).judged.remarks)
    ruled = good.copy()
    ruled[600:602, 60:790] = 40
    assert judge_sheet(ruled, 100).judged.remarks == ()


@pytest.mark.parametrize("fault", ["turned", "upside down", "faint", "blurred", "stained", "one bit", "small"])
def test_separator_sheets_are_read_after_printing_and_scanning(fault: str) -> None:
    """By zxing, which did not make our sheets' pictures: they were set by WeasyPrint and drawn by pdfium."""
    name = "Kasse 14: Blüsen & Feuer"
    document = pdfium.PdfDocument(separator_sheets([name, ""]))
    sheets = [as_uint8(page.render(scale=200 / 72).to_numpy())[:, :, 0].copy() for page in document]
    for scan, said in zip(sheets, (name, ""), strict=True):
        rng = np.random.default_rng(3)
        dpi = 200.0
        if fault == "turned":
            matrix = cv2.getRotationMatrix2D((800, 1100), 7.0, 1.0)
            scan = cv2.warpAffine(scan, matrix, scan.shape[::-1], borderValue=60)
        elif fault == "upside down":
            scan = np.rot90(scan, 2)
        elif fault == "faint":
            scan = (200 + scan * 0.2).clip(0, 255)
        elif fault == "blurred":
            scan = cv2.GaussianBlur(scan, (0, 0), 4)
        elif fault == "stained":
            scan = scan.copy()
            cv2.circle(scan, (300, 2000), 300, 120, -1)  # over one of the two codes
        elif fault == "one bit":
            scan = np.where(scan + rng.normal(0, 60, scan.shape) > 128, 255, 0)
        elif fault == "small":
            scan, dpi = cv2.resize(scan, None, fx=0.375, fy=0.375, interpolation=cv2.INTER_AREA), 75.0
        assert read_separator(np.ascontiguousarray(scan.astype(np.uint8)), dpi) == said
    assert read_separator(paper(*LINES), 100) is None
    assert (
        read_separator(as_uint8(zxingcpp.create_barcode("else", zxingcpp.BarcodeFormat.QRCode).to_image(scale=8)), 100)
        is None
    )


def test_separator_sheets_part_and_name_documents(tmp_path: Path) -> None:
    device = Device(slow=0.01)
    with served(device) as address:
        bench = Bench(tmp_path, device, address)
        device.lay(STACKS[2].sheets())
        scan = bench.begin(Wish(dpi=100), Aim(cut="separator"))
        assert bench.to_the_end(scan) == []
        documents = bench.store.documents.of_batch(bench.batch)
        assert [d.title for d in documents] == ["Box 14 letters", "Box 15 letters", "Scan 0003"]
        assert [len(bench.store.pages.ids(d.id)) for d in documents] == [3, 3, 3]
        bench.store.close()


# The protocol


SPECIFIED = """<?xml version="1.0" encoding="UTF-8"?>
<scan:ScannerCapabilities xmlns:pwg="http://www.pwg.org/schemas/2010/12/sm" xmlns:scan="http://schemas.hp.com/imaging/escl/2011/05/03">
<pwg:Version>2.6</pwg:Version><pwg:MakeAndModel>Example Model</pwg:MakeAndModel>
<scan:Platen><scan:PlatenInputCaps><scan:MinWidth>16</scan:MinWidth><scan:MaxWidth>2550</scan:MaxWidth>
<scan:MinHeight>16</scan:MinHeight><scan:MaxHeight>3508</scan:MaxHeight><scan:SettingProfiles><scan:SettingProfile>
<scan:ColorModes><scan:ColorMode>Grayscale8</scan:ColorMode><scan:ColorMode>RGB24</scan:ColorMode></scan:ColorModes>
<scan:DocumentFormats><pwg:DocumentFormat>application/pdf</pwg:DocumentFormat><pwg:DocumentFormat>image/jpeg</pwg:DocumentFormat>
</scan:DocumentFormats><scan:SupportedResolutions><scan:ResolutionRange><scan:XResolutionRange><scan:Min>75</scan:Min>
<scan:Max>600</scan:Max><scan:Normal>300</scan:Normal><scan:Step>1</scan:Step></scan:XResolutionRange></scan:ResolutionRange>
</scan:SupportedResolutions></scan:SettingProfile></scan:SettingProfiles></scan:PlatenInputCaps></scan:Platen>
<scan:BrightnessSupport><scan:Min>-50</scan:Min><scan:Max>150</scan:Max><scan:Normal>0</scan:Normal><scan:Step>1</scan:Step></scan:BrightnessSupport>
</scan:ScannerCapabilities>"""
STOPPED = """<scan:ScannerStatus xmlns:pwg="http://www.pwg.org/schemas/2010/12/sm" xmlns:scan="http://schemas.hp.com/imaging/escl/2011/05/03">
<pwg:Version>2.6</pwg:Version><pwg:State>Stopped</pwg:State><scan:AdfState>ScannerAdfJam</scan:AdfState><scan:Jobs><scan:JobInfo>
<pwg:JobUri>http://evil.example/eSCL/ScanJobs/7</pwg:JobUri><pwg:ImagesCompleted>3</pwg:ImagesCompleted>
<pwg:JobState>Aborted</pwg:JobState><pwg:JobStateReasons><pwg:JobStateReason>AbortedBySystem</pwg:JobStateReason></pwg:JobStateReasons>
</scan:JobInfo></scan:Jobs></scan:ScannerStatus>"""


def test_answers_as_the_specification_shows_them_are_understood() -> None:
    """Written by hand after Mopria's eSCL Technical Specification, from memory: a range of resolutions, no feeder."""
    can = read_capabilities(SPECIFIED.encode())
    assert can.feeder is None and can.duplex is None and can.flatbed is not None
    assert round(can.flatbed.width) == 216 and {75, 300, 600} <= set(can.flatbed.resolutions)
    assert can.flatbed.colours == (Colour.GREY, Colour.COLOUR) and can.contrast is None
    assert can.brightness and (can.brightness.at(100), can.brightness.at(-50), can.brightness.at(0)) == (150, -25, 0)
    wish = Wish(source="flatbed", dpi=250, crop=Area(left=25.4, top=50.8, width=101.6, height=76.2))
    asked = write_settings(wish, can, Colour.GREY).decode()
    for told in (
        "XOffset>300<",
        "YOffset>600<",
        "Width>1200<",
        "Height>900<",
        "ColorMode>Grayscale8<",
        "XResolution>300<",
        "Platen<",
    ):
        assert told in asked
    with pytest.raises(ProtocolError, match="feeder"):
        write_settings(Wish(), can, Colour.GREY)
    status = read_status(STOPPED.encode())
    assert status.trouble == "jam" and status.jobs[0].sent == 3 and status.jobs[0].is_over
    assert status.jobs[0].path == "/eSCL/ScanJobs/7"  # the host that it names is not spoken to


@pytest.mark.parametrize(
    "answer",
    [
        b"", b"<html>", b"\xff\xd8\xff", SPECIFIED.replace("2550", "99999999").encode(), SPECIFIED.replace("2550", "wide").encode(),
        SPECIFIED.replace("RGB24", "X").replace("Grayscale8", "Y").encode(), STOPPED.encode(), b"<a>" * 400_000,
        b'<!DOCTYPE a [<!ENTITY b SYSTEM "file:///etc/passwd">]><scan>&b;</scan>',
        b'<!DOCTYPE z [<!ENTITY a "xxxxxxxxxx"><!ENTITY b "&a;&a;&a;&a;">]><ScannerCapabilities>&b;</ScannerCapabilities>',
    ],
)  # fmt: skip
def test_a_device_that_lies_is_refused_with_a_reason(answer: bytes) -> None:
    with pytest.raises(ProtocolError):
        read_capabilities(answer)


def test_only_addresses_of_scanners_are_taken() -> None:
    assert address_of("192.168.1.20") == "http://192.168.1.20/eSCL"
    assert address_of(" scanner.local:8080/ ") == "http://scanner.local:8080/eSCL"
    assert address_of("https://[fe80::1]/a/eSCL/") == "https://[fe80::1]/a/eSCL"
    for told in (
        "",
        "ftp://a/eSCL",
        "http://a:b@c/eSCL",
        "http://a/../eSCL",
        "a b",
        "http://a/eSCL?x=1",
        "a:99999",
        "file:///etc",
    ):
        with pytest.raises(ValueError):
            address_of(told)


class Liar(httpx.BaseTransport):
    """Answers pictures as told, and everything else as the stand-in does not."""

    def __init__(
        self, body: bytes | Iterator[bytes], location: str = "http://elsewhere.example/eSCL/ScanJobs/1"
    ) -> None:
        self.body, self.location, self.asked = body, location, []  # type: ignore[var-annotated]

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        self.asked.append(str(request.url))
        if request.method == "POST":
            return httpx.Response(201, headers={"Location": self.location})
        if "redirect" in str(request.url):
            return httpx.Response(302, headers={"Location": "http://elsewhere.example/"})
        return httpx.Response(200, content=self.body)


def test_garbage_and_endless_pictures_are_refused_and_no_other_host_is_asked(tmp_path: Path) -> None:
    def endless() -> Iterator[bytes]:
        while True:
            yield b"\xff\xd8\xff" + bytes(65536)

    for body, said in ((b"<html>no</html>", "no picture"), (b"", "no picture"), (endless(), "more than")):
        liar = Liar(body)
        client = ScannerClient("http://scanner.example/eSCL", liar)
        job = client.begin(b"<x/>")
        with pytest.raises(ProtocolError, match=said):
            client.next_picture(job, tmp_path / "a", 1_000_000)
        assert all(url.startswith("http://scanner.example/") for url in liar.asked)
    with pytest.raises(ProtocolError):
        ScannerClient("http://scanner.example/eSCL", Liar(b"", "..")).begin(b"<x/>")
    with pytest.raises(Unreachable):
        ScannerClient("http://127.0.0.1:9/eSCL").capabilities()


def test_another_client_scans_from_the_stand_in(tmp_path: Path) -> None:
    """`scanimage` of SANE with its driver for eSCL (sane-airscan): each sheet, both sides, and a jam told as one."""
    device = Device(slow=0.01)
    with served(device) as address:
        (tmp_path / "dll.conf").write_text("airscan\n")
        (tmp_path / "airscan.conf").write_text(
            f"[devices]\nStandIn = {address}, eSCL\n[options]\ndiscovery = disable\n"
        )

        def scan(*told: str) -> subprocess.CompletedProcess[str]:
            return subprocess.run(
                ["scanimage", "-d", "airscan:e0:StandIn", "--resolution", "75", "--mode", "Gray", *told],
                env={**os.environ, "SANE_CONFIG_DIR": str(tmp_path)}, capture_output=True, text=True, timeout=120, cwd=tmp_path,
            )  # fmt: skip

        device.lay([Sheet(letter(n), seed=n) for n in (1, 2, 3)])
        told = scan("--source", "ADF Duplex", "--format=png", "--batch=side%d.png")
        assert sorted(p.name for p in tmp_path.glob("side*.png")) == [f"side{n}.png" for n in range(1, 7)], told.stderr
        first, back = (cv2.imread(str(tmp_path / f"side{n}.png"), 0) for n in (1, 2))
        assert first is not None and back is not None
        assert 0.9 < first.shape[1] / (216 / 25.4 * 75) < 1.1 and not judge_sheet(first, 75).judged.blank
        assert judge_sheet(back, 75).judged.blank
        device.put_on_glass(Sheet(letter(5)))
        assert scan("--source", "Flatbed", "--format=png", "-o", "glass.png").returncode == 0
        assert cv2.imread(str(tmp_path / "glass.png"), 0) is not None
        device.lay([Sheet(letter(1)), Sheet(letter(2), fault="jam")])
        told = scan("--source", "ADF", "--format=png", "--batch=jam%d.png")
        assert "jam" in told.stderr.lower() and len(list(tmp_path.glob("jam*.png"))) == 1


def test_the_stand_in_is_found_where_it_announces_itself() -> None:
    def both() -> list[Announced]:
        with announced(8399, name="Stand-in of the tests"):
            return find_scanners(2.0, interfaces=["127.0.0.1"])

    with ThreadPoolExecutor(1) as pool:  # a loop that runs in this thread, as browser tests leave one, would be taken
        found = pool.submit(both).result()
    assert ("http://127.0.0.1:8399/eSCL", "Stand-in of the tests") in found
