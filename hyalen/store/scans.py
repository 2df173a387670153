"""Scanners, presets, and the sheets that come from them: kept side by side with the documents that they become."""

from __future__ import annotations

import sqlite3
import time
from collections.abc import Sequence
from typing import Literal, NamedTuple

from hyalen.core.decisions.operations import Arrange, Operation, TakeOut
from hyalen.core.model.geometry import Frozen
from hyalen.core.model.treatment import Treatment
from hyalen.core.proofing.doubts import Stage
from hyalen.core.scanning.passes import Judged, Placed, backs, placed
from hyalen.core.scanning.wish import Aim, Preset, Sides, Wish
from hyalen.store.arrangement import Arrangement
from hyalen.store.course import Course
from hyalen.store.database import Database, Row
from hyalen.store.documents import Documents
from hyalen.store.journal import Decision, Journal
from hyalen.store.outcome import Stale
from hyalen.store.pages import Pages
from hyalen.store.records import NotFound
from hyalen.store.settings import Settings
from hyalen.store.tasks import Tasks

ScanState = Literal["resting", "running", "ended"]
SCAN = "id, batch_id, scanner_id, wish, aim, state, trouble, pass, job, job_first, change_id, begun"
FACE = "id, scan_id, pass, number, blob, thumb_blob, judged, fate, document_id, page_id, place"


class Trouble(Frozen):
    """Why sheets stopped coming, and what to do."""

    kind: Literal[
        "jam", "double_feed", "cover_open", "empty", "connection", "device", "space", "stopped", "missing", "odd_backs"
    ]
    says: str


class ScannerRecord(NamedTuple):
    id: int
    address: str
    name: str


class NamedPreset(NamedTuple):
    id: int
    name: str
    preset: Preset


class ScanRecord(NamedTuple):
    """Sheets going through a scanner; `step` is 2 in the second pass over sheets that lie the other way up."""

    id: int
    batch_id: int
    scanner_id: int | None
    wish: Wish
    aim: Aim
    state: ScanState
    trouble: Trouble | None
    step: int
    job: str
    job_first: int
    change_id: int | None
    begun: float


class FaceRecord(NamedTuple):
    """A side of a sheet, as it came."""

    id: int
    scan_id: int
    step: int
    number: int
    blob: str
    thumb_blob: str
    judged: Judged
    fate: str
    document_id: int | None
    page_id: int | None
    place: int | None


