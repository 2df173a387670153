"""Structure by hand in the interface: headings and bookmarks at one look, nesting, captions, areas, charts."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.model.content import Role
from hyalen.store.store import Store
from tests.conftest import ContentMaker
from tests.helpers import Server, cleaned, read_document


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    data = tmp_path_factory.mktemp("tagging") / "data"
    store = Store(data)
    image = store.blobs.put(encode_jpeg(np.full((3508, 2480), 240, np.uint8)))
    first = ContentMaker(top=600).add(Role.HEADING_1, "Torgrunn Station").add(Role.HEADING_1, "The tower")
    first = (
        first.add(Role.LIST_ITEM, "• oil").add(Role.LIST_ITEM, "• of whales").add(Role.PARAGRAPH, "The oil was gauged")
    )
    second = (
        ContentMaker(top=600)
        .add(Role.HEADING_1, "The light")
        .figure("Oil burnt")
        .add(Role.PARAGRAPH, "The apparatus\nseen from\nthe gallery\nin May", contrast=2.1)
    )
    second.add(Role.CAPTION, "Figure 1")
    read_document(store, [first.page(), second.page()], image=image, how=cleaned())
    store.close()
    made = Server(data)
    yield made
    made.kill()


def content(server: Server, number: int) -> list[dict[str, Any]]:
    page = server.http.get("/documents/1").json()["pages"][number]["id"]
    regions: list[dict[str, Any]] = server.http.get(f"/pages/{page}").json()["content"]["regions"]
    return regions


def test_headings_that_are_set_alike_are_changed_together_by_keys(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/tag/1")
    page.get_by_role("button", name="Headings and bookmarks").wait_for()
    page.keyboard.press("o")
    rows = page.get_by_role("listbox", name="Headings").get_by_role("option")
    expect(rows).to_have_count(3)
    expect(rows.first).to_be_focused()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("a")
    expect(page.locator(".row[aria-selected=true]")).to_have_count(3)
    page.keyboard.press("2")
    expect(page.get_by_role("heading", name="Headings 3 headings, 1 skip a level")).to_be_visible()
    page.keyboard.press("Home")
    page.keyboard.press("1")
    expect(rows.nth(0).locator(".sign")).to_have_text("H1")
    expect(rows.nth(2).locator(".sign")).to_have_text("H2")
    expect(page.get_by_role("heading", name="Headings 3 headings", exact=True)).to_be_visible()
    # The bookmarks go with them.
    marks = page.get_by_role("tree", name="Bookmarks").get_by_role("treeitem")
    expect(marks.nth(1)).to_have_attribute("aria-level", "2")
    marks.nth(1).click()
    page.keyboard.press("F2")
    page.get_by_label("Title of the bookmark").fill("Of the tower")
    page.keyboard.press("Enter")
    expect(marks.nth(1)).to_contain_text("Of the tower")
    expect(page.get_by_text("changed by hand, in step with the headings")).to_be_visible()
    marks.nth(2).click()
    page.keyboard.press("Alt+ArrowUp")
    expect(marks.nth(1)).to_contain_text("The light")
    page.keyboard.press("Control+z")
    expect(marks.nth(1)).to_contain_text("Of the tower")
    page.keyboard.press("Escape")
    expect(page.get_by_role("region", name="Sheet")).to_be_visible()


def test_items_are_nested_by_tab_and_let_go_by_escape(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/tag/1")
    page.locator("[data-region=r4] .head").click()
    page.keyboard.press("Tab")
    expect(page.locator("[data-region=r4]")).to_contain_text("Depth 2")
    page.keyboard.press("Shift+Tab")
    expect(page.locator("[data-region=r4]")).to_contain_text("Depth 1")
    page.keyboard.press("Tab")
    expect(page.locator("[data-region=r4]")).to_contain_text("Depth 2")
    page.keyboard.press("Escape")
    assert [r.get("depth", 0) for r in content(server, 0)][2:4] == [0, 1]


def stroke(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    """Over the sheet, between places in pixels of the page."""
    layer = page.locator("svg.layer")
    layer.wait_for()
    box = layer.bounding_box()
    assert box is not None
    scale = box["width"] / 2480
    page.mouse.move(box["x"] + start[0] * scale, box["y"] + start[1] * scale)
    page.mouse.down()
    page.mouse.move(box["x"] + end[0] * scale, box["y"] + end[1] * scale, steps=5)
    page.mouse.up()


def test_a_bookmark_comes_from_a_drawn_area_and_a_caption_from_a_stroke(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/tag/2")
    page.locator("[data-region=r4] .head").click()
    expect(page.locator("[data-region=r4]")).to_contain_text("Of no picture or table")
    page.keyboard.press("Escape")
    page.keyboard.press("9")  # the whole page
    page.keyboard.press("t")
    stroke(page, (260, 1540), (600, 900))
    expect(page.locator("[data-region=r4]")).to_contain_text("Of the figure 2")
    page.keyboard.press("Escape")
    page.keyboard.press("b")
    stroke(page, (190, 1230), (900, 1290))
    expect(page.get_by_text("Bookmark “The apparatus")).to_be_visible()
    told = server.http.get("/documents/1/bookmarks").json()["bookmarks"]
    assert told[-1]["entry"]["title"] == "The apparatus" and told[-1]["entry"]["page"] == told[-2]["entry"]["page"]


def test_a_chart_is_described_with_its_data(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/tag/2")
    page.locator("[data-region=r2] .head").click()
    page.locator("[data-region=r2] summary", has_text="Data of a chart").click()
    field = page.get_by_label("Data, a row a line")
    field.fill("Year | Gallons\n1921\t412")
    field.blur()
    expect(page.locator("[data-region=r2] summary", has_text="2 rows")).to_be_visible()
    assert content(server, 1)[1]["data"] == [["Year", "Gallons"], ["1921", "412"]]


def test_faded_print_is_found_with_what_is_to_be_done(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/check/2")
    finding = page.get_by_label("Findings").locator("li", has_text="contrast of 2.1 to 1")
    expect(finding).to_contain_text("Darken the ink in Clean")
    finding.get_by_role("button", name="Go there").click()
    expect(page.locator("[data-region=r3].open")).to_be_visible()
