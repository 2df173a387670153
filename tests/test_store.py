"""What is kept, and that nothing is lost or overwritten."""

from __future__ import annotations

import io
import random
import sqlite3
import threading
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from hyalen.core.decisions.requests import AcceptDoubt, AcceptWord, EditError, JoinWords, SetRole, SetWord
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.treatment import Finding, Lighten, Switch, Treatment
from hyalen.core.proofing.chance import judge
from hyalen.core.proofing.doubts import Doubt, Stage
from hyalen.core.proofing.remaining import Left
from hyalen.store.blobs import Blobs
from hyalen.store.database import Database, migrations
from hyalen.store.outcome import Stale
from hyalen.store.records import NotFound
from hyalen.store.store import Store
from tests.conftest import ContentMaker, worn
from tests.helpers import cleaned, do, read_document, read_page, waiting


@pytest.fixture
def store(data: Path) -> Store:
    return Store(data)


def page_with(text: str) -> PageContent:
    """Far enough from the edges to have no running head."""
    return ContentMaker(top=600).add(Role.HEADING_1, "Top").add(Role.PARAGRAPH, text).page()


def document_with(store: Store, *texts: str) -> tuple[int, list[int]]:
    return read_document(store, [page_with(t) for t in texts])


def text(store: Store, page_id: int) -> str:
    content = store.pages.content(page_id)
    assert content is not None
    return content.regions[1].text


def correct(store: Store, page_id: int, word: str, text: str) -> None:
    store.decisions.edit(page_id, store.pages.page(page_id).revision, SetWord(word_id=word, text=text))


def test_migrations_are_numbered_and_applied_once(data: Path) -> None:
    numbers = [int(name[:4]) for name, _ in migrations()]
    assert numbers == list(range(1, len(numbers) + 1))
    Store(data).close()
    Store(data).close()
    connection = sqlite3.connect(data / "hyalen.sqlite3")
    assert connection.execute("PRAGMA user_version").fetchone() == (numbers[-1],)
    assert connection.execute("PRAGMA journal_mode").fetchone() == ("wal",)


def test_connections_are_closed_with_their_threads(store: Store) -> None:
    def look() -> None:
        store.documents.batches()

    for _ in range(20):
        thread = threading.Thread(target=look)
        thread.start()
        thread.join()
    assert len(store.database._all) == 1


def test_blobs_are_kept_once_and_whole(tmp_path: Path) -> None:
    blobs = Blobs(tmp_path / "blobs")
    name = blobs.put(b"ink")
    assert blobs.put_stream(io.BytesIO(b"ink"), 100) == name and blobs.get(name) == b"ink"
    with pytest.raises(ValueError, match="limit"):
        blobs.put_stream(io.BytesIO(b"x" * 200), 100)
    assert [p.name for p in (tmp_path / "blobs").rglob("*") if p.is_file()] == [name]


# History


def test_undo_and_redo_survive_a_restart_and_are_named(store: Store, data: Path) -> None:
    document, (page, _) = document_with(store, "the nedle", "second")
    correct(store, page, "w3", "needle")
    store.decisions.edit(page, store.pages.page(page).revision, SetRole(region_id="r2", role=Role.CAPTION))
    store.close()
    again = Store(data)
    last = again.journal.last(document)
    assert last is not None and last.label == "caption" and again.journal.next(document) is None
    assert again.decisions.undo(document).label == "caption"
    content = again.pages.content(page)
    assert content is not None and content.regions[1].role is Role.PARAGRAPH and text(again, page) == "the needle"
    assert again.decisions.undo(document).label == "“nedle” to “needle”"
    assert text(again, page) == "the nedle"
    assert again.decisions.undo(document).label == ""
    again.close()
    third = Store(data)
    assert third.decisions.redo(document).label == "“nedle” to “needle”"
    assert third.decisions.redo(document).label == "caption"
    assert text(third, page) == "the needle" and third.decisions.redo(document).label == ""


