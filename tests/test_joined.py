"""Words that a reader joined are parted where the ink is."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point
from hyalen.core.reading.joined import without_joins

HEIGHT = 40
LETTER, WHITE = 20, 4  # pixels of a letter and between two


def row(text: str, gaps: dict[int, int]) -> tuple[Image, Box]:
    """A bar for each letter, with so much white before some of them, and the box of them all."""
    page = np.full((100, 1000), 255, np.uint8)
    x = 30
    for i in range(len(text)):
        x += gaps.get(i, WHITE) if i else 0
        cv2.rectangle(page, (x, 30), (x + LETTER - 1, 69), 0, -1)
        x += LETTER
    return page, Box(30, 30, x, 70)


def parted(text: str, gaps: dict[int, int], language: str) -> list[FoundWord]:
    page, box = row(text, gaps)
    line = FoundLine(
        (FoundWord(text, box, 0.9, language, letters="9" * len(text)),), box, (Point(30, 68), Point(900, 68)), HEIGHT
    )
    return list(without_joins(page, line).words)


@pytest.mark.parametrize(
    "text,at,language,parts",
    [
        ("έχειτο", 4, "ell", ["έχει", "το"]),
        ("καιη", 3, "ell", ["και", "η"]),
        ("ofthe", 2, "eng", ["of", "the"]),
        ("И.Р.", 2, "rus", ["И.", "Р."]),
        ("πρ.204", 3, "ell", ["πρ.", "204"]),
    ],
)
def test_two_words_are_parted_where_the_white_is(text: str, at: int, language: str, parts: list[str]) -> None:
    words = parted(text, {at: 12}, language)
    assert [w.text for w in words] == parts
    assert all(text in w.others and len(w.letters) == len(w.text) for w in words)
    # Each keeps its ink and no other's.
    first, second = words
    assert (first.box.right, second.box.left) == (30 + at * LETTER + (at - 1) * WHITE, first.box.right + 12)


@pytest.mark.parametrize(
    "text,gaps,language",
    [
        ("έχειτο", {}, "ell"),  # no white
        ("έχειτο", {1: 12}, "ell"),  # not where two words meet
        ("έχειτο", {2: 12, 4: 12}, "ell"),  # widely set
        ("forget", {3: 12}, "eng"),  # a word
        ("1927.1", {5: 12}, "eng"),  # a number: much white stands beside a 1
        ("liney", {4: 12}, "eng"),  # no word of one letter
    ],
)
def test_a_word_stays_whole(text: str, gaps: dict[int, int], language: str) -> None:
    assert [w.text for w in parted(text, gaps, language)] == [text]


def test_words_from_right_to_left_keep_their_ink() -> None:
    # "All people", with the first word at the right.
    words = parted("כלאדם", {3: 14}, "heb")
    assert [w.text for w in words] == ["כל", "אדם"]
    assert words[0].box.left > words[1].box.right


def test_a_word_whose_ink_was_taken_off_stays_whole() -> None:
    box = Box(30, 30, 130, 70)
    line = FoundLine((FoundWord("ofthe", box, 0.3, "eng"),), box, (Point(30, 68), Point(130, 68)), HEIGHT)
    for columns in (0, 1):
        page = np.full((100, 200), 255, np.uint8)
        page[30:70, 60 : 60 + columns] = 0
        assert without_joins(page, line) == line


@pytest.mark.parametrize(
    ("white", "printed", "parts"), [(24, False, ["by", "his."]), (24, True, ["by_his."]), (12, False, ["by_his."])]
)
def test_wide_white_that_was_read_as_a_stroke_parts_words_and_a_printed_stroke_does_not(
    white: int, printed: bool, parts: list[str]
) -> None:
    page, box = row("byhis.", {2: white})
    if printed:
        page[70:73, 76:96] = 0
        box = box._replace(bottom=73)
    line = FoundLine((FoundWord("by_his.", box, 0.7, "eng"),), box, (Point(30, 68), Point(900, 68)), HEIGHT)
    assert [w.text for w in without_joins(page, line).words] == parts
