"""Kinds of tables that archives hold, each set with values of its own: registers, small print, ledgers, remarks."""

from __future__ import annotations

from collections.abc import Callable
from html import escape

import numpy as np

Cell = tuple[str, int, int]  # text, row span, column span
Rows = list[list[Cell]]
Rng = np.random.Generator

PLACES = ["Skarnholm", "Grimhaug", "Torgrunn", "Mewstone", "Long Reef", "Tern Island", "Sandvik", "Outer Bank"]
PEOPLE = ["Anders Holm", "Birte Vang", "Carl Oder", "Dagny Rusk", "Erik Stave", "Frida Lund", "Gunnar Telle", "Hanna Wiik"]  # fmt: skip
SERVICES = ["keeper", "first assistant", "boatman", "carpenter", "cook", "storekeeper", "smith"]
STORES = ["Chimneys", "Wicks", "Oil barrels", "Lamp black", "Rope", "Soft soap", "Brushes", "Cans"]
REMARKS = ["glass cracked", "", "sent back by the second boat because the barrels leaked", "", "to be paid by the harbour office", "",
           "two missing", ""]  # fmt: skip
RIGHT = "td{text-align:right} td:first-child{text-align:left}"
BEFORE = """<p>The stores that were sent out to the stations in the summer are set out below, as the storekeeper entered them
    in his book; what was returned is left out.</p>"""
AFTER = """<p>Each keeper signs for what he takes over. What is broken on the way is entered on the next page, with the name of
    the boat and of her master, so that the office can claim for it.</p>"""


def _row(*texts: str) -> list[Cell]:
    return [(text, 1, 1) for text in texts]


def _numbers(rng: Rng, count: int, least: int, most: int) -> list[str]:
    return [f"{int(n):,}" for n in rng.integers(least, most, count)]


def _one_of(rng: Rng, choices: list[str]) -> str:
    return choices[int(rng.integers(len(choices)))]


def _register(rng: Rng) -> Rows:
    people = [_row(p, _one_of(rng, SERVICES), _one_of(rng, PLACES), f"{rng.integers(1890, 1930)}") for p in PEOPLE]
    return [_row("Name", "Service", "Station", "Since"), *people]


def _months(rng: Rng) -> Rows:
    head = _row("Station", "Jan.", "Feb.", "Mar.", "Apr.", "May", "June", "July", "Aug.")
    return [head, *(_row(p, *_numbers(rng, 8, 10, 999)) for p in PLACES)]


def _stores(rng: Rng) -> Rows:
    head = _row("STATION", "OIL", "WICKS", "GLASS", "COAL")
    return [head, *(_row(p, *_numbers(rng, 4, 1, 900)) for p in PLACES)]


def _two_heads(rng: Rng) -> Rows:
    over: list[Cell] = [("Station", 2, 1), ("Oil burnt", 1, 2), ("Hours of light", 1, 2)]
    return [over, _row("1931", "1932", "1931", "1932"), *(_row(p, *_numbers(rng, 4, 100, 4000)) for p in PLACES)]


def _long_heads(rng: Rng) -> Rows:
    head = _row("Station", "Oil in store at the beginning", "Oil sent out during the year", "Oil in store at the end")
    return [head, *(_row(p, *_numbers(rng, 3, 10, 900)) for p in PLACES)]


def _remarks(rng: Rng) -> Rows:
    lines = zip(STORES, _numbers(rng, len(STORES), 1, 99), REMARKS, strict=True)
    return [_row("No.", "Article", "Number", "Remarks"), *(_row(f"{i}", *line) for i, line in enumerate(lines, 1))]


def _log(rng: Rng) -> Rows:
    def day(n: int) -> list[Cell]:
        wind, sea = _one_of(rng, ["N", "NNE", "SW", "W", "calm"]), _one_of(rng, ["smooth", "rough", "slight"])
        weather, note = (
            _one_of(rng, ["fog", "clear", "rain", "haze"]),
            _one_of(rng, ["signal 4 hours", "", "mail boat"]),
        )
        return _row(f"{n} May", wind, f"{rng.integers(0, 9)}", sea, weather, note)

    return [_row("Date", "Wind", "Force", "Sea", "Weather", "Remarks"), *(day(n) for n in range(1, 16))]


def _ships(rng: Rng) -> Rows:
    years = (_row(f"{1921 + i}", *_numbers(rng, 1, 100, 900), f"{rng.integers(0, 20)}") for i in range(7))
    return [_row("Year", "Ships", "Lost"), *years]


# By name: what makes its cells, how it is set, and what stands before and behind it.
KINDS: dict[str, tuple[Callable[[Rng], Rows], str, str, str]] = {
    "of words": (_register, "", BEFORE, AFTER),
    "typewritten": (_stores, f"body{{font:12pt/1.2 'Courier Prime','Liberation Mono'}} {RIGHT}", BEFORE, AFTER),
    "in small print": (_months, f"body{{font-size:8pt;line-height:1.2}} td{{padding:.4mm 2mm}} {RIGHT}", BEFORE, AFTER),
    "heads over heads": (_two_heads, f"{RIGHT} tr:nth-child(-n+2) td{{text-align:center;border-bottom:.5px solid}}", BEFORE, AFTER),
    "heads of two lines": (_long_heads, f"td{{width:28mm}} td:first-child{{width:40mm}} {RIGHT}", BEFORE, AFTER),
    "with remarks": (_remarks, "td:nth-child(3){text-align:right} td:nth-child(4){width:55mm}", BEFORE, AFTER),
    "small and ruled": (_log, "body{font:9pt/1.25 'Liberation Sans'} td{border:.5px solid;padding:.5mm 2mm}", BEFORE, AFTER),
    "beside text": (_ships, f"body{{columns:2;column-gap:8mm;font-size:10pt}} td{{padding:.5mm 4mm}} {RIGHT}", BEFORE, AFTER * 5),
}  # fmt: skip


def table_page(kind: str, rng: Rng) -> tuple[str, Rows]:
    """A page with a table of a kind, as HTML, and the table's cells."""
    make, style, before, after = KINDS[kind]
    rows = make(rng)
    body = "".join(
        "<tr>" + "".join(f'<td rowspan="{t}" colspan="{w}">{escape(x)}</td>' for x, t, w in row) + "</tr>"
        for row in rows
    )
    return (
        f"""<!doctype html><html lang="en"><style>body{{margin:22mm;font:11pt/1.35 'Liberation Serif'}}
        table{{border-collapse:collapse;margin:6mm 0}} td{{padding:1mm 3mm;vertical-align:top}} {style}</style>
        {before}<table>{body}</table>{after}</html>""",
        rows,
    )
