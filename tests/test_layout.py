"""Regions, tables and reading order from places alone."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
import pytest

from bench.material import paragraphs
from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.aligned import find_aligned_tables, split_rows
from hyalen.core.layout.beside_column import with_notes_apart
from hyalen.core.layout.bullets import mark_bullets
from hyalen.core.layout.cells import settled
from hyalen.core.layout.columns import columns
from hyalen.core.layout.evidence import Evidence
from hyalen.core.layout.figures import find_figures
from hyalen.core.layout.figures_apart import with_figures_apart
from hyalen.core.layout.initials import join_initials
from hyalen.core.layout.legible import in_rows, is_noise, is_print
from hyalen.core.layout.making import Numbering, table_region
from hyalen.core.layout.order import near_ties, reading_order
from hyalen.core.layout.paragraphs import entry_numbers, split_paragraphs
from hyalen.core.layout.regions import find_regions
from hyalen.core.layout.rows import (
    cut_lines,
    find_guides,
    find_gutters,
    join_rows,
    without_rule_marks,
    without_screens,
    without_strokes_on,
)
from hyalen.core.layout.rules import find_rules
from hyalen.core.layout.sizes import type_size
from hyalen.core.layout.tables import FoundCell, FoundTable, find_grids
from hyalen.core.model.content import Cell, Line, RegionKind, Role, Table
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.proofing.totals import number, wrong_totals
from hyalen.core.read import read_content
from hyalen.demo.typeset import Typesetter
from tests.conftest import ContentMaker, make_line


def read_line(text: str, left: int, top: int, height: int = 40, language: str = "eng") -> FoundLine:
    words, x = [], left
    for token in text.split():
        right = x + height // 2 * len(token)
        words.append(FoundWord(token, Box(x, top, right, top + height), 0.95, language))
        x = right + 15
    box = union(w.box for w in words)
    return FoundLine(tuple(words), box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), height)


TITLE, LEFT_1, LEFT_2 = Box(300, 50, 1500, 110), Box(100, 200, 800, 700), Box(100, 740, 800, 1200)
RIGHT_1, RIGHT_2, FOOT = Box(900, 200, 1600, 450), Box(900, 480, 1600, 1200), Box(100, 1300, 1600, 1380)


def test_two_columns_under_a_title_are_read_one_after_the_other() -> None:
    boxes = [RIGHT_2, FOOT, LEFT_2, TITLE, RIGHT_1, LEFT_1]
    assert reading_order(boxes) == [3, 5, 2, 4, 0, 1]


def test_columns_run_from_the_right_in_right_to_left_scripts() -> None:
    boxes = [TITLE, LEFT_1, LEFT_2, RIGHT_1, RIGHT_2, FOOT]
    assert reading_order(boxes, right_to_left=True) == [0, 3, 4, 1, 2, 5]


def test_a_picture_over_both_columns_parts_them() -> None:
    wide = Box(100, 600, 1600, 900)
    upper_left, upper_right = Box(100, 100, 800, 550), Box(900, 100, 1600, 550)
    lower_left, lower_right = Box(100, 950, 800, 1300), Box(900, 950, 1600, 1300)
    boxes = [lower_right, lower_left, wide, upper_right, upper_left]
    assert reading_order(boxes) == [4, 3, 2, 1, 0]


def test_a_short_line_centred_over_two_columns_comes_first() -> None:
    centred, left_heading = Box(650, 120, 1050, 160), Box(100, 200, 420, 240)
    boxes = [left_heading, Box(100, 260, 800, 900), Box(900, 200, 1600, 900), centred]
    assert reading_order(boxes) == [3, 0, 1, 2]


def test_a_page_number_far_below_does_not_cut_off_a_paragraphs_short_last_line() -> None:
    lines = [
        read_line("a line that runs over the whole width of the page here", 100, 100),
        read_line("a second one that runs over the whole width of it too", 100, 160),
        read_line("and ends.", 100, 220),
        read_line("17", 800, 900),
    ]
    assert [len(chain) for chain in columns(lines)] == [3, 1]


def test_four_columns() -> None:
    boxes = [Box(100 + 400 * c, 100 + 300 * r, 450 + 400 * c, 380 + 300 * r) for r in range(3) for c in range(4)]
    assert reading_order(boxes) == [r * 4 + c for c in range(4) for r in range(3)]


def test_lines_of_side_by_side_columns_make_two_chains() -> None:
    lines = [read_line("one two three", x, y) for y in (100, 160, 220) for x in (100, 800)]
    found = columns(lines)
    assert sorted([[line.box.left for line in chain] for chain in found]) == [[100] * 3, [800] * 3]


def test_a_row_cut_in_two_is_one_line_and_a_column_gap_is_not() -> None:
    near, far = read_line("first half", 100, 100), read_line("second", 312, 102)
    other = read_line("next column", 700, 100)
    joined = join_rows([other, far, near])
    assert sorted(" ".join(w.text for w in line.words) for line in joined) == ["first half second", "next column"]
    arabic = join_rows([read_line("ب", 100, 100, language="ara"), read_line("ا", 135, 100, language="ara")])
    assert [w.text for w in arabic[0].words] == ["ا", "ب"]


def test_paragraphs_part_at_space_indent_size_marker_and_short_end() -> None:
    ids = ContentMaker().ids
    rows = [
        ("The first paragraph starts here and it goes", 100, 100), ("on over to a second line of text, which", 100, 160),
        ("ends short.", 100, 220), ("The next one starts without any space at", 100, 280),
        ("all, and is followed by an indented one:", 100, 340), ("about the same length as the others are", 160, 400),
        ("and then by one after a space.", 100, 460), ("After the space there are two items more:", 100, 560),
        ("1. the first of them", 100, 620), ("2. the second", 100, 680),
    ]  # fmt: skip
    lines = [make_line(text, x, y, ids) for text, x, y in rows]
    assert [len(p) for p in split_paragraphs(lines)] == [3, 2, 2, 1, 1, 1]
    tall = make_line("Larger type follows", 100, 740, ids, height=60)
    assert [len(p) for p in split_paragraphs([lines[0], tall])] == [1, 1]


def test_a_line_at_the_indent_of_other_paragraphs_opens_one_where_the_sentence_before_is_cut_off() -> None:
    ids = ContentMaker().ids
    rows = ["The Royal Board has met once", "and spoke of the tender's oil.", "  The accounts also showed it",
            "at length, and in full too.", "  Provided a suitable site is", "found, which experience might",
            "  There was no intention of a", "larger store at Hallvik now"]  # fmt: skip

    def parts(rows: list[str]) -> list[int]:
        lines = [make_line(t.strip(), 134 if t[0] == " " else 100, 100 + 50 * i, ids) for i, t in enumerate(rows)]
        return [len(p) for p in split_paragraphs(lines)]

    assert parts(rows) == [2, 2, 2, 2]
    assert parts([*rows[:6], "  there was no intention of a", rows[7]]) == [2, 2, 4]
    assert parts([*rows[:5], "found, which experience, and,", *rows[6:]]) == [2, 2, 4]
    assert parts([*rows[:2], rows[2].strip(), *rows[3:]]) == [4, 4]  # one other does not tell an indent


def test_a_bold_line_that_ends_early_is_parted_from_the_text_beside_it() -> None:
    ids = ContentMaker().ids
    texts = [
        "Stores and tenders",
        "Whereas the oil is landed twice a year, and",
        "the tender calls in March and in October as",
        "the weather allows,",
    ]
    lines = [make_line(text, 100, 100 + 60 * i, ids) for i, text in enumerate(texts)]
    assert [len(p) for p in split_paragraphs(lines, strokes=[3.0, 3.1, 3.0, 3.0])] == [4]
    assert [len(p) for p in split_paragraphs(lines, strokes=[4.4, 3.1, 3.0, 3.0])] == [1, 3]
    # Worn type varies: a line that is a little heavier is no heading.
    assert [len(p) for p in split_paragraphs(lines, strokes=[3.6, 2.7, 3.3, 3.0])] == [4]


@pytest.mark.parametrize("face", ["Liberation Sans", "EB Garamond"])
@pytest.mark.parametrize("style", ["font-weight:bold", "font-size:1.3em;font-weight:normal"])
def test_headings_are_found_by_weight_or_size(setter: Typesetter, face: str, style: str) -> None:
    heads = ("Of the lamp and its keeper", "Stores and tenders", "The fog signal")
    body = "".join(
        f'<h3 style="margin:1em 0 .4em;font-size:1em;{style}">{head}</h3><p style="margin:0 0 .6em">{text}</p>'
        for head, (tag, text) in zip(
            heads, [p for p in paragraphs("eng") if p[0] == "p" and len(p[1]) > 200], strict=False
        )
    )
    page = setter.set(f"<!doctype html><html lang=en><body style=\"margin:25mm;font:11pt/1.4 '{face}'\">{body}", 300)
    content = read_content(page.image, 300, ("eng",))
    assert [r.text for r in content.regions if r.role.heading_level] == list(heads)


def test_a_line_that_goes_on_in_plain_type_is_no_heading(setter: Typesetter) -> None:
    texts = [text for tag, text in paragraphs("eng") if tag == "p" and len(text) > 200][:4]
    heads = ("Wicks of the second order", "<b>Wicks and oil and</b> glass", "Stores and tenders")
    body = "".join(
        f'<p style="margin:1em 0;{"" if "<b>" in head else "font-weight:bold"}">{head}</p><p style="margin:0">{text}</p>'
        for head, text in zip(heads, texts[1:], strict=True)
    )
    style = "margin:25mm;font:11pt/1.4 'Liberation Sans'"
    page = setter.set(f'<!doctype html><html lang=en><body style="{style}"><p>{texts[0]}</p>{body}')
    content = read_content(page.image, page.dpi, ("eng",))
    assert [r.text for r in content.regions if r.role.heading_level] == [heads[0], heads[2]]


@pytest.mark.parametrize("rows,columns", [(1, 4), (5, 1)])
def test_a_single_ruled_row_or_column_is_a_table(rows: int, columns: int) -> None:
    page = np.full((1400, 1700), 255, np.uint8)
    xs = np.linspace(200, 1500, columns + 1).astype(int).tolist()
    ys = [300 + 70 * r for r in range(rows + 1)]
    for y in ys:
        cv2.line(page, (xs[0], y), (xs[-1], y), 0, 3)
    for x in xs:
        cv2.line(page, (x, ys[0]), (x, ys[-1]), 0, 3)
    (table,) = ruled_tables(page, 200)
    assert (table.rows, table.columns, len(table.cells)) == (rows, columns, rows * columns)
    blank = find_regions(page, 200, [], ("eng",))
    assert [r for r in blank if r.table is not None] == []  # boxes without a word are a drawing's


def test_type_size_does_not_depend_on_descenders() -> None:
    ids = ContentMaker().ids
    plain = make_line("The tower", 100, 100, ids)
    with_tail = plain.model_copy(update={"height": 55.0})
    assert type_size(plain) == type_size(with_tail) == 40


def ruled_tables(page: np.ndarray, dpi: float) -> list[FoundTable]:
    return find_grids(find_rules(page, dpi)).tables


def draw_table(spans: bool) -> np.ndarray:
    page = np.full((1400, 1700), 255, np.uint8)
    xs, ys = [200, 600, 900, 1200, 1500], [300, 380, 460, 540, 620]
    for y in ys:
        cv2.line(page, (xs[0], y), (xs[-1], y), 0, 3)
    for x in xs:
        cv2.line(page, (x, ys[0]), (x, ys[-1]), 0, 3)
    if spans:
        cv2.line(page, (900, 304), (900, 376), 255, 7)  # columns 1 and 2 of the first row are one
        cv2.line(page, (204, 540), (596, 540), 255, 7)  # rows 2 and 3 of the first column are one
    return page


def test_a_dark_ground_between_letters_is_no_rule_and_a_double_one_is_two() -> None:
    page = np.full((1200, 1600), 255, np.uint8)
    cv2.line(page, (200, 200), (200, 900), 0, 3)
    cv2.line(page, (212, 200), (212, 900), 0, 3)  # double
    page[200:900, 500:760] = 0
    for top in range(220, 880, 60):  # light letters, and between them the ground runs down
        page[top : top + 30, 510:625] = page[top : top + 30, 635:750] = 255
    down = {round(rule.centre.x, -1) for rule in find_rules(page, 300).down}
    assert {200, 210} <= down and not any(510 < x < 750 for x in down)


def test_ruled_table_is_found_with_its_grid() -> None:
    (table,) = ruled_tables(draw_table(spans=False), 200)
    assert (table.rows, table.columns, len(table.cells)) == (4, 4, 16)
    assert table.box.covers(Box(210, 310, 1490, 610), 0.98)


def test_spans_are_one_cell() -> None:
    (table,) = ruled_tables(draw_table(spans=True), 200)
    spans = {
        (c.row, c.column): (c.row_span, c.column_span) for c in table.cells if (c.row_span, c.column_span) != (1, 1)
    }
    assert spans == {(0, 1): (1, 2), (2, 0): (2, 1)}
    assert len(table.cells) == 14


@pytest.mark.parametrize("what", ["single frame", "underlines", "solid picture"])
def test_other_strokes_are_no_tables(what: str) -> None:
    page = np.full((1400, 1700), 255, np.uint8)
    if what == "single frame":
        cv2.rectangle(page, (200, 300), (1500, 900), 0, 4)
    elif what == "underlines":
        for y in range(300, 1000, 90):
            cv2.line(page, (200, y), (1500, y), 0, 3)
    else:
        cv2.rectangle(page, (200, 300), (1500, 900), 60, -1)
    assert ruled_tables(page, 200) == []


def test_a_drawing_is_a_figure_and_words_and_specks_are_not() -> None:
    page = np.full((3508, 2480), 255, np.uint8)
    cv2.ellipse(page, (1200, 1500), (400, 300), 0, 0, 360, 0, 6)
    cv2.line(page, (820, 1500), (1580, 1500), 0, 6)
    cv2.putText(page, "Some words above", (300, 400), cv2.FONT_HERSHEY_DUPLEX, 2, 0, 4)
    cv2.circle(page, (2000, 3000), 6, 0, -1)
    (figure,) = find_figures(page, 300, [Box(300, 340, 900, 420)], [])
    assert figure.box.covers(Box(800, 1200, 1600, 1800), 0.97)
    assert figure.box.area < 1.1 * 800 * 600


def test_a_line_between_two_drawings_parts_what_is_told_as_one_picture() -> None:
    page = np.full((3508, 2480), 255, np.uint8)
    for top in (600, 1800):
        cv2.ellipse(page, (1200, top + 400), (700, 380), 0, 0, 360, 0, 8)
        cv2.line(page, (520, top + 400), (1880, top + 400), 0, 8)
    cv2.line(page, (600, 1490), (660, 1490), 0, 6)  # a dash before it, that was not read
    told = [Box(480, 580, 1920, 2620)]
    words = [Box(700 + 220 * i, 1460, 900 + 220 * i, 1520) for i in range(5)]
    for box in words:
        cv2.rectangle(page, (box.left, box.top), (box.right, box.bottom), 0, -1)
    upper, lower = sorted((f.box for f in find_figures(page, 300, words, [], told)), key=lambda box: box.top)
    assert upper.bottom < words[0].top < words[0].bottom < lower.top
    assert len(find_figures(page, 300, words[:2], [], told)) == 1  # a label, no line
    small = page.copy()
    small[1800:] = 255
    cv2.rectangle(small, (600, 1700), (680, 1760), 0, -1)  # a legend's sign
    assert len(find_figures(small, 300, words, [], told)) == 1
    beside = [Box(box.left, 2300, box.right, 2360) for box in words]  # within the lower one
    (whole,) = find_figures(page, 300, beside, [], told)
    assert whole.box.covers(Box(520, 620, 1880, 2560), 0.97)


def test_rules_without_words_in_a_far_larger_drawing_are_no_table() -> None:
    page = np.full((2000, 2000), 255, np.uint8)
    cv2.ellipse(page, (1000, 1000), (800, 700), 0, 0, 360, 0, 8)
    cv2.ellipse(page, (1000, 1000), (500, 400), 30, 0, 360, 0, 20)
    for at in (800, 950, 1100):
        cv2.line(page, (800, at), (1100, at), 0, 6)
        cv2.line(page, (at, 800), (at, 1100), 0, 6)
    drawing = FoundBlock(BlockKind.PICTURE, Box(190, 290, 1810, 1710), ())
    kinds = {r.kind for r in find_regions(page, 300, [drawing], ("eng",))}
    assert kinds == {RegionKind.FIGURE}
    form = FoundBlock(BlockKind.PICTURE, Box(780, 780, 1120, 1120), ())
    assert RegionKind.TABLE in {r.kind for r in find_regions(page, 300, [form], ("eng",))}


def test_text_in_a_frame_is_no_figure() -> None:
    page = np.full((3508, 2480), 255, np.uint8)
    cv2.rectangle(page, (300, 1000), (2100, 1600), 0, 6)
    words = [Box(360 + 210 * i, 1050 + 90 * j, 550 + 210 * i, 1100 + 90 * j) for i in range(8) for j in range(6)]
    for box in words:
        cv2.rectangle(page, (box.left, box.top), (box.right, box.bottom), 0, -1)
    assert find_figures(page, 300, words, []) == []


def test_pictures_within_a_frame_around_the_page_are_found() -> None:
    page = np.full((3508, 2480), 255, np.uint8)
    cv2.rectangle(page, (150, 150), (2330, 3350), 0, 8)
    pictures = [Box(150, 400, 1100, 1300), Box(1400, 2400, 2330, 3100)]  # each touches the frame
    for box in pictures:
        cv2.rectangle(page, (box.left, box.top), (box.right, box.bottom), 70, -1)
    words = [Box(250 + 210 * i, 1400 + 90 * j, 440 + 210 * i, 1450 + 90 * j) for i in range(9) for j in range(10)]
    for box in words:
        cv2.rectangle(page, (box.left, box.top), (box.right, box.bottom), 0, -1)
    found = sorted(find_figures(page, 300, words, []), key=lambda figure: figure.box.top)
    assert len(found) == 2
    assert all(f.box.covers(p, 0.9) and f.box.area < 1.2 * p.area for f, p in zip(found, pictures, strict=True))


def test_lines_of_small_print_that_nobody_could_read_are_no_picture() -> None:
    """What parts them is less than a picture's strokes are joined over on a page of usual print."""
    page = np.full((2000, 2000), 255, np.uint8)
    for row in range(30):
        cv2.rectangle(page, (200, 900 + 30 * row), (800, 915 + 30 * row), 0, -1)

    def found(height: int) -> list[RegionKind]:
        lines = [read_line("the keeper lights the lamp", 200, 100 + 80 * i, height) for i in range(8)]
        block = FoundBlock(BlockKind.TEXT, union(line.box for line in lines), tuple(lines))
        evidence = Evidence((), find_rules(page, 300))  # what the model takes such bars for is not asked here
        return [r.kind for r in find_regions(page, 300, [block], ("eng",), evidence)]

    assert RegionKind.FIGURE in found(height=40)
    assert RegionKind.FIGURE not in found(height=12)


