"""The word processor's file that looks as the paper does: its bands and type, and LibreOffice's rendering beside the page."""

from __future__ import annotations

import io
import zipfile
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from docx import Document
from docx.oxml.ns import qn
from hypothesis import given, settings
from hypothesis import strategies as st
from reportlab.pdfbase.pdfmetrics import stringWidth

from bench.placed import compare, near
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.placing import Alignment, blocks, shape
from hyalen.core.formats.typefaces import MONO, SANS, SERIF, fit, lines_of, nearest_face
from hyalen.core.layout.bands import bands
from hyalen.core.model.content import Line, PageContent, Role, Word
from hyalen.core.model.document import LabelRange, LabelStyle
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, Point
from hyalen.core.structure.tree import StructureTree, Tag
from tests.conftest import ContentMaker

IMAGE = encode_jpeg(np.full((3508, 2480), 240, np.uint8))
TITLE = "Notices of the Board of Lights to all of its keepers and to the masters of its tenders"
NAMED = ("Torgrunn", "Hallvik", "Mewstone", "Ketlow", "Salnes", "Breidal", "Oskberg", "Vardfjord", "Liney", "Grimmark")


def written(pages: list[PageContent], **told: Any) -> bytes:
    file = io.BytesIO()
    FORMATS["placed"].write(StructureTree("Lamps", "eng", pages, **told), lambda _: IMAGE, file, DeliveryOptions())
    return file.getvalue()


def told_lines(count: int, first: int = 0) -> str:
    """Lines of words that are each like no other."""
    return "\n".join(f"The keeper{n} of {NAMED[n % 10]}{n} lit lamp{n}" for n in range(first, first + count))


def two_columns() -> PageContent:
    maker = ContentMaker().at(240, 300).add(Role.HEADING_1, TITLE)
    maker.at(240, 600).add(Role.PARAGRAPH, told_lines(12)).add(Role.LIST_ITEM, "1. Four panes").add(
        Role.LIST_ITEM, "2. Two rails"
    )
    maker.at(1340, 600).add(Role.PARAGRAPH, told_lines(6, 20)).figure("A tower").add(Role.PARAGRAPH, told_lines(5, 40))
    maker.at(240, 2000).add(Role.HEADING_2, "Of the oil").table(
        [["Station", "Gallons", "Years"], ["Torgrunn", "45.5", "9"]]
    )
    maker.at(240, 3300).add(Role.PAGE_NUMBER, "7")
    return maker.page()


def test_blocks_come_out_where_they_are_on_paper(tmp_path: Path) -> None:
    pages = [two_columns(), ContentMaker().page(), two_columns()]
    (tmp_path / "made.docx").write_bytes(written(pages))
    found = compare(pages, tmp_path / "made.docx")
    assert (found.pages, found.made) == (3, 3)
    assert found.near == found.blocks == 16


def test_what_stands_elsewhere_is_not_counted() -> None:
    page = ContentMaker().add(Role.PARAGRAPH, told_lines(3)).page()
    assert near(page, []) == (1, 0)


def test_it_is_made_of_real_paragraphs_and_anchored_pictures() -> None:
    data = written([two_columns()], labels=[LabelRange(start=7, style=LabelStyle.DECIMAL)])
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        body = archive.read("word/document.xml").decode()
        feet = [archive.read(n).decode() for n in archive.namelist() if n.startswith("word/footer")]
    assert "w:framePr" not in body and "txbx" not in body and "v:textbox" not in body
    assert body.count("<wp:anchor ") == 1 and "<wp:inline" not in body and 'descr="A tower"' in body
    assert any(" PAGE " in foot for foot in feet)
    docx = Document(io.BytesIO(data))
    styles = {p.text: p.style.name for p in docx.paragraphs if p.text and p.style is not None}
    assert styles[TITLE] == "Heading 1" and styles["Of the oil"] == "Heading 2"
    assert styles["Four panes"] == "List Number"  # the word processor counts
    assert len(docx.tables) == 1 and docx.tables[0].rows[1].cells[0].text == "Torgrunn"
    assert docx.tables[0].rows[0]._tr.xpath("./w:trPr/w:tblHeader")
    texts = [p.text for p in docx.paragraphs]
    assert not any("\n" in text for text in texts)  # lines break where the word processor breaks them
    columns = [int(s._sectPr.find(qn("w:cols")).get(qn("w:num"))) for s in docx.sections]
    assert columns == [1, 2, 1]


