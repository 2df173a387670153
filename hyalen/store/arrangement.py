"""A document's pages as a clerk arranges and treats them: order, deletion, spreads, treatments."""

from __future__ import annotations

import json
import sqlite3
import time
from collections.abc import Sequence

from hyalen.core.imaging.quality import unlike
from hyalen.core.model.document import RIGHT_TO_LEFT
from hyalen.core.model.treatment import Cleaned, Half, Treatment
from hyalen.core.proofing.doubts import Stage
from hyalen.store.database import Database, Row

MOST_UNLIKE = 46  # bits of 256 in which two scans of one page may differ; two pages differ in 70 and more


class NameTaken(ValueError):
    """There is such a treatment already."""


class Arrangement:
    """Changes to which pages a document has, and how each is treated. Every change keeps what it replaces."""

    def __init__(self, database: Database) -> None:
        self.database = database

    # Order

    def page_ids(self, document_id: int) -> list[int]:
        rows = self.database.rows(
            "SELECT id FROM page WHERE document_id = ? AND removed_from IS NULL ORDER BY position", document_id
        )
        return [r["id"] for r in rows]

    def arrange(self, document_id: int, order: Sequence[int]) -> None:
        """Put the pages in this order.

        Raises
        ------
        ValueError
            If these are not the document's pages, each once.
        """
        with self.database.write() as db:
            if sorted(order) != sorted(self.page_ids(document_id)):
                raise ValueError("the pages have changed meanwhile; nothing was moved")
            self._place(db, document_id, order)

    def _place(self, db: sqlite3.Connection, document_id: int, order: Sequence[int]) -> None:
        # Positions are unique, so all move out of the way first.
        db.execute(
            "UPDATE page SET position = position + 1000000 WHERE document_id = ? AND removed_from IS NULL",
            (document_id,),
        )
        db.executemany("UPDATE page SET position = ? WHERE id = ?", list(enumerate(order)))
        db.execute("UPDATE document SET page_count = ? WHERE id = ?", (len(order), document_id))

    def remove_pages(self, document_id: int, page_ids: Sequence[int]) -> int:
        """Take pages out; how many. They can be put back.

        Raises
        ------
        ValueError
            If no page would be left.
        """
        with self.database.write() as db:
            order = self.page_ids(document_id)
            gone = [p for p in order if p in set(page_ids)]
            if len(gone) == len(order):
                raise ValueError("a document keeps at least one page; delete the document instead")
            for page_id in gone:
                db.execute(
                    "UPDATE page SET removed_from = position, position = -id WHERE id = ?",
                    (page_id,),
                )
                db.execute("DELETE FROM doubt WHERE page_id = ?", (page_id,))
                db.execute(
                    "UPDATE task SET state = 'cancelled', finished = ? WHERE page_id = ? AND state IN ('waiting', 'running')",
                    (time.time(), page_id),
                )
            self._place(db, document_id, [p for p in order if p not in set(gone)])
        return len(gone)

    def restore_pages(self, document_id: int, page_ids: Sequence[int]) -> list[int]:
        """Put pages back where they stood; those that were."""
        with self.database.write() as db:
            rows = db.execute(
                "SELECT id, removed_from FROM page WHERE document_id = ? AND removed_from IS NOT NULL"
                " ORDER BY removed_from, id",
                (document_id,),
            ).fetchall()
            back = [r for r in rows if r["id"] in set(page_ids)]
            order = self.page_ids(document_id)
            for row in back:
                order.insert(min(row["removed_from"], len(order)), row["id"])
            db.executemany("UPDATE page SET removed_from = NULL WHERE id = ?", [(r["id"],) for r in back])
            self._place(db, document_id, order)
        return [r["id"] for r in back]

    def removed_pages(self, document_id: int) -> list[Row]:
        return self.database.rows(
            "SELECT id, removed_from, thumb_blob FROM page WHERE document_id = ? AND removed_from IS NOT NULL"
            " ORDER BY removed_from, id",
            document_id,
        )

    # Spreads

    def split_spread(self, db: sqlite3.Connection, page: Row, cleaned: Cleaned, languages: Sequence[str]) -> list[int]:
        """A whole picture becomes two pages, in reading direction; the ids of both."""
        first: Half = "right" if languages and languages[0] in RIGHT_TO_LEFT else "left"
        second: Half = "left" if first == "right" else "right"
        known = cleaned.model_dump_json()
        order = self.page_ids(page["document_id"])
        earlier = db.execute(
            """SELECT id FROM page WHERE document_id = ? AND source_index = ? AND half != 'whole'
               AND removed_from IS NOT NULL AND id != ?""",
            (page["document_id"], page["source_index"], page["id"]),
        ).fetchone()
        if earlier:
            other = int(earlier["id"])
            db.execute("UPDATE page SET removed_from = NULL WHERE id = ?", (other,))
        else:
            cursor = db.execute(
                """INSERT INTO page (document_id, position, source_index, original_blob, kind, width, height, dpi,
                     dpi_reason, stated_turn, languages, treatment)
                   SELECT document_id, -id, source_index, original_blob, kind, width, height, dpi, dpi_reason,
                     stated_turn, languages, treatment FROM page WHERE id = ?""",
                (page["id"],),
            )
            other = int(cursor.lastrowid or 0)
        for page_id, half in ((page["id"], first), (other, second)):
            db.execute(
                "UPDATE page SET half = ?, cleaned = ?, treatment = ? WHERE id = ?",
                (half, known, page["treatment"], page_id),
            )
        order.insert(order.index(page["id"]) + 1, other)
        self._place(db, page["document_id"], order)
        return [int(page["id"]), other]

    def join_spread(self, page: Row) -> None:
        """A half becomes the whole picture again; its other half is taken out."""
        other = self.other_half(page)
        if other is not None:
            self.remove_pages(page["document_id"], [other])
        with self.database.write() as db:
            db.execute("UPDATE page SET half = 'whole' WHERE id = ?", (page["id"],))

    def other_half(self, page: Row) -> int | None:
        """The page that came from the same picture."""
        if page["half"] == "whole":
            return None
        row = self.database.row(
            """SELECT id FROM page WHERE document_id = ? AND source_index = ? AND id != ? AND half != 'whole'
               AND removed_from IS NULL""",
            page["document_id"],
            page["source_index"],
            page["id"],
        )
        return int(row["id"]) if row else None

    # Duplex and duplicates

    def reverse_of(self, page: Row) -> Row | None:
        """The back of a sheet that was scanned on both sides, front and back in turn."""
        return self.database.row(
            """SELECT p.* FROM page p JOIN document d ON d.id = p.document_id
               WHERE p.document_id = ? AND d.duplex = 1 AND p.source_index = ? AND p.half = 'whole' AND p.original_blob IS NOT NULL""",
            page["document_id"],
            page["source_index"] ^ 1,
        )

    def set_duplex(self, document_id: int, duplex: bool) -> None:
        with self.database.write() as db:
            db.execute("UPDATE document SET duplex = ? WHERE id = ?", (int(duplex), document_id))

    def twin_of(self, page: Row, likeness: str) -> Row | None:
        """Another page of the document that looks the same, or None."""
        rows = self.database.rows(
            """SELECT id, position, likeness FROM page WHERE document_id = ? AND id != ? AND likeness != ''
               AND removed_from IS NULL ORDER BY position""",
            page["document_id"],
            page["id"],
        )
        return next((r for r in rows if unlike(r["likeness"], likeness) <= MOST_UNLIKE), None)

    # Treatments

    def set_treatments(self, document_id: int, treatments: dict[int, Treatment]) -> int:
        """Give pages new treatments and have them cleaned again; how many tasks."""
        now = time.time()
        with self.database.write() as db:
            (change,) = db.execute("SELECT coalesce(max(change), 0) + 1 FROM treatment_change").fetchone()
            batch = db.execute("SELECT batch_id FROM document WHERE id = ?", (document_id,)).fetchone()["batch_id"]
            for page_id, treatment in treatments.items():
                db.execute(
                    """INSERT INTO treatment_change (document_id, page_id, change, before, made)
                       SELECT document_id, id, ?, treatment, ? FROM page WHERE id = ?""",
                    (change, now, page_id),
                )
                self._treat(db, batch, document_id, page_id, treatment.model_dump_json())
        return len(treatments)

    def _treat(self, db: sqlite3.Connection, batch_id: int, document_id: int, page_id: int, treatment: str) -> None:
        db.execute("UPDATE page SET treatment = ? WHERE id = ?", (treatment, page_id))
        db.execute("DELETE FROM task WHERE page_id = ? AND stage = ? AND state = 'waiting'", (page_id, Stage.CLEAN))
        db.execute(
            "INSERT INTO task (batch_id, document_id, page_id, stage, settings, made) VALUES (?, ?, ?, ?, ?, ?)",
            (batch_id, document_id, page_id, Stage.CLEAN, json.dumps({"again": True}), time.time()),
        )

    def take_back_treatment(self, document_id: int) -> list[int]:
        """Undo the last change of treatments; the pages that are cleaned again."""
        with self.database.write() as db:
            rows = db.execute(
                """SELECT t.*, d.batch_id FROM treatment_change t JOIN document d ON d.id = t.document_id
                   WHERE t.document_id = ? AND change = (
                     SELECT max(change) FROM treatment_change WHERE document_id = ?)""",
                (document_id, document_id),
            ).fetchall()
            for row in rows:
                self._treat(db, row["batch_id"], document_id, row["page_id"], row["before"])
                db.execute("DELETE FROM treatment_change WHERE id = ?", (row["id"],))
        return [r["page_id"] for r in rows]

    def can_take_back_treatment(self, document_id: int) -> bool:
        return (
            self.database.row("SELECT 1 FROM treatment_change WHERE document_id = ? LIMIT 1", document_id) is not None
        )

    def named_treatments(self) -> list[Row]:
        return self.database.rows("SELECT * FROM named_treatment ORDER BY name")

    def save_named_treatment(self, name: str, treatment: Treatment, replace: bool = False) -> int:
        """Keep a treatment under a name.

        Raises
        ------
        NameTaken
            If there is one of that name and it is not to be replaced.
        """
        with self.database.write() as db:
            row = db.execute("SELECT id FROM named_treatment WHERE name = ?", (name,)).fetchone()
            if row and not replace:
                raise NameTaken(f"There is a treatment named “{name}” already.")
            if row:
                db.execute(
                    "UPDATE named_treatment SET treatment = ?, made = ? WHERE id = ?",
                    (treatment.model_dump_json(), time.time(), row["id"]),
                )
                return int(row["id"])
            cursor = db.execute(
                "INSERT INTO named_treatment (name, treatment, made) VALUES (?, ?, ?)",
                (name, treatment.model_dump_json(), time.time()),
            )
            return int(cursor.lastrowid or 0)

    def delete_named_treatment(self, treatment_id: int) -> None:
        with self.database.write() as db:
            db.execute("DELETE FROM named_treatment WHERE id = ?", (treatment_id,))
