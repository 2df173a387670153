"""What worn and old print needs: type that reads badly is text, and no row of it is lost or said twice."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.beside_column import with_notes_apart
from hyalen.core.layout.evidence import Evidence
from hyalen.core.layout.legible import is_noise, is_set
from hyalen.core.layout.paragraphs import split_paragraphs
from hyalen.core.layout.regions import find_regions
from hyalen.core.layout.rows import find_straight_gutters, join_rows, without_bits
from hyalen.core.layout.rules import find_rules
from hyalen.core.layout.witness import Kind, Witness
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.broken_rows import with_broken_rows
from hyalen.core.reading.outer_letters import with_outer_letters
from hyalen.core.reading.rest import read_rest
from hyalen.core.reading.tangles import clear_of_neighbours, still_tangled, untangled
from tests.conftest import ContentMaker, make_line
from tests.readers import Asked, PartReader
from tests.test_margins import Page

WHITE = np.full((1600, 2200), 255, np.uint8)


def line_of(top: int, *words: tuple[str, int, float], height: int = 40) -> FoundLine:
    """A line of words 20 pixels a letter, each with its left edge and its confidence."""
    read = tuple(FoundWord(t, Box(x, top, x + 20 * len(t), top + height), sure, "eng") for t, x, sure in words)
    box = union(w.box for w in read)
    return FoundLine(read, box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), float(height))


def row_of(text: str, left: int, top: int, confidence: float = 0.95) -> FoundLine:
    words, x = list[tuple[str, int, float]](), left
    for word in text.split():
        words.append((word, x, confidence))
        x += 20 * len(word) + 15
    return line_of(top, *words)


def block_of(*lines: FoundLine) -> FoundBlock:
    return FoundBlock(BlockKind.TEXT, union(line.box for line in lines), lines)


def said(lines: list[FoundLine]) -> list[str]:
    return [" ".join(w.text for w in line.words) for line in lines]


def with_type(text: str, left: int, foot: int, page: Image = WHITE) -> Image:
    """The page with letters 20 pixels apart, their feet on one level but for those that hang."""
    inked = page.copy()
    for at, letter in enumerate(text):
        cv2.putText(inked, letter, (left + 20 * at, foot), cv2.FONT_HERSHEY_SIMPLEX, 0.9, 0, 2)
    return inked


def specks(count: int, box: Box) -> Image:
    inked, rng = WHITE.copy(), np.random.default_rng(5)
    for at in range(count):
        x, y = box.left + at * box.width // count, int(rng.integers(box.top, box.bottom - 14))
        inked[y : y + 12, x : x + 10] = 0
    return inked


@pytest.mark.parametrize(("text", "found"), [("thelampwasIit", True), ("lmap", False)])
def test_ink_that_stands_like_type_is_text_however_it_reads(text: str, found: bool) -> None:
    line = line_of(300, (text, 200, 0.1))
    assert is_set(with_type(text, 200, 330), line) == found
    assert not is_set(specks(len(text), line.box), line) and not is_set(WHITE, line)
    assert is_noise(line, 300)


def test_badly_read_type_stays_on_the_page_and_specks_do_not() -> None:
    line = line_of(300, ("ciaften", 200, 0.1), ("Srofmec", 360, 0.1))
    evidence = Evidence((), find_rules(WHITE, 300))
    inked = with_type("Srofmec", 360, 330, with_type("ciaften", 200, 330))
    (region,) = find_regions(inked, 300, [block_of(line)], ("eng",), evidence)
    assert region.text == "ciaften Srofmec"
    assert find_regions(specks(14, line.box), 300, [block_of(line)], ("eng",), evidence) == ()


def test_a_number_between_dashes_is_no_noise_for_their_width() -> None:
    assert not is_noise(line_of(200, ("——", 500, 0.6), ("5", 560, 0.6), ("——", 600, 0.6), height=18), 144)


def test_notes_that_stand_beneath_each_other_are_parted_although_they_have_an_edge_of_their_own() -> None:
    text = "the keeper lights the lamp and writes the hour down"
    lines = [row_of(text, 400, 100 + 60 * n) for n in range(30)]
    notes = dict(zip((11, 12, 13, 16, 17, 18), ("ofoil", "andits", "use", "ofthe", "wicks", "trim"), strict=True))
    for n, note in notes.items():
        words = (*row_of(note, 100, 100 + 60 * n).words, *lines[n].words)
        lines[n] = lines[n]._replace(words=words, box=union(w.box for w in words))
    parts = said(with_notes_apart(lines))
    assert [p for p in parts if p != text] == list(notes.values()) and parts.count(text) == 30


def paragraphs(*rows: tuple[str, int]) -> list[str]:
    ids = ContentMaker().ids
    lines = [make_line(text, left, 100 + 60 * n, ids) for n, (text, left) in enumerate(rows)]
    return [part[0].text for part in split_paragraphs(lines)]


FULL = "the sun is like the keeper of a light that burns all night"


def test_text_that_goes_on_after_verses_begins_a_paragraph() -> None:
    verses = [("the horses of the sun breathe day.", 300), ("they turn again towards their rise.", 300)]
    found = paragraphs(
        (FULL, 100), (FULL, 100), *verses, *verses, ("Truly the same sun is to man more", 150), (FULL, 100)
    )
    assert found[-1].startswith("Truly")


@pytest.mark.parametrize(
    ("text", "count"), [("And here ends the preface of it", 2), ("and here the preface goes on", 1)]
)
def test_a_line_that_stops_far_short_ends_its_paragraph_though_its_full_stop_was_misread(text: str, count: int) -> None:
    rows = ((FULL, 100), (FULL, 100), (FULL, 100), ("to be raised in mind-", 100), (text, 100))
    assert len(paragraphs(*rows)) == count


class Places(PartReader):
    """Finds one word in each of the places, from top to bottom, whatever it is shown."""

    def __init__(self, *told: tuple[str, Box, float]) -> None:
        self.told = told

    def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
        lines = [line_at(*each) for each in self.told]
        return [block_of(*lines)]


def line_at(text: str, box: Box, confidence: float) -> FoundLine:
    feet = (Point(box.left, box.bottom), Point(box.right, box.bottom))
    return FoundLine((FoundWord(text, box, confidence, "eng"),), box, feet, 40.0)


def test_a_row_that_read_well_is_not_lost_to_a_tangle_that_is_found_in_its_place() -> None:
    rows = [row_of("the lamp was lit and burnt all of the night", 100, 900 + 60 * n) for n in range(6)]
    good = line_at("a row that read well", Box(100, 300, 1000, 340), 0.6)
    knot = line_at("waa tme", Box(100, 345, 1000, 435), 0.1)
    found = (("knot", Box(30, 30, 930, 125), 0.1), ("upper", Box(30, 80, 930, 115), 0.95))
    reader = Places(*found, ("lower", Box(30, 125, 930, 160), 0.95))
    (block,) = untangled(WHITE, 300, ("eng",), [block_of(good, knot, *rows)], reader)
    assert sorted(said(list(block.lines))[:3]) == ["a row that read well", "lower", "upper"]
    assert len(block.lines) == 9


def test_a_word_of_a_strip_does_not_reach_beyond_it() -> None:
    inked = with_type("ruhrt sich nimmer mehr", 200, 330)
    (block,) = read_rest(inked, 300, ("eng",), [], Places(("ruhrtsichnimmermehr", Box(-40, -60, 900, 300), 0.95)))
    ((word,),) = (line.words for line in block.lines)
    assert block.box.covers(word.box, 1.0) and word.box.height < 80


def test_a_tangle_on_which_little_was_found_stays() -> None:
    knot = line_of(300, ("waa", 100, 0.1), ("tme", 180, 0.1), height=90)
    tangled = [block_of(knot)]
    upper, lower = row_of("wea tame", 100, 300), row_of("the rest", 100, 350)
    assert still_tangled(tangled, [block_of(line_of(380, ("the", 100, 0.9)))]) == tangled
    assert still_tangled(tangled, [block_of(upper, lower)]) == []


def test_what_is_left_of_a_line_of_two_rows_has_the_height_of_its_words() -> None:
    rows = [row_of("the lamp was lit", 100, 100 + 60 * n) for n in range(6)]
    left = row_of("and it burnt", 100, 460)._replace(height=80.0)
    (block,) = clear_of_neighbours([block_of(*rows, left)])
    assert block.lines == (*rows, left._replace(height=40.0))


class Says(PartReader):
    """Finds one line where it is shown ink, as wide as that."""

    def __init__(self, text: str, confidence: float) -> None:
        self.text, self.confidence = text, confidence

    def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
        inked = np.argwhere(crop < 128)
        if not len(inked):
            return []
        (top, left), (bottom, right) = inked.min(axis=0).tolist(), inked.max(axis=0).tolist()
        count = len(self.text)
        words, x = list[FoundWord](), float(left)
        for text in self.text.split():
            wide = (right - left) * (len(text) + 1) / count
            words.append(FoundWord(text, Box(round(x), top, round(x + wide), bottom + 1), self.confidence, "eng"))
            x += wide
        box = union(w.box for w in words)
        line = FoundLine(tuple(words), box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), 40.0)
        return [FoundBlock(BlockKind.TEXT, box, (line,))]


@pytest.mark.parametrize(("rows", "found"), [((0, 1, 3, 4), True), ((0, 1), False)])
def test_a_row_between_two_others_is_read_however_unsurely(rows: tuple[int, ...], found: bool) -> None:
    text = "ruhrt sich nimmer mehr"
    known = [row_of(text, 200, 300 + 60 * n) for n in rows]
    inked = WHITE
    for n in range(5):
        inked = with_type(text, 200, 330 + 60 * n, inked)
    rest = read_rest(inked, 300, ("eng",), [block_of(*known)], Says("nhrf fiiid mimner mchr", 0.3))
    assert [said(list(b.lines)) for b in rest] == ([["nhrf fiiid mimner mchr"]] if found else [])


@pytest.mark.parametrize(
    ("between", "confidence", "whole"), [("innin", 0.95, True), ("innin", 0.3, False), ("", 0.95, False)]
)
def test_a_row_is_read_as_a_whole_where_letters_within_it_were_passed_over(
    between: str, confidence: float, whole: bool
) -> None:
    left, right = line_of(300, ("the", 200, 0.9), ("beg", 280, 0.9)), line_of(300, ("g", 440, 0.9), ("of", 480, 0.9))
    inked = with_type("the beg" + between, 200, 330)
    inked = with_type("g of", 440, 330, inked)
    found = with_broken_rows(inked, 300, ("eng",), [block_of(left, right)], Says("the beginning of", confidence))
    assert said([line for b in found for line in b.lines]) == (["the beginning of"] if whole else ["the beg", "g of"])


def test_a_rule_between_two_parts_of_a_row_is_no_letters() -> None:
    left, right = line_of(300, ("beg", 280, 0.9)), line_of(300, ("of", 420, 0.9))
    inked = with_type("in", 350, 330)
    inked[200:450, 380:384] = 0
    blocks = [block_of(left, right)]
    assert with_broken_rows(inked, 300, ("eng",), blocks, Says("begin of", 0.95)) == blocks


def test_a_bit_read_on_words_of_a_line_is_no_line_and_one_between_them_is_theirs() -> None:
    row = line_of(300, ("via", 100, 0.5), ("pa", 180, 0.5), ("spatiua", 300, 0.5), ("hoc", 470, 0.5))
    on, between = line_of(302, ("pat", 310, 0.7), height=36), line_of(302, ("Cen,", 214, 0.6), height=36)
    assert said(without_bits([row, on])) == said([row])
    assert said(join_rows([row, between])) == ["via pa Cen, spatiua hoc"]
    sure = line_of(302, ("pat", 310, 0.9), height=36)
    assert without_bits([row, sure]) == [row, sure]


def test_a_line_that_was_found_twice_with_the_same_words_is_said_once() -> None:
    blocks = [block_of(row_of("sibi vbi nota orientem", 300, 400)) for _ in range(2)]
    (region,) = find_regions(WHITE, 300, blocks, ("eng",), Evidence((), find_rules(WHITE, 300)))
    assert region.text == "sibi vbi nota orientem"


def test_a_letter_between_columns_cuts_a_row_once_those_around_it_are_cut() -> None:
    """All rows run over the gutter; the columns' places cut all but the one with the letter."""
    left, right = "whereas the oil was landed on", "the quay and carried up by hand"
    after = row_of(left, 100, 100).box.right + 90
    rows = []
    for n in range(8):
        words = (*row_of(left, 100, 100 + 60 * n).words, *row_of(right, after, 100 + 60 * n).words)
        if n == 4:
            letter = FoundWord("B", Box(after - 55, 340, after - 35, 380), 0.9, "eng")
            words = tuple(sorted((*words, letter), key=lambda w: w.box.left))
        box = union(w.box for w in words)
        rows.append(FoundLine(words, box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), 40.0))
    columns = (Box(95, 90, after - 85, 580), Box(after - 5, 90, 2000, 580))
    told = tuple(Witness(Kind.TEXT, box, 0.9) for box in columns)
    page = np.full((1600, 2400), 255, np.uint8)
    found = find_regions(page, 300, [block_of(*rows)], ("eng",), Evidence(told, find_rules(page, 300)))
    assert sorted(line.text for r in found for line in r.lines) == sorted([left] * 8 + [right] * 8 + ["B"])


