"""Puts answers together from what is kept; the routers share it."""

from __future__ import annotations

from collections import Counter
from dataclasses import asdict

from hyalen.core.formats.format import DeliveryOptions, Quality
from hyalen.core.formats.names import shown
from hyalen.core.model.content import PageContent
from hyalen.core.proofing.unknown import unknown_words
from hyalen.core.structure.captions import captioned
from hyalen.core.structure.labels import page_labels
from hyalen.store.deliveries import Order
from hyalen.store.outcome import Outcome
from hyalen.store.records import ChangeRecord, DeliveryRecord, DoubtRecord, Gist, PageRecord, PageState, TaskRecord
from hyalen.store.store import Store
from hyalen.web.schemas import (
    Batch,
    Change,
    Changed,
    Delivery,
    Document,
    DocumentHead,
    DocumentSummary,
    FailedTask,
    FileProblem,
    Left,
    LeftInBatch,
    Making,
    OpenDoubt,
    Page,
    PageSummary,
    PageText,
    RemovedPage,
)
from hyalen.web.services import Services

_TOLD_OF_DOUBT = tuple(OpenDoubt.model_fields)


def batch_of(given: Services, batch_id: int) -> Batch:
    """The whole state of a batch."""
    store = given.store
    batch, tasks = store.documents.batch(batch_id), store.tasks
    busy, failed = tasks.open_by_document(batch_id), tasks.failed(batch_id)
    left = store.doubts.left_in_batch(batch_id)
    doubts, gists = store.doubts.count_by_document(batch_id), store.pages.gists(batch_id)
    failures = Counter(f.task.document_id for f in failed)
    documents = [
        DocumentSummary(
            id=d.id,
            position=d.position,
            name=d.source_name,
            title=d.title,
            reference=d.particulars.reference,
            language=d.language,
            languages=list(d.languages),
            pages=d.page_count,
            note=d.note,
            cautions=list(d.cautions),
            doubts=doubts.get(d.id, {}),
            busy=busy.get(d.id, 0),
            failed=failures[d.id],
            unread=list(gist.unread) if not busy.get(d.id) else [],
            covers=list(gist.covers),
            both_sides=d.duplex,
            kinds=list(gist.kinds),
            dpi=list(gist.dpi or ()),
        )
        for d in store.documents.of_batch(batch_id)
        for gist in [gists.get(d.id, Gist())]
    ]
    return Batch(
        id=batch_id,
        name=batch.name,
        languages=list(batch.languages),
        particulars=batch.particulars,
        paused=batch.paused,
        inbox=shown(str(inbox)) if (inbox := given.inboxes.path(batch_id)) else None,
        inbox_away=given.inboxes.away(batch_id),
        documents=documents,
        doubts=store.doubts.count_batch(batch_id),
        left=LeftInBatch(words=left.words, expected=round(left.expected, 1), between=left.between),
        progress=tasks.progress(batch_id),
        problems=[FileProblem(**asdict(p)) for p in store.documents.problems(batch_id)],
        failed=[
            FailedTask(
                id=f.task.id,
                document_id=f.task.document_id,
                file=f.source_name,
                page=None if f.page is None else f.page + 1,
                stage=f.task.stage,
                reason=f.task.reason,
            )
            for f in failed
        ],
        deliveries=[
            Delivery(
                id=r.id,
                document_id=r.document_id,
                documents=list(r.documents),
                options=r.options,
                larger=_larger(store, r),
                format=r.format,
                name=r.name,
                size=r.size,
                made=r.made,
                current=store.deliveries.is_current(r),
                words=r.words,
                expected=r.expected,
                looked_at=r.looked_at,
                found_right=r.found_right,
            )
            for r in store.deliveries.of_batch(batch_id)
        ],
        making=[_making(given, task) for task in tasks.deliveries_under_way(batch_id)],
    )


def _making(given: Services, task: TaskRecord) -> Making:
    order = Order.of(task)
    return Making(
        task=task.id,
        documents=list(order.documents),
        format=order.format,
        pages=sum(
            given.store.documents.document(d).page_count for d in order.documents if given.store.documents.has(d)
        ),
        reached=given.foreman.pages_reached(task.id),
        state=task.state,
    )


def _larger(store: Store, made: DeliveryRecord) -> str:
    """Why a PDF is larger than the files that it was made of, where it is."""
    if made.format != "pdf" or made.options.get("pages"):
        return ""
    options = DeliveryOptions.model_validate(made.options)
    there = [d for d in made.documents if store.documents.has(d)]
    came = store.blobs.size(source.blob for d in there for source in store.documents.sources(d))
    if made.size <= came or not came:
        return ""
    if options.attach_source:
        return "Larger than it came: its source lies within it."
    if options.quality is Quality.AS_SCANNED:
        return (
            "Larger than it came: its pages were cleaned and are kept at full quality. Balanced or smallest is smaller."
        )
    return "Larger than it came: what is read and its tags come on top of pictures that were small already."


