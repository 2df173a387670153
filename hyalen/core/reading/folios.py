"""Page numbers that the engine did not make out: "— »>—", or a bit of a figure by itself, where "— 5 —" stands alone."""

from __future__ import annotations

import re
from collections.abc import Sequence

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.numerals import page_number
from hyalen.core.model.found import FoundBlock, FoundLine
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.second import read_otherwise

OUTER = 2  # lines at either end of a page that are looked at: a speck may have been read over the number
BETWEEN_MARKS = re.compile(r"\W*(\w+)\W*")


def with_folios(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks with the outermost lines, read otherwise if that tells a number.

    Only lines of nothing but marks, and those in whose ink another line was read as well, which then goes.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    lines = sorted((line for block in blocks for line in block.lines if line.words), key=lambda line: line.box.centre.y)
    outer = list({id(each): each for each in (*lines[:OUTER], *lines[-OUTER:])}.values())
    better: dict[int, FoundLine | None] = {}
    for line in outer:
        bits = [other for other in outer if other is not line and line.box.covers(other.box)]
        if not bits and any(c.isalnum() for word in line.words for c in word.text):
            continue
        words = read_otherwise(page, dpi, line.box, line.height, languages, reader)
        told = BETWEEN_MARKS.fullmatch(" ".join(word.text for word in words))
        if told and _is_number(told[1].casefold()):
            better |= {id(line): line._replace(words=tuple(words))} | {id(bit): None for bit in bits}
    if not better:
        return list(blocks)
    return [
        block._replace(lines=tuple(kept for line in block.lines if (kept := better.get(id(line), line)) is not None))
        for block in blocks
    ]


def _is_number(text: str) -> bool:
    """Whether it is a page's number; a stroke alone may be read as a small roman one."""
    return page_number(text) is not None and (text.isdecimal() or len(text) > 1)