@pytest.mark.parametrize(("height", "below", "found"), [
    (50, ["By the keeper"], True),
    (44, ["By the keeper"], False),
    (50, ["By the keeper", "of the light", "on the rock", "in the sea"], False),  # running text, of which it is no title
])  # fmt: skip
def test_the_first_line_of_a_page_without_running_text_is_its_title_where_it_is_the_largest(
    height: int, below: list[str], found: bool
) -> None:
    page = Page()
    title = page.add("Three songs", 800, 900, height=height)
    page.add(["Fourth song"], 900, 1100)
    page.add(below, 900, 1300)
    assert (page.roles()[title].heading_level is not None) == found


def test_bars_and_notes_of_music_are_no_text() -> None:
    staves = WHITE.copy()
    for y in range(300, 396, 24):
        cv2.line(staves, (200, y), (1400, y), 0, 3)
    for x in (200, 800, 1400):
        cv2.line(staves, (x, 300), (x, 396), 0, 3)
    bit, words = line_of(330, ("13", 1000, 0.95), ("3", 1060, 0.95)), row_of("the lamp is lit tonight", 400, 330)
    found = find_regions(staves, 300, [block_of(bit), block_of(words)], ("eng",), Evidence((), find_rules(staves, 300)))
    assert [line.text for r in found for line in r.lines] == ["the lamp is lit tonight"]


