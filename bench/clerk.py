"""A clerk who proofs a spoilt document of 500 pages by keys alone: keys a word, and how long each waits for the next doubt."""

from __future__ import annotations

import shutil
import tempfile
import time
from collections.abc import Mapping, Sequence
from difflib import SequenceMatcher
from pathlib import Path
from typing import NamedTuple

import numpy as np
from playwright.sync_api import Page, sync_playwright

from bench.doubts import read_page
from bench.proofing_pages import proof_page
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.model.content import PageContent
from hyalen.core.proofing.placed import proofed_words
from hyalen.demo.typeset import CHROMIUM_FLAGS, typesetter
from hyalen.store.store import Store
from tests.helpers import Server, cleaned, read_document

SEEDS = range(20_000, 20_010)
LANGUAGES = ("eng", "deu")
PAGES = 500
ROUNDS = 250  # doubts that are settled
SECONDS_A_LOOK = 0.25

# Notes when a key is pressed, and when the field of another doubt has the focus and is painted.
WATCH = """() => {
  window.waits = [];
  let pressed = null;
  window.addEventListener('keydown', () => { pressed = { at: performance.now(), field: document.activeElement }; }, true);
  document.addEventListener('focusin', (event) => {
    const was = pressed;
    if (!was || !event.target.closest('[data-lifted]') || event.target === was.field) return;
    pressed = null;
    requestAnimationFrame(() => window.waits.push(performance.now() - was.at));
  });
}"""


class Told(NamedTuple):
    """A page that was read, and what each of its words ought to say, by what it says."""

    content: PageContent
    meant: Mapping[str, str]


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach)."""
    del workers
    pages = _pages()
    with tempfile.TemporaryDirectory() as name:
        data = Path(name) / "data"
        store = Store(data)
        first = pages[0].content
        image = store.blobs.put(encode_jpeg(np.full((first.height, first.width), 235, np.uint8)))
        how = cleaned(width=first.width, height=first.height, trim=(0, 0, first.width, first.height))
        document, _ = read_document(
            store, [pages[i % len(pages)].content for i in range(PAGES)], LANGUAGES, image=image, how=how
        )
        doubts = store.doubts.count_document(document)["proof"]
        store.close()
        server = Server(data)
        try:
            return _proof(server, document, pages, doubts)
        finally:
            server.kill()


def _pages() -> list[Told]:
    told = []
    with typesetter() as setter:
        for seed in SEEDS:
            page = proof_page(seed, LANGUAGES)
            made = setter.set(page.html, page.dpi)
            true = " ".join(block.text for block in made.blocks)
            content = read_page(made.image, page, true, seed).content
            told.append(Told(content, _meant([p.word.text for p in proofed_words(content)], true.split())))
    return told


def _meant(read: Sequence[str], true: Sequence[str]) -> dict[str, str]:
    """What words ought to say, where one stands for one."""
    meant: dict[str, str] = {}
    for kind, a, b, c, d in SequenceMatcher(None, read, true, autojunk=False).get_opcodes():
        if kind == "replace" and b - a == d - c:
            meant |= dict(zip(read[a:b], true[c:d], strict=True))
    return meant


def _proof(server: Server, document: int, pages: list[Told], doubts: int) -> list[tuple[str, str, str, str]]:
    keys, keys_corrected, letters, corrected, offered = 0, 0, 0, 0, 0
    saved: list[float] = []
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=shutil.which("chromium"), args=CHROMIUM_FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.on(
            "requestfinished",
            lambda r: saved.append(r.timing["responseEnd"] - r.timing["requestStart"]) if "/edits" in r.url else None,
        )
        began = time.monotonic()
        page.goto(f"http://127.0.0.1:{server.port}/#/document/{document}/proof/1")
        page.get_by_label("How good the text is").wait_for()
        opened = time.monotonic() - began
        page.evaluate(WATCH)
        page.keyboard.press("]")
        page.locator("[data-lifted] input:focus").wait_for()
        for _ in range(ROUNDS):
            page.wait_for_timeout(SECONDS_A_LOOK * 1000)
            read, offers = _in_hand(page)
            at = int(page.url.rsplit("/", 1)[1]) - 1
            meant = pages[at % len(pages)].meant.get(read, read)
            if meant == read:
                pressed = ["Enter"]
            elif meant in offers[:9]:
                offered += 1
                pressed = [f"Alt+{offers.index(meant) + 1}"]
            else:
                letters += len(meant)
                pressed = [*meant, "Enter"]
            if len(pressed) > 1:
                page.keyboard.type(meant)
            page.keyboard.press(pressed[-1])
            keys += len(pressed)
            keys_corrected += len(pressed) if meant != read else 0
            corrected += meant != read
        waits = sorted(page.evaluate("() => window.waits"))
        page.wait_for_timeout(500)
        began = time.monotonic()
        page.keyboard.press("Escape")
        page.keyboard.press("v")
        page.locator(".slip.here input:focus").wait_for(timeout=60_000)
        slips = time.monotonic() - began
        browser.close()
    p95 = f"{_at(waits, 0.5):.0f} and {_at(waits, 0.95):.0f} ms"
    return [
        (f"clerk: doubts in {PAGES} pages, words corrected of {ROUNDS} looked at", f"{doubts}, {corrected}", "", ""),
        ("clerk: keys a corrected word, beside letters typed", f"{(keys_corrected - letters) / max(1, corrected):.2f}", "", "1.3"),
        ("clerk: keys in all a corrected word, right words' too", f"{(keys - letters) / max(1, corrected):.2f}", "", ""),
        ("clerk: corrected by one of the texts offered", f"{offered / max(1, corrected):.2f}", "", ""),
        ("clerk: letters typed a corrected word", f"{letters / max(1, corrected):.2f}", "", ""),
        (f"clerk: key to next doubt, p50 and p95 of {len(waits)}", p95, "", "50 ms"),
        ("clerk: saving at the server, p50 and p95", f"{_at(sorted(saved), 0.5):.0f} and {_at(sorted(saved), 0.95):.0f} ms", "", "50 ms"),
        ("clerk: document opened, slips shown", f"{opened:.2f} and {slips:.2f} s", "", "1 s"),
    ]  # fmt: skip


def _in_hand(page: Page) -> tuple[str, list[str]]:
    """What the word in hand says, and what is offered for it."""
    told = page.evaluate(
        """() => {
          const field = document.querySelector('[data-lifted] input.here');
          const offers = [...document.querySelectorAll('[data-lifted] .offers button bdi')].map((b) => b.textContent);
          return [field?.getAttribute('aria-label') ?? '', offers];
        }"""
    )
    return str(told[0]).removeprefix("Word read as "), list(told[1])


def _at(values: Sequence[float], share: float) -> float:
    return values[min(len(values) - 1, int(share * len(values)))] if values else float("nan")
