"""Order and deletion of pages, spreads, duplicates, duplex and treatments in the store; old data is brought up."""

from __future__ import annotations

import json
import sqlite3
from pathlib import Path

import pytest

from hyalen.core.model.content import Role
from hyalen.core.model.treatment import Applied, Cleaned, Finding, Lighten, Split, Switch, Treatment
from hyalen.store.arrangement import NameTaken
from hyalen.store.database import Database, migrations
from hyalen.store.store import Store
from tests.conftest import ContentMaker


@pytest.fixture
def store(data: Path) -> Store:
    return Store(data)


@pytest.fixture
def document(store: Store, maker: type[ContentMaker]) -> int:
    """Four pages, read, each with its number as its text."""
    document = store.add_document(store.add_batch("b", ["eng"]), "Log.pdf", "0" * 64, 4)
    for i, page in enumerate(store.pages(document)):
        store.replace_content(page["id"], maker().add(Role.PARAGRAPH, f"page {'abcd'[i] * 4} qzxv").page(), "Read")
    with store.database.write() as db:
        db.execute("UPDATE page SET cleaned_blob = ?, original_blob = ?", ("1" * 64, "2" * 64))
    return document


def texts(store: Store, document: int) -> list[str]:
    return [page.regions[0].text.split()[1] for page in store.document_parts(document).content().pages]


def cleaned(**more: object) -> Cleaned:
    values = {"width": 9, "height": 9, "dpi": 300, "turn": 0, "skew": 0, "trim": (0, 0, 9, 9), "blank": False,
              "to_original": (1.0, 0, 0, 0, 1, 0, 0, 0, 1), "colour": False, "findings": ()}  # fmt: skip
    return Cleaned(**(values | more))


def clean_task(store: Store, page: int) -> sqlite3.Row:
    return store.task(store.add_page_task(page, "clean"))


def test_pages_are_put_in_another_order_and_delivered_so(store: Store, document: int) -> None:
    a, b, c, d = store.arrangement.page_ids(document)
    before = store.edition(document)
    store.arrangement.arrange(document, [c, a, b, d])
    assert texts(store, document) == ["cccc", "aaaa", "bbbb", "dddd"]
    assert store.edition(document) != before
    with pytest.raises(ValueError, match="changed meanwhile"):
        store.arrangement.arrange(document, [a, b, c])
    assert store.arrangement.page_ids(document) == [c, a, b, d]


def test_pages_are_taken_out_and_put_back_where_they_stood(store: Store, document: int) -> None:
    a, b, c, d = store.arrangement.page_ids(document)
    doubts = len(store.doubts(document))
    assert store.arrangement.remove_pages(document, [b, c]) == 2
    assert texts(store, document) == ["aaaa", "dddd"]
    assert store.document(document)["page_count"] == 2
    assert len(store.doubts(document)) < doubts
    assert [r["removed_from"] for r in store.arrangement.removed_pages(document)] == [1, 2]
    store.pages_restored(store.arrangement.restore_pages(document, [c, b]))
    assert texts(store, document) == ["aaaa", "bbbb", "cccc", "dddd"]
    assert len(store.doubts(document)) == doubts
    with pytest.raises(ValueError, match="at least one page"):
        store.arrangement.remove_pages(document, [a, b, c, d])


@pytest.mark.parametrize("language,first", [("eng", "left"), ("ara", "right")])
def test_a_spread_becomes_two_pages_in_reading_direction(store: Store, language: str, first: str) -> None:
    document = store.add_document(store.add_batch("b", [language]), "Book.pdf", "0" * 64, 2)
    page, last = store.arrangement.page_ids(document)
    found = cleaned(spread=True, applied=Applied(fold=(8.0, 8.1)))
    store.page_cleaned(clean_task(store, page), found, "1" * 64, "2" * 64, None)
    pages = store.pages(document)
    other = pages[1]["id"]
    assert [p["id"] for p in pages] == [page, other, last]
    assert [p["half"] for p in pages] == [first, "right" if first == "left" else "left", "whole"]
    assert [t["page_id"] for t in store.waiting_tasks(9, []) if t["stage"] == "clean"] == [page, other]
    assert store.arrangement.other_half(store.page(page)) == other
    known = store.cleaned(other)
    assert known is not None and known.applied.fold == (8.0, 8.1)  # neither turn nor fold is sought again
    store.arrangement.join_spread(store.page(page))
    assert [p["half"] for p in store.pages(document)] == ["whole", "whole"]
    # Split once more, the half that was taken out comes back instead of a third page.
    store.page_cleaned(clean_task(store, page), found, "1" * 64, "2" * 64, None)
    assert store.arrangement.page_ids(document) == [page, other, last]


def test_a_page_scanned_twice_becomes_a_doubt(store: Store, document: int, maker: type[ContentMaker]) -> None:
    a, b, c, _ = store.arrangement.page_ids(document)
    for page, bits in ((a, "f" * 64), (b, "0" * 64), (c, "e" + "f" * 63)):
        store.page_cleaned(clean_task(store, page), cleaned(likeness=bits), "1" * 64, "2" * 64, None)
        content = store.content(page)
        assert content is not None
        store.replace_content(page, content, "Read again")
    told = store.doubts(document, "clean")
    assert [(d["page_id"], d["key"]) for d in told] == [(c, "clean:quality:duplicate")]
    assert "page 1" in told[0]["reason"]


