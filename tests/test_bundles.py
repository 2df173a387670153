"""Bundles as they are made: one PDF of many documents, read back by qpdf, poppler, pdfium, LibreOffice and the validator."""

from __future__ import annotations

import io
import json
import subprocess
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future
from pathlib import Path
from typing import Any

import docx
import numpy as np
import openpyxl
import pikepdf
import pypdfium2
import pytest
from fastapi.testclient import TestClient

from hyalen.core.bundling.arranging import put_in, tell
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.put_together import ranges
from hyalen.core.model.bundle import BundleRules, BundleState, Entry, MarkKind
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.geometry import Box
from hyalen.demo.inquiry import LATE, bind_inquiry
from hyalen.store.bundles import BundleFile, BundleWish, Mark
from hyalen.store.store import Store
from hyalen.web.app import make_app
from hyalen.work.bundle_jobs import make_part
from hyalen.work.bundle_orders import view_of
from hyalen.work.bundling import Bundling
from hyalen.work.foreman import Foreman
from hyalen.work.workers import Job
from tests.conftest import ContentMaker, Judge
from tests.helpers import HERE, AtOnce, cleaned, read_document

Make = Callable[..., list[BundleFile]]


class Counting(AtOnce):
    """Remembers which documents it made parts of."""

    def __init__(self) -> None:
        self.parts: list[str] = []

    def submit(self, job: Job) -> Future[Any]:
        if job.function is make_part:
            self.parts.append(job.arguments[2])
        return super().submit(job)


def picture(content: PageContent, ink: Sequence[Box] = ()) -> bytes:
    """A page's picture: a bar for each word, and more ink."""
    page = np.full((content.height, content.width), 250, np.uint8)
    words = [w.box for r in content.everything for line in r.all_lines for w in line.words]
    for box in [*words, *ink]:
        page[box.top : box.bottom : 3, box.left : box.right] = 30
    return encode_jpeg(page)


def add(store: Store, contents: Sequence[PageContent], title: str, date: str = "", ink: Sequence[Box] = ()) -> int:
    """A document whose pages have pictures."""
    first = contents[0]
    image = store.blobs.put(picture(first, ink))
    how = cleaned(width=first.width, height=first.height, trim=(0, 0, first.width, first.height))
    document, _ = read_document(store, contents, image=image, how=how)
    store.settings.entitle(document, title)
    if date:
        told = store.documents.document(document).particulars.model_copy(update={"date": date})
        store.settings.tell(document, told)
    return document


def letter(*texts: str) -> list[PageContent]:
    return [
        ContentMaker().add(Role("heading_1"), f"{t} head").add(Role.PARAGRAPH, f"{t} says this").page() for t in texts
    ]


class Bench:
    """A store with what makes bundles of it."""

    def __init__(self, data: Path) -> None:
        self.store = Store(data)
        self.workers = Counting()
        foreman = Foreman(self.store, 1)
        self.bundling = Bundling(self.store, foreman, 1, lambda count: self.workers)

    def bundle(self, documents: Sequence[int], **rules: Any) -> int:
        made = self.store.bundles.add("Inquiry of 1931", BundleRules(**rules))
        entries = [Entry(id=0, document_id=d, known_as=f"document {d}") for d in documents]
        self.store.bundles.change(made, 0, "documents put in", lambda s: put_in(s, entries))
        return made

    def change(self, bundle: int, how: Callable[[BundleState], BundleState]) -> None:
        self.store.bundles.change(bundle, None, "changed", how)

    def make(self, bundle: int, *kinds: str, **more: Any) -> list[BundleFile]:
        self.workers.parts.clear()
        self.bundling.ask_for(bundle, BundleWish.model_validate({"kinds": kinds or ("pdf",), **more}))
        task = self.store.bundles.next_task()
        assert task is not None
        self.bundling._do(task)
        last = self.store.bundles.task_of(bundle)
        assert last is None or last.reason == "", last
        return [f for f in self.store.bundles.files(bundle) if f.kind in (kinds or ("pdf",))]

    def path(self, file: BundleFile) -> Path:
        return self.store.blobs.path(file.blob)


@pytest.fixture
def bench(data: Path) -> Iterator[Bench]:
    made = Bench(data)
    yield made
    made.store.close()


