"""Full stops told from specks by their ink."""

from __future__ import annotations

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point
from hyalen.core.read import read_content
from hyalen.core.reading.dust import without_dust
from hyalen.core.reading.stops import Stop, is_like, stop_of, usual_stop
from hyalen.demo.typeset import Typesetter

ROW, LEVEL = 50, 60  # pixels: a row's height, and where its letters stand


def drawn(page: Image, x: int, size: int, above: int) -> None:
    cv2.rectangle(page, (x, LEVEL - above - size), (x + size - 1, LEVEL - above - 1), 0, -1)


def line_of(*words: FoundWord) -> FoundLine:
    return FoundLine(words, Box(0, 20, 900, 70), (Point(0, LEVEL), Point(900, LEVEL)), ROW)


def word(text: str, left: int, language: str = "eng") -> FoundWord:
    return FoundWord(text, Box(left, 25, left + 20 * len(text), LEVEL), 0.9, language)


def with_letters(page: Image, left: int, count: int) -> None:
    for i in range(count):
        cv2.rectangle(page, (left + 20 * i, 25), (left + 20 * i + 15, LEVEL - 1), 0, -1)


def test_a_stop_is_measured_from_the_baseline() -> None:
    page = np.full((100, 200), 255, np.uint8)
    with_letters(page, 10, 3)
    drawn(page, 72, 6, 0)
    assert stop_of(page, word("les.", 10), line_of()) == Stop(6 / ROW, 6 / ROW, 0.0)
    # Nothing but letters, and two marks, are no stop.
    assert stop_of(page, word("les", 10), line_of()) is None
    drawn(page, 82, 4, 12)
    assert stop_of(page, word("les.", 10)._replace(box=Box(10, 25, 90, LEVEL)), line_of()) is None


def test_in_a_line_from_right_to_left_a_stop_stands_at_the_left() -> None:
    page = np.full((100, 200), 255, np.uint8)
    drawn(page, 12, 6, 0)
    with_letters(page, 30, 3)
    assert stop_of(page, word("הגב.", 11, "heb"), line_of()) == Stop(6 / ROW, 6 / ROW, 0.0)


def test_what_a_stop_looks_like_is_told_by_those_that_surely_are_some() -> None:
    page = np.full((100, 900), 255, np.uint8)
    words = []
    for i in range(6):
        left = 10 + 140 * i
        with_letters(page, left, 3)
        drawn(page, left + 62, 6, 0)
        words.append(word("les.", left) if i < 5 else word("les.", left)._replace(text="Les."))
    before_capitals = [w._replace(text=w.text.title()) for w in words]
    block = FoundBlock(BlockKind.TEXT, Box(0, 20, 900, 70), (line_of(*before_capitals),))
    usual = usual_stop(page, [block])
    assert usual == Stop(6 / ROW, 6 / ROW, 0.0)
    assert is_like(Stop(0.13, 0.11, 0.02), usual)
    assert not is_like(Stop(0.05, 0.05, 0.0), usual)  # a speck
    assert not is_like(Stop(0.12, 0.12, 0.3), usual)  # too high
    # Before small letters they are just what is asked about: one at the end is too few to tell by.
    assert usual_stop(page, [block._replace(lines=(line_of(*words),))]) is None


def test_a_stop_before_a_small_letter_goes_unless_it_is_the_pages_own() -> None:
    line = line_of(word("the.", 10), word("sea", 120))
    assert [w.text for w in without_dust(line).words] == ["the", "sea"]
    assert [w.text for w in without_dust(line, lambda word: True).words] == ["the.", "sea"]


def test_initials_and_shortened_words_keep_their_stops(setter: Typesetter) -> None:
    entries = ["K. A. van Dalen. Les. act. 12.", "Rostlow, A. de Skar. Voor. art. 4.", "I. A. la Mer. Her. art. 6."]
    style = "body{margin:25mm;font:13pt/1.7 'Liberation Serif'}"
    body = "".join(f"<p data-role=p>{entry}</p>" for entry in entries)
    page = setter.set(f"<meta charset=utf-8><style>{style}</style>{body}")
    read = read_content(page.image, page.dpi, ("eng",))
    words = [w.text for region in read.regions for w in region.words]
    assert words.count("A.") == 3
