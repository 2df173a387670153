"""Brings data directories of earlier versions up: what SQL alone cannot do."""

from __future__ import annotations

import json
import logging
import sqlite3
from collections.abc import Iterator
from typing import NamedTuple

from hyalen.core.accessibility.page import judgements, page_findings
from hyalen.core.decisions.difference import decisions_in, difference
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import (
    Arrange,
    ContentOperation,
    Entitle,
    Operation,
    ReadAfresh,
    ReadIn,
    ScanBothSides,
    TakeOut,
    Treat,
    stored,
)
from hyalen.core.decisions.replay import replay
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.packing import packed, unpacked
from hyalen.core.model.treatment import Cleaned, Treatment
from hyalen.core.proofing.chance import judge
from hyalen.core.proofing.doubts import Stage, word_doubts
from hyalen.core.proofing.placed import main_language
from hyalen.core.structure.landmarks import page_facts
from hyalen.store.arrangement import completed
from hyalen.store.chances import save_chances
from hyalen.store.course import UPGRADED
from hyalen.store.doubts import add_doubts
from hyalen.store.judgements import set_judgements

log = logging.getLogger(__name__)
READ_LABELS = {"Read", "Read again"}


class _Change(NamedTuple):
    """In the order in which it was made; those of before the journal come first."""

    made: float
    number: int
    label: str
    undone: bool
    operations: list[tuple[int | None, Operation]]


def judge_words(db: sqlite3.Connection) -> None:
    """What is to be expected of words that were read before anyone told their chances or what they are like, and what was not checked (migration 10)."""
    for row in db.execute("SELECT id, document_id FROM page WHERE content IS NOT NULL").fetchall():
        content = unpacked(db.execute("SELECT content FROM page WHERE id = ?", (row[0],)).fetchone()[0])
        judged = judge(content)
        save_chances(db, row[0], judged, main_language(content))
        db.execute("DELETE FROM doubt WHERE page_id = ? AND stage = ? AND kind = 'word'", (row[0], Stage.PROOF))
        found = [*word_doubts(judged, main_language(content)), *page_findings(content)]
        add_doubts(db, row[1], ((row[0], d) for d in found if d.key not in content.accepted))
        set_judgements(db, row[0], judgements(content))


def note_facts(db: sqlite3.Connection) -> None:
    """What the document as a whole is told by and what a person judges, of pages read before more of it was noted (migration 11)."""
    for row in db.execute("SELECT id, roles FROM page WHERE content IS NOT NULL").fetchall():
        content = unpacked(db.execute("SELECT content FROM page WHERE id = ?", (row[0],)).fetchone()[0])
        read_roles = {region: Role(was) for region, (_, was, *_) in json.loads(row[1]).items()}
        facts = page_facts(content, read_roles).model_dump_json(exclude_defaults=True)
        db.execute("UPDATE page SET facts = ? WHERE id = ?", (facts, row[0]))
        set_judgements(db, row[0], judgements(content))


def shorten_options(db: sqlite3.Connection) -> None:
    """Have deliveries made before tell only the choices that are not the usual ones (migration 13)."""
    for row in db.execute("SELECT id, options FROM delivery").fetchall():
        told = DeliveryOptions.model_validate_json(row[1]).model_dump_json(exclude_defaults=True)
        db.execute("UPDATE delivery SET options = ? WHERE id = ?", (told, row[0]))


def snapshots_to_decisions(db: sqlite3.Connection) -> None:
    """Turn snapshots into operations, results of tasks into kept results; drop the tables of before."""
    stuck = {r["page_id"]: r["stage"] for r in db.execute(_STUCK)}
    db.execute("DELETE FROM task WHERE page_id IS NOT NULL AND state IN ('waiting', 'running')")
    for row in db.execute("SELECT id FROM page WHERE cleaned_blob IS NOT NULL").fetchall():
        _keep_results(db, row["id"], stuck.get(row["id"], ""))
    for row in db.execute("SELECT id FROM document").fetchall():
        _upgrade_document(db, row["id"])
    db.execute("DROP TABLE edit")
    db.execute("DROP TABLE treatment_change")
    db.execute("ALTER TABLE page DROP COLUMN headings")


_STUCK = (
    "SELECT page_id, stage FROM task WHERE page_id IS NOT NULL AND state IN ('waiting', 'running') ORDER BY id DESC"
)


