"""A page number that was read as marks is read once more."""

from __future__ import annotations

import numpy as np
import pytest

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point
from hyalen.core.reading.folios import with_folios
from tests.readers import Asked, PartReader

TEXT = "A keeper's log begins here"


def block(text: str, top: int) -> FoundBlock:
    box = Box(100, top, 100 + 20 * len(text), top + 30)
    words = tuple(FoundWord(each, box, 0.3, "eng") for each in text.split())
    return FoundBlock(
        BlockKind.TEXT, box, (FoundLine(words, box, (Point(100, top + 28), Point(box.right, top + 28)), 30),)
    )


class Otherwise(PartReader):
    def __init__(self, text: str) -> None:
        self.text, self.asked = text, 0

    def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
        self.asked += 1
        return [block(self.text, 10)]


@pytest.mark.parametrize(
    "lines,otherwise,told,asked",
    [
        (["— »>—", TEXT, TEXT, TEXT], "— 5 —", ["— 5 —", TEXT, TEXT, TEXT], 1),
        ([TEXT, TEXT, TEXT, "»«"], "xiv", [TEXT, TEXT, TEXT, "xiv"], 1),
        (["'", "— »>—", TEXT, TEXT, TEXT], "— 5 —", ["— 5 —", "— 5 —", TEXT, TEXT, TEXT], 2),
        (["* * *", TEXT, TEXT, TEXT], "* * *", ["* * *", TEXT, TEXT, TEXT], 1),
        ([TEXT, TEXT, TEXT, "B"], "8", [TEXT, TEXT, TEXT, "B"], 0),  # a sheet's signature
        (["—", TEXT, TEXT, TEXT], "of", ["—", TEXT, TEXT, TEXT], 1),
        (["|", TEXT, TEXT, TEXT], "I", ["|", TEXT, TEXT, TEXT], 1),
        ([TEXT, TEXT, "* * *", TEXT, TEXT], "5", [TEXT, TEXT, "* * *", TEXT, TEXT], 0),  # within the page
        (["— 4 —", TEXT, TEXT, TEXT], "5", ["— 4 —", TEXT, TEXT, TEXT], 0),
        ([], "5", [], 0),
    ],
)
def test_marks_alone_at_the_pages_edge_may_be_its_number(
    lines: list[str], otherwise: str, told: list[str], asked: int
) -> None:
    reader = Otherwise(otherwise)
    page = np.full((1000, 900), 255, np.uint8)
    blocks = with_folios(page, 300, ("eng",), [block(text, 50 + 90 * i) for i, text in enumerate(lines)], reader)
    assert [" ".join(w.text for line in b.lines for w in line.words) for b in blocks] == told
    assert reader.asked == asked


@pytest.mark.parametrize("otherwise,told", [("5 —", ["5 —"]), ("of", ["5) —", "w"])])
def test_a_bit_of_a_page_number_is_no_line_of_its_own(otherwise: str, told: list[str]) -> None:
    bit = block("w", 54)
    inner = bit._replace(lines=tuple(line._replace(box=Box(120, 54, 130, 60)) for line in bit.lines))
    page = np.full((1000, 900), 255, np.uint8)
    blocks = with_folios(page, 300, ("eng",), [block("5) —", 50), inner, block(TEXT, 140)], Otherwise(otherwise))
    assert [" ".join(w.text for w in line.words) for b in blocks for line in b.lines] == [*told, TEXT]
