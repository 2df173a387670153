"""Tagging a whole document: its headings, bookmarks, and pictures that come back."""

from __future__ import annotations

from fastapi import APIRouter

from hyalen.core.decisions.requests import Request, SetAlternative, SetRoles
from hyalen.core.decisions.targets import region_of
from hyalen.core.model.document import BookmarkEntry
from hyalen.core.model.geometry import Box
from hyalen.core.structure.bookmarks import Bookmark, HeadingPlace, bookmarks, numbered
from hyalen.core.structure.levels import looks
from hyalen.store.records import NotFound
from hyalen.web.answers import changed_of
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import (
    Bookmarked,
    BookmarkPlace,
    Bookmarks,
    BookmarksChange,
    Changed,
    DescribeAlike,
    HeadingTold,
    Id,
    LikePicture,
    RolesOfMany,
)
from hyalen.web.services import Given, Services

router = APIRouter(tags=["tagging"])
LONGEST_TITLE = 200


@router.get("/documents/{document_id}/headings")
def headings(document_id: Id, given: Given) -> list[HeadingTold]:
    """A document's headings in order, each with its ink, why it is one, and what it has in common with others."""
    given.store.documents.document(document_id)
    found = given.store.contents.headings(document_id)
    places = {p: i for i, p in enumerate(given.store.pages.ids(document_id))}
    pages = {p: given.store.pages.page(p) for p in {page for page, *_ in found}}
    alike = looks([mark for _, mark, _ in found])
    before = [0, *(level for *_, level in found)]
    return [
        HeadingTold(
            page_id=page_id,
            position=places.get(page_id, 0),
            region_id=mark.region_id,
            level=level,
            text=mark.text,
            reason="set by hand" if mark.drawn else mark.reason,
            drawn=mark.drawn,
            alike=look,
            skips=level > above + 1,
            box=mark.box,
            image=f"/api/blobs/{page.cleaned_blob}" if (page := pages[page_id]).cleaned_blob else None,
            size=(page.cleaned.width, page.cleaned.height) if page.cleaned else None,
        )
        for (page_id, mark, level), look, above in zip(found, alike, before, strict=False)
    ]


@router.post("/documents/{document_id}/roles")
def set_roles(document_id: Id, wanted: RolesOfMany, given: Given) -> Changed:
    """Say what blocks of several pages are for, as one change; what a page cannot take is passed over."""
    given.store.documents.document(document_id)
    mine = set(given.store.pages.ids(document_id))
    by_page: dict[int, list[str]] = {}
    for place in wanted.places:
        if place.page in mine:
            by_page.setdefault(place.page, []).append(place.region)
    requests: list[tuple[int, Request]] = [
        (page, SetRoles(region_ids=tuple(regions), role=wanted.role)) for page, regions in by_page.items()
    ]
    label = f"{'block' if len(wanted.places) == 1 else 'blocks'} made {wanted.role.value.replace('_', ' ')}"
    return changed_of(
        given.store, document_id, given.store.decisions.across(document_id, label, requests, wanted.change or 0)
    )


@router.get("/documents/{document_id}/bookmarks")
def get_bookmarks(document_id: Id, given: Given) -> Bookmarks:
    """A document's bookmarks in order."""
    return _bookmarks(given, document_id)


@router.put("/documents/{document_id}/bookmarks")
def set_bookmarks(document_id: Id, change: BookmarksChange, given: Given) -> Bookmarks:
    """The bookmarks as they are to be; null makes them the headings again."""
    given.store.documents.document(document_id)
    mine = set(given.store.pages.ids(document_id))
    if any(e.page not in mine for e in change.entries or ()):
        raise BadRequest("Another document's page", "A bookmark leads to a page of its own document.")
    with given.store.changing(document_id, change.revision):
        given.store.settings.set_bookmarks(document_id, change.entries)
    return _bookmarks(given, document_id)