def test_one_history_holds_all_stages(store: Store) -> None:
    document, (a, b, c) = document_with(store, "the nedle", "second", "third")
    decisions, settings_ = store.decisions, store.settings
    correct(store, a, "w3", "needle")
    settings_.entitle(document, "Letters received")
    settings_.arrange(document, [c, a, b])
    pale = Treatment(lighten=Lighten(switch=Switch.BY_HAND, strength=0.4))
    settings_.treat(document, {a: pale, b: pale})
    settings_.take_out(document, [b])
    labels = []
    while store.journal.last(document):
        labels.append(decisions.undo(document).label)
        if labels[-1] == "order of the pages":
            assert store.pages.ids(document) == [a, b, c]
    assert labels == ["1 page taken out", "treatment of 2 pages", "order of the pages", "title", "“nedle” to “needle”"]
    now = store.documents.document(document)
    assert (now.title, store.pages.page(a).treatment) == ("Some-scan", Treatment())
    while store.journal.next(document):
        decisions.redo(document)
    assert store.pages.ids(document) == [c, a] and store.documents.document(document).title == "Letters received"
    assert store.pages.page(a).treatment == pale and text(store, a) == "the needle"


def test_a_new_change_ends_what_could_be_redone(store: Store) -> None:
    document, (page,) = document_with(store, "the nedle")
    correct(store, page, "w3", "needle")
    store.decisions.undo(document)
    store.decisions.edit(page, store.pages.page(page).revision, AcceptWord(word_id="w2"))
    last = store.journal.last(document)
    assert last is not None and last.label == "“the” is right" and store.journal.next(document) is None


def test_undo_that_would_take_back_someone_elses_change_is_refused(store: Store) -> None:
    document, (page, other) = document_with(store, "the nedle", "another nedle")
    correct(store, page, "w3", "needle")
    mine = store.journal.last(document)
    correct(store, other, "w3", "noodle")
    assert mine is not None
    with pytest.raises(Stale, match="noodle"):
        store.decisions.undo(document, mine.id)
    assert text(store, other) == "another noodle"


def test_a_stale_edit_changes_nothing(store: Store) -> None:
    _, (page,) = document_with(store, "the nedle")
    revision = store.pages.page(page).revision
    store.decisions.edit(page, revision, SetWord(word_id="w3", text="needle"))
    with pytest.raises(Stale):
        store.decisions.edit(page, revision, SetWord(word_id="w3", text="noodle"))
    with pytest.raises(EditError):
        store.decisions.edit(page, revision + 1, SetWord(word_id="none", text="x"))
    assert text(store, page) == "the needle" and store.pages.page(page).revision == revision + 1


def test_one_correction_mends_the_same_misreading_everywhere_and_is_undone_at_once(store: Store) -> None:
    document, (one, two) = document_with(store, "Torgrum light at Torgrum", "from Torgrum to Hallvik")
    revision = store.pages.page(one).revision
    outcome = store.decisions.correct_everywhere(one, revision, SetWord(word_id="w2", text="Torgrunn"))
    assert (outcome.words, outcome.pages) == (3, {one, two})
    assert text(store, two) == "from Torgrunn to Hallvik"
    store.decisions.undo(document)
    assert (text(store, one), text(store, two)) == ("Torgrum light at Torgrum", "from Torgrum to Hallvik")


def test_words_a_person_settled_are_not_corrected_from_elsewhere(store: Store) -> None:
    _, (one, two) = document_with(store, "Torgrum", "Torgrum")
    store.decisions.edit(two, store.pages.page(two).revision, AcceptWord(word_id="w2"))
    revision = store.pages.page(one).revision
    assert store.decisions.correct_everywhere(one, revision, SetWord(word_id="w2", text="Torgrunn")).words == 1
    assert text(store, two) == "Torgrum"


# Reading and cleaning anew


def test_reading_again_keeps_what_was_decided_and_shows_what_finds_no_place(store: Store) -> None:
    document, (page,) = document_with(store, "the nedle valve")
    correct(store, page, "w3", "needle")
    correct(store, page, "w4", "cock")
    store.settings.read_again(document, [page], ["eng", "fra"], whole=False, keep=True)
    anew = ContentMaker(top=600)
    anew.ids()  # every id is another one
    content = anew.add(Role.HEADING_1, "Top").add(Role.PARAGRAPH, "the nedlo").page()
    do(store, waiting(store, page, "read"), content)
    assert text(store, page) == "the needle"
    (lost,) = [d for d in store.doubts.of_page(page) if d.kind == "unplaced"]
    assert "“valve” to “cock”" in lost.reason and lost.stage == Stage.READ
    # Taking the languages back brings the reading of before, without reading.
    assert store.decisions.undo(document).label == "read again"
    assert text(store, page) == "the needle cock" and not store.tasks.has_open()
    assert not [d for d in store.doubts.of_page(page) if d.kind == "unplaced"]


