"""Words' boxes are put on their ink where they were not measured."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from hyalen.core.imaging.hanging import without_hanging
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.on_ink import put_on_ink

PLACES = {"SLIM": 20, "sings": 130, "gay": 260}
BASE, BELOW = 100, 138  # of the row, and of the one beneath, whose letters reach into the first one's boxes
ROW = (64, 124)


def sheet() -> np.ndarray:
    page = np.full((200, 400), 255, np.uint8)
    for text, left in PLACES.items():
        cv2.putText(page, text, (left, BASE), cv2.FONT_HERSHEY_SIMPLEX, 1.2, 0, 3)
        cv2.putText(page, "lll", (left, BELOW), cv2.FONT_HERSHEY_SIMPLEX, 0.9, 0, 2)
    return page


def inked(page: np.ndarray, left: int, right: int) -> tuple[int, int]:
    """First row of the upper line's ink between two columns, and the row behind its last one."""
    alone = np.full_like(page, 255)
    for text, at in PLACES.items():
        cv2.putText(alone, text, (at, BASE), cv2.FONT_HERSHEY_SIMPLEX, 1.2, 0, 3)
    rows = np.flatnonzero((alone[:, left:right] < 128).any(axis=1))
    return int(rows[0]), int(rows[-1]) + 1


def measured(*words: tuple[str, Box], language: str = "eng") -> tuple[FoundWord, ...]:
    told = tuple(FoundWord(text, box, 0.9, language) for text, box in words)
    line = FoundLine(told, union(w.box for w in told), (Point(20, BASE), Point(340, BASE)), 60)
    (block,) = put_on_ink(sheet(), [FoundBlock(BlockKind.TEXT, line.box, (line,))])
    assert block.lines[0].box == union(w.box for w in block.lines[0].words)
    return block.lines[0].words


def test_words_with_the_height_of_their_row_become_as_high_as_their_ink() -> None:
    given = [("SLIM", 20, 120), ("sings", 130, 245), ("gay", 260, 340)]
    words = measured(*((text, Box(left, ROW[0], right, ROW[1])) for text, left, right in given))
    for word, (_, left, right) in zip(words, given, strict=True):
        top, bottom = inked(sheet(), left, right)
        assert (word.box.left, word.box.right) == (left, right)
        assert abs(word.box.top - top) <= 1 and abs(word.box.bottom - bottom) <= 1


@pytest.mark.parametrize(
    "words",
    [
        [("SLIM", Box(20, 60, 120, 126)), ("sings", Box(130, 70, 245, 112))],  # of heights of their own
        [("SLIM", Box(20, 60, 120, 126)), ("SHUT", Box(130, 60, 245, 126))],  # alike: they may well be of one height
    ],
)
def test_words_that_may_have_been_measured_stay(words: list[tuple[str, Box]]) -> None:
    assert [(w.text, w.box) for w in measured(*words)] == words


def test_a_word_that_holds_the_next_one_ends_where_its_own_ink_does() -> None:
    first, second = measured(("SLIM", Box(20, 70, 245, 102)), ("sings", Box(130, 72, 245, 112)))
    own = 21 + int(np.flatnonzero((sheet()[70:102, 20:130] < 128).any(axis=0))[-1])
    assert abs(first.box.right - own) <= 1 and second.box == Box(130, 72, 245, 112)


def test_from_right_to_left_it_ends_at_its_left() -> None:
    first, second = measured(("עלון", Box(130, 70, 340, 110)), ("ספר", Box(130, 72, 245, 112)), language="heb")
    own = 246 + int(np.flatnonzero((sheet()[70:110, 246:340] < 128).any(axis=0))[0])
    assert abs(first.box.left - own) <= 1 and first.box.right == 340 and second.box == Box(130, 72, 245, 112)


def test_what_hangs_into_a_row_from_others_is_no_ink_of_its_own() -> None:
    ink = np.zeros((40, 60), np.uint8)
    ink[0:8, 5:10] = ink[34:40, 30:40] = 1  # from above and from below
    ink[2:6, 50:54] = ink[10:30, 20:25] = ink[0:30, 45:48] = 1  # a dot, a letter, and one that reaches the rim
    left = without_hanging(ink)
    assert not left[0:8, 5:10].any() and not left[34:40].any()
    assert left.sum() == 4 * 4 + 20 * 5 + 30 * 3
    assert without_hanging(left) is left
