"""Pages that come with text: taken exactly, told from bad layers, and delivered as they came."""

from __future__ import annotations

import re
import subprocess
import unicodedata
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import numpy as np
import pdfplumber
import pikepdf
import pypdfium2
import pytest
from docx import Document
from docx.shared import RGBColor
from reportlab.lib.pagesizes import A4
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from hyalen.core.decisions.decide import decide
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.replay import replay
from hyalen.core.decisions.requests import SetWord
from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.pdf import write_pdf
from hyalen.core.formats.pdf_own_text import comments, own_text
from hyalen.core.formats.read_pdf import read_pdf_page
from hyalen.core.formats.source import Limits, SourcePage
from hyalen.core.imaging.pixels import grey
from hyalen.core.model.content import PageContent, RegionKind
from hyalen.core.model.document import DocumentContent, OwnPage, PageKind
from hyalen.core.model.found import FoundBlock, FoundWord
from hyalen.core.model.geometry import Box
from hyalen.core.proofing.doubts import page_doubts
from hyalen.core.read import read_own_content
from hyalen.core.reading.engine import ENGINE
from hyalen.core.reading.layer import judge_layer
from hyalen.core.structure.tree import StructureTree
from hyalen.demo.gazette import ARABIC, GAZETTE, THREE_LANGUAGES, TIDES
from hyalen.demo.typeset import Typesetter
from tests.conftest import Judge
from tests.helpers import deliver as made_of

SAMPLES = Path(__file__).parent.parent / ".venv/samples/pypdf-7.1.1"
# Of pdfTeX, XeTeX, AutoCAD, an office suite, Word, Excel, PDFsharp and others, as their own metadata say.
OTHERS = [
    "issue-604", "issue-297", "issue-301", "AutoCad_Diagram", "superscript-pdftex", "libreoffice-form", "multilang",
    "crazyones", "commented", "side-by-side-subfig", "visitor_text_position", "issue-914-xmp-data", "pdflatex-outline",
    "GeoBase_NHNC1_Data_Model_UML_EN", "toy", "attachment", "Sample_Td-matrix", "labeled-edges-center-image",
]  # fmt: skip
PAGES = {"three": THREE_LANGUAGES, "tides": TIDES, "gazette": GAZETTE, "arabic": ARABIC}


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory, setter: Typesetter) -> dict[str, Path]:
    """One-page PDFs of three programs: a browser, an office suite, ReportLab."""
    folder = tmp_path_factory.mktemp("born")
    found = {}
    for name, html in PAGES.items():
        found[name] = folder / f"{name}.pdf"
        found[name].write_bytes(setter.printed(html))
    letter = Document()
    letter.add_heading("Stores at the south steps", 1)
    letter.add_paragraph("The tender brings stores on the first Monday of the month when the weather allows it.")
    table = letter.add_table(rows=0, cols=3)
    for row in (("Item", "Number", "Price"), ("Oil", "12", "4.50"), ("Wick", "7", "0.85")):
        for cell, text in zip(table.add_row().cells, row, strict=True):
            cell.text = text
    letter.save(str(folder / "office.docx"))
    command = ["soffice", f"-env:UserInstallation=file://{folder}/profile", "--headless", "--convert-to", "pdf"]
    subprocess.run([*command, "--outdir", str(folder), str(folder / "office.docx")], check=True, capture_output=True)
    found["office"] = folder / "office.pdf"
    found["reportlab"] = folder / "reportlab.pdf"
    canvas = Canvas(str(found["reportlab"]), pagesize=A4)
    canvas.setFont("Helvetica", 12)
    for i, text in enumerate(("The light was seen from the harbour,", "and the horn was heard at noon.")):
        canvas.drawString(72, 700 - 16 * i, text)
    canvas.save()
    return found


def bare(text: str) -> Counter[str]:
    """Letters without spaces, direction marks and the forms of letters that fonts name."""
    plain = (unicodedata.normalize("NFKC", c) if "\ufb00" <= c <= "\ufefc" else c for c in text)
    return Counter(re.sub(r"[\s\u00ad\u200b-\u200f\u202a-\u202e\u2066-\u2069\x00-\x1f]", "", "".join(plain)))