def test_a_headline_that_misses_the_outer_columns_still_comes_first() -> None:
    columns_ = [Box(100 + 400 * c, 200, 450 + 400 * c, 900) for c in range(4)]
    head, second = Box(460, 80, 1300, 140), Box(490, 150, 1290, 180)
    assert reading_order([*columns_, head, second]) == [4, 5, 0, 1, 2, 3]


def test_a_pull_quote_over_the_gutter_is_read_after_the_columns_and_a_head_between_them_before() -> None:
    left, right, quote = Box(100, 100, 800, 1200), Box(900, 100, 1600, 1200), Box(650, 500, 1050, 700)
    assert reading_order([left, right, quote]) == [0, 1, 2]
    head = Box(650, 90, 1050, 250)
    assert reading_order([left, right, head]) == [2, 0, 1]


def test_letters_that_count_a_page_between_its_columns_part_them_and_a_tables_do_not() -> None:
    left = [read_line("whereas the oil was landed on", 100, 100 + 60 * n) for n in range(8)]
    after = left[0].box.right + 90
    right = [read_line("the quay and carried up by hand", after, 100 + 60 * n) for n in range(8)]
    at = left[0].box.right + 35
    mark = read_line("C", at, 100 + 60 * 4)
    (first, *_), rules = mark.words, find_guides([*left, *right, mark])
    assert sorted(r.left for r in rules) == [first.box.left - 1, first.box.right]
    assert all(r.top < first.box.top and first.box.bottom < r.bottom for r in rules)
    run = left[4]._replace(
        words=(*left[4].words, first, *right[4].words), box=left[4].box._replace(right=right[4].box.right)
    )
    rows = [*left[:4], *left[5:], *right[:4], *right[5:], run]
    parts = join_rows(cut_lines(rows, find_guides(rows), []), find_guides(rows))
    assert sorted(" ".join(w.text for w in x.words) for x in parts if len(x.words) == 1) == ["C"]
    assert len(parts) == 17
    narrow = run._replace(
        words=(*left[4].words, first._replace(box=right[4].box._replace(right=after + 12)), *right[4].words)
    )
    assert find_guides([*left[:4], *left[5:], *right[:4], *right[5:], narrow]) == []  # a word that begins a line
    column = [read_line("C", at, 100 + 60 * n) for n in range(8)]
    assert find_guides([*left, *right, *column]) == []


