"""What is delivered, opened with other programs than our own."""

from __future__ import annotations

import io
import re
import subprocess
import zipfile
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pypdfium2
import pytest
from docx import Document
from openpyxl import load_workbook

from bench.material import DIRTY, Case
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import AssignRole
from hyalen.core.decisions.replay import perform
from hyalen.core.formats.codecs import encode_bitonal, encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.names import delivery_stem, free_name
from hyalen.core.layout.tables import FoundCell
from hyalen.core.model.content import Cell, PageContent, Region, RegionKind, Role, Table
from hyalen.core.model.document import DocumentContent
from hyalen.core.model.geometry import Box
from hyalen.core.structure.flow import flow
from hyalen.core.structure.tree import StructureTree
from tests.conftest import ContentMaker, Judge, Pages, make_line
from tests.helpers import deliver
from tests.test_reading import spoilt


def table_region() -> Region:
    ids = ContentMaker().ids
    places = [FoundCell(0, 0, 1, 2, Box(300, 2000, 900, 2060)), FoundCell(0, 2, 1, 1, Box(900, 2000, 1200, 2060)),
              FoundCell(1, 0, 1, 1, Box(300, 2060, 600, 2120)), FoundCell(1, 1, 1, 1, Box(600, 2060, 900, 2120)),
              FoundCell(1, 2, 1, 1, Box(900, 2060, 1200, 2120))]  # fmt: skip
    texts = ["Article", "Left", "Oil", "=96", "45.5"]
    cells = tuple(
        Cell(
            row=p.row,
            column=p.column,
            column_span=p.column_span,
            header=p.row == 0,
            box=p.box,
            lines=(make_line(t, p.box.left + 10, p.box.top + 10, ids),),
        )
        for p, t in zip(places, texts, strict=True)
    )
    cells = tuple(
        c.model_copy(
            update={
                "lines": tuple(
                    line.model_copy(
                        update={"words": tuple(w.model_copy(update={"id": f"t{i}{w.id}"}) for w in line.words)}
                    )
                    for line in c.lines
                )
            }
        )
        for i, c in enumerate(cells)
    )
    return Region(
        id="t1",
        kind=RegionKind.TABLE,
        role=Role.TABLE,
        outline=Box(300, 2000, 1200, 2120).polygon(),
        table=Table(rows=2, columns=3, cells=cells),
        language="eng",
    )


@pytest.fixture
def document(maker: type[ContentMaker]) -> DocumentContent:
    first = (
        maker().add(Role.RUNNING_HEAD, "Report 1931").add(Role.HEADING_1, "Torgrunn & Hallvik").add(Role.PARAGRAPH, "The lamp was extin-\nguished twice.")
        .add(Role.LIST_ITEM, "1. Four panes").add(Role.LIST_ITEM, "2. Two rails").add(Role.PARAGRAPH, "Then again:")
        .add(Role.LIST_ITEM, "1. Mantles").add(Role.LIST_ITEM, "2. Putty").add(Role.PARAGRAPH, "Un avis aux marins", language="fra")
        .figure("A tower on a rock").add(Role.CAPTION, "Figure 1. The tower").add(Role.PARAGRAPH, "This is answerable for").page()
    )  # fmt: skip
    first = first.model_copy(update={"regions": (*first.regions[:-1], table_region(), first.regions[-1])})
    second = (
        maker().add(Role.PARAGRAPH, "every hour.").add(Role.HEADING_2, "End").figure().add(Role.PAGE_NUMBER, "2").page()
    )
    return DocumentContent(title="Inspection <of> Torgrunn", language="eng", pages=(first, second))


def made(document: DocumentContent, file_format: str, **options: Any) -> bytes:
    page = np.full((3508, 2480), 250, np.uint8)
    page[1300:1700, 400:1000] = 90
    image = encode_jpeg(page)
    return deliver(document, lambda _: image, file_format, **options)


