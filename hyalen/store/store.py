"""What is kept: batches, documents, pages with their content, the edit journal, tasks, deliveries."""

from __future__ import annotations

import json
import sqlite3
import time
import zlib
from collections.abc import Sequence
from pathlib import Path
from typing import Any, NamedTuple

from hyalen.core.accessibility.rules import Heading, document_doubts, page_headings
from hyalen.core.formats.names import delivery_stem
from hyalen.core.imaging.frame import relation
from hyalen.core.model.content import PageContent
from hyalen.core.model.document import DocumentContent
from hyalen.core.model.treatment import Cleaned, Finding, Treatment
from hyalen.core.proofing.doubts import Doubt, Stage, page_doubts
from hyalen.core.proofing.edits import Operation, SetWord, apply
from hyalen.core.proofing.keep import moved_content
from hyalen.store.arrangement import Arrangement
from hyalen.store.blobs import Blobs
from hyalen.store.database import Database, Row

SETTLE = "settle"  # the task, once a document's pages are read, that looks at all of them


class StaleEdit(Exception):
    """The page has changed since the edit was begun."""


class NotFound(KeyError):
    """There is no such batch, document or page."""


def packed(content: PageContent) -> bytes:
    return zlib.compress(content.model_dump_json(exclude_defaults=True).encode("utf8"), 3)


def unpacked(data: bytes) -> PageContent:
    return PageContent.model_validate_json(zlib.decompress(data))


class DocumentParts(NamedTuple):
    """A document as it is kept; `contents` are packed, because unpacked ones of 500 pages fill the memory."""

    title: str
    language: str | None
    page_ids: tuple[int, ...]
    revisions: tuple[int, ...]
    contents: tuple[bytes, ...]
    images: tuple[str, ...]

    def content(self) -> DocumentContent:
        pages = tuple(unpacked(c) for c in self.contents)
        return DocumentContent(title=self.title, language=self.language or main_language(pages), pages=pages)


