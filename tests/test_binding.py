"""Documents are split and joined, pages move between them, and nothing that was decided on a page is left behind."""

from __future__ import annotations

import random
from collections.abc import Iterator
from pathlib import Path

import pytest

from hyalen.core.decisions.requests import SetWord
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.document import Particulars
from hyalen.core.proofing.search import Sought
from hyalen.core.structure.particulars_table import read_table
from hyalen.store.outcome import Stale
from hyalen.store.search import Scope
from hyalen.store.store import Store
from tests.conftest import ContentMaker
from tests.helpers import read_document


def says(text: str) -> PageContent:
    maker = ContentMaker(top=600)
    for _ in range(3):
        maker.add(Role.PARAGRAPH, "The keepers are in good health and the lamp did not fail")
    return maker.add(Role.PARAGRAPH, f"The letter about {text} was read at the meeting").page()


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Store]:
    made = Store(tmp_path)
    yield made
    made.close()


def texts(store: Store, document: int) -> list[str]:
    """What each page says it is about."""
    found = []
    for content in store.pages.contents(document):
        words = [w.text for w in content.words]
        found.append(words[words.index("about") + 1])
    return found


def hits(store: Store, text: str, document: int) -> int:
    return store.search.find(Sought(text=text), Scope(document)).total


def one_batch(store: Store, *documents: int) -> None:
    with store.database.write() as db:
        for position, document in enumerate(documents, 1):
            db.execute("UPDATE document SET batch_id = 1, position = ? WHERE id = ?", (position, document))


def test_a_page_moves_with_its_words_doubts_and_history(store: Store) -> None:
    first, ids = read_document(store, [says(w) for w in ("alpha", "beta", "gamma")])
    second, others = read_document(store, [says("delta"), says("epsilon")])
    one_batch(store, first, second)
    content = store.pages.content(ids[1])
    assert content is not None
    word = next(w.id for w in content.words if w.text == "beta")
    store.decisions.edit(ids[1], store.pages.page(ids[1]).revision, SetWord(word_id=word, text="lantern"))
    store.decisions.edit(others[0], store.pages.page(others[0]).revision, SetWord(word_id=word, text="delta2"))
    doubts = {d.key for d in store.doubts.of_page(ids[1])}
    store.binding.move(first, [ids[1]], second, behind=others[0])
    assert (texts(store, first), texts(store, second)) == (
        ["alpha", "gamma"],
        ["delta2", "lantern", "epsilon"],
    )
    assert hits(store, "lantern", second) == 1 and hits(store, "lantern", first) == 0
    assert {d.key for d in store.doubts.of_page(ids[1])} == doubts
    # The move is a step of the other document's history, and beneath it are the page's own.
    labels = []
    while change := store.journal.last(second):
        labels.append(change.label)
        store.decisions.undo(second, change.id)
    assert len(labels) == 3 and labels[0] == "pages moved in"
    assert sorted(texts(store, second)) == ["beta", "delta", "epsilon"]
    assert store.journal.last(first) is None
    while change := store.journal.next(second):
        store.decisions.redo(second, change.id)
    assert texts(store, second) == ["delta2", "lantern", "epsilon"]
    assert len(store.documents.sources(second)) == 1  # the same file, of which both were brought in


def test_split_and_joined_again_a_document_is_what_it_was(store: Store) -> None:
    words = [f"w{n}" for n in range(7)]
    document, ids = read_document(store, [says(w) for w in words])
    store.settings.tell(document, Particulars(author="The Board", reference="SLB 1"))
    parts = store.binding.split(document, [ids[2], ids[5]])
    assert [texts(store, d) for d in (document, *parts)] == [words[:2], words[2:5], words[5:]]
    told = [store.documents.document(d) for d in parts]
    assert [d.particulars.author for d in told] == ["The Board", "The Board"]
    assert [d.source_name.rpartition(".")[0].rpartition(" part ")[2] for d in told] == ["2", "3"]
    assert [d.id for d in store.documents.of_batch(told[0].batch_id)] == [document, *parts]
    store.binding.join([document, *parts])
    assert texts(store, document) == words
    assert [d.id for d in store.documents.of_batch(told[0].batch_id)] == [document]
    for refused in ([ids[0]], [], [ids[1], 10**6]):
        with pytest.raises(Stale):
            store.binding.split(document, refused)
    with pytest.raises(Stale):
        store.binding.join([document])


