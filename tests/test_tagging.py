"""The structure of a document: lists in lists, captions, references, headers of cells, levels, bookmarks, languages."""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pikepdf
import pytest
from docx import Document
from docx.oxml.ns import qn
from fastapi.testclient import TestClient
from lxml import etree
from skimage import data

from hyalen.core.accessibility.spoken import Kind, spoken
from hyalen.core.decisions.decide import decide
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.replay import perform, replay
from hyalen.core.decisions.requests import (
    EditError,
    NestRegions,
    Request,
    SetAlternative,
    SetData,
    SetWordLanguage,
    TieCaption,
)
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.imaging.likeness import alike, look
from hyalen.core.model.content import Cell, Line, PageContent, Part, Region, Role, Table, Word
from hyalen.core.model.document import BookmarkEntry
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, Point
from hyalen.core.proofing.doubts import page_doubts
from hyalen.core.reading.foreign import with_foreign_words
from hyalen.core.structure.bookmarks import HeadingPlace, bookmarks
from hyalen.core.structure.captions import captioned
from hyalen.core.structure.headers import is_irregular
from hyalen.core.structure.indented import addresses, quotations
from hyalen.core.structure.landmarks import Landmark, page_facts
from hyalen.core.structure.levels import levels
from hyalen.core.structure.lists import Numbering, nested, parse_item, with_depths
from hyalen.core.structure.references import note_references
from hyalen.core.structure.settling import settle, with_roles
from hyalen.core.structure.tree import Node, StructureTree, Tag
from hyalen.store.store import Store
from hyalen.web.app import make_app
from tests.conftest import ContentMaker, make_line
from tests.helpers import HERE, read_document

IMAGE = encode_jpeg(np.full((351, 248), 240, np.uint8))
LAY = Lay()


def written(tree: StructureTree, name: str) -> io.BytesIO:
    file = io.BytesIO()
    FORMATS[name].write(tree, lambda _: IMAGE, file, DeliveryOptions())
    return file


def elements(tree: StructureTree) -> list[Any]:
    """All structure elements of the PDF, from the top."""
    pdf = pikepdf.open(written(tree, "pdf"))
    found: list[Any] = []

    def walk(element: Any) -> None:
        for child in element.get("/K", []):
            if isinstance(child, pikepdf.Dictionary) and "/S" in child:
                found.append(child)
                walk(child)

    walk(pdf.Root.StructTreeRoot)
    found.append(pdf)  # kept open with them
    return found


def after(content: PageContent, *requests: Request) -> PageContent:
    for request in requests:
        made = replay(content, decide(content, request, LAY), LAY)
        assert made.unplaced == ()
        content = made.content
    return content


# Lists


@pytest.mark.parametrize(
    ("items", "wanted"),
    [
        (["(a) oil", "(b) gas"], [[("LowerAlpha", 1), ("LowerAlpha", 2)]]),
        (["i. oil", "ii. gas", "iii. coal"], [[("LowerRoman", 1), ("LowerRoman", 2), ("LowerRoman", 3)]]),
        (["h) oil", "i) gas", "j) coal"], [[("LowerAlpha", 8), ("LowerAlpha", 9), ("LowerAlpha", 10)]]),
        (["C. oil", "D. gas"], [[("UpperAlpha", 3), ("UpperAlpha", 4)]]),
        (["I. oil", "II. gas"], [[("UpperRoman", 1), ("UpperRoman", 2)]]),
        (["v) oil", "vi) gas"], [[("LowerRoman", 5), ("LowerRoman", 6)]]),
        (["1. oil", "2. gas", "1. coal"], [[("Decimal", 1), ("Decimal", 2)], [("Decimal", 1)]]),
        (["• oil", "◦ gas", "▪ coal"], [[("Disc", None)], [("Circle", None)], [("Square", None)]]),
        (["oil", "gas"], [[("None", None), ("None", None)]]),
    ],
)
def test_labels_count_as_the_standard_names_it(items: list[str], wanted: list[list[tuple[str, int | None]]]) -> None:
    """The names are of ISO 32000-1, table 347."""
    lists = nested([parse_item(text) for text in items], [0] * len(items))
    assert [[(e.counted.numbering.value, e.counted.number) for e in each] for each in lists] == wanted


def stepped(rows: Sequence[tuple[str, int]]) -> PageContent:
    """List items whose lines begin at some place."""
    page = ContentMaker()
    for text, left in rows:
        page.add(Role.LIST_ITEM, text)
        region = page.regions[-1]
        line = make_line(text, left, region.lines[0].box.top, page.ids)
        page.regions[-1] = region.model_copy(update={"lines": (line,), "outline": line.box.polygon()})
    return page.page()


