"""Bookmarks (PDF: outline items): a document's headings, and what a person has made of them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from rapidfuzz import fuzz

from hyalen.core.model.document import BookmarkEntry, Part

SAME = 85.0  # of 100: a heading's text after a correction, and before


class HeadingPlace(NamedTuple):
    """A heading: its page from 0, its level, its text and its region."""

    page: int
    level: int
    text: str
    region_id: str


class Bookmark(NamedTuple):
    """A bookmark where it stands in the outline; `region_id` is of the heading that it follows, else ""."""

    entry: BookmarkEntry
    region_id: str = ""


def bookmarks(headings: Sequence[HeadingPlace], entries: Sequence[BookmarkEntry] | None = None) -> list[Bookmark]:
    """A document's bookmarks in order, each with its depth.

    Without entries they are the headings, a skipped level beneath the nearest higher one. With entries these come as
    they were left: one that follows a heading has its text, unless it was renamed, and goes with it; a heading that no
    entry follows, and that was there neither when they were made, comes after the last one before it in the document.

    Parameters
    ----------
    headings : sequence of HeadingPlace
        In reading order.
    entries : sequence of BookmarkEntry or None
        Their pages by their number, from 0.
    """
    own = _from_headings(headings)
    if entries is None:
        return own
    free = dict(enumerate(own))
    found: list[Bookmark] = []
    last: dict[int, int] = {}  # by place among the bookmarks, that of its heading among the headings
    for entry in entries:
        if not entry.follows:
            found.append(Bookmark(entry))
            continue
        at = _followed(entry, free)
        if at is None:
            if entry.renamed:  # its heading is gone, the clerk's words are not
                found.append(Bookmark(entry.model_copy(update={"follows": "", "renamed": False})))
            continue
        heading = free.pop(at)
        title = entry.title if entry.renamed else heading.entry.title
        last[len(found)] = at
        found.append(
            Bookmark(entry.model_copy(update={"title": title, "follows": heading.entry.follows}), heading.region_id)
        )
    for at, heading in free.items():
        place = max((i + 1 for i, known in last.items() if known < at), default=0)
        beside = found[place - 1].entry.depth if place else 0
        level = headings[at].level - (headings[last[place - 1]].level if place - 1 in last else 1)
        depth = max(0, beside + level)
        found.insert(place, Bookmark(heading.entry.model_copy(update={"depth": depth}), heading.region_id))
        last = {(i + 1 if i >= place else i): known for i, known in last.items()} | {place: at}
    return _without_gaps(found)


def bookmarks_of(documents: Sequence[Part], headings: Sequence[HeadingPlace]) -> list[Bookmark]:
    """The bookmarks of a document; of several that are joined, each has one of its own above them."""
    found: list[Bookmark] = []
    for part in documents:
        own = bookmarks([h for h in headings if part.first <= h.page < part.end], part.bookmarks)
        if len(documents) > 1 and part.first < part.end:
            found.append(Bookmark(BookmarkEntry(title=part.title or "Untitled", page=part.first)))
            own = [m._replace(entry=m.entry.model_copy(update={"depth": m.entry.depth + 1})) for m in own]
        found += own
    return found


def numbered(entries: Sequence[BookmarkEntry] | None, page_ids: Sequence[int]) -> list[BookmarkEntry] | None:
    """Entries with their pages' numbers, from 0, for their ids; those of other pages are left out."""
    if entries is None:
        return None
    places = {page_id: at for at, page_id in enumerate(page_ids)}
    return [e.model_copy(update={"page": places[e.page]}) for e in entries if e.page in places]


def _from_headings(headings: Sequence[HeadingPlace]) -> list[Bookmark]:
    found = []
    levels: list[int] = []
    for heading in headings:
        text = " ".join(heading.text.split())[:500]
        if not text:
            continue
        while levels and levels[-1] >= heading.level:
            levels.pop()
        entry = BookmarkEntry(title=text, page=heading.page, depth=len(levels), follows=text)
        found.append(Bookmark(entry, heading.region_id))
        levels.append(heading.level)
    return found


def _followed(entry: BookmarkEntry, free: dict[int, Bookmark]) -> int | None:
    """The heading of its page that an entry follows: of its text, or of one that is nearly so."""
    scored = [
        (fuzz.ratio(entry.follows, heading.entry.title), -at)
        for at, heading in free.items()
        if heading.entry.page == entry.page
    ]
    score, at = max(scored, default=(0.0, 0))
    return -at if score >= SAME else None


def _without_gaps(found: list[Bookmark]) -> list[Bookmark]:
    """None stands more than one deeper than the one before it."""
    before, told = -1, []
    for mark in found:
        depth = min(mark.entry.depth, before + 1)
        told.append(mark._replace(entry=mark.entry.model_copy(update={"depth": depth})))
        before = depth
    return told
