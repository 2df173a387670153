"""The word processor's file, read back by LibreOffice: notes, contents, captions, sections, heads, tables, page breaks."""

from __future__ import annotations

import io
import re
import zipfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from docx import Document
from docx.enum.section import WD_ORIENT
from docx.oxml.ns import qn
from lxml import etree

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.document import LabelRange, LabelStyle, Part
from hyalen.core.structure.references import parted_mark
from hyalen.core.structure.tree import StructureTree
from tests.conftest import ContentMaker
from tests.test_formats import office, run

IMAGE = encode_jpeg(np.full((3508, 2480), 240, np.uint8))
TEXT = "urn:oasis:names:tc:opendocument:xmlns:text:1.0"
TABLE = "urn:oasis:names:tc:opendocument:xmlns:table:1.0"
STYLE = "urn:oasis:names:tc:opendocument:xmlns:style:1.0"
NAMES = {"t": TEXT, "b": TABLE, "s": STYLE}


def written(pages: Sequence[PageContent], told: dict[str, Any] | None = None, **options: Any) -> bytes:
    file = io.BytesIO()
    tree = StructureTree("Lamps", "eng", list(pages), **(told or {}))
    FORMATS["docx"].write(tree, lambda _: IMAGE, file, DeliveryOptions(**options))
    return file.getvalue()


def opened(tmp_path: Path, data: bytes) -> Any:
    """What LibreOffice makes of it, as OpenDocument's content."""
    (tmp_path / "made.docx").write_bytes(data)
    with zipfile.ZipFile(office(tmp_path / "made.docx", "odt")) as archive:
        return etree.fromstring(archive.read("content.xml"))


def of_each_thing() -> list[PageContent]:
    first = ContentMaker().add(Role.RUNNING_HEAD, "The Inspector").add(Role.HEADING_1, "The lamps")
    first.add(Role.CONTENTS_ENTRY, "The lamps 1").add(Role.CONTENTS_ENTRY, "Of the oil 2", depth=1)
    first.add(Role.PARAGRAPH, "The lamp burnt* well").add(Role.NOTE, "* in May of that year").figure("A tower")
    first.add(Role.CAPTION, "Figure 4. The tower").add(
        Role.PARAGRAPH, "It is shown in Figure 4, and not in Figure 9 of 1890."
    )
    second = ContentMaker().add(Role.HEADING_2, "Of the oil")
    second.table([["Station", "Gallons"], ["Torgrunn", "45.5"], ["Hallvik", "9.0"]]).table(
        [["Alone", "Oil"], ["x", "1"]]
    )
    second.add(Role.PARAGRAPH, "The end.")
    return [first.page(), second.page()]


def test_notes_contents_captions_and_heads_are_the_word_processors_own(tmp_path: Path) -> None:
    root = opened(tmp_path, written(of_each_thing()))
    (note,) = root.iterfind(".//t:note", NAMES)
    assert note.get(f"{{{TEXT}}}note-class") == "footnote" and note.findtext("t:note-citation", "", NAMES) == "*"
    assert "in May of that year" in "".join(note.find("t:note-body", NAMES).itertext())
    assert "".join(root.itertext()).count("in May of that year") == 1  # nowhere else
    (contents,) = root.iterfind(".//t:table-of-content", NAMES)
    entries = ["".join(p.itertext()) for p in contents.find("t:index-body", NAMES)]
    assert entries == ["The lamps1", "Of the oil2"]  # a tab is an element between them
    (sequence,) = root.iterfind(".//t:sequence", NAMES)
    assert sequence.get(f"{{{TEXT}}}name") == "Figure"
    (reference,) = root.iterfind(".//t:bookmark-ref", NAMES)
    assert reference.text == "Figure 4"
    headed = [t for t in root.iterfind(".//b:table", NAMES) if t.find("b:table-header-rows", NAMES) is not None]
    assert len(headed) == 2
    text = run("pdftotext", "-layout", office(tmp_path / "made.docx", "pdf"), "-")
    assert "The Inspector" in text and "in May of that year" in text


