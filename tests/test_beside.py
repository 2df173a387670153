"""Lines beside a drawing: read without its strokes, and held for text where they go on a column."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.legible import columnar
from hyalen.core.layout.order import with_initials_first
from hyalen.core.model.content import Region, RegionKind, Role
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.beside import read_beside_drawings
from tests.conftest import ContentMaker, make_line
from tests.readers import Asked, PartReader

DRAWING = Box(100, 300, 400, 560)


def line_of(top: int, *words: tuple[str, int, int, float]) -> FoundLine:
    """A line 40 pixels high of words, each with its left, its right and its confidence."""
    read = tuple(FoundWord(text, Box(left, top, right, top + 40), sure, "eng") for text, left, right, sure in words)
    box = union(w.box for w in read)
    return FoundLine(read, box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), 40)


def texts(blocks: list[FoundBlock]) -> list[str]:
    return [" ".join(w.text for w in line.words) for b in blocks for line in b.lines]


class Rows(PartReader):
    """Finds the first two of three rows beside the drawing; keeps what it was shown."""

    def __init__(self, confidence: float) -> None:
        self.confidence, self.shown = confidence, list[Image]()

    def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
        self.shown.append(crop)
        lines = [line_of(30 + 60 * n, (f"row {n}", 40, 500, self.confidence)) for n in range(2)]
        return [FoundBlock(BlockKind.TEXT, Box(40, 30, 500, 130), tuple(lines))]


def woodcut() -> Image:
    page = np.full((1500, 1200), 255, np.uint8)
    for size in (150, 120, 90, 60, 30):
        cv2.ellipse(page, (250, 430), (size - 4, size * 13 // 15 - 4), 0, 0, 360, 0, 8)
    cv2.line(page, (150, 345), (350, 515), 0, 8)
    return page


def beside(strokes: float) -> list[FoundBlock]:
    """Text below a woodcut and beside it, where the first row was begun in the drawing."""
    below = [line_of(700 + 60 * n, ("the lamp was lit", 100, 900, 0.95)) for n in range(6)]
    first = line_of(312, ("Rais", 105, 380, strokes), ("enitexul", 420, 900, 0.4))
    second, third = (line_of(top, (text, 420, 900, 0.5)) for top, text in ((380, "temus"), (500, "Deo")))
    return [FoundBlock(BlockKind.TEXT, Box(100, 320, 900, 1040), (first, second, third, *below))]


@pytest.mark.parametrize(("confidence", "better"), [(0.95, True), (0.1, False)])
def test_rows_beside_a_drawing_lose_its_strokes_and_are_read_again_where_that_reads_better(
    confidence: float, better: bool
) -> None:
    reader = Rows(confidence)
    found = texts(read_beside_drawings(woodcut(), 300, ("eng",), beside(strokes=0.2), reader))
    (crop,) = reader.shown
    assert int(crop.min()) == 255  # nothing of the drawing is shown; there are no letters on this page
    told = ["row 0", "row 1"] if better else ["enitexul", "temus"]
    assert found == [*told, "Deo", *["the lamp was lit"] * 6]


def test_text_that_reads_well_within_the_drawing_is_kept_with_its_line() -> None:
    (block,) = beside(strokes=0.2)
    around = line_of(440, ("oil", 330, 395, 0.9), ("colza", 420, 900, 0.5))
    blocks = [block._replace(lines=(*block.lines, around))]
    found = texts(read_beside_drawings(woodcut(), 300, ("eng",), blocks, Rows(0.95)))
    assert "oil colza" in found and "row 0" in found


def test_a_row_of_nothing_but_strokes_counts_for_nothing() -> None:
    (block,) = beside(strokes=0.2)
    strokes = line_of(440, ("~", 380, 395, 0.9), ("vvv", 250, 470, 0.1))
    blocks = [block._replace(lines=(*block.lines, strokes))]
    assert "row 0" in texts(read_beside_drawings(woodcut(), 300, ("eng",), blocks, Rows(0.95)))


def test_a_row_that_touches_the_drawing_from_below_stays_whole() -> None:
    (block,) = beside(strokes=0.2)
    touching = line_of(540, ("bersigen zu trost und trutz", 105, 395, 0.3), ("ine", 410, 900, 0.3))
    found = texts(
        read_beside_drawings(woodcut(), 300, ("eng",), [block._replace(lines=(*block.lines, touching))], Rows(0.95))
    )
    assert "bersigen zu trost und trutz ine" in found and "row 0" in found


def test_a_word_that_reads_well_beside_its_line_is_no_stroke_of_a_drawing() -> None:
    reader, blocks = Rows(0.95), beside(strokes=0.9)
    assert read_beside_drawings(woodcut(), 300, ("eng",), blocks, reader) == blocks
    assert reader.shown == []


@pytest.mark.parametrize(("text_left", "before"), [(420, True), (100, False)])
def test_a_woodcut_initial_comes_before_the_paragraph_that_begins_beside_it(text_left: int, before: bool) -> None:
    maker = ContentMaker()

    def part(kind: RegionKind, *rows: tuple[int, int]) -> Region:
        lines = tuple(make_line("The lamp was lit at sunset", left, top, maker.ids) for left, top in rows)
        box = union(line.box for line in lines) if lines else DRAWING
        return Region(id=f"r{box.top}", kind=kind, role=Role.PARAGRAPH, outline=box.polygon(), lines=lines)

    above = part(RegionKind.TEXT, *((100, 60 + 60 * n) for n in range(4)))
    begun = part(RegionKind.TEXT, *((text_left if n < 4 else 100, 310 + 60 * n) for n in range(8)))
    picture = part(RegionKind.FIGURE)
    parts = with_initials_first([[picture], [above, begun]])
    assert parts == ([[above, picture, begun]] if before else [[picture], [above, begun]])


def test_a_short_unsure_line_that_goes_on_a_column_is_text() -> None:
    column = [line_of(100 + 60 * n, ("lantern", 420, 900, 0.95)) for n in range(3)]
    on, indented = (line_of(280, ("prgoc", left, 900, 0.4)) for left in (425, 520))
    assert id(on) in columnar([*column, on])
    assert id(indented) not in columnar([*column, indented])
    assert id(on) not in columnar([*column[1:], on])
    numbers = [line_of(100 + 60 * n, (str(400 - 100 * n), 420, 520, 0.95 if n < 3 else 0.4)) for n in range(4)]
    assert columnar(numbers) == set()  # a chart's axis


@pytest.mark.parametrize(("right", "text", "found"), [(900, "iubil", True), (860, "iubil", False), (900, "4 -", False)])
def test_unsure_lines_beside_an_ornament_are_text_where_they_end_with_the_lines_above_and_below(
    right: int, text: str, found: bool
) -> None:
    column = [line_of(100 + 60 * n, ("lantern", 420, 900, 0.95)) for n in (0, 1, 5, 6)]
    beside = [line_of(100 + 60 * n, (text, 640, right, 0.3)) for n in (2, 3, 4)]
    lines = sorted([*column, *beside], key=lambda line: line.box.top)
    assert all((id(line) in columnar(lines)) == found for line in beside)
    assert not any(id(line) in columnar(lines[:5]) for line in beside)  # nothing below


def test_a_justified_block_is_text_with_its_last_line_however_it_reads() -> None:
    rows = [
        line_of(100 + 60 * n, ("offer", 100, 300, 0.3), ("gra", 320, 500, 0.3), ("tim", 520, 900, 0.3))
        for n in range(6)
    ]
    last = line_of(460, ("ad", 100, 200, 0.3), ("eleua", 220, 400, 0.3), ("mm", 420, 500, 0.3))
    assert columnar([*rows, last]) == {id(line) for line in (*rows, last)}
    assert columnar([*rows[:5], last]) == set()
    ragged = [row._replace(box=row.box._replace(right=900 + 90 * (n % 2))) for n, row in enumerate(rows)]
    assert columnar(ragged) == set()
