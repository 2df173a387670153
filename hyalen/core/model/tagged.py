"""What a file says of a page's structure by itself."""

from __future__ import annotations

from typing import NamedTuple

from hyalen.core.model.content import Role
from hyalen.core.model.found import FoundLine
from hyalen.core.model.geometry import Box


class TaggedCell(NamedTuple):
    """A cell of a table; places count from 0."""

    row: int
    column: int
    row_span: int
    column_span: int
    header: bool
    lines: tuple[FoundLine, ...]


class TaggedBlock(NamedTuple):
    """A block as its file tags it; `language` is a BCP 47 tag, or "" where none is told."""

    role: Role
    box: Box
    lines: tuple[FoundLine, ...] = ()
    language: str = ""
    alternative: str | None = None
    depth: int = 0
    cells: tuple[TaggedCell, ...] = ()
