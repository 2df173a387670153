"""Puts files into a batch: each is a document, several, or a problem, whatever is wrong with it."""

from __future__ import annotations

import logging
from pathlib import Path
from typing import NamedTuple

from hyalen.core.formats.containers import is_portfolio, unpack
from hyalen.core.formats.kinds import CONTAINERS, TURNED, naming_note, sniff
from hyalen.core.formats.names import shown
from hyalen.core.formats.office import turn_into_pdf
from hyalen.core.formats.ranges import page_range
from hyalen.core.formats.read import cautions_of, count_pages
from hyalen.core.formats.read_pdf import Locked, unlocked
from hyalen.core.formats.source import Limits, SourceError
from hyalen.core.model.text import fit
from hyalen.store.store import Store
from hyalen.work.attendant import Attendant, JobFailed
from hyalen.work.trouble import is_full
from hyalen.work.workers import COUNTING_SECONDS

DEEPEST = 3  # files within files
UNPACKING_SECONDS = 300.0
TURNING_SECONDS = 300.0

log = logging.getLogger(__name__)


class Taken(NamedTuple):
    """What became of a file: a document, or a problem with its reason; `locked` where a password would open it."""

    name: str
    document: int | None = None
    problem: int | None = None
    reason: str = ""
    locked: bool = False


def refuse(store: Store, batch_id: int, name: str, reason: str, came_by: str = "") -> Taken:
    """A problem, kept with the batch until the clerk dismisses it."""
    name, reason = shown(name), fit(reason)
    return Taken(name, problem=store.documents.add_problem(batch_id, name, reason, came_by), reason=reason)


def take_in(
    store: Store,
    attendant: Attendant,
    batch_id: int,
    name: str,
    blob: str,
    limits: Limits,
    pages: str = "",
    password: str = "",
    depth: int = 0,
    came: str | None = None,
    came_by: str = "",
) -> list[Taken]:
    """Documents for a file that is already among the blobs, or problems where it cannot be read.

    A file that holds others gives each of them; an office file becomes a PDF, and is kept beside it. `pages` names
    some of the pages ("1-3, 7"). Of a file that `password` opens, a copy without it is kept. `came` is the file that
    came in, where this one was made of it; `came_by` is kept with what becomes of it.
    """
    path = store.blobs.path(blob)
    try:
        kind = sniff(path)
        if kind in CONTAINERS or (
            kind == "pdf" and attendant.do(is_portfolio, path, password, seconds=COUNTING_SECONDS)
        ):
            if depth >= DEEPEST:
                raise SourceError("it lies within too many others; unpack it first")
            again = (limits, pages, password, depth + 1)
            return _take_in_each(store, attendant, batch_id, name, blob, kind, again, came_by)
        cautions: list[str] = []
        note = "" if came else naming_note(shown(name), kind)
        if kind in TURNED:
            came = came or blob
            blob, path, cautions = _turned(store, attendant, path, kind)
        if password and kind == "pdf":
            blob, path = _opened(store, attendant, path, password)
            cautions.append("it came encrypted; what is made of it opens without a password")
        wanted = page_range(pages, attendant.do(count_pages, path, limits, seconds=COUNTING_SECONDS))
        if kind not in TURNED:
            cautions += _cautions(attendant, path)
        told = "; ".join(each for each in (note, store.documents.same_note(batch_id, came or blob)) if each)
        document = store.documents.add(batch_id, shown(name), blob, wanted, told, cautions, came, came_by)
        return [Taken(shown(name), document)]
    except Locked as error:
        return [refuse(store, batch_id, name, str(error), came_by)._replace(locked=True)]
    except (SourceError, JobFailed) as error:
        return [refuse(store, batch_id, name, str(error), came_by)]
    except Exception as error:
        if is_full(error):
            raise
        log.exception("%s could not be brought in", shown(name))
        return [refuse(store, batch_id, name, f"the file cannot be read ({type(error).__name__})", came_by)]


def take_in_file(
    store: Store,
    attendant: Attendant,
    batch_id: int,
    path: Path,
    limits: Limits,
    pages: str = "",
    password: str = "",
    came_by: str = "",
) -> list[Taken]:
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
        why = getattr(error, "strerror", "") or error
        return [refuse(store, batch_id, path.name, f"the file cannot be read ({why})", came_by)]
    return take_in(store, attendant, batch_id, path.name, blob, limits, pages, password, came_by=came_by)


def _take_in_each(
    store: Store,
    attendant: Attendant,
    batch_id: int,
    name: str,
    whole: str,
    kind: str,
    again: tuple[Limits, str, str, int],
    came_by: str,
) -> list[Taken]:
    """What is within a file, each as if it had come by itself; one that cannot be read is named with where it lay."""
    taken: list[Taken] = []
    limits, _, password, _ = again
    path = store.blobs.path(whole)
    with store.blobs.work_folder() as folder:
        for each in attendant.do(unpack, path, kind, folder, limits, password, seconds=UNPACKING_SECONDS):
            if each.path is None:
                taken.append(refuse(store, batch_id, f"{each.name} in {name}", each.reason, came_by))
                continue
            blob = store.blobs.put_file(each.path)
            each.path.unlink()
            came = None if each.name else whole  # a message, of which its text is read
            taken += take_in(store, attendant, batch_id, each.name or name, blob, *again, came, came_by)
    return taken


def _turned(store: Store, attendant: Attendant, path: Path, kind: str) -> tuple[str, Path, list[str]]:
    """The name and path of the PDF that is made of a file, and what is to be known of it."""
    out = store.blobs.workplace()
    try:
        told: list[str] = attendant.do(turn_into_pdf, path, kind, out, seconds=TURNING_SECONDS)
        blob = store.blobs.put_file(out)
    finally:
        out.unlink(missing_ok=True)
    return blob, store.blobs.path(blob), told


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
