"""Proofing: what a doubtful word may be, how many wrong words are left, and the clerks' word lists."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Path, Query
from fastapi.responses import PlainTextResponse

from hyalen.core.proofing.evidence import core_of
from hyalen.core.proofing.sampling import more_for, wilson
from hyalen.core.proofing.search import PatternError, Sought, Way
from hyalen.store.search import Scope
from hyalen.web.answers import left_of
from hyalen.web.schemas import DrawnWord, Id, Left, ListedWords, Sample, SampleSize, Verdict, WordHelp
from hyalen.web.services import Given, Services

router = APIRouter(tags=["proofing"])
ListId = Annotated[int, Path(ge=0, le=2**63 - 1, description="a batch, or 0 for all")]
SHOWN = 200  # drawn words in one answer
Reach = Annotated[float, Query(ge=0.0005, le=0.5, allow_inf_nan=False)]
Goal = Annotated[float, Query(ge=0.5, le=1, allow_inf_nan=False)]


@router.get("/pages/{page_id}/words/{word_id}/help")
def word_help(page_id: Id, word_id: str, given: Given) -> WordHelp:
    """What the word may have been, likeliest first, and how often the document says it as it was read."""
    word, made = given.store.proofing.suggestions(page_id, word_id)
    try:
        sought = Sought(text=core_of(word.text) or word.text, way=Way.WORDS, exact=True)
        kin = given.store.search.find(sought, Scope(given.store.pages.page(page_id).document_id), limit=0).total
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
