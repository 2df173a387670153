"""Slides, read back by LibreOffice and by python-pptx."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from pptx import Presentation

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.layout.grids import turned
from hyalen.core.model.content import PageContent, Role
from hyalen.core.structure.tree import StructureTree
from tests.conftest import ContentMaker
from tests.test_formats import office, run

IMAGE = encode_jpeg(np.full((2480, 3508), 240, np.uint8))


def across(maker: ContentMaker) -> PageContent:
    return maker.page().model_copy(update={"width": 3508, "height": 2480})


def written(pages: list[PageContent]) -> bytes:
    file = io.BytesIO()
    FORMATS["pptx"].write(StructureTree("Lamps", "eng", pages), lambda _: IMAGE, file, DeliveryOptions())
    return file.getvalue()


@pytest.fixture(scope="module")
def slides() -> bytes:
    first = ContentMaker().add(Role.HEADING_1, "The lamps").add(Role.LIST_ITEM, "• Wicks").add(Role.LIST_ITEM, "• Oil")
    first.add(Role.LIST_ITEM, "1. colza", depth=1).add(Role.PARAGRAPH, "Une lampe", language="fra").figure("A tower")
    second = ContentMaker().add(Role.HEADING_1, "The figures").table([["Station", "Oil"], ["Torgrunn", "4"]])
    return written([across(first), across(second), across(ContentMaker())])


def test_pages_become_slides_with_outline_picture_and_table(slides: bytes) -> None:
    deck: Any = Presentation(io.BytesIO(slides))
    assert [s.shapes.title.text_frame.text for s in deck.slides] == ["The lamps", "The figures", "Lamps"]
    first, second, _ = deck.slides
    assert [s.is_placeholder for s in first.shapes] == [True, True, False]  # and no loose box of text
    assert not any(s.has_text_frame for s in first.shapes if not s.is_placeholder)
    body = first.placeholders[1].text_frame
    assert [p.text for p in body.paragraphs] == ["Wicks", "Oil", "colza", "Une lampe"]
    assert [p.level for p in body.paragraphs][:3] == [0, 0, 1]
    assert body.paragraphs[3].runs[0]._r.rPr.get("lang") == "fr"
    assert first.shapes[2]._element.nvPicPr.cNvPr.get("descr") == "A tower"
    table = next(s for s in second.shapes if s.has_table).table
    assert table.first_row and [c.text for row in table.rows for c in row.cells] == ["Station", "Oil", "Torgrunn", "4"]
    assert abs(deck.slide_width / deck.slide_height - 3508 / 2480) < 0.01


def test_tables_of_right_to_left_pages_begin_at_the_right() -> None:
    page = across(ContentMaker("heb").add(Role.HEADING_1, "נרות").table([["שם", "שמן"], ["דן", "4"]]))
    region = page.regions[1]
    assert region.table is not None
    turned_page = page.model_copy(
        update={"regions": (page.regions[0], region.model_copy(update={"table": turned(region.table, "heb")}))}
    )
    deck: Any = Presentation(io.BytesIO(written([turned_page])))
    shape = next(s for s in deck.slides[0].shapes if s.has_table)
    assert shape.table._tbl.tblPr.get("rtl") == "1"  # ECMA-376-1, 21.1.3.15
    told = [p for c in shape.table.iter_cells() for p in c.text_frame.paragraphs]
    assert {(p._p.pPr.get("rtl"), p._p.pPr.get("algn")) for p in told} == {("1", "r")}
    assert [p.text for p in told] == ["שמן", "שם", "4", "דן"]  # as the maker laid them from the left


def test_an_office_suite_shows_them(slides: bytes, tmp_path: Path) -> None:
    (tmp_path / "made.pptx").write_bytes(slides)
    path = office(tmp_path / "made.pptx", "pdf")
    told = run("pdfinfo", path)
    assert "Pages:           3" in told
    assert "Wicks" in (text := run("pdftotext", path, "-")) and "Torgrunn" in text and "The figures" in text


def test_what_is_no_slide_is_refused_with_its_reason() -> None:
    upright = ContentMaker().add(Role.PARAGRAPH, "A letter.").page()
    much = across(ContentMaker().add(Role.PARAGRAPH, "word " * 200))
    with pytest.raises(ValueError, match=r"no slides.*: 2, 3;"):
        written([across(ContentMaker()), upright, much])
    with pytest.raises(ValueError, match="no page"):
        written([])
