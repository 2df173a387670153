"""What the commands do: serve, batch, inspect."""

from __future__ import annotations

import argparse
import json
import shutil
import sys
import tempfile
import threading
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from tqdm import tqdm

from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.names import free_name
from hyalen.core.formats.read import count_pages
from hyalen.core.formats.source import Limits, SourceError
from hyalen.core.proofing.doubts import Stage
from hyalen.core.read import AUTO
from hyalen.core.reading.engine import EngineError, installed_languages
from hyalen.settings import Environment
from hyalen.store.records import DeliveryRecord
from hyalen.store.store import Store
from hyalen.work import jobs
from hyalen.work.foreman import Event, Foreman
from hyalen.work.intake import take_in_file
from hyalen.work.workers import default_workers

SOME_FAILED = 3

__all__ = ["EngineError", "UsageError", "run_batch", "run_inspect", "run_serve"]


class UsageError(ValueError):
    """The command was asked for something it cannot do."""


def default_data() -> Path:
    """HYALEN_DATA, or the user's data directory."""
    from platformdirs import user_data_path

    return Environment().data or Path(user_data_path("hyalen"))


def run_serve(told: argparse.Namespace) -> int:
    import uvicorn

    from hyalen.web.app import make_app

    limits = told_limits()
    app = make_app(told.data or default_data(), workers=told.workers or default_workers(), limits=limits)
    print(f"Hyalen is at http://127.0.0.1:{told.port}", flush=True)
    # An open browser listens for events without end; stopping must not wait for it.
    uvicorn.run(app, host="127.0.0.1", port=told.port, log_level="warning", timeout_graceful_shutdown=2)
    return 0


def told_limits() -> Limits:
    """The limits as the environment sets them."""
    try:
        return Environment().limits
    except ValidationError as error:
        wrong = error.errors()[0]
        name, value = f"HYALEN_{wrong['loc'][0]}".upper(), wrong["input"]
        raise UsageError(f"{name} must be a positive whole number, not {value!r}") from error


def parse_languages(value: str) -> list[str]:
    """Codes from a comma-separated list, checked against what is installed."""
    codes = [c.strip() for c in value.split(",") if c.strip()]
    if codes == [AUTO]:
        return codes
    unknown = [c for c in codes if c not in installed_languages()]
    if unknown or not codes:
        raise UsageError(
            f"no data is installed for {', '.join(unknown) or 'no language'}; "
            f"installed are {', '.join(installed_languages())}, or say auto"
        )
    return codes


def parse_formats(value: str) -> list[str]:
    formats = [f.strip().lower() for f in value.split(",") if f.strip()]
    unknown = [f for f in formats if f not in FORMATS]
    if unknown or not formats:
        raise UsageError(f"unknown format {', '.join(unknown) or '(none)'}; choose among {', '.join(FORMATS)}")
    return list(dict.fromkeys(formats))


def run_batch(told: argparse.Namespace) -> int:
    languages, formats = parse_languages(told.languages), parse_formats(told.formats)
    told.out.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(prefix="hyalen-") as directory:
        store = Store(Path(directory))
        try:
            return _batch(store, told, languages, formats)
        finally:
            store.close()


def _batch(store: Store, told: argparse.Namespace, languages: list[str], formats: list[str]) -> int:
    limits = told_limits()
    foreman = Foreman(
        store,
        max(1, told.workers or default_workers()),
        limits,
        formats,
        DeliveryOptions(keep_running_heads=told.keep_running_heads),
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
    try:
        for path in told.inputs:
            document_id = take_in_file(store, batch_id, path, limits)
            foreman.wake()
            if document_id is not None:
                progress.total = (progress.total or 0) + store.documents.document(document_id).page_count
                progress.refresh()
        while not foreman.idle():
            finished.wait(timeout=0.3)
            finished.clear()
    finally:
        foreman.stop()
        progress.close()
    return _hand_out(store, batch_id, told.out, told.replace)


def _hand_out(store: Store, batch_id: int, out: Path, replace: bool) -> int:
    """Copy the deliveries into `out`, say what was made, and name what failed."""
    failed = [f"{p.file}: {p.reason}" for p in store.documents.problems(batch_id)]
    lost: dict[int, int] = {}
    for each in store.tasks.failed(batch_id):
        where = "delivery" if each.page is None else f"page {each.page + 1}"
        lost[each.task.document_id] = lost.get(each.task.document_id, 0) + (each.page is not None)
        failed.append(f"{each.source_name}, {where}: {each.task.reason}")
    by_document: dict[int, list[DeliveryRecord]] = {}
    for delivery in store.deliveries.of_batch(batch_id):
        by_document.setdefault(delivery.document_id, []).append(delivery)
    written: set[str] = set()
    for document in store.documents.of_batch(batch_id):
        names = []
        for delivery in by_document.get(document.id, []):
            taken = written if replace else written | {p.name for p in out.iterdir()}
            name = free_name(document.stem, FORMATS[delivery.format].ending, taken)
            shutil.copyfile(store.blobs.path(delivery.blob), out / name)
            written.add(name)
            names.append(name)
        pages = document.page_count - lost.get(document.id, 0)
        counts = f"{pages} page{'s' * (pages != 1)}"
        print(f"{document.source_name}\t{counts}\t{' '.join(names) or 'nothing delivered'}", flush=True)
    for line in failed:
        print(f"failed: {line}", file=sys.stderr)
    return SOME_FAILED if failed else 0


def run_inspect(told: argparse.Namespace) -> int:
    """Print what `batch` would find, without reading."""
    limits, failed, inputs = told_limits(), False, []
    for path in told.inputs:
        entry: dict[str, Any] = {"path": str(path), "pages": []}
        try:
            if not path.is_file():
                raise SourceError("there is no such file")
            for index in range(count_pages(path, limits)):
                entry["pages"].append(inspect_page(path, index, limits))
        except (SourceError, OSError) as error:
            entry["problem"] = str(error)
            failed = True
            print(f"failed: {path.name}: {error}", file=sys.stderr)
        inputs.append(entry)
    print(json.dumps({"inputs": inputs}, ensure_ascii=False))
    return SOME_FAILED if failed else 0


def inspect_page(path: Path, index: int, limits: Limits) -> dict[str, Any]:
    """One page's object of the `inspect` command."""
    from hyalen.core.model.treatment import Treatment

    page = jobs.bring_in(str(path), index, limits)
    original = jobs.Original(page.original, page.dpi, page.stated_turn, bool(page.dpi_reason))
    cleaned = jobs.clean(original, Treatment(), [AUTO]).cleaned
    findings = [page.dpi_reason] if page.dpi_reason else []
    findings += [f.says for f in cleaned.findings if f.confidence < 0.75]
    return {
        "number": index + 1,
        "kind": page.kind.value,
        "width_px": page.width,
        "height_px": page.height,
        "dpi": page.dpi,
        "orientation_degrees": cleaned.turn,
        "skew_degrees": round(cleaned.skew, 3),
        "blank": cleaned.blank,
        "findings": findings,
    }
