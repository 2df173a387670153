"""A page as it would become under a treatment, at screen resolution and while the clerk waits."""

from __future__ import annotations

import base64
import threading
from collections import OrderedDict
from collections.abc import Sequence
from functools import partial
from typing import Generic, Literal, NamedTuple, TypeVar

import cv2
import numpy as np

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.imaging.clean import clean_page, finish_page
from hyalen.core.imaging.frame import Frame, bend_mesh, render
from hyalen.core.imaging.marks import alike
from hyalen.core.imaging.pixels import Image, grey, reduced
from hyalen.core.imaging.sheet import Placed, place_page
from hyalen.core.model.treatment import Applied, Cleaned, Finding, Patch, Treatment
from hyalen.core.reading.upright import find_turn
from hyalen.store.records import PageRecord
from hyalen.store.store import Store
from hyalen.work.jobs import Original

View = Literal["page", "before", "spread", "upright", "sheet"]
PREVIEW_DPI = 110.0
LARGEST_SIDE = 1600
KEPT = 6
GEOMETRY = {"turn", "split", "outline", "straighten", "flatten", "trim"}
Kept = TypeVar("Kept")


class Shown(NamedTuple):
    """The page as an image file, and what the steps found."""

    jpeg: bytes
    width: int
    height: int
    dpi: float
    findings: tuple[Finding, ...]
    applied: Applied

    @property
    def data_url(self) -> str:
        return "data:image/jpeg;base64," + base64.b64encode(self.jpeg).decode("ascii")


class Recent(Generic[Kept]):
    """The last few things that were asked for; safe among threads."""

    def __init__(self) -> None:
        self._items: OrderedDict[object, Kept] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: object) -> Kept | None:
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
            return self._items.get(key)

    def put(self, key: object, item: Kept) -> None:
        with self._lock:
            self._items[key] = item
            while len(self._items) > KEPT:
                self._items.popitem(last=False)


class Previews:
    """Keeps the reduced originals of the pages that were looked at last."""

    def __init__(self, store: Store) -> None:
        self._store = store
        self._originals: Recent[tuple[Image, float]] = Recent()
        self._places: Recent[Placed] = Recent()

    def show(self, page_id: int, treatment: Treatment, view: View = "page") -> Shown:
        """The page under a treatment, or one of the frames on which the clerk's handles lie.

        Raises
        ------
        ValueError
            If the page has no original yet.
        """
        page = self._store.pages.page(page_id)
        image, dpi = self._reduced(page)
        known = page.cleaned
        turn = partial(find_turn, languages=self._store.pages.languages(page))
        geometry = treatment.model_dump_json(include=GEOMETRY)
        key = (page.original_blob, page.half, page.cleaning_print, geometry)
        placed = self._places.get(key)
        if placed is None:
            placed = place_page(image, dpi, treatment, turn, page.half, known, page.dpi)
            self._places.put(key, placed)
        if view == "page":
            made = finish_page(image, dpi, treatment, placed, known, screen=True)
            return _shown(made.shown, dpi, made.cleaned.findings, made.cleaned.applied)
        return _shown(_view(image, placed, view, dpi), dpi, placed.findings, placed.applied)

    def patches(
        self, page_id: int, treatment: Treatment, outline: Sequence[tuple[float, float]], erase: bool, like: bool
    ) -> list[Patch]:
        """What was drawn on the page, as patches on the original.

        Parameters
        ----------
        outline : sequence of (x, y)
            Shares of the page's width and height; a single point means the mark there.
        like : bool
            Take the marks that look like it too.
        """
        page = self._store.pages.page(page_id)
        image, dpi = self._reduced(page, 150.0)
        turn = partial(find_turn, languages=self._store.pages.languages(page))
        made = clean_page(image, dpi, treatment, turn, page.half, page.cleaned, told_dpi=page.dpi)
        size = np.array([made.cleaned.width, made.cleaned.height], dtype=np.float64)
        drawn = np.array(outline, dtype=np.float64) * size
        outlines = [drawn] if len(drawn) >= 3 else alike(grey(made.read), drawn[0], like)
        return [_patch(points, made.cleaned, dpi, erase) for points in outlines]

    def _reduced(self, page: PageRecord, dpi: float = PREVIEW_DPI) -> tuple[Image, float]:
        if page.original_blob is None:
            raise ValueError("The page has not been brought in yet.")
        key = (page.original_blob, round(dpi))
        had = self._originals.get(key)
        if had is not None:
            return had
        blob = self._store.blobs.get(page.original_blob)
        full = Original(blob, page.dpi, page.stated_turn).pixels()
        # A drawing of 30,000 pixels is shown no larger than a page.
        wanted = min(dpi, page.dpi * LARGEST_SIDE / max(full.shape[:2]) * dpi / PREVIEW_DPI)
        factor = max(1.0, page.dpi / wanted)
        size = (max(1, round(full.shape[1] / factor)), max(1, round(full.shape[0] / factor)))
        small, _ = reduced(full, page.dpi, 2 * wanted)
        small = np.ascontiguousarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
        kept = small, page.dpi / factor
        self._originals.put(key, kept)
        return kept


def _shown(image: Image, dpi: float, findings: tuple[Finding, ...], applied: Applied) -> Shown:
    return Shown(encode_jpeg(image, 82), image.shape[1], image.shape[0], dpi, findings, applied)


def _view(image: Image, placed: Placed, view: View, dpi: float) -> Image:
    if view == "before":
        return render(image, placed.page, placed.mesh)
    if view == "spread":
        return render(image, placed.whole)
    if view == "upright":
        return render(image, placed.upright)
    width, height = (round(v * dpi) for v in placed.applied.sheet)
    bend = placed.applied.bend
    mesh = bend_mesh(bend, dpi, 0, 0, width, height) if bend else None
    return render(image, Frame(placed.sheet.matrix, width, height), mesh)


def _patch(points: np.ndarray, cleaned: Cleaned, dpi: float, erase: bool) -> Patch:
    if len(points) > 400:
        points = points[:: len(points) // 400 + 1]
    places = cleaned.original_points(np.asarray(points, dtype=np.float64)) / dpi
    return Patch(erase=erase, outline=tuple((round(float(x), 4), round(float(y), 4)) for x, y in places))
