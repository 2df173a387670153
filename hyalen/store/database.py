"""The SQLite file: connections, migrations, one writer."""

from __future__ import annotations

import re
import sqlite3
import threading
import weakref
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from importlib.resources import files
from pathlib import Path
from typing import Any

DATABASE = "hyalen.sqlite3"  # its name in a data directory
Row = sqlite3.Row
Upgrade = Callable[[sqlite3.Connection], None]


class Unusable(Exception):
    """The database cannot be worked with; the message says why and what to do."""


class Database:
    """A connection a thread for reading, closed with its thread; writes take turns.

    The file is in WAL mode, so readers never wait for the writer.

    Parameters
    ----------
    path : Path
    upgrades : dict of int to callable
        What SQL alone cannot say of a migration, by its number; run right after it, in its transaction.
    """

    def __init__(self, path: Path, upgrades: dict[int, Upgrade] | None = None) -> None:
        self._path = path
        self._local = threading.local()
        self._writing = threading.RLock()
        self._all: weakref.WeakSet[_Closing] = weakref.WeakSet()
        try:
            migrate(self._connection(), upgrades or {})
        except sqlite3.DatabaseError as error:
            if isinstance(error, sqlite3.OperationalError):
                raise Unusable(
                    f"{path} cannot be opened ({error}); see that the disk has room and is yours to write"
                ) from error
            raise Unusable(
                f"{path} is damaged ({error}); put a copy of it back, or move it away to begin anew"
            ) from error

    def _connection(self) -> sqlite3.Connection:
        held: _Closing | None = getattr(self._local, "held", None)
        if held is None:
            connection = sqlite3.connect(self._path, timeout=30, isolation_level=None, check_same_thread=False)
            connection.row_factory = sqlite3.Row
            connection.execute("PRAGMA journal_mode = WAL")
            connection.execute("PRAGMA synchronous = NORMAL")
            connection.execute("PRAGMA foreign_keys = ON")
            connection.execute("PRAGMA cache_size = -8000")
            held = self._local.held = _Closing(connection)
            self._all.add(held)
        return held.connection

    def rows(self, sql: str, *values: Any) -> list[Row]:
        """All rows of a query."""
        return self._connection().execute(sql, values).fetchall()

    def each(self, sql: str, *values: Any) -> Iterator[Row]:
        """The rows of a query one by one, for those that are too many to hold."""
        yield from self._connection().execute(sql, values)

    def row(self, sql: str, *values: Any) -> Row | None:
        """The first row, or None."""
        found: Row | None = self._connection().execute(sql, values).fetchone()
        return found

    @contextmanager
    def write(self) -> Iterator[sqlite3.Connection]:
        """A transaction: committed at the end, rolled back on an error. Within another it is part of that."""
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
        for held in list(self._all):
            held.connection.close()
        self._all.clear()


class _Closing:
    """Closes its connection when the thread that it belongs to is gone."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self.connection = connection
        weakref.finalize(self, connection.close)


def migrate(connection: sqlite3.Connection, upgrades: dict[int, Upgrade]) -> None:
    """Apply the numbered .sql files that the database has not seen (PRAGMA user_version)."""
    (version,) = connection.execute("PRAGMA user_version").fetchone()
    known = migrations()
    if version > int(known[-1][0][:4]):
        raise Unusable("the data was last used by a newer version of Hyalen; use that one, or another --data directory")
    for name, sql in known:
        number = int(name[:4])
        if number <= version:
            continue
        try:
            connection.executescript(f"BEGIN IMMEDIATE;\n{sql}")
            if number in upgrades:
                upgrades[number](connection)
            connection.execute(f"PRAGMA user_version = {number}")
            connection.execute("COMMIT")
        except BaseException:
            if connection.in_transaction:
                connection.execute("ROLLBACK")
            raise


def migrations() -> list[tuple[str, str]]:
    """(name, sql) in order."""
    directory = files("hyalen.store").joinpath("migrations")
    found = [f for f in directory.iterdir() if re.fullmatch(r"\d{4}_\w+\.sql", f.name)]
    return sorted((f.name, f.read_text("utf8")) for f in found)
