"""Running heads, page numbers, notes and catchwords told from one page alone."""

from __future__ import annotations

import numpy as np
import pytest

from hyalen.core.layout.witness import Kind, Witness
from hyalen.core.model.content import PageContent, Region, RegionKind, Role
from hyalen.core.model.geometry import Box, union
from hyalen.core.structure.roles import assign_roles
from tests.conftest import ContentMaker, make_line

BODY = [
    "The light was shown from sunset to sunrise on every night of the",
    "quarter, and failed on none of them, although the wind stood in the",
    "north for weeks together and the lantern had to be cleared of ice.",
]


class Page:
    """A page of regions; the first line of each stands where it is put."""

    def __init__(self) -> None:
        self.ids = ContentMaker().ids
        self.regions: list[Region] = []

    def add(self, text: str | list[str], left: int, top: int, height: int = 40, gap: int | None = None) -> str:
        rows = [text] if isinstance(text, str) else text
        lines = [make_line(row, left, top + 60 * i, self.ids, height=height) for i, row in enumerate(rows)]
        if gap is not None:  # between the last word and the others
            line = lines[0]
            last = line.words[-1]
            moved = last.model_copy(
                update={"box": Box(last.box.left + gap, last.box.top, last.box.right + gap, last.box.bottom)}
            )
            words = (*line.words[:-1], moved)
            lines[0] = line.model_copy(update={"words": words, "box": union(w.box for w in words)})
        region = Region(
            id=f"r{len(self.regions)}",
            kind=RegionKind.TEXT,
            role=Role.PARAGRAPH,
            outline=union(line.box for line in lines).polygon(),
            lines=tuple(lines),
            language="eng",
        )
        self.regions.append(region)
        return region.id

    def roles(self, told: list[Witness] | None = None, rules: list[Box] | None = None) -> dict[str, Role]:
        return {r.id: r.role for r in self.settled(told, rules).everything}

    def settled(self, told: list[Witness] | None = None, rules: list[Box] | None = None) -> PageContent:
        content = PageContent(width=2480, height=3508, dpi=300, regions=tuple(self.regions))
        page = np.full((3508, 2480), 255, np.uint8)
        return assign_roles(content, page, told or [], rules or [])


@pytest.fixture
def page() -> Page:
    made = Page()
    for i in range(5):
        made.add(BODY, 300, 500 + 400 * i)
    return made


def test_a_line_whose_number_stands_off_is_a_running_head(page: Page) -> None:
    head = page.add("IN THE LANTERN ROOM 27", 700, 300, gap=120)
    assert page.roles()[head] is Role.RUNNING_HEAD


@pytest.mark.parametrize(
    ("text", "parts"),
    [
        ("IN THE LANTERN ROOM 27", {"27": Role.PAGE_NUMBER, "IN THE LANTERN ROOM": Role.RUNNING_HEAD}),
        ("xxiv LIGHTS", {"xxiv": Role.PAGE_NUMBER, "LIGHTS": Role.RUNNING_HEAD}),
        ("THE GAZETTE 1931", {"THE GAZETTE 1931": Role.RUNNING_HEAD}),
        ("GAZETTE, MONDAY, MAY 4, 1931.", {"GAZETTE, MONDAY, MAY 4, 1931.": Role.RUNNING_HEAD}),
        ("GAZETTE. MONDAY, MAY 4; 1931", {"GAZETTE. MONDAY, MAY 4; 1931": Role.RUNNING_HEAD}),
    ],
)
def test_the_page_number_in_a_running_head_is_a_part_of_its_own(page: Page, text: str, parts: dict[str, Role]) -> None:
    page.add(text, 700, 300, gap=120)
    artifacts = page.settled().artifacts
    assert {a.text: a.role for a in artifacts} == parts
    assert len({a.id for a in artifacts}) == len(parts)
    assert all(a.box.width < 100 for a in artifacts if a.role is Role.PAGE_NUMBER)


@pytest.mark.parametrize("text", ["Article 11", "Now, therefore,", "The General Assembly", "Chapter 3 The lamp"])
def test_a_short_first_line_of_the_text_is_read_aloud(page: Page, text: str) -> None:
    first = page.add(text, 300, 400)
    told = [Witness(Kind.HEADER, Box(290, 390, 900, 450), 0.9)]
    assert not page.roles(told)[first].is_artifact


