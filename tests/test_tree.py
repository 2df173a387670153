"""The structure tree, what is spoken of it, and every format as a walk over it."""

from __future__ import annotations

import io
import json
import pickle
from pathlib import Path

import numpy as np
import pytest
from docx import Document
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import load_workbook

from hyalen.core.accessibility.spoken import announced
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.text import table_text
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.document import DocumentContent
from hyalen.core.model.packing import KEPT, LazyPages, packed
from hyalen.core.structure.conformance import Conformance
from hyalen.core.structure.flow import flow
from hyalen.core.structure.landmarks import Landmark, PageFacts, landmarks, main_language, page_facts
from hyalen.core.structure.levels import levels
from hyalen.core.structure.running import comparable, recurring
from hyalen.core.structure.settling import settle, with_roles
from hyalen.core.structure.tree import Node, StructureTree, Tag
from hyalen.store.store import Store
from hyalen.work import jobs
from hyalen.work.attendant import why
from hyalen.work.manuscript import Manuscript, write_manuscript
from tests.conftest import ContentMaker, Judge
from tests.helpers import deliver, read_document
from tests.test_formats import table_region

IMAGE = encode_jpeg(np.full((351, 248), 240, np.uint8))
TEXT_ROLES = [r for r in Role if r not in (Role.TABLE, Role.FIGURE)]


def pages_of(*blocks: list[tuple[Role, str]]) -> list[PageContent]:
    """A page for each list of blocks."""
    made = []
    for each in blocks:
        page = ContentMaker()
        for role, text in each:
            page.add(role, text)
        made.append(page.page())
    return made


def walk(node: Node) -> list[Node]:
    return [node, *(n for child in node.children for n in walk(child))]


# The tree

BLOCKS = st.lists(
    st.tuples(st.sampled_from(TEXT_ROLES), st.sampled_from(["Text.", "1. one", "2. two", "• dot", "(a) let", "goes on,", "and on"])),
    max_size=6,
)  # fmt: skip


@settings(max_examples=80, deadline=None)
@given(st.lists(BLOCKS, max_size=4))
def test_every_word_stands_in_the_tree_once_and_in_order(blocks: list[list[tuple[Role, str]]]) -> None:
    pages = pages_of(*blocks)
    nodes = [n for top in StructureTree("t", "eng", pages).nodes() for n in walk(top)]
    in_tree = [w.text for n in nodes for piece in n.pieces for line in piece.lines for w in line.words]
    on_pages = [w.text for page in pages for region in page.regions for w in region.words]
    assert in_tree == on_pages
    # ISO 32000-1, 14.8.4.3.3 and table 333: a list holds items, an item its label and body, contents their entries.
    for node in nodes:
        kinds = {child.tag for child in node.children}
        allowed = {
            Tag.L: {Tag.LI},
            Tag.LI: {Tag.LBL, Tag.LBODY},
            Tag.LBODY: {Tag.L},
            Tag.TOC: {Tag.TOCI},
            Tag.TOCI: {Tag.P, Tag.TOC},
            Tag.BLOCK_QUOTE: {Tag.P},
        }
        assert kinds <= allowed.get(node.tag, set())
        assert node.tag is not Tag.LI or node.children[-1].tag is Tag.LBODY
    firsts = [n.first.page for n in StructureTree("t", "eng", pages).nodes()]
    assert firsts == sorted(firsts)


@settings(max_examples=40, deadline=None)
@given(st.lists(BLOCKS, min_size=1, max_size=5), st.integers(0, 4))
def test_a_tree_that_begins_further_on_is_the_end_of_the_whole(
    blocks: list[list[tuple[Role, str]]], first: int
) -> None:
    pages = pages_of(*blocks)
    tree = StructureTree("t", "eng", pages)
    whole = [n for n in tree.nodes() if n.first.page >= first]
    part = [n for n in tree.nodes(max(0, first - 1)) if n.first.page >= first]
    # Only what goes on from before the part may differ: it has no beginning there.
    assert [n.text for n in part][-len(whole) :] == [n.text for n in whole] or not whole


def test_a_table_is_rows_of_cells_with_their_spans_and_scope() -> None:
    page = ContentMaker().page()
    page = page.model_copy(update={"regions": (table_region(),)})
    (table,) = StructureTree("t", "eng", [page]).nodes()
    assert [c.tag for c in table.children] == [Tag.TR, Tag.TR]
    head, row = table.children
    assert [(c.tag, c.scope, c.cell.column_span if c.cell else 0) for c in head.children] == [
        (Tag.TH, "Column", 2),
        (Tag.TH, "Column", 1),
    ]
    assert [(c.tag, c.text) for c in row.children] == [(Tag.TD, "Oil"), (Tag.TD, "=96"), (Tag.TD, "45.5")]
    assert table_text(table) == "Article\tLeft\nOil\t=96\t45.5"
    assert announced(table) == "table with 2 rows and 3 columns"


