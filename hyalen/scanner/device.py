"""The device: a glass, a feeder with its stack, jobs, and what goes wrong."""

from __future__ import annotations

import io
import threading
import time
import uuid
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

import cv2
import numpy as np
from PIL import Image as Pillow

from hyalen.core.imaging.pixels import Image, as_uint8
from hyalen.scanner.sheets import Sheet, scanned

Feeder = Literal["Loaded", "Empty", "Jam", "HatchOpen", "MultipickDetected", "Processing"]
GLASS = (216.0, 297.0)  # millimetres
LONGEST = 420.0  # millimetres that the feeder takes
RESOLUTIONS = (75, 100, 150, 200, 300, 400, 600, 1200)
SLOW_SECONDS = 1.5
KEPT_JOBS = 20


class Settings(NamedTuple):
    """What a client asked for: an area in 300ths of an inch, and the rest as eSCL names it."""

    feeder: bool
    duplex: bool
    mode: str
    dpi: int
    left: int
    top: int
    width: int
    height: int
    format: str
    brightness: int = 1000
    contrast: int = 1000


class Refused(Exception):
    """The device will not, for now or at all; `status` is HTTP's."""

    def __init__(self, status: int, reason: str) -> None:
        super().__init__(reason)
        self.status = status


@dataclass
class Job:
    id: str
    settings: Settings
    began: float
    state: str = "Processing"
    reason: str = "JobScanning"
    sent: int = 0
    waiting: list[tuple[Sheet, bool]] = field(default_factory=list)  # sides of the sheet that is in the path
    made: bytes | None = None  # the next picture, until it has left whole


class Device:
    """Thread-safe. A picture counts as sent when all of it has left; until then it is given again.

    Parameters
    ----------
    render : callable
        What makes a side's picture file; tests give a quicker one.
    """

    def __init__(
        self, render: Callable[[Sheet, bool, Settings], bytes] | None = None, slow: float = SLOW_SECONDS
    ) -> None:
        self._lock = threading.RLock()
        self._render = render or rendered
        self.slow = slow
        self.feeder: deque[Sheet] = deque()
        self.glass: Sheet | None = None
        self.tray: list[Sheet] = []  # what has gone through
        self.stuck: list[Sheet] = []  # what has jammed or came two at a time
        self.trouble: Feeder | None = None
        self.jobs: dict[str, Job] = {}
        self.vanish_after: int | None = None  # bytes, after which the next answer breaks off

    # Whoever stands before it

    def lay(self, sheets: Iterable[Sheet]) -> None:
        """Put sheets behind those in the feeder."""
        with self._lock:
            self.feeder.extend(sheets)

    def put_on_glass(self, sheet: Sheet | None) -> None:
        with self._lock:
            self.glass = sheet

    def take_away(self) -> None:
        """Empty the feeder."""
        with self._lock:
            self.feeder.clear()

    def clear(self) -> list[Sheet]:
        """Take what is stuck out of the path and lay it in again, on top of the rest; close the cover."""
        with self._lock:
            freed = [s.without_fault() for s in self.stuck]
            self.feeder.extendleft(reversed(freed))
            self.stuck, self.trouble = [], None
            return freed

    def turn_over(self) -> None:
        """Lay what has gone through into the feeder again, turned over as one stack: the last sheet comes first."""
        with self._lock:
            turned = [Sheet(s.back, s.front, s.how, s.seed + 5000, picture=None) for s in reversed(self.tray)]
            self.tray = []
            self.feeder.extend(turned)

    def open_cover(self) -> None:
        with self._lock:
            self.trouble = "HatchOpen"

    # Whoever asks over the wire

    @property
    def adf_state(self) -> str:
        with self._lock:
            if self.trouble:
                return f"ScannerAdf{self.trouble}"
            running = any(j.state == "Processing" and j.settings.feeder for j in self.jobs.values())
            return "ScannerAdfProcessing" if running else "ScannerAdfLoaded" if self.feeder else "ScannerAdfEmpty"

    @property
    def state(self) -> str:
        with self._lock:
            if self.trouble:
                return "Stopped"
            return "Processing" if any(j.state == "Processing" for j in self.jobs.values()) else "Idle"

    def begin(self, settings: Settings) -> Job:
        """A new job (raises Refused)."""
        with self._lock:
            for job in self.jobs.values():
                if job.state == "Processing":
                    raise Refused(503, "another job is under way")
            if settings.feeder and self.trouble:
                raise Refused(409, "the feeder is stopped")
            if settings.feeder and not self.feeder:
                raise Refused(409, "the feeder is empty")
            if settings.dpi not in RESOLUTIONS:
                raise Refused(409, "no such resolution")
            job = Job(str(uuid.uuid4()), settings, time.time())
            if not settings.feeder:
                job.waiting = [(self.glass or Sheet(""), False)]
            self.jobs[job.id] = job
            for old in list(self.jobs)[:-KEPT_JOBS]:
                del self.jobs[old]
            return job

    def job(self, job_id: str) -> Job:
        with self._lock:
            if job_id not in self.jobs:
                raise Refused(404, "there is no such job")
            return self.jobs[job_id]

    def cancel(self, job_id: str) -> None:
        with self._lock:
            job = self.job(job_id)
            if job.state == "Processing":
                job.state, job.reason = "Canceled", "JobCanceledByUser"
                if job.made is not None or job.waiting:  # the sheet in the path comes out unread
                    self._back_out(job)

    def next_picture(self, job_id: str) -> bytes:
        """The next picture of a job, which stays the next until `sent` (raises Refused: 404 at the end)."""
        with self._lock:
            job = self.job(job_id)
            if job.state != "Processing":
                raise Refused(404 if job.state == "Completed" else 410, "the job is over")
            if job.made is None:
                self._feed(job)
                sheet, back = job.waiting[0]
                job.made = self._render(sheet, back, job.settings)
            return job.made

    def sent(self, job_id: str) -> None:
        """All of the last picture has left."""
        with self._lock:
            job = self.jobs.get(job_id)
            if job is None or job.made is None:
                return
            job.made, job.sent = None, job.sent + 1
            sheet, _ = job.waiting.pop(0)
            if not job.waiting and job.settings.feeder:
                self.tray.append(sheet)
            if not job.waiting and not job.settings.feeder:
                job.state, job.reason = "Completed", "JobCompletedSuccessfully"

    def _feed(self, job: Job) -> None:
        if job.waiting:
            return
        if self.trouble:
            raise self._stopped(job)
        if not self.feeder:
            job.state, job.reason = "Completed", "JobCompletedSuccessfully"
            raise Refused(404, "the feeder is empty")
        sheet = self.feeder.popleft()
        fault = sheet.fault
        if fault == "slow":
            self.feeder.appendleft(sheet.without_fault())
            raise Refused(503, "still feeding")
        if fault == "cover_open":
            self.feeder.appendleft(sheet.without_fault())
            self.trouble = "HatchOpen"
            raise self._stopped(job)
        if fault == "jam" or (fault == "double_feed"):
            self.stuck = [sheet]
            if fault == "double_feed" and self.feeder:
                self.stuck.append(self.feeder.popleft())
            self.trouble = "Jam" if fault == "jam" else "MultipickDetected"
            raise self._stopped(job)
        if fault == "cut":
            self.vanish_after = 2000
            sheet = sheet.without_fault()
        job.waiting = [(sheet, False), (sheet, True)] if job.settings.duplex else [(sheet, False)]

    def _stopped(self, job: Job) -> Refused:
        job.state, job.reason = "Aborted", "AbortedBySystem"
        return Refused(409, "the feeder has stopped")

    def jam_now(self, job_id: str) -> None:
        """The sheet in the path jams, even between its sides."""
        with self._lock:
            job = self.jobs.get(job_id)
            if job is None or job.state != "Processing":
                return
            if job.waiting:
                self.stuck = [job.waiting[0][0]]
                job.waiting, job.made = [], None
            self.trouble = "Jam"
            self._stopped(job)

    def _back_out(self, job: Job) -> None:
        if job.settings.feeder:
            self.feeder.appendleft(job.waiting[0][0])
        job.waiting, job.made = [], None