def across(gap: int, text: str = "whereas the oil was landed on the quay") -> list[FoundLine]:
    """Rows of two columns read as one, white of `gap` pixels between them."""
    rows = []
    for n in range(12):
        left = row_of(text, 100, 100 + 60 * n)
        right = row_of(text, left.box.right + gap, 100 + 60 * n)
        words = (*left.words, *right.words)
        box = union(w.box for w in words)
        rows.append(FoundLine(words, box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), 40.0))
    return rows


def test_the_white_between_columns_whose_rows_were_all_read_as_one_is_a_gutter() -> None:
    rows = across(80)
    (gutter,) = find_straight_gutters(rows)
    right = row_of("whereas the oil was landed on the quay", 100, 100).box.right
    assert right <= gutter.left <= right + 80 and (gutter.top, gutter.bottom) == (100, rows[-1].box.bottom)
    assert find_straight_gutters(rows[:9]) == []  # few rows
    assert find_straight_gutters([*rows[:5], *rows[8:]]) == []  # with something else between
    assert find_straight_gutters(across(15)) == []  # words' own spaces
    words = ["whereas", "the", "oil", "was", "landed", "on", "the", "quay", "and", "carried", "up", "by", "hand"]
    turned = [" ".join(words[n % 5 :] + words[: n % 5]) for n in range(12)]
    assert find_straight_gutters([row_of(text, 100, 100 + 60 * n) for n, text in enumerate(turned)]) == []
    assert find_straight_gutters(across(80, "1931 1932 1933 1934 1935")) == []  # a table's figures


