"""The device over HTTP: eSCL for clients, and a page for whoever stands before it.

Written to Mopria's eSCL Technical Specification, from memory of its versions 2.6 to 2.9.
"""

from __future__ import annotations

import time
import uuid
from collections.abc import AsyncIterator, Iterator
from html import escape

from fastapi import FastAPI, Form, Request, Response
from fastapi.concurrency import run_in_threadpool
from fastapi.responses import HTMLResponse, PlainTextResponse, RedirectResponse, StreamingResponse
from lxml import etree

from hyalen.core.scanning.escl import PWG, SCAN, VERSION
from hyalen.scanner.device import MAX_HEIGHT, MAX_LENGTH, MAX_WIDTH, RESOLUTIONS, Device, Refused, Settings
from hyalen.scanner.sheets import STACKS, Sheet, letter

NAME = "Hyalen stand-in scanner"
UUID = str(uuid.uuid5(uuid.NAMESPACE_URL, "hyalen-stand-in-scanner"))
LONGEST = 100_000  # bytes of a request
PIECE = 64 * 1024  # bytes


class Broken(Exception):
    """The connection is to break here."""


def make_scanner(device: Device, admin: str = "") -> FastAPI:
    """The ASGI application of a device; `admin` is the address of its own page."""
    app = FastAPI(openapi_url=None, docs_url=None, redoc_url=None)

    @app.get("/eSCL/ScannerCapabilities")
    def capabilities() -> Response:
        return _xml(_capabilities(admin))

    @app.get("/eSCL/ScannerStatus")
    def status() -> Response:
        return _xml(_status(device))

    @app.post("/eSCL/ScanJobs")
    async def begin(request: Request) -> Response:
        body = await request.body()
        if len(body) > LONGEST:
            return PlainTextResponse("too long", 413)
        try:
            job = device.begin(_settings(body))
        except Refused as refused:
            headers = {"Retry-After": f"{device.slow:.0f}"} if refused.status == 503 else {}
            return PlainTextResponse(str(refused), refused.status, headers)
        return Response(status_code=201, headers={"Location": f"{_base(request)}/eSCL/ScanJobs/{job.id}"})

    @app.get("/eSCL/ScanJobs/{job_id}/NextDocument")
    async def next_document(job_id: str) -> Response:
        try:
            data = await run_in_threadpool(device.next_picture, job_id)
        except Refused as refused:
            headers = {"Retry-After": f"{device.slow:.0f}"} if refused.status == 503 else {}
            return PlainTextResponse(str(refused), refused.status, headers)
        job, broken = device.job(job_id), device.vanish_after
        device.vanish_after = None

        async def pieces() -> AsyncIterator[bytes]:
            for at in range(0, len(data), PIECE):
                if broken is not None and at + PIECE >= broken:
                    yield data[at : at + max(1, broken - at)]
                    raise Broken
                yield data[at : at + PIECE]
            device.sent(job_id)

        kind = "application/pdf" if data.startswith(b"%PDF") else "image/jpeg"
        where = f"/eSCL/ScanJobs/{job_id}/ScanImages/{job.sent + 1}"
        return StreamingResponse(
            pieces(), media_type=kind, headers={"Content-Length": str(len(data)), "Content-Location": where}
        )

    @app.delete("/eSCL/ScanJobs/{job_id}")
    def cancel(job_id: str) -> Response:
        try:
            device.cancel(job_id)
        except Refused as refused:
            return PlainTextResponse(str(refused), refused.status)
        return Response(status_code=200)

    @app.get("/", response_class=HTMLResponse)
    def panel() -> str:
        return _panel(device)

    @app.post("/do")
    def do(what: str = Form(), stack: str = Form(default="")) -> Response:
        _do(device, what, stack)
        return RedirectResponse("/", 303)

    return app


def _do(device: Device, what: str, stack: str) -> None:
    chosen = next((s for s in STACKS if s.name == stack), None)
    if what == "lay" and chosen:
        device.lay(chosen.sheets())
    elif what == "glass":
        device.put_on_glass(Sheet(letter(77), seed=77) if device.glass is None else None)
    elif what == "clear":
        device.clear()
    elif what == "cover":
        device.open_cover()
    elif what == "turn":
        device.turn_over()
    elif what == "empty":
        device.take_away()


