"""What pages say: their decisions replayed over what was read, and what the whole document makes of them."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence
from functools import lru_cache, partial

from hyalen.core.accessibility.page import judgements, page_findings
from hyalen.core.accessibility.rules import Heading, document_doubts
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import ContentOperation, SpeakIn
from hyalen.core.decisions.replay import perform, replay
from hyalen.core.imaging.likeness import alike
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.packing import packed, unpacked
from hyalen.core.model.treatment import Cleaned
from hyalen.core.proofing.chance import Weighed, judge, recalled, with_evidence
from hyalen.core.proofing.doubts import page_doubts, without_reason
from hyalen.core.proofing.evidence import Known
from hyalen.core.proofing.placed import main_language as main_language_of
from hyalen.core.structure.conformance import Conformance
from hyalen.core.structure.landmarks import FACTS_KEPT, Landmark, PageFacts, facts_from, main_language, page_facts
from hyalen.core.structure.redaction import redacted_words
from hyalen.core.structure.settling import Settled, settle, with_roles
from hyalen.store.chances import save_chances, save_expected, unpacked_chances
from hyalen.store.database import Database
from hyalen.store.doubts import Doubts
from hyalen.store.journal import Journal, content_operations
from hyalen.store.judgements import Judgements
from hyalen.store.pages import LIVE, Pages
from hyalen.store.search import Search
from hyalen.store.tasks import Tasks
from hyalen.store.wordlists import WordLists

NO_ROLES = "{}"


class Contents:
    """Pages whose content changes are in `touched` until someone takes them from there."""

    def __init__(
        self,
        database: Database,
        pages: Pages,
        doubts: Doubts,
        search: Search,
        lists: WordLists,
        judgements: Judgements,
        journal: Journal,
        tasks: Tasks,
    ) -> None:
        self.database = database
        self.search = search
        self.lists = lists
        self.judgements = judgements
        self.pages = pages
        self.doubts = doubts
        self.journal = journal
        self.tasks = tasks
        self.touched: set[int] = set()

    def take_touched(self) -> set[int]:
        touched, self.touched = self.touched, set()
        return touched

    def lay(self, page_id: int) -> Lay:
        """How the page lay on its original when its content was read."""
        row = self.database.row(
            """SELECT c.cleaned FROM page p JOIN reading r ON r.page_id = p.id AND r.fingerprint = p.reading_print
               JOIN cleaning c ON c.page_id = p.id AND c.fingerprint = r.cleaning WHERE p.id = ?""",
            page_id,
        )
        return Lay(Cleaned.model_validate_json(row["cleaned"]) if row else None)

    def add(
        self,
        db: sqlite3.Connection,
        page_id: int,
        content: PageContent,
        operations: Sequence[ContentOperation],
        settles: bool = True,
    ) -> None:
        """Content with more operations, which must all find their place (EditError); see `rebuild`."""
        lay, before = self.lay(page_id), content
        for operation in operations:
            content = perform(content, operation, lay)
        self._save(db, page_id, content, settles, before)

    def rebuild(
        self, db: sqlite3.Connection, page_id: int, settles: bool = True, weighed: Weighed | None = None
    ) -> None:
        """Replay the page's decisions over its reading; then `settles` its document where that may change.

        `weighed` is what the words of the reading itself were told to be like.
        """
        row = db.execute(
            """SELECT r.content, p.roles FROM page p
               JOIN reading r ON r.page_id = p.id AND r.fingerprint = p.reading_print WHERE p.id = ?""",
            (page_id,),
        ).fetchone()
        if row is None:
            return
        roles = {region: Settled(Role(now), *why) for region, (now, _, *why) in json.loads(row["roles"]).items()}
        reading = with_roles(unpacked(row["content"]), roles)
        decisions = self.journal.of_page(page_id)
        replayed = replay(reading, content_operations(decisions), self.lay(page_id))
        self.journal.set_unplaced(db, page_id, [decisions[i] for i in replayed.unplaced])
        as_read = not roles and replayed.content is reading
        self._save(db, page_id, replayed.content, settles, weighed=weighed if as_read else None)

    def _save(
        self,
        db: sqlite3.Connection,
        page_id: int,
        content: PageContent,
        settles: bool = True,
        before: PageContent | None = None,
        weighed: Weighed | None = None,
    ) -> None:
        """Write a page's content and what follows from it; `before` is what the page said so far, where that is known."""
        page = db.execute("SELECT document_id, roles, facts FROM page WHERE id = ?", (page_id,)).fetchone()
        read_roles = {region: Role(was) for region, (_, was, *_) in json.loads(page["roles"]).items()}
        facts, known = page_facts(content, read_roles), facts_from(page["facts"])
        db.execute(
            "UPDATE page SET content = ?, revision = revision + 1, facts = ? WHERE id = ?",
            (packed(content, keep=True), facts.model_dump_json(exclude_defaults=True), page_id),
        )
        self.touched.add(page_id)
        self.search.index(db, page_id, page["document_id"], content, before)
        self.show_doubts(db, page_id, content, weighed)
        # How many letters are in which language changes with every word, and next to never the main language.
        if settles and (facts.marks, facts.accepted) != (known.marks, known.accepted):
            self.settle_if_read(db, page["document_id"])

    def show_doubts(
        self,
        db: sqlite3.Connection,
        page_id: int,
        content: PageContent | None = None,
        weighed: Weighed | None = None,
    ) -> None:
        """A live page's own doubts anew."""
        page = self.pages.page(page_id)
        content = content or self.pages.content(page_id)
        if not page.is_live or content is None:
            self.doubts.drop_page(db, page_id, page.document_id)
            return
        batch = db.execute("SELECT batch_id FROM document WHERE id = ?", (page.document_id,)).fetchone()["batch_id"]
        count = partial(self.search.said_elsewhere, page.document_id, page_id)
        known = Known(count, self.lists.known(batch))
        row = db.execute("SELECT chances FROM page WHERE id = ?", (page_id,)).fetchone()
        judged = recalled(content, known, unpacked_chances(row["chances"])) if row["chances"] else None
        told = self.doubts.about_words(page_id)
        if judged is None:
            judged = judge(content, known, weighed)
            save_chances(db, page_id, judged, main_language_of(content))
        else:
            if wanted := without_reason(judged, told):
                judged = with_evidence(content, judged, known, wanted)
            save_expected(db, page_id, judged)
        found = page_doubts(content, page.cleaned, self.journal.unplaced(page_id), judged, told)
        found += [d for d in page_findings(content) if d.key not in content.accepted]
        self.doubts.set_for_page(db, page_id, page.document_id, found)
        self.judgements.set_for_page(db, page_id, judgements(content))

    # The document

    def settle_if_read(self, db: sqlite3.Connection, document_id: int) -> bool:
        """Settle the document unless pages are still on their way; whether it was."""
        if self.tasks.unread_pages(document_id):
            return False
        rows, facts = self._facts(document_id)
        read = [(row, page) for row, page in zip(rows, facts, strict=True) if row["read"]]
        same = True
        for (row, page), roles in zip(read, settle([page.marks for _, page in read]), strict=True):
            was = {mark.region_id: mark.role for mark in page.marks} if roles else {}
            told = {region: [role, was[region], reason] for region, (role, reason) in roles.items()}
            now = json.dumps(told) if told else NO_ROLES
            if now != row["roles"] and json.loads(now) != json.loads(row["roles"]):
                same = False
                db.execute("UPDATE page SET roles = ? WHERE id = ?", (now, row["id"]))
                self.rebuild(db, row["id"], settles=False)
        language = main_language(page for _, page in read)
        db.execute(
            "UPDATE document SET settled = 1, found_language = coalesce(?, found_language) WHERE id = ?",
            (language, document_id),
        )
        self.speak(db, document_id)
        self._recheck(db, document_id, *((rows, facts) if same else self._facts(document_id)))
        return True

    def speak(self, db: sqlite3.Connection, document_id: int) -> None:
        """The document's language: as it was set, else as it was found."""
        told = self.journal.document_setting(document_id, SpeakIn)
        db.execute(
            "UPDATE document SET language = coalesce(?, found_language) WHERE id = ?",
            (told.language if told else None, document_id),
        )

    def recheck(self, db: sqlite3.Connection, document_id: int) -> None:
        """The rules that look at the whole document."""
        self._recheck(db, document_id, *self._facts(document_id))

    def _recheck(
        self, db: sqlite3.Connection, document_id: int, rows: Sequence[sqlite3.Row], facts: Sequence[PageFacts]
    ) -> None:
        document = db.execute(
            "SELECT title, stem, settled, language FROM document WHERE id = ?", (document_id,)
        ).fetchone()
        if not document["settled"]:
            return
        headings, first_heading = _headings(rows, facts)
        found = document_doubts(
            document["title"], document["stem"], len(rows), headings, first_heading, document["language"]
        )
        self.doubts.set_for_document(
            db,
            document_id,
            [(rows[at]["id"], d) for at, d in found if at < len(rows) and d.key not in facts[at].accepted],
        )

    def headings(self, document_id: int) -> list[tuple[int, Landmark, int]]:
        """A document's headings in order: the id of each one's page, what is known of it, and its level."""
        rows, facts = self._facts(document_id)
        found = []
        for row, page in zip(rows, facts, strict=True):
            roles = _roles(row)
            for mark in page.marks:
                level = (mark.role if mark.stays else roles.get(mark.region_id, mark.role)).heading_level
                if level is not None:
                    found.append((int(row["id"]), mark, level))
        return found

    def redactions(self, document_id: int) -> dict[int, int]:
        """How many areas are redacted on each page that has any, by its id."""
        rows, facts = self._facts(document_id)
        return {int(row["id"]): page.redactions for row, page in zip(rows, facts, strict=True) if page.redactions}

    def redacted_words(self, document_id: int) -> frozenset[str]:
        """The words that redactions take out of what is delivered of a document."""
        document = self.database.row("SELECT language FROM document WHERE id = ?", document_id)
        pages = (self.pages.content(page_id) for page_id in self.redactions(document_id))
        language = (document["language"] if document else None) or "eng"
        return redacted_words((page for page in pages if page is not None), language)

    def pictures_like(self, document_id: int, page_id: int, region_id: str) -> list[tuple[int, str]]:
        """The pictures of a document, as page and region, that show what this one shows; without it."""
        rows, facts = self._facts(document_id)
        looks = [
            (int(row["id"]), region, look)
            for row, f in zip(rows, facts, strict=True)
            for region, look in f.looks.items()
        ]
        own = next((look for page, region, look in looks if (page, region) == (page_id, region_id)), "")
        return [(p, r) for p, r, look in looks if alike(own, look) and (p, r) != (page_id, region_id)]

    def obstacles(self, document_id: int) -> list[str]:
        """What stands against saying that the document is PDF/UA."""
        document = self.database.row("SELECT title FROM document WHERE id = ?", document_id)
        rows, facts = self._facts(document_id)
        headings, _ = _headings(rows, facts)
        told = Conformance.of_facts(document["title"] if document else "", facts, [(h.page, h.level) for h in headings])
        unread = len(rows) - len(self.pages.read_ids(document_id))
        if unread:
            told.obstacles.insert(0, f"{unread} {'page is' if unread == 1 else 'pages are'} not read")
        return told.obstacles

    def _facts(self, document_id: int) -> tuple[list[sqlite3.Row], list[PageFacts]]:
        rows = self.database.rows(
            f"""SELECT id, facts, roles, content IS NOT NULL AS read FROM page
                WHERE document_id = ? AND {LIVE} ORDER BY position""",
            document_id,
        )
        return rows, [facts_from(r["facts"]) for r in rows]


def _roles(row: sqlite3.Row) -> Mapping[str, Role]:
    """By region, the roles that a page's document gives it."""
    return _roles_told(row["roles"])


@lru_cache(maxsize=FACTS_KEPT)
def _roles_told(told: str) -> Mapping[str, Role]:
    return {region: Role(now) for region, (now, *_) in json.loads(told).items()}


def _headings(rows: Sequence[sqlite3.Row], facts: Sequence[PageFacts]) -> tuple[list[Heading], str]:
    """A document's headings with the levels that it gives them, and the text of the first."""
    headings, first = [], ""
    for at, (row, page) in enumerate(zip(rows, facts, strict=True)):
        roles = _roles(row)
        for mark in page.marks:
            level = (mark.role if mark.stays else roles.get(mark.region_id, mark.role)).heading_level
            if level is not None:
                first = first or mark.text
                headings.append(Heading(page=at, region_id=mark.region_id, level=level))
    return headings, first
