"""Bundles in the interface: built by dragging and by keys, numbered, late pages, marks, volumes; a change undone."""

from __future__ import annotations

from pathlib import Path

import pikepdf
import pypdfium2
import pytest
from playwright.sync_api import Locator, Page, expect

from hyalen.store.store import Store
from tests.helpers import WAIT, Server
from tests.test_bundles import add, letter

AXE = Path(__file__).parent.parent / "frontend/node_modules/axe-core/axe.min.js"
TITLES = ("The order", "The log", "A letter", "Late statement")


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> object:
    """A server with four documents that are read."""
    data = tmp_path_factory.mktemp("bundles") / "data"
    store = Store(data)
    for title, pages in zip(TITLES, (1, 3, 1, 2), strict=True):
        add(store, letter(*(f"{title.split()[-1]}{n}" for n in range(pages))), title)
    store.close()
    made = Server(data)
    yield made
    made.kill()


def entries(page: Page) -> Locator:
    return page.get_by_role("listbox", name="Entries in order").get_by_role("option")


def order(page: Page, *titles: str) -> None:
    expect(entries(page)).to_have_count(len(titles))
    for at, title in enumerate(titles):
        expect(entries(page).nth(at)).to_contain_text(title)


def numbers(page: Page, *told: str) -> None:
    for at, label in enumerate(told):
        expect(entries(page).nth(at).locator(".stub")).to_have_text(label)


def shelf(page: Page) -> None:
    """The shelf holds all batches; each document here has one of its own."""
    page.get_by_role("tab", name="Shelf").click()


def choose(page: Page, at: int) -> Locator:
    """Lay a batch on the shelf, the newest first; the document in it."""
    page.locator("#shelf-batch").select_option(index=at)
    listed = page.get_by_role("list", name="Documents on the shelf").get_by_role("listitem")
    expect(listed).to_contain_text(TITLES[len(TITLES) - 1 - at])
    return listed