def labels(path: Path) -> list[str]:
    """What pdfium calls the pages."""
    document = pypdfium2.PdfDocument(path)
    try:
        return [document.get_page_label(i) for i in range(len(document))]
    finally:
        document.close()


def stamps(path: Path) -> list[str]:
    """The last line that poppler finds on each page."""
    told = subprocess.run(["pdftotext", "-layout", path, "-"], capture_output=True, text=True, check=True).stdout
    return [(page.strip().splitlines() or [""])[-1].strip() for page in told.split("\f")[:-1]]


def test_labels_stamps_index_and_bookmarks_agree(bench: Bench, judge: Judge) -> None:
    documents = [
        add(bench.store, letter("alpha", "beta", "gamma"), "The log", "3 May 1931"),
        add(bench.store, letter("delta"), "رسالة"),
    ]
    bundle = bench.bundle(documents, right_hand=True, prefix="T-", size=20)
    bench.change(bundle, lambda s: put_in(s, [Entry(id=0, section=True, title="Before the loss")], 0))
    (file,) = bench.make(bundle)
    path = bench.path(file)
    assert subprocess.run(["qpdf", "--check", path], capture_output=True, check=True).returncode == 0
    assert file.pages == 7 and not file.remarks
    assert labels(path) == ["i", "", "T-1", "T-2", "T-3", "", "T-4"]
    told = stamps(path)
    assert [told[i] for i in (0, 2, 3, 4, 6)] == ["i", "T-1", "T-2", "T-3", "T-4"]
    assert told[1] == told[5] == "This page is intentionally blank"
    with pikepdf.open(path) as pdf:
        assert pdf.is_linearized
        pages = {page.objgen: i for i, page in enumerate(pdf.pages)}
        links = [pages[note.Dest[0].objgen] for note in pdf.pages[0].Annots]
        assert links == [2, 2, 2, 2, 6, 6]
        said = {str(o.ActualText) for o in pdf.objects if isinstance(o, pikepdf.Dictionary) and "/ActualText" in o}
        assert said == {"رسالة"}  # its glyphs stand from left to right
    command = ["qpdf", "--json", "--json-key=outlines", "--json-key=pagelabels", path]
    outline = json.loads(subprocess.run(command, capture_output=True, check=True).stdout)
    ranges_told = {each["index"]: each["label"] for each in outline["pagelabels"]}
    assert ranges_told[0]["/S"] == "/r" and (ranges_told[2]["/S"], ranges_told[2]["/P"]) == ("/D", "u:T-")
    found = [
        (o["title"], o["destpageposfrom1"], [(k["title"], k["destpageposfrom1"]) for k in o["kids"]])
        for o in outline["outlines"]
    ]
    assert found[0] == ("Index", 1, [])
    assert found[1][:2] == ("A Before the loss", 3) and found[1][2] == [("The log", 3), ("رسالة", 7)]
    below = outline["outlines"][1]["kids"][0]["kids"]
    assert [(k["title"], k["destpageposfrom1"]) for k in below] == [
        ("alpha head", 3),
        ("beta head", 4),
        ("gamma head", 5),
    ]
    xml = subprocess.run(
        ["pdftohtml", "-xml", "-stdout", "-i", path], capture_output=True, text=True, errors="replace", check=True
    ).stdout
    assert '<item page="3">The log</item>' in xml
    tags = subprocess.run(["pdfinfo", "-struct-text", path], capture_output=True, check=True).stdout.decode(
        errors="replace"
    )
    for said in ('"The log"', '"3 May 1931"', '"T-1"', '"alpha says this "'):
        assert said in tags
    assert tags.count("Part") == 3 and "intentionally" not in tags and tags.count("TH") >= 4 + 3
    judge.accepts(path)


