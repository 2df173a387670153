"""Open doubts, worst first."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable

from hyalen.core.proofing.doubts import Doubt, Stage
from hyalen.store.database import Database
from hyalen.store.records import DoubtRecord

_COLUMNS = "d.page_id, p.position, d.key, d.stage, d.kind, d.weight, d.reason, d.region_id, d.word_id, d.text"


class Doubts:
    def __init__(self, database: Database) -> None:
        self.database = database

    def set_for_page(self, db: sqlite3.Connection, page_id: int, document_id: int, doubts: Iterable[Doubt]) -> None:
        """The doubts of one page, those of its document aside."""
        db.execute("DELETE FROM doubt WHERE page_id = ? AND stage != ?", (page_id, Stage.CHECK))
        self._add(db, document_id, ((page_id, d) for d in doubts))

    def set_for_document(self, db: sqlite3.Connection, document_id: int, doubts: Iterable[tuple[int, Doubt]]) -> None:
        """What only the whole document shows, each with its page's id."""
        db.execute("DELETE FROM doubt WHERE document_id = ? AND stage = ?", (document_id, Stage.CHECK))
        self._add(db, document_id, doubts)

    def drop_page(self, db: sqlite3.Connection, page_id: int) -> None:
        db.execute("DELETE FROM doubt WHERE page_id = ?", (page_id,))

    def _add(self, db: sqlite3.Connection, document_id: int, doubts: Iterable[tuple[int, Doubt]]) -> None:
        db.executemany(
            """INSERT OR REPLACE INTO doubt
                 (page_id, document_id, key, stage, kind, weight, reason, region_id, word_id, text)
               VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)""",
            [
                (page_id, document_id, d.key, d.stage, d.kind, d.weight, d.reason, d.region_id, d.word_id, d.text)
                for page_id, d in doubts
            ],
        )

    def of_document(
        self,
        document_id: int,
        stage: str | None = None,
        limit: int = -1,
        after: tuple[float, int, str] | None = None,
    ) -> list[DoubtRecord]:
        """From one (weight, position, key) on, or from the first; all where there is no limit."""
        where, values = "", list[object]()
        if stage is not None:
            where, values = "AND d.stage = ?", [stage]
        if after is not None:
            where += " AND (-d.weight, p.position, d.key) > (?, ?, ?)"
            values += [-after[0], after[1], after[2]]
        rows = self.database.rows(
            f"""SELECT {_COLUMNS} FROM doubt d JOIN page p ON p.id = d.page_id
                WHERE d.document_id = ? {where} ORDER BY d.weight DESC, p.position, d.key LIMIT ?""",
            document_id,
            *values,
            limit,
        )
        return [DoubtRecord.of(r) for r in rows]

    def of_page(self, page_id: int) -> list[DoubtRecord]:
        rows = self.database.rows(
            f"""SELECT {_COLUMNS} FROM doubt d JOIN page p ON p.id = d.page_id WHERE d.page_id = ?
                ORDER BY d.weight DESC, d.key""",
            page_id,
        )
        return [DoubtRecord.of(r) for r in rows]

    def count_document(self, document_id: int) -> dict[str, int]:
        """How many a stage."""
        rows = self.database.rows(
            "SELECT stage, count(*) AS n FROM doubt WHERE document_id = ? GROUP BY 1", document_id
        )
        return {r["stage"]: r["n"] for r in rows}

    def count_batch(self, batch_id: int) -> dict[str, int]:
        rows = self.database.rows(
            """SELECT d.stage, count(*) AS n FROM doubt d JOIN document x ON x.id = d.document_id
               WHERE x.batch_id = ? GROUP BY 1""",
            batch_id,
        )
        return {r["stage"]: r["n"] for r in rows}
