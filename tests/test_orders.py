"""What is ordered: standards, attachments, several documents as one, folders, rest and stop, cautions, posting, sets."""

from __future__ import annotations

import io
import json
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pytest
from fastapi.testclient import TestClient
from pikepdf import Array, Dictionary, Name, String

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions, Standard
from hyalen.core.formats.names import stem_by
from hyalen.core.formats.read_pdf import Locked, pdf_cautions, unlocked
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.document import Attachment, BookmarkEntry, LabelRange, LabelStyle, Part, Particulars
from hyalen.core.structure.bookmarks import HeadingPlace, bookmarks_of
from hyalen.core.structure.tree import StructureTree
from hyalen.store.sets import DeliverySet, NoSuchSet, kept_set
from hyalen.store.store import Store
from hyalen.web.answers import batch_of
from hyalen.web.app import make_app
from hyalen.web.services import Services
from hyalen.work.bundling import Bundling
from hyalen.work.foreman import Foreman
from hyalen.work.inbox import InboxKeeper
from hyalen.work.manuscript import Manuscript, Stopped
from hyalen.work.orders import orders, write_order
from hyalen.work.scanning import Scanning
from hyalen.work.workers import Job
from tests.conftest import ContentMaker, Judge
from tests.helpers import AT_ONCE, HERE, AtOnce, cleaned, read_document, read_page, until_idle

PAGE = encode_jpeg(np.full((351, 248), 240, np.uint8))


def of_each_thing() -> list[PageContent]:
    first = ContentMaker().add(Role.HEADING_1, "The lamps").add(Role.CONTENTS_ENTRY, "Of the oil 2")
    first.add(Role.LIST_ITEM, "1. One").add(Role.LIST_ITEM, "(a) part", depth=1).add(Role.QUOTATION, "Light is duty")
    first.add(Role.PARAGRAPH, "The lamp burnt* at www.lights.example and no more").add(Role.NOTE, "* in May")
    first.add(Role.RUNNING_HEAD, "Report").figure("A tower").add(Role.CAPTION, "Figure 1. The tower")
    second = ContentMaker().add(Role.HEADING_2, "Of the oil").table([["Station", "Oil"], ["Torgrunn", "4"]])
    second.add(Role.PARAGRAPH, "Un avis", language="fra").add(Role.NOTE, "Nothing refers to this")
    return [first.page(), second.page()]


@pytest.mark.parametrize("attached", [False, True])
@pytest.mark.parametrize("standard", Standard)
def test_each_standard_is_met_with_and_without_the_source(
    tmp_path: Path, judge: Judge, standard: Standard, attached: bool
) -> None:
    """PDF/A-2a, 3a, 4 and 4f, PDF/UA-1 and UA-2 by the reference validator (ISO 19005-2, -3, -4; ISO 14289-1, -2)."""
    source = tmp_path / "scan of Torgrunn.tif"
    source.write_bytes(b"II*\x00 the source")
    told = Particulars(
        author="E. Sandvik", subject="Lamps", keywords="oil", reference="SLB 14", rights="free", date="1890"
    )
    marks = [BookmarkEntry(title="The table", page=1, top=0.5), BookmarkEntry(title="Page 2", page=1)]
    tree = StructureTree("Lamps", "eng", of_each_thing(), particulars=told, bookmarks=marks)
    if attached:
        tree = replace(tree, attachments=[Attachment(str(source), source.name, "image/tiff")])
    path = tmp_path / "a.pdf"
    with path.open("w+b") as file:
        FORMATS["pdf"].write(tree, lambda _: PAGE, file, DeliveryOptions(standard=standard))
    judge.accepts(path)
    with pikepdf.open(path) as pdf:
        told_of = pdf.open_metadata()
        assert told_of["pdfaid:part"] == {Standard.PDF_1_7: "23"[attached], Standard.PDF_2_0: "4"}[standard]
        assert told_of["pdfuaid:part"] == ("1" if standard is Standard.PDF_1_7 else "2")
        assert pdf.pdf_version == ("1.7" if standard is Standard.PDF_1_7 else "2.0")
        if attached:
            assert pdf.attachments[source.name].get_file().read_bytes() == source.read_bytes()
            assert pdf.Root.AF[0].AFRelationship == Name.Source


def joined_tree(first: Sequence[PageContent], second: Sequence[PageContent]) -> StructureTree:
    middle = len(first)
    parts = [
        Part(0, middle, "First", "eng", {"SLB": "Skarnholm Lights Board"}),
        Part(middle, middle + len(second), "Second", "fra"),
    ]
    return StructureTree("Both", "eng", [*first, *second], parts=parts)


