"""Which pages of a file are meant: "1-3, 7, 10-"."""

from __future__ import annotations

import re

from hyalen.core.formats.source import SourceError

_PART = re.compile(r"^(\d{1,6})?\s*([-–—])?\s*(\d{1,6})?$")


def page_range(text: str, count: int) -> tuple[int, ...]:
    """The pages of a file of `count` pages that a text names, from 0, each once and in the file's order.

    Raises
    ------
    SourceError
        If it names none, or is no range.
    """
    if not text.strip():
        return tuple(range(count))
    wanted: set[int] = set()
    for part in text.split(","):
        found = _PART.match(part.strip())
        if found is None or not (found[1] or found[3]) or (found[1] and found[3] and not found[2]):
            raise SourceError(f"“{part.strip()}” is no range of pages; say for example 1-3, 7, 10-")
        first = int(found[1] or 1)
        last = int(found[3] or (count if found[2] else first))
        if first < 1 or last < first:
            raise SourceError(f"“{part.strip()}” is no range of pages; say for example 1-3, 7, 10-")
        wanted |= set(range(first - 1, min(last, count)))
    if not wanted:
        raise SourceError(f"it has {count} {'page' if count == 1 else 'pages'}, and none of those that were asked for")
    return tuple(sorted(wanted))
