"""Sheets come from a scanner into a batch: each is kept before the next is asked for, and trouble stops without loss."""

from __future__ import annotations

import logging
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from hyalen.core.formats.codecs import decode_scan
from hyalen.core.formats.read import read_source_page
from hyalen.core.formats.source import SourceError
from hyalen.core.scanning.escl import Capabilities, ProtocolError, Status, colour_for, write_settings
from hyalen.core.scanning.judge import has_colour
from hyalen.core.scanning.passes import Judged
from hyalen.core.scanning.wish import MM, PAPERS, Colour, Paper, Sides, Wish
from hyalen.store.records import NotFound
from hyalen.store.scans import ScanRecord, Trouble
from hyalen.store.store import Store
from hyalen.work.attendant import Attendant, JobFailed
from hyalen.work.foreman import Event, Foreman
from hyalen.work.jobs import judge_face
from hyalen.work.scanner_client import Busy, Declined, Interrupted, ScannerClient, Unreachable
from hyalen.work.trouble import is_full

TRIES, PAUSE = 5, 1.0  # of a broken connection; seconds before the second try, then longer
MOST_BUSY = 180.0  # seconds that a device may go without a picture
JUDGING_SECONDS = 60.0
PREVIEW_DPI = 100
SAYS = {
    "jam": "A sheet has jammed. Take it out, lay it on top of those that are left, and go on.",
    "double_feed": "Two sheets went in together. Part them, lay both on top of those that are left, and go on.",
    "cover_open": "The cover is open. Close it and go on.",
    "empty": "No sheets lie in the feeder. Lay them in and go on.",
}

log = logging.getLogger(__name__)


class Scanning:
    """The scans that are under way, a thread each.

    Parameters
    ----------
    connect : callable
        Makes what speaks to the device at an address.
    """

    def __init__(
        self,
        store: Store,
        foreman: Foreman,
        attendant: Attendant,
        connect: Callable[[str], ScannerClient] = ScannerClient,
    ) -> None:
        self.store = store
        self.foreman = foreman
        self.attendant = attendant
        self.connect = connect
        self._lock = threading.Lock()
        self._stops: dict[int, threading.Event] = {}
        self._threads: dict[int, threading.Thread] = {}
        self._running: set[int] = set()

    def go_on(self, scan_id: int) -> bool:
        """Start a scan or go on with it; False where it is under way, or its scanner is busy with another."""
        with self._lock:
            scan = self.store.scans.scan(scan_id)
            if any(self.store.scans.scan(each).scanner_id == scan.scanner_id for each in self._running):
                return False
            stop = self._stops[scan_id] = threading.Event()
            self.store.scans.set_state(scan_id, "running")
            thread = self._threads[scan_id] = threading.Thread(
                target=self._run, args=(scan_id, stop), name=f"scan-{scan_id}", daemon=True
            )
            self._running.add(scan_id)
            self._tell(scan, "running")
            thread.start()
        return True

    def stop(self, scan_id: int, wait: float = 0.0) -> None:
        """Have a scan rest before its next sheet."""
        if stop := self._stops.get(scan_id):
            stop.set()
        if wait and (thread := self._threads.get(scan_id)):
            thread.join(wait)

    def close(self) -> None:
        """Have all rest."""
        for scan_id in list(self._threads):
            self.stop(scan_id, wait=5.0)

    def is_running(self, scan_id: int) -> bool:
        return scan_id in self._running

    def _tell(self, scan: ScanRecord, state: str) -> None:
        self.foreman.tell(Event("scan", scan.batch_id, state=state))

    def _run(self, scan_id: int, stop: threading.Event) -> None:
        store = self.store
        try:
            scan = store.scans.scan(scan_id)
            if scan.scanner_id is None:
                raise ProtocolError("it was forgotten; begin anew with another")
            client = self.connect(store.scans.scanner(scan.scanner_id).address)
            try:
                trouble = _Pass(self, scan_id, client, stop).run()
            finally:
                client.close()
        except ProtocolError as error:
            trouble = Trouble(kind="device", says=f"The scanner cannot be understood: {error}.")
        except Unreachable as error:
            trouble = Trouble(kind="connection", says=f"The scanner is out of reach: {error}. Go on when it is back.")
        except Exception as error:
            if is_full(error):
                trouble = Trouble(kind="space", says="The disk is full. Make room and go on; the sheet comes again.")
            else:
                log.exception("a scan stopped")
                trouble = Trouble(kind="device", says=f"Scanning stopped ({type(error).__name__}). Go on.")
        with suppress(NotFound):  # its batch may have been removed meanwhile
            store.scans.set_state(scan_id, "resting", trouble)
        with self._lock:  # who is told that it rests must not find it running
            self._running.discard(scan_id)
        with suppress(NotFound):
            self._tell(store.scans.scan(scan_id), trouble.kind if trouble else "resting")