def test_only_a_duplex_document_knows_its_backs(store: Store, document: int) -> None:
    a, b, c, _ = (store.page(p) for p in store.arrangement.page_ids(document))
    assert store.arrangement.reverse_of(a) is None
    store.arrangement.set_duplex(document, True)
    reverse = store.arrangement.reverse_of(a)
    assert reverse is not None and reverse["id"] == b["id"]
    reverse = store.arrangement.reverse_of(b)
    assert reverse is not None and reverse["id"] == a["id"]
    store.arrangement.arrange(document, [c["id"], *(p for p in store.arrangement.page_ids(document) if p != c["id"])])
    reverse = store.arrangement.reverse_of(store.page(a["id"]))
    assert reverse is not None and reverse["id"] == b["id"]  # the sheet is the scanner's, not the order's


def test_a_duplex_sheet_waits_for_its_back(store: Store) -> None:
    document = store.add_document(store.add_batch("b", ["eng"]), "Both.pdf", "0" * 64, 2)
    store.arrangement.set_duplex(document, True)
    first, second = store.waiting_tasks(9, [])
    values = {"width": 9, "height": 9, "dpi": 300, "dpi_reason": "", "kind": "scanned", "stated_turn": 0}
    store.page_brought_in(first, "1" * 64, values)
    assert [t["stage"] for t in store.waiting_tasks(9, [])] == ["bring_in"]
    store.page_brought_in(second, "2" * 64, values)
    assert [t["stage"] for t in store.waiting_tasks(9, [])] == ["clean", "clean"]


def test_treatments_are_taken_back_together(store: Store, document: int) -> None:
    a, b, *_ = store.arrangement.page_ids(document)
    pale = Treatment(lighten=Lighten(switch=Switch.BY_HAND, strength=0.4))
    whole = Treatment(split=Split(switch=Switch.OFF))
    store.arrangement.set_treatments(document, {a: pale, b: pale})
    store.arrangement.set_treatments(document, {b: whole})
    assert store.arrangement.take_back_treatment(document) == [b]
    assert Treatment.model_validate_json(store.page(b)["treatment"]) == pale
    assert store.arrangement.take_back_treatment(document) == [a, b]
    assert Treatment.model_validate_json(store.page(a)["treatment"]) == Treatment()
    assert store.arrangement.take_back_treatment(document) == []
    waiting = [t["page_id"] for t in store.waiting_tasks(99, []) if t["stage"] == "clean"]
    assert sorted(waiting) == [a, b]  # one task a page, however often it was changed


def test_named_treatments_are_not_overwritten_unasked(store: Store) -> None:
    named = store.arrangement
    first = named.save_named_treatment("Ledgers", Treatment())
    with pytest.raises(NameTaken, match="ledgers"):
        named.save_named_treatment("ledgers", Treatment(split=Split(switch=Switch.OFF)))
    assert named.save_named_treatment("Ledgers", Treatment(split=Split(switch=Switch.OFF)), replace=True) == first
    (row,) = named.named_treatments()
    assert Treatment.model_validate_json(row["treatment"]).split.switch is Switch.OFF
    named.delete_named_treatment(first)
    assert named.named_treatments() == []


def test_data_of_the_first_version_is_brought_up(data: Path) -> None:
    data.mkdir()
    connection = sqlite3.connect(data / "hyalen.sqlite3")
    connection.executescript(migrations()[0][1] + "PRAGMA user_version = 1;")
    connection.execute("INSERT INTO batch VALUES (1, 'b', '[\"eng\"]', 0)")
    connection.execute(
        "INSERT INTO document (id, batch_id, position, source_name, stem, source_blob, title, languages)"
        " VALUES (1, 1, 0, 's', 's', '', 's', '[\"eng\"]')"
    )
    old = {"turn": {"switch": "by_hand", "degrees": 90}, "straighten": {"switch": "off", "degrees": 0.0},
           "trim": {"switch": "by_hand", "box": [300, 600, 1500, 2400]}, "lighten": {"switch": "automatic", "strength": 1.0},
           "despeckle": {"switch": "off"}}  # fmt: skip
    now = cleaned(findings=(Finding(step="marks", says="3 specks removed"),)).model_dump(mode="json")
    for name in ("mesh", "content", "spread", "likeness", "colours", "applied", "measured"):
        del now[name]
    connection.execute(
        "INSERT INTO page (id, document_id, position, source_index, dpi, treatment, cleaned) VALUES (1, 1, 0, 0, 300, ?, ?)",
        (json.dumps(old), json.dumps(now, separators=(",", ":")).replace('"step":"marks"', '"step":"despeckle"')),
    )
    connection.commit()
    connection.close()
    Database(data / "hyalen.sqlite3").close()
    store = Store(data)
    treatment = Treatment.model_validate_json(store.page(1)["treatment"])
    assert treatment.marks.switch is Switch.OFF and treatment.turn.degrees == 90
    assert treatment.trim.box == (1.0, 2.0, 5.0, 8.0)
    found = store.cleaned(1)
    assert found is not None and found.findings[0].step == "marks"
