"""A whole round of proofing by the keyboard alone: doubts, suggestions, kin, find and replace; on a right-to-left page too."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import count
from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page, Route, expect

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.model.content import Line, PageContent, Region, RegionKind, Role, Word
from hyalen.core.model.geometry import Box, Point
from hyalen.store.store import Store
from tests.helpers import Server, cleaned, read_document

DOUBTFUL = {"tbe", "ligbt", "harhour", "keeqer", "Torgnrun", "weathcr", "ofthe"}
LINES = [
    "The keeqer of Torgnrun writes that tbe ligbt was seen",
    "from the harhour at night and that the weathcr was fair",
    "The relief ofthe station came to Torgnrun on Monday with",
    "oil for the lamp and with letters from the office",
]
ARABIC = ["كان الفتار مضاء طوال الليل", "وكتب الحارس ذلك في دفتر المحطة"]


def page_of(lines: list[str], language: str) -> PageContent:
    ids, rows = count(1), []
    for at, text in enumerate(lines):
        words, x = [], 200
        tokens = text.split()
        for token in reversed(tokens) if language == "ara" else tokens:
            box = Box(x, 300 + 70 * at, x + 24 * len(token), 350 + 70 * at)
            unsure = token in DOUBTFUL or language == "ara"
            sure = {"confidence": 0.2, "letters": "2" * len(token)} if unsure else {"confidence": 0.97}
            words.append(Word(id=f"w{next(ids)}", text=token, box=box, **sure))
            x = box.right + 20
        words = words[::-1] if language == "ara" else words
        box = Box(200, 300 + 70 * at, x, 350 + 70 * at)
        rows.append(
            Line(words=tuple(words), box=box, baseline=(Point(200, box.bottom), Point(x, box.bottom)), height=50.0)
        )
    outline = Box(190, 290, 1900, 600).polygon()
    region = Region(
        id="r1", kind=RegionKind.TEXT, role=Role.PARAGRAPH, outline=outline, lines=tuple(rows), language=language
    )
    return PageContent(width=2480, height=3508, dpi=300, regions=(region,), languages=(language,))


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    folder = tmp_path_factory.mktemp("proof")
    store = Store(folder / "data")
    image = store.blobs.put(encode_jpeg(np.full((3508, 2480), 240, np.uint8)))
    english = page_of(LINES, "eng")
    read_document(store, [english, english, english], image=image, how=cleaned())
    read_document(store, [page_of(ARABIC, "ara")], ["ara"], image=image, how=cleaned())
    store.close()
    made = Server(folder / "data")
    yield made
    made.kill()


def words(server: Server, document: int, page: int = 0) -> list[dict[str, Any]]:
    pages = server.http.get(f"/documents/{document}").json()["pages"]
    content = server.http.get(f"/pages/{pages[page]['id']}").json()["content"]
    return [w for r in content["regions"] for line in r["lines"] for w in line["words"]]


def proof_doubts(server: Server, document: int) -> int:
    return int(server.http.get(f"/documents/{document}").json()["doubts"].get("proof", 0))


def settles(page: Page, server: Server, document: int, at_most: int) -> None:
    for _ in range(100):
        if proof_doubts(server, document) <= at_most:
            return
        page.wait_for_timeout(100)
    raise AssertionError(f"{proof_doubts(server, document)} doubts are left, not {at_most}")


def test_a_round_by_keys_takes_suggestions_accepts_and_finds_the_kin(page: Page, server: Server) -> None:
    before = proof_doubts(server, 1)
    assert before >= 3 * len(DOUBTFUL)
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/proof/1")
    expect(page.get_by_label("How good the text is")).to_contain_text("wrong words left of")
    page.keyboard.press("]")
    field = page.locator("[data-lifted] input:focus")
    expect(field).to_be_visible()
    offers = page.get_by_role("group", name="It may be")
    expect(offers).to_be_visible()

    # The digit of a suggestion corrects, and the next doubt is in hand at once.
    read = field.input_value()
    meant = offers.get_by_role("button").first.inner_text().split("\n")[-1].split(" ", 1)[-1].strip()
    page.keyboard.press("1")
    settles(page, server, 1, before - 1)
    assert meant in [w["text"] for at in range(3) for w in words(server, 1, at)]
    assert field.input_value() != "" and meant != read

    # The others of the same misreading are seen with their ink, and mended together.
    page.keyboard.press("Alt+k")
    finder = page.get_by_role("dialog", name="Find and replace")
    expect(finder.get_by_text("2 places")).to_be_visible()
    assert finder.locator(".ink").count() == 2
    page.keyboard.press("Alt+Enter")
    settles(page, server, 1, before - 3)
    assert read not in [w["text"] for at in range(3) for w in words(server, 1, at)]
    expect(finder).to_have_count(0)
    expect(field).to_be_focused()

    # Ten quick presses settle ten doubts.
    left = proof_doubts(server, 1)
    for _ in range(10):
        page.keyboard.press("Enter")
    settles(page, server, 1, left - 10)
    assert proof_doubts(server, 1) == left - 10


def test_find_and_replace_by_keys_on_any_screen(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/read/1")
    expect(page.locator("[data-region]").first).to_be_attached()
    page.keyboard.press("Control+f")
    finder = page.get_by_role("dialog", name="Find and replace")
    page.keyboard.type("LETTERS")
    expect(finder.get_by_text("3 places")).to_be_visible()
    page.keyboard.press("Enter")
    expect(finder.get_by_text("3 places, at 1")).to_be_visible()
    finder.get_by_label("Put").fill("parcels")
    finder.get_by_role("checkbox", name="Replace here").nth(1).uncheck()
    finder.get_by_role("button", name="In 2").click()
    expect(finder.get_by_text("1 place, at 1")).to_be_visible(timeout=15_000)
    assert [w["text"] for w in words(server, 1, 1)].count("letters") == 1
    page.keyboard.press("Escape")
    page.locator(".desk").focus()
    page.keyboard.press("Control+z")
    for _ in range(200):
        if "letters" in [w["text"] for w in words(server, 1, 0)]:
            break
        page.wait_for_timeout(100)
    assert [w["text"] for at in range(3) for w in words(server, 1, at)].count("letters") == 3
    page.keyboard.press("Control+f")
    finder.get_by_label("as", exact=True).select_option("pattern")
    finder.get_by_label("Find", exact=True).fill("(")
    expect(finder.get_by_text("the pattern cannot be used")).to_be_visible()


def test_a_right_to_left_page_is_proofed_by_keys(page: Page, server: Server) -> None:
    before = proof_doubts(server, 2)
    assert before > 2
    page.goto(f"http://127.0.0.1:{server.port}/#/document/2/proof/1")
    expect(page.get_by_label("How good the text is")).to_be_visible()
    page.keyboard.press("]")
    field = page.locator("[data-lifted] input:focus")
    expect(field).to_be_visible()
    assert page.locator("[data-lifted] .words").get_attribute("dir") == "rtl"
    field.fill("الفنار")
    page.keyboard.press("Enter")
    page.keyboard.press("Alt+i")
    settles(page, server, 2, before - 2)
    texts = [w["text"] for w in words(server, 2)]
    assert "الفنار" in texts and "[...]" in texts
    listed = page.locator("[data-lifted] input:focus").input_value()
    page.keyboard.press("Alt+Shift+l")
    settles(page, server, 2, before - 3)
    assert listed.strip(".,") in server.http.get("/word-lists/0").text


def test_a_change_of_another_word_elsewhere_is_merged_and_of_the_same_refused(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/proof/1")
    expect(page.get_by_label("How good the text is")).to_be_visible()
    page.keyboard.press("]")
    field = page.locator("[data-lifted] input:focus")
    expect(field).to_be_visible()
    at = int(page.url.rsplit("/", 1)[1]) - 1
    read = field.input_value()
    elsewhere = server.http.get("/documents/1").json()["pages"][at]
    mine = next(w for w in words(server, 1, at) if w["text"] == read)
    other = next(w for w in words(server, 1, at) if w["text"] == "lamp")

    def change(word: dict[str, Any], text: str) -> None:
        revision = server.http.get(f"/pages/{elsewhere['id']}").json()["revision"]
        operation = {"op": "set_word", "word_id": word["id"], "text": text}
        server.http.post(f"/pages/{elsewhere['id']}/edits", json={"revision": revision, "operation": operation})

    change(other, "lantern")
    field.fill("mended")
    page.keyboard.press("Enter")
    for _ in range(200):
        texts = [w["text"] for w in words(server, 1, at)]
        if "mended" in texts:
            break
        page.wait_for_timeout(100)
    assert "mended" in texts and "lantern" in texts
    assert mine["text"] == read
    # The same word, changed elsewhere while this change is on its way: both are shown, and either may be chosen.
    page.wait_for_timeout(500)
    read = field.input_value()
    at = int(page.url.rsplit("/", 1)[1]) - 1
    elsewhere = server.http.get("/documents/1").json()["pages"][at]
    same = [w for w in words(server, 1, at) if w["text"] == read]  # it may stand there twice

    def meanwhile(route: Route) -> None:
        for word in same:
            change(word, "theirs")
        route.continue_()

    page.route("**/edits", meanwhile, times=1)
    field.fill("mine")
    page.keyboard.press("Enter")
    both = page.get_by_label("Changed twice")
    expect(both).to_contain_text("theirs")
    expect(both).to_contain_text("mine")
    assert "theirs" in [w["text"] for w in words(server, 1, at)]
    page.keyboard.press("Alt+m")
    expect(both).to_be_hidden()
    for _ in range(200):
        texts = [w["text"] for w in words(server, 1, at)]
        if "mine" in texts:
            break
        page.wait_for_timeout(100)
    assert "mine" in texts and texts.count("theirs") == len(same) - 1


def test_a_sample_is_judged_by_keys(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/proof/1")
    page.get_by_role("button", name="Sample…").click()
    panel = page.get_by_role("dialog", name="Sample of words")
    panel.get_by_label("Draw").fill("6")
    panel.get_by_role("button", name="Draw", exact=True).click()
    expect(panel.get_by_text("6 to go")).to_be_visible()
    panel.focus()
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(panel.get_by_text("4 to go")).to_be_visible()
    page.keyboard.press("w")
    panel.get_by_label("It says").fill("corrected-in-the-sample")
    page.keyboard.press("Enter")
    expect(panel.get_by_text("3 to go")).to_be_visible()
    for _ in range(3):
        page.keyboard.press("Enter")
    expect(panel.get_by_text("5 of 6")).to_be_visible()
    for _ in range(200):
        if "corrected-in-the-sample" in [w["text"] for at in range(3) for w in words(server, 1, at)]:
            return
        page.wait_for_timeout(100)
    raise AssertionError("the correction was lost")