def _keep_results(db: sqlite3.Connection, page_id: int, stuck: str) -> None:
    """What the page was cleaned and read as; what was to be done anew (`stuck`) is not taken for current."""
    db.execute(
        """INSERT INTO cleaning (page_id, fingerprint, cleaned, image_blob, thumb_blob, read_blob, made)
           SELECT id, ?, cleaned, cleaned_blob, thumb_blob, read_blob, 0 FROM page WHERE id = ?""",
        (UPGRADED, page_id),
    )
    db.execute("UPDATE page SET cleaning_print = ? WHERE id = ?", ("" if stuck == "clean" else UPGRADED, page_id))
    row = db.execute("SELECT content FROM page WHERE id = ?", (page_id,)).fetchone()
    if row["content"] is None:
        return
    edits = db.execute(
        "SELECT label, before, after, undone FROM edit WHERE page_id = ? ORDER BY id", (page_id,)
    ).fetchall()
    read = [e["after"] for e in edits if e["label"] in READ_LABELS and not e["undone"]]
    first = next((e["before"] for e in edits if e["before"]), None)
    base = read[-1] if read else first or row["content"]
    db.execute(
        "INSERT INTO reading (page_id, fingerprint, cleaning, content, made) VALUES (?, ?, ?, ?, 0)",
        (page_id, UPGRADED, UPGRADED, packed(unsettled(unpacked(base)))),
    )
    db.execute("UPDATE page SET reading_print = ? WHERE id = ?", (UPGRADED, page_id))


def unsettled(content: PageContent) -> PageContent:
    """With the running heads that settling had set aside among the regions again, so that it can be done anew."""
    back = [a for a in content.artifacts if not a.drawn and a.reason == "recurs on other pages"]
    regions = list(content.regions)
    for region in back:
        at = next((i for i, r in enumerate(regions) if r.box.top > region.box.top), len(regions))
        regions.insert(at, region.model_copy(update={"role": Role.PARAGRAPH, "reason": ""}))
    artifacts = tuple(a for a in content.artifacts if a not in back)
    return content.model_copy(update={"regions": tuple(regions), "artifacts": artifacts})


def _upgrade_document(db: sqlite3.Connection, document_id: int) -> None:
    changes = [*_settings(db, document_id), *_treatments(db, document_id), *_edits(db, document_id)]
    for change in sorted(changes, key=lambda c: (c.made, c.number)):
        cursor = db.execute(
            "INSERT INTO change (document_id, label, undone, made) VALUES (?, ?, ?, ?)",
            (document_id, change.label, int(change.undone), change.made),
        )
        db.executemany(
            "INSERT INTO operation (change_id, document_id, page_id, op, value) VALUES (?, ?, ?, ?, ?)",
            [(cursor.lastrowid, document_id, page, o.op, stored(o)) for page, o in change.operations],
        )


def _settings(db: sqlite3.Connection, document_id: int) -> Iterator[_Change]:
    """What the journal of before did not hold: title, languages, order, pages taken out."""
    document = db.execute("SELECT title, stem, duplex FROM document WHERE id = ?", (document_id,)).fetchone()
    db.execute(
        "UPDATE document SET first_languages = languages, found_language = language WHERE id = ?", (document_id,)
    )
    if document["duplex"]:
        yield _Change(0, 1, "both sides scanned in turn", False, [(None, ScanBothSides(duplex=True))])
    pages = db.execute(
        """SELECT id, position, removed_from, languages, half, source_index FROM page WHERE document_id = ?
           ORDER BY source_index, id""",
        (document_id,),
    ).fetchall()
    for page in pages:
        if page["languages"]:
            told = ReadIn(languages=tuple(json.loads(page["languages"])))
            yield _Change(0, 2, "read again", False, [(page["id"], told)])
    whole = {p["source_index"] for p in pages if p["half"] == "whole"}
    out: list[tuple[int | None, Operation]] = []
    for page in pages:
        if page["removed_from"] is None:
            continue
        if page["half"] != "whole" and page["source_index"] in whole:
            db.execute("UPDATE page SET joined = 1, removed_from = NULL WHERE id = ?", (page["id"],))
        else:
            out.append((page["id"], TakeOut()))
    came = [p["id"] for p in pages]
    live = [p["id"] for p in sorted(pages, key=lambda p: int(p["position"])) if p["removed_from"] is None]
    if live != [i for i in came if i in set(live)]:
        yield _Change(0, 3, "order of the pages", False, [(None, Arrange(order=tuple(completed(live, came))))])
    if out:
        yield _Change(0, 4, f"{len(out)} {'page' if len(out) == 1 else 'pages'} taken out", False, out)
    if document["title"] != document["stem"]:
        yield _Change(0, 5, "title", False, [(None, Entitle(title=document["title"]))])


