"""Progress as server-sent events."""

from __future__ import annotations

import asyncio
import json
from collections.abc import AsyncIterator
from dataclasses import asdict

from sse_starlette import EventSourceResponse, ServerSentEvent

from hyalen.work.foreman import Event, Foreman

QUEUED = 1000


async def stream(foreman: Foreman) -> AsyncIterator[ServerSentEvent]:
    """The foreman's events, until the browser goes."""
    loop = asyncio.get_running_loop()
    queue: asyncio.Queue[Event] = asyncio.Queue(maxsize=QUEUED)

    def put(event: Event) -> None:
        if not queue.full():  # a browser that does not read asks for everything when it is back
            queue.put_nowait(event)

    def heard(event: Event) -> None:
        loop.call_soon_threadsafe(put, event)

    end = foreman.listen(heard)
    try:
        yield ServerSentEvent(data=json.dumps({"lacks_space": foreman.lacks_space}), event="hello")
        while True:
            event = await queue.get()
            yield ServerSentEvent(data=json.dumps(asdict(event)), event=event.kind)
    finally:
        end()


def response(foreman: Foreman) -> EventSourceResponse:
    return EventSourceResponse(stream(foreman), ping=15)