def test_a_bundle_from_the_shelf_to_its_volumes(page: Page, server: Server, tmp_path: Path) -> None:
    page.get_by_role("button", name="New bundle").click()
    page.get_by_label("Name").fill("Inquiry")
    page.get_by_role("button", name="Begin", exact=True).click()
    expect(page.get_by_text("Nothing is in the bundle yet")).to_be_visible()
    # By dragging from the shelf, and by its buttons.
    choose(page, 3).get_by_role("button", name="Put in The order").click()
    order(page, "The order")
    choose(page, 1).drag_to(entries(page).nth(0), target_position={"x": 60, "y": 4})
    order(page, "A letter", "The order")
    document = choose(page, 2)
    document.get_by_role("checkbox").check()
    page.get_by_role("button", name="Put in 1").click()
    order(page, "A letter", "The order", "The log")
    numbers(page, "1", "2", "35")
    # Within the order by dragging and by keys, and back.
    entries(page).nth(0).drag_to(entries(page).nth(2), target_position={"x": 60, "y": 42})
    order(page, "The order", "The log", "A letter")
    entries(page).nth(2).click()
    page.keyboard.press("Alt+ArrowUp")
    order(page, "The order", "A letter", "The log")
    expect(entries(page).nth(1)).to_be_focused()
    page.keyboard.press("Control+z")
    order(page, "The order", "The log", "A letter")
    page.get_by_role("button", name="Section…").click()
    page.get_by_label("The section’s title").fill("Exhibits")
    page.keyboard.press("Enter")
    order(page, "The order", "The log", "Exhibits", "A letter")
    expect(entries(page).nth(2)).to_be_focused()
    page.keyboard.press("Alt+ArrowUp")
    order(page, "The order", "Exhibits", "A letter", "The log")
    page.keyboard.press("Control+z")
    numbers(page, "1", "24")
    # Its own words for the index.
    entries(page).nth(1).click()
    page.keyboard.press("Enter")
    page.locator("#entry-title").fill("Log of the fog signal")
    page.locator("#entry-title").press("Tab")
    order(page, "The order", "Log of the fog signal", "Exhibits", "A letter")
    # Numbers: a prefix, both sides, kept.
    page.get_by_role("tab", name="Numbers and index").click()
    page.get_by_label("Before each number").fill("Q")
    page.get_by_label("Before each number").press("Tab")
    numbers(page, "Q1", "Q2Q4")
    page.get_by_label("Each document begins on a right-hand page").check()
    expect(page.get_by_text("2 blank backs")).to_be_visible()
    page.get_by_role("button", name="Keep these numbers").click()
    expect(page.get_by_text("The numbers are kept")).to_be_visible()
    # Late pages behind the second page of the log.
    page.get_by_role("tab", name="Sheets").click()
    entries(page).nth(1).click()
    expect(page.get_by_text("Q2 · sheet 3 of 7")).to_be_visible()
    page.locator("h1").click()
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Next", exact=True).click()
    expect(page.get_by_text("Q3 · sheet 4 of 7")).to_be_visible()
    page.get_by_role("button", name="Late pages behind this one…").click()
    expect(page.get_by_text("lies behind page Q3")).to_be_visible()
    choose(page, 0).get_by_role("button", name="Put in Late statement").click()
    order(page, "The order", "Log of the fog signal", "Late statement", "Exhibits", "A letter")
    numbers(page, "Q1", "Q2Q4", "Q3aQ3b")
    # A passage is marked on the sheet, by the pointer and by keys.
    page.get_by_role("tab", name="Sheets").click()
    entries(page).nth(2).click()
    expect(page.get_by_text("Q3a · sheet 5 of 9")).to_be_visible()
    leaf = page.get_by_role("application")
    box = leaf.bounding_box()
    assert box is not None
    page.get_by_label("Named after").fill("Board")
    scale = box["width"] / 2480
    page.mouse.move(box["x"] + 190 * scale, box["y"] + 90 * scale)
    page.mouse.down()
    page.mouse.move(box["x"] + 420 * scale, box["y"] + 145 * scale, steps=3)
    page.mouse.up()
    expect(page.get_by_role("button", name="Mark: Board")).to_have_count(1)
    leaf.focus()
    page.keyboard.press("s")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(page.get_by_role("button", name="Mark: Board")).to_have_count(2)
    # What is found in all documents, highlighted; a mark taken away.
    page.keyboard.press("Control+f")
    page.get_by_label("Find in the bundle").fill("says")
    page.keyboard.press("Enter")
    expect(page.get_by_text("“says” stands in 7 places.")).to_be_visible()
    page.get_by_role("button", name="Highlight all").click()
    expect(page.get_by_role("heading", name="9 marks")).to_be_visible()
    page.get_by_role("button", name="Take the mark on page Q1 away").click()
    expect(page.get_by_role("heading", name="8 marks")).to_be_visible()
    # Volumes, and the index remade after a change.
    page.get_by_role("tab", name="Deliver").click()
    page.get_by_label("Pages of a volume").fill("8")
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("link", name="Inquiry-volume-2.pdf")).to_be_visible(timeout=WAIT)
    with page.expect_download() as download:
        page.get_by_role("link", name="Inquiry-volume-1.pdf").click()
    path = tmp_path / "one.pdf"
    download.value.save_as(path)
    told = pypdfium2.PdfDocument(path)
    assert [told.get_page_label(i) for i in range(len(told))] == ["i", "", "Q1", "", "Q2", "Q3", "Q3a", "Q3b"]
    told.close()
    with pikepdf.open(path) as pdf:
        assert len(pdf.pages[6].Annots) == 3 and str(pdf.pages[6].Annots[0].T) == "Board"
    entries(page).nth(4).click()
    page.locator("#entry-title").fill("The harbour master’s letter")
    page.locator("#entry-title").press("Tab")
    expect(page.get_by_role("list", name="What has changed")).to_contain_text("Index entry changed")
    expect(page.get_by_text("out of date").first).to_be_visible()
    page.get_by_label("A supplement: what has changed").check()
    page.get_by_role("button", name="Make 2 files").click()
    expect(page.get_by_role("link", name="Inquiry-supplement.pdf")).to_be_visible(timeout=WAIT)
    expect(page.get_by_text("Nothing has changed.")).to_be_visible()


@pytest.mark.parametrize("side", ["Shelf", "Sheets", "Marks", "Numbers and index", "Deliver"])
def test_no_barrier_is_found_in_a_bundle(page: Page, server: Server, side: str) -> None:
    bundle = server.http.post("/bundles", json={"name": f"Barriers of {side}"}).json()
    documents = [
        d["id"]
        for b in server.http.get("/batches").json()
        for d in server.http.get(f"/batches/{b['id']}").json()["documents"]
    ]
    server.http.post(
        f"/bundles/{bundle['id']}/entries", json={"revision": 0, "documents": documents}
    ).raise_for_status()
    page.goto(f"{page.url.split('#')[0]}#/bundle/{bundle['id']}")
    page.get_by_role("tab", name=side).click()
    expect(entries(page)).to_have_count(4)
    page.wait_for_timeout(300)
    page.evaluate(AXE.read_text("utf8"))
    found = page.evaluate("axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa']})")
    assert [(v["id"], [n["html"][:200] for n in v["nodes"]][:3]) for v in found["violations"]] == []


def test_a_bundle_follows_what_is_changed_elsewhere(page: Page, server: Server) -> None:
    bundle = server.http.post("/bundles", json={"name": "Followed"}).json()["id"]
    batch = server.http.get("/batches").json()[0]["id"]
    document = server.http.get(f"/batches/{batch}").json()["documents"][0]
    told = {"revision": 0, "documents": [document["id"]]}
    server.http.post(f"/bundles/{bundle}/entries", json=told).raise_for_status()
    page.goto(f"{page.url.split('#')[0]}#/bundle/{bundle}")
    order(page, document["title"])
    revision = server.http.get(f"/documents/{document['id']}").json()["revision"]
    told = {"title": "Told by another", "revision": revision}
    server.http.patch(f"/documents/{document['id']}", json=told).raise_for_status()
    order(page, "Told by another")
