"""Looking for text in a document, a batch or everywhere, and replacing it."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query

from hyalen.core.model.content import Role
from hyalen.core.proofing.search import MOST_OF_A_PATTERN, PatternError, Sought, Way
from hyalen.store.search import Hit, Scope
from hyalen.web.answers import changed_of
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import Changed, Found, FoundPlace, Id, Replacement
from hyalen.web.services import Given

router = APIRouter(tags=["search"])
MOST_HITS = 200  # in one answer
MOST_PAGES = 16  # in one request to replace


@router.get("/search")
def search(
    given: Given,
    text: Annotated[str, Query(max_length=MOST_OF_A_PATTERN)],
    way: Way = Way.PART,
    exact: bool = False,
    document: Id | None = None,
    batch: Id | None = None,
    role: Role | None = None,
    language: str | None = None,
    first: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    limit: Annotated[int, Query(ge=0, le=MOST_HITS)] = 50,
) -> Found:
    """Places in the order of reading, from the `first` one on, how many there are, and their pages."""
    store = given.store
    scope = Scope(document, batch, role=role.value if role else None, language=language)
    sought = Sought(text=text, way=way, exact=exact)
    try:
        found = store.search.find(sought, scope, first, limit)
    except PatternError as error:
        raise BadRequest("Not found", f"{error}.") from error
    return Found(total=found.total, pages=list(found.pages), hits=[_place(given, hit) for hit in found.hits])


def _place(given: Given, hit: Hit) -> FoundPlace:
    page = given.store.pages.page(hit.page_id)
    return FoundPlace(
        passage=hit.passage_id,
        start=hit.match.start,
        document=hit.document_id,
        document_name=given.store.documents.document(hit.document_id).title,
        page=hit.page_id,
        position=page.position,
        region=hit.region_id,
        words=[span.word_id for span in hit.words],
        boxes=[span.box for span in hit.words],
        before=hit.before,
        found=hit.found,
        after=hit.after,
        image=f"/api/blobs/{page.cleaned_blob}" if page.cleaned_blob else None,
        size=(page.cleaned.width, page.cleaned.height) if page.cleaned else None,
    )


@router.post("/documents/{document_id}/replace")
def replace(document_id: Id, wanted: Replacement, given: Given) -> Changed:
    """Replace what was found on some pages, in the places that are named or in all; `words` says how many.

    Pages are sent in portions, of which each names the `change` that the first one made.
    """
    given.store.documents.document(document_id)
    if len(wanted.pages) > MOST_PAGES:
        raise BadRequest(
            "Too many pages", f"One request replaces on {MOST_PAGES} pages at most; send them in portions."
        )
    sought = Sought(text=wanted.text, way=wanted.way, exact=wanted.exact)
    scope = Scope(document_id, role=wanted.role.value if wanted.role else None, language=wanted.language)
    mine = set(given.store.pages.ids(document_id))
    chosen = None if wanted.places is None else {(p.passage, p.start) for p in wanted.places}
    pages = [page for page in dict.fromkeys(wanted.pages) if page in mine]
    try:
        outcome = given.store.decisions.replace(
            document_id, sought, scope, None if wanted.redact else wanted.by, pages, chosen, wanted.change or 0
        )
    except PatternError as error:
        raise BadRequest("Not replaced", f"{error}.") from error
    return changed_of(given.store, document_id, outcome)
