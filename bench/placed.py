"""The DOCX that looks as the paper does, rendered by LibreOffice: its pages, and blocks that come out where they are on paper."""

from __future__ import annotations

import os
import re
import subprocess
import sys
import tempfile
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import NamedTuple
from xml.etree import ElementTree

from hyalen.core.formats.docx_page import Sheet
from hyalen.core.model.content import PageContent
from hyalen.core.model.document import DocumentContent
from hyalen.demo.__main__ import make_files

REAL = (
    "8071_093.3B.tif", "brothers.150.jpg", "cat.007.jpg", "feyn.tif", "harmoniam-11.tif", "keystone.png", "pageseg3.tif",
    "scots-frag.tif", "witten.tif", "words.15.tif",
)  # fmt: skip
NEAR = 10 / 25.4 * 72  # points
MOSTLY = 0.8  # of a block's words, that have to stand within reach of their place
XHTML = "{http://www.w3.org/1999/xhtml}"


class Placed(NamedTuple):
    """A document's blocks, how many of them are within reach of their place, and its pages on paper and in the DOCX."""

    blocks: int
    near: int
    pages: int
    made: int


class _Word(NamedTuple):
    text: str
    left: float  # points, as the other
    top: float


def compare(pages: Sequence[PageContent], docx: Path) -> Placed:
    """A document beside what LibreOffice makes of its DOCX."""
    folder = docx.parent
    profile = f"-env:UserInstallation=file://{folder}/profile-{docx.stem.replace(' ', '-')}"
    subprocess.run(
        ["soffice", profile, "--headless", "--convert-to", "pdf", "--outdir", folder, docx],
        check=True, capture_output=True, timeout=300,
    )  # fmt: skip
    told = subprocess.run(
        ["pdftotext", "-bbox", docx.with_suffix(".pdf"), "-"], check=True, capture_output=True, text=True
    ).stdout
    root = ElementTree.fromstring(re.sub(r"[\x00-\x08\x0b-\x1f]", "", told))
    made = [
        [
            _Word(_plain(w.text or ""), float(w.get("xMin", 0)), float(w.get("yMin", 0)))
            for w in each.iter(f"{XHTML}word")
        ]
        for each in root.iter(f"{XHTML}page")
    ]
    found = [near(page, drawn) for page, drawn in zip(pages, made, strict=False)]
    return Placed(sum(b for b, _ in found), sum(n for _, n in found), len(pages), len(made))


def near(page: PageContent, drawn: Sequence[_Word]) -> tuple[int, int]:
    """How many blocks of text a page has, and of how many most words stand at their place, or elsewhere in its lines."""
    unit = Sheet(page).unit
    places: dict[str, list[_Word]] = {}
    for word in drawn:
        places.setdefault(word.text, []).append(word)
    blocks = met = 0
    for region in page.regions:
        printed = [
            _Word(_plain(part), word.box.left * unit, word.box.top * unit)
            for word in region.words
            for part in word.text.split()
            if _plain(part)
        ]
        if not printed:
            continue
        left, right = region.box.left * unit - NEAR, region.box.right * unit + NEAR  # lines may break elsewhere
        kept = sum(
            any(left <= d.left <= right and abs(d.top - p.top) <= NEAR for d in places.get(p.text, ())) for p in printed
        )
        blocks += 1
        met += kept >= MOSTLY * len(printed)
    return blocks, met


def _plain(text: str) -> str:
    return re.sub(r"\W", "", text.casefold())


def measure(files: Sequence[Path], workers: int) -> list[Placed]:
    """Documents delivered by the program's own command."""
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-m", "hyalen.cli", "batch", *map(str, files), "--out", folder]
        subprocess.run(
            [*command, "--languages", "auto", "--formats", "json,placed", "--workers", str(workers)],
            check=True, capture_output=True,
        )  # fmt: skip
        made = sorted(Path(folder).glob("*.placed.docx"))
        told = [Path(str(path).removesuffix(".placed.docx") + ".json") for path in made]
        pages = [DocumentContent.model_validate_json(path.read_text("utf-8")).pages for path in told]
        with ThreadPoolExecutor(workers) as pool:
            return list(pool.map(compare, pages, made))


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach)."""
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        material = {"the demo": make_files(Path(folder))}
        real = Path(os.environ.get("REAL_PAGES", ""))
        if real.is_dir() and all((real / name).exists() for name in REAL):
            material["ten real pages"] = [real / name for name in REAL]
        for name, files in material.items():
            found = measure(files, workers)
            same = sum(each.pages == each.made for each in found)
            blocks, met = sum(each.blocks for each in found), sum(each.near for each in found)
            rows.append((f"placed DOCX, {name}: blocks within 10 mm", f"{met / blocks:.3f}", "", "0.90"))
            rows.append((f"placed DOCX, {name}: documents of as many pages", f"{same} of {len(found)}", "", "all"))
    return rows
