"""The SQLite file: connections, migrations, one writer."""

from __future__ import annotations

import re
import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path
from typing import Any

Row = sqlite3.Row


class Database:
    """A connection a thread for reading; writes take turns.

    The file is in WAL mode, so readers never wait for the writer.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._local = threading.local()
        self._writing = threading.RLock()
        self._all: list[sqlite3.Connection] = []
        migrate(self._connection())

    def _connection(self) -> sqlite3.Connection:
        connection: sqlite3.Connection | None = getattr(self._local, "connection", None)
        if connection is None:
            connection = sqlite3.connect(self._path, timeout=30, isolation_level=None, check_same_thread=False)
            connection.row_factory = sqlite3.Row
            connection.execute("PRAGMA journal_mode = WAL")
            connection.execute("PRAGMA synchronous = NORMAL")
            connection.execute("PRAGMA foreign_keys = ON")
            connection.execute("PRAGMA cache_size = -8000")
            self._local.connection = connection
            self._all.append(connection)
        return connection

    def rows(self, sql: str, *values: Any) -> list[Row]:
        """All rows of a query."""
        return self._connection().execute(sql, values).fetchall()

    def row(self, sql: str, *values: Any) -> Row | None:
        """The first row, or None."""
        found: Row | None = self._connection().execute(sql, values).fetchone()
        return found

    @contextmanager
    def write(self) -> Iterator[sqlite3.Connection]:
        """A transaction: committed at the end, rolled back on an error."""
        with self._writing:
            connection = self._connection()
            if connection.in_transaction:
                yield connection
                return
            connection.execute("BEGIN IMMEDIATE")
            try:
                yield connection
            except BaseException:
                connection.execute("ROLLBACK")
                raise
            connection.execute("COMMIT")

    def close(self) -> None:
        for connection in self._all:
            connection.close()
        self._all.clear()


def migrate(connection: sqlite3.Connection) -> None:
    """Apply the numbered .sql files that the database has not seen (PRAGMA user_version)."""
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    for name, sql in migrations():
        number = int(name[:4])
        if number > version:
            connection.executescript(f"BEGIN;\n{sql}\nPRAGMA user_version = {number};\nCOMMIT;")


def migrations() -> list[tuple[str, str]]:
    """(name, sql) in order."""
    directory = files("hyalen.store").joinpath("migrations")
    found = [f for f in directory.iterdir() if re.fullmatch(r"\d{4}_\w+\.sql", f.name)]
    return sorted((f.name, f.read_text("utf8")) for f in found)
