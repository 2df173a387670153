"""A data directory is one server's at a time."""

from __future__ import annotations

import fcntl
from pathlib import Path
from types import TracebackType
from typing import Self

NAME = "server"


class InUse(Exception):
    """Another server works on the directory; the message is its address, if it has told one."""


class Held:
    """Holds a data directory as long as this process lives; the kernel gives it back, even after SIGKILL.

    Parameters
    ----------
    directory : Path
    address : str
        Where this server is to be found.

    Raises
    ------
    InUse
        If another server holds it.
    OSError
        If nothing can be written there.
    """

    def __init__(self, directory: Path, address: str) -> None:
        directory.mkdir(parents=True, exist_ok=True)
        self._file = (directory / NAME).open("a+", encoding="utf8")
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            self._file.seek(0)
            raise InUse(self._file.read().strip()) from error
        self._file.truncate(0)
        self._file.write(address)
        self._file.flush()

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if not self._file.closed:
            self._file.truncate(0)
            self._file.close()
