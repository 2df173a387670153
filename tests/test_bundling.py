"""Bundles: numbers, late pages, labels, index, changes, volumes, lists, dates, the free place on a page."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from hyalen.core.bundling.arranging import (
    NotSo,
    arrange,
    by_date,
    by_title,
    keep,
    keeps,
    listed,
    number_anew,
    put_in,
    take_out,
    tell,
    turned,
)
from hyalen.core.bundling.arranging import given as kept_numbers
from hyalen.core.bundling.changes import ChangeKind, Issue, changes, issue_of
from hyalen.core.bundling.dates import day_of
from hyalen.core.bundling.lists import Known, read_list
from hyalen.core.bundling.numbers import NumbersFull, between, counted, key
from hyalen.core.bundling.plan import Inside, Plan, SheetKind, label_ranges, plan, told_apart
from hyalen.core.bundling.stamp import APART, place_stamp
from hyalen.core.bundling.volumes import TooSmall, volumes
from hyalen.core.imaging.margin import CELL, InkMap, ink_map
from hyalen.core.model.bundle import BundleRules, BundleState, Entry, PageNumber, StampPlace
from hyalen.core.structure.labels import page_labels

A4 = 595.28, 841.89


def number(text: str) -> PageNumber:
    digits = len(text) - len(text.lstrip("0123456789"))
    return PageNumber(value=int(text[:digits]), suffix=text[digits:])


def texts(numbers: list[PageNumber]) -> list[str]:
    return [n.text for n in numbers]


# Numbers. That late pages are 24a, 24b is common practice, no source.


@pytest.mark.parametrize(
    ("before", "after", "count", "expected"),
    [
        ("24", "25", 2, ["24a", "24b"]),
        ("24a", "24b", 2, ["24aa", "24ab"]),
        ("24b", "25", 1, ["24c"]),
        ("24", "24a", 2, ["24.1", "24.2"]),
        ("24", "30", 2, ["24a", "24b"]),
        ("24z", "25", 2, ["24za", "24zb"]),
    ],
)
def test_late_pages_are_numbered_between(before: str, after: str, count: int, expected: list[str]) -> None:
    assert texts(between(number(before), number(after), count)) == expected


def test_numbers_that_were_given_are_never_given_again() -> None:
    assert texts(between(number("24"), number("25"), 1, {number("24a")})) == ["24b"]
    kept = [number("1"), number("2"), None]
    assert texts(counted([""] * 3, kept, used={number("3")}))[2] == "4"  # page 3 is gone, its number stays its own


def test_where_no_number_is_left_it_is_said() -> None:
    with pytest.raises(NumbersFull, match=r"between 24 and 24\.1"):
        between(number("24"), number("24.1"), 1)


def test_a_page_that_was_moved_is_late_and_the_others_stay() -> None:
    kept = [number(t) for t in ("1", "2", "3", "4", "5")]
    moved = [kept[0], kept[3], kept[1], kept[2], kept[4]]
    assert texts(counted([""] * 5, moved)) == ["1", "1a", "2", "3", "5"]


@settings(max_examples=150)
@given(st.lists(st.integers(0, 12), max_size=14), st.integers(1, 4))
def test_any_late_pages_leave_the_others_as_they_are(places: list[int], rounds: int) -> None:
    numbers = counted([""] * 5, [None] * 5)
    for at in range(rounds):
        old = list(numbers)
        kept: list[PageNumber | None] = list(numbers)
        for place in places[at::rounds]:
            kept.insert(min(place, len(kept)), None)
        try:
            numbers = counted([""] * len(kept), kept)
        except NumbersFull:
            return
        assert [n for n in numbers if n in old] == old
        assert len(set(texts(numbers))) == len(numbers)
        assert [key(n) for n in numbers] == sorted(key(n) for n in numbers)


# Plans


def state_of(*documents: int, section_at: tuple[int, ...] = (), **rules: object) -> tuple[BundleState, list[Inside]]:
    """A bundle of documents of so many pages, with sections before some of them."""
    state, inside = BundleState(rules=BundleRules.model_validate(rules)), []
    for at, pages in enumerate(documents):
        if at in section_at:
            state = put_in(state, [Entry(id=0, section=True, title=f"Section {at}")])
            inside.append(Inside())
        state = put_in(state, [Entry(id=0, document_id=at + 1)])
        inside.append(Inside([100 * (at + 1) + i for i in range(pages)], f"Letter {at}", f"{at + 1}.3.1931"))
    return state, inside


def planned(state: BundleState, inside: list[Inside]) -> Plan:
    return plan(state.entries, inside, state.rules, kept_numbers(state))


def labels(made: Plan) -> list[str]:
    return [s.label for s in made.sheets]


def test_documents_begin_on_the_right_and_blanks_go_with_the_switch() -> None:
    state, inside = state_of(1, 2, 3, 1, right_hand=True)
    made = planned(state, inside)
    kinds = [s.kind for s in made.sheets]
    assert [at for at, k in enumerate(kinds) if k is SheetKind.BLANK] == [1, 7]
    assert all(row.sheet % 2 == 0 for row in made.rows)
    assert [x for x in labels(made) if x] == labels(planned(*state_of(1, 2, 3, 1)))


def test_sections_count_on_their_own() -> None:
    state, inside = state_of(2, 1, 2, section_at=(0, 1), by_section=True, prefix="T-")
    assert labels(planned(state, inside)) == ["T-A1", "T-A2", "T-B1", "T-B2", "T-B3"]
    on, inside = state_of(2, 1, start=413)
    assert labels(planned(on, inside)) == ["413", "414", "415"]


def test_late_pages_lie_within_a_document_behind_the_page_they_belong_to() -> None:
    state, inside = state_of(3, 2)
    state = keep(state, planned(state, inside))
    state = put_in(state, [Entry(id=0, document_id=9, after_page=101)])
    inside.append(Inside([901, 902], "Late"))
    made = planned(state, inside)
    assert labels(made) == ["1", "2", "2a", "2b", "3", "4", "5"]
    assert [r.label for r in made.rows] == ["1", "2", "3"]
    behind = put_in(take_out(state, [state.entries[-1].id]), [Entry(id=0, document_id=9)], behind=state.entries[0].id)
    made = planned(behind, [inside[0], inside[2], inside[1]])
    assert labels(made) == ["1", "2", "3", "3a", "3b", "4", "5"]
    assert [r.label for r in made.rows] == ["1", "1a", "2"]  # what is called exhibit 2 stays so


def test_the_place_of_a_lost_document_is_kept() -> None:
    state, inside = state_of(2, 2, 1)
    state = keep(state, planned(state, inside))
    inside[1] = Inside((), "Letter 1", "", "", "It was removed from its batch.")
    made = planned(state, inside)
    assert [s.kind for s in made.sheets][2] is SheetKind.MISSING
    assert labels(made) == ["1", "2", "3", "5"]
    found = keep(state, made), [inside[0], Inside([200, 201], "Letter 1"), inside[2]]
    assert labels(planned(*found)) == ["1", "2", "3", "4", "5"]


def test_documents_of_the_same_title_and_date_are_told_apart() -> None:
    assert told_apart([("Letter", "1931", "a.tif"), ("Letter", "1931", "b.tif"), ("Letter", "1932", "a.tif")]) == [
        "Letter (a.tif)",
        "Letter (b.tif)",
        "Letter",
    ]
    assert told_apart([("Letter", "", ""), ("Letter", "", "")]) == ["Letter (1)", "Letter (2)"]


documents = st.lists(st.integers(0, 4), min_size=0, max_size=9)


@settings(max_examples=120)
@given(documents, st.sets(st.integers(0, 8)), st.booleans(), st.booleans(), st.data())
def test_index_labels_and_sheets_agree_in_any_bundle(
    pages: list[int], sections: set[int], by_section: bool, right_hand: bool, data: st.DataObject
) -> None:
    state, inside = state_of(*pages, section_at=tuple(sections), by_section=by_section, right_hand=right_hand)
    everything = dict(zip((e.id for e in state.entries), inside, strict=True))
    for late in range(data.draw(st.integers(0, 3))):
        state = keep(state, planned(state, [everything[e.id] for e in state.entries]))
        before = {(s.entry, s.page): s.label for s in planned(state, [everything[e.id] for e in state.entries]).sheets}
        ids = [e.id for e in state.entries]
        behind = data.draw(st.sampled_from([*ids, None, 0]))
        state = put_in(state, [Entry(id=0, document_id=1000 + late)], behind)
        fresh = next(e.id for e in state.entries if e.id not in ids)
        everything[fresh] = Inside([10_000 * (late + 1) + i for i in range(data.draw(st.integers(1, 3)))], "Late")
        old = {(ids[e], p): label for (e, p), label in before.items() if p}
        now = planned(state, [everything[e.id] for e in state.entries])
        told = {(state.entries[s.entry].id, s.page): s.label for s in now.sheets if s.page}
        if not by_section and not now.trouble:
            assert {k: told[k] for k in old} == old
    made = planned(state, [everything[e.id] for e in state.entries])
    numbered = [s.label for s in made.sheets if s.kind is not SheetKind.BLANK]
    assert len(set(numbered)) == len(numbered)
    for row in made.rows:
        if row.sheet >= 0 and not row.section:
            assert made.sheets[row.sheet].label == row.first and made.sheets[row.sheet].entry == row.entry
            assert not right_hand or state.entries[row.entry].after_page or row.sheet % 2 == 0
    assert page_labels(label_ranges(2, labels(made)), 2 + len(made.sheets)) == ["i", "ii", *labels(made)]


def test_labels_are_ranges_as_in_the_standard() -> None:
    # ISO 32000-1, 12.4.2, example 1 (from memory): pages i to iv, then 1 to 3, then.
    ranges = label_ranges(4, ["1", "2", "3", "A-8", "A-9"])
    assert [(r.first, r.style.value, r.prefix, r.start) for r in ranges] == [
        (0, "r", "", 1),
        (4, "D", "", 1),
        (7, "D", "A-", 8),
    ]
    assert len(label_ranges(0, ["24", "24a", "24b", "25", "26", ""])) == 5


# What is done


def test_entries_are_arranged_sorted_and_listed() -> None:
    state, inside = state_of(1, 1, 1, section_at=(1,))
    first, section, second, third = (e.id for e in state.entries)
    assert [e.depth for e in state.entries] == [0, 0, 1, 1]
    moved = arrange(state, [(third, 3), (first, 0), (section, 0), (second, 1)])
    assert [(e.id, e.depth) for e in moved.entries] == [(third, 0), (first, 0), (section, 0), (second, 1)]
    with pytest.raises(NotSo, match="changed meanwhile"):
        arrange(state, [(first, 0)])
    dates = [i._replace(date=d) for i, d in zip(inside, ("3 May 1931", "", "9.4.1931", "1931-03-02"), strict=True)]
    assert [e.id for e in by_date(state, dates).entries] == [first, section, third, second]
    named = [i._replace(title=t) for i, t in zip(inside, ("x", "", "Letter 10", "Letter 9"), strict=True)]
    assert [e.id for e in by_title(state, named).entries] == [first, section, third, second]
    begun = put_in(state, [Entry(id=0, section=True, title="All")], 0)
    assert [e.depth for e in begun.entries] == [0, 1, 0, 1, 1] and begun.entries[0].label == "B"
    assert put_in(state, [Entry(id=0, document_id=1)]).entries == state.entries


def test_a_list_orders_and_names_what_it_cannot_use() -> None:
    known = [Known(1, "a.tif", "Box 1", "Letter"), Known(2, "b.pdf", "Box 1", ""), Known(3, "b.pdf", "Box 2", "")]
    table = "file;section;title;date;label\nBox 2/b.pdf;Exhibits;The log;3.4.1931;E1\n;Letters;;;L\na;;;;\nb.pdf;;;;\nc.tif;;;;\na.tif;;;;\n"
    told = read_list(table.encode("cp1252"), known)
    assert [(e.section, e.title, e.document_id, e.label) for e in told.entries] == [
        (True, "Exhibits", None, ""),
        (False, "The log", 3, "E1"),
        (True, "Letters", None, "L"),
        (False, "", 1, ""),
    ]
    assert [u.split("): ")[1] for u in told.unused] == [
        "several documents have this name; put the batch before it, as in Box 14/letter.pdf",
        "no document has this name",
        "it is in the bundle already",
    ]
    with pytest.raises(ValueError, match="no column is called 'colour'"):
        read_list(b"file,colour\n", known)
    state, _ = state_of(1, 1)
    ordered = listed(state, told.entries)
    assert [(e.title, e.document_id, e.depth) for e in ordered.entries] == [
        ("Exhibits", None, 0),
        ("The log", 3, 1),
        ("Letters", None, 0),
        ("", 1, 1),
        ("", 2, 0),
    ]
    assert ordered.entries[3].id == state.entries[0].id  # what was in keeps its numbers


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("1898-03-14", (1898, 3, 14)), ("14.3.1898", (1898, 3, 14)), ("3/14/1898", (1898, 3, 14)),
        ("14 March 1898", (1898, 3, 14)), ("March 14th, 1898", (1898, 3, 14)), ("le 1er août 1898", (1898, 8, 1)),
        ("14. März 1898", (1898, 3, 14)), ("Midsummer 1931", (1931, 0, 0)), ("14 марта 1898 г.", (1898, 3, 14)),
        ("undated", None), ("", None),
    ],
)  # fmt: skip
def test_dates_are_told_as_people_write_them(text: str, expected: tuple[int, int, int] | None) -> None:
    assert day_of(text) == expected


def test_what_changed_since_is_told_and_only_that_is_a_supplement() -> None:
    state, inside = state_of(2, 1, 1)
    made = planned(state, inside)
    marks = {p: "x" for i in inside for p in i.pages}
    before = issue_of(made, state.entries, marks)
    state = keep(state, made)
    gone = state.entries[2].id
    state = tell(take_out(state, [gone]), state.entries[0].id, {"title": "The log"})
    state = put_in(state, [Entry(id=0, document_id=9, after_page=100)])
    inside = [inside[0], inside[1], Inside([901], "Late")]
    now = planned(state, inside)
    issue = issue_of(now, state.entries, marks | {901: "x", 200: "y"})
    found = changes(before, issue, range(len(now.sheets)))
    assert {(c.kind, c.title, c.labels) for c in found.told} == {
        (ChangeKind.PUT_IN, "Late", "1a"),
        (ChangeKind.CHANGED, "Letter 1", "3"),
        (ChangeKind.SAYS_ELSE, "The log", ""),
        (ChangeKind.TAKEN_OUT, "Letter 2", "4"),
    }
    assert [now.sheets[at].label for at in found.sheets] == ["1a", "3"]
    assert changes(issue, issue, range(len(now.sheets))) == ([], [])
    assert changes(Issue(), Issue(), []).told == []


def test_undo_keeps_the_numbers_that_a_delivery_has_fixed() -> None:
    state, inside = state_of(2, 1)
    moved = arrange(state, [(2, 0), (1, 0)])
    delivered = keep(moved, planned(moved, [inside[1], inside[0]]))
    back = turned(delivered, moved, state)
    assert [e.id for e in back.entries] == [1, 2] and back.numbers == delivered.numbers and keeps(back)
    anew = number_anew(delivered)
    assert turned(anew, delivered, anew) == anew and turned(anew, anew, delivered) == delivered


@settings(max_examples=80)
@given(documents, st.integers(3, 9), st.booleans())
def test_volumes_hold_each_sheet_once_and_no_more_than_they_may(pages: list[int], most: int, both: bool) -> None:
    state, inside = state_of(*pages, right_hand=both)
    sheets = planned(state, inside).sheets
    found = volumes(sheets, most_pages=most + 1, index_pages=1, right_hand=both)
    inside_volumes = [i for v in found for i in range(v.first, v.end)]
    left_out = set(range(len(sheets))) - set(inside_volumes)
    assert len(set(inside_volumes)) == len(inside_volumes) and all(sheets[i].kind is SheetKind.BLANK for i in left_out)
    assert all(v.end - v.first <= most and (not both or v.first % 2 == 0) for v in found)


def test_volumes_end_between_documents_and_by_bytes() -> None:
    state, inside = state_of(3, 3, 8)
    sheets = planned(state, inside).sheets
    assert [(v.first, v.end) for v in volumes(sheets, most_pages=5)] == [(0, 3), (3, 6), (6, 11), (11, 14)]
    assert [(v.first, v.end) for v in volumes(sheets, [10] * 14, most_bytes=65)] == [(0, 6), (6, 12), (12, 14)]
    with pytest.raises(TooSmall, match="Page 1 alone"):
        volumes(sheets, [100] * 14, most_bytes=50)
    with pytest.raises(TooSmall, match="behind the index"):
        volumes(sheets, most_pages=2, index_pages=2)


# The free place


def page_with(*boxes: tuple[int, int, int, int], ground: int = 250, ink: int = 20) -> np.ndarray:
    page = np.full((1754, 1240), ground, np.uint8)
    for left, top, right, bottom in boxes:
        page[top:bottom:4, left:right] = ink
    return page


def stamped(
    page: np.ndarray, place: StampPlace = StampPlace.BOTTOM_RIGHT
) -> tuple[tuple[int, int, int, int], float, bool]:
    """Where a stamp goes, in pixels at 150 dpi; by how much the page is smaller; whether it has a ground."""
    size = page.shape[1] * 72 / 150, page.shape[0] * 72 / 150
    made = place_stamp(ink_map(page, 150), size, (40.0, 12.0), place)
    px = 150 / 72
    box = made.x * px, (size[1] - made.y - 12) * px, (made.x + 40) * px, (size[1] - made.y) * px
    return (round(box[0]), round(box[1]), round(box[2]), round(box[3])), made.scale, made.ground


def test_a_number_stands_at_the_wanted_place_where_that_is_free() -> None:
    for place in StampPlace:
        (left, top, right, bottom), scale, ground = stamped(page_with((200, 200, 1000, 1500)), place)
        assert scale == 1 and not ground
        assert (bottom > 1650) == place.value.startswith("bottom") and (top < 100) == place.value.startswith("top")
        assert (left < 100) == place.value.endswith("left") and (right > 1140) == place.value.endswith("right")


@settings(max_examples=40)
@given(
    st.lists(
        st.tuples(st.integers(0, 1200), st.integers(1500, 1740), st.integers(5, 400), st.integers(2, 80)), max_size=8
    )
)
def test_no_number_touches_ink(boxes: list[tuple[int, int, int, int]]) -> None:
    page = page_with(*((x, y, x + w, y + h) for x, y, w, h in boxes))
    (left, top, right, bottom), scale, _ = stamped(page)
    if scale == 1:
        assert (page[top:bottom, left:right] > 200).all()
    else:
        assert 0.9 < scale < 1


def test_a_page_full_of_ink_gives_way_and_a_dark_ground_gets_a_light_one() -> None:
    assert stamped(page_with((0, 0, 1240, 1754)))[1] == pytest.approx(1 - (15 + 12 + 2 * APART) / (1754 * 72 / 150))
    _, scale, ground = stamped(page_with((300, 300, 900, 900), ground=40, ink=220))
    assert scale == 1 and ground
    noisy = np.clip(np.random.default_rng(3).normal(200, 6, (1754, 1240)), 0, 255).astype(np.uint8)
    assert stamped(noisy)[1] == 1  # a paper's grain is no ink
    found = ink_map(page_with((200, 200, 210, 210)), 150)
    again = InkMap.unpacked(found.packed())
    assert (again.ink == found.ink).all() and (again.dark == found.dark).all() and found.ink.sum() >= 1
    assert found.ink.shape == (round(1754 * 72 / 150 / CELL), round(1240 * 72 / 150 / CELL))