def test_items_stand_as_deep_as_they_are_set_in_unless_their_numbers_go_on() -> None:
    page = with_depths(stepped([("1. oil", 200), ("(a) of whales", 290), ("(b) of rape", 290), ("2. gas", 205)]))
    assert [r.depth for r in page.regions] == [0, 1, 1, 0]
    leaning = with_depths(stepped([("1. oil", 200), ("2. gas", 290), ("3. coal", 380)]))
    assert [r.depth for r in leaning.regions] == [0, 0, 0]


def test_lists_within_lists_are_tagged_delivered_and_spoken_so() -> None:
    page = with_depths(stepped([("1. oil", 200), ("(a) of whales", 290), ("(b) of rape", 290), ("2. gas", 205)]))
    tree = StructureTree("t", "eng", [page])
    (outer,) = tree.nodes()
    assert (outer.numbering, len(outer.children)) == (Numbering.DECIMAL, 2)
    (inner,) = outer.children[0].children[-1].children
    assert (inner.numbering, [i.number for i in inner.children]) == (Numbering.LOWER_LETTERS, [1, 2])
    said = [(s.announced, s.text) for s in spoken(tree.nodes())]
    assert said == [("list with 2 items", ""), ("", "1. oil"), ("list with 2 items", ""), ("", "(a) of whales"),
                    ("", "(b) of rape"), ("end of list", ""), ("", "2. gas"), ("end of list", "")]  # fmt: skip
    docx = Document(written(tree, "docx"))
    numbered = [(p.text, p._p.pPr.numPr.ilvl.val) for p in docx.paragraphs if p._p.pPr is not None and p._p.pPr.numPr is not None]  # type: ignore[union-attr]  # fmt: skip
    assert numbered == [("oil", 0), ("of whales", 1), ("of rape", 1), ("gas", 0)]
    ns = {"w": "http://schemas.openxmlformats.org/wordprocessingml/2006/main"}
    levels_of = docx.part.numbering_part.element.findall("w:abstractNum", ns)[-1].findall("w:lvl", ns)
    told = [[level.find(f"w:{what}", ns).get(f"{{{ns['w']}}}val") for what in ("numFmt", "lvlText")] for level in levels_of]  # type: ignore[union-attr]  # fmt: skip
    assert told == [["decimal", "%1."], ["lowerLetter", "(%2)"]]


def test_inner_lists_that_count_otherwise_have_numberings_of_their_own() -> None:
    page = with_depths(stepped([("1. oil", 200), ("(a) of whales", 290), ("2. gas", 205), ("• of coal", 290), ("3. peat", 205), ("(a) dry", 290)]))  # fmt: skip
    docx = Document(written(StructureTree("t", "eng", [page]), "docx"))
    used = {p.text: p._p.pPr.numPr.numId.val for p in docx.paragraphs if p._p.pPr is not None and p._p.pPr.numPr is not None}  # type: ignore[union-attr]  # fmt: skip
    assert used["oil"] == used["gas"] == used["peat"] == used["of whales"] == used["dry"] != used["of coal"]


def test_items_are_nested_by_hand() -> None:
    page = (
        ContentMaker().add(Role.LIST_ITEM, "• oil").add(Role.LIST_ITEM, "• of whales").add(Role.PARAGRAPH, "x").page()
    )
    deeper = after(page, NestRegions(region_ids=("r2",), by=1))
    assert [r.depth for r in deeper.regions] == [0, 1, 0]
    assert after(deeper, NestRegions(region_ids=("r1", "r2"), by=-1)).regions[1].depth == 0
    with pytest.raises(EditError, match="only list items"):
        decide(page, NestRegions(region_ids=("r3",), by=1), LAY)


# Captions


def test_a_caption_stands_in_the_picture_or_table_that_it_explains() -> None:
    page = ContentMaker().add(Role.CAPTION, "Table 1. Oil").table([["Station", "Oil"], ["Torgrunn", "4"]])
    page = page.figure("A tower").add(Role.CAPTION, "Figure 1. The tower").add(Role.PARAGRAPH, "Text.")
    tree = StructureTree("Oil", "eng", [page.page()])
    assert [(n.tag, n.caption and n.caption.text, n.caption_first) for n in tree.nodes()] == [
        (Tag.TABLE, "Table 1. Oil", True),
        (Tag.FIGURE, "Figure 1. The tower", False),
        (Tag.P, None, False),
    ]
    # ISO 32000-1, table 338: the caption is a child of what it explains; of a table the first or last one (14.8.4.3.4).
    found = {str(e.S): [str(k.S) for k in e.K if isinstance(k, pikepdf.Dictionary) and "/S" in k] for e in elements(tree)[:-1]}  # fmt: skip
    assert found["/Table"][0] == "/Caption" and found["/Figure"] == ["/Caption"]
    assert [s.announced for s in spoken(tree.nodes())][:2] == ["caption", "table with 2 rows and 2 columns"]