def test_what_stands_in_one_row_with_the_page_number_goes_with_it(page: Page) -> None:
    number, name = page.add("60", 300, 3380), page.add("THE LIGHTS GAZETTE", 1500, 3380)
    credit = page.add("PHOTO: HARBOUR OFFICE", 800, 3380)
    roles = page.roles()
    assert (roles[number], roles[name], roles[credit].is_artifact) == (Role.PAGE_NUMBER, Role.RUNNING_HEAD, False)


def test_small_type_after_a_mark_at_the_foot_is_a_note_and_so_is_what_follows(page: Page) -> None:
    note = page.add(["1 See the return of the year before, in which", "the hours are given."], 300, 2700, height=30)
    more = page.add("2 At Hallvik only.", 300, 2900, height=30)
    roles = page.roles()
    assert (roles[note], roles[more], roles["r0"]) == (Role.NOTE, Role.NOTE, Role.PARAGRAPH)


def test_the_text_goes_on_below_small_type_and_below_the_frame_of_an_initial(page: Page) -> None:
    note = page.add(["1 See the return of the year before, in which", "the hours are given."], 300, 2700, height=30)
    last = page.add(BODY, 300, 2900)
    roles = page.roles()
    assert (roles[note], roles[last]) == (Role.NOTE, Role.PARAGRAPH)
    del page.regions[-2:]
    rule = [Box(300, 2640, 600, 2644)]
    same = page.add(BODY, 300, 2700)
    assert page.roles(rules=rule)[same] is Role.NOTE
    del page.regions[-1:]
    lower = page.add([row.lower() for row in BODY], 300, 2700)
    assert page.roles(rules=rule)[lower] is Role.NOTE  # misread, below a full stop
    page.add("and was seen as far as the outer rocks by those who", 300, 2550)
    page.regions[-2:] = reversed(page.regions[-2:])
    assert page.roles(rules=rule)[lower] is Role.PARAGRAPH


def test_text_below_a_rule_across_the_page_is_no_note(page: Page) -> None:
    last = page.add(BODY, 300, 2700)
    assert page.roles(rules=[Box(300, 2640, 2200, 2644)])[last] is Role.PARAGRAPH


@pytest.mark.parametrize(("text", "gap", "role"), [
    ("DOMINICA t", 200, Role.RUNNING_HEAD), ("DOMINICA t", 60, Role.PARAGRAPH), ("DOMINICA oil", 200, Role.PARAGRAPH)
])  # fmt: skip
def test_capitals_with_a_bit_far_off_are_a_head_whose_number_was_misread(
    page: Page, text: str, gap: int, role: Role
) -> None:
    head = page.add(text, 700, 336, gap=gap)  # close over the text
    assert page.roles()[head] is role


def test_notes_beside_two_columns_and_letters_between_them_are_side_notes() -> None:
    made = Page()
    for left in (400, 1500):
        for i in range(3):
            made.add([row[:44] for row in BODY], left, 500 + 400 * i)
    note, letter = made.add(["Fables of", "the sun"], 120, 640, height=34), made.add("B", 1420, 940)
    narrow = made.add("B and", 800, 680)  # within a column
    made.add([row[:46] for row in BODY], 1380, 1700)  # with a letter run together with its line
    roles = made.roles()
    assert (roles[note], roles[letter]) == (Role.SIDE_NOTE, Role.SIDE_NOTE)
    assert roles[narrow] is not Role.SIDE_NOTE
    head = made.add("C", 800, 820)  # over a column's entries, beside which nothing stands
    assert made.roles()[head] is not Role.SIDE_NOTE


@pytest.mark.parametrize(
    ("text", "head"),
    [
        ("THE LIGHTS GAZETTE, MONDAY, JANUARY 4, 1931.", True),
        ("INSPECTION OF 4 JANUARY 1931", False),
        ("Skarnholm, Monday, January 4, 1931.", False),
    ],
)
def test_a_name_with_a_full_date_is_a_newspapers_head_without_a_rule_too(page: Page, text: str, head: bool) -> None:
    line = page.add(text, 500, 300, height=70)
    assert (page.roles()[line] is Role.RUNNING_HEAD) is head


