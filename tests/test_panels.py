"""White on black: panels, bands and head rows among dark text, found and read."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from hyalen.core.imaging.letters import suited
from hyalen.core.imaging.panels import dark_panels, panels_turned
from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.layout.rows import part_of
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.content import PageContent
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.read import read_content
from hyalen.core.reading.rest import without_ghosts
from hyalen.demo.typeset import SetPage, Typesetter

WATCH = "The keeper trims the wicks each evening before dusk and writes the hour into the book of the station."
LANDING = "No boat may land at the south steps when the red lamp is shown above the signal mast."
PAGE = f"""<style>
body{{margin:20mm;font:11pt/1.4 'Liberation Serif',serif}} .dark{{background:#111;color:#fff;padding:3mm}}
td,th{{border:1px solid #000;padding:1.5mm 4mm}} th{{background:#222;color:#fff}}
</style>
<h1 class="dark" data-role="heading">Rules of the Station</h1><p data-role="paragraph">{WATCH} {LANDING}</p>
<div class="dark" style="width:70mm;float:right;margin:3mm" data-role="paragraph">{LANDING} {WATCH}</div>
<p data-role="paragraph">{WATCH} {WATCH} {LANDING}</p><div style="clear:both"></div>
<table style="border-collapse:collapse"><tr><th>Store<th>Unit<th>In hand<tr><td>Paraffin<td>gallons<td>412
<tr><td>Wicks<td>dozen<td>36</table>"""


@pytest.fixture(scope="module")
def sheet(setter: Typesetter) -> SetPage:
    return setter.set(PAGE)


@pytest.fixture(scope="module")
def content(sheet: SetPage) -> PageContent:
    return read_content(sheet.image, sheet.dpi, ("eng",))


def test_text_on_dark_grounds_is_read_and_kept_apart_from_what_stands_beside(content: PageContent) -> None:
    texts = [" ".join(r.text.split()) for r in content.regions if r.table is None]
    assert texts[0] == "Rules of the Station"
    assert f"{LANDING} {WATCH}" in texts
    assert f"{WATCH} {WATCH} {LANDING}" in texts


def test_a_dark_head_row_belongs_to_its_table(content: PageContent) -> None:
    (table,) = [r.table for r in content.regions if r.table]
    assert [c.text for c in table.cells] == ["Store", "Unit", "In hand", "Paraffin", "gallons", "412", "Wicks", "dozen", "36"]  # fmt: skip
    assert [c.header for c in table.cells] == [True] * 3 + [True, False, False] * 2


def test_panels_lie_on_the_dark_grounds_and_turn_to_white(sheet: SetPage) -> None:
    panels = dark_panels(sheet.image, sheet.dpi)
    grounds = [b.box for b in sheet.blocks if b.role == "heading" or b.text.startswith(LANDING)]
    assert all(any(p.covers(ground, 0.95) for p in panels) for ground in grounds)
    assert len(panels) == 3  # with the table's head row
    turned = panels_turned(sheet.image, panels, sheet.dpi)
    for left, top, right, bottom in panels:
        assert np.median(turned[top:bottom, left:right]) > 240


@pytest.mark.parametrize("height", [900, 901, 903])
def test_a_panel_may_reach_the_rim_of_the_page(sheet: SetPage, height: int) -> None:
    band = grey(sheet.image)[260:420, 250:1700]
    page = np.full((height, 1451), 255, np.uint8)
    page[-160:, 1:] = band
    (panel,) = dark_panels(page, 300)
    assert panel.bottom <= height and panel.right <= 1451
    turned = panels_turned(page, [panel], 300)
    assert turned.shape == page.shape
    assert np.median(turned[-100:]) > 240


def test_heavy_letters_pictures_and_bars_are_no_panels(setter: Typesetter) -> None:
    bold = setter.set(
        "<style>body{margin:20mm}</style><p style=\"font:900 90pt 'Liberation Sans'\">NORTH LIGHT BOOKS</p>"
    )
    assert dark_panels(bold.image, 300) == []
    picture = np.full((1200, 1200), 255, np.uint8)
    rng = np.random.default_rng(3)
    picture[200:800, 200:800] = cv2.GaussianBlur(rng.integers(0, 160, (600, 600)).astype(np.uint8), (0, 0), 6)
    picture[900:960, 200:1000] = 10
    assert dark_panels(picture, 300) == []


def _page(size_pt: float, setter: Typesetter) -> Image:
    return grey(setter.set(f"<style>body{{margin:20mm;font:{size_pt}pt 'Liberation Serif'}}</style>{WATCH * 20}").image)


def test_a_page_is_reduced_for_reading_only_as_far_as_its_small_print_allows(setter: Typesetter) -> None:
    large, small = _page(12, setter), _page(6, setter)
    assert 0.6 <= suited(large)[1] < 0.8
    assert suited(large, may_reduce=False)[1] == 1.0
    assert suited(small)[1] == 1.0
    assert suited(np.vstack([large[:1600], small[:700]]))[1] == 1.0


def test_the_stairs_of_small_letters_are_smoothed(setter: Typesetter) -> None:
    small = np.where(_page(6, setter) < 128, 0, 255).astype(np.uint8)
    view, _ = suited(small)
    assert np.mean((view > 30) & (view < 225)) > 0
    assert np.array_equal(suited(blank := np.full((800, 600), 255, np.uint8))[0], blank)


def _line(*words: tuple[str, Box], level: float, height: float) -> FoundLine:
    found = tuple(FoundWord(text, box, 0.9, "eng") for text, box in words)
    box = union(w.box for w in found)
    return FoundLine(found, box, (Point(box.left, level), Point(box.right, level)), height)


def test_words_read_where_no_ink_is_are_dropped(blank_page: Image) -> None:
    blank_page[100:130, 100:200] = 0
    line = _line(("lamp", Box(100, 100, 200, 130)), ("—_—", Box(260, 95, 300, 140)), level=130, height=40)
    (block,) = without_ghosts(blank_page, [FoundBlock(BlockKind.TEXT, line.box, (line,))])
    assert [w.text for w in block.lines[0].words] == ["lamp"]
    blank_page[110:120, 270:290] = 215  # faint pencil
    (block,) = without_ghosts(blank_page, [FoundBlock(BlockKind.TEXT, line.box, (line,))])
    assert len(block.lines[0].words) == 2


def test_a_part_cut_from_a_line_stands_on_a_baseline_of_its_own() -> None:
    # A large pull quote beside small text, run together by the reader on the small text's baseline.
    small, large = ("Gerdin", Box(100, 1926, 260, 1955)), ("billion", Box(599, 1927, 741, 1973))
    line = _line(small, large, level=1955, height=35)
    part = part_of(line, line.words[1:])
    assert abs(part.level - 1973) < 2
    assert abs(type_size(part) - 46) < 2
    assert part.height > 1.5 * line.height
    assert part_of(line, line.words[:1]).level == 1955