def test_a_caption_between_two_goes_to_its_kind_and_where_a_hand_ties_it() -> None:
    page = ContentMaker().figure("A tower").add(Role.CAPTION, "Table 2. Oil").table([["a", "b"], ["1", "2"]]).page()
    assert captioned(page) == {"r2": "r3"}
    assert captioned(after(page, TieCaption(region_id="r2", to="r1"))) == {"r2": "r1"}
    assert captioned(after(page, TieCaption(region_id="r2", to=None))) == {}
    far = (
        ContentMaker()
        .figure("A tower")
        .add(Role.PARAGRAPH, "Text\nand more\nof it\nat length")
        .add(Role.CAPTION, "Figure 1")
        .page()
    )
    assert captioned(far) == {}
    with pytest.raises(EditError):
        perform(page, decide(page, TieCaption(region_id="r2", to="r2"), LAY)[0], LAY)
    ordered = [n.tag for n in StructureTree("t", "eng", [after(far, TieCaption(region_id="r3", to="r1"))]).nodes()]
    assert ordered == [Tag.FIGURE, Tag.P]


# References


def raised(page: PageContent, region: int, word: int, letters: int) -> PageContent:
    """The last letters of a word are raised."""
    own = page.regions[region]
    words = list(own.lines[0].words)
    end = len(words[word].text)
    words[word] = words[word].model_copy(update={"parts": (Part(end - letters, end, Style.SUPERSCRIPT),)})
    line = own.lines[0].model_copy(update={"words": tuple(words)})
    regions = list(page.regions)
    regions[region] = own.model_copy(update={"lines": (line,)})
    return page.model_copy(update={"regions": tuple(regions)})


def test_marks_lead_to_their_notes() -> None:
    page = ContentMaker().add(Role.PARAGRAPH, "The lamp1 burnt* for 21 days").add(Role.NOTE, "1 By hand.")
    page = raised(page.add(Role.NOTE, "* At dusk.").page(), 0, 1, 1)
    assert note_references(page) == {
        page.regions[0].lines[0].words[1].id: "r2",
        page.regions[0].lines[0].words[2].id: "r3",
    }
    power = raised(ContentMaker().add(Role.PARAGRAPH, "of 40m2 in all").add(Role.NOTE, "2 By hand.").page(), 0, 1, 1)
    assert note_references(power) == {}
    tree = StructureTree("Lamps", "eng", [page])
    found = elements(tree)
    references = [e for e in found[:-1] if e.S == "/Reference"]
    assert [str(e.K[0].S) for e in references] == ["/Link", "/Link"]
    notes = [e.K[0].K[0].Obj for e in references]
    heights = [(page.height - page.region(r).box.top) * 72 / 300 + 6 for r in ("r2", "r3")]
    assert [float(n.Dest[3]) for n in notes] == pytest.approx(heights, abs=0.1)
    # A listener steps to the links, and hears that they are some.
    links = [(s.announced, s.text) for s in spoken(tree.nodes()) if s.kind is Kind.LINK]
    assert links == [("link", "lamp1"), ("link", "burnt*")]
    docx = Document(written(tree, "docx"))
    marks = [(r.get(qn("w:id")), r.get(qn("w:customMarkFollows"))) for r in docx.element.xpath("//w:footnoteReference")]
    assert marks == [("2", None), ("3", "1")]  # a number is counted, a star is as it is printed
    (part,) = (r.target_part for r in docx.part.rels.values() if r.reltype.endswith("/footnotes"))
    notes_of = etree.fromstring(part.blob).xpath("//w:footnote[not(@w:type)]", namespaces={"w": qn("w:p")[1:].split("}")[0]})  # fmt: skip
    assert ["".join(n.itertext()).strip() for n in notes_of] == [page.region("r2").text.split(" ", 1)[1], "* " + page.region("r3").text.split(" ", 1)[1]]  # fmt: skip
    assert not any(page.region(r).text in [p.text for p in docx.paragraphs] for r in ("r2", "r3"))


