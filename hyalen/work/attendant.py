"""A worker beside the others for what somebody waits for: how many pages a new file has, or previews."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from hyalen.work.workers import Job, LocalWorkers, TooMuchMemory, WorkerLost, Workers, WorkersGone

WHY_NOT: dict[type[BaseException], str] = {
    TimeoutError: "it took longer than any sound file does and was stopped",
    TooMuchMemory: "it needs more memory than a worker may take; scan it at a lower resolution",
    WorkerLost: "the worker process died of it",
    WorkersGone: "there is no process to do it; close other programs and try again",
}


def why(error: BaseException) -> str:
    """Why a job failed, in words for the clerk."""
    if reason := WHY_NOT.get(type(error)):
        return reason
    told = str(error) if isinstance(error, ValueError) and str(error) else f"{type(error).__name__}: {error}"
    notes = getattr(error, "__notes__", [])  # where it was met
    return f"{told} ({', '.join(notes)})" if notes else told


class JobFailed(ValueError):
    """A job came to no end; the message says why."""


class Attendant:
    """Starts its process when it is first asked, and a new one where the last is gone."""

    def __init__(self, make: Callable[[], Workers] = lambda: LocalWorkers(1)) -> None:
        self._make = make
        self._lock = threading.Lock()
        self._workers: Workers | None = None

    def do(self, function: Callable[..., Any], *arguments: Any, seconds: float) -> Any:
        """The result of a job, whose own errors are raised.

        Raises
        ------
        JobFailed
            If the job took too long or too much, or took its process with it.
        """
        try:
            with self._lock:
                if self._workers is None:
                    self._workers = self._make()
                future = self._workers.submit(Job(function, arguments, seconds))
            return future.result()
        except tuple(WHY_NOT) as error:
            if isinstance(error, WorkersGone):
                self.close()
            raise JobFailed(WHY_NOT[type(error)]) from error

    def close(self) -> None:
        with self._lock:
            if self._workers is not None:
                self._workers.close()
            self._workers = None
