"""What a person must judge, and who has signed it off."""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Iterable

from hyalen.core.accessibility.page import Judgement
from hyalen.store.database import Database
from hyalen.store.pages import LIVE
from hyalen.store.records import JudgementRecord, NotFound


class Judgements:
    def __init__(self, database: Database) -> None:
        self.database = database

    def set_for_page(self, db: sqlite3.Connection, page_id: int, found: Iterable[Judgement]) -> None:
        """What is to be judged on a page as it is now."""
        set_judgements(db, page_id, found)

    def of_document(self, document_id: int, open_only: bool = False, limit: int = -1) -> list[JudgementRecord]:
        """In the order of the pages; a verdict counts while what was judged is as it was."""
        rows = self.database.rows(
            f"""SELECT j.*, p.position, v.name, v.made FROM judgement j JOIN page p ON p.id = j.page_id
                LEFT JOIN verdict v ON v.page_id = j.page_id AND v.key = j.key AND v.print = j.print
                WHERE p.document_id = ? AND p.{LIVE.replace("AND ", "AND p.")} {"AND v.made IS NULL" if open_only else ""}
                ORDER BY p.position, j.key LIMIT ?""",
            document_id,
            limit,
        )
        return [JudgementRecord.of(r) for r in rows]

    def count(self, document_id: int) -> tuple[int, int]:
        """How many are open, and how many are signed off."""
        row = self.database.row(
            f"""SELECT count(*) AS n, count(v.made) AS done FROM judgement j JOIN page p ON p.id = j.page_id
                LEFT JOIN verdict v ON v.page_id = j.page_id AND v.key = j.key AND v.print = j.print
                WHERE p.document_id = ? AND p.{LIVE.replace("AND ", "AND p.")}""",
            document_id,
        )
        return (int(row["n"]) - int(row["done"]), int(row["done"])) if row else (0, 0)

    def sign(self, page_id: int, key: str, print_: str, name: str) -> None:
        """Somebody has judged it and found it right.

        Raises
        ------
        NotFound
            If that is not to be judged, or has changed since.
        """
        with self.database.write() as db:
            known = db.execute(
                "SELECT 1 FROM judgement WHERE page_id = ? AND key = ? AND print = ?", (page_id, key, print_)
            ).fetchone()
            if known is None:
                raise NotFound("What was judged has changed meanwhile; look at it again.")
            db.execute(
                "INSERT OR REPLACE INTO verdict (page_id, key, print, name, made) VALUES (?, ?, ?, ?, ?)",
                (page_id, key, print_, name, time.time()),
            )

    def withdraw(self, page_id: int, key: str) -> None:
        with self.database.write() as db:
            db.execute("DELETE FROM verdict WHERE page_id = ? AND key = ?", (page_id, key))


def set_judgements(db: sqlite3.Connection, page_id: int, found: Iterable[Judgement]) -> None:
    rows = db.execute(
        "SELECT page_id, key, rule, question, print, region_id, text FROM judgement WHERE page_id = ?", (page_id,)
    )
    known = {row[1]: tuple(row) for row in rows}
    told = {j.key: (page_id, j.key, j.rule, j.question, j.print, j.region_id, j.text) for j in found}
    gone = [(page_id, key) for key, row in known.items() if told.get(key) != row]
    db.executemany("DELETE FROM judgement WHERE page_id = ? AND key = ?", gone)
    db.executemany(
        "INSERT INTO judgement (page_id, key, rule, question, print, region_id, text) VALUES (?, ?, ?, ?, ?, ?, ?)",
        [row for key, row in told.items() if known.get(key) != row],
    )