def run(*command: str | Path) -> str:
    return subprocess.run([str(c) for c in command], capture_output=True, text=True, check=True).stdout


def struct(path: Path) -> list[tuple[str, str]]:
    """(tag, text) of each element with text, as poppler reads the structure tree."""
    found: list[tuple[str, str]] = []
    open_element = False
    for line in run("pdfinfo", "-struct-text", path).splitlines():
        text = re.match(r'^\s+"(.*)"$', line)
        element = re.match(r"^\s*(\w+)(?: |:|$)", line)
        if text and open_element:  # one element's text on two pages
            found[-1] = (found[-1][0], f"{found[-1][1]} {text.group(1).strip()}".strip())
        elif element:
            found.append((element.group(1), ""))
            open_element = True
    return [(tag, text) for tag, text in found if text]


def test_pdf_is_sound_and_identified(document: DocumentContent, tmp_path: Path, judge: Judge) -> None:
    path = tmp_path / "made.pdf"
    path.write_bytes(made(document, "pdf"))
    judge.accepts(path)
    assert "No syntax or stream encoding errors" in run("qpdf", "--check", path)
    with pikepdf.open(path) as pdf:
        metadata = pdf.open_metadata()
        assert metadata["dc:title"] == "Inspection <of> Torgrunn" == str(pdf.docinfo.Title)
        assert (metadata["pdfaid:part"], metadata["pdfaid:conformance"]) == ("2", "A")  # ISO 19005-2, 6.6.4
        assert "pdfuaid:part" not in metadata  # its second figure has no description (ISO 14289-1, 7.3)
        root = pdf.Root
        assert root.MarkInfo.Marked and root.ViewerPreferences.DisplayDocTitle and str(root.Lang) == "en"
        assert all(str(p.obj.Tabs) == "/S" for p in pdf.pages)  # ISO 14289-1, 7.18.3
        fonts = [f for p in pdf.pages for f in p.obj.Resources.Font.values()]
        assert all("/ToUnicode" in f and "/FontFile2" in f.DescendantFonts[0].FontDescriptor for f in fonts)
        parents = root.StructTreeRoot.ParentTree.Nums
        assert [int(n) for n in list(parents)[::2]] == [int(p.obj.StructParents) for p in pdf.pages]


def test_each_note_is_tagged_and_has_an_identifier_of_its_own(
    maker: type[ContentMaker], tmp_path: Path, judge: Judge
) -> None:
    # ISO 14289-1, 7.9; ISO 32000-1, table 322 (IDTree).
    page = maker().add(Role.HEADING_1, "The lamp").add(Role.PARAGRAPH, "It was lit.")
    page = page.add(Role.NOTE, "1 At dusk.").add(Role.NOTE, "2 By hand.").page()
    path = tmp_path / "notes.pdf"
    path.write_bytes(made(DocumentContent(title="Notes", language="eng", pages=(page,)), "pdf"))
    judge.accepts(path)
    assert [tag for tag, _ in struct(path)] == ["H1", "P", "Note", "Note"]
    with pikepdf.open(path) as pdf:
        names = list(pdf.Root.StructTreeRoot.IDTree.Names)
        assert (
            [str(name) for name in names[::2]]
            == [str(note.ID) for note in names[1::2]]
            == ["note-000001", "note-000002"]
        )


