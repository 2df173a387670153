"""Checking: how a document stands, what a person must judge, and the rules."""

from __future__ import annotations

from functools import partial
from itertools import takewhile
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from hyalen.core.accessibility.catalogue import RULES
from hyalen.core.accessibility.spoken import Kind, Said, spoken
from hyalen.core.formats.sound import WORDS_A_MINUTE, NoVoice, as_wav, heard
from hyalen.core.proofing.doubts import Stage
from hyalen.core.structure.redaction import delivered
from hyalen.core.structure.tree import StructureTree
from hyalen.store.records import JudgementRecord, NotFound
from hyalen.web.errors import BadRequest
from hyalen.web.schemas import Id, RuleTold, SaidAloud, Signature, SignOff, SpokenPart, Standing, ToJudge
from hyalen.web.services import Given

router = APIRouter(tags=["checking"])
MOST_JUDGED = 500  # in one answer
MOST_SPOKEN = 4_000  # letters of one stretch
TOLD = 5  # obstacles that are told one by one


@router.get("/rules")
def rules() -> list[RuleTold]:
    """The accessibility rules with their clauses."""
    return [RuleTold(**rule._asdict()) for rule in RULES.values()]


@router.get("/documents/{document_id}/standing")
def standing(document_id: Id, given: Given) -> Standing:
    """Findings, what is to be judged, and what stands against PDF/UA."""
    given.store.documents.document(document_id)
    doubts = given.store.doubts
    found = doubts.of_document(document_id, Stage.TAG) + doubts.of_document(document_id, Stage.CHECK)
    stopping = given.store.contents.obstacles(document_id)
    to_judge, judged = given.store.judgements.count(document_id)
    told = stopping[:TOLD]
    if len(stopping) > TOLD:
        told.append(f"and {len(stopping) - TOLD} more")
    return Standing(findings=len(found), to_judge=to_judge, judged=judged, obstacles=told)


@router.get("/documents/{document_id}/judgements")
def judgements(document_id: Id, given: Given, open_only: bool = True) -> list[ToJudge]:
    """What only a person can judge, in the order of the pages."""
    given.store.documents.document(document_id)
    return [_judgement(j) for j in given.store.judgements.of_document(document_id, open_only, MOST_JUDGED)]


@router.post("/documents/{document_id}/judgements")
def sign_off(document_id: Id, signed: SignOff, given: Given) -> Standing:
    """Somebody has judged a place and found it right; it holds until what was judged changes."""
    if given.store.pages.page(signed.page).document_id != document_id:
        raise NotFound("That page is in another document.")
    given.store.judgements.sign(signed.page, signed.key, signed.print, signed.name)
    return standing(document_id, given)


@router.post("/documents/{document_id}/judgements/headings")
def sign_headings(document_id: Id, signed: Signature, given: Given) -> Standing:
    """Somebody has looked at all headings of the document together and found them right."""
    given.store.documents.document(document_id)
    for each in given.store.judgements.of_document(document_id, open_only=True):
        if each.rule == "headings":
            given.store.judgements.sign(each.page_id, each.key, each.print, signed.name)
    return standing(document_id, given)


@router.delete("/pages/{page_id}/judgements/{key:path}", status_code=204)
def withdraw(page_id: Id, key: str, given: Given) -> None:
    """What was signed off is to be judged again."""
    given.store.judgements.withdraw(page_id, key)


@router.get("/documents/{document_id}/spoken")
def read_aloud(
    document_id: Id,
    given: Given,
    page: Annotated[int, Query(ge=0)] = 0,
    count: Annotated[int, Query(ge=1, le=50)] = 4,
) -> SpokenPart:
    """What is heard of the blocks that begin on some pages, in order."""
    document = given.store.documents.document(document_id)
    gone = given.store.contents.redacted_words(document_id)
    ids = given.store.pages.read_ids(document_id)
    contents = given.store.pages.contents(document_id, partial(delivered, gone=gone))
    told = {a.short: a.full for a in document.abbreviations}
    tree = StructureTree(document.title, document.language or "eng", contents, abbreviations=told)
    nodes = takewhile(lambda node: node.first.page < page + count, tree.nodes(max(0, page - 1)))
    said = [s for node in nodes if node.first.page >= page for s in spoken([node])]
    return SpokenPart(
        said=[
            SaidAloud(
                kind=s.kind,
                announced=s.announced,
                text=s.text,
                language=s.language,
                position=s.page,
                page_id=ids[s.page],
                region_id=s.region_id,
                level=s.level,
            )
            for s in said
        ],
        following=page + count if page + count < len(ids) else None,
    )


@router.get("/speech", response_class=Response)
def speech(
    text: Annotated[str, Query(max_length=MOST_SPOKEN)],
    language: Annotated[str, Query(max_length=8)] = "eng",
    announced: Annotated[str, Query(max_length=MOST_SPOKEN)] = "",
    speed: Annotated[int, Query(ge=80, le=450)] = WORDS_A_MINUTE,
) -> Response:
    """A stretch of text read out, as WAV; before it what is announced, in English."""
    told = Said(Kind.BLOCK, announced, text, language, 0, "")
    try:
        samples = b"".join(heard(told, speed))
    except NoVoice as error:
        raise BadRequest("No voice", f"{str(error)[:1].upper()}{str(error)[1:]}.", 503) from error
    return Response(as_wav(samples), media_type="audio/wav", headers={"Cache-Control": "private, max-age=3600"})


def _judgement(record: JudgementRecord) -> ToJudge:
    return ToJudge(
        page_id=record.page_id,
        position=record.position,
        key=record.key,
        rule=record.rule,
        question=record.question,
        region_id=record.region_id,
        text=record.text,
        print=record.print,
        by=record.name,
        made=record.made,
    )
