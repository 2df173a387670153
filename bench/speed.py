"""Speed and memory of the whole pipeline beside the bare engine in as many processes."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

import psutil
from PIL import Image as Pillow

from bench.material import DIRTY, Case
from hyalen.demo.spoil import spoil
from hyalen.demo.typeset import typesetter

PAGES = 16
MANY = 100


def make_scans(directory: Path, count: int) -> list[Path]:
    """Spoilt English pages at 300 dpi as JPEG files, all different."""
    paths = []
    with typesetter() as setter:
        pages = [
            Case("speed", "eng", DIRTY, start=4 * i, columns=1 + i % 2, size_pt=11 - i % 2).set(setter)
            for i in range(6)
        ]
    for i in range(count):
        path = directory / f"scan-{i:03}.jpg"
        how = DIRTY.with_skew(-3 + 6 * ((i * 7) % count) / count)
        Pillow.fromarray(spoil(pages[i % len(pages)].image, 300, how, seed=i)).save(path, quality=80, dpi=(300, 300))
        paths.append(path)
    return paths


def run_bare(paths: list[Path], out: Path, workers: int) -> float:
    """Seconds for the bare engine, the files shared out among `workers` processes."""
    start = time.perf_counter()
    processes = [
        subprocess.Popen([sys.executable, "-m", "bench.bare", "eng", str(out), *map(str, paths[i::workers])])
        for i in range(workers)
    ]
    for process in processes:
        process.wait()
    return time.perf_counter() - start


def run_ours(paths: list[Path], out: Path, workers: int, formats: str) -> tuple[float, float, float]:
    """Seconds, and the peak resident memory in MB of the main process and of the largest worker."""
    command = [sys.executable, "-m", "hyalen.cli", "batch", *map(str, paths), "--out", str(out), "--formats", formats,
               "--workers", str(workers)]  # fmt: skip
    start = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    peaks = [0.0, 0.0]

    def watch() -> None:
        try:
            main = psutil.Process(process.pid)
            while process.poll() is None:
                peaks[0] = max(peaks[0], main.memory_info().rss / 1e6)
                for child in main.children(recursive=True):
                    peaks[1] = max(peaks[1], child.memory_info().rss / 1e6)
                time.sleep(0.2)
        except psutil.Error:
            pass

    watcher = threading.Thread(target=watch)
    watcher.start()
    code = process.wait()
    watcher.join()
    assert code == 0, f"batch ended with {code}"
    return time.perf_counter() - start, peaks[0], peaks[1]


def run(workers: int, many: int = MANY) -> list[tuple[str, str, str, str]]:
    """Rows of (measure, ours, bare engine, reach)."""
    with tempfile.TemporaryDirectory() as name:
        directory = Path(name)
        (directory / "bare").mkdir()
        paths = make_scans(directory, max(PAGES, many))
        few = paths[:PAGES]
        # Turn and turn about, because a shared machine's speed drifts.
        bare_1 = run_bare(few, directory / "bare", workers)
        ours_1, main_1, worker_1 = run_ours(few, directory / "ours-1", workers, "pdf,txt")
        bare_2 = run_bare(few, directory / "bare", workers)
        ours_2, *_ = run_ours(few, directory / "ours-2", workers, "pdf,txt")
        bare, ours = bare_1 + bare_2, ours_1 + ours_2
        rows = [
            (
                "pages a minute, whole pipeline, PDF and text",
                f"{2 * PAGES / ours * 60:.1f}",
                f"{2 * PAGES / bare * 60:.1f}",
                "",
            ),
            ("share of the bare engine's pages a minute", f"{bare / ours:.2f}", "1", "0.8"),
        ]
        long, main_2, worker_2 = run_ours(paths[:many], directory / "many", workers, "pdf")
        rows += [
            (
                f"seconds a page at {PAGES} and at {many} pages",
                f"{ours / 2 / PAGES:.2f}, {long / many:.2f}",
                "",
                "within 10%",
            ),
            (f"server memory in MB at {PAGES} and at {many} pages", f"{main_1:.0f}, {main_2:.0f}", "", "300"),
            (f"largest worker in MB at {PAGES} and at {many} pages", f"{worker_1:.0f}, {worker_2:.0f}", "", "500"),
        ]
    return rows
