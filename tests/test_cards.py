"""Cards and receipts that were laid on the glass together (common practice, no source)."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from hyalen.core.imaging.cards import find_cards
from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.orientation import FoundTurn
from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.cards import together
from hyalen.core.model.content import Cell, PageContent, Region, RegionKind, Role, Table
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.model.treatment import Treatment
from hyalen.core.read import read_content
from tests.conftest import ContentMaker
from tests.readers import PartReader

DPI = 300


def sheet(places: list[tuple[int, int]], rows: int = 6, width: int = 600) -> Image:
    """A page of blocks of rows of letters, which begin at the places."""
    page = np.full((3000, 2400), 255, np.uint8)
    for left, top in places:
        for row in range(rows):
            for x in range(left, left + width, 36):
                cv2.rectangle(page, (x, top + 70 * row), (x + 22, top + 70 * row + 36), 0, 4)
    return page


FOUR = [(200, 200), (1300, 232), (240, 1200), (1260, 1165)]


def test_cards_in_rows_are_found_and_share_the_whole_page() -> None:
    cards = find_cards(sheet(FOUR), DPI)
    assert [next(i for i, at in enumerate(FOUR) if card.covers(Box(*at, at[0] + 600, at[1] + 386))) for card in cards] == [0, 1, 2, 3]  # fmt: skip
    assert sum(card.area for card in cards) == 3000 * 2400


@pytest.mark.parametrize("colour", [False, True])
def test_cards_that_lean_each_in_its_own_way_are_levelled_and_said_to_be_no_bent_sheet(colour: bool) -> None:
    page = np.full((3000, 2400), 255, np.uint8)
    for (left, top), degrees in zip(FOUR, (1.0, -2.0, 2.0, -1.0), strict=True):
        lean = cv2.getRotationMatrix2D((left + 300, top + 300), degrees, 1)
        np.minimum(page, cv2.warpAffine(sheet([(left, top)], rows=7), lean, (2400, 3000), borderValue=255), out=page)
    if colour:
        page = np.repeat(page[:, :, None], 3, axis=2)
    cleaned = clean_page(page, DPI, Treatment(), lambda *_: FoundTurn(0, 1.0)).cleaned
    assert cleaned.mesh is not None
    assert [f.says.split(" by ")[0] for f in cleaned.findings if f.step == "flatten"] == ["levelled; cards lie askew"]


@pytest.mark.parametrize("page", [
    sheet([(200, 200), (1300, 200), (200, 1200), (1300, 1200)]),  # the rows of a table
    sheet([(200, 200), (1300, 232), (200, 1200), (1300, 1165)]),  # columns of a page, each right below the other
    sheet([(200, 200), (1300, 200), (240, 1200), (1260, 1200)]),  # beside each other at one height
    np.vstack([sheet([(200, 200)], rows=1)[:500], sheet(FOUR)]),  # a head over them
    sheet(FOUR[:2]),
    sheet([(200, 200), (850, 232), (240, 1200), (880, 1165)]),  # columns
    sheet([(200, 200), (1300, 232), (240, 700), (1260, 665)]),  # one beneath the other without a space
    sheet(FOUR, rows=2),
    sheet(FOUR, width=200),
    np.full((3000, 2400), 255, np.uint8),
])  # fmt: skip
def test_tables_columns_and_short_notes_are_none(page: Image) -> None:
    assert find_cards(page, DPI) == []


def test_an_edge_of_a_card_and_dirt_between_them_do_not_join_them() -> None:
    page = sheet(FOUR)
    cv2.line(page, (1050, 180), (1054, 600), 60, 3)
    cv2.circle(page, (1100, 1300), 3, 0, -1)
    assert len(find_cards(page, DPI)) == 4


def test_each_is_read_by_itself_and_all_stand_where_they_lie() -> None:
    shapes = []

    class Reader(PartReader):
        def read_page(self, page: Image, dpi: float, languages: tuple[str, ...]) -> list[FoundBlock]:
            shapes.append(page.shape)
            top, left = np.argwhere(page < 128).min(axis=0).tolist()
            lines = []
            for row in range(6):
                boxes = [Box(200 * i, 70 * row, 200 * i + 185, 70 * row + 40) for i in range(3)]
                boxes = [Box(*(round(v * dpi / DPI) for v in b)) for b in boxes]  # the page may be shown reduced
                boxes = [Box(b.left + left, b.top + top, b.right + left, b.bottom + top) for b in boxes]
                words = tuple(FoundWord(t, b, 0.95, "eng") for t, b in zip(("lamp", "oil", "wick"), boxes, strict=True))
                ends = (Point(left, boxes[0].bottom), Point(boxes[-1].right, boxes[0].bottom))
                lines.append(FoundLine(words, union(boxes), ends, boxes[0].height))
            return [FoundBlock(BlockKind.TEXT, union(line.box for line in lines), tuple(lines))]

    content = read_content(sheet(FOUR), DPI, ("eng",), Reader())
    assert len(shapes) == 4 and (content.width, content.height) == (2400, 3000)
    firsts = [r.lines[0].words[0].box for r in content.regions if r.lines and "lamp" in r.text]
    assert len(firsts) == 4
    for box, (left, top) in zip(firsts, FOUR, strict=True):
        assert abs(box.left - left) < 12 and abs(box.top - top) < 12
    ids = [w.id for w in content.words]
    assert len(set(ids)) == len(ids) == 72


def test_a_number_at_a_cards_head_is_what_it_says_and_tables_move_with_it() -> None:
    one = ContentMaker().add(Role.PAGE_NUMBER, "12").add(Role.PARAGRAPH, "Oil").page()
    line = ContentMaker(top=500).add(Role.PARAGRAPH, "3 gallons").regions[0].lines[0]
    cell = Cell(row=0, column=0, box=line.box.grown(5), lines=(line,))
    table = Region(id="t", kind=RegionKind.TABLE, role=Role.TABLE, outline=cell.box.polygon(), table=Table(rows=1, columns=1, cells=(cell,)))  # fmt: skip
    two = PageContent(width=900, height=900, dpi=DPI, regions=(table,), unread=(Box(10, 20, 30, 40),), near_ties=("t",))
    whole = together(np.zeros((900, 2000), np.uint8), [Box(0, 0, 1000, 900), Box(1000, 0, 2000, 900)], [one, two])
    assert [(r.id, r.role, r.text) for r in whole.regions[:2]] == [
        (f"{one.artifacts[0].id}_1", Role.PARAGRAPH, "12"), (f"{one.regions[0].id}_1", Role.PARAGRAPH, "Oil")
    ]  # fmt: skip
    moved = whole.regions[2].table
    assert moved is not None and whole.artifacts == () and whole.near_ties == ("t_2",)
    assert moved.cells[0].box.left == cell.box.left + 1000 and whole.regions[2].box.left == cell.box.left + 1000
    assert moved.cells[0].lines[0].words[0].box.left == line.words[0].box.left + 1000
    assert whole.unread == (Box(1010, 20, 1030, 40),)
