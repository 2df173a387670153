"""Files by the SHA-256 of their content: written once, never changed."""

from __future__ import annotations

import hashlib
import os
import shutil
import tempfile
import threading
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import BinaryIO

TEMPORARY = "tmp-"


class Blobs:
    """A directory of content-addressed files.

    A file that nothing in the database names yet is not removed while its writer still `holds` files.
    """

    def __init__(self, directory: Path) -> None:
        self._directory = directory
        self._turn = threading.Condition()
        self._holders = 0
        self._removing = False
        # A file never changes, so it is measured once.
        self._size = lru_cache(maxsize=100_000)(self._measured)
        directory.mkdir(parents=True, exist_ok=True)

    @contextmanager
    def held(self) -> Iterator[None]:
        """Within this block nothing is removed: from keeping a file until the database names it."""
        with self._turn:
            self._turn.wait_for(lambda: not self._removing)
            self._holders += 1
        try:
            yield
        finally:
            with self._turn:
                self._holders -= 1
                self._turn.notify_all()

    @contextmanager
    def removing(self) -> Iterator[None]:
        """Within this block nobody holds files."""
        with self._turn:
            self._turn.wait_for(lambda: not self._removing and self._holders == 0)
            self._removing = True
        try:
            yield
        finally:
            with self._turn:
                self._removing = False
                self._turn.notify_all()

    def path(self, name: str) -> Path:
        """Where the file of that name is, or would be."""
        return self._directory / name[:2] / name

    def put(self, data: bytes) -> str:
        """Keep the bytes; the same bytes are kept once."""
        name = hashlib.sha256(data).hexdigest()
        if not self.path(name).exists():
            with self._temporary() as file:
                file.write(data)
            self._place(Path(file.name), name)
        return name

    def put_stream(self, stream: BinaryIO, limit: int) -> str:
        """Keep what a stream gives, without holding it in memory.

        Raises
        ------
        ValueError
            If it is longer than `limit` bytes.
        """
        digest, size = hashlib.sha256(), 0
        with self._temporary() as file:
            while chunk := stream.read(1 << 20):
                size += len(chunk)
                if size > limit:
                    raise ValueError(f"larger than the limit of {limit / 1e6:.0f} MB")
                digest.update(chunk)
                file.write(chunk)
        name = digest.hexdigest()
        self._place(Path(file.name), name)
        return name

    def put_file(self, path: Path) -> str:
        """Keep a copy of a file."""
        with path.open("rb") as stream:
            return self.put_stream(stream, limit=1 << 62)

    def workplace(self) -> Path:
        """A path beside the files where a worker may write one that is to be `adopt`ed."""
        handle, path = tempfile.mkstemp(prefix=TEMPORARY, dir=self._directory)
        os.close(handle)
        return Path(path)

    @contextmanager
    def work_folder(self) -> Iterator[Path]:
        """A folder beside the files for as long as something is unpacked in it."""
        with tempfile.TemporaryDirectory(prefix=TEMPORARY, dir=self._directory) as folder:
            yield Path(folder)

    def adopt(self, path: Path, name: str) -> str:
        """Keep a file from the workplace, whose SHA-256 is `name`."""
        self._place(path, name)
        return name

    def get(self, name: str) -> bytes:
        return self.path(name).read_bytes()

    def size(self, names: Iterable[str]) -> int:
        """Bytes of the files that are there."""
        return sum(self._size(name) for name in set(names))

    def _measured(self, name: str) -> int:
        try:
            return self.path(name).stat().st_size
        except FileNotFoundError:
            return 0

    def remove(self, names: Iterable[str]) -> None:
        for name in names:
            self.path(name).unlink(missing_ok=True)

    def sweep(self, wanted: set[str]) -> int:
        """Remove what is not wanted and what a killed server left half written; how many files."""
        count = 0
        for path in [*self._directory.glob("??/*"), *self._directory.glob(f"{TEMPORARY}*")]:
            if path.name not in wanted:
                if path.is_dir():
                    shutil.rmtree(path, ignore_errors=True)
                else:
                    path.unlink(missing_ok=True)
                count += 1
        return count

    @contextmanager
    def _temporary(self) -> Iterator[BinaryIO]:
        with tempfile.NamedTemporaryFile(prefix=TEMPORARY, dir=self._directory, delete=False) as file:
            try:
                yield file  # type: ignore[misc]
                file.flush()
                os.fsync(file.fileno())
            except BaseException:
                Path(file.name).unlink()
                raise

    def _place(self, temporary: Path, name: str) -> None:
        final = self.path(name)
        final.parent.mkdir(exist_ok=True)
        temporary.replace(final)