def words_of(blocks: Sequence[FoundBlock]) -> list[FoundWord]:
    return [w for block in blocks for line in block.lines for w in line.words]


def source(path: Path) -> tuple[SourcePage, list[FoundBlock]]:
    page = read_pdf_page(path, 0, Limits())
    return page, own_text(path, 0, (page.width, page.height))


def poppler(path: Path) -> str:
    command = ["pdftotext", "-f", "1", "-l", "1", "-raw", str(path), "-"]
    return subprocess.run(command, capture_output=True, check=True).stdout.decode("utf8")


# Text


@pytest.mark.parametrize("name", [*PAGES, "office", "reportlab"])
def test_letters_are_exact_where_poppler_and_pdfplumber_read_them_too(made: dict[str, Path], name: str) -> None:
    page, blocks = source(made[name])
    assert page.kind is PageKind.BORN_DIGITAL and page.own_text
    letters = bare("".join(w.text for w in words_of(blocks)))
    assert letters == bare(poppler(made[name]))
    with pdfplumber.open(made[name]) as pdf:
        second = pdf.pages[0]
        assert letters == bare(second.extract_text(use_text_flow=True) or "")
        if name != "arabic":  # it gives that from the left
            scale = page.width / float(second.width)
            theirs = {(w["text"], round(w["x0"] * scale / 8)) for w in second.extract_words(use_text_flow=True)}
            ours = {(w.text, round(w.box.left / 8)) for w in words_of(blocks)}
            near = {(text, at + d) for text, at in theirs for d in (-1, 0, 1)}
            assert len(ours & near) >= 0.95 * len(ours)


@pytest.mark.parametrize("name", OTHERS)
def test_letters_of_other_programs_are_exact(name: str) -> None:
    (path,) = SAMPLES.rglob(f"{name}.pdf")
    with pypdfium2.PdfDocument(path) as document:
        width, height = document[0].get_size()
    blocks = own_text(path, 0, (round(width * 300 / 72), round(height * 300 / 72)))
    assert bare("".join(w.text for w in words_of(blocks))) == bare(poppler(path))


def test_arabic_words_are_in_the_order_in_which_they_are_read(made: dict[str, Path]) -> None:
    _, blocks = source(made["arabic"])
    text = " ".join(w.text for w in words_of(blocks))
    assert "إلى إدارة المنارات في سكارنهولم" in text and "مع خالص الشكر والتقدير، قائد السفينة." in text


def test_fields_of_a_form_are_read_as_they_are_filled_in(tmp_path: Path) -> None:
    path = tmp_path / "form.pdf"
    canvas = Canvas(str(path), pagesize=A4)
    canvas.drawString(72, 700, "Name of the keeper, as it is written in the book:")
    canvas.acroForm.textfield(name="keeper", value="Ingrid Vael", x=360, y=690, width=150, height=20)
    canvas.save()
    _, blocks = source(path)
    assert {"Ingrid", "Vael"} <= {w.text for w in words_of(blocks)}


def test_comments_are_told_and_are_no_text_of_the_page() -> None:
    (path,) = SAMPLES.rglob("commented.pdf")
    noted = comments(path, 0)
    with pikepdf.open(path) as pdf:
        theirs = [str(a.Contents) for a in pdf.pages[0].obj.Annots if "/Contents" in a and a.Subtype != "/Link"]
    assert noted and {n.split()[0] for n in noted} <= {t.split()[0] for t in theirs}
    doubts = page_doubts(own(path).model_copy(update={"comments": tuple(noted)}))
    assert any(noted[0][:20] in d.reason and d.key == "read:comment:1" for d in doubts)


# The pages' parts