@pytest.mark.parametrize(
    "blocks,spoken",
    [
        ([(Role.HEADING_3, "Oil")], ["heading level 3"]),
        ([(Role.PARAGRAPH, "Text.")], [""]),
        ([(Role.LIST_ITEM, "1. one"), (Role.LIST_ITEM, "2. two")], ["list with 2 items"]),
        ([(Role.LIST_ITEM, "• one")], ["list with 1 item"]),
        ([(Role.CAPTION, "Figure 1")], ["caption"]),
        ([(Role.CONTENTS_ENTRY, "Lamps … 3"), (Role.CONTENTS_ENTRY, "Oil … 9")], ["contents with 2 entries"]),
        ([(Role.SIDE_NOTE, "Of oil")], ["note"]),
    ],
)
def test_the_kind_of_a_block_is_announced(blocks: list[tuple[Role, str]], spoken: list[str]) -> None:
    nodes = StructureTree("t", "eng", pages_of(blocks)).nodes()
    assert [announced(n) for n in nodes] == spoken


def test_pictures_and_what_is_not_read_are_announced_as_such() -> None:
    page = ContentMaker().add(Role.RUNNING_HEAD, "Head").figure("A tower").figure().page()
    nodes = list(StructureTree("t", "eng", [page]).nodes(keep_running_heads=True))
    assert [announced(n) for n in nodes] == ["not read aloud", "graphic", "graphic without a description"]


def test_a_node_without_content_has_no_place() -> None:
    with pytest.raises(LookupError, match="no place"):
        _ = Node(Tag.TR, "eng", (Node(Tag.TD, "eng"),)).first


@pytest.mark.parametrize(
    "blocks,title,obstacles",
    [
        ([(Role.HEADING_1, "a"), (Role.HEADING_2, "b"), (Role.HEADING_1, "c")], "Title", []),
        ([(Role.HEADING_2, "a")], "Title", ["7.4.2"]),
        ([(Role.HEADING_1, "a"), (Role.HEADING_4, "b"), (Role.HEADING_2, "c")], "Title", ["7.4.2"]),
        ([(Role.PARAGRAPH, "a")], "  ", ["7.1"]),
    ],
)
def test_what_stands_against_pdf_ua_is_named_with_its_clause(
    blocks: list[tuple[Role, str]], title: str, obstacles: list[str]
) -> None:
    # ISO 14289-1: 7.1 title, 7.3 figures, 7.4.2 heading levels.
    found = Conformance(title)
    for node in StructureTree(title, "eng", pages_of(blocks)).nodes():
        found.see(node)
    assert [o.split("14289-1, ")[1].rstrip(")") for o in found.obstacles] == obstacles
    assert found.met is not bool(obstacles)


# Formats


@pytest.mark.parametrize("name", [n for n in FORMATS if n != "pptx"])  # which refuses what is no slide
def test_every_format_is_registered_whole_and_bears_an_empty_document(name: str) -> None:
    written = FORMATS[name]
    assert (
        written.name == name
        and written.describes
        and "/" in written.media_type
        and written.ending.replace(".", "").isalnum()
    )
    assert deliver(DocumentContent(title="Nothing", language="eng", pages=()), lambda _: IMAGE, name)


@pytest.mark.parametrize("name", ["docx", "txt", "json", "pdf"])
def test_every_text_format_says_what_the_flow_says(name: str) -> None:
    pages = pages_of(
        [(Role.HEADING_1, "The relief"), (Role.PARAGRAPH, "The boat was seen to go")],
        [(Role.PARAGRAPH, "round the point."), (Role.LIST_ITEM, "1. oil"), (Role.LIST_ITEM, "2. water")],
    )
    data = deliver(DocumentContent(title="Relief", language="eng", pages=tuple(pages)), lambda _: IMAGE, name)
    expected = [b.text for b in flow(pages, "eng")]
    assert expected[1] == "The boat was seen to go round the point."
    if name == "txt":
        assert data.decode().split("\n\n") == [*expected[:-1], expected[-1] + "\n"]
    elif name == "json":
        assert DocumentContent.model_validate_json(data).pages == tuple(pages)
    elif name == "docx":
        from docx import Document

        texts = [p.text for p in Document(io.BytesIO(data)).paragraphs if p.text]
        assert texts == [*expected[:2], "oil", "water"]
    else:
        import pypdfium2

        with pypdfium2.PdfDocument(data) as pdf:
            shown = " ".join(pdf[i].get_textpage().get_text_range() for i in range(2)).split()
        assert shown == " ".join(expected).split()


