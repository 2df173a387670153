"""HTML, EPUB, Markdown, ALTO, PAGE, hOCR, CSV and TEI, read back by other programs and held against their schemas."""

from __future__ import annotations

import csv
import io
import json
import re
import subprocess
import sys
import zipfile
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from lxml import etree
from lxml import html as lxml_html
from playwright.sync_api import Page

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.csv import inert
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.model.content import Cell, PageContent, RegionKind, Role, Table
from hyalen.core.model.document import LabelRange, LabelStyle, Part, Particulars
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, Point
from hyalen.core.structure.tree import StructureTree, Tag
from tests.conftest import QUICK_JAVA, ContentMaker
from tests.test_formats import run

JUDGE = Path(__file__).parent.parent / ".venv/judge"
AXE = Path(__file__).parent.parent / "frontend/node_modules/axe-core/axe.min.js"
READERS = Path(__file__).parent.parent / ".venv/readers"
SCHEMAS = Path(__file__).parent.parent / ".venv/schemas"
IMAGE = encode_jpeg(np.full((3508, 2480), 240, np.uint8))
OPEN = ("html", "epub", "md", "alto", "page", "hocr", "csv", "tei")
TOLD = Particulars(author="E. Sandvik", subject="Lamps & oil", keywords="oil, lamps", reference="SLB 14", date="1890")


def pages() -> list[PageContent]:
    first = ContentMaker().add(Role.RUNNING_HEAD, "Quarterly Abstract").add(Role.HEADING_1, "The lamps")
    first.add(Role.CONTENTS_ENTRY, "Of the oil 2").add(Role.LIST_ITEM, "(3) Three <wicks>").add(
        Role.LIST_ITEM, "(4) Four"
    )
    first.add(Role.QUOTATION, "Light is duty").add(
        Role.PARAGRAPH, "# no heading * and [no] link_ at www.lights.example now"
    )
    first.add(Role.PARAGRAPH, "The lamp burnt* well").add(Role.NOTE, "* in May").figure("A tower & its lamp")
    first.add(Role.CAPTION, "Figure 1. The tower").add(Role.PAGE_NUMBER, "7771")
    second = ContentMaker().add(Role.HEADING_2, "Of the oil")
    second.table([["Station", "Oil"], ["Torgrunn", "=4+1"], ["Hallvik", "-3.5"]])
    second.add(Role.PARAGRAPH, "Un avis aux navigateurs", language="fra").add(Role.LIST_ITEM, "• One").add(
        Role.LIST_ITEM, "• Two"
    )
    second.add(Role.HEADING_1, "The boats").add(Role.PARAGRAPH, "Two boats were seen.")
    return [first.page(), second.page()]


def tree_of(content: list[PageContent], **more: Any) -> StructureTree:
    labels = [LabelRange(style=LabelStyle.SMALL_ROMAN)]
    return StructureTree("Lamps <1890>", "eng", content, particulars=TOLD, labels=labels, abbreviations={"May": "the month"}, **more)  # fmt: skip


def made(name: str, tree: StructureTree | None = None) -> bytes:
    file = io.BytesIO()
    FORMATS[name].write(tree or tree_of(pages()), lambda _: IMAGE, file, DeliveryOptions())
    return file.getvalue()


def pandoc(data: bytes, reader: str) -> list[dict[str, Any]]:
    command = ["pandoc", "-f", reader, "-t", "json"]
    told = subprocess.run(command, input=data, capture_output=True, check=True).stdout
    blocks: list[dict[str, Any]] = json.loads(told)["blocks"]
    return blocks


def every(blocks: Any, kind: str) -> Iterator[Any]:
    """What pandoc has found of a kind, wherever it stands."""
    if isinstance(blocks, dict):
        if blocks.get("t") == kind:
            yield blocks.get("c")
        for value in blocks.values():
            yield from every(value, kind)
    elif isinstance(blocks, list):
        for value in blocks:
            yield from every(value, kind)


def said(blocks: Any) -> str:
    if isinstance(blocks, dict):
        if blocks.get("t") in ("Str", "Code"):
            return str(blocks["c"] if isinstance(blocks["c"], str) else blocks["c"][-1])
        return " " if blocks.get("t") in ("Space", "SoftBreak", "LineBreak") else said(blocks.get("c", []))
    return "".join(map(said, blocks)) if isinstance(blocks, list) else ""


# HTML and EPUB


