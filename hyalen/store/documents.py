"""Batches and their documents."""

from __future__ import annotations

import json
import time
from collections.abc import Sequence

from hyalen.core.formats.names import delivery_stem
from hyalen.core.model.document import Particulars
from hyalen.core.model.treatment import Treatment
from hyalen.core.proofing.doubts import Stage
from hyalen.store.database import Database
from hyalen.store.records import BatchCounts, BatchRecord, DocumentRecord, NotFound, PageRecord, ProblemRecord, Source
from hyalen.store.tasks import Tasks

BATCH = "id, name, languages, created, particulars, paused"
DOCUMENT = """labels, particulars, abbreviations, bookmarks, id, batch_id, source_name, source_blob, came_blob, stem, position, title, language, found_language, languages,
  first_languages, page_count, settled, duplex, note, cautions, revision"""


class Documents:
    def __init__(self, database: Database, tasks: Tasks) -> None:
        self.database = database
        self.tasks = tasks

    # Batches

    def add_batch(self, name: str, languages: Sequence[str]) -> int:
        with self.database.write() as db:
            cursor = db.execute(
                "INSERT INTO batch (name, languages, created) VALUES (?, ?, ?)",
                (name, json.dumps(list(languages)), time.time()),
            )
            return int(cursor.lastrowid or 0)

    def batch(self, batch_id: int) -> BatchRecord:
        row = self.database.row(f"SELECT {BATCH} FROM batch WHERE id = ?", batch_id)
        if row is None:
            raise NotFound(f"There is no batch {batch_id}.")
        return BatchRecord.of(row)

    def batches(self) -> list[BatchCounts]:
        """The newest first."""
        rows = self.database.rows(
            f"""SELECT {BATCH},
                  (SELECT count(*) FROM document d WHERE d.batch_id = b.id) AS documents,
                  (SELECT coalesce(sum(page_count), 0) FROM document d WHERE d.batch_id = b.id) AS pages,
                  (SELECT count(*) FROM doubt x JOIN document d ON d.id = x.document_id
                    WHERE d.batch_id = b.id AND x.shared > 0) AS doubts,
                  (SELECT count(*) FROM task t WHERE t.batch_id = b.id AND t.state IN ('waiting', 'running')) AS busy
                FROM batch b ORDER BY b.id DESC"""
        )
        return [BatchCounts(BatchRecord.of(r), r["documents"], r["pages"], r["doubts"], r["busy"]) for r in rows]

    def tell_batch(self, batch_id: int, particulars: Particulars) -> None:
        """What is told of documents that are brought in from now on."""
        self.batch(batch_id)
        with self.database.write() as db:
            told = particulars.model_dump_json(exclude_defaults=True)
            db.execute("UPDATE batch SET particulars = ? WHERE id = ?", (told, batch_id))

    def pause(self, batch_id: int, paused: bool) -> None:
        """Have work on a batch rest, or go on."""
        self.batch(batch_id)
        with self.database.write() as db:
            db.execute("UPDATE batch SET paused = ? WHERE id = ?", (int(paused), batch_id))

    # Documents

    def keep_picture(self, document_id: int, blob: str) -> None:
        """An image that may stand in the stead of one of the document's pictures."""
        with self.database.write() as db:
            db.execute("INSERT OR IGNORE INTO picture (document_id, blob) VALUES (?, ?)", (document_id, blob))

    def pictures(self, document_id: int) -> list[str]:
        """The names of such images."""
        return [r["blob"] for r in self.database.rows("SELECT blob FROM picture WHERE document_id = ?", document_id)]

    def add(
        self,
        batch_id: int,
        source_name: str,
        source_blob: str,
        pages: int | Sequence[int],
        note: str = "",
        cautions: Sequence[str] = (),
        came_blob: str | None = None,
        came_by: str = "",
    ) -> int:
        """A document with its pages, and a task for each; `pages` is how many the file has, or which of them count.

        `came_blob` is what came in, where the source was made from it.
        """
        indices = range(pages) if isinstance(pages, int) else pages
        batch = self.batch(batch_id)
        stem, languages = delivery_stem(source_name), json.dumps(batch.languages)
        told = batch.particulars.model_dump_json(exclude_defaults=True)
        with self.database.write() as db:
            cursor = db.execute(
                """INSERT INTO document (batch_id, position, source_name, stem, source_blob, title, languages,
                     first_languages, page_count, note, particulars, first_particulars, cautions, came_blob, came_by)
                   VALUES (?, (SELECT coalesce(max(position), 0) + 1 FROM document WHERE batch_id = ?),
                     ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)""",
                (
                    batch_id, batch_id, source_name, stem, source_blob, stem, languages, languages, len(indices), note,
                    told, told, json.dumps(list(cautions)), came_blob, came_by,
                ),
            )  # fmt: skip
            document_id = int(cursor.lastrowid or 0)
            treatment = Treatment().model_dump_json(exclude_defaults=True)
            for position, index in enumerate(indices):
                page = db.execute(
                    """INSERT INTO page (document_id, position, source_index, treatment, first_treatment)
                       VALUES (?, ?, ?, ?, ?)""",
                    (document_id, position, index, treatment, treatment),
                )
                self.tasks.want(db, batch_id, document_id, int(page.lastrowid or 0), Stage.BRING_IN, "")
        return document_id

    def same_note(self, batch_id: int, blob: str) -> str:
        """A remark where a file of the same content is in the batch already, else ""."""
        row = self.database.row(
            """SELECT source_name FROM document WHERE batch_id = ? AND coalesce(came_blob, source_blob) = ?
               ORDER BY position LIMIT 1""",
            batch_id,
            blob,
        )
        return f"the same file as {row['source_name']}" if row else ""

    def document(self, document_id: int) -> DocumentRecord:
        row = self.database.row(f"SELECT {DOCUMENT} FROM document WHERE id = ?", document_id)
        if row is None:
            raise NotFound(f"There is no document {document_id}.")
        return DocumentRecord.of(row)

    def source_of(self, page: PageRecord) -> tuple[str, int]:
        """The file that a page comes from, and which of its pages it is."""
        blob = page.source_blob or self.document(page.document_id).source_blob
        return blob, page.source_index if page.source_page is None else page.source_page

    def sources(self, document_id: int) -> list[Source]:
        """The files that a document's pages came from, bit for bit, in the order of the pages."""
        rows = self.database.rows(
            """SELECT coalesce(p.source_name, d.source_name) AS name, CASE WHEN p.source_blob IS NULL
                 THEN coalesce(d.came_blob, d.source_blob) ELSE coalesce(p.came_blob, p.source_blob) END AS blob
               FROM page p JOIN document d ON d.id = p.document_id
               WHERE d.id = ? AND p.removed_from IS NULL AND p.joined = 0 ORDER BY p.position""",
            document_id,
        )
        return list(dict.fromkeys(Source(r["name"], r["blob"]) for r in rows))

    def has(self, document_id: int) -> bool:
        """Whether there is such a document."""
        return self.database.row("SELECT 1 FROM document WHERE id = ?", document_id) is not None

    def has_tables(self, document_id: int) -> bool:
        """Whether a table was read on one of its pages."""
        found = "SELECT 1 FROM passage WHERE document_id = ? AND role = 'table' LIMIT 1"
        return self.database.row(found, document_id) is not None

    def name_parts(self, document: DocumentRecord) -> dict[str, str]:
        """What the name of a delivered file may be made of (`names.TOKENS`)."""
        return {
            "source": document.stem,
            "title": document.title,
            "reference": document.particulars.reference or document.stem,
            "number": f"{document.position:03}",
            "date": time.strftime("%Y-%m-%d"),
            "batch": self.batch(document.batch_id).name,
        }

    def of_batch(self, batch_id: int) -> list[DocumentRecord]:
        rows = self.database.rows(f"SELECT {DOCUMENT} FROM document WHERE batch_id = ? ORDER BY position", batch_id)
        return [DocumentRecord.of(r) for r in rows]

    # Problems

    def add_problem(self, batch_id: int, file: str, reason: str, came_by: str = "") -> int:
        with self.database.write() as db:
            cursor = db.execute(
                "INSERT INTO problem (batch_id, file, reason, made, came_by) VALUES (?, ?, ?, ?, ?)",
                (batch_id, file, reason, time.time(), came_by),
            )
            return int(cursor.lastrowid or 0)

    def problems(self, batch_id: int) -> list[ProblemRecord]:
        rows = self.database.rows("SELECT id, file, reason FROM problem WHERE batch_id = ? ORDER BY id", batch_id)
        return [ProblemRecord(r["id"], r["file"], r["reason"]) for r in rows]

    def dismiss_problem(self, batch_id: int, problem_id: int) -> None:
        with self.database.write() as db:
            gone = db.execute("DELETE FROM problem WHERE id = ? AND batch_id = ?", (problem_id, batch_id))
            if not gone.rowcount:
                raise NotFound(f"There is no problem {problem_id} in batch {batch_id}.")
