"""What is said to a scanner over HTTP. Only the address that the clerk knows is spoken to, whatever its answers name."""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from urllib.parse import urlsplit

import httpx

from hyalen.core.scanning.escl import Capabilities, ProtocolError, Status, path_of, read_capabilities, read_status

ASKING = httpx.Timeout(8.0)
FETCHING = httpx.Timeout(10.0, read=90.0)  # a slow device feeds and scans before it answers
LONGEST_ANSWER = 1_000_000  # bytes, pictures aside
MOST_SECONDS = 600.0  # for one picture
DEFAULT_PATH = "/eSCL"


class Unreachable(Exception):
    """There was no answer, or it broke off; the message says how."""


class Busy(Exception):
    """The device is not ready; `seconds` is when to ask again."""

    def __init__(self, seconds: float) -> None:
        super().__init__("the device is busy")
        self.seconds = seconds


class Interrupted(Exception):
    """The clerk has stopped it."""


class Declined(Exception):
    """The device will not; `status` is HTTP's. 404 after a job's last picture."""

    def __init__(self, status: int) -> None:
        super().__init__(f"the device declines (HTTP {status})")
        self.status = status


def address_of(told: str) -> str:
    """A device's address as it is kept: http://host:port/eSCL.

    Raises
    ------
    ValueError
        If that is none.
    """
    told = told.strip()
    parts = urlsplit(told if "://" in told else f"http://{told}")
    try:
        port = parts.port
    except ValueError as error:
        raise ValueError("the port is no number below 65,536") from error
    host = (parts.hostname or "").rstrip(".")
    if parts.scheme not in ("http", "https") or not host or parts.username or parts.query or parts.fragment:
        raise ValueError("name a scanner as 192.168.1.20, scanner.local:8080 or http://scanner.local/eSCL")
    if not re.fullmatch(r"[A-Za-z0-9._\-]{1,253}|[0-9a-fA-F:.]{2,45}(%[\w.-]{1,20})?", host):
        raise ValueError(f"{host[:60]!r} is no name of a host")
    path = parts.path.rstrip("/") or DEFAULT_PATH
    if not re.fullmatch(r"(/[A-Za-z0-9._~\-]+){1,6}", path) or ".." in path:
        raise ValueError("the path of a scanner is like /eSCL")
    shown = f"[{host}]" if ":" in host else host
    return f"{parts.scheme}://{shown}{f':{port}' if port else ''}{path}"


class ScannerClient:
    """Speaks to one device.

    Parameters
    ----------
    address : str
        As `address_of` gives it. A device's own certificate is taken: it has no name that another could vouch for.
    """

    def __init__(self, address: str, transport: httpx.BaseTransport | None = None) -> None:
        self.address = address
        self.root = f"{urlsplit(address).scheme}://{urlsplit(address).netloc}"
        self._http = httpx.Client(
            follow_redirects=False, verify=False, timeout=ASKING, transport=transport, trust_env=False
        )

    def close(self) -> None:
        self._http.close()

    def capabilities(self) -> Capabilities:
        """Raises Unreachable, Busy, Declined or ProtocolError, as all that follow do."""
        return read_capabilities(self._get("/ScannerCapabilities"))

    def status(self) -> Status:
        return read_status(self._get("/ScannerStatus"))

    def begin(self, settings: bytes) -> str:
        """Have the device begin a job; its path."""
        try:
            answer = self._http.post(f"{self.address}/ScanJobs", content=settings, headers={"Content-Type": "text/xml"})
        except httpx.HTTPError as error:
            raise Unreachable(_why(error)) from error
        self._check(answer.status_code, answer.headers)
        path = path_of(answer.headers.get("Location", ""))
        if not path:
            raise ProtocolError("it began a job and did not say which")
        return path

    def next_picture(self, job: str, out: Path, limit: int, stopped: Callable[[], bool] = lambda: False) -> None:
        """Write a job's next picture to a file.

        Raises
        ------
        Declined
            With 404 when there is none any more.
        ProtocolError
            If it is larger than `limit` bytes, never ends, or is no picture.
        Unreachable
            If it broke off: the file is not whole.
        """
        began = time.monotonic()
        try:
            with (
                self._http.stream("GET", f"{self.root}{job}/NextDocument", timeout=FETCHING) as answer,
                out.open("wb") as file,
            ):
                self._check(answer.status_code, answer.headers)
                size = 0
                for piece in answer.iter_bytes():
                    size += len(piece)
                    if size > limit:
                        raise ProtocolError(f"it sent more than {limit / 1e6:.0f} MB for one sheet")
                    if stopped():
                        raise Interrupted
                    if time.monotonic() - began > MOST_SECONDS:
                        raise ProtocolError("it sent one sheet without end")
                    file.write(piece)
        except httpx.HTTPError as error:
            raise Unreachable(_why(error)) from error
        if not _is_picture(out):
            raise ProtocolError("it sent what is no picture")

    def cancel(self, job: str) -> None:
        """Have a job end; a device that does not answer has none."""
        with suppress(httpx.HTTPError):
            self._http.delete(f"{self.root}{job}")

    def _get(self, path: str) -> bytes:
        try:
            with self._http.stream("GET", f"{self.address}{path}") as answer:
                self._check(answer.status_code, answer.headers)
                data = b""
                for piece in answer.iter_bytes():
                    data += piece
                    if len(data) > LONGEST_ANSWER:
                        raise ProtocolError("its answer is longer than any is")
                return data
        except httpx.HTTPError as error:
            raise Unreachable(_why(error)) from error

    def _check(self, status: int, headers: httpx.Headers) -> None:
        if status == 503:
            told = headers.get("Retry-After", "")
            raise Busy(min(30.0, float(told)) if told.isascii() and told.isdigit() and len(told) < 4 else 1.0)
        if status not in (200, 201):
            raise Declined(status)


def _is_picture(path: Path) -> bool:
    with path.open("rb") as file:
        begin = file.read(12)
    return begin.startswith((b"\xff\xd8\xff", b"%PDF-", b"\x89PNG\r\n\x1a\n", b"II*\0", b"MM\0*"))


def _why(error: httpx.HTTPError) -> str:
    if isinstance(error, httpx.TimeoutException):
        return "it does not answer in time"
    if isinstance(error, httpx.ConnectError):
        return "nothing answers at its address"
    return "the connection broke off"
