"""Leaders and contents, notes in the margin, displayed formulas: found on set pages, and what is delivered of them."""

from __future__ import annotations

import io
import subprocess
from pathlib import Path

import cv2
import numpy as np
import pikepdf
import pytest
from docx import Document
from rapidfuzz import fuzz

from bench.tables import agreement, make_table, relations, rows_of, table_html
from hyalen.core.decisions.decide import decide
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.replay import replay
from hyalen.core.decisions.requests import SetAlternative, SetRole
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.layout.bar_codes import read_bar_codes
from hyalen.core.layout.leaders import LEADER, find_leaders, without_leaders
from hyalen.core.layout.numerals import page_number
from hyalen.core.layout.rules import find_rules
from hyalen.core.layout.tables import find_grids
from hyalen.core.model.content import Cell, Line, PageContent, Region, RegionKind, Role, Subject, Table, Word
from hyalen.core.model.document import DocumentContent
from hyalen.core.model.geometry import Box, Point
from hyalen.core.proofing.doubts import page_doubts
from hyalen.core.read import read_content
from hyalen.core.reading.points import with_points
from hyalen.core.structure.tree import StructureTree, Tag
from hyalen.demo.gazette import TIDES
from hyalen.demo.typeset import SetPage, Typesetter
from tests.conftest import Judge
from tests.helpers import deliver

ENTRIES = [
    ("Preface", "iii"), ("The lights of the northern shore", "1"), ("Lenses and their care", "11"),
    ("The horn and the engine that drives it", "22"), ("Stores, oil and accounts", "58"), ("List of stations", "102"),
]  # fmt: skip
PROSE = """<p data-role="p">The brightness of a light falls with the square of the distance, and what the lens gathers
is lost again in the haze of a summer night, so that the keeper must know both before he trims the lamp.</p>"""
FORMULA = """<math display="block"><mi>E</mi><mo>=</mo><mfrac><mrow><mi>m</mi><msup><mi>c</mi><mn>2</mn></msup></mrow>
<msqrt><mrow><mn>1</mn><mo>-</mo><msup><mi>v</mi><mn>2</mn></msup></mrow></msqrt></mfrac></math>"""


def contents_page(setter: Typesetter, dots: str) -> SetPage:
    rows = "".join(
        f"<div class=e><span>{t}</span><span class=d>{dots}</span><span>{n}</span></div>" for t, n in ENTRIES
    )
    style = """body{margin:25mm;font:11pt/1.6 'Liberation Serif'} .e{display:flex}
        .d{flex:1;overflow:hidden;white-space:nowrap;margin:0 2mm} .e span{white-space:nowrap}"""
    return setter.set(f"<meta charset=utf-8><style>{style}</style><h1>Contents</h1>{rows}{PROSE}")


@pytest.fixture(scope="module", params=["." * 200, ". " * 150, ""], ids=["dots", "spaced dots", "no dots"])
def contents(request: pytest.FixtureRequest, setter: Typesetter) -> PageContent:
    page = contents_page(setter, request.param)
    return read_content(page.image, page.dpi, ("eng",))


def test_each_entry_of_contents_is_one_with_its_number(contents: PageContent) -> None:
    entries = [r.text.replace(f" {LEADER}", "") for r in contents.regions if r.role is Role.CONTENTS_ENTRY]
    assert len(entries) == len(ENTRIES)
    assert all(
        fuzz.ratio(e, f"{t} {n}") > 85 and e.endswith(f" {n}") for e, (t, n) in zip(entries, ENTRIES, strict=True)
    )
    assert contents.regions[-1].role is Role.PARAGRAPH


def test_contents_are_delivered_without_dots(contents: PageContent) -> None:
    document = DocumentContent(title="Contents", language="eng", pages=(contents,))
    text = deliver(document, lambda _: b"", "txt").decode()
    assert len(text.split("\n\n")) > len(ENTRIES) and LEADER not in text
    (toc,) = (n for n in StructureTree("t", "eng", document.pages).nodes() if n.tag is Tag.TOC)
    assert [c.tag for c in toc.children] == [Tag.TOCI] * len(ENTRIES)
    docx = Document(io.BytesIO(deliver(document, lambda _: b"", "docx")))
    entries = [p.text.split("\t") for p in docx.paragraphs if p.style.name == "toc 1"]
    assert [number for _, number in entries] == [number for _, number in ENTRIES]


def test_a_row_of_specks_is_no_leader(setter: Typesetter) -> None:
    page = np.full((400, 2000), 255, np.uint8)
    rng = np.random.default_rng(5)
    for x, y in rng.integers((0, 0), (1990, 390), (300, 2)).tolist():
        page[y : y + 4, x : x + 4] = 0
    assert find_leaders(page, 300) == []
    for x in range(500, 900, 30):
        page[200:205, x : x + 5] = 0
    (leader,) = find_leaders(page, 300)
    assert abs(leader.left - 500) < 40 and abs(leader.right - 865) < 40
    gone = int((page < 128).sum() - (without_leaders(page, [leader]) < 128).sum())
    assert 14 * 25 <= gone < 14 * 25 + 200