def test_a_web_page_says_what_each_thing_is() -> None:
    page = lxml_html.fromstring(made("html"))
    assert page.get("lang") == "en" and page.findtext(".//title") == "Lamps <1890>"
    assert [(h.tag, h.text) for h in page.iter("h1", "h2")] == [("h1", "The lamps"), ("h2", "Of the oil"), ("h1", "The boats")]  # fmt: skip
    _, numbered = page.iter("ol")  # after the one of the contents
    assert (numbered.get("type"), numbered.get("start")) == ("1", "3") and '"(3) "' in numbered[0].get("style")
    assert numbered[0].text == "Three <wicks>" and len(list(page.iter("ul"))) == 1
    (figure,) = page.iter("figure")
    assert (
        figure.find("img").get("alt") == "A tower & its lamp" and figure.findtext("figcaption") == "Figure 1. The tower"
    )
    assert figure.find("img").get("src").startswith("data:image/jpeg;base64,")
    (table,) = page.iter("table")
    assert [c.get("scope") for c in table.find("thead")[0]] == ["col", "col"] and len(table.find("tbody")) == 2
    ids = [e.get("id") for e in page.iter() if e.get("id")]
    assert len(ids) == len(set(ids))
    links = [a.get("href") for a in page.iter("a")]
    assert all(href[1:] in ids for href in links if href.startswith("#")) and len(links) == 3
    breaks = [e.get("title") for e in page.iter("div") if e.get("role") == "doc-pagebreak"]
    assert breaks == ["i", "ii"]
    assert [e.get("lang") for e in page.iter("p") if e.get("lang")] == ["fr"]
    assert next(page.iter("abbr")).get("title") == "the month" and next(page.iter("nav")).get("role") == "doc-toc"
    found = pandoc(made("html"), "html")
    assert [(c[0], said(c[2])) for c in every(found, "Header")] == [
        (1, "The lamps"),
        (2, "Of the oil"),
        (1, "The boats"),
    ]


def test_a_web_page_meets_wcag_as_far_as_a_program_can_tell(page: Page, tmp_path: Path) -> None:
    """WCAG 2.2 A and AA by axe-core's rules."""
    (tmp_path / "a.html").write_bytes(made("html"))
    page.goto((tmp_path / "a.html").as_uri())
    page.add_script_tag(path=AXE)
    found = page.evaluate(
        "async () => (await axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']})).violations"
    )
    assert [(v["id"], v["nodes"][0]["html"]) for v in found] == []


def book_tree(kind: str) -> StructureTree:
    tree = tree_of(pages())
    if kind == "empty":
        return replace(tree, pages=[PageContent(width=100, height=100, dpi=100)], title="")
    if kind == "backwards":
        page = ContentMaker().add(Role.HEADING_1, "المنارة").add(Role.PARAGRAPH, "أضيئت المنارة في الليل").page()
        return replace(tree, language="ara", pages=[page], labels=[])
    if kind == "joined":
        return replace(tree, parts=[Part(0, 1, "First & foremost", "eng"), Part(1, 2, "Second", "fra")])
    if kind == "formula":
        page = ContentMaker().figure("E = mc²").page()
        formula = page.regions[0].model_copy(update={"kind": RegionKind.FORMULA})
        return replace(tree, pages=[page.model_copy(update={"regions": (formula,)})])
    if kind == "undescribed":
        return replace(tree, pages=[ContentMaker().figure(None).page()])
    return tree


BOOKS = ("whole", "empty", "backwards", "joined", "undescribed", "formula")


@pytest.fixture(scope="module")
def books(tmp_path_factory: pytest.TempPathFactory) -> tuple[dict[str, Path], str]:
    """E-books, and what epubcheck says of them all, which it is started for once."""
    folder = tmp_path_factory.mktemp("books")
    made_books = {kind: folder / f"{kind}.epub" for kind in BOOKS}
    for kind, path in made_books.items():
        path.write_bytes(made("epub", book_tree(kind)))
    command = [
        "java",
        *QUICK_JAVA,
        "-cp",
        f"{JUDGE}:/usr/share/java/epubcheck.jar",
        "Books",
        *map(str, made_books.values()),
    ]
    told = subprocess.run(command, capture_output=True, text=True, check=True, timeout=300)
    return made_books, told.stdout + told.stderr


