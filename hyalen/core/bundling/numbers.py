"""The numbers of a bundle's pages, and those of pages that come late: 24a and 24b stand between 24 and 25.

That a late page is numbered by a letter behind the number before it is common practice, no source.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Collection, Iterator, Sequence
from itertools import groupby

from hyalen.core.model.bundle import LateRule, PageNumber

_PART = re.compile(r"\.(\d+)|([a-z])")
Key = tuple[int, tuple[tuple[int, int], ...]]


class NumbersFull(ValueError):
    """No number is left between two others."""


def key(number: PageNumber) -> Key:
    """By which numbers of a series are ordered: 24, 24.1, 24.1a, 24a, 24aa, 24b, 25."""
    parts = ((0, int(m[1])) if m[1] else (1, ord(m[2])) for m in _PART.finditer(number.suffix))
    return number.value, tuple(parts)


def counted(
    series: Sequence[str],
    kept: Sequence[PageNumber | None],
    start: int = 1,
    rule: LateRule = LateRule.LETTERS,
    used: Collection[PageNumber] = (),
) -> list[PageNumber]:
    """The number of each page.

    Pages that have one keep it where it is still in order; where some have been moved, as many as can be. The others are
    late: between two numbers they get letters behind the first, at the end of a series they go on counting.

    Parameters
    ----------
    series : sequence of str
        For each page, what it is counted in; pages of one series follow each other.
    kept : sequence of PageNumber or None
        For each page, the number that it was given.
    used : collection of PageNumber
        Numbers that were given to any page, also to one that is gone: none is given again.

    Raises
    ------
    NumbersFull
        If pages come between two numbers that have no room, such as 24.1 and 24.1 of 24.
    """
    made: list[PageNumber] = []
    at = 0
    for name, group in groupby(series):
        count = len(list(group))
        given = kept[at : at + count] if rule is LateRule.LETTERS else [None] * count
        own = [n if n is not None and n.series == name else None for n in given]
        taken = {n for n in used if n.series == name} | {n for n in own if n} if rule is LateRule.LETTERS else set()
        made += _series(name, _in_order(own), start if not name else 1, taken)
        at += count
    return made


def _series(name: str, kept: list[PageNumber | None], start: int, used: set[PageNumber]) -> Iterator[PageNumber]:
    highest = max((n.value for n in used), default=start - 1)
    before: PageNumber | None = None
    at = 0
    while at < len(kept):
        own = kept[at]
        if own is not None:
            yield own
            before, at = own, at + 1
            continue
        end = next((i for i in range(at, len(kept)) if kept[i] is not None), len(kept))
        if end == len(kept):
            yield from (PageNumber(series=name, value=highest + 1 + i) for i in range(end - at))
        else:
            after = kept[end]
            assert after is not None
            late = between(before or PageNumber(series=name, value=max(0, after.value - 1)), after, end - at, used)
            used.update(late)
            yield from late
            before = late[-1]
        at = end


def between(before: PageNumber, after: PageNumber, count: int, used: Collection[PageNumber] = ()) -> list[PageNumber]:
    """Numbers of late pages behind one and before another, in order.

    Raises
    ------
    NumbersFull
    """
    for ways in (_letters(before.suffix), _letters(f"{before.suffix}`"), _points(before.suffix)):
        found: list[PageNumber] = []
        for suffix in ways:
            number = before.model_copy(update={"suffix": suffix})
            if key(number) >= key(after) or len(suffix) > 40:
                break
            if number not in used:
                found.append(number)
            if len(found) == count:
                return found
    raise NumbersFull(f"No number is left between {before.text} and {after.text}; number the bundle anew.")


def _letters(suffix: str) -> Iterator[str]:
    """What follows: a, b, ... z, za, ... zz, zza; a suffix that ends in "`" has its first letter to come."""
    while True:
        if suffix and "`" <= suffix[-1] < "z":
            suffix = suffix[:-1] + chr(ord(suffix[-1]) + 1)
        else:
            suffix += "a"
        yield suffix


def _points(suffix: str) -> Iterator[str]:
    number = 1
    while True:
        yield f"{suffix}.{number}"
        number += 1


def _in_order(kept: Sequence[PageNumber | None]) -> list[PageNumber | None]:
    """The numbers that can stay: the most that ascend (longest increasing subsequence; Fredman 1975)."""
    tails: list[Key] = []
    ends: list[int] = []
    before: list[int] = [-1] * len(kept)
    for i, number in enumerate(kept):
        if number is None:
            continue
        at = bisect_left(tails, key(number))
        before[i] = ends[at - 1] if at else -1
        tails[at : at + 1] = [key(number)]
        ends[at : at + 1] = [i]
    staying: set[int] = set()
    i = ends[-1] if ends else -1
    while i >= 0:
        staying.add(i)
        i = before[i]
    return [n if i in staying else None for i, n in enumerate(kept)]
