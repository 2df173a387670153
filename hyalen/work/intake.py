"""Puts files into a batch: each is a document or a problem, whatever is wrong with it."""

from __future__ import annotations

import logging
from pathlib import Path
from typing import NamedTuple

from hyalen.core.formats.kinds import naming_note, sniff
from hyalen.core.formats.names import shown
from hyalen.core.formats.ranges import page_range
from hyalen.core.formats.read import cautions_of, count_pages
from hyalen.core.formats.read_pdf import Locked, unlocked
from hyalen.core.formats.source import Limits, SourceError
from hyalen.core.model.text import fit
from hyalen.store.store import Store
from hyalen.work.attendant import Attendant, JobFailed
from hyalen.work.trouble import is_full
from hyalen.work.workers import COUNTING_SECONDS

log = logging.getLogger(__name__)


class Taken(NamedTuple):
    """What became of a file: a document, or a problem with its reason; `locked` where a password would open it."""

    name: str
    document: int | None = None
    problem: int | None = None
    reason: str = ""
    locked: bool = False


def refuse(store: Store, batch_id: int, name: str, reason: str) -> Taken:
    """A problem, kept with the batch until the clerk dismisses it."""
    name, reason = shown(name), fit(reason)
    return Taken(name, problem=store.documents.add_problem(batch_id, name, reason), reason=reason)


def take_in(
    store: Store,
    attendant: Attendant,
    batch_id: int,
    name: str,
    blob: str,
    limits: Limits,
    pages: str = "",
    password: str = "",
) -> Taken:
    """A document for a file that is already among the blobs, or a problem where it cannot be read.

    `pages` names some of its pages ("1-3, 7"). Of a file that `password` opens, a copy without it is kept.
    """
    path = store.blobs.path(blob)
    try:
        kind = sniff(path)
        cautions = []
        if password and kind == "pdf":
            blob, path = _opened(store, attendant, path, password)
            cautions.append("it came encrypted; what is made of it opens without a password")
        wanted = page_range(pages, attendant.do(count_pages, path, limits, seconds=COUNTING_SECONDS))
        cautions += _cautions(attendant, path)
        notes = [naming_note(shown(name), kind), store.documents.same_note(batch_id, blob)]
        told = "; ".join(note for note in notes if note)
        document = store.documents.add(batch_id, shown(name), blob, wanted, told, cautions)
        return Taken(shown(name), document)
    except Locked as error:
        return refuse(store, batch_id, name, str(error))._replace(locked=True)
    except (SourceError, JobFailed) as error:
        return refuse(store, batch_id, name, str(error))
    except Exception as error:
        if is_full(error):
            raise
        log.exception("%s could not be brought in", shown(name))
        return refuse(store, batch_id, name, f"the file cannot be read ({type(error).__name__})")


def take_in_file(
    store: Store, attendant: Attendant, batch_id: int, path: Path, limits: Limits, pages: str = "", password: str = ""
) -> Taken:
    """The same for a file on disk, which is copied.

    A file that cannot be opened becomes a problem as well.
    """
    try:
        if not path.is_file():
            raise OSError("there is no such file" if not path.exists() else "it is not a file")
        if path.stat().st_size > limits.bytes:
            raise OSError(f"larger than the limit of {limits.bytes / 1e6:.0f} MB")
        blob = store.blobs.put_file(path)
    except (OSError, ValueError) as error:
        if is_full(error):
            raise
        return refuse(
            store, batch_id, path.name, f"the file cannot be read ({getattr(error, 'strerror', '') or error})"
        )
    return take_in(store, attendant, batch_id, path.name, blob, limits, pages, password)


def _cautions(attendant: Attendant, path: Path) -> list[str]:
    """What is to be known of a file; one whose pages can be read is not refused for what else is wrong with it."""
    try:
        found: list[str] = attendant.do(cautions_of, path, seconds=COUNTING_SECONDS)
        return found
    except (SourceError, JobFailed):
        return ["whether it is signed, locked or carries other files cannot be told: a part of it is damaged"]


def _opened(store: Store, attendant: Attendant, path: Path, password: str) -> tuple[str, Path]:
    """The name and path of a copy without encryption."""
    out = store.blobs.workplace()
    try:
        attendant.do(unlocked, path, password, out, seconds=COUNTING_SECONDS)
        blob = store.blobs.put_file(out)
    finally:
        out.unlink(missing_ok=True)
    return blob, store.blobs.path(blob)
