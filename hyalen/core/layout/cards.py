"""Puts together what was read on each of the cards that were laid on the glass together."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.content import Cell, Line, PageContent, Region, Role
from hyalen.core.model.geometry import Box, Point


def together(page: Image, cards: Sequence[Box], contents: Sequence[PageContent]) -> PageContent:
    """What was read on each card of a page, one after the other, where it stands on the page.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    cards : sequence of Box
        As found by `find_cards`.
    contents : sequence of PageContent
        What was read on each, in its own pixels.
    """
    placed = [_Placed(number, card) for number, card in enumerate(cards, 1)]
    each = list(zip(placed, contents, strict=True))
    return contents[0].model_copy(
        update={
            "width": page.shape[1],
            "height": page.shape[0],
            "regions": tuple(card.region(region) for card, content in each for region in _all_told(content)),
            "artifacts": (),
            "unread": tuple(card.box(box) for card, content in each for box in content.unread),
            "near_ties": tuple(card.name(region) for card, content in each for region in content.near_ties),
        }
    )


def _all_told(content: PageContent) -> list[Region]:
    """All that stands on a card: a number or a name at its head is what it says, and no running head of a book's page."""
    first = min((r.box.top for r in content.regions), default=0)
    texts = [r.model_copy(update={"role": Role.PARAGRAPH, "reason": ""}) for r in content.artifacts if r.lines]
    above = [r for r in texts if r.box.top < first]
    return [*above, *content.regions, *(r for r in texts if r not in above)]


class _Placed(NamedTuple):
    """Puts what was read on a card where that lies; its ids bear the card's number."""

    number: int
    card: Box

    def name(self, own: str) -> str:
        return f"{own}_{self.number}"

    def box(self, box: Box) -> Box:
        x, y = self.card.left, self.card.top
        return Box(box.left + x, box.top + y, box.right + x, box.bottom + y)

    def point(self, point: Point) -> Point:
        return Point(point.x + self.card.left, point.y + self.card.top)

    def line(self, line: Line) -> Line:
        words = (w.model_copy(update={"id": self.name(w.id), "box": self.box(w.box)}) for w in line.words)
        start, end = map(self.point, line.baseline)
        return line.model_copy(update={"words": tuple(words), "box": self.box(line.box), "baseline": (start, end)})

    def cell(self, cell: Cell) -> Cell:
        return cell.model_copy(update={"box": self.box(cell.box), "lines": tuple(map(self.line, cell.lines))})

    def region(self, region: Region) -> Region:
        table = region.table
        if table is not None:
            table = table.model_copy(update={"cells": tuple(map(self.cell, table.cells))})
        return region.model_copy(
            update={
                "id": self.name(region.id),
                "outline": tuple(map(self.point, region.outline)),
                "lines": tuple(map(self.line, region.lines)),
                "table": table,
            }
        )
