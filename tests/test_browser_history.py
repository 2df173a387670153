"""One history, the read-through and the doubts of a long document, in the interface itself."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np
import pytest
from playwright.sync_api import Page, Request, Route, expect

from hyalen.core.decisions.requests import SetWord
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.model.content import Role
from hyalen.store.store import Store
from tests.conftest import ContentMaker, worn
from tests.helpers import Server, do, read_document, until, waiting

PAGES = 30


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A server on a document that is read already, one of its pages anew."""
    data = tmp_path_factory.mktemp("history") / "data"
    store = Store(data)
    letters = [chr(ord("a") + n % 26) * 3 + chr(ord("a") + n // 26) for n in range(PAGES)]
    pages = [
        worn(
            ContentMaker(top=600).add(Role.HEADING_1, f"Chapter {x}").add(Role.PARAGRAPH, f"the nedle {x}qz was lit.")
            .add(Role.PARAGRAPH, f"Nothing else happened on day {x}.").page()
        )
        for x in letters
    ]  # fmt: skip
    image = store.blobs.put(encode_jpeg(np.full((3508, 2480), 245, np.uint8), 60))
    document, ids = read_document(store, pages, image=image)
    store.settings.entitle(document, "A long journal")
    store.decisions.edit(ids[4], store.pages.page(ids[4]).revision, SetWord(word_id="w8", text="burning"))
    store.settings.read_again(document, [ids[4]], None, whole=False, keep=True)
    do(store, waiting(store, ids[4], "read"), ContentMaker(top=600).add(Role.HEADING_1, "Chapter eeea").page())
    other = store.blobs.put(encode_jpeg(np.full((3508, 2480), 90, np.uint8), 60))
    read_document(store, pages[:2], image=[image, other])
    store.close()
    made = Server(data)
    yield made
    made.kill()


def go(page: Page, server: Server, place: str) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/{place}")
    expect(page.locator("nav .here")).to_be_visible()


def undo_button(page: Page, label: str) -> None:
    expect(page.get_by_role("button", name=f"Undo: {label}", exact=True)).to_be_enabled()


def test_what_was_done_in_any_stage_is_undone_by_name(page: Page, server: Server) -> None:
    go(page, server, "tag/2")
    page.locator("[data-region='r2'] > button").click()
    page.get_by_role("region", name="Sheet").focus()
    page.keyboard.press("2")
    expect(page.locator("[data-region='r2'] .sign")).to_have_text("H2")
    undo_button(page, "heading 2")
    page.get_by_role("button", name="Check").click()
    page.get_by_label("Title").fill("A short journal")
    page.get_by_label("Title").press("Enter")
    undo_button(page, "title")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Tag").click()
    page.get_by_role("button", name="All pages").click()
    pages = page.get_by_role("listbox", name="Pages").get_by_role("option")
    pages.nth(7).click()
    page.keyboard.press("Delete")
    expect(page.get_by_text(f"{PAGES - 1} pages")).to_be_visible()
    undo_button(page, "1 page taken out")

    page.keyboard.press("Control+z")
    expect(page.get_by_text("Undone: 1 page taken out")).to_be_visible()
    expect(page.get_by_text(f"{PAGES} pages")).to_be_visible()
    page.keyboard.press("Control+z")
    expect(page.get_by_text("Undone: title")).to_be_visible()
    page.get_by_role("button", name="Back to the sheet").click()
    page.get_by_role("button", name="Undo: heading 2").click()
    expect(page.locator(".ribbon .page.here")).to_have_attribute("aria-label", re.compile("^Page 2"))
    expect(page.locator("[data-region='r2'] .sign")).to_have_text("¶")
    page.keyboard.press("Control+Shift+z")
    expect(page.locator("[data-region='r2'] .sign")).to_have_text("H2")
    page.keyboard.press("Control+z")
    expect(page.locator("[data-region='r2'] .sign")).to_have_text("¶")
    assert server.http.get("/documents/1").json()["title"] == "A long journal"


def test_a_correction_costs_one_request(page: Page, server: Server) -> None:
    go(page, server, "proof/10")
    expect(page.locator(".ribbon .page.here")).to_have_attribute("aria-label", re.compile("^Page 10"))
    page.locator("[data-region='r2'] > button").click()
    page.get_by_role("region", name="Sheet").focus()
    page.keyboard.press("Enter")
    field = page.locator("[data-lifted] input.here")
    expect(field).to_be_focused()
    field.fill("That")
    asked: list[str] = []

    def heard(request: Request) -> None:
        if "/api/" in request.url and "/blobs/" not in request.url:
            asked.append(f"{request.method} {request.url.split('/api/')[1].split('?')[0]}")

    page.on("request", heard)
    with page.expect_response(re.compile("/edits$")):
        page.get_by_role("button", name=re.compile("^Correct")).click()
    undo_button(page, "“the” to “That”")
    tenth = server.http.get(f"/pages/{server.http.get('/documents/1').json()['pages'][9]['id']}").json()
    assert tenth["content"]["regions"][1]["lines"][0]["words"][0]["text"] == "That"
    edits = [a for a in asked if a.startswith("POST")]
    assert len(edits) == 1 and edits[0].endswith("/edits")
    # The walk goes on to the next doubt's page; the page that was corrected is not asked for again.
    assert edits[0].removeprefix("POST ").removesuffix("/edits") not in [a.removeprefix("GET ") for a in asked]


def test_no_picture_lies_under_the_blocks_of_another_page(page: Page, server: Server) -> None:
    second = server.http.get("/documents/2").json()["pages"][1]["id"]
    address = f"**{server.http.get(f'/pages/{second}').json()['cleaned']}"
    held: list[Route] = []
    page.route(address, lambda route: held.append(route))
    page.goto(f"http://127.0.0.1:{server.port}/#/document/2/proof/1")
    picture = page.locator(".sheet img")
    shown = "image => image.complete && image.naturalWidth > 0"
    until(page, lambda: picture.count() == 1 and picture.evaluate(shown))
    # The picture of the page beside is asked for before the page is turned.
    until(page, lambda: len(held) == 1)
    page.keyboard.press("PageDown")
    expect(page.get_by_text("The picture is on its way…")).to_be_visible()
    expect(page.locator("[data-region='r1']")).to_contain_text("Chapter bbba")
    assert not picture.evaluate(shown)
    for route in held:
        route.abort()
    again = page.get_by_role("button", name="Try again")
    expect(again).to_be_visible()
    page.unroute(address)
    again.click()
    until(page, lambda: picture.evaluate(shown))
    expect(page.get_by_role("alert")).to_have_count(0)


def test_the_read_through_comes_as_it_is_scrolled_and_leads_to_its_blocks(page: Page, server: Server) -> None:
    parts: list[str] = []
    page.on("request", lambda r: parts.append(r.url) if "/flow" in r.url else None)
    go(page, server, "check/1")
    expect(page.get_by_text("Chapter aaaa", exact=True)).to_be_visible()
    assert len(parts) <= 2  # not the whole document
    for _ in range(20):
        page.mouse.move(400, 500)
        page.mouse.wheel(0, 4000)
        page.wait_for_timeout(250)
    expect(page.get_by_text("Nothing else happened on day dddb.", exact=True)).to_be_visible()
    assert [re.search(r"page=(\d+)", p).group(1) for p in parts] == ["0", "10", "20"]  # type: ignore[union-attr]
    assert page.locator(".item .h1", has_text="Chapter ddd").count() == 2
    assert page.locator(".item").count() == 3 * PAGES - 2  # one page was read anew with less on it
    last = page.locator(".item", has_text="Nothing else happened on day dddb.")
    last.get_by_role("button", name="·").click()
    expect(page.locator(".ribbon .page.here")).to_have_attribute("aria-label", re.compile("^Page 30"))
    expect(page.locator("[data-region='r3'].open")).to_be_visible()


def test_a_decision_that_found_no_place_is_shown_until_it_is_left(page: Page, server: Server) -> None:
    go(page, server, "read/5")
    counted = page.locator("nav .here .count")
    expect(counted).to_have_text("1")
    page.get_by_role("button", name="Proof").click()
    (lost,) = server.http.get("/documents/1/doubts", params={"stage": "read"}).json()
    assert lost["kind"] == "unplaced" and "to “burning”" in lost["reason"]
    answer = server.http.post(
        f"/pages/{lost['page_id']}/edits",
        json={
            "revision": server.http.get(f"/pages/{lost['page_id']}").json()["revision"],
            "operation": {"op": "accept_doubt", "key": lost["key"]},
        },
    )
    assert answer.status_code == 200
    page.reload()
    expect(page.get_by_role("button", name=re.compile("^Read$"))).to_be_visible()
    assert server.http.get("/documents/1/doubts", params={"stage": "read"}).json() == []


def test_a_block_is_put_elsewhere_by_drag_and_by_key(page: Page, server: Server) -> None:
    go(page, server, "tag/20")
    blocks = page.locator("[data-region]")
    expect(blocks).to_have_count(3)
    page.locator("li", has=page.locator("[data-region='r3']")).drag_to(page.locator("[data-region='r1']"))
    expect(blocks.first).to_have_attribute("data-region", "r3")
    undo_button(page, "reading order")
    page.locator("[data-region='r3'] > button").click()
    page.get_by_role("region", name="Sheet").focus()
    page.keyboard.press("Alt+ArrowDown")
    expect(blocks.nth(1)).to_have_attribute("data-region", "r3")
    page.keyboard.press("Control+z")
    expect(blocks.first).to_have_attribute("data-region", "r3")
    page.keyboard.press("Control+z")
    expect(blocks.first).to_have_attribute("data-region", "r1")


def test_doubts_are_counted_and_walked_over_the_whole_document(page: Page, server: Server) -> None:
    total = server.http.get("/documents/1").json()["doubts"]["proof"]
    go(page, server, "proof/1")
    expect(page.get_by_label("Doubts", exact=True)).to_contain_text(f"{total} doubts here")
    seen = set()
    for _ in range(5):
        page.keyboard.press("]")
        expect(page.locator("[data-lifted] input.here")).to_be_focused()
        seen.add(page.url)
        page.keyboard.press("Escape")
    assert len(seen) >= 2
    page.keyboard.press("[")
    expect(page.locator("[data-lifted]")).to_be_visible()