def test_a_manuscript_leads_to_the_same_file_as_the_pages_themselves(tmp_path: Path) -> None:
    pages = pages_of([(Role.HEADING_1, "One"), (Role.PARAGRAPH, "Text.")], [(Role.PARAGRAPH, "More é א.")])
    image = tmp_path / "page.jpg"
    image.write_bytes(IMAGE)
    path, out = tmp_path / "manuscript", tmp_path / "out.txt"
    write_manuscript(path, "Títle", "eng", ((packed(p), str(image), None) for p in pages))
    manuscript = Manuscript(path)
    assert (manuscript.tree.title, manuscript.tree.language, len(manuscript.tree.pages)) == ("Títle", "eng", 2)
    assert list(manuscript.tree.pages) == pages and manuscript.image(1) == IMAGE
    made = jobs.make_delivery(str(path), str(out), "txt", DeliveryOptions())
    document = DocumentContent(title="Títle", language="eng", pages=tuple(pages))
    assert out.read_bytes() == deliver(document, lambda _: IMAGE, "txt")
    assert made.size == out.stat().st_size and not path.exists()


def test_a_delivery_that_fails_takes_its_files_with_it_and_names_the_page(tmp_path: Path) -> None:
    path, out = tmp_path / "work" / "manuscript", tmp_path / "work" / "out.pdf"
    path.parent.mkdir()
    (tmp_path / "page.jpg").write_bytes(encode_jpeg(np.full((351, 248), 240, np.uint8)))
    page = packed(pages_of([])[0])
    write_manuscript(path, "t", "eng", [(page, str(tmp_path / name), None) for name in ("page.jpg", "missing.jpg")])
    with pytest.raises(FileNotFoundError) as met:
        jobs.make_delivery(str(path), str(out), "pdf", DeliveryOptions())
    assert list(path.parent.iterdir()) == [] and why(pickle.loads(pickle.dumps(met.value))).endswith("(at page 2)")


def test_only_a_few_pages_are_unpacked_at_a_time() -> None:
    pages = pages_of(*([(Role.PARAGRAPH, f"Page {n}.")] for n in range(9)))
    fetched: list[int] = []

    def fetch(index: int) -> bytes:
        fetched.append(index)
        return packed(pages[index])

    lazy = LazyPages(len(pages), fetch)
    assert list(lazy) == pages and fetched == list(range(9))
    assert lazy[-1] == pages[-1] and lazy[8 - KEPT + 1] == pages[8 - KEPT + 1] and len(fetched) == 9
    assert lazy[0:2] == pages[0:2] and fetched[9:] == [0, 1]
    with pytest.raises(IndexError):
        lazy[9]


# Settling


def mark(text: str, **more: object) -> Landmark:
    values = {"region_id": "r1", "role": Role.PARAGRAPH, "drawn": False, "text": text, "edge": "head", "centre": 0.05}
    return Landmark(**(values | more))


@pytest.mark.parametrize(
    "first,second,same",
    [
        (mark("Report of 1931"), mark("Report of 1931"), True),
        (mark("Report, page 3"), mark("Report, page 14"), True),
        (mark("12"), mark("13"), True),
        (mark("Report of 1931"), mark("Oil and stores"), False),
        (mark("Report of 1931"), mark("Report of 1931", edge="foot"), False),
        (mark("Report of 1931"), mark("Report of 1931", centre=0.12), False),
    ],
)
def test_lines_recur_at_one_edge_one_height_and_with_any_number(first: Landmark, second: Landmark, same: bool) -> None:
    assert recurring([[first], [second]]) == ([{"r1"}, {"r1"}] if same else [set(), set()])


def test_left_and_right_heads_are_compared_with_their_own_kind() -> None:
    pages = [[mark(("The inspector", "Oil and stores")[i % 2])] for i in range(4)]
    assert recurring(pages) == [{"r1"}] * 4
    assert recurring(pages[:2]) == [set(), set()]
    assert comparable("  Page 12\nof 30 ") == "page # of #"


def test_sizes_that_differ_by_a_hair_are_one_level() -> None:
    def heading(size: float, role: Role = Role.HEADING_1, drawn: bool = False) -> Landmark:
        return mark("x", edge="", size=size, role=role, drawn=drawn)

    found = levels([heading(20), heading(14.2), heading(13.9), heading(11), heading(14), heading(20.1)])
    assert [each.role for each in found] == [Role(f"heading_{n}") for n in (1, 2, 2, 3, 2, 1)]
    assert levels([heading(20), heading(9, Role.HEADING_5, drawn=True), heading(20)])[1].role is Role.HEADING_5
    assert levels([]) == []