def test_each_list_counts_by_itself_over_many_pages() -> None:
    page = (
        ContentMaker()
        .add(Role.LIST_ITEM, "1. Four panes")
        .add(Role.LIST_ITEM, "2. Two rails")
        .add(Role.PARAGRAPH, "The end of it.")
    )
    docx = Document(io.BytesIO(written([page.page()] * 12)))
    numbers = [
        p._p.xpath("./w:pPr/w:numPr/w:numId/@w:val")[0] for p in docx.paragraphs if p._p.xpath("./w:pPr/w:numPr")
    ]
    assert len(numbers) == 24 and len(set(numbers)) == 12 and numbers[::2] == numbers[1::2]


def test_running_heads_stay_out_of_the_text() -> None:
    page = ContentMaker().at(240, 100).add(Role.RUNNING_HEAD, "The Inspector").add(Role.PARAGRAPH, told_lines(3)).page()
    docx = Document(io.BytesIO(written([page, page])))
    assert all("Inspector" not in p.text for p in docx.paragraphs)
    assert docx.sections[0].header.paragraphs[0].text == "The Inspector"
    assert docx.sections[1].header.is_linked_to_previous


def test_text_that_stands_sideways_is_shown_and_said() -> None:
    line = Line(
        words=(Word(id="w1", text="Printed by the Board", box=Box(2300, 500, 2330, 1200), confidence=0.9),),
        box=Box(2300, 500, 2330, 1200),
        baseline=(Point(2300, 1200), Point(2330, 1200)),
        height=30,
    )
    page = ContentMaker().add(Role.PARAGRAPH, "x").add(Role.PARAGRAPH, told_lines(3)).page()
    turned = page.regions[0].model_copy(update={"lines": (line,), "outline": line.box.polygon()})
    page = page.model_copy(update={"regions": (turned, page.regions[1])})
    ((_, found),) = blocks(StructureTree("", "eng", [page]).nodes())
    assert [b.node.tag for b in found] == [Tag.FIGURE, Tag.P]
    assert found[0].node.alternative == "Printed by the Board"


def test_text_from_right_to_left_is_counted_from_the_right() -> None:
    page = ContentMaker("heb").at(900, 300).add(Role.PARAGRAPH, "\n".join(["מגדלור ישן ליד הים"] * 4)).page()
    ((_, (block,)),) = blocks(StructureTree("", "heb", [page]).nodes())
    found = shape(block, SERIF, 72 / 300)
    assert (found.start, found.end) == (-block.box.right, -block.box.left)
    docx = Document(io.BytesIO(written([page])))
    (paragraph,) = [p for p in docx.paragraphs if p.text]
    assert paragraph._p.xpath("./w:pPr/w:bidi")


