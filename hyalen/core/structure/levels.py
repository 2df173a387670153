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
        if not classes or float(np.median(classes[-1])) / size > STEP:
            classes.append([])
        classes[-1].append(size)
    centres = np.array([float(np.median(c)) for c in classes])
    found, before = [], 0
    for heading in headings:
        level = heading.role.heading_level or 1
        if not heading.drawn:
            if heading.size:
                level = int(np.argmin(np.abs(np.log(centres / heading.size)))) + 1
            level = min(level, before + 1, 6)
        found.append(Role(f"heading_{level}"))
        before = level
    return found