class _Pass:
    """One run of a scan's thread."""

    def __init__(self, scanning: Scanning, scan_id: int, client: ScannerClient, stop: threading.Event) -> None:
        self.scanning = scanning
        self.store = scanning.store
        self.scan_id = scan_id
        self.client = client
        self.stop = stop
        self.can: Capabilities | None = None

    @property
    def scan(self) -> ScanRecord:
        return self.store.scans.scan(self.scan_id)

    @property
    def arrived(self) -> int:
        """Faces of the job that is under way."""
        scan = self.scan
        return len(self.store.scans.faces(scan.id, scan.step)) - scan.job_first

    def run(self) -> Trouble | None:
        """Fetch faces until there are no more; what stopped it, if something did."""
        self.can = self.client.capabilities()
        job = self._job_alive()
        if isinstance(job, Trouble):
            return job
        if not job:
            begun = self._begin()
            if isinstance(begun, Trouble):
                return begun
            job = begun
        failures, since = 0, time.monotonic()
        while not self.stop.is_set():
            out = self.store.blobs.workplace()
            try:
                self.client.next_picture(job, out, self.scanning.foreman.limits.bytes, self.stop.is_set)
                self._keep(out)
                failures, since = 0, time.monotonic()
                if self.scan.aim.instead is not None:
                    self.client.cancel(job)
                    self.store.scans.set_job(self.scan_id, "")
                    return None
            except Interrupted:
                break
            except Busy as busy:
                if time.monotonic() - since > MOST_BUSY:
                    return self._ended(self.client.status(), job, Trouble(
                        kind="device", says=f"The scanner has given no picture for {MOST_BUSY:.0f} seconds. See to it and go on.",
                    ))  # fmt: skip
                self.stop.wait(busy.seconds)
            except Unreachable:
                failures += 1
                if failures >= TRIES:
                    raise
                self.stop.wait(PAUSE * failures)
            except Declined as declined:
                return self._over(job, declined.status)
            finally:
                out.unlink(missing_ok=True)
        self.client.cancel(job)
        self.store.scans.take_back_half(self.scan_id)
        self.store.scans.set_job(self.scan_id, "")
        return None

    # The job

    def _job_alive(self) -> str | Trouble:
        """The job that was under way and goes on; "" where there is none; trouble where pictures of it are lost."""
        scan = self.scan
        if not scan.job:
            return ""
        info = self.client.status().job(scan.job)
        if info is None:
            self._forget_job()
            return ""
        lost = info.sent is not None and info.sent > self.arrived
        if lost or info.is_over:
            if not info.is_over:
                self.client.cancel(scan.job)
            return self._missing(info.sent or 0) if lost else self._fresh()
        return scan.job

    def _fresh(self) -> str:
        self._forget_job()
        return ""

    def _forget_job(self) -> None:
        self.store.scans.take_back_half(self.scan_id)
        self.store.scans.set_job(self.scan_id, "")

    def _missing(self, sent: int) -> Trouble:
        """What to do where the device has given away more than has come."""
        step = 2 if self.scan.wish.sides is Sides.BOTH else 1
        lost = sent // step - self.arrived // step
        self._forget_job()
        if lost < 1:
            return Trouble(
                kind="missing", says="The last sheet comes again whole: lay it on top of the rest and go on."
            )
        sheets = "sheet that has" if lost == 1 else f"{lost} sheets that have"
        return Trouble(
            kind="missing",
            says=f"{lost} of what the scanner has sent never arrived. Lay the last {sheets} gone through "
            "on top of the rest again, in their order, and go on.",
        )

    def _begin(self) -> str | Trouble:
        assert self.can is not None
        scan = self.scan
        taken = self.can.input(scan.wish.source, scan.wish.sides)
        colour = scan.wish.colour
        if colour is Colour.AUTOMATIC and scan.wish.source == "flatbed" and taken:
            colour = self._colour_of_preview(scan.wish)
        settings = write_settings(scan.wish, self.can, colour_for(colour, taken) if taken else colour)
        since = time.monotonic()
        while True:
            try:
                job = self.client.begin(settings)
                break
            except Busy as busy:
                if time.monotonic() - since > 30 or self.stop.is_set():
                    return Trouble(
                        kind="device", says="The scanner is busy with something else. Go on when it is free."
                    )
                self.stop.wait(busy.seconds)
            except Declined as declined:
                told = self.client.status().trouble
                if told:
                    return Trouble(kind=told, says=SAYS[told])  # type: ignore[arg-type]
                return Trouble(kind="device", says=f"The scanner refuses these settings (HTTP {declined.status}).")
        self.store.scans.set_job(self.scan_id, job)
        return job

    def _colour_of_preview(self, wish: Wish) -> Colour:
        """Colour where a preview has some, else grey: black and white is made of grey when the page is cleaned."""
        assert self.can is not None
        out = self.store.blobs.workplace()
        try:
            fetch_preview(self.client, self.can, wish, out, self.scanning.foreman.limits.bytes)
            page = read_source_page(out, 0, self.scanning.foreman.limits)
            return Colour.COLOUR if has_colour(decode_scan(page.original).pixels) else Colour.GREY
        except (SourceError, Busy, Declined):
            return Colour.COLOUR
        finally:
            out.unlink(missing_ok=True)

    def _over(self, job: str, status: int) -> Trouble | None:
        """The device gives no more of a job: the end, or trouble."""
        told = self.client.status()
        return self._ended(told, job, None if status == 404 else Trouble(
            kind="device", says=f"The scanner has stopped (HTTP {status}). See to it and go on.",
        ))  # fmt: skip

    def _ended(self, told: Status, job: str, otherwise: Trouble | None) -> Trouble | None:
        info = told.job(job)
        if info and info.sent is not None and info.sent > self.arrived:
            return self._missing(info.sent)
        came = self.arrived
        self._forget_job()
        if told.trouble and (told.trouble != "empty" or not came):
            return Trouble(kind=told.trouble, says=SAYS[told.trouble])  # type: ignore[arg-type]
        if info and info.state == "Aborted":
            return otherwise or Trouble(kind="device", says="The scanner broke off. See to it and go on.")
        return self._join() if otherwise is None or told.trouble == "empty" else otherwise

    def _join(self) -> Trouble | None:
        """At the end of a second pass: the other sides find their fronts."""
        scan = self.scan
        if scan.step != 2:
            return None
        try:
            changed = self.store.scans.join_backs(scan.id)
        except ValueError as error:
            return Trouble(
                kind="odd_backs", says=f"{error} Nothing was joined; lay the rest in and go on, or begin them anew."
            )
        self._documents_changed(changed)
        return None

    # Faces

    def _keep(self, out: Path) -> None:
        """Keep what has come before anything else is asked for."""
        store, scan = self.store, self.scan
        length = 0.0
        if scan.wish.source == "feeder" and scan.wish.paper is not Paper.AUTOMATIC:
            sides = scan.wish.own if scan.wish.paper is Paper.OWN and scan.wish.own else PAPERS[scan.wish.paper]
            length = sides[1] / MM
        with store.blobs.held():
            blob = store.blobs.put_file(out)
            faces = store.scans.faces(scan.id, scan.step)
            is_back = scan.wish.sides is Sides.BOTH and len(faces) % 2 == 1
            front = str(store.blobs.path(faces[-1].blob)) if is_back else None
            if self._is_repeat(blob, [f.blob for f in faces]):
                return
            try:
                judged, thumb = self.scanning.attendant.do(
                    judge_face, str(store.blobs.path(blob)), float(scan.wish.dpi), length, self.scanning.foreman.limits, front,
                    seconds=JUDGING_SECONDS,
                )  # fmt: skip
            except (SourceError, JobFailed) as error:
                judged, thumb = Judged(width=0, height=0, remarks=(f"It cannot be judged: {error}",)), b""
            changed = store.scans.add_face(scan.id, len(faces), blob, store.blobs.put(thumb), judged)
        self._documents_changed(changed)
        self.scanning._tell(scan, "face")

    def _is_repeat(self, blob: str, before: list[str]) -> bool:
        """Whether the device gives a picture again that has come: two scans are never alike bit for bit."""
        scan = self.scan
        if not before or before[-1] != blob or not scan.job or len(before) <= scan.job_first:
            return False
        info = self.client.status().job(scan.job)
        return info is not None and info.sent is not None and info.sent <= len(before) - scan.job_first

    def _documents_changed(self, changed: set[int]) -> None:
        if changed:
            self.scanning.foreman.wake()
        for document_id in changed:
            batch_id = self.store.documents.document(document_id).batch_id
            self.scanning.foreman.tell(Event("document", batch_id, document_id, state="scanned"))


def fetch_preview(client: ScannerClient, can: Capabilities, wish: Wish, out: Path, limit: int) -> None:
    """A small picture of the whole glass (raises what the client does)."""
    whole = wish.model_copy(update={"crop": None, "paper": Paper.AUTOMATIC, "source": "flatbed", "sides": Sides.ONE})
    taken = can.flatbed
    if taken is None:
        raise ProtocolError("it has no glass")
    job = client.begin(write_settings(whole, can, colour_for(Colour.COLOUR, taken), PREVIEW_DPI))
    since = time.monotonic()
    try:
        while True:
            try:
                client.next_picture(job, out, limit)
                return
            except Busy as busy:
                if time.monotonic() - since > MOST_BUSY:
                    raise
                time.sleep(busy.seconds)
    finally:
        client.cancel(job)