@pytest.mark.parametrize(
    ("lefts", "rights", "told"),
    [
        ((0, 0, 0, 0), (900, 899, 901, 400), Alignment.JUSTIFIED),
        ((0, 0, 0), (900, 700, 800), Alignment.START),
        ((100, 0, 200), (800, 900, 700), Alignment.CENTRE),
        ((100, 0, 200), (900, 900, 900), Alignment.END),
    ],
)
def test_how_lines_are_set_is_told_by_their_edges(
    lefts: tuple[int, ...], rights: tuple[int, ...], told: Alignment
) -> None:
    lines = [
        Line(
            words=(Word(id=str(n), text="lamps" * ((b - a) // 100), box=Box(a, 60 * n, b, 60 * n + 40), confidence=1),),
            box=Box(a, 60 * n, b, 60 * n + 40),
            baseline=(Point(a, 60 * n + 40), Point(b, 60 * n + 40)),
            height=40,
        )
        for n, (a, b) in enumerate(zip(lefts, rights, strict=True))
    ]
    page = ContentMaker().add(Role.PARAGRAPH, "x").page()
    page = page.model_copy(update={"regions": (page.regions[0].model_copy(update={"lines": tuple(lines)}),)})
    ((_, (block,)),) = blocks(StructureTree("", "eng", [page]).nodes())
    assert shape(block, SERIF, 72 / 300).alignment is told


@pytest.mark.parametrize(("face", "name"), [(SERIF, "Times"), (SANS, "Helvetica"), (MONO, "Courier")])
def test_widths_are_those_of_the_standard_fonts(face: Any, name: str) -> None:
    """Against the metrics of the fourteen standard PDF fonts (ISO 32000-1, 9.6.2.2), as ReportLab carries them."""
    text = "Hamburgefonstiv, 1931 & Keepers"
    plain, bold = {"Times": ("Times-Roman", "Times-Bold")}.get(name, (name, f"{name}-Bold"))
    assert face.width(text) == pytest.approx(stringWidth(text, plain, 1), rel=0.01)
    assert face.width(text, [Style.BOLD]) == pytest.approx(stringWidth(text, bold, 1), rel=0.01)


def set_in(face: Any, points: float) -> list[Line]:
    """Lines of words as they are printed at 300 dpi in a face and size."""
    em, lines = points / 72 * 300, []
    for n, text in enumerate(
        ["Keepers lighted lamps", "Harbour lights before", "Notices against foggy", "weather and wreckage"]
    ):
        x, words = 100.0, []
        for word in text.split():
            wide, high = face.width(word) * em, face.height(word) * em
            box = Box(round(x), 100 * n, round(x + wide), 100 * n + round(high))
            words.append(Word(id=f"{n}{word}", text=word, box=box, confidence=1))
            x += wide + face.width(" ") * em
        box = Box(100, 100 * n, words[-1].box.right, 100 * n + 60)
        lines.append(Line(words=tuple(words), box=box, baseline=(Point(100, 0), Point(x, 0)), height=60))
    return lines


@pytest.mark.parametrize("face", [SERIF, SANS, MONO])
@pytest.mark.parametrize("points", [8.0, 11.5, 24.0])
def test_face_and_size_are_found_again(face: Any, points: float) -> None:
    lines = set_in(face, points)
    assert nearest_face(word for line in lines for word in line.words) is face
    em, width = fit(face, lines, 72 / 300)
    assert em * 72 / 300 == pytest.approx(points, abs=0.5) and abs(width - 100) <= 6


def test_lines_are_counted_as_they_break() -> None:
    words = [("ab", frozenset[Style]())] * 6
    wide = MONO.width("ab ab")
    assert lines_of(MONO, words, 1.0, wide + 0.01) == 3
    assert lines_of(MONO, words, 1.0, wide + 0.01, first=MONO.width("ab")) == 4
    assert lines_of(MONO, words, 1.0, 0.1) == 6  # a word wider than its column has a line of its own


def rows(left: int, top: int, right: int, count: int) -> list[Box]:
    return [Box(left, top + 20 * n, right, top + 20 * n + 16) for n in range(count)]


def test_columns_stand_side_by_side_and_what_lies_across_parts_them() -> None:
    page = [rows(0, 0, 400, 1), rows(0, 40, 180, 10), rows(220, 40, 400, 10), rows(0, 300, 400, 2)]
    found = bands(page, 4)
    assert [[[p.block for p in c] for c in b.columns] for b in found] == [[[0]], [[1], [2]], [[3]]]
    assert [[p.block for p in c] for c in bands(page, 4, from_the_right=True)[1].columns] == [[2], [1]]


def test_a_text_beside_what_needs_other_columns_is_parted() -> None:
    page = [rows(0, 0, 180, 5), rows(220, 0, 400, 20), rows(0, 110, 80, 10), rows(100, 110, 180, 10)]
    found = bands(page, 4)
    assert [[(p.block, p.start, p.end) for c in b.columns for p in c] for b in found] == [
        [(0, 0, 5), (1, 0, 6)],
        [(2, 0, 10), (3, 0, 10), (1, 6, 20)],
    ]


boxes = st.builds(
    lambda x, y, w, n: rows(x, y, x + w, n),
    st.integers(0, 800),
    st.integers(0, 900),
    st.integers(20, 600),
    st.integers(1, 9),
)


@settings(deadline=None, max_examples=80)
@given(st.lists(boxes, max_size=8))
def test_every_line_stands_once_and_nothing_beside_another_in_a_column(page: list[list[Box]]) -> None:
    found = bands(page, 4)
    told = sorted((p.block, n) for b in found for c in b.columns for p in c for n in range(p.start, p.end))
    assert told == [(i, n) for i, lines in enumerate(page) for n in range(len(lines))]
    for band in found:
        for column in band.columns:
            parts = [page[p.block][p.start : p.end] for p in column]
            assert all(a[-1].bottom <= b[0].top + 4 for a, b in pairwise(parts))
