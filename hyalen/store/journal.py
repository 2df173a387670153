"""The journal: what was decided, in order. One history a document, over all stages."""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Iterable, Sequence
from typing import NamedTuple, TypeVar

from pydantic import BaseModel

from hyalen.core.decisions.operations import CONTENT_KINDS, ContentOperation, Operation, operation_from, stored
from hyalen.store.database import Database, Row
from hyalen.store.records import ChangeRecord

Kind = TypeVar("Kind", bound=BaseModel)


class Decision(NamedTuple):
    """An operation as it is kept: its number, what its change is called, and the page it is about."""

    id: int
    label: str
    page_id: int | None
    operation: Operation


class Journal:
    def __init__(self, database: Database) -> None:
        self.database = database

    def record(
        self, db: sqlite3.Connection, document_id: int, label: str, operations: Iterable[tuple[int | None, Operation]]
    ) -> int:
        """Keep what was decided; what was undone before cannot be done again after it."""
        db.execute("DELETE FROM change WHERE document_id = ? AND undone = 1", (document_id,))
        cursor = db.execute(
            "INSERT INTO change (document_id, label, made) VALUES (?, ?, ?)", (document_id, label, time.time())
        )
        change_id = int(cursor.lastrowid or 0)
        self.extend(db, change_id, document_id, operations)
        return change_id

    def extend(
        self,
        db: sqlite3.Connection,
        change_id: int,
        document_id: int,
        operations: Iterable[tuple[int | None, Operation]],
    ) -> None:
        """More that belongs to the same change."""
        db.executemany(
            "INSERT INTO operation (change_id, document_id, page_id, op, value) VALUES (?, ?, ?, ?, ?)",
            [(change_id, document_id, page_id, o.op, stored(o)) for page_id, o in operations],
        )

    def last(self, document_id: int) -> ChangeRecord | None:
        """What undo would take back."""
        return self._change(document_id, 0, "DESC")

    def next(self, document_id: int) -> ChangeRecord | None:
        """What redo would do again."""
        return self._change(document_id, 1, "ASC")

    def _change(self, document_id: int, undone: int, order: str) -> ChangeRecord | None:
        row = self.database.row(
            f"SELECT id, label FROM change WHERE document_id = ? AND undone = ? ORDER BY id {order} LIMIT 1",
            document_id,
            undone,
        )
        return ChangeRecord(row["id"], row["label"]) if row else None

    def turn(self, db: sqlite3.Connection, change_id: int, undone: bool) -> list[Decision]:
        """Take a change back or do it again; what it consists of."""
        db.execute("UPDATE change SET undone = ? WHERE id = ?", (int(undone), change_id))
        return self._decisions("o.change_id = ?", change_id)

    def of_page(self, page_id: int) -> list[Decision]:
        """What counts on a page's content, in order."""
        kinds = ", ".join(f"'{kind}'" for kind in CONTENT_KINDS)
        return self._decisions(f"o.page_id = ? AND c.undone = 0 AND o.op IN ({kinds})", page_id)

    def _decisions(self, where: str, value: int) -> list[Decision]:
        rows = self.database.rows(
            f"""SELECT o.id, c.label, o.page_id, o.op, o.value FROM operation o JOIN change c ON c.id = o.change_id
                WHERE {where} ORDER BY o.id""",
            value,
        )
        return [Decision(r["id"], r["label"], r["page_id"], operation_from(r["op"], r["value"])) for r in rows]

    def set_unplaced(self, db: sqlite3.Connection, page_id: int, decisions: Sequence[Decision]) -> None:
        """Which of a page's decisions found no place."""
        db.execute("UPDATE operation SET unplaced = 0 WHERE page_id = ? AND unplaced = 1", (page_id,))
        db.executemany("UPDATE operation SET unplaced = 1 WHERE id = ?", [(d.id,) for d in decisions])

    def unplaced(self, page_id: int) -> list[tuple[int, str]]:
        """Number and name of the decisions that found no place on the page as it was last replayed."""
        rows = self.database.rows(
            """SELECT o.id, c.label FROM operation o JOIN change c ON c.id = o.change_id
               WHERE o.page_id = ? AND o.unplaced = 1 AND c.undone = 0 ORDER BY o.id""",
            page_id,
        )
        return [(r["id"], r["label"]) for r in rows]

    # Settings: of each kind the last counts

    def page_setting(self, page_id: int, kind: type[Kind]) -> Kind | None:
        return self._value(
            kind,
            self.database.row(
                """SELECT o.op, o.value FROM operation o JOIN change c ON c.id = o.change_id
                   WHERE o.page_id = ? AND o.op = ? AND c.undone = 0 ORDER BY o.id DESC LIMIT 1""",
                page_id,
                kind.model_fields["op"].default,
            ),
        )

    def document_setting(self, document_id: int, kind: type[Kind]) -> Kind | None:
        return self._value(
            kind,
            self.database.row(
                """SELECT o.op, o.value FROM operation o JOIN change c ON c.id = o.change_id
                   WHERE o.document_id = ? AND o.page_id IS NULL AND o.op = ? AND c.undone = 0
                   ORDER BY o.id DESC LIMIT 1""",
                document_id,
                kind.model_fields["op"].default,
            ),
        )

    def _value(self, kind: type[Kind], row: Row | None) -> Kind | None:
        return kind.model_validate_json(row["value"]) if row else None


def content_operations(decisions: Sequence[Decision]) -> list[ContentOperation]:
    """The operations of decisions that are all about content."""
    return [d.operation for d in decisions]  # type: ignore[misc]