@pytest.mark.parametrize(
    ("text", "number"), [("12", 12), ("iv", -996), ("xlix", -951), ("(3)", 3), ("mild", None), ("12345", None)]
)
def test_page_numbers_sort_with_the_front_matter_first(text: str, number: int | None) -> None:
    assert page_number(text) == number


@pytest.fixture(scope="module")
def formula(setter: Typesetter) -> tuple[SetPage, PageContent]:
    style = "body{margin:28mm;font:11pt/1.5 'Liberation Serif'} math{font-size:13pt;margin:5mm 0}"
    page = setter.set(f"<meta charset=utf-8><style>{style}</style>{PROSE}{FORMULA}{PROSE}")
    return page, read_content(page.image, page.dpi, ("eng",))


def test_a_displayed_formula_is_one_thing_between_its_paragraphs(formula: tuple[SetPage, PageContent]) -> None:
    _, content = formula
    assert [r.kind for r in content.regions] == [RegionKind.TEXT, RegionKind.FORMULA, RegionKind.TEXT]
    left, top, right, bottom = content.regions[1].box
    assert content.regions[1].role is Role.FORMULA and formula[0].image[top:bottom, left:right].min() < 100


def test_contents_and_a_formula_make_a_valid_pdf(
    formula: tuple[SetPage, PageContent], contents: PageContent, tmp_path: Path, judge: Judge
) -> None:
    pages = (contents, formula[1])
    images = [encode_jpeg(np.full((c.height, c.width), 255, np.uint8)) for c in pages]
    path = tmp_path / "parts.pdf"
    path.write_bytes(deliver(DocumentContent(title="Parts", language="eng", pages=pages), lambda i: images[i], "pdf"))
    judge.accepts(path)
    with pikepdf.open(path) as pdf:
        top = pdf.Root.StructTreeRoot.K[0]
        kinds = [str(each.S) for each in top.K]
        assert kinds.count("/TOC") == 1 and kinds.count("/Formula") == 1
        assert str(next(each for each in top.K if each.S == "/Formula").Alt).strip()
    text = subprocess.run(["pdftotext", "-f", "2", path, "-"], capture_output=True, text=True, check=True).stdout
    assert all(word.text in text for word in formula[1].regions[1].words)  # found by a search, too


def test_a_formula_is_described_or_made_text_again(formula: tuple[SetPage, PageContent]) -> None:
    _, content = formula
    region = content.regions[1]
    request = SetAlternative(region_id=region.id, text="E is m c squared")
    described = replay(content, decide(content, request, Lay()), Lay()).content
    assert (described.regions[1].alternative_text, described.regions[1].role) == ("E is m c squared", Role.FORMULA)
    assert any(d.kind == "formula" for d in page_doubts(content)) and not any(
        d.kind == "formula" for d in page_doubts(described)
    )
    as_text = replay(content, decide(content, SetRole(region_id=region.id, role=Role.PARAGRAPH), Lay()), Lay()).content
    assert (as_text.regions[1].kind, as_text.regions[1].text) == (RegionKind.TEXT, region.text)


def test_notes_in_the_margin_are_told_and_read_after_the_text(setter: Typesetter) -> None:
    style = """body{margin:0;font:11pt/1.5 'Liberation Serif'} .c{position:absolute;left:65mm;top:30mm;width:115mm}
        .n{position:absolute;left:22mm;width:34mm;font-size:8.5pt;line-height:1.3}"""
    notes = '<div class=n style="top:32mm">Brightness and distance</div><div class=n style="top:72mm">The judgement of the haze</div>'
    page = setter.set(f"<meta charset=utf-8><style>{style}</style><div class=c>{PROSE * 5}</div>{notes}")
    content = read_content(page.image, page.dpi, ("eng",))
    assert [r.role for r in content.regions] == [Role.PARAGRAPH] * 5 + [Role.SIDE_NOTE] * 2
    assert {n.tag for n in StructureTree("t", "eng", (content,)).nodes()} == {Tag.P, Tag.NOTE}


# Bar codes

# ISO/IEC 16390 (interleaved 2 of 5), the widths of a digit's five elements: from memory.
WIDTHS = ["nnwwn", "wnnnw", "nwnnw", "wwnnn", "nnwnw", "wnwnn", "nwwnn", "nnnww", "wnnwn", "nwnwn"]


