"""Real scans as they might have come: coarser, of one bit, compressed, turned, of a false resolution, or all but the same."""

from __future__ import annotations

import io
import os
import tempfile
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from PIL import Image as Pillow

from bench.proofing_pages import filmed
from bench.real.run import KINDS, Measured, measure
from hyalen.core.imaging.pixels import Image, as_uint8
from hyalen.demo.spoil import Spoiling, spoil

BLUR = 1 / 300  # inches
GUESSED = 300.0  # pixels an inch, where none are stated
NEAR = 0.97  # of the bare engine's known words: a page that reads fewer is named


class Scan(NamedTuple):
    """Grey pixels, and their number an inch, 0 where none is stated."""

    pixels: Image
    dpi: float


def coarse(scan: Scan, dpi: float, one_bit: bool = False) -> Scan | None:
    """The page at fewer pixels an inch; None where it has no more."""
    scale = dpi / scan.dpi
    if scale > 0.95:
        return None
    small = as_uint8(cv2.resize(scan.pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA))
    return Scan(np.where(small < 150, 0, 255).astype(np.uint8) if one_bit else small, dpi)


def compressed(scan: Scan, quality: int) -> Scan:
    """A little out of focus, and hard compressed."""
    soft = cv2.GaussianBlur(scan.pixels, (0, 0), BLUR * (scan.dpi or GUESSED))
    told = cv2.imencode(".jpg", soft, [cv2.IMWRITE_JPEG_QUALITY, quality])[1]
    with Pillow.open(io.BytesIO(told.tobytes())) as picture:
        return scan._replace(pixels=np.asarray(picture.convert("L")))


def turned(scan: Scan, degrees: float) -> Scan:
    how = Spoiling(turn=90) if degrees == 90 else Spoiling(skew=degrees)
    page = spoil(np.repeat(scan.pixels[:, :, None], 3, axis=2), scan.dpi, how, seed=3)
    return scan._replace(pixels=as_uint8(cv2.cvtColor(page, cv2.COLOR_RGB2GRAY)))


def reduced(scan: Scan, share: float) -> Scan:
    """As another scanner's sampling would have it, at the same size on paper."""
    small = as_uint8(cv2.resize(scan.pixels, None, fx=share, fy=share, interpolation=cv2.INTER_AREA))
    return Scan(small, scan.dpi * share)


def cut(scan: Scan, pixels: int) -> Scan:
    return scan._replace(pixels=np.ascontiguousarray(scan.pixels[pixels:-pixels, pixels:-pixels]))


def noisy(scan: Scan, deviation: float) -> Scan:
    noise = np.random.default_rng(1).normal(0, deviation, scan.pixels.shape)
    return scan._replace(pixels=np.clip(scan.pixels + noise, 0, 255).astype(np.uint8))


def pale(scan: Scan, share: float) -> Scan:
    return scan._replace(pixels=(255 - (255 - scan.pixels.astype(np.float64)) * share).astype(np.uint8))


def on_film(scan: Scan) -> Scan:
    return scan._replace(pixels=filmed(scan.pixels, scan.dpi or GUESSED, level=0.6, soft=0.003, seed=5))


# The last five are so near to the scan itself that nothing should change: how firm the rules are.
VARIANTS: dict[str, Callable[[Scan], Scan | None]] = {
    "150 dpi": partial(coarse, dpi=150),
    "100 dpi": partial(coarse, dpi=100),
    "75 dpi": partial(coarse, dpi=75),
    "150 dpi, one bit": partial(coarse, dpi=150, one_bit=True),
    "on film": on_film,
    "JPEG 25": partial(compressed, quality=25),
    "turned by 7 degrees": partial(turned, degrees=7),
    "on its side": partial(turned, degrees=90),
    "1,200 dpi stated": lambda scan: scan._replace(dpi=1200),
    "no resolution": lambda scan: scan._replace(dpi=0),
    "turned by 0.3 degrees": partial(turned, degrees=0.3),
    "reduced to 95 %": partial(reduced, share=0.95),
    "cut by 7 pixels": partial(cut, pixels=7),
    "noisy": partial(noisy, deviation=4),
    "paler": partial(pale, share=0.8),
}


def made_variant(path: Path, variant: str, folder: Path) -> Path | None:
    """The file of a variant of a scan; None where the scan has none."""
    with Pillow.open(path) as picture:
        dpi = float(picture.info.get("dpi", (300, 300))[0])
        scan = VARIANTS[variant](Scan(np.asarray(picture.convert("L")), dpi if dpi >= 70 else GUESSED))
    if scan is None:
        return None
    made = folder / "scan.png"
    page = Pillow.fromarray(scan.pixels)
    if scan.dpi:
        page.save(made, dpi=(scan.dpi, scan.dpi))
    else:
        page.save(made)
    return made


def measured(path: Path, variant: str) -> Measured | None:
    """A variant of a scan through the whole pipeline; None where the scan has none."""
    with tempfile.TemporaryDirectory() as directory:
        made = made_variant(path, variant, Path(directory))
        return None if made is None else measure(made, path.name)


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach); none where REAL_PAGES names no folder."""
    folder = os.environ.get("REAL_PAGES")
    if not folder:
        return [("variants of real pages (REAL_PAGES names no folder)", "left out", "", "")]
    paths = sorted(p for p in Path(folder).iterdir() if p.suffix in KINDS)
    rows = []
    with ProcessPoolExecutor(workers) as pool:
        for variant in VARIANTS:
            results = [r for r in pool.map(partial(measured, variant=variant), paths) if r is not None]
            scores = [r.score for r in results if r.score]
            f1, order = (sum(getattr(s, each) for s in scores) / max(1, len(scores)) for each in ("f1", "order"))
            rows.append((f"real pages, {variant}: block starts F1; order", f"{f1:.3f}; {order:.3f}", "", ""))
            cells = [r.cells for r in results if r.cells]
            met, true = (sum(c[i] for c in cells) for i in range(2))
            rows.append((f"real tables, {variant}: neighbouring cells right", f"{met / max(1, true):.3f}", "", ""))
            known = f"{sum(r.known for r in results)}", f"{sum(r.bare for r in results)}"
            rows.append((f"real pages, {variant}: known words", *known, "above bare"))
            rows += [(f"    {r.name}", str(r.known), str(r.bare), "") for r in results if r.known < NEAR * r.bare]
    return rows
