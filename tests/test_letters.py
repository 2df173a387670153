"""Letters' height, small print, false resolutions, dust within lines and lines read again."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.despeckle import despeckle
from hyalen.core.imaging.letters import letter_height, reading_scale
from hyalen.core.imaging.orientation import FoundTurn
from hyalen.core.imaging.pixels import Image
from hyalen.core.imaging.resolution import settle_resolution
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord, Model
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.model.treatment import Treatment
from hyalen.core.reading.again import read_again
from hyalen.core.reading.dust import without_dust
from hyalen.core.reading.long_s import without_long_s
from tests.readers import Asked, PartReader


def set_page(height: int = 20, rows: int = 24) -> Image:
    """Rows of letter-like marks: two small ones, then a tall one with a dot's neighbour i."""
    page = np.full((rows * height * 3 + 200, 200 + 48 * height), 255, np.uint8)
    for r in range(rows):
        base = 100 + height * 3 * (r + 1)
        for i in range(40):
            left = 100 + i * int(height * 1.2)
            tall = int(height * (1.45 if i % 4 == 3 else 1.0))
            cv2.rectangle(page, (left, base - tall), (left + int(height * 0.5), base), 0, max(2, height // 7))
            if i % 8 == 1:
                cv2.line(page, (left + 2, base - height), (left + 2, base), 0, 3)
                cv2.circle(page, (left + 2, base - int(height * 1.4)), max(2, height // 7), 0, -1)
    return page


@pytest.mark.parametrize("height", [8, 14, 20, 36])
def test_the_height_of_small_letters_is_told_without_a_resolution(height: int) -> None:
    found = letter_height(set_page(height))
    assert found is not None and abs(found - height) < 0.15 * height + 2  # the marks' rims add to them


def test_small_print_is_enlarged_and_the_way_back_to_the_scan_is_kept() -> None:
    page = set_page(7)
    scale = reading_scale(page)
    assert scale > 1
    assert reading_scale(set_page(20)) == 1.0
    assert reading_scale(np.rot90(page)) == scale
    cleaned = clean_page(page, 100, Treatment(), lambda image, dpi: FoundTurn(0, 1.0)).cleaned
    assert cleaned.dpi == 100 * scale
    assert cleaned.width == pytest.approx(scale * page.shape[1], rel=0.1)
    corner = cleaned.original_points(np.array([[cleaned.width, cleaned.height]], dtype=np.float64))[0]
    assert corner[0] <= page.shape[1] * 1.1 and corner[1] <= page.shape[0] * 1.1
    assert any(f"enlarged {scale:.1f} times" in finding.says for finding in cleaned.findings)


@pytest.mark.parametrize(
    ("size", "stated", "letters", "dpi"),
    [
        ((2293, 3106), 1200.0, 18.0, 266.0),  # a magazine's page would be 2.6 inches high, its letters one point
        ((593, 810), 300.0, 5.6, 72.0),
        ((900, 600), 300.0, 20.0, 300.0),  # a postcard is that small, and its letters are of a usual size
        ((1135, 1768), None, 24.0, 300.0),  # letters of 14 points are no book's
        ((1240, 1754), None, 9.0, 150.0),
    ],
)
def test_letters_tell_a_false_resolution(
    size: tuple[int, int], stated: float | None, letters: float, dpi: float
) -> None:
    found = settle_resolution(*size, stated, lambda: letters)
    assert found.dpi == pytest.approx(dpi, rel=0.02)
    assert bool(found.reason) == (found.dpi != stated)


def test_dust_within_lines_goes_and_dots_stay() -> None:
    page = set_page(20)
    dotted = page.copy()
    rng = np.random.default_rng(3)
    for _ in range(200):  # specks of one to two pixels between the lines' letters
        x, y = int(rng.integers(100, 1000)), int(rng.integers(150, page.shape[0] - 100))
        if dotted[y - 4 : y + 5, x - 4 : x + 5].min() == 255:
            dotted[y : y + 2, x] = 0
    cleaned, removed = despeckle(dotted, 300)
    assert removed > 60
    assert (cleaned != page).mean() < 0.1 * (dotted != page).mean()
    assert ((page == 0) & (cleaned == 255)).sum() == 0


def test_dots_far_smaller_than_the_marks_that_stand_on_stems_stay() -> None:
    # As in Arabic: a hamza over its stem, and dots a third of its size over and under letters that run on.
    page = np.full((1700, 1200), 255, np.uint8)
    for base in range(150, 1650, 60):
        for left in range(100, 1100, 80):
            cv2.line(page, (left, base - 28), (left, base), 0, 4)
            if left % 400 == 100:
                page[base - 44 : base - 36, left - 3 : left + 4] = 0
            tooth = np.array([(left + 14, base - 20), (left + 14, base), (left + 60, base), (left + 60, base - 20)])
            cv2.polylines(page, [tooth], False, 0, 4)
            for dot in (26, 40):
                page[base - 32 : base - 28, left + dot : left + dot + 4] = 0
    assert despeckle(page, 300)[1] == 0
    page[1690:1692, 600:602] = 0
    assert despeckle(page, 300)[1] == 1


def test_the_dots_of_letters_that_touch_stay() -> None:
    # In heavy italics d, i and t run together, and the dot stands between the tall ones, over no letter's top.
    page = set_page()
    left, base = 620, 100 + 60 * 12
    page[base - 45 : base + 10, 576:744] = 255
    cv2.rectangle(page, (left, base - 20), (left + 80, base), 0, 3)
    for x in (left, left + 80):
        cv2.line(page, (x, base - 34), (x, base), 0, 3)
    before = page.copy()
    cv2.circle(page, (left + 40, base - 28), 2, 0, -1)
    assert np.array_equal(despeckle(page, 300)[0], page)
    assert not np.array_equal(page, before)


def test_dust_between_the_rules_of_a_table_goes() -> None:
    text = set_page()
    page = np.vstack([text, np.full((500, text.shape[1]), 255, np.uint8)])
    top = len(text) + 50
    for y in range(top, top + 301, 100):
        cv2.line(page, (150, y), (1000, y), 0, 3)
    for x in (150, 1000):
        cv2.line(page, (x, top), (x, top + 300), 0, 3)
    before = page.copy()
    cv2.circle(page, (500, top + 85), 3, 0, -1)
    cv2.circle(page, (700, top + 150), 4, 0, -1)
    assert np.array_equal(despeckle(page, 300)[0], before)


def test_leaders_an_ellipsis_and_a_raised_decimal_point_are_no_dust() -> None:
    page = np.pad(set_page(36), ((0, 0), (0, 300)), constant_values=255)
    for x in range(1960, 2060, 20):  # leaders of dots far smaller than a full stop
        cv2.circle(page, (x, 206), 2, 0, -1)
    cv2.rectangle(page, (1960, 280), (1978, 316), 0, 5)
    for x in (1992, 2010, 2028):  # an ellipsis after a letter
        cv2.circle(page, (x, 312), 4, 0, -1)
    for left in (1960, 2000):  # 9·4
        cv2.rectangle(page, (left, 380), (left + 18, 432), 0, 5)
    cv2.circle(page, (1990, 406), 4, 0, -1)
    cleaned, _ = despeckle(page, 300)
    assert np.array_equal(cleaned, page)


def test_the_last_dot_of_a_spaced_ellipsis_stays() -> None:
    page = np.pad(set_page(), ((0, 0), (0, 200)), constant_values=255)
    cv2.rectangle(page, (1140, 300), (1150, 320), 0, 3)
    for x in (1162, 1186, 1210):  # each but a letter's width from the next; the next letter is far off
        cv2.circle(page, (x, 318), 2, 0, -1)
    assert np.array_equal(despeckle(page, 300)[0], page)


@pytest.mark.parametrize(("over_line", "stays"), [(9, True), (-20, False)])
def test_a_hyphen_behind_a_small_letter_stays_and_such_a_mark_elsewhere_goes(over_line: int, stays: bool) -> None:
    # In a narrow magazine's type a hyphen is hardly larger than a dot: "sec-" at a line's end lost its own.
    page = np.pad(set_page(), ((0, 0), (0, 200)), constant_values=255)
    cv2.rectangle(page, (1140, 300), (1150, 320), 0, 3)
    before = page.copy()
    page[320 - over_line - 1 : 320 - over_line + 1, 1156:1161] = 0
    assert np.array_equal(despeckle(page, 300)[0], page if stays else before)


def words(text: str, confidence: float = 0.9, language: str = "eng") -> FoundLine:
    found, x = [], 100
    for token in text.split():
        low = len(token) == 1 and token in ".’"
        found.append(FoundWord(token, Box(x, 132 if low else 100, x + 20 * len(token), 140), confidence, language))
        x += 20 * len(token) + 14
    box = union(w.box for w in found)
    return FoundLine(tuple(found), box, (Point(box.left, 140), Point(box.right, 140)), 44)


@pytest.mark.parametrize(
    ("read", "meant"),
    [
        ("members of the family. is here", "members of the family is here"),
        ("against . tyranny and oppression", "against tyranny and oppression"),
        ("compelled.to have recourse", "compelled to have recourse"),
        ("the Unitéd Nations", "the United Nations"),
        ("the last importarice for it", "the last importance for it"),
        ("by the gr. in vol. two", "by the gr. in vol. two"),
        ("a well-known house", "a well-known house"),
        ("It is done. Now go", "It is done. Now go"),
        ("Mr. Sandvik of Torgrunn", "Mr. Sandvik of Torgrunn"),
    ],
)
def test_the_language_decides_on_marks_that_dust_left(read: str, meant: str) -> None:
    line = without_dust(words(read))
    assert " ".join(w.text for w in line.words) == meant


def test_what_a_word_was_read_as_is_kept_beside_it() -> None:
    (_, word, _) = without_dust(words("the Unitéd Nations")).words
    assert (word.text, word.others) == ("United", ("Unitéd",))


class Second(PartReader):
    """A reader that reads single lines as it is told to."""

    def __init__(self, text: str, confidence: float) -> None:
        self.line = words(text, confidence)
        self.asked: list[bool] = []

    def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
        self.asked.append(asked.model is Model.FINER)
        return [FoundBlock(BlockKind.TEXT, self.line.box, (self.line,))]


@pytest.mark.parametrize(
    ("first", "second", "kept"),
    [
        (("tho liqht was", 0.5), ("the light was", 0.9), "the light was"),
        (("the light was", 0.7), ("tho liqht wos", 0.6), "the light was"),
        (("the light was shown to all", 0.5), ("the", 0.95), "the light was shown to all"),
    ],
)
def test_a_weak_line_is_read_again_and_the_better_reading_kept(
    first: tuple[str, float], second: tuple[str, float], kept: str, blank_page: Image
) -> None:
    line, reader = words(*first), Second(*second)
    (block,) = read_again(blank_page, 300, ("eng",), [FoundBlock(BlockKind.TEXT, line.box, (line,))], reader)
    assert " ".join(w.text for w in block.lines[0].words) == kept
    assert reader.asked == [True]


def test_a_line_read_again_is_no_higher_for_what_hangs_into_it(blank_page: Image) -> None:
    line, reader = words("tho liqht was", 0.5), Second("the light was", 0.9)
    line = line._replace(box=line.box._replace(top=300, bottom=340))
    tall = tuple(w._replace(box=w.box._replace(top=12, bottom=110)) for w in reader.line.words)  # all that is shown
    reader.line = reader.line._replace(words=tall)
    (block,) = read_again(blank_page, 300, ("eng",), [FoundBlock(BlockKind.TEXT, line.box, (line,))], reader)
    assert [w.text for w in block.lines[0].words] == ["the", "light", "was"]
    assert all(w.box.height < 50 for w in block.lines[0].words)


def test_a_sure_line_is_not_read_again(blank_page: Image) -> None:
    line, reader = words("the light was", 0.97), Second("something else", 1.0)
    blocks = [FoundBlock(BlockKind.TEXT, line.box, (line,))]
    assert read_again(blank_page, 300, ("eng",), blocks, reader) == blocks
    assert reader.asked == []


def old_print(*words: str) -> FoundBlock:
    found = tuple(FoundWord(w, Box(60 * i, 0, 60 * i + 50, 30), 0.9, "eng") for i, w in enumerate(words))
    line = FoundLine(found, Box(0, 0, 60 * len(words), 30), (Point(0, 30), Point(60.0 * len(words), 30)), 40)
    return FoundBlock(BlockKind.TEXT, line.box, (line,))


def test_a_long_s_is_an_s_on_a_page_that_has_several() -> None:
    (block,) = without_long_s([old_print("fuch", "of", "fmall", "veffels,", "found", "themfelves", "fafe", "ſhip")])
    words = block.lines[0].words
    assert [w.text for w in words] == ["such", "of", "small", "vessels,", "found", "themselves", "safe", "ship"]
    assert words[0].others == ("fuch",)
    assert words[4].others == ()  # "found" is a word as well as "sound", and stays


def test_a_single_slip_makes_no_page_of_long_s() -> None:
    (block,) = without_long_s([old_print("fuch", "of", "five", "fine", "different", "after")])
    assert block.lines[0].words[0].text == "fuch"