@pytest.mark.parametrize(
    ("says", "first", "read"),
    [
        ("There", "here", "There"),
        ("Thcre", "here", "here"),  # what is read there is no word
        ("There", "hcre", "hcre"),  # nor what stood there with a letter more
        ("where", "here", "where"),
        ("heres", "here", "here"),  # the ink stands before it
    ],
)
def test_a_letter_that_was_passed_over_before_a_row_is_read_with_its_first_word(
    says: str, first: str, read: str
) -> None:
    line = line_of(300, (first, 220, 0.9), ("was", 330, 0.9), height=24)
    page = with_type("T", 200, 322, with_type("here", 220, 322, with_type("was", 330, 322)))
    told = Places((says, Box(10, 10, 110, 40), 0.9))
    (block,) = with_outer_letters(page, 300, ("eng",), [block_of(line)], told)
    words = block.lines[0].words
    assert [w.text for w in words] == [read, "was"]
    assert (words[0].box.left < 205 and block.lines[0].box.left < 205 and first in words[0].others) == (read != first)


def test_a_letter_that_was_passed_over_behind_a_row_is_read_with_its_last_word() -> None:
    line = line_of(300, ("was", 220, 0.9), ("her", 330, 0.9), height=24)
    page = with_type("was", 220, 322, with_type("here", 330, 322))
    told = Places(("here", Box(10, 10, 110, 40), 0.9))
    (block,) = with_outer_letters(page, 300, ("eng",), [block_of(line)], told)
    assert said(list(block.lines)) == ["was here"] and block.lines[0].box.right > 400


@pytest.mark.parametrize(("letter", "left", "beneath"), [("T", 196, 300), (".", 211, 300), ("T", 200, 306)])
def test_ink_that_stands_apart_that_is_no_letter_or_that_is_another_words_is_not_read_with_a_word(
    letter: str, left: int, beneath: int
) -> None:
    line = line_of(300, ("here", 220, 0.9), height=24)
    page = with_type(letter, left, 322, with_type("here", 220, 322))
    other = line_of(beneath, ("T", 200, 0.9), height=24)
    lines = [line, other] if beneath > 300 else [line]
    told = Places(("There", Box(10, 10, 110, 40), 0.9))
    assert with_outer_letters(page, 300, ("eng",), [block_of(*lines)], told) == [block_of(*lines)]
