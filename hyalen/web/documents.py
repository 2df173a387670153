"""Documents: their pages, doubts, history and the form in which they will be delivered."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query

from hyalen.core.accessibility.spoken import announced
from hyalen.core.model.content import Role
from hyalen.core.model.document import LabelRange
from hyalen.core.proofing.doubts import Stage
from hyalen.core.proofing.search import passages
from hyalen.core.structure.labels import proposed_labels
from hyalen.core.structure.tree import Node, StructureTree, Tag
from hyalen.store.outcome import Outcome
from hyalen.web.answers import changed_of, document_of, doubt_of
from hyalen.web.batches import check_languages
from hyalen.web.schemas import (
    Changed,
    Document,
    DocumentChange,
    FlowItem,
    FlowPart,
    FlowRun,
    FlowSource,
    Id,
    OpenDoubt,
    Turn,
)
from hyalen.web.services import Given, Services
from hyalen.work.foreman import Event

router = APIRouter(tags=["documents"])
MOST_DOUBTS = 2000
MOST_PAGES = 50


@router.get("/documents/{document_id}")
def get_document(document_id: Id, given: Given) -> Document:
    return document_of(given.store, document_id)


@router.get("/documents/{document_id}/printed-labels")
def printed_labels(document_id: Id, given: Given) -> list[LabelRange]:
    """Ranges of page labels that agree with the numbers printed on the pages."""
    given.store.documents.document(document_id)
    return proposed_labels(given.store.pages.printed_numbers(document_id))


@router.patch("/documents/{document_id}")
def change_document(document_id: Id, change: DocumentChange, given: Given) -> Document:
    """Title, languages and how it was scanned; each is a step in the document's history."""
    settings, document = given.store.settings, given.store.documents.document(document_id)
    for languages in ([change.language] if change.language else None, change.languages):
        if languages is not None:
            check_languages(languages)
    with given.store.changing(document_id, change.revision):
        if change.title is not None and change.title.strip() != document.title:
            settings.entitle(document_id, change.title.strip())
        if change.language is not None and change.language != document.language:
            settings.speak_in(document_id, change.language)
        if change.languages is not None:
            settings.read_again(document_id, [], change.languages, whole=True, keep=True)
        if change.duplex is not None and change.duplex != document.duplex:
            settings.scan_both_sides(document_id, change.duplex)
        if change.ranges is not None and tuple(change.ranges) != document.labels:
            settings.label_pages(document_id, change.ranges)
        if change.particulars is not None and change.particulars != document.particulars:
            settings.tell(document_id, change.particulars)
        if change.abbreviations is not None and tuple(change.abbreviations) != document.abbreviations:
            settings.abbreviate(document_id, change.abbreviations)
    given.foreman.wake()
    given.foreman.tell(Event("document", document.batch_id, document_id, state="told"))
    return document_of(given.store, document_id)


@router.delete("/documents/{document_id}", status_code=204)
def delete_document(document_id: Id, given: Given) -> None:
    batch_id = given.store.documents.document(document_id).batch_id
    given.store.delete_document(document_id)
    given.foreman.tell(Event("batch", batch_id, document_id, state="deleted"))


@router.get("/documents/{document_id}/doubts")
def doubts(
    document_id: Id,
    given: Given,
    stage: Stage | None = None,
    limit: int = Query(default=MOST_DOUBTS, ge=1, le=MOST_DOUBTS),
    after: Annotated[Id | None, Query(description="page of the last doubt that is known")] = None,
    after_key: str = "",
) -> list[OpenDoubt]:
    """Open doubts, worst first; those that follow one that is named by its page and key, or the first."""
    given.store.documents.document(document_id)
    known = next((d for d in given.store.doubts.of_page(after) if d.key == after_key), None) if after else None
    place = (known.weight, known.position, known.key) if known else None
    return [doubt_of(d) for d in given.store.doubts.of_document(document_id, stage, limit, place)]


@router.post("/documents/{document_id}/undo")
def undo(document_id: Id, turn: Turn, given: Given) -> Changed:
    return _turned(given, document_id, given.store.decisions.undo(document_id, turn.change))


