"""`hyalen batch`: files in, files out, without a browser."""

from __future__ import annotations

import argparse
import os
import shutil
import sqlite3
import sys
import tempfile
import threading
from collections.abc import Iterator, Sequence
from pathlib import Path

from tqdm import tqdm

from hyalen.commands import SOME_FAILED, UsageError
from hyalen.commands.usage import default_data, told_files, told_limits, writable
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.names import free_name, shown
from hyalen.core.proofing.doubts import Stage
from hyalen.core.read import AUTO
from hyalen.core.reading.engine import EngineError, installed_languages
from hyalen.store.database import DATABASE
from hyalen.store.held import Held, InUse
from hyalen.store.sets import DeliverySet, NoSuchSet, kept_set
from hyalen.store.store import Store
from hyalen.work.foreman import Event, Foreman
from hyalen.work.intake import take_in_file
from hyalen.work.posting import put_beside
from hyalen.work.trouble import is_full
from hyalen.work.workers import default_workers

PREFIX = "hyalen-"  # of the folders in which batches work


def parse_languages(value: str) -> list[str]:
    """Codes from a comma-separated list, checked against what is installed."""
    codes = [c.strip() for c in value.split(",") if c.strip()]
    try:
        installed = installed_languages()
    except EngineError as error:
        raise UsageError(str(error)) from error
    if codes == [AUTO]:
        return codes
    unknown = [c for c in codes if c not in installed]
    if unknown or not codes:
        raise UsageError(
            f"no data is installed for {', '.join(unknown) or 'no language'}; "
            f"installed are {', '.join(installed)}, or say auto"
        )
    return codes


def parse_order(told: argparse.Namespace) -> DeliverySet:
    """What is to be made: the set that is named, with what is told beside it."""
    try:
        kept = kept_set(told.data or default_data(), told.set) if told.set else DeliverySet(formats=("pdf",))
    except NoSuchSet as error:
        raise UsageError(str(error)) from error
    chosen = {
        "keep_running_heads": told.keep_running_heads or None,
        "join_tables": told.join_tables or None,
        "page_breaks": told.page_breaks or None,
        "one_sheet": told.one_sheet or None,
        "quality": told.quality,
        "tones": told.tones,
        "standard": told.standard,
        "attach_source": told.attach_source or None,
        "joined": told.joined is not None or None,
        "name": told.name,
    }
    options = kept.options.model_copy(update={k: v for k, v in chosen.items() if v is not None} | {"post": False})
    return DeliverySet(formats=tuple(parse_formats(told.formats)) if told.formats else kept.formats, options=options)


def read_password(path: Path) -> str:
    """The first line of a file."""
    try:
        return (path.read_text("utf8").splitlines() or [""])[0]
    except (OSError, UnicodeDecodeError) as error:
        why = getattr(error, "strerror", None) or "it is no text"
        raise UsageError(f"the password cannot be read from {shown(str(path))} ({why})") from error


def parse_formats(value: str) -> list[str]:
    formats = [f.strip().lower() for f in value.split(",") if f.strip()]
    unknown = [f for f in formats if f not in FORMATS]
    if unknown or not formats:
        raise UsageError(f"unknown format {', '.join(unknown) or '(none)'}; choose among {', '.join(FORMATS)}")
    return list(dict.fromkeys(formats))


def run(told: argparse.Namespace) -> int:
    languages, order = parse_languages(told.languages), parse_order(told)
    told.password = read_password(told.password_file) if told.password_file else ""
    with writable(told.out):
        inputs = told_files(told.inputs, told.recursive)
    clear_stray()
    with tempfile.TemporaryDirectory(prefix=PREFIX) as directory, Held(Path(directory), "a batch"):
        store = Store(Path(directory))
        try:
            return _batch(store, told, inputs, languages, order)
        finally:
            store.close()


def clear_stray() -> None:
    """Remove the workplaces of batches that were killed; those of others that run are held."""
    for each in Path(tempfile.gettempdir()).glob(f"{PREFIX}*"):
        try:
            if each.stat().st_uid != os.getuid() or not (each / DATABASE).is_file():
                continue
            with Held(each, "nobody"):
                shutil.rmtree(each, ignore_errors=True)
        except (InUse, OSError):
            continue


