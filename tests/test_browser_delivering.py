"""Deliver in the interface: a quality chosen by its sample, a set delivered by a key, a page redacted, its record."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pikepdf
import pytest
from playwright.sync_api import Page, expect

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.model.content import Role
from hyalen.store.store import Store
from tests.conftest import ContentMaker
from tests.helpers import WAIT, Server, cleaned, read_document, read_page, waiting


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    data = tmp_path_factory.mktemp("delivering") / "data"
    store = Store(data)
    content = ContentMaker(top=600).add(Role.HEADING_1, "Torgrunn Station").add(Role.PARAGRAPH, "The keeper Olaf Bjarnason was at the light").page()  # fmt: skip
    image = np.full((3508, 2480), 235, np.uint8)
    chance = np.random.default_rng(2).normal(0, 5, image.shape)
    image = np.clip(image + chance, 0, 255).astype(np.uint8)
    for word in content.words:
        cv2.putText(image, word.text, (word.box.left, word.box.bottom), cv2.FONT_HERSHEY_SIMPLEX, 1.1, 30, 3)
    blob = store.blobs.put(encode_jpeg(image))
    read_document(store, [content], image=blob, how=cleaned())
    read_document(store, [ContentMaker().add(Role.HEADING_1, "Hallvik Station").page()], image=blob, how=cleaned())
    with store.database.write() as db:  # of the same batch
        db.execute(
            "UPDATE document SET batch_id = 1, position = 2, source_name = 'Other.pdf', stem = 'Other' WHERE id = 2"
        )
    batch = store.documents.add_batch("Damaged", ["eng"])
    torn = store.documents.add(batch, "torn.pdf", "0" * 64, 2)
    first, second = store.pages.ids(torn)
    read_page(store, first, content, cleaned(), blob)
    task = waiting(store, second, "bring_in")
    assert store.tasks.begin(task.id)
    store.course.failed(task, "the page is damaged")
    with store.database.write() as db:
        store.contents.settle_if_read(db, torn)
    store.close()
    made = Server(data)
    yield made
    made.kill()


def test_a_quality_is_chosen_by_its_sample_and_kept_as_a_set(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/batch/1/deliver")
    page.get_by_role("button", name="See and weigh it").click()
    sample = page.get_by_role("dialog")
    expect(sample.get_by_role("img", name="Page 1, as scanned")).to_have_js_property("complete", True, timeout=WAIT)
    smallest = sample.get_by_role("button", name="Smallest")
    expect(smallest).to_contain_text("kB", timeout=WAIT)
    page.keyboard.press("3")
    expect(smallest).to_have_attribute("aria-pressed", "true")
    expect(sample.get_by_role("img", name="Page 1, smallest")).to_have_js_property("complete", True, timeout=WAIT)
    page.keyboard.press("Escape")
    page.get_by_label("Name of the set").fill("For the web")
    page.get_by_label("Name of the set").press("Enter")
    expect(page.get_by_role("button", name="For the web", exact=False).first).to_have_attribute("aria-pressed", "true")


def test_a_redacted_page_leaves_by_a_set_and_has_a_record(page: Page, server: Server, tmp_path: Path) -> None:
    server.http.put("/delivery-sets", json={"name": "Office", "formats": ["pdf"], "options": {"quality": "smallest", "name": "{source}-accessible"}})  # fmt: skip
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/read/1")
    page.get_by_role("button", name="Redact").wait_for()
    page.keyboard.press("x")
    layer = page.locator("svg.layer")
    box = layer.bounding_box()
    assert box is not None
    scale = box["width"] / 2480
    words = [
        w
        for r in server.http.get("/pages/1").json()["content"]["regions"]
        for line in r["lines"]
        for w in line["words"]
    ]
    olaf, bjarnason = (next(w["box"] for w in words if w["text"] == t) for t in ("Olaf", "Bjarnason"))
    page.mouse.move(box["x"] + (olaf[0] - 8) * scale, box["y"] + (olaf[1] - 8) * scale)
    page.mouse.down()
    page.mouse.move(box["x"] + (bjarnason[2] + 8) * scale, box["y"] + (bjarnason[3] + 8) * scale, steps=5)
    page.mouse.up()
    expect(page.locator("polygon.redacted")).to_have_count(1)
    page.keyboard.press("Escape")
    expect(page.get_by_role("button", name="Take redaction 1 back")).to_be_visible()

    page.goto(f"http://127.0.0.1:{server.port}/#/batch/1/deliver")
    office = page.get_by_role("button", name="Office", exact=False).first
    expect(office).to_be_visible()
    page.keyboard.press("Alt+2" if page.get_by_role("button", name="For the web").count() else "Alt+1")
    link = page.get_by_role("link", name="Some-scan-accessible.pdf")
    with page.expect_download(timeout=WAIT) as got:
        link.click(timeout=WAIT)
    path = tmp_path / "a.pdf"
    got.value.save_as(path)
    with pikepdf.open(path) as pdf:
        assert any(x.get("/ImageMask") for x in pdf.pages[0].Resources.XObject.values())
    file = link.get_attribute("href")
    assert file is not None
    told = server.http.get(file.removeprefix("/api").replace("/file", "/record")).json()  # either may be the first made
    assert told["documents"][0]["redacted_areas"] == 1 and told["options"]["quality"] == "smallest"


def test_several_documents_leave_as_one_file_which_is_taken_away_again(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/batch/1/deliver")
    page.get_by_label("Make one file of all documents").check()
    for name in ("DOCX, flowing text", "PDF, searchable and tagged"):
        page.get_by_label(name).uncheck()
    page.get_by_label("Plain text", exact=True).check()
    page.get_by_label("Name", exact=True).fill("{batch}/{number}")
    page.get_by_label("Name", exact=True).press("Enter")
    expect(page.get_by_text("b/joined.txt", exact=True)).to_be_visible()
    page.get_by_role("button", name="Make 1 file").click()
    link = page.get_by_role("link", name="b/joined.txt")
    with page.expect_download(timeout=WAIT) as got:
        link.click(timeout=WAIT)
    assert got.value.suggested_filename == "joined.txt"
    assert "Torgrunn Station" in (text := got.value.path().read_text("utf8")) and "Hallvik Station" in text
    page.get_by_role("button", name="Take b/joined.txt away").click()
    expect(link).to_have_count(0)


def test_a_locked_file_is_opened_by_its_password_and_delivered_knowingly(
    page: Page, server: Server, tmp_path: Path
) -> None:
    pdf = pikepdf.new()
    pdf.add_blank_page()
    pdf.save(tmp_path / "locked.pdf", encryption=pikepdf.Encryption(owner="x", user="lamp"))
    batch = server.http.post("/batches", json={"name": "Locked", "languages": ["eng"]}).json()["id"]
    page.goto(f"http://127.0.0.1:{server.port}/#/batch/{batch}/bring_in")
    page.locator("#files").set_input_files(tmp_path / "locked.pdf")
    password = page.get_by_label("Password of locked.pdf")
    password.fill("wrong", timeout=WAIT)
    password.press("Enter")
    expect(page.get_by_text("this is not its password", exact=False).first).to_be_visible(timeout=WAIT)
    password.fill("lamp")
    password.press("Enter")
    expect(page.get_by_text("it came encrypted", exact=False)).to_be_visible(timeout=WAIT)
    expect(page.get_by_text("doubts", exact=False).first).to_be_visible(timeout=WAIT)
    page.goto(f"http://127.0.0.1:{server.port}/#/batch/{batch}/deliver")
    page.get_by_role("button", name="Make", exact=False).first.click()
    asked = page.get_by_role("dialog")
    expect(asked).to_contain_text("it came encrypted")
    asked.get_by_role("button", name="Deliver", exact=True).click()
    expect(page.get_by_role("link", name="locked.", exact=False).first).to_be_visible(timeout=WAIT)


def test_what_waits_is_stopped_and_what_clashes_gets_a_number(page: Page, server: Server) -> None:
    server.http.put("/batches/1/pause", json={"paused": True})
    page.goto(f"http://127.0.0.1:{server.port}/#/batch/1/deliver")
    for name in ("DOCX, flowing text", "PDF, searchable and tagged"):
        page.get_by_label(name).uncheck()
    page.get_by_label("Markdown").check()
    page.get_by_label("Name", exact=True).fill("same")
    page.get_by_label("Name", exact=True).press("Enter")
    expect(page.get_by_text("same.md and 1 more")).to_be_visible()
    page.get_by_role("button", name="Make 2 files").click()
    expect(page.get_by_text("MD waits")).to_have_count(2)
    page.get_by_role("button", name="Stop").click()
    expect(page.get_by_text("MD waits")).to_have_count(0)
    server.http.put("/batches/1/pause", json={"paused": False})
    page.get_by_role("button", name="Make 2 files").click()
    expect(page.get_by_role("link", name="same.md", exact=True)).to_be_visible(timeout=WAIT)
    expect(page.get_by_role("link", name="same-2.md", exact=True)).to_be_visible(timeout=WAIT)


def test_pages_that_failed_are_named_before_they_are_left_out(page: Page, server: Server) -> None:
    batch = next(b["id"] for b in server.http.get("/batches").json() if b["name"] == "Damaged")
    page.goto(f"http://127.0.0.1:{server.port}/#/batch/{batch}/deliver")
    expect(page.get_by_text("Left out, not read: page 2")).to_be_visible()
    page.get_by_role("button", name="Make 2 files").click()
    asked = page.get_by_role("dialog")
    expect(asked).to_contain_text("torn.pdf: page 2 of 2")
    asked.get_by_role("button", name="Not yet").click()
    expect(page.get_by_role("link", name="torn.pdf")).to_have_count(0)
    page.get_by_role("button", name="Make 2 files").click()
    asked.get_by_role("button", name="Deliver without them").click()
    expect(page.get_by_role("link", name="torn.pdf")).to_be_visible(timeout=WAIT)