def rendered(sheet: Sheet, back: bool, settings: Settings) -> bytes:
    """A side's picture as a file: JPEG, or one-bit as PDF."""
    dpi = settings.dpi
    seen = _cut(scanned(sheet, back, dpi), sheet, settings)
    seen = _toned(seen, settings)
    if settings.mode != "RGB24":
        seen = as_uint8(cv2.cvtColor(seen, cv2.COLOR_RGB2GRAY))
    return encoded(seen, settings)


def _cut(seen: Image, sheet: Sheet, settings: Settings) -> Image:
    """The area asked for, dark where nothing lies."""
    dpi = settings.dpi
    left, top, width, height = (
        round(v / 300 * dpi) for v in (settings.left, settings.top, settings.width, settings.height)
    )
    if settings.feeder:  # it feeds to the sheet's end, and centres nothing
        height = min(height, seen.shape[0]) if sheet.fault != "doubled" else seen.shape[0]
    bed = np.full((max(1, height), max(1, width), 3), 38, np.uint8)
    part = seen[top : top + height, left : left + width]
    bed[: part.shape[0], : part.shape[1]] = part
    return bed


def _toned(seen: Image, settings: Settings) -> Image:
    if settings.brightness == settings.contrast == 1000:
        return seen
    gain = settings.contrast / 1000
    shift = (settings.brightness - 1000) / 1000 * 90
    return as_uint8(np.clip((seen.astype(np.float32) - 128) * gain + 128 + shift, 0, 255))


def encoded(seen: Image, settings: Settings) -> bytes:
    """A picture in the file format asked for."""
    out = io.BytesIO()
    picture = Pillow.fromarray(seen)
    if settings.mode == "BlackAndWhite1":
        level, _ = cv2.threshold(seen, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
        picture = Pillow.fromarray(seen > level)
    if settings.format == "application/pdf":
        picture.save(out, "PDF", resolution=settings.dpi)
    else:
        (picture.convert("L") if picture.mode == "1" else picture).save(
            out, "JPEG", quality=88, dpi=(settings.dpi, settings.dpi)
        )
    return out.getvalue()


MAX_WIDTH, MAX_HEIGHT = (round(v / 25.4 * 300) for v in GLASS)
MAX_LENGTH = round(LONGEST / 25.4 * 300)
