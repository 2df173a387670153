"""Makes the demo archive and has it read: `python -m hyalen.demo DIR`."""

from __future__ import annotations

import argparse
import io
import json
import sys
import threading
from collections.abc import Sequence
from dataclasses import asdict
from pathlib import Path

import numpy as np
import pikepdf
from PIL import Image as Pillow
from tqdm import tqdm

from hyalen.core.formats.source import Limits
from hyalen.core.imaging.pixels import Image
from hyalen.core.proofing.doubts import Stage
from hyalen.demo.archive import ARCHIVE, Paper
from hyalen.demo.inquiry import INQUIRY, PAPERS, bind_inquiry
from hyalen.demo.spoil import Spoiling, halftone, spoil, spread
from hyalen.demo.typeset import SetPage, typesetter
from hyalen.store.store import Store
from hyalen.work.foreman import Event, Foreman
from hyalen.work.intake import take_in_file
from hyalen.work.workers import default_workers

DPI = 300.0
SCANNER = "http://127.0.0.1:8321/eSCL"
BATCH = "Skarnholm Lights Board, box 14"


def make_files(directory: Path, papers: Sequence[Paper] = ARCHIVE) -> list[Path]:
    """The scans of papers, with their true text beside them; what is there already is kept."""
    truth = directory / "truth"
    truth.mkdir(parents=True, exist_ok=True)
    paths = [directory / paper.file for paper in papers]
    if all(path.exists() for path in paths):
        return paths
    with typesetter() as setter:
        for number, (paper, path) in enumerate(zip(papers, paths, strict=True)):
            pages = [setter.set(html, DPI) for html, _ in paper.pages]
            (truth / f"{path.stem}.txt").write_text("\n\n".join(p.text for p in pages) + "\n", "utf8")
            blocks = [[asdict(b) for b in p.blocks] for p in pages]
            (truth / f"{path.stem}.json").write_text(json.dumps(blocks, ensure_ascii=False), "utf8")
            if paper.born_digital:
                save_printed([setter.printed(html) for html, _ in paper.pages], path)
            else:
                save_scans(paper, make_scans(paper, pages, 100 * number), path)
    return paths


def save_printed(prints: list[bytes], path: Path) -> None:
    """A PDF of the first page of each print."""
    with pikepdf.new() as pdf:
        for each in prints:
            with pikepdf.open(io.BytesIO(each)) as one:
                pdf.pages.append(one.pages[0])
        pdf.save(path)


def make_scans(paper: Paper, pages: list[SetPage], seed: int) -> list[Image]:
    """The paper's scans: spoilt one by one, backs shining through, an open book two pages at a time."""
    scans = []
    for i, (page, (_, how)) in enumerate(zip(pages, paper.pages, strict=True)):
        image = with_plates(page)
        back = pages[i ^ 1].image if paper.duplex else None
        scans.append(spoil(image, DPI, how, seed=seed + i, reverse=back))
    if not paper.opened:
        return scans
    lying = Spoiling(bed=0.25, noise=4, skew=0.4)
    return [spoil(spread(a, b, DPI, 0.35), DPI, lying, seed) for a, b in zip(scans[::2], scans[1::2], strict=True)]


def with_plates(page: SetPage) -> Image:
    """The page with a printed picture, a lantern at dusk, in each empty figure."""
    image = page.image.copy()
    for block in page.blocks:
        left, top, right, bottom = block.box
        if block.role != "figure" or image[top:bottom, left:right].min() < 250:
            continue
        image[top:bottom, left:right] = halftone(_lantern(bottom - top, right - left), DPI)[:, :, None]
    return image