def test_a_page_read_again_is_judged_by_what_was_made_of_it(store: Store) -> None:
    document, (page,) = document_with(store, "the nedle valve of Skarnholm")
    store.decisions.edit(page, store.pages.page(page).revision, JoinWords(word_ids=("w4", "w5")))
    store.settings.read_again(document, [page], ["eng", "fra"], whole=False, keep=True)
    do(store, waiting(store, page, "read"), worn(page_with("the nedlo valve of Skarnholm")))
    content = store.pages.content(page)
    assert content is not None and content.regions[1].text == "the nedlo valveof Skarnholm"
    told = Left.of(each.chance for each in judge(content)).expected
    row = store.database.row("SELECT expected FROM page WHERE id = ?", page)
    assert row is not None and row["expected"] == pytest.approx(told)


def test_a_page_read_afresh_forgets_what_was_decided_until_that_is_undone(store: Store) -> None:
    document, (page,) = document_with(store, "the nedle valve")
    correct(store, page, "w3", "needle")
    store.settings.read_again(document, [page], None, whole=False, keep=False)
    assert text(store, page) == "the nedle valve"
    do(store, waiting(store, page, "read"), page_with("the nedle valve"))
    assert text(store, page) == "the nedle valve"
    store.decisions.undo(document)
    assert text(store, page) == "the needle valve"


def test_a_page_cleaned_anew_keeps_its_corrections_on_their_ink(store: Store) -> None:
    document, (page,) = document_with(store, "the nedle")
    correct(store, page, "w3", "needle")
    place = next(w.box for w in store.pages.content(page).words if w.text == "needle")  # type: ignore[union-attr]
    pale = Treatment(lighten=Lighten(switch=Switch.BY_HAND, strength=0.4))
    store.settings.treat(document, {page: pale})
    do(store, waiting(store, page, "clean"), cleaned(120))
    shifted = page_with("the nedle")
    regions = tuple(
        r.model_copy(
            update={
                "lines": tuple(
                    line.model_copy(
                        update={
                            "words": tuple(
                                w.model_copy(
                                    update={"box": w.box._replace(left=w.box.left - 120, right=w.box.right - 120)}
                                )
                                for w in line.words
                            )
                        }
                    )
                    for line in r.lines
                )
            }
        )
        for r in shifted.regions
    )
    do(store, waiting(store, page, "read"), shifted.model_copy(update={"regions": regions, "width": 2360}))
    box = next(w.box for w in store.pages.content(page).words if w.text == "needle")  # type: ignore[union-attr]
    assert box.left == place.left - 120
    store.decisions.undo(document)  # the treatment: its results are there already
    assert not store.tasks.has_open()
    assert next(w.box for w in store.pages.content(page).words if w.text == "needle") == place  # type: ignore[union-attr]


def running(store: Store, count: int = 4) -> tuple[int, list[int]]:
    """A document whose pages have a running head."""
    texts = ("Oil came by boat", "Rain fell", "The lamp was lit", "Nothing to tell", "All is well")
    pages = [
        ContentMaker().add(Role.PARAGRAPH, "Report of the Inspector").add(Role.PARAGRAPH, texts[i]).page()
        for i in range(count)
    ]
    return read_document(store, pages)


def heads(store: Store, document: int) -> list[bool]:
    """Whether each page's running head is out of its text."""
    return [any(a.role is Role.RUNNING_HEAD for a in page.artifacts) for page in store.pages.contents(document)]


def test_a_page_read_again_does_not_bring_its_running_head_back(store: Store) -> None:
    document, pages = running(store)
    assert heads(store, document) == [True] * 4
    store.settings.read_again(document, [pages[1]], ["fra"], whole=False, keep=True)
    anew = ContentMaker().add(Role.PARAGRAPH, "Report of the Inspector").add(Role.PARAGRAPH, "Rain fell").page()
    do(store, waiting(store, pages[1], "read"), anew)
    assert heads(store, document) == [True] * 4