def test_parts_order_tables_and_styles_are_found_as_on_scans(made: dict[str, Path]) -> None:
    content = {name: own(made[name]) for name in ("three", "tides", "gazette", "office")}
    assert [r.language for r in content["three"].regions][1:] == ["eng", "fra", "deu"]
    tables = [r.table for r in content["tides"].regions if r.table]
    assert [(t.rows, t.columns) for t in tables] == [(8, 7), (3, 4)]
    assert [c.text for c in tables[0].cells if c.row == 1] == ["Monday", "3.12", "9.4", "9.31", "1.2", "15.40", "9.1"]
    starts = [r.text.split()[0] for r in content["gazette"].regions]
    columns = ["Printed", "Of", "Oil", "Torgrunn", "Keepers", "Among", "Whoever"]
    assert [s for s in starts if s in columns] == columns
    office = content["office"].regions
    assert office[0].role.heading_level == 1 and any(r.table and r.table.columns == 3 for r in office)
    assert all(w.confidence == 1.0 for c in content.values() for w in c.words)
    assert not any(c.unread for c in content.values())


def own(path: Path) -> PageContent:
    page, blocks = source(path)
    return read_own_content(decode(page.original), page.dpi, ("auto",), blocks)


# Bad layers


def spoilt(blocks: list[FoundBlock], how: int) -> list[FoundBlock]:
    """The text as it is in files that were made badly."""
    chance = np.random.default_rng(how)
    letters = "abcdefghijklmnopqrstuvwxyz"
    turned = str.maketrans(letters, "".join(chance.permutation(list(letters))))
    lines = [line for b in blocks for line in b.lines]
    texts = [[w.text for w in line.words] for line in lines]

    noise = [*letters, *"#%&~"]
    spoil: dict[int, Callable[[str], str]] = {
        0: lambda word: word.translate(turned),
        1: lambda word: "".join(chr(0xE000 + ord(c) % 99) for c in word),
        2: lambda word: "\ufffd" * len(word),
        3: lambda word: "".join(chr((ord(c) + 29) % 0x250 + 33) for c in word),
        4: lambda word: "".join(chance.choice(noise) for _ in word),
        5: lambda word: word.encode("utf-16-be").decode("latin-1").replace("\x00", "¤"),
        6: lambda word: word.translate({ord(c): "" for c in "aeioulnrt"}) or "¦",
        7: lambda word: "|" * len(word),
    }
    text = spoil.get(how, str)
    found = []
    for number, line in enumerate(lines):
        source_words = texts[(number + len(texts) // 2) % len(texts)] if how == 8 else texts[number]
        moved = 1600 if how == 9 else 0
        words = [
            w._replace(text=text(source_words[i % len(source_words)]), box=Box(w.box.left, w.box.top + moved, w.box.right, w.box.bottom + moved))
            for i, w in enumerate(line.words)
        ]  # fmt: skip
        found.append(FoundBlock(blocks[0].kind, line.box, (line._replace(words=tuple(words)),)))
    return found


@pytest.mark.parametrize("how", range(10))
def test_a_bad_layer_is_found(made: dict[str, Path], how: int) -> None:
    """Swapped letters, private and missing ones, wrong encodings, noise, another page's text, text off its ink."""
    page, blocks = source(made["three"])
    assert judge_layer(grey(decode(page.original)), page.dpi, spoilt(blocks, how), ENGINE).is_bad


@pytest.mark.parametrize("name", [*PAGES, "office", "reportlab"])
def test_no_good_layer_is_called_bad(made: dict[str, Path], name: str) -> None:
    page, blocks = source(made[name])
    assert judge_layer(grey(decode(page.original)), page.dpi, blocks, ENGINE).likeness > 0.8


def test_the_clerk_may_keep_a_bad_layer_or_have_a_good_one_read(made: dict[str, Path]) -> None:
    page, blocks = source(made["reportlab"])
    image = decode(page.original)
    bad = spoilt(blocks, 4)
    read = read_own_content(image, page.dpi, ("eng",), bad)
    assert read.own_text is not None and not read.own_text.taken and "harbour" in " ".join(r.text for r in read.regions)
    assert "harbour" in read.own_text.ink or "noon" in read.own_text.ink
    kept = read_own_content(image, page.dpi, ("eng",), bad, "file")
    assert (
        kept.own_text is not None
        and kept.own_text.taken
        and [w.text for w in kept.words] == [w.text for w in words_of(bad)]
    )
    anew = read_own_content(image, page.dpi, ("eng",), blocks, "ink")
    assert anew.own_text is not None and not anew.own_text.taken and anew.own_text.likeness > 0.9


def test_text_under_a_scan_is_told_from_real_text_and_lies_on_its_ink(made: dict[str, Path], tmp_path: Path) -> None:
    """As an earlier reading leaves it: a picture with text that is not shown, or that the picture covers."""
    page, blocks = source(made["three"])
    scan = tmp_path / "scan.jpg"
    scan.write_bytes(encode_jpeg(decode(page.original)))
    for mode, name in ((3, "hidden"), (0, "covered")):
        path = tmp_path / f"{name}.pdf"
        canvas = Canvas(str(path), pagesize=(page.width * 0.24, page.height * 0.24))
        for line in (line for b in blocks for line in b.lines):
            text = canvas.beginText(line.box.left * 0.24, page.height * 0.24 - line.level * 0.24)
            text.setTextRenderMode(mode)
            text.setFont("Helvetica", 11)
            text.textOut(" ".join(w.text for w in line.words))
            canvas.drawText(text)
        canvas.drawImage(str(scan), 0, 0, page.width * 0.24, page.height * 0.24)
        canvas.save()
        found = read_pdf_page(path, 0, Limits())
        assert found.kind is PageKind.SCANNED and found.own_text
        under = own_text(path, 0, (found.width, found.height), hidden=True)
        first = {w.text: w.box for w in words_of(blocks)}["Whoever"]
        again = {w.text: w.box for w in words_of(under)}["Whoever"]
        assert abs(again.top - first.top) < 30 and again.overlap(first) > 0


# Delivered


@pytest.fixture(scope="module")
def delivered(made: dict[str, Path], tmp_path_factory: pytest.TempPathFactory) -> Iterator[dict[str, Path]]:
    folder = tmp_path_factory.mktemp("out")
    yield {
        name: deliver(made[name], folder / f"{name}.pdf", own(made[name]))
        for name in ("three", "tides", "office", "reportlab")
    }


def deliver(path: Path, out: Path, content: PageContent, index: int = 0) -> Path:
    image = read_pdf_page(path, index, Limits()).original
    described = content.model_copy(
        update={"regions": tuple(r.model_copy(update={"alternative_text": "A picture"}) if r.kind is RegionKind.FIGURE else r for r in content.regions)}
    )  # fmt: skip
    tree = StructureTree("A page", content.languages[0], [described], own_pages={0: OwnPage(str(path), index)})
    with out.open("w+b") as file:
        write_pdf(tree, lambda _: encode_jpeg(decode(image)), file, DeliveryOptions())
    return out


@pytest.mark.parametrize("name", ["three", "tides", "office"])
def test_a_page_is_delivered_as_it_came_and_tagged(
    made: dict[str, Path], delivered: dict[str, Path], judge: Judge, name: str
) -> None:
    judge.accepts(delivered[name])
    with pypdfium2.PdfDocument(made[name]) as before, pypdfium2.PdfDocument(delivered[name]) as after:
        pictures = [np.asarray(d[0].render(scale=2).to_pil().convert("L")).astype(int) for d in (before, after)]
    height, width = (min(p.shape[i] for p in pictures) for i in (0, 1))
    assert np.abs(pictures[0][:height, :width] - pictures[1][:height, :width]).mean() < 0.2
    with pikepdf.open(delivered[name]) as pdf:
        assert not any(x.get("/Subtype") == "/Image" for x in pdf.pages[0].resources.get("/XObject", {}).values())
    assert bare(poppler(delivered[name])) == bare(poppler(made[name]))


def test_its_structure_is_that_of_the_page(delivered: dict[str, Path]) -> None:
    told = subprocess.run(
        ["pdfinfo", "-struct-text", str(delivered["tides"])], capture_output=True, text=True, check=True
    )
    parts = [line.strip().strip('"') for line in told.stdout.splitlines()]
    assert parts.index("Tides at the south steps") < parts.index("Monday") < parts.index("3.12") < parts.index("9.4")
    assert parts.count("Table (block)") == 2 and parts.count("TR") == 11


def test_each_part_of_its_content_has_one_mark(delivered: dict[str, Path]) -> None:
    """No MCID twice (ISO 32000-1, 14.7.4.2), marks paired, and all that is shown in one."""
    with pikepdf.open(delivered["tides"]) as pdf:
        ids, depth = [], 0
        for instruction in pikepdf.parse_content_stream(pdf.pages[0]):
            operator = str(instruction.operator)
            if operator in ("BDC", "BMC"):
                depth += 1
                if operator == "BDC" and "/MCID" in instruction.operands[1]:
                    ids.append(int(instruction.operands[1].MCID))
            elif operator == "EMC":
                depth -= 1
            elif operator in ("Tj", "TJ", "Do", "S", "f", "f*", "B"):
                assert depth == 1
        assert depth == 0 and sorted(ids) == list(range(len(ids)))


def test_a_font_that_is_not_embedded_makes_a_picture_with_text_instead(
    delivered: dict[str, Path], judge: Judge
) -> None:
    judge.accepts(delivered["reportlab"])
    with pikepdf.open(delivered["reportlab"]) as pdf:
        assert "/Im0" in pdf.pages[0].resources.XObject
    assert "harbour" in poppler(delivered["reportlab"])


def test_what_was_corrected_is_said_though_the_page_shows_what_came(
    made: dict[str, Path], tmp_path: Path, judge: Judge
) -> None:
    content = own(made["three"])
    word = next(w for w in content.words if w.text == "shelter")
    operations = decide(content, SetWord(word_id=word.id, text="refuge"), Lay())
    out = deliver(made["three"], tmp_path / "corrected.pdf", replay(content, operations, Lay()).content)
    judge.accepts(out)
    with pikepdf.open(out) as pdf:
        said = [str(e.ActualText) for e in pdf.Root.StructTreeRoot.K[0].K if "/ActualText" in e]
    assert len(said) == 1 and "finds refuge in the lower room" in said[0]


def test_words_that_white_alone_parts_are_said_with_spaces(tmp_path: Path, judge: Judge) -> None:
    """pdfTeX sets no space."""
    (path,) = SAMPLES.rglob("side-by-side-subfig.pdf")
    out = deliver(path, tmp_path / "unspaced.pdf", own(path))
    judge.accepts(out)
    with pikepdf.open(out) as pdf:
        said = [str(e.ActualText) for e in pdf.Root.StructTreeRoot.K[0].K if "/ActualText" in e]
    assert any("Lorem ipsum dolor sit amet, consetetur" in text and "eirmod tempor invidunt" in text for text in said)


def test_a_text_across_the_cells_of_a_row_is_cut_between_them(tmp_path: Path, judge: Judge) -> None:
    """Some programs show a whole row by one operator."""
    pdfmetrics.registerFont(TTFont("Vera", "Vera.ttf"))  # ReportLab brings it
    path = tmp_path / "rows.pdf"
    canvas = Canvas(str(path), pagesize=A4)
    canvas.setFont("Vera", 11)
    space = pdfmetrics.stringWidth(" ", "Vera", 11)
    rows = [
        ("Item", "Number", "Price"),
        ("Oil", "12", "4.50"),
        ("Wick", "7", "0.85"),
        ("Glass", "3", "9.20"),
        ("Rope", "40", "1.10"),
    ]
    for i, row in enumerate(rows):
        text = ""
        for column, cell in enumerate(row):
            text += " " * round((column * 130 - pdfmetrics.stringWidth(text, "Vera", 11)) / space) + cell
        canvas.drawString(72, 700 - 20 * i, text)
    canvas.save()
    content = own(path)
    assert [(r.table.rows, r.table.columns) for r in content.regions if r.table] == [(5, 3)]
    out = deliver(path, tmp_path / "out.pdf", content)
    judge.accepts(out)
    told = subprocess.run(["pdfinfo", "-struct-text", str(out)], capture_output=True, text=True, check=True).stdout
    cells = [line.strip().strip('" ') for line in told.splitlines() if line.strip().startswith('"')]
    assert cells == [cell for row in rows for cell in row]
    assert "Vera" in subprocess.run(["pdffonts", str(out)], capture_output=True, text=True, check=True).stdout


def test_colours_and_links_are_taken_and_go_into_office_files(setter: Typesetter, tmp_path: Path, judge: Judge) -> None:
    """Colours as pdfplumber tells them; w:hyperlink is ECMA-376-1, 17.16.22. As a picture, the page keeps its link."""
    path, address = tmp_path / "coloured.pdf", "https://skarnholm.example/list"
    text = f'The <a href="{address}">list of the box</a> is <span style="color:#b01020">urgent</span> and kept.'
    style = "font:13pt 'Liberation Serif';margin:80mm 15mm"
    path.write_bytes(setter.printed(f'<html lang=en><style>a{{color:#1040a0}}</style><p style="{style}">{text}</p>'))
    page, blocks = source(path)
    with pdfplumber.open(path) as pdf:
        theirs = {c["text"]: c["non_stroking_color"] for c in pdf.pages[0].chars if c["text"] in "bu"}
        (link,) = pdf.pages[0].hyperlinks
    told = {w.text: (w.colour, w.link) for w in words_of(blocks)}
    assert told["urgent"] == ("b01020", "") and told["list"] == ("1040a0", link["uri"]) and told["The"] == ("", "")
    assert [round(v * 255) for v in theirs["u"]] == [0xB0, 0x10, 0x20]
    content = read_own_content(decode(page.original), page.dpi, ("eng",), blocks)
    files = {}
    for name in ("docx", "pdf"):
        files[name] = tmp_path / f"out.{name}"
        document = DocumentContent(title="A page", language="eng", pages=(content,))
        files[name].write_bytes(made_of(document, lambda _: encode_jpeg(decode(page.original)), name))
    (paragraph,) = (p for p in Document(str(files["docx"])).paragraphs if p.text)
    (linked,) = paragraph.hyperlinks
    assert (linked.text, linked.address) == ("list of the box", address)
    (red,) = (r for r in paragraph.runs if r.font.color.rgb == RGBColor(0xB0, 0x10, 0x20))
    assert red.text == "urgent" and paragraph.text == "The list of the box is urgent and kept."
    judge.accepts(files["pdf"])
    said = subprocess.run(["pdfinfo", "-struct-text", str(files["pdf"])], capture_output=True, text=True, check=True)
    assert '"The "' in said.stdout.split("Link")[0] and "list of the box" in said.stdout.split("Link")[1]


def test_links_go_along_within_their_text(setter: Typesetter, tmp_path: Path, judge: Judge) -> None:
    """As elements with their annotation (ISO 14289-1, 7.18.5)."""
    path = tmp_path / "linked.pdf"
    text = 'The <a href="https://skarnholm.example/list">list of the box</a> is kept by the archive, and so is the log.'
    path.write_bytes(
        setter.printed(f"<html lang=en><p style='font:13pt \"Liberation Serif\";margin:80mm 15mm'>{text}</p>")
    )
    out = deliver(path, tmp_path / "out.pdf", own(path))
    judge.accepts(out)
    with pikepdf.open(out) as pdf:
        (note,) = pdf.pages[0].obj.Annots
        assert str(note.A.URI) == "https://skarnholm.example/list"
        paragraph = pdf.Root.StructTreeRoot.K[0].K[0]
        kinds = ["mark" if isinstance(k, int) else str(k.get("/S")) for k in paragraph.K]
        assert kinds.count("/Link") == 1 and kinds[0] == kinds[-1] == "mark"
    told = subprocess.run(["pdfinfo", "-struct-text", str(out)], capture_output=True, text=True, check=True).stdout
    link = told.index("Link")
    assert '"The ' in told[:link] and "list of the box" in told[link:] and "is kept by the archive" in told[link:]