def _base(request: Request) -> str:
    return f"{request.url.scheme}://{request.url.netloc}"


def _xml(root: etree._Element) -> Response:
    data = etree.tostring(root, xml_declaration=True, encoding="UTF-8", pretty_print=True)
    return Response(data, media_type="text/xml")


def _root(name: str) -> etree._Element:
    root = etree.Element(f"{{{SCAN}}}{name}", nsmap={"scan": SCAN, "pwg": PWG})
    _put(root, PWG, "Version", VERSION)
    return root


def _put(parent: etree._Element, namespace: str, name: str, text: str | int = "") -> etree._Element:
    child = etree.SubElement(parent, f"{{{namespace}}}{name}")
    child.text = str(text) if text != "" else None
    return child


def _capabilities(admin: str) -> etree._Element:
    root = _root("ScannerCapabilities")
    _put(root, PWG, "MakeAndModel", NAME)
    _put(root, PWG, "SerialNumber", "STAND-IN-1")
    _put(root, SCAN, "UUID", UUID)
    if admin:
        _put(root, SCAN, "AdminURI", admin)
    glass = _put(root, SCAN, "Platen")
    _input(_put(glass, SCAN, "PlatenInputCaps"), MAX_HEIGHT)
    feeder = _put(root, SCAN, "Adf")
    _input(_put(feeder, SCAN, "AdfSimplexInputCaps"), MAX_LENGTH)
    _input(_put(feeder, SCAN, "AdfDuplexInputCaps"), MAX_LENGTH)
    _put(feeder, SCAN, "FeederCapacity", 500)
    options = _put(feeder, SCAN, "AdfOptions")
    for option in ("DetectPaperLoaded", "Duplex"):
        _put(options, SCAN, "AdfOption", option)
    for name in ("BrightnessSupport", "ContrastSupport"):
        span = _put(root, SCAN, name)
        for each, value in (("Min", 0), ("Max", 2000), ("Normal", 1000), ("Step", 1)):
            _put(span, SCAN, each, value)
    return root


def _input(parent: etree._Element, height: int) -> None:
    for name, value in (
        ("MinWidth", 60),
        ("MaxWidth", MAX_WIDTH),
        ("MinHeight", 60),
        ("MaxHeight", height),
        ("MaxScanRegions", 1),
    ):
        _put(parent, SCAN, name, value)
    profile = _put(_put(parent, SCAN, "SettingProfiles"), SCAN, "SettingProfile")
    modes = _put(profile, SCAN, "ColorModes")
    for mode in ("BlackAndWhite1", "Grayscale8", "RGB24"):
        _put(modes, SCAN, "ColorMode", mode)
    formats = _put(profile, SCAN, "DocumentFormats")
    for kind in ("image/jpeg", "application/pdf"):
        _put(formats, PWG, "DocumentFormat", kind)
    for kind in ("image/jpeg", "application/pdf"):
        _put(formats, SCAN, "DocumentFormatExt", kind)
    discrete = _put(_put(profile, SCAN, "SupportedResolutions"), SCAN, "DiscreteResolutions")
    for dpi in RESOLUTIONS:
        each = _put(discrete, SCAN, "DiscreteResolution")
        _put(each, SCAN, "XResolution", dpi)
        _put(each, SCAN, "YResolution", dpi)
    intents = _put(parent, SCAN, "SupportedIntents")
    for intent in ("Document", "TextAndGraphic", "Photo"):
        _put(intents, SCAN, "Intent", intent)