@router.post("/documents/{document_id}/bookmarks", status_code=201)
def add_bookmark(document_id: Id, place: BookmarkPlace, given: Given) -> Bookmarks:
    """A bookmark to a place, named by the text there, where it stands among the others in the document's order."""
    ids = given.store.pages.ids(document_id)
    if place.page not in ids:
        raise NotFound("That page is in another document.")
    new = _entry_at(given, place)
    order = {p: i for i, p in enumerate(ids)}
    with given.store.changing(document_id, place.revision):
        now = _resolved(given, document_id)
        tops = {(p, m.region_id): m.box.top for p, m, _ in given.store.contents.headings(document_id) if m.box}

        def where(mark: Bookmark) -> tuple[int, float]:
            page, height = mark.entry.page, 1
            top = tops.get((page, mark.region_id))
            if top is not None and (cleaned := given.store.pages.page(page).cleaned) is not None:
                height = cleaned.height
            return order.get(page, 0), top / height if top is not None else mark.entry.top or 0.0

        mine = (order[place.page], new.top or 0.0)
        at = max((i + 1 for i, mark in enumerate(now) if where(mark) <= mine), default=0)
        depth = now[at - 1].entry.depth if at else 0
        entries = [m.entry for m in now]
        entries.insert(at, new.model_copy(update={"depth": depth}))
        given.store.settings.set_bookmarks(document_id, entries)
    return _bookmarks(given, document_id).model_copy(update={"added": at})


def _entry_at(given: Services, place: BookmarkPlace) -> BookmarkEntry:
    content = given.store.pages.content(place.page)
    if content is None:
        raise BadRequest("Not read yet", "The page has not been read yet.", 409)
    if place.region is not None:
        box = region_of(content, place.region).box
        text = region_of(content, place.region).text
    elif place.area is not None:
        left, top, right, bottom = (round(v) for v in place.area)
        box = Box(min(left, right), min(top, bottom), max(left, right), max(top, bottom))
        text = " ".join(w.text for w in content.words if box.covers(w.box, 0.5))
    else:
        box, text = None, ""
    number = given.store.pages.page(place.page).position + 1
    title = " ".join((place.title or text).split())[:LONGEST_TITLE] or f"Page {number}"
    if box is None:
        return BookmarkEntry(title=title, page=place.page)
    down, across = (min(1.0, max(0.0, v)) for v in (box.top / content.height, box.left / content.width))
    return BookmarkEntry(title=title, page=place.page, top=round(down, 4), left=round(across, 4))


def _resolved(given: Services, document_id: int) -> list[Bookmark]:
    """The bookmarks as they stand, their pages by id."""
    document = given.store.documents.document(document_id)
    ids = given.store.pages.ids(document_id)
    places = {p: i for i, p in enumerate(ids)}
    known = [
        HeadingPlace(places[page], level, mark.text, mark.region_id)
        for page, mark, level in given.store.contents.headings(document_id)
        if page in places
    ]
    found = bookmarks(known, numbered(document.bookmarks, ids))
    return [m._replace(entry=m.entry.model_copy(update={"page": ids[m.entry.page]})) for m in found]


def _bookmarks(given: Services, document_id: int) -> Bookmarks:
    document = given.store.documents.document(document_id)
    places = {p: i for i, p in enumerate(given.store.pages.ids(document_id))}
    return Bookmarks(
        revision=document.revision,
        from_headings=document.bookmarks is None,
        bookmarks=[
            Bookmarked(entry=m.entry, position=places[m.entry.page], region_id=m.region_id or None)
            for m in _resolved(given, document_id)
        ],
    )


@router.get("/pages/{page_id}/like/{region_id}")
def like(page_id: Id, region_id: str, given: Given) -> list[LikePicture]:
    """The other places of the document where the same picture stands."""
    page = given.store.pages.page(page_id)
    found = given.store.contents.pictures_like(page.document_id, page_id, region_id)
    positions = {p: i for i, p in enumerate(given.store.pages.ids(page.document_id))}
    return [LikePicture(page_id=p, position=positions[p], region_id=r) for p, r in found if p in positions]


@router.post("/documents/{document_id}/descriptions")
def describe_alike(document_id: Id, wanted: DescribeAlike, given: Given) -> Changed:
    """Describe a picture and the same one at all its other places, or mark it as decorative there."""
    if given.store.pages.page(wanted.page).document_id != document_id:
        raise NotFound("That page is in another document.")
    places = [
        (wanted.page, wanted.region),
        *given.store.contents.pictures_like(document_id, wanted.page, wanted.region),
    ]
    requests: list[tuple[int, Request]] = [
        (page, SetAlternative(region_id=region, text=wanted.text, decorative=wanted.decorative))
        for page, region in places
    ]
    what = "decorative picture" if wanted.decorative else "description"
    label = f"{what} at {len(places)} {'place' if len(places) == 1 else 'places'}"
    return changed_of(given.store, document_id, given.store.decisions.across(document_id, label, requests))
