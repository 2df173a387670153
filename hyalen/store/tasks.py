"""Tasks: what is to be done with which inputs, and how it goes. Every change of state says from which."""

from __future__ import annotations

import json
import sqlite3
import time
from typing import Any

from hyalen.core.proofing.doubts import Stage
from hyalen.store.database import Database, Row
from hyalen.store.records import FailedTask, NotFound, TaskRecord

MOST_ATTEMPTS = 3  # a page that takes its worker with it so often is put aside
COLUMNS = "id, batch_id, document_id, page_id, stage, settings, state, attempts, reason, fingerprint"
PAGE_STAGES = (Stage.BRING_IN, Stage.CLEAN, Stage.READ)


class Tasks:
    def __init__(self, database: Database) -> None:
        self.database = database

    # Asking

    def want(
        self, db: sqlite3.Connection, batch_id: int, document_id: int, page_id: int, stage: str, fingerprint: str
    ) -> None:
        """Have a page's stage done for these inputs: once, and instead of what still waits for others."""
        db.execute(
            """DELETE FROM task WHERE page_id = ? AND state = 'waiting'
                 AND (fingerprint != ? OR stage != ?) AND stage IN ('bring_in', 'clean', 'read')""",
            (page_id, fingerprint, stage),
        )
        under_way = db.execute(
            """SELECT 1 FROM task WHERE page_id = ? AND stage = ? AND fingerprint = ?
                 AND state IN ('waiting', 'running')""",
            (page_id, stage, fingerprint),
        ).fetchone()
        if not under_way:
            self._add(db, batch_id, document_id, page_id, stage, fingerprint, {})

    def drop_waiting(self, db: sqlite3.Connection, page_id: int) -> None:
        """The page has all that it lacks: what waits for it is for other inputs."""
        db.execute("DELETE FROM task WHERE page_id = ? AND state = 'waiting'", (page_id,))

    def want_delivery(self, batch_id: int, document_id: int, settings: dict[str, Any]) -> int:
        with self.database.write() as db:
            return self._add(db, batch_id, document_id, None, Stage.DELIVER, settings["edition"], settings)

    def _add(
        self,
        db: sqlite3.Connection,
        batch_id: int,
        document_id: int,
        page_id: int | None,
        stage: str,
        fingerprint: str,
        settings: dict[str, Any],
    ) -> int:
        cursor = db.execute(
            """INSERT INTO task (batch_id, document_id, page_id, stage, fingerprint, settings, made)
               VALUES (?, ?, ?, ?, ?, ?, ?)""",
            (batch_id, document_id, page_id, stage, fingerprint, json.dumps(settings), time.time()),
        )
        return int(cursor.lastrowid or 0)

    # Doing

    def next(self, limit: int, last: int = 0) -> list[TaskRecord]:
        """The next tasks: deliveries first, then pages further on, so that documents are finished one by one.

        The `last` pages to be cleaned come before others are read, so that none is left to one core at the end while
        the others have nothing to do. Those of a batch that is paused wait. A sheet scanned on both sides is cleaned
        when both are here; of one page and stage one task runs at a time.
        """
        unclean = self.database.row(
            """SELECT count(*) AS n FROM task WHERE state = 'waiting' AND stage IN ('bring_in', 'clean')
                 AND batch_id NOT IN (SELECT id FROM batch WHERE paused)"""
        )
        reading_last = unclean is not None and unclean["n"] <= last
        rows = self.database.rows(
            f"""SELECT {COLUMNS} FROM task WHERE state = 'waiting'
                  AND batch_id NOT IN (SELECT id FROM batch WHERE paused)
                  AND NOT (stage = 'clean' AND document_id IN (SELECT id FROM document WHERE duplex = 1)
                    AND EXISTS (SELECT 1 FROM task b WHERE b.document_id = task.document_id AND b.stage = 'bring_in'
                      AND b.state IN ('waiting', 'running')))
                  AND NOT (page_id IS NOT NULL AND EXISTS (SELECT 1 FROM task r WHERE r.page_id = task.page_id
                    AND r.stage = task.stage AND r.state = 'running'))
                ORDER BY CASE stage WHEN 'deliver' THEN 0 ELSE 1 END, stage = 'read' AND ?, batch_id, document_id,
                  CASE stage WHEN 'read' THEN 0 WHEN 'clean' THEN 1 ELSE 2 END, id LIMIT ?""",
            reading_last,
            limit,
        )
        return [TaskRecord.of(row) for row in rows]

    def begin(self, task_id: int) -> bool:
        """From waiting to running; False where it was cancelled meanwhile."""
        return self._move(task_id, "waiting", "running", attempt=1)

    def put_back(self, task_id: int, counted: bool = True) -> None:
        """From running to waiting: its worker is gone. An attempt that was not the task's fault does not count."""
        self._move(task_id, "running", "waiting", attempt=0 if counted else -1)

    def fail(self, task_id: int, reason: str) -> bool:
        return self._move(task_id, "running", "failed", reason)

    def finish(self, task_id: int) -> bool:
        """From running to done; False where it was cancelled meanwhile."""
        return self._move(task_id, "running", "done")

    def _move(self, task_id: int, before: str, after: str, reason: str = "", attempt: int = 0) -> bool:
        ended = time.time() if after in ("done", "failed") else None
        with self.database.write() as db:
            cursor = db.execute(
                """UPDATE task SET state = ?, reason = ?, attempts = attempts + ?, finished = ?
                   WHERE id = ? AND state = ?""",
                (after, reason, attempt, ended, task_id, before),
            )
            return cursor.rowcount == 1

    def recover(self) -> int:
        """After a start: what was running when the server went waits again."""
        with self.database.write() as db:
            return db.execute("UPDATE task SET state = 'waiting' WHERE state = 'running'").rowcount

    def cancel_batch(self, batch_id: int) -> int:
        with self.database.write() as db:
            return self._cancel(db, "batch_id", batch_id)

    def cancel_page(self, db: sqlite3.Connection, page_id: int) -> None:
        self._cancel(db, "page_id", page_id)

    def _cancel(self, db: sqlite3.Connection, column: str, value: int) -> int:
        return db.execute(
            f"UPDATE task SET state = 'cancelled', finished = ? WHERE {column} = ? AND state IN ('waiting', 'running')",
            (time.time(), value),
        ).rowcount

    def retry_deliveries(self, db: sqlite3.Connection, batch_id: int) -> int:
        """Failed and cancelled deliveries wait again."""
        return db.execute(
            """UPDATE task SET state = 'waiting', reason = '', attempts = 0, finished = NULL
               WHERE batch_id = ? AND stage = 'deliver' AND state IN ('failed', 'cancelled')""",
            (batch_id,),
        ).rowcount

    def forget_stopped(self, db: sqlite3.Connection, page_id: int) -> int:
        """Take away a page's failed and cancelled tasks: they are asked for again, or no longer; how many."""
        return db.execute(
            "DELETE FROM task WHERE page_id = ? AND state IN ('failed', 'cancelled')", (page_id,)
        ).rowcount

    # Telling

    def task(self, task_id: int) -> TaskRecord:
        row = self.database.row(f"SELECT {COLUMNS} FROM task WHERE id = ?", task_id)
        if row is None:
            raise NotFound(f"There is no task {task_id}.")
        return TaskRecord.of(row)

    def is_running(self, task_id: int) -> bool:
        """Whether it is under way and wanted: neither cancelled nor gone with its document."""
        return self.database.row("SELECT 1 FROM task WHERE id = ? AND state = 'running'", task_id) is not None

    def last_of_page(self, page_id: int) -> TaskRecord | None:
        """What was last asked for a page."""
        row = self.database.row(f"SELECT {COLUMNS} FROM task WHERE page_id = ? ORDER BY id DESC LIMIT 1", page_id)
        return TaskRecord.of(row) if row else None

    def has_open(self) -> bool:
        """Whether anything waits or runs."""
        return self.database.row("SELECT 1 FROM task WHERE state IN ('waiting', 'running') LIMIT 1") is not None

    def unread_pages(self, document_id: int) -> int:
        """How many tasks of a document's pages wait or run."""
        row = self.database.row(
            """SELECT count(*) AS n FROM task WHERE document_id = ? AND page_id IS NOT NULL
                 AND state IN ('waiting', 'running')""",
            document_id,
        )
        return int(row["n"]) if row else 0

    def open_by_document(self, batch_id: int) -> dict[int, int]:
        """How many tasks of each document's pages wait or run."""
        rows = self.database.rows(
            """SELECT document_id, count(*) AS n FROM task
               WHERE batch_id = ? AND state IN ('waiting', 'running') AND stage != 'deliver' GROUP BY 1""",
            batch_id,
        )
        return {r["document_id"]: r["n"] for r in rows}

    def deliveries_under_way(self, batch_id: int) -> list[TaskRecord]:
        """What is being made of a batch, or waits for it."""
        rows = self.database.rows(
            f"""SELECT {COLUMNS} FROM task
                WHERE batch_id = ? AND stage = 'deliver' AND state IN ('waiting', 'running') ORDER BY id""",
            batch_id,
        )
        return [TaskRecord.of(row) for row in rows]

    def progress(self, batch_id: int) -> dict[str, dict[str, int]]:
        """Tasks by stage and state."""
        rows = self.database.rows(
            "SELECT stage, state, count(*) AS n FROM task WHERE batch_id = ? GROUP BY 1, 2", batch_id
        )
        found: dict[str, dict[str, int]] = {}
        for r in rows:
            found.setdefault(r["stage"], {})[r["state"]] = r["n"]
        return found

    def failed(self, batch_id: int) -> list[FailedTask]:
        """Each page or delivery whose last try failed, once."""
        columns = ", ".join(f"t.{name}" for name in COLUMNS.split(", "))
        rows = self.database.rows(
            f"""SELECT {columns}, d.source_name, p.position FROM task t
                JOIN document d ON d.id = t.document_id LEFT JOIN page p ON p.id = t.page_id
                WHERE t.batch_id = ? AND t.state = 'failed' AND p.removed_from IS NULL
                  AND NOT EXISTS (SELECT 1 FROM task n WHERE n.id > t.id AND n.document_id = t.document_id
                    AND n.page_id IS t.page_id AND (t.page_id IS NOT NULL OR n.settings = t.settings))
                ORDER BY t.id""",
            batch_id,
        )
        return [FailedTask(TaskRecord.of(r), r["source_name"], _page(r)) for r in rows]


def _page(row: Row) -> int | None:
    return int(row["position"]) if row["position"] is not None else None
