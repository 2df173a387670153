"""Folders that are watched for batches, and what of their files is taken in."""

from __future__ import annotations

from collections.abc import Collection
from typing import NamedTuple

from hyalen.store.database import Database
from hyalen.store.documents import Documents


class Inbox(NamedTuple):
    """A batch, and the name of the folder that is watched for it."""

    batch_id: int
    folder: str


class Inboxes:
    """A file is taken in wholly or not at all, over kills: `began` forgets what of it came before, `ended` seals it."""

    def __init__(self, database: Database, documents: Documents) -> None:
        self.database = database
        self.documents = documents

    def all(self) -> list[Inbox]:
        rows = self.database.rows("SELECT id, inbox FROM batch WHERE inbox IS NOT NULL ORDER BY id")
        return [Inbox(r["id"], r["inbox"]) for r in rows]

    def of_batch(self, batch_id: int) -> str | None:
        """The name of the folder that is watched for a batch."""
        row = self.database.row("SELECT inbox FROM batch WHERE id = ?", batch_id)
        return row["inbox"] if row else None

    def watch(self, batch_id: int, folder: str | None) -> None:
        """Have a folder watched, or none any more."""
        self.documents.batch(batch_id)
        with self.database.write() as db:
            db.execute("UPDATE batch SET inbox = ? WHERE id = ?", (folder, batch_id))

    def is_taken_in(self, token: str) -> bool:
        return self.database.row("SELECT 1 FROM taken_in WHERE token = ?", token) is not None

    def reason(self, token: str) -> str:
        """Why what came by a file is among the problems; "" where all could be read."""
        rows = self.database.rows("SELECT file, reason FROM problem WHERE came_by = ? ORDER BY id", token)
        return "\n".join(f"{r['file']}: {r['reason']}" for r in rows)

    def half(self, token: str) -> list[int]:
        """The documents that came by a file which is not wholly taken in; its problems are forgotten."""
        with self.database.write() as db:
            db.execute("DELETE FROM problem WHERE came_by = ?", (token,))
            return [r["id"] for r in db.execute("SELECT id FROM document WHERE came_by = ?", (token,)).fetchall()]

    def ended(self, token: str) -> None:
        with self.database.write() as db:
            db.execute("INSERT OR IGNORE INTO taken_in (token) VALUES (?)", (token,))

    def keep_only(self, folder: str, tokens: Collection[str]) -> None:
        """Of a folder's files only these are still to be put away."""
        with self.database.write() as db:
            rows = db.execute("SELECT token FROM taken_in WHERE token LIKE ? || '/%'", (folder,)).fetchall()
            db.executemany(
                "DELETE FROM taken_in WHERE token = ?", [(r["token"],) for r in rows if r["token"] not in tokens]
            )

    def put_away(self, token: str) -> None:
        """The file has left the folder: another one may come under its name."""
        with self.database.write() as db:
            db.execute("DELETE FROM taken_in WHERE token = ?", (token,))
