"""Formats and their choices that are kept under a name: what is delivered again and again."""

from __future__ import annotations

import time
from typing import NamedTuple

from pydantic import Field

from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.geometry import Frozen
from hyalen.store.database import Database
from hyalen.store.records import NotFound


class DeliverySet(Frozen):
    """What is made of a document."""

    formats: tuple[str, ...] = Field(min_length=1, max_length=50)
    options: DeliveryOptions = DeliveryOptions()


class NamedSet(NamedTuple):
    id: int
    name: str
    value: DeliverySet


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