def _status(device: Device) -> etree._Element:
    root = _root("ScannerStatus")
    _put(root, PWG, "State", device.state)
    _put(root, SCAN, "AdfState", device.adf_state)
    jobs = _put(root, SCAN, "Jobs")
    for job in reversed(list(device.jobs.values())):
        info = _put(jobs, SCAN, "JobInfo")
        _put(info, PWG, "JobUri", f"/eSCL/ScanJobs/{job.id}")
        _put(info, PWG, "JobUuid", job.id)
        _put(info, SCAN, "Age", int(time.time() - job.began))
        _put(info, PWG, "ImagesCompleted", job.sent)
        _put(info, PWG, "ImagesToTransfer", 1 if job.made is not None else 0)
        _put(info, PWG, "JobState", job.state)
        _put(_put(info, PWG, "JobStateReasons"), PWG, "JobStateReason", job.reason)
    return root


def _settings(body: bytes) -> Settings:
    """What is asked for (raises Refused)."""
    try:
        root = etree.fromstring(body, etree.XMLParser(resolve_entities=False, no_network=True))
    except (etree.XMLSyntaxError, ValueError) as error:
        raise Refused(400, "no XML") from error

    def text(name: str, default: str = "") -> str:
        return (root.findtext(f".//{{*}}{name}") or default).strip()

    try:
        formats = text("DocumentFormatExt") or text("DocumentFormat", "image/jpeg")
        return Settings(
            feeder=text("InputSource", "Platen") == "Feeder",
            duplex=text("Duplex", "false").lower() in ("true", "1"),
            mode=text("ColorMode", "RGB24"),
            dpi=int(text("XResolution", "300")),
            left=int(text("XOffset", "0")),
            top=int(text("YOffset", "0")),
            width=min(MAX_WIDTH, int(text("Width", str(MAX_WIDTH)))),
            height=min(MAX_LENGTH, int(text("Height", str(MAX_HEIGHT)))),
            format=formats if formats in ("image/jpeg", "application/pdf") else "image/jpeg",
            brightness=int(text("Brightness", "1000")),
            contrast=int(text("Contrast", "1000")),
        )
    except ValueError as error:
        raise Refused(400, "a number is none") from error


_SAYS = {
    "ScannerAdfLoaded": "Sheets lie in the feeder.",
    "ScannerAdfEmpty": "The feeder is empty.",
    "ScannerAdfProcessing": "Sheets are going through.",
    "ScannerAdfJam": "A sheet has jammed.",
    "ScannerAdfMultipickDetected": "Two sheets went in together.",
    "ScannerAdfHatchOpen": "The cover is open.",
}


def _panel(device: Device) -> str:
    return "".join(_panel_parts(device))


def _panel_parts(device: Device) -> Iterator[str]:
    yield (
        '<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">'
        f"<title>{NAME}</title><style>body{{font:16px/1.5 sans-serif;max-width:46rem;margin:2rem auto;padding:0 1rem}}"
        "form{display:inline} button{font:inherit;padding:.3rem .8rem;margin:.15rem .3rem .15rem 0}"
        "table{border-collapse:collapse} td{padding:.15rem 1rem .15rem 0}</style>"
        f"<h1>{NAME}</h1><p role='status'><b>{_SAYS.get(device.adf_state, device.adf_state)}</b> "
        f"{len(device.feeder)} in the feeder, {len(device.tray)} have gone through"
        f"{f', {len(device.stuck)} stuck' if device.stuck else ''}; "
        f"{'a letter' if device.glass else 'nothing'} on the glass.</p><h2>Lay into the feeder</h2><table>"
    )
    for stack in STACKS:
        button = _button("lay", f"Lay {stack.name}", stack.name)
        yield f"<tr><td>{button}</td><td>{escape(stack.says)}</td></tr>"
    yield "</table><h2>At the device</h2>"
    yield _button("clear", "Free what is stuck and lay it in again")
    yield _button("turn", "Turn over what has gone through and lay it in")
    yield _button("glass", "Take the letter off the glass" if device.glass else "Put a letter on the glass")
    yield _button("cover", "Open the cover")
    yield _button("empty", "Empty the feeder")


def _button(what: str, says: str, stack: str = "") -> str:
    return (
        f'<form method="post" action="/do"><input type="hidden" name="what" value="{what}">'
        f'<input type="hidden" name="stack" value="{stack}"><button>{escape(says)}</button></form>'
    )
