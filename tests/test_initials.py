"""Drop capitals: found where the engine passed them over, and the first letter of their word."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
import pytest

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.initials import join_initials
from hyalen.core.layout.paragraphs import split_paragraphs
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point
from hyalen.core.reading.engine import ENGINE
from hyalen.core.reading.initials import read_initials
from tests.conftest import ContentMaker, make_line
from tests.test_layout import read_line

LETTER = Box(100, 100, 180, 194)
BESIDE = ("ur first line is this one", "and the second")
BENEATH = "third, which begins under the letter"


def page_with(thickness: int) -> Image:
    """A page with a large O, in strokes of some pixels."""
    page = np.full((500, 1200), 255, np.uint8)
    cv2.ellipse(page, (140, 147), (40 - thickness // 2, 47 - thickness // 2), 0, 0, 360, 0, thickness)
    return page


def block(*lines: FoundLine) -> list[FoundBlock]:
    return [FoundBlock(BlockKind.TEXT, Box(100, 100, 1100, 400), lines)]


def beside(left: int = 195, beneath: int = 100) -> tuple[FoundLine, ...]:
    first, second = (read_line(text, left, 100 + 52 * i) for i, text in enumerate(BESIDE))
    return first, second, read_line(BENEATH, beneath, 204)


def letters(page: Image, lines: Sequence[FoundLine]) -> list[str]:
    found = read_initials(page, 300, ("eng",), block(*lines), ENGINE)
    return [w.text for each in found for line in each.lines for w in line.words]


@pytest.mark.parametrize("thickness", [9, 24])
def test_a_letter_beside_two_lines_is_read_however_heavy(thickness: int) -> None:
    found = read_initials(page_with(thickness), 300, ("eng",), block(*beside()), ENGINE)
    ((line,),) = (each.lines for each in found)
    assert line.words[0].text == "O"
    assert max(abs(a - b) for a, b in zip(line.words[0].box, LETTER, strict=True)) <= 4


def test_a_mark_that_is_no_initial_is_left() -> None:
    page = page_with(9)
    held = read_line("O", LETTER.left, LETTER.top, height=94)
    assert letters(page, [*beside(), held]) == []  # read already
    assert letters(page, beside(left=330)) == []  # too far off
    assert letters(page, beside()[:2]) == letters(page, beside(beneath=600)) == []  # in the margin
    assert letters(page, beside()[1:]) == []  # beside one line alone
    ring = np.full_like(page, 255)
    cv2.rectangle(ring, (100, 100), (180, 194), 0, -1)
    assert letters(ring, beside()) == []  # no letter


@pytest.mark.parametrize(
    ("initial", "head", "language", "words"),
    [
        ("O", "NCE", "eng", "ONCE"),
        ("I", "well", "eng", "I well"),
        ("I", "am", "eng", "I am"),
        ("A", "man", "eng", "A man"),
        ("A", "long", "eng", "Along"),
        ("I", "n", "eng", "In"),
        ("À", "Près", "fra", "Après"),
        ("É", "tat", "fra", "État"),
        ("T", "orgrunn", "eng", "Torgrunn"),
        ("D.", "EUS", "lat", "DEUS"),
    ],
)
def test_it_is_the_first_letter_of_its_word_or_a_word(initial: str, head: str, language: str, words: str) -> None:
    word = read_line(initial, 100, 100, height=94, language=language).words[0]._replace(box=LETTER)
    alone = FoundLine((word,), LETTER, (Point(100, 194), Point(180, 194)), 94)
    lines = [alone, read_line(f"{head} lamp", 195, 100, language=language), *beside()[1:]]
    joined = [" ".join(w.text for w in line.words) for line in join_initials(lines)]
    assert sorted(joined) == sorted([f"{words} lamp", BESIDE[1], BENEATH])


@pytest.mark.parametrize(
    ("initial", "head", "read"),
    [
        ("(@)", "hristmas", "Christmas"),
        ("S", "uarantees", "Guarantees"),
        ("(@)", "ame", "(@) ame"),
        ("R", "ost", "Rost"),
    ],
)
def test_a_misread_initial_is_the_only_letter_that_makes_a_usual_word(initial: str, head: str, read: str) -> None:
    """ "ame" is the rest of came, name and same; a word that does not stand beside a letter is left."""
    line = read_line(f"{initial} {head} lamp", 100, 100)
    first = line.words[0]._replace(box=LETTER)
    line = line._replace(words=(first, *(moved_right(w, 195 - line.words[1].box.left) for w in line.words[1:])))
    (whole, *_) = sorted(join_initials([line, *beside()[1:]]), key=lambda each: each.level)
    assert " ".join(w.text for w in whole.words) == f"{read} lamp"
    one = read_line(f"{initial}{head} lamp", 100, 100)
    high = one.words[0]._replace(box=one.words[0].box._replace(bottom=194))
    (alone,) = join_initials([one._replace(words=(high, one.words[1]))])
    assert alone.words[0].text == (read if initial == "S" else f"{initial}{head}")


def moved_right(word: FoundWord, by: int) -> FoundWord:
    return word._replace(box=word.box._replace(left=word.box.left + by, right=word.box.right + by))


def test_the_smallest_line_beside_it_tells_how_large_it_is() -> None:
    """The letter itself may have stretched the line that begins at its head."""
    word = read_line("D", 100, 100, height=94).words[0]._replace(box=LETTER)
    alone = FoundLine((word,), LETTER, (Point(100, 194), Point(180, 194)), 94)
    first, *rest = beside()
    joined = join_initials([alone, first._replace(height=64), *rest])
    assert "Dur first line is this one" in [" ".join(w.text for w in line.words) for line in joined]


def test_a_line_over_its_head_is_not_beside_it() -> None:
    word = read_line("O", 100, 100, height=94).words[0]._replace(box=LETTER)
    alone = FoundLine((word,), LETTER, (Point(100, 194), Point(180, 194)), 94)
    joined = join_initials([alone, read_line("A title that ends here", 195, 66), *beside()])
    assert "A title that ends here" in [" ".join(w.text for w in line.words) for line in joined]
    assert len(joined) == 4


def test_the_lines_beside_it_are_one_paragraph_and_begin_one() -> None:
    ids = ContentMaker().ids
    texts = (
        "and that was the end of the old year, as it was told.",
        "ON THE FIRST NIGHT OF THE YEAR,",
        *BESIDE,
        BENEATH,
    )
    lefts = (100, 195, 195, 100, 100)
    lines = [make_line(text, left, 100 + 60 * i, ids) for i, (text, left) in enumerate(zip(texts, lefts, strict=True))]
    lines = [line.model_copy(update={"box": line.box._replace(right=1100)}) for line in lines]
    first = lines[1].words[0]
    large = first.model_copy(update={"box": first.box._replace(left=100, bottom=first.box.bottom + 60)})
    words = (large, *lines[1].words[1:])
    lines[1] = lines[1].model_copy(update={"words": words, "box": lines[1].box._replace(left=100)})
    assert [len(each) for each in split_paragraphs(lines)] == [1, 4]
