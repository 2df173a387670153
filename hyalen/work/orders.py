"""What a delivery task asks for: the documents on their way to a worker, and the name of the file that it makes."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import chain
from pathlib import Path
from typing import NamedTuple

from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.kinds import media_type_of
from hyalen.core.formats.names import delivery_stem, free_name, stem_by
from hyalen.core.formats.ranges import page_range
from hyalen.core.model.document import Attachment, BookmarkEntry, LabelRange, OwnPage, Part, Particulars
from hyalen.core.structure.bookmarks import numbered
from hyalen.core.structure.labels import labels_of_part
from hyalen.core.structure.redaction import scrubbed
from hyalen.store.deliveries import Order
from hyalen.store.records import DocumentRecord
from hyalen.store.store import Store
from hyalen.work.manuscript import write_manuscript


class _Chosen(NamedTuple):
    """A document's pages that are delivered, and where the first of them stands in the whole."""

    document: DocumentRecord
    first: int
    pages: tuple[int, ...]
    labels: list[LabelRange]


def write_order(store: Store, order: Order, path: Path) -> int:
    """The manuscript of what is ordered; how many pages it has.

    Raises
    ------
    SourceError
        If a document has none of the pages that are wanted.
    ValueError
        If its source is to be attached although parts of it are redacted, or not all its pages are wanted.
    """
    chosen = list(_chosen(store, order))
    pages = [page for each in chosen for page in each.pages]
    redacted = {page for each in chosen for page in store.contents.redactions(each.document.id)}
    first = chosen[0].document
    joined = len(chosen) > 1
    attached = _attachments(store, order, chosen) if order.options.attach_source else []
    write_manuscript(
        path,
        store.documents.batch(first.batch_id).name if joined else first.title,
        first.language or "eng",
        (_page(store, page) for page in pages),
        {n: str(store.blobs.path(n)) for each in chosen for n in store.documents.pictures(each.document.id)},
        [label for each in chosen for label in each.labels],
        _common([each.document.particulars for each in chosen]),
        () if joined else first.abbreviations,
        None if joined else _bookmarks(chosen[0]),
        [at for at, page in enumerate(pages) if page in redacted],
        attached,
        [_part(each) for each in chosen] if joined else (),
    )
    return len(pages)


def _chosen(store: Store, order: Order) -> Iterator[_Chosen]:
    first = 0
    documents = [store.documents.document(each) for each in order.documents]
    joined, labelled = len(documents) > 1, any(each.labels for each in documents)
    for document in documents:
        everything = store.pages.read_ids(document.id)
        which = page_range(order.options.pages, len(everything))
        anew = order.options.pages.strip() or (joined and labelled)
        labels = labels_of_part(document.labels, which) if anew else list(document.labels)
        labels = [label.model_copy(update={"first": label.first + first}) for label in labels]
        yield _Chosen(document, first, tuple(everything[i] for i in which), labels)
        first += len(which)


def _page(store: Store, page_id: int) -> tuple[bytes, str, OwnPage | None]:
    content, page = store.pages.packed_content(page_id), store.pages.page(page_id)
    assert content is not None and page.cleaned_blob is not None
    source, index = store.documents.source_of(page)
    kept = OwnPage(str(store.blobs.path(source)), index) if page.is_as_it_came else None
    return content, str(store.blobs.path(page.cleaned_blob)), kept


def _part(each: _Chosen) -> Part:
    told = each.document
    abbreviations = {a.short: a.full for a in told.abbreviations}
    end = each.first + len(each.pages)
    return Part(each.first, end, told.title, told.language or "eng", abbreviations, _bookmarks(each))


def _bookmarks(each: _Chosen) -> list[BookmarkEntry] | None:
    entries = numbered(each.document.bookmarks, each.pages)
    if entries is None:
        return None
    return [entry.model_copy(update={"page": entry.page + each.first}) for entry in entries]


def _common(told: Sequence[Particulars]) -> Particulars:
    """What is told alike of all."""
    first, *others = (each.model_dump() for each in told)
    return Particulars.model_validate({k: v for k, v in first.items() if all(o[k] == v for o in others)})


def whole_source_refused(options: DeliveryOptions) -> str:
    """Why a source cannot go along with some of its pages; "" where it can."""
    if not options.pages.strip():
        return ""
    return "The source has all its pages, those that are not delivered too; deliver all pages, or without the source."


def _attachments(store: Store, order: Order, chosen: Sequence[_Chosen]) -> list[Attachment]:
    found: list[Attachment] = []
    if refused := whole_source_refused(order.options):
        raise ValueError(refused)
    for document in (each.document for each in chosen):
        if store.contents.redactions(document.id):
            raise ValueError(
                f"{document.source_name} has redacted parts, which its source would show; deliver it without the source."
            )
        for source in store.documents.sources(document.id):
            path = store.blobs.path(source.blob)
            stem, _, ending = source.name.rpartition(".")
            name = free_name(
                delivery_stem((stem or ending) + ".x"), ending.lower() if stem else "bin", [a.name for a in found]
            )
            found.append(Attachment(str(path), name, media_type_of(path)))
    return found


def told_of(store: Store, documents: Sequence[int]) -> dict[str, str]:
    """What the name of the file that is made of documents may have (`names.TOKENS`), without redacted words."""
    records = [store.documents.document(each) for each in documents]
    gone = frozenset(chain.from_iterable(store.contents.redacted_words(each) for each in documents))
    parts = store.documents.name_parts(records[0])
    if len(records) > 1:
        name = parts["batch"]
        references = {each.particulars.reference for each in records}
        alike = references.pop() if len(references) == 1 else ""
        parts |= {"source": name, "title": name, "reference": alike or name, "number": "joined"}
    return {key: scrubbed(value, gone) for key, value in parts.items()}


def file_name(store: Store, batch_id: int, order: Order, also: set[str] | None = None) -> str:
    """What a file to be made will be called: by its pattern, with a number where another has that name."""
    stem = stem_by(order.options.name, told_of(store, order.documents))
    taken = store.deliveries.taken_names(batch_id, order) | (also or set())
    return free_name(stem, FORMATS[order.format].ending, taken)


def orders(
    store: Store, documents: Sequence[int], name: str, options: DeliveryOptions, made_by: str = ""
) -> list[Order]:
    """What is to be made of documents in a format: a file each, or one of all."""
    each = [tuple(documents)] if options.joined and len(documents) > 1 else [(d,) for d in documents]
    return [
        Order(
            format=name, edition=store.deliveries.edition_of(those), options=options, made_by=made_by, documents=those
        )
        for those in each
    ]
