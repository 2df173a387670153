"""Heading levels that agree over a whole document."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from hyalen.core.model.content import Role
from hyalen.core.structure.landmarks import Landmark

STEP = 1.17  # between the sizes of two levels
LEAST_ALIKE = 2  # headings of one look, from which it tells a level of its own
_NUMBER = re.compile(r"^(?:§\s*)?(\d{1,3}(?:\.\d{1,3})*)\.?(?=\s)")
_WORDS = {
    0: re.compile(r"^(part|teil|partie|parte|deel|часть|μέρος)\s+([ivxlc]+|\d+|one|two|three|first|second)\b", re.IGNORECASE),
    1: re.compile(r"^(chapter|kapitel|chapitre|cap[ií]tulo|hoofdstuk|глава|κεφάλαιο)\s+([ivxlc]+|\d+)\b", re.IGNORECASE),
}  # fmt: skip


class Level(NamedTuple):
    """What a heading is in its document, and why where more than its size tells."""

    role: Role
    reason: str = ""


def numbering(text: str) -> int | None:
    """How deep a heading's number is: 0 for a part, 1 for a chapter or "3", 2 for "3.1"; None without one."""
    told = _NUMBER.match(text)
    if told:
        return told[1].count(".") + 1
    return next((depth for depth, words in _WORDS.items() if words.match(text)), None)


def levels(headings: Sequence[Landmark], entries: Sequence[int | None] = ()) -> list[Level]:
    """A level for each of a document's headings; none is skipped.

    One size is one level, the largest the first. Within a size, what is numbered deeper, stands deeper in the contents
    or is not in capitals is deeper. What a page by itself took for its first level may be the document's second.
    Headings whose role was set by hand stay; the others never go more than one level deeper than the heading before
    (ISO 14289-1, 7.4.2).

    Parameters
    ----------
    headings : sequence of Landmark
    entries : sequence of int or None
        For each, how deep its entry stands in the contents, from 0.
    """
    sizes = _size_classes(headings)
    told = list(entries) or [None] * len(headings)
    numbers = [numbering(h.text) for h in headings]
    _agree(sizes, numbers, headings)
    orders = _orders(sizes, told, numbers, headings)
    ranks = {key: i for i, key in enumerate(sorted({k for k in zip(sizes, orders, strict=True) if k[0] >= 0}), 1)}
    found, before = [], 0
    for heading, size, order, number, entry in zip(headings, sizes, orders, numbers, told, strict=True):
        level, reason = heading.role.heading_level or 1, ""
        if not heading.drawn:
            level = min(ranks.get((size, order), level), before + 1, 6)
            if entry is not None:
                reason = "named in the contents"
            elif number is not None:
                reason = "numbered"
        found.append(Level(Role(f"heading_{level}"), reason))
        before = level
    return found


def looks(headings: Sequence[Landmark]) -> list[str]:
    """What each heading has in common with those set alike: its size, how deep it is numbered, whether in capitals."""
    sizes = _size_classes([h.model_copy(update={"drawn": False}) for h in headings])
    return [
        f"{size}:{numbering(h.text)}:{'capitals' if _is_capital(h.text) else ''}"
        for h, size in zip(headings, sizes, strict=True)
    ]


def _size_classes(headings: Sequence[Landmark]) -> list[int]:
    """Which size each has, from 0 for the largest; -1 where it tells none, or a hand has set it."""
    sizes = sorted((h.size for h in headings if h.size and not h.drawn), reverse=True)
    classes: list[list[float]] = []
    for size in sizes:
        if not classes or _middle(classes[-1]) / size > STEP:
            classes.append([])
        classes[-1].append(size)
    centres = np.log([_middle(c) for c in classes])
    return [int(np.argmin(np.abs(centres - np.log(h.size)))) if h.size and not h.drawn else -1 for h in headings]


def _agree(sizes: list[int], numbers: Sequence[int | None], headings: Sequence[Landmark]) -> None:
    """What is numbered equally deep is set equally large: worn type measures a little more or less."""
    by_depth: dict[int, list[int]] = defaultdict(list)
    for i, number in enumerate(numbers):
        if number is not None and sizes[i] >= 0:
            by_depth[number].append(i)
    for same in by_depth.values():
        (usual, count), *_ = Counter(sizes[i] for i in same).most_common(1)
        if count * 2 > len(same):
            for i in same:
                sizes[i] = usual


def _orders(
    sizes: Sequence[int], entries: Sequence[int | None], numbers: Sequence[int | None], headings: Sequence[Landmark]
) -> list[int]:
    """Within each size, how deep a heading is."""
    orders = [0] * len(headings)
    for size in set(sizes):
        mine = [i for i, s in enumerate(sizes) if s == size]
        if size >= 0:
            for i, order in zip(mine, _order_within(mine, entries, numbers, headings), strict=True):
                orders[i] = order
    return orders


def _order_within(
    mine: Sequence[int], entries: Sequence[int | None], numbers: Sequence[int | None], headings: Sequence[Landmark]
) -> list[int]:
    listed = {e for i in mine if (e := entries[i]) is not None}
    if len(listed) > 1:
        return [max(listed) if (e := entries[i]) is None else e for i in mine]
    numbered = {n for i in mine if (n := numbers[i]) is not None}
    if len(numbered) > 1:
        return [min(numbered) if (n := numbers[i]) is None else n for i in mine]
    plain = [int(not _is_capital(headings[i].text)) for i in mine]
    if min(plain.count(0), plain.count(1)) >= LEAST_ALIKE:
        return plain
    return [0] * len(mine)


def _is_capital(text: str) -> bool:
    return text.isupper()


def _middle(ordered: Sequence[float]) -> float:
    """The median of sizes that are in order."""
    half = len(ordered) // 2
    return ordered[half] if len(ordered) % 2 else (ordered[half - 1] + ordered[half]) / 2
