"""What is kept, and that nothing is lost or overwritten."""

from __future__ import annotations

import io
import sqlite3
from pathlib import Path

import pytest

from hyalen.core.model.content import Role
from hyalen.core.model.treatment import Cleaned, Finding
from hyalen.core.proofing.doubts import Stage
from hyalen.core.proofing.edits import AcceptDoubt, AcceptWord, EditError, SetRole, SetWord
from hyalen.store.blobs import Blobs
from hyalen.store.database import Database, migrations
from hyalen.store.store import NotFound, StaleEdit, Store
from tests.conftest import ContentMaker


@pytest.fixture
def store(data: Path) -> Store:
    return Store(data)


def read_document(store: Store, maker: type[ContentMaker], texts: list[str]) -> tuple[int, list[int]]:
    """A document whose pages are read."""
    batch = store.add_batch("b", ["eng"])
    document = store.add_document(batch, "Some scan.pdf", "0" * 64, len(texts))
    ids = [p["id"] for p in store.pages(document)]
    for page_id, text in zip(ids, texts, strict=True):
        store.replace_content(page_id, maker().add(Role.HEADING_1, "Top").add(Role.PARAGRAPH, text).page(), "Read")
    return document, ids


def test_migrations_are_numbered_and_applied_once(data: Path) -> None:
    numbers = [int(name[:4]) for name, _ in migrations()]
    assert numbers == list(range(1, len(numbers) + 1))
    data.mkdir()
    Database(data / "x.sqlite3").close()
    Database(data / "x.sqlite3").close()
    connection = sqlite3.connect(data / "x.sqlite3")
    assert connection.execute("PRAGMA user_version").fetchone() == (numbers[-1],)
    assert connection.execute("PRAGMA journal_mode").fetchone() == ("wal",)


def test_blobs_are_kept_once_and_whole(tmp_path: Path) -> None:
    blobs = Blobs(tmp_path / "blobs")
    name = blobs.put(b"ink")
    assert blobs.put_stream(io.BytesIO(b"ink"), 100) == name and blobs.get(name) == b"ink"
    with pytest.raises(ValueError, match="limit"):
        blobs.put_stream(io.BytesIO(b"x" * 200), 100)
    assert [p.name for p in (tmp_path / "blobs").rglob("*") if p.is_file()] == [name]


def test_undo_and_redo_survive_a_restart(store: Store, data: Path, maker: type[ContentMaker]) -> None:
    document, (page, _) = read_document(store, maker, ["the nedle", "second"])
    first = store.edit(page, 1, SetWord(word_id="w3", text="needle"), "Correct")
    store.edit(page, first, SetRole(region_id="r2", role=Role.CAPTION), "Make it caption")
    store.close()
    again = Store(data)
    assert again.history(document) == ("Make it caption", None)
    assert again.undo(document)["label"] == "Make it caption"
    content = again.content(page)
    assert content is not None and content.regions[1].role is Role.PARAGRAPH and content.regions[1].text == "the needle"
    assert again.undo(document)["label"] == "Correct"
    assert again.content(page).regions[1].text == "the nedle"
    assert again.undo(document) is None
    again.close()
    third = Store(data)
    assert third.redo(document)["label"] == "Correct"
    assert third.redo(document)["label"] == "Make it caption"
    assert third.content(page).regions[1].text == "the needle"
    assert third.redo(document) is None


def test_a_new_change_ends_what_could_be_redone(store: Store, maker: type[ContentMaker]) -> None:
    document, (page,) = read_document(store, maker, ["the nedle"])
    store.edit(page, 1, SetWord(word_id="w3", text="needle"), "Correct")
    store.undo(document)
    store.edit(page, 3, AcceptWord(word_id="w2"), "Accept")
    assert store.history(document) == ("Accept", None)


def test_a_stale_edit_changes_nothing(store: Store, maker: type[ContentMaker]) -> None:
    _, (page,) = read_document(store, maker, ["the nedle"])
    store.edit(page, 1, SetWord(word_id="w3", text="needle"), "Correct")
    with pytest.raises(StaleEdit):
        store.edit(page, 1, SetWord(word_id="w3", text="noodle"), "Correct")
    with pytest.raises(EditError):
        store.edit(page, 2, SetWord(word_id="none", text="x"), "Correct")
    assert store.content(page).regions[1].text == "the needle" and store.page(page)["revision"] == 2


def test_one_correction_mends_the_same_misreading_everywhere_and_is_undone_at_once(
    store: Store, maker: type[ContentMaker]
) -> None:
    document, (one, two) = read_document(store, maker, ["Torgrum light at Torgrum", "from Torgrum to Hallvik"])
    revision, changed = store.edit_everywhere(one, 1, SetWord(word_id="w2", text="Torgrunn"), "Correct")
    assert (revision, changed) == (2, 3)
    assert store.content(two).regions[1].text == "from Torgrunn to Hallvik"
    store.undo(document)
    assert store.content(one).regions[1].text == "Torgrum light at Torgrum"
    assert store.content(two).regions[1].text == "from Torgrum to Hallvik"


def test_words_a_person_settled_are_not_corrected_from_elsewhere(store: Store, maker: type[ContentMaker]) -> None:
    _, (one, two) = read_document(store, maker, ["Torgrum", "Torgrum"])
    store.edit(two, 1, AcceptWord(word_id="w2"), "Accept")
    assert store.edit_everywhere(one, 1, SetWord(word_id="w2", text="Torgrunn"), "Correct")[1] == 1
    assert store.content(two).regions[1].text == "Torgrum"