def head_of(store: Store, document_id: int) -> DocumentHead:
    return DocumentHead(
        id=document_id,
        revision=store.documents.document(document_id).revision,
        doubts=store.doubts.count_document(document_id),
        undo=_change(store.journal.last(document_id)),
        redo=_change(store.journal.next(document_id)),
    )


def left_of(store: Store, document_id: int, goal: float) -> Left:
    left = store.doubts.left(document_id)
    return Left(
        words=left.words,
        expected=round(left.expected, 1),
        between=left.between,
        accuracy=left.accuracy,
        goal=goal,
        look=store.doubts.worth_a_look(document_id, goal),
    )


def _change(record: ChangeRecord | None) -> Change | None:
    return Change(id=record.id, label=record.label) if record else None


def document_of(store: Store, document_id: int) -> Document:
    document, pages = store.documents.document(document_id), store.pages.states(document_id)
    return Document(
        **head_of(store, document_id).model_dump(),
        batch_id=document.batch_id,
        batch_name=store.documents.batch(document.batch_id).name,
        name=document.source_name,
        title=document.title,
        language=document.language,
        languages=list(document.languages),
        removed=[
            RemovedPage(id=p.id, position=p.removed_from or 0, thumb=p.thumb_blob)
            for p in store.pages.removed(document_id)
        ],
        duplex=document.duplex,
        labels=page_labels(document.labels, len(pages)),
        ranges=list(document.labels),
        particulars=document.particulars,
        abbreviations=list(document.abbreviations),
        pages=[summary_of(p) for p in pages],
    )


def summary_of(page: PageState) -> PageSummary:
    return PageSummary(
        id=page.id,
        position=page.position,
        kind=page.kind,
        width=page.width,
        height=page.height,
        thumb=page.thumb_blob,
        doubts=page.doubts,
        has_content=page.has_content,
        revision=page.revision,
        task_state=page.task_state,
        task_stage=page.task_stage,
        task_reason=page.task_reason,
        half=page.half,
        expected=round(page.expected, 1),
    )


def doubt_of(record: DoubtRecord) -> OpenDoubt:
    # Not `asdict`, whose deep copies take longer than all the rest where a document has thousands.
    return OpenDoubt(**{name: getattr(record, name) for name in _TOLD_OF_DOUBT})


def page_of(store: Store, page_id: int) -> Page:
    page, content = store.pages.page(page_id), store.pages.content(page_id)
    cleaned, task = page.cleaned, store.tasks.last_of_page(page_id)
    return Page(
        id=page_id,
        document_id=page.document_id,
        position=page.position,
        revision=page.revision,
        kind=page.kind,
        original=f"/api/pages/{page_id}/original?{page.original_blob[:12]}" if page.original_blob else None,
        cleaned=f"/api/blobs/{page.cleaned_blob}" if page.cleaned_blob else None,
        original_size=(page.width, page.height) if page.width and page.height else None,
        to_original=list(cleaned.to_original) if cleaned else None,
        mesh=cleaned.mesh if cleaned else None,
        applied=cleaned.applied if cleaned else None,
        cleaned_dpi=cleaned.dpi if cleaned else None,
        cleaned_size=(cleaned.width, cleaned.height) if cleaned and page.cleaned_blob else None,
        half=page.half,
        stated_turn=page.stated_turn,
        dpi=page.dpi or None,
        dpi_reason=page.dpi_reason,
        treatment=page.treatment,
        findings=list(cleaned.findings) if cleaned else [],
        languages=list(store.pages.languages(page)),
        own_languages=page.languages is not None,
        own_text=page.own_text,
        text_from=page.text_from,
        content=content,
        doubts=[doubt_of(d) for d in store.doubts.of_page(page_id)],
        unknown=_unknown(store, page, content),
        captioned=captioned(content) if content else {},
        settled=content.settled if content else 0,
        task_state=task.state if task else None,
        task_stage=task.stage if task else None,
        task_reason=task.reason if task else None,
    )


def _unknown(store: Store, page: PageRecord, content: PageContent | None) -> list[str]:
    """The words that no list of their language or of the clerks' knows."""
    if content is None:
        return []
    return unknown_words(content, store.lists.known(store.documents.document(page.document_id).batch_id))


def changed_of(store: Store, document_id: int, outcome: Outcome) -> Changed:
    """What a change has changed; the page in hand with its content."""
    text = None
    if outcome.page_id in outcome.pages:
        page, content = store.pages.page(outcome.page_id), store.pages.content(outcome.page_id)
        unknown = _unknown(store, page, content)
        settled = content.settled if content else 0
        tied = captioned(content) if content else {}
        text = PageText(
            id=page.id, revision=page.revision, content=content, unknown=unknown, captioned=tied, settled=settled
        )
    pages = [p for each in sorted(outcome.pages) if (p := store.pages.state(each)) is not None]
    return Changed(
        label=outcome.label,
        words=outcome.words,
        document=head_of(store, document_id),
        pages=[summary_of(p) for p in pages],
        doubts=[doubt_of(d) for p in pages for d in store.doubts.of_page(p.id)],
        page=text,
        arranged=outcome.arranged,
    )
