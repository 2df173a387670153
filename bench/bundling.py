"""Bundles: how long 5,000 pages take and how much memory, and whether a stamped number ever touches ink.

Ink is told by scikit-image here (Sauvola and Pietikäinen 2000), not by what the numbers are placed by. The bare engine is
qpdf, which puts the same files together without numbers, index, bookmarks or structure.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pikepdf
import psutil
from numpy.typing import NDArray
from skimage.filters import threshold_sauvola
from skimage.morphology import remove_small_objects

from hyalen.core.bundling.stamp import place_stamp
from hyalen.core.formats.bundle_pdf import INK_MAP, BundleMark, BundleOrder, BundlePart, BundleSheet
from hyalen.core.formats.codecs import decode, decode_scan, encode_jpeg
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.pdf import write_part
from hyalen.core.formats.read import read_source_page
from hyalen.core.formats.source import Limits
from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.margin import ink_map
from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.model.bundle import StampPlace
from hyalen.core.model.content import PageContent
from hyalen.core.model.front import FrontRow, FrontTable
from hyalen.core.model.treatment import Treatment
from hyalen.core.read import read_content
from hyalen.core.reading.upright import find_turn
from hyalen.core.structure.tree import StructureTree
from hyalen.demo.archive import ARCHIVE, LETTER_1, LETTER_2, LOG_1, REPORT_1, REPORT_2, REPORT_3
from hyalen.demo.spoil import Spoiling, spoil
from hyalen.demo.typeset import typesetter

PAGES, A_DOCUMENT = 5_000, 10
SIZES = (12.0, 16.0, 24.0)
LEAST = 12  # pixels of ink at 300 dpi: less is a grain
Row = tuple[str, str, str, str]


class Stamped(NamedTuple):
    """Of the numbers on a page: how many, how many touch ink, how many made the page smaller, and by how much at most."""

    numbers: int
    touching: int
    smaller: int
    least: float


def stamps_of(page: Image, dpi: float) -> Stamped:
    """Numbers of three sizes at all six places of a page."""
    found = ink_map(page, dpi)
    image = grey(page)
    window = 2 * round(dpi / 8) + 1
    threshold: NDArray[np.float64] = threshold_sauvola(image, window_size=window, k=0.2)  # type: ignore[no-untyped-call]
    ink = remove_small_objects(image < threshold, max_size=round(LEAST * (dpi / 300) ** 2))
    height, width = (v * 72 / dpi for v in image.shape)
    count = touching = smaller = 0
    least = 1.0
    for size in SIZES:
        stamp = 2.6 * size, 0.714 * size
        for place in StampPlace:
            made = place_stamp(found, (width, height), stamp, place)
            count += 1
            least = min(least, made.scale)
            if made.scale < 1:
                smaller += 1
                continue
            px = dpi / 72
            rows = slice(int((height - made.y - stamp[1]) * px), int((height - made.y) * px) + 1)
            columns = slice(int(made.x * px), int((made.x + stamp[0]) * px) + 1)
            touching += bool(ink[rows, columns].any()) and not made.ground
    return Stamped(count, touching, smaller, least)


def _stamped_file(path: str) -> list[Stamped]:
    page = read_source_page(Path(path), 0, Limits())
    turn = partial(find_turn, languages=("eng",))
    cleaned = clean_page(decode_scan(page.original).pixels, page.dpi, Treatment(), turn)
    return [stamps_of(cleaned.shown, cleaned.cleaned.dpi)]


def _generated() -> Iterator[tuple[Image, float]]:
    with typesetter() as setter:
        for number, paper in enumerate(ARCHIVE):
            for html, how in paper.pages:
                if not paper.born_digital:
                    yield spoil(setter.set(html, 150.0).image, 150.0, how, seed=number), 150.0


def _told(name: str, found: Sequence[Stamped]) -> Row:
    count, touching, smaller = (sum(getattr(s, k) for s in found) for k in ("numbers", "touching", "smaller"))
    least = min(s.least for s in found)
    return (
        f"bundle: numbers on {name} that touch ink", f"{touching} of {count}",
        f"{smaller} by a smaller page, {least:.3f} at least", "0",
    )  # fmt: skip


def make_parts(folder: Path) -> list[Path]:
    """Documents of ten pages each, as a bundle's parts."""
    pages: list[PageContent] = []
    images: list[bytes] = []
    with typesetter() as setter:
        for html in (REPORT_1, REPORT_2, REPORT_3, LETTER_1, LETTER_2, LOG_1):
            image = spoil(setter.set(html, 200.0).image, 200.0, Spoiling(noise=2), seed=len(pages))
            pages.append(read_content(image, 200.0, ("eng",)))
            images.append(encode_jpeg(image))
    chosen = [i % len(pages) for i in range(A_DOCUMENT)]
    tree = StructureTree("Report of the Inspector", "eng", [pages[i] for i in chosen])
    maps = [ink_map(decode(image), 200.0).packed() for image in images]

    def hang(pdf: pikepdf.Pdf, index: int) -> None:
        pdf.pages[index].obj[INK_MAP] = pikepdf.String(maps[chosen[index]])

    made = []
    for number in range(PAGES // A_DOCUMENT):
        path = folder / f"{number}.pdf"
        if number < 5:  # each as a file of its own, as qpdf tells files by their names
            with path.open("w+b") as file:
                write_part(tree, lambda i: images[chosen[i]], file, DeliveryOptions(), f"d{number}", {}, hang)
        else:
            os.link(folder / f"{number % 5}.pdf", path)
        made.append(path)
    return made


def order_of(parts: Sequence[Path]) -> BundleOrder:
    rows = [
        FrontRow(cells=(str(n + 1), f"Report of the Inspector, number {n + 1}", "6 May 1931", str(n * A_DOCUMENT + 1)), sheet=n * A_DOCUMENT)
        for n in range(len(parts))
    ]  # fmt: skip
    sheets = [
        BundleSheet.model_validate({"kind": "page", "part": n, "at": at, "label": str(n * A_DOCUMENT + at + 1)})
        for n in range(len(parts))
        for at in range(A_DOCUMENT)
    ]
    marks = [BundleMark(title=row.cells[1], depth=0, sheet=row.sheet, part=n) for n, row in enumerate(rows)]
    index = FrontTable(heading="Index", heads=("No.", "Document", "Date", "Page"), rows=tuple(rows), numbers=3)
    return BundleOrder(
        title="Inquiry", language="eng", front=(index,), sheets=tuple(sheets), bookmarks=tuple(marks),
        parts=tuple(BundlePart(path=str(p), title=marks[n].title) for n, p in enumerate(parts)), stamp=StampPlace.BOTTOM_RIGHT,
    )  # fmt: skip


_ASSEMBLE = """
import sys
from pathlib import Path
from hyalen.core.formats.bundle_pdf import BundleOrder, write_bundle
write_bundle(BundleOrder.model_validate_json(Path(sys.argv[1]).read_bytes()), Path(sys.argv[2]))
"""


def _timed(command: Sequence[str | Path]) -> tuple[float, float]:
    """Seconds, and the most megabytes of any of its processes."""
    start, most = time.perf_counter(), 0
    with subprocess.Popen([str(c) for c in command]) as running:
        while running.poll() is None:
            try:
                mine = psutil.Process(running.pid)
                most = max(most, *(p.memory_info().rss for p in (mine, *mine.children(recursive=True))))
            except psutil.NoSuchProcess:
                pass
            time.sleep(0.05)
    if running.returncode:
        raise RuntimeError(f"{command[0]} failed")
    return time.perf_counter() - start, most / 1e6


def run(workers: int) -> list[Row]:
    rows: list[Row] = []
    rows.append(_told("generated pages", [stamps_of(page, dpi) for page, dpi in _generated()]))
    real = Path(os.environ.get("REAL_PAGES", "/nowhere"))
    if real.is_dir():
        files = sorted(str(p) for p in real.iterdir() if p.suffix.lower() in (".tif", ".png", ".jpg"))
        with ProcessPoolExecutor(workers) as pool:
            rows.append(_told("real pages", [s for found in pool.map(_stamped_file, files) for s in found]))
    with tempfile.TemporaryDirectory(prefix="hyalen-bench-") as name:
        folder = Path(name)
        parts = make_parts(folder)
        told = folder / "order.json"
        told.write_text(order_of(parts).model_dump_json())
        own, memory = _timed([sys.executable, "-c", _ASSEMBLE, told, folder / "bundle.pdf"])
        bare, less = _timed(
            ["qpdf", "--empty", "--pages", *(x for p in parts for x in (p, "1-z")), "--", folder / "bare.pdf"]
        )
        size = (folder / "bundle.pdf").stat().st_size / 1e6
    rows.append(
        (f"bundle: {PAGES:,} pages in {len(parts)} documents, {size:.0f} MB", f"{own:.1f} s", f"{bare:.1f} s", "60 s")
    )
    rows.append(("bundle: memory of its largest process", f"{memory:.0f} MB", f"{less:.0f} MB", "500 MB"))
    return rows