def _lantern(height: int, width: int) -> Image:
    """A grey picture: sky, mole, tower and the glow of its light."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    x, y = x / width, y / height
    tones = 205 - 110 * y
    glow = np.exp(-(((x - 0.55) * 1.5) ** 2 + (y - 0.3) ** 2) / 0.02)
    tones = np.where(y > 0.72 + 0.02 * np.sin(9 * x), 70 + 25 * np.sin(60 * x + 40 * y), tones)
    tower = (np.abs(x - 0.55) < 0.05 + 0.05 * y) & (y > 0.36) & (y < 0.74)
    tones = np.where(tower, 150 - 500 * (x - 0.52), tones)
    tones = np.where((np.abs(x - 0.55) < 0.05) & (y > 0.24) & (y < 0.36), 60, tones)
    tones = np.where((np.abs(x - 0.55) < 0.16 * (y - 0.12)) & (y > 0.14) & (y < 0.24), 45, tones)
    return np.asarray(np.clip(tones + 130 * glow, 0, 255), dtype=np.uint8)


def save_scans(paper: Paper, scans: list[Image], path: Path) -> None:
    """A multi-page TIFF or a PDF of JPEG images, as a scanner would write it."""
    small = paper.dpi / DPI
    sizes = [(round(scan.shape[1] * small), round(scan.shape[0] * small)) for scan in scans]
    pictures = [
        Pillow.fromarray(s) if small == 1 else Pillow.fromarray(s).resize(size)
        for s, size in zip(scans, sizes, strict=True)
    ]
    if path.suffix in (".jpg", ".png"):
        if path.suffix == ".jpg":
            pictures[0].save(path, quality=85)  # a camera states no resolution
        else:
            pictures[0].save(path, dpi=(paper.dpi, paper.dpi))
        return
    if path.suffix == ".tif":
        pictures[0].save(path, save_all=True, append_images=pictures[1:], compression="tiff_deflate", dpi=(DPI, DPI))
        return
    pdf = pikepdf.new()
    for picture in pictures:
        out = io.BytesIO()
        picture.save(out, "JPEG", quality=82)
        width, height = picture.width * 72 / DPI, picture.height * 72 / DPI
        page = pdf.add_blank_page(page_size=(width, height))
        image = pdf.make_stream(
            out.getvalue(),
            Type=pikepdf.Name.XObject,
            Subtype=pikepdf.Name.Image,
            Width=picture.width,
            Height=picture.height,
            ColorSpace=pikepdf.Name.DeviceRGB,
            BitsPerComponent=8,
            Filter=pikepdf.Name.DCTDecode,
        )
        page.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Im0=image))
        page.Contents = pdf.make_stream(f"q {width:.3f} 0 0 {height:.3f} 0 0 cm /Im0 Do Q".encode())
    pdf.docinfo["/Title"] = paper.title
    pdf.save(path)


def bring_in(store: Store, foreman: Foreman, name: str, papers: Sequence[Paper], files: Sequence[Path]) -> int:
    """Papers as a batch, unless there is one of that name; how many pages are to be read."""
    if any(b.batch.name == name for b in store.documents.batches()):
        return 0
    batch_id = store.documents.add_batch(name, ["eng"])
    for paper, path in zip(papers, files, strict=True):
        (taken,) = take_in_file(store, foreman.attendant, batch_id, path, Limits())
        if (document_id := taken.document) is not None:
            store.settings.read_again(document_id, [], paper.languages, whole=True, keep=True)
            if paper.duplex:
                store.settings.scan_both_sides(document_id, True)
            if name == INQUIRY:
                store.settings.entitle(document_id, paper.title)
    return sum(len(paper.pages) for paper in papers)


def read_archive(directory: Path) -> None:
    """Make the files in a directory, bring them in and read them, and bind the inquiry's bundle; what is there stays."""
    scans = directory / "scans"
    files, inquiry = make_files(scans), make_files(scans / "inquiry", PAPERS)
    data = directory / "data"
    store = Store(data)
    foreman = Foreman(store, default_workers())
    count = bring_in(store, foreman, BATCH, ARCHIVE, files)
    count += bring_in(store, foreman, INQUIRY, PAPERS, inquiry)
    if not store.scans.scanners():
        store.scans.add_scanner(SCANNER, "Hyalen stand-in scanner")  # it is started beside the demo
    progress = tqdm(total=count, desc="Reading the demo archive", unit="page", file=sys.stderr)
    changed = threading.Event()

    def on_event(event: Event) -> None:
        if event.stage == Stage.READ and event.kind == "task" and event.state == "done":
            progress.update()
        changed.set()

    foreman.listen(on_event)
    foreman.start()
    while not foreman.idle():
        changed.wait(timeout=0.3)
        changed.clear()
    foreman.stop()
    progress.close()
    bind_inquiry(store)
    store.close()


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m hyalen.demo")
    parser.add_argument("directory", type=Path)
    directory = parser.parse_args().directory
    read_archive(directory)


if __name__ == "__main__":
    main()