def test_columns_whose_paragraphs_end_at_one_height_are_read_one_after_the_other() -> None:
    """Tall paragraphs give way by more than a line's height to the side, and not above and below."""
    left = [Box(811, 757, 1581, 1803), Box(796, 1804, 1569, 3210)]
    right = [Box(1605, 756, 2370, 1417), Box(1601, 1438, 2366, 1766)]
    right += [Box(1602, 1760, 1730, 1808), Box(1594, 1797, 2362, 2639), Box(1588, 2660, 2356, 3216)]
    assert reading_order([*right, *left, Box(853, 267, 2326, 636)]) == [7, 5, 6, 0, 1, 2, 3, 4]


def test_a_large_picture_over_the_gutter_is_read_first_and_then_column_after_column() -> None:
    """A photograph wider than the left column, beside which the right one begins."""
    picture, caption, right = Box(288, 51, 2010, 1842), Box(961, 1857, 1308, 1895), Box(1387, 349, 2393, 3151)
    left = [Box(322, 1981, 1329, 2767), Box(324, 2800, 724, 2852), Box(323, 2862, 1329, 3151)]
    assert reading_order([right, *left, caption, picture]) == [5, 4, 1, 2, 3, 0]


def test_a_short_last_line_at_the_rim_is_the_paragraphs_and_a_neighbouring_pages_ends_are_not() -> None:
    page = np.full((1600, 1500), 255, np.uint8)
    column = [read_line(" ".join(["lamp"] * 12), 8, 100 + 60 * i) for i in range(6)] + [read_line("was.", 8, 460)]
    cut = [read_line("so", 2, 100 + 60 * i) for i in range(6)]
    inner = [read_line(" ".join(["wick"] * 12), 220, 100 + 60 * i) for i in range(6)]
    for lines, lost in ((column, 0), ([*cut, *inner], 6)):
        block = FoundBlock(BlockKind.TEXT, union(line.box for line in lines), tuple(lines))
        regions = find_regions(page, 300, [block], ("eng",))
        assert sum(len(r.lines) for r in regions if r.role is Role.ARTIFACT) == lost
        assert sum(len(r.lines) for r in regions) == len(lines)


def test_notes_in_the_margin_follow_the_text_they_stand_beside() -> None:
    notes = [Box(100, 300, 250, 360), Box(100, 700, 250, 760)]
    text = [Box(300, 100, 1600, 600), Box(300, 640, 1600, 1200)]
    assert reading_order([*notes, *text]) == [2, 3, 0, 1]


