"""Where jobs run: a pool of processes here, or a Dask cluster that HYALEN_SCHEDULER names."""

from __future__ import annotations

import multiprocessing
import os
from concurrent.futures import Executor, ProcessPoolExecutor

SCHEDULER = "HYALEN_SCHEDULER"


def default_workers() -> int:
    """The cores this process may use."""
    return max(1, len(os.sched_getaffinity(0)))


def make_executor(workers: int) -> Executor:
    """A process pool of `workers`, or the cluster's executor.

    Raises
    ------
    OSError
        If the named scheduler does not answer.
    """
    address = os.environ.get(SCHEDULER)
    if address:
        from distributed import Client

        executor: Executor = Client(address).get_executor()  # type: ignore[no-untyped-call]
        return executor
    return ProcessPoolExecutor(workers, mp_context=multiprocessing.get_context("spawn"))