def test_doubts_follow_the_content_worst_first(store: Store, maker: type[ContentMaker]) -> None:
    document, (page, _) = read_document(store, maker, ["zzqk lamp xxvb", "fine"])
    store.update_document(document, title="A title")
    before = store.doubts(document)
    assert {d["text"] for d in before} == {"zzqk", "xxvb"}
    assert [d["weight"] for d in before] == sorted((d["weight"] for d in before), reverse=True)
    store.edit(page, 1, AcceptWord(word_id="w2"), "Accept")
    assert store.doubt_counts("document_id", document) == {"proof": 1}
    store.undo(document)
    assert store.doubt_counts("document_id", document) == {"proof": 2}


def test_document_rules_are_doubts_that_can_be_accepted(store: Store, maker: type[ContentMaker]) -> None:
    document, (page,) = read_document(store, maker, ["fine"])
    assert [d["key"] for d in store.doubts(document, Stage.CHECK)] == ["check:title"]
    store.edit(page, 1, AcceptDoubt(key="check:title"), "Leave")
    assert store.doubts(document, Stage.CHECK) == []
    store.edit(page, 2, SetRole(region_id="r1", role=Role.HEADING_2), "Role")
    assert [d["key"] for d in store.doubts(document, Stage.CHECK)] == ["check:level:r1"]


def test_unsure_cleaning_is_a_doubt(store: Store, maker: type[ContentMaker]) -> None:
    batch = store.add_batch("b", ["eng"])
    document = store.add_document(batch, "s.png", "0" * 64, 1)
    (page,) = store.pages(document)
    task = store.waiting_tasks(1, [])[0]
    cleaned = Cleaned(width=9, height=9, dpi=300, turn=0, skew=0, trim=(0, 0, 9, 9), to_original=(1.0,) * 9, blank=True,
                      colour=False, findings=(Finding(step="quality", says="blank?", confidence=0.5),))  # fmt: skip
    store.page_cleaned(task, cleaned, "1" * 64, "2" * 64, None)
    store.replace_content(page["id"], maker().page(), "Read")
    assert "clean:quality" in {d["key"] for d in store.doubts(document)}


def test_undo_after_the_page_was_cleaned_anew_lays_the_old_reading_on_the_new_image(
    store: Store, maker: type[ContentMaker]
) -> None:
    document, (page,) = read_document(store, maker, ["the nedle"])
    store.edit(page, 1, SetWord(word_id="w3", text="needle"), "Correct")

    def clean(left: int) -> None:
        """The page cut `left` pixels further to the right, then read again."""
        cleaned = Cleaned(width=2480 - left, height=3508, dpi=300, turn=0, skew=0, trim=(left, 0, 2480, 3508),
                          to_original=(1.0, 0, left, 0, 1, 0, 0, 0, 1), blank=False, colour=False, findings=())  # fmt: skip
        store.page_cleaned(
            store.task(store.add_page_task(page, "clean", {"again": True})), cleaned, str(left) * 64, "2" * 64, None
        )
        (task,) = [t for t in store.waiting_tasks(9, []) if t["stage"] == "read" and t["page_id"] == page]
        store.page_read(task, maker().add(Role.PARAGRAPH, "read anew").page(), "Read again")

    with store.database.write() as db:
        db.execute("UPDATE task SET state = 'done'")
    clean(0)
    before = store.content(page)
    assert before is not None and before.regions[0].text == "read anew"
    store.undo(document)
    kept = store.content(page)
    assert kept is not None
    place = next(w.box for w in kept.words if w.text == "needle")
    store.redo(document)
    clean(120)
    store.undo(document)
    store.undo(document)
    moved = store.content(page)
    assert moved is not None and moved.width == 2360
    box = next(w.box for w in moved.words if w.text == "needle")
    assert abs(box.left - (place.left - 120)) <= 1 and abs(box.top - place.top) <= 1
    assert moved.regions[1].lines[0].baseline[0].x == pytest.approx(kept.regions[1].lines[0].baseline[0].x - 120)
    store.undo(document)
    assert "nedle" in [w.text for w in store.content(page).words]  # type: ignore[union-attr]


def test_a_cancelled_task_writes_nothing(store: Store) -> None:
    batch = store.add_batch("b", ["eng"])
    document = store.add_document(batch, "s.png", "0" * 64, 1)
    task = store.waiting_tasks(1, [])[0]
    assert store.cancel_tasks(batch) == 1
    store.page_brought_in(
        task, "1" * 64, {"width": 1, "height": 1, "dpi": 300, "dpi_reason": "", "kind": "scanned", "stated_turn": 0}
    )
    assert store.pages(document)[0]["original_blob"] is None
    assert store.retry_tasks(batch) == 1 and len(store.waiting_tasks(9, [])) == 1


def test_what_is_gone_is_not_found(store: Store) -> None:
    batch = store.add_batch("b", ["eng"])
    document = store.add_document(batch, "s.png", "0" * 64, 2)
    store.delete_document(document)
    with pytest.raises(NotFound):
        store.document(document)
    assert store.waiting_tasks(9, []) == []
    store.delete_batch(batch)
    with pytest.raises(NotFound):
        store.batch(batch)
