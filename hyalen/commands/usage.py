"""Wrong use, and what of the machine keeps a command from being run: one plain line each."""

from __future__ import annotations

import socket
import sys
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from pydantic import ValidationError

from hyalen.commands import UsageError
from hyalen.core.formats.kinds import files_of
from hyalen.core.formats.names import shown
from hyalen.core.formats.source import Limits
from hyalen.settings import Environment
from hyalen.store.database import Unusable
from hyalen.store.held import InUse


@contextmanager
def writable(directory: Path) -> Iterator[None]:
    """What goes wrong with a directory for writing is one plain line.

    Raises
    ------
    UsageError
        If it cannot be made or written, or another server uses it.
    """
    try:
        directory.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryFile(dir=directory):
            pass
    except OSError as error:
        why = "it is not a folder" if isinstance(error, (FileExistsError, NotADirectoryError)) else error.strerror
        raise UsageError(f"{shown(str(directory))} cannot be written ({why}); choose another folder") from error
    try:
        yield
    except InUse as error:
        where = f" at {error}" if str(error) else ""
        raise UsageError(
            f"a server{where} already uses {shown(str(directory))}; go there, or choose another --data"
        ) from error
    except Unusable as error:
        raise UsageError(str(error)) from error


def listening_at(port: int) -> socket.socket:
    """A socket of this machine's own at a port, any free one for 0 (raises UsageError)."""
    # Named as TCP, so that what is answered leaves at once: else a browser waits 40 ms for the second half of each answer.
    listening = socket.socket(proto=socket.IPPROTO_TCP)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind(("127.0.0.1", port))
    except OSError as error:
        raise UsageError(f"port {port} cannot be used ({error.strerror}); choose another with --port") from error
    return listening


def default_data() -> Path:
    """HYALEN_DATA, or the user's data directory."""
    from platformdirs import user_data_path

    return Environment().data or Path(user_data_path("hyalen"))


def told_limits() -> Limits:
    """The limits as the environment sets them."""
    try:
        return Environment().limits
    except ValidationError as error:
        wrong = error.errors()[0]
        name, value = f"HYALEN_{wrong['loc'][0]}".upper(), wrong["input"]
        raise UsageError(f"{name} must be a positive whole number, not {value!r}") from error


def told_files(inputs: Sequence[Path], recursive: bool) -> list[Path]:
    """The files that are named, and those in named folders that can be read; what is left out is said.

    Raises
    ------
    UsageError
        If there is none.
    """
    left_out: list[Path] = []
    files = list(files_of(inputs, recursive, left_out))
    for path in left_out:
        hint = "a folder; name it, or say --recursive to batch" if path.is_dir() else "no PDF and no image"
        print(f"left out: {shown(str(path))} ({hint})", file=sys.stderr)
    if not files:
        raise UsageError("there is nothing to read in what was named")
    return files
