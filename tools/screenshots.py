"""Makes docs/screenshots anew from the demo data: `make screenshots`."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import uvicorn
from playwright.sync_api import Page, sync_playwright

from hyalen.demo.__main__ import read_archive
from hyalen.demo.typeset import CHROMIUM_FLAGS
from hyalen.scanner.device import Device
from hyalen.scanner.server import make_scanner
from hyalen.scanner.sheets import STACKS

OUT = Path("docs/screenshots")
PORT = 8329


def go(page: Page, place: str) -> None:
    page.evaluate(f"location.hash = '#/{place}'")
    page.wait_for_timeout(1800)


def main() -> None:
    OUT.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as name:
        directory = Path(name)
        read_archive(directory)
        server = subprocess.Popen(
            [sys.executable, "-m", "hyalen.cli", "serve", "--data", str(directory / "data"), "--port", str(PORT)]
        )
        try:
            for _ in range(100):
                try:
                    urllib.request.urlopen(f"http://127.0.0.1:{PORT}/api/about")
                    break
                except OSError:
                    time.sleep(0.2)
            take()
        finally:
            server.terminate()
            server.wait(timeout=60)


def scan_sheets(page: Page) -> None:
    """The troubled stack, as far as its second trouble; the batch it went to is taken away when the server ends."""
    batch = page.request.post(
        f"http://127.0.0.1:{PORT}/api/batches", data={"name": "Letters of 1931", "languages": ["eng"]}
    ).json()["id"]
    device = Device(slow=0.1)
    device.lay(next(s for s in STACKS if s.name == "trouble").sheets()[:7])
    with serve(device) as address:
        page.request.post(f"http://127.0.0.1:{PORT}/api/scanners", data={"address": address})
        go(page, f"batch/{batch}/scan")
        page.get_by_role("combobox", name="Scanner").select_option(index=0)
        page.get_by_role("combobox", name="Sides").select_option("both sides")
        page.get_by_role("button", name="Scan ↵").click()
        page.get_by_role("alert").wait_for(timeout=120_000)
        device.clear()
        page.get_by_role("alert").get_by_role("button", name="Go on").click()
        page.get_by_role("alert").filter(has_text="Two sheets went in").wait_for(timeout=120_000)
        page.wait_for_timeout(1500)


@contextmanager
def serve(device: Device) -> Iterator[str]:
    """A stand-in scanner on a port of its own; its address."""
    server = uvicorn.Server(uvicorn.Config(make_scanner(device), port=PORT + 1, log_level="error"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.1)
    try:
        yield f"http://127.0.0.1:{PORT + 1}"
    finally:
        server.should_exit = True
        thread.join(10)


def take() -> None:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=CHROMIUM_FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"http://127.0.0.1:{PORT}/")
        page.wait_for_timeout(1500)

        def shot(name: str) -> None:
            page.screenshot(path=OUT / f"{name}.png")

        shot("trolley")
        go(page, "batch/1/bring_in")
        shot("bring-in")
        page.get_by_label("Pick Letter from Torgrunn 1931.tif").wait_for()
        scan_sheets(page)
        shot("scan")
        go(page, "document/1/clean/1")
        page.mouse.move(420, 330)
        page.keyboard.down("o")
        page.wait_for_timeout(800)
        shot("clean")
        page.keyboard.up("o")
        go(page, "document/5/clean/1")
        page.keyboard.press("s")
        page.wait_for_timeout(1500)
        shot("clean-seam")
        page.keyboard.press("s")
        go(page, "document/4/clean/1")
        page.locator(".step", has=page.get_by_text("Flat", exact=True)).get_by_text("hand").click()
        page.wait_for_timeout(1800)
        shot("clean-grid")
        page.get_by_role("button", name="Forget").click()
        go(page, "document/3/clean/1")
        page.keyboard.press("c")
        page.locator(".contact .page").nth(0).click()
        page.locator(".contact .page").nth(1).click(modifiers=["Shift"])
        page.wait_for_timeout(500)
        shot("contact-sheet")
        page.get_by_role("button", name="Back to the sheet").click()
        go(page, "document/2/read/1")
        page.locator("[data-region] > button").nth(2).click()
        page.wait_for_timeout(600)
        shot("read")
        page.keyboard.press("Escape")
        page.keyboard.press("9")
        page.keyboard.press("g")
        page.wait_for_timeout(500)
        shot("read-thread")
        page.keyboard.press("Escape")
        page.keyboard.press("0")
        go(page, "document/8/read/2")
        page.locator("article.block:has(.sign[title=Table]) > button").first.click()
        page.wait_for_timeout(600)
        page.locator("[data-cell]").nth(9).click()
        page.keyboard.press("Enter")
        page.wait_for_timeout(400)
        shot("read-table")
        page.keyboard.press("Escape")
        go(page, "document/3/proof/1")
        page.keyboard.press("]")
        page.wait_for_timeout(900)
        page.wait_for_timeout(900)
        shot("proof")
        page.keyboard.press("Escape")
        page.keyboard.press("v")
        page.wait_for_timeout(1500)
        shot("slips")
        page.keyboard.press("Escape")
        page.keyboard.press("Control+f")
        page.keyboard.type("keeper")
        page.wait_for_timeout(900)
        page.keyboard.press("Enter")
        page.wait_for_timeout(900)
        shot("find")
        page.keyboard.press("Escape")
        page.keyboard.press("Escape")
        go(page, "document/3/tag/2")
        page.locator("[data-region] > button").nth(3).click()
        page.wait_for_timeout(500)
        shot("tag")
        page.keyboard.press("Escape")
        go(page, "document/8/tag/1")
        page.keyboard.press("o")
        page.wait_for_timeout(1500)
        page.keyboard.press("ArrowDown")
        page.keyboard.press("a")
        page.wait_for_timeout(400)
        shot("headings")
        page.keyboard.press("Escape")
        go(page, "document/3/check/1")
        shot("check")
        go(page, "batch/1/deliver")
        page.get_by_role("button", name=re.compile(r"Make \d+ files")).click()
        page.get_by_role("button", name="Making").wait_for()
        page.get_by_role("button", name="Making").wait_for(state="detached", timeout=120_000)
        shot("deliver")
        go(page, "bundle/1")
        page.get_by_role("tab", name="Sheets").click()
        page.get_by_role("option").nth(2).click()
        page.wait_for_timeout(1200)
        shot("bundle")
        page.get_by_role("tab", name="Deliver").click()
        page.get_by_label("The index, DOCX").check()
        page.get_by_role("button", name="Make 2 files").click()
        page.get_by_role("link", name="Inquiry-into-the-loss-of-the-tender-Solveig.pdf").wait_for(timeout=120_000)
        page.wait_for_timeout(800)
        shot("bundle-delivery")
        browser.close()


if __name__ == "__main__":
    main()
