"""Blocks, order, roles and words of real scans, the bare engine's better try beside."""

from __future__ import annotations

import json
import os
import re
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from PIL import Image as Pillow
from rapidfuzz import fuzz

from bench import bare, pipeline
from bench.real.score import Score, score
from bench.tables import Relation, agreement, relations, rows_of
from hyalen.core.formats.read import read_source_page
from hyalen.core.formats.source import Limits
from hyalen.core.languages import is_known
from hyalen.core.model.content import PageContent
from hyalen.core.structure.landmarks import page_facts
from hyalen.core.structure.settling import settle, with_roles
from hyalen.work.jobs import Original

TRUTH = Path(__file__).parent / "blocks.json"
LEVELS = Path(__file__).parent / "levels.json"
TABLES = Path(__file__).parent / "tables.json"
KINDS = {".tif", ".jpg", ".png"}
LANGUAGES = {"1555.003": "deu", "arabic2": "ara", "cat.007": "fra", "dreyfus1": "fra", "pedante.079": "ita"}
ENLARGED = 3
MOST_ENLARGED = 2200  # pixels; the bare engine is not given larger pages three times their size


def language_of(name: str) -> str:
    """The language of a real page, by its file's name."""
    return LANGUAGES.get(Path(name).stem, "eng")


def read_page(path: Path, language: str) -> PageContent:
    """A scan through the whole pipeline."""
    original = Original.of(read_source_page(path, 0, Limits()))
    return pipeline.read(pipeline.clean(original, language), language)


def known_words(text: str, language: str) -> int:
    """Words of three letters and more that the language's list holds."""
    return sum(len(w) > 2 and is_known(w, language) for w in re.findall(r"[^\W\d_]+", text))


def neighbours(content: PageContent, tables: list[list[list[str]]]) -> tuple[int, int]:
    """(met, true) adjacency relations of the page's tables that are told by eye."""
    found: Counter[Relation] = Counter()
    for region in content.regions:
        if region.table is not None:
            found += relations(rows_of(region.table))
    told: Counter[Relation] = Counter()
    for rows in tables:
        told += relations([[(text, 1, 1) for text in row] for row in rows])
    met, _, true = agreement(found, told)
    return met, true


class Measured(NamedTuple):
    """`known` and `bare` are known words, ours and of the bare engine's better try."""

    name: str
    known: int
    bare: int
    score: Score | None
    cells: tuple[int, int] | None
    levels: tuple[int, int] | None


def headings_right(content: PageContent, told: dict[str, int]) -> tuple[int, int]:
    """(right in level, told by eye) headings of a page, by how they begin."""
    settled = with_roles(content, settle([page_facts(content, {}).marks])[0])
    regions = [(" ".join(r.text.split()).casefold(), r.role.heading_level) for r in settled.regions if r.lines]
    right = 0
    for begins, level in told.items():
        near = max(regions, key=lambda r: fuzz.ratio(begins.casefold(), r[0][: len(begins)]), default=("", None))
        right += near[1] == level
    return right, len(told)


def measure(path: Path, name: str = "") -> Measured:
    """A scan through the whole pipeline; what is not told by eye is None. `name` is the scan's that it was made of."""
    cv2.setNumThreads(1)
    name = name or path.name
    language = language_of(name)
    content = read_page(path, language)
    ours = known_words("\n".join(line.text for r in content.everything for line in r.all_lines), language)
    with Pillow.open(path) as picture:
        scan = np.asarray(picture.convert("RGB"))
        dpi = float(picture.info.get("dpi", (300, 300))[0])
    theirs = known_words(bare.read(scan, dpi if dpi >= 70 else 300, language), language)
    if max(scan.shape) < MOST_ENLARGED:
        large = np.asarray(cv2.resize(scan, None, fx=ENLARGED, fy=ENLARGED, interpolation=cv2.INTER_CUBIC), np.uint8)
        theirs = max(theirs, known_words(bare.read(large, 300, language), language))
    truth = json.loads(TRUTH.read_text("utf8")).get(name)
    tables = json.loads(TABLES.read_text("utf8")).get(name)
    heads = json.loads(LEVELS.read_text("utf8")).get(name)
    told = score(content, truth) if truth else None
    return Measured(
        Path(name).stem,
        ours,
        theirs,
        told,
        neighbours(content, tables) if tables else None,
        headings_right(content, heads) if heads else None,
    )


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach); none where REAL_PAGES names no folder."""
    folder = os.environ.get("REAL_PAGES")
    if not folder:
        return [("real pages (REAL_PAGES names no folder)", "left out", "", "")]
    paths = sorted(p for p in Path(folder).iterdir() if p.suffix in KINDS)
    with ProcessPoolExecutor(workers) as pool:
        results = list(pool.map(measure, paths))
    rows = []
    for name, ours, theirs, told, *_ in results:
        says = f"F1 {told.f1:.2f}, order {told.order:.2f}, roles {told.roles:.2f}" if told else ""
        rows.append((f"  {name}: known words; blocks", f"{ours}; {says}".rstrip("; "), str(theirs), ""))
    scores = [r.score for r in results if r.score]
    cells = [r.cells for r in results if r.cells]
    mean = [sum(getattr(s, each) for s in scores) / max(1, len(scores)) for each in ("f1", "order", "roles")]
    rows.append(("real pages: block starts F1", f"{mean[0]:.3f}", "", "0.95"))
    rows.append(("real pages: reading order", f"{mean[1]:.3f}", "", "0.98"))
    rows.append(("real pages: roles", f"{mean[2]:.3f}", "", "0.95"))
    rows.append(("real pages: artifacts read aloud", str(sum(s.leaked for s in scores)), "", "0"))
    met, true = (sum(c[i] for c in cells) for i in range(2))
    rows.append(("real printed tables: neighbouring cells right", f"{met / max(1, true):.3f}", "", "0.95"))
    levels = [r.levels for r in results if r.levels]
    right, told_by_eye = (sum(each[i] for each in levels) for i in range(2))
    rows.append(("real headings: right in level", f"{right} of {told_by_eye}", "", "90 %"))
    fewer = sum(r.known < r.bare for r in results)
    rows.append(("real pages with fewer known words than bare", str(fewer), "", "0"))
    both = sum(r.known for r in results), sum(r.bare for r in results)
    rows.append(("real pages: known words read", str(both[0]), str(both[1]), "above bare"))
    return rows