def test_only_what_has_changed_is_made_again_and_late_pages_get_letters(bench: Bench, judge: Judge) -> None:
    first, second = (add(bench.store, letter(f"{t}1", f"{t}2"), t) for t in ("one", "two"))
    bundle = bench.bundle([first, second])
    bench.make(bundle)
    assert bench.workers.parts == [f"d{first}", f"d{second}"]
    bench.make(bundle)
    assert bench.workers.parts == []
    late = add(bench.store, letter("late1", "late2"), "late")
    page = bench.store.pages.read_ids(first)[0]
    bench.change(bundle, lambda s: put_in(s, [Entry(id=0, document_id=late, after_page=page)]))
    (supplement,) = bench.make(bundle, "supplement")
    assert bench.workers.parts == [f"d{late}"]
    assert labels(bench.path(supplement)) == ["i", "1a", "1b"]
    text = subprocess.run(
        ["pdftotext", "-layout", bench.path(supplement), "-"], capture_output=True, text=True, check=True
    ).stdout
    assert "Put in" in text and "1a to 1b" in text and "late1 says this" in text
    (whole,) = bench.make(bundle)
    assert labels(bench.path(whole)) == ["i", "1", "1a", "1b", "2", "3", "4"]
    bench.store.settings.entitle(second, "two, the letter")
    (whole,) = bench.make(bundle)
    assert bench.workers.parts == [f"d{second}"] and whole.pages == 7
    judge.accepts(bench.path(supplement))
    judge.accepts(bench.path(whole))


def test_a_supplement_of_some_pages_has_no_more_than_their_structure(bench: Bench, judge: Judge) -> None:
    rows = ["lamp", "hours"], ["Torgrunn", "14"]
    contents = [
        ContentMaker().add(Role("heading_1"), "Report").add(Role.PARAGRAPH, "kept words").page(),
        ContentMaker().add(Role.PARAGRAPH, "other words").table(rows).figure("A lamp").page(),
        ContentMaker().add(Role.LIST_ITEM, "1. first").add(Role.LIST_ITEM, "2. second").page(),
    ]
    document = add(bench.store, contents, "Report")
    bundle = bench.bundle([document])
    bench.make(bundle)
    page = bench.store.pages.read_ids(document)[1]
    place = [(200.0, 100.0, 300.0, 100.0, 300.0, 140.0, 200.0, 140.0)]
    bench.store.bundles.add_marks(bundle, [Mark(0, bundle, page, MarkKind.HIGHLIGHT, place, "ffd54a", "Board", "")])  # type: ignore[list-item]
    (supplement,) = bench.make(bundle, "supplement")
    assert labels(bench.path(supplement)) == ["i", "2"]
    tags = subprocess.run(
        ["pdfinfo", "-struct-text", bench.path(supplement)], capture_output=True, text=True, check=True
    ).stdout
    assert "other" in tags and "Torgrunn" in tags and "kept words" not in tags and "first" not in tags
    with pikepdf.open(bench.path(supplement)) as pdf:
        (note,) = pdf.pages[1].Annots
        assert str(note.Subtype) == "/Highlight" and str(note.Contents) == "other" and str(note.T) == "Board"
    judge.accepts(bench.path(supplement))


def test_marks_follow_their_words_and_are_for_readers(bench: Bench, judge: Judge) -> None:
    document = add(bench.store, letter("lamp"), "Letter")
    bundle = bench.bundle([document])
    (page,) = bench.store.pages.read_ids(document)
    content = bench.store.pages.content(page)
    assert content is not None
    words = [w for r in content.regions for line in r.lines for w in line.words]
    near = words[0].box
    corners = (near.left - 3.0, near.top - 2.0, near.right + 3.0, near.top - 2.0, near.right + 3.0, near.bottom + 2.0, near.left - 3.0, near.bottom + 2.0)  # fmt: skip
    marks = [Mark(0, bundle, page, kind, [corners], "8ec5ef", "Board", said) for kind, said in zip(MarkKind, ("", "side", "area", "see"), strict=True)]  # fmt: skip
    ids = bench.store.bundles.add_marks(bundle, marks)
    (file,) = bench.make(bundle)
    with pikepdf.open(bench.path(file)) as pdf:
        notes = {str(n.Subtype): n for n in pdf.pages[1].Annots}
        assert list(notes) == ["/Highlight", "/Line", "/Square", "/Text"]
        scale = 72 / 300
        left, top = (float(notes["/Highlight"].QuadPoints[i]) for i in (0, 1))
        assert (left, top) == (
            pytest.approx(near.left * scale, abs=0.01),
            pytest.approx((3508 - near.top) * scale, abs=0.01),
        )
        assert str(notes["/Highlight"].Contents) == words[0].text and str(notes["/Text"].Contents) == "see"
    judge.accepts(bench.path(file))
    bench.store.bundles.take_marks(bundle, ids)
    (file,) = bench.make(bundle)
    with pikepdf.open(bench.path(file)) as pdf:
        assert "/Annots" not in pdf.pages[1] and bench.workers.parts == [f"d{document}"]


