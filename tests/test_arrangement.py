"""Order and deletion of pages, spreads, duplicates, duplex and treatments in the store."""

from __future__ import annotations

from pathlib import Path

import pytest

from hyalen.core.model.content import Role
from hyalen.core.model.treatment import Applied, Lighten, Split, Switch, Treatment
from hyalen.store.outcome import Stale
from hyalen.store.store import Store
from hyalen.store.treatments import NameTaken
from tests.conftest import ContentMaker, worn
from tests.helpers import cleaned, do, read_document, waiting


@pytest.fixture
def store(data: Path) -> Store:
    return Store(data)


@pytest.fixture
def document(store: Store, maker: type[ContentMaker]) -> int:
    """Four pages, read, each with its number as its text."""
    pages = [worn(maker().add(Role.PARAGRAPH, f"page {letter * 4} qz{letter}xv").page()) for letter in "abcd"]
    return read_document(store, pages)[0]


def texts(store: Store, document: int) -> list[str]:
    return [page.regions[0].text.split()[1] for page in store.pages.contents(document)]


def test_pages_are_put_in_another_order_and_delivered_so(store: Store, document: int) -> None:
    a, b, c, d = store.pages.ids(document)
    before = store.deliveries.edition(document)
    store.settings.arrange(document, [c, a, b, d])
    assert texts(store, document) == ["cccc", "aaaa", "bbbb", "dddd"]
    assert store.deliveries.edition(document) != before
    with pytest.raises(Stale, match="changed meanwhile"):
        store.settings.arrange(document, [a, b, c])
    assert store.pages.ids(document) == [c, a, b, d]
    assert store.settings.arrange(document, [c, a, b, d]).label == ""


def test_pages_are_taken_out_and_put_back_where_they_stood(store: Store, document: int) -> None:
    a, b, c, d = store.pages.ids(document)
    doubts = len(store.doubts.of_document(document))
    store.settings.take_out(document, [b, c])
    assert texts(store, document) == ["aaaa", "dddd"]
    assert store.documents.document(document).page_count == 2
    assert len(store.doubts.of_document(document)) < doubts
    assert [(p.id, p.removed_from) for p in store.pages.removed(document)] == [(b, 1), (c, 1)]
    store.settings.put_back(document, [c, b])
    assert texts(store, document) == ["aaaa", "bbbb", "cccc", "dddd"]
    assert len(store.doubts.of_document(document)) == doubts
    with pytest.raises(Stale, match="at least one page"):
        store.settings.take_out(document, [a, b, c, d])


def test_a_page_that_is_out_keeps_its_place_while_others_move(store: Store, document: int) -> None:
    a, b, c, d = store.pages.ids(document)
    store.settings.take_out(document, [b])
    store.settings.arrange(document, [d, a, c])
    store.settings.put_back(document, [b])
    assert store.pages.ids(document) == [d, a, b, c]


@pytest.mark.parametrize("language,first", [("eng", "left"), ("ara", "right")])
def test_a_spread_becomes_two_pages_in_reading_direction(store: Store, language: str, first: str) -> None:
    document = store.documents.add(store.documents.add_batch("b", [language]), "Book.pdf", "0" * 64, 2)
    page, last = store.pages.ids(document)
    do(store, waiting(store, page, "bring_in"))
    found = cleaned(spread=True, applied=Applied(fold=(8.0, 8.1)))
    do(store, waiting(store, page, "clean"), found)
    pages = store.pages.states(document)
    other = pages[1].id
    assert [p.id for p in pages] == [page, other, last]
    assert [p.half for p in pages] == [first, "right" if first == "left" else "left", "whole"]
    assert [t.page_id for t in store.tasks.next(9) if t.stage == "clean"] == [page, other]
    first_half, second_half = store.pages.halves(store.pages.page(page))
    assert (first_half.id, second_half.id) == (page, other)
    # Neither turn nor fold is sought again.
    assert second_half.cleaned is not None and second_half.cleaned.applied.fold == (8.0, 8.1)
    # Left whole by hand, it is one page; that undone, it is two again, and no third comes.
    store.settings.treat(document, {page: Treatment(split=Split(switch=Switch.OFF))})
    assert [p.half for p in store.pages.states(document)] == ["whole", "whole"]
    store.decisions.undo(document)
    assert [(p.id, p.half) for p in store.pages.states(document)][:2] == [
        (page, first),
        (other, "right" if first == "left" else "left"),
    ]
    assert store.pages.ids(document) == [page, other, last]


