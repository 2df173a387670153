"""Bundles: what is decided on them step by step, their marks, and what was made of them."""

from __future__ import annotations

import hashlib
import json
import sqlite3
import time
import zlib
from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from typing import Any, Literal, NamedTuple

from hyalen.core.bundling.arranging import turned
from hyalen.core.bundling.changes import Issue
from hyalen.core.bundling.plan import Inside
from hyalen.core.decisions.ink import Corners
from hyalen.core.model.bundle import BundleRules, BundleState, Entry, MarkKind
from hyalen.core.model.geometry import Frozen
from hyalen.core.structure.redaction import scrubbed
from hyalen.store.contents import Contents
from hyalen.store.database import Database, Row
from hyalen.store.deliveries import Deliveries
from hyalen.store.outcome import Stale
from hyalen.store.pages import LIVE
from hyalen.store.records import NotFound

MOST_STEPS = 200  # that can be undone
FileKind = Literal["pdf", "docx", "xlsx", "supplement"]
TaskState = Literal["waiting", "running", "done", "failed", "cancelled"]
GONE = "It was removed from its batch."
UNREAD = "None of its pages could be read."
_FILE = "id, bundle_id, name, kind, volume, pages, blob, size, edition, remarks, made_by, made"


class BundleRecord(NamedTuple):
    """`issued` is when it was last delivered, 0 where it never was."""

    id: int
    name: str
    state: BundleState
    revision: int
    issued: float
    created: float


class BundleWish(Frozen):
    """What is to be made of a bundle: in volumes of at most so many pages or bytes, 0 for one."""

    kinds: tuple[FileKind, ...]
    most_pages: int = 0
    most_bytes: int = 0
    made_by: str = ""


class BundleTask(NamedTuple):
    id: int
    bundle_id: int
    wish: BundleWish
    state: TaskState
    reason: str


class BundleFile(NamedTuple):
    """A file that was made; `remarks` are what is to be known of it."""

    id: int
    bundle_id: int
    name: str
    kind: FileKind
    volume: int
    pages: int
    blob: str
    size: int
    edition: str
    remarks: list[str]
    made_by: str
    made: float


class Mark(NamedTuple):
    """A mark on a page; `places` are the corners of its boxes on the original."""

    id: int
    bundle_id: int
    page_id: int
    kind: MarkKind
    places: list[Corners]
    colour: str
    name: str
    text: str


class Part(NamedTuple):
    """What a document was made to for a bundle; `met` says whether nothing stands against its being PDF/UA."""

    document_id: int
    edition: str
    blob: str
    size: int
    met: bool = True


