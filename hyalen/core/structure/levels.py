"""Heading levels that agree over a whole document."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.layout.paragraphs import type_size
from hyalen.core.model.content import PageContent, Region, Role

STEP = 1.17


def heading_size(region: Region, dpi: float) -> float:
    """Height of a heading's capitals in points."""
    return float(np.median([type_size(line) for line in region.lines])) * 72 / dpi


def level_headings(pages: Sequence[PageContent]) -> list[PageContent]:
    """Pages in which headings of one size have one level, the largest first.

    What a page by itself took for its first level may be the document's second. Headings
    whose role was set by hand stay.
    """
    sizes = sorted(
        (heading_size(r, p.dpi) for p in pages for r in p.regions if r.role.heading_level and r.lines and not r.drawn),
        reverse=True,
    )
    if not sizes:
        return list(pages)
    classes: list[list[float]] = [[sizes[0]]]
    for size in sizes[1:]:
        if float(np.median(classes[-1])) / size > STEP:
            classes.append([])
        classes[-1].append(size)
    centres = np.array([float(np.median(c)) for c in classes])

    def levelled(region: Region, dpi: float) -> Region:
        if not region.role.heading_level or region.drawn or not region.lines:
            return region
        nearest = int(np.argmin(np.abs(np.log(centres / heading_size(region, dpi)))))
        return region.model_copy(update={"role": Role(f"heading_{min(nearest + 1, 6)}")})

    return [page.model_copy(update={"regions": tuple(levelled(r, page.dpi) for r in page.regions)}) for page in pages]
