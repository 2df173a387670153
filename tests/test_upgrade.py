"""Data directories of earlier versions are brought up, and nothing in them is lost."""

from __future__ import annotations

import json
import sqlite3
import time
import zlib
from pathlib import Path

import pytest

from hyalen.core.decisions.decide import decide
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.replay import perform
from hyalen.core.decisions.requests import AcceptDoubt, Move, Request, SetAlternative, SetLine, SetRole, SetWord
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.treatment import Finding, Lighten, Switch, Treatment
from hyalen.core.proofing.doubts import Stage
from hyalen.core.proofing.search import Sought
from hyalen.store.database import migrations
from hyalen.store.search import Scope
from hyalen.store.store import Store
from hyalen.store.upgrade import shorten_options
from tests.conftest import ContentMaker, worn
from tests.helpers import cleaned, do, read_document, waiting


def old_database(data: Path, until: int) -> sqlite3.Connection:
    """An empty database of an earlier version."""
    data.mkdir(exist_ok=True)
    connection = sqlite3.connect(data / "hyalen.sqlite3")
    connection.row_factory = sqlite3.Row
    for name, sql in migrations():
        if int(name[:4]) <= until:
            connection.executescript(sql + f"\nPRAGMA user_version = {int(name[:4])};")
    return connection


def old_pack(content: PageContent) -> bytes:
    return zlib.compress(content.model_dump_json(exclude_defaults=True).encode("utf8"), 3)


