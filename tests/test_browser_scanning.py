"""Scan in the interface: both sides in two passes with a jam, blank sides, a sheet scanned again, separator sheets."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pypdfium2 as pdfium
import pytest
from playwright.sync_api import Page, expect

from hyalen.scanner.device import Device
from hyalen.scanner.sheets import STACKS, Sheet
from tests.helpers import WAIT, Server, until
from tests.scanners import marked, served, stack

AXE = Path(__file__).parent.parent / "frontend/node_modules/axe-core/axe.min.js"


@pytest.fixture
def device() -> Iterator[tuple[Device, str]]:
    made = Device(marked, slow=0.01)
    with served(made) as address:
        yield made, address


def open_scan(page: Page, server: Server, name: str, address: str) -> int:
    """The scan screen of a new batch that rests, its scanner added by its address."""
    batch: int = server.http.post("/batches", json={"name": name, "languages": ["eng"]}).json()["id"]
    server.http.put(f"/batches/{batch}/pause", json={"paused": True})
    page.goto(f"{page.url.split('#')[0]}#/batch/{batch}/bring-in")
    page.get_by_role("button", name="Scan sheets").click()
    page.get_by_role("button", name="Add…").click()
    page.get_by_label("Its address").fill(address.removeprefix("http://").removesuffix("/eSCL"))
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("combobox", name="Scanner")).to_contain_text("stand-in")
    page.get_by_role("combobox", name="dpi").select_option("75")
    return batch


def count(page: Page, sides: int) -> None:
    expect(page.locator(f"[data-count='{sides}']")).to_be_visible(timeout=WAIT)


def test_both_sides_come_in_two_passes_over_a_jam(page: Page, server: Server, device: tuple[Device, str]) -> None:
    scanner, address = device
    scanner.lay([Sheet(f"f{n}", "blank" if n == 2 else f"b{n}", fault="jam" if n == 3 else "") for n in range(1, 5)])
    batch = open_scan(page, server, "Two passes", address)
    page.get_by_role("combobox", name="Sides").select_option("both, the other sides afterwards")
    page.locator("h1").click()
    page.keyboard.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("jammed", timeout=WAIT)
    count(page, 2)
    scanner.clear()
    page.get_by_role("alert").get_by_role("button", name="Go on").click()
    count(page, 4)
    expect(page.get_by_text("Turn the whole stack over")).to_be_visible(timeout=WAIT)
    scanner.turn_over()
    page.get_by_role("button", name="Scan the other sides").click()
    count(page, 8)
    sheets = page.get_by_role("region", name="Sheets that have come").get_by_role("listitem")
    expect(sheets).to_have_count(4)
    expect(sheets.nth(1)).to_contain_text("left out: blank", timeout=WAIT)
    document = server.http.get(f"/batches/{batch}").json()["documents"][0]
    assert document["pages"] == 7
    sheets.nth(1).get_by_role("button", name="Put").click()
    expect(sheets.nth(1)).not_to_contain_text("blank")
    assert server.http.get(f"/batches/{batch}").json()["documents"][0]["pages"] == 8
    page.get_by_role("button", name="Done with these").click()
    expect(page.get_by_role("list", name="Documents").get_by_role("listitem")).to_have_count(1)
    server.http.delete(f"/batches/{batch}")


def test_a_sheet_is_scanned_again_named_and_kept_by_a_preset(
    page: Page, server: Server, device: tuple[Device, str]
) -> None:
    scanner, address = device
    scanner.lay(stack(3))
    batch = open_scan(page, server, "Again", address)
    page.get_by_role("combobox", name="Colours").select_option("grey")
    page.once("dialog", lambda dialog: dialog.accept("Grey letters"))
    page.get_by_role("button", name="Keep as…").click()
    expect(page.get_by_role("combobox", name="Preset")).to_contain_text("Grey letters")
    page.get_by_role("button", name="Scan ↵").click()
    count(page, 3)
    page.get_by_role("button", name="Name Scan 0001").click()
    page.get_by_label("Title", exact=True).fill("Letters of Grimhaug")
    page.get_by_label("Reference number").fill("SLB 14/3")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.get_by_role("heading", name="Letters of Grimhaug")).to_be_visible()
    document = server.http.get(f"/batches/{batch}").json()["documents"][0]["id"]
    assert server.http.get(f"/documents/{document}").json()["particulars"]["reference"] == "SLB 14/3"
    before = [p["id"] for p in server.http.get(f"/documents/{document}").json()["pages"]]
    page.get_by_role("button", name="Look at side 2").click()
    page.get_by_role("button", name="Scan it again in its place").click()
    expect(page.get_by_text("instead of side 2")).to_be_visible()
    scanner.lay([Sheet("better")])
    page.get_by_role("button", name="Scan ↵").click()
    count(page, 1)
    after = [p["id"] for p in server.http.get(f"/documents/{document}").json()["pages"]]
    assert (after[0], after[2]) == (before[0], before[2]) and after[1] not in before
    page.get_by_role("combobox", name="Preset").select_option("the usual")
    expect(page.get_by_role("combobox", name="Colours")).to_have_value("automatic")
    server.http.delete(f"/batches/{batch}")


def test_separator_sheets_are_printed_and_part_documents(page: Page, server: Server, tmp_path: Path) -> None:
    scanner = Device(slow=0.01)
    with served(scanner) as address:
        batch = open_scan(page, server, "Boxes", address)
        page.get_by_role("button", name="Print separator sheets…").click()
        page.get_by_label("A document's name on each line").fill("Box 14 letters\nBox 15 letters\n")
        with page.expect_download() as download:
            page.get_by_role("button", name="Make the PDF").click()
        download.value.save_as(tmp_path / "sheets.pdf")
        assert len(pdfium.PdfDocument(tmp_path / "sheets.pdf")) == 2
        scanner.lay(STACKS[2].sheets()[:8])
        page.get_by_role("combobox", name="dpi").select_option("100")
        page.get_by_role("combobox", name="A new document begins").select_option("at a separator sheet")
        page.get_by_label("ask for each document's title and number").check()
        page.get_by_role("button", name="Scan ↵").click()
        count(page, 8)
        for title, number in (("Box 14 letters", "SLB 14"), ("Box 15 letters", "SLB 15")):
            expect(page.get_by_label("Title", exact=True)).to_have_value(title, timeout=WAIT)
            page.get_by_label("Reference number").fill(number)
            page.get_by_label("Reference number").press("Enter")
            expect(page.get_by_role("heading", name=title)).to_be_visible(timeout=WAIT)
        page.get_by_label("ask for each document's title and number").uncheck()
        kept = [("SLB 14", 3), ("SLB 15", 3)]
        documents = f"/batches/{batch}"
        until(
            page,
            lambda: kept == [(d["reference"], d["pages"]) for d in server.http.get(documents).json()["documents"]],
        )
        server.http.delete(f"/batches/{batch}")


def test_the_glass_is_looked_at_and_a_part_of_it_scanned(
    page: Page, server: Server, device: tuple[Device, str]
) -> None:
    scanner, address = device
    scanner.put_on_glass(Sheet("g1"))
    batch = open_scan(page, server, "Glass", address)
    page.get_by_text("Glass", exact=True).last.click()
    page.get_by_role("button", name="Look at the glass").click()
    board = page.get_by_role("img", name="The glass")
    expect(board.locator("img")).to_have_js_property("complete", True, timeout=WAIT)
    box = board.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + 0.25 * box["width"], box["y"] + 0.25 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + 0.75 * box["width"], box["y"] + 0.5 * box["height"], steps=4)
    page.mouse.up()
    expect(page.get_by_label("wide")).to_have_value("108")
    page.get_by_label("high").fill("80")
    page.get_by_label("high").press("Tab")
    page.get_by_role("button", name="Scan ↵").click()
    count(page, 1)
    settings = list(scanner.jobs.values())[-1].settings
    assert abs(settings.width - 108 / 25.4 * 300) < 4 and abs(settings.height - 80 / 25.4 * 300) < 4
    scanner.put_on_glass(Sheet("g2"))
    page.get_by_role("button", name="Scan the next sheet").click()  # without leaving the screen
    count(page, 2)
    assert server.http.get(f"/batches/{batch}").json()["documents"][0]["pages"] == 2
    server.http.delete(f"/batches/{batch}")


def test_a_scanner_that_is_away_is_told_and_the_screen_meets_wcag(page: Page, server: Server) -> None:
    device = Device(marked)
    device.lay(stack(2))
    with served(device) as address:
        batch = open_scan(page, server, "Away", address)
        page.get_by_role("button", name="Scan ↵").click()
        count(page, 2)
        expect(page.get_by_role("button", name="Scan more sheets")).to_be_enabled(timeout=WAIT)
        expect(page.get_by_text("Its feeder is empty.")).to_be_visible()
    page.get_by_role("button", name="Ask the scanner again").click()
    expect(page.get_by_text("out of reach")).to_be_visible(timeout=WAIT)
    expect(page.get_by_role("button", name="Scan more sheets")).to_be_disabled()
    page.evaluate(AXE.read_text("utf8"))
    found = page.evaluate(
        "async () => (await axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']})).violations"
    )
    assert [(v["id"], v["nodes"][0]["html"]) for v in found] == []
    server.http.delete(f"/batches/{batch}")
