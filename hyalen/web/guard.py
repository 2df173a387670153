"""Who may talk to the server, how much at once, and what browsers may do with its answers."""

from __future__ import annotations

from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from hyalen.web.errors import problem

LOCAL = ("127.0.0.1", "localhost", "[::1]")
LONGEST_PATH = 2_000  # characters; our own are under 100
LARGEST_BODY = 20_000_000  # bytes of a request that brings no files: the largest is a page's text
FORM = 1_000_000  # bytes of a form beside its files
# Fetch Metadata (W3C), CSP 3, RFC 9110 and the Fetch standard. Styles within elements place what lies on the sheet.
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
    "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    "Referrer-Policy": "no-referrer",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}


class TooLarge(Exception):
    """A request has more bytes than it may."""


class Guard:
    """Refuses what other sites' pages send, foreign Host names (DNS rebinding), and bodies without end.

    Parameters
    ----------
    app : ASGIApp
    largest_file : int
        Bytes that a request with files may have, beside its form.
    """

    def __init__(self, app: ASGIApp, largest_file: int) -> None:
        self._app = app
        self._largest_file = largest_file

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers, path = Headers(scope=scope), scope["path"]
        most = self._largest_file + FORM if path.endswith("/files") else LARGEST_BODY
        body = _Bounded(receive, most)
        started = False

        async def safely(message: Message) -> None:
            nonlocal started
            if body.exceeded and not started:
                return  # what the application says of a body that it has not seen whole
            if message["type"] == "http.response.start":
                started = True
                answered = MutableHeaders(scope=message)
                for name, value in HEADERS.items():
                    answered.setdefault(name, value)
            await send(message)

        if not is_own(headers):
            refusal = problem(403, "Refused", "The request does not come from the application.")
            await refusal(scope, receive, safely)
            return
        if len(path) > LONGEST_PATH or "\0" in path:
            await problem(404, "Not found", "There is no such address.")(scope, receive, safely)
            return
        told = headers.get("content-length", "0")
        body.exceeded = told.isascii() and told.isdigit() and int(told) > most
        try:
            if not body.exceeded:
                await self._app(scope, body, safely)
        except TooLarge:
            pass
        if body.exceeded and not started:
            body.exceeded = False
            detail = f"That is more than the limit of {most / 1e6:.0f} MB a request; bring in fewer or smaller files."
            await problem(413, "Too large", detail)(scope, receive, safely)


class _Bounded:
    """A request's body, no longer than it may be (raises TooLarge)."""

    def __init__(self, receive: Receive, most: int) -> None:
        self._receive = receive
        self._left = most
        self.exceeded = False

    async def __call__(self) -> Message:
        message = await self._receive()
        self._left -= len(message.get("body", b""))
        if self._left < 0:
            self.exceeded = True
            raise TooLarge
        return message


def is_own(headers: Headers) -> bool:
    """Whether a request is for this machine by its name, and comes from no other site's page.

    A link that is followed from elsewhere opens the application; anything else from elsewhere is refused.
    """
    host = headers.get("host", "")
    name, port = _parted(host)
    if name not in LOCAL or not (port == "" or (port.isascii() and port.isdigit())):
        return False
    origin = headers.get("origin")
    if origin is not None:
        return _place(origin) == host
    follows_link = headers.get("sec-fetch-mode") == "navigate" and headers.get("sec-fetch-dest") == "document"
    if headers.get("sec-fetch-site", "none") not in ("none", "same-origin"):
        return follows_link
    referer = headers.get("referer")
    return referer is None or follows_link or _place(referer) == host


def _parted(host: str) -> tuple[str, str]:
    if host.startswith("["):
        name, _, rest = host.partition("]")
        return f"{name}]", rest.removeprefix(":")
    name, _, port = host.partition(":")
    return name, port


def _place(address: str) -> str | None:
    """Host and port of an address; None where it is none, or not of our scheme."""
    try:
        parts = urlsplit(address)
    except ValueError:
        return None
    return parts.netloc if parts.scheme == "http" else None
