"""Operations tied to ink: replayed, undone, and found again on a page that is read or cleaned anew."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count

import numpy as np
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from shapely import Polygon

from hyalen.core.decisions.decide import decide
from hyalen.core.decisions.difference import decisions_in, difference
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import ContentOperation, ReadAfresh, operation_from, stored
from hyalen.core.decisions.replay import perform, replay
from hyalen.core.decisions.requests import (
    AcceptDoubt,
    AcceptWord,
    AddLine,
    BreakLine,
    CutRegion,
    DrawRegion,
    EditError,
    FindLines,
    InsertLine,
    JoinLines,
    JoinWords,
    MergeCells,
    MergeRegions,
    Move,
    MoveLine,
    NestRegions,
    OmitPictures,
    PartBlock,
    PartCell,
    ReadRegions,
    RemoveLine,
    RemoveRegions,
    Request,
    SetAlternative,
    SetCell,
    SetData,
    SetHeaders,
    SetKind,
    SetLanguage,
    SetLine,
    SetRole,
    SetRoles,
    SetRunning,
    SetStyle,
    SetWord,
    SetWordLanguage,
    ShapeRegion,
    TakeOutArea,
    ThreadRegions,
    TieCaption,
)
from hyalen.core.decisions.wanted import wanted
from hyalen.core.model.content import PageContent, RegionKind, Role, Table
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box, bounds
from hyalen.core.model.grid import Grid
from hyalen.core.model.packing import packed, unpacked
from hyalen.core.model.part import PartRead
from hyalen.core.model.treatment import Mesh
from tests.conftest import ContentMaker, make_line
from tests.helpers import cleaned

READING = (
    ContentMaker().add(Role.HEADING_1, "Torgrum Station").add(Role.PARAGRAPH, "the nedle valve\nwas cleened at noon by hand")
    .figure().add(Role.PARAGRAPH, "Nothing else").add(Role.LIST_ITEM, "1. four panes").page()
)  # fmt: skip
FAST = settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
TEXTS = st.sampled_from(["", "needle", "two words", "the", "x", "éa", "three words here", "the nedle valve"])


def requests(content: PageContent) -> st.SearchStrategy[Request]:
    """Any request that the page as it is may take or refuse."""
    words = [w.id for w in content.words] or ["none"]
    regions = [r.id for r in content.everything] or ["none"]
    roles = [
        Role.HEADING_2,
        Role.PARAGRAPH,
        Role.CAPTION,
        Role.RUNNING_HEAD,
        Role.ARTIFACT,
        Role.FIGURE,
        Role.FORMULA,
        Role.SIDE_NOTE,
        Role.LIST_ITEM,
    ]
    return st.one_of(
        st.builds(SetWord, word_id=st.sampled_from(words), text=TEXTS),
        st.builds(AcceptWord, word_id=st.sampled_from(words)),
        st.builds(SetLine, region_id=st.sampled_from(regions), line=st.integers(0, 1), text=TEXTS),
        st.builds(SetRole, region_id=st.sampled_from(regions), role=st.sampled_from(roles)),
        st.builds(SetAlternative, region_id=st.sampled_from(regions), text=TEXTS, decorative=st.booleans()),
        st.builds(SetLanguage, region_id=st.sampled_from(regions), language=st.sampled_from(["fra", "heb"])),
        st.builds(Move, region_id=st.sampled_from(regions), before=st.sampled_from([*regions, None])),
        st.builds(AcceptDoubt, key=st.sampled_from(["clean:turn", *(f"tag:role:{r}" for r in regions)])),
    )


def gestures(content: PageContent) -> st.SearchStrategy[Request]:
    """Anything that a hand may do on the sheet, sensible or not."""
    ids = [r.id for r in content.everything] or ["none"]
    one, some = st.sampled_from(ids), st.lists(st.sampled_from(ids), min_size=1, max_size=4).map(tuple)
    x, y = st.integers(150, 900), st.integers(60, 700)
    corner = st.tuples(x, y)
    area = st.one_of(
        st.tuples(x, y, st.integers(5, 600), st.integers(5, 300)).map(lambda b: Box(b[0], b[1], b[0] + b[2], b[1] + b[3]).polygon()),
        st.lists(corner, min_size=3, max_size=7).map(tuple),
    )  # fmt: skip
    kind, axis, few = st.sampled_from(list(RegionKind)[:3]), st.sampled_from(["rows", "columns"]), st.integers(0, 3)
    return st.one_of(
        st.builds(DrawRegion, outline=area, kind=kind),
        st.builds(ShapeRegion, region_id=one, outline=area),
        st.builds(TakeOutArea, area=area, region_id=st.one_of(st.none(), one)),
        st.builds(CutRegion, region_id=one, start=corner, end=corner),
        st.builds(MergeRegions, region_ids=some),
        st.builds(RemoveRegions, region_ids=some),
        st.builds(SetKind, region_ids=some, kind=kind),
        st.builds(OmitPictures, region_ids=some, omitted=st.booleans()),
        st.builds(SetRoles, region_ids=some, role=st.sampled_from([Role.CAPTION, Role.ARTIFACT])),
        st.builds(ThreadRegions, region_ids=some),
        st.builds(ReadRegions, region_ids=some),
        st.builds(FindLines, region_id=one),
        st.builds(MoveLine, region_id=one, axis=axis, index=few, to=y),
        st.builds(AddLine, region_id=one, axis=axis, at=y),
        st.builds(RemoveLine, region_id=one, axis=axis, index=few),
        st.builds(MergeCells, region_id=one, row=few, column=few, row_span=st.integers(1, 2), column_span=st.integers(1, 2)),
        st.builds(PartCell, region_id=one, row=few, column=few),
        st.builds(SetHeaders, region_id=one, rows=few, columns=few),
        st.builds(SetCell, region_id=one, row=few, column=few, text=st.one_of(TEXTS, st.just("two\nlines"))),
    )  # fmt: skip


def writing(content: PageContent) -> st.SearchStrategy[Request]:
    """Anything that may be typed at words and lines."""
    regions = st.sampled_from([r.id for r in content.everything] or ["none"])
    words = [w.id for w in content.words] or ["none"]
    word, line = st.sampled_from(words), st.integers(-1, 3)
    pairs = st.integers(0, max(0, len(words) - 2)).map(lambda i: tuple(words[i : i + 2] * (2 if len(words) < 2 else 1)))
    place = st.one_of(st.none(), st.tuples(*[st.integers(0, 900)] * 4))
    part = st.one_of(st.none(), st.integers(0, 5))
    return st.one_of(
        st.builds(JoinWords, word_ids=pairs),
        st.builds(BreakLine, word_id=word),
        st.builds(JoinLines, word_id=word),
        st.builds(InsertLine, region_id=regions, after=line, text=TEXTS.filter(bool), box=place),
        st.builds(PartBlock, region_id=regions, line=st.integers(0, 3)),
        st.builds(NestRegions, region_ids=regions.map(lambda r: (r,)), by=st.sampled_from([-1, 1])),
        st.builds(TieCaption, region_id=regions, to=st.one_of(st.none(), regions)),
        st.builds(SetWordLanguage, word_ids=pairs, language=st.sampled_from(["fra", "eng"])),
        st.builds(SetData, region_id=regions, rows=st.sampled_from([(), (("Year", "Lamps"), ("1921", "4"))])),
        st.builds(SetStyle, word_ids=pairs, style=st.sampled_from(list(Style)), on=st.booleans(), start=part, end=part),
        st.builds(SetRunning, region_id=regions, text=TEXTS),
    )


def read_for(content: PageContent, request: Request) -> list[PartRead]:
    """What a reader would find in the parts that are wanted: one word more in each, and a grid of two rows."""
    ids = count(1)
    found = []
    for part in wanted(content, request):
        box = bounds(part.outline)
        line = make_line("further", box.left, box.top, lambda: f"p{next(ids)}", height=12)
        rows = (box.top, (box.top + box.bottom) // 2, box.bottom)
        found.append(PartRead((line,), Grid(rows=rows, columns=(box.left, box.right)) if part.grid else None))
    return found


def edited(
    data: st.DataObject, lay: Lay, most: int = 12, kinds: Callable[[PageContent], st.SearchStrategy[Request]] = requests
) -> tuple[list[ContentOperation], list[PageContent]]:
    """Some edits, one on the outcome of the other; the operations, and the content before the first and after each."""
    content, made, after = READING, list[ContentOperation](), [READING]
    for _ in range(data.draw(st.integers(1, most))):
        steps, now = [], content
        try:
            request = data.draw(kinds(content))
            operations = decide(content, request, lay, read_for(content, request))
            for operation in operations:
                now = perform(now, operation, lay)
                steps.append(now)
        except EditError:
            continue
        content = now
        made += operations
        after += steps
    return made, after


LEAST_INK = 12  # pixels
LAYS = [Lay(), Lay(cleaned(37)), Lay(cleaned(0, to_original=(0.98, -0.21, 300.0, 0.2, 0.97, 11.0, 1e-6, 2e-6, 1.0)))]


@FAST
@given(st.data())
def test_replayed_content_equals_the_edited_one_whatever_was_edited(data: st.DataObject) -> None:
    lay = data.draw(st.sampled_from(LAYS))
    made, after = edited(
        data, lay, kinds=lambda content: st.one_of(requests(content), gestures(content), writing(content))
    )
    kept = [operation_from(o.op, stored(o)) for o in made]  # as they come out of the database
    replayed = replay(READING, kept, lay)  # type: ignore[arg-type]
    assert replayed.unplaced == () and replayed.content == after[-1]
    # Undone, the content is what it was before.
    for number in range(len(made)):
        assert replay(READING, made[:number], lay).content == after[number]
    assert replay(READING, [*made, ReadAfresh()], lay).content == READING
    for content in after:
        ids = [r.id for r in content.everything]
        words = [w.id for w in content.words]
        assert len(ids) == len(set(ids)) and len(words) == len(set(words))
        for region in content.everything:
            assert Polygon(region.outline).is_valid and len(region.outline) >= 3
            assert not region.table or _tiles(region.table)


def _tiles(table: Table) -> bool:
    """Whether the cells cover each place of the grid once."""
    places = [(c.row + i, c.column + j) for c in table.cells for i in range(c.row_span) for j in range(c.column_span)]
    return sorted(places) == [(r, c) for r in range(table.rows) for c in range(table.columns)]


def words_of(content: PageContent) -> list[str]:
    return [w.text for w in content.words]


@FAST
@given(st.data())
def test_a_new_reading_keeps_every_decision_whose_ink_is_there(data: st.DataObject) -> None:
    """The page is cleaned with another cut and read with other ids and boxes a little off."""
    before, now = Lay(cleaned(0)), Lay(cleaned(120))
    made, after = edited(data, before)
    # A word split again and again has less ink than two readings' boxes differ by.
    assume(all(w.box.width > LEAST_INK for content in after for w in content.words))
    jitter = np.random.default_rng(data.draw(st.integers(0, 999)))
    reading = renumbered(READING, -120, jitter)
    replayed = replay(reading, made, now)
    assert replayed.unplaced == ()
    expected = after[-1]
    assert words_of(replayed.content) == words_of(expected)
    assert [w.state for w in replayed.content.words] == [w.state for w in expected.words]
    for now_, then in zip(replayed.content.everything, expected.everything, strict=True):
        assert (now_.role, now_.kind, now_.language, now_.alternative_text, now_.drawn) == (
            then.role, then.kind, then.language, then.alternative_text, then.drawn
        )  # fmt: skip
    assert len(replayed.content.accepted) == len(expected.accepted)


def renumbered(content: PageContent, dx: int, jitter: np.random.Generator) -> PageContent:
    """The same ink as another reading tells it: other ids, boxes a pixel or two off."""

    def box(b: Box) -> Box:
        off = jitter.integers(-2, 3, 4)
        return Box(b.left + dx + int(off[0]), b.top + int(off[1]), b.right + dx + int(off[2]), b.bottom + int(off[3]))

    regions = []
    for region in content.regions:
        lines = tuple(
            line.model_copy(
                update={
                    "box": box(line.box),
                    "words": tuple(w.model_copy(update={"id": f"n{w.id}", "box": box(w.box)}) for w in line.words),
                }
            )
            for line in region.lines
        )
        update = {"id": f"n{region.id}", "lines": lines, "outline": box(region.box).polygon()}
        regions.append(region.model_copy(update=update))
    return content.model_copy(update={"regions": tuple(regions), "width": content.width + dx})


def one(content: PageContent, request: Request, lay: Lay | None = None) -> list[ContentOperation]:
    return decide(content, request, lay or Lay())


def test_words_that_a_new_reading_parts_or_joins_are_still_the_same_ink(maker: type[ContentMaker]) -> None:
    made = one(READING, SetWord(word_id="w4", text="needle"))  # "nedle"
    content = replay(READING, made, Lay()).content
    assert content.regions[1].lines[0].text == "the needle valve"
    # The new reading has "ne dle" where "nedle" was, or all of the line as one word.
    line = READING.regions[1].lines[0]
    word = line.words[1]
    middle = (word.box.left + word.box.right) // 2
    halves = (
        word.model_copy(update={"id": "a", "text": "ne", "box": word.box._replace(right=middle - 3)}),
        word.model_copy(update={"id": "b", "text": "dle", "box": word.box._replace(left=middle + 3)}),
    )
    parted = with_first_line(READING, (line.words[0], *halves, line.words[2]))
    assert replay(parted, made, Lay()).content.regions[1].lines[0].text == "the needle valve"
    joined = one(READING, SetLine(region_id="r2", line=0, text="the nedlevalve"))
    now = with_first_line(
        READING,
        (line.words[0], word.model_copy(update={"text": "nedleva1ve", "box": Box(word.box.left, word.box.top, line.box.right, word.box.bottom)})),
    )  # fmt: skip
    assert replay(now, joined, Lay()).content.regions[1].lines[0].text == "the nedlevalve"


def with_first_line(content: PageContent, words: tuple[object, ...]) -> PageContent:
    region = content.regions[1]
    line = region.lines[0].model_copy(update={"words": words})
    changed = region.model_copy(update={"lines": (line, *region.lines[1:])})
    return content.model_copy(update={"regions": (content.regions[0], changed, *content.regions[2:])})


def test_what_a_new_reading_found_by_itself_is_not_inserted_twice() -> None:
    made = one(READING, SetLine(region_id="r2", line=0, text="the old nedle valve"))
    already = replay(READING, made, Lay()).content
    assert already.regions[1].lines[0].text == "the old nedle valve"
    assert replay(already, made, Lay()).content.regions[1].lines[0].text == "the old nedle valve"


def test_an_accepted_word_keeps_its_text_where_the_new_reading_differs() -> None:
    made = one(READING, AcceptWord(word_id="w5"))  # "valve"
    line = READING.regions[1].lines[0]
    misread = (*line.words[:2], line.words[2].model_copy(update={"text": "va1ve"}))
    content = replay(with_first_line(READING, misread), made, Lay()).content
    assert content.regions[1].lines[0].text == "the nedle valve" and content.settled == 1


def test_ink_that_is_gone_is_told(maker: type[ContentMaker]) -> None:
    made = [
        *one(READING, SetWord(word_id="w4", text="needle")),
        *one(READING, SetWord(word_id="w5", text="")),
        *one(READING, SetRole(region_id="r4", role=Role.CAPTION)),
    ]
    blank = READING.model_copy(update={"regions": READING.regions[:1]})
    # A word that was taken away is gone as it should be; the others are not dropped in silence.
    assert replay(blank, made, Lay()).unplaced == (0, 2)


def test_ink_is_found_through_turns_and_bends() -> None:
    mesh = Mesh(step=500.0, rows=9, columns=6, shifts=tuple(float(i % 23) for i in range(108)))
    turned = cleaned(0, to_original=(0.0, 1.0, 0.0, -1.0, 0.0, 2480.0, 0.0, 0.0, 1.0), turn=90)
    for how in (turned, cleaned(0, mesh=mesh)):
        lay = Lay(how)
        for word in READING.words:
            back = lay.box(lay.corners(word.box))
            assert max(abs(a - b) for a, b in zip(back, word.box, strict=True)) <= 1


@FAST
@given(st.data())
def test_what_is_only_known_by_its_outcome_becomes_operations(data: st.DataObject) -> None:
    _, after = edited(data, Lay(), most=1)
    old, new = after[0], after[-1]
    again = replay(old, difference(old, new, Lay()), Lay())
    assert again.unplaced == () and words_of(again.content) == words_of(new)
    assert [(r.id, r.role, r.alternative_text) for r in again.content.regions] == [
        (r.id, r.role, r.alternative_text) for r in new.regions
    ]
    assert again.content.accepted == new.accepted
    held = replay(new, decisions_in(new, Lay()), Lay())
    assert held.unplaced == () and words_of(held.content) == words_of(new)


def test_contents_are_packed_without_loss() -> None:
    content = replay(READING, one(READING, SetWord(word_id="w4", text="needle eye")), Lay()).content
    assert unpacked(packed(content)) == content
