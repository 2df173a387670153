"""Only pages of the application itself may talk to the server."""

from __future__ import annotations

from urllib.parse import urlsplit

from starlette.datastructures import Headers
from starlette.types import ASGIApp, Receive, Scope, Send

from hyalen.web.errors import problem

LOCAL = {"127.0.0.1", "localhost", "[::1]", "testserver"}


class SameOrigin:
    """Refuses foreign Host names (DNS rebinding) and requests that another site's page sends."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http":
            headers = Headers(scope=scope)
            host = headers.get("host", "")
            name = host.rsplit(":", 1)[0] if not host.endswith("]") else host
            origin = headers.get("origin")
            foreign = origin is not None and urlsplit(origin).netloc != host
            if name not in LOCAL or foreign:
                await problem(403, "Refused", "The request does not come from the application.")(scope, receive, send)
                return
        await self._app(scope, receive, send)