def test_entries_of_the_contents_lead_to_their_headings() -> None:
    first = ContentMaker().add(Role.CONTENTS_ENTRY, "Of the lamps 2").add(Role.CONTENTS_ENTRY, "Of oil 2", depth=1)
    first.add(Role.CONTENTS_ENTRY, "Of nothing that is there 3")
    second = ContentMaker().add(Role.HEADING_1, "Of the lamps").add(Role.HEADING_2, "Of oil").add(Role.PAGE_NUMBER, "2")
    third = ContentMaker().add(Role.HEADING_1, "Of the lamps").add(Role.PAGE_NUMBER, "3")
    tree = StructureTree("Book", "eng", [first.page(), second.page(), third.page()])
    toc = next(tree.nodes())
    words = [e.parts[0].pieces[0].lines[0].words for _, _, e in toc.items()]
    assert [own[0].link for own in words] == ["#1:r1", "#1:r2", ""]
    assert [depth for depth, *_ in toc.items()] == [0, 1, 0]
    assert toc.children[0].children[-1].tag is Tag.TOC
    assert [str(e.S) for e in elements(tree)[:-1]].count("/Reference") == 2


# Tables


def grid(rows: Sequence[Sequence[tuple[str, bool, int, int] | None]]) -> Node:
    """A table of (text, header, row span, column span); None is a place that another cell spans."""
    cells, ids = [], iter(range(1000))
    for r, row in enumerate(rows):
        for c, told in enumerate(row):
            if told is None:
                continue
            text, header, down, across = told
            box = Box(300 * c, 60 * r, 300 * (c + across), 60 * (r + down))
            lines = (make_line(text, box.left, box.top, lambda: f"w{next(ids)}"),) if text else ()
            cells.append(Cell(row=r, column=c, row_span=down, column_span=across, header=header, box=box, lines=lines))
    table = Table(rows=len(rows), columns=len(rows[0]), cells=tuple(cells))
    region = ContentMaker().table([["a"]]).regions[0].model_copy(update={"table": table})
    page = ContentMaker().page().model_copy(update={"regions": (region,)})
    return next(StructureTree("t", "eng", [page]).nodes())


def test_cells_name_their_headers_where_heads_have_two_tiers() -> None:
    """The W3C's tutorial on tables with irregular headers (two-tier column heads), from memory."""
    h, d = True, False
    table = grid([
        [("", d, 2, 1), ("Mars", h, 1, 2), None, ("Venus", h, 1, 2), None],
        [None, ("Produced", h, 1, 1), ("Sold", h, 1, 1), ("Produced", h, 1, 1), ("Sold", h, 1, 1)],
        [("Teddy Bears", h, 1, 1), ("50,000", d, 1, 1), ("30,000", d, 1, 1), ("100,000", d, 1, 1), ("80,000", d, 1, 1)],
    ])  # fmt: skip
    assert is_irregular(table)
    told = {c.text: [head.text for head in c.headers] for row in table.children for c in row.children}
    assert told["30,000"] == ["Mars", "Sold", "Teddy Bears"] and told["100,000"] == ["Venus", "Produced", "Teddy Bears"]
    plain = grid([[("Station", h, 1, 1), ("Oil", h, 1, 1)], [("Torgrunn", d, 1, 1), ("4", d, 1, 1)]])
    assert not is_irregular(plain)


def test_headers_are_written_by_name_and_a_summary_with_them() -> None:
    page = ContentMaker().table([["Station", "Oil"], ["Torgrunn", "4"]]).page()
    region = page.regions[0]
    assert region.table is not None
    cells = list(region.table.cells)
    cells[2] = cells[2].model_copy(update={"header": True})
    cells[3] = cells[3].model_copy(update={"header": True})  # a head within the rows
    table = region.table.model_copy(update={"cells": tuple(cells)})
    page = page.model_copy(update={"regions": (region.model_copy(update={"table": table}),)})
    page = after(page, SetAlternative(region_id="r1", text="Oil by station"))
    found = elements(StructureTree("Oil", "eng", [page]))
    assert next(e for e in found[:-1] if e.S == "/Table").A.Summary == "Oil by station"
    names = {str(e.ID) for e in found[:-1] if "/ID" in e}
    used = {str(h) for e in found[:-1] if e.S in ("/TH", "/TD") and "/A" in e for h in e.A.get("/Headers", [])}
    assert used and used <= names
    tree_names = [str(n) for n in found[-1].Root.StructTreeRoot.IDTree.Names][::2]
    assert tree_names == sorted(names)  # ISO 32000-1, 7.9.6


# Headings over the whole document


def mark(text: str, size: float, role: Role = Role.HEADING_1, **more: Any) -> Landmark:
    return Landmark(region_id=text, role=role, drawn=False, text=text, size=size, **more)


def levels_of(*headings: Landmark, entries: Sequence[int | None] = ()) -> list[int]:
    return [int(each.role.value[-1]) for each in levels(headings, entries)]


