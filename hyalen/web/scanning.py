"""Scanners, presets, and sheets that come from them."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from hyalen.core.formats.names import shown
from hyalen.core.model.text import fit
from hyalen.core.scanning.escl import Capabilities, Input, ProtocolError
from hyalen.core.scanning.separators import separator_sheets
from hyalen.core.scanning.wish import Wish
from hyalen.store.scans import FaceRecord, ScanRecord
from hyalen.web.errors import BadRequest
from hyalen.web.pages import FOREVER
from hyalen.web.schemas import (
    Face,
    FoundScanner,
    Id,
    NamedPreset,
    NewPreset,
    NewScan,
    NewScanner,
    Scan,
    Scanner,
    ScannerInput,
    ScannerState,
    Separators,
)
from hyalen.web.services import Given, Services
from hyalen.work import jobs
from hyalen.work.foreman import Event
from hyalen.work.scanner_client import Busy, Declined, ScannerClient, Unreachable, address_of
from hyalen.work.scanner_finder import find_scanners
from hyalen.work.scanning import fetch_preview

router = APIRouter(tags=["scanning"])
SHOWING_SECONDS = 30.0


class PdfResponse(Response):
    media_type = "application/pdf"


class JpegResponse(Response):
    media_type = "image/jpeg"


SEPARATING_SECONDS = 120.0


# Scanners


@router.get("/scanners")
def list_scanners(given: Given) -> list[Scanner]:
    return [Scanner(id=s.id, address=s.address, name=s.name) for s in given.store.scans.scanners()]


@router.post("/scanners", status_code=201)
def add_scanner(new: NewScanner, given: Given) -> Scanner:
    """Keep a device that the clerk names or confirms; it is asked what it is."""
    try:
        address = address_of(new.address)
    except ValueError as error:
        raise BadRequest("No scanner", f"{error}.") from error
    with _spoken_to(given, address) as client:
        name = fit(client.capabilities().name)
    scanner_id = given.store.scans.add_scanner(address, name)
    return Scanner(id=scanner_id, address=address, name=name)


@router.delete("/scanners/{scanner_id}", status_code=204)
def forget_scanner(scanner_id: Id, given: Given) -> None:
    given.store.scans.forget_scanner(scanner_id)


@router.post("/scanners/find")
def find(given: Given) -> list[FoundScanner]:
    """Devices that announce themselves; each is spoken to only when it is confirmed."""
    known = {s.address for s in given.store.scans.scanners()}
    try:
        found = find_scanners()
    except OSError as error:
        raise BadRequest("No network", f"The network cannot be asked ({error.strerror or error}).", 503) from error
    return [FoundScanner(address=f.address, name=f.name, known=f.address in known) for f in found]


@router.get("/scanners/{scanner_id}")
def look_at_scanner(scanner_id: Id, given: Given) -> ScannerState:
    """What a device can do and how it is, asked now."""
    scanner = given.store.scans.scanner(scanner_id)
    with _spoken_to(given, scanner.address) as client:
        can, status = client.capabilities(), client.status()
    return ScannerState(
        id=scanner.id,
        name=fit(can.name),
        address=scanner.address,
        page=can.admin if can.admin.startswith(("http://", "https://")) else None,
        flatbed=_input(can.flatbed),
        feeder=_input(can.feeder),
        both_sides=can.duplex is not None,
        tones=_tones(can),
        trouble=status.trouble,
        loaded=status.feeder == "ScannerAdfLoaded",
    )


@router.post("/scanners/{scanner_id}/preview", response_class=JpegResponse)
def preview(scanner_id: Id, wish: Wish, given: Given) -> Response:
    """A small picture of what lies on the glass."""
    scanner, blobs = given.store.scans.scanner(scanner_id), given.store.blobs
    out = blobs.workplace()
    try:
        with _spoken_to(given, scanner.address) as client:
            fetch_preview(client, client.capabilities(), wish, out, given.foreman.limits.bytes)
        data = given.showing.do(jobs.preview_of, str(out), given.foreman.limits, seconds=SHOWING_SECONDS)
        return JpegResponse(data)
    finally:
        out.unlink(missing_ok=True)


# Presets and separator sheets


@router.get("/scan-presets")
def presets(given: Given) -> list[NamedPreset]:
    return [NamedPreset(id=p.id, name=p.name, preset=p.preset) for p in given.store.scans.presets()]


@router.put("/scan-presets")
def save_preset(new: NewPreset, given: Given) -> list[NamedPreset]:
    given.store.scans.save_preset(new.name.strip() or "Preset", new.preset)
    return presets(given)


@router.delete("/scan-presets/{preset_id}", status_code=204)
def delete_preset(preset_id: Id, given: Given) -> None:
    given.store.scans.delete_preset(preset_id)


@router.post("/separator-sheets", response_class=PdfResponse)
def separators(wanted: Separators, given: Given) -> Response:
    """A PDF of separator sheets to be printed, one for each name."""
    data = given.showing.do(separator_sheets, wanted.names, seconds=SEPARATING_SECONDS)
    headers = {"Content-Disposition": 'attachment; filename="separator-sheets.pdf"'}
    return PdfResponse(data, headers=headers)


# Scans


@router.post("/batches/{batch_id}/scans", status_code=201)
def begin(batch_id: Id, new: NewScan, given: Given) -> Scan:
    """Begin to scan into a batch."""
    scan_id = given.store.scans.begin(batch_id, new.scanner, new.wish, new.aim)
    return _started(given, scan_id)


@router.get("/batches/{batch_id}/scan")
def last_scan(batch_id: Id, given: Given, first: int = Query(default=0, ge=0, le=1_000_000)) -> Scan | None:
    """The batch's scan that was begun last, until it is ended; of its faces those from `first` on."""
    given.store.documents.batch(batch_id)
    scan = given.store.scans.last_of(batch_id)
    return _scan(given, scan, first) if scan and scan.state != "ended" else None


