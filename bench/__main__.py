"""Prints the measures as a table, the bare engine beside: `python -m bench [cleaning] [text] [tables] [kinds] [real] [variants] [speed] [hand] [born] [doubts] [clerk] [delivery] [placed] [bundle] [hostile]`."""

from __future__ import annotations

import sys

from bench import born, bundling, cleaning, clerk, delivery, doubts, hand, hostile, kinds, placed, speed, tables, text
from bench.real import run as real
from bench.real import variants
from hyalen.work.workers import default_workers

PARTS = {
    "cleaning": cleaning.run,
    "text": text.run,
    "tables": tables.run,
    "kinds": kinds.run,
    "real": real.run,
    "variants": variants.run,
    "speed": speed.run,
    "hand": hand.run,
    "born": born.run,
    "doubts": doubts.run,
    "clerk": clerk.run,
    "delivery": delivery.run,
    "placed": placed.run,
    "bundle": bundling.run,
    "hostile": hostile.run,
}


def main() -> None:
    chosen = sys.argv[1:] or list(PARTS)
    if not set(chosen) <= set(PARTS):
        sys.exit(__doc__)
    rows = [("measure", "Hyalen", "bare engine", "reach")]
    for part in chosen:
        rows += PARTS[part](default_workers())
    widths = [max(len(row[i]) for row in rows) for i in range(4)]
    for row in rows:
        print("  ".join(cell.ljust(width) for cell, width in zip(row, widths, strict=True)).rstrip())


if __name__ == "__main__":
    main()