def test_structure_read_by_poppler_equals_the_script(document: DocumentContent, tmp_path: Path) -> None:
    path = tmp_path / "made.pdf"
    path.write_bytes(made(document, "pdf"))
    found = [(t, x) for t, x in struct(path) if x]
    assert found == [
        ("H1", "Torgrunn & Hallvik"), ("P", "The lamp was extinguished twice."), ("Lbl", "1."), ("LBody", "Four panes"),
        ("Lbl", "2."), ("LBody", "Two rails"), ("P", "Then again:"), ("Lbl", "1."), ("LBody", "Mantles"), ("Lbl", "2."),
        ("LBody", "Putty"), ("P", "Un avis aux marins"), ("Caption", "Figure 1. The tower"), ("TH", "Article"), ("TH", "Left"),
        ("TD", "Oil"), ("TD", "=96"), ("TD", "45.5"), ("P", "This is answerable for every hour."), ("H2", "End"),
    ]  # fmt: skip
    with pikepdf.open(path) as pdf:
        top = pdf.Root.StructTreeRoot.K[0]
        kinds = [str(k.S) for k in top.K]
        assert kinds.count("/L") == 2 and kinds.count("/Figure") == 2 and kinds.count("/Table") == 1
        figures = [k for k in top.K if str(k.S) == "/Figure"]
        assert str(figures[0].Alt) == "A tower on a rock" and "/BBox" in figures[0].A
        assert "/Alt" not in figures[1]  # nobody described it
        (french,) = [k for k in top.K if "/Lang" in k]
        assert str(french.Lang) == "fr"
        (header, *_) = [c for k in top.K if str(k.S) == "/Table" for c in k.K[0].K]
        assert int(header.A.ColSpan) == 2 and str(header.A.Scope) == "/Column"
        with pdf.open_outline() as outline:
            assert [(i.title, [c.title for c in i.children]) for i in outline.root] == [("Torgrunn & Hallvik", ["End"])]


def test_a_pdf_says_that_it_is_accessible_only_where_it_is(
    maker: type[ContentMaker], tmp_path: Path, judge: Judge
) -> None:
    def build(*blocks: tuple[Role, str], figure: str | None = "A tower") -> DocumentContent:
        page = maker()
        for role, text in blocks:
            page.add(role, text)
        return DocumentContent(title="A title", language="eng", pages=(page.figure(figure).page(),))

    sound = build((Role.HEADING_1, "One"), (Role.HEADING_2, "Two"), (Role.PARAGRAPH, "Text."))
    lacking = {
        "figure": build((Role.HEADING_1, "One"), figure=None),
        "first": build((Role.HEADING_2, "Two")),
        "skipped": build((Role.HEADING_1, "One"), (Role.HEADING_3, "Three")),
        "untitled": sound.model_copy(update={"title": " "}),
    }
    for name, content in {"sound": sound, **lacking}.items():
        path = tmp_path / f"{name}.pdf"
        path.write_bytes(made(content, "pdf"))
        judge.accepts(path)
        with pikepdf.open(path) as pdf:
            assert ("pdfuaid:part" in pdf.open_metadata()) is (name == "sound"), name


def test_a_long_document_is_written_with_few_pages_in_memory(maker: type[ContentMaker], tmp_path: Path) -> None:
    count = 60
    pages = [maker().add(Role.PARAGRAPH, f"Page {n} ends here.").page() for n in range(count)]
    asked: list[int] = []

    class OneByOne(list[PageContent]):
        def __getitem__(self, index: int) -> PageContent:  # type: ignore[override]
            asked.append(index)
            return super().__getitem__(index)

    file = io.BytesIO()
    image = encode_jpeg(np.full((351, 248), 250, np.uint8))
    FORMATS["pdf"].write(StructureTree("Long", "eng", OneByOne(pages)), lambda _: image, file, DeliveryOptions())
    # Pages are asked for from first to last, for their pictures and then for their text, never far behind or ahead.
    assert max(asked) == count - 1
    assert [(a, b) for a, b in pairwise(asked) if b < a - 2] == [(count - 1, 0)]
    with pikepdf.open(file) as pdf:
        assert len(pdf.pages) == count
        assert len({p.obj.Resources.XObject.Im0.objgen for p in pdf.pages}) == count