@pytest.mark.parametrize("kind", BOOKS)
def test_an_e_book_is_accepted(books: tuple[dict[str, Path], str], kind: str) -> None:
    """EPUB 3 by its reference checker, epubcheck."""
    path, told = books[0][kind], books[1]
    assert f"{path} 0" in told.splitlines(), told
    with zipfile.ZipFile(path) as archive:
        package, nav = (archive.read(f"book/{n}").decode() for n in ("package.opf", "nav.xhtml"))
    assert ("alternativeText" in package) == (kind != "undescribed")
    if kind == "whole":
        assert "page-list" in nav and ">ii</a>" in nav
        found = pandoc(path.read_bytes(), "epub")
        assert [said(c[2]) for c in every(found, "Header")] == ["The lamps", "Of the oil", "The boats"]
        assert len(list(every(found, "Image"))) == 1 and len(list(every(found, "Table"))) == 1


# Markdown


def test_markdown_is_read_as_it_is_meant() -> None:
    found = pandoc(made("md"), "gfm+footnotes")
    assert [(c[0], said(c[2])) for c in every(found, "Header")] == [
        (1, "The lamps"),
        (2, "Of the oil"),
        (1, "The boats"),
    ]
    assert "# no heading * and [no] link_ at www.lights.example now" in [said(c) for c in every(found, "Para")]
    (ordered,) = every(found, "OrderedList")
    assert ordered[0][0] == 3 and said(ordered[1][0]) == "Three <wicks>"
    (note,) = every(found, "Note")
    assert "in May" in said(note) and len(list(every(found, "BlockQuote"))) == 1
    (table,) = every(found, "Table")
    assert said(table).startswith("StationOilTorgrunn=4+1Hallvik-3.5")


# Pages with places


def schema(name: str) -> etree.XMLSchema:
    class Beside(etree.Resolver):
        """The schema that is imported from the network lies beside."""

        def resolve(self, url: str, _: str, context: Any) -> Any:
            return self.resolve_filename(str(SCHEMAS / "xlink.xsd"), context) if url.endswith("xlink.xsd") else None

    parser = etree.XMLParser(no_network=True)
    parser.resolvers.add(Beside())
    return etree.XMLSchema(etree.parse(str(SCHEMAS / name), parser))


def words_of(content: list[PageContent]) -> list[str]:
    return [w.text for page in content for r in page.everything for w in r.words]


def odd_pages() -> list[PageContent]:
    """A word that is broken at a line's end, an outline beyond the page, a text within a formula."""
    maker = ContentMaker().add(Role.PARAGRAPH, "The light of Tor-\ngrunn was lit")
    page = maker.page()
    (line, *rest) = page.regions[0].lines
    steep = line.model_copy(update={"baseline": (Point(100, 900), Point(101, -4000))})  # of text that stands
    beyond = page.regions[0].model_copy(update={"id": "r9", "table": None, "lines": (steep, *rest)})
    return [*pages(), page, page.model_copy(update={"width": 300, "regions": (beyond,)})]


