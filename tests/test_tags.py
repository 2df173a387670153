"""What PDF/UA files say of their own structure is kept: made by LibreOffice, WeasyPrint and by this program."""

from __future__ import annotations

import base64
import io
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from docx import Document
from docx.oxml import OxmlElement
from PIL import Image as Pillow

from hyalen import cli
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.pdf_tags import tagged_blocks
from hyalen.core.formats.printed import pdf_of
from hyalen.core.formats.read import read_source_page
from hyalen.core.formats.source import Limits
from hyalen.core.model.content import RegionKind, Role
from hyalen.core.model.document import DocumentContent, PageKind
from hyalen.core.model.tagged import TaggedBlock
from hyalen.core.reading.tagged import REASON, tagged_content
from hyalen.work.jobs import Own, read_own
from tests.conftest import Judge
from tests.helpers import cleaned
from tests.test_formats import run

SIZE = (2480, 3508)
PAGE = """<!doctype html><html lang="en"><head><title>Lamps</title></head><body>
<h1>The lamps</h1><p>The keeper lit <a href="https://example.org/">the lamp</a> of Torgrunn.</p>
<ul><li>Wicks<ul><li>flat</li></ul></li><li>Mantles</li></ul>
<h3>Of the oil</h3><p lang="fr">Un avis aux navigateurs.</p>
<table><caption>Oil</caption><tr><th>Station</th><th colspan="2">Gallons</th></tr>
<tr><th rowspan="2">Torgrunn</th><td></td><td>9</td></tr><tr><td>4</td><td>5</td></tr></table>
<blockquote><p>Light is duty.</p></blockquote>
<figure><img alt="A tower on a rock" src="data:image/png;base64,{png}" width="60" height="60"></figure>
</body></html>"""


def png() -> bytes:
    out = io.BytesIO()
    Pillow.fromarray(np.full((60, 60), 90, np.uint8)).save(out, "PNG")
    return out.getvalue()


@pytest.fixture
def page(tmp_path: Path) -> Path:
    path = tmp_path / "page.pdf"
    path.write_bytes(pdf_of(PAGE.format(png=base64.b64encode(png()).decode())))
    with pikepdf.open(path, allow_overwriting_input=True) as pdf:
        body = pdf.Root.StructTreeRoot.K
        (body[0] if isinstance(body, pikepdf.Array) else body).K[4].Lang = pikepdf.String("fr-FR")  # of the notice
        pdf.save(path)
    return path


def text(block: TaggedBlock) -> str:
    return " ".join(word.text for line in block.lines for word in line.words)


def told(path: Path) -> list[TaggedBlock]:
    found = tagged_blocks(path, 0, SIZE)
    assert found is not None
    return found


def test_the_tags_of_a_page_are_read_in_their_order(page: Path) -> None:
    found = told(page)
    assert [(b.role, text(b), b.depth) for b in found if b.lines] == [
        (Role.HEADING_1, "The lamps", 0),
        (Role.PARAGRAPH, "The keeper lit the lamp of Torgrunn.", 0),
        (Role.LIST_ITEM, "• Wicks", 0),
        (Role.LIST_ITEM, "◦ flat", 1),
        (Role.LIST_ITEM, "• Mantles", 0),
        (Role.HEADING_3, "Of the oil", 0),
        (Role.PARAGRAPH, "Un avis aux navigateurs.", 0),
        (Role.CAPTION, "Oil", 0),
        (Role.QUOTATION, "Light is duty.", 0),
    ]
    (table,) = [b for b in found if b.role is Role.TABLE]
    cells = [(c.row, c.column, c.row_span, c.column_span, c.header, " ".join(w.text for line in c.lines for w in line.words)) for c in table.cells]  # fmt: skip
    assert cells == [
        (0, 0, 1, 1, True, "Station"), (0, 1, 1, 2, True, "Gallons"), (1, 0, 2, 1, True, "Torgrunn"),
        (1, 1, 1, 1, False, ""), (1, 2, 1, 1, False, "9"), (2, 1, 1, 1, False, "4"), (2, 2, 1, 1, False, "5"),
    ]  # fmt: skip
    (picture,) = [b for b in found if b.role is Role.FIGURE]
    assert picture.alternative == "A tower on a rock" and picture.box.area > 0
    assert [w.link for w in next(b for b in found if "keeper" in text(b)).lines[0].words][3:5] == ["https://example.org/"] * 2  # fmt: skip
    assert next(b for b in found if "avis" in text(b)).language == "fr-FR"


def test_they_become_regions_that_stay(page: Path) -> None:
    content = tagged_content((3508, 2480), 300.0, ("eng",), ("eng", "fra"), told(page))
    assert all(r.tagged and not r.drawn and r.reason == REASON for r in content.regions)
    assert {r.language for r in content.regions} == {"eng", "fra"}
    table = next(r.table for r in content.regions if r.table)
    assert (table.rows, table.columns) == (3, 3)
    for cell in table.cells:  # each holds its words, and they lie beside each other
        assert all(cell.box.covers(line.box, 0.9) for line in cell.lines)
        assert not any(cell is not other and cell.box.overlap(other.box) for other in table.cells)
    assert len({w.id for w in content.words}) == len(list(content.words))


