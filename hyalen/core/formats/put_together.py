"""Puts the pages of PDF files into one, with all that hangs on them: `python -m hyalen.core.formats.put_together`.

A process of its own, because qpdf holds the objects of all files twice, and what else is loaded would come on top.
"""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

import pikepdf

TOGETHER = 1_000  # files that are put together at once; more would be too many to hold
KEEPING = ("--object-streams=generate", "--stream-data=preserve", "--remove-unreferenced-resources=no")


def put_together(
    files: Sequence[tuple[str, Sequence[int]]], out: Path, told: Callable[[int], None] = lambda count: None
) -> None:
    """One file with the pages of others.

    Parameters
    ----------
    files : sequence of (str, sequence of int)
        Each with its pages, from 0 and ascending.
    told : callable
        Of how many files are in.

    Raises
    ------
    ValueError
        If qpdf cannot do it.
    """
    command = [sys.executable, "-m", __name__, str(out)]
    lines = "".join(f"{path}\n{ranges(pages)}\n" for path, pages in files)
    listed = out.with_suffix(".list")
    listed.write_text(lines, encoding="utf8")
    try:
        with subprocess.Popen(
            [*command, str(listed)], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        ) as running:
            assert running.stdout is not None and running.stderr is not None
            for line in running.stdout:
                told(int(line))
            trouble = running.stderr.read()
        if running.returncode:
            raise ValueError(f"The documents could not be put together: {trouble.strip()[-500:]}")
    finally:
        listed.unlink(missing_ok=True)


def ranges(pages: Sequence[int]) -> str:
    """Ascending pages, from 0, as qpdf is told them."""
    parts: list[list[int]] = []
    for page in pages:
        if parts and parts[-1][1] == page - 1:
            parts[-1][1] = page
        else:
            parts.append([page, page])
    return ",".join(f"{a + 1}-{b + 1}" if a != b else str(a + 1) for a, b in parts)


def _merge(files: Sequence[tuple[str, str]], out: Path, at: int = 0) -> None:
    if len(files) <= TOGETHER:
        pages = [each for file in files for each in file]
        pikepdf.Job(["pikepdf", "--empty", "--pages", *pages, "--", *KEEPING, str(out)]).run()
        return
    made = []
    for first in range(0, len(files), TOGETHER):
        some = files[first : first + TOGETHER]
        made.append((str(out.with_suffix(f".{first}.pdf")), "1-z"))
        _merge(some, Path(made[-1][0]))
        print(first + len(some), flush=True)
    _merge(made, out)
    for path, _ in made:
        Path(path).unlink()


if __name__ == "__main__":
    told = Path(sys.argv[2]).read_text(encoding="utf8").splitlines()
    _merge([*zip(told[::2], told[1::2], strict=True)], Path(sys.argv[1]))
