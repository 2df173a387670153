"""Text is found whatever its accents, case, line ends and direction, and replaced in one step."""

from __future__ import annotations

import re
import time
import unicodedata
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from hyalen.core.decisions.requests import (
    AcceptWord,
    Move,
    RemoveRegions,
    Request,
    SetLanguage,
    SetRole,
    SetWord,
)
from hyalen.core.model.content import Cell, PageContent, RegionKind, Role, Table
from hyalen.core.model.geometry import Box
from hyalen.core.proofing.search import PatternError, Sought, Way, check, folded, matches, passages, replacement
from hyalen.store.outcome import Stale
from hyalen.store.search import Scope
from hyalen.store.store import Store
from tests.conftest import ContentMaker, make_line
from tests.helpers import read_document

UNICODE = Path("/usr/share/unicode/CaseFolding.txt")


def found(text: str, sought: str, way: Way = Way.PART, exact: bool = False) -> list[str]:
    return [text[m.start : m.end] for m in matches(text, Sought(text=sought, way=way, exact=exact))]


def test_accents_and_case_count_only_where_they_are_meant_to() -> None:
    text = "Ærø, ÉTÉ and été; Straße, STRASSE; e\u0301te\u0301."
    assert found(text, "ete") == ["ÉTÉ", "été", "e\u0301te\u0301"]
    assert found(text, "été", exact=True) == ["été"]
    assert found(text, "strasse") == ["Straße", "STRASSE"]
    assert found("מְנוֹרָה", "מנורה") == ["מְנוֹרָה"] and found("كِتــاب", "كتاب") == ["كِتــاب"]


def test_whole_words_beginnings_parts_and_phrases() -> None:
    text = "The lamp, the lamps and a headlamp; lamp oil."
    assert found(text, "lamp") == ["lamp", "lamp", "lamp", "lamp"]
    assert found(text, "lamp", Way.WORDS) == ["lamp", "lamp"]
    assert found(text, "lam", Way.START) == ["lamp", "lamps", "lamp"]
    assert found(text, "LAMP  oil", Way.WORDS) == ["lamp oil"]


def test_patterns_with_groups_and_those_that_are_none() -> None:
    text = "No. 14 of 3.9.1931 and No. 7 of 12.10.1932"
    dates = Sought(text=r"(\d+)\.(\d+)\.(\d{4})", way=Way.PATTERN)
    assert [replacement(m, dates, r"\3-\2-\1") for m in matches(text, dates)] == ["1931-9-3", "1932-10-12"]
    with pytest.raises(PatternError, match="replacement"):
        replacement(next(iter(matches(text, dates))), dates, r"\7")
    for bad in ("(", "*a", "  "):
        with pytest.raises(PatternError):
            check(Sought(text=bad, way=Way.PATTERN))
    start = time.monotonic()
    with pytest.raises(PatternError, match="too long"):
        found("a" * 5_000 + "!", r"(a|aa|aaa)+$(?<=b)", Way.PATTERN)
    assert time.monotonic() - start < 30


@pytest.mark.skipif(not UNICODE.exists(), reason="Debian's unicode-data is not installed")
def test_case_is_folded_as_the_standard_says() -> None:
    """CaseFolding.txt, full folding (C and F): a letter and its folding compare alike."""
    seen = 0
    for line in UNICODE.read_text("utf8").splitlines():
        code, status, mapping = [*(part.strip() for part in line.split("#")[0].split(";")), "", ""][:3]
        if status in ("C", "F") and "\u0345" not in unicodedata.normalize("NFD", chr(int(code, 16))):
            seen += 1
            to = "".join(chr(int(c, 16)) for c in mapping.split())
            assert folded(chr(int(code, 16))).text == folded(to).text, line
    assert seen > 1400


@given(st.text(max_size=40), st.text(alphabet="aäbß éE", min_size=1, max_size=4))
def test_every_place_is_found_and_says_what_is_sought(text: str, sought: str) -> None:
    if not sought.strip():
        return
    plain = folded(sought).text.split()
    for each in found(text, sought):
        assert folded(each).text.split() == plain or not plain
    whole = re.search(r"\s+".join(map(re.escape, plain)), folded(unicodedata.normalize("NFC", text)).text)
    assert bool(found(unicodedata.normalize("NFC", text), sought)) == (whole is not None)