def test_treatments_of_the_first_version_are_brought_up(data: Path) -> None:
    connection = old_database(data, 1)
    connection.execute("INSERT INTO batch (id, name, languages, created) VALUES (1, 'b', '[\"eng\"]', 0)")
    connection.execute(
        """INSERT INTO document (id, batch_id, position, source_name, stem, source_blob, title, languages, page_count)
           VALUES (1, 1, 1, 's.png', 's', 'x', 's', '[\"eng\"]', 1)"""
    )
    old = {"turn": {"switch": "by_hand", "degrees": 90}, "trim": {"switch": "by_hand", "box": [300, 600, 1500, 2400]},
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
    page = Store(data).pages.page(1)
    assert page.treatment.marks.switch is Switch.OFF and page.treatment.turn.degrees == 90
    assert page.treatment.trim.box == (1.0, 2.0, 5.0, 8.0)
    assert page.cleaned is not None and page.cleaned.findings[0].step == "marks"


READING = (
    ContentMaker(top=600).add(Role.HEADING_1, "Top").add(Role.PARAGRAPH, "the nedle valve\nwas cleened").figure()
    .add(Role.PARAGRAPH, "Nothing else").page()
)  # fmt: skip
EDITS: list[tuple[str, Request]] = [
    ("Correct “nedle” to “needle”", SetWord(word_id="w3", text="needle")),
    ("Make it caption", SetRole(region_id="r4", role=Role.CAPTION)),
    ("Describe picture", SetAlternative(region_id="r3", text="A tower")),
    ("Edit text", SetLine(region_id="r2", line=1, text="was cleaned at noon")),
    ("Move block", Move(region_id="r4", before="r1")),
    ("Leave as it is", AcceptDoubt(key="tag:role:r1")),
]


class OldDirectory:
    """Two pages of version 2: the first edited step by step as that version kept it, the second taken out."""

    def __init__(self, data: Path) -> None:
        db = self.db = old_database(data, 2)
        db.execute("INSERT INTO batch (id, name, languages, created) VALUES (1, 'Box', '[\"eng\"]', 5)")
        db.execute(
            """INSERT INTO document (id, batch_id, position, source_name, stem, source_blob, title, language,
                 languages, page_count, settled)
               VALUES (1, 1, 1, 'S.png', 'S', 'src', 'A title', 'eng', '[\"eng\"]', 2, 1)"""
        )
        self.after = [READING]
        for label, request in EDITS:
            content = self.after[-1]
            for operation in decide(content, request, Lay()):
                content = perform(content, operation, Lay())
            self.after.append(content)
            db.execute(
                """INSERT INTO edit (document_id, page_id, change, label, before, after, undone, made)
                   VALUES (1, 1, ?, ?, ?, ?, 0, ?)""",
                (len(self.after), label, old_pack(self.after[-2]), old_pack(content), 10.0 * len(self.after)),
            )
        pale = Treatment(lighten=Lighten(switch=Switch.BY_HAND, strength=0.4)).model_dump_json()
        for page, position, removed, content in (
            (1, 0, None, self.after[-1]),
            (2, -2, 1, READING),
            (3, 1, None, READING),
        ):
            db.execute(
                """INSERT INTO page (id, document_id, position, source_index, original_blob, kind, width, height, dpi,
                     treatment, cleaned, cleaned_blob, thumb_blob, content, revision, removed_from)
                   VALUES (?, 1, ?, ?, 'orig', 'scanned', 2480, 3508, 300, ?, ?, 'img', 'thumb', ?, 7, ?)""",
                (page, position, page - 1, pale, cleaned().model_dump_json(), old_pack(content), removed),
            )
            for stage in ("bring_in", "clean", "read"):
                db.execute(
                    """INSERT INTO task (batch_id, document_id, page_id, stage, state, made) VALUES (1, 1, ?, ?, 'done', 0)""",
                    (page, stage),
                )
        db.execute(
            """INSERT INTO treatment_change (document_id, page_id, change, before, made) VALUES (1, 1, 1, '{}', 35.0)"""
        )
        db.commit()

    def close(self) -> None:
        self.db.close()


@pytest.fixture
def old(data: Path) -> OldDirectory:
    return OldDirectory(data)


def says(content: PageContent | None) -> object:
    assert content is not None
    return (
        [(r.role, r.text, r.alternative_text, r.drawn) for r in content.regions],
        [(w.text, w.state) for w in content.words],
        content.accepted,
    )


def test_pages_edits_and_settings_of_the_second_version_are_kept(data: Path, old: OldDirectory) -> None:
    old.close()
    store = Store(data)
    assert says(store.pages.content(1)) == says(old.after[-1])
    assert store.pages.ids(1) == [1, 3] and [p.id for p in store.pages.removed(1)] == [2]
    assert store.documents.document(1).title == "A title" and not store.tasks.has_open()
    assert store.pages.page(1).treatment.lighten.strength == 0.4
    # The whole history is there in its order, treatment included, and can be taken back and done again.
    labels = []
    seen = [says(store.pages.content(1))]
    while store.journal.last(1):
        labels.append(store.decisions.undo(1).label)
        seen.append(says(store.pages.content(1)))
    expected = [label for label, _ in reversed(EDITS)]
    assert [x for x in labels if x in expected] == expected
    assert set(labels) - set(expected) == {"treatment of 1 page", "1 page taken out", "title"}
    assert seen[-1] == says(READING) and store.pages.ids(1) == [1, 2, 3]
    assert store.pages.page(1).treatment == Treatment()
    while store.journal.next(1):
        store.decisions.redo(1)
    assert says(store.pages.content(1)) == says(old.after[-1])


def test_what_was_decided_before_outlives_a_new_reading(data: Path, old: OldDirectory) -> None:
    old.close()
    store = Store(data)
    store.settings.read_again(1, [1], None, whole=False, keep=True)
    do(store, waiting(store, 1, "read"), READING)
    assert says(store.pages.content(1)) == says(old.after[-1])


def test_work_without_a_history_is_taken_over_as_one_change(data: Path, old: OldDirectory) -> None:
    old.db.execute("DELETE FROM edit WHERE label != 'Make it caption'")
    old.db.commit()
    old.close()
    store = Store(data)
    assert says(store.pages.content(1)) == says(old.after[-1])
    store.settings.read_again(1, [1], None, whole=False, keep=True)
    do(store, waiting(store, 1, "read"), READING)
    content = store.pages.content(1)
    assert content is not None and "the needle valve" in content.regions[1].text + content.regions[2].text
    assert Role.CAPTION in [r.role for r in content.regions]


def test_what_was_under_way_is_taken_up(data: Path, old: OldDirectory) -> None:
    old.db.execute(
        "INSERT INTO task (batch_id, document_id, page_id, stage, state, made) VALUES (1, 1, 3, 'clean', 'running', ?)",
        (time.time(),),
    )
    old.db.execute(
        "INSERT INTO task (batch_id, document_id, stage, state, made) VALUES (1, 1, 'settle', 'waiting', ?)", (0,)
    )
    old.db.commit()
    old.close()
    store = Store(data)
    assert [(t.page_id, t.stage) for t in store.tasks.next(9)] == [(3, "clean")]
    do(store, waiting(store, 3, "clean"), cleaned(40))
    do(store, waiting(store, 3, "read"), READING)
    assert not store.tasks.has_open()


def test_a_migration_that_fails_changes_nothing(data: Path, old: OldDirectory) -> None:
    old.db.execute("UPDATE page SET content = x'00' WHERE id = 1")
    old.db.commit()
    old.close()
    with pytest.raises(zlib.error):
        Store(data)
    connection = sqlite3.connect(data / "hyalen.sqlite3")
    assert connection.execute("PRAGMA user_version").fetchone() == (2,)
    assert connection.execute("SELECT count(*) FROM edit").fetchone() == (len(EDITS),)


def test_pages_of_before_the_search_are_found_and_their_words_judged(data: Path) -> None:
    content = worn(ContentMaker().add(Role.PARAGRAPH, "tbe lamp of Grimhaug").page())
    store = Store(data)
    document, ids = read_document(store, [content, content])
    wanted = (store.search.find(Sought(text="lamp"), Scope(document)).total, store.doubts.left(document).words)
    doubts = {d.key for d in store.doubts.of_document(document, Stage.PROOF)}
    store.close()
    connection = sqlite3.connect(data / "hyalen.sqlite3")
    for trigger in ("passage_added", "passage_gone"):
        connection.execute(f"DROP TRIGGER {trigger}")
    for table in (
        "bundle_file",
        "bundle_task",
        "bundle_part",
        "mark",
        "bundle_step",
        "bundle",
        "taken_in",
        "face",
        "scan",
        "scan_preset",
        "scanner",
        "passage_index",
        "passage",
        "listed",
        "sample",
        "judgement",
        "verdict",
        "delivery_set",
    ):
        connection.execute(f"DROP TABLE {table}")
    connection.execute("DROP INDEX doubt_alike")
    connection.execute("DROP INDEX doubt_of_document")
    connection.execute("DROP TABLE delivery")
    connection.execute(next(s for s in dict(migrations())["0001_initial.sql"].split(";") if "TABLE delivery" in s))
    for table, *columns in (
        (
            "page",
            "proofed",
            "expected",
            "variance",
            "chances",
            "source_blob",
            "source_page",
            "source_name",
            "came_blob",
            "told_dpi",
        ),
        ("doubt", "place", "alike", "mend", "of_document"),
        (
            "document",
            "labels",
            "particulars",
            "abbreviations",
            "bookmarks",
            "first_particulars",
            "cautions",
            "came_blob",
            "came_by",
        ),
        ("problem", "came_by"),
        ("batch", "particulars", "paused", "inbox"),
    ):
        for column in columns:
            connection.execute(f"ALTER TABLE {table} DROP COLUMN {column}")
    connection.execute("UPDATE doubt SET weight = 0.11")
    connection.execute("PRAGMA user_version = 6")
    connection.commit()
    connection.close()
    store = Store(data)
    assert (store.search.find(Sought(text="lamp"), Scope(document)).total, store.doubts.left(document).words) == wanted
    told = store.doubts.of_document(document, Stage.PROOF)
    assert {d.key for d in told} >= doubts and all(d.weight != 0.11 for d in told)
    assert all(slip.place and slip.alike for slip in store.doubts.slips(document, "letters", 0, 100))
    store.decisions.edit(ids[0], store.pages.page(ids[0]).revision, SetWord(word_id="w2", text="lantern"))
    assert store.search.find(Sought(text="lamp"), Scope(document)).total == wanted[0] - 1
    store.delete_document(document)
    assert store.search.find(Sought(text="lamp"), Scope()).total == 0


def test_deliveries_of_before_tell_only_unusual_choices(data: Path) -> None:
    store = Store(data)
    document, _ = read_document(store, [ContentMaker().add(Role.PARAGRAPH, "The lamp").page()])
    store.close()
    connection = sqlite3.connect(data / "hyalen.sqlite3")
    told = json.dumps({"keep_running_heads": False, "quality": "smallest", "name": "{source}"})
    connection.execute("INSERT INTO delivery (document_id, format, options, name, blob, size, edition, made) VALUES (?, 'pdf', ?, 'a.pdf', 'x', 1, '', 1)", (document, told))  # fmt: skip
    shorten_options(connection)
    connection.commit()
    connection.close()
    (made,) = Store(data).deliveries.of_batch(1)
    assert made.options == {"quality": "smallest"}
