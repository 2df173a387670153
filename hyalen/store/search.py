"""What stands in documents, found by its words; kept in step with pages' contents in their transactions."""

from __future__ import annotations

import json
import re
import sqlite3
import zlib
from collections.abc import Iterator
from dataclasses import dataclass, replace

from hyalen.core.model.content import PageContent
from hyalen.core.model.geometry import Box
from hyalen.core.model.packing import unpacked
from hyalen.core.proofing.evidence import MOST_COUNTED
from hyalen.core.proofing.placed import main_language
from hyalen.core.proofing.search import (
    Match,
    Passage,
    Sought,
    Span,
    Way,
    check,
    count,
    covered,
    fold,
    matches,
    passages,
)
from hyalen.store.database import Database
from hyalen.store.pages import LIVE

MOST_ON_A_PAGE = 100_000
SHOWN = 40  # letters before and after what was found
_TOKEN = re.compile(r"\w+")
_Row = tuple[str, int, str, str, str, bytes]  # of a passage: its region's id, its place, and what it says


@dataclass(frozen=True)
class Scope:
    """Where is looked: in a document, some, a batch, or everywhere; in blocks of a role or language only."""

    document_id: int | None = None
    batch_id: int | None = None
    page_id: int | None = None
    role: str | None = None
    language: str | None = None
    documents: frozenset[int] | None = None


@dataclass(frozen=True)
class Hit:
    """A place where it stands; `words` are those that it touches."""

    passage_id: int
    document_id: int
    page_id: int
    region_id: str
    passage: str
    match: Match
    before: str
    found: str
    after: str
    words: tuple[Span, ...]


@dataclass(frozen=True)
class Found:
    """Places, how many there are in all, and on which pages."""

    hits: list[Hit]
    total: int
    pages: tuple[int, ...]


class Search:
    def __init__(self, database: Database) -> None:
        self.database = database

    def index(
        self,
        db: sqlite3.Connection,
        page_id: int,
        document_id: int,
        content: PageContent,
        before: PageContent | None = None,
    ) -> None:
        """A page's passages anew; those that are as they were stay.

        Parameters
        ----------
        before : PageContent, optional
            What is in the index: regions that both share are not looked at.
        """
        _index(db, page_id, document_id, content, before)

    def find(self, sought: Sought, scope: Scope, first: int = 0, limit: int = 100) -> Found:
        """Places from the `first` one on, in the order of reading.

        Raises
        ------
        PatternError
            If nothing or no usable pattern is sought.
        """
        check(sought)
        hits, pages, total = list[Hit](), dict[int, None](), 0
        for row in self._candidates(sought, scope):
            number = count(row["text"], row["folded"], sought)
            if first < total + number and total < first + limit:
                shown = enumerate(matches(row["text"], sought), total)
                hits += [self._hit(row, match) for at, match in shown if first <= at < first + limit]
            if number:
                pages[row["page_id"]] = None
            total += number
        return Found(hits, total, tuple(pages))

    def on_page(self, page_id: int, sought: Sought, scope: Scope) -> list[Hit]:
        """The places on one page."""
        return self.find(sought, replace(scope, page_id=page_id), limit=MOST_ON_A_PAGE).hits

    def places(self, sought: Sought, scope: Scope, most: int) -> int:
        """How many places there are, or `most` where there are as many at least (raises as `find` does)."""
        check(sought)
        total = 0
        for row in self._candidates(sought, scope, "s.text, s.folded", in_order=False):
            total += count(row["text"], row["folded"], sought)
            if total >= most:
                return most
        return total

    def said_elsewhere(self, document_id: int, page_id: int, word: str) -> int:
        """On how many passages of a document's other pages a word stands."""
        tokens = _TOKEN.findall(fold(word))
        if not tokens:
            return 0
        row = self.database.row(
            """SELECT count(*) AS n FROM (
                 SELECT 1 FROM passage_index i JOIN passage s ON s.id = i.rowid
                 WHERE passage_index MATCH ? AND s.page_id != ? LIMIT ?)""",
            _query(f'"{" ".join(tokens)}"', document_id),
            page_id,
            MOST_COUNTED,
        )
        return int(row["n"]) if row else 0

    def _candidates(
        self, sought: Sought, scope: Scope, columns: str = "s.*", in_order: bool = True
    ) -> Iterator[sqlite3.Row]:
        """Passages in which it may stand."""
        where, values = [f"p.{each.strip()}" for each in LIVE.split("AND")], list[object]()
        for column, value in (
            ("s.document_id", scope.document_id), ("d.batch_id", scope.batch_id), ("s.page_id", scope.page_id), ("s.role", scope.role),
            ("s.language", scope.language),
        ):  # fmt: skip
            if value is not None:
                where.append(f"{column} = ?")
                values.append(value)
        if scope.documents is not None:  # ids are whole numbers; there may be more than SQLite takes as variables
            where.append(f"s.document_id IN ({', '.join(str(int(d)) for d in sorted(scope.documents))})")
        source = "passage s"
        tokens = _TOKEN.findall(fold(sought.text)) if sought.way is not Way.PATTERN else []
        if sought.way in (Way.WORDS, Way.START) and tokens:
            # Without CROSS, each passage of the document may be sought in the index by itself.
            source = "passage_index i CROSS JOIN passage s ON s.id = i.rowid"
            where.append("passage_index MATCH ?")
            star = "*" if sought.way is Way.START else ""
            values.append(_query(f'"{" ".join(tokens)}"{star}', scope.document_id))
        elif tokens:
            where += ["instr(s.folded, ?)"] * len(tokens)
            values += tokens
        order = "ORDER BY d.batch_id, d.position, p.position, s.place" if in_order else ""
        return self.database.each(
            f"""SELECT {columns} FROM {source} JOIN page p ON p.id = s.page_id JOIN document d ON d.id = s.document_id
                    WHERE {" AND ".join(where)} {order}""",
            *values,
        )

    def _hit(self, row: sqlite3.Row, match: Match) -> Hit:
        text = row["text"]
        return Hit(
            row["id"],
            row["document_id"],
            row["page_id"],
            row["region_id"],
            text,
            match,
            text[max(0, match.start - SHOWN) : match.start],
            text[match.start : match.end],
            text[match.end : match.end + SHOWN],
            tuple(covered(_unpacked(row["words"]), match.start, match.end)),
        )


