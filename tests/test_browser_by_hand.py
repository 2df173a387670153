"""Regions, tables and the reading order mended by hand on the sheet, by pointer and by keys, and undone."""

from __future__ import annotations

import io
import random
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from openpyxl import load_workbook
from PIL import Image as Pillow
from playwright.sync_api import Browser, Page, expect

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.read import read_content
from hyalen.demo.markup import page as markup
from hyalen.demo.typeset import Typesetter
from hyalen.store.store import Store
from tests.helpers import Server, cleaned, read_document, until

ROWS = [
    ("Oil", "12", "4.50"),
    ("Wick", "7", "0.85"),
    ("Glass", "3", "9.20"),
    ("Brass", "15", "2.75"),
    ("Rope", "40", "1.10"),
]
CELLS = "".join(f"<tr><td>{a}<td>{b}<td>{c}" for a, b, c in ROWS)
STYLE = """body{font:14pt/1.5 'EB Garamond','Liberation Serif';padding:22mm} table{border-collapse:collapse;margin:6mm 0}
td,th{border:1.5px solid #000;padding:2mm 9mm} p{margin:0 0 6mm}"""
HTML = markup(
    STYLE,
    f"""<h1>Stores at the south steps</h1>
<p>The tender brings stores on the first Monday of the month when the weather allows it. Whatever is short is told to the
office by the next boat, and the keeper signs for what he has got.</p>
<p>Nothing is landed at night. The crane is not used in a wind above force six, and the winch is kept under its cover.</p>
<table><tr><th>Item<th>Number<th>Price</tr>{CELLS}</table>
<p>Prices are in crowns and hold until the end of the quarter.</p>
<p>The list is kept in the store room beside the lamp.</p>""",
)


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory, setter: Typesetter) -> Iterator[Server]:
    folder = tmp_path_factory.mktemp("hand")
    image = setter.set(HTML, 300).image
    content = read_content(image, 300, ("eng",))
    store = Store(folder / "data")
    blob = store.blobs.put(encode_jpeg(image))
    how = cleaned(width=image.shape[1], height=image.shape[0], trim=(0, 0, image.shape[1], image.shape[0]))
    read_document(store, [content] * 4, image=blob, how=how)
    store.close()
    made = Server(folder / "data")
    yield made
    made.kill()


class Desk:
    """A page of the document in the Read stage, with places in its own pixels."""

    def __init__(self, browser: Browser, server: Server, at: int) -> None:
        self.context = browser.new_context(viewport={"width": 1280, "height": 800})
        self.page: Page = self.context.new_page()
        self.http = server.http
        self.id = server.http.get("/documents/1").json()["pages"][at]["id"]
        self.page.goto(f"http://127.0.0.1:{server.port}/#/document/1/read/{at + 1}")
        expect(self.page.locator("[data-region]").nth(4)).to_be_attached()
        self.page.keyboard.press("9")  # the whole page in sight
        self.page.wait_for_timeout(200)

    def content(self) -> dict[str, Any]:
        found: dict[str, Any] = self.http.get(f"/pages/{self.id}").json()["content"]
        return found

    def region(self, start: str) -> dict[str, Any]:
        return next(r for r in self.content()["regions"] if text(r).startswith(start))

    def on_screen(self, x: float, y: float) -> tuple[float, float]:
        box = self.page.locator(".sheet").bounding_box()
        assert box is not None
        scale = box["width"] / self.content()["width"]
        return box["x"] + x * scale, box["y"] + y * scale

    def drag(self, *places: tuple[float, float]) -> None:
        ends = [self.on_screen(*p) for p in places]
        self.page.mouse.move(*ends[0])
        self.page.mouse.down()
        for end in ends[1:]:
            self.page.mouse.move(*end, steps=6)
        self.page.mouse.up()

    def tool(self, name: str) -> None:
        self.page.get_by_role("group", name="By hand", exact=True).get_by_role("button", name=name).click()

    def choose(self, start: str) -> None:
        button = self.page.locator("[data-region] > button", has_text=start).first
        if button.get_attribute("aria-expanded") != "true":
            button.click()

    def says(self, label: str) -> None:
        """The change is made, and undo names it."""
        expect(self.page.get_by_role("button", name=f"Undo: {label}", exact=True)).to_be_visible(timeout=30_000)

    def comes_to(self, order: list[str]) -> None:
        """The page's blocks come to stand in an order."""
        until(self.page, lambda: [r["id"] for r in self.content()["regions"]] == order)

    def undo(self) -> None:
        before = self.content()
        self.page.keyboard.press("Control+z")
        until(self.page, lambda: self.content() != before)


def text(region: dict[str, Any]) -> str:
    cells = region["table"]["cells"] if region.get("table") else [region]
    return " ".join(w["text"] for c in cells for line in c.get("lines") or [] for w in line["words"])