class Scans:
    def __init__(
        self,
        database: Database,
        documents: Documents,
        pages: Pages,
        journal: Journal,
        arrangement: Arrangement,
        course: Course,
        settings: Settings,
        tasks: Tasks,
    ) -> None:
        self.database = database
        self.documents = documents
        self.pages = pages
        self.journal = journal
        self.arrangement = arrangement
        self.course = course
        self.settings = settings
        self.tasks = tasks

    # Scanners

    def scanners(self) -> list[ScannerRecord]:
        """Those that the clerk has named or confirmed, the last first."""
        rows = self.database.rows("SELECT id, address, name FROM scanner ORDER BY added DESC, id DESC")
        return [ScannerRecord(r["id"], r["address"], r["name"]) for r in rows]

    def scanner(self, scanner_id: int) -> ScannerRecord:
        found = next((s for s in self.scanners() if s.id == scanner_id), None)
        if found is None:
            raise NotFound(f"There is no scanner {scanner_id}.")
        return found

    def add_scanner(self, address: str, name: str) -> int:
        """Keep a device; one at that address is renamed."""
        with self.database.write() as db:
            db.execute(
                """INSERT INTO scanner (address, name, added) VALUES (?, ?, ?)
                   ON CONFLICT (address) DO UPDATE SET name = excluded.name, added = excluded.added""",
                (address, name, time.time()),
            )
            return int(db.execute("SELECT id FROM scanner WHERE address = ?", (address,)).fetchone()["id"])

    def forget_scanner(self, scanner_id: int) -> None:
        with self.database.write() as db:
            if not db.execute("DELETE FROM scanner WHERE id = ?", (scanner_id,)).rowcount:
                raise NotFound(f"There is no scanner {scanner_id}.")

    # Presets

    def presets(self) -> list[NamedPreset]:
        """By name."""
        rows = self.database.rows("SELECT id, name, value FROM scan_preset ORDER BY name")
        return [NamedPreset(r["id"], r["name"], Preset.model_validate_json(r["value"])) for r in rows]

    def save_preset(self, name: str, preset: Preset) -> None:
        """Keep a preset under a name; one of that name is replaced."""
        with self.database.write() as db:
            db.execute(
                """INSERT INTO scan_preset (name, value, made) VALUES (?, ?, ?)
                   ON CONFLICT (name) DO UPDATE SET value = excluded.value, made = excluded.made""",
                (name, preset.model_dump_json(), time.time()),
            )

    def delete_preset(self, preset_id: int) -> None:
        with self.database.write() as db:
            if not db.execute("DELETE FROM scan_preset WHERE id = ?", (preset_id,)).rowcount:
                raise NotFound(f"There is no preset {preset_id}.")

    # Scans

    def begin(self, batch_id: int, scanner_id: int, wish: Wish, aim: Aim) -> int:
        """A scan that is to be started.

        Raises
        ------
        Stale
            If its pages are to go where there is nothing any more.
        """
        self.documents.batch(batch_id)
        self.scanner(scanner_id)
        page_id = aim.after or aim.instead
        if page_id is not None and not self.pages.page(page_id).is_live:
            raise Stale("The page is not in the document any more; nothing was scanned.")
        document_id = self.pages.page(page_id).document_id if page_id is not None else aim.document
        if document_id is not None and self.documents.document(document_id).batch_id != batch_id:
            raise Stale("The document is in another batch; nothing was scanned.")
        with self.database.write() as db:
            db.execute("UPDATE scan SET state = 'ended' WHERE batch_id = ? AND state = 'resting'", (batch_id,))
            cursor = db.execute(
                "INSERT INTO scan (batch_id, scanner_id, wish, aim, begun) VALUES (?, ?, ?, ?, ?)",
                (batch_id, scanner_id, wish.model_dump_json(), aim.model_dump_json(), time.time()),
            )
            return int(cursor.lastrowid or 0)

    def scan(self, scan_id: int) -> ScanRecord:
        row = self.database.row(f"SELECT {SCAN} FROM scan WHERE id = ?", scan_id)
        if row is None:
            raise NotFound(f"There is no scan {scan_id}.")
        return _scan(row)

    def last_of(self, batch_id: int) -> ScanRecord | None:
        """The batch's scan that was begun last."""
        row = self.database.row(f"SELECT {SCAN} FROM scan WHERE batch_id = ? ORDER BY id DESC LIMIT 1", batch_id)
        return _scan(row) if row else None

    def set_state(self, scan_id: int, state: ScanState, trouble: Trouble | None = None) -> None:
        with self.database.write() as db:
            db.execute(
                "UPDATE scan SET state = ?, trouble = ? WHERE id = ?",
                (state, trouble.model_dump_json() if trouble else "", scan_id),
            )

    def set_job(self, scan_id: int, job: str) -> None:
        """What is under way at the device, from the next face on; "" when nothing is."""
        scan = self.scan(scan_id)
        with self.database.write() as db:
            first = len(self.faces(scan_id, scan.step))
            db.execute("UPDATE scan SET job = ?, job_first = ? WHERE id = ?", (job, first, scan_id))

    def leave(self, db: sqlite3.Connection, document_ids: Sequence[int]) -> None:
        """Documents are to change or go: the scans that have put sheets into them end.

        Raises
        ------
        Stale
            If sheets are coming.
        """
        for document_id in document_ids:
            of = "id IN (SELECT scan_id FROM face WHERE document_id = ?)"
            if db.execute(f"SELECT 1 FROM scan WHERE state = 'running' AND {of}", (document_id,)).fetchone():
                raise Stale("Sheets are being scanned into the document; wait until they are in. Nothing was changed.")
            db.execute(f"UPDATE scan SET state = 'ended' WHERE state = 'resting' AND {of}", (document_id,))

    def recover(self) -> None:
        """After a start: what was running when the server went rests."""
        told = Trouble(kind="stopped", says="The program was stopped meanwhile. Go on: nothing that has come is lost.")
        for row in self.database.rows("SELECT id FROM scan WHERE state = 'running'"):
            self.set_state(row["id"], "resting", told)

    def other_sides(self, scan_id: int) -> None:
        """The second pass begins, or begins anew.

        Raises
        ------
        Stale
            If both sides are there already.
        """
        scan = self.scan(scan_id)
        if scan.wish.sides is not Sides.SECOND_PASS or scan.state == "running":
            raise Stale("There is no second pass to be begun.")
        if any(f.page_id is not None or f.fate != "waiting" for f in self.faces(scan_id, 2)):
            raise Stale("The other sides are in their places already.")
        with self.database.write() as db:
            db.execute("DELETE FROM face WHERE scan_id = ? AND pass = 2", (scan_id,))
            db.execute("UPDATE scan SET pass = 2, job = '', job_first = 0, trouble = '' WHERE id = ?", (scan_id,))

    # Faces

    def faces(self, scan_id: int, step: int | None = None) -> list[FaceRecord]:
        """In the order in which they came."""
        rows = self.database.rows(
            f"SELECT {FACE} FROM face WHERE scan_id = ? AND (?2 IS NULL OR pass = ?2) ORDER BY pass, number",
            scan_id,
            step,
        )
        return [_face(r) for r in rows]

    def face(self, face_id: int) -> FaceRecord:
        row = self.database.row(f"SELECT {FACE} FROM face WHERE id = ?", face_id)
        if row is None:
            raise NotFound(f"There is no face {face_id}.")
        return _face(row)

    def add_face(self, scan_id: int, number: int, blob: str, thumb_blob: str, judged: Judged) -> set[int]:
        """Keep a face that has come and put what is decided into documents; the documents that have changed."""
        with self.database.write() as db:
            scan = self.scan(scan_id)
            db.execute(
                "INSERT INTO face (scan_id, pass, number, blob, thumb_blob, judged) VALUES (?, ?, ?, ?, ?, ?)",
                (scan_id, scan.step, number, blob, thumb_blob, judged.model_dump_json()),
            )
            return self._settle(db, scan) if scan.step == 1 else set()

    def take_back_half(self, scan_id: int) -> bool:
        """Forget a front whose back has not come: its sheet goes through again; whether there was one."""
        scan = self.scan(scan_id)
        faces = self.faces(scan_id, scan.step)
        if scan.wish.sides is not Sides.BOTH or len(faces) % 2 == 0:
            return False
        with self.database.write() as db:
            db.execute("DELETE FROM face WHERE id = ?", (faces[-1].id,))
        return True

    def put_back(self, face_id: int) -> int:
        """Make a page of a side that was left out as blank; its document.

        Raises
        ------
        Stale
            If it is a page already, or its document has gone.
        """
        face = self.face(face_id)
        if face.fate != "blank" or face.place is None:
            raise Stale("This side is no blank one that was left out.")
        with self.database.write() as db:
            scan = self.scan(face.scan_id)
            document_id = face.document_id
            if document_id is None:  # where all sides were blank, there is no document yet
                document_id = self._new_document(db, scan, "", face, 0)
            page_id = self._add_page(db, scan, face, document_id, face.place)
            db.execute(
                "UPDATE face SET fate = 'page', document_id = ?, page_id = ? WHERE id = ?",
                (document_id, page_id, face_id),
            )
            self._settle(db, scan)
            self._changed(db, document_id)
        return document_id

    def join_backs(self, scan_id: int, backwards: bool = True) -> set[int]:
        """Put the faces of the second pass behind their fronts; the documents that have changed.

        Raises
        ------
        ValueError
            If there are not as many as fronts.
        """
        with self.database.write() as db:
            scan = self.scan(scan_id)
            fronts, others = self.faces(scan_id, 1), self.faces(scan_id, 2)
            changed: set[int] = set()
            for face, at in zip(others, backs(len(fronts), len(others), backwards), strict=True):
                front = fronts[at]
                if front.fate == "separator" or front.document_id is None or front.place is None:
                    db.execute("UPDATE face SET fate = 'separator' WHERE id = ?", (face.id,))
                    continue
                told = Placed(
                    0, "blank" if scan.wish.drop_blank and face.judged.blank else "page", 0, front.place ^ 1, ""
                )
                self._put(db, scan, face, told, front.document_id)
                changed.add(front.document_id)
            for document_id in changed:
                self._changed(db, document_id)
                self.course.advance_document(db, document_id)
            return changed

    # Placing

    def _settle(self, db: sqlite3.Connection, scan: ScanRecord) -> set[int]:
        faces = self.faces(scan.id, 1)
        plan = placed(scan.wish, scan.aim, [f.judged for f in faces])
        known = {p.document: f.document_id for p in plan if (f := faces[p.face]).document_id is not None}
        target = self._target(scan)
        shift = next(
            (f.place - p.place for p in plan if p.document == 0 and (f := faces[p.face]).place is not None), None
        )
        changed: set[int] = set()
        added: list[int] = []
        for told in plan:
            face = faces[told.face]
            if face.fate != "waiting" and (face.document_id is not None or told.document not in known):
                continue
            if told.fate == "separator":
                db.execute("UPDATE face SET fate = 'separator' WHERE id = ?", (face.id,))
                continue
            document_id = known.get(told.document)
            if document_id is None and told.document == 0 and target is not None:
                document_id = target
            if document_id is None and told.fate == "page":
                document_id = self._new_document(db, scan, told.name, face, len(known))
            if document_id is not None:
                known[told.document] = document_id
            if told.document == 0 and target is not None and shift is None:
                shift = self.pages.room(target)
            at = told.place + (shift or 0 if told.document == 0 else 0)
            page_id = self._put(db, scan, face, told._replace(place=at), document_id)
            if page_id is not None:
                added.append(page_id)
            if document_id is not None:
                changed.add(document_id)
        for document_id in changed:
            if target == document_id and (scan.aim.after or scan.aim.instead):
                self._put_among(db, scan, document_id, added)
            self._changed(db, document_id)
        return changed

    def _put(
        self, db: sqlite3.Connection, scan: ScanRecord, face: FaceRecord, told: Placed, document_id: int | None
    ) -> int | None:
        """Carry out what becomes of a face; the page where it is one."""
        page_id = None
        if told.fate == "page" and face.page_id is None:
            assert document_id is not None
            page_id = self._add_page(db, scan, face, document_id, told.place)
        db.execute(
            "UPDATE face SET fate = ?, document_id = ?, page_id = coalesce(page_id, ?), place = ? WHERE id = ?",
            (told.fate, document_id, page_id, told.place, face.id),
        )
        return page_id

    def _target(self, scan: ScanRecord) -> int | None:
        """The document that the first pages go to, where it is there already."""
        page_id = scan.aim.after or scan.aim.instead
        return self.pages.page(page_id).document_id if page_id is not None else scan.aim.document

    def _new_document(self, db: sqlite3.Connection, scan: ScanRecord, name: str, face: FaceRecord, count: int) -> int:
        name = name or scan.aim.name(scan.aim.counter + count)
        document_id = self.documents.add(scan.batch_id, name, face.blob, [])
        duplex = int(scan.wish.sides is not Sides.ONE)
        db.execute("UPDATE document SET title = ?, duplex = ? WHERE id = ?", (name, duplex, document_id))
        return document_id

    def _add_page(
        self, db: sqlite3.Connection, scan: ScanRecord, face: FaceRecord, document_id: int, place: int
    ) -> int:
        treatment = Treatment().model_dump_json(exclude_defaults=True)
        cursor = db.execute(
            """INSERT INTO page (document_id, position, source_index, source_blob, source_page, told_dpi, treatment,
                 first_treatment)
               VALUES (?, -3000000 - (SELECT coalesce(max(id), 0) FROM page), ?, ?, 0, ?, ?, ?)""",
            (document_id, place, face.blob, scan.wish.dpi, treatment, treatment),
        )
        page_id = int(cursor.lastrowid or 0)
        self.tasks.want(db, scan.batch_id, document_id, page_id, Stage.BRING_IN, "")
        return page_id

    def _put_among(self, db: sqlite3.Connection, scan: ScanRecord, document_id: int, added: Sequence[int]) -> None:
        """Put new pages behind the one that they are to follow, or in its place: one step of the document's history."""
        if not added:
            return
        anchor = scan.aim.after or scan.aim.instead
        assert anchor is not None
        earlier = [f.page_id for f in self.faces(scan.id, 1) if f.page_id is not None and f.page_id not in added]
        behind = earlier[-1] if earlier else anchor
        order = [p for p in self.arrangement.order(document_id) if p not in added]
        at = order.index(behind) + 1
        order[at:at] = added
        operations: list[tuple[int | None, Operation]] = [(None, Arrange(order=tuple(order)))]
        if scan.aim.instead is not None and not earlier:
            operations.append((anchor, TakeOut()))
        label = "page scanned again" if scan.aim.instead is not None else "pages scanned in"
        change_id = scan.change_id
        if change_id is None:
            change_id = self.journal.record(db, document_id, label, operations)
            db.execute("UPDATE scan SET change_id = ? WHERE id = ?", (change_id, scan.id))
        else:
            self.journal.extend(db, change_id, document_id, operations)
        self.settings.follow(db, document_id, label, [Decision(0, label, page, op) for page, op in operations])

    def _changed(self, db: sqlite3.Connection, document_id: int) -> None:
        self.arrangement.arrange(db, document_id)
        db.execute("UPDATE document SET revision = revision + 1 WHERE id = ?", (document_id,))


def _scan(row: Row) -> ScanRecord:
    return ScanRecord(
        row["id"],
        row["batch_id"],
        row["scanner_id"],
        Wish.model_validate_json(row["wish"]),
        Aim.model_validate_json(row["aim"]),
        row["state"],
        Trouble.model_validate_json(row["trouble"]) if row["trouble"] else None,
        row["pass"],
        row["job"],
        row["job_first"],
        row["change_id"],
        row["begun"],
    )


def _face(row: Row) -> FaceRecord:
    return FaceRecord(
        row["id"], row["scan_id"], row["pass"], row["number"], row["blob"], row["thumb_blob"],
        Judged.model_validate_json(row["judged"]), row["fate"], row["document_id"], row["page_id"], row["place"],
    )  # fmt: skip
