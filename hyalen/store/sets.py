"""Formats and their choices that are kept under a name: what is delivered again and again."""

from __future__ import annotations

import sqlite3
import time
from contextlib import closing, suppress
from pathlib import Path
from typing import NamedTuple

from pydantic import Field

from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.geometry import Frozen
from hyalen.store.database import DATABASE, Database
from hyalen.store.records import NotFound


class DeliverySet(Frozen):
    """What is made of a document."""

    formats: tuple[str, ...] = Field(min_length=1, max_length=50)
    options: DeliveryOptions = DeliveryOptions()


class NamedSet(NamedTuple):
    id: int
    name: str
    value: DeliverySet


class NoSuchSet(ValueError):
    """There is no set of that name; the message says which there are."""


def kept_set(directory: Path, name: str) -> DeliverySet:
    """A set that is kept in a data directory, which may be in use.

    Raises
    ------
    NoSuchSet
    """
    path = directory / DATABASE
    rows: list[tuple[str, str]] = []
    if path.is_file():
        with closing(sqlite3.connect(f"{path.absolute().as_uri()}?mode=ro", uri=True)) as db, suppress(sqlite3.Error):
            rows = db.execute("SELECT name, value FROM delivery_set ORDER BY name").fetchall()
    found = {each.casefold(): value for each, value in rows}
    if name.casefold() not in found:
        known = f"there are {', '.join(each for each, _ in rows)}" if rows else "none is kept there"
        raise NoSuchSet(f"there is no delivery set {name!r} in {directory}; {known}")
    return DeliverySet.model_validate_json(found[name.casefold()])


class DeliverySets:
    def __init__(self, database: Database) -> None:
        self.database = database

    def all(self) -> list[NamedSet]:
        """By name."""
        rows = self.database.rows("SELECT id, name, value FROM delivery_set ORDER BY name")
        return [NamedSet(r["id"], r["name"], DeliverySet.model_validate_json(r["value"])) for r in rows]

    def save(self, name: str, value: DeliverySet) -> None:
        """Keep a set under a name; one of that name is replaced."""
        with self.database.write() as db:
            db.execute(
                """INSERT INTO delivery_set (name, value, made) VALUES (?, ?, ?)
                   ON CONFLICT (name) DO UPDATE SET value = excluded.value, made = excluded.made""",
                (name, value.model_dump_json(), time.time()),
            )

    def delete(self, set_id: int) -> None:
        with self.database.write() as db:
            if not db.execute("DELETE FROM delivery_set WHERE id = ?", (set_id,)).rowcount:
                raise NotFound(f"There is no delivery set {set_id}.")