@router.post("/scans/{scan_id}/go-on")
def go_on(scan_id: Id, given: Given) -> Scan:
    """More sheets, or those that are left after trouble."""
    return _started(given, scan_id)


@router.post("/scans/{scan_id}/stop")
def stop(scan_id: Id, given: Given) -> Scan:
    """Rest before the next sheet."""
    given.scanning.stop(scan_id, wait=3.0)
    return _scan(given, given.store.scans.scan(scan_id))


@router.post("/scans/{scan_id}/other-sides")
def other_sides(scan_id: Id, given: Given) -> Scan:
    """The stack was turned over: its other sides come now, the last sheet's first."""
    given.store.scans.other_sides(scan_id)
    return _started(given, scan_id)


@router.post("/scans/{scan_id}/end")
def end(scan_id: Id, given: Given) -> None:
    """No more sheets come."""
    given.scanning.stop(scan_id, wait=3.0)
    given.store.scans.set_state(scan_id, "ended")
    scan = given.store.scans.scan(scan_id)
    given.foreman.tell(Event("scan", scan.batch_id, state="ended"))


@router.post("/faces/{face_id}/put-back")
def put_back(face_id: Id, given: Given) -> Scan:
    """Make a page of a side that was left out as blank."""
    document_id = given.store.scans.put_back(face_id)
    scan = given.store.scans.scan(given.store.scans.face(face_id).scan_id)
    given.foreman.wake()
    given.foreman.tell(Event("document", scan.batch_id, document_id, state="scanned"))
    return _scan(given, scan)


@router.get("/faces/{face_id}/picture", response_class=JpegResponse)
def picture(face_id: Id, given: Given, small: Annotated[bool, Query()] = True) -> Response:
    """A side as it came, small or whole."""
    face, blobs = given.store.scans.face(face_id), given.store.blobs
    if small:
        return JpegResponse(blobs.get(face.thumb_blob), headers=FOREVER)
    data = given.showing.do(jobs.preview_of, str(blobs.path(face.blob)), given.foreman.limits, seconds=SHOWING_SECONDS)
    return JpegResponse(data, headers=FOREVER)


def _started(given: Services, scan_id: int) -> Scan:
    if not given.scanning.go_on(scan_id):
        raise BadRequest("Under way", "The scanner is at work already; stop it first, or wait until it rests.", 409)
    return _scan(given, given.store.scans.scan(scan_id))


def _scan(given: Services, scan: ScanRecord, first: int = 0) -> Scan:
    titles = {d.id: d.title for d in given.store.documents.of_batch(scan.batch_id)}
    faces = given.store.scans.faces(scan.id)[first:]
    return Scan(
        id=scan.id,
        batch_id=scan.batch_id,
        scanner=scan.scanner_id,
        wish=scan.wish,
        aim=scan.aim,
        running=given.scanning.is_running(scan.id),
        trouble=scan.trouble,
        second_pass=scan.step == 2,
        faces=[_face(f, titles) for f in faces],
    )


def _face(face: FaceRecord, titles: dict[int, str]) -> Face:
    return Face(
        id=face.id,
        second_pass=face.step == 2,
        number=face.number,
        fate=face.fate,
        document=face.document_id,
        title=shown(titles.get(face.document_id, "")) if face.document_id else "",
        page=face.page_id,
        remarks=[fit(each) for each in face.judged.remarks],
        separator=face.judged.separator,
        width=face.judged.width,
        height=face.judged.height,
    )


def _input(told: Input | None) -> ScannerInput | None:
    if told is None:
        return None
    return ScannerInput(
        width=round(told.width, 1),
        height=round(told.height, 1),
        resolutions=list(told.resolutions),
        colours=[c.value for c in told.colours],
    )


def _tones(can: Capabilities) -> list[str]:
    return [name for name, span in (("brightness", can.brightness), ("contrast", can.contrast)) if span]


@contextmanager
def _spoken_to(given: Services, address: str) -> Iterator[ScannerClient]:
    """A client of a device, whose failings are told as problems."""
    client = given.scanning.connect(address)
    try:
        yield client
    except Unreachable as error:
        raise BadRequest("Out of reach", f"The scanner at {address} is out of reach: {error}.", 503) from error
    except ProtocolError as error:
        raise BadRequest(
            "Not understood", f"What answers at {address} is no scanner that is understood: {error}."
        ) from error
    except Busy as error:
        raise BadRequest("Busy", "The scanner is busy with something else; try again when it is free.", 503) from error
    except Declined as error:
        raise BadRequest("Declined", f"The scanner at {address} declines (HTTP {error.status}).") from error
    finally:
        client.close()