def test_headings_of_one_size_follow_their_numbers_their_contents_or_their_capitals() -> None:
    assert levels_of(mark("1 Oil", 12), mark("1.1 Of whales", 12), mark("1.1.1 Sperm", 12), mark("2 Gas", 12)) == [
        1,
        2,
        3,
        1,
    ]
    assert levels_of(mark("Part I", 14), mark("Chapter 1 Oil", 14), mark("Chapter 2 Gas", 14), mark("Part II", 14)) == [
        1,
        2,
        2,
        1,
    ]
    capitals = [mark("OIL", 12), mark("Of whales", 12), mark("GAS", 12), mark("Of coal", 12)]
    assert levels_of(*capitals) == [1, 2, 1, 2]
    assert levels_of(mark("OIL", 12), mark("Of whales", 12)) == [1, 1]  # one of a kind tells nothing
    assert levels_of(mark("Oil", 12), mark("Whales", 12), mark("Gas", 12), entries=[0, 1, 0]) == [1, 2, 1]
    # What is numbered alike is set alike, though one measures a little larger.
    worn = [
        mark("1 Oil", 16),
        mark("1.1 Of whales", 12.1),
        mark("1.2 Of rape", 12),
        mark("1.3 Of seals", 15.8),
        mark("2 Gas", 16),
    ]
    assert levels_of(*worn) == [1, 2, 2, 2, 1]


def test_sizes_fall_into_levels_at_their_widest_gaps() -> None:
    sizes = [28, 12.9, 12.4, 12.2, 12.3, 14.6, 15.1, 14.4]
    # The smaller ones stand right beneath the title before the larger ones come.
    assert levels_of(*(mark("abcdefgh"[i] * 5, size) for i, size in enumerate(sizes))) == [1, 2, 2, 2, 2, 2, 2, 2]
    assert levels_of(*(mark("abcdefgh"[i] * 5, size) for i, size in enumerate([28, 15.1, 12.9, 12.4]))) == [1, 2, 3, 3]


def test_a_text_that_the_contents_name_is_a_heading_and_says_why() -> None:
    first = ContentMaker().add(Role.CONTENTS_ENTRY, "Of the lamps 2").add(Role.CONTENTS_ENTRY, "Of the oil 3").page()
    second = ContentMaker(top=900).add(Role.PARAGRAPH, "Of the lamps").add(Role.PARAGRAPH, "They burn well.").page()
    pages = [first, second]
    roles = settle([page_facts(p, {}).marks for p in pages])
    told = with_roles(second, roles[1]).regions
    assert [(r.role, r.reason) for r in told] == [(Role.HEADING_1, "named in the contents"), (Role.PARAGRAPH, "")]
    again = page_facts(second.model_copy(update={"regions": told}), {"r1": Role.PARAGRAPH}).marks
    assert settle([page_facts(first, {}).marks, again]) == roles


def block(lines: Sequence[tuple[int, int, str]], top: int, name: str) -> Region:
    """A block of lines from one place to another."""
    made = []
    for i, (left, right, text) in enumerate(lines):
        box = Box(left, top + 60 * i, right, top + 60 * i + 40)
        word = Word(id=f"{name}{i}", text=text, box=box, confidence=1)
        made.append(
            Line(words=(word,), box=box, baseline=(Point(left, box.bottom), Point(right, box.bottom)), height=57)
        )
    whole = Box(min(x for x, *_ in lines), top, max(x for _, x, _ in lines), top + 60 * len(lines))
    kind = ContentMaker().add(Role.PARAGRAPH, "x").regions[0]
    return kind.model_copy(update={"id": name, "lines": tuple(made), "outline": whole.polygon()})


def test_quotations_stand_in_on_both_sides_and_addresses_at_the_head() -> None:
    full = [(200, 2000, "Text" * 30)] * 3
    inset = [(400, 1800, "Quoted" * 20)] * 3
    texts = [block(full, 800, "a"), block(inset, 1100, "b"), block(full, 1400, "c")]
    assert quotations(texts, 40) == {"b"}
    right = [(400, 2000, "Quoted" * 20)] * 3
    assert quotations([texts[0], block(right, 1100, "b"), texts[2]], 40) == set()  # a column that is set in
    address = [(200, 700, "The Lights Board"), (200, 560, "3 Harbour Street"), (200, 480, "Skarnholm")]
    page = ContentMaker().page()
    assert addresses([block(address, 300, "a"), *texts], page, 40) == {"a"}
    assert addresses([*texts, block(address, 2800, "z")], page, 40) == set()


def test_the_lines_of_an_address_stay_lines() -> None:
    page = ContentMaker().add(Role.ADDRESS, "The Lights Board\n3 Harbour Street\nSkarnholm").page()
    tree = StructureTree("t", "eng", [page])
    assert written(tree, "txt").getvalue().decode() == "The Lights Board\n3 Harbour Street\nSkarnholm\n"
    assert Document(written(tree, "docx")).paragraphs[0].text == "The Lights Board\n3 Harbour Street\nSkarnholm"