def test_headings_languages_and_descriptions_come_through_another_program(tmp_path: Path) -> None:
    first = (
        ContentMaker().add(Role.HEADING_1, "The lamps").add(Role.PARAGRAPH, "Un avis aux navigateurs", language="fra")
    )
    first.add(Role.HEADING_3, "Of wicks").add(Role.LIST_ITEM, "(c) One").add(Role.LIST_ITEM, "(d) Two").figure("A tower on a rock")  # fmt: skip
    root = opened(tmp_path, written([first.page()]))
    heads = [("".join(h.itertext()), h.get(f"{{{TEXT}}}outline-level")) for h in root.iterfind(".//t:h", NAMES)]
    assert heads == [("The lamps", "1"), ("Of wicks", "3")]
    spoken = {e.get("{urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0}language") for e in root.iter()}
    assert "fr" in spoken
    told = ["".join(e.itertext()) for e in root.iter("{urn:oasis:names:tc:opendocument:xmlns:svg-compatible:1.0}desc")]
    assert told == ["A tower on a rock"]
    text = run("pdftotext", office(tmp_path / "made.docx", "pdf"), "-")
    assert "(c)" in text and "(d)" in text


def test_columns_of_the_paper_are_columns_and_a_title_stands_across(tmp_path: Path) -> None:
    title = "Notices of the Board of Lights to all of its keepers and to the masters of its tenders"
    told = "\n".join(["The keeper of Torgrunn lit lamp"] * 10)
    maker = ContentMaker().at(240, 300).add(Role.HEADING_1, title).at(240, 600).add(Role.PARAGRAPH, told)
    page = maker.at(1340, 600).add(Role.PARAGRAPH, told).page()
    plain = ContentMaker().add(Role.PARAGRAPH, "The end of the notices.").page()
    data = written([page, plain])
    docx = Document(io.BytesIO(data))
    columns = [int(s._sectPr.find(qn("w:cols")).get(qn("w:num"))) for s in docx.sections]
    assert columns == [1, 2, 1]
    assert [p.text[:11] for p in docx.paragraphs] == ["Notices of ", "The keeper ", "The keeper ", "The end of "]
    root = opened(tmp_path, data)
    across = root.find(".//s:style[@s:family='section']//s:columns", NAMES)
    assert across.get("{urn:oasis:names:tc:opendocument:xmlns:xsl-fo-compatible:1.0}column-count") == "2"


def test_figures_of_different_fractions_stand_with_their_points_beneath_each_other(tmp_path: Path) -> None:
    rows = [["Day", "Oil", "Wicks"], ["Mon", "45.5", "1,200"], ["Tue", "9.25", "900"], ["Wed", "100", "1,000"]]
    (tmp_path / "made.docx").write_bytes(written([ContentMaker().table(rows).page()]))
    told = run("pdftotext", "-bbox", office(tmp_path / "made.docx", "pdf"), "-")
    ends = {
        w: (float(a), float(b)) for a, b, w in re.findall(r'xMin="([\d.]+)"[^>]*xMax="([\d.]+)"[^>]*>([\d.,]+)<', told)
    }
    digit = (ends["100"][1] - ends["100"][0]) / 3
    points = [ends["45.5"][0] + 2 * digit, ends["9.25"][0] + digit, ends["100"][1]]
    assert max(points) - min(points) < 1.5
    assert abs(ends["1,200"][1] - ends["900"][1]) < 0.5  # what may part thousands is at the right


def test_a_table_of_thousands_of_rows_is_written(tmp_path: Path) -> None:
    rows = [["Day", "Oil"], *([str(n), f"{n}.5"] for n in range(800))]
    docx = Document(io.BytesIO(written([ContentMaker().table(rows).page()])))
    assert len(docx.tables[0].rows) == 801 and docx.tables[0].rows[-1].cells[1].text == "799.5"


