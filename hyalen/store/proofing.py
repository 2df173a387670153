"""What the document and its history say about a doubtful word."""

from __future__ import annotations

from collections import Counter
from functools import lru_cache

from hyalen.core.decisions.operations import Retext
from hyalen.core.decisions.targets import word_of
from hyalen.core.model.content import PageContent, Word
from hyalen.core.proofing.confusions import confused
from hyalen.core.proofing.placed import core_of, main_language, proofed_words
from hyalen.core.proofing.suggest import Taught, by_its_place, suggestions
from hyalen.store.database import Database
from hyalen.store.documents import Documents
from hyalen.store.pages import Pages
from hyalen.store.records import NotFound
from hyalen.store.wordlists import WordLists

LEARNT_FROM = 400  # corrections, the last ones
NEAR, NEAR_PAGES = 200, 20  # passages of the document, nearest to the page, whose words count


class Proofing:
    def __init__(self, database: Database, documents: Documents, pages: Pages, lists: WordLists) -> None:
        self.database = database
        self.documents = documents
        self.pages = pages
        self.lists = lists

    def suggestions(self, page_id: int, word_id: str) -> tuple[Word, list[str]]:
        """A word and what it may have been.

        Raises
        ------
        NotFound
            If the page has not been read.
        EditError
            If it has no such word.
        """
        content, page = self.pages.content(page_id), self.pages.page(page_id)
        if content is None:
            raise NotFound("The page has not been read yet.")
        word = word_of(content, word_id)
        words = proofed_words(content)
        at = next((i for i, each in enumerate(words) if each.word.id == word_id), None)
        placed = by_its_place(words, at, main_language(content)) if at is not None else []
        batch = self.documents.document(page.document_id).batch_id
        said = self._said(page.document_id, page_id)
        told = suggestions(
            word, _language(content, word_id), said, self.lists.known(batch), self._taught(page.document_id), placed
        )
        return word, told

    def _said(self, document_id: int, page_id: int) -> Counter[str]:
        """Words of the pages near by, folded, and how often they say them."""
        rows = self.database.rows(
            """SELECT text FROM passage WHERE document_id = ? AND page_id BETWEEN ? AND ?
               ORDER BY abs(page_id - ?) LIMIT ?""",
            document_id,
            page_id - NEAR_PAGES,
            page_id + NEAR_PAGES,
            page_id,
            NEAR,
        )
        said: Counter[str] = Counter()
        for row in rows:
            said.update(_cores(row["text"]))
        return said

    def _taught(self, document_id: int) -> Taught:
        """Which shape was corrected to which in the document, and how often."""
        rows = self.database.rows(
            "SELECT value FROM operation WHERE document_id = ? AND op = 'retext' ORDER BY id DESC LIMIT ?",
            document_id,
            LEARNT_FROM,
        )
        found: Counter[tuple[str, str]] = Counter()
        for row in rows:
            operation = Retext.model_validate_json(row["value"])
            read = " ".join(ink.text for ink in operation.words)
            pair = confused(read.casefold(), operation.text.casefold())
            if pair is not None and operation.text:
                found[pair] += 1
        return found


@lru_cache(maxsize=2_000)
def _cores(text: str) -> tuple[str, ...]:
    """A passage's words, folded, without marks around them."""
    return tuple(core for token in text.split() if len(core := core_of(token).casefold()) > 1)


def _language(content: PageContent, word_id: str) -> str:
    fallback = content.languages[0] if content.languages else "eng"
    for region in content.everything:
        if any(word.id == word_id for word in region.words):
            return region.language or fallback
    return fallback