def test_nothing_goes_on_from_one_document_to_the_next(tmp_path: Path, judge: Judge) -> None:
    open_end = ContentMaker().add(Role.HEADING_1, "Oil 2").add(Role.PARAGRAPH, "The SLB lamp burnt through the")
    start = ContentMaker().add(Role.PARAGRAPH, "night of the SLB gale").add(Role.HEADING_1, "Of oil")
    start.add(Role.CONTENTS_ENTRY, "Oil 2")
    pages = [open_end.page()], [start.page()]
    tree = joined_tree(*pages)
    texts = [node.text for node in tree.nodes()]
    assert "The SLB lamp burnt through the" in texts and "night of the SLB gale" in texts
    alone = [node.text for node in StructureTree("t", "eng", [*pages[0], *pages[1]]).nodes()]
    assert "The SLB lamp burnt through the night of the SLB gale" in alone  # as one document it does
    expanded = [bool(run.expansion) for node in tree.nodes() for run in node.runs if "SLB" in run.text]
    assert expanded == [True, False]  # of the first document only
    entry = next(node for node in tree.nodes() if node.tag.value == "TOC")
    led = [w.link for child in entry.children for p in child.children[0].pieces for line in p.lines for w in line.words]
    assert not any(led)  # its heading stands in the other document
    path = tmp_path / "a.pdf"
    with path.open("w+b") as file:
        FORMATS["pdf"].write(tree, lambda _: PAGE, file, DeliveryOptions())
    judge.accepts(path)
    with pikepdf.open(path) as pdf:
        parts = [e for e in pdf.Root.StructTreeRoot.K[0].K if Name.Part == e.S]
        assert [(str(e.T), str(e.Lang)) for e in parts] == [("First", "en"), ("Second", "fr")]
        with pdf.open_outline() as outline:
            assert [(i.title, [c.title for c in i.children]) for i in outline.root] == [("First", ["Oil 2"]), ("Second", ["Of oil"])]  # fmt: skip


def test_each_document_keeps_its_own_bookmarks() -> None:
    own = [BookmarkEntry(title="By hand", page=3, depth=0)]
    parts = [Part(0, 2, "A", "eng"), Part(2, 2, "Empty", "eng"), Part(2, 4, "B", "eng", bookmarks=own)]
    found = bookmarks_of(parts, [HeadingPlace(1, 1, "One", "r1"), HeadingPlace(1, 2, "Two", "r2")])
    told = [(m.entry.title, m.entry.depth, m.entry.page) for m in found]
    assert told == [("A", 0, 0), ("One", 1, 1), ("Two", 2, 1), ("B", 0, 2), ("By hand", 1, 3)]


def test_what_stands_before_a_slash_is_a_folder() -> None:
    told = {"source": "a", "batch": "Box 7/8", "reference": "../.."}
    assert stem_by("{batch}/{source}", told) == "Box-7-8/a"
    assert stem_by("../{reference}/./{source}", told) == "a"
    assert stem_by("con/{source}/", told) == "file-con/a/document"


# Over a store


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Store]:
    made = Store(tmp_path / "data")
    image = made.blobs.put(encode_jpeg(np.full((3508, 2480), 240, np.uint8)))
    for which in (("Lamps", "Oil"), ("Boats", "Gales")):
        pages = [ContentMaker().add(Role.HEADING_1, each).add(Role.PARAGRAPH, f"Of {each}.").page() for each in which]
        read_document(made, pages, image=image, how=cleaned())
    with made.database.write() as db:  # of one batch
        db.execute("UPDATE document SET batch_id = 1, position = id")
        db.execute("UPDATE batch SET name = 'Box 7' WHERE id = 1")
    yield made
    made.close()


def done(store: Store, post: Path | None = None) -> Foreman:
    return Foreman(store, 1, make=lambda _: AtOnce(), post=post)


def test_several_become_one_with_the_labels_of_each(store: Store) -> None:
    with store.database.write() as db:
        labels = json.dumps([LabelRange(style=LabelStyle.SMALL_ROMAN).model_dump(mode="json")])
        db.execute("UPDATE document SET labels = ? WHERE id = 2", (labels,))
    (order,) = orders(store, [1, 2], "pdf", DeliveryOptions(joined=True))
    path = store.blobs.workplace()
    assert write_order(store, order, path) == 4
    tree = Manuscript(path).tree
    assert (tree.title, [p.title for p in tree.parts]) == ("Box 7", ["Some-scan", "Some-scan"])
    assert [(each.first, each.style) for each in tree.labels] == [(0, LabelStyle.DECIMAL), (2, LabelStyle.SMALL_ROMAN)]
    assert [o.documents for o in orders(store, [1, 2], "pdf", DeliveryOptions())] == [(1,), (2,)]