def test_a_table_larger_than_a_word_processor_takes_is_refused() -> None:
    with pytest.raises(ValueError, match="64 columns"):
        written([ContentMaker().table([["x"] * 64]).page()])


def test_a_mark_of_a_note_is_parted_from_its_word() -> None:
    told = {"burnt*": ("burnt", "*"), "lamp12": ("lamp", "12"), "1,200": ("1,200", ""), "[3]": ("", "3"), "end.”2": ("end.”", "2"), "oil": ("oil", "")}  # fmt: skip
    assert {word: parted_mark(word) for word in told} == told


def test_a_note_without_reference_stays_a_paragraph() -> None:
    page = ContentMaker().add(Role.PARAGRAPH, "The lamp burnt well").add(Role.NOTE, "1 In May").page()
    docx = Document(io.BytesIO(written([page])))
    assert [p.text for p in docx.paragraphs if p.text] == ["The lamp burnt well", "1 In May"]


def test_captions_keep_the_numbers_that_are_printed() -> None:
    """Counted on where they follow each other, begun anew where they do not: bringing fields up to date changes none."""
    maker = ContentMaker()
    for label in ("Figure 4. One", "Figure 5. Two", "Table 1. Oil", "Figure 9. Three", "Figure 9. Again"):
        maker.add(Role.CAPTION, label)
    other = ContentMaker().add(Role.CAPTION, "Figure 4. Other").add(Role.PARAGRAPH, "As figure 4 and Figure 4 show.")
    parts = [Part(0, 1, "A", "eng"), Part(1, 2, "B", "eng")]
    docx = Document(io.BytesIO(written([maker.page(), other.page()], {"parts": parts})))
    told = [t.text.strip() for t in docx.element.iter(qn("w:instrText"))]
    assert told == [
        r"SEQ Figure \* ARABIC \r 4", r"SEQ Figure \* ARABIC", r"SEQ Table \* ARABIC", r"SEQ Figure \* ARABIC \r 9",
        r"SEQ Figure \* ARABIC \r 9", r"SEQ Figure \* ARABIC \r 4", r"REF ref_1_Figure_4 \h",
    ]  # fmt: skip
    names = docx.element.xpath("//w:bookmarkStart/@w:name")
    assert len(names) == len(set(names)) and "ref_0_Figure_4" in names and "ref_1_Figure_4" in names


def test_sections_turn_with_the_pages_and_count_as_they_do(tmp_path: Path) -> None:
    upright = ContentMaker().add(Role.PARAGRAPH, "First.").page()
    across = ContentMaker().add(Role.PARAGRAPH, "Across.").page().model_copy(update={"width": 3508, "height": 2480})
    last = ContentMaker().add(Role.PARAGRAPH, "Last.").page()
    labels = [LabelRange(style=LabelStyle.SMALL_ROMAN), LabelRange(first=2, start=7)]
    data = written([upright, across, last], {"labels": labels})
    sections = Document(io.BytesIO(data)).sections
    assert [s.orientation for s in sections] == [WD_ORIENT.PORTRAIT, WD_ORIENT.LANDSCAPE, WD_ORIENT.PORTRAIT]
    counted = [s._sectPr.find(qn("w:pgNumType")) for s in sections]
    assert [(c.get(qn("w:start")), c.get(qn("w:fmt"))) if c is not None else None for c in counted] == [("1", "lowerRoman"), None, ("7", None)]  # fmt: skip
    (tmp_path / "made.docx").write_bytes(data)
    sizes = run("pdfinfo", "-f", "1", "-l", "9", office(tmp_path / "made.docx", "pdf")).splitlines()
    wide = [
        float(line.split()[3]) > float(line.split()[5])
        for line in sizes
        if "size:" in line and line.startswith("Page ")
    ]
    assert wide == [False, True, False]  # and no page without a word


