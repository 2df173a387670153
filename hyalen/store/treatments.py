"""Treatments that are kept under a name."""

from __future__ import annotations

import time
from typing import NamedTuple

from hyalen.core.model.treatment import Treatment
from hyalen.store.database import Database
from hyalen.store.records import NotFound


class NameTaken(ValueError):
    """There is such a treatment already."""


class Named(NamedTuple):
    id: int
    name: str
    treatment: Treatment


class Treatments:
    def __init__(self, database: Database) -> None:
        self.database = database

    def all(self) -> list[Named]:
        rows = self.database.rows("SELECT id, name, treatment FROM named_treatment ORDER BY name")
        return [Named(r["id"], r["name"], Treatment.model_validate_json(r["treatment"])) for r in rows]

    def save(self, name: str, treatment: Treatment, replace: bool = False) -> int:
        """Keep a treatment under a name.

        Raises
        ------
        NameTaken
            If there is one of that name and it is not to be replaced.
        """
        value = treatment.model_dump_json()
        with self.database.write() as db:
            row = db.execute("SELECT id FROM named_treatment WHERE name = ?", (name,)).fetchone()
            if row and not replace:
                raise NameTaken(f"There is a treatment named “{name}” already.")
            if row:
                db.execute(
                    "UPDATE named_treatment SET treatment = ?, made = ? WHERE id = ?", (value, time.time(), row["id"])
                )
                return int(row["id"])
            cursor = db.execute(
                "INSERT INTO named_treatment (name, treatment, made) VALUES (?, ?, ?)", (name, value, time.time())
            )
            return int(cursor.lastrowid or 0)

    def delete(self, treatment_id: int) -> None:
        with self.database.write() as db:
            if not db.execute("DELETE FROM named_treatment WHERE id = ?", (treatment_id,)).rowcount:
                raise NotFound(f"There is no treatment {treatment_id}.")
