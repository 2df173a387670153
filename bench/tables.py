"""Tables of known cells: ruled, half-ruled and unruled, with spans, totals, empty cells and leaders."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from html import escape

import cv2
import numpy as np
from rapidfuzz import fuzz

from bench import pipeline
from bench.table_kinds import KINDS, Cell, table_page
from hyalen.core.imaging.pixels import Image
from hyalen.core.model.content import RegionKind
from hyalen.core.model.content import Table as FoundTable
from hyalen.demo.spoil import AGED, Spoiling, spoil
from hyalen.demo.typeset import typesetter

SAME = 80.0
Relation = tuple[str, str, str]

STYLES = {
    "ruled": "td,th{border:1px solid #000}",
    "column rules": "table{border:1px solid #000} td{border-left:1px solid #000} tr.head td{border-bottom:1px solid #000}",
    "half-ruled": "table{border-top:2px solid #000;border-bottom:2px solid #000} tr.head td{border-bottom:1px solid #000}",
    "unruled": "",
}
NAMES = ["Skarnholm", "Eastern Beacon", "Grey Skerry", "Kettle Ness", "Long Reef", "Mewstone", "North Ledge", "Sallow Point",
         "Tern Island", "Outer Bank"]  # fmt: skip


def relations(rows: Iterable[Iterable[Cell]]) -> Counter[Relation]:
    """Adjacency relations of a table: each filled cell with its nearest filled neighbour to the right and below.

    Göbel, Hassan, Oro and Orsi, "A methodology for evaluating algorithms for table understanding in PDF
    documents", DocEng 2012, section 4: blank cells are passed over; a relation is the two texts and the direction.
    """
    grid: dict[tuple[int, int], int] = {}
    texts: list[str] = []
    for r, row in enumerate(rows):
        c = 0
        for text, tall, wide in row:
            while (r, c) in grid:
                c += 1
            for y in range(r, r + tall):
                for x in range(c, c + wide):
                    grid[y, x] = len(texts)
            texts.append(" ".join(text.split()))
            c += wide
    if not grid:
        return Counter()
    height, width = max(y for y, _ in grid) + 1, max(x for _, x in grid) + 1
    pairs: set[tuple[int, int, str]] = set()
    for (y, x), mine in grid.items():
        if not texts[mine]:
            continue
        for direction, line in (
            ("right", [(y, k) for k in range(x + 1, width)]),
            ("below", [(k, x) for k in range(y + 1, height)]),
        ):
            for place in line:
                other = grid.get(place)
                if other is None or other == mine or not texts[other]:
                    continue
                pairs.add((mine, other, direction))
                break
    return Counter((texts[a], texts[b], direction) for a, b, direction in pairs)


def agreement(found: Counter[Relation], true: Counter[Relation]) -> tuple[int, int, int]:
    """(met, found, true) relations; texts agree where at least four fifths of their letters do."""
    rest, met = Counter(found), 0
    for relation, count in true.items():
        for _ in range(count):
            best = max(
                (r for r in rest if rest[r] and r[2] == relation[2]), key=lambda r: _alike(r, relation), default=None
            )
            if best is None or _alike(best, relation) < SAME:
                break
            rest[best] -= 1
            met += 1
    return met, sum(found.values()), sum(true.values())


def _alike(a: Relation, b: Relation) -> float:
    return min(fuzz.ratio(a[0], b[0]), fuzz.ratio(a[1], b[1]))


def rows_of(table: FoundTable) -> list[list[Cell]]:
    """A table that was read, as rows of cells."""
    rows: list[list[Cell]] = [[] for _ in range(table.rows)]
    for cell in sorted(table.cells, key=lambda c: (c.row, c.column)):
        rows[cell.row].append((cell.text, cell.row_span, cell.column_span))
    return rows


def make_table(kind: int, rng: np.random.Generator) -> list[list[Cell]]:
    """Plain, with a spanning head, with empty cells and a total, with decimals, or with names of two lines."""
    long = " and the rocks about it, as far as the outer mark"
    names = [str(n) for n in rng.permutation(NAMES)[: int(rng.integers(5, 9))]]
    years = [str(1921 + int(rng.integers(0, 20)) + i) for i in range(int(rng.integers(3, 6)))]

    def value() -> str:
        number = int(rng.integers(10, 9999))
        return f"{number / 10:,.1f}" if kind == 3 else f"{number:,}"

    rows: list[list[Cell]] = []
    if kind == 1:
        rows.append([("Station", 2, 1), ("Hours of light", 1, len(years))])
        rows.append([(y, 1, 1) for y in years])
    else:
        rows.append([("Station", 1, 1), *((y, 1, 1) for y in years)])
    for i, name in enumerate(names):
        name += long if kind == 4 and i % 2 else ""
        rows.append([(name, 1, 1), *(("" if kind == 2 and rng.random() < 0.2 else value(), 1, 1) for _ in years)])
    if kind == 2:
        rows.append([("Total", 1, 1), *((value(), 1, 1) for _ in years)])
    return rows


def table_html(rows: list[list[Cell]], style: str, face: str) -> str:
    head = 2 if any(tall > 1 for _, tall, _ in rows[0]) else 1
    body = "".join(
        f"<tr{' class=head' if i == head - 1 else ''}>"
        + "".join(f'<td rowspan="{t}" colspan="{w}">{escape(text)}</td>' for text, t, w in row)
        + "</tr>"
        for i, row in enumerate(rows)
    )
    return f"""<!doctype html><html lang="en"><style>body{{margin:22mm;font:11pt/1.35 {face}}}
    table{{border-collapse:collapse;margin:8mm 0}} td{{padding:1.2mm 4mm;text-align:right;vertical-align:top}}
    td:first-child{{text-align:left;max-width:62mm}}
    [colspan]:not([colspan="1"]){{text-align:center}} {STYLES[style]}</style>
    <p>The hours during which each light was shown are set out below, as the keepers returned them to the office
    at the end of every quarter. Lights under repair are left out.</p><table>{body}</table>
    <p>Where a keeper was absent, the figures of the relief are given; they were checked against the oil that was drawn
    from the store in the same months.</p></html>"""


def read_page(image: Image, true: Counter[Relation], dpi: float = 300) -> tuple[int, int, int]:
    content = pipeline.read_scan(image, dpi, "eng")
    found: Counter[Relation] = Counter()
    for region in content.regions:
        if region.kind is RegionKind.TABLE and region.table is not None:
            found += relations(rows_of(region.table))
    return agreement(found, true)


def run(workers: int, each: int = 5) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach)."""
    cv2.setNumThreads(1)  # threads of its own would be waited for in vain in forked processes
    faces = ("'Liberation Serif'", "'Liberation Sans'", "'Courier Prime','Liberation Mono'", "'Liberation Serif'")
    how = Spoiling(skew=0.8, tint=AGED, noise=4, jpeg=80)
    jobs = []
    rng = np.random.default_rng(11)
    with typesetter() as setter, ProcessPoolExecutor(workers) as pool:
        for style in STYLES:
            for i in range(each):
                rows = make_table(i % 5, rng)
                page = setter.set(table_html(rows, style, faces[i % 4]), 300)
                jobs.append((style, pool.submit(read_page, spoil(page.image, 300, how, seed=i), relations(rows))))
        for kind in KINDS:
            for dpi in (300, 200):
                html, rows = table_page(kind, rng)
                page = setter.set(html, dpi)
                jobs.append((kind, pool.submit(read_page, spoil(page.image, dpi, how, seed=3), relations(rows), dpi)))
        results = [(style, job.result()) for style, job in jobs]
    out = []
    for style in [*STYLES, *KINDS]:
        met, found, true = (sum(r[k] for s, r in results if s == style) for k in range(3))
        out.append((f"tables, {style}: adjacency F1", f"{2 * met / max(1, found + true):.3f}", "", "0.95"))
    return out
