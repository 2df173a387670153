"""Entries of a table of contents: titles that lead to page numbers, which rise."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from hyalen.core.layout.leaders import LEADER
from hyalen.core.layout.numerals import page_number
from hyalen.core.layout.paragraphs import leads_to_number
from hyalen.core.model.content import Line, Region

LEAST_ENTRIES = 3
LEAST_RISING = 0.85  # of the steps from entry to entry: some numbers are misread
MOST_BETWEEN = 1  # regions in a run that lead to no number, as the headings of its parts


def contents_entries(texts: Sequence[Region]) -> set[str]:
    """Ids of the regions that are entries.

    Parameters
    ----------
    texts : sequence of Region
        A page's text in reading order.
    """
    found: set[str] = set()
    run: list[Region] = []
    passed = 0
    for region in (*texts, None):
        if region is not None and region.lines and leads_to_number(region.lines[-1]):
            run.append(region)
            passed = 0
            continue
        passed += 1
        if region is None or passed > MOST_BETWEEN:
            if _rises(run):
                found |= {each.id for each in run}
            run = []
    return found


def _rises(run: Sequence[Region]) -> bool:
    numbers = [page_number(region.lines[-1].words[-1].text) or 0 for region in run]
    steps = sum(b >= a for a, b in pairwise(numbers))
    return len(run) >= LEAST_ENTRIES and steps >= LEAST_RISING * (len(run) - 1)


def without_leader(lines: Sequence[Line]) -> tuple[Line, ...]:
    """The lines without the dots that lead to the page number."""
    kept = (line.model_copy(update={"words": tuple(w for w in line.words if w.text != LEADER)}) for line in lines)
    return tuple(line for line in kept if line.words)
