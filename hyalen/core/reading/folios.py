"""Page numbers of which the engine made marks or a letter: "— »>—" or "w" where "— 5 —" stands alone over the text."""

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
    """The blocks with the outermost lines, where these tell nothing, read otherwise if that tells a number.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    lines = sorted((line for block in blocks for line in block.lines if line.words), key=lambda line: line.box.centre.y)
    better: dict[int, FoundLine] = {}
    for line in {id(each): each for each in (*lines[:OUTER], *lines[-OUTER:])}.values():
        if _says_something("".join(word.text for word in line.words)):
            continue
        words = read_otherwise(page, dpi, line.box, line.height, languages, reader)
        told = BETWEEN_MARKS.fullmatch(" ".join(word.text for word in words))
        if told and _is_number(told[1].casefold()):
            better[id(line)] = line._replace(words=tuple(words))
    if not better:
        return list(blocks)
    return [block._replace(lines=tuple(better.get(id(line), line) for line in block.lines)) for block in blocks]


def _says_something(text: str) -> bool:
    """More than marks and one small letter that counts nothing; capitals alone are a sheet's signature or a division's."""
    letters = [c for c in text if c.isalnum()]
    return len(letters) > 1 or any(not c.islower() or page_number(c) is not None for c in letters)


def _is_number(text: str) -> bool:
    """Whether it is a page's number; a stroke alone may be read as a small roman one."""
    return page_number(text) is not None and (text.isdecimal() or len(text) > 1)
