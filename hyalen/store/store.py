"""The data directory: `hyalen.sqlite3` and `blobs/`, and what is kept in them, by subject."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from hyalen.store.arrangement import Arrangement
from hyalen.store.binding import Binding
from hyalen.store.blobs import Blobs
from hyalen.store.bundles import Bundles
from hyalen.store.contents import Contents
from hyalen.store.course import Course
from hyalen.store.database import DATABASE, Database
from hyalen.store.decisions import Decisions
from hyalen.store.deliveries import Deliveries
from hyalen.store.documents import Documents
from hyalen.store.doubts import Doubts
from hyalen.store.inboxes import Inboxes
from hyalen.store.journal import Journal
from hyalen.store.judgements import Judgements
from hyalen.store.outcome import Stale
from hyalen.store.pages import Pages
from hyalen.store.proofing import Proofing
from hyalen.store.samples import Samples
from hyalen.store.scans import Scans
from hyalen.store.search import Search, index_all
from hyalen.store.sets import DeliverySets
from hyalen.store.settings import Settings
from hyalen.store.tasks import Tasks
from hyalen.store.treatments import Treatments
from hyalen.store.upgrade import judge_words, note_facts, shorten_options, snapshots_to_decisions
from hyalen.store.wordlists import WordLists

_FILES = """
  SELECT source_blob AS name, id AS document_id FROM document UNION SELECT came_blob, id FROM document
  UNION SELECT original_blob, document_id FROM page UNION SELECT source_blob, document_id FROM page UNION SELECT page.came_blob, document_id FROM page UNION SELECT cleaned_blob, document_id FROM page
  UNION SELECT thumb_blob, document_id FROM page UNION SELECT read_blob, document_id FROM page
  UNION SELECT image_blob, document_id FROM cleaning JOIN page ON page.id = page_id
  UNION SELECT cleaning.thumb_blob, document_id FROM cleaning JOIN page ON page.id = page_id
  UNION SELECT cleaning.read_blob, document_id FROM cleaning JOIN page ON page.id = page_id
  UNION SELECT blob, document_id FROM picture
  UNION SELECT blob, document_id FROM delivery
  UNION SELECT blob, document_id FROM bundle_part UNION SELECT blob, NULL FROM bundle_file
  UNION SELECT blob, document_id FROM face UNION SELECT thumb_blob, document_id FROM face"""


class Store:
    """Everything that is kept. Only the server and the foreman beside it write here."""

    def __init__(self, directory: Path) -> None:
        directory.mkdir(parents=True, exist_ok=True)
        self.directory = directory
        self.blobs = Blobs(directory / "blobs")
        self.database = Database(
            directory / DATABASE,
            {3: snapshots_to_decisions, 7: index_all, 10: judge_words, 11: note_facts, 13: shorten_options},
        )
        self.tasks = Tasks(self.database)
        self.documents = Documents(self.database, self.tasks)
        self.pages = Pages(self.database)
        self.doubts = Doubts(self.database)
        self.journal = Journal(self.database)
        self.search, self.lists = Search(self.database), WordLists(self.database)
        self.judgements = Judgements(self.database)
        self.samples = Samples(self.database, self.pages)
        self.proofing = Proofing(self.database, self.documents, self.pages, self.lists)
        self.contents = Contents(
            self.database, self.pages, self.doubts, self.search, self.lists, self.judgements, self.journal, self.tasks
        )
        self.arrangement = Arrangement(self.database, self.pages, self.doubts, self.journal)
        self.course = Course(self.database, self.documents, self.pages, self.contents, self.arrangement, self.tasks)
        self.settings = Settings(
            self.database, self.documents, self.pages, self.journal, self.contents, self.arrangement, self.course
        )
        self.decisions = Decisions(
            self.database, self.documents, self.pages, self.journal, self.contents, self.settings, self.search
        )
        self.deliveries = Deliveries(self.database, self.tasks)
        self.treatments = Treatments(self.database)
        self.bundles = Bundles(self.database, self.contents, self.deliveries)
        self.sets = DeliverySets(self.database)
        self.inboxes = Inboxes(self.database, self.documents)
        self.scans = Scans(
            self.database,
            self.documents,
            self.pages,
            self.journal,
            self.arrangement,
            self.course,
            self.settings,
            self.tasks,
        )
        self.course.take_over()

        self.binding = Binding(
            self.database,
            self.documents,
            self.pages,
            self.doubts,
            self.journal,
            self.arrangement,
            self.contents,
            self.scans,
        )

    def close(self) -> None:
        self.database.close()

    def recover(self) -> int:
        """After a start: unfinished tasks wait again, files that belong to nothing go; how many tasks."""
        self.tidy()
        self.scans.recover()
        self.bundles.recover()
        return self.tasks.recover()

    def tidy(self) -> None:
        """Remove the files that belong to nothing, such as those that only held others."""
        with self.blobs.removing():
            self.blobs.sweep(set(self._files("name IS NOT NULL")))

    @contextmanager
    def changing(self, document_id: int, revision: int) -> Iterator[None]:
        """Change a document's settings as one, on the revision that is known.

        Raises
        ------
        Stale
            If the document is not at that revision.
        """
        with self.database.write():
            if self.documents.document(document_id).revision != revision:
                raise Stale(
                    "The document was changed elsewhere meanwhile; it is shown anew and nothing was overwritten."
                )
            yield

    def delete_document(self, document_id: int) -> None:
        """A document with its pages, decisions, deliveries and files."""
        self.documents.document(document_id)
        with self.database.write() as db:
            self.scans.leave(db, [document_id])
        self._delete("DELETE FROM document WHERE id = ?", document_id, "document_id = ?")

    def delete_batch(self, batch_id: int) -> None:
        """A batch with all its documents."""
        self.documents.batch(batch_id)
        self.tasks.cancel_batch(batch_id)
        of_batch = "document_id IN (SELECT id FROM document WHERE batch_id = ?)"
        self._delete("DELETE FROM batch WHERE id = ?", batch_id, of_batch)

    def forget_delivery(self, delivery_id: int) -> None:
        """A file that was made."""
        blob = self.deliveries.delivery(delivery_id).blob
        with self.blobs.removing():
            self.deliveries.forget(delivery_id)
            self.blobs.remove({blob} - set(self._files("name = ?", blob)))

    def delete_bundle(self, bundle_id: int) -> None:
        """A bundle with its marks and files; its documents stay."""
        self.bundles.bundle(bundle_id)
        self._sweep_after("DELETE FROM bundle WHERE id = ?", bundle_id)

    def forget_bundle_file(self, file_id: int) -> None:
        self.bundles.file(file_id)
        self._sweep_after("DELETE FROM bundle_file WHERE id = ?", file_id)

    def drop_files(self, names: Iterable[str]) -> None:
        """Remove those of these files that belong to nothing any more."""
        with self.blobs.removing():
            self.blobs.remove({n for n in names if not self._files("name = ?", n)})

    def _sweep_after(self, statement: str, value: int) -> None:
        with self.blobs.removing():
            before = set(self._files("name IS NOT NULL"))
            with self.database.write() as db:
                db.execute(statement, (value,))
            self.blobs.remove(before - set(self._files("name IS NOT NULL")))

    def _delete(self, statement: str, value: int, theirs: str) -> None:
        with self.blobs.removing():
            with self.database.write() as db:
                names = self._files(theirs, value)
                db.execute(statement, (value,))
            self.blobs.remove(set(names) - set(self._files("name IS NOT NULL")))

    def batch_size(self, batch_id: int) -> int:
        """Bytes of a batch's files."""
        return self.blobs.size(self._files("document_id IN (SELECT id FROM document WHERE batch_id = ?)", batch_id))

    def retry(self, batch_id: int) -> int:
        """Take up again what failed or was cancelled; how many pages and deliveries."""
        with self.database.write() as db:
            count = self.tasks.retry_deliveries(db, batch_id)
            for document in self.documents.of_batch(batch_id):
                for page_id in self.pages.ids(document.id):
                    if self.tasks.forget_stopped(db, page_id):
                        self.course.advance(db, page_id)
                        count += 1
                self.contents.settle_if_read(db, document.id)
        return count

    def retry_page(self, page_id: int) -> None:
        """Take up a page again at the stage where it stopped."""
        page = self.pages.page(page_id)
        with self.database.write() as db:
            self.tasks.forget_stopped(db, page.id)
            self.course.advance(db, page.id)

    def _files(self, where: str, *values: int | str) -> list[str]:
        rows = self.database.rows(f"SELECT DISTINCT name FROM ({_FILES}) WHERE name IS NOT NULL AND {where}", *values)
        return [r["name"] for r in rows]