def test_alto_meets_its_schema_and_has_every_word_in_its_place() -> None:
    """The schema of the Library of Congress, version 4.4."""
    content = odd_pages()
    root = etree.fromstring(made("alto", tree_of(content)))
    schema("alto-4-4.xsd").assertValid(root)
    name = {"a": "http://www.loc.gov/standards/alto/ns-v4#"}
    strings: Any = root.xpath("//a:String", namespaces=name)
    hyphens: Any = root.xpath("//a:HYP/@CONTENT", namespaces=name)
    assert len(strings) == len(words_of(content)) and set(hyphens) <= {"-"}
    parts = [(s.get("SUBS_TYPE"), s.get("SUBS_CONTENT")) for s in strings if s.get("SUBS_TYPE")]
    assert parts == [("HypPart1", "Torgrunn"), ("HypPart2", "Torgrunn")] * (len(parts) // 2) and parts
    first = content[0].regions[0].lines[0].words[0].box
    shown = next(s for s in strings if s.get("CONTENT") == "The")
    assert (int(shown.get("HPOS")), int(shown.get("VPOS"))) == (first.left, first.top)
    order: Any = root.xpath("//a:ElementRef/@REF", namespaces=name)
    assert len(order) == sum(len(p.regions) for p in content)


def test_page_xml_meets_its_schema_and_lies_beside_its_pictures() -> None:
    """The schema of PRImA, 2019-07-15."""
    content = odd_pages()
    meant = schema("pagecontent.xsd")
    with zipfile.ZipFile(io.BytesIO(made("page", tree_of(content)))) as archive:
        files = {n: archive.read(n) for n in archive.namelist()}
    roots = [etree.fromstring(data) for name, data in sorted(files.items()) if name.endswith(".xml")]
    told = []
    for root in roots:
        meant.assertValid(root)
        space = {"p": "http://schema.primaresearch.org/PAGE/gts/pagecontent/2019-07-15"}
        page: Any = root.find("p:Page", space)
        assert files[page.get("imageFilename")] == IMAGE
        told += root.xpath("//p:Word/p:TextEquiv/p:Unicode/text()", namespaces=space)  # type: ignore[operator, arg-type]
    assert len(roots) == len(content) and sorted(map(str, told)) == sorted(words_of(content))


READ_PAGE = """
import json, sys, types
sys.path.insert(0, sys.argv[1])
archives = types.ModuleType("py7zr")
archives.SevenZipFile = object
sys.modules |= {"py7zr": archives, "orjson": json}
from pagexml.parser import parse_pagexml_file
scan = parse_pagexml_file(sys.argv[2])
order = [scan.reading_order[n] for n in sorted(scan.reading_order)]
words = [[w.text, w.coords.box] for r in scan.text_regions for line in r.lines for w in line.words]
print(json.dumps({"order": order, "regions": [r.id for r in scan.text_regions], "words": words}))
"""


def test_page_xml_is_read_by_another_hand(tmp_path: Path) -> None:
    """pagexml-tools of the Humanities Cluster, whose other needs are not met here and not needed."""
    content = pages()
    with zipfile.ZipFile(io.BytesIO(made("page"))) as archive:
        names = [n for n in sorted(archive.namelist()) if n.endswith(".xml")]
        archive.extractall(tmp_path)
    for number, (page, name) in enumerate(zip(content, names, strict=True), 1):
        told = json.loads(run(sys.executable, "-c", READ_PAGE, READERS, tmp_path / name))
        texts = [r for r in page.everything if r.kind is RegionKind.TEXT]
        assert sorted(told["regions"]) == sorted(f"p{number}_{r.id}" for r in texts)
        assert told["order"][: len(page.regions)] == [f"p{number}_{r.id}" for r in page.regions]
        read = sorted((w, b["x"], b["y"], b["w"], b["h"]) for w, b in told["words"])
        assert read == sorted(
            (w.text, w.box.left, w.box.top, w.box.width, w.box.height) for r in texts for w in r.words
        )


def test_hocr_is_found_right_by_another_hand(tmp_path: Path) -> None:
    """hocr-check and hocr-lines of hocr-tools."""
    (tmp_path / "made.html").write_bytes(made("hocr"))
    checked = subprocess.run(
        [sys.executable, READERS / "hocr-check", "-o", tmp_path / "made.html"],
        capture_output=True,
        text=True,
        check=True,
    )
    verdicts = checked.stderr.splitlines()
    assert len(verdicts) > 10 and all(v.startswith("ok") for v in verdicts)
    lines = run(sys.executable, READERS / "hocr-lines", tmp_path / "made.html").split()
    assert lines == [w.text for page in pages() for r in page.regions for w in r.words]


def test_hocr_has_every_word_that_is_read_in_its_place() -> None:
    content = pages()
    root = etree.fromstring(made("hocr"))
    found: Any = root.xpath("//*[@class='ocrx_word']")
    read = [w for page in content for r in page.regions for w in r.words]
    assert [w.text for w in found] == [w.text for w in read]
    for shown, word in zip(found, read, strict=True):
        assert re.match(r"bbox (\d+) (\d+) (\d+) (\d+);", shown.get("title")).groups() == tuple(map(str, word.box))  # type: ignore[union-attr]
    assert len(root.xpath("//*[@class='ocr_page']")) == 2  # type: ignore[arg-type]


# Tables and texts


def test_tables_are_read_back_as_they_are_and_no_cell_runs() -> None:
    with zipfile.ZipFile(io.BytesIO(made("csv"))) as archive:
        (name,) = archive.namelist()
        rows = list(csv.reader(io.StringIO(archive.read(name).decode("utf-8-sig"))))
    assert rows == [["Station", "Oil"], ["Torgrunn", "'=4+1"], ["Hallvik", "-3.5"]]
    with zipfile.ZipFile(io.BytesIO(made("csv", tree_of(pages()[:1])))) as archive:
        assert archive.namelist() == ["no-tables.txt"]
    assert [inert(t) for t in ("-3,5 %", "+1 200", "-lamp", "@x", "-", "a=b")] == ["-3,5 %", "+1 200", "'-lamp", "'@x", "-", "a=b"]  # fmt: skip


def test_tei_divides_by_headings_and_keeps_pages_notes_and_tables() -> None:
    root = etree.fromstring(made("tei"))
    space = {"t": "http://www.tei-c.org/ns/1.0"}

    def found(path: str) -> list[Any]:
        return list(root.xpath(path, namespaces=space))  # type: ignore[arg-type]

    assert [h.text for h in found("//t:body/t:div/t:head")] == ["The lamps", "The boats"]
    assert [h.text for h in found("//t:div/t:div/t:head")] == ["Of the oil"]
    assert [p.get("n") for p in found("//t:pb")] == ["i", "ii"]
    ids = {e.get("{http://www.w3.org/XML/1998/namespace}id") for e in found("//*")}
    assert all(r.get("target")[1:] in ids for r in found("//t:ref") if r.get("target").startswith("#"))
    assert len(found("//t:note")) == 1 and len(found("//t:table/t:row")) == 3
    assert [e.text for e in found("//t:titleStmt/t:title")] == ["Lamps <1890>"]


# All of them


def shown_by(name: str, data: bytes) -> str:
    if not data.startswith(b"PK"):
        return data.decode("utf8")
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return " ".join(
            archive.read(n).decode("utf8", "ignore") for n in archive.namelist() if not n.endswith(("jpg", "png"))
        )


@pytest.mark.parametrize("name", [n for n in FORMATS if n not in ("json", "pdf", "alto", "page", "pptx", "opus", "flac", "wav", "chapters")])  # fmt: skip
def test_running_heads_and_page_numbers_are_dropped(name: str) -> None:
    """In a word processor's file they are its header and footer; formats of what stands where keep them, named."""
    data = made(name)
    if name in ("docx", "placed"):
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            told = archive.read("word/document.xml").decode()
    else:
        told = shown_by(name, data)
    assert "Quarterly" not in told and "7771" not in told
    if name not in ("csv", "xlsx"):
        assert "burnt" in told


@pytest.mark.parametrize("name", OPEN)
def test_nothing_much_is_written_well(name: str) -> None:
    """No page, no text, names of 255 letters, right to left throughout."""
    long = "x" * 255
    table = Table(rows=1, columns=1, cells=(Cell(row=0, column=0, box=Box(0, 0, 9, 9)),))
    empty_table = ContentMaker().table([["a"]]).page()
    bare = empty_table.model_copy(update={"regions": (empty_table.regions[0].model_copy(update={"table": table}),)})
    arabic = ContentMaker().add(Role.PARAGRAPH, "أضيئت المنارة").page()
    for content in ([], [PageContent(width=9, height=9, dpi=100)], [bare], [arabic]):
        data = made(name, StructureTree(long, "ara", content))
        assert data
        if name in ("alto", "hocr", "tei"):
            etree.fromstring(data)
        elif name == "html":
            assert lxml_html.fromstring(data).get("dir") == "rtl"


def test_a_script_is_no_link() -> None:
    """An address that a born-digital page came with may be anything."""
    page = ContentMaker().add(Role.PARAGRAPH, "press here").page()
    (line,) = page.regions[0].lines
    words = tuple(w.model_copy(update={"link": link}) for w, link in zip(line.words, ("JavaScript:alert(1)", "https://lights.example"), strict=True))  # fmt: skip
    region = page.regions[0].model_copy(update={"lines": (line.model_copy(update={"words": words}),)})
    tree = tree_of([page.model_copy(update={"regions": (region,)})])
    assert [a.get("href") for a in lxml_html.fromstring(made("html", tree)).iter("a")] == ["https://lights.example"]
    assert b"cript:" not in made("md", tree)


def test_pictures_are_as_wide_as_on_paper() -> None:
    page = ContentMaker().figure("A tower").page()
    (image,) = lxml_html.fromstring(made("html", tree_of([page]))).iter("img")
    assert image.get("style") == f"width:{page.regions[0].box.width / 300:.2f}in"


def test_words_keep_how_they_are_set() -> None:
    page = ContentMaker().add(Role.PARAGRAPH, "plain bold H2O").page()
    (line,) = page.regions[0].lines
    words = line.words[0], line.words[1].model_copy(update={"style": (Style.BOLD, Style.ITALIC)}), line.words[2]
    (region,) = page.regions
    told = region.model_copy(update={"lines": (line.model_copy(update={"words": words}),)})
    tree = tree_of([page.model_copy(update={"regions": (told,)})])
    assert "<b><i>bold</i></b>" in made("html", tree).decode() and "***bold***" in made("md", tree).decode()
    assert '<hi rend="bold italic">bold</hi>' in made("tei", tree).decode()
    assert next(tree.nodes()).tag is Tag.P