def test_all_page_content_is_tagged_or_an_artifact(document: DocumentContent) -> None:
    # ISO 14289-1, 7.1: content is marked as real content or as artifact.
    with pikepdf.open(io.BytesIO(made(document, "pdf"))) as pdf:
        for page in pdf.pages:
            depth, shown = 0, 0
            for operands, operator in pikepdf.parse_content_stream(page):
                name = str(operator)
                if name in ("BDC", "BMC"):
                    depth += 1
                elif name == "EMC":
                    depth -= 1
                elif name in ("Tj", "TJ", "Do"):
                    shown += 1
                    assert depth == 1, operands
            assert depth == 0 and shown


@pytest.mark.parametrize("language", ["eng", "ell", "ara"])
def test_invisible_words_lie_on_their_ink_in_any_script(pages: Pages, language: str, tmp_path: Path) -> None:
    image, _, content = pages.read(spoilt(language))
    path = tmp_path / "made.pdf"
    document = DocumentContent(title="t", language=language, pages=(content,))
    path.write_bytes(deliver(document, lambda _: encode_jpeg(image), "pdf"))
    text = (
        run("pdftotext", path, "-")
        .replace("\u202b", "")
        .replace("\u202c", "")
        .replace("\u200e", "")
        .replace("\u200f", "")
    )
    words = [core for w in content.words if len(core := w.text.strip(".,:;،")) > 3]
    assert sum(w in text for w in words) >= 0.95 * len(words)
    # pdfium finds each word as a search would, and says where it is.
    with pypdfium2.PdfDocument(path) as pdf:
        page = pdf[0]
        layer = page.get_textpage()
        scale, height = content.dpi / 72, page.get_height()
        unique = [w for w in content.words if len(w.text) > 5 and w.text.isalpha() and words.count(w.text) == 1][:40]
        hits = 0
        for word in unique:
            found = layer.search(word.text).get_next()
            if found is None:
                continue
            boxes = [layer.get_charbox(found[0] + i) for i in range(found[1])]
            left, right = min(b[0] for b in boxes) * scale, max(b[2] for b in boxes) * scale
            middle = (height - (min(b[1] for b in boxes) + max(b[3] for b in boxes)) / 2) * scale
            inside = word.box.top - 25 <= middle <= word.box.bottom + 25
            hits += inside and abs(left - word.box.left) < 12 and abs(right - word.box.right) < 12
        assert hits >= 0.9 * len(unique) > 0


def test_text_drawn_over_a_page_stays_invisible(pages: Pages) -> None:
    image, _, content = pages.read(spoilt("eng"))
    data = deliver(DocumentContent(title="t", language="eng", pages=(content,)), lambda _: encode_jpeg(image), "pdf")
    with pypdfium2.PdfDocument(data) as pdf:
        drawn = pdf[0].render(scale=1, grayscale=True).to_numpy()
    bare = deliver(
        DocumentContent(title="t", language="eng", pages=(content.model_copy(update={"regions": (), "artifacts": ()}),)),
        lambda _: encode_jpeg(image), "pdf",
    )  # fmt: skip
    with pypdfium2.PdfDocument(bare) as pdf:
        plain = pdf[0].render(scale=1, grayscale=True).to_numpy()
    assert np.array_equal(drawn, plain)


def test_a_black_and_white_page_comes_out_as_it_is(maker: type[ContentMaker], tmp_path: Path) -> None:
    content = maker().add(Role.PARAGRAPH, "ink").page().model_copy(update={"width": 900, "height": 600})
    page = np.full((600, 900), 255, np.uint8)
    page[100:140, 60:400] = 0
    page[::7, 500:640:3] = 0
    document = DocumentContent(title="Bits", language="eng", pages=(content,))
    made = deliver(document, lambda _: encode_bitonal(page), "pdf")
    (path := tmp_path / "bits.pdf").write_bytes(made)
    run("qpdf", "--check", path)
    with pikepdf.open(path) as pdf:
        image = pdf.pages[0].Resources.XObject.Im0
        # ISO 32000-1, 7.4.6: CCITT Group 4 has K < 0.
        assert image.Filter == pikepdf.Name.CCITTFaxDecode and image.DecodeParms.K == -1
        assert image.BitsPerComponent == 1
        assert np.array_equal(np.asarray(pikepdf.PdfImage(image).as_pil_image().convert("L")), page)
    shown = pypdfium2.PdfDocument(made)[0].render(scale=300 / 72, grayscale=True).to_numpy()
    assert shown[105:135, 70:390].max() < 40 and shown[200:, :450].min() > 215
    crop = deliver(document, lambda _: encode_bitonal(page), "docx")
    assert zipfile.is_zipfile(io.BytesIO(crop))


