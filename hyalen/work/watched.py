"""A watched folder: files are taken when they are complete, and end in `done` or in `problems` with the reason beside them.

Every step is one that can be taken again: a file that is worked on lies in `in-hand`; what is made of it is put in its
place as a written plan says, and the plan goes last. So nothing is lost and nothing is delivered twice, whatever is killed.
"""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import time
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from hyalen.core.formats.names import free_name

LONGEST = 240  # bytes of a name to which an ending is added
IN_HAND, DONE, PROBLEMS = "in-hand", "done", "problems"
PLAN, DRAFT = ".plan-", ".draft-"  # with a file's digest


class Made(NamedTuple):
    """A file to be delivered: where it lies, what it is to be called, and its ending."""

    source: Path
    name: str
    ending: str


class _Seen(NamedTuple):
    size: int
    changed: float
    since: float


class Watched:
    """A folder whose files are worked off.

    Parameters
    ----------
    folder : Path
    out : Path
        Where deliveries go.
    settle : float
        Seconds for which a file must not have changed to be complete.
    """

    def __init__(
        self, folder: Path, out: Path, settle: float = 2.0, clock: Callable[[], float] = time.monotonic
    ) -> None:
        self.folder, self.out = folder, out
        self._settle, self._clock = settle, clock
        self._seen: dict[str, _Seen] = {}
        self._part = f".hyalen-part-{_digest(str(folder.resolve()))}-"  # of this folder's: others may deliver there too
        for name in (IN_HAND, DONE, PROBLEMS):
            (folder / name).mkdir(exist_ok=True)
        out.mkdir(parents=True, exist_ok=True)

    def resume(self) -> list[Path]:
        """Carry out what was planned, and give the files that were in hand without a plan: they are worked on again."""
        hand = self.folder / IN_HAND
        for plan in sorted(hand.glob(f"{PLAN}*")):
            self._carry_out(plan)
        for part in self.out.rglob(f"{self._part}*"):
            part.unlink()
        return sorted(path for path in hand.iterdir() if not path.name.startswith("."))

    def complete(self) -> Iterator[Path]:
        """The files that have come and no longer change, the oldest first."""
        now, found, seen = self._clock(), [], {}
        with os.scandir(self.folder) as entries:
            for entry in entries:
                if entry.name.startswith(".") or not entry.is_file(follow_symlinks=False):
                    continue
                try:
                    stat = entry.stat(follow_symlinks=False)
                except FileNotFoundError:  # it was taken away again
                    continue
                before = self._seen.get(entry.name)
                same = before is not None and (before.size, before.changed) == (stat.st_size, stat.st_mtime)
                told = before if same and before is not None else _Seen(stat.st_size, stat.st_mtime, now)
                seen[entry.name] = told
                if now - told.since >= self._settle:
                    found.append((told.changed, entry.name))
        self._seen = seen
        return (self.folder / name for _, name in sorted(found))

    @property
    def waiting(self) -> int:
        """How many files were there at the last look, complete or not."""
        return len(self._seen)

    def claim(self, path: Path) -> Path | None:
        """Take a file in hand; None where it is gone.

        Raises
        ------
        OSError
            If it cannot be taken.
        """
        target = _free(self.folder / IN_HAND, path.name)
        try:
            path.rename(target)
        except FileNotFoundError:
            return None
        self._seen.pop(path.name, None)
        return target

    def finish(self, claimed: Path, made: Sequence[Made], reason: str = "") -> list[Path]:
        """Deliver what was made of a file, and put the file where it belongs.

        Parameters
        ----------
        reason : str
            Why it is among the problems; "" where it is done.

        Returns
        -------
        list of Path
            The delivered files.
        """
        moves: list[tuple[str, str]] = []
        taken: dict[Path, set[str]] = {}
        for number, each in enumerate(made):
            target = self.out / each.name
            target.parent.mkdir(parents=True, exist_ok=True)
            names = taken.setdefault(target.parent, {p.name for p in target.parent.iterdir()})
            target = target.with_name(free_name(target.name.removesuffix(f".{each.ending}"), each.ending, names))
            names.add(target.name)
            part = target.with_name(f"{self._part}{_digest(claimed.name)}-{number}")
            with part.open("wb") as file, each.source.open("rb") as data:
                shutil.copyfileobj(data, file, 1 << 20)
                file.flush()
                os.fsync(file.fileno())
            moves.append((str(part), str(target)))
        end = _free(self.folder / (PROBLEMS if reason else DONE), claimed.name)
        plan, draft = (claimed.with_name(f"{kind}{_digest(claimed.name)}") for kind in (PLAN, DRAFT))
        draft.write_text(json.dumps({"moves": moves, "file": str(claimed), "end": str(end), "reason": reason}), "utf8")
        draft.replace(plan)
        self._carry_out(plan)
        return [Path(target) for _, target in moves]

    def _carry_out(self, plan: Path) -> None:
        """Do what of a plan is not done yet."""
        told = json.loads(plan.read_text("utf8"))
        for part, target in ((Path(a), Path(b)) for a, b in told["moves"]):
            if part.exists():
                _put(part, target)
        claimed, end = Path(told["file"]), Path(told["end"])
        if told["reason"]:
            beside = end.name.encode("utf8", "surrogateescape")[:LONGEST].decode("utf8", "ignore")
            end.with_name(f"{beside}.txt").write_text(told["reason"] + "\n", "utf8")
        if claimed.exists():
            claimed.rename(end)
        plan.unlink()


def _put(part: Path, target: Path) -> None:
    """Give a file its name, or the first that is free beside it: in no case another file's."""
    try:
        os.link(part, target)
    except FileExistsError:
        if not part.samefile(target):
            os.link(part, _free(target.parent, target.name))
    except OSError:  # a file system without links
        part.rename(_free(target.parent, target.name))
        return
    part.unlink()


def _digest(text: str) -> str:
    return hashlib.sha256(text.encode("utf8", "surrogateescape")).hexdigest()[:16]


def _free(folder: Path, name: str) -> Path:
    """A name in a folder that no file has."""
    if not (folder / name).exists():
        return folder / name
    stem, point, ending = name.rpartition(".")
    for number in range(2, 1_000_000):
        tried = folder / (f"{stem}-{number}.{ending}" if point and stem else f"{name}-{number}")
        if not tried.exists():
            return tried
    raise OSError(f"{folder} has no free name for {name}")
