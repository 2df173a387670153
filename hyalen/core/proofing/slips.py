"""Which doubtful words are alike, so that they are looked at together."""

from __future__ import annotations

from collections import Counter

from hyalen.core.model.content import Region, Word
from hyalen.core.proofing.confusions import LIKE
from hyalen.core.proofing.placed import core_of

LONGEST = 3  # letters of a confusion by which words are put together
UNSURE = 8  # tenths of certainty of a letter; below, it is the one that is doubtful
UNKNOWN, FIGURES, OTHER = "unknown", "figures", "other"


def columns_of(region: Region) -> dict[str, int]:
    """The column of each word of a table that stands in a column of figures, whatever it was misread as."""
    cells = region.table.cells if region.table is not None else ()
    words = [(w, c.column) for c in cells if not c.header for line in c.lines for w in line.words]
    told = Counter(column for _, column in words)
    figures = Counter(column for word, column in words if any(c.isdigit() for c in word.text))
    return {word.id: column for word, column in words if 2 * figures[column] >= told[column]}


def alike(word: Word, column: int | None = None, unknown: bool = False) -> str:
    """What a doubtful word has in common with others: the letters that may be confused, or what it is.

    Parameters
    ----------
    column : int, optional
        Of a word in a column of figures, which are compared with those above and beneath.
    unknown : bool
        Whether no list has it.

    Returns
    -------
    str
        Two shapes with a slash between, one doubtful letter, "column 2", `FIGURES`, `UNKNOWN` or `OTHER`.
    """
    if column is not None:
        return f"column {column + 1}"
    read = sorted(word.readings, key=lambda o: o != word.recognised)  # the surest first
    others = [(core_of(word.text), core_of(o)) for o in read if core_of(o).casefold() != core_of(word.text).casefold()]
    for one, other in others or [(word.text, o) for o in read]:
        here, there = apart(one, other)
        if max(len(here), len(there)) <= LONGEST:
            return "/".join(sorted((here, there), key=lambda s: (-len(s), s)))
    if any(c.isdigit() for c in word.text):
        return FIGURES
    if len(word.letters) == len(word.text) and min(word.letters) < str(UNSURE):
        letter = word.text[min(range(len(word.text)), key=lambda i: word.letters[i])]
        if letter in LIKE or letter.isalpha():
            return letter.casefold()
    return UNKNOWN if unknown else OTHER


def apart(one: str, other: str) -> tuple[str, str]:
    """Where two texts differ: what stands between their common beginning and end."""
    start = _shared(one, other)
    rest = one[start:], other[start:]
    end = _shared(rest[0][::-1], rest[1][::-1])
    return rest[0][: len(rest[0]) - end], rest[1][: len(rest[1]) - end]


def _shared(one: str, other: str) -> int:
    """Letters of a common beginning."""
    return next((i for i, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
