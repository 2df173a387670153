"""`hyalen batch`: files in, files out, without a browser."""

from __future__ import annotations

import argparse
import os
import shutil
import sqlite3
import sys
import tempfile
import threading
from collections.abc import Sequence
from pathlib import Path

from tqdm import tqdm

from hyalen.commands import SOME_FAILED, UsageError
from hyalen.commands.usage import told_files, told_limits, writable
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.names import free_name, shown, stem_by
from hyalen.core.proofing.doubts import Stage
from hyalen.core.read import AUTO
from hyalen.core.reading.engine import EngineError, installed_languages
from hyalen.store.held import Held, InUse
from hyalen.store.records import DeliveryRecord
from hyalen.store.store import DATABASE, Store
from hyalen.work.foreman import Event, Foreman
from hyalen.work.intake import take_in_file
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


def parse_formats(value: str) -> list[str]:
    formats = [f.strip().lower() for f in value.split(",") if f.strip()]
    unknown = [f for f in formats if f not in FORMATS]
    if unknown or not formats:
        raise UsageError(f"unknown format {', '.join(unknown) or '(none)'}; choose among {', '.join(FORMATS)}")
    return list(dict.fromkeys(formats))


def run(told: argparse.Namespace) -> int:
    languages, formats = parse_languages(told.languages), parse_formats(told.formats)
    with writable(told.out):
        inputs = told_files(told.inputs, told.recursive)
    clear_stray()
    with tempfile.TemporaryDirectory(prefix=PREFIX) as directory, Held(Path(directory), "a batch"):
        store = Store(Path(directory))
        try:
            return _batch(store, told, inputs, languages, formats)
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
    store: Store, told: argparse.Namespace, inputs: Sequence[Path], languages: list[str], formats: list[str]
) -> int:
    limits = told_limits()
    foreman = Foreman(
        store,
        told.workers or default_workers(),
        limits,
        formats,
        DeliveryOptions(
            keep_running_heads=told.keep_running_heads,
            join_tables=told.join_tables,
            quality=told.quality,
            tones=told.tones,
            name=told.name,
        ),
    )
    batch_id = store.documents.add_batch("batch", languages)
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
            document = take_in_file(store, foreman.attendant, batch_id, path, limits, told.pages).document
            foreman.wake()
            if document is not None:
                progress.total = (progress.total or 0) + store.documents.document(document).page_count
                progress.refresh()
        while not foreman.idle() and not foreman.lacks_space:
            finished.wait(timeout=0.3)
            finished.clear()
        full = foreman.lacks_space
    except (OSError, sqlite3.Error) as error:
        if not is_full(error):
            raise
        full = True
    finally:
        foreman.stop()
        progress.close()
    code = _hand_out(store, batch_id, told.out, told.replace, told.name)
    if full:
        raise UsageError(
            f"there is no space left in {tempfile.gettempdir()}: not all was done; make room or set TMPDIR to another folder"
        )
    return code


def _hand_out(store: Store, batch_id: int, out: Path, replace: bool, told_name: str) -> int:
    """Copy the deliveries into `out`, say what was made, and name what failed."""
    failed = [f"{p.file}: {p.reason}" for p in store.documents.problems(batch_id)]
    for each in store.tasks.failed(batch_id):
        where = "delivery" if each.page is None else f"page {each.page + 1}"
        failed.append(f"{each.source_name}, {where}: {each.task.reason}")
    by_document: dict[int, list[DeliveryRecord]] = {}
    for delivery in store.deliveries.of_batch(batch_id):
        by_document.setdefault(delivery.document_id, []).append(delivery)
    written: set[str] = set()
    for document in store.documents.of_batch(batch_id):
        names = []
        for delivery in by_document.get(document.id, []):
            taken = written if replace else written | {p.name for p in out.iterdir()}
            stem = stem_by(told_name, store.documents.name_parts(document))
            name = free_name(stem, FORMATS[delivery.format].ending, taken)
            try:
                put_beside(store.blobs.path(delivery.blob), out / name)
            except OSError as error:
                failed.append(
                    f"{document.source_name}: {name} could not be written to {shown(str(out))} ({error.strerror})"
                )
                continue
            written.add(name)
            names.append(name)
        pages = len(store.pages.read_ids(document.id))
        counts = f"{pages} page{'s' * (pages != 1)}"
        if pages < document.page_count:
            counts += f" of {document.page_count}"
        print(f"{document.source_name}\t{counts}\t{' '.join(names) or 'nothing delivered'}", flush=True)
    for line in failed:
        print(f"failed: {line}", file=sys.stderr)
    return SOME_FAILED if failed else 0


def put_beside(source: Path, target: Path) -> None:
    """Copy a file so that under its name there is all of it or nothing."""
    beside = target.with_name(f".hyalen-{os.getpid()}.part")
    try:
        with beside.open("wb") as file, source.open("rb") as data:
            shutil.copyfileobj(data, file, 1 << 20)
            file.flush()
            os.fsync(file.fileno())
        beside.replace(target)
    except BaseException:
        beside.unlink(missing_ok=True)
        raise