def test_undoing_an_early_edit_keeps_the_document_settled(store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    document = store.documents.add(batch, "s.pdf", "0" * 64, 2)
    first, second = store.pages.ids(document)
    page = ContentMaker().add(Role.PARAGRAPH, "Report of the Inspector").add(Role.PARAGRAPH, "the nedle").page()
    read_page(store, first, page)
    correct(store, first, "w6", "needle")  # before the document's last page is read
    read_page(store, second, ContentMaker().add(Role.PARAGRAPH, "Report of the Inspector").page())
    assert heads(store, document) == [True, True]
    store.decisions.undo(document)
    assert heads(store, document) == [True, True]
    store.decisions.redo(document)
    content = store.pages.content(first)
    assert heads(store, document) == [True, True] and content is not None and content.regions[0].text == "the needle"


def test_what_is_set_by_hand_is_not_settled_away(store: Store) -> None:
    document, pages = running(store)
    head = store.pages.content(pages[0]).artifacts[0]  # type: ignore[union-attr]
    revision = store.pages.page(pages[0]).revision
    store.decisions.edit(pages[0], revision, SetRole(region_id=head.id, role=Role.HEADING_1))
    assert heads(store, document) == [False, True, True, True]
    store.settings.take_out(document, [pages[3]])
    assert heads(store, document) == [False, True, True]


def test_taking_out_the_last_unread_page_settles_the_document(store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    document = store.documents.add(batch, "s.pdf", "0" * 64, 3)
    a, b, c = store.pages.ids(document)
    for page in (a, b):
        read_page(store, page, ContentMaker().add(Role.PARAGRAPH, "Report of the Inspector").page())
    assert not store.documents.document(document).settled
    store.settings.take_out(document, [c])
    assert store.documents.document(document).settled and heads(store, document) == [True, True]


# Doubts


def test_doubts_follow_the_content_worst_first(store: Store) -> None:
    pages = [ContentMaker().add(Role.PARAGRAPH, text).page() for text in ("zzqk xxvb", "fine")]
    document, (page, _) = read_document(store, [worn(pages[0]), pages[1]])
    store.settings.entitle(document, "A title")
    before = store.doubts.of_document(document)
    assert {d.text for d in before} == {"zzqk", "xxvb"}
    left = store.doubts.left(document)
    assert left.words == 3 and store.doubts.worth_a_look(document, 0.99) == 2
    assert [d.weight for d in before] == sorted((d.weight for d in before), reverse=True)
    store.decisions.edit(page, store.pages.page(page).revision, AcceptWord(word_id="w2"))
    assert store.doubts.count_document(document) == {"proof": 1}
    assert store.doubts.left(document).expected < left.expected
    store.decisions.undo(document)
    assert store.doubts.count_document(document) == {"proof": 2}
    assert store.doubts.left(document) == left


def test_doubts_that_are_as_they_were_are_not_written_again(store: Store) -> None:
    document, (page,) = read_document(store, [worn(ContentMaker().add(Role.PARAGRAPH, "zzqk xxvb qqrt").page())])
    first, second, third = sorted(store.doubts.about_words(page).values(), key=lambda d: d.key)
    with store.database.write() as db:

        def written(*told: Doubt) -> int:
            before = db.total_changes
            store.doubts.set_for_page(db, page, document, told)
            return db.total_changes - before

        written(first, second, third)
        assert written(first, second, third) == 0
        changed = second.model_copy(update={"weight": 0.125})
        assert 0 < written(first, changed) <= 3  # one is gone, one is put in another's stead
    assert store.doubts.about_words(page) == {d.word_id: d for d in (first, changed)}


def test_every_doubt_is_told_however_many(store: Store) -> None:
    words = " ".join("qzxv" + "abcdefghij"[i % 10] + "kmnprstvwx"[i // 10 % 10] for i in range(90))
    document, _ = read_document(store, [worn(ContentMaker().add(Role.PARAGRAPH, words).page())] * 7)
    store.settings.entitle(document, "A title")
    whole = store.doubts.of_document(document)
    assert len(whole) == store.doubts.count_document(document)["proof"] == 630
    parts, last = [], None
    while part := store.doubts.of_document(document, limit=100, after=last):
        parts += part
        last = (part[-1].weight, part[-1].position, part[-1].key)
    assert parts == whole


def test_document_rules_are_doubts_that_can_be_accepted(store: Store) -> None:
    document, (page,) = document_with(store, "fine")
    assert [d.key for d in store.doubts.of_document(document, Stage.CHECK)] == ["check:title"]
    store.decisions.edit(page, store.pages.page(page).revision, AcceptDoubt(key="check:title"))
    assert store.doubts.of_document(document, Stage.CHECK) == []
    store.decisions.undo(document)
    store.settings.entitle(document, "Letters received")
    assert store.doubts.of_document(document, Stage.CHECK) == []


def test_cleaning_doubts_stay_with_the_page(store: Store) -> None:
    document = store.documents.add(store.documents.add_batch("b", ["eng"]), "s.png", "0" * 64, 1)
    (page,) = store.pages.ids(document)
    unsure = cleaned(blank=True, findings=(Finding(step="quality", says="blank?", confidence=0.5),))
    read_page(store, page, ContentMaker().page(), unsure)
    assert "clean:quality" in {d.key for d in store.doubts.of_document(document)}


# Tasks


def test_a_cancelled_task_writes_nothing_and_does_not_come_back(store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    document = store.documents.add(batch, "s.png", "0" * 64, 1)
    (task,) = store.tasks.next(1)
    assert store.tasks.begin(task.id)
    assert store.tasks.cancel_batch(batch) == 1
    values = {"width": 1, "height": 1, "dpi": 300, "dpi_reason": "", "kind": "scanned", "stated_turn": 0}
    assert not store.course.brought_in(task, "1" * 64, values)
    store.course.failed(task, "too late")
    assert not store.tasks.begin(task.id) and store.tasks.task(task.id).state == "cancelled"
    assert not store.pages.states(document)[0].has_original
    assert store.retry(batch) == 1 and len(store.tasks.next(9)) == 1


def test_of_two_cleanings_the_wanted_one_counts_whichever_ends_last(store: Store) -> None:
    document, (page,) = document_with(store, "text")
    pale = Treatment(lighten=Lighten(switch=Switch.BY_HAND, strength=0.4))
    bold = Treatment(lighten=Lighten(switch=Switch.BY_HAND, strength=0.9))
    store.settings.treat(document, {page: pale})
    older = waiting(store, page, "clean")
    assert store.tasks.begin(older.id)
    store.settings.treat(document, {page: bold})
    assert [t for t in store.tasks.next(9) if t.page_id == page] == []  # of a page and stage one runs at a time
    assert store.course.cleaned(older, cleaned(11), "a" * 64, "2" * 64, None)
    assert store.pages.page(page).cleaned_blob != "a" * 64
    do(store, waiting(store, page, "clean"), cleaned(22))
    assert store.pages.page(page).cleaned == cleaned(22)


def test_what_was_computed_before_is_not_computed_again(store: Store) -> None:
    document, (page,) = document_with(store, "text")
    before = store.pages.page(page)
    store.settings.treat(document, {page: Treatment(lighten=Lighten(switch=Switch.OFF))})
    store.decisions.undo(document)
    assert not store.tasks.has_open() and store.pages.page(page).cleaned_blob == before.cleaned_blob


def test_a_task_that_takes_its_worker_with_it_is_put_aside(store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    store.documents.add(batch, "s.png", "0" * 64, 1)
    for attempt in (1, 2, 3):
        (task,) = store.tasks.next(1)
        store.tasks.begin(task.id)
        assert store.tasks.task(task.id).attempts == attempt
        store.tasks.put_back(task.id)
    store.tasks.begin(task.id)
    store.tasks.put_back(task.id, counted=False)  # the cluster went, which is nobody's fault
    assert store.tasks.task(task.id).attempts == 3


# Files


def files(data: Path) -> set[str]:
    return {p.name for p in (data / "blobs").rglob("*") if p.is_file()}


def test_deleting_a_batch_removes_its_files_and_no_others(store: Store, data: Path) -> None:
    shared, own, theirs = store.blobs.put(b"both"), store.blobs.put(b"first"), store.blobs.put(b"second")
    first, second = (store.documents.add_batch(n, ["eng"]) for n in "ab")
    store.documents.add(first, "a.png", own, 1)
    store.documents.add(first, "b.png", shared, 1)
    kept = store.documents.add(second, "b.png", shared, 1)
    store.documents.add(second, "c.png", theirs, 1)
    assert store.batch_size(first) == len(b"both") + len(b"first")
    store.delete_batch(first)
    assert files(data) == {shared, theirs}
    store.delete_document(kept)
    assert files(data) == {theirs}
    with pytest.raises(NotFound):
        store.documents.batch(first)


def test_files_that_belong_to_nothing_go_at_the_next_start(store: Store, data: Path) -> None:
    kept = store.blobs.put(b"scan")
    store.documents.add(store.documents.add_batch("b", ["eng"]), "a.png", kept, 1)
    store.blobs.put(b"orphan")
    store.blobs.workplace().write_bytes(b"half written")
    store.recover()
    assert files(data) == {kept}


def test_nothing_is_removed_while_a_writer_holds_files(store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    document = store.documents.add(batch, "a.png", store.blobs.put(b"scan"), 1)
    remover = threading.Thread(target=store.delete_document, args=(document,))
    with store.blobs.held():
        name = store.blobs.put(b"scan")
        remover.start()
        remover.join(0.2)
        assert remover.is_alive()
        store.documents.add(batch, "again.png", name, 1)
    remover.join()
    assert store.blobs.get(name) == b"scan"


def test_what_is_gone_is_not_found(store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    document = store.documents.add(batch, "s.png", "0" * 64, 2)
    store.delete_document(document)
    with pytest.raises(NotFound):
        store.documents.document(document)
    assert store.tasks.next(9) == []


# Everything together, at random


@settings(
    max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.function_scoped_fixture]
)
@given(st.randoms(use_true_random=False))
def test_no_edit_that_was_acknowledged_is_lost_by_two_clients(
    tmp_path_factory: pytest.TempPathFactory, rng: random.Random
) -> None:
    """Two clients edit, undo, redo and read again at random; a model of one line of words tells what must be there."""
    directory = tmp_path_factory.mktemp("random") / "data"
    store = Store(directory)
    document, (page,) = document_with(store, "one two three four five six")
    truth: list[list[str]] = [["one", "two", "three", "four", "five", "six"]]
    ahead: list[list[str]] = []
    known = {client: store.pages.page(page).revision for client in "ab"}
    for _ in range(25):
        client, what = rng.choice("ab"), rng.choice(["edit", "edit", "edit", "undo", "redo", "read", "look", "restart"])
        if what == "look":
            known[client] = store.pages.page(page).revision
        elif what == "restart":
            store.close()
            store = Store(directory)
        elif what == "read":
            store.settings.read_again(document, [page], None, whole=False, keep=True)
            do(store, waiting(store, page, "read"), page_with("one two three four five six"))
        elif what in ("undo", "redo"):
            outcome = store.decisions.undo(document) if what == "undo" else store.decisions.redo(document)
            if outcome.label:
                here, there = (truth, ahead) if what == "undo" else (ahead, truth)
                there.append(here.pop())
        else:
            at, new = rng.randrange(6), f"x{rng.randrange(1000)}"
            words = list(store.pages.content(page).words)[1:]  # type: ignore[union-attr]
            stale = known[client] != store.pages.page(page).revision
            try:
                store.decisions.edit(page, known[client], SetWord(word_id=words[at].id, text=new))
                assert not stale
                truth.append([*truth[-1][:at], new, *truth[-1][at + 1 :]])
                ahead.clear()
            except Stale:
                assert stale
            known[client] = store.pages.page(page).revision
        assert text(store, page).split() == truth[-1]
    store.close()
    assert sqlite3.connect(directory / "hyalen.sqlite3").execute("PRAGMA integrity_check").fetchone() == ("ok",)


def test_a_database_rolls_back_what_failed(data: Path) -> None:
    store = Store(data)
    with pytest.raises(ZeroDivisionError), store.database.write() as db:
        db.execute("INSERT INTO batch (name, languages, created) VALUES ('b', '[]', 0)")
        raise ZeroDivisionError
    assert store.documents.batches() == []
    assert isinstance(store.database, Database)