# Words


def test_a_phrase_of_another_language_is_found_tagged_and_spoken_in_its_voice() -> None:
    text = "The keeper wrote that it was un avis aux marins de la baie and nothing more."
    page = ContentMaker().add(Role.PARAGRAPH, text).add(Role.PARAGRAPH, "Olaf Bjarnason and Per Skjold of Torgrunn met Knut Hamre.").page()  # fmt: skip
    told = with_foreign_words(page, ("eng", "fra", "deu"))
    assert [w.text for w in told.words if w.language == "fra"] == ["un", "avis", "aux", "marins", "de", "la", "baie"]
    tree = StructureTree("t", "eng", [told])
    assert [(str(e.S), str(e.Lang)) for e in elements(tree)[:-1] if "/Lang" in e and e.S == "/Span"] == [
        ("/Span", "fr")
    ]
    assert [(s.language, s.text) for s in spoken(tree.nodes())][:3] == [
        ("eng", "The keeper wrote that it was"), ("fra", "un avis aux marins de la baie"), ("eng", "and nothing more.")]  # fmt: skip
    ids = tuple(w.id for w in told.words if w.language)
    assert not any(w.language for w in after(told, SetWordLanguage(word_ids=ids, language="eng")).words)
    with pytest.raises(EditError, match="no language"):
        decide(told, SetWordLanguage(word_ids=ids, language="xx"), LAY)


ENGLISH_PAGE = " ".join(["The lamp was lit at dusk and burnt well until the keeper put it out at dawn."] * 12)
FRENCH = """Tous les êtres humains naissent libres et égaux en dignité et en droits. Ils sont doués
de raison et de conscience et doivent agir les uns envers les autres dans un esprit de fraternité."""


@pytest.mark.parametrize(
    "languages,english,doubted", [(("eng",), "", True), (("eng", "fra"), "", False), (("eng",), ENGLISH_PAGE, False)]
)
def test_a_page_in_a_language_that_was_not_told_is_a_doubt(
    maker: type[ContentMaker], languages: tuple[str, ...], english: str, doubted: bool
) -> None:
    made = maker().add(Role.PARAGRAPH, FRENCH)  # the Universal Declaration of Human Rights, article 1
    if english:
        made = made.add(Role.PARAGRAPH, english)
    page = with_foreign_words(made.page().model_copy(update={"languages": languages}), ("eng", "fra", "deu"))
    assert sum(w.language == "fra" for w in page.words) > 20
    found = [d.reason for d in page_doubts(page) if d.key == "read:untold"]
    told = ["Much of it seems to be French, but it was read as English: read it again with French."]
    assert found == (told if doubted else [])
    # Where a clerk says that the block is French, it is told.
    (french, *rest) = page.regions
    said = page.model_copy(update={"regions": (french.model_copy(update={"language": "fra"}), *rest)})
    assert not [d for d in page_doubts(said) if d.key == "read:untold"]


def test_abbreviations_are_told_in_full() -> None:
    page = ContentMaker().add(Role.PARAGRAPH, "The Insp. and (Insp.) came").page()
    tree = StructureTree("t", "eng", [page], abbreviations={"Insp.": "Inspector"})
    assert [str(e.E) for e in elements(tree)[:-1] if "/E" in e] == ["Inspector", "Inspector"]
    assert " ".join(s.text for s in spoken(tree.nodes())).count("Inspector") == 2


# Pictures


def test_the_same_picture_is_known_again_and_others_are_not() -> None:
    """Photographs that scikit-image ships; scanned again, they are a little smaller, paler, noisier and shifted."""
    pictures = [cv2.resize(cv2.cvtColor(p, cv2.COLOR_RGB2GRAY) if p.ndim == 3 else p, (400, 300)) for p in (data.camera(), data.coins(), data.astronaut(), data.page(), data.clock())]  # fmt: skip
    chance = np.random.default_rng(4)

    def page_with(picture: np.ndarray[Any, Any], box: Box) -> str:
        page = np.full((600, 700), 250, np.uint8)
        page[100:400, 150:550] = picture
        return look(page, box)

    first = [page_with(p, Box(150, 100, 550, 400)) for p in pictures]
    again = [np.clip(p * 0.85 + 20 + chance.normal(0, 6, p.shape), 0, 255).astype(np.uint8) for p in pictures]
    second = [page_with(p, Box(153, 98, 548, 402)) for p in again]
    assert all(alike(a, b) for a, b in zip(first, second, strict=True))
    assert not any(alike(a, b) for i, a in enumerate(first) for j, b in enumerate(second) if i != j)
    assert look(np.zeros((4, 4), np.uint8), Box(0, 0, 4, 4)) == "" and not alike("", "")


