"""Pages that go from one document to another: documents are split, joined, and pages moved between them."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence

from hyalen.core.decisions.operations import Arrange
from hyalen.core.formats.names import delivery_stem
from hyalen.core.model.text import fit
from hyalen.store.arrangement import Arrangement
from hyalen.store.contents import Contents
from hyalen.store.database import Database
from hyalen.store.documents import Documents
from hyalen.store.doubts import Doubts
from hyalen.store.journal import Journal
from hyalen.store.outcome import Stale
from hyalen.store.pages import Pages
from hyalen.store.records import DocumentRecord, PageRecord
from hyalen.store.scans import Scans


class Binding:
    """What was decided on a page goes with it, each step of the history by its own name."""

    def __init__(
        self,
        database: Database,
        documents: Documents,
        pages: Pages,
        doubts: Doubts,
        journal: Journal,
        arrangement: Arrangement,
        contents: Contents,
        scans: Scans,
    ) -> None:
        self.database = database
        self.documents = documents
        self.pages = pages
        self.doubts = doubts
        self.journal = journal
        self.arrangement = arrangement
        self.contents = contents
        self.scans = scans

    def move(self, document_id: int, page_ids: Sequence[int], target_id: int, behind: int | None = None) -> None:
        """Put pages of a document into another one: behind one of its pages, or at its end.

        Raises
        ------
        Stale
            If they are not pages of the one or would leave it empty, or the other is in another batch.
        """
        source, target = self.documents.document(document_id), self.documents.document(target_id)
        moved = self._moved(source, page_ids)
        if len(moved) == len(self.pages.ids(document_id)):
            raise Stale("A document keeps at least one page; join the documents instead. Nothing was moved.")
        if source.id == target.id or source.batch_id != target.batch_id:
            raise Stale("Pages move between two documents of one batch; nothing was moved.")
        with self.database.write() as db:
            self._move(db, source, moved, target, behind)

    def split(self, document_id: int, first_ids: Sequence[int]) -> list[int]:
        """Begin a new document at each of these pages; the new documents, in order.

        Raises
        ------
        Stale
            If one is not a page of the document behind its first.
        """
        source, order = self.documents.document(document_id), self.pages.ids(document_id)
        cuts = sorted(order.index(p) for p in set(first_ids) if p in order)
        if not cuts or cuts[0] == 0 or len(cuts) != len(set(first_ids)):
            raise Stale("A new document begins at a page behind the first; nothing was split.")
        made = []
        with self.database.write() as db:
            for number, (start, end) in enumerate(zip(cuts, [*cuts[1:], len(order)], strict=True), 2):
                stem, _, ending = source.source_name.rpartition(".")
                name = f"{stem or ending} part {number}{f'.{ending}' if stem else ''}"
                new_id = self.documents.add(source.batch_id, fit(name), source.source_blob, [], source.note)
                self._like(db, source, new_id)
                new = self.documents.document(new_id)
                self._move(db, self.documents.document(document_id), self._moved(source, order[start:end]), new, None)
                made.append(new_id)
            self._renumber(db, source, made)
        return made

    def arrange(self, batch_id: int, document_ids: Sequence[int]) -> None:
        """Put a batch's documents in this order.

        Raises
        ------
        Stale
            If these are not the batch's documents, each once.
        """
        if sorted(document_ids) != sorted(d.id for d in self.documents.of_batch(batch_id)):
            raise Stale("The documents have changed meanwhile; nothing was moved.")
        with self.database.write() as db:
            for position, document_id in enumerate(document_ids, 1):
                db.execute("UPDATE document SET position = ? WHERE id = ?", (position, document_id))

    def join(self, document_ids: Sequence[int]) -> None:
        """Put all pages of documents into the first one; the others go.

        Raises
        ------
        Stale
            If they are not of one batch, or fewer than two.
        """
        records = [self.documents.document(d) for d in dict.fromkeys(document_ids)]
        if len(records) < 2 or len({r.batch_id for r in records}) > 1:
            raise Stale("Two documents of one batch at least are joined; nothing was.")
        first = records[0]
        with self.database.write() as db:
            for record in records[1:]:
                shift = self._move(db, record, self._moved(record, self.pages.ids(record.id)), first, None)
                # What was taken out of it stays put back-able: it goes along, and stays taken out.
                rest = [r["id"] for r in db.execute("SELECT id FROM page WHERE document_id = ?", (record.id,))]
                if rest:
                    self._move(db, record, [self.pages.page(p) for p in rest], first, None)
                db.execute(
                    "UPDATE face SET document_id = ?, place = place + ? WHERE document_id = ?",
                    (first.id, shift, record.id),
                )
                db.execute("DELETE FROM document WHERE id = ?", (record.id,))

    # How

    def _moved(self, source: DocumentRecord, page_ids: Sequence[int]) -> list[PageRecord]:
        """The pages in their order, with those that are of the same picture."""
        wanted, order = set(page_ids), self.pages.ids(source.id)
        if not wanted or not wanted <= set(order):
            raise Stale("The pages have changed meanwhile; nothing was moved.")
        found: dict[int, PageRecord] = {}
        for page_id in order:
            if page_id in wanted:
                page = self.pages.page(page_id)
                found[page_id] = page
                found |= {kin.id: kin for kin in self.pages.halves(page)}
        return list(found.values())

    def _move(
        self,
        db: sqlite3.Connection,
        source: DocumentRecord,
        pages: Sequence[PageRecord],
        target: DocumentRecord,
        behind: int | None,
    ) -> int:
        """By how much their places in the order in which they came have grown."""
        self.scans.leave(db, [source.id, target.id])
        before = self.arrangement.order(target.id)
        natural = before == [
            int(r["id"])
            for r in db.execute("SELECT id FROM page WHERE document_id = ? ORDER BY source_index, id", (target.id,))
        ]
        room = self.pages.room(target.id)
        base = min(p.source_index for p in pages)
        shift = room - (base - base % 2)
        for page in pages:
            came = source.came_blob if page.source_blob is None else None
            db.execute(
                """UPDATE page SET document_id = ?, position = -4000000 - id, source_index = source_index + ?,
                     source_blob = coalesce(source_blob, ?), source_page = coalesce(source_page, source_index),
                     source_name = coalesce(source_name, ?), came_blob = coalesce(came_blob, ?),
                     removed_from = CASE WHEN removed_from IS NULL THEN NULL ELSE 0 END WHERE id = ?""",
                (target.id, shift, source.source_blob, source.source_name, came, page.id),
            )
            self._carry(db, page.id, source, target, shift)
        ids = [p.id for p in pages]
        as_they_came = [p.id for p in sorted(pages, key=lambda p: (p.source_index, p.id))]
        if behind is not None or ids != as_they_came or not natural:
            order = list(before)
            at = order.index(behind) + 1 if behind in order else len(order)
            order[at:at] = ids
            self.journal.record(db, target.id, "pages moved in", [(None, Arrange(order=tuple(order)))])
        if source.duplex and not before:
            db.execute("UPDATE document SET duplex = 1 WHERE id = ?", (target.id,))
        for document_id in (source.id, target.id):
            self.arrangement.arrange(db, document_id)
            db.execute("UPDATE document SET revision = revision + 1 WHERE id = ?", (document_id,))
        self.contents.settle_if_read(db, target.id)
        if self.pages.ids(source.id):
            self.contents.settle_if_read(db, source.id)
        return shift

    def _carry(
        self, db: sqlite3.Connection, page_id: int, source: DocumentRecord, target: DocumentRecord, shift: int
    ) -> None:
        """What is kept of a page by its document goes with it."""
        for table in ("doubt", "task", "sample"):
            db.execute(f"UPDATE {table} SET document_id = ? WHERE page_id = ?", (target.id, page_id))
        db.execute("UPDATE face SET document_id = ?, place = place + ? WHERE page_id = ?", (target.id, shift, page_id))
        db.execute(
            "INSERT OR IGNORE INTO picture SELECT ?, blob FROM picture WHERE document_id = ?", (target.id, source.id)
        )
        # The index of words hears of rows that come and go, not of those that change.
        columns = "page_id, region_id, place, role, language, text, folded, words"
        kept = db.execute(f"SELECT {columns} FROM passage WHERE page_id = ? ORDER BY id", (page_id,)).fetchall()
        db.execute("DELETE FROM passage WHERE page_id = ?", (page_id,))
        db.executemany(
            f"INSERT INTO passage (document_id, {columns}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
            [(target.id, *row) for row in kept],
        )
        self._carry_history(db, page_id, target.id)

    def _carry_history(self, db: sqlite3.Connection, page_id: int, target_id: int) -> None:
        """Each change that concerns the page becomes one of the other document's, of the same name."""
        changes = db.execute(
            """SELECT DISTINCT c.id, c.label, c.undone, c.made FROM change c JOIN operation o ON o.change_id = c.id
               WHERE o.page_id = ? ORDER BY c.id""",
            (page_id,),
        ).fetchall()
        for change in changes:
            new = db.execute(
                "INSERT INTO change (document_id, label, undone, made) VALUES (?, ?, ?, ?)",
                (target_id, change["label"], change["undone"], change["made"]),
            ).lastrowid
            db.execute(
                "UPDATE operation SET change_id = ?, document_id = ? WHERE change_id = ? AND page_id = ?",
                (new, target_id, change["id"], page_id),
            )
            db.execute(
                "DELETE FROM change WHERE id = ?1 AND NOT EXISTS (SELECT 1 FROM operation WHERE change_id = ?1)",
                (change["id"],),
            )

    def _like(self, db: sqlite3.Connection, source: DocumentRecord, new_id: int) -> None:
        """What is told of the whole is told of its parts."""
        db.execute(
            """UPDATE document SET (languages, first_languages, particulars, first_particulars, abbreviations, language,
                 found_language, cautions, came_blob, duplex)
                 = (SELECT languages, first_languages, particulars, particulars, abbreviations, language, found_language,
                      cautions, came_blob, duplex FROM document WHERE id = ?) WHERE id = ?""",
            (source.id, new_id),
        )
        stem = delivery_stem(self.documents.document(new_id).source_name)
        db.execute("UPDATE document SET title = ?, stem = ? WHERE id = ?", (stem, stem, new_id))

    def _renumber(self, db: sqlite3.Connection, source: DocumentRecord, made: Sequence[int]) -> None:
        """The parts stand behind the first one."""
        rows = db.execute("SELECT id FROM document WHERE batch_id = ? ORDER BY position", (source.batch_id,)).fetchall()
        order = [r["id"] for r in rows if r["id"] not in made]
        at = order.index(source.id) + 1
        order[at:at] = made
        self.arrange(source.batch_id, order)
