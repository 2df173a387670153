"""Samples of words that nobody has looked at, drawn by lot and judged by eye."""

from __future__ import annotations

import json
import random
import time
from bisect import bisect_right
from dataclasses import dataclass
from itertools import accumulate

from hyalen.core.model.content import Word
from hyalen.core.model.geometry import Box
from hyalen.core.proofing.placed import proofed_words
from hyalen.store.database import Database
from hyalen.store.pages import LIVE, Pages
from hyalen.store.records import NotFound


@dataclass(frozen=True)
class Drawn:
    """A word that waits for a verdict; `box` is its place on the cleaned page."""

    page_id: int
    word_id: str
    text: str
    box: Box


@dataclass(frozen=True)
class Verdicts:
    """How many words were looked at and were right, and those that wait."""

    looked_at: int
    right: int
    waiting: list[Drawn]


class Samples:
    def __init__(self, database: Database, pages: Pages) -> None:
        self.database = database
        self.pages = pages

    def draw(self, document_id: int, size: int, seed: int | None = None) -> None:
        """Draw words that no person has settled and that were not drawn before."""
        rows = self.database.rows(
            f"SELECT id, proofed FROM page WHERE document_id = ? AND proofed > 0 AND {LIVE} ORDER BY position",
            document_id,
        )
        ends = list(accumulate(r["proofed"] for r in rows))
        if not ends:
            return
        lot = random.Random(seed)
        known = {
            (r["page_id"], r["word_id"])
            for r in self.database.rows("SELECT page_id, word_id FROM sample WHERE document_id = ?", document_id)
        }
        pages: dict[int, list[Word]] = {}
        drawn: list[tuple[int, Word]] = []
        for number in lot.sample(range(ends[-1]), ends[-1]):
            at = bisect_right(ends, number)
            page_id, place = rows[at]["id"], number - (ends[at - 1] if at else 0)
            if page_id not in pages:
                content = self.pages.content(page_id)
                pages[page_id] = [p.word for p in proofed_words(content)] if content is not None else []
            words = pages[page_id]
            if place < len(words) and not words[place].settled and (page_id, words[place].id) not in known:
                drawn.append((page_id, words[place]))
            if len(drawn) == size:
                break
        with self.database.write() as db:
            db.executemany(
                "INSERT INTO sample (document_id, page_id, word_id, text, place, made) VALUES (?, ?, ?, ?, ?, ?)",
                [(document_id, p, w.id, w.text, json.dumps(list(w.box)), time.time()) for p, w in drawn],
            )

    def judge(self, page_id: int, word_id: str, right: bool) -> None:
        """Say whether a drawn word is right (raises NotFound where it was not drawn)."""
        with self.database.write() as db:
            found = db.execute(
                "UPDATE sample SET verdict = ? WHERE page_id = ? AND word_id = ?", (int(right), page_id, word_id)
            )
            if not found.rowcount:
                raise NotFound("That word is not in the sample.")

    def discard(self, document_id: int) -> None:
        with self.database.write() as db:
            db.execute("DELETE FROM sample WHERE document_id = ?", (document_id,))

    def verdicts(self, document_id: int) -> Verdicts:
        rows = self.database.rows(
            """SELECT s.* FROM sample s JOIN page p ON p.id = s.page_id WHERE s.document_id = ?
               ORDER BY p.position, s.word_id""",
            document_id,
        )
        judged = [r["verdict"] for r in rows if r["verdict"] is not None]
        waiting = [
            Drawn(r["page_id"], r["word_id"], r["text"], Box(*json.loads(r["place"])))
            for r in rows
            if r["verdict"] is None
        ]
        return Verdicts(len(judged), sum(judged), waiting)