class Bundles:
    def __init__(self, database: Database, contents: Contents, deliveries: Deliveries) -> None:
        self.database = database
        self.contents = contents
        self.deliveries = deliveries

    # Bundles

    def all(self) -> list[BundleRecord]:
        """The newest first."""
        return [_bundle(r) for r in self.database.rows(f"SELECT {_BUNDLE} FROM bundle ORDER BY id DESC")]

    def add(self, name: str, rules: BundleRules | None = None) -> int:
        state = BundleState(rules=rules or BundleRules())
        with self.database.write() as db:
            cursor = db.execute(
                "INSERT INTO bundle (name, state, created) VALUES (?, ?, ?)", (name, _packed(state), time.time())
            )
            return int(cursor.lastrowid or 0)

    def bundle(self, bundle_id: int) -> BundleRecord:
        row = self.database.row(f"SELECT {_BUNDLE} FROM bundle WHERE id = ?", bundle_id)
        if row is None:
            raise NotFound(f"There is no bundle {bundle_id}.")
        return _bundle(row)

    def rename(self, bundle_id: int, name: str) -> None:
        self.bundle(bundle_id)
        with self.database.write() as db:
            db.execute("UPDATE bundle SET name = ? WHERE id = ?", (name, bundle_id))

    def change(
        self, bundle_id: int, revision: int | None, label: str, how: Callable[[BundleState], BundleState]
    ) -> None:
        """Take a step that can be undone, on the revision that is known; None for any.

        Raises
        ------
        Stale
            If the bundle is not at that revision.
        """
        with self.database.write() as db:
            bundle = self.bundle(bundle_id)
            if revision is not None and bundle.revision != revision:
                raise Stale("The bundle was changed elsewhere meanwhile; it is shown anew and nothing was overwritten.")
            after = how(bundle.state)
            if after == bundle.state:
                return
            db.execute("DELETE FROM bundle_step WHERE bundle_id = ? AND undone", (bundle_id,))
            db.execute(
                "INSERT INTO bundle_step (bundle_id, label, before, after, made) VALUES (?, ?, ?, ?, ?)",
                (bundle_id, label, _packed(bundle.state), _packed(after), time.time()),
            )
            db.execute(
                """DELETE FROM bundle_step WHERE bundle_id = ? AND id NOT IN
                     (SELECT id FROM bundle_step WHERE bundle_id = ? ORDER BY id DESC LIMIT ?)""",
                (bundle_id, bundle_id, MOST_STEPS),
            )
            self._put(db, bundle_id, _packed(after))

    def keep_numbers(self, bundle_id: int, how: Callable[[BundleState], BundleState]) -> None:
        """Keep what was delivered; no step, because a delivery cannot be undone."""
        with self.database.write() as db:
            self._put(db, bundle_id, _packed(how(self.bundle(bundle_id).state)))

    def turn(self, bundle_id: int, back: bool) -> str:
        """Undo the last step, or do it again; what it was, "" where there is none."""
        which = "NOT undone ORDER BY id DESC" if back else "undone ORDER BY id"
        with self.database.write() as db:
            row = db.execute(
                f"SELECT id, label, before, after FROM bundle_step WHERE bundle_id = ? AND {which} LIMIT 1",
                (bundle_id,),
            ).fetchone()
            if row is None:
                return ""
            before, after = _state(row["before"]), _state(row["after"])
            left, wanted = (after, before) if back else (before, after)
            self._put(db, bundle_id, _packed(turned(self.bundle(bundle_id).state, left, wanted)))
            db.execute("UPDATE bundle_step SET undone = ? WHERE id = ?", (int(back), row["id"]))
            return str(row["label"])

    def steps(self, bundle_id: int) -> tuple[str, str]:
        """What would be undone, and what would be done again; "" for nothing."""
        undo = self.database.row(
            "SELECT label FROM bundle_step WHERE bundle_id = ? AND NOT undone ORDER BY id DESC LIMIT 1", bundle_id
        )
        redo = self.database.row(
            "SELECT label FROM bundle_step WHERE bundle_id = ? AND undone ORDER BY id LIMIT 1", bundle_id
        )
        return (undo["label"] if undo else ""), (redo["label"] if redo else "")

    @staticmethod
    def _put(db: sqlite3.Connection, bundle_id: int, state: bytes) -> None:
        db.execute("UPDATE bundle SET state = ?, revision = revision + 1 WHERE id = ?", (state, bundle_id))

    # What its documents are

    def inside(self, entries: Sequence[Entry]) -> list[Inside]:
        """What each entry holds now."""
        wanted = [e.document_id for e in entries if e.document_id is not None]
        documents = {
            r["id"]: r
            for r in self._of_documents(
                "SELECT id, title, particulars, source_name FROM document WHERE id IN ({})", wanted
            )
        }
        pages: defaultdict[int, list[int]] = defaultdict(list)
        for row in self._of_documents(
            f"""SELECT id, document_id FROM page WHERE document_id IN ({{}}) AND content IS NOT NULL AND {LIVE}
                ORDER BY document_id, position""",
            wanted,
        ):
            pages[row["document_id"]].append(row["id"])
        redacted = self._of_documents(
            f"""SELECT DISTINCT document_id FROM page WHERE document_id IN ({{}}) AND {LIVE}
                AND facts LIKE '%"redactions"%'""",
            wanted,
        )
        gone = {r["document_id"]: self.contents.redacted_words(r["document_id"]) for r in redacted}
        found = []
        for entry in entries:
            document = documents.get(entry.document_id or 0)
            if entry.section:
                found.append(Inside())
            elif document is None:
                found.append(Inside(title=entry.known_as, trouble=GONE))
            else:
                words = gone.get(document["id"], frozenset())
                told = (document["title"], json.loads(document["particulars"]).get("date", ""), document["source_name"])
                title, date, name = (scrubbed(str(text), words) for text in told)
                there = pages.get(document["id"], [])
                found.append(Inside(there, title, date, name, "" if there else UNREAD))
        return found

    def _of_documents(self, sql: str, ids: Sequence[int]) -> list[Row]:
        """Rows of many documents, as many at a time as SQLite takes variables for certain."""
        found: list[Row] = []
        for first in range(0, len(ids), 900):
            some = ids[first : first + 900]
            found += self.database.rows(sql.format(", ".join("?" * len(some))), *some)
        return found

    def batches_of(self, documents: Sequence[int]) -> dict[int, int]:
        """The batch of each document that there is."""
        rows = self._of_documents("SELECT id, batch_id FROM document WHERE id IN ({})", documents)
        return {r["id"]: r["batch_id"] for r in rows}

    def page_marks(self, bundle_id: int, pages: Sequence[int]) -> dict[int, str]:
        """What changes whenever anything on a page does, by its id."""
        found = {
            r["id"]: f"{r['revision']}.{(r['cleaned_blob'] or '')[:12]}"
            for r in self._of_documents("SELECT id, revision, cleaned_blob FROM page WHERE id IN ({})", pages)
        }
        for page_id, marks in self._by_page(bundle_id).items():
            if page_id in found:
                found[page_id] += "." + hashlib.sha256(repr(marks).encode("utf8")).hexdigest()[:12]
        return found

    # Marks

    def marks(self, bundle_id: int) -> list[Mark]:
        rows = self.database.rows("SELECT * FROM mark WHERE bundle_id = ? ORDER BY id", bundle_id)
        return [_mark(r) for r in rows]

    def _by_page(self, bundle_id: int) -> dict[int, list[Mark]]:
        found: defaultdict[int, list[Mark]] = defaultdict(list)
        for mark in self.marks(bundle_id):
            found[mark.page_id].append(mark)
        return found

    def marks_of_pages(self, bundle_id: int, pages: Sequence[int]) -> dict[int, list[Mark]]:
        wanted = set(pages)
        return {page: marks for page, marks in self._by_page(bundle_id).items() if page in wanted}

    def add_marks(self, bundle_id: int, marks: Sequence[Mark]) -> list[int]:
        """Their ids; those given do not count."""
        self.bundle(bundle_id)
        made = []
        with self.database.write() as db:
            for each in marks:
                cursor = db.execute(
                    """INSERT INTO mark (bundle_id, page_id, kind, places, colour, name, text, made)
                       VALUES (?, ?, ?, ?, ?, ?, ?, ?)""",
                    (
                        bundle_id, each.page_id, each.kind.value, json.dumps(each.places), each.colour, each.name,
                        each.text, time.time(),
                    ),
                )  # fmt: skip
                made.append(int(cursor.lastrowid or 0))
        return made

    def tell_mark(self, bundle_id: int, mark_id: int, colour: str, name: str, text: str) -> None:
        with self.database.write() as db:
            changed = db.execute(
                "UPDATE mark SET colour = ?, name = ?, text = ? WHERE id = ? AND bundle_id = ?",
                (colour, name, text, mark_id, bundle_id),
            ).rowcount
            if not changed:
                raise NotFound(f"There is no mark {mark_id} in bundle {bundle_id}.")

    def take_marks(self, bundle_id: int, mark_ids: Sequence[int]) -> None:
        """Take marks away."""
        with self.database.write() as db:
            db.executemany("DELETE FROM mark WHERE id = ? AND bundle_id = ?", [(i, bundle_id) for i in mark_ids])

    # Parts

    def part_edition(self, bundle_id: int, document_id: int, marks: Mapping[int, list[Mark]], quality: str) -> str:
        """Changes whenever anything that a document's part is made of does."""
        told = repr((self.deliveries.edition(document_id), sorted(marks.items()), quality))
        return hashlib.sha256(told.encode("utf8")).hexdigest()

    def parts(self, bundle_id: int) -> dict[int, Part]:
        """By document."""
        rows = self.database.rows(
            "SELECT document_id, edition, blob, size, met FROM bundle_part WHERE bundle_id = ?", bundle_id
        )
        return {
            r["document_id"]: Part(r["document_id"], r["edition"], r["blob"], r["size"], bool(r["met"])) for r in rows
        }

    def keep_part(self, bundle_id: int, part: Part) -> None:
        with self.database.write() as db:
            db.execute(
                """INSERT INTO bundle_part (bundle_id, document_id, edition, blob, size, met, made)
                   SELECT b.id, d.id, ?, ?, ?, ?, ? FROM bundle b, document d WHERE b.id = ? AND d.id = ?
                   ON CONFLICT (bundle_id, document_id) DO UPDATE SET edition = excluded.edition,
                     blob = excluded.blob, size = excluded.size, met = excluded.met, made = excluded.made""",
                (part.edition, part.blob, part.size, int(part.met), time.time(), bundle_id, part.document_id),
            )

    def drop_parts(self, bundle_id: int, kept: Sequence[int]) -> None:
        """Parts of documents that are not in the bundle any more."""
        stay = set(kept)
        with self.database.write() as db:
            for document_id in self.parts(bundle_id):
                if document_id not in stay:
                    db.execute(
                        "DELETE FROM bundle_part WHERE bundle_id = ? AND document_id = ?", (bundle_id, document_id)
                    )

    # Tasks

    def want(self, bundle_id: int, wish: BundleWish) -> int:
        self.bundle(bundle_id)
        with self.database.write() as db:
            cursor = db.execute(
                "INSERT INTO bundle_task (bundle_id, wanted, made) VALUES (?, ?, ?)",
                (bundle_id, wish.model_dump_json(), time.time()),
            )
            return int(cursor.lastrowid or 0)

    def next_task(self) -> BundleTask | None:
        """Begin the next one."""
        with self.database.write() as db:
            row = db.execute("SELECT * FROM bundle_task WHERE state = 'waiting' ORDER BY id LIMIT 1").fetchone()
            if row is None:
                return None
            db.execute("UPDATE bundle_task SET state = 'running' WHERE id = ?", (row["id"],))
            return _task(row)

    def task_of(self, bundle_id: int) -> BundleTask | None:
        """The last one that is not done."""
        row = self.database.row("SELECT * FROM bundle_task WHERE bundle_id = ? ORDER BY id DESC LIMIT 1", bundle_id)
        return _task(row) if row is not None and row["state"] != "done" else None

    def is_wanted(self, task_id: int) -> bool:
        row = self.database.row("SELECT state FROM bundle_task WHERE id = ?", task_id)
        return row is not None and row["state"] == "running"

    def end_task(self, task_id: int, state: TaskState, reason: str = "") -> bool:
        """From running; False where it was cancelled meanwhile."""
        with self.database.write() as db:
            return bool(
                db.execute(
                    "UPDATE bundle_task SET state = ?, reason = ? WHERE id = ? AND state = 'running'",
                    (state, reason, task_id),
                ).rowcount
            )

    def put_back(self, task_id: int) -> None:
        """From running to waiting: the workers are gone."""
        with self.database.write() as db:
            db.execute("UPDATE bundle_task SET state = 'waiting' WHERE id = ? AND state = 'running'", (task_id,))

    def has_open(self) -> bool:
        """Whether anything waits or runs."""
        return self.database.row("SELECT 1 FROM bundle_task WHERE state IN ('waiting', 'running')") is not None

    def cancel(self, bundle_id: int) -> int:
        """How many tasks were."""
        with self.database.write() as db:
            return db.execute(
                "UPDATE bundle_task SET state = 'cancelled' WHERE bundle_id = ? AND state IN ('waiting', 'running')",
                (bundle_id,),
            ).rowcount

    def recover(self) -> None:
        """After a start: what was under way waits again."""
        with self.database.write() as db:
            db.execute("UPDATE bundle_task SET state = 'waiting' WHERE state = 'running'")

    # Files

    def issue(self, bundle_id: int) -> Issue | None:
        """The bundle as it was delivered last."""
        row = self.database.row("SELECT issue FROM bundle WHERE id = ?", bundle_id)
        return Issue.model_validate_json(zlib.decompress(row["issue"])) if row and row["issue"] else None

    def keep_issue(self, bundle_id: int, issue: Issue) -> None:
        with self.database.write() as db:
            db.execute("UPDATE bundle SET issue = ?, issued = ? WHERE id = ?", (_packed(issue), time.time(), bundle_id))

    def keep_files(self, bundle_id: int, kinds: Sequence[FileKind], files: Sequence[BundleFile]) -> None:
        """In the stead of those of these kinds."""
        with self.database.write() as db:
            for kind in kinds:
                db.execute("DELETE FROM bundle_file WHERE bundle_id = ? AND kind = ?", (bundle_id, kind))
            db.executemany(
                """INSERT INTO bundle_file (bundle_id, name, kind, volume, pages, blob, size, edition, remarks, made_by, made)
                   VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)""",
                [
                    (bundle_id, f.name, f.kind, f.volume, f.pages, f.blob, f.size, f.edition, json.dumps(f.remarks), f.made_by, time.time())
                    for f in files
                ],
            )  # fmt: skip

    def files(self, bundle_id: int) -> list[BundleFile]:
        rows = self.database.rows(
            f"SELECT {_FILE} FROM bundle_file WHERE bundle_id = ? ORDER BY kind, volume", bundle_id
        )
        return [_file(r) for r in rows]

    def file(self, file_id: int) -> BundleFile:
        row = self.database.row(f"SELECT {_FILE} FROM bundle_file WHERE id = ?", file_id)
        if row is None:
            raise NotFound(f"There is no file {file_id} of a bundle.")
        return _file(row)

    def forget_file(self, file_id: int) -> None:
        with self.database.write() as db:
            db.execute("DELETE FROM bundle_file WHERE id = ?", (file_id,))


_BUNDLE = "id, name, state, revision, coalesce(issued, 0) AS issued, created"


def _packed(model: Frozen) -> bytes:
    return zlib.compress(model.model_dump_json(exclude_defaults=True).encode("utf8"), 1)


def _state(packed: bytes) -> BundleState:
    return BundleState.model_validate_json(zlib.decompress(packed))


def _bundle(row: Row) -> BundleRecord:
    return BundleRecord(row["id"], row["name"], _state(row["state"]), row["revision"], row["issued"], row["created"])


def _task(row: Row) -> BundleTask:
    wish = BundleWish.model_validate_json(row["wanted"])
    return BundleTask(row["id"], row["bundle_id"], wish, row["state"], row["reason"])


def _file(row: Row) -> BundleFile:
    told: dict[str, Any] = {key: row[key] for key in BundleFile._fields if key != "remarks"}
    return BundleFile(**told, remarks=json.loads(row["remarks"]))


def _mark(row: Row) -> Mark:
    places: list[Corners] = [(p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7]) for p in json.loads(row["places"])]
    kind = MarkKind(row["kind"])
    return Mark(row["id"], row["bundle_id"], row["page_id"], kind, places, row["colour"], row["name"], row["text"])
