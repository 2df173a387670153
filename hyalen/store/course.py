"""The course of a page: what it needs next, from the fingerprints of its inputs, and what comes of its tasks."""

from __future__ import annotations

import hashlib
import json
import sqlite3
import time
from typing import Any

from hyalen import __version__
from hyalen.core.model.content import PageContent
from hyalen.core.model.packing import packed
from hyalen.core.model.treatment import Cleaned, Finding, Switch
from hyalen.core.proofing.chance import Weighed
from hyalen.core.proofing.doubts import Stage
from hyalen.store.arrangement import Arrangement
from hyalen.store.contents import Contents
from hyalen.store.database import Database, Row
from hyalen.store.documents import Documents
from hyalen.store.pages import Pages
from hyalen.store.records import PageRecord, TaskRecord
from hyalen.store.tasks import Tasks

UPGRADED = "upgraded"  # the fingerprint of a result of before results had one
RESULTS_KEPT = 3  # of a page and stage, so that what is undone and done again need not be computed again


def fingerprint(*inputs: Any) -> str:
    """Changes whenever one of a task's inputs or the program's version does."""
    data = json.dumps([__version__, *inputs], sort_keys=True, default=str)
    return hashlib.sha256(data.encode("utf8")).hexdigest()[:32]


class Course:
    def __init__(
        self,
        database: Database,
        documents: Documents,
        pages: Pages,
        contents: Contents,
        arrangement: Arrangement,
        tasks: Tasks,
    ) -> None:
        self.database = database
        self.documents = documents
        self.pages = pages
        self.contents = contents
        self.arrangement = arrangement
        self.tasks = tasks

    # What is wanted

    def cleaning_print(self, page: PageRecord) -> str:
        """Of how the page is to be cleaned."""
        reverse = self.pages.reverse(page) if page.treatment.show_through.switch is not Switch.OFF else None
        return fingerprint(
            page.original_blob,
            page.dpi,
            bool(page.dpi_reason),
            page.stated_turn,
            page.half,
            page.wanted_treatment.model_dump_json(),
            reverse.original_blob if reverse else None,
        )

    def reading_print(self, page: PageRecord) -> str:
        """Of how the page, as it is cleaned, is to be read."""
        own = (page.text_from or "own",) if page.own_text else ()
        return fingerprint(page.read_blob or page.cleaned_blob, page.cleaning_print, self.pages.languages(page), *own)

    def wanted(self, task: TaskRecord) -> str:
        """The fingerprint of a page task's inputs as they are now."""
        assert task.page_id is not None
        page = self.pages.page(task.page_id)
        if task.stage == Stage.CLEAN:
            return self.cleaning_print(page)
        return self.reading_print(page) if task.stage == Stage.READ else ""

    def advance(self, db: sqlite3.Connection, page_id: int, again: bool = False) -> None:
        """Have done what the page lacks, or take a result that is there already; `again` reads it in any case."""
        page = self.pages.page(page_id)
        if not page.is_live:
            self.tasks.cancel_page(db, page_id)
            return
        if page.original_blob is None:
            self._want(db, page, Stage.BRING_IN, "")
            return
        wanted = self.cleaning_print(page)
        if page.cleaning_print != wanted:
            kept = db.execute(
                """SELECT fingerprint, cleaned, image_blob, thumb_blob, read_blob FROM cleaning
                   WHERE page_id = ? AND fingerprint = ?""",
                (page_id, wanted),
            ).fetchone()
            if kept is None:
                self._want(db, page, Stage.CLEAN, wanted)
                return
            cleaned = Cleaned.model_validate_json(kept["cleaned"])
            if cleaned.spread:
                self.arrangement.split(db, page, cleaned)
                for half in self.pages.halves(page):
                    self.advance(db, half.id)
                return
            page = self._adopt_cleaning(db, page, cleaned, kept)
        wanted = self.reading_print(page)
        if page.reading_print != wanted or again:
            known = db.execute(
                "SELECT 1 FROM reading WHERE page_id = ? AND fingerprint = ?", (page_id, wanted)
            ).fetchone()
            if known is None or again:
                self._want(db, page, Stage.READ, wanted)
                return
            self._adopt_reading(db, page, wanted)
        self.tasks.drop_waiting(db, page_id)

    def advance_document(self, db: sqlite3.Connection, document_id: int) -> None:
        for page_id in self.pages.ids(document_id):
            self.advance(db, page_id)

    def _want(self, db: sqlite3.Connection, page: PageRecord, stage: Stage, wanted: str) -> None:
        batch_id = self.documents.document(page.document_id).batch_id
        self.tasks.want(db, batch_id, page.document_id, page.id, stage, wanted)

    def take_over(self) -> None:
        """After a migration: results of before get the fingerprints of what the pages are now, and the rest goes on."""
        rows = self.database.rows(
            "SELECT id FROM page WHERE cleaning_print = ? OR reading_print = ?", UPGRADED, UPGRADED
        )
        if not rows:
            return
        with self.database.write() as db:
            for row in rows:
                page = self.pages.page(row["id"])
                wanted = self.cleaning_print(page)
                if page.cleaning_print == UPGRADED:
                    self._rename(db, page.id, "cleaning", wanted)
                page = self.pages.page(page.id)
                if page.reading_print == UPGRADED and page.cleaning_print == wanted:
                    self._rename(db, page.id, "reading", self.reading_print(page))
            documents = db.execute("SELECT id FROM document").fetchall()
            for document in documents:
                self.arrangement.arrange(db, document["id"])
                for page in db.execute("SELECT id FROM page WHERE document_id = ?", (document["id"],)).fetchall():
                    self.advance(db, page["id"])
                    self.contents.rebuild(db, page["id"], settles=False)
                self.contents.settle_if_read(db, document["id"])

    def _rename(self, db: sqlite3.Connection, page_id: int, stage: str, wanted: str) -> None:
        db.execute(
            f"UPDATE {stage} SET fingerprint = ? WHERE page_id = ? AND fingerprint = ?", (wanted, page_id, UPGRADED)
        )
        db.execute(f"UPDATE page SET {stage}_print = ? WHERE id = ?", (wanted, page_id))
        if stage == "cleaning":
            db.execute(
                "UPDATE reading SET cleaning = ? WHERE page_id = ? AND cleaning = ?", (wanted, page_id, UPGRADED)
            )

    # What comes of it

    def brought_in(self, task: TaskRecord, original_blob: str, values: dict[str, Any]) -> bool:
        """The original is here; False where it is not wanted any more. The other results alike."""
        assert task.page_id is not None
        with self.database.write() as db:
            if not self.tasks.finish(task.id):
                return False
            db.execute(
                """UPDATE page SET original_blob = ?, width = ?, height = ?, dpi = ?, dpi_reason = ?, damage = ?, kind = ?,
                     stated_turn = ?, own_text = ? WHERE id = ?""",
                (
                    original_blob,
                    values["width"],
                    values["height"],
                    values["dpi"],
                    values["dpi_reason"],
                    values.get("damage", ""),
                    values["kind"],
                    values["stated_turn"],
                    int(values.get("own_text", False)),
                    task.page_id,
                ),
            )
            self.advance(db, task.page_id)
        return True

    def cleaned(
        self, task: TaskRecord, cleaned: Cleaned, image_blob: str, thumb_blob: str, read_blob: str | None
    ) -> bool:
        """`read_blob` is what is read where that is another image."""
        assert task.page_id is not None
        with self.database.write() as db:
            if not self.tasks.finish(task.id):
                return False
            db.execute(
                """INSERT OR REPLACE INTO cleaning
                     (page_id, fingerprint, cleaned, image_blob, thumb_blob, read_blob, made)
                   VALUES (?, ?, ?, ?, ?, ?, ?)""",
                (
                    task.page_id,
                    task.fingerprint,
                    cleaned.model_dump_json(),
                    image_blob,
                    thumb_blob,
                    read_blob,
                    time.time(),
                ),
            )
            self.advance(db, task.page_id)
        return True

    def read(self, task: TaskRecord, content: PageContent, weighed: Weighed) -> bool:
        """A page was read; False where nobody wants that any more."""
        assert task.page_id is not None
        data = packed(content, keep=True)
        with self.database.write() as db:
            if not self.tasks.finish(task.id):
                return False
            page = self.pages.page(task.page_id)
            if self.reading_print(page) == task.fingerprint:
                db.execute(
                    """INSERT OR REPLACE INTO reading (page_id, fingerprint, cleaning, content, made)
                       VALUES (?, ?, ?, ?, ?)""",
                    (task.page_id, task.fingerprint, page.cleaning_print, data, time.time()),
                )
                self._adopt_reading(db, page, task.fingerprint, weighed)
            self.advance(db, task.page_id)
            self.contents.settle_if_read(db, page.document_id)
        return True

    def failed(self, task: TaskRecord, reason: str) -> None:
        with self.database.write() as db:
            if self.tasks.fail(task.id, reason) and task.page_id is not None:
                self.contents.settle_if_read(db, self.pages.page(task.page_id).document_id)

    # Adopting results

    def _adopt_cleaning(self, db: sqlite3.Connection, page: PageRecord, cleaned: Cleaned, kept: Row) -> PageRecord:
        cleaned = self._with_twin(page, cleaned)
        db.execute(
            """UPDATE page SET cleaned = ?, cleaned_blob = ?, thumb_blob = ?, read_blob = ?, likeness = ?,
                 cleaning_print = ? WHERE id = ?""",
            (
                cleaned.model_dump_json(),
                kept["image_blob"],
                kept["thumb_blob"],
                kept["read_blob"],
                "" if cleaned.blank else cleaned.likeness,
                kept["fingerprint"],
                page.id,
            ),
        )
        return self.pages.page(page.id)

    def _adopt_reading(
        self, db: sqlite3.Connection, page: PageRecord, wanted: str, weighed: Weighed | None = None
    ) -> None:
        db.execute("UPDATE page SET reading_print = ?, roles = '{}' WHERE id = ?", (wanted, page.id))
        self.contents.rebuild(db, page.id, settles=False, weighed=weighed)
        self._forget_old(db, page.id)

    def _forget_old(self, db: sqlite3.Connection, page_id: int) -> None:
        db.execute(
            """DELETE FROM reading WHERE page_id = ?1 AND fingerprint != (SELECT reading_print FROM page WHERE id = ?1)
                 AND fingerprint NOT IN (
                   SELECT fingerprint FROM reading WHERE page_id = ?1 ORDER BY made DESC LIMIT ?2)""",
            (page_id, RESULTS_KEPT),
        )
        db.execute(
            """DELETE FROM cleaning WHERE page_id = ?1 AND fingerprint != (SELECT cleaning_print FROM page WHERE id = ?1)
                 AND fingerprint NOT IN (SELECT cleaning FROM reading WHERE page_id = ?1)
                 AND fingerprint NOT IN (
                   SELECT fingerprint FROM cleaning WHERE page_id = ?1 ORDER BY made DESC LIMIT ?2)""",
            (page_id, RESULTS_KEPT),
        )

    def _with_twin(self, page: PageRecord, cleaned: Cleaned) -> Cleaned:
        """With a finding where the page was perhaps scanned twice."""
        twin = None if cleaned.blank or not cleaned.likeness else self.pages.twin(page, cleaned.likeness)
        if twin is None:
            return cleaned
        says = f"Looks the same as page {twin + 1}: perhaps scanned twice."
        finding = Finding(step="quality", topic="duplicate", says=says, value=twin + 1, confidence=0.6)
        return cleaned.model_copy(update={"findings": (*cleaned.findings, finding)})
