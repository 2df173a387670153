"""Files by the SHA-256 of their content: written once, never changed."""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path
from typing import BinaryIO


class Blobs:
    """A directory of content-addressed files."""

    def __init__(self, directory: Path) -> None:
        self._directory = directory
        directory.mkdir(parents=True, exist_ok=True)

    def path(self, name: str) -> Path:
        """Where the file of that name is, or would be."""
        return self._directory / name[:2] / name

    def put(self, data: bytes) -> str:
        """Keep the bytes; the same bytes are kept once."""
        name = hashlib.sha256(data).hexdigest()
        if not self.path(name).exists():
            self._keep(name, data)
        return name

    def put_stream(self, stream: BinaryIO, limit: int) -> str:
        """Keep what a stream gives, without holding it in memory.

        Raises
        ------
        ValueError
            If it is longer than `limit` bytes.
        """
        digest, size = hashlib.sha256(), 0
        with tempfile.NamedTemporaryFile(dir=self._directory, delete=False) as file:
            try:
                while chunk := stream.read(1 << 20):
                    size += len(chunk)
                    if size > limit:
                        raise ValueError(f"larger than the limit of {limit / 1e6:.0f} MB")
                    digest.update(chunk)
                    file.write(chunk)
                file.flush()
                os.fsync(file.fileno())
            except BaseException:
                Path(file.name).unlink()
                raise
        name = digest.hexdigest()
        self._place(Path(file.name), name)
        return name

    def put_file(self, path: Path) -> str:
        """Keep a copy of a file."""
        with path.open("rb") as stream:
            return self.put_stream(stream, limit=1 << 62)

    def get(self, name: str) -> bytes:
        return self.path(name).read_bytes()

    def _keep(self, name: str, data: bytes) -> None:
        with tempfile.NamedTemporaryFile(dir=self._directory, delete=False) as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        self._place(Path(file.name), name)

    def _place(self, temporary: Path, name: str) -> None:
        final = self.path(name)
        final.parent.mkdir(exist_ok=True)
        temporary.replace(final)
