"""Newspapers, dictionaries, verses, lists, numbered lines: what their own measures tell about columns and paragraphs."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
import pytest

from bench.kinds import DPI, read, rests, truth_of
from bench.page_kinds import KINDS, pages
from bench.real.score import score
from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.aligned import find_aligned_tables
from hyalen.core.layout.bullets import BULLET
from hyalen.core.layout.columns import columns
from hyalen.core.layout.order import reading_order
from hyalen.core.layout.paragraphs import split_paragraphs
from hyalen.core.layout.rows import join_rows
from hyalen.core.model.content import Line, PageContent, Role
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord, Model, Shape
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.item_marks import with_item_marks
from hyalen.core.structure.line_numbers import line_numbers
from hyalen.demo.typeset import A4, Typesetter
from tests.conftest import ContentMaker, make_line
from tests.test_layout import read_line
from tests.test_margins import Page

PARTS = {kind.name: (kind, html) for kind, html in pages()}


@pytest.mark.parametrize("name", ["newspaper", "dictionary", "verse", "numbered lines", "lists", "notes in columns"])
def test_a_kind_of_page_is_read_as_it_was_set(setter: Typesetter, name: str) -> None:
    kind, html = PARTS[name]
    page = setter.set(html, DPI, *(A4[::-1] if kind.landscape else A4))
    told, _ = read(kind, page, "well")
    assert told.score.f1 > 0.85 and told.score.order > 0.9 and told.score.roles > 0.7


def test_what_is_asked_of_a_page_is_what_its_markup_tells(setter: Typesetter) -> None:
    html = """<style>main{columns:2;height:40mm;column-fill:auto;width:150mm}</style><p data-role="a">Head</p>
        <main><p data-role="h">Title</p><p data-role="p">%s</p><p data-role="any n">A note</p></main>"""
    page = setter.set(html % " ".join(f"word{i}" for i in range(60)), 100)
    truth = truth_of(page)
    assert [role for role, _ in truth["order"]] == ["h", "p"] and truth["artifacts"] == ["Head"]
    (note, (kind, rest)) = truth["anywhere"]
    assert note == ["n", "A note"] and kind == "?" and rest.startswith("word") and not rest.startswith("word0 ")
    assert rests(page.blocks[1]) == [] and len({kind.name for kind in KINDS}) == len(KINDS)
    nothing = PageContent(width=100, height=100, dpi=100, regions=())
    assert score(nothing, truth).f1 == score(nothing, truth).roles == 0
    untold = {"order": [["*", "Title"]], "artifacts": []}
    assert score(nothing, untold).roles == 1  # no role is asked


# Columns


def even(text: str, left: int, top: int, right: int) -> FoundLine:
    """A line whose white makes it end where it should."""
    line = read_line(text, left, top, height=30)
    step = (right - line.box.right) / max(1, len(line.words) - 1)
    words = tuple(
        w._replace(box=w.box._replace(left=round(w.box.left + step * i), right=round(w.box.right + step * i)))
        for i, w in enumerate(line.words)
    )
    return FoundLine(words, union(w.box for w in words), (Point(left, top + 30), Point(right, top + 30)), 30)


RUNNING = ["the keeper lights", "lamp and writes it", "hour into his book", "before he goes up", "to wind the clock",
           "of the lantern and", "look out over the", "water to the north"]  # fmt: skip
NAMES = ["Anders Holm keeper", "Birte Vang cook", "Carl Oder boatman", "Dagny Rusk smith", "Erik Stave keeper",
         "Frida Lund cook", "Gunnar Telle mate", "Hanna Wiik keeper"]  # fmt: skip


@pytest.mark.parametrize(("rows", "tables"), [(RUNNING, 0), (NAMES, 1)])
def test_columns_of_running_text_between_rules_are_no_table(rows: list[str], tables: int) -> None:
    chains = [[even(text, left, 400 + 50 * i, left + 400) for i, text in enumerate(rows)] for left in (100, 560, 1020)]
    across = [Box(100, 380, 1420, 384), Box(100, 790, 1420, 794)]
    assert len(find_aligned_tables(chains, across)) == tables


def test_the_rest_of_a_column_is_read_before_the_next_one() -> None:
    """The right column ends where a heading begins in the left one, so that white runs across both there."""
    title, upper, right = Box(456, 350, 2049, 415), Box(249, 823, 1211, 2059), Box(1295, 782, 2257, 2059)
    head, rest = Box(249, 2107, 642, 2137), Box(246, 2170, 1211, 2792)
    assert reading_order([title, right, rest, upper, head]) == [0, 3, 4, 2, 1]
    across = Box(249, 2170, 2257, 2792)
    assert reading_order([title, right, across, upper, head]) == [0, 3, 1, 4, 2]  # what runs over both comes after both
    far, narrow = rest._replace(top=2600), rest._replace(right=800)
    assert reading_order([title, right, far, upper]) == [0, 3, 1, 2]
    assert reading_order([title, right, narrow, upper]) == [0, 3, 1, 2]


def test_lines_that_keep_a_wide_distance_are_one_column_and_two_far_ones_are_not() -> None:
    rows = [read_line("account of any act or omission which did", 100, 100 + 120 * i) for i in range(8)]
    assert [len(chain) for chain in columns(rows)] == [8]
    assert [len(chain) for chain in columns(rows[:2])] == [1, 1]


def test_a_loose_line_of_an_even_column_is_one_where_those_around_it_are_as_long() -> None:
    above, below = (
        even("privacy or his family home or", 100, 100, 660),
        even("attacks upon his honour and", 100, 200, 660),
    )
    left, right = even("correspondence", 100, 150, 310), even("sent to him", 385, 150, 660)
    assert len(join_rows([above, left, right, below])) == 3
    assert len(join_rows([above, left, right])) == 3  # on one side only
    short = even("attacks upon his honour and", 100, 200, 600)
    assert len(join_rows([above, left, right, short])) == 4
    figures = even("1927 and 1928", 385, 150, 660)
    assert len(join_rows([above, left, figures, below])) == 4


# Paragraphs


def set_lines(*rows: tuple[str, int, int]) -> list[Line]:
    ids = ContentMaker().ids
    return [make_line(text, x, y, ids) for text, x, y in rows]


def test_verses_are_one_block_whether_they_are_moved_in_or_not() -> None:
    verses = ["The lamp burns low upon the stair", "And no one comes to trim the wick", "While over all the water there",
              "The fog is lying grey and thick", "Yet in the morning comes the mate"]  # fmt: skip
    lines = set_lines(*((text, 100 + 60 * (i % 2), 100 + 60 * i) for i, text in enumerate(verses)))
    assert [len(p) for p in split_paragraphs(lines)] == [5]
    prose = [text.lower() if i % 2 == 0 else text + " of it." for i, text in enumerate(verses)]
    lines = set_lines(*((text, 100 + 60 * (i % 2), 100 + 60 * i) for i, text in enumerate(prose)))
    assert len(split_paragraphs(lines)) > 1


def test_a_long_entry_that_hangs_in_does_not_hide_the_next() -> None:
    def entry(head: str, rows: int, top: int) -> list[tuple[str, int, int]]:
        inner = [("and goes on below it to the end of the column", 140, top + 60 * (i + 1)) for i in range(rows)]
        return [(f"{head}, what is said of it goes on over some lines", 100, top), *inner]

    lines = set_lines(*entry("Bell", 6, 100), *entry("Berth", 7, 520), *entry("Bilge", 4, 1000))
    assert [len(p) for p in split_paragraphs(lines)] == [7, 8, 5]


def test_the_third_line_of_an_item_is_no_paragraph() -> None:
    lines = set_lines(
        ("2. No one shall be deprived of what he owns by those", 100, 100), ("who keep the books of the station and", 160, 160),
        ("of its stores.", 160, 220), ("3. To the keeper of the light belongs what he brought", 100, 280),
    )  # fmt: skip
    assert [len(p) for p in split_paragraphs(lines)] == [3, 1]


def test_a_first_line_in_capitals_that_does_not_fill_its_column_is_a_heading() -> None:
    text = [
        ("No one is to leave the lantern before the second keeper", 160, 160),
        ("has come up and has taken over the watch.", 100, 220),
    ]
    assert [len(p) for p in split_paragraphs(set_lines(("IN THE MATTER OF THE TERN", 200, 100), *text))] == [1, 2]
    assert len(split_paragraphs(set_lines(("FIGURE 3:", 100, 100), ("The five regions of it", 100, 160)))) == 1


# Marks of items


class Says:
    """A reader that reads every place as it is told."""

    def __init__(self, *texts: str) -> None:
        self.texts, self.asked = texts, 0

    def read_region(
        self, page: Image, dpi: float, languages: tuple[str, ...], shape: Shape, model: Model = Model.USUAL
    ) -> list[FoundBlock]:
        self.asked += 1
        line = read_line(" ".join(self.texts), 10, 10)
        return [FoundBlock(BlockKind.TEXT, line.box, (line,))]


def items_page(*drawn: Box, discs: Sequence[tuple[int, int]] = (), rows: int = 2) -> tuple[Image, FoundBlock]:
    page = np.full((600, 1600), 255, np.uint8)
    lines = tuple(read_line("Everyone has the right", 300, 100 + 120 * i) for i in range(rows))
    for line in lines:
        for word in line.words:
            page[word.box.top : word.box.bottom, word.box.left : word.box.right] = 0
    for box in drawn:
        page[box.top : box.bottom, box.left : box.right] = 0
    for x, y in discs:
        cv2.circle(page, (x, y), 9, 0, -1)
    return page, FoundBlock(BlockKind.TEXT, union(line.box for line in lines), lines)


def heads(blocks: Sequence[FoundBlock]) -> list[str]:
    return [line.words[0].text for block in blocks for line in block.lines]


def test_a_number_before_a_row_is_read_and_what_does_not_read_as_one_is_left() -> None:
    page, block = items_page(Box(230, 105, 250, 140), Box(258, 134, 264, 140))
    assert heads(with_item_marks(page, 300, ("eng",), [block], Says("3.", "Everyone"))) == ["3.", "Everyone"]
    assert heads(with_item_marks(page, 300, ("eng",), [block], Says("Ly", "Everyone"))) == ["Everyone", "Everyone"]
    nothing, unmarked = items_page()
    reader = Says("3.")
    assert heads(with_item_marks(nothing, 300, ("eng",), [unmarked], reader)) == ["Everyone", "Everyone"]
    assert not reader.asked


def test_what_was_read_of_a_mark_goes_into_it() -> None:
    page, block = items_page(Box(230, 105, 250, 140), Box(258, 134, 264, 140))
    bit = FoundWord(".", Box(258, 134, 264, 140), 0.9, "eng")
    first = block.lines[0]._replace(words=(bit, *block.lines[0].words))
    (found,) = with_item_marks(
        page, 300, ("eng",), [block._replace(lines=(first, block.lines[1]))], Says("3.", "Everyone")
    )
    assert [w.text for w in found.lines[0].words] == ["3.", "Everyone", "has", "the", "right"]
    assert found.lines[0].words[0].others == (".",)


def test_discs_beneath_each_other_are_bullets_and_one_speck_is_none() -> None:
    page, block = items_page(discs=[(260, 120), (260, 240)])
    assert heads(with_item_marks(page, 300, ("eng",), [block], Says("o"))) == [BULLET, BULLET]
    page, block = items_page(discs=[(260, 120)])
    assert heads(with_item_marks(page, 300, ("eng",), [block], Says("o"))) == ["Everyone", "Everyone"]


def test_ink_of_another_column_is_no_mark() -> None:
    page, block = items_page(Box(150, 105, 250, 140))  # too wide
    other = read_line("column", 170, 100)
    reader = Says("3.", "Everyone")
    assert heads(with_item_marks(page, 300, ("eng",), [block], reader)) == ["Everyone", "Everyone"]
    page, block = items_page(Box(230, 105, 250, 140))
    beside = FoundBlock(BlockKind.TEXT, other.box, (other,))
    assert heads(with_item_marks(page, 300, ("eng",), [block, beside], reader)) == ["Everyone", "Everyone", "column"]
    assert not reader.asked


# Margins


@pytest.mark.parametrize(
    ("numbers", "counted"),
    [
        (["5", "10", "15", "20"], 4),
        (["5", "Io", "15", "xx"], 4),
        (["5", "10", "30", "12"], 0),
        (["a", "b", "c", "d"], 0),
    ],
)
def test_numbers_beside_a_text_that_keep_its_pace_count_its_lines(numbers: list[str], counted: int) -> None:
    page = Page()
    for i in range(7):
        page.add(["The light was shown from sunset to sunrise"] * 3, 300, 500 + 180 * i)
    for i, number in enumerate(numbers):
        page.add(number, 1600, 740 + 300 * i)
    assert len(line_numbers(page.regions, 28)) == counted
    roles = page.roles()
    assert sum(role is Role.ARTIFACT for role in roles.values()) >= counted


@pytest.mark.parametrize(
    ("text", "counted"), [("and goes on below it to the end", 5), ("Anders Holm, keeper of it", 0)]
)
def test_numbers_of_entries_are_no_numbers_of_lines(text: str, counted: int) -> None:
    page = Page()
    for i in range(5):
        page.add(text, 400, 500 + 120 * i)
        page.add(str(i + 1), 300, 500 + 120 * i)
    assert len(line_numbers(page.regions, 28)) == counted


def test_small_type_beneath_all_of_the_text_with_two_signs_is_notes() -> None:
    for signs, notes in ((("* ", "† "), 3), (("", "† "), 0)):
        page = Page()
        for i in range(3):
            page.add(["The light was shown from sunset to sunrise on every night"] * 4, 300, 300 + 300 * i)
        for i, sign in enumerate((*signs, "")):
            page.add(sign + "The book of the second keeper, which is lost", 300, 1300 + 40 * i, height=30)
        assert list(page.roles().values()).count(Role.NOTE) == notes


def test_a_line_is_underlined_by_parts_and_large_type_between_rules_is_no_note(page: Page) -> None:
    head = page.add("What is proposed", 300, 2500)
    box = page.regions[-1].box
    third = box.width // 5
    parts = [
        Box(box.left, box.bottom + 4, box.left + 2 * third, box.bottom + 8),
        Box(box.right - 2 * third, box.bottom + 4, box.right, box.bottom + 8),
    ]
    assert page.roles(rules=parts)[head].heading_level
    assert not page.roles(rules=parts[:1])[head].heading_level
    pulled = page.add("Nobody came for eleven weeks, and the oil was gone by then", 300, 2700, height=60)
    after = page.add("The light was shown from sunset to sunrise on every night of it", 300, 2850)
    roles = page.roles(rules=[Box(300, 2680, 900, 2684), Box(300, 2820, 900, 2824)])
    assert Role.NOTE not in (roles[pulled], roles[after])


@pytest.fixture
def page() -> Page:
    made = Page()
    for i in range(5):
        made.add(["The light was shown from sunset to sunrise on every night of"] * 3, 300, 500 + 400 * i)
    return made
