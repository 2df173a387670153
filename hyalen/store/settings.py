"""Settings of documents and pages: order, treatments, languages, title. Of each kind the last decision counts."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Mapping, Sequence

from hyalen.core.decisions.operations import (
    CONTENT_KINDS,
    Abbreviate,
    Arrange,
    Entitle,
    LabelPages,
    Operation,
    ReadAfresh,
    ReadIn,
    ScanBothSides,
    SetBookmarks,
    SpeakIn,
    TakeOut,
    TakeTextFrom,
    Tell,
    Treat,
)
from hyalen.core.model.document import Abbreviation, BookmarkEntry, LabelRange, Particulars, TextFrom
from hyalen.core.model.treatment import Switch, Treatment
from hyalen.store.arrangement import Arrangement
from hyalen.store.contents import Contents
from hyalen.store.course import Course
from hyalen.store.database import Database
from hyalen.store.documents import Documents
from hyalen.store.journal import Decision, Journal
from hyalen.store.outcome import Outcome, Stale
from hyalen.store.pages import Pages


class Settings:
    def __init__(
        self,
        database: Database,
        documents: Documents,
        pages: Pages,
        journal: Journal,
        contents: Contents,
        arrangement: Arrangement,
        course: Course,
    ) -> None:
        self.database = database
        self.documents = documents
        self.pages = pages
        self.journal = journal
        self.contents = contents
        self.arrangement = arrangement
        self.course = course

    def entitle(self, document_id: int, title: str) -> Outcome:
        return self._set(document_id, "title", [(None, Entitle(title=title))])

    def speak_in(self, document_id: int, language: str) -> Outcome:
        return self._set(document_id, "language of the document", [(None, SpeakIn(language=language))])

    def label_pages(self, document_id: int, ranges: Sequence[LabelRange]) -> Outcome:
        return self._set(document_id, "page labels", [(None, LabelPages(ranges=tuple(ranges)))])

    def tell(self, document_id: int, particulars: Particulars) -> Outcome:
        return self._set(document_id, "particulars of the document", [(None, Tell(particulars=particulars))])

    def abbreviate(self, document_id: int, abbreviations: Sequence[Abbreviation]) -> Outcome:
        return self._set(document_id, "abbreviations", [(None, Abbreviate(abbreviations=tuple(abbreviations)))])

    def set_bookmarks(self, document_id: int, entries: Sequence[BookmarkEntry] | None) -> Outcome:
        """The bookmarks as they are to be; None for the headings."""
        made = SetBookmarks(bookmarks=None if entries is None else tuple(entries))
        return self._set(document_id, "bookmarks", [(None, made)])

    def scan_both_sides(self, document_id: int, duplex: bool) -> Outcome:
        label = "both sides scanned in turn" if duplex else "one side scanned"
        return self._set(document_id, label, [(None, ScanBothSides(duplex=duplex))])

    def arrange(self, document_id: int, order: Sequence[int]) -> Outcome:
        """Put the pages in this order.

        Raises
        ------
        Stale
            If these are not the document's pages, each once.
        """
        now = self.pages.ids(document_id)
        if sorted(order) != sorted(now):
            raise Stale("The pages have changed meanwhile; nothing was moved.")
        if list(order) == now:
            return Outcome("", frozenset())
        everything = self.arrangement.order(document_id)
        moved = list(order)
        for at, page_id in enumerate(everything):
            if page_id not in now:  # what is taken out stays behind the page that it stands behind
                moved.insert(moved.index(everything[at - 1]) + 1 if at else 0, page_id)
        return self._set(document_id, "order of the pages", [(None, Arrange(order=tuple(moved)))])

    def take_out(self, document_id: int, page_ids: Sequence[int]) -> Outcome:
        """Take pages out of the document; they can be put back.

        Raises
        ------
        Stale
            If no page would be left.
        """
        now = self.pages.ids(document_id)
        gone = [p for p in now if p in set(page_ids)]
        if len(gone) == len(now):
            raise Stale("A document keeps at least one page; delete the document instead. Nothing was taken out.")
        return self._set(document_id, f"{_pages(len(gone))} taken out", [(p, TakeOut()) for p in gone])

    def put_back(self, document_id: int, page_ids: Sequence[int]) -> Outcome:
        back = [p.id for p in self.pages.removed(document_id) if p.id in set(page_ids)]
        return self._set(document_id, f"{_pages(len(back))} put back", [(p, TakeOut(out=False)) for p in back])

    def treat(self, document_id: int, treatments: Mapping[int, Treatment], label: str = "") -> Outcome:
        """Give pages new treatments; what two halves of one picture share goes to both."""
        wanted: dict[int, Treatment] = {}
        for page_id, treatment in treatments.items():
            page = self.pages.page(page_id)
            wanted[page_id] = treatment
            for other in self.pages.halves(page) if page.half != "whole" or page.joined else ():
                if other.id != page_id and other.id not in treatments:
                    shared = {"turn": treatment.turn, "split": treatment.split}
                    wanted[other.id] = other.treatment.model_copy(update=shared)
        changed = {p: t for p, t in wanted.items() if t != self.pages.page(p).treatment}
        return self._set(
            document_id,
            label or f"treatment of {_pages(len(treatments))}",
            [(p, Treat(treatment=t)) for p, t in changed.items()],
        )

    def read_again(
        self,
        document_id: int,
        page_ids: Sequence[int],
        languages: Sequence[str] | None,
        whole: bool,
        keep: bool,
        text_from: TextFrom | None = None,
    ) -> Outcome:
        """Read pages again, perhaps in other languages or without what was decided on them.

        `whole` tells the languages to the document instead of to each page; `text_from` is for pages that came with
        text.
        """
        operations: list[tuple[int | None, Operation]] = []
        if languages is not None:
            told = tuple(languages)
            if whole:
                if told != self.documents.document(document_id).languages:
                    operations.append((None, ReadIn(languages=told)))
                own = [p for p in page_ids if self.pages.page(p).languages is not None]
                operations += [(p, ReadIn(languages=None)) for p in own]
            else:
                other = [p for p in page_ids if self.pages.languages(self.pages.page(p)) != told]
                operations += [(p, ReadIn(languages=told)) for p in other]
        if text_from is not None:
            pages = [self.pages.page(p) for p in page_ids]
            operations += [
                (p.id, TakeTextFrom(source=text_from)) for p in pages if p.own_text and p.text_from != text_from
            ]
        if not keep:
            operations += [(p, ReadAfresh()) for p in page_ids]
        with self.database.write() as db:
            outcome = self._set(document_id, "read again" if keep else "read afresh", operations)
            for page_id in page_ids:
                self.course.advance(db, page_id, again=True)
        return outcome

    def _set(self, document_id: int, label: str, operations: Sequence[tuple[int | None, Operation]]) -> Outcome:
        self.documents.document(document_id)
        if not operations:
            return Outcome("", frozenset())
        with self.database.write() as db:
            self.contents.take_touched()
            self.journal.record(db, document_id, label, operations)
            decisions = [Decision(0, label, page_id, operation) for page_id, operation in operations]
            return self.follow(db, document_id, label, decisions)

    def follow(self, db: sqlite3.Connection, document_id: int, label: str, decisions: Sequence[Decision]) -> Outcome:
        """What follows from decisions that count now, or count no more."""
        settings = [d for d in decisions if d.operation.op not in CONTENT_KINDS]
        for decision in settings:
            self._apply(db, document_id, decision)
        if any(isinstance(d.operation, (Arrange, TakeOut)) for d in settings):
            self.arrangement.arrange(db, document_id)
            for turned in {d.page_id for d in settings if d.page_id is not None}:
                self.course.advance(db, turned)
                self.contents.show_doubts(db, turned)
        for page_id in dict.fromkeys(d.page_id for d in decisions if d.operation.op in CONTENT_KINDS):
            if page_id is not None:
                self.contents.rebuild(db, page_id)
        if settings:
            db.execute("UPDATE document SET revision = revision + 1 WHERE id = ?", (document_id,))
            if not self.contents.settle_if_read(db, document_id):
                self.contents.recheck(db, document_id)
        first = next((d.page_id for d in decisions if d.page_id is not None), None)
        return Outcome(label, frozenset(self.contents.take_touched()), first, arranged=bool(settings))

    def _apply(self, db: sqlite3.Connection, document_id: int, decision: Decision) -> None:
        """Make a setting what the last operation of its kind says, or what it was at first."""
        journal, page_id = self.journal, decision.page_id
        match decision.operation:
            case Entitle():
                title = journal.document_setting(document_id, Entitle)
                db.execute(
                    "UPDATE document SET title = coalesce(?, stem) WHERE id = ?",
                    (title.title if title else None, document_id),
                )
            case SpeakIn():
                self.contents.speak(db, document_id)
            case ScanBothSides():
                sides = journal.document_setting(document_id, ScanBothSides)
                duplex = int(sides.duplex) if sides else 0
                db.execute("UPDATE document SET duplex = ? WHERE id = ?", (duplex, document_id))
                self.course.advance_document(db, document_id)
            case LabelPages():
                named = journal.document_setting(document_id, LabelPages)
                ranges = json.dumps([r.model_dump(exclude_defaults=True) for r in named.ranges] if named else [])
                db.execute("UPDATE document SET labels = ? WHERE id = ?", (ranges, document_id))
            case Tell():
                now = journal.document_setting(document_id, Tell)
                told_of = now.particulars.model_dump_json(exclude_defaults=True) if now else None
                db.execute(
                    "UPDATE document SET particulars = coalesce(?, first_particulars) WHERE id = ?",
                    (told_of, document_id),
                )
            case Abbreviate():
                short = journal.document_setting(document_id, Abbreviate)
                listed = json.dumps([a.model_dump() for a in short.abbreviations] if short else [])
                db.execute("UPDATE document SET abbreviations = ? WHERE id = ?", (listed, document_id))
            case SetBookmarks():
                marks = journal.document_setting(document_id, SetBookmarks)
                kept = marks.bookmarks if marks else None
                entries = None if kept is None else [e.model_dump(exclude_defaults=True) for e in kept]
                db.execute("UPDATE document SET bookmarks = ? WHERE id = ?", (json.dumps(entries), document_id))
            case ReadIn() if page_id is None:
                told = journal.document_setting(document_id, ReadIn)
                value = json.dumps(told.languages) if told and told.languages else None
                db.execute(
                    "UPDATE document SET languages = coalesce(?, first_languages) WHERE id = ?", (value, document_id)
                )
                self.course.advance_document(db, document_id)
            case ReadIn():
                assert page_id is not None
                own = journal.page_setting(page_id, ReadIn)
                value = json.dumps(own.languages) if own and own.languages else None
                db.execute("UPDATE page SET languages = ? WHERE id = ?", (value, page_id))
                self.course.advance(db, page_id)
            case TakeTextFrom():
                assert page_id is not None
                source = journal.page_setting(page_id, TakeTextFrom)
                db.execute("UPDATE page SET text_from = ? WHERE id = ?", (source.source if source else "", page_id))
                self.course.advance(db, page_id)
            case TakeOut():
                assert page_id is not None
                out = journal.page_setting(page_id, TakeOut)
                place = 0 if out and out.out else None
                db.execute("UPDATE page SET removed_from = ? WHERE id = ?", (place, page_id))
            case Treat():
                assert page_id is not None
                treat = journal.page_setting(page_id, Treat)
                before = self.pages.page(page_id).treatment.split
                if treat:
                    value = treat.treatment.model_dump_json(exclude_defaults=True)
                    db.execute("UPDATE page SET treatment = ? WHERE id = ?", (value, page_id))
                else:
                    db.execute("UPDATE page SET treatment = first_treatment WHERE id = ?", (page_id,))
                page = self.pages.page(page_id)
                # A fold that is no longer the clerk's is looked for again on the whole picture.
                anew = before != page.treatment.split and page.treatment.split.switch is Switch.AUTOMATIC
                self.arrangement.pair(db, page, anew)
                for half in self.pages.halves(page):
                    self.course.advance(db, half.id)


def _pages(count: int) -> str:
    return f"{count} {'page' if count == 1 else 'pages'}"
