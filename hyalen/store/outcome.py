"""What a change came to."""

from __future__ import annotations

from dataclasses import dataclass


class Stale(Exception):
    """What was to be changed has changed since; the message says what it is now."""


@dataclass(frozen=True)
class Outcome:
    """What a change came to.

    Attributes
    ----------
    label : str
        What it is called; empty where nothing changed.
    pages : frozenset of int
        Pages whose content has changed.
    page_id : int or None
        The page to look at.
    words : int
        How many words were corrected.
    arranged : bool
        Whether more than contents changed: which pages there are, or what is to be done with them.
    """

    label: str
    pages: frozenset[int]
    page_id: int | None = None
    words: int = 0
    arranged: bool = False
