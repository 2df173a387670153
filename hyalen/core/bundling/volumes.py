"""A large bundle in volumes, each with at most so many pages or bytes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from hyalen.core.bundling.plan import Sheet, SheetKind


class Volume(NamedTuple):
    """Its sheets, from the first up to before the end."""

    first: int
    end: int


class TooSmall(ValueError):
    """Not even the index and a page fit into a volume."""


def volumes(
    sheets: Sequence[Sheet],
    sizes: Sequence[int] = (),
    most_pages: int = 0,
    most_bytes: int = 0,
    index_pages: int = 0,
    index_bytes: int = 0,
    right_hand: bool = False,
) -> list[Volume]:
    """Where volumes begin and end: between documents, and within one only where it alone is too large.

    Parameters
    ----------
    sizes : sequence of int
        Bytes of each sheet.
    most_pages, most_bytes : int
        Of a volume with its index; 0 for any number.

    Raises
    ------
    TooSmall
    """
    pages = (most_pages or len(sheets) + index_pages) - index_pages
    room = (most_bytes - index_bytes) if most_bytes else 0
    step = 2 if right_hand else 1  # sheets of paper have two sides
    if pages < step or (most_bytes and room <= 0):
        raise TooSmall("A volume has no room for a page behind the index; allow it more.")
    found: list[Volume] = []
    first = 0
    while first < len(sheets):
        end, weight = first, 0
        while end < len(sheets) and end - first < pages:
            weight += sizes[end] if most_bytes else 0
            if most_bytes and weight > room:
                break
            end += 1
        if end == first:
            raise TooSmall(f"Page {sheets[first].label} alone is larger than a volume may be; allow it more.")
        cut = end if end == len(sheets) else _between(sheets, first, end, step)
        found.append(Volume(first, _without_blank(sheets, first, cut)))
        first = cut
    return found or [Volume(0, 0)]


def _between(sheets: Sequence[Sheet], first: int, end: int, step: int) -> int:
    """The last place up to the end at which a document begins; the end itself where there is none."""
    for cut in range(end, first, -1):
        if sheets[cut].kind is not SheetKind.BLANK and sheets[cut].entry != sheets[cut - 1].entry:
            return cut
        if sheets[cut - 1].kind is SheetKind.BLANK:
            return cut
    return max(first + 1, end - (end - first) % step)


def _without_blank(sheets: Sequence[Sheet], first: int, end: int) -> int:
    return end - 1 if end - first > 1 and sheets[end - 1].kind is SheetKind.BLANK else end
