"""A table that tells what documents are: one a line, by the name of its file (CSV, RFC 4180)."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from pydantic import ValidationError

from hyalen.core.model.document import Particulars
from hyalen.core.model.text import fit

MOST_LINES = 100_000
MOST_UNUSED = 200
HEADS = {"file", "title", *Particulars.model_fields}


class Told(NamedTuple):
    """Of a document: its title, where one is told, and its particulars with those that the table does not name."""

    document: int
    title: str | None
    particulars: Particulars


class Table(NamedTuple):
    """What a table tells, and its lines that are of no use, each with the reason."""

    told: list[Told]
    unused: list[str]


def read_table(data: bytes, known: Sequence[tuple[int, str, Particulars]]) -> Table:
    """What a CSV file tells of documents.

    Parameters
    ----------
    data : bytes
        UTF-8, UTF-16 with its mark, or Windows-1252; with commas, semicolons or tabs between. The first line names the
        columns: file, and any of title, author, subject, keywords, reference, rights, date. An empty field leaves what
        is told already.
    known : sequence of (int, str, Particulars)
        The documents' numbers, names of files, and particulars.

    Raises
    ------
    ValueError
        If it is no such table.
    """
    text = decoded(data)
    first = text.split("\n", 1)[0]
    between = max(",;\t", key=first.count)
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=between)
    try:
        heads = [h.strip().lower() for h in next(rows, [])]
        if "file" not in heads or len(heads) < 2 or len(set(heads)) < len(heads):
            raise ValueError(
                f"the first line names the columns: file, and any of {', '.join(sorted(HEADS - {'file'}))}"
            )
        strange = [h for h in heads if h not in HEADS]
        if strange:
            raise ValueError(f"no column is called {strange[0][:40]!r}; there are {', '.join(sorted(HEADS))}")
        return _told(rows, heads, known)
    except csv.Error as error:
        raise ValueError(f"line {rows.line_num} cannot be read ({error})") from error


def _told(rows: Iterable[list[str]], heads: Sequence[str], known: Sequence[tuple[int, str, Particulars]]) -> Table:
    by_name: dict[str, list[tuple[int, Particulars]]] = {}
    for number, name, particulars in known:
        for key in {name.casefold(), name.rpartition(".")[0].casefold() or name.casefold()}:
            by_name.setdefault(key, []).append((number, particulars))
    told: dict[int, Told] = {}
    unused: list[str] = []
    for at, row in enumerate(rows, 2):
        if not any(field.strip() for field in row):
            continue
        if at > MOST_LINES:
            raise ValueError(f"it has more than {MOST_LINES:,} lines")
        values = dict(zip(heads, (fit(v.strip()) for v in row), strict=False))
        try:
            if len(row) != len(heads):
                raise ValueError(f"{len(row)} fields instead of {len(heads)}")
            number, particulars = _document_of(values["file"], by_name, told)
            fresh = {k: v for k, v in values.items() if v and k in Particulars.model_fields}
            told[number] = Told(number, values.get("title") or None, _merged(particulars, fresh))
        except ValueError as error:
            if len(unused) < MOST_UNUSED:
                unused.append(f"line {at} ({values.get('file', '')[:80]}): {error}")
    return Table(list(told.values()), unused)


def _merged(particulars: Particulars, fresh: dict[str, str]) -> Particulars:
    try:
        return Particulars.model_validate(particulars.model_dump() | fresh)
    except ValidationError as error:
        raise ValueError(f"{error.errors()[0]['loc'][0]} is too long") from error


def _document_of(
    name: str, by_name: Mapping[str, list[tuple[int, Particulars]]], told: Mapping[int, Told]
) -> tuple[int, Particulars]:
    matches = by_name.get(name.replace("\\", "/").rpartition("/")[2].casefold(), [])
    if not matches:
        raise ValueError("no document of the batch has this name")
    if len(matches) > 1:
        raise ValueError("several documents of the batch have this name")
    if matches[0][0] in told:
        raise ValueError("it is told already")
    return matches[0]


def decoded(data: bytes) -> str:
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        codes = ["utf-16"]
    else:
        codes = ["utf-8-sig", "cp1252"]
    for code in codes:
        try:
            text = data.decode(code)
        except UnicodeDecodeError:
            continue
        if "\0" not in text:
            return text
    raise ValueError("it is no text; save the table as CSV in UTF-8")