def interleaved(digits: str, narrow: int = 4, height: int = 140) -> np.ndarray:
    """An interleaved 2 of 5 code with its blank rims."""
    elements = "nnnn"
    for bars, spaces in zip(digits[::2], digits[1::2], strict=True):
        elements += "".join(a + b for a, b in zip(WIDTHS[int(bars)], WIDTHS[int(spaces)], strict=True))
    row = [255] * 60
    for i, width in enumerate(elements + "wnn"):
        row += [255 if i % 2 else 0] * (narrow * (3 if width == "w" else 1))
    return np.tile(np.array(row + [255] * 60, np.uint8), (height, 1))


@pytest.mark.parametrize("upright", [True, False])
def test_a_bar_code_is_read_and_has_its_place(upright: bool) -> None:
    code = interleaved("0031931475")
    code = code if upright else np.rot90(code, 1).copy()
    page = np.full((2400, 1800), 255, np.uint8)
    page[700 : 700 + code.shape[0], 300 : 300 + code.shape[1]] = code
    (found,) = read_bar_codes(page, 300)
    assert found.text == "0031931475"
    place = Box(300, 700, 300 + code.shape[1], 700 + code.shape[0])
    assert found.box.overlap(place) > 0.7 * place.area and place.grown(20).covers(found.box, 0.95)