@pytest.mark.parametrize(("text", "gap", "head"), [
    ("كتاب الأنوار مسد", 900, True), ("كتاب الأنوار مسد", 100, False), ("كتاب الأنوار الكبيرة", 900, False)
])  # fmt: skip
def test_in_a_script_without_capitals_a_bit_far_off_is_the_misread_number(
    page: Page, text: str, gap: int, head: bool
) -> None:
    line = page.add(text, 300, 300, gap=gap)
    assert (page.roles()[line] is Role.RUNNING_HEAD) is head


def test_the_year_of_the_date_in_a_head_is_no_page_number(page: Page) -> None:
    day, year = page.add("THE GAZETTE, THURSDAY, JANUARY 4", 700, 250), page.add("1951.", 2000, 250)
    assert {page.roles()[each] for each in (day, year)} == {Role.RUNNING_HEAD}
    page.regions.pop()
    number = page.add("27", 2000, 250)
    assert page.roles()[number] is Role.PAGE_NUMBER


@pytest.mark.parametrize("text", ["a 2 mu-", "E! 2 mu-", "* ij Disen"])
def test_a_catchword_goes_with_the_signature_before_it_however_that_reads(page: Page, text: str) -> None:
    catchword = page.add(text, 1350, 2480)
    assert page.roles()[catchword] is Role.ARTIFACT


@pytest.mark.parametrize(("gap", "is_artifact"), [(400, True), (20, False)])
def test_a_signature_with_specks_in_the_middle_of_the_foot_goes_with_the_catchword(
    page: Page, gap: int, is_artifact: bool
) -> None:
    last = page.add("• i a 2 mu.", 1000, 2480)
    line = page.regions[-1].lines[0]
    *marks, word = line.words
    left = marks[-1].box.right + gap
    word = word.model_copy(update={"box": word.box._replace(left=left, right=left + word.box.width)})
    line = line.model_copy(update={"words": (*marks, word), "box": union(w.box for w in (*marks, word))})
    page.regions[-1] = page.regions[-1].model_copy(update={"lines": (line,), "outline": line.box.polygon()})
    assert page.roles()[last].is_artifact == is_artifact


def test_a_large_head_beside_the_page_number_may_stand_close_over_the_text(page: Page) -> None:
    head = page.add("Commentaria", 700, 395, height=60)
    page.regions.insert(0, page.regions.pop())
    assert page.roles()[head] is Role.HEADING_1
    page.add("32", 300, 405)
    assert page.roles()[head] is Role.RUNNING_HEAD


def test_a_catchword_goes_and_a_signature_name_stays(page: Page) -> None:
    catchword = page.add("mu-", 1500, 2480)
    assert page.roles()[catchword] is Role.ARTIFACT
    page.regions.pop()
    for text in ("Sandvik", "J. Sandvik", "de Wit", "A. v. Dahl", "Dr Holm"):
        name = page.add(text, 1350, 2480)
        assert not page.roles()[name].is_artifact, text
        page.regions.pop()


def test_numbered_entries_without_marks_are_a_list(page: Page) -> None:
    entries = [page.add(f"{n} An entry of the catalogue", 300, 2500 + 70 * i) for i, n in enumerate((144, 145, 147))]
    assert {page.roles()[e] for e in entries} == {Role.LIST_ITEM}


@pytest.mark.parametrize(
    ("text", "left", "below", "found"),
    [
        ("his travels,", 800, BODY, True),  # in mid-sentence, in the middle of the head
        ("his travels,", 300, BODY, False),  # the last line of what began on the page before
        ("Natural History", 800, ["and failed on none of them, although", "the wind", "stood north"], True),
        (
            "Natural History",
            800,
            ["|", "and failed on none of them, although", "the wind"],
            False,
        ),  # an initial, unread
        ("The General Assembly", 300, ["recalling what it said in the year before,", "and noting", "it"], False),
        ("Natural History", 800, BODY, False),  # a title
    ],
)
def test_a_head_over_text_that_goes_on_in_mid_sentence_is_not_read_aloud(
    text: str, left: int, below: list[str], found: bool
) -> None:
    page = Page()
    for i, rows in enumerate((below, BODY, BODY)):
        page.add(rows, 300, 500 + 400 * i)
    head = page.add(text, left, 300)
    assert (page.roles()[head] is Role.RUNNING_HEAD) == found
