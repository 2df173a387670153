"""What hands do to outlines, grids and pages, without a screen; outlines are held against Shapely."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pikepdf
import pytest
from docx import Document
from docx.shared import Inches
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from PIL import Image as Pillow
from rapidfuzz import fuzz
from shapely import Polygon, make_valid

from hyalen.core.decisions.decide import decide
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.replay import perform, replay
from hyalen.core.decisions.requests import (
    DrawRegion,
    EditError,
    MergeRegions,
    OmitPictures,
    Request,
    ResizePictures,
    SetKind,
    SetRole,
    SubstitutePicture,
    TakeOutArea,
)
from hyalen.core.decisions.template import like
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.ranges import page_range
from hyalen.core.formats.source import SourceError
from hyalen.core.imaging.pixels import as_uint8
from hyalen.core.layout.areas import NoArea, cut, holds, joined, sound, without
from hyalen.core.layout.grids import find_grid, grid_of, table_on
from hyalen.core.model.content import PageContent, RegionKind, Role
from hyalen.core.model.document import DocumentContent
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, Point, bounds
from hyalen.core.model.grid import Grid, GridError, Span
from hyalen.core.model.part import PartWanted
from hyalen.core.part import read_part
from hyalen.demo.archive import REPORT_1
from hyalen.demo.typeset import Typesetter
from tests.conftest import ContentMaker, make_line
from tests.helpers import cleaned, deliver

W, H = 1000, 1400
corners = st.lists(st.tuples(st.integers(-200, 1300), st.integers(-200, 1700)), min_size=3, max_size=9)


# Outlines


@settings(max_examples=200, deadline=None)
@given(corners)
def test_whatever_is_drawn_becomes_one_sound_outline_on_the_page_or_is_refused(drawn: list[tuple[int, int]]) -> None:
    inside = make_valid(Polygon(drawn)).intersection(Polygon(Box(0, 0, W, H).polygon()))
    try:
        outline = sound(drawn, W, H)
    except NoArea:
        assert max((g.area for g in getattr(inside, "geoms", [inside])), default=0) < 20_000
        return
    ring = Polygon(outline)
    box = bounds(outline)
    assert box.left >= 0 and box.top >= 0 and box.right <= W and box.bottom <= H
    assert (
        abs(ring.area - make_valid(ring).area) <= ring.length
    )  # but for its corners' rounding it crosses itself nowhere
    # By what is left over: nothing contains the empty inside of a sliver.
    assert ring.buffer(-3).difference(inside.buffer(3)).is_empty


def test_an_outline_that_crosses_itself_is_its_larger_part() -> None:
    bow = [(0, 0), (300, 200), (300, 0), (0, 200), (0, 0)]
    assert Polygon(sound(bow, W, H)).area == pytest.approx(150 * 200 / 2, rel=0.02)


@pytest.mark.parametrize("drawn", [[(1, 1), (5, 5)], [(2000, 10), (2100, 10), (2050, 90)], [(5, 5), (6, 5), (6, 6)]])
def test_what_encloses_nothing_is_refused(drawn: list[tuple[float, float]]) -> None:
    with pytest.raises(NoArea):
        sound(drawn, W, H)


@settings(max_examples=200, deadline=None)
@given(st.integers(0, 250), st.integers(0, 350), st.integers(10, 300), st.integers(10, 300))
def test_an_area_taken_out_leaves_the_rest_whole(left: int, top: int, width: int, height: int) -> None:
    outline = Box(0, 0, 400, 500).polygon()
    area = Box(left, top, left + width, top + height).polygon()
    rest = without(outline, area)
    if rest is None:
        return
    whole = Polygon(outline).difference(Polygon(area))
    parts = sorted(getattr(whole, "geoms", [whole]), key=lambda g: -g.area)
    largest = parts[0]
    assume(len(parts) == 1 or parts[1].area < 0.9 * largest.area)
    assert abs(Polygon(rest).area - largest.area) < 0.02 * largest.area + 700  # a slit to a hole takes a pixel's width
    words = [Box(x, y, x + 4, y + 4) for x in range(2, 390, 40) for y in range(2, 490, 40)]
    expected = [largest.buffer(-1).contains(Polygon(w.polygon()).centroid) for w in words]
    assert all(held for held, wanted in zip(holds(rest, words), expected, strict=True) if wanted)


def test_an_icon_in_the_middle_is_taken_out_by_a_slit() -> None:
    rest = without(Box(0, 0, 400, 300).polygon(), Box(180, 120, 220, 160).polygon())
    assert rest is not None and len(rest) > 6
    icon, above, beside = Box(190, 130, 210, 150), Box(150, 40, 170, 60), Box(300, 130, 320, 150)
    assert holds(rest, [icon, above, beside]) == [False, True, True]


def test_a_cut_parts_above_from_below_and_left_from_right() -> None:
    outline = Box(100, 100, 500, 300).polygon()
    above, below = cut(outline, Point(50, 190), Point(600, 210))
    assert bounds(above).bottom <= 212 and bounds(below).top >= 188
    assert Polygon(above).area + Polygon(below).area == pytest.approx(400 * 200, rel=0.01)
    left, right = cut(outline, Point(300, 0), Point(300, 900))
    assert bounds(left).right <= 301 and bounds(right).left >= 299
    with pytest.raises(NoArea, match="through the block"):
        cut(outline, Point(0, 0), Point(50, 900))


def test_outlines_that_touch_are_joined_along_their_sides() -> None:
    stairs = joined([Box(0, 0, 300, 100).polygon(), Box(0, 100, 150, 200).polygon()])
    assert len(stairs) == 6 and Polygon(stairs).area == 45_000
    apart = joined([Box(0, 0, 100, 100).polygon(), Box(0, 200, 100, 300).polygon()])
    assert Polygon(apart).area == 30_000


# Grids


def test_a_grid_is_changed_and_changed_back() -> None:
    grid = Grid(rows=(0, 20, 40, 60), columns=(0, 50, 100), spans=(Span(0, 0, 1, 2), Span(1, 0, 2, 1)), header_rows=1)
    assert [tuple(c) for c in grid.cells()] == [(0, 0, 1, 2), (1, 0, 2, 1), (1, 1, 1, 1), (2, 1, 1, 1)]
    more = grid.added("rows", 50)
    assert more.rows == (0, 20, 40, 50, 60) and Span(1, 0, 3, 1) in more.spans
    assert more.removed("rows", 3) == grid
    assert grid.moved("columns", 1, 500).columns == (0, 97, 100)
    assert grid.merged(Span(1, 0, 1, 2)).spans == (Span(0, 0, 1, 2), Span(1, 0, 2, 2))
    assert grid.parted(2, 0).spans == (Span(0, 0, 1, 2),)
    assert grid.part("rows", 1, 3).rows == (20, 40, 60) and grid.part("rows", 1, 3).header_rows == 0
    assert grid.stretched(Box(-10, 30, 140, 90)).rows == (30, 40, 90)
    for wrong in (lambda: grid.added("rows", 21), lambda: grid.removed("rows", 0), lambda: grid.parted(1, 1),
                  lambda: grid.merged(Span(2, 1, 2, 1)), lambda: grid.headed(9, 0), lambda: grid.moved("rows", 9, 4)):  # fmt: skip
        with pytest.raises(GridError):
            wrong()


def test_words_go_to_the_cells_that_they_lie_in_and_a_tables_lines_are_told_from_its_cells() -> None:
    maker = ContentMaker()
    lines = [make_line(text, 100, 100 + 60 * i, maker.ids) for i, text in enumerate(("aa bb cc", "dd ee ff"))]
    grid = Grid(rows=(90, 150, 220), columns=(90, 147, 202, 270), header_rows=1)
    table = table_on(grid, lines)
    assert [c.text for c in table.cells] == ["aa", "bb", "cc", "dd", "ee", "ff"]
    assert grid_of(table) == grid
    assert [c.text for c in table_on(grid.removed("columns", 1), lines).cells] == ["aa bb", "cc", "dd ee", "ff"]


def test_rows_and_columns_are_found_where_only_white_parts_them() -> None:
    maker = ContentMaker()
    rows = [("Oil", "12", "4.50"), ("Wick", "7", "0.85")]
    lines = [
        make_line(cell, 100 + 200 * j, 100 + 60 * i, maker.ids)
        for i, row in enumerate(rows)
        for j, cell in enumerate(row)
    ]
    outline = Box(80, 80, 640, 220)
    grid = find_grid(np.full((140, 560), 255, np.uint8), 300, outline, lines)
    assert len(grid.rows) == 3 and len(grid.columns) == 4 and grid.box == outline
    assert [c.text for c in table_on(grid, lines).cells] == [cell for row in rows for cell in row]


# Pages


READING = (
    ContentMaker().add(Role.HEADING_1, "Torgrunn Station").add(Role.PARAGRAPH, "the needle valve\nwas cleaned at noon by hand")
    .figure().add(Role.PARAGRAPH, "Nothing else").add(Role.LIST_ITEM, "1. four panes").page()
)  # fmt: skip


def done(content: PageContent, *requests: Request) -> PageContent:
    for request in requests:
        for operation in decide(content, request, Lay()):
            content = perform(content, operation, Lay())
    return content


def test_a_drawn_block_takes_its_words_from_where_they_were() -> None:
    box = READING.regions[1].lines[1].box.grown(6)
    content = done(READING, DrawRegion(outline=box.polygon()))
    drawn = next(r for r in content.regions if r.id == "d1")
    assert drawn.text == "was cleaned at noon by hand" and content.regions[1].text == "the needle valve"
    assert [r.id for r in content.regions].index("d1") == 2 and drawn.drawn


def test_a_block_of_nothing_is_refused_and_a_picture_and_text_do_not_merge() -> None:
    with pytest.raises(EditError, match="nothing could be read"):
        done(READING, DrawRegion(outline=Box(1500, 2500, 1800, 2700).polygon()))
    with pytest.raises(EditError, match="same kind"):
        done(READING, MergeRegions(region_ids=("r2", "r3")))
    with pytest.raises(EditError, match="no block lies there"):
        done(READING, TakeOutArea(area=Box(1500, 2500, 1800, 2700).polygon()))


def test_a_false_table_becomes_text_with_its_rows_in_order() -> None:
    content = done(READING, DrawRegion(outline=READING.regions[1].box.grown(8).polygon()))
    words = [w.text for w in content.words]
    grid = grid_of(table_on(Grid(rows=(0, 190, 400), columns=(0, 300, 2000)), content.region("d1").lines))
    assert len(grid.rows) == 3
    made = done(
        content, SetKind(region_ids=("d1",), kind=RegionKind.FIGURE), SetKind(region_ids=("d1",), kind=RegionKind.TEXT)
    )
    assert [w.text for w in made.words] == words and made.region("d1").role is Role.PARAGRAPH


def test_a_picture_that_is_left_out_is_gone_from_the_pdf_and_comes_back() -> None:
    image = encode_jpeg(np.full((READING.height, READING.width), 90, np.uint8))
    gone = done(READING, OmitPictures(region_ids=("r3",)))
    box = READING.regions[2].box
    for content, dark in (
        (READING, True),
        (gone, False),
        (done(gone, OmitPictures(region_ids=("r3",), omitted=False)), True),
    ):
        data = deliver(DocumentContent(title="t", language="eng", pages=(content,)), lambda _: image, "pdf")
        with pikepdf.open(io.BytesIO(data)) as pdf:
            shown = np.asarray(pikepdf.PdfImage(pdf.pages[0].resources.XObject.Im0).as_pil_image().convert("L"))
        assert (int(shown[box.top + 20, box.left + 20]) < 150) is dark and int(shown[5, 5]) < 150
    assert [r.id for r in gone.artifacts] == ["r3"]
    with pytest.raises(EditError, match="only a picture"):
        done(READING, OmitPictures(region_ids=("r2",)))


def test_another_image_stands_in_a_pictures_stead_and_is_as_wide_as_told() -> None:
    """In the PDF fitted into the picture's box, in DOCX as it is; a page of two colours gets those of the image."""
    black = Pillow.new("1", (READING.width, READING.height), 1)
    black.paste(0, READING.regions[2].box)
    file = io.BytesIO()
    black.save(file, "PNG")
    image, name = file.getvalue(), "a" * 64
    other = encode_jpeg(np.full((200, 400, 3), (200, 40, 40), np.uint8))
    wide = done(
        done(READING, SubstitutePicture(region_id="r3", image=name)), ResizePictures(region_ids=("r3",), width=2)
    )
    document = DocumentContent(title="t", language="eng", pages=(wide,))
    with pikepdf.open(io.BytesIO(deliver(document, lambda _: image, "pdf", {name: other}.__getitem__))) as pdf:
        shown = np.asarray(pikepdf.PdfImage(pdf.pages[0].resources.XObject.Im0).as_pil_image().convert("RGB")).astype(
            int
        )
    box = READING.regions[2].box
    x, y = (round(v) for v in box.centre)
    assert abs(shown[y, x] - (200, 40, 40)).max() < 12 and shown.reshape(-1, 3).min(axis=1).max() > 240
    high = min(box.height, box.width // 2)  # twice as wide as high, in the middle of the box
    column = (abs(shown[box.top : box.bottom, x] - (200, 40, 40)).max(axis=1) < 40).sum()
    assert abs(int(column) - high) < 6
    docx = Document(io.BytesIO(deliver(document, lambda _: image, "docx", {name: other}.__getitem__)))
    (picture,) = docx.inline_shapes
    assert picture.width == Inches(2) and picture.height == Inches(1)
    assert docx.part.related_parts[picture._inline.graphic.graphicData.pic.blipFill.blip.embed].blob == other
    own = done(done(wide, SubstitutePicture(region_id="r3", image="")), ResizePictures(region_ids=("r3",), width=None))
    assert (own.region("r3").substitute, own.region("r3").width) == ("", None)
    with pytest.raises(EditError, match="only a picture"):
        done(READING, SubstitutePicture(region_id="r2", image=name))


def test_bold_type_in_a_drawn_block_is_told_beside_the_text_around_it(setter: Typesetter) -> None:
    text = "The keeper winds the clock at four and writes the weather into the station log before the lamp is lit. " * 4
    page = setter.set(
        f"<html lang=en><style>p{{font:12pt 'Liberation Serif'; margin:10mm 20mm}}</style>"
        f"<p data-role=paragraph>{text}</p><p data-role=paragraph><b>Notice to all keepers of this district</b></p>"
        f"<p data-role=paragraph>{text}</p>"
    )
    around, block, more = (b for b in page.blocks if b.role == "paragraph")
    known = [read_part(page.image, page.dpi, PartWanted(b.box.grown(12).polygon(), ("eng",))) for b in (around, more)]
    wanted = PartWanted(block.box.grown(12).polygon(), ("eng",), around=known[0].lines + known[1].lines)
    (line,) = read_part(page.image, page.dpi, wanted).lines
    assert line.text == "Notice to all keepers of this district"
    assert sum(Style.BOLD in w.style for w in line.words) >= len(line.words) - 1
    assert not any(w.style for k in known for each in k.lines for w in each.words)


def test_a_part_of_a_page_is_read_and_what_is_known_is_not_read_again(setter: Typesetter) -> None:
    page = setter.set(REPORT_1)
    block = next(b for b in page.blocks if b.role == "paragraph" and len(b.words) > 20)
    part = read_part(page.image, page.dpi, PartWanted(block.box.grown(12).polygon(), ("eng",)))
    assert " ".join(line.text for line in part.lines).split()[:12] == block.text.split()[:12]
    again = read_part(page.image, page.dpi, PartWanted(block.box.grown(12).polygon(), ("eng",), part.lines))
    assert again.lines == ()
    first = part.lines[1:]
    rest = read_part(page.image, page.dpi, PartWanted(block.box.grown(12).polygon(), ("eng",), first))
    assert " ".join(line.text for line in rest.lines) == part.lines[0].text


def test_a_part_of_a_page_has_the_witnesses_that_a_whole_page_has(setter: Typesetter) -> None:
    page = setter.set(REPORT_1)
    block = next(b for b in page.blocks if b.role == "paragraph" and len(b.words) > 20)
    worn = as_uint8(cv2.GaussianBlur(page.image, (0, 0), 4))
    part = read_part(worn, page.dpi, PartWanted(block.box.grown(12).polygon(), ("eng",)))
    words = [w for line in part.lines for w in line.words]
    assert any(w.recognised for w in words)
    assert fuzz.ratio(" ".join(w.text for w in words), block.text) > 90


def test_a_page_is_a_template_for_others_of_its_form_wherever_they_lie() -> None:
    """The second sheet was laid on the glass 60 pixels farther to the right and 25 lower, and is filled in otherwise."""

    def form(dx: int, dy: int, name: str, number: str) -> PageContent:
        maker = ContentMaker()
        texts = (
            "Station",
            "Keeper",
            "Persons landed",
            f"{name}",
            f"{number} souls",
            "Casks of oil and water",
            "Remarks",
            "Signature",
        )
        for at, text in enumerate(texts):
            line = make_line(text, 200 + dx + 700 * (at % 2), 200 + dy + 90 * (at // 2), maker.ids)
            maker.add(Role.PARAGRAPH, "x", lines=(line,), outline=line.box.polygon())
        return maker.page()

    model, other = form(0, 0, "Ingrid Vael", "12"), form(60, 25, "Olaf Brandt", "7")
    first = model.regions[0].box
    model = done(
        model,
        SetRole(region_id=model.regions[0].id, role=Role.HEADING_2),
        DrawRegion(outline=Box(first.left - 8, 290 - 8, 1400, 420).polygon()),
        TakeOutArea(area=model.regions[6].box.grown(3).polygon()),
    )
    lay = Lay(cleaned(30))
    content = replay(other, like(model, other, lay), lay).content
    joined_block = next(r for r in content.regions if "Olaf" in r.text)
    assert joined_block.text.split() == ["Persons", "landed", "Olaf", "Brandt"] or "Persons landed" in joined_block.text
    assert content.regions[0].role is Role.HEADING_2 and content.regions[0].text == "Station"
    assert sorted(w.text for w in content.words) == sorted(w.text for w in other.words)


# Pages of a file


@pytest.mark.parametrize(
    ("text", "pages"),
    [
        ("", range(9)),
        ("1-3, 7", (0, 1, 2, 6)),
        ("8-", (7, 8)),
        ("-2", (0, 1)),
        ("2,2,1", (0, 1)),
        ("5–99", range(4, 9)),
    ],
)
def test_pages_are_named_in_ranges(text: str, pages: range | tuple[int, ...]) -> None:
    assert page_range(text, 9) == tuple(pages)


@pytest.mark.parametrize("text", ["0", "3-1", "a", "1;2", "40", "-", "1 2"])
def test_what_is_no_range_is_refused_with_a_word(text: str) -> None:
    with pytest.raises(SourceError, match=r"range of pages|none of those"):
        page_range(text, 9)