def test_a_low_and_a_pale_bar_code_are_read() -> None:
    page = np.full((2400, 1800), 255, np.uint8)
    for top, code in ((300, interleaved("0031931475", height=25)), (900, interleaved("88120943") // 2 + 127)):
        page[top : top + code.shape[0], 300 : 300 + code.shape[1]] = code
    assert sorted(code.text for code in read_bar_codes(page, 300)) == ["0031931475", "88120943"]


def test_a_bar_code_on_a_page_is_a_picture_that_says_what_it_reads(setter: Typesetter) -> None:
    page = setter.set(
        f"<meta charset=utf-8><style>body{{margin:28mm;font:11pt/1.5 'Liberation Serif'}}</style>{PROSE * 3}"
    )
    image, code = page.image.copy(), interleaved("88120943")
    image[2400 : 2400 + code.shape[0], 800 : 800 + code.shape[1]] = code[..., None]
    content = read_content(image, page.dpi, ("eng",))
    (region,) = (r for r in content.regions if r.kind is RegionKind.FIGURE)
    assert (region.subject, region.alternative_text) == (Subject.BAR_CODE, "Bar code: 88120943")
    assert [r.role for r in content.regions if r is not region] == [Role.PARAGRAPH] * 3


# What pictures show

MARKS = """<div class=stamp style="right:30mm;top:110mm;transform:rotate(-6deg)">RECEIVED<br>14 MAR 1931<br>SKARNHOLM</div>
<svg width="300" height="90" style="position:absolute;left:40mm;top:150mm"><path d="M5 60 C 30 5 40 5 45 60 S 60 80 75 40
S 95 30 100 60 S 130 70 140 45 S 165 30 170 58 S 200 75 215 40 C 240 5 250 80 260 50 S 285 45 295 48" fill="none"
stroke="#202830" stroke-width="2.4"/></svg>
<svg width="130" height="130" style="position:absolute;left:130mm;top:150mm"><circle cx="65" cy="65" r="58" fill="none"
stroke="#a01c24" stroke-width="5"/><circle cx="65" cy="65" r="40" fill="none" stroke="#a01c24" stroke-width="3"/></svg>
<svg width="420" height="260" style="position:absolute;left:40mm;top:200mm"><path d="M40 10 V220 H400" fill="none"
stroke="black" stroke-width="2"/><path d="M40 200 L120 150 L200 160 L280 90 L390 40" fill="none" stroke="black"
stroke-width="2.5"/></svg>"""
STAMP = """.stamp{position:absolute;color:#7c1f2b;border:3px solid #7c1f2b;border-radius:6px;font:700 11pt 'Liberation Sans';
text-align:center;padding:2mm 4mm;letter-spacing:.08em;opacity:.82}"""


@pytest.fixture(scope="module")
def marked(setter: Typesetter) -> PageContent:
    style = f"body{{margin:25mm;font:11pt/1.5 'Liberation Serif'}} {STAMP}"
    page = setter.set(f"<meta charset=utf-8><style>{style}</style>{PROSE * 4}{MARKS}")
    return read_content(page.image, page.dpi, ("eng",))


def test_a_stamp_that_stands_askew_is_read_and_is_no_heading(marked: PageContent) -> None:
    (stamp,) = (r for r in marked.regions if r.subject is Subject.STAMP)
    assert fuzz.ratio(" ".join(stamp.text.split()), "RECEIVED 14 MAR 1931 SKARNHOLM") > 85
    assert stamp.role is Role.PARAGRAPH
    assert not any(r.role.heading_level for r in marked.regions)


def test_pictures_of_thin_strokes_are_found_and_named(marked: PageContent) -> None:
    shown = [r.subject for r in marked.regions if r.kind is RegionKind.FIGURE]
    assert shown == [Subject.SIGNATURE, Subject.SEAL, Subject.CHART]
    assert any("signature without a description" in d.reason for d in page_doubts(marked))


def test_a_leaning_stroke_is_no_stave() -> None:
    page = np.full((1200, 1600), 255, np.uint8)
    cv2.line(page, (200, 640), (620, 596), 0, 12)
    cv2.line(page, (210, 780), (630, 736), 0, 12)
    for x in (200, 620):
        cv2.line(page, (x, 638 - (x - 200) // 10), (x + 10, 782 - (x - 200) // 10), 0, 12)
    assert find_grids(find_rules(page, 300)).staves == []
    for y in range(800, 896, 24):
        cv2.line(page, (200, y), (1400, y), 0, 3)
    for x in (200, 800, 1400):
        cv2.line(page, (x, 800), (x, 896), 0, 3)
    assert len(find_grids(find_rules(page, 300)).staves) == 1


# Tables


@pytest.mark.parametrize("style", ["ruled", "column rules"])
def test_a_head_over_several_columns_is_parted_from_theirs(setter: Typesetter, style: str) -> None:
    rows = make_table(1, np.random.default_rng(7))
    page = setter.set(table_html(rows, style, "'Liberation Serif'"))
    (region,) = (r for r in read_content(page.image, page.dpi, ("eng",)).regions if r.table is not None)
    assert region.table is not None
    met, _, true = agreement(relations(rows_of(region.table)), relations(rows))
    assert met >= 0.95 * true
    spans = {c.text: (c.row_span, c.column_span) for c in region.table.cells if c.row == 0}
    assert spans == {"Station": (2, 1), "Hours of light": (1, len(rows[1]))}


def figures_page(texts: list[str], read: list[str], specks: tuple[int, ...] = ()) -> tuple[np.ndarray, PageContent]:
    """A column of figures drawn with a gap between glyphs, and its content as an engine has read it."""
    page = np.full((1200, 800), 255, np.uint8)
    cells = [Cell(row=0, column=0, box=Box(0, 0, 800, 60), header=True)]
    for row, (text, told) in enumerate(zip(texts, read, strict=True), 1):
        x, foot = 100, 60 * row + 45
        for i, glyph in enumerate(text):
            if glyph.isdigit():
                cv2.rectangle(page, (x, foot - 30), (x + 15, foot - 1), 0, -1)
                x += 22
            else:
                cv2.rectangle(page, (x, foot - 5), (x + 4, foot - 1 + (7 if glyph == "," else 0)), 0, -1)
                x += 11
            if row in specks and i == 0:
                cv2.rectangle(page, (x - 5, foot - 4), (x - 3, foot - 1), 0, -1)
                x += 4
        word = Word(id=f"w{row}", text=told, box=Box(98, foot - 31, x, foot + 1), confidence=0.9)
        line = Line(words=(word,), box=word.box, baseline=(Point(98, foot), Point(x, foot)), height=30)
        cells.append(Cell(row=row, column=0, box=Box(0, 60 * row, 800, 60 * row + 60), lines=(line,)))
    table = Table(rows=len(texts) + 1, columns=1, cells=tuple(cells))
    region = Region(
        id="r1", kind=RegionKind.TABLE, role=Role.TABLE, outline=Box(0, 0, 800, 1100).polygon(), table=table
    )
    return page, PageContent(width=800, height=1200, dpi=300, regions=(region,))


@pytest.mark.parametrize("mark", [".", ","])
def test_points_in_the_ink_of_figures_are_read_where_the_engine_passed_them_over(mark: str) -> None:
    figures = [f"3{mark}12", f"10{mark}14", f"9{mark}4", f"441{mark}5", "77"]
    page, content = figures_page(figures, ["312", "10.14", "94", "4415", "77"])
    told = [c.text for c in with_points(page, content).regions[0].table.cells[1:]]  # type: ignore[union-attr]
    assert told == [figures[0], "10.14", *figures[2:]]


def test_dust_in_one_of_many_whole_numbers_is_no_point() -> None:
    whole = ["312", "1014", "94", "4415", "77"]
    page, content = figures_page(whole, whole, specks=(2,))
    assert with_points(page, content) == content


def test_figures_of_a_column_keep_their_points_in_three_languages(setter: Typesetter) -> None:
    """Several languages' models together read next to no point on this page."""
    page = setter.set(TIDES)
    tables = [r.table for r in read_content(page.image, page.dpi, ("eng", "fra", "deu")).regions if r.table is not None]
    told = {c.text for c in tables[0].cells if c.row > 0 and c.column > 0}
    assert {"3.12", "9.4", "10.14", "0.8", "16.25", "4.41", "10.57", "20.22"} <= told
    assert all("." in text for text in told)
