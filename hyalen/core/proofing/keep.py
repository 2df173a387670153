"""Keeps a person's work when a page is read again."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from hyalen.core.model.content import Line, PageContent, Region, Word
from hyalen.core.model.geometry import Box, Matrix, Point
from hyalen.core.model.treatment import Cleaned
from hyalen.core.proofing.edits import AcceptDoubt, SetAlternative, SetRole, apply, with_lines


def moved(box: Box, matrix: Matrix) -> Box:
    """The box around the transformed corners."""
    corners = np.array([[x, y, 1.0] for x, y in box.polygon()]) @ matrix.T
    xs, ys = corners[:, 0] / corners[:, 2], corners[:, 1] / corners[:, 2]
    return Box(int(xs.min()), int(ys.min()), int(np.ceil(xs.max())), int(np.ceil(ys.max())))


def moved_content(content: PageContent, matrix: Matrix, cleaned: Cleaned) -> PageContent:
    """A reading as it lies on a page that was cleaned anew: every box and outline carried over.

    Parameters
    ----------
    content : PageContent
    matrix : (3, 3) float64
        From the pixels of the page that was read to those of the page as it is now.
    cleaned : Cleaned
        The page as it is now.
    """

    def points(places: Iterable[Point]) -> tuple[Point, ...]:
        found = np.array([[x, y, 1.0] for x, y in places]) @ matrix.T
        return tuple(Point(float(x / w), float(y / w)) for x, y, w in found)

    def line(each: Line) -> Line:
        words = tuple(w.model_copy(update={"box": moved(w.box, matrix)}) for w in each.words)
        box = moved(each.box, matrix)
        height = each.height * box.height / max(1, each.box.height)
        return each.model_copy(update={"words": words, "box": box, "baseline": points(each.baseline), "height": height})

    def region(each: Region) -> Region:
        table = each.table
        if table is not None:
            cells = tuple(
                c.model_copy(update={"box": moved(c.box, matrix), "lines": tuple(line(n) for n in c.lines)})
                for c in table.cells
            )
            table = table.model_copy(update={"cells": cells})
        lines = tuple(line(n) for n in each.lines)
        return each.model_copy(update={"outline": points(each.outline), "lines": lines, "table": table})

    return content.model_copy(
        update={
            "width": cleaned.width,
            "height": cleaned.height,
            "dpi": cleaned.dpi,
            "regions": tuple(region(r) for r in content.regions),
            "artifacts": tuple(region(r) for r in content.artifacts),
        }
    )


def hand_made(content: PageContent) -> int:
    """How many words and regions bear a person's decision."""
    return sum(w.settled for w in content.words) + sum(r.drawn for r in content.everything)


def carry_over(old: PageContent, new: PageContent, matrix: Matrix) -> PageContent:
    """The new reading with the words, roles and descriptions a person settled on the old one.

    A settled word replaces the new word that lies on the same ink; a role or
    description goes to the new region that covers most of the old one.

    Parameters
    ----------
    old, new : PageContent
    matrix : (3, 3) float64
        From the old page's pixels to the new one's.
    """
    settled = [(w, moved(w.box, matrix)) for w in old.words if w.settled]

    def settle(word: Word) -> Word:
        for theirs, box in settled:
            if box.covers(word.box, 0.6) and word.box.covers(box, 0.6):
                return word.model_copy(
                    update={"text": theirs.text, "state": theirs.state, "confidence": theirs.confidence}
                )
        return word

    def settle_all(region: Region) -> Region:
        lines = [line.model_copy(update={"words": tuple(settle(w) for w in line.words)}) for line in region.all_lines]
        return with_lines(region, lines)

    if settled:
        new = new.model_copy(
            update={
                "regions": tuple(settle_all(r) for r in new.regions),
                "artifacts": tuple(settle_all(r) for r in new.artifacts),
            }
        )
    for region in (r for r in old.everything if r.drawn):
        box = moved(region.box, matrix)
        match = max(new.everything, key=lambda r: r.box.overlap(box), default=None)
        if match is None or not match.box.covers(box, 0.6) or match.kind is not region.kind:
            continue
        if region.alternative_text:
            new = apply(new, SetAlternative(region_id=match.id, text=region.alternative_text))
        new = apply(new, SetRole(region_id=match.id, role=region.role))
    for key in old.accepted:
        if key.startswith("clean:"):
            new = apply(new, AcceptDoubt(key=key))
    return new
