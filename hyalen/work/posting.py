"""Files put where others wait for them: whole or not at all, and over none that is there."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from hyalen.core.formats.names import free_name


def put_into(folder: Path, name: str, ending: str, source: Path) -> Path:
    """Copy a file into a folder, under its name or with the first number that is free there.

    Parameters
    ----------
    name, ending : str
        The name may have folders in it, which are made; a number goes before the ending.

    Raises
    ------
    OSError
    """
    target = folder / name
    target.parent.mkdir(parents=True, exist_ok=True)
    stem = target.name.removesuffix(f".{ending}")
    target = target.with_name(free_name(stem, ending, {each.name for each in target.parent.iterdir()}))
    put_beside(source, target)
    return target


def put_beside(source: Path, target: Path) -> None:
    """Copy a file so that under its name there is all of it or nothing."""
    beside = target.with_name(f".hyalen-{os.getpid()}.part")
    try:
        with beside.open("wb") as file, source.open("rb") as data:
            shutil.copyfileobj(data, file, 1 << 20)
            file.flush()
            os.fsync(file.fileno())
        beside.replace(target)
    except BaseException:
        beside.unlink(missing_ok=True)
        raise
