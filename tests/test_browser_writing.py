"""Text set, joined, parted and put in by keys on the ink; slips, word lists, and the read-through written in."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.store.store import Store
from tests.helpers import Server, cleaned, read_document
from tests.test_browser_proofing import ARABIC, LINES, page_of, proof_doubts, settles, words


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    folder = tmp_path_factory.mktemp("writing")
    store = Store(folder / "data")
    image = store.blobs.put(encode_jpeg(np.full((3508, 2480), 240, np.uint8)))
    for language, pages in (("eng", [LINES]), ("ara", [ARABIC]), ("eng", [LINES] * 3)):
        read_document(store, [page_of(lines, language) for lines in pages], [language], image=image, how=cleaned())
    store.close()
    made = Server(folder / "data")
    yield made
    made.kill()


def until(page: Page, told: Callable[[], object], wanted: object) -> None:
    for _ in range(200):
        if told() == wanted:
            return
        page.wait_for_timeout(100)
    assert told() == wanted


def lines(server: Server, document: int) -> list[str]:
    first = server.http.get(f"/documents/{document}").json()["pages"][0]["id"]
    regions = server.http.get(f"/pages/{first}").json()["content"]["regions"]
    return [" ".join(w["text"] for w in line["words"]) for r in regions for line in r["lines"]]


def take(page: Page, word: str) -> None:
    field = page.get_by_label(f"Word read as {word}", exact=True)
    field.focus()
    expect(field).to_be_focused()


def test_words_and_lines_are_written_by_keys(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/1/proof/1")
    expect(page.get_by_label("How good the text is")).to_be_visible()
    page.keyboard.press("]")
    field = page.locator("[data-lifted] input:focus")
    expect(field).to_be_visible()
    while page.get_by_label("Word read as oil", exact=True).count() == 0:
        page.keyboard.press("ArrowDown")
        page.wait_for_timeout(100)

    # Set in bold, a letter of it raised, and both taken back by the keys that stay at the word.
    take(page, "oil")
    page.keyboard.press("Control+b")
    until(page, lambda: next(w for w in words(server, 1) if w["text"] == "oil")["style"], ["bold"])
    page.keyboard.press("Home")
    page.keyboard.press("Shift+ArrowRight")
    page.keyboard.press("Control+.")
    until(page, lambda: next(w for w in words(server, 1) if w["text"] == "oil")["parts"], [[0, 1, "superscript"]])
    page.keyboard.press("Control+z")
    until(page, lambda: next(w for w in words(server, 1) if w["text"] == "oil")["parts"], [])

    # Joined with the next word, parted again; the caret goes on over the end of a word.
    take(page, "oil")
    page.keyboard.press("End")
    page.keyboard.press("Delete")
    until(page, lambda: lines(server, 1)[3].split()[0], "oilfor")
    take(page, "oilfor")
    page.keyboard.press("Home")
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    page.keyboard.type(" ")
    page.keyboard.press("End")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_label("Word read as the", exact=True).first).to_be_focused()
    until(page, lambda: lines(server, 1)[3].split()[:2], ["oil", "for"])

    # The line ends earlier, and goes on again.
    take(page, "for")
    page.keyboard.press("Control+Enter")
    until(page, lambda: lines(server, 1)[3], "oil")
    take(page, "for")
    page.keyboard.press("Home")
    page.keyboard.press("Backspace")
    until(page, lambda: lines(server, 1)[3].split()[:2], ["oil", "for"])

    # A line that was not read; a block that begins with it.
    take(page, "lamp")
    page.keyboard.press("Alt+Enter")
    expect(page.get_by_label("Text of the new line")).to_be_focused()
    page.keyboard.press("Alt+ArrowDown")
    page.keyboard.type("by the second boat")
    page.keyboard.press("Enter")
    until(page, lambda: lines(server, 1)[-1], "by the second boat")
    expect(page.get_by_label("Word read as by", exact=True)).to_be_focused()
    page.keyboard.press("Control+Shift+Enter")
    first = server.http.get("/documents/1").json()["pages"][0]["id"]
    until(page, lambda: len(server.http.get(f"/pages/{first}").json()["content"]["regions"]), 2)

    # A character that the keyboard lacks, by its letter.
    take(page, "boat")
    page.keyboard.press("End")
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("Alt+c")
    palette = page.get_by_role("dialog", name="Characters")
    expect(palette.get_by_role("button", name="à", exact=True)).to_be_focused()
    page.keyboard.press("a")
    expect(palette.get_by_role("button", name="á", exact=True)).to_be_focused()
    page.keyboard.press("Enter")
    expect(palette).to_have_count(0)
    page.keyboard.press("Enter")
    until(page, lambda: lines(server, 1)[-1], "by the second boát")

    # Text over the ink, then both in turn, then the ink.
    page.keyboard.press("Escape")
    for shown in ("Text over", "Blinking"):
        page.keyboard.press("b")
        expect(page.get_by_role("button", name=shown)).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("b")
    expect(page.locator(".text-over")).to_have_count(0)


def test_the_caret_goes_through_a_right_to_left_line_as_it_is_seen(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/2/proof/1")
    expect(page.get_by_label("How good the text is")).to_be_visible()
    page.keyboard.press("]")
    expect(page.locator("[data-lifted] input:focus")).to_be_visible()
    first = page.locator("[data-lifted] .words input").first
    read = [w["text"] for w in words(server, 2) if w["text"]]
    at = read.index(first.input_value())
    take(page, read[at])
    page.keyboard.press("End")  # the left end of an Arabic word
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_label(f"Word read as {read[at + 1]}", exact=True)).to_be_focused()
    page.keyboard.press("Home")
    page.keyboard.press("ArrowRight")
    expect(page.get_by_label(f"Word read as {read[at]}", exact=True)).to_be_focused()


def test_slips_are_gone_through_by_keys_and_a_row_at_once(page: Page, server: Server) -> None:
    before = proof_doubts(server, 3)
    page.goto(f"http://127.0.0.1:{server.port}/#/document/3/proof/1")
    expect(page.get_by_label("How good the text is")).to_be_visible()
    page.keyboard.press("v")
    board = page.get_by_role("region", name="Slips")
    expect(board.locator(".slip.here input")).to_be_focused()
    board.get_by_label("together").select_option("words")
    field = board.locator(".slip.here input")
    expect(field).to_be_focused()
    read = field.input_value()
    many = [w["text"] for at in range(3) for w in words(server, 3, at)].count(read)
    page.keyboard.type("corrected")
    page.keyboard.press("Shift+Enter")  # all places that say so
    settles(page, server, 3, before - many)
    assert [w["text"] for at in range(3) for w in words(server, 3, at)].count("corrected") == many > 2
    expect(field).not_to_have_value(read)
    left = proof_doubts(server, 3)  # with words around that are settled, others are surer
    page.keyboard.press("Enter")
    settles(page, server, 3, left - 1)
    page.keyboard.press("Control+z")
    until(page, lambda: proof_doubts(server, 3), left)
    page.keyboard.press("Control+z")
    until(page, lambda: [w["text"] for at in range(3) for w in words(server, 3, at)].count(read), many)
    page.keyboard.press("Escape")
    expect(board).to_have_count(0)


def test_a_word_list_is_seen_filled_and_emptied(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/3/proof/1")
    page.get_by_role("button", name="Word lists…").click()
    panel = page.get_by_role("dialog", name="Word lists")
    expect(panel.get_by_text("No words yet")).to_be_visible()
    page.keyboard.type("Grimhaug")
    page.keyboard.press("Enter")
    expect(panel.get_by_role("listitem").get_by_text("Grimhaug")).to_be_visible()
    panel.locator("input[type=file]").set_input_files(
        {"name": "names.txt", "mimeType": "text/plain", "buffer": b"Hallvik\r\nTorgnrun\n"}
    )
    expect(panel.get_by_text("3 words", exact=True)).to_be_visible()
    batch = server.http.get("/documents/3").json()["batch_id"]
    assert server.http.get(f"/word-lists/{batch}").text.split() == ["Grimhaug", "Hallvik", "Torgnrun"]
    assert "Torgnrun" not in [d["text"] for d in server.http.get("/documents/3/doubts").json()]
    panel.get_by_role("button", name="Take “Torgnrun” off the list").click()
    expect(panel.get_by_text("2 words", exact=True)).to_be_visible()


def test_the_read_through_is_written_in(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/3/check/2")
    text = page.get_by_title("Write here").nth(1)
    expect(text).to_contain_text("fair The relief")
    text.focus()
    page.keyboard.press("Enter")
    field = page.get_by_label("Text of the block")
    expect(field).to_be_focused()
    field.evaluate("e => { const at = e.value.indexOf('Monday'); e.setSelectionRange(at, at + 6); }")
    page.keyboard.type("Tuesday")
    page.keyboard.press("Control+a")
    page.keyboard.press("End")
    page.keyboard.press("Enter")
    until(page, lambda: [w["text"] for w in words(server, 3, 1)].count("Tuesday"), 1)
    assert "Monday" in [w["text"] for w in words(server, 3, 0)]
    assert [w["state"] for w in words(server, 3, 1) if w["text"] == "seen"] == ["read"]  # others are not touched
    expect(page.get_by_title("Write here").nth(1)).to_contain_text("Tuesday")
