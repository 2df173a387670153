"""Heading levels that agree over a whole document."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.model.content import Role
from hyalen.core.structure.landmarks import Landmark

STEP = 1.17  # between the sizes of two levels


def levels(headings: Sequence[Landmark]) -> list[Role]:
    """A role for each of a document's headings: one size is one level, the largest the first, and none is skipped.

    What a page by itself took for its first level may be the document's second. Headings
    whose role was set by hand stay; the others never go more than one level deeper than the
    heading before (ISO 14289-1, 7.4.2).
    """
    sizes = sorted((h.size for h in headings if h.size and not h.drawn), reverse=True)
    classes: list[list[float]] = []
    for size in sizes:
        if not classes or _middle(classes[-1]) / size > STEP:
            classes.append([])
        classes[-1].append(size)
    centres = np.log([_middle(c) for c in classes])
    nearest = {size: int(np.argmin(np.abs(centres - np.log(size)))) + 1 for size in set(sizes)}
    found, before = [], 0
    for heading in headings:
        level = heading.role.heading_level or 1
        if not heading.drawn:
            level = min(nearest.get(heading.size, level), before + 1, 6)
        found.append(Role(f"heading_{level}"))
        before = level
    return found


def _middle(ordered: Sequence[float]) -> float:
    """The median of sizes that are in order."""
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2
