"""Blocks, order and roles on kinds of pages that archives hold, as they are scanned well and badly."""

from __future__ import annotations

from concurrent.futures import ProcessPoolExecutor
from itertools import pairwise
from typing import Any, NamedTuple

import cv2
import numpy as np

from bench import pipeline
from bench.page_kinds import Kind, pages
from bench.proofing_pages import filmed
from bench.real.score import Score, score
from hyalen.core.imaging.pixels import Image, as_uint8, grey
from hyalen.core.model.content import PageContent
from hyalen.demo.spoil import AGED, Spoiling, spoil
from hyalen.demo.typeset import A4, SetPage, TrueBlock, typesetter

DPI = 300.0
START = 40  # letters by which a block is known
FREE, ARTIFACT = "any", "a"  # "any n" is a note
HOW = {
    "well": Spoiling(skew=0.4, noise=2),
    "badly": Spoiling(skew=-1.3, tint=AGED, shade=0.3, specks=250, noise=6, show_through=0.15, jpeg=60),
    "at 150 dpi": Spoiling(skew=0.7, tint=AGED, noise=4, jpeg=60),
    "from film": Spoiling(skew=-0.6, specks=80, blur=0.002),
}


class Told(NamedTuple):
    kind: str
    how: str
    score: Score


def truth_of(page: SetPage) -> dict[str, Any]:
    """What `score` asks of a page."""
    free = [b for b in page.blocks if b.role.startswith(FREE)]
    inner = [b for b in page.blocks if b.role != ARTIFACT and b not in free]
    anywhere = [[b.role.removeprefix(FREE).strip() or "?", b.text[:START]] for b in free]
    return {
        "order": [[b.role, b.text[:START]] for b in inner],
        "anywhere": [*anywhere, *(["?", rest[:START]] for b in inner for rest in rests(b))],
        "artifacts": [b.text for b in page.blocks if b.role == ARTIFACT],
    }


def rests(block: TrueBlock) -> list[str]:
    """What of a block goes on in the next column: a part of its own on a single page."""
    higher = [i for i, (a, b) in enumerate(pairwise(block.words), 1) if b.box.bottom < a.box.top]
    return [" ".join(w.text for w in block.words[i:]) for i in higher]


def scan_of(image: Image, how: str) -> tuple[Image, float]:
    dpi = DPI
    if how == "at 150 dpi":
        image, dpi = as_uint8(cv2.resize(image, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)), dpi / 2
    scan = spoil(image, dpi, HOW[how], seed=len(how))
    return (filmed(grey(scan), dpi, 0.6, 0.003, 7) if how == "from film" else scan), dpi


def read(kind: Kind, page: SetPage, how: str) -> tuple[Told, PageContent]:
    cv2.setNumThreads(1)
    scan, dpi = scan_of(np.asarray(page.image), how)
    content = pipeline.read_scan(scan, dpi, kind.language)
    return Told(kind.name, how, score(content, truth_of(page))), content


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach)."""
    with typesetter() as setter, ProcessPoolExecutor(workers) as pool:
        jobs = []
        for kind, html in pages():
            size = A4[::-1] if kind.landscape else A4
            page = setter.set(html, DPI, *size)
            jobs += [pool.submit(read, kind, page, how) for how in HOW]
        told = [job.result()[0] for job in jobs]
    rows = []
    for how in HOW:
        scores = [t.score for t in told if t.how == how]
        f1, order, roles = (f"{np.mean([getattr(s, name) for s in scores]):.3f}" for name in ("f1", "order", "roles"))
        rows.append(
            (
                f"kinds of pages, scanned {how}: block starts, order, roles",
                f"{f1}, {order}, {roles}",
                "",
                "0.95, 0.98, 0.95",
            )
        )
    names = dict.fromkeys(t.kind for t in told)
    for name in names:
        each = [t.score for t in told if t.kind == name]
        rows.append((f"  {name}", " ".join(f"{s.f1:.2f}/{s.order:.2f}/{s.roles:.2f}" for s in each), "", ""))
    return rows