def page_of(first: str) -> PageContent:
    text = "The keeper of Torgnrun writes that the har-\nbour light burnt all night at Torgnrun."
    return ContentMaker().add(Role.HEADING_1, first).add(Role.PARAGRAPH, text).page()


PAGE, OTHER = page_of("The light at Torgnrun"), page_of("A report from Torgnrun, 12 May")


@pytest.fixture
def store(tmp_path: Path) -> Store:
    return Store(tmp_path / "data")


def report(store: Store, page_id: int) -> str:
    content = store.pages.content(page_id)
    assert content is not None
    return max((r.text for r in content.everything), key=len)


def test_words_are_found_over_line_ends_with_their_ink(store: Store) -> None:
    document, ids = read_document(store, [PAGE, OTHER])
    told = store.search.find(Sought(text="harbour light", way=Way.WORDS), Scope(document))
    assert told.total == 2 and [h.page_id for h in told.hits] == ids
    hit = told.hits[0]
    assert [span.line for span in hit.words] == [0, 1, 1] and hit.before.endswith("writes that the ")
    texts = {w.id: (w.text, w.box) for w in PAGE.words}
    assert [texts[span.word_id] for span in hit.words] == [
        ("har-", hit.words[0].box), ("bour", hit.words[1].box), ("light", hit.words[2].box),
    ]  # fmt: skip
    assert store.search.find(Sought(text="torgnrun"), Scope(document, role="heading_1")).total == 2
    assert store.search.find(Sought(text="torgnrun"), Scope()).total == 6
    assert [store.search.places(Sought(text="torgnrun"), Scope(), most) for most in (4, 6, 9)] == [4, 6, 6]
    assert store.search.find(Sought(text="12", way=Way.WORDS), Scope(document), first=1).total == 1


def test_what_was_found_is_replaced_and_put_back_in_one_step(store: Store) -> None:
    document, ids = read_document(store, [PAGE, OTHER])
    sought, scope = Sought(text="Torgnrun", way=Way.WORDS), Scope(document)
    first = store.decisions.replace(document, sought, scope, "Torgrunn", ids[:1])
    assert first.words == 3
    last = store.journal.last(document)
    assert last is not None and last.label == "“Torgnrun” to “Torgrunn”"
    store.decisions.replace(document, sought, scope, "Torgrunn", ids[1:], change_id=last.id)
    assert store.search.find(sought, scope).total == 0
    told = store.search.find(Sought(text="torgrunn", way=Way.WORDS), scope)
    assert told.total == 6
    store.decisions.undo(document)
    assert store.search.find(sought, scope).total == 6

    hits = store.search.find(sought, scope).hits
    chosen = {(hits[1].passage_id, hits[1].match.start), (987, 0)}
    assert store.decisions.replace(document, sought, scope, "Hallvik", ids, chosen).words == 1
    text = report(store, ids[0])
    assert text == "The keeper of Hallvik writes that the har-\nbour light burnt all night at Torgnrun."
    with pytest.raises(Stale):
        store.decisions.replace(document, sought, scope, "Torgrunn", ids, change_id=999)


def test_a_text_over_a_line_end_stands_in_its_first_line_then(store: Store) -> None:
    document, ids = read_document(store, [PAGE])
    store.decisions.replace(document, Sought(text="harbour light", way=Way.WORDS), Scope(document), "haven lamp", ids)
    text = report(store, ids[0])
    assert text == "The keeper of Torgnrun writes that the haven lamp\nburnt all night at Torgnrun."
    store.decisions.undo(document)
    store.decisions.replace(document, Sought(text="the har"), Scope(document), "a har", ids)
    assert "that a har-\nbour light" in report(store, ids[0])


def with_table() -> ContentMaker:
    maker = ContentMaker()
    cells = [
        Cell(
            row=0, column=c, box=Box(100 * c, 100, 100 * c + 90, 140), lines=(make_line(text, 100 * c, 100, maker.ids),)
        )
        for c, text in enumerate(("Oil", "12"))
    ]
    return maker.add(Role.TABLE, "", kind=RegionKind.TABLE, table=Table(rows=1, columns=2, cells=tuple(cells)))


