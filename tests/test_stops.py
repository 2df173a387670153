"""Full stops and commas told from each other and from specks by their ink."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point
from hyalen.core.read import read_content
from hyalen.core.reading.dust import without_dust
from hyalen.core.reading.stops import Mark, Usual, ends_in_stop, is_comma, is_stop, marks_after, usual_stop, with_marks
from hyalen.demo.typeset import Typesetter

SIZE, LEVEL = 35, 60  # pixels: how far letters rise, and where they stand
PIXEL = 1 / SIZE
STOP = Mark(0.0, 6 / SIZE, 6 / SIZE, 8 / SIZE, PIXEL)


def drawn(page: Image, x: int, width: int, height: int, fall: int = 0) -> None:
    cv2.rectangle(page, (x, LEVEL + fall - height), (x + width - 1, LEVEL + fall - 1), 0, -1)


def line_of(*words: FoundWord) -> FoundLine:
    return FoundLine(words, Box(0, 20, 900, 70), (Point(0, LEVEL), Point(900, LEVEL)), 50)


def word(text: str, left: int, language: str = "eng") -> FoundWord:
    return FoundWord(text, Box(left, LEVEL - SIZE, left + 20 * len(text), LEVEL), 0.9, language)


def with_letters(page: Image, left: int, count: int) -> None:
    for i in range(count):
        cv2.rectangle(page, (left + 20 * i, LEVEL - SIZE), (left + 20 * i + 13, LEVEL - 1), 0, -1)


def blank() -> Image:
    return np.full((100, 900), 255, np.uint8)


def test_a_mark_is_measured_from_the_feet_of_the_letters() -> None:
    page = blank()
    with_letters(page, 10, 3)
    drawn(page, 72, 6, 6)
    told = word("les.", 10)
    assert marks_after(page, told, line_of(told)) == [STOP]
    assert ends_in_stop(page, told, line_of(told), Usual(STOP))
    bare = word("les", 250)
    with_letters(page, 250, 3)
    assert marks_after(page, bare, line_of(bare)) == []
    drawn(page, 82, 4, 4, -3)  # a speck besides
    assert len(marks_after(page, told, line_of(told))) == 2
    assert not ends_in_stop(page, told, line_of(told), Usual(STOP))


def test_in_a_line_from_right_to_left_a_stop_stands_at_the_left() -> None:
    page = blank()
    drawn(page, 16, 6, 6)
    with_letters(page, 30, 3)
    told = word("הגב.", 11, "heb")
    (mark,) = marks_after(page, told, line_of(told)._replace(height=50))
    assert (mark.fall, mark.gap) == pytest.approx((0.0, 8 / 35))


def test_what_a_stop_looks_like_is_told_by_those_that_surely_are_some() -> None:
    page = blank()
    words = []
    for i in range(6):
        with_letters(page, 10 + 140 * i, 3)
        drawn(page, 72 + 140 * i, 6, 6)
        words.append(word("les.", 10 + 140 * i))
    before_capitals = [w._replace(text=w.text.title()) for w in words]
    block = FoundBlock(BlockKind.TEXT, Box(0, 20, 900, 70), (line_of(*before_capitals),))
    usual = usual_stop(page, [block])
    assert usual == Usual(STOP)
    # Before small letters they are just what is asked about: one at the end is too few to tell by.
    assert usual_stop(page, [block._replace(lines=(line_of(*words),))]) is None
    mixed = [block, block._replace(lines=(line_of(*words),))]
    told = usual_stop(page, mixed)
    assert told is not None and told.shortened == {"les"}


def test_a_mark_of_the_pages_own_size_and_place_is_a_stop_and_what_falls_and_is_taller_a_comma() -> None:
    assert is_stop(STOP._replace(width=7 / SIZE, height=5 / SIZE, fall=0.02), STOP)
    assert not is_stop(STOP._replace(width=2 / SIZE, height=2 / SIZE), STOP)  # a speck
    assert not is_stop(STOP._replace(fall=-0.3), STOP)  # too high
    # In small type a pixel more or less is a third of a stop.
    small = Mark(0.0, 3 / 18, 3 / 18, 0.2, 1 / 18)
    assert is_stop(small._replace(width=2 / 18, height=4 / 18), small)
    comma = STOP._replace(fall=0.17, height=12 / SIZE)
    assert is_comma(comma, STOP)
    assert not is_comma(STOP, STOP)


@pytest.mark.parametrize(
    ("read", "language", "marks", "told", "other"),
    [
        ("1839,", "eng", ["stop"], "1839.", ()),
        ("1839,", "eng", ["comma"], "1839,", ()),
        ("declen,", "fra", ["stop"], "declen.", ()),  # a shortened word, in no list
        ("Vol,", "eng", ["stop"], "Vol.", ()),  # the page's own
        ("lamp,", "eng", ["stop"], "lamp,", ("lamp.",)),  # a comma that is worn looks so, and the engine knows better
        ("lamp.", "eng", ["comma"], "lamp.", ("lamp,",)),
        ("Ibid,", "fra", ["stop", "comma"], "Ibid.,", ()),
        ("Ibid.", "fra", ["stop", "comma"], "Ibid.,", ()),
        ("Ibid,,", "fra", ["stop", "comma"], "Ibid.,", ()),
        ("Ltd.. who", "eng", ["stop", "stop"], "Ltd., who", ()),  # the comma's tail is worn
        ("Ltd..", "eng", ["stop", "stop"], "Ltd..", ()),
        ("lamp,", "eng", ["speck", "comma"], "lamp,", ()),
        ("1839", "eng", ["stop"], "1839", ()),
        ("1839, is", "eng", ["stop"], "1839, is", ("1839.",)),  # a sentence that goes on
        ("Lamartine,", "fra", ["stop", "comma"], "Lamartine,", ("Lamartine.,",)),  # no shortened word is so long
        ("١٨٣٩ب,", "eng", ["stop", "comma"], "١٨٣٩ب,", ()),  # Arabic letters have dots that look like both
    ],
)
def test_marks_after_figures_and_shortened_words_are_told_by_their_ink(
    read: str, language: str, marks: list[str], told: str, other: tuple[str, ...]
) -> None:
    page = blank()
    first, *after = read.split()
    letters = len(first.rstrip(".,"))
    with_letters(page, 10, letters)
    for i, mark in enumerate(marks):
        width, height, fall = {"stop": (6, 6, 0), "comma": (6, 13, 7), "speck": (3, 3, -3)}[mark]
        drawn(page, 12 + 20 * letters + 14 * i, width, height, fall)
    box = Box(10, LEVEL - SIZE, 10 + 20 * (letters + len(marks)), LEVEL)
    line = line_of(FoundWord(first, box, 0.9, language), *(word(text, 400) for text in after))
    marked = with_marks(page, line, Usual(STOP, frozenset({"Vol"})))
    assert " ".join(w.text for w in marked.words) == told
    assert marked.words[0].others == ((first,) if read != told else other)


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