def test_a_damaged_document_is_named_and_its_place_kept(bench: Bench, judge: Judge) -> None:
    good, bad, gone = (add(bench.store, letter(f"{t}1", f"{t}2"), t, ink=[Box(9 * i, 9, 9 * i + 5, 20)]) for i, t in enumerate(("good", "bad", "gone")))  # fmt: skip
    bundle = bench.bundle([good, bad, gone])
    bench.make(bundle)
    page = bench.store.pages.page(bench.store.pages.read_ids(bad)[0])
    bench.store.blobs.path(page.cleaned_blob or "").write_bytes(b"\xff\xd8 no picture")
    bench.store.settings.entitle(bad, "bad, the second")
    bench.store.delete_document(gone)
    (file,) = bench.make(bundle)
    assert labels(bench.path(file)) == ["i", "1", "2", "3", "4", "5"]
    assert [r.split(":")[0] for r in file.remarks] == [
        "bad, the second could not be put in",
        "document 3 could not be put in",
    ]
    text = subprocess.run(["pdftotext", bench.path(file), "-"], capture_output=True, text=True, check=True).stdout
    assert text.count("bad, the second: this document could not be put in") == 2
    assert "It was removed from its batch" in text.replace("\n", " ")
    judge.accepts(bench.path(file))


def test_volumes_have_the_whole_index_and_lead_to_what_is_theirs(bench: Bench, judge: Judge) -> None:
    bundle = bench.bundle([add(bench.store, letter(*"abc"), f"letter {n}") for n in range(3)])
    files = bench.make(bundle, most_pages=5)
    assert [(f.name, f.volume, f.pages) for f in files] == [
        (f"Inquiry-of-1931-volume-{n}.pdf", n, 4) for n in (1, 2, 3)
    ]
    assert [labels(bench.path(f)) for f in files] == [["i", "1", "2", "3"], ["i", "4", "5", "6"], ["i", "7", "8", "9"]]
    for at, file in enumerate(files):
        with pikepdf.open(bench.path(file)) as pdf:
            assert len(pdf.pages[0].Annots) == 2
            assert str(pdf.docinfo["/Title"]) == f"Inquiry of 1931, volume {at + 1} of 3"
        text = subprocess.run(
            ["pdftotext", "-l", "1", bench.path(file), "-"], capture_output=True, text=True, check=True
        ).stdout
        assert all(f"letter {n}" in text for n in range(3))
    judge.accepts(bench.path(files[1]))
    whole = sum(f.size for f in files)
    small = bench.make(bundle, most_bytes=whole // 2)
    assert len(small) > 1 and all(f.size <= whole // 2 for f in small)


def test_pages_of_any_size_are_numbered_and_one_without_room_is_made_smaller(bench: Bench, judge: Judge) -> None:
    full = ContentMaker().add(Role("heading_1"), "full").add(Role.PARAGRAPH, "full page").figure("A chart").page()
    wide = ContentMaker().add(Role.PARAGRAPH, "wide").page().model_copy(update={"width": 3508, "height": 2480})
    ticket = ContentMaker(top=60).add(Role.PARAGRAPH, "ticket").page().model_copy(update={"width": 900, "height": 420})
    everywhere = [Box(0, 0, 2480, 3508)]
    documents = [
        add(bench.store, [full], "full", ink=everywhere),
        add(bench.store, [wide], "wide"),
        add(bench.store, [ticket], "ticket"),
    ]
    bundle = bench.bundle(documents, size=24, stamped=True)
    page = bench.store.pages.read_ids(documents[0])[0]
    corners = (200.0, 100.0, 480.0, 100.0, 480.0, 140.0, 200.0, 140.0)
    bench.store.bundles.add_marks(bundle, [Mark(0, bundle, page, MarkKind.AREA, [corners], "ffd54a", "", "")])
    (file,) = bench.make(bundle)
    assert stamps(bench.path(file))[1:] == ["1", "2", "3"] and labels(bench.path(file))[1:] == ["1", "2", "3"]
    with pikepdf.open(bench.path(file)) as pdf:
        first = pdf.pages[1]
        matrix = [float(v) for v in first.Contents[0].read_bytes().split()[1:7]]
        assert matrix[0] == matrix[3] == pytest.approx(1 - (15 + 0.714 * 24 + 6) / 841.92, abs=0.002)
        left, _, right, top = (float(v) for v in first.Annots[0].Rect)
        assert (
            left == pytest.approx(200 * 0.24 * matrix[0] + matrix[4], abs=2)
            and top < 841.9 - 100 * 0.24 * matrix[0] + 4
        )
        sizes = [tuple(round(float(v)) for v in p.MediaBox[2:]) for p in pdf.pages[1:]]
        assert sizes == [(595, 842), (842, 595), (216, 101)] and right < 595
        boxes = [e.A.BBox for e in pdf.objects if isinstance(e, pikepdf.Dictionary) and e.get("/S") == "/Figure"]
        assert float(boxes[0][0]) == pytest.approx(300 * 0.24 * matrix[0] + matrix[4], abs=0.1)
        with pdf.open_outline() as outline:
            head: Any = outline.root[1].children[0].destination
        up = (3508 - full.regions[0].box.top) * 0.24 + 6
        assert float(head[3]) == pytest.approx(up * matrix[3] + matrix[5], abs=0.1)
    judge.accepts(bench.path(file))


def test_pages_made_smaller_keep_their_bookmarks_in_volumes_that_part_their_document(bench: Bench) -> None:
    pages = letter("first", "second")
    bundle = bench.bundle([add(bench.store, pages, "full", ink=[Box(0, 0, 2480, 3508)])], size=24)
    files = bench.make(bundle, most_pages=2)  # the index and one page each
    assert len(files) == 2
    for file, said in zip(files, ("first head", "second head"), strict=True):
        with pikepdf.open(bench.path(file)) as pdf:
            matrix = [float(v) for v in pdf.pages[1].Contents[0].read_bytes().split()[1:7]]
            assert matrix[0] < 1
            with pdf.open_outline() as outline:
                (head,) = outline.root[1].children
            destination: Any = head.destination
            assert head.title == said and destination[0].objgen == pdf.pages[1].obj.objgen
            up = (3508 - pages[0].regions[0].box.top) * 0.24 + 6
            assert float(destination[3]) == pytest.approx(up * matrix[3] + matrix[5], abs=0.1)


def test_the_index_is_a_table_in_office_files(bench: Bench, tmp_path: Path) -> None:
    bundle = bench.bundle([add(bench.store, letter("a", "b"), "=1+1", "1931"), add(bench.store, letter("c"), "Second")])
    bench.change(bundle, lambda s: put_in(s, [Entry(id=0, section=True, title="Exhibits")], 0))
    text, sheet = sorted(bench.make(bundle, "docx", "xlsx"), key=lambda f: f.kind)
    assert bench.workers.parts == [] and bench.store.bundles.issue(bundle) is None
    document = docx.Document(io.BytesIO(bench.path(text).read_bytes()))
    (table,) = document.tables
    rows = [[c.text for c in row.cells] for row in table.rows]
    assert rows == [
        ["No.", "Document", "Date", "Page"],
        ["A", "Exhibits", "", "1"],
        ["1", "=1+1", "1931", "1"],
        ["2", "Second", "", "3"],
    ]
    assert table.rows[0]._tr.xpath("w:trPr/w:tblHeader")
    book = openpyxl.load_workbook(io.BytesIO(bench.path(sheet).read_bytes()))
    assert [[c.value or "" for c in row] for row in book["Index"].iter_rows()] == rows
    assert all(c.data_type != "f" for row in book["Index"].iter_rows() for c in row)
    source = tmp_path / "index.docx"
    source.write_bytes(bench.path(text).read_bytes())
    command = [
        "soffice",
        f"-env:UserInstallation=file://{tmp_path}/office",
        "--headless",
        "--convert-to",
        "txt:Text",
        "--outdir",
        tmp_path,
        source,
    ]
    subprocess.run(command, capture_output=True, check=True, timeout=120)
    assert "Exhibits" in (tmp_path / "index.txt").read_text("utf8")


def test_a_bundle_of_many_documents_has_an_index_of_several_pages(bench: Bench) -> None:
    documents = [add(bench.store, letter(f"n{n}"), f"Letter of the keeper, number {n}") for n in range(60)]
    bundle = bench.bundle(documents)
    (file,) = bench.make(bundle)
    assert labels(bench.path(file)) == ["i", "ii", *(str(n + 1) for n in range(60))]
    tags = subprocess.run(["pdfinfo", "-struct", bench.path(file)], capture_output=True, text=True, check=True).stdout
    assert tags.count("Table") == 1 and tags.count("  TR") == 61  # the header row that is repeated is no row


def test_what_was_under_way_goes_on_and_what_is_stopped_ends(bench: Bench) -> None:
    bundle = bench.bundle([add(bench.store, letter("a"), "a")])
    bench.bundling.ask_for(bundle, BundleWish(kinds=("pdf",)))
    assert bench.store.bundles.next_task() is not None and bench.store.bundles.next_task() is None
    bench.store.recover()
    task = bench.store.bundles.next_task()
    assert task is not None
    bench.bundling.cancel(bundle)
    bench.bundling._do(task)
    assert bench.store.bundles.files(bundle) == [] and bench.store.bundles.task_of(bundle).state == "cancelled"  # type: ignore[union-attr]
    (file,) = bench.make(bundle)
    blob = bench.path(file)
    bench.store.delete_bundle(bundle)
    assert not blob.exists() and bench.store.documents.document(1).title == "a"


def test_the_demo_has_a_bundle_with_late_pages(bench: Bench) -> None:
    add(bench.store, letter("order"), "Order for an inquiry")
    add(bench.store, letter("one", "two"), "Statement of the pilot")
    add(bench.store, letter("three"), "Stores shipped in the tender")
    add(bench.store, letter("four", "five"), LATE)
    bind_inquiry(bench.store)
    bind_inquiry(bench.store)
    (bundle,) = bench.store.bundles.all()
    rows = [(r.label, r.title, r.first) for r in view_of(bench.store, bundle.id).plan.rows]
    assert rows == [
        ("A", "Proceedings", "1"),
        ("1", "Order for an inquiry", "1"),
        ("2", "Statement of the pilot", "2"),
        ("2a", LATE, "3a"),
        ("B", "Exhibits", "4"),
        ("3", "Stores shipped in the tender", "4"),
    ]


def test_qpdf_is_told_pages_as_runs() -> None:
    assert ranges([0, 1, 2, 5, 7, 8]) == "1-3,6,8-9"


# Over HTTP


@pytest.fixture
def client(data: Path) -> Iterator[tuple[TestClient, Store]]:
    app = make_app(data, workers=1)
    store: Store = app.state.services.store
    with TestClient(app, base_url=HERE) as http:
        yield http, store


def test_a_bundle_is_put_together_over_http(client: tuple[TestClient, Store]) -> None:
    http, store = client
    one, two = (
        add(store, letter("lamp", "oil"), "The log", "3.5.1931"),
        add(store, letter("lamp"), "A letter", "1.5.1931"),
    )
    bundle = http.post("/api/bundles", json={"name": "Inquiry"}).json()
    at = f"/api/bundles/{bundle['id']}"
    refused = http.post(f"{at}/orders", json={"kinds": ["pdf"]})
    assert refused.status_code == 409 and "no documents yet" in refused.json()["detail"]
    told = http.post(f"{at}/entries", json={"revision": 0, "documents": [one, two]}).json()
    assert [(e["label"], e["title"], e["first"], e["last"]) for e in told["entries"]] == [
        ("1", "The log", "1", "2"),
        ("2", "A letter", "3", "3"),
    ]
    stale = http.post(f"{at}/sort", json={"revision": 0, "by": "date"})
    assert stale.status_code == 409 and "elsewhere" in stale.json()["detail"]
    told = http.post(f"{at}/sort", json={"revision": told["revision"], "by": "date"}).json()
    assert [e["document"] for e in told["entries"]] == [two, one] and told["undo"] == "ordered by date"
    told = http.post(f"{at}/undo").json()
    assert [e["document"] for e in told["entries"]] == [one, two] and told["redo"] == "ordered by date"
    first = told["entries"][0]["id"]
    told = http.put(
        f"{at}/entries/{first}", json={"revision": told["revision"], "title": "Fog log", "label": "E1"}
    ).json()
    assert (told["entries"][0]["label"], told["entries"][0]["title"], told["entries"][1]["label"]) == (
        "E1",
        "Fog log",
        "1",
    )
    rules = told["rules"] | {"prefix": "Q", "start": 5}
    told = http.put(f"{at}/rules", json={"revision": told["revision"], "rules": rules}).json()
    assert [s["label"] for s in http.get(f"{at}/sheets").json()] == ["Q5", "Q6", "Q7"]
    hits = http.get(f"{at}/search", params={"text": "lamp"}).json()
    assert hits["total"] == 4 and {h["label"] for h in hits["hits"]} == {"Q5", "Q7"}
    assert http.post(f"{at}/marks-of-hits", json={"text": "lamp", "name": "Board"}).json() == {"made": 4}
    marks = http.get(f"{at}/marks").json()
    assert [m["label"] for m in marks] == ["Q5", "Q5", "Q7", "Q7"] and {m["text"] for m in marks} == {"lamp"}
    http.delete(f"{at}/marks", params={"mark": [marks[0]["id"], marks[1]["id"]]}).raise_for_status()
    page = store.pages.read_ids(two)[0]
    assert len(http.get(f"{at}/pages/{page}/marks").json()) == 2
    assert http.post(f"{at}/marks", json={"page": page, "kind": "area", "boxes": [[5, 5, 5, 9]]}).status_code == 422
    listed = http.post(
        f"{at}/list", files={"file": ("list.csv", b"file,section\nA letter,Letters\n", "text/csv")}
    ).json()
    assert listed == {"entries": 2, "unused": []}
    told = http.get(at).json()
    assert [(e["section"], e["title"]) for e in told["entries"]] == [
        (True, "Letters"),
        (False, "A letter"),
        (False, "Fog log"),
    ]
    assert http.post(f"{at}/orders", json={"kinds": ["supplement"]}).status_code == 409
    http.post(f"{at}/orders", json={"kinds": ["pdf", "xlsx"]}).raise_for_status()
    end = time.monotonic() + 120
    while (work := http.get(f"{at}/work").json()) is not None:
        assert work["state"] in ("waiting", "running") and time.monotonic() < end, work
        time.sleep(0.2)
    told = http.get(at).json()
    assert [(f["kind"], f["current"]) for f in told["files"]] == [("pdf", True), ("xlsx", True)] and told["kept"]
    got = http.get(f"/api/bundle-files/{told['files'][0]['id']}/file")
    assert got.content.startswith(b"%PDF-1.7") and "Inquiry.pdf" in got.headers["content-disposition"]
    store.settings.entitle(two, "Another letter")
    told = http.get(at).json()
    assert told["changed"] == 1 and [f["current"] for f in told["files"]] == [False, False]
    assert [c["says"] for c in http.get(f"{at}/changes").json()] == ["Index entry changed"]
    assert http.delete(at).status_code == 204 and http.get(at).status_code == 404
    assert store.documents.document(one).title == "The log"


def test_redacted_words_stand_in_no_index(client: tuple[TestClient, Store]) -> None:
    http, store = client
    document = add(store, letter("lamp"), "Solveig papers")
    page = store.pages.read_ids(document)[0]
    content = store.pages.content(page)
    assert content is not None
    box = content.regions[0].lines[0].words[0].box
    store.settings.entitle(document, "lamp papers")
    operation = {"op": "redact_areas", "areas": [[list(p) for p in box.polygon()]]}
    answer = http.post(
        f"/api/pages/{page}/edits", json={"revision": store.pages.page(page).revision, "operation": operation}
    )
    assert answer.status_code == 200, answer.text
    bundle = store.bundles.add("Inquiry")
    store.bundles.change(bundle, 0, "in", lambda s: put_in(s, [Entry(id=0, document_id=document, known_as="x")]))
    assert view_of(store, bundle).plan.rows[0].title == "[redacted] papers"
    store.bundles.change(bundle, None, "told", lambda s: tell(s, 1, {"title": "Papers"}))
    assert view_of(store, bundle).plan.rows[0].title == "Papers"
