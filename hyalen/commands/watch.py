"""`hyalen watch`: a folder whose files are read and delivered as they come."""

from __future__ import annotations

import argparse
import sqlite3
import sys
import tempfile
import threading
import time
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from hyalen.commands import SOME_FAILED, UsageError
from hyalen.commands.batch import PREFIX, clear_stray, failures, parse_languages, parse_order, read_password
from hyalen.commands.usage import told_limits, writable
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.names import shown
from hyalen.store.held import Held, InUse
from hyalen.store.sets import DeliverySet
from hyalen.store.store import Store
from hyalen.work.foreman import Foreman
from hyalen.work.intake import Taken, take_in_file
from hyalen.work.trouble import is_full
from hyalen.work.watched import Made, Watched
from hyalen.work.workers import default_workers

LOOK = 1.0  # seconds between two looks at the folder
FOLDER = "/"  # among refused names, which no file has
HELD = ".hyalen"  # where it says that it is watched
AT_ONCE = 16  # files that are worked on together


def run(told: argparse.Namespace) -> int:
    languages, order = parse_languages(told.languages), parse_order(told)
    if order.options.joined:
        raise UsageError(
            "what comes one after the other cannot be joined; take another set, or `hyalen batch --joined`"
        )
    password = read_password(told.password_file) if told.password_file else ""
    if not told.folder.is_dir():
        raise UsageError(f"{shown(str(told.folder))} is not a folder")
    out: Path = told.out or told.folder / "delivered"
    with writable(told.folder), writable(out):
        watched = Watched(told.folder, out, told.settle)
        clear_stray()
        with (
            _alone(told.folder),
            tempfile.TemporaryDirectory(prefix=PREFIX) as directory,
            Held(Path(directory), "a watch"),
        ):
            store = Store(Path(directory))
            try:
                return _watch(watched, store, told, languages, order, password)
            finally:
                store.close()


@contextmanager
def _alone(folder: Path) -> Iterator[None]:
    """No other watch takes files from the folder meanwhile."""
    try:
        held = Held(folder / HELD, "a watch")
    except InUse as error:
        raise UsageError(f"another watch already works on {shown(str(folder))}") from error
    with held:
        yield


def _watch(
    watched: Watched, store: Store, told: argparse.Namespace, languages: list[str], order: DeliverySet, password: str
) -> int:
    foreman = Foreman(store, told.workers or default_workers(), told_limits(), order.formats, order.options)
    woken = threading.Event()
    foreman.listen(lambda _: woken.set())
    foreman.start()
    code = 0
    refused: set[str] = set()
    try:
        waiting = watched.resume()
        while True:
            waiting += _claimed(watched, AT_ONCE - len(waiting), refused)
            if waiting:
                code = max(code, _work_off(watched, store, foreman, waiting, languages, password, told.pages, woken))
                waiting = []
            elif told.once and watched.waiting <= len(refused):
                return SOME_FAILED if refused else code
            else:
                time.sleep(LOOK)
    except (OSError, sqlite3.Error) as error:
        why = "there is no space left; make room" if is_full(error) else f"{error}; mend it"
        raise UsageError(f"{why} and begin again: what was in hand is worked on then") from error
    finally:
        foreman.stop()


def _claimed(watched: Watched, most: int, refused: set[str]) -> list[Path]:
    """Files that are complete, taken in hand; one that cannot be is told once and stays where it is."""
    found: list[Path] = []
    try:
        complete = list(watched.complete())
    except OSError as error:  # a network folder that comes and goes
        if FOLDER not in refused:
            print(f"failed: the folder cannot be read ({error.strerror}); waiting for it", file=sys.stderr, flush=True)
        refused.add(FOLDER)
        return found
    refused.discard(FOLDER)
    for path in complete:
        if len(found) >= most:
            break
        try:
            claimed = watched.claim(path)
        except OSError as error:
            if path.name not in refused:
                print(f"failed: {shown(path.name)}: it cannot be taken ({error.strerror})", file=sys.stderr, flush=True)
            refused.add(path.name)
            continue
        refused.discard(path.name)
        if claimed is not None:
            found.append(claimed)
    return found


def _work_off(
    watched: Watched,
    store: Store,
    foreman: Foreman,
    files: Sequence[Path],
    languages: list[str],
    password: str,
    pages: str,
    woken: threading.Event,
) -> int:
    """Read and deliver files together, and put each where it belongs."""
    batch = store.documents.add_batch(watched.folder.resolve().name or "watched", languages)
    taken = {
        path: take_in_file(store, foreman.attendant, batch, path, foreman.limits, pages, password) for path in files
    }
    foreman.wake()
    while not foreman.idle():
        if foreman.lacks_space:
            raise OSError(28, "No space left on device")
        woken.wait(timeout=0.3)
        woken.clear()
    code = 0
    for path, each in taken.items():
        documents = [t.document for t in each if t.document is not None]
        reason = "\n".join(_reasons(store, batch, each, documents))
        made = [
            Made(store.blobs.path(d.blob), d.name, FORMATS[d.format].ending)
            for d in store.deliveries.of_batch(batch)
            if d.document_id in documents
        ]
        delivered = watched.finish(path, made, reason)
        names = " ".join(str(p.relative_to(watched.out)) for p in delivered)
        print(f"{shown(path.name)}\t{names or 'nothing delivered'}", flush=True)
        if reason:
            code = SOME_FAILED
            print(f"failed: {reason}".replace("\n", "\nfailed: "), file=sys.stderr, flush=True)
    store.delete_batch(batch)
    store.tidy()
    return code


def _reasons(store: Store, batch: int, taken: Iterable[Taken], documents: Sequence[int]) -> list[str]:
    """What went wrong with a file, and with pages of it."""
    found = [f"{t.name}: {t.reason}" for t in taken if t.document is None]
    return found + [reason for document, reason in failures(store, batch) if document in documents]