def test_docx_is_flowing_text_with_real_styles(document: DocumentContent) -> None:
    docx = Document(io.BytesIO(made(document, "docx")))
    rows = [(p.style.name, p.text) for p in docx.paragraphs if p.text]
    assert rows == [
        ("Heading 1", "Torgrunn & Hallvik"), ("Normal", "The lamp was extinguished twice."), ("List Number", "Four panes"),
        ("List Number", "Two rails"), ("Normal", "Then again:"), ("List Number", "Mantles"), ("List Number", "Putty"),
        ("Normal", "Un avis aux marins"), ("Caption", "Figure 1. The tower"), ("Normal", "This is answerable for every hour."),
        ("Heading 2", "End"),
    ]  # fmt: skip
    numbers = [p._p.pPr.numPr.numId.val for p in docx.paragraphs if p.style.name == "List Number"]
    assert numbers[0] == numbers[1] != numbers[2] == numbers[3]
    described = [e.get("descr") for e in docx.element.body.iter() if e.tag.endswith("}docPr")]
    assert described == ["A tower on a rock", None]
    assert docx.sections[0].header.paragraphs[0].text == "1\tReport 1931"  # its number is a field
    assert "PAGE" in docx.sections[0].header._element.xml
    assert docx.core_properties.title == "Inspection <of> Torgrunn"
    (table,) = docx.tables
    assert [c.text for c in table.rows[1].cells] == ["Oil", "=96", "45.5"]
    assert table.rows[0].cells[0]._tc is table.rows[0].cells[1]._tc
    assert not any("Report 1931" in text for _, text in rows)


def office(path: Path, kind: str) -> Path:
    """The file as LibreOffice, which wrote none of it, converts it."""
    profile = f"-env:UserInstallation=file://{path.parent}/profile"
    run("soffice", "--headless", profile, "--convert-to", kind, "--outdir", path.parent / "office", path)
    return path.parent / "office" / f"{path.stem}.{kind.split(':')[0]}"


def test_a_word_processor_opens_the_docx(document: DocumentContent, tmp_path: Path) -> None:
    (tmp_path / "made.docx").write_bytes(made(document, "docx"))
    text = run("pdftotext", office(tmp_path / "made.docx", "pdf"), "-")
    assert "The lamp was extinguished twice." in text
    assert re.search(r"1\.\s+Four panes[\s\S]*2\.\s+Two rails[\s\S]*1\.\s+Mantles", text)
    assert "Article" in text and "Report 1931" in text


def test_a_spreadsheet_opens_the_workbook(document: DocumentContent, tmp_path: Path) -> None:
    (tmp_path / "made.xlsx").write_bytes(made(document, "xlsx"))
    rows = office(tmp_path / "made.xlsx", "csv").read_text("utf8").splitlines()
    assert rows == ["Article,,Left", "Oil,=96,45.5"]


def test_right_to_left_docx(maker: type[ContentMaker]) -> None:
    page = maker("ara").add(Role.PARAGRAPH, "المادة الأولى").page()
    xml = (
        zipfile.ZipFile(io.BytesIO(made(DocumentContent(title="t", language="ara", pages=(page,)), "docx")))
        .read("word/document.xml")
        .decode()
    )
    assert "<w:bidi/>" in xml and "<w:rtl/>" in xml