def _batch(
    store: Store, told: argparse.Namespace, inputs: Sequence[Path], languages: list[str], order: DeliverySet
) -> int:
    limits, options = told_limits(), order.options
    at_once = () if options.joined else order.formats
    foreman = Foreman(store, told.workers or default_workers(), limits, at_once, options)
    batch_id = store.documents.add_batch(told.joined or told.out.resolve().name or "batch", languages)
    finished = threading.Event()
    progress = tqdm(total=0, unit="page", disable=None, file=sys.stderr)

    def on_event(event: Event) -> None:
        if event.kind == "task" and event.stage == Stage.READ and event.state == "done":
            progress.update()
        finished.set()

    foreman.listen(on_event)
    foreman.start()
    full = False
    try:
        for path in inputs:
            taken = take_in_file(store, foreman.attendant, batch_id, path, limits, told.pages, told.password)
            foreman.wake()
            for document in (each.document for each in taken if each.document is not None):
                progress.total = (progress.total or 0) + store.documents.document(document).page_count
                progress.refresh()
        _await(foreman, finished)
        if options.joined and not foreman.lacks_space:
            read = [d.id for d in store.documents.of_batch(batch_id) if store.pages.read_ids(d.id)]
            if read:
                foreman.ask_for(read, order.formats, options)
                _await(foreman, finished)
        full = foreman.lacks_space
    except (OSError, sqlite3.Error) as error:
        if not is_full(error):
            raise
        full = True
    finally:
        foreman.stop()
        progress.close()
    code = _hand_out(store, batch_id, told.out, told.replace)
    if full:
        raise UsageError(
            f"there is no space left in {tempfile.gettempdir()}: not all was done; make room or set TMPDIR to another folder"
        )
    return code


def _await(foreman: Foreman, finished: threading.Event) -> None:
    """Until nothing is left to do, or there is no space to do it."""
    while not foreman.idle() and not foreman.lacks_space:
        finished.wait(timeout=0.3)
        finished.clear()


def failures(store: Store, batch_id: int) -> Iterator[tuple[int, str]]:
    """What went wrong with pages and deliveries, each with its document."""
    for each in store.tasks.failed(batch_id):
        where = "delivery" if each.page is None else f"page {each.page + 1}"
        yield each.task.document_id, f"{each.source_name}, {where}: {each.task.reason}"


def _hand_out(store: Store, batch_id: int, out: Path, replace: bool) -> int:
    """Copy the deliveries into `out`, say what was made, and name what failed."""
    failed = [f"{p.file}: {p.reason}" for p in store.documents.problems(batch_id)]
    failed += [reason for _, reason in failures(store, batch_id)]
    deliveries = store.deliveries.of_batch(batch_id)
    written: dict[int, Path] = {}
    for document in store.documents.of_batch(batch_id):
        for delivery in (d for d in deliveries if d.document_id == document.id):
            target = out / delivery.name
            try:
                target.parent.mkdir(parents=True, exist_ok=True)
                taken = {p.name for p in target.parent.iterdir()} if not replace else set()
                taken |= {p.name for p in written.values() if p.parent == target.parent}
                ending = FORMATS[delivery.format].ending
                target = target.with_name(free_name(target.name.removesuffix(f".{ending}"), ending, taken))
                put_beside(store.blobs.path(delivery.blob), target)
            except OSError as error:
                failed.append(
                    f"{document.source_name}: {delivery.name} could not be written to {shown(str(out))} ({error.strerror})"
                )
                continue
            written[delivery.id] = target
        named = (written[d.id] for d in deliveries if document.id in d.documents and d.id in written)
        names = [str(each.relative_to(out)) for each in named]
        pages = len(store.pages.read_ids(document.id))
        counts = f"{pages} page{'s' * (pages != 1)}"
        if pages < document.page_count:
            counts += f" of {document.page_count}"
        print(f"{document.source_name}\t{counts}\t{' '.join(names) or 'nothing delivered'}", flush=True)
    for line in failed:
        print(f"failed: {line}", file=sys.stderr)
    return SOME_FAILED if failed else 0
