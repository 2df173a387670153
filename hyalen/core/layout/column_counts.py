"""In how many columns a page's text is set, and what lies across them."""

from __future__ import annotations

from collections import Counter
from statistics import median

from hyalen.core.layout.bands import bands
from hyalen.core.model.content import PageContent

SLACK = 0.05  # inches by which blocks may overlap
LINES = 8  # of each column, for a text to be set in several
EVEN = 0.7  # of the widest column's width, that the others have
MOSTLY = 0.6  # of a page's lines, that are set in as many columns
WIDER = 1.15  # than a column: what lies across several


def column_counts(page: PageContent) -> dict[str, int]:
    """The number of the page's columns for each region, by its id; 1 for what lies across them."""
    lines = [[line.box for line in r.lines] or [r.box] for r in page.regions if r.all_lines]
    held: Counter[int] = Counter()  # lines set in so many columns
    widths: dict[int, list[float]] = {}
    for band in bands(lines, SLACK * page.dpi):
        wide = [median(box.width for p in column for box in lines[p.block]) for column in band.columns]
        count = [sum(p.end - p.start for p in column) for column in band.columns]
        even = min(count) >= LINES and min(wide) >= EVEN * max(wide)
        number = len(band.columns) if even else 1
        held[number] += sum(count)
        widths.setdefault(number, []).append(max(wide))
    number = max(held, key=lambda n: held[n], default=1)
    if number == 1 or held[number] < MOSTLY * held.total():
        return {region.id: 1 for region in page.regions}
    most = WIDER * median(widths[number])
    return {region.id: number if region.box.width <= most else 1 for region in page.regions}
