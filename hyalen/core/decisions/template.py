"""One page's parts given to other pages of the same form."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import AssignRole, ContentOperation, Describe, Draw, Thread
from hyalen.core.decisions.replay import perform
from hyalen.core.decisions.requests import EditError
from hyalen.core.decisions.wanted import on_page, words_in
from hyalen.core.layout.grids import grid_of
from hyalen.core.model.content import PageContent, Region, RegionKind, Role
from hyalen.core.model.geometry import Point
from hyalen.core.model.grid import Grid

LEAST_MATCHES = 5  # printed words that both pages have once, for their places to be laid on each other
LEAST_LETTERS = 3  # of such a word
WITHIN = 0.1  # inches that a word may lie off where the others say it lies

Place = Callable[[Sequence[tuple[float, float]]], list[Point]]


def like(model: PageContent, page: PageContent, lay: Lay) -> list[ContentOperation]:
    """What gives a page the parts, roles, tables and order of another of the same form; none where nothing fits.

    The forms are laid on each other by the words that are printed on both. What was read on the page
    stays; words outside all parts stay where they were, and a part without any is left out.
    """
    place = _laid(model, page)
    content, operations, drawn = page, list[ContentOperation](), list[str]()

    def do(operation: ContentOperation) -> None:
        nonlocal content
        content = perform(content, operation, lay)
        operations.append(operation)

    for region in model.everything:
        before = {r.id for r in content.everything}
        try:
            operation = _drawn(region, content, place, lay)
            if operation is None:
                continue
            do(operation)
        except EditError:
            continue
        made = next(r for r in content.everything if r.id not in before)
        drawn.append(made.id)
        if region.kind.is_picture and (region.alternative_text or region.role is Role.ARTIFACT):
            decorative = region.role is Role.ARTIFACT
            do(Describe(region=lay.region(made), text=region.alternative_text or "", decorative=decorative))
        elif region.role.is_artifact and not made.role.is_artifact:
            do(AssignRole(region=lay.region(made), role=region.role))
    read = [content.region(i) for i in drawn if not content.region(i).role.is_artifact]
    if len(read) > 1:
        do(Thread(regions=tuple(lay.region(r) for r in read)))
    return operations


def _drawn(region: Region, content: PageContent, place: Place, lay: Lay) -> Draw | None:
    outline = on_page(content, place(region.outline))
    if region.kind is not RegionKind.FIGURE and not words_in(content, outline):
        return None
    grid = _grid(grid_of(region.table), place) if region.table else None
    if grid is not None:
        outline = grid.box.polygon()
    role = Role.FIGURE if region.kind is RegionKind.FIGURE else region.role
    return Draw(
        outline=lay.places(outline),
        kind=region.kind,
        role=role,
        language=region.language,
        grid=lay.ink_grid(grid) if grid else None,
    )


def _grid(grid: Grid, place: Place) -> Grid:
    left, top, right, bottom = grid.box
    rows = [round(np.mean([p.y for p in place([(left, y), (right, y)])])) for y in grid.rows]
    columns = [round(np.mean([p.x for p in place([(x, top), (x, bottom)])])) for x in grid.columns]
    return grid.model_copy(update={"rows": tuple(rows), "columns": tuple(columns)})


def _laid(model: PageContent, page: PageContent) -> Place:
    """From places on the model to places on the page: by their common words, else by the pages' sizes."""
    theirs, ours = _landmarks(model), _landmarks(page)
    common = sorted(set(theirs) & set(ours))
    matrix: NDArray[np.float64] | None = None
    if len(common) >= LEAST_MATCHES:
        source, target = (np.array([places[w] for w in common], dtype=np.float64) for places in (theirs, ours))
        found, kept = cv2.estimateAffinePartial2D(source, target, ransacReprojThreshold=WITHIN * page.dpi)
        if found is not None and int(np.sum(kept)) >= LEAST_MATCHES:
            matrix = np.asarray(found, dtype=np.float64)
    if matrix is None:
        matrix = np.array([[page.width / model.width, 0, 0], [0, page.height / model.height, 0]])

    def place(points: Sequence[tuple[float, float]]) -> list[Point]:
        return [Point(*(matrix @ (x, y, 1.0)).tolist()) for x, y in points]

    return place


def _landmarks(content: PageContent) -> dict[str, tuple[float, float]]:
    """The middles of words that stand on the page once."""
    words = [w for w in content.words if sum(c.isalpha() for c in w.text) >= LEAST_LETTERS]
    count = Counter(w.text for w in words)
    return {w.text: w.box.centre for w in words if count[w.text] == 1}