def test_a_file_by_other_choices_stands_beside_and_a_change_makes_both_stale(store: Store) -> None:
    foreman = done(store)
    foreman.start()
    for options in (
        DeliveryOptions(),
        DeliveryOptions(keep_running_heads=True),
        DeliveryOptions(),
        DeliveryOptions(joined=True),
    ):
        foreman.ask_for([1, 2], ["txt"], options, "E. Sandvik")
        until_idle(foreman)
    foreman.stop()
    made = store.deliveries.of_batch(1)
    assert sorted(d.name for d in made) == ["Box-7.txt", "Some-scan-2.txt", "Some-scan-3.txt", "Some-scan-4.txt", "Some-scan.txt"]  # fmt: skip
    whole = next(d for d in made if len(d.documents) == 2)
    text = store.blobs.get(whole.blob).decode()
    assert "Of Lamps." in text and "Of Gales." in text and store.deliveries.is_current(whole)
    with store.database.write() as db:
        db.execute("UPDATE document SET title = 'Other' WHERE id = 2")
    stale = {d.documents for d in made if not store.deliveries.is_current(d)}
    assert stale == {(2,), (1, 2)}
    store.forget_delivery(whole.id)
    assert len(store.deliveries.of_batch(1)) == 4 and not store.blobs.path(whole.blob).exists()


def test_a_file_is_posted_whole_and_over_none(store: Store, tmp_path: Path) -> None:
    folder = tmp_path / "out"
    (folder / "Box-7").mkdir(parents=True)
    (folder / "Box-7" / "some-scan.TXT").write_text("mine")
    foreman = done(store, folder)
    foreman.start()
    foreman.ask_for([1], ["txt"], DeliveryOptions(post=True, name="{batch}/{source}"))
    until_idle(foreman)
    foreman.post = None
    foreman.ask_for([2], ["txt"], DeliveryOptions(post=True))
    until_idle(foreman)
    foreman.stop()
    assert sorted(p.name for p in (folder / "Box-7").iterdir()) == ["Some-scan-2.txt", "some-scan.TXT"]
    assert (folder / "Box-7" / "some-scan.TXT").read_text() == "mine"
    (failed,) = store.tasks.failed(1)
    assert "--post" in failed.task.reason


def test_work_on_a_batch_rests_while_it_is_paused(store: Store) -> None:
    store.documents.pause(1, True)
    foreman = done(store)
    foreman.ask_for([1], ["txt"], DeliveryOptions())
    assert store.tasks.next(10) == []
    store.documents.pause(1, False)
    assert len(store.tasks.next(10)) == 1


class Held(AtOnce):
    """Begins jobs and ends none until it is told to."""

    def __init__(self) -> None:
        self.begun: list[tuple[Job, Future[Any]]] = []

    def submit(self, job: Job) -> Future[Any]:
        self.begun.append((job, future := Future[Any]()))
        return future

    def end(self) -> None:
        for job, future in self.begun:
            try:
                future.set_result(job.function(*job.arguments))
            except Exception as error:
                future.set_exception(error)
        self.begun.clear()


def until(true: Callable[[], object]) -> None:
    end = time.monotonic() + 30
    while not true():
        assert time.monotonic() < end
        time.sleep(0.02)


@pytest.mark.parametrize("how", ["cancelled", "deleted"])
def test_what_is_not_wanted_any_more_goes_nowhere_and_holds_nobody_up(store: Store, tmp_path: Path, how: str) -> None:
    """Its manuscript is taken away while it is written; what is made all the same is neither kept nor posted."""
    workers, folder = Held(), tmp_path / "out"
    folder.mkdir()
    foreman = Foreman(store, 1, make=lambda _: workers, post=folder)
    foreman.start()
    try:
        foreman.ask_for([1, 2], ["txt"], DeliveryOptions(post=True, joined=True))
        until(lambda: workers.begun)
        manuscript = Path(workers.begun[0][0].arguments[0])
        whole = manuscript.read_bytes()
        if how == "deleted":
            store.delete_batch(1)
        else:
            store.tasks.cancel_batch(1)
        until(lambda: not manuscript.exists())
        manuscript.write_bytes(whole)  # as if it had been read to its end already
        workers.end()
        until(foreman.idle)
        until(lambda: not foreman._running)
        other = store.documents.add_batch("Next", ["eng"])
        document = store.documents.add(other, "n.pdf", "0" * 64, 1)
        read_page(store, store.pages.ids(document)[0], ContentMaker().add(Role.PARAGRAPH, "Next.").page(), cleaned())
        foreman.ask_for([document], ["txt"], DeliveryOptions())
        until(lambda: workers.begun)
        workers.end()
        until(lambda: store.deliveries.of_batch(other))
    finally:
        workers.end()
        foreman.stop()
    assert list(folder.iterdir()) == [] and store.deliveries.of_batch(1) == []


