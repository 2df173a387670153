"""The order of a document's pages, and double-page spreads that are one picture or two pages."""

from __future__ import annotations

import sqlite3
from collections.abc import Sequence

from hyalen.core.decisions.operations import Arrange
from hyalen.core.languages import is_right_to_left
from hyalen.core.model.treatment import Cleaned, Half, Switch
from hyalen.store.database import Database
from hyalen.store.doubts import Doubts
from hyalen.store.journal import Journal
from hyalen.store.pages import Pages
from hyalen.store.records import PageRecord


class Arrangement:
    def __init__(self, database: Database, pages: Pages, doubts: Doubts, journal: Journal) -> None:
        self.database = database
        self.pages = pages
        self.doubts = doubts
        self.journal = journal

    def order(self, document_id: int) -> list[int]:
        """All of a document's pages, those taken out and joined ones too, in the order they were put in.

        A page that no one has put anywhere stands behind the one that it came after.
        """
        told = self.journal.document_setting(document_id, Arrange)
        rows = self.database.rows("SELECT id FROM page WHERE document_id = ? ORDER BY source_index, id", document_id)
        came = [int(r["id"]) for r in rows]
        return completed(told.order if told else (), came)

    def arrange(self, db: sqlite3.Connection, document_id: int) -> None:
        self.pages.place(db, document_id, self.order(document_id))

    def split(self, db: sqlite3.Connection, page: PageRecord, cleaned: Cleaned) -> None:
        """A whole picture becomes two pages, in reading direction."""
        languages = self.pages.languages(page)
        first: Half = "right" if languages and is_right_to_left(languages[0]) else "left"
        second: Half = "left" if first == "right" else "right"
        kin = self.pages.halves(page)
        if len(kin) > 1:
            other = kin[1].id
        else:
            cursor = db.execute(
                """INSERT INTO page (document_id, position, source_index, original_blob, kind, width, height, dpi,
                     dpi_reason, damage, stated_turn, own_text, text_from, source_blob, source_page,
                     source_name, came_blob, told_dpi, languages, treatment, first_treatment)
                   SELECT document_id, -2000000 - id, source_index, original_blob, kind, width, height, dpi,
                     dpi_reason, damage, stated_turn, own_text, text_from, source_blob, source_page,
                     source_name, came_blob, told_dpi, languages, treatment, treatment FROM page WHERE id = ?""",
                (page.id,),
            )
            other = int(cursor.lastrowid or 0)
        for page_id, half in ((page.id, first), (other, second)):
            db.execute(
                "UPDATE page SET half = ?, joined = 0, cleaned = ? WHERE id = ?",
                (half, cleaned.model_dump_json(), page_id),
            )
        self.arrange(db, page.document_id)

    def pair(self, db: sqlite3.Connection, page: PageRecord, anew: bool = False) -> None:
        """Two halves become one picture again, or part again, as their first page's treatment says.

        Where the fold is to be found `anew`, they are one until it is found.
        """
        kin = self.pages.halves(page)
        if len(kin) < 2:
            return
        first, second = kin[0], kin[1]
        switch = first.treatment.split.switch
        whole = switch is Switch.OFF or (switch is Switch.AUTOMATIC and (anew or second.joined))
        if whole == second.joined:
            return
        half = "whole" if whole else "left" if second.half == "right" else "right"
        db.execute("UPDATE page SET half = ? WHERE id = ?", (half, first.id))
        db.execute("UPDATE page SET joined = ? WHERE id = ?", (int(whole), second.id))
        if whole:
            self.doubts.drop_page(db, second.id, page.document_id)
        self.arrange(db, page.document_id)


def completed(order: Sequence[int], came: Sequence[int]) -> list[int]:
    """An order with each page that it does not name put behind the one that it came after."""
    known = set(came)
    found = [p for p in order if p in known]
    placed = set(found)
    for at, page_id in enumerate(came):
        if page_id not in placed:
            found.insert(found.index(came[at - 1]) + 1 if at else 0, page_id)
            placed.add(page_id)
    return found