def _treatments(db: sqlite3.Connection, document_id: int) -> Iterator[_Change]:
    """What a treatment became is what the next change of the page found, or what it is now."""
    rows = db.execute(
        """SELECT t.page_id, t.change, t.before, t.made, p.treatment FROM treatment_change t
           JOIN page p ON p.id = t.page_id WHERE t.document_id = ? ORDER BY t.change DESC, t.page_id""",
        (document_id,),
    ).fetchall()
    db.execute("UPDATE page SET first_treatment = treatment WHERE document_id = ?", (document_id,))
    after: dict[int, str] = {}
    changes: dict[int, tuple[float, list[tuple[int | None, Operation]]]] = {}
    for row in rows:
        became = Treatment.model_validate_json(after.get(row["page_id"], row["treatment"]))
        changes.setdefault(row["change"], (row["made"], []))[1].append((row["page_id"], Treat(treatment=became)))
        after[row["page_id"]] = row["before"]
        db.execute("UPDATE page SET first_treatment = ? WHERE id = ?", (row["before"], row["page_id"]))
    for number, (made, operations) in changes.items():
        count = len(operations)
        yield _Change(made, number, f"treatment of {count} {'page' if count == 1 else 'pages'}", False, operations)


def _edits(db: sqlite3.Connection, document_id: int) -> list[_Change]:
    """The edits as operations; where they do not lead to what the page says now, what was settled on it as one."""
    edits = db.execute(
        "SELECT id, page_id, change, label, before, after, undone, made FROM edit WHERE document_id = ? ORDER BY id",
        (document_id,),
    ).fetchall()
    changes: dict[int, _Change] = {}
    of_page: dict[int, list[tuple[int, list[ContentOperation]]]] = {}
    for edit in edits:
        lay = _lay(db, edit["page_id"])
        after = unpacked(edit["after"])
        if edit["label"] in READ_LABELS:
            operations: list[ContentOperation] = [ReadAfresh(), *decisions_in(after, lay)]
        elif edit["before"]:
            operations = difference(unpacked(edit["before"]), after, lay)
        else:
            continue
        change = changes.setdefault(
            edit["change"], _Change(edit["made"], edit["change"], edit["label"], bool(edit["undone"]), [])
        )
        change.operations.extend((edit["page_id"], o) for o in operations)
        if not edit["undone"]:
            of_page.setdefault(edit["page_id"], []).append((edit["change"], operations))
    for page_id in _pages_with_decisions(db, document_id):
        made = [o for _, operations in of_page.get(page_id, []) for o in operations]
        missing = _missing(db, page_id, made)
        if missing:
            log.info("page %d: %d decisions are taken over without their history", page_id, len(missing))
            changes[-page_id] = _Change(0, 9, "work of before", False, [(page_id, o) for o in missing])
    return [c for c in changes.values() if c.operations]


def _pages_with_decisions(db: sqlite3.Connection, document_id: int) -> list[int]:
    rows = db.execute(
        "SELECT id FROM page WHERE document_id = ? AND content IS NOT NULL ORDER BY id", (document_id,)
    ).fetchall()
    return [r["id"] for r in rows]


def _missing(db: sqlite3.Connection, page_id: int, made: list[ContentOperation]) -> list[ContentOperation]:
    """Decisions that the page bears and its operations do not come to; the page is then taken as it was read."""
    row = db.execute(
        "SELECT p.content, r.content AS reading FROM page p JOIN reading r ON r.page_id = p.id WHERE p.id = ?",
        (page_id,),
    ).fetchone()
    now, lay = unsettled(unpacked(row["content"])), _lay(db, page_id)
    replayed = replay(unpacked(row["reading"]), made, lay)
    if _says(replayed.content) == _says(now):
        return []
    db.execute("UPDATE reading SET content = ? WHERE page_id = ?", (packed(now), page_id))
    return decisions_in(now, lay)


def _says(content: PageContent) -> object:
    """What of a page a person may have decided."""
    return (
        [(r.role, r.alternative_text, r.language, [(w.text, w.state) for w in r.words]) for r in content.regions],
        [(r.role, r.text) for r in content.artifacts],
        sorted(content.accepted),
    )


def _lay(db: sqlite3.Connection, page_id: int) -> Lay:
    row = db.execute("SELECT cleaned FROM page WHERE id = ?", (page_id,)).fetchone()
    return Lay(Cleaned.model_validate_json(row["cleaned"]) if row["cleaned"] else None)
