"""Watched folders in the server: what comes into a batch's folder comes into the batch, once, over kills and restarts."""

from __future__ import annotations

import logging
import threading
from pathlib import Path

from hyalen.core.formats.names import delivery_stem
from hyalen.store.inboxes import Inbox
from hyalen.store.store import Store
from hyalen.work.foreman import Event, Foreman
from hyalen.work.intake import take_in_file
from hyalen.work.watched import Watched

LOOK = 1.0  # seconds between two looks
SETTLE = 3.0  # seconds without change: a file is complete
AT_ONCE = 50  # files of a folder before the next folder has its turn

log = logging.getLogger(__name__)


class InboxKeeper:
    """One thread that looks after all watched folders.

    Parameters
    ----------
    folder : Path or None
        Within which each batch may have its own; None: none is watched.
    """

    def __init__(
        self, store: Store, foreman: Foreman, folder: Path | None, settle: float = SETTLE, look: float = LOOK
    ) -> None:
        self.store = store
        self.foreman = foreman
        self.folder = folder
        self._settle, self._look = settle, look
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None
        self._watched: dict[Inbox, Watched] = {}
        self._away: set[Inbox] = set()

    def start(self) -> None:
        if self.folder is not None:
            self._thread = threading.Thread(target=self._run, name="inboxes", daemon=True)
            self._thread.start()

    def stop(self) -> None:
        self._stop.set()
        if self._thread is not None:
            self._thread.join(60)

    def watch(self, batch_id: int, on: bool) -> None:
        """Have a folder watched for a batch, or none any more; it is made where it is not there.

        Raises
        ------
        OSError
        ValueError
            If the server watches no folders.
        """
        if not on:
            self.store.inboxes.watch(batch_id, None)
            return
        if self.folder is None:
            raise ValueError("The server watches no folders; start it with --watch DIR.")
        name = f"{delivery_stem(self.store.documents.batch(batch_id).name)}-{batch_id}"
        (self.folder / name).mkdir(parents=True, exist_ok=True)
        self.store.inboxes.watch(batch_id, name)

    def path(self, batch_id: int) -> Path | None:
        """The folder that is watched for a batch."""
        name = self.store.inboxes.of_batch(batch_id)
        return self.folder / name if self.folder is not None and name else None

    def away(self, batch_id: int) -> bool:
        """Whether a batch's folder cannot be read now."""
        return any(each.batch_id == batch_id for each in self._away)

    def _run(self) -> None:
        while not self._stop.is_set():
            for inbox in self.store.inboxes.all():
                try:
                    self.look(inbox)
                    self._away.discard(inbox)
                except OSError as error:  # a network folder that comes and goes, or a full disk: all is tried again
                    if inbox not in self._away:
                        log.warning("the watched folder %s: %s", inbox.folder, error)
                    self._away.add(inbox)
                except Exception:
                    log.exception("the watched folder %s", inbox.folder)
                if self._stop.is_set():
                    return
            self._stop.wait(self._look)

    def look(self, inbox: Inbox) -> int:
        """Take in what has come into a batch's folder; how many files.

        Raises
        ------
        OSError
            If the folder cannot be read, or the disk is full.
        """
        assert self.folder is not None
        folder = self.folder / inbox.folder
        watched = self._watched.get(inbox)
        if watched is None or not folder.is_dir():
            self._watched.pop(inbox, None)
            watched = Watched(folder, folder, self._settle)
            left = watched.resume()
            self.store.inboxes.keep_only(inbox.folder, {_token(inbox, path) for path in left})
            for path in left:
                self._take(inbox, watched, path)
            self._watched[inbox] = watched
        count = 0
        for path in watched.complete():
            if self._stop.is_set() or count >= AT_ONCE:
                break
            if (claimed := watched.claim(path)) is not None:
                self._take(inbox, watched, claimed)
                count += 1
        return count

    def _take(self, inbox: Inbox, watched: Watched, path: Path) -> None:
        """Take a file in wholly, then put it away; what a killed server has done of it is not done twice."""
        store, token = self.store, _token(inbox, path)
        if not store.inboxes.is_taken_in(token):
            for document_id in store.inboxes.half(token):
                store.delete_document(document_id)
            with store.blobs.held():
                take_in_file(store, self.foreman.attendant, inbox.batch_id, path, self.foreman.limits, came_by=token)
            store.inboxes.ended(token)
            self.foreman.wake()
            self.foreman.tell(Event("batch", inbox.batch_id, state="files"))
        watched.finish(path, [], store.inboxes.reason(token))
        store.inboxes.put_away(token)


def _token(inbox: Inbox, path: Path) -> str:
    """What a file in hand is known by: another one of its name differs in the rest."""
    stat = path.stat()
    return f"{inbox.folder}/{path.name}:{stat.st_ino}:{stat.st_size}:{stat.st_mtime_ns}"