def test_a_fold_set_by_hand_and_undone_leaves_one_page(store: Store, document: int) -> None:
    page, last = store.pages.ids(document)[0], store.pages.ids(document)[-1]
    by_hand = Treatment(split=Split(switch=Switch.BY_HAND, fold=(8.0, 8.1)))
    store.settings.treat(document, {page: by_hand})
    spread = cleaned(spread=True, applied=Applied(fold=(8.0, 8.1)))
    do(store, waiting(store, page, "clean"), spread)
    assert [p.half for p in store.pages.states(document)][:2] == ["left", "right"]
    store.decisions.undo(document)
    assert [p.half for p in store.pages.states(document)] == ["whole"] * len(store.pages.ids(document))
    # Another setting does not bring the half back, and the fold done again does.
    store.settings.treat(document, {page: Treatment(lighten=Lighten(switch=Switch.OFF))})
    assert store.pages.ids(document)[0] == page and store.pages.ids(document)[-1] == last
    assert all(p.half == "whole" for p in store.pages.states(document))


def test_a_page_scanned_twice_becomes_a_doubt(store: Store, document: int, maker: type[ContentMaker]) -> None:
    a, b, c, _ = store.pages.ids(document)
    pale = Treatment(lighten=Lighten(switch=Switch.OFF))
    for page, bits in ((a, "f" * 64), (b, "0" * 64), (c, "e" + "f" * 63)):
        store.settings.treat(document, {page: pale})
        do(store, waiting(store, page, "clean"), cleaned(likeness=bits))
        do(store, waiting(store, page, "read"), maker().add(Role.PARAGRAPH, "text").page())
    told = store.doubts.of_document(document, "clean")
    assert [(d.page_id, d.key) for d in told] == [(c, "clean:quality:duplicate")]
    assert "page 1" in told[0].reason


def test_only_a_duplex_document_knows_its_backs(store: Store, document: int) -> None:
    a, b, c, _ = store.pages.ids(document)

    def back(page: int) -> int | None:
        found = store.pages.reverse(store.pages.page(page))
        return found.id if found else None

    assert back(a) is None
    store.settings.scan_both_sides(document, True)
    assert (back(a), back(b)) == (b, a)
    store.settings.arrange(document, [c, *(p for p in store.pages.ids(document) if p != c)])
    assert back(a) == b  # the sheet is the scanner's, not the order's
    # What is known of the back changes how a page is cleaned.
    assert {t.page_id for t in store.tasks.next(9) if t.stage == "clean"} >= {a, b, c}
    store.decisions.undo(document)
    store.decisions.undo(document)
    assert back(a) is None and not store.tasks.has_open()


def test_a_duplex_sheet_waits_for_its_back(store: Store) -> None:
    document = store.documents.add(store.documents.add_batch("b", ["eng"]), "Both.pdf", "0" * 64, 2)
    store.settings.scan_both_sides(document, True)
    first, second = store.tasks.next(9)
    do(store, first)
    assert [t.stage for t in store.tasks.next(9)] == ["bring_in"]
    do(store, second)
    assert [t.stage for t in store.tasks.next(9)] == ["clean", "clean"]


def test_the_last_pages_are_cleaned_before_others_are_read(store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    for n in range(4):
        store.documents.add(batch, f"{n}.jpg", f"{n:064x}", 1)
    for task in store.tasks.next(9):
        do(store, task)
    for task in store.tasks.next(2):
        do(store, task, cleaned())
    assert [t.stage for t in store.tasks.next(9, last=1)] == ["read", "read", "clean", "clean"]
    assert [t.stage for t in store.tasks.next(9, last=2)] == ["clean", "clean", "read", "read"]
    resting = store.documents.add_batch("another", ["eng"])
    store.documents.add(resting, "9.pdf", "9" * 64, 5)
    store.documents.pause(resting, True)
    assert [t.stage for t in store.tasks.next(9, last=2)] == ["clean", "clean", "read", "read"]


def test_treatments_are_taken_back_together(store: Store, document: int) -> None:
    a, b, *_ = store.pages.ids(document)
    pale = Treatment(lighten=Lighten(switch=Switch.BY_HAND, strength=0.4))
    whole = Treatment(split=Split(switch=Switch.OFF))
    store.settings.treat(document, {a: pale, b: pale})
    store.settings.treat(document, {b: whole})
    waiting_ = [t.page_id for t in store.tasks.next(99) if t.stage == "clean"]
    assert sorted(p for p in waiting_ if p) == [a, b]  # one task a page, however often it was changed
    store.decisions.undo(document)
    assert store.pages.page(b).treatment == pale
    store.decisions.undo(document)
    assert store.pages.page(a).treatment == store.pages.page(b).treatment == Treatment()
    assert not store.tasks.has_open()


def test_named_treatments_are_not_overwritten_unasked(store: Store) -> None:
    named = store.treatments
    first = named.save("Ledgers", Treatment())
    with pytest.raises(NameTaken, match="ledgers"):
        named.save("ledgers", Treatment(split=Split(switch=Switch.OFF)))
    assert named.save("Ledgers", Treatment(split=Split(switch=Switch.OFF)), replace=True) == first
    assert [t.treatment.split.switch for t in named.all()] == [Switch.OFF]
    named.delete(first)
    assert named.all() == []
