"""What has been made of a document, and whether it is up to date."""

from __future__ import annotations

import json
import time
from collections.abc import Sequence

from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.geometry import Frozen
from hyalen.store.database import Database
from hyalen.store.pages import LIVE
from hyalen.store.records import DeliveryRecord, NotFound, TaskRecord
from hyalen.store.tasks import Tasks

_COLUMNS = "v.id, v.document_id, v.format, v.name, v.blob, v.size, v.edition, v.made, v.words, v.expected, v.looked_at, v.found_right, v.options, v.made_by, v.documents"


class Order(Frozen):
    """What a delivery task is to make; `documents` are joined where they are several."""

    format: str
    edition: str
    options: DeliveryOptions = DeliveryOptions()
    made_by: str = ""
    documents: tuple[int, ...]

    @classmethod
    def of(cls, task: TaskRecord) -> Order:
        return cls.model_validate({"documents": (task.document_id,), **task.settings})


class Deliveries:
    def __init__(self, database: Database, tasks: Tasks) -> None:
        self.database = database
        self.tasks = tasks

    def edition(self, document_id: int) -> str:
        """Changes whenever anything that is delivered changes."""
        row = self.database.row(
            f"""SELECT d.title, d.language, d.labels, d.particulars, d.abbreviations, d.bookmarks,
                  count(p.content) AS pages, coalesce(sum(p.revision), 0) AS changes,
                  coalesce(sum((p.position + 1) * p.id), 0) AS places
                FROM document d LEFT JOIN page p ON p.document_id = d.id AND p.{LIVE.replace("AND ", "AND p.")}
                WHERE d.id = ?""",
            document_id,
        )
        assert row is not None
        told = (
            "pages",
            "changes",
            "places",
            "title",
            "language",
            "labels",
            "particulars",
            "abbreviations",
            "bookmarks",
        )
        return ".".join(str(row[each]) for each in told)

    def edition_of(self, documents: Sequence[int]) -> str:
        """The same of several that are joined; those that are gone have none."""
        there = (each for each in documents if self.database.row("SELECT 1 FROM document WHERE id = ?", each))
        return ";".join(map(self.edition, there))

    def is_current(self, delivery: DeliveryRecord) -> bool:
        """Whether nothing has changed since it was made."""
        return delivery.edition == self.edition_of(delivery.documents)

    def delivered(self, task: TaskRecord, name: str, blob: str, size: int) -> bool:
        """Keep a file that was made; False where it is not wanted any more."""
        order = Order.of(task)
        marks = ", ".join("?" * len(order.documents))
        with self.database.write() as db:
            if not self.tasks.finish(task.id):
                return False
            db.execute(
                f"""INSERT INTO delivery
                     (document_id, documents, format, name, blob, size, edition, made, options, made_by, words,
                      expected, looked_at, found_right)
                   SELECT d.id, ?, ?, ?, ?, ?, ?, ?, ?, ?,
                     (SELECT coalesce(sum(proofed), 0) FROM page WHERE document_id IN ({marks}) AND {LIVE}),
                     (SELECT coalesce(sum(expected), 0) FROM page WHERE document_id IN ({marks}) AND {LIVE}),
                     (SELECT count(verdict) FROM sample WHERE document_id IN ({marks})),
                     (SELECT coalesce(sum(verdict), 0) FROM sample WHERE document_id IN ({marks}))
                   FROM document d WHERE d.id = ?
                   ON CONFLICT (document_id, documents, format, options) DO UPDATE SET name = excluded.name,
                     blob = excluded.blob, size = excluded.size, edition = excluded.edition, made = excluded.made,
                     words = excluded.words, expected = excluded.expected, looked_at = excluded.looked_at,
                     found_right = excluded.found_right, made_by = excluded.made_by""",
                (
                    json.dumps(order.documents) if len(order.documents) > 1 else "",
                    order.format,
                    name,
                    blob,
                    size,
                    task.fingerprint,
                    time.time(),
                    order.options.model_dump_json(exclude_defaults=True),
                    order.made_by,
                    *order.documents * 4,
                    task.document_id,
                ),
            )
        return True

    def of_batch(self, batch_id: int) -> list[DeliveryRecord]:
        rows = self.database.rows(
            f"""SELECT {_COLUMNS} FROM delivery v JOIN document d ON d.id = v.document_id
                WHERE d.batch_id = ? ORDER BY d.position, v.format""",
            batch_id,
        )
        return [DeliveryRecord.of(r) for r in rows]

    def forget(self, delivery_id: int) -> None:
        """Take a delivery off the list."""
        with self.database.write() as db:
            db.execute("DELETE FROM delivery WHERE id = ?", (delivery_id,))

    def taken_names(self, batch_id: int, order: Order) -> set[str]:
        """The names that a file to be made may not have: those of all others."""
        told = order.options.model_dump(mode="json", exclude_defaults=True)
        mine = (order.documents, order.format, told)
        return {d.name for d in self.of_batch(batch_id) if (d.documents, d.format, d.options) != mine}

    def delivery(self, delivery_id: int) -> DeliveryRecord:
        row = self.database.row(f"SELECT {_COLUMNS} FROM delivery v WHERE v.id = ?", delivery_id)
        if row is None:
            raise NotFound(f"There is no delivery {delivery_id}.")
        return DeliveryRecord.of(row)