@router.post("/documents/{document_id}/redo")
def redo(document_id: Id, turn: Turn, given: Given) -> Changed:
    return _turned(given, document_id, given.store.decisions.redo(document_id, turn.change))


def _turned(given: Services, document_id: int, outcome: Outcome) -> Changed:
    if outcome.arranged:
        given.foreman.wake()
        batch_id = given.store.documents.document(document_id).batch_id
        given.foreman.tell(Event("document", batch_id, document_id, state="turned"))
    return changed_of(given.store, document_id, outcome)


@router.get("/documents/{document_id}/flow")
def read_through(
    document_id: Id,
    given: Given,
    page: int = Query(default=0, ge=0),
    count: int = Query(default=10, ge=1, le=MOST_PAGES),
) -> FlowPart:
    """The blocks that begin on `count` pages from `page` on, as they will be delivered."""
    document = given.store.documents.document(document_id)
    ids, contents = given.store.pages.read_ids(document_id), given.store.pages.contents(document_id)
    told = {a.short: a.full for a in document.abbreviations}
    tree = StructureTree(document.title, document.language or "eng", contents, abbreviations=told)
    items: list[FlowItem] = []
    # What began on the page before may go on here.
    for node in tree.nodes(max(0, page - 1)):
        at = node.first.page
        if at >= page + count:
            break
        if at >= page:
            items.extend(_items(node, ids))
    return FlowPart(items=items, following=page + count if page + count < len(ids) else None)


def _items(node: Node, ids: list[int]) -> Iterator[FlowItem]:
    told = announced(node)
    if node.tag in (Tag.L, Tag.TOC):
        for at, (depth, _, item) in enumerate(node.items()):
            text = " ".join(part.text for part in item.parts if part.text)
            yield _item(item, ids, told if at == 0 else "", text, depth=depth)
    elif node.tag is Tag.BLOCK_QUOTE:
        for at, child in enumerate(node.children):
            yield _item(child, ids, told if at == 0 else "", child.text)
    elif node.caption is not None:
        for each in node.with_caption:
            yield from _items(replace(each, caption=None), ids)
    elif node.tag is Tag.TABLE:
        rows = [[cell.text for cell in row.children] for row in node.children]
        yield _item(node, ids, told, "", rows)
    else:
        yield _item(node, ids, told, node.alternative or node.text)


def _item(
    node: Node, ids: list[int], told: str, text: str, rows: list[list[str]] | None = None, depth: int = 0
) -> FlowItem:
    page, region, _ = node.first
    role = Role.LIST_ITEM if node.tag is Tag.LI else region.role
    return FlowItem(
        role=role,
        announced=told,
        text=text,
        language=node.language,
        page=page + 1,
        page_id=ids[page],
        region_id=region.id,
        rows=rows,
        depth=depth,
        runs=_runs(node),
        sources=_sources(node, ids),
    )


def _sources(node: Node, ids: list[int]) -> list[FlowSource]:
    """The texts of pages that the block says; none of a table or picture."""
    if node.tag is Tag.TABLE or node.tag.is_picture:
        return []
    pieces = [p for part in (node, *node.parts) for p in part.pieces]
    regions = {(p.page, p.region.id): p.region for p in pieces if p.region.lines}
    return [
        FlowSource(page_id=ids[page], region_id=region_id, text=told[0].text)
        for (page, region_id), region in regions.items()
        if (told := passages(region, node.language))
    ]


def _runs(node: Node) -> list[FlowRun]:
    """The text of a block, or of an item's parts with a space between, by how it is set; none where all of it is plain."""
    runs: list[FlowRun] = []
    for part in node.parts if node.tag in (Tag.LI, Tag.TOCI) else (node,):
        if part.text and not part.tag.is_picture:
            runs += [FlowRun(text=" ", style=[])] if runs else []
            runs += [FlowRun(text=run.text, style=sorted(run.style)) for run in part.runs]
    return runs if any(run.style for run in runs) else []
