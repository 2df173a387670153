"""How long a clerk waits for a block that is drawn, while all workers are busy."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np

from bench.material import DIRTY, Case
from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.model.content import PageContent, RegionKind
from hyalen.core.model.part import PartWanted
from hyalen.core.model.treatment import Treatment
from hyalen.core.read import read_content
from hyalen.demo.spoil import spoil
from hyalen.demo.typeset import typesetter
from hyalen.work import jobs
from hyalen.work.attendant import Attendant
from hyalen.work.parts import read_parts
from hyalen.work.workers import GIVES_WAY, Job, LocalWorkers

BLOCKS = 30
SECONDS = 600.0


def run(workers: int) -> list[tuple[str, str, str, str]]:
    """Blocks of a spoilt page at 300 dpi, read one by one with nothing known of them."""
    with typesetter() as setter:
        case = Case("hand", "eng", DIRTY, start=0, columns=2, size_pt=11)
        scan = encode_jpeg(spoil(case.set(setter).image, 300, DIRTY, seed=3))
    original = jobs.Original(scan, 300, 0)
    cleaned = jobs.clean(original, Treatment(), ("eng",))
    page = cleaned.read
    content = read_content(decode(page), 300, ("eng",))
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "page.png"
        path.write_bytes(page)
        idle = _waits(path, content, lambda: None)
        pool = LocalWorkers(workers, nice=GIVES_WAY)

        def busy() -> None:
            pool.submit(Job(jobs.clean, (original, Treatment(), ("eng",)), SECONDS))
            pool.submit(Job(jobs.read, (path.read_bytes(), 300, ("eng",)), SECONDS))

        for _ in range(2 * workers):
            busy()
        time.sleep(8)  # the workers have loaded what they need
        loaded = _waits(path, content, busy)
        pool.close()
    rows = (("idle", idle), (f"{workers} workers at full load", loaded))
    return [
        (f"a drawn block is read, {when}: p50, p95", f"{np.median(w):.2f} s, {np.percentile(w, 95):.2f} s", "", "1 s")
        for when, w in rows
    ]


def _waits(path: Path, content: PageContent, between: Callable[[], None]) -> list[float]:
    """Seconds for each of the page's blocks."""
    texts = [r for r in content.regions if r.kind is RegionKind.TEXT]
    attendant = Attendant()
    attendant.do(read_parts, str(path), 300, [PartWanted(texts[0].outline, ("eng",))], seconds=SECONDS)
    waits = []
    for i in range(BLOCKS):
        between()
        start = time.perf_counter()
        wanted = [PartWanted(texts[i % len(texts)].outline, ("eng",))]
        attendant.do(read_parts, str(path), 300, wanted, seconds=SECONDS)
        waits.append(time.perf_counter() - start)
    attendant.close()
    return waits
