"""Sets HTML on pages with real fonts in headless Chromium, and keeps the true text and places."""

from __future__ import annotations

import io
import os
import shutil
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Any

import numpy as np
from PIL import Image as Pillow
from playwright.sync_api import Browser, Page, sync_playwright

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.geometry import Box
from hyalen.demo.faces import CSS, missing, serve

CSS_DPI = 96.0
A4 = 210.0, 297.0  # millimetres
CHROMIUM_FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]

# Every element with data-role is a block of the truth; words are found by ranges.
_MEASURE = """() => {
  const box = r => [r.left, r.top, r.right, r.bottom];
  const out = [];
  for (const el of document.querySelectorAll('[data-role]')) {
    const words = [];
    const walker = document.createTreeWalker(el, NodeFilter.SHOW_TEXT);
    while (walker.nextNode()) {
      const node = walker.currentNode;
      for (const m of node.data.matchAll(/\\S+/g)) {
        const range = document.createRange();
        range.setStart(node, m.index); range.setEnd(node, m.index + m[0].length);
        words.push([m[0], ...box(range.getBoundingClientRect())]);
      }
    }
    out.push({role: el.dataset.role, language: el.closest('[lang]')?.lang ?? '',
      text: (el.innerText ?? '').replace(/\\s+/g, ' ').trim(), box: box(el.getBoundingClientRect()), words});
  }
  return out;
}"""


@dataclass(frozen=True)
class TrueWord:
    """A word as it was set."""

    text: str
    box: Box


@dataclass(frozen=True)
class TrueBlock:
    """A block as it was set; `role` is the page's own data-role."""

    role: str
    language: str
    text: str
    box: Box
    words: tuple[TrueWord, ...]


@dataclass(frozen=True)
class SetPage:
    """An image with what is truly on it."""

    image: Image
    dpi: float
    blocks: tuple[TrueBlock, ...]

    @property
    def text(self) -> str:
        """The blocks' text in the order they were set; running heads and page numbers left out."""
        skipped = {"running_head", "page_number", "figure", "mark"}
        return "\n\n".join(b.text for b in self.blocks if b.text and b.role not in skipped)


class Typesetter:
    """A browser that sets pages; use `typesetter()`."""

    def __init__(self, browser: Browser) -> None:
        self._browser = browser

    def set(self, html: str, dpi: float = 300.0, width_mm: float = A4[0], height_mm: float = A4[1]) -> SetPage:
        """Set one page of the given size.

        Parameters
        ----------
        html : str
            A whole document; blocks carry `data-role`.
        dpi : float
            Resolution of the image, which is (h, w, 3) uint8 RGB.
        """
        with self._sheet(dpi, width_mm, height_mm) as page:
            return _shown(page, dpi, _laid(page, html, dpi))

    def first_that_fits(
        self, pages: Iterable[str], fits: Callable[[Sequence[TrueBlock]], bool], dpi: float = 300.0
    ) -> SetPage:
        """Set the first of several A4 pages whose blocks are where they should be; the others are only measured.

        Raises
        ------
        ValueError
            If none fits.
        """
        with self._sheet(dpi, *A4) as page:
            for html in pages:
                blocks = _laid(page, html, dpi)
                if fits(blocks):
                    return _shown(page, dpi, blocks)
        raise ValueError("No page fits.")

    @contextmanager
    def _sheet(self, dpi: float, width_mm: float, height_mm: float) -> Iterator[Page]:
        context = self._browser.new_context(
            viewport={"width": round(width_mm / 25.4 * CSS_DPI), "height": round(height_mm / 25.4 * CSS_DPI)},
            device_scale_factor=dpi / CSS_DPI,
            offline=True,
        )
        try:
            serve(context)
            yield context.new_page()
        finally:
            context.close()

    def printed(self, html: str) -> bytes:
        """The page as a PDF file, as the browser prints it on A4."""
        context = self._browser.new_context(offline=True)
        try:
            serve(context)
            page = context.new_page()
            page.set_content(html)
            page.add_style_tag(content=CSS)
            page.evaluate("document.fonts.ready")
            return page.pdf(format="A4", print_background=True)
        finally:
            context.close()


def _laid(page: Page, html: str, dpi: float) -> tuple[TrueBlock, ...]:
    page.set_content(html)
    page.add_style_tag(content=CSS)
    page.evaluate("document.fonts.ready")
    return tuple(_block(b, dpi / CSS_DPI) for b in page.evaluate(_MEASURE))


def _shown(page: Page, dpi: float, blocks: tuple[TrueBlock, ...]) -> SetPage:
    return SetPage(np.asarray(Pillow.open(io.BytesIO(page.screenshot())).convert("RGB")), dpi, blocks)


def _box(values: list[float], scale: float) -> Box:
    return Box(*(round(v * scale) for v in values))


def _block(found: dict[str, Any], scale: float) -> TrueBlock:
    words = tuple(TrueWord(w[0], _box(w[1:], scale)) for w in found["words"])
    return TrueBlock(found["role"], found["language"], found["text"], _box(found["box"], scale), words)


@contextmanager
def typesetter() -> Iterator[Typesetter]:
    """A typesetter for the length of the block.

    Raises
    ------
    RuntimeError
        If Debian's `chromium` is not installed.
    """
    path = os.environ.get("HYALEN_CHROMIUM") or shutil.which("chromium")
    if path is None:
        raise RuntimeError("chromium is not installed; `make setup` installs it")
    if missing():
        raise RuntimeError(f"typefaces are not installed: {', '.join(missing())}; `make setup` installs them")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=path, args=CHROMIUM_FLAGS)
        try:
            yield Typesetter(browser)
        finally:
            browser.close()
