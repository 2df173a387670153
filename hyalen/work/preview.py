"""A page as it would become under a treatment, at screen resolution and while the clerk waits. What an attendant does."""

from __future__ import annotations

import base64
from collections import OrderedDict
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Generic, Literal, NamedTuple, TypeVar

import cv2
import numpy as np

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.imaging.clean import clean_page, finish_page
from hyalen.core.imaging.frame import Frame, bend_mesh, render
from hyalen.core.imaging.marks import alike
from hyalen.core.imaging.orientation import FindTurn
from hyalen.core.imaging.pixels import Image, grey, reduced
from hyalen.core.imaging.sheet import Placed, place_page
from hyalen.core.model.treatment import Applied, Cleaned, Finding, Half, Patch, Treatment
from hyalen.core.reading.upright import find_turn
from hyalen.work.jobs import Original

View = Literal["page", "before", "spread", "upright", "sheet"]
PREVIEW_DPI = 110.0  # a Letter page fills a screen of 1,200 rows
PATCHING_DPI = 150.0  # the smallest mark that a clerk points at has five pixels
LARGEST_SIDE = 1600  # pixels
KEPT = 6  # pages between which a clerk goes to and fro
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
    """The last few things that were asked for."""

    def __init__(self) -> None:
        self._items: OrderedDict[object, Kept] = OrderedDict()

    def get(self, key: object) -> Kept | None:
        if key in self._items:
            self._items.move_to_end(key)
        return self._items.get(key)

    def put(self, key: object, item: Kept) -> None:
        self._items[key] = item
        while len(self._items) > KEPT:
            self._items.popitem(last=False)


class Scanned(NamedTuple):
    """A page's original, where it lies, and what is known of the page."""

    blob: str
    path: str
    dpi: float
    stated_turn: int
    half: Half
    known: Cleaned | None
    cleaning_print: str
    languages: tuple[str, ...]

    def turn(self) -> FindTurn:
        return partial(find_turn, languages=self.languages)


# Kept by the process that makes previews: reduced originals and places of the pages that were looked at last.
_ORIGINALS: Recent[tuple[Image, float]] = Recent()
_PLACES: Recent[Placed] = Recent()


def show(scan: Scanned, treatment: Treatment, view: View = "page") -> Shown:
    """The page under a treatment, or one of the frames on which the clerk's handles lie (raises SourceError)."""
    image, dpi = _reduced(scan)
    geometry = treatment.model_dump_json(include=GEOMETRY)
    key = (scan.blob, scan.half, scan.cleaning_print, geometry)
    placed = _PLACES.get(key)
    if placed is None:
        placed = place_page(image, dpi, treatment, scan.turn(), scan.half, scan.known, scan.dpi)
        _PLACES.put(key, placed)
    if view == "page":
        made = finish_page(image, dpi, treatment, placed, scan.known, screen=True)
        return _shown(made.shown, dpi, made.cleaned.findings, made.cleaned.applied)
    return _shown(_view(image, placed, view, dpi), dpi, placed.findings, placed.applied)


def patches(
    scan: Scanned, treatment: Treatment, outline: Sequence[tuple[float, float]], erase: bool, like: bool
) -> list[Patch]:
    """What was drawn on the page, as patches on the original.

    Parameters
    ----------
    outline : sequence of (x, y)
        Shares of the page's width and height; a single point means the mark there.
    like : bool
        Take the marks that look like it too.
    """
    image, dpi = _reduced(scan, PATCHING_DPI)
    made = clean_page(image, dpi, treatment, scan.turn(), scan.half, scan.known, told_dpi=scan.dpi)
    size = np.array([made.cleaned.width, made.cleaned.height], dtype=np.float64)
    drawn = np.array(outline, dtype=np.float64) * size
    outlines = [drawn] if len(drawn) >= 3 else alike(grey(made.read), drawn[0], like)
    return [_patch(points, made.cleaned, dpi, erase) for points in outlines]


def _reduced(scan: Scanned, dpi: float = PREVIEW_DPI) -> tuple[Image, float]:
    key = (scan.blob, round(dpi))
    had = _ORIGINALS.get(key)
    if had is not None:
        return had
    full = Original(Path(scan.path).read_bytes(), scan.dpi, scan.stated_turn).scan().pixels
    # A drawing of 30,000 pixels is shown no larger than a page.
    wanted = min(dpi, scan.dpi * LARGEST_SIDE / max(full.shape[:2]) * dpi / PREVIEW_DPI)
    factor = max(1.0, scan.dpi / wanted)
    size = (max(1, round(full.shape[1] / factor)), max(1, round(full.shape[0] / factor)))
    small, _ = reduced(full, scan.dpi, 2 * wanted)
    small = np.ascontiguousarray(cv2.resize(small, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    kept = small, scan.dpi / factor
    _ORIGINALS.put(key, kept)
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