def _query(phrase: str, document_id: int | None) -> str:
    """What the index is asked: a phrase, in one document or in all."""
    return f"folded : {phrase}" + (f' AND document : "d{document_id}"' if document_id is not None else "")


def index_all(connection: sqlite3.Connection) -> None:
    """The pages of a data directory that was made before there was a search (migration 7)."""
    for row in connection.execute("SELECT id, document_id FROM page WHERE content IS NOT NULL").fetchall():
        content = connection.execute("SELECT content FROM page WHERE id = ?", (row[0],)).fetchone()[0]
        _index(connection, row[0], row[1], unpacked(content))


def _index(
    db: sqlite3.Connection, page_id: int, document_id: int, content: PageContent, before: PageContent | None = None
) -> None:
    rows = db.execute(
        "SELECT region_id, place, role, language, text, words, id FROM passage WHERE page_id = ? ORDER BY place",
        (page_id,),
    )
    known = {tuple(row)[:6]: row[6] for row in rows.fetchall()}
    kept: dict[str, list[_Row]] = {}
    for row in known:
        kept.setdefault(row[0], []).append(row)
    fallback = main_language(content)
    same = before.everything if before is not None and main_language(before) == fallback else ()
    untouched = {id(region) for region in same}
    place = 0
    for region in content.everything:
        stay = kept.get(region.id, []) if id(region) in untouched else []
        if stay and stay[0][1] == place + 1:
            place += len(stay)
            for row in stay:
                del known[row]
            continue
        for passage in passages(region, fallback):
            place += 1
            language = region.language or fallback
            row = (region.id, place, region.role.value, language, passage.text, _packed(passage))
            if known.pop(row, None) is None:
                db.execute(
                    """INSERT INTO passage (document_id, page_id, region_id, place, role, language, text, words, folded)
                       VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)""",
                    (document_id, page_id, *row, fold(passage.text)),
                )
    db.executemany("DELETE FROM passage WHERE id = ?", [(i,) for i in known.values()])


def _packed(passage: Passage) -> bytes:
    rows = [[s.start, s.end, s.word_id, s.line, *s.box] for s in passage.spans]
    return zlib.compress(json.dumps(rows, separators=(",", ":")).encode("ascii"), 1)


def _unpacked(data: bytes) -> list[Span]:
    return [Span(a, b, word, line, Box(*box)) for a, b, word, line, *box in json.loads(zlib.decompress(data))]