class Store:
    """The data directory: `hyalen.sqlite3` and `blobs/`."""

    def __init__(self, directory: Path) -> None:
        directory.mkdir(parents=True, exist_ok=True)
        self.directory = directory
        self.database = Database(directory / "hyalen.sqlite3")
        self.blobs = Blobs(directory / "blobs")
        self.arrangement = Arrangement(self.database)

    def close(self) -> None:
        self.database.close()

    # Batches and documents

    def add_batch(self, name: str, languages: Sequence[str]) -> int:
        with self.database.write() as db:
            cursor = db.execute(
                "INSERT INTO batch (name, languages, created) VALUES (?, ?, ?)",
                (name, json.dumps(list(languages)), time.time()),
            )
            return int(cursor.lastrowid or 0)

    def batch(self, batch_id: int) -> Row:
        return self._one("batch", batch_id)

    def batches(self) -> list[Row]:
        return self.database.rows(
            """SELECT b.*,
                 (SELECT count(*) FROM document d WHERE d.batch_id = b.id) AS documents,
                 (SELECT coalesce(sum(page_count), 0) FROM document d WHERE d.batch_id = b.id) AS pages,
                 (SELECT count(*) FROM doubt x JOIN document d ON d.id = x.document_id
                   WHERE d.batch_id = b.id) AS doubts,
                 (SELECT count(*) FROM task t WHERE t.batch_id = b.id AND t.state IN ('waiting', 'running')) AS busy
               FROM batch b ORDER BY b.id DESC"""
        )

    def delete_batch(self, batch_id: int) -> None:
        self.batch(batch_id)
        with self.database.write() as db:
            db.execute("DELETE FROM batch WHERE id = ?", (batch_id,))

    def add_document(self, batch_id: int, source_name: str, source_blob: str, page_count: int, note: str = "") -> int:
        """A document with its pages, and a task for each."""
        batch = self.batch(batch_id)
        stem = delivery_stem(source_name)
        with self.database.write() as db:
            cursor = db.execute(
                """INSERT INTO document (batch_id, position, source_name, stem, source_blob, title, languages,
                     page_count, note)
                   VALUES (?, (SELECT coalesce(max(position), 0) + 1 FROM document WHERE batch_id = ?),
                     ?, ?, ?, ?, ?, ?, ?)""",
                (batch_id, batch_id, source_name, stem, source_blob, stem, batch["languages"], page_count, note),
            )
            document_id = int(cursor.lastrowid or 0)
            treatment = Treatment().model_dump_json()
            for index in range(page_count):
                page = db.execute(
                    "INSERT INTO page (document_id, position, source_index, treatment) VALUES (?, ?, ?, ?)",
                    (document_id, index, index, treatment),
                )
                self._task(db, batch_id, document_id, int(page.lastrowid or 0), Stage.BRING_IN)
        return document_id

    def document(self, document_id: int) -> Row:
        return self._one("document", document_id)

    def documents(self, batch_id: int) -> list[Row]:
        return self.database.rows("SELECT * FROM document WHERE batch_id = ? ORDER BY position", batch_id)

    def delete_document(self, document_id: int) -> None:
        self.document(document_id)
        with self.database.write() as db:
            db.execute("DELETE FROM doubt WHERE document_id = ?", (document_id,))
            db.execute("DELETE FROM document WHERE id = ?", (document_id,))

    def update_document(self, document_id: int, **values: Any) -> None:
        """Set title, language or languages."""
        self.document(document_id)
        names = [n for n in ("title", "language", "languages") if n in values]
        if not names:
            return
        assignments = ", ".join(f"{n} = ?" for n in names)
        with self.database.write() as db:
            db.execute(f"UPDATE document SET {assignments} WHERE id = ?", (*[values[n] for n in names], document_id))
            self._recheck(db, document_id)

    def add_problem(self, batch_id: int, file: str, reason: str) -> None:
        with self.database.write() as db:
            db.execute(
                "INSERT INTO problem (batch_id, file, reason, made) VALUES (?, ?, ?, ?)",
                (batch_id, file, reason, time.time()),
            )

    def problems(self, batch_id: int) -> list[Row]:
        return self.database.rows("SELECT * FROM problem WHERE batch_id = ? ORDER BY id", batch_id)

    def dismiss_problem(self, batch_id: int, problem_id: int) -> None:
        with self.database.write() as db:
            db.execute("DELETE FROM problem WHERE id = ? AND batch_id = ?", (problem_id, batch_id))

    # Pages

    def page(self, page_id: int) -> Row:
        return self._one("page", page_id)

    def pages(self, document_id: int) -> list[Row]:
        """A document's pages without their content, with the state of their tasks and their doubts."""
        return self.database.rows(
            """SELECT p.id, p.position, p.kind, p.width, p.height, p.dpi, p.dpi_reason, p.cleaned_blob,
                 p.thumb_blob, p.original_blob, p.revision, p.content IS NOT NULL AS has_content, p.languages,
                 p.half,
                 (SELECT count(*) FROM doubt d WHERE d.page_id = p.id) AS doubts,
                 t.state AS task_state, t.stage AS task_stage, t.reason AS task_reason
               FROM page p
               LEFT JOIN task t ON t.id = (SELECT max(id) FROM task WHERE page_id = p.id)
               WHERE p.document_id = ? AND p.removed_from IS NULL ORDER BY p.position""",
            document_id,
        )

    def content(self, page_id: int) -> PageContent | None:
        row = self.page(page_id)
        return unpacked(row["content"]) if row["content"] else None

    def cleaned(self, page_id: int) -> Cleaned | None:
        row = self.page(page_id)
        return Cleaned.model_validate_json(row["cleaned"]) if row["cleaned"] else None

    def set_page_languages(self, page_id: int, languages: Sequence[str] | None) -> None:
        with self.database.write() as db:
            value = json.dumps(list(languages)) if languages else None
            db.execute("UPDATE page SET languages = ? WHERE id = ?", (value, page_id))

    def page_languages(self, page: Row) -> tuple[str, ...]:
        """The page's own languages or its document's."""
        told = page["languages"] or self.document(page["document_id"])["languages"]
        return tuple(json.loads(told))

    def document_parts(self, document_id: int) -> DocumentParts:
        """What is delivered. Pages that are not read are left out."""
        document = self.document(document_id)
        rows = self.database.rows(
            """SELECT id, revision, content, cleaned_blob FROM page
               WHERE document_id = ? AND content IS NOT NULL AND removed_from IS NULL ORDER BY position""",
            document_id,
        )
        return DocumentParts(
            document["title"],
            document["language"],
            tuple(r["id"] for r in rows),
            tuple(r["revision"] for r in rows),
            tuple(r["content"] for r in rows),
            tuple(str(self.blobs.path(r["cleaned_blob"])) for r in rows),
        )

    def edition(self, document_id: int) -> str:
        """Changes whenever anything that is delivered changes."""
        document = self.document(document_id)
        row = self.database.row(
            """SELECT count(content) AS pages, coalesce(sum(revision), 0) AS changes,
                 coalesce(sum((position + 1) * id), 0) AS places
               FROM page WHERE document_id = ? AND removed_from IS NULL""",
            document_id,
        )
        assert row is not None
        return f"{row['pages']}.{row['changes']}.{row['places']}.{document['title']}.{document['language']}"

    # Content, journal and doubts

    def save_content(self, db: sqlite3.Connection, page_id: int, content: PageContent) -> int:
        """Write a page's content and what follows from it; the new revision."""
        page = db.execute("SELECT * FROM page WHERE id = ?", (page_id,)).fetchone()
        headings = [h.model_dump() for h in page_headings(content, page["position"])]
        db.execute(
            "UPDATE page SET content = ?, revision = revision + 1, headings = ? WHERE id = ?",
            (packed(content), json.dumps(headings), page_id),
        )
        cleaned = Cleaned.model_validate_json(page["cleaned"]) if page["cleaned"] else None
        self._set_doubts(db, page, page_doubts(content, cleaned))
        if json.dumps(headings) != page["headings"] or page["content"] is None:
            self._recheck(db, page["document_id"])
        else:
            self._drop_accepted(db, page_id, content)
        return int(page["revision"]) + 1

    def _set_doubts(self, db: sqlite3.Connection, page: Row, doubts: Sequence[Doubt]) -> None:
        db.execute("DELETE FROM doubt WHERE page_id = ? AND stage != ?", (page["id"], Stage.CHECK))
        if page["removed_from"] is None:
            self._add_doubts(db, page["id"], page["document_id"], doubts)

    def _add_doubts(self, db: sqlite3.Connection, page_id: int, document_id: int, doubts: Sequence[Doubt]) -> None:
        db.executemany(
            "INSERT OR REPLACE INTO doubt VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            [
                (page_id, document_id, d.key, d.stage, d.kind, d.weight, d.reason, d.region_id, d.word_id, d.text)
                for d in doubts
            ],
        )

    def _drop_accepted(self, db: sqlite3.Connection, page_id: int, content: PageContent) -> None:
        db.executemany("DELETE FROM doubt WHERE page_id = ? AND key = ?", [(page_id, key) for key in content.accepted])

    def _recheck(self, db: sqlite3.Connection, document_id: int) -> None:
        """The rules that look at the whole document, from the pages' headings."""
        document = db.execute("SELECT * FROM document WHERE id = ?", (document_id,)).fetchone()
        pages = db.execute(
            """SELECT id, position, headings FROM page WHERE document_id = ? AND removed_from IS NULL
               ORDER BY position""",
            (document_id,),
        ).fetchall()
        headings = [Heading.model_validate(h) for p in pages for h in json.loads(p["headings"])]
        db.execute("DELETE FROM doubt WHERE document_id = ? AND stage = ?", (document_id, Stage.CHECK))
        ids = [p["id"] for p in pages]
        concerned: set[int] = set()
        for index, doubt in document_doubts(document["title"], document["stem"], len(pages), headings):
            if index < len(ids):
                self._add_doubts(db, ids[index], document_id, [doubt])
                concerned.add(ids[index])
        for page_id in concerned:
            row = db.execute("SELECT content FROM page WHERE id = ?", (page_id,)).fetchone()
            if row["content"]:
                self._drop_accepted(db, page_id, unpacked(row["content"]))

    def doubts(self, document_id: int, stage: str | None = None, limit: int = 500) -> list[Row]:
        """Open doubts, worst first."""
        where, values = ("AND d.stage = ?", [stage]) if stage else ("", [])
        return self.database.rows(
            f"""SELECT d.*, p.position FROM doubt d JOIN page p ON p.id = d.page_id
                WHERE d.document_id = ? {where} ORDER BY d.weight DESC, p.position, d.key LIMIT ?""",
            document_id,
            *values,
            limit,
        )

    def page_doubts(self, page_id: int) -> list[Row]:
        """A page's open doubts, worst first."""
        return self.database.rows(
            "SELECT d.*, p.position FROM doubt d JOIN page p ON p.id = d.page_id WHERE d.page_id = ? ORDER BY weight DESC",
            page_id,
        )

    def doubt_counts(self, column: str, value: int) -> dict[str, int]:
        """Open doubts a stage, of a document or batch."""
        join = "JOIN document x ON x.id = d.document_id" if column == "batch_id" else ""
        name = "x.batch_id" if column == "batch_id" else "d.document_id"
        rows = self.database.rows(
            f"SELECT d.stage, count(*) AS n FROM doubt d {join} WHERE {name} = ? GROUP BY 1", value
        )
        return {r["stage"]: r["n"] for r in rows}

    def edit(self, page_id: int, revision: int, operation: Operation, label: str) -> int:
        """Change a page; the new revision.

        Raises
        ------
        StaleEdit
            If the page is not at `revision`.
        EditError
            If the page cannot take the change.
        """
        with self.database.write() as db:
            before = self._at_revision(page_id, revision)
            after = apply(before, operation)
            return self._journal(db, [(page_id, before, after)], label)[page_id]

    def edit_everywhere(self, page_id: int, revision: int, operation: SetWord, label: str) -> tuple[int, int]:
        """Correct a word and every unsettled word of the document that was read the same.

        Returns
        -------
        revision, changed
            The page's new revision and how many words changed.
        """
        with self.database.write() as db:
            before = self._at_revision(page_id, revision)
            misread = next((w.text for w in before.words if w.id == operation.word_id), None)
            changes: list[tuple[int, PageContent, PageContent]] = []
            count = 0
            rows = db.execute(
                "SELECT id, content FROM page WHERE document_id = (SELECT document_id FROM page WHERE id = ?)"
                " AND content IS NOT NULL AND removed_from IS NULL",
                (page_id,),
            ).fetchall()
            for row in rows:
                old = new = unpacked(row["content"])
                here = row["id"] == page_id
                for word in old.words:
                    chosen = here and word.id == operation.word_id
                    if chosen or (word.text == misread and not word.settled):
                        new = apply(new, SetWord(word_id=word.id, text=operation.text))
                        count += 1
                if new is not old:
                    changes.append((row["id"], old, new))
            revisions = self._journal(db, changes, label)
            return revisions[page_id], count

    def _at_revision(self, page_id: int, revision: int) -> PageContent:
        page = self.page(page_id)
        if page["content"] is None:
            raise StaleEdit("The page has not been read yet.")
        if page["revision"] != revision:
            raise StaleEdit("The page was changed elsewhere meanwhile; it is shown anew and nothing was overwritten.")
        return unpacked(page["content"])

    def _journal(
        self, db: sqlite3.Connection, changes: Sequence[tuple[int, PageContent | None, PageContent]], label: str
    ) -> dict[int, int]:
        """Write contents and record how to take them back; what was undone before is dropped."""
        document_id = self.page(changes[0][0])["document_id"]
        db.execute("DELETE FROM edit WHERE document_id = ? AND undone = 1", (document_id,))
        (change,) = db.execute("SELECT coalesce(max(change), 0) + 1 FROM edit").fetchone()
        revisions = {}
        for page_id, before, after in changes:
            db.execute(
                "INSERT INTO edit (document_id, page_id, change, label, before, after, made) VALUES (?,?,?,?,?,?,?)",
                (document_id, page_id, change, label, packed(before) if before else None, packed(after), time.time()),
            )
            revisions[page_id] = self.save_content(db, page_id, after)
        return revisions

    def replace_content(self, page_id: int, content: PageContent, label: str) -> None:
        """A new reading; an earlier one can be brought back by undo."""
        with self.database.write() as db:
            page = self.page(page_id)
            before = unpacked(page["content"]) if page["content"] else None
            if before is None:
                self.save_content(db, page_id, content)
            else:
                self._journal(db, [(page_id, before, content)], label)

    def undo(self, document_id: int) -> Row | None:
        """Take back the last change; the edit that was undone, or None."""
        return self._turn_back(document_id, undone=0, order="DESC", column="before")

    def redo(self, document_id: int) -> Row | None:
        """Do the last undone change again."""
        return self._turn_back(document_id, undone=1, order="ASC", column="after")

    def _turn_back(self, document_id: int, undone: int, order: str, column: str) -> Row | None:
        with self.database.write() as db:
            edits = db.execute(
                f"""SELECT * FROM edit WHERE document_id = ? AND change = (
                      SELECT change FROM edit WHERE document_id = ? AND undone = ? ORDER BY change {order} LIMIT 1)""",
                (document_id, document_id, undone),
            ).fetchall()
            for edit in edits:
                self.save_content(db, edit["page_id"], unpacked(edit[column]))
                db.execute("UPDATE edit SET undone = ? WHERE id = ?", (1 - undone, edit["id"]))
            return edits[0] if edits else None

    def history(self, document_id: int) -> tuple[str | None, str | None]:
        """Labels of what undo and redo would do."""
        undo = self.database.row(
            "SELECT label FROM edit WHERE document_id = ? AND undone = 0 ORDER BY change DESC LIMIT 1", document_id
        )
        redo = self.database.row(
            "SELECT label FROM edit WHERE document_id = ? AND undone = 1 ORDER BY change LIMIT 1", document_id
        )
        return (undo["label"] if undo else None, redo["label"] if redo else None)

    # Tasks

    def _task(
        self,
        db: sqlite3.Connection,
        batch_id: int,
        document_id: int | None,
        page_id: int | None,
        stage: str,
        settings: dict[str, Any] | None = None,
    ) -> int:
        cursor = db.execute(
            "INSERT INTO task (batch_id, document_id, page_id, stage, settings, made) VALUES (?, ?, ?, ?, ?, ?)",
            (batch_id, document_id, page_id, stage, json.dumps(settings or {}), time.time()),
        )
        return int(cursor.lastrowid or 0)

    def add_page_task(self, page_id: int, stage: str, settings: dict[str, Any] | None = None) -> int:
        """A task for a page; one that still waits for the same is replaced."""
        page = self.page(page_id)
        document = self.document(page["document_id"])
        with self.database.write() as db:
            db.execute("DELETE FROM task WHERE page_id = ? AND stage = ? AND state = 'waiting'", (page_id, stage))
            return self._task(db, document["batch_id"], document["id"], page_id, stage, settings)

    def add_document_task(self, document_id: int, stage: str, settings: dict[str, Any]) -> int:
        document = self.document(document_id)
        with self.database.write() as db:
            return self._task(db, document["batch_id"], document_id, None, stage, settings)

    def task(self, task_id: int) -> Row:
        return self._one("task", task_id)

    def waiting_tasks(self, limit: int, but: Sequence[int]) -> list[Row]:
        """The next tasks: deliveries first, then pages further on, so that documents are finished one by one.

        A sheet scanned on both sides is cleaned when both are here.
        """
        marks = ",".join("?" * len(but))
        return self.database.rows(
            f"""SELECT * FROM task WHERE state = 'waiting' AND id NOT IN ({marks})
                  AND NOT (stage = 'clean' AND document_id IN (SELECT id FROM document WHERE duplex = 1)
                    AND EXISTS (SELECT 1 FROM task b WHERE b.document_id = task.document_id AND b.stage = 'bring_in'
                      AND b.state IN ('waiting', 'running')))
                ORDER BY CASE stage WHEN 'deliver' THEN 0 ELSE 1 END, batch_id, document_id,
                  CASE stage WHEN 'read' THEN 0 WHEN 'clean' THEN 1 ELSE 2 END, id LIMIT ?""",
            *but,
            limit,
        )

    def set_task(self, task_id: int, state: str, reason: str = "", attempt: bool = False) -> None:
        with self.database.write() as db:
            db.execute(
                "UPDATE task SET state = ?, reason = ?, attempts = attempts + ?, finished = ? WHERE id = ?",
                (
                    state,
                    reason,
                    int(attempt),
                    time.time() if state in ("done", "failed", "cancelled") else None,
                    task_id,
                ),
            )

    def last_task(self, page_id: int) -> Row | None:
        """What was last asked for a page."""
        return self.database.row("SELECT * FROM task WHERE page_id = ? ORDER BY id DESC LIMIT 1", page_id)

    def has_open_tasks(self) -> bool:
        """Whether anything waits or runs."""
        return self.database.row("SELECT 1 FROM task WHERE state IN ('waiting', 'running') LIMIT 1") is not None

    def open_page_tasks(self, batch_id: int) -> dict[int, int]:
        """How many tasks of each document wait or run, deliveries aside."""
        rows = self.database.rows(
            """SELECT document_id, count(*) AS n FROM task
               WHERE batch_id = ? AND state IN ('waiting', 'running') AND stage != 'deliver' GROUP BY 1""",
            batch_id,
        )
        return {r["document_id"]: r["n"] for r in rows}

    def deliveries_under_way(self, batch_id: int) -> dict[int, list[str]]:
        """The formats that are being made of each document."""
        found: dict[int, list[str]] = {}
        for row in self.database.rows(
            """SELECT document_id, settings FROM task
               WHERE batch_id = ? AND stage = 'deliver' AND state IN ('waiting', 'running')""",
            batch_id,
        ):
            found.setdefault(row["document_id"], []).append(json.loads(row["settings"])["format"])
        return found

    def recover_tasks(self) -> int:
        """After a start: what was running when the server went waits again."""
        with self.database.write() as db:
            return db.execute("UPDATE task SET state = 'waiting' WHERE state = 'running'").rowcount

    def cancel_tasks(self, batch_id: int) -> int:
        with self.database.write() as db:
            return db.execute(
                "UPDATE task SET state = 'cancelled', finished = ? WHERE batch_id = ? AND state IN ('waiting', 'running')",
                (time.time(), batch_id),
            ).rowcount

    def retry_tasks(self, batch_id: int) -> int:
        """Failed and cancelled tasks wait again."""
        with self.database.write() as db:
            return db.execute(
                """UPDATE task SET state = 'waiting', reason = '', attempts = 0, finished = NULL
                   WHERE batch_id = ? AND state IN ('failed', 'cancelled')
                     AND id IN (SELECT max(id) FROM task GROUP BY coalesce(page_id, -document_id), stage)
                     AND NOT EXISTS (SELECT 1 FROM page p WHERE p.id = page_id AND p.removed_from IS NOT NULL)""",
                (batch_id,),
            ).rowcount

    def progress(self, batch_id: int) -> dict[str, dict[str, int]]:
        """Tasks by stage and state."""
        rows = self.database.rows(
            "SELECT stage, state, count(*) AS n FROM task WHERE batch_id = ? GROUP BY 1, 2", batch_id
        )
        found: dict[str, dict[str, int]] = {}
        for r in rows:
            found.setdefault(r["stage"], {})[r["state"]] = r["n"]
        return found

    def failed_tasks(self, batch_id: int) -> list[Row]:
        return self.database.rows(
            """SELECT t.*, d.source_name, p.position FROM task t
               LEFT JOIN document d ON d.id = t.document_id LEFT JOIN page p ON p.id = t.page_id
               WHERE t.batch_id = ? AND t.state = 'failed' AND p.removed_from IS NULL ORDER BY t.id""",
            batch_id,
        )

    # Results of tasks

    def page_brought_in(self, task: Row, original_blob: str, values: dict[str, Any]) -> None:
        """The original is here: clean it next."""
        with self.database.write() as db:
            if not self._finish(db, task["id"]):
                return
            db.execute(
                """UPDATE page SET original_blob = ?, width = ?, height = ?, dpi = ?, dpi_reason = ?, kind = ?,
                     stated_turn = ? WHERE id = ?""",
                (
                    original_blob,
                    values["width"],
                    values["height"],
                    values["dpi"],
                    values["dpi_reason"],
                    values["kind"],
                    values["stated_turn"],
                    task["page_id"],
                ),
            )
            self._task(db, task["batch_id"], task["document_id"], task["page_id"], Stage.CLEAN)

    def page_cleaned(
        self, task: Row, cleaned: Cleaned, image_blob: str, thumb_blob: str, read_blob: str | None
    ) -> None:
        """The cleaned image is here: read it next. `read_blob` is what is read where that is another image."""
        settings = json.loads(task["settings"])
        with self.database.write() as db:
            if not self._finish(db, task["id"]):
                return
            page = db.execute("SELECT * FROM page WHERE id = ?", (task["page_id"],)).fetchone()
            if cleaned.spread:
                languages = self.page_languages(page)
                for page_id in self.arrangement.split_spread(db, page, cleaned, languages):
                    self._task(db, task["batch_id"], task["document_id"], page_id, Stage.CLEAN)
                return
            cleaned = self._with_twin(page, cleaned)
            before = json.loads(page["cleaned"]) if page["cleaned"] and page["cleaned_blob"] else None
            db.execute(
                """UPDATE page SET cleaned = ?, cleaned_blob = ?, thumb_blob = ?, read_blob = ?, likeness = ?
                   WHERE id = ?""",
                (
                    cleaned.model_dump_json(),
                    image_blob,
                    thumb_blob,
                    read_blob,
                    "" if cleaned.blank else cleaned.likeness,
                    task["page_id"],
                ),
            )
            settings |= {"cleaned_before": before} if before and page["content"] else {}
            self._task(db, task["batch_id"], task["document_id"], task["page_id"], Stage.READ, settings)

    def _with_twin(self, page: Row, cleaned: Cleaned) -> Cleaned:
        """With a finding where the page was perhaps scanned twice."""
        twin = None if cleaned.blank or not cleaned.likeness else self.arrangement.twin_of(page, cleaned.likeness)
        if twin is None:
            return cleaned
        says = f"Looks the same as page {twin['position'] + 1}: perhaps scanned twice."
        finding = Finding(step="quality", topic="duplicate", says=says, value=twin["position"] + 1, confidence=0.6)
        return cleaned.model_copy(update={"findings": (*cleaned.findings, finding)})

    def pages_restored(self, page_ids: Sequence[int]) -> None:
        """Pages that are put back: their doubts again, and what was cut off when they were taken out."""
        with self.database.write() as db:
            for page_id in page_ids:
                page = self.page(page_id)
                batch_id = self.document(page["document_id"])["batch_id"]
                content, cleaned = self.content(page_id), self.cleaned(page_id)
                if content is not None:
                    self._set_doubts(db, page, page_doubts(content, cleaned))
                    continue
                stage = Stage.READ if page["cleaned_blob"] else Stage.CLEAN if page["original_blob"] else Stage.BRING_IN
                self._task(db, batch_id, page["document_id"], page_id, stage)

    def recheck(self, document_id: int) -> None:
        """After pages were moved, taken out or put back."""
        with self.database.write() as db:
            self._recheck(db, document_id)

    def page_read(self, task: Row, content: PageContent, label: str) -> None:
        """Keep a reading; the last page's brings the task that looks at the whole document."""
        with self.database.write() as db:
            if self._finish(db, task["id"]):
                before = json.loads(task["settings"]).get("cleaned_before")
                if before:
                    self._move_history(db, task["page_id"], Cleaned.model_validate(before))
                self.replace_content(task["page_id"], content, label)
                self._settle_next(db, task)

    def _move_history(self, db: sqlite3.Connection, page_id: int, before: Cleaned) -> None:
        """The page was cleaned anew: what it said, and all that undo can bring back, is laid on the new image."""
        now = self.cleaned(page_id)
        assert now is not None
        matrix = relation(before, now)

        def laid(data: bytes | None) -> bytes | None:
            return packed(moved_content(unpacked(data), matrix, now)) if data else None

        page = db.execute("SELECT content FROM page WHERE id = ?", (page_id,)).fetchone()
        db.execute("UPDATE page SET content = ? WHERE id = ?", (laid(page["content"]), page_id))
        for edit in db.execute("SELECT id, before, after FROM edit WHERE page_id = ?", (page_id,)).fetchall():
            db.execute(
                "UPDATE edit SET before = ?, after = ? WHERE id = ?",
                (laid(edit["before"]), laid(edit["after"]), edit["id"]),
            )

    def page_failed(self, task: Row, reason: str) -> None:
        with self.database.write() as db:
            self.set_task(task["id"], "failed", reason)
            if task["page_id"] is not None:
                self._settle_next(db, task)

    def _settle_next(self, db: sqlite3.Connection, task: Row) -> None:
        document = db.execute("SELECT settled FROM document WHERE id = ?", (task["document_id"],)).fetchone()
        if document and not document["settled"] and not self.unread_pages(task["document_id"]):
            self._task(db, task["batch_id"], task["document_id"], None, SETTLE)

    def document_settled(self, task: Row, pages: dict[int, tuple[int, PageContent]], language: str) -> None:
        """Contents after what needs all pages, and the main language; a page edited meanwhile keeps its edit."""
        with self.database.write() as db:
            if not self._finish(db, task["id"]):
                return
            for page_id, (revision, content) in pages.items():
                if self.page(page_id)["revision"] == revision:
                    self.save_content(db, page_id, content)
            db.execute(
                "UPDATE document SET settled = 1, language = coalesce(language, ?) WHERE id = ?",
                (language, task["document_id"]),
            )

    def document_delivered(self, task: Row, file_format: str, name: str, blob: str, size: int, edition: str) -> None:
        with self.database.write() as db:
            if self._finish(db, task["id"]):
                db.execute(
                    """INSERT INTO delivery (document_id, format, name, blob, size, edition, made)
                       VALUES (?, ?, ?, ?, ?, ?, ?)
                       ON CONFLICT (document_id, format) DO UPDATE SET name = excluded.name, blob = excluded.blob,
                         size = excluded.size, edition = excluded.edition, made = excluded.made""",
                    (task["document_id"], file_format, name, blob, size, edition, time.time()),
                )

    def _finish(self, db: sqlite3.Connection, task_id: int) -> bool:
        """Mark as done; False where it was cancelled or its page is gone."""
        return (
            db.execute(
                "UPDATE task SET state = 'done', reason = '', finished = ? WHERE id = ? AND state IN ('running', 'waiting')",
                (time.time(), task_id),
            ).rowcount
            == 1
        )

    def deliveries(self, batch_id: int) -> list[Row]:
        return self.database.rows(
            """SELECT v.*, d.batch_id FROM delivery v JOIN document d ON d.id = v.document_id
               WHERE d.batch_id = ? ORDER BY d.position, v.format""",
            batch_id,
        )

    def delivery(self, delivery_id: int) -> Row:
        return self._one("delivery", delivery_id)

    def unread_pages(self, document_id: int) -> int:
        row = self.database.row(
            """SELECT count(*) AS n FROM task WHERE document_id = ? AND state IN ('waiting', 'running')
                 AND stage IN ('bring_in', 'clean', 'read')""",
            document_id,
        )
        return int(row["n"]) if row else 0

    def _one(self, table: str, row_id: int) -> Row:
        row = self.database.row(f"SELECT * FROM {table} WHERE id = ?", row_id)
        if row is None:
            raise NotFound(f"There is no {table} {row_id}.")
        return row


def main_language(pages: Sequence[PageContent]) -> str:
    """The language of most of the text."""
    weights: dict[str, int] = {}
    for page in pages:
        for region in page.regions:
            if region.language:
                weights[region.language] = weights.get(region.language, 0) + len(region.text)
    return max(weights, key=lambda code: weights[code]) if weights else "eng"
