"""Open doubts, worst first."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterable
from typing import Literal

from hyalen.core.model.geometry import Box
from hyalen.core.proofing.doubts import Doubt
from hyalen.core.proofing.remaining import Left, worth_a_look
from hyalen.store.database import Database
from hyalen.store.pages import LIVE
from hyalen.store.records import DoubtRecord, SlipRecord

# What one cause makes of every page of a scanner's run: it is told once a document.
SlipsBy = Literal["letters", "words"]
SHARED = tuple(f"clean:quality:{topic}" for topic in ("resolution", "sharpness", "contrast", "noise"))
LEAST_SHARING = 3  # pages
_KEPT = "page_id, document_id, key, stage, kind, weight, reason, region_id, word_id, text, place, alike, mend"
_COLUMNS = """d.page_id, p.position, d.key, d.stage, d.kind, d.weight, d.reason, d.region_id, d.word_id, d.text, d.mend,
  CASE WHEN d.shared > 1 THEN (SELECT group_concat(q.position) FROM doubt s JOIN page q ON q.id = s.page_id
    WHERE s.document_id = d.document_id AND s.key = d.key) END AS pages"""


class Doubts:
    def __init__(self, database: Database) -> None:
        self.database = database

    def set_for_page(self, db: sqlite3.Connection, page_id: int, document_id: int, doubts: Iterable[Doubt]) -> None:
        """The doubts of one page, those of its document aside; what is as it was stays, for most of it is."""
        rows = db.execute(f"SELECT {_KEPT} FROM doubt WHERE page_id = ? AND NOT of_document", (page_id,))
        known = {row["key"]: tuple(row) for row in rows}
        told = {d.key: _row(page_id, document_id, d) for d in doubts}
        gone = [key for key, row in known.items() if told.get(key) != row]
        fresh = [row for key, row in told.items() if known.get(key) != row]
        db.executemany("DELETE FROM doubt WHERE page_id = ? AND key = ?", [(page_id, key) for key in gone])
        _add(db, fresh)
        if not set(SHARED).isdisjoint([*gone, *(key for _, _, key, *_ in fresh)]):
            self._share(db, document_id)

    def set_for_document(self, db: sqlite3.Connection, document_id: int, doubts: Iterable[tuple[int, Doubt]]) -> None:
        """What only the whole document shows, each with its page's id."""
        db.execute("DELETE FROM doubt WHERE document_id = ? AND of_document", (document_id,))
        add_doubts(db, document_id, doubts, of_document=True)

    def drop_page(self, db: sqlite3.Connection, page_id: int, document_id: int) -> None:
        db.execute("DELETE FROM doubt WHERE page_id = ?", (page_id,))
        self._share(db, document_id)

    def _share(self, db: sqlite3.Connection, document_id: int) -> None:
        """Let the first of the pages with one cause tell it for all."""
        for key in SHARED:
            rows = db.execute(
                """SELECT d.page_id, d.shared FROM doubt d JOIN page p ON p.id = d.page_id
                   WHERE d.document_id = ? AND d.key = ? ORDER BY p.position""",
                (document_id, key),
            ).fetchall()
            many = len(rows) >= LEAST_SHARING
            wanted = [len(rows) if at == 0 and many else int(not many) for at in range(len(rows))]
            changed = [(now, r["page_id"], key) for r, now in zip(rows, wanted, strict=True) if r["shared"] != now]
            db.executemany("UPDATE doubt SET shared = ? WHERE page_id = ? AND key = ?", changed)

    def sharing(self, document_id: int, key: str) -> list[int]:
        """The pages that have a doubt of that key."""
        rows = self.database.rows("SELECT page_id FROM doubt WHERE document_id = ? AND key = ?", document_id, key)
        return [r["page_id"] for r in rows]

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
                WHERE d.document_id = ? AND d.shared > 0 {where} ORDER BY d.weight DESC, p.position, d.key LIMIT ?""",
            document_id,
            *values,
            limit,
        )
        return [DoubtRecord.of(r) for r in rows]

    def about_words(self, page_id: int) -> dict[str, Doubt]:
        """The doubts about a page's words, by word id."""
        rows = self.database.rows(
            """SELECT key, stage, kind, weight, reason, region_id, word_id, text, place, alike FROM doubt
               WHERE page_id = ? AND stage = 'proof' AND kind = 'word' AND place IS NOT NULL""",
            page_id,
        )
        return {r["word_id"]: Doubt(**dict(r) | {"place": Box(*json.loads(r["place"]))}) for r in rows}

    def of_page(self, page_id: int) -> list[DoubtRecord]:
        rows = self.database.rows(
            f"""SELECT {_COLUMNS} FROM doubt d JOIN page p ON p.id = d.page_id WHERE d.page_id = ? AND d.shared > 0
                ORDER BY d.weight DESC, d.key""",
            page_id,
        )
        return [DoubtRecord.of(r) for r in rows]

    def slips(self, document_id: int, by: SlipsBy, first: int, limit: int) -> list[SlipRecord]:
        """Doubtful words with what they have in common, what comes to most wrong words first.

        By letters those of a table's column stand in the order of the page, and what is like no other comes last,
        together; by words only what stands several times.
        """
        group = {
            "letters": "CASE WHEN d.alike LIKE 'column %' THEN d.page_id || '.' || d.region_id || '.' || d.alike ELSE d.alike END",
            "words": "d.text",
        }[by]
        rows = self.database.rows(
            f"""WITH told AS (
                  SELECT d.page_id, p.position, d.key, d.word_id, d.text, d.weight, d.reason, d.place, d.alike,
                    p.cleaned_blob, p.revision, {group} AS same, count(*) OVER of_group AS many, sum(d.weight) OVER of_group AS sum,
                    json_extract(d.place, '$[1]') AS top
                  FROM doubt d JOIN page p ON p.id = d.page_id
                  WHERE d.document_id = ? AND d.stage = 'proof' AND d.kind = 'word'
                  WINDOW of_group AS (PARTITION BY {group})),
                slip AS (SELECT *, many = 1 AS alone FROM told)
                SELECT page_id, position, key, word_id, text, weight, reason, place, alike, cleaned_blob, revision,
                  iif(alone, '', same) AS same, iif(alone, sum(alone) OVER (), many) AS many
                FROM slip WHERE ? = 'letters' OR many > 1
                ORDER BY alone, iif(alone, 0, sum) DESC, same, CASE WHEN alike LIKE 'column %' THEN top END, weight DESC, position, key
                LIMIT ? OFFSET ?""",
            document_id,
            by,
            limit,
            first,
        )
        return [SlipRecord.of(r) for r in rows]

    def count_document(self, document_id: int) -> dict[str, int]:
        """How many a stage."""
        rows = self.database.rows(
            "SELECT stage, count(*) AS n FROM doubt WHERE document_id = ? AND shared > 0 GROUP BY 1", document_id
        )
        return {r["stage"]: r["n"] for r in rows}

    def count_by_document(self, batch_id: int) -> dict[int, dict[str, int]]:
        """How many a stage, of each of a batch's documents."""
        rows = self.database.rows(
            """SELECT document_id, stage, count(*) AS n FROM doubt
               WHERE document_id IN (SELECT id FROM document WHERE batch_id = ?) AND shared > 0 GROUP BY 1, 2""",
            batch_id,
        )
        found: dict[int, dict[str, int]] = {}
        for r in rows:
            found.setdefault(r["document_id"], {})[r["stage"]] = r["n"]
        return found

    def left(self, document_id: int) -> Left:
        """The wrong words to be expected in a document."""
        return self._left("document_id = ?", document_id)

    def left_in_batch(self, batch_id: int) -> Left:
        return self._left("document_id IN (SELECT id FROM document WHERE batch_id = ?)", batch_id)

    def _left(self, where: str, value: int) -> Left:
        row = self.database.row(
            f"SELECT sum(proofed) AS n, sum(expected) AS e, sum(variance) AS v FROM page WHERE {where} AND {LIVE}",
            value,
        )
        return Left(int(row["n"] or 0), float(row["e"] or 0), float(row["v"] or 0)) if row else Left()

    def worth_a_look(self, document_id: int, goal: float) -> int:
        """How many doubts about words, the worst first, must be settled to come to a goal."""
        rows = self.database.rows(
            "SELECT weight FROM doubt WHERE document_id = ? AND stage = 'proof' AND kind = 'word' ORDER BY weight DESC",
            document_id,
        )
        return worth_a_look(self.left(document_id), [r["weight"] for r in rows], goal)

    def count_batch(self, batch_id: int) -> dict[str, int]:
        rows = self.database.rows(
            """SELECT d.stage, count(*) AS n FROM doubt d JOIN document x ON x.id = d.document_id
               WHERE x.batch_id = ? AND d.shared > 0 GROUP BY 1""",
            batch_id,
        )
        return {r["stage"]: r["n"] for r in rows}


def add_doubts(
    db: sqlite3.Connection, document_id: int, doubts: Iterable[tuple[int, Doubt]], of_document: bool = False
) -> None:
    """Doubts of a document, each with its page's id."""
    _add(db, [_row(page_id, document_id, d) for page_id, d in doubts], of_document)


def _row(page_id: int, document_id: int, doubt: Doubt) -> tuple[object, ...]:
    """A doubt as it is kept."""
    place = json.dumps(list(doubt.place)) if doubt.place else None
    mend = doubt.mend.model_dump_json(exclude_none=True) if doubt.mend else None
    told = (doubt.key, doubt.stage, doubt.kind, doubt.weight, doubt.reason, doubt.region_id, doubt.word_id, doubt.text)
    return (page_id, document_id, *told, place, doubt.alike, mend)


def _add(db: sqlite3.Connection, rows: Iterable[tuple[object, ...]], of_document: bool = False) -> None:
    db.executemany(
        f"INSERT OR REPLACE INTO doubt ({_KEPT}, of_document) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        [(*row, of_document) for row in rows],
    )