def test_pages_that_were_taken_out_go_along_when_documents_are_joined(store: Store) -> None:
    first, _ = read_document(store, [says("one"), says("two")])
    second, ids = read_document(store, [says("three"), says("four")])
    one_batch(store, first, second)
    store.settings.take_out(second, [ids[1]])
    store.binding.join([first, second])
    assert texts(store, first) == ["one", "two", "three"]
    assert [p.id for p in store.pages.removed(first)] == [ids[1]]
    store.settings.put_back(first, [ids[1]])
    assert texts(store, first) == ["one", "two", "three", "four"]


@pytest.mark.parametrize("seed", range(6))
def test_whatever_is_moved_no_page_is_lost_or_twice(store: Store, seed: int) -> None:
    dice = random.Random(seed)
    documents = [read_document(store, [says(f"d{d}p{p}") for p in range(dice.randint(1, 4))])[0] for d in range(4)]
    one_batch(store, *documents)
    everything = sorted(p for d in documents for p in store.pages.ids(d))
    for _ in range(12):
        here = [d.id for d in store.documents.of_batch(1)]
        source, target = dice.choice(here), dice.choice(here)
        pages = store.pages.ids(source)
        picked = [p for p in pages if dice.random() < 0.5]
        act = dice.choice(["move", "move", "split", "join"])
        before = [texts(store, d) for d in here]
        try:
            if act == "move":
                store.binding.move(source, picked, target, dice.choice([None, *store.pages.ids(target)]))
            elif act == "split":
                store.binding.split(source, picked)
            elif len(here) > 2:
                store.binding.join([source, target])
        except Stale:
            assert [texts(store, d) for d in here] == before
        now = [d.id for d in store.documents.of_batch(1)]
        assert sorted(p for d in now for p in store.pages.ids(d)) == everything
        for document in now:
            assert store.pages.ids(document), "a document keeps a page"
            for text in texts(store, document):
                assert hits(store, text, document) == 1
            assert [p.position for p in store.pages.states(document)] == list(range(len(store.pages.ids(document))))
    assert store.database.rows("PRAGMA foreign_key_check") == []
    wrong = "SELECT 1 FROM {0} t JOIN page p ON p.id = t.page_id WHERE t.document_id != p.document_id"
    for table in ("doubt", "task", "passage", "operation", "sample"):
        assert store.database.rows(wrong.format(table)) == []


# A table of particulars

KNOWN = [
    (1, "a letter.tif", Particulars(author="Olaf", rights="free")),
    (2, "B.PDF", Particulars()),
    (3, "c.png", Particulars()),
    (4, "c.pdf", Particulars()),
]


@pytest.mark.parametrize("code", ["utf-8", "utf-8-sig", "utf-16", "cp1252"])
@pytest.mark.parametrize("between", [",", ";", "\t"])
def test_a_table_tells_documents_by_their_files(code: str, between: str) -> None:
    """As spreadsheet programs save them: RFC 4180 with quotes, other separators and codes (common practice, no source)."""
    lines = [
        ["File", "Title", "Reference", "Author"],
        ["a letter.tif", '"The ""old"" light: a, b; c"', "SLB 14/1", ""],
        ["scans\\b.pdf", "Blüse", "SLB 14/2", "Åse"],
        ["", "", "", ""],
    ]
    table = read_table("\r\n".join(between.join(row) for row in lines).encode(code), KNOWN)
    assert table.unused == []
    first, second = table.told
    assert (first.document, first.title) == (1, 'The "old" light: a, b; c')
    assert first.particulars == Particulars(author="Olaf", rights="free", reference="SLB 14/1")
    assert (second.document, second.title, second.particulars.author) == (2, "Blüse", "Åse")


def test_lines_that_are_of_no_use_are_named_and_the_rest_counts() -> None:
    data = f"file,reference\nb.pdf,1\nb.pdf,2\nno.pdf,3\nc,4\na letter,5,6\nc.png,{'x' * 300}\nc.pdf,7\n".encode()
    table = read_table(data, KNOWN)
    assert [(t.document, t.particulars.reference) for t in table.told] == [(2, "1"), (4, "7")]
    for said, line in zip(
        ("told already", "no document", "several", "3 fields", "too long"), table.unused, strict=True
    ):
        assert said in line
    for bad in (
        b"",
        b"\0\1\2",
        b"name,title\na,b\n",
        b"file,colour\na,b\n",
        b"file\na\n",
        b"file,title,title\na,b,c\n",
    ):
        with pytest.raises(ValueError):
            read_table(bad, KNOWN)
