"""Small letters that were read as their own capitals are small again where their ink is no higher than the letters' beside them."""

from __future__ import annotations

import numpy as np
import pytest

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point
from hyalen.core.reading.capitals import with_small_beginnings

SMALL, CAPITAL, BASE, STEP = (
    20,
    28,
    100,
    16,
)  # pixels: of small letters, of capitals, of the baseline, from letter to letter
TALL = frozenset("bdfhklt")


def set_words(*words: tuple[str, int]) -> tuple[Image, list[FoundBlock]]:
    """A line of words, each with the height of its first letter's ink, and a bar for each letter."""
    page = np.full((160, 1200), 255, np.uint8)
    found, x = [], 30
    for text, first in words:
        start, tops = x, []
        for i, letter in enumerate(text):
            height = first if i == 0 else CAPITAL if letter in TALL else SMALL
            if letter.isalnum():
                page[BASE - height : BASE, x : x + 10] = 0
                tops.append(BASE - height)
                x += STEP
        found.append(FoundWord(text, Box(start, min(tops), x, BASE), 0.9, "eng"))
        x += 20
    box = Box(30, 60, x, BASE)
    line = FoundLine(tuple(found), box, (Point(30, BASE), Point(x, BASE)), 40)
    return page, [FoundBlock(BlockKind.TEXT, box, (line,))]


@pytest.mark.parametrize(
    ("words", "read"),
    [
        ((("they", 20), ("Were", SMALL)), "they were"),
        ((("they", 20), ("Were", CAPITAL)), "they Were"),  # as high as a capital
        ((("labour", 20), ("Situation.", SMALL)), "labour situation."),
        ((("ago.", 20), ("Were", SMALL)), "ago. Were"),  # a sentence begins
        ((("Were", SMALL), ("they", 20)), "Were they"),  # a paragraph begins
        ((("mr", 20), ("Vonk", SMALL)), "mr Vonk"),  # no common word
        ((("they", 20), ("Have", SMALL)), "they Have"),  # h and H are not shaped alike: it is worn
        ((("they", 20), ("So", SMALL)), "they so"),
        ((("they", 20), ("Of", CAPITAL)), "they Of"),  # its only other letter is as high as a capital
        ((("they", 20), ("School", SMALL)), "they school"),
    ],
)
def test_only_a_common_word_within_a_sentence_and_as_low_as_small_letters_is_small(
    words: tuple[tuple[str, int], ...], read: str
) -> None:
    (block,) = with_small_beginnings(*set_words(*words))
    found = block.lines[0].words
    assert " ".join(w.text for w in found) == read
    assert all((w.text != text) == (text in w.others) for w, (text, _) in zip(found, words, strict=True))


def test_letters_that_run_together_and_a_word_without_ink_tell_nothing() -> None:
    page, blocks = set_words(("they", 20), ("Were", SMALL))
    joined = page.copy()
    joined[BASE - 2 : BASE, 120:190] = 0
    assert with_small_beginnings(joined, blocks) == blocks
    assert with_small_beginnings(np.full_like(page, 255), blocks) == blocks


def test_a_capital_beside_letters_that_touch_high_ones_stays() -> None:
    page, blocks = set_words(("they", 20), ("Charles", CAPITAL))
    start = blocks[0].lines[0].words[1].box.left
    page[BASE - 2 : BASE, start + STEP : start + 3 * STEP] = 0  # h and a
    page[BASE - 2 : BASE, start + 3 * STEP : start + 6 * STEP] = 0  # r, l and e
    assert with_small_beginnings(page, blocks) == blocks
    page[:, start + STEP : start + 6 * STEP] = 255
    page[BASE - CAPITAL : BASE, start + STEP : start + 6 * STEP : 8] = 0  # worn to strokes, each of a capital's height
    assert with_small_beginnings(page, blocks) == blocks
