"""Lists: the labels that are printed, how they count, and how deep an item stands."""

from __future__ import annotations

import re
from collections.abc import Sequence
from enum import StrEnum
from typing import NamedTuple

from hyalen.core.layout.numerals import ROMAN, roman_value
from hyalen.core.layout.paragraphs import LIST_MARKER
from hyalen.core.layout.sizes import CAPITALS, type_size
from hyalen.core.model.content import PageContent, Region, Role

LEAST_STEP = 0.9  # of the type's size, by which a deeper item stands farther in
DEEPEST = 5
_CIRCLES, _SQUARES = "◦○", "▪■□"


class Numbering(StrEnum):
    """How a list's items are labelled (ISO 32000-1, table 347, ListNumbering)."""

    DECIMAL = "Decimal"
    LOWER_LETTERS = "LowerAlpha"
    UPPER_LETTERS = "UpperAlpha"
    LOWER_ROMAN = "LowerRoman"
    UPPER_ROMAN = "UpperRoman"
    DISC = "Disc"
    CIRCLE = "Circle"
    SQUARE = "Square"
    NONE = "None"

    @property
    def counts(self) -> bool:
        return self not in (Numbering.DISC, Numbering.CIRCLE, Numbering.SQUARE, Numbering.NONE)


class ListItem(NamedTuple):
    """A label, the text after it, and what the label counts as: the likeliest way first.

    `counts` is empty for a bulleted item.
    """

    label: str
    body: str
    counts: tuple[tuple[Numbering, int], ...] = ()

    @property
    def number(self) -> int | None:
        return self.counts[0][1] if self.counts else None

    @property
    def bullet(self) -> Numbering:
        """Of an item that does not count."""
        if not self.label:
            return Numbering.NONE
        return (
            Numbering.CIRCLE
            if self.label in _CIRCLES
            else Numbering.SQUARE
            if self.label in _SQUARES
            else Numbering.DISC
        )

    @property
    def around(self) -> tuple[str, str]:
        """What stands before and after the number or letter."""
        counted = re.search(r"\w+", self.label)
        return (self.label[: counted.start()], self.label[counted.end() :]) if counted else ("", "")


def parse_item(text: str) -> ListItem:
    """Part a list item's text into label and body (ISO 32000-1, 14.8.4.3.3: Lbl and LBody)."""
    match = LIST_MARKER.match(text)
    if not match:
        return ListItem("", text)
    label = match.group()
    return ListItem(label, text[match.end() :].lstrip(), _counts(label.strip("()[]. ")))


def _counts(told: str) -> tuple[tuple[Numbering, int], ...]:
    if told.isdecimal():
        return ((Numbering.DECIMAL, int(told)),)
    if not told.isalpha() or not told.isascii():
        return ()
    lower = told.islower()
    found = []
    if ROMAN.fullmatch(told) and (value := roman_value(told)):
        found.append((Numbering.LOWER_ROMAN if lower else Numbering.UPPER_ROMAN, value))
    if len(told) == 1:
        letter = Numbering.LOWER_LETTERS if lower else Numbering.UPPER_LETTERS, ord(told.lower()) - ord("a") + 1
        # A first or lone "i" is a number, other letters are letters, until a neighbour tells otherwise.
        found.insert(len(found) if told.lower() == "i" else 0, letter)
    return tuple(found)


class Counted(NamedTuple):
    """How an item is labelled in its list; `number` is None for a bullet."""

    numbering: Numbering
    number: int | None


def counted(item: ListItem, before: Counted | None, after: ListItem | None = None) -> Counted:
    """How a label counts beside the item before it in its list, or, of a first one, the item after it."""
    if not item.counts:
        return Counted(item.bullet, None)
    if before is not None and before.number is not None:
        for way, value in item.counts:
            if way is before.numbering and value == before.number + 1:
                return Counted(way, value)
    elif after is not None:
        for way, value in item.counts:
            if (way, value + 1) in after.counts:
                return Counted(way, value)
    return Counted(*item.counts[0])


