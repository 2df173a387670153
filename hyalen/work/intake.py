"""Puts files into a batch: each is a document or a problem."""

from __future__ import annotations

from pathlib import Path

from hyalen.core.formats.read import count_pages, naming_note, sniff
from hyalen.core.formats.source import Limits, SourceError
from hyalen.store.store import Store


def take_in(store: Store, batch_id: int, name: str, blob: str, limits: Limits) -> int | None:
    """A document for a file that is already among the blobs; None, and a problem, where it cannot be read."""
    path = store.blobs.path(blob)
    try:
        pages = count_pages(path, limits)
        note = naming_note(name, sniff(path))
    except SourceError as error:
        store.documents.add_problem(batch_id, name, str(error))
        return None
    return store.documents.add(batch_id, name, blob, pages, note)


def take_in_file(store: Store, batch_id: int, path: Path, limits: Limits) -> int | None:
    """The same for a file on disk, which is copied.

    A file that cannot be opened becomes a problem as well.
    """
    try:
        if not path.is_file():
            raise OSError("there is no such file" if not path.exists() else "it is not a file")
        if path.stat().st_size > limits.bytes:
            raise OSError(f"larger than the limit of {limits.bytes / 1e6:.0f} MB")
        blob = store.blobs.put_file(path)
    except OSError as error:
        store.documents.add_problem(batch_id, path.name, f"the file cannot be read ({error.strerror or error})")
        return None
    return take_in(store, batch_id, path.name, blob, limits)
