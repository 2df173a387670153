"""Edits of what pages say, and undo and redo of whatever was decided."""

from __future__ import annotations

import sqlite3
from collections.abc import Collection, Sequence
from dataclasses import replace
from itertools import groupby

from hyalen.core.decisions.decide import decide, name, short
from hyalen.core.decisions.operations import Confirm, ContentOperation, Retext
from hyalen.core.decisions.replacing import Replaced, covering, replacing
from hyalen.core.decisions.requests import AcceptDoubt, EditError, Request, SetWord
from hyalen.core.decisions.targets import word_of
from hyalen.core.decisions.template import like
from hyalen.core.decisions.wanted import wanted
from hyalen.core.model.content import PageContent
from hyalen.core.model.part import PartRead, PartWanted
from hyalen.core.proofing.search import Sought, replacement
from hyalen.store.contents import Contents
from hyalen.store.database import Database
from hyalen.store.documents import Documents
from hyalen.store.journal import Journal
from hyalen.store.outcome import Outcome, Stale
from hyalen.store.pages import Pages
from hyalen.store.records import ChangeRecord
from hyalen.store.search import Scope, Search
from hyalen.store.settings import Settings


class Decisions:
    def __init__(
        self,
        database: Database,
        documents: Documents,
        pages: Pages,
        journal: Journal,
        contents: Contents,
        settings: Settings,
        search: Search,
    ) -> None:
        self.database = database
        self.search = search
        self.documents = documents
        self.pages = pages
        self.journal = journal
        self.contents = contents
        self.settings = settings

    # Content

    def wanted(self, page_id: int, revision: int, request: Request) -> list[PartWanted]:
        """The parts of a page that must be read before a change is made; raises as `edit` does."""
        return wanted(self._at_revision(page_id, revision), request)

    def edit(self, page_id: int, revision: int, request: Request, read: Sequence[PartRead] = ()) -> Outcome:
        """Change a page; `read` is what was read for it.

        Raises
        ------
        Stale
            If the page is not at `revision`.
        EditError
            If the page cannot take the change.
        """
        with self.database.write() as db:
            content = self._at_revision(page_id, revision)
            operations = decide(content, request, self.contents.lay(page_id), read)
            if not operations:
                return Outcome("", frozenset())
            self.contents.take_touched()
            label = name(request, content)
            document_id = self.pages.page(page_id).document_id
            self.journal.record(db, document_id, label, [(page_id, o) for o in operations])
            self.contents.add(db, page_id, content, operations)
            return Outcome(label, frozenset(self.contents.take_touched()), page_id, 1)

    def correct_everywhere(self, page_id: int, revision: int, request: SetWord) -> Outcome:
        """Correct a word and every unsettled word of the document that was read the same, page by page."""
        with self.database.write() as db:
            content = self._at_revision(page_id, revision)
            misread, label = word_of(content, request.word_id).text, name(request, content)
            document_id = self.pages.page(page_id).document_id
            self.contents.take_touched()
            change_id = self.journal.record(db, document_id, label, [])
            alike = self.search.find(Sought(text=misread, exact=True), Scope(document_id), limit=0).pages
            count = 0
            for each in dict.fromkeys([page_id, *alike]):
                theirs, lay = self.pages.content(each), self.contents.lay(each)
                operations = [
                    Retext(words=(lay.word(w),), text=request.text)
                    for w in (theirs.words if theirs is not None else ())
                    if (each == page_id and w.id == request.word_id) or (w.text == misread and not w.settled)
                ]
                if operations and theirs is not None:
                    self.journal.extend(db, change_id, document_id, [(each, o) for o in operations])
                    self.contents.add(db, each, theirs, operations)
                    count += len(operations)
            return Outcome(label, frozenset(self.contents.take_touched()), page_id, count)

    def replace(
        self,
        document_id: int,
        sought: Sought,
        scope: Scope,
        text: str | None,
        pages: Sequence[int],
        chosen: Collection[tuple[int, int]] | None = None,
        change_id: int = 0,
    ) -> Outcome:
        """Let a text stand where another was found on some pages of a document; None redacts that.

        See `use_template` for `change_id`.

        Parameters
        ----------
        chosen : collection of (passage, start), optional
            The places that count; all where it is not given. What has changed since is passed over.
        """
        self._goes_on(document_id, change_id)
        scope = replace(scope, document_id=document_id, batch_id=None)
        done = "redacted" if text is None else f"to “{short(text)}”" if text.strip() else "taken away"
        label = f"“{short(sought.text)}” {done}"
        touched, count = set[int](), 0
        for page_id in pages:
            hits = [
                hit
                for hit in self.search.on_page(page_id, sought, scope)
                if chosen is None or (hit.passage_id, hit.match.start) in chosen
            ]
            if not hits:
                continue
            with self.database.write() as db:
                content, lay = self.pages.content(page_id), self.contents.lay(page_id)
                assert content is not None
                operations: list[ContentOperation] = []
                if text is None:
                    operations += covering(content, [span.word_id for h in hits for span in h.words], lay)
                for passage, group in groupby(hits, key=lambda hit: hit.passage) if text is not None else ():
                    found = [
                        Replaced(h.match.start, h.match.end, h.words, replacement(h.match, sought, text or ""))
                        for h in group
                    ]
                    operations += replacing(content, passage, found, lay)
                made = [(page_id, o) for o in operations]
                self.contents.take_touched()
                change_id = self._record(db, document_id, change_id, label, made)
                self.contents.add(db, page_id, content, operations, settles=False)
                touched |= self.contents.take_touched()
                count += len(hits)
        return Outcome(label if touched else "", frozenset(touched | self._settled(document_id, touched)), words=count)

    def settle_words(
        self, document_id: int, words: Sequence[tuple[int, str, str, str | None]], change_id: int = 0
    ) -> Outcome:
        """Settle words of many pages as one change, page by page; see `use_template` for `change_id`.

        Parameters
        ----------
        words : sequence of (page id, word id, what it says, what it is to say)
            None is for a word that is right; one that says something else by now is passed over.
        """
        self._goes_on(document_id, change_id)
        count = len(words)
        texts = {text for *_, text in words}
        (only,) = texts if len(texts) == 1 else (None,)
        label = f"{count} {'word' if count == 1 else 'words'} {f'to “{short(only)}”' if only else 'looked at'}"
        touched, done = set[int](), 0
        for page_id, group in groupby(sorted(words, key=lambda w: w[0]), key=lambda w: w[0]):
            with self.database.write() as db:
                content, lay = self.pages.content(page_id), self.contents.lay(page_id)
                if content is None:
                    continue
                known = {w.id: w for w in content.words if not w.settled}
                operations: list[ContentOperation] = []
                for _, word_id, was, text in group:
                    word = known.get(word_id)
                    if word is not None and word.text == was:
                        ink = lay.word(word)
                        operations.append(Confirm(word=ink) if text is None else Retext(words=(ink,), text=text))
                if not operations:
                    continue
                self.contents.take_touched()
                change_id = self._record(db, document_id, change_id, label, [(page_id, o) for o in operations])
                self.contents.add(db, page_id, content, operations, settles=False)
                touched |= self.contents.take_touched()
                done += len(operations)
        return Outcome(label if touched else "", frozenset(touched | self._settled(document_id, touched)), words=done)

    def across(
        self, document_id: int, label: str, requests: Sequence[tuple[int, Request]], change_id: int = 0
    ) -> Outcome:
        """Make requests on many pages of a document as one change, page by page; see `use_template` for `change_id`.

        What a page cannot take, having changed since, is passed over.
        """
        self._goes_on(document_id, change_id)
        touched, done = set[int](), 0
        for page_id, group in groupby(sorted(requests, key=lambda r: r[0]), key=lambda r: r[0]):
            with self.database.write() as db:
                self.contents.take_touched()
                for _, request in group:
                    content = self.pages.content(page_id)
                    try:
                        operations = decide(content, request, self.contents.lay(page_id)) if content else []
                        if content is None or not operations:
                            continue
                        self.contents.add(db, page_id, content, operations, settles=False)
                    except EditError:
                        continue
                    made = [(page_id, o) for o in operations]
                    change_id = self._record(db, document_id, change_id, label, made)
                    done += len(operations)
                touched |= self.contents.take_touched()
        return Outcome(label if touched else "", frozenset(touched | self._settled(document_id, touched)), words=done)

    def _goes_on(self, document_id: int, change_id: int) -> None:
        """Raise Stale where a change that is to go on is not the last one."""
        last = self.journal.last(document_id)
        if change_id and (last is None or last.id != change_id):
            raise Stale("The document was changed elsewhere meanwhile; the other pages stay as they were.")

    def _record(
        self,
        db: sqlite3.Connection,
        document_id: int,
        change_id: int,
        label: str,
        made: list[tuple[int, ContentOperation]],
    ) -> int:
        """Note operations in a change, or in a new one; its id."""
        if change_id:
            self.journal.extend(db, change_id, document_id, made)
            return change_id
        return self.journal.record(db, document_id, label, made)

    def _settled(self, document_id: int, touched: set[int]) -> frozenset[int]:
        """The pages that change besides when the document is settled after a change of many pages."""
        if not touched:
            return frozenset()
        with self.database.write() as db:
            self.contents.settle_if_read(db, document_id)
            return frozenset(self.contents.take_touched())

    def leave_everywhere(self, page_id: int, revision: int, request: AcceptDoubt) -> Outcome:
        """Leave a doubt as it is on every page of the document that has it."""
        with self.database.write() as db:
            content = self._at_revision(page_id, revision)
            document_id = self.pages.page(page_id).document_id
            label = name(request, content)
            self.contents.take_touched()
            change_id = self.journal.record(db, document_id, label, [])
            for each in self.contents.doubts.sharing(document_id, request.key):
                theirs = self.pages.content(each)
                if theirs is not None:
                    operations = decide(theirs, request, self.contents.lay(each))
                    self.journal.extend(db, change_id, document_id, [(each, o) for o in operations])
                    self.contents.add(db, each, theirs, operations)
            return Outcome(label, frozenset(self.contents.take_touched()), page_id)

    def use_template(self, page_id: int, revision: int, targets: Sequence[int], change_id: int = 0) -> Outcome:
        """Give a page's parts to other pages of its document that are read; one change, page by page.

        With `change_id` it goes on with that change, which must be the last one (raises Stale).
        """
        model, page = self._at_revision(page_id, revision), self.pages.page(page_id)
        self._goes_on(page.document_id, change_id)
        known = [p for p in self.pages.read_ids(page.document_id) if p in set(targets) and p != page_id]
        label = f"blocks of page {page.position + 1} on others"
        touched: set[int] = set()
        for each in known:
            with self.database.write() as db:
                theirs, lay = self.pages.content(each), self.contents.lay(each)
                operations = like(model, theirs, lay) if theirs is not None else []
                if theirs is None or not operations:
                    continue
                self.contents.take_touched()
                made = [(each, o) for o in operations]
                change_id = self._record(db, page.document_id, change_id, label, made)
                self.contents.add(db, each, theirs, operations, settles=False)
                touched |= self.contents.take_touched()
        pages = frozenset(touched | self._settled(page.document_id, touched))
        return Outcome(label if touched else "", pages, page_id)

    def _at_revision(self, page_id: int, revision: int) -> PageContent:
        page, content = self.pages.page(page_id), self.pages.content(page_id)
        if content is None:
            raise Stale("The page has not been read yet.")
        if page.revision != revision:
            raise Stale("The page was changed elsewhere meanwhile; it is shown anew and nothing was overwritten.")
        return content

    # Undo and redo

    def undo(self, document_id: int, change_id: int | None = None) -> Outcome:
        """Take back the last change.

        Raises
        ------
        Stale
            If the last change is not the one that was to be taken back.
        """
        return self._turn(document_id, self.journal.last(document_id), change_id, undone=True)

    def redo(self, document_id: int, change_id: int | None = None) -> Outcome:
        """Do again what was taken back last; see `undo`."""
        return self._turn(document_id, self.journal.next(document_id), change_id, undone=False)

    def _turn(self, document_id: int, change: ChangeRecord | None, expected: int | None, undone: bool) -> Outcome:
        self.documents.document(document_id)
        if change is None:
            if expected is not None:
                raise Stale("The document was changed elsewhere meanwhile; nothing was undone.")
            return Outcome("", frozenset())
        if expected is not None and change.id != expected:
            raise Stale(f"The document was changed elsewhere meanwhile: now this would turn “{change.label}”.")
        with self.database.write() as db:
            self.contents.take_touched()
            decisions = self.journal.turn(db, change.id, undone)
            return self.settings.follow(db, document_id, change.label, decisions)