def test_text_beside_a_picture_stays_one_column() -> None:
    wide = "a line that runs over the whole width of the column here and there"
    narrow = "a line that stands beside the picture"
    lines = [read_line(wide, 100, 100 + 60 * i) for i in range(3)]
    lines += [read_line(narrow, 100, 280 + 60 * i) for i in range(4)]
    lines += [read_line(wide, 100, 520 + 60 * i) for i in range(3)]
    assert [len(chain) for chain in columns(lines)] == [10]


def test_what_stands_between_two_words_of_a_line_is_part_of_it() -> None:
    line, bit = read_line("lit lamp", 100, 100), read_line("the", 0, 106, height=28)
    gap = line.words[1]._replace(box=Box(300, 100, 380, 140))
    wide = line._replace(words=(line.words[0], gap), box=Box(100, 100, 380, 140))

    def at(left: int, top: int, line: FoundLine = wide) -> list[str]:
        word = bit.words[0]._replace(box=Box(left, top, left + 42, top + 28))
        moved = bit._replace(words=(word,), box=word.box)
        return sorted(" ".join(w.text for w in each.words) for each in join_rows([line, moved]))

    assert at(210, 106) == ["lit the lamp"]
    assert at(210, 150) == ["lit lamp", "the"]  # below
    assert at(280, 106) == ["lit lamp", "the"]  # over a word
    assert at(210, 106, wide._replace(words=wide.words[::-1])) == ["lamp the lit"]  # from the right


def test_the_heads_of_a_row_are_noise_and_letters_set_far_apart_are_not() -> None:
    heads = read_line("tx71", 100, 100, 14)
    wide = heads.words[0]._replace(box=Box(100, 100, 180, 114), confidence=0.5)
    assert is_noise(heads._replace(words=(wide,), box=wide.box), 300)
    assert not is_noise(heads._replace(words=(wide._replace(confidence=0.9),), box=wide.box), 300)
    flat = wide._replace(text="memoranda"[:4])
    assert not is_noise(heads._replace(words=(flat,), box=flat.box), 300)


@pytest.mark.parametrize("text,noise", [("(16)", False), ("[b]", False), ("16)", True), ("()", True), ("1·6", True)])
def test_a_bracketed_number_is_text_however_unsurely_it_reads(text: str, noise: bool) -> None:
    line = read_line(text, 100, 100)
    unsure = line._replace(words=tuple(w._replace(confidence=0.2) for w in line.words))
    assert is_noise(unsure, 300) is noise


def test_a_loosely_set_row_is_joined_where_a_line_runs_on_over_its_gap() -> None:
    above = read_line("every line of it runs on over the gap", 100, 40)
    left, right = read_line("thawing of", 100, 100), read_line("wages", 325, 101)
    assert len(join_rows([left, right])) == 2
    joined = join_rows([above, left, right])
    assert sorted(" ".join(w.text for w in line.words) for line in joined) == [
        "every line of it runs on over the gap",
        "thawing of wages",
    ]


def test_a_row_is_joined_over_a_space_that_is_as_wide_as_its_own() -> None:
    above = read_line("every line of it runs on over the gap and more", 100, 40)
    words = [
        w._replace(box=Box(w.box.left + 30 * i, w.box.top, w.box.right + 30 * i, w.box.bottom))
        for i, w in enumerate(read_line("Minister of the Church now", 100, 100).words)
    ]
    base = (Point(100, 140), Point(900, 140))
    left, right = (FoundLine(tuple(part), union(w.box for w in part), base, 40) for part in (words[:2], words[2:]))
    assert right.box.left - left.box.right > 40  # a line's height
    assert len(join_rows([above, left, right])) == 2
    close = [w._replace(box=w.box._replace(right=w.box.right + 25)) for w in words[2:]]
    assert len(join_rows([above, left, right._replace(words=tuple(close))])) == 3


def column_beside(*notes: str) -> list[FoundLine]:
    """A column of twelve lines; some from the fifth on have a note before them, run together with them."""
    lines = [read_line("the keeper lights the lamp and writes the hour down", 400, 100 + 60 * n) for n in range(12)]
    for n, note in enumerate(notes, 4):
        words = read_line(note, 100, 100 + 60 * n).words
        words = (*words, *lines[n].words)
        lines[n] = lines[n]._replace(words=words, box=union(w.box for w in words))
    return lines


def test_a_note_in_the_margin_is_parted_from_the_lines_it_was_run_together_with() -> None:
    lines = column_beside("Of the oil", "and of its", "use")
    parts = with_notes_apart(lines)
    texts = sorted(" ".join(w.text for w in part.words) for part in parts)
    assert [t for t in texts if not t.startswith("the keeper")] == ["Of the oil", "and of its", "use"]
    assert len(texts) == 15


def moved(line: FoundLine, by: int) -> FoundLine:
    words = tuple(w._replace(box=w.box._replace(left=w.box.left + by, right=w.box.right + by)) for w in line.words)
    return line._replace(words=words, box=union(w.box for w in words))


def test_a_note_begins_beside_an_indented_line_and_goes_on_in_one_that_was_not_run_together() -> None:
    lines = column_beside("Of the oil", "and of its", "1.", "2.")
    first, second = lines[4], lines[5]
    indented = moved(first._replace(words=first.words[3:]), 60)
    words = (*first.words[:3], *indented.words)
    alone = second._replace(words=second.words[:3], box=union(w.box for w in second.words[:3]))
    beside = second._replace(words=second.words[3:], box=union(w.box for w in second.words[3:]))
    parts = with_notes_apart([*lines[:4], first._replace(words=words), alone, beside, *lines[6:]])
    texts = [" ".join(w.text for w in part.words) for part in parts]
    assert texts[4:7] == ["Of the oil", "the keeper lights the lamp and writes the hour down", "and of its"]


@pytest.mark.parametrize("notes", [("Of the oil",), ("1.", "2.", "3."), ("Of the oil",) * 8])
def test_one_word_numbers_and_a_column_that_begins_farther_out_are_no_notes(notes: tuple[str, ...]) -> None:
    """A glossary's word, a list's numbers; where as many lines begin farther out there is no edge."""
    assert with_notes_apart(column_beside(*notes)) == column_beside(*notes)


def picture_page() -> np.ndarray:
    page = np.full((1600, 2200), 255, np.uint8)
    for radius in range(60, 500, 40):
        cv2.circle(page, (1500, 800), radius, 0, 10)
    return page


def words_of(*told: tuple[str, int, float], top: int = 780) -> FoundLine:
    """Words of a line, each with its left edge and confidence."""
    words = [FoundWord(text, Box(x, top, x + 22 * len(text), top + 40), sure, "eng") for text, x, sure in told]
    box = union(w.box for w in words)
    return FoundLine(tuple(words), box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), 40)


@pytest.mark.parametrize(("told", "text"), [
    ([("remaining", 300, 0.95), ("billion", 520, 0.95), ("Nan", 1300, 0.5), ("wet", 1420, 0.3)], "remaining billion"),
    ([("remaining", 300, 0.95), ("billion", 520, 0.95), ("Baltic", 1300, 0.95)], "remaining billion Baltic"),
    ([("Nan", 1300, 0.5), ("wet", 1420, 0.3)], ""),
    ([("Baltic", 1300, 0.5), ("wet", 1460, 0.3)], "Baltic wet"),  # a map's name
])  # fmt: skip
def test_strokes_of_a_picture_that_a_line_ran_on_into_are_no_words(
    told: list[tuple[str, int, float]], text: str
) -> None:
    line = words_of(*told)
    block = FoundBlock(BlockKind.TEXT, line.box, (line,))
    regions = find_regions(picture_page(), 300, [block], ("eng",), Evidence((), find_rules(picture_page(), 300)))
    assert [r.kind for r in regions if r.kind is RegionKind.FIGURE] == [RegionKind.FIGURE]
    assert " ".join(w.text for r in regions for x in r.lines for w in x.words) == text


