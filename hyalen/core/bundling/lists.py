"""The order of a bundle as a list: an entry a line (CSV, RFC 4180)."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from typing import NamedTuple

from pydantic import ValidationError

from hyalen.core.model.bundle import Entry
from hyalen.core.model.text import fit
from hyalen.core.structure.particulars_table import decoded

HEADS = ("file", "section", "title", "date", "label", "depth")
MOST_LINES = 100_000
MOST_UNUSED = 200


class Known(NamedTuple):
    """A document that a list may name: its id, the name of its file, its batch's name and its title."""

    document: int
    name: str
    batch: str
    title: str


class Listed(NamedTuple):
    """The entries that a list names, without ids, and its lines that are of no use, each with the reason."""

    entries: list[Entry]
    unused: list[str]


def read_list(data: bytes, known: Sequence[Known]) -> Listed:
    """The entries that a CSV file names, in its order.

    Parameters
    ----------
    data : bytes
        As `particulars_table.read_table` takes it. The first line names the columns: file, and any of section, title,
        date, label, depth. A line with a section and no file begins that section; a file may be told with its batch
        before it, as "Box 14/letter.pdf", or by its title.

    Raises
    ------
    ValueError
        If it is no such list.
    """
    text = decoded(data)
    between = max(",;\t", key=text.split("\n", 1)[0].count)
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=between)
    try:
        heads = [h.strip().lower() for h in next(rows, [])]
        if "file" not in heads or len(set(heads)) < len(heads):
            raise ValueError(f"the first line names the columns: file, and any of {', '.join(HEADS[1:])}")
        if strange := [h for h in heads if h not in HEADS]:
            raise ValueError(f"no column is called {strange[0][:40]!r}; there are {', '.join(HEADS)}")
        return _listed([*rows], heads, known)
    except csv.Error as error:
        raise ValueError(f"line {rows.line_num} cannot be read ({error})") from error


def _listed(rows: Sequence[Sequence[str]], heads: Sequence[str], known: Sequence[Known]) -> Listed:
    if len(rows) > MOST_LINES:
        raise ValueError(f"it has more than {MOST_LINES:,} lines")
    by_name = _by_name(known)
    entries: list[Entry] = []
    unused: list[str] = []
    taken: set[int] = set()
    section = ""
    for at, row in enumerate(rows, 2):
        told = dict(zip(heads, (fit(v.strip()) for v in row), strict=False))
        if not any(told.values()):
            continue
        try:
            if len(row) != len(heads):
                raise ValueError(f"{len(row)} fields instead of {len(heads)}")
            depth = int(told.get("depth") or 0) if (told.get("depth") or "0").isdecimal() else 0
            title, label = told.get("title", ""), told.get("label", "")
            if told.get("section") and told["section"] != section:
                section = told["section"]
                alone = not told["file"]
                entries.append(
                    Entry(id=0, section=True, title=section, depth=depth if alone else 0, label=label if alone else "")
                )
            if not told["file"]:
                if not told.get("section"):
                    raise ValueError("it names neither a file nor a section")
                continue
            document = _document(told["file"], by_name, taken)
            taken.add(document.document)
            entries.append(
                Entry(
                    id=0, document_id=document.document, title=title, date=told.get("date", ""), label=label,
                    depth=depth, known_as=document.title or document.name,
                )
            )  # fmt: skip
        except (ValueError, ValidationError) as error:
            reason = f"{error.errors()[0]['loc'][0]} does not fit" if isinstance(error, ValidationError) else str(error)
            if len(unused) < MOST_UNUSED:
                unused.append(f"line {at} ({told.get('file', '')[:80]}): {reason}")
    return Listed(entries, unused)


def _by_name(known: Sequence[Known]) -> dict[str, list[Known]]:
    found: dict[str, list[Known]] = {}
    for each in known:
        stem = each.name.rpartition(".")[0] or each.name
        names = {each.name, stem, each.title, f"{each.batch}/{each.name}", f"{each.batch}/{stem}"}
        for key in {n.casefold() for n in names if n}:
            found.setdefault(key, []).append(each)
    return found


def _document(name: str, by_name: dict[str, list[Known]], taken: set[int]) -> Known:
    told = name.replace("\\", "/").casefold()
    matches = by_name.get(told) or by_name.get(told.rpartition("/")[2], [])
    if not matches:
        raise ValueError("no document has this name")
    if len(matches) > 1:
        raise ValueError("several documents have this name; put the batch before it, as in Box 14/letter.pdf")
    if matches[0].document in taken:
        raise ValueError("it is in the bundle already")
    return matches[0]