def test_a_word_processors_structure_is_kept_and_delivered(judge: Judge, tmp_path: Path) -> None:
    made = Document()
    made.core_properties.title = "Of the lamps"
    made.add_heading("Of the lamps", 1)
    made.add_paragraph("The keeper of Torgrunn lit the lamp.")
    made.add_heading("Of the oil", 2)
    for item in ("Four panes", "Two rails"):
        made.add_paragraph(item, style="List Number")
    table = made.add_table(2, 2)
    for at, cell in enumerate(("Station", "Gallons", "Torgrunn", "45.5")):
        table.cell(at // 2, at % 2).text = cell
    table.rows[0]._tr.get_or_add_trPr().append(OxmlElement("w:tblHeader"))
    made.add_picture(io.BytesIO(png()))._inline.docPr.set("descr", "A tower on a rock")
    made.save(str(tmp_path / "given.docx"))
    told = [
        "batch",
        str(tmp_path / "given.docx"),
        "--out",
        str(tmp_path / "out"),
        "--formats",
        "json,pdf",
        "--workers",
        "1",
    ]
    assert cli.main(told) == 0
    (content,) = DocumentContent.model_validate_json((tmp_path / "out/given.json").read_text("utf8")).pages
    judge.accepts(tmp_path / "out/given.pdf")
    structure = run("pdfinfo", "-struct", tmp_path / "out/given.pdf")
    assert [tag for tag in ("H1", "H2", "LBody", "TD", "Figure") if tag not in structure] == [], structure
    roles = [(r.role, r.text.split("\n")[0]) for r in content.regions if r.kind is RegionKind.TEXT]
    assert roles == [
        (Role.HEADING_1, "Of the lamps"), (Role.PARAGRAPH, "The keeper of Torgrunn lit the lamp."),
        (Role.HEADING_2, "Of the oil"), (Role.LIST_ITEM, "1. Four panes"), (Role.LIST_ITEM, "2. Two rails"),
    ]  # fmt: skip
    assert [r.alternative_text for r in content.regions if r.kind is RegionKind.FIGURE] == ["A tower on a rock"]
    (grid,) = [r.table for r in content.regions if r.table]
    assert [c.text for c in grid.cells] == ["Station", "Gallons", "Torgrunn", "45.5"]


def test_what_does_not_claim_to_be_for_readers_or_has_fields_is_not_taken_at_its_word(
    page: Path, tmp_path: Path
) -> None:
    with pikepdf.open(page) as pdf:
        with pdf.open_metadata() as data:
            del data["pdfuaid:part"]
        pdf.save(tmp_path / "plain.pdf")
    assert tagged_blocks(tmp_path / "plain.pdf", 0, SIZE) is None
    with pikepdf.open(page) as pdf:
        pdf.Root.AcroForm = pikepdf.Dictionary(Fields=[pdf.make_indirect(pikepdf.Dictionary(FT=pikepdf.Name.Tx))])
        pdf.save(tmp_path / "form.pdf")
    assert tagged_blocks(tmp_path / "form.pdf", 0, SIZE) is None


def test_tags_that_leave_letters_out_do_not_count(page: Path, tmp_path: Path) -> None:
    with pikepdf.open(page) as pdf:
        body = pdf.Root.StructTreeRoot.K
        while len(body) == 1 or isinstance(body, pikepdf.Dictionary):
            body = body[0].K if isinstance(body, pikepdf.Array) else body.K
        del body[1]
        pdf.save(tmp_path / "gaps.pdf")
    assert tagged_blocks(tmp_path / "gaps.pdf", 0, SIZE) is None


def test_a_tree_that_bites_its_own_tail_comes_to_an_end(page: Path, tmp_path: Path) -> None:
    with pikepdf.open(page) as pdf:
        body = pdf.Root.StructTreeRoot.K
        top = body[0] if isinstance(body, pikepdf.Array) else body
        top.K.append(top)
        top.K.append(top)
        pdf.save(tmp_path / "tail.pdf")
    assert len(told(tmp_path / "tail.pdf")) == len(told(page))


def test_a_page_of_letters_as_outlines_is_read_from_its_ink(tmp_path: Path) -> None:
    pdf = pikepdf.new()
    pdf.add_blank_page()
    font = pdf.make_indirect(pikepdf.Dictionary(Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica))  # fmt: skip
    pdf.pages[0].Resources = pikepdf.Dictionary(Font=pikepdf.Dictionary(F1=font))
    outlines = b"".join(b"%d %d 5 8 re f\n" % (20 + 9 * (n % 40), 700 - 14 * (n // 40)) for n in range(200))
    pdf.pages[0].Contents = pdf.make_stream(outlines + b"BT /F1 9 Tf 300 20 Td (12) Tj ET")
    pdf.save(tmp_path / "outlines.pdf")
    assert read_source_page(tmp_path / "outlines.pdf", 0, Limits()).kind is PageKind.SCANNED


def test_tags_that_cannot_be_read_cost_nothing_of_the_text(page: Path) -> None:
    with pikepdf.open(page, allow_overwriting_input=True) as pdf:
        body = pdf.Root.StructTreeRoot.K
        (body[0] if isinstance(body, pikepdf.Array) else body).K[0].A = pikepdf.Dictionary(RowSpan=pikepdf.Name.Many)
        pdf.save(page)
    found = read_source_page(page, 0, Limits())
    how = cleaned(width=found.width, height=found.height, dpi=found.dpi)
    image = encode_jpeg(np.full((found.height, found.width), 255, np.uint8))
    own = Own(str(page), 0, (found.width, found.height), PageKind.BORN_DIGITAL)
    content = read_own(image, how, ["eng"], own, "file").content
    assert "The keeper lit the lamp of Torgrunn." in " ".join(r.text.replace("\n", " ") for r in content.regions)


def test_a_page_with_few_letters_and_no_picture_is_born_digital(tmp_path: Path) -> None:
    (tmp_path / "slide.pdf").write_bytes(pdf_of("<html lang=en><title>x</title><h1>Oil</h1>"))
    found = read_source_page(tmp_path / "slide.pdf", 0, Limits())
    assert found.kind is PageKind.BORN_DIGITAL and found.own_text