@settings(max_examples=60, deadline=None)
@given(st.lists(BLOCKS, max_size=5))
def test_settling_is_a_function_of_the_pages_alone(blocks: list[list[tuple[Role, str]]]) -> None:
    pages = pages_of(*blocks)
    roles = settle([page_facts(p, {}).marks for p in pages])
    settled = [with_roles(p, r) for p, r in zip(pages, roles, strict=True)]
    was = [{i: p.region(i).role for i in r} for p, r in zip(pages, roles, strict=True)]
    assert settle([landmarks(p, w) for p, w in zip(settled, was, strict=True)]) == roles
    assert [sorted(r.id for r in p.everything) for p in settled] == [sorted(r.id for r in p.everything) for p in pages]


def test_the_main_language_is_that_of_most_letters() -> None:
    pages = [PageFacts(letters={"eng": 400, "fra": 900}), PageFacts(letters={"eng": 700}), PageFacts()]
    assert main_language(pages) == "eng" and main_language([PageFacts()]) is None


def test_a_document_is_delivered_as_it_stands_in_the_store(data: Path) -> None:
    store = Store(data)
    document, ids = read_document(
        store, pages_of([(Role.PARAGRAPH, "One.")], [(Role.PARAGRAPH, "Two.")], [(Role.PARAGRAPH, "Three.")])
    )
    store.settings.arrange(document, [ids[2], ids[0], ids[1]])
    store.settings.take_out(document, [ids[1]])
    tree = StructureTree("t", "eng", store.pages.contents(document))
    assert [n.text for n in tree.nodes()] == ["Three.", "One."]
    told = json.loads(
        deliver(DocumentContent(title="t", language="eng", pages=tuple(tree.pages)), lambda _: IMAGE, "json")
    )
    assert len(told["pages"]) == 2


# Tables over pages

LEDGER = [["Station", "Oil"], ["Torgrunn", "96"], ["Ravnholm", "45"]]


def ledger(*parts: list[list[str]]) -> list[PageContent]:
    return [ContentMaker().table(rows).page() for rows in parts]


def rows_of(pages: list[PageContent], join: bool = True) -> list[list[list[str]]]:
    tables = [n for n in StructureTree("t", "eng", pages, join).nodes() if n.tag is Tag.TABLE]
    return [[[cell.text for cell in row.children] for row in table.children] for table in tables]


def test_a_table_that_goes_on_is_one_when_asked_and_its_head_row_stands_once() -> None:
    pages = ledger(LEDGER, [LEDGER[0], ["Hvalskjaer", "12"]], [["Total", "153"]])
    assert rows_of(pages) == [[*LEDGER, ["Hvalskjaer", "12"], ["Total", "153"]]]
    assert rows_of(pages, join=False) == [LEDGER, [LEDGER[0], ["Hvalskjaer", "12"]], [["Total", "153"]]]
    (table,) = StructureTree("t", "eng", pages, True).nodes()
    assert [cell.text for cell in table.again] == LEDGER[0]
    assert [[c.tag for c in row.children] for row in table.children] == [[Tag.TH] * 2] + [[Tag.TD] * 2] * 4
    assert [c.cell.row for row in table.children for c in row.children if c.cell] == [0, 0, 1, 1, 2, 2, 3, 3, 4, 4]


def test_tables_of_other_columns_or_with_text_between_are_not_joined() -> None:
    three = [["Station", "Oil", "Coal"], ["Torgrunn", "96", "3"]]
    assert len(rows_of(ledger(LEDGER, three))) == 2
    between = [ContentMaker().table(LEDGER).add(Role.PARAGRAPH, "Another year.").page(), *ledger(LEDGER)]
    assert len(rows_of(between)) == 2


def test_a_joined_table_is_whole_in_every_format(tmp_path: Path, judge: Judge) -> None:
    pages = tuple(ledger(LEDGER, [LEDGER[0], ["Hvalskjaer", "12"]]))
    document = DocumentContent(title="Ledger", language="eng", pages=pages)

    def made(name: str) -> bytes:
        return deliver(document, lambda _: IMAGE, name, join_tables=True)

    assert made("txt").decode().strip().split("\n")[-1] == "Hvalskjaer\t12"
    (table,) = Document(io.BytesIO(made("docx"))).tables
    assert [[cell.text for cell in row.cells] for row in table.rows] == [*LEDGER, ["Hvalskjaer", "12"]]
    (sheet,) = load_workbook(io.BytesIO(made("xlsx"))).worksheets
    assert [[cell.value for cell in row] for row in sheet.rows] == [
        ["Station", "Oil"], ["Torgrunn", 96], ["Ravnholm", 45], ["Hvalskjaer", 12]
    ]  # fmt: skip
    path = tmp_path / "joined.pdf"
    path.write_bytes(made("pdf"))
    judge.accepts(path)
