"""Born-digital pages: blocks, order, roles and cells of pages that a browser printed, whose truth their HTML tells."""

from __future__ import annotations

import tempfile
from collections import Counter
from concurrent.futures import ProcessPoolExecutor
from itertools import pairwise
from pathlib import Path
from typing import NamedTuple

import numpy as np
from rapidfuzz import fuzz

from bench.tables import STYLES, Relation, agreement, make_table, relations, rows_of, table_html
from hyalen.core.formats.codecs import decode
from hyalen.core.formats.pdf_own_text import own_text
from hyalen.core.formats.read_pdf import read_pdf_page
from hyalen.core.formats.source import Limits
from hyalen.core.model.content import PageContent
from hyalen.core.read import read_own_content
from hyalen.demo.archive import ARCHIVE
from hyalen.demo.gazette import ARABIC, GAZETTE, THREE_LANGUAGES, TIDES
from hyalen.demo.typeset import typesetter

START = 24  # letters that tell a block
SAME = 90.0
TABLES_EACH = 5
UNREAD = {"figure", "mark", "running_head", "page_number", "table"}


class Set(NamedTuple):
    """A block as it was set."""

    role: str
    text: str


class Measured(NamedTuple):
    """Of a page: its blocks, how many were found, and of these the neighbours in order and the roles that are right."""

    blocks: int
    found: int
    neighbours: int
    in_order: int
    roles: int


def read(pdf: bytes) -> PageContent:
    with tempfile.NamedTemporaryFile(suffix=".pdf") as file:
        file.write(pdf)
        file.flush()
        path = Path(file.name)
        page = read_pdf_page(path, 0, Limits())
        return read_own_content(
            decode(page.original), page.dpi, ("auto",), own_text(path, 0, (page.width, page.height))
        )


def measure(pdf: bytes, true: list[Set]) -> Measured:
    regions = read(pdf).regions
    starts = [_bare(r.text)[:START] for r in regions]
    at: list[int] = []
    roles = 0
    for block in true:
        wanted = _bare(block.text)[:START]
        best = max(range(len(starts)), key=lambda i: fuzz.ratio(starts[i], wanted), default=None)
        if best is not None and best not in at and fuzz.ratio(starts[best], wanted) >= SAME:
            at.append(best)
            roles += regions[best].role.startswith(block.role)  # whatever the level of a heading
    return Measured(len(true), len(at), max(0, len(at) - 1), sum(a < b for a, b in pairwise(at)), roles)


def cells(pdf: bytes, true: Counter[Relation]) -> tuple[int, int, int]:
    found: Counter[Relation] = Counter()
    for region in read(pdf).regions:
        if region.table is not None:
            found += relations(rows_of(region.table))
    return agreement(found, true)


def _bare(text: str) -> str:
    return "".join(c for c in text if c.isalnum()).casefold()


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach)."""
    sheets = [html for paper in ARCHIVE for html, _ in paper.pages] + [GAZETTE, TIDES, THREE_LANGUAGES, ARABIC]
    rng = np.random.default_rng(12)
    with typesetter() as setter, ProcessPoolExecutor(workers) as pool:
        pages = []
        for html in sheets:
            true = [Set(b.role, b.text) for b in setter.set(html).blocks if b.text and b.role not in UNREAD]
            pages.append(pool.submit(measure, setter.printed(html), true))
        tables = []
        for style in STYLES:
            for i in range(TABLES_EACH):
                rows = make_table(i, rng)
                pdf = setter.printed(table_html(rows, style, "'Liberation Serif'"))
                tables.append(pool.submit(cells, pdf, relations(rows)))
        done = [job.result() for job in pages]
        met, found, true_ = (sum(job.result()[k] for job in tables) for k in range(3))
    blocks, seen, neighbours, ordered, roles = (sum(column) for column in zip(*done, strict=True))
    return [
        (f"born digital, {len(done)} pages: blocks found", f"{seen / blocks:.3f}", "", ""),
        ("born digital: neighbours in order", f"{ordered / neighbours:.3f}", "", ""),
        ("born digital: roles", f"{roles / seen:.3f}", "", ""),
        (f"born digital, {len(tables)} tables: adjacency F1", f"{2 * met / max(1, found + true_):.3f}", "", "0.95"),
    ]