def test_plain_text_leaves_running_heads_out_unless_asked(document: DocumentContent) -> None:
    text = made(document, "txt").decode()
    assert text.startswith("Torgrunn & Hallvik\n\nThe lamp was extinguished twice.\n\n1. Four panes\n\n")
    assert "Article\tLeft\nOil\t=96\t45.5" in text and "[A tower on a rock]" in text
    assert "Report 1931" not in text
    assert "Report 1931" in made(document, "txt", keep_running_heads=True).decode()


def test_workbook_holds_tables_with_spans_and_no_formulas(document: DocumentContent) -> None:
    book = load_workbook(io.BytesIO(made(document, "xlsx")))
    (sheet,) = book.worksheets
    assert [str(r) for r in sheet.merged_cells.ranges] == ["A1:B1"]
    assert [c.value for c in sheet[2]] == ["Oil", "=96", 45.5]
    assert sheet["B2"].data_type == "s" and sheet["A1"].font.bold


def test_text_made_a_figure_stays_in_every_format(maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "SKARNHOLM LIGHTS BOARD").add(Role.PARAGRAPH, "Dear Sir").page()
    region = Lay(None).region(page.regions[0])
    page = perform(page, AssignRole(region=region, role=Role.FIGURE), Lay(None))
    document = DocumentContent(title="t", language="eng", pages=(page,))
    assert made(document, "txt").decode() == "[SKARNHOLM LIGHTS BOARD]\n\nDear Sir\n"
    again = perform(page, AssignRole(region=region, role=Role.HEADING_1), Lay(None))
    assert made(DocumentContent(title="t", language="eng", pages=(again,)), "txt").decode().startswith("SKARNHOLM")


def test_no_wrong_word_spoils_an_office_file(maker: type[ContentMaker], tmp_path: Path) -> None:
    page = (
        maker().add(Role.PARAGRAPH, "the light\x0b was \ufffeout\x00").table([["a\x08", "b"], ["c\uffff", "3"]]).page()
    )
    document = DocumentContent(title="t", language="eng", pages=(page,))
    with zipfile.ZipFile(io.BytesIO(made(document, "docx"))) as archive:
        assert "the light was out" in archive.read("word/document.xml").decode()
    (sheet,) = load_workbook(io.BytesIO(made(document, "xlsx"))).worksheets
    assert sheet["A1"].value == "a" and sheet["B2"].value == 3


def test_json_is_the_page_content_model(document: DocumentContent) -> None:
    assert DocumentContent.model_validate_json(made(document, "json")) == document


@pytest.mark.parametrize(
    "name,stem",
    [("Letter from Torgrunn 1931.tif", "Letter-from-Torgrunn-1931"), ("a/b\\c d.PDF", "c-d"), ("été№7.jpeg", "été-7"),
     ("../../etc/passwd", "passwd"), (".pdf", "document"), ("v1.2 final.docx.pdf", "v1.2-final.docx")],
)  # fmt: skip
def test_names_have_no_spaces_and_no_ways_out(name: str, stem: str) -> None:
    assert delivery_stem(name) == stem
    assert free_name(stem, "pdf", {f"{stem}.pdf", f"{stem}-2.pdf"}) == f"{stem}-3.pdf"


def test_delivered_text_equals_the_script(pages: Pages, tmp_path: Path) -> None:
    case = Case("columns", "deu", DIRTY, columns=2, size_pt=10)
    image, _, content = pages.read(case)
    path = tmp_path / "made.pdf"
    path.write_bytes(
        deliver(DocumentContent(title="t", language="deu", pages=(content,)), lambda _: encode_jpeg(image), "pdf")
    )
    script = [b.text for b in flow([content], "deu") if b.text]
    assert [x.replace("\u00ad", "") for _, x in struct(path) if x] == script
