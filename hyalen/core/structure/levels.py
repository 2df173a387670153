"""Heading levels that agree over a whole document."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Sequence
from itertools import pairwise
from math import log
from typing import NamedTuple

from rapidfuzz import fuzz

from hyalen.core.model.content import Role
from hyalen.core.structure.landmarks import Landmark
from hyalen.core.structure.running import comparable

STEP = 1.17  # between the sizes of two levels
FINE = 1.01  # sizes closer than this are the same
DEEPEST = 6
SAME_BUT_FOR_NUMBER = 88.0  # of 100
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
    """A level for each of a document's headings; none is skipped (ISO 14289-1, 7.4.2).

    A heading stands within the last one before it that is set larger; of one size, within one that is numbered less
    deep, stands less deep in the contents, or is in capitals where this one is not. What a page by itself took for its
    first level may be the document's second. Headings whose role was set by hand stay.

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
    ranks = {key: i for i, key in enumerate(sorted(set(zip(sizes, orders, strict=True))), 1)}
    found = []
    above: list[tuple[int, int]] = []  # rank and level of the headings that this one stands within
    for heading, size, order, number, entry in zip(headings, sizes, orders, numbers, told, strict=True):
        rank, level, reason = ranks[size, order], heading.role.heading_level or 1, ""
        if heading.stays:
            while above and above[-1][1] >= level:
                above.pop()
        else:
            while above and above[-1][0] >= rank:
                above.pop()
            level = min(above[-1][1] + 1 if above else 1, DEEPEST)
            reason = "named in the contents" if entry is not None else "numbered" if number is not None else ""
        above.append((rank, level))
        found.append(Level(Role(f"heading_{level}"), reason))
    return found


def looks(headings: Sequence[Landmark]) -> list[str]:
    """What each heading has in common with those set alike: its size, how deep it is numbered, whether in capitals."""
    sizes = _size_classes([h.model_copy(update={"drawn": False, "tagged": False}) for h in headings])
    return [
        f"{size}:{numbering(h.text)}:{'capitals' if _is_capital(h.text) else ''}"
        for h, size in zip(headings, sizes, strict=True)
    ]


def _size_classes(headings: Sequence[Landmark]) -> list[int]:
    """Which size each has, from 0 for the largest; those that somebody has set are told by the others."""
    counts = Counter(_step(h.size) for h in headings if h.size and not h.stays)
    groups = [([step], float(step), count) for step, count in sorted(counts.items(), reverse=True)]
    while len(groups) > 1:  # the two that are nearest become one, until all are a level apart
        gaps = [a[1] - b[1] for a, b in pairwise(groups)]
        at = min(range(len(gaps)), key=gaps.__getitem__)
        if gaps[at] > log(STEP) / log(FINE):
            break
        (one, x, m), (other, y, n) = groups[at : at + 2]
        groups[at : at + 2] = [([*one, *other], (x * m + y * n) / (m + n), m + n)]
    classes = {step: i for i, (steps, *_) in enumerate(groups) for step in steps}
    known = list(classes.items())
    return [min(known, key=lambda k: abs(k[0] - _step(h.size)))[1] if h.size and known else 0 for h in headings]


def _step(size: float) -> int:
    """Sizes that differ by less than can be measured are the same."""
    return round(log(size) / log(FINE))


def _agree(sizes: list[int], numbers: Sequence[int | None], headings: Sequence[Landmark]) -> None:
    """What is numbered equally deep, or says the same but for its number, is set equally large.

    Worn type measures a little more or less.
    """
    alike: dict[int | str, list[int]] = defaultdict(list)
    for i, (number, heading) in enumerate(zip(numbers, headings, strict=True)):
        if number is not None and not heading.stays:
            alike[number].append(i)
        elif not heading.stays and any(c.isdigit() for c in heading.text):
            says = comparable(heading.text)
            same = next((k for k in alike if isinstance(k, str) and fuzz.ratio(k, says) >= SAME_BUT_FOR_NUMBER), says)
            alike[same].append(i)
    for same_kind in alike.values():
        (usual, count), *_ = Counter(sizes[i] for i in same_kind).most_common(1)
        if count * 2 >= len(same_kind):
            for i in same_kind:
                sizes[i] = usual


def _orders(
    sizes: Sequence[int], entries: Sequence[int | None], numbers: Sequence[int | None], headings: Sequence[Landmark]
) -> list[int]:
    """Within each size, how deep a heading is."""
    orders = [0] * len(headings)
    for size in set(sizes):
        mine = [i for i, s in enumerate(sizes) if s == size]
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
    ways = [(_is_capital(headings[i].text), headings[i].italic) for i in mine]
    stacked = {
        (a, b)
        for (i, a), (j, b) in pairwise(zip(mine, ways, strict=True))
        if headings[j].follows and j == i + 1 and a != b
    }
    if len(stacked) == 1:  # one look stands right beneath another
        ((_, lower),) = stacked
        return [int(way == lower) for way in ways]
    plain = [int(not _is_capital(headings[i].text)) for i in mine]
    if min(plain.count(0), plain.count(1)) >= LEAST_ALIKE:
        return plain
    return [0] * len(mine)


def _is_capital(text: str) -> bool:
    return text.isupper()
