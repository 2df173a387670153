"""Running heads and feet: lines that come back page after page."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from typing import NamedTuple

from rapidfuzz import fuzz

from hyalen.core.structure.landmarks import Landmark
from hyalen.core.structure.margins import PAGE_NUMBER

ALIKE = 82.0  # of 100: how like two running heads' texts are, their numbers aside
SAME_HEIGHT = 0.04  # of the page's height
KEPT = 8192  # comparisons: those of a document are made again whenever one of its edges or headings changes


@lru_cache(maxsize=KEPT)
def comparable(text: str) -> str:
    """The text with its numbers made alike."""
    return re.sub(r"\d+", "#", " ".join(text.split()).casefold())


class _Edge(NamedTuple):
    """What is compared of a line at a page's edge."""

    region_id: str
    edge: str
    centre: float
    text: str


def recurring(pages: Sequence[Sequence[Landmark]]) -> list[set[str]]:
    """For each page, the ids of the regions that recur at the same edge of another page.

    Neighbouring pages and pages two apart (left and right heads differ) are compared.
    """
    edges = [tuple(_Edge(m.region_id, m.edge, m.centre, m.text) for m in page if m.edge) for page in pages]
    found: list[set[str]] = [set() for _ in pages]
    for i, mine in enumerate(edges):
        for j in (i - 2, i - 1, i + 1, i + 2):
            if mine and 0 <= j < len(pages):
                found[i] |= _shared(mine, edges[j])
    return found


@lru_cache(maxsize=KEPT)
def _shared(mine: tuple[_Edge, ...], others: tuple[_Edge, ...]) -> frozenset[str]:
    return frozenset(a.region_id for a in mine if any(_recurs(a, b) for b in others))


def _recurs(a: _Edge, b: _Edge) -> bool:
    if a.edge != b.edge or abs(a.centre - b.centre) >= SAME_HEIGHT:
        return False
    if PAGE_NUMBER.match(a.text) and PAGE_NUMBER.match(b.text):
        return True
    return _alike(comparable(a.text), comparable(b.text))


@lru_cache(maxsize=KEPT)
def _alike(one: str, other: str) -> bool:
    return bool(fuzz.ratio(one, other) >= ALIKE)