def to_the_top(page: PageContent) -> PageContent:
    heads = tuple(a.model_copy(update={"outline": tuple(p._replace(y=p.y - a.box.top + 90) for p in a.outline)}) for a in page.artifacts)  # fmt: skip
    return page.model_copy(update={"artifacts": heads})


@pytest.mark.parametrize(
    ("heads", "told", "counts"),
    [
        (["Return 14", "Return 15", "Return 16"], "Return\t\t1", True),
        (["14 Return", "15 Return", "l6 Return"], "1\tReturn", True),
        (["Return 1931", "Return 1931", "Return 1931"], "Return 1931", False),
    ],
)
def test_a_number_in_a_running_head_counts_on_where_it_counted(heads: list[str], told: str, counts: bool) -> None:
    pages = [ContentMaker().add(Role.PARAGRAPH, "Text.").add(Role.RUNNING_HEAD, head).page() for head in heads]
    docx = Document(io.BytesIO(written([to_the_top(page) for page in pages])))
    (section,) = docx.sections
    assert section.header.paragraphs[0].text == told
    assert ("PAGE" in section.header._element.xml) == counts


def test_right_and_left_pages_have_their_own_heads_and_the_first_has_none() -> None:
    def page(number: int) -> PageContent:
        maker = ContentMaker().add(Role.PARAGRAPH, f"Page {number} has its text.")
        if number:
            maker.add(Role.RUNNING_HEAD, "The Board" if number % 2 else "The Inspector")
        return maker.page()

    docx = Document(io.BytesIO(written([to_the_top(page(n)) for n in range(6)])))
    (section,) = docx.sections
    assert docx.settings.odd_and_even_pages_header_footer and section.different_first_page_header_footer
    told = (section.header, section.even_page_header, section.first_page_header)
    assert [h.paragraphs[0].text for h in told] == ["The Inspector", "The Board", ""]


def test_joined_documents_are_sections_with_their_own_heads() -> None:
    pages = [ContentMaker().add(Role.RUNNING_HEAD, head).add(Role.PARAGRAPH, "Text.").page() for head in ("One", "Two")]
    docx = Document(io.BytesIO(written(pages, {"parts": [Part(0, 1, "A", "eng"), Part(1, 2, "B", "eng")]})))
    heads = [(s.header.paragraphs[0].text, s.footer.paragraphs[0].text) for s in docx.sections]
    assert [" ".join(h).strip() for h in heads] == ["One", "Two"]


def test_pages_begin_where_they_do_on_paper_if_that_is_wanted() -> None:
    pages = of_each_thing()
    for wanted in (False, True):
        docx = Document(io.BytesIO(written(pages, page_breaks=wanted)))
        begun = [p.text for p in docx.paragraphs if p.paragraph_format.page_break_before]
        assert begun == (["Of the oil"] if wanted else [])


def test_tables_have_their_widths_and_figures_stand_at_the_right() -> None:
    docx = Document(io.BytesIO(written(of_each_thing())))
    first, second = docx.tables
    assert sum(c.width for c in first.columns) <= docx.sections[0].page_width
    assert [row.cells[1].paragraphs[0].alignment for row in first.rows][1:] == [2, 2]
    between = second._tbl.getprevious()
    assert between.tag == qn("w:p") and between.getprevious() is first._tbl  # else they would be one
    assert second._tbl.getnext().tag == qn("w:p") and docx.paragraphs[-1].text == "The end."


@pytest.mark.parametrize("count", [0, 1])
def test_nothing_much_makes_a_file_that_opens(tmp_path: Path, count: int) -> None:
    data = written([PageContent(width=2480, height=3508, dpi=300)] * count)
    (tmp_path / "made.docx").write_bytes(data)
    assert "Pages:           1" in run("pdfinfo", office(tmp_path / "made.docx", "pdf"))