def test_a_document_that_goes_while_it_waits_to_be_joined_is_named(store: Store) -> None:
    foreman = done(store)
    foreman.ask_for([1, 2], ["txt"], DeliveryOptions(joined=True))
    store.delete_document(2)
    given = Services(
        store,
        foreman,
        AT_ONCE,
        Scanning(store, foreman, AT_ONCE),
        InboxKeeper(store, foreman, None),
        Bundling(store, foreman, 1),
    )
    assert [m.pages for m in batch_of(given, 1).making] == [2]
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    (failed,) = store.tasks.failed(1)
    assert "no document 2" in failed.task.reason


def test_what_is_stopped_leaves_nothing(store: Store, tmp_path: Path) -> None:
    """Its manuscript is taken away, so that its writer ends at the next page."""
    (order,) = orders(store, [1], "pdf", DeliveryOptions())
    path = store.blobs.workplace()
    write_order(store, order, path)
    document = Manuscript(path)
    document.image(0)
    path.unlink()
    for read in (lambda: document.image(1), lambda: document.tree.pages[1]):
        with pytest.raises(Stopped):
            read()


def test_a_source_is_not_attached_where_parts_of_it_are_redacted(store: Store) -> None:
    (order,) = orders(store, [1], "pdf", DeliveryOptions(attach_source=True))
    store.contents.redactions = lambda _: {1: 1}  # type: ignore[method-assign, assignment]
    with pytest.raises(ValueError, match="redacted"):
        write_order(store, order, store.blobs.workplace())


def test_a_source_does_not_go_along_with_some_of_its_pages(store: Store) -> None:
    (order,) = orders(store, [1], "pdf", DeliveryOptions(attach_source=True, pages="1"))
    with pytest.raises(ValueError, match="those that are not delivered"):
        write_order(store, order, store.blobs.workplace())


def test_a_set_is_found_by_its_name(tmp_path: Path, store: Store) -> None:
    store.sets.save("Web", DeliverySet(formats=("pdf", "txt"), options=DeliveryOptions(standard=Standard.PDF_2_0)))
    assert kept_set(store.directory, "web").options.standard is Standard.PDF_2_0
    with pytest.raises(NoSuchSet, match="there are Web"):
        kept_set(store.directory, "archive")
    with pytest.raises(NoSuchSet, match="none is kept"):
        kept_set(tmp_path / "nowhere", "archive")


# Locks and signatures


def signed(path: Path) -> Path:
    pdf = pikepdf.new()
    pdf.add_blank_page()
    value = Dictionary(Type=Name.Sig, Name=String("E. Sandvik"), M=String("D:20240302101500Z"))
    pdf.Root.AcroForm = Dictionary(Fields=Array([pdf.make_indirect(Dictionary(FT=Name.Sig, T=String("s"), V=value))]))
    pdf.save(path)
    return path


def test_signatures_and_locks_are_told(tmp_path: Path) -> None:
    assert pdf_cautions(signed(tmp_path / "s.pdf")) == [
        "it is signed by E. Sandvik on 2024-03-02; what is made of it is another file, without the signature"
    ]
    pdf = pikepdf.new()
    pdf.add_blank_page()
    pdf.save(tmp_path / "o.pdf", encryption=pikepdf.Encryption(owner="x", allow=pikepdf.Permissions(extract=False)))
    (told,) = pdf_cautions(tmp_path / "o.pdf")
    assert "forbids to copy its text;" in told
    scripted = pikepdf.new()
    scripted.add_blank_page()
    scripted.Root.OpenAction = Dictionary(S=Name.JavaScript, JS=String("app.alert(1)"))
    scripted.Root.AcroForm = Dictionary(Fields=Array(), XFA=String("x"))
    scripted.save(tmp_path / "j.pdf")
    assert [c.split(",")[0] for c in pdf_cautions(tmp_path / "j.pdf")] == ["it runs scripts", "its form is of a kind that few programs read (XFA); what its pages show is what is delivered"]  # fmt: skip
    pdf.save(tmp_path / "u.pdf", encryption=pikepdf.Encryption(owner="x", user="lamp"))
    with pytest.raises(Locked):
        unlocked(tmp_path / "u.pdf", "wrong", tmp_path / "out.pdf")
    unlocked(tmp_path / "u.pdf", "lamp", tmp_path / "out.pdf")
    assert not pdf_cautions(tmp_path / "out.pdf")


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    with TestClient(make_app(tmp_path / "data", workers=1), base_url=HERE) as made:
        made.post("/api/batches", json={"name": "Box 7", "languages": ["eng"]})
        yield made