def test_the_end_of_a_line_that_was_read_once_more_is_said_once() -> None:
    line = words_of(("remaining", 300, 0.95), ("billion", 520, 0.95), ("of", 700, 0.95))
    again = words_of(("lion", 586, 0.9), ("of", 700, 0.96))
    blocks = [FoundBlock(BlockKind.TEXT, x.box, (x,)) for x in (line, again)]
    page = np.full((1600, 2200), 255, np.uint8)
    regions = find_regions(page, 300, blocks, ("eng",), Evidence((), find_rules(page, 300)))
    assert [w.text for r in regions for x in r.lines for w in x.words] == ["remaining", "billion", "of"]


@pytest.mark.parametrize(("left", "kinds"), [(0, []), (300, [RegionKind.FIGURE])])
def test_a_strip_along_the_rim_is_no_picture(left: int, kinds: list[RegionKind]) -> None:
    page = np.full((3000, 2200), 255, np.uint8)
    noise = np.random.default_rng(3).integers(0, 255, (130, 9)).astype(np.uint8)
    page[300:2900, left : left + 140] = cv2.resize(noise, (140, 2600), interpolation=cv2.INTER_NEAREST) // 2
    found = find_regions(page, 300, [], ("eng",), Evidence((), find_rules(page, 300)))
    assert [r.kind for r in found] == kinds


@pytest.mark.parametrize(("left", "paragraphs"), [(980, 2), (100, 1)])
def test_a_catchword_is_no_line_of_the_paragraph_above_it(left: int, paragraphs: int) -> None:
    ids = ContentMaker().ids
    lines = [make_line("and were little more than eighteen months or", 100, 100 + 60 * i, ids) for i in range(4)]
    right = lines[0].box.right
    last = make_line("hauing" if left > 100 else "hauing seen it", left, 340, ids)
    if left > 100:
        moved = last.words[0].model_copy(update={"box": last.box._replace(left=right - 120, right=right)})
        last = last.model_copy(update={"words": (moved,), "box": moved.box})
    assert len(split_paragraphs([*lines, last])) == paragraphs


def test_a_catchword_is_no_rest_of_the_word_above_it(setter: Typesetter) -> None:
    """After a broken word old print has the word's rest twice: at the foot, and at the head of the next page."""
    line = "The keeper trimmed the wick and wrote the hour into the book, and the light was shown un-"
    style = "body{margin:25mm;font:14pt/1.4 serif;width:110mm;text-align:justify}p{margin:0}.c{text-align:right}"
    html = f"<meta charset=utf-8><style>{style}</style><p data-role=p>{line * 3}</p><p class=c data-role=p>til</p>"
    page = setter.set(html)
    content = read_content(page.image, page.dpi, ("eng",))
    assert [r.text for r in content.artifacts] == ["til"]
    assert content.regions[-1].text.endswith("un-")


@pytest.mark.parametrize(("text", "paragraphs"), [("so ago, in the north", 1), ("So ago, in the north", 2)])
def test_a_last_line_that_goes_on_a_sentence_may_be_worn(text: str, paragraphs: int) -> None:
    ids = ContentMaker().ids
    lines = [make_line("and were little more than eighteen months or", 100, 100 + 60 * i, ids) for i in range(3)]
    last = make_line(text, 100, 280, ids)
    words = tuple(w.model_copy(update={"box": w.box._replace(top=w.box.top - 28)}) for w in last.words)
    assert len(split_paragraphs([*lines, last.model_copy(update={"words": words})])) == paragraphs


@pytest.mark.parametrize(
    ("last", "paragraphs"), [("each of its own.", 2), ("each of its own and a good deal more.", 1)]
)
def test_small_capitals_that_were_read_as_small_letters_open_a_paragraph_after_a_short_line(
    last: str, paragraphs: int
) -> None:
    ids = ContentMaker().ids
    texts = ["and were little more than eighteen months", "that the keeper wrote it in his book", last]
    texts += ["priorities. He made it clear that he was", "there to light the lamp and to wind it up"]
    lines = [make_line(text, 100, 100 + 60 * i, ids) for i, text in enumerate(texts)]
    assert len(split_paragraphs(lines)) == paragraphs


def test_a_line_over_a_rule_or_into_the_next_column_is_cut() -> None:
    line = read_line("left column right column", 100, 100)
    gap = line.words[1].box.right + 7
    assert len(cut_lines([line], [Box(gap, 40, gap + 3, 400)], [])) == 2
    assert len(cut_lines([line], [], [])) == 1


def test_words_of_a_line_that_is_cut_are_as_high_as_their_ink() -> None:
    page = np.full((300, 1500), 255, np.uint8)
    page[120:160, 110:300] = page[100:160, 700:900] = page[90:96, 760:770] = 0  # the last one a dot over its letter
    page[184:200, 710:740] = 0  # the next row
    words = (
        FoundWord("small", Box(110, 90, 300, 196), 0.9, "eng"),
        FoundWord("Large", Box(700, 85, 900, 196), 0.9, "eng"),
    )
    line = FoundLine(words, union(w.box for w in words), (Point(110, 160), Point(900, 160)), 40)
    small, large = cut_lines([line], [Box(500, 0, 503, 300)], [], page)
    assert (small.box, large.box) == (Box(110, 120, 300, 160), Box(700, 90, 900, 160))


def test_a_rule_that_was_read_as_a_stroke_at_a_lines_end_is_no_text() -> None:
    line = read_line("| worsens, he warned. |", 100, 100)
    rule = Box(line.box.right - 12, 40, line.box.right - 9, 400)
    (cleared,) = without_strokes_on([rule], [line])
    assert [w.text for w in cleared.words] == ["|", "worsens,", "he", "warned."]
    assert without_strokes_on([], [line]) == [line]
    (only,) = without_strokes_on([rule], [read_line("|", rule.left - 10, 100)])
    assert len(only.words) == 1


def test_a_line_is_cut_where_far_larger_type_stands_in_it_and_not_behind_a_large_first_letter() -> None:
    small, large = read_line("pieces of the puzzle", 100, 140), read_line("the fourth of", 600, 100, 90)
    after = read_line("not just mash them", 1250, 140)
    words = (*small.words, *large.words, *after.words)
    line = FoundLine(words, union(w.box for w in words), (Point(100, 190), Point(1400, 190)), 90)
    found = [" ".join(w.text for w in part.words) for part in cut_lines([line], [], [])]
    assert found == ["pieces of the puzzle", "the fourth of", "not just mash them"]
    specked = (w._replace(box=w.box._replace(bottom=w.box.top + 90)) for w in small.words[:2])
    assert len(cut_lines([small._replace(words=(*specked, *small.words[2:]))], [], [])) == 1
    initial = FoundWord("O", Box(20, 100, 90, 190), 0.9, "eng")
    assert len(cut_lines([small._replace(words=(initial, *small.words))], [], [])) == 1


def test_strokes_that_stand_below_each_other_are_a_rule_that_parts_columns() -> None:
    texts = ("but may not be | that he is tak", "of the fault x | to the cited on", "state it for me | placed at the r")
    lines = [read_line(text, 100, 100 + 60 * i) for i, text in enumerate(texts)]
    across = read_line("was not read as | a line of its o", 100, 160)
    across = across._replace(words=tuple(w for w in across.words if w.text != "|"))
    kept, rules = without_rule_marks([lines[0], across, *lines[1:]])
    assert len(rules) == 1 and not any(w.text == "|" for line in kept for w in line.words)
    parted = cut_lines(kept, rules, [])
    assert len(parted) == 8 and all(
        line.box.right <= rules[0].left or line.box.left >= rules[0].right for line in parted
    )
    assert without_rule_marks(lines[:2]) == (lines[:2], [])  # two strokes are no rule
    poem = [read_line(text, 100, 100 + 60 * i) for i, text in enumerate(("| saw it", "| came", "| went away"))]
    assert without_rule_marks(poem) == (poem, [])  # nor are three I that were misread