def box(region: dict[str, Any]) -> tuple[float, float, float, float]:
    xs, ys = [p[0] for p in region["outline"]], [p[1] for p in region["outline"]]
    return min(xs), min(ys), max(xs), max(ys)


@pytest.fixture
def desk(browser: Browser, server: Server, request: pytest.FixtureRequest) -> Iterator[Desk]:
    made = Desk(browser, server, request.param)
    yield made
    made.context.close()


def page_of(number: int) -> pytest.MarkDecorator:
    """The page of the document that a test works on, by itself."""
    return pytest.mark.parametrize("desk", [number], indirect=True, ids=[f"page{number}"])


@page_of(0)
def test_blocks_are_taken_away_drawn_trimmed_cut_and_merged(desk: Desk) -> None:
    before = desk.region("Nothing is landed")
    left, top, right, bottom = box(before)
    desk.choose("Nothing is landed")
    desk.page.get_by_role("group", name="The block in hand").get_by_role("button", name="Remove").click()
    desk.says("block taken away")
    assert all("winch" not in text(r) for r in desk.content()["regions"])

    desk.tool("Draw")
    desk.drag((left - 20, top - 15), (right + 20, bottom + 15))
    desk.page.get_by_role("group", name="What is it?").get_by_role("button", name="Text").click()
    desk.says("new text")
    drawn = desk.region("Nothing is landed")
    assert text(drawn) == text(before)
    order = [text(r)[:8] for r in desk.content()["regions"]]
    assert order.index("Nothing ") == order.index("The tend") + 1

    desk.tool("Take out")
    desk.drag((left - 30, top - 25), (left + 260, top + (bottom - top) // 2))
    desk.says("area taken out")
    trimmed = desk.content()["regions"][order.index("Nothing ")]
    assert len(trimmed["outline"]) > 4 and "Nothing" not in text(trimmed) and "winch" in text(trimmed)
    desk.undo()

    desk.tool("Cut")
    desk.drag((left - 40, (top + bottom) / 2), (right + 40, (top + bottom) / 2))
    desk.says("block cut in two")
    parts = desk.content()["regions"][order.index("Nothing ") : order.index("Nothing ") + 2]
    assert " ".join(map(text, parts)) == text(before)

    desk.page.keyboard.press("Escape")
    desk.choose("Nothing is landed")
    second = box(parts[1])
    desk.page.keyboard.down("Shift")
    desk.page.mouse.click(*desk.on_screen(0.75 * second[0] + 0.25 * second[2], (second[1] + second[3]) / 2))
    desk.page.keyboard.up("Shift")
    expect(desk.page.get_by_role("group", name="2 blocks in hand")).to_be_visible()
    desk.page.keyboard.press("m")
    desk.says("blocks merged")
    assert text(desk.region("Nothing is landed")) == text(before)
    for label in ("block cut in two", "new text", "block taken away"):
        desk.undo()
        desk.says(label)
    desk.undo()
    assert desk.region("Nothing is landed") == before


@page_of(1)
def test_everything_is_done_by_keys_and_said(desk: Desk) -> None:
    page, said = desk.page, desk.page.locator("[data-said]")
    first = desk.region("The tender")
    page.locator("body").press("ArrowDown")
    page.keyboard.press("ArrowDown")
    expect(said).to_contain_text("2 of 6, Paragraph: The tender brings")

    # A side is moved by arrows until the last line is outside: it is not lost in silence.
    lines = len(first["lines"])
    handle = page.get_by_role("button", name="Lower side")
    handle.focus()
    for _ in range(3):
        handle.press("ArrowUp")
    handle.press("Enter")
    desk.says("outline")
    expect(said).to_contain_text("has a new outline")
    now = desk.content()
    assert len(desk.region("The tender")["lines"]) < lines and len(now["unread"]) > 0
    assert any(d["kind"] == "unread" for d in desk.http.get(f"/pages/{desk.id}").json()["doubts"])
    desk.undo()
    assert desk.region("The tender") == first

    # Cut between lines.
    desk.choose("The tender")
    page.locator(".desk").focus()
    page.keyboard.press("k")
    page.keyboard.press("Enter")
    expect(said).to_contain_text("Up and down move it")
    page.keyboard.press("Enter")
    desk.says("block cut in two")
    page.keyboard.press("Escape")
    desk.undo()

    # Retyped, and gone into the background, and back.
    desk.choose("Prices are")
    page.get_by_role("button", name="Picture", exact=True).click()
    desk.says("block made a picture")
    page.get_by_role("button", name="Background").click()
    desk.says("artifact")
    assert any("Prices are" in (a.get("alternative_text") or "") for a in desk.content()["artifacts"])
    desk.undo()
    desk.undo()

    # Drawn by keys, in the middle of the sheet.
    page.locator(".desk").focus()
    page.keyboard.press("Escape")
    page.keyboard.press("d")
    page.keyboard.press("Enter")
    page.keyboard.press("t")
    page.get_by_role("group", name="What is it?").wait_for(state="hidden", timeout=30_000)
    assert any(r["id"].startswith("d") for r in desk.content()["regions"])


@page_of(2)
def test_one_stroke_sets_the_order_and_goes_on_from_the_middle(desk: Desk) -> None:
    regions = desk.content()["regions"]
    rim = max(box(r)[2] for r in regions) + 60
    inside = {r["id"]: (box(r)[2] - 40, (box(r)[1] + box(r)[3]) / 2) for r in regions}
    chance = random.Random(4)
    desk.tool("Thread")
    for count in (3, 2, 6):
        before = [r["id"] for r in desk.content()["regions"]]
        stroke = chance.sample(before, count)
        # Into each block from the margin and out again, so that no other is met on the way.
        places = [p for i in stroke for p in ((rim, inside[i][1]), inside[i], (rim, inside[i][1]))]
        desk.drag(*places)
        rest = [i for i in before if i not in stroke[1:]]
        at = rest.index(stroke[0]) + 1
        desk.comes_to(rest[:at] + stroke[1:] + rest[at:])


@page_of(3)
def test_a_table_is_mended_on_the_ink_and_delivered_alone(desk: Desk) -> None:
    page = desk.page
    table = next(r for r in desk.content()["regions"] if r["table"])
    assert (table["table"]["rows"], table["table"]["columns"]) == (6, 3)
    page.locator(f"[data-region={table['id']}] > button").click()
    bar = page.get_by_role("group", name="The table in hand")
    line = page.get_by_role("button", name="Line across 2 of 6")
    line.focus()
    line.press("Delete")
    desk.says("removed line of a table: row")
    page.get_by_role("button", name="Line across 1 of 5").press("+")
    desk.says("new line of a table: row")
    bar.get_by_role("button", name="One header column more").click()
    desk.says("headers of a table")
    cells = page.locator("[data-cell]")
    cells.nth(0).click()
    cells.nth(1).click(modifiers=["Shift"])
    bar.get_by_role("button", name="Merge cells").click()
    desk.says("cells merged")
    grid = next(r for r in desk.content()["regions"] if r["table"])["table"]
    assert grid["rows"] == 6 and grid["cells"][0]["column_span"] == 2
    bar.get_by_role("button", name="Part cell").click()
    desk.says("cell parted")

    # Written in place, an empty cell too, from cell to cell.
    cells.nth(3).click()
    page.keyboard.press("Enter")
    page.keyboard.type("Lamp oil")
    page.keyboard.press("Tab")
    page.keyboard.press("Delete")
    page.wait_for_timeout(400)
    page.keyboard.type("144")
    page.keyboard.press("Enter")

    def cell(row: int, column: int) -> str:
        grid = next(r for r in desk.content()["regions"] if r["table"])["table"]
        return next(text(c) for c in grid["cells"] if (c["row"], c["column"]) == (row, column))

    until(page, lambda: (cell(1, 0), cell(1, 1), cell(5, 2)) == ("Lamp oil", "144", "1.10"))

    with page.expect_download() as waiting:
        page.get_by_role("group", name="The block in hand").get_by_role("button", name="XLSX").click()
    data = waiting.value.path().read_bytes()
    assert load_workbook(io.BytesIO(data)).active.cell(2, 1).value == "Lamp oil"
    page.get_by_role("group", name="The block in hand").get_by_role("button", name="Text", exact=True).first.click()
    desk.says("block made text")
    desk.undo()


@page_of(1)
def test_another_image_is_put_in_a_pictures_stead(desk: Desk, tmp_path: Path) -> None:
    page, path = desk.page, tmp_path / "lantern.png"
    desk.choose("Nothing is landed")
    page.get_by_role("group", name="The block in hand").get_by_role("button", name="Picture", exact=True).click()
    desk.says("block made a picture")
    bar = page.get_by_role("group", name="The picture in hand")
    path.write_bytes(b"no image")
    bar.get_by_label("The image for the picture's stead").set_input_files(path)
    expect(page.get_by_text("lantern.png: ")).to_be_visible()
    Pillow.new("RGB", (300, 100), (20, 30, 200)).save(path, "PNG")
    bar.get_by_label("The image for the picture's stead").set_input_files(path)
    desk.says("another picture, or the scan's own")
    expect(page.locator(".sheet svg image")).to_have_count(1)
    width = bar.get_by_label("Width in office files")
    width.fill("80")
    width.press("Enter")
    desk.says("width of a picture")
    (picture,) = (r for r in desk.content()["regions"] if r["substitute"])
    assert abs(picture["width"] * 25.4 - 80) < 0.01
    bar.get_by_role("button", name="The scan's own").click()
    expect(page.locator(".sheet svg image")).to_have_count(0)
    desk.undo()
    expect(page.locator(".sheet svg image")).to_have_count(1)
    for _ in range(3):
        desk.undo()
    assert desk.region("Nothing is landed")["kind"] == "text"
