"""A stand-in scanner on a port of its own, with sheets whose sides are told apart."""

from __future__ import annotations

import socket
import threading
from collections.abc import Iterator
from contextlib import contextmanager

import cv2
import numpy as np
import uvicorn

from hyalen.scanner.device import Device, Settings
from hyalen.scanner.server import make_scanner
from hyalen.scanner.sheets import Sheet


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