@pytest.mark.parametrize(("opening", "moved_in", "paragraphs"), [
    ("Enite exultemus", 4, 2),  # a word that has lost its first letter
    ("Lantern and wick", 4, 1),  # goes on beside a picture
    ("enite exultemus", 4, 1),
    ("Enite exultemus", 1, 1),
])  # fmt: skip
def test_lines_that_a_large_initial_moves_in_begin_a_paragraph(opening: str, moved_in: int, paragraphs: int) -> None:
    ids = ContentMaker().ids
    row = "the light was shown from sunset to sunrise"
    lines = [make_line(row, 100, 100 + 60 * i, ids) for i in range(3)]
    lines += [make_line(opening if i == 3 else row[:24], 300, 100 + 60 * i, ids) for i in range(3, 3 + moved_in)]
    lines += [make_line(row, 100, 100 + 60 * i, ids) for i in range(3 + moved_in, 10)]
    assert len(split_paragraphs(lines, language="eng")) == paragraphs


@pytest.mark.parametrize(("text", "chains"), [("كان النور مضاء من الغروب", 1), ("The light was shown from", 2)])
def test_in_scripts_without_capitals_lines_may_differ_more_in_height(text: str, chains: int) -> None:
    """Signs stand over some lines' letters; what is flush at the right goes on there."""
    lines = [read_line(text, 100, 100, 60, "ara"), read_line(text[:16], 400, 190, 42, "ara")]
    right = lines[0].box.right
    lines[1] = moved(lines[1], right - lines[1].box.right)
    assert len(columns(lines)) == chains


def test_hanging_entries_are_paragraphs_of_their_own() -> None:
    ids = ContentMaker().ids
    rows = [
        ("144 A first entry of the list, which goes on", 100), ("to a second line.", 170),
        ("145 The next entry is short.", 100), ("146 Another one of two lines, with a place", 100),
        ("and a year.", 170), ("147 The last of them.", 100),
    ]  # fmt: skip
    lines = [make_line(text, x, 100 + 60 * i, ids) for i, (text, x) in enumerate(rows)]
    assert [len(p) for p in split_paragraphs(lines)] == [2, 1, 2, 1]


def test_a_number_that_merely_comes_first_in_its_line_is_no_list_item() -> None:
    ids = ContentMaker().ids
    texts = ["The station was founded in the spring of", "1904. and the light was shown for the first"]
    lines = [make_line(t, 100, 100 + 60 * i, ids) for i, t in enumerate(texts)]
    assert len(split_paragraphs(lines)) == 1


@pytest.mark.parametrize(
    ("before", "line", "paragraphs"),
    [
        ("for the pleasure of it all (see note 4, p.", "43) in the library of the office", 1),
        ("Werner the younger, Arnold S., and P. A.", "M. Dahl. From these men he heard it", 1),
        ("and (as was said", "a) and b) and the rest of that list)", 1),
        ("the things that the office asks for: now.", "2. what the store has, and its price", 2),
    ],
)
def test_a_line_that_goes_on_with_a_number_or_an_initial_is_no_list_item(
    before: str, line: str, paragraphs: int
) -> None:
    ids = ContentMaker().ids
    made = [make_line(text, 100, 100 + 60 * i, ids) for i, text in enumerate((before, line))]
    lines = [x.model_copy(update={"box": x.box._replace(right=1100)}) for x in made]
    assert len(split_paragraphs(lines)) == paragraphs


def test_a_drop_capital_is_the_first_letter_of_its_word() -> None:
    big = FoundWord("O", Box(100, 100, 180, 200), 0.9, "eng")
    initial = FoundLine((big,), big.box, (Point(100, 200), Point(180, 200)), 100)
    lines = [
        initial,
        read_line("ur first line", 190, 100),
        read_line("and the second", 190, 160),
        read_line("third", 100, 220),
    ]
    joined = [" ".join(w.text for w in line.words) for line in join_initials(lines)]
    assert sorted(joined) == ["Our first line", "and the second", "third"]


def test_a_solid_disc_at_the_head_of_a_line_is_a_bullet_and_a_ring_is_none() -> None:
    page = np.full((300, 900), 255, np.uint8)
    cv2.circle(page, (110, 120), 9, 0, -1)
    cv2.circle(page, (110, 220), 9, 0, 2)
    found = []
    for top in (100, 200):
        mark = FoundWord("e", Box(98, top + 8, 122, top + 32), 0.5, "eng")
        line = read_line("The National Fund", 140, top)
        found.append(line._replace(words=(mark, *line.words)))
    assert [line.words[0].text for line in mark_bullets(page, found)] == ["•", "e"]


ROWS = [("", "1926", "1927", "1928"), ("Alder", "518", "361", "375"), ("Birch", "1,515", "425", "404"),
        ("Elm", "277", "299", ""), ("Total", "2,310", "1,085", "779")]  # fmt: skip


def set_rows(
    rows: list[tuple[str, ...]], left: int = 100, tops: Sequence[int] = range(100, 10_000, 60)
) -> list[FoundLine]:
    lines = []
    for top, row in zip(tops, rows, strict=False):
        words = [
            FoundWord(text, Box(left + 300 * c, top, left + 300 * c + 20 * len(text), top + 40), 0.9, "eng")
            for c, text in enumerate(row)
            if text
        ]
        box = union(w.box for w in words)
        lines.append(FoundLine(tuple(words), box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), 40))
    return lines


def test_columns_of_figures_make_a_table_and_empty_places_are_cells() -> None:
    (table,) = find_aligned_tables(columns(set_rows(ROWS)))
    assert (table.rows, table.columns, len(table.cells)) == (5, 4, 20)


def test_a_total_that_stands_apart_is_the_tables_last_row_and_text_below_is_not() -> None:
    def lowered(line: FoundLine, by: int) -> FoundLine:
        words = tuple(
            w._replace(box=Box(w.box.left, w.box.top + by, w.box.right, w.box.bottom + by)) for w in line.words
        )
        ends = (Point(line.baseline[0].x, line.baseline[0].y + by), Point(line.baseline[1].x, line.baseline[1].y + by))
        return line._replace(words=words, box=union(w.box for w in words), baseline=ends)

    *body, total = set_rows([*ROWS[:-1], ("Oak",), ROWS[-1]])
    apart = [*body[:4], lowered(body[4], 80), lowered(total, 100)]
    note = read_line("The figures of the relief are given where a keeper was absent", 100, 620)
    (table,) = find_aligned_tables(columns([*apart, note]))
    assert (table.rows, table.columns) == (6, 4) and table.box.bottom < note.box.top
    last = [c.box for c in table.cells if c.row == 5]
    assert all(any(box.covers(w.box, 0.5) for box in last) for w in apart[-1].words)


def inked(*boxes: Box) -> Image:
    page = np.full((200, 1500), 255, np.uint8)
    for box in boxes:
        page[box.top : box.bottom, box.left : box.right] = 0
    return page


@pytest.mark.parametrize(
    ("text", "gap", "parts"),
    [
        ("157-287", 120, ["157", "287"]),
        ("157287", 120, ["157", "287"]),
        ("157-287", 20, ["157-287"]),  # a dash
        ("e276", 120, ["e2", "76"]),
        ("Mile9", 120, ["Mile9"]),
        (".........7", 120, [".........7"]),  # leaders
    ],
)
def test_figures_that_were_read_as_one_over_wide_white_are_parted(text: str, gap: int, parts: list[str]) -> None:
    (line,) = set_rows([("301", "807", "161", "")])
    left, right = Box(1000, 100, 1060, 140), Box(1060 + gap, 100, 1120 + gap, 140)
    word = FoundWord(text, union((left, right)), 0.9, "eng", letters="9" * len(text))
    line = line._replace(words=(*line.words, word), box=union((line.box, word.box)))
    found = with_figures_apart(inked(left, right), line).words[3:]
    assert [w.text for w in found] == parts
    assert [w.box for w in found] == ([left, right] if len(parts) > 1 else [word.box])


