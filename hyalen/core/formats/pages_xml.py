"""What formats of pages with coordinates share: the pages one by one, and points and boxes as they write them."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple
from xml.sax.saxutils import quoteattr

from hyalen.core.model.content import Line, PageContent
from hyalen.core.model.geometry import Box, Point
from hyalen.core.structure.labels import page_labels
from hyalen.core.structure.tree import StructureTree

_UNFIT = re.compile(r"[^A-Za-z0-9_.-]")


class NumberedPage(NamedTuple):
    """A page with its number from 1, what it is called, and the language of what has none of its own."""

    number: int
    label: str
    content: PageContent
    language: str

    def name(self, each: str) -> str:
        """An identifier that no other page of the file has (XML 1.0, NCName)."""
        return f"p{self.number}_{_UNFIT.sub('_', each)}"


def numbered_pages(tree: StructureTree) -> Iterator[NumberedPage]:
    labels = page_labels(tree.labels, len(tree.pages))
    for index, label in enumerate(labels):
        yield NumberedPage(index + 1, label, tree.pages[index], tree.language_at(index))


def attributes(**told: object) -> str:
    """Attributes as XML, without those that are None; `_` at a name's end goes, as `__` becomes a colon."""
    return "".join(
        f" {name.rstrip('_').replace('__', ':')}={quoteattr(str(value))}"
        for name, value in told.items()
        if value is not None
    )


def points(outline: Sequence[Point], content: PageContent) -> str:
    """Points as they are written, those off the page on its edge: schemas take no negative places."""
    inside = ((min(max(0, p.x), content.width), min(max(0, p.y), content.height)) for p in outline)
    return " ".join(f"{round(x)},{round(y)}" for x, y in inside)


def box_points(box: Box, content: PageContent) -> str:
    return points([Point(*p) for p in box.polygon()], content)


def baseline(line: Line, content: PageContent) -> str:
    return points(line.baseline_in_box, content)


def is_in(box: Box, content: PageContent) -> Box:
    """The part of a box that lies on the page."""
    return box.intersection(Box(0, 0, content.width, content.height))
