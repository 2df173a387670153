"""From findings to none by keys: a picture described, a title taken, what a person judges signed off, the document heard."""

from __future__ import annotations

import re
from collections.abc import Iterator

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
    data = tmp_path_factory.mktemp("checking") / "data"
    store = Store(data)
    image = store.blobs.put(encode_jpeg(np.full((3508, 2480), 240, np.uint8)))
    first = (
        ContentMaker(top=600)
        .add(Role.HEADING_1, "Torgrunn Station")
        .figure()
        .add(Role.CAPTION, "The tower from the south")
    )
    second = ContentMaker(top=900).add(Role.PARAGRAPH, "The oil was gauged").table([["Oil", "Pints"], ["Lamp", "96"]])
    read_document(store, [first.page(), second.page()], image=image, how=cleaned())
    store.close()
    made = Server(data)
    yield made
    made.kill()


def test_a_report_goes_from_findings_to_none(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/check/1")
    standing = page.get_by_label("How it stands")
    expect(standing).to_contain_text("2 findings, 2 to judge")
    expect(standing).to_contain_text("it would not be PDF/UA")

    # Heard while it is looked at; the keys step through it.
    page.keyboard.press("l")
    now = page.get_by_label("Listen", exact=True).locator(".now")
    expect(now).to_contain_text("heading level 1")
    page.keyboard.press("t")
    expect(now).to_contain_text("row 1: column header Oil")
    expect(page.locator(".item.heard .cells").first).to_be_visible()
    page.get_by_role("button", name="End listening").click()
    page.get_by_role("region", name="Listen").press("Escape")

    page.keyboard.press("d")
    field = page.get_by_label("What does it show?")
    expect(field).to_be_focused()
    expect(page.get_by_role("button", name="From caption")).to_be_visible()
    page.keyboard.press("Alt+1")
    expect(field).to_have_value("The tower from the south")
    page.keyboard.press("End")
    page.keyboard.type(", two keepers before it")
    page.keyboard.press("Enter")
    expect(standing).to_contain_text("1 finding, 3 to judge")
    expect(standing).to_contain_text("it would be PDF/UA")
    page.get_by_role("button", name="Take “Torgrunn Station”").press("Enter")
    expect(standing).to_contain_text("No findings")
    expect(page.get_by_role("textbox", name="Title")).to_have_value("Torgrunn Station")

    name = page.get_by_placeholder("your name")
    name.fill("E. Sandvik")
    name.press("Enter")
    name.blur()
    page.keyboard.press("j")
    card = page.get_by_label("What is judged")
    expect(card).to_contain_text("Does the description say what the picture says?")
    page.keyboard.press("Enter")
    expect(card).to_contain_text("Do the headings say what follows")
    page.keyboard.press("Enter")
    expect(card).to_contain_text("Is it a table")
    page.keyboard.press("Enter")
    expect(standing).to_contain_text("nothing to judge, 3 signed off")
    told = server.http.get("/documents/1/judgements", params={"open_only": False}).json()
    assert {j["by"] for j in told} == {"E. Sandvik"}


def test_labels_are_set_and_gone_to(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/check/1")
    page.locator("summary", has_text="Page labels").click()
    page.get_by_role("button", name="Another range").click()
    page.get_by_label("Counted as").select_option("r")
    page.get_by_role("button", name="Keep", exact=True).click()
    expect(page.locator("summary", has_text="i to ii")).to_be_visible()
    page.get_by_role("navigation", name="Stages").get_by_role("button", name="Tag").click()
    field = page.get_by_label("Go to the page with this label or number")
    expect(field).to_have_value("i")
    field.fill("II")
    field.press("Enter")
    expect(page.locator(".ribbon .page.here")).to_have_attribute("aria-label", re.compile("^Page 2"))
