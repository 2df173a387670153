"""Flow, lists, running heads, heading levels and bookmarks."""

from __future__ import annotations

import pytest

from hyalen.core.model.content import PageContent, Role
from hyalen.core.structure.bookmarks import HeadingPlace, bookmarks
from hyalen.core.structure.flow import flow, joined_text
from hyalen.core.structure.landmarks import page_facts
from hyalen.core.structure.lists import Numbering, parse_item
from hyalen.core.structure.settling import settle, with_roles
from hyalen.core.structure.tree import StructureTree, Tag
from tests.conftest import ContentMaker, make_line


@pytest.mark.parametrize(
    "first,second,language,joined",
    [
        ("the light was extin-", "guished at once", "eng", "the light was extinguished at once"),
        ("a well-", "known keeper", "eng", "a well-known keeper"),
        ("die Vor-", "und Nachteile", "deu", "die Vor- und Nachteile"),
        ("les naviga-", "teurs sont informés", "fra", "les navigateurs sont informés"),
        ("from 12-", "14 feet", "eng", "from 12-14 feet"),
    ],
)
def test_hyphens_of_line_ends_are_undone_and_others_kept(first: str, second: str, language: str, joined: str) -> None:
    ids = ContentMaker().ids
    lines = [make_line(first, 100, 100, ids), make_line(second, 100, 160, ids)]
    assert joined_text(lines, language) == joined


def test_paragraph_goes_on_over_the_page_and_running_heads_do_not_part_it(maker: type[ContentMaker]) -> None:
    first = maker().add(Role.RUNNING_HEAD, "Report of 1931").add(Role.PARAGRAPH, "The Board is answerable for").page()
    second = (
        maker().add(Role.RUNNING_HEAD, "Report of 1931").add(Role.PARAGRAPH, "every hour in which it is not.")
        .add(Role.PARAGRAPH, "The keepers are well.").page()
    )  # fmt: skip
    blocks = list(flow([first, second], "eng"))
    assert [b.text for b in blocks] == [
        "The Board is answerable for every hour in which it is not.",
        "The keepers are well.",
    ]
    assert [page for page, _ in blocks[0].sources] == [0, 1]
    kept = [b.text for b in flow([first, second], "eng", keep_running_heads=True)]
    assert kept.count("Report of 1931") == 2


def test_finished_paragraphs_and_headings_are_not_joined(maker: type[ContentMaker]) -> None:
    first = maker().add(Role.PARAGRAPH, "It ends here.").page()
    second = maker().add(Role.HEADING_1, "and a heading").add(Role.PARAGRAPH, "Then text.").page()
    assert len(list(flow([first, second], "eng"))) == 3


@pytest.mark.parametrize(
    "text,label,body,number",
    [("1. first", "1.", "first", 1), ("12) twelfth", "12)", "twelfth", 12), ("• point", "•", "point", None),
     ("(a) letter", "(a)", "letter", 1), ("iv. roman", "iv.", "roman", 4), ("i) roman", "i)", "roman", 1),
     ("C. hundred or third", "C.", "hundred or third", 3), ("no marker", "", "no marker", None)],
)  # fmt: skip
def test_list_markers(text: str, label: str, body: str, number: int | None) -> None:
    item = parse_item(text)
    assert (item.label, item.body, item.number) == (label, body, number)


def settled(pages: list[PageContent]) -> list[PageContent]:
    """The pages with the roles that their document gives them."""
    roles = settle([page_facts(p, {}).marks for p in pages])
    return [with_roles(p, r) for p, r in zip(pages, roles, strict=True)]


def head_page(maker: type[ContentMaker], head: str, number: str, body: str) -> PageContent:
    built = maker().add(Role.PARAGRAPH, head).add(Role.PARAGRAPH, body)
    foot = maker().add(Role.PARAGRAPH, number).regions[0]
    line = make_line(number, 1200, 3350, maker().ids)
    foot = foot.model_copy(update={"id": "foot", "lines": (line,), "outline": line.box.polygon()})
    content = built.page()
    return content.model_copy(update={"regions": (*content.regions, foot)})


def test_lines_that_recur_at_the_edges_are_set_aside(maker: type[ContentMaker]) -> None:
    left, right = "Report of the Inspector 1931", "Torgrunn Station"
    pages = [
        head_page(
            maker,
            (left, right)[i % 2],
            str(i + 4),
            ("The lamp was lit", "Oil came by boat", "Rain fell all day long", "Nothing to report")[i],
        )
        for i in range(4)
    ]
    cleaned = settled(pages)
    assert all([a.role for a in p.artifacts] == [Role.RUNNING_HEAD, Role.PAGE_NUMBER] for p in cleaned)
    assert all(len(p.regions) == 1 for p in cleaned)
    assert settle([page_facts(pages[0], {}).marks]) == [{}]