def test_a_year_whose_figures_are_set_apart_stays_one() -> None:
    (line,) = set_rows([("301", "807", "161", "")])
    figures = [Box(1000 + 60 * i, 100, 1015 + 60 * i, 140) for i in range(4)]
    year = FoundWord("1931", union(figures), 0.9, "eng")
    line = line._replace(words=(*line.words, year), box=union((line.box, year.box)))
    assert with_figures_apart(inked(*figures), line) is line


def test_a_name_of_several_lines_and_a_head_over_it_are_a_table_of_two_rows() -> None:
    years = ("", "1926", "1927", "1928", "1929")
    lines = set_rows(
        [
            years,
            ("Lamp oil", "", "", "", ""),
            ("that was", "", "", "", ""),
            ("in barrels", "100", "109", "", "126"),
        ],
        tops=[100, 150, 195, 240],
    )
    bit = set_rows([("", "", "", "ne", "")], tops=[244])[0]
    small = bit._replace(
        words=(bit.words[0]._replace(box=bit.words[0].box._replace(bottom=262), confidence=0.4),),
        baseline=(Point(bit.box.left, 262), Point(bit.box.right, 262)),
    )
    (table,) = find_aligned_tables(columns([*lines, small]))
    assert (table.rows, table.columns) == (2, 5)
    assert any(c.row == 1 and c.column == 3 and c.box.covers(small.words[0].box) for c in table.cells)
    unnamed = [line for line in lines if line.words[0].text != "Lamp oil"]
    assert len(find_aligned_tables(columns(unnamed[:1]))) == 0


def test_a_smudged_cell_between_figures_is_no_noise() -> None:
    row = set_rows([("301", "", "161", "")])[0]
    first, last = (row._replace(words=(w,), box=w.box) for w in row.words)
    bit = read_line("ne", 420, 102, 36)
    bit = bit._replace(words=(bit.words[0]._replace(confidence=0.4),))
    assert is_noise(bit, 300)
    assert in_rows([first, bit, last]) == {id(bit)}
    assert not in_rows([first, bit])
    small = read_line("ne", 420, 110, 16)
    assert not in_rows([first, small, last])


def test_two_spaces_after_a_full_stop_do_not_part_a_line() -> None:
    above = read_line("every line of it runs on over the gap and more", 100, 40)
    words = [
        w._replace(box=Box(w.box.left + 10 * i, 100, w.box.right + 10 * i, 140))
        for i, w in enumerate(read_line("light the lamp of it", 100, 100).words)
    ]
    right = read_line("This was", words[-1].box.right + 52, 101)
    for last, parts in (("it.", 2), ("it", 3)):
        ended = (*words[:-1], words[-1]._replace(text=last))
        left = FoundLine(ended, union(w.box for w in ended), (Point(100, 140), Point(500, 140)), 40)
        assert len(join_rows([above, left, right])) == parts


FIGURES = [("Alder", "518", "361", "375"), ("Birch", "1,515", "425", "404"), ("Elm", "277", "299", "310")]
WORDED = ("", "beginning", "out", "the end")


@pytest.mark.parametrize(
    "heads",
    [
        [("Station", "Oil at the", "Oil sent", "Oil at"), WORDED],
        [("", "Oil at the", "Oil sent", "Oil at"), ("Station", *WORDED[1:])],
    ],
)
def test_the_lines_of_a_head_are_one_row(heads: list[tuple[str, ...]]) -> None:
    first = 100 + 50 * len(heads) + 40
    tops = [*range(100, 100 + 50 * len(heads), 50), first, first + 90, first + 180]
    lines = set_rows([*heads, *FIGURES], tops=tops)
    (table,) = find_aligned_tables(columns(lines))
    assert (table.rows, table.columns) == (4, 4)
    head = [c.box for c in table.cells if c.row == 0]
    assert all(any(box.covers(w.box, 0.9) for box in head) for line in lines[: len(heads)] for w in line.words)


def test_a_remark_that_goes_on_is_no_row_and_parts_no_table() -> None:
    rows = [("1", "Wicks", "39", ""), ("2", "Barrels", "20", "sent back by the"), ("", "", "", "second boat"),
            ("3", "Rope", "4", ""), ("4", "Soap", "37", "two are missing"), ("5", "Cans", "87", "")]  # fmt: skip
    (table,) = find_aligned_tables(columns(set_rows(rows, tops=[100, 190, 240, 330, 420, 510])))
    assert (table.rows, table.columns) == (5, 4)


def test_a_sentence_that_lists_figures_is_no_row_of_the_table_beneath() -> None:
    sentence = [
        read_line("by the factors 1.00, 1.01, 1.02, 1.05, 1.04, 1.06, this gives the", 100, 100),
        read_line("following figures:", 100, 150),
    ]
    (table,) = find_aligned_tables(columns([*sentence, *set_rows([*FIGURES, *FIGURES], tops=range(200, 1000, 50))]))
    assert table.rows == 6 and table.box.top >= 200


@pytest.mark.parametrize("gap", [22, 90])
def test_columns_that_stand_close_are_parted_where_lines_begin_below_each_other_and_a_river_is_not(gap: int) -> None:
    tops = range(100, 288, 47)
    edge = read_line("the keeper of the lamp", 100, 100).box.right
    apart = [
        line
        for top in tops
        for line in (read_line("the keeper of the lamp", 100, top), read_line("signs for all oils", edge + gap, top))
    ]
    left, right = read_line("the keeper of the oils", 100, 288), read_line("and for all coals", edge + gap, 288)
    run_together = left._replace(words=(*left.words, *right.words), box=union((left.box, right.box)))
    (gutter,) = find_gutters([*apart, run_together])
    assert edge < gutter.left < edge + gap and gutter.bottom == run_together.box.bottom
    assert [len(part.words) for part in cut_lines([run_together], [gutter], [])] == [5, 4]
    whole = read_line("a line that runs on notwithstanding both of them, as wide", 100, 288)
    whole = whole._replace(box=Box(100, whole.box.top, apart[1].box.right, whole.box.bottom))
    assert find_gutters([*apart, whole]) == []


def test_a_column_of_text_beside_a_table_is_no_part_of_it() -> None:
    beside = [read_line("the keeper signs for all that he takes over", 1400, 100 + 47 * i) for i in range(8)]
    (table,) = find_aligned_tables(columns([*set_rows([*FIGURES, *FIGURES]), *beside]))
    assert table.columns == 4 and table.box.right < 1400


def test_text_that_goes_on_beyond_short_entries_beside_it_makes_no_table_of_them() -> None:
    entries = set_rows(
        [("51", "Class", "21"), ("52", "Search", "362"), ("56", "Field", "385")], tops=range(500, 900, 60)
    )
    text = [read_line("the present invention also provides a method", 1200, 80 + 60 * i) for i in range(24)]
    assert all(t.box.right < 1200 for t in find_aligned_tables(columns([*entries, *text])))


def test_a_place_full_of_known_words_is_print_however_unsurely_it_reads() -> None:
    def lines(text: str) -> list[FoundLine]:
        made = [read_line(text, 100, 100 + 50 * i) for i in range(6)]
        return [x._replace(words=tuple(w._replace(confidence=0.3) for w in x.words)) for x in made]

    place = union(line.box for line in lines("the keeper lights the lamp"))
    assert is_print(place, lines("the keeper lights the lamp"))
    assert not is_print(place, lines("tlqa keopqr ligbxt wnqe lomqz"))
    assert not is_print(Box(0, 0, 4000, 4000), lines("the keeper lights the lamp"))  # a chart's labels, a map's names


def test_a_contents_page_and_two_columns_of_text_are_no_tables() -> None:
    contents = [("The tower", "3"), ("The lamp", "11"), ("The keepers", "27"), ("The boats", "40")]
    assert find_aligned_tables(columns(set_rows(contents))) == []
    text = [read_line("some words that fill a column of text", x, 100 + 60 * i) for i in range(6) for x in (100, 1100)]
    assert find_aligned_tables(columns(text)) == []


def test_a_ledger_ruled_between_columns_only_gets_its_rows() -> None:
    places = [FoundCell(0, c, 1, 1, Box(80 + 300 * c, 80, 380 + 300 * c, 420)) for c in range(4)]
    ledger = split_rows(FoundTable(Box(80, 80, 1280, 420), 1, 4, tuple(places)), set_rows(ROWS))
    assert (ledger.rows, len(ledger.cells)) == (5, 20)


