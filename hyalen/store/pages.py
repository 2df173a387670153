"""Pages as they stand: their order, images and content."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Callable, Iterable
from itertools import groupby

from hyalen.core.imaging.likeness import unlike
from hyalen.core.model.content import PageContent
from hyalen.core.model.packing import LazyPages, unpacked
from hyalen.store.database import Database
from hyalen.store.records import Gist, NotFound, PageRecord, PageState

MOST_UNLIKE = 46  # bits of 256 in which two scans of one page may differ; two pages differ in 70 and more
PAGE = """id, document_id, position, source_index, original_blob, kind, width, height, dpi, dpi_reason, damage, stated_turn,
  languages, treatment, cleaned, cleaned_blob, thumb_blob, read_blob, half, revision, removed_from, joined,
  cleaning_print, reading_print, own_text, text_from, source_blob, source_page, told_dpi"""
COVERS = 5  # pages of which a batch shows small pictures
LIVE = "removed_from IS NULL AND joined = 0"
_STATE = """p.id, p.position, p.kind, p.width, p.height, p.thumb_blob, p.original_blob IS NOT NULL AS has_original,
  p.content IS NOT NULL AS has_content, p.revision, p.half, p.expected,
  (SELECT count(*) FROM doubt d WHERE d.page_id = p.id AND d.shared > 0) AS doubts,
  t.state AS task_state, t.stage AS task_stage, t.reason AS task_reason
  FROM page p LEFT JOIN task t ON t.id = (SELECT max(id) FROM task WHERE page_id = p.id)"""


class Pages:
    def __init__(self, database: Database) -> None:
        self.database = database

    def page(self, page_id: int) -> PageRecord:
        row = self.database.row(f"SELECT {PAGE} FROM page WHERE id = ?", page_id)
        if row is None:
            raise NotFound(f"There is no page {page_id}.")
        return PageRecord.of(row)

    def ids(self, document_id: int) -> list[int]:
        """The document's pages in their order."""
        rows = self.database.rows(
            f"SELECT id FROM page WHERE document_id = ? AND {LIVE} ORDER BY position", document_id
        )
        return [r["id"] for r in rows]

    def states(self, document_id: int) -> list[PageState]:
        """A document's pages in order, with the state of their tasks and their doubts."""
        rows = self.database.rows(
            f"SELECT {_STATE} WHERE p.document_id = ? AND p.removed_from IS NULL AND p.joined = 0 ORDER BY p.position",
            document_id,
        )
        return [PageState.of(r) for r in rows]

    def state(self, page_id: int) -> PageState | None:
        row = self.database.row(f"SELECT {_STATE} WHERE p.id = ?", page_id)
        return PageState.of(row) if row else None

    def removed(self, document_id: int) -> list[PageRecord]:
        """Those taken out, in the order in which they stood."""
        rows = self.database.rows(
            f"""SELECT {PAGE} FROM page WHERE document_id = ? AND removed_from IS NOT NULL AND joined = 0
                ORDER BY removed_from, position DESC""",
            document_id,
        )
        return [PageRecord.of(r) for r in rows]

    # Content

    def packed_content(self, page_id: int) -> bytes | None:
        row = self.database.row("SELECT content FROM page WHERE id = ?", page_id)
        if row is None:
            raise NotFound(f"There is no page {page_id}.")
        data: bytes | None = row["content"]
        return data

    def content(self, page_id: int) -> PageContent | None:
        data = self.packed_content(page_id)
        return unpacked(data) if data else None

    def read_ids(self, document_id: int) -> list[int]:
        """The pages that have content, in order."""
        rows = self.database.rows(
            f"SELECT id FROM page WHERE document_id = ? AND content IS NOT NULL AND {LIVE} ORDER BY position",
            document_id,
        )
        return [r["id"] for r in rows]

    def printed_numbers(self, document_id: int) -> list[str | None]:
        """For each page in order what is printed as its number."""
        rows = self.database.rows(
            f"""SELECT p.id, (SELECT text FROM passage s WHERE s.page_id = p.id AND s.role = 'page_number' ORDER BY place LIMIT 1) AS number
                FROM page p WHERE p.document_id = ? AND {LIVE} ORDER BY p.position""",
            document_id,
        )
        return [r["number"] for r in rows]

    def unread(self, document_id: int) -> list[int]:
        """The positions of the pages that have no content, in order."""
        rows = self.database.rows(
            f"SELECT position FROM page WHERE document_id = ? AND content IS NULL AND {LIVE} ORDER BY position",
            document_id,
        )
        return [r["position"] for r in rows]

    def gists(self, batch_id: int) -> dict[int, Gist]:
        """What is known of the pages of each of a batch's documents."""
        rows = self.database.rows(
            f"""SELECT document_id, position, thumb_blob, kind, dpi, content IS NULL AS unread FROM page
                WHERE document_id IN (SELECT id FROM document WHERE batch_id = ?) AND {LIVE} ORDER BY document_id, position""",
            batch_id,
        )
        found: dict[int, Gist] = {}
        for document, pages in groupby(rows, key=lambda row: int(row["document_id"])):
            told = list(pages)
            resolutions = [float(r["dpi"]) for r in told if r["dpi"]]
            found[document] = Gist(
                [r["thumb_blob"] for r in told[:COVERS] if r["thumb_blob"]],
                sorted({r["kind"] for r in told if r["kind"]}),
                (min(resolutions), max(resolutions)) if resolutions else None,
                [r["position"] for r in told if r["unread"]],
            )
        return found

    def contents(self, document_id: int, told: Callable[[PageContent], PageContent] = lambda page: page) -> LazyPages:
        """The contents of the pages that have some, fetched one by one, as `told` makes them."""
        ids = self.read_ids(document_id)

        def fetch(index: int) -> bytes:
            data = self.packed_content(ids[index])
            assert data is not None
            return data

        return LazyPages(len(ids), fetch, told)

    def languages(self, page: PageRecord) -> tuple[str, ...]:
        """The page's own languages or its document's."""
        if page.languages is not None:
            return page.languages
        row = self.database.row("SELECT languages FROM document WHERE id = ?", page.document_id)
        assert row is not None
        return tuple(json.loads(row["languages"]))

    # Order

    def place(self, db: sqlite3.Connection, document_id: int, order: Iterable[int]) -> None:
        """Give the document's live pages the positions that they have in an order of all its pages."""
        rows = db.execute("SELECT id, removed_from, joined FROM page WHERE document_id = ?", (document_id,)).fetchall()
        live = {r["id"]: r["removed_from"] is None and not r["joined"] for r in rows}
        # Positions are unique, so all move out of the way first.
        db.execute("UPDATE page SET position = -1000000 - id WHERE document_id = ?", (document_id,))
        position, out = 0, 0
        for page_id in order:
            if live[page_id]:
                db.execute("UPDATE page SET position = ? WHERE id = ?", (position, page_id))
                position += 1
            else:
                out += 1
                db.execute(
                    """UPDATE page SET position = ?, removed_from = CASE WHEN removed_from IS NULL THEN NULL ELSE ? END
                       WHERE id = ?""",
                    (-out, position, page_id),
                )
        db.execute("UPDATE document SET page_count = ? WHERE id = ?", (position, document_id))

    def room(self, document_id: int) -> int:
        """The first even place behind all pages of a document, where the front of a sheet may stand."""
        row = self.database.row("SELECT max(source_index) AS last FROM page WHERE document_id = ?", document_id)
        last = row["last"] if row and row["last"] is not None else -1
        return int(last) + 2 - int(last) % 2 if last >= 0 else 0

    # Kin

    def halves(self, page: PageRecord) -> list[PageRecord]:
        """The one or two pages that came from the same picture, the first in reading direction first."""
        rows = self.database.rows(
            f"SELECT {PAGE} FROM page WHERE document_id = ? AND source_index = ? ORDER BY id",
            page.document_id,
            page.source_index,
        )
        return [PageRecord.of(r) for r in rows]

    def reverse(self, page: PageRecord) -> PageRecord | None:
        """The back of a sheet that was scanned on both sides, front and back in turn."""
        row = self.database.row(
            f"""SELECT {PAGE} FROM page WHERE document_id = ? AND source_index = ? AND half = 'whole'
                  AND original_blob IS NOT NULL
                  AND (SELECT duplex FROM document d WHERE d.id = page.document_id) = 1""",
            page.document_id,
            page.source_index ^ 1,
        )
        return PageRecord.of(row) if row else None

    def twin(self, page: PageRecord, likeness: str) -> int | None:
        """The position of another page of the document that looks the same."""
        rows = self.database.rows(
            f"""SELECT position, likeness FROM page WHERE document_id = ? AND id != ? AND likeness != '' AND {LIVE}
                ORDER BY position""",
            page.document_id,
            page.id,
        )
        return next((int(r["position"]) for r in rows if unlike(r["likeness"], likeness) <= MOST_UNLIKE), None)
