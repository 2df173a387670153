"""Rows of Arabic print by their own ink, where the engine's lines run into each other."""

from __future__ import annotations

import numpy as np
import pytest
from rapidfuzz import fuzz

from bench.material import Case
from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.model.found import FoundBlock, FoundLine
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.by_rows import read_by_rows, with_rows_measured
from hyalen.core.reading.engine import ENGINE
from hyalen.core.reading.rest import shifted
from hyalen.demo.spoil import Spoiling
from tests.conftest import Pages
from tests.readers import Asked, PartReader

MUCH = 80  # per cent of likeness: the engine's second reading of a row is not its first one


@pytest.fixture(scope="module")
def arabic(pages: Pages) -> tuple[Image, list[FoundBlock]]:
    image = grey(pages.truth(Case("clean", "ara", Spoiling())).image)
    return image, [b for b in ENGINE.read_page(image, 300, ("ara",)) if b.lines]


def text(line: FoundLine) -> str:
    return " ".join(w.text for w in line.words)


def run_together(block: FoundBlock) -> tuple[FoundBlock, list[FoundLine]]:
    """The block with its second and third line as one, of which the end of each is lost; and those lines."""
    upper, lower = block.lines[1:3]
    box = union((upper.box, lower.box))
    words = tuple(w._replace(confidence=0.4) for w in (*upper.words[: len(upper.words) // 2], *lower.words[-3:]))
    knot = FoundLine(words, box, lower.baseline, lower.height)
    return block._replace(lines=(block.lines[0], knot, *block.lines[3:])), [upper, lower]


def test_rows_that_run_together_are_read_one_by_one(arabic: tuple[Image, list[FoundBlock]]) -> None:
    image, blocks = arabic
    at = max(range(len(blocks)), key=lambda i: len(blocks[i].lines))
    knotted, lost = run_together(blocks[at])
    again = read_by_rows(image, 300, ("ara",), [*blocks[:at], knotted, *blocks[at + 1 :]], ENGINE)
    found = [line for b in again for line in b.lines]
    for line in lost:
        best = max(found, key=lambda other: fuzz.ratio(text(line), text(other)))
        assert fuzz.ratio(text(line), text(best)) > MUCH
        assert best.box.overlap(line.box) > 0.8 * max(best.box.area, line.box.area)
    kept = {text(line) for b in blocks for line in b.lines} - {text(line) for line in lost}
    assert kept <= {text(line) for line in found}
    assert len(found) == sum(len(b.lines) for b in blocks)


def test_no_row_runs_over_two_columns_under_a_heading_across_them(arabic: tuple[Image, list[FoundBlock]]) -> None:
    image, blocks = arabic
    block = max(blocks, key=lambda b: len(b.lines))
    area = union(line.box for line in block.lines).grown(10)
    column = image[area.top : area.bottom, area.left : area.right]
    page = np.full((area.height + 400, 2 * area.width + 300), 255, np.uint8)
    lines: list[FoundLine] = []
    knotted, _ = run_together(block)
    for left in (100, 200 + area.width):
        page[300 : 300 + area.height, left : left + area.width] = column
        lines += [shifted(line, left - area.left, 300 - area.top) for line in knotted.lines]
    head = lines[0]._replace(box=Box(120, 200, page.shape[1] - 120, 280))
    page[200:280, 120:-120:4] = 0
    again = read_by_rows(page, 300, ("ara",), [block._replace(lines=(head, *lines))], ENGINE)
    found = [line for b in again for line in b.lines]
    assert head in found
    middle = 150 + area.width
    assert all(line is head or line.box.right < middle or line.box.left > middle for line in found)
    assert len(found) == 1 + 2 * len(block.lines)


def test_what_was_read_is_not_lost_where_its_row_is_not_read_now(arabic: tuple[Image, list[FoundBlock]]) -> None:
    class Once(PartReader):
        """Reads the fourth row that it is shown, surely, and no other one."""

        asked = 0

        def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
            self.asked += 1
            box = Box(20, 20, crop.shape[1] - 20, crop.shape[0] - 20)
            words = tuple(w._replace(confidence=1.0, box=box) for w in block.lines[3].words * 40)
            line = FoundLine(words, box, block.lines[3].baseline, 40.0)
            return [FoundBlock(block.kind, box, (line,))] if self.asked == 4 else []

    image, blocks = arabic
    block = max(blocks, key=lambda b: len(b.lines))
    knotted, _ = run_together(block)
    high = tuple(  # as the vowel signs of a row make them
        line._replace(box=line.box._replace(top=line.box.top - 2 * line.box.height // 5)) for line in knotted.lines
    )
    again = read_by_rows(image, 300, ("ara",), [knotted._replace(lines=high)], Once())
    found = [text(line) for b in again for line in b.lines]
    assert max(map(len, found)) > 30 * len(text(block.lines[3]))
    assert {text(line) for line in (knotted.lines[0], *knotted.lines[3:])} <= set(found)


def test_rows_that_stand_clear_are_left_alone(arabic: tuple[Image, list[FoundBlock]], pages: Pages) -> None:
    class Unasked:
        def read_region(self, *_: object) -> list[FoundBlock]:
            raise AssertionError("read again")

    image, blocks = arabic
    assert read_by_rows(image, 300, ("ara",), blocks, Unasked()) == blocks  # type: ignore[arg-type]
    latin = grey(pages.truth(Case("clean", "eng", Spoiling())).image)
    found = [b for b in ENGINE.read_page(latin, 300, ("eng",)) if b.lines]
    knotted = [run_together(b)[0] if len(b.lines) > 3 else b for b in found]
    assert read_by_rows(latin, 300, ("eng",), knotted, Unasked()) == knotted  # type: ignore[arg-type]
    assert with_rows_measured(latin, knotted) == knotted


def test_lines_of_one_size_are_of_one_height_whatever_the_engine_says(
    arabic: tuple[Image, list[FoundBlock]],
) -> None:
    image, blocks = arabic
    block = max(blocks, key=lambda b: len(b.lines))
    scattered = tuple(
        line._replace(height=line.height * (0.5 if i % 3 == 0 else 1.0)) for i, line in enumerate(block.lines)
    )
    first = scattered[1].words[0]
    high = first._replace(box=first.box._replace(top=scattered[0].box.top))  # with ink of the row above
    taller = scattered[1]._replace(words=(high, *scattered[1].words[1:]))
    measured = with_rows_measured(image, [block._replace(lines=(scattered[0], taller, *scattered[2:]))])[0].lines
    after, before = ([line.height for line in lines if len(line.words) > 2] for lines in (measured, scattered))
    assert np.std(after) / np.mean(after) < 0.15 < np.std(before) / np.mean(before)
    assert measured[1].words[0].box.top > scattered[0].box.centre.y
    assert [text(line) for line in measured] == [text(line) for line in block.lines]
    assert with_rows_measured(image, blocks) == blocks  # as the engine has them


@pytest.mark.parametrize(("confidence", "height", "kept"), [(0.3, 20, False), (0.9, 20, True), (0.3, 40, True)])
def test_signs_over_the_letters_that_were_read_as_a_line_are_none(
    arabic: tuple[Image, list[FoundBlock]], confidence: float, height: int, kept: bool
) -> None:
    image, blocks = arabic
    at = max(range(len(blocks)), key=lambda i: len(blocks[i].lines))
    under = blocks[at].lines[2]
    box = Box(under.box.left + 80, under.box.top, under.box.left + 160, under.box.top + height)
    word = under.words[0]._replace(text="ورور", box=box, confidence=confidence)
    level = (Point(box.left, box.bottom), Point(box.right, box.bottom))
    signs = FoundLine((word,), box, level, height)
    given = [*blocks[:at], blocks[at]._replace(lines=(*blocks[at].lines, signs)), *blocks[at + 1 :]]
    found = [text(line) for b in with_rows_measured(image, given) for line in b.lines]
    assert ("ورور" in found) == kept
