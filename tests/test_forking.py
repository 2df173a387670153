"""Workers are forked from one process that has loaded what they need."""

from __future__ import annotations

import os
import sys

from hyalen.core.learned import model
from hyalen.work.workers import Job, LocalWorkers


def parent_and_modules() -> tuple[int, int, list[str]]:
    """Runs in a worker: its number and its parent's, and what was loaded before the job asked for anything."""
    return os.getpid(), os.getppid(), sorted(sys.modules)


def models_there() -> int:
    """Runs in a worker: how many learned models were there before the job asked for any."""
    return model.cache_info().currsize


def ends() -> None:
    os._exit(3)


def test_workers_come_loaded_from_one_parent_and_so_does_the_one_after_a_loss() -> None:
    pools = [LocalWorkers(1), LocalWorkers(1)]
    try:
        first, other = (pool.submit(Job(parent_and_modules, (), 30)).result(timeout=60) for pool in pools)
        models = pools[1].submit(Job(models_there, (), 30)).result(timeout=60)
        assert pools[0].submit(Job(ends, (), 30)).exception(timeout=60) is not None
        after = pools[0].submit(Job(parent_and_modules, (), 30)).result(timeout=60)
    finally:
        for pool in pools:
            pool.close()
    assert models == 2
    assert len({first[0], other[0], after[0]}) == 3
    assert first[1] == other[1] == after[1] != os.getpid()
    for module in ("hyalen.work.jobs", "scipy.interpolate", "wordfreq.tokens", "onnxruntime"):
        assert all(module in told[2] for told in (first, other, after)), module
