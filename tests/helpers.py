"""A server of its own, files of many pages, and the first steps in the interface."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path

import httpx
import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import Locator, Page, expect

from hyalen.work.foreman import Foreman

WAIT = 90_000


def many_pages(path: Path, scan: Path, count: int) -> Path:
    with Pillow.open(scan) as image:
        grey = image.convert("L")
        others = []
        for i in range(count - 1):
            # A mark of its own makes each page's bytes different.
            each = np.asarray(grey).copy()
            each[-20:-10, 10 + 5 * i : 12 + 5 * i] = 0
            others.append(Pillow.fromarray(each))
        grey.save(path, save_all=True, append_images=others, compression="tiff_lzw", dpi=(150, 150))
    return path


def until_idle(foreman: Foreman, seconds: float = 240) -> None:
    end = time.monotonic() + seconds
    while not foreman.idle():
        assert time.monotonic() < end, "the tasks do not come to an end"
        time.sleep(0.1)


class Server:
    """`hyalen serve` in a process of its own."""

    def __init__(self, data: Path) -> None:
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        command = [
            sys.executable,
            "-m",
            "hyalen.cli",
            "serve",
            "--data",
            str(data),
            "--port",
            str(self.port),
            "--workers",
            "2",
        ]
        self.process = subprocess.Popen(command, start_new_session=True)
        self.http = httpx.Client(base_url=f"http://127.0.0.1:{self.port}/api", timeout=30)
        end = time.monotonic() + 60
        while True:
            try:
                self.http.get("/about").raise_for_status()
                return
            except httpx.HTTPError:
                assert time.monotonic() < end and self.process.poll() is None, "the server does not start"
                time.sleep(0.2)

    def kill(self) -> None:
        """SIGKILL to the server and its workers, as when the machine goes."""
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait()


def begin(page: Page, name: str, *files: Path) -> None:
    page.get_by_role("button", name="New batch").click()
    page.get_by_label("Name").fill(name)
    page.get_by_role("button", name="Begin", exact=True).click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()
    page.set_input_files("#files", [str(f) for f in files])


def step(page: Page, name: str) -> Locator:
    """A step of the treatment, beside the sheet."""
    return page.locator(".step", has=page.get_by_text(name, exact=True))


def image_of(page: Page) -> str:
    return page.locator(".sheet > img").get_attribute("src") or ""