def cells_of(rows: list[tuple[str, ...]]) -> list[Cell]:
    ids = ContentMaker().ids
    return [
        Cell(
            row=r,
            column=c,
            box=Box(300 * c, 60 * r, 300 * c + 290, 60 * r + 50),
            lines=(make_line(text, 300 * c, 60 * r, ids),) if text else (),
        )
        for r, row in enumerate(rows)
        for c, text in enumerate(row)
    ]


def test_letters_in_a_column_of_figures_are_figures_and_headers_are_marked() -> None:
    rows = [*ROWS[:2], ("Birch", "l,5IS", "42S", "4O4"), *ROWS[3:]]
    made = {(c.row, c.column): c for c in settled(cells_of(rows), 4)}
    assert [made[2, c].text for c in range(4)] == ["Birch", "1,515", "425", "404"]
    assert {place for place, c in made.items() if c.header} == {(0, c) for c in range(4)} | {(r, 0) for r in range(5)}


def test_figures_that_are_parted_behind_their_point_are_one() -> None:
    # In typescript a point has the room of a figure, and the engine takes the white behind it for a word's end.
    rows = [("Birch", "89. 96", "3. 5"), ("Elm", "57. 12", "tons"), ("Ash", "17.73", "of it"), ("Oak", "4,5 6", "left")]
    made = {(c.row, c.column): c for c in settled(cells_of(rows), 3)}
    assert [made[r, 1].text for r in range(4)] == ["89.96", "57.12", "17.73", "4,5 6"]
    assert made[0, 1].lines[0].words[0].others == ("89. 96",)
    assert made[0, 2].text == "3. 5"  # no column of figures
    (cell,) = [c for c in cells_of(rows) if (c.row, c.column) == (1, 1)]
    first, second = cell.lines[0].words
    far = second.model_copy(
        update={"box": second.box._replace(left=second.box.left + 100, right=second.box.right + 100)}
    )
    line = cell.lines[0].model_copy(update={"words": (first, far)})
    cells = [c.model_copy(update={"lines": (line,)}) if c.box == cell.box else c for c in cells_of(rows)]
    assert {(c.row, c.column): c.text for c in settled(cells, 3)}[1, 1] == "57. 12"


def test_parts_of_a_cell_that_stand_level_are_one_line_in_their_order() -> None:
    table = FoundTable(Box(0, 0, 600, 60), 1, 1, (FoundCell(0, 0, 1, 1, Box(0, 0, 600, 60)),))
    parts = [read_line("trimmed", 300, 8), read_line("Lamps", 20, 10)]
    region = table_region(table, parts, Numbering(), ("eng",), "", 1.0)
    assert region.table is not None
    assert [line.text for line in region.table.cells[0].lines] == ["Lamps trimmed"]


def test_a_total_that_does_not_add_up_is_told_with_the_sum() -> None:
    table = Table(rows=5, columns=4, cells=settled(cells_of(ROWS), 4))
    assert list(wrong_totals(table)) == []
    wrong = [*ROWS[:4], ("Total", "2,301", "1,085", "779")]
    ((cell, total),) = wrong_totals(Table(rows=5, columns=4, cells=settled(cells_of(wrong), 4)))
    assert (cell.text, total) == ("2,301", 2310)


@pytest.mark.parametrize(
    ("text", "value"),
    [("1,085", 1085), ("1.085,50", 1085.5), ("(12)", -12), ("3 400", 3400), ("–7", -7), ("9.4", 9.4), ("Elm", None)],
)
def test_numbers_as_they_are_printed(text: str, value: float | None) -> None:
    assert number(text) == value


def test_a_word_of_the_next_column_is_no_row_of_a_table() -> None:
    rows = set_rows([*FIGURES, *FIGURES])
    beside = read_line("in", 2600, round(rows[2].level) + 14 - 24, 24)  # near enough to be level with the third row
    (table,) = find_aligned_tables([rows, [beside]])
    assert table.rows == len(rows)
    assert table.box.right < beside.box.left


def test_bullets_that_the_reader_passed_over_are_put_before_their_lines() -> None:
    page = np.full((600, 900), 255, np.uint8)
    lines = []
    for i, text in enumerate(("e Lamps are trimmed", "e Wicks are cut", "Stores are counted", "Boats are hauled up")):
        line = read_line(text, 100, 100 + 60 * i, 30)
        if text.startswith("e "):
            words = (line.words[0]._replace(confidence=0.5), *line.words[1:])
            lines.append(line._replace(words=words))
            cv2.circle(page, (110, 115 + 60 * i), 8, 0, -1)
        else:
            lines.append(read_line(text, 135, 100 + 60 * i, 30))
    cv2.circle(page, (110, 115 + 120), 8, 0, -1)  # before the third line; before the fourth there is none
    assert [line.words[0].text for line in mark_bullets(page, lines)] == ["•", "•", "•", "Boats"]


def test_a_bold_letter_is_no_bullet() -> None:
    page = np.full((200, 600), 255, np.uint8)
    cv2.rectangle(page, (100, 112), (118, 134), 0, -1)  # as tall as small letters are
    line = read_line("a slight pause", 100, 100, 34)
    line = line._replace(words=(line.words[0]._replace(confidence=0.6, box=Box(100, 112, 119, 135)), *line.words[1:]))
    assert mark_bullets(page, [line])[0].words[0].text == "a"


def numbered_line(text: str, left: int, top: int) -> Line:
    return make_line(text, left, top, lambda: "w")


def test_numbered_entries_begin_where_the_page_counts_on() -> None:
    texts = [
        "157 Vanier, letters",
        "158 Sedillot, manual",
        "159 Teissier, laws",
        "160 Thiers, on property",
        "161 Bavoux, offices",
    ]
    columns_ = [[numbered_line(text, 100, 100 + 50 * i) for i, text in enumerate(texts)]]
    last = [numbered_line("1847, with plates", 140, 400), numbered_line("162 Feval, the mysteries", 100, 450)]
    numbers = entry_numbers([*columns_, last])
    assert {157, 161, 162} <= numbers
    assert 1847 not in numbers
    assert [len(p) for p in split_paragraphs(last, entries=numbers)] == [1, 1]
    assert entry_numbers([[numbered_line("12 men came", 100, 100)]]) == frozenset()


def test_order_that_hangs_on_a_hair_is_a_near_tie() -> None:
    above = [Box(100, 100, 900, 600), Box(1000, 100, 1800, 600)]
    below = [Box(100, 900, 900, 1400), Box(1000, 900, 1800, 1400)]
    assert near_ties([*above, *below]) == []
    # A heading between that reaches into the right column by a hair: of the left one, or over both?
    heading = Box(100, 700, 1070, 800)
    assert near_ties([*above, heading, *below]) != []
    assert near_ties([*above, Box(100, 700, 1800, 800), *below]) == []


def test_rules_that_run_through_words_are_a_tints_dots() -> None:
    def line(top: int, *words: tuple[str, int, int, float]) -> FoundLine:
        told = tuple(FoundWord(text, Box(left, top, right, top + 30), sure, "eng") for text, left, right, sure in words)
        box = union(w.box for w in told)
        return FoundLine(told, box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), 36)

    read = [
        line(100, ("Since", 100, 180, 0.95), ("its", 190, 230, 0.95), ("12", 300, 380, 0.95)),
        line(150, ("1987,", 105, 175, 0.95), ("keeper", 190, 290, 0.95), ("34", 300, 380, 0.95)),
        line(200, ("pared", 95, 180, 0.95), ("bed", 190, 230, 0.5), ("of", 300, 380, 0.95)),
    ]
    through, between, once = (Box(x, 90, x + 4, 300) for x in (138, 183, 208))
    figures, above = Box(338, 90, 342, 300), Box(138, 0, 142, 95)
    assert without_screens([through, between, once, figures, above], read) == [between, figures, above]
    assert without_screens([through], read[:1]) == [through]
