"""Tables whose rows are read from the right, as those of Arabic and Hebrew pages are."""

from __future__ import annotations

import io
import zipfile

import pytest

from hyalen.core.decisions.decide import decide
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.replay import perform
from hyalen.core.decisions.requests import CutRegion, SetLanguage
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.grids import grid_of, table_on, turned
from hyalen.core.model.content import PageContent, Role, Table
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point
from hyalen.core.model.grid import Grid
from hyalen.core.model.tagged import TaggedBlock, TaggedCell
from hyalen.core.proofing.totals import wrong_totals
from hyalen.core.read import read_content
from hyalen.core.reading.tagged import tagged_content
from hyalen.core.structure.tree import StructureTree, Tag
from hyalen.demo.typeset import Typesetter
from tests.conftest import ContentMaker

ROWS = [["שם", "ראשון", "שני"], ["כבוד", "110", "12"], ["חברה", "21", "220"], ["חירות", "31", "32"]]
STYLE = "body{margin:20mm;font:12pt/1.6 'Noto Serif Hebrew'} td{padding:1mm 6mm;border:1px solid} table{border-collapse:collapse}"


@pytest.fixture(scope="module")
def read(setter: Typesetter) -> tuple[PageContent, Image]:
    rows = "".join("<tr>" + "".join(f"<td>{text}</td>" for text in row) + "</tr>" for row in ROWS)
    text = "<p data-role=p>כל אדם יש לו הזכות לחיים, לחרות ולבטחון אישי. כל אדם זכאי להגנת החוק.</p>"
    page = setter.set(
        f'<html dir="rtl"><meta charset=utf-8><style>{STYLE}</style>{text}<table>{rows}</table>{text}', 200
    )
    return read_content(page.image, page.dpi, ("heb",)), page.image


def table_of(content: PageContent) -> Table:
    (region,) = [r for r in content.regions if r.table is not None]
    assert region.table is not None
    return region.table


def test_rows_are_read_and_headed_from_the_right(read: tuple[PageContent, Image]) -> None:
    table = table_of(read[0])
    assert [cell.text for cell in table.cells] == [text for row in ROWS for text in row]
    assert [c.box.left for c in table.cells[:3]] == sorted((c.box.left for c in table.cells[:3]), reverse=True)
    assert [c.text for c in table.cells if c.header and c.row > 0] == [row[0] for row in ROWS[1:]]


def test_the_first_column_is_the_right_one_wherever_it_is_delivered(read: tuple[PageContent, Image]) -> None:
    content, image = read
    tree = StructureTree("Title", "heb", [content])
    (table,) = [node for node in tree.nodes() if node.tag is Tag.TABLE]
    told = [[cell.text for cell in row.children] for row in table.children]
    assert told == ROWS
    assert [n.cell.column for n in table.children[0].children if n.cell] == [0, 1, 2]
    assert [n.scope for row in table.children[1:] for n in row.children if n.tag is Tag.TH] == ["Row"] * 3

    def written(name: str, language: str = "heb") -> bytes:
        file = io.BytesIO()
        FORMATS[name].write(
            StructureTree("T", language, [content]), lambda _: encode_jpeg(image), file, DeliveryOptions()
        )
        return file.getvalue()

    with zipfile.ZipFile(io.BytesIO(written("docx"))) as docx:
        assert b"<w:bidiVisual/>" in docx.read("word/document.xml")  # ECMA-376-1, 17.4.1
    assert b'dir="rtl"' not in written("html").partition(b"<table")[2]  # it is the whole document's
    assert b'<table dir="rtl"' in written("html", "eng")


def test_a_table_is_turned_with_its_language(read: tuple[PageContent, Image]) -> None:
    content, lay = read[0], Lay()
    (region,) = [r for r in content.regions if r.table is not None]
    for language in ("fra", "heb"):
        for operation in decide(content, SetLanguage(region_id=region.id, language=language), lay):
            content = perform(content, operation, lay)
        first = [c.text for c in table_of(content).cells[:3]]
        assert first == (ROWS[0] if language == "heb" else ROWS[0][::-1])
        # However it is read, the words stay in their cells, and as many columns are headers.
        assert grid_of(table_of(content)).header_columns == 1
    assert table_of(content) == table_of(read[0])


def test_a_table_that_is_cut_across_goes_on_from_the_right() -> None:
    page = ContentMaker("heb").table([["א", "ב", "ג"], ["ד", "ה", "ו"]]).page()
    region = page.regions[0]
    assert region.table is not None
    page = page.model_copy(update={"regions": (region.model_copy(update={"table": turned(region.table, "heb")}),)})
    x = region.table.cells[1].box.left
    cut = CutRegion(region_id=region.id, start=(x, region.box.top), end=(x, region.box.bottom))
    for operation in decide(page, cut, Lay()):
        page = perform(page, operation, Lay())
    assert [r.text for r in page.regions] == ["ג\nב\nו\nה", "א\nד"]


def test_header_columns_stay_with_the_part_where_rows_begin() -> None:
    grid = Grid(rows=(0, 50, 100), columns=(0, 100, 200, 300), header_columns=1, backwards=True)
    assert [grid.part("columns", a, b).header_columns for a, b in ((1, 3), (0, 1))] == [1, 0]
    assert [c.header for c in table_on(grid, []).cells] == [True, False, False] * 2


def test_columns_of_a_tagged_file_count_from_the_right() -> None:
    def line(text: str, left: int) -> tuple[FoundLine, ...]:
        box = Box(left, 100, left + 80, 130)
        return (FoundLine((FoundWord(text, box, 1.0, "heb"),), box, (Point(left, 128), Point(left + 80, 128)), 30),)

    cells = tuple(TaggedCell(0, i, 1, 1, False, line(text, left)) for i, (text, left) in enumerate([("אחת", 700), ("שתיים", 400), ("שלוש", 100)]))  # fmt: skip
    block = TaggedBlock(Role.TABLE, Box(90, 90, 800, 140), language="he", cells=cells)
    table = table_of(tagged_content((1000, 1000), 100, ("heb",), ("heb",), [block]))
    assert [(c.text, c.column) for c in table.cells] == [("אחת", 2), ("שתיים", 1), ("שלוש", 0)]
    assert all(c.box.left < c.lines[0].box.centre.x < c.box.right for c in table.cells)


def test_totals_of_rows_that_are_named_at_the_right_are_added_up() -> None:
    page = (
        ContentMaker("ara").table([["عام", "أ", "ب"], ["و", "5", "7"], ["ز", "6", "8"], ["المجموع", "11", "16"]]).page()
    )
    table = page.regions[0].table
    assert table is not None
    # The maker sets columns from the left; as they stand on such a page the first one is at the right.
    cells = tuple(c.model_copy(update={"column": 2 - c.column}) for c in table.cells)
    told = [
        (cell.text, total) for cell, total in wrong_totals(table.model_copy(update={"cells": cells, "backwards": True}))
    ]
    assert told == [("16", 15)]
