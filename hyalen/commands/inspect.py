"""`hyalen inspect`: what pages are like, as JSON."""

from __future__ import annotations

import argparse
import json
import sys
from typing import Any

from hyalen.commands import SOME_FAILED
from hyalen.commands.usage import told_files, told_limits
from hyalen.core.formats.names import shown
from hyalen.core.formats.read import count_pages
from hyalen.core.formats.source import SourceError
from hyalen.work import jobs
from hyalen.work.attendant import why
from hyalen.work.workers import COUNTING_SECONDS, Job, LocalWorkers, default_workers

INSPECTING_SECONDS = 120.0  # of a processor: a page of 150 megapixels takes 25


def run(told: argparse.Namespace) -> int:
    """Print what `batch` would find, without reading."""
    limits, failed, inputs = told_limits(), False, []
    files, workers = told_files(told.inputs, recursive=False), LocalWorkers(default_workers())
    try:
        for path in files:
            entry: dict[str, Any] = {"path": shown(str(path)), "pages": []}
            problems = []
            try:
                if not path.is_file():
                    raise SourceError("there is no such file")
                count = workers.submit(Job(count_pages, (path, limits), COUNTING_SECONDS)).result()
                found = [
                    workers.submit(Job(jobs.inspect, (str(path), i, limits), INSPECTING_SECONDS)) for i in range(count)
                ]
                for number, future in enumerate(found, start=1):
                    try:
                        entry["pages"].append(future.result())
                    except Exception as error:
                        problems.append(f"page {number}: {why(error)}" if count > 1 else why(error))
            except Exception as error:
                problems.append(why(error))
            if problems:
                failed = True
                entry["problem"] = "; ".join(problems)
                print(f"failed: {shown(path.name)}: {entry['problem']}", file=sys.stderr)
            inputs.append(entry)
    finally:
        workers.close()
    print(json.dumps({"inputs": inputs}, ensure_ascii=False))
    return SOME_FAILED if failed else 0
