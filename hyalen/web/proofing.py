"""Proofing: what a doubtful word may be, how many wrong words are left, and the clerks' word lists."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query
from fastapi.responses import PlainTextResponse

from hyalen.core.decisions.lines import place_beneath
from hyalen.core.decisions.targets import region_of
from hyalen.core.languages import is_language
from hyalen.core.proofing.characters import SIGNS, letters, variants
from hyalen.core.proofing.placed import core_of
from hyalen.core.proofing.sampling import more_for, wilson
from hyalen.core.proofing.search import PatternError, Sought, Way
from hyalen.store.doubts import SlipsBy
from hyalen.store.search import Scope
from hyalen.web.answers import changed_of, left_of
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import (
    Changed,
    Characters,
    DrawnWord,
    Id,
    Left,
    ListedWords,
    Place,
    Sample,
    SampleSize,
    Slip,
    Slips,
    Verdict,
    WordHelp,
    WordsSettled,
)
from hyalen.web.services import Given, Services

router = APIRouter(tags=["proofing"])
ListId = Annotated[int, Path(ge=0, le=2**63 - 1, description="a batch, or 0 for all")]
MOST_KIN = 99  # counted: a short word's places are thousands, and nobody needs their number
MOST_SLIPS = 500  # in one answer
SHOWN = 200  # drawn words in one answer
Reach = Annotated[float, Query(ge=0.0005, le=0.5, allow_inf_nan=False)]
Goal = Annotated[float, Query(ge=0.5, le=1, allow_inf_nan=False)]


@router.get("/pages/{page_id}/words/{word_id}/help")
def word_help(page_id: Id, word_id: str, given: Given) -> WordHelp:
    """What the word may have been, likeliest first, and how often the document says it as it was read."""
    word, made = given.store.proofing.suggestions(page_id, word_id)
    try:
        sought = Sought(text=core_of(word.text) or word.text, way=Way.WORDS, exact=True)
        kin = given.store.search.places(sought, Scope(given.store.pages.page(page_id).document_id), MOST_KIN + 1)
    except PatternError:
        kin = 1
    return WordHelp(suggestions=made, kin=max(0, kin - 1))


@router.get("/documents/{document_id}/left")
def left(document_id: Id, given: Given, goal: Goal = 0.995) -> Left:
    """The wrong words to be expected, and how many doubts must be settled to come to a share of right ones."""
    given.store.documents.document(document_id)
    return left_of(given.store, document_id, goal)


@router.get("/documents/{document_id}/sample")
def sample(document_id: Id, given: Given, reach: Reach = 0.01) -> Sample:
    """What a sample of words that nobody had looked at tells of all of them."""
    given.store.documents.document(document_id)
    return _sample(given, document_id, reach)


@router.post("/documents/{document_id}/sample", status_code=201)
def draw_sample(document_id: Id, wanted: SampleSize, given: Given, reach: Reach = 0.01) -> Sample:
    """Draw so many words by lot, besides those that were drawn before."""
    given.store.documents.document(document_id)
    given.store.samples.draw(document_id, wanted.size)
    return _sample(given, document_id, reach)


@router.post("/documents/{document_id}/sample/verdicts")
def judge_drawn(document_id: Id, verdict: Verdict, given: Given, reach: Reach = 0.01) -> Sample:
    given.store.documents.document(document_id)
    given.store.samples.judge(verdict.page, verdict.word, verdict.right)
    return _sample(given, document_id, reach)


@router.delete("/documents/{document_id}/sample", status_code=204)
def discard_sample(document_id: Id, given: Given) -> None:
    given.store.samples.discard(document_id)


def _sample(given: Services, document_id: int, reach: float) -> Sample:
    told = given.store.samples.verdicts(document_id)
    pages = {p: given.store.pages.page(p) for p in {w.page_id for w in told.waiting[:SHOWN]}}
    waiting = [
        DrawnWord(
            page=w.page_id,
            position=(page := pages[w.page_id]).position,
            word=w.word_id,
            text=w.text,
            box=w.box,
            image=f"/api/blobs/{page.cleaned_blob}" if page.cleaned_blob else None,
            size=(page.cleaned.width, page.cleaned.height) if page.cleaned else None,
        )
        for w in told.waiting[:SHOWN]
    ]
    between = wilson(told.right, told.looked_at)
    more = more_for(told.right, told.looked_at, reach)
    return Sample(looked_at=told.looked_at, right=told.right, between=between, reach=reach, more=more, waiting=waiting)


@router.get("/documents/{document_id}/slips")
def slips(
    document_id: Id,
    given: Given,
    by: SlipsBy = "letters",
    first: Annotated[int, Query(ge=0, le=10_000_000)] = 0,
    limit: Annotated[int, Query(ge=1, le=MOST_SLIPS)] = 120,
) -> Slips:
    """Doubtful words with their ink, alike ones together: by confused letters and columns of figures, or by words."""
    given.store.documents.document(document_id)
    found = given.store.doubts.slips(document_id, by, first, limit)
    pages = {p: given.store.pages.page(p) for p in {s.page_id for s in found}}
    return Slips(
        slips=[
            Slip(
                page=s.page_id,
                position=s.position,
                key=s.key,
                word=s.word_id,
                text=s.text,
                reason=s.reason,
                alike=s.alike,
                group=s.same,
                many=s.many,
                box=s.place,
                image=f"/api/blobs/{s.cleaned_blob}" if s.cleaned_blob else None,
                size=(c.width, c.height) if (c := pages[s.page_id].cleaned) else None,
            )
            for s in found
        ],
        whole=len(found) < limit,
    )


@router.post("/documents/{document_id}/words")
def settle_words(document_id: Id, wanted: WordsSettled, given: Given) -> Changed:
    """Settle many words as one change: each as it was read, or as another text; what was changed since is passed over.

    Many are sent in portions, of which each names the `change` that the first one made.
    """
    given.store.documents.document(document_id)
    mine = set(given.store.pages.ids(document_id))
    words = [(w.page, w.word, w.was, w.text) for w in wanted.words if w.page in mine]
    return changed_of(
        given.store, document_id, given.store.decisions.settle_words(document_id, words, wanted.change or 0)
    )


@router.get("/pages/{page_id}/beneath/{region_id}")
def beneath(page_id: Id, region_id: str, given: Given, after: Annotated[int, Query(ge=-1, le=5_000)] = -1) -> Place:
    """Where a line that was not read is likeliest to stand, after a line of a block."""
    content = given.store.pages.content(page_id)
    if content is None:
        raise BadRequest("Not read yet", "The page has not been read yet.", 409)
    region = region_of(content, region_id)
    return Place(box=place_beneath(content, region, min(after, len(region.lines) - 1)))


@router.get("/characters")
def characters(given: Given, languages: Annotated[str, Query(max_length=200)] = "") -> Characters:
    """Characters that a keyboard may lack: of languages (ISO 639-3, with commas), of letters, of print."""
    wanted = [code for code in languages.split(",") if code]
    return Characters(
        languages={code: "".join(letters(code)) for code in wanted if is_language(code)},
        variants={base: "".join(others) for base, others in variants().items()},
        signs=SIGNS,
    )


@router.get("/word-lists/{batch_id}", response_class=PlainTextResponse)
def listed(batch_id: ListId, given: Given) -> str:
    """A word a line; 0 is the list of all batches."""
    if batch_id:
        given.store.documents.batch(batch_id)
    return "".join(f"{word}\n" for word in given.store.lists.words(batch_id))


@router.post("/word-lists/{batch_id}")
def add_words(batch_id: ListId, wanted: ListedWords, given: Given) -> ListedWords:
    """Add words; those that are new to the list come back."""
    if batch_id:
        given.store.documents.batch(batch_id)
    return ListedWords(words=given.store.lists.add(wanted.words, batch_id))


@router.delete("/word-lists/{batch_id}/{word}", status_code=204)
def remove_word(batch_id: ListId, word: str, given: Given) -> None:
    given.store.lists.remove(word, batch_id)