def test_a_locked_file_is_asked_about_and_opened_by_its_password(client: TestClient, tmp_path: Path) -> None:
    pdf = pikepdf.new()
    pdf.add_blank_page()
    data = io.BytesIO()
    pdf.save(data, encryption=pikepdf.Encryption(owner="x", user="lamp"))

    def bring(password: str = "") -> Any:
        files = {"files": ("locked.pdf", data.getvalue(), "application/pdf")}
        return client.post("/api/batches/1/files", files=files, data={"password": password} if password else {}).json()

    assert [p["locked"] for p in bring()["problems"]] == [True]
    assert [p["locked"] for p in bring("wrong")["problems"]] == [True]
    assert len(bring("lamp")["documents"]) == 1
    (document,) = client.get("/api/batches/1").json()["documents"]
    assert "encrypted" in document["cautions"][0] and document["note"] == ""


def test_a_file_is_not_refused_for_what_is_wrong_beside_its_pages(client: TestClient) -> None:
    pdf = pikepdf.new()
    pdf.add_blank_page()
    pdf.Root.AcroForm = Array([1, 2])
    data = io.BytesIO()
    pdf.save(data)
    files = {"files": ("odd.pdf", data.getvalue(), "application/pdf")}
    assert client.post("/api/batches/1/files", files=files).json()["problems"] == []
    (document,) = client.get("/api/batches/1").json()["documents"]
    assert "cannot be told" in document["cautions"][0]


def test_a_file_that_is_there_already_is_told(client: TestClient) -> None:
    data = io.BytesIO()
    pdf = pikepdf.new()
    pdf.add_blank_page()
    pdf.save(data)
    for name in ("one.pdf", "two.pdf"):
        client.post("/api/batches/1/files", files={"files": (name, data.getvalue(), "application/pdf")})
    notes = [d["note"] for d in client.get("/api/batches/1").json()["documents"]]
    assert notes == ["", "the same file as one.pdf"]


def test_formats_of_tables_are_made_of_documents_that_have_some(client: TestClient, tmp_path: Path) -> None:
    store: Store = client.app.state.services.store  # type: ignore[attr-defined]
    image = store.blobs.put(encode_jpeg(np.full((3508, 2480), 240, np.uint8)))
    for maker in (ContentMaker().add(Role.PARAGRAPH, "No table."), ContentMaker().table([["a", "b"], ["c", "d"]])):
        document = store.documents.add(1, "n.pdf", "0" * 64, 1)
        read_page(store, store.pages.ids(document)[0], maker.page(), cleaned(), image)
    told = client.post("/api/batches/1/names", json={"formats": ["csv", "xlsx", "txt"]}).json()
    assert [(t["format"], t["document_id"]) for t in told] == [("csv", 2), ("xlsx", 2), ("txt", 1), ("txt", 2)]
    refused = client.post("/api/batches/1/deliveries", json={"formats": ["csv"], "documents": [1]})
    assert refused.status_code == 409 and "none of these documents" in refused.json()["detail"]


def test_cautions_are_to_be_known_before_a_file_is_made(client: TestClient, tmp_path: Path) -> None:
    files = {"files": ("signed.pdf", signed(tmp_path / "s.pdf").read_bytes(), "application/pdf")}
    client.post("/api/batches/1/files", files=files)
    until = time.monotonic() + 120
    while client.get("/api/batches/1").json()["documents"][0]["busy"] and time.monotonic() < until:
        time.sleep(0.2)
    refused = client.post("/api/batches/1/deliveries", json={"formats": ["txt"]})
    assert refused.status_code == 409 and "signed by E. Sandvik" in refused.json()["detail"]
    known = {"formats": ["txt"], "knowingly": True}
    assert client.post("/api/batches/1/deliveries", json=known).status_code == 202
    posted = client.post("/api/batches/1/deliveries", json=known | {"options": {"post": True}})
    assert posted.status_code == 422 and "--post" in posted.json()["detail"]
    paused = client.put("/api/batches/1/pause", json={"paused": True}).json()
    assert paused["paused"] and not client.put("/api/batches/1/pause", json={"paused": False}).json()["paused"]
