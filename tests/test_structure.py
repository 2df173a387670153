"""Flow, lists, running heads, heading levels and bookmarks."""

from __future__ import annotations

import pytest

from hyalen.core.model.content import PageContent, Role
from hyalen.core.structure.bookmarks import bookmarks
from hyalen.core.structure.flow import flow, joined_text
from hyalen.core.structure.levels import level_headings
from hyalen.core.structure.lists import parse_item
from hyalen.core.structure.running import find_running_heads, set_aside
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
     ("(a) letter", "(a)", "letter", None), ("iv. roman", "iv.", "roman", None), ("no marker", "", "no marker", None)],
)  # fmt: skip
def test_list_markers(text: str, label: str, body: str, number: int | None) -> None:
    assert parse_item(text) == (label, body, number)


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
    found = find_running_heads(pages)
    cleaned = [set_aside(p, ids) for p, ids in zip(pages, found, strict=True)]
    assert all([a.role for a in p.artifacts] == [Role.RUNNING_HEAD, Role.PAGE_NUMBER] for p in cleaned)
    assert all(len(p.regions) == 1 for p in cleaned)
    assert find_running_heads(pages[:1]) == [set()]


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
    assert [p.regions[0].role for p in level_headings(pages)] == [Role.HEADING_1, Role.HEADING_2, Role.HEADING_2]


def test_bookmarks_nest_by_level_and_survive_a_skip(maker: type[ContentMaker]) -> None:
    page = (
        maker()
        .add(Role.HEADING_1, "One")
        .add(Role.HEADING_3, "Deep")
        .add(Role.HEADING_2, "Two")
        .add(Role.HEADING_1, "Last")
        .page()
    )
    tree = bookmarks([page], "eng")
    assert [(b.title, [c.title for c in b.children]) for b in tree] == [("One", ["Deep", "Two"]), ("Last", [])]
