"""Where jobs run: a pool of processes here, or a Dask cluster that HYALEN_SCHEDULER names.

Both are behind one small interface, because the standard library's executors can neither end a job
that takes too long nor tell which job took its worker with it.
"""

from __future__ import annotations

import math
import multiprocessing
import os
import resource
import signal
import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Callable
from concurrent.futures import CancelledError, Future
from typing import Any, NamedTuple

from hyalen.settings import Environment
from hyalen.work.forking import forking

# Bytes that a worker's threads and allocators reserve and never touch; measured: 0.25 GB.
RESERVED = 300_000_000
COUNTING_SECONDS = 60.0  # of a processor, to tell how many pages a file has; the largest sound ones take a few
GIVES_WAY = 10  # niceness of the workers: what somebody waits for goes first
PATIENCE = 5.0  # so many times its seconds a job may take by the clock, on a machine that is busy otherwise
# How OpenCV, C++ and onnxruntime say that there is none left.
WITHOUT_MEMORY = ("Insufficient memory", "bad_alloc", "Failed to allocate memory")


class Job(NamedTuple):
    """A pure function with its arguments, and how many seconds of a processor it may take."""

    function: Callable[..., Any]
    arguments: tuple[Any, ...]
    seconds: float


class WorkerLost(Exception):
    """The worker died in the middle of the job, which may have been the job's doing."""


class TooMuchMemory(Exception):
    """The job wanted more memory than a worker may take."""


class WorkersGone(Exception):
    """No worker is left to do anything, through no job's fault."""


class Workers(ABC):
    """Does jobs.

    A future ends with the job's result or exception, TimeoutError, TooMuchMemory, WorkerLost or WorkersGone.
    """

    @abstractmethod
    def capacity(self) -> int:
        """How many jobs run at once at this moment."""

    @abstractmethod
    def submit(self, job: Job) -> Future[Any]:
        """Have a job done (raises WorkersGone)."""

    @abstractmethod
    def close(self) -> None:
        """End all workers, whatever they do."""


class LocalWorkers(Workers):
    """Processes of this machine. One that takes too long or too much, or dies, is replaced; the others go on."""

    def __init__(self, count: int, memory: int | None = None, nice: int = 0) -> None:
        from pebble import ProcessPool

        self._count = count
        limit = memory or Environment().max_memory
        self._pool: Any = ProcessPool(
            max_workers=count, initializer=_prepare, initargs=[limit, nice], context=forking()
        )

    def capacity(self) -> int:
        return self._count

    def submit(self, job: Job) -> Future[Any]:
        arguments = (job.seconds, job.function, job.arguments)
        try:
            future = self._pool.schedule(_limited, args=arguments, timeout=PATIENCE * job.seconds)
        except RuntimeError as error:
            raise WorkersGone(str(error)) from error
        return _translated(future)

    def close(self) -> None:
        self._pool.stop()
        self._pool.join()


def _prepare(memory: int, nice: int) -> None:
    """Bound a worker's memory, have it give way to others, and end it with its server, even one that is gone by SIGKILL."""
    resource.setrlimit(resource.RLIMIT_DATA, (memory + RESERVED, memory + RESERVED))
    os.nice(nice)
    parent = multiprocessing.parent_process()
    assert parent is not None

    def watch() -> None:
        parent.join()
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def _limited(seconds: float, function: Callable[..., Any], arguments: tuple[Any, ...]) -> Any:
    """Do a job; at the end of its seconds of processor time the kernel ends the worker (SIGXCPU)."""
    _, hard = resource.getrlimit(resource.RLIMIT_CPU)
    resource.setrlimit(resource.RLIMIT_CPU, (math.ceil(time.process_time() + seconds), hard))
    try:
        return function(*arguments)
    except Exception as error:
        if isinstance(error, MemoryError) or any(words in str(error) for words in WITHOUT_MEMORY):
            raise TooMuchMemory from error
        raise
    finally:
        resource.setrlimit(resource.RLIMIT_CPU, (hard, hard))


class ClusterWorkers(Workers):
    """The workers of a Dask cluster, however many there are at the moment."""

    def __init__(self, address: str) -> None:
        from distributed import Client

        try:
            self._client: Any = Client(address, timeout=10)  # type: ignore[no-untyped-call]
        except (OSError, TimeoutError) as error:
            raise WorkersGone(f"the scheduler at {address} does not answer") from error

    def capacity(self) -> int:
        try:
            return sum(self._client.nthreads().values())
        except Exception as error:
            raise WorkersGone("the cluster does not answer") from error

    def submit(self, job: Job) -> Future[Any]:
        try:
            theirs = self._client.submit(job.function, *job.arguments, pure=False)
        except Exception as error:
            raise WorkersGone("the cluster takes no jobs") from error
        ours: Future[Any] = Future()
        ours.set_running_or_notify_cancel()

        def done(future: Any) -> None:
            late.cancel()
            _settle(ours, future)

        def expire() -> None:
            if not ours.done():
                ours.set_exception(TimeoutError())
                theirs.cancel()

        late = threading.Timer(job.seconds, expire)
        late.daemon = True
        late.start()
        theirs.add_done_callback(done)
        return ours

    def close(self) -> None:
        self._client.close()


def _translated(theirs: Future[Any]) -> Future[Any]:
    """A pool's future as one of `Workers`."""
    ours: Future[Any] = Future()
    ours.set_running_or_notify_cancel()
    theirs.add_done_callback(lambda future: _settle(ours, future))
    return ours


def _settle(ours: Future[Any], theirs: Any) -> None:
    if ours.done():
        return
    try:
        ours.set_result(theirs.result())
    except CancelledError:
        ours.set_exception(WorkersGone("the job was dropped"))
    except BaseException as error:
        ours.set_exception(_as_ours(error))


def _as_ours(error: BaseException) -> BaseException:
    """Errors of the pool and the cluster by what they mean."""
    name = type(error).__name__
    if name == "ProcessExpired" and getattr(error, "exitcode", 0) == -signal.SIGXCPU:
        return TimeoutError()
    if name in ("ProcessExpired", "KilledWorker"):
        return WorkerLost(str(error))
    if name in (
        "BrokenProcessPool",
        "FutureCancelledError",
        "FuturesCancelledError",
        "CommClosedError",
        "CancelledError",
    ):
        return WorkersGone(str(error))
    return error


def default_workers() -> int:
    """The cores this process may use."""
    return max(1, len(os.sched_getaffinity(0)))


def make_workers(count: int) -> Workers:
    """A pool of `count` processes, or the cluster's workers.

    Raises
    ------
    WorkersGone
        If the named scheduler does not answer.
    """
    address = Environment().scheduler
    return ClusterWorkers(address) if address else LocalWorkers(count, nice=GIVES_WAY)