def test_a_charts_data_become_part_of_its_description() -> None:
    page = ContentMaker().figure("Oil burnt").page()
    page = after(page, SetData(region_id="r1", rows=(("Year", "Gallons", ""), ("1921", "412", ""), ("", "", ""))))
    assert page.regions[0].data == (("Year", "Gallons"), ("1921", "412"))
    (node,) = StructureTree("t", "eng", [page]).nodes()
    assert node.alternative == "Oil burnt\nYear: 1921, Gallons: 412"
    assert after(page, SetData(region_id="r1", rows=())).regions[0].description == "Oil burnt"


# Bookmarks

HEADINGS = [HeadingPlace(0, 1, "Oil", "r1"), HeadingPlace(0, 2, "Of whales", "r2"), HeadingPlace(1, 1, "Gas", "r1")]


def shown(found: Sequence[Any]) -> list[tuple[str, int, int]]:
    return [(b.entry.title, b.entry.page, b.entry.depth) for b in found]


def test_bookmarks_stay_in_step_with_headings_unless_changed_by_hand() -> None:
    own = bookmarks(HEADINGS)
    assert shown(own) == [("Oil", 0, 0), ("Of whales", 0, 1), ("Gas", 1, 0)]
    entries = [b.entry for b in own]
    entries[1] = entries[1].model_copy(update={"title": "Train oil", "renamed": True, "bold": True})
    entries.insert(2, BookmarkEntry(title="The seal", page=1, top=0.2, depth=1))
    corrected = [HEADINGS[0]._replace(text="Oils"), *HEADINGS[1:], HeadingPlace(2, 1, "Coal", "r9")]
    told = bookmarks(corrected, entries)
    assert shown(told) == [("Oils", 0, 0), ("Train oil", 0, 1), ("The seal", 1, 1), ("Gas", 1, 0), ("Coal", 2, 0)]
    assert [b.region_id for b in told] == ["r1", "r2", "", "r1", "r9"]
    # Headings that are gone take theirs with them; the clerk's own words stay.
    assert shown(bookmarks([HEADINGS[2]], entries)) == [("Train oil", 0, 0), ("The seal", 1, 1), ("Gas", 1, 0)]
    deep = [e.model_copy(update={"depth": 5}) for e in entries]
    assert [b.entry.depth for b in bookmarks(HEADINGS, deep)] == [0, 1, 2, 3]


def test_bookmarks_by_hand_are_written_with_place_and_look() -> None:
    """ISO 32000-1, 12.3.3: F of 2 is bold, of 1 italic; C is red, green and blue."""
    page = ContentMaker().add(Role.HEADING_1, "Oil").page()
    entries = [
        BookmarkEntry(title="Oil", page=0, follows="Oil", colour="ff0000", bold=True),
        BookmarkEntry(title="The seal", page=0, top=0.5, left=0.25, depth=1, italic=True),
        BookmarkEntry(title="The sheet", page=0),
    ]
    pdf = pikepdf.open(written(StructureTree("t", "eng", [page], bookmarks=entries), "pdf"))
    first = pdf.Root.Outlines.First
    assert (first.Title, first.F, [float(v) for v in first.C]) == ("Oil", 2, [1, 0, 0])
    seal = first.First
    assert (seal.Title, seal.F) == ("The seal", 1)
    assert [float(v) for v in list(seal.Dest)[2:4]] == pytest.approx([0.25 * 595.2, 0.5 * 841.92 + 6], abs=0.2)
    assert first.Next.Dest[1] == "/Fit"


# Over the wire


def pictured(text: str, look: str = "") -> PageContent:
    page = ContentMaker(top=700).add(Role.HEADING_1, text).add(Role.HEADING_2, f"Of {text}").figure().page()
    regions = [r.model_copy(update={"look": look}) if r.kind.is_picture else r for r in page.regions]
    return page.model_copy(update={"regions": tuple(regions)})


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    store = Store(tmp_path / "data")
    seal = look(np.asarray(data.coins()), Box(0, 0, 300, 300))
    read_document(store, [pictured("Oil", seal), pictured("Gas", seal), pictured("Coal")])
    store.close()
    with TestClient(make_app(tmp_path / "data", workers=1), base_url=HERE) as made:
        yield made


