"""Words that are right whatever other lists say: of a batch, and of all batches."""

from __future__ import annotations

import time
from collections.abc import Iterable

from hyalen.core.proofing.placed import core_of
from hyalen.store.database import Database

HOUSE = 0  # stands for all batches
LONGEST = 80  # letters of a word


class WordLists:
    def __init__(self, database: Database) -> None:
        self.database = database

    def words(self, batch_id: int = HOUSE) -> list[str]:
        """A list's words in their order."""
        rows = self.database.rows("SELECT word FROM listed WHERE batch_id = ? ORDER BY folded", batch_id)
        return [r["word"] for r in rows]

    def known(self, batch_id: int) -> frozenset[str]:
        """What is right in a batch, folded."""
        rows = self.database.rows("SELECT folded FROM listed WHERE batch_id IN (?, ?)", HOUSE, batch_id)
        return frozenset(r["folded"] for r in rows)

    def add(self, words: Iterable[str], batch_id: int = HOUSE) -> list[str]:
        """Those that are new to the list, folded; open doubts about them in its batch go."""
        cores = (core_of(" ".join(word.split())) for word in words)
        wanted = {core.casefold(): core for core in cores if core and len(core) <= LONGEST}
        with self.database.write() as db:
            known = {r["folded"] for r in db.execute("SELECT folded FROM listed WHERE batch_id = ?", (batch_id,))}
            fresh = [folded for folded in wanted if folded not in known]
            db.executemany(
                "INSERT INTO listed (batch_id, folded, word, made) VALUES (?, ?, ?, ?)",
                [(batch_id, folded, wanted[folded], time.time()) for folded in fresh],
            )
            self._settle(batch_id, frozenset(fresh))
        return fresh

    def remove(self, word: str, batch_id: int = HOUSE) -> None:
        with self.database.write() as db:
            db.execute("DELETE FROM listed WHERE batch_id = ? AND folded = ?", (batch_id, core_of(word).casefold()))

    def _settle(self, batch_id: int, words: frozenset[str]) -> None:
        """Take the doubts about words away at once; what is expected of their pages follows when these change."""
        with self.database.write() as db:
            rows = db.execute(
                """SELECT d.page_id, d.key, d.text, d.weight FROM doubt d JOIN document x ON x.id = d.document_id
                   WHERE d.stage = 'proof' AND d.kind = 'word' AND (? = 0 OR x.batch_id = ?)""",
                (batch_id, batch_id),
            ).fetchall()
            gone = [r for r in rows if core_of(r["text"]).casefold() in words]
            db.executemany("DELETE FROM doubt WHERE page_id = ? AND key = ?", [(r["page_id"], r["key"]) for r in gone])
            db.executemany(
                "UPDATE page SET expected = max(0, expected - ?) WHERE id = ?",
                [(r["weight"], r["page_id"]) for r in gone],
            )