def test_heading_levels_agree_over_pages(maker: type[ContentMaker]) -> None:
    def sized(level: Role, text: str, height: int) -> PageContent:
        page = maker().add(level, text).page()
        region = page.regions[0]
        line = make_line(text, 200, 100, maker().ids, height=height)
        return page.model_copy(update={"regions": (region.model_copy(update={"lines": (line,)}),)})

    pages = [
        sized(Role.HEADING_1, "The whole", 80),
        sized(Role.HEADING_1, "A part", 55),
        sized(Role.HEADING_1, "Another", 57),
    ]
    assert [p.regions[0].role for p in settled(pages)] == [Role.HEADING_1, Role.HEADING_2, Role.HEADING_2]


def test_bookmarks_nest_by_level_and_survive_a_skip(maker: type[ContentMaker]) -> None:
    page = (
        maker()
        .add(Role.HEADING_1, "One")
        .add(Role.HEADING_3, "Deep")
        .add(Role.HEADING_2, "Two")
        .add(Role.HEADING_1, "Last")
        .page()
    )
    headings = [HeadingPlace(0, r.role.heading_level or 0, r.text, r.id) for r in page.regions]
    found = [(b.entry.title, b.entry.depth) for b in bookmarks(headings)]
    assert found == [("One", 0), ("Deep", 1), ("Two", 1), ("Last", 0)]


def test_a_heading_never_goes_down_more_than_one_level_unless_someone_says_so(maker: type[ContentMaker]) -> None:
    # ISO 14289-1, 7.4.2: the first heading is of level 1, and no level is skipped.
    def heights(*lines: tuple[Role, int, bool]) -> PageContent:
        page = maker()
        for role, _, _ in lines:
            page.add(role, "A heading")
        content = page.page()
        regions = tuple(
            r.model_copy(
                update={"lines": (make_line("A heading", 200, 200 * i, page.ids, height=height),), "drawn": drawn}
            )
            for i, (r, (_, height, drawn)) in enumerate(zip(content.regions, lines, strict=True))
        )
        return content.model_copy(update={"regions": regions})

    small_first = heights((Role.HEADING_2, 40, False), (Role.HEADING_1, 80, False), (Role.HEADING_2, 40, False))
    assert [r.role for r in settled([small_first])[0].regions] == [Role.HEADING_1, Role.HEADING_1, Role.HEADING_2]
    by_hand = heights((Role.HEADING_3, 40, True), (Role.HEADING_1, 80, False))
    assert [r.role for r in settled([by_hand])[0].regions] == [Role.HEADING_3, Role.HEADING_1]


def test_settling_what_is_settled_changes_nothing(maker: type[ContentMaker]) -> None:
    pages = [head_page(maker, "Report of the Inspector", str(i + 4), f"Page {i} has text") for i in range(3)]
    roles = settle([page_facts(p, {}).marks for p in pages])
    again = [
        page_facts(with_roles(p, r), {i: p.region(i).role for i in r}).marks for p, r in zip(pages, roles, strict=True)
    ]
    assert settle(again) == roles


def test_the_tree_has_the_standard_types_and_places(maker: type[ContentMaker]) -> None:
    page = (
        maker().add(Role.HEADING_1, "Top").add(Role.LIST_ITEM, "1. One").add(Role.LIST_ITEM, "2. Two")
        .add(Role.LIST_ITEM, "1. Anew").add(Role.LIST_ITEM, "• Point").add(Role.LIST_ITEM, "(a) Letter")
        .figure("A tower").add(Role.CAPTION, "Figure 1").add(Role.RUNNING_HEAD, "Head").page()
    )  # fmt: skip
    tree = StructureTree("t", "eng", [page])
    nodes = list(tree.nodes())
    # ISO 32000-1, 14.8.4: H1, L with LI of Lbl and LBody, Figure, Caption.
    assert [n.tag.value for n in nodes] == ["H1", "L", "L", "L", "L", "Figure"]
    assert nodes[-1].caption is not None and nodes[-1].caption.text == "Figure 1"
    assert [n.numbering for n in nodes if n.tag is Tag.L] == [
        Numbering.DECIMAL,
        Numbering.DECIMAL,
        Numbering.DISC,
        Numbering.LOWER_LETTERS,
    ]
    assert [(c.tag, c.text) for c in nodes[1].children[1].children] == [(Tag.LBL, "2."), (Tag.LBODY, "Two")]
    assert nodes[1].first.page == 0 and nodes[1].first.region.id == "r2"
    assert [n.tag for n in tree.nodes(keep_running_heads=True)].count(Tag.ARTIFACT) == 1