def test_headings_of_many_pages_are_changed_as_one_step(client: TestClient) -> None:
    told = client.get("/api/documents/1/headings").json()
    assert [(h["text"], h["level"], h["position"]) for h in told][:3] == [
        ("Oil", 1, 0),
        ("Of Oil", 1, 0),
        ("Gas", 1, 1),
    ]
    assert told[0]["box"] and {h["alike"] for h in told} == {told[0]["alike"]}
    seconds = [{"page": h["page_id"], "region": h["region_id"]} for h in told if h["text"].startswith("Of ")]
    changed = client.post(
        "/api/documents/1/roles", json={"role": "heading_2", "places": seconds, "change": None}
    ).json()
    assert changed["document"]["undo"]["label"] == "blocks made heading 2"
    assert [h["level"] for h in client.get("/api/documents/1/headings").json()] == [1, 2] * 3
    undo = changed["document"]["undo"]["id"]
    client.post("/api/documents/1/undo", json={"change": undo})
    assert [h["level"] for h in client.get("/api/documents/1/headings").json()] == [1] * 6


def test_bookmarks_are_added_changed_and_made_the_headings_again(client: TestClient) -> None:
    told = client.get("/api/documents/1/bookmarks").json()
    assert told["from_headings"] and len(told["bookmarks"]) == 6
    page = client.get("/api/documents/1").json()["pages"][1]["id"]
    place = {"revision": told["revision"], "page": page, "area": [190, 690, 400, 760]}
    told = client.post("/api/documents/1/bookmarks", json=place).json()
    assert not told["from_headings"]
    assert [b["entry"]["title"] for b in told["bookmarks"]][2:5] == ["Gas", "Gas", "Of Gas"]
    entries = [b["entry"] for b in told["bookmarks"]]
    entries[0] |= {"title": "Of all oils", "renamed": True, "colour": "8a1f11"}
    stale = client.put("/api/documents/1/bookmarks", json={"revision": told["revision"] - 1, "entries": entries})
    assert stale.status_code == 409
    told = client.put("/api/documents/1/bookmarks", json={"revision": told["revision"], "entries": entries}).json()
    assert told["bookmarks"][0]["entry"]["title"] == "Of all oils"
    assert client.put("/api/documents/1/bookmarks", json={"revision": told["revision"], "entries": [entries[0] | {"page": 999}]}).status_code == 422  # fmt: skip
    told = client.put("/api/documents/1/bookmarks", json={"revision": told["revision"], "entries": None}).json()
    assert told["from_headings"] and len(told["bookmarks"]) == 6


def test_the_screen_is_told_what_a_caption_explains(tmp_path: Path) -> None:
    store = Store(tmp_path / "data")
    read_document(store, [ContentMaker().figure("A tower").add(Role.CAPTION, "Figure 1").page()])
    store.close()
    with TestClient(make_app(tmp_path / "data", workers=1), base_url=HERE) as client:
        page = client.get("/api/documents/1").json()["pages"][0]["id"]
        told = client.get(f"/api/pages/{page}").json()
        assert told["captioned"] == {"r2": "r1"}
        edit = {"revision": told["revision"], "operation": {"op": "tie_caption", "region_id": "r2", "to": None}, "everywhere": False}  # fmt: skip
        assert client.post(f"/api/pages/{page}/edits", json=edit).json()["page"]["captioned"] == {}


def test_the_same_picture_is_described_once_for_all_its_places(client: TestClient) -> None:
    first, second, third = (p["id"] for p in client.get("/api/documents/1").json()["pages"])
    like = client.get(f"/api/pages/{first}/like/r3").json()
    assert [(p["page_id"], p["region_id"]) for p in like] == [(second, "r3")]
    client.post("/api/documents/1/descriptions", json={"page": first, "region": "r3", "text": "The Board's seal"})
    said = [
        client.get(f"/api/pages/{p}").json()["content"]["regions"][2].get("alternative_text")
        for p in (first, second, third)
    ]
    assert said == ["The Board's seal", "The Board's seal", None]


def test_particulars_of_a_batch_are_told_of_all_its_documents(client: TestClient) -> None:
    document = client.get("/api/documents/1").json()
    client.patch("/api/documents/1", json={"revision": document["revision"], "particulars": {"author": "K. Lind"}})
    told = {"particulars": {"author": "The Lights Board", "rights": "Free to use"}, "fill": True}
    batch = client.put(f"/api/batches/{document['batch_id']}/particulars", json=told).json()
    assert batch["particulars"]["author"] == "The Lights Board"
    particulars = client.get("/api/documents/1").json()["particulars"]
    assert (particulars["author"], particulars["rights"]) == ("K. Lind", "Free to use")
    document = client.get("/api/documents/1").json()
    short = [{"short": "Insp.", "full": "Inspector"}]
    told = client.patch("/api/documents/1", json={"revision": document["revision"], "abbreviations": short}).json()
    assert told["abbreviations"] == short and told["undo"]["label"] == "abbreviations"