def test_cells_of_a_table_are_passages_of_their_own() -> None:
    assert [p.text for p in passages(with_table().regions[0], "eng")] == ["Oil", "12"]


def test_a_document_is_searched_alone_and_what_its_other_pages_say_is_counted(store: Store) -> None:
    first, pages = read_document(store, [PAGE, OTHER])
    second, _ = read_document(store, [OTHER])
    for way in (Way.WORDS, Way.START, Way.PART, Way.PATTERN):
        alone = store.search.find(Sought(text="keeper", way=way), Scope(first))
        assert alone.total == 2 and alone.pages == tuple(pages)
        assert store.search.find(Sought(text="keeper", way=way), Scope()).total == 3
    batch = store.documents.document(second).batch_id
    assert store.search.find(Sought(text="keeper"), Scope(batch_id=batch)).total == 1
    assert store.search.find(Sought(text="keeper"), Scope(first, language="deu")).total == 0
    assert store.search.said_elsewhere(first, pages[0], "keeper") == 1
    assert store.search.said_elsewhere(second, 0, "Keeper,") == 1
    assert store.search.said_elsewhere(first, pages[0], "—") == 0


def test_pages_that_are_taken_out_are_not_searched(store: Store) -> None:
    document, (one, _) = read_document(store, [PAGE, OTHER])
    store.settings.take_out(document, [one])
    assert store.search.find(Sought(text="keeper"), Scope(document)).total == 1
    store.decisions.undo(document)
    assert store.search.find(Sought(text="keeper"), Scope(document)).total == 2


def test_a_patterns_groups_are_put_in_on_the_page(store: Store) -> None:
    document, ids = read_document(store, [PAGE])
    sought = Sought(text=r"(\w+) of (\w+)", way=Way.PATTERN)
    store.decisions.replace(document, sought, Scope(document), r"\2's \1", ids)
    assert "The Torgnrun's keeper writes" in report(store, ids[0])
    with pytest.raises(PatternError):
        store.decisions.replace(document, Sought(text="a", way=Way.PATTERN), Scope(document), r"\9", ids)
    assert "The Torgnrun's keeper writes" in report(store, ids[0])


def test_neighbouring_places_in_one_word_are_replaced_together(store: Store) -> None:
    document, ids = read_document(store, [PAGE])
    store.decisions.replace(document, Sought(text="g"), Scope(document), "q", ids)
    text = report(store, ids[0])
    assert "Torqnrun" in text and "liqht" in text and "niqht" in text and "g" not in text
    content = store.pages.content(ids[0])
    assert content is not None and len(list(content.words)) == len(list(PAGE.words))


def test_after_each_change_all_of_the_page_is_in_the_index(store: Store) -> None:
    page = with_table().add(Role.HEADING_1, "Log").add(Role.PARAGRAPH, "One lamp\nis lit").add(Role.PARAGRAPH, "Two")
    document, (page_id,) = read_document(store, [page.page()])

    def indexed() -> list[tuple[object, ...]]:
        columns = "region_id, place, role, language, text, words"
        rows = store.database.rows(f"SELECT {columns} FROM passage WHERE page_id = ? ORDER BY place", page_id)
        return [tuple(row) for row in rows]

    def content() -> PageContent:
        told = store.pages.content(page_id)
        assert told is not None
        return told

    words = [w.id for w in content().words]
    requests: list[Request] = [
        SetWord(word_id=words[-1], text="Three"),
        AcceptWord(word_id=words[0]),
        SetRole(region_id="r3", role=Role.CAPTION),
        Move(region_id="r4", before="r1"),
        SetLanguage(region_id="r4", language="deu"),
        RemoveRegions(region_ids=("r2",)),
    ]
    for request in requests:
        store.decisions.edit(page_id, store.pages.page(page_id).revision, request)
        kept = indexed()
        with store.database.write() as db:
            db.execute("DELETE FROM passage WHERE page_id = ?", (page_id,))
            store.search.index(db, page_id, document, content())
        assert kept == indexed() and len(kept) > 3