def continues(before: Counted, item: Counted) -> bool:
    """Whether an item belongs to the list of the one before it."""
    if item.numbering is not before.numbering:
        return False
    return item.number is None or before.number is None or item.number == before.number + 1


def with_depths(content: PageContent) -> PageContent:
    """The content with the depth of each list item or entry of contents by where it begins, 0 for the outermost.

    Only items of one column that follow each other are compared: one that counts on from an earlier one is as deep as
    that; else one that stands farther in than the item before it is deeper.
    """
    depths: dict[str, int] = {}
    open_at: list[_Open] = []
    before: Region | None = None
    for region in content.regions:
        if region.role not in (Role.LIST_ITEM, Role.CONTENTS_ENTRY) or not region.lines:
            before = None
            continue
        if before is not None and before.role is not region.role:
            before = None
        left, step = float(region.lines[0].box.left), LEAST_STEP * type_size(region.lines[0]) / CAPITALS
        counts = _ways(region.text)
        if before is None or region.box.top < before.box.top or left > before.box.right:
            open_at = []
        goes_on = next((i for i in reversed(range(len(open_at))) if open_at[i].comes_before(counts)), None)
        if goes_on is not None:
            del open_at[goes_on + 1 :]
        elif open_at and left > open_at[-1].left + step and len(open_at) <= DEEPEST:
            open_at.append(_Open(left, counts))
        else:
            while len(open_at) > 1 and left < open_at[-1].left - step:
                open_at.pop()
        open_at[-1:] = [_Open(left, counts)]
        depths[region.id] = len(open_at) - 1
        before = region
    if not any(depths.values()):
        return content
    regions = (r.model_copy(update={"depth": depths[r.id]}) if depths.get(r.id) else r for r in content.regions)
    return content.model_copy(update={"regions": tuple(regions)})


class _Open(NamedTuple):
    """A level that is open: where its last item begins, and what that may count as."""

    left: float
    counts: frozenset[tuple[str, int]]

    def comes_before(self, counts: frozenset[tuple[str, int]]) -> bool:
        return any((way, value - 1) in self.counts for way, value in counts)


def _ways(text: str) -> frozenset[tuple[str, int]]:
    """What an item may count as, with a bare number too."""
    item = parse_item(text)
    if item.counts:
        return frozenset((way.value + "".join(item.around), value) for way, value in item.counts)
    bare = re.match(r"\d{1,4}(?=\s)", text)
    return frozenset({("", int(bare.group()))} if bare else ())


class Entry(NamedTuple):
    """An item of a list that is being put together: its place in the sequence, and what stands within it."""

    at: int
    counted: Counted
    lists: tuple[tuple[Entry, ...], ...]


def nested(items: Sequence[ListItem], depths: Sequence[int]) -> list[tuple[Entry, ...]]:
    """Items that follow each other as lists within lists; a list ends where its labels do not go on."""
    return _level(items, depths, 0, len(items))


def _level(items: Sequence[ListItem], depths: Sequence[int], first: int, end: int) -> list[tuple[Entry, ...]]:
    lists: list[list[Entry]] = []
    depth = min(depths[first:end], default=0)
    at = first
    if first < end and depths[first] > depth:  # deeper ones without an item above them stand by themselves
        depth = depths[first]
    while at < end:
        until = at + 1
        while until < end and depths[until] > depth:
            until += 1
        before = lists[-1][-1].counted if lists else None
        after = items[until] if until < end else None
        own = counted(items[at], before, after)
        if before is None or not continues(before, own):
            if before is not None:  # the first of another list is told by what follows it
                own = counted(items[at], None, after)
            lists.append([])
        lists[-1].append(Entry(at, own, tuple(_level(items, depths, at + 1, until))))
        at = until
        if at < end and depths[at] < depth:
            depth = depths[at]
    return [tuple(each) for each in lists]
