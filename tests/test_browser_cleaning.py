"""The Clean stage under the clerk's hands, driven in headless Chromium."""

from __future__ import annotations

import io
import re
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PIL import Image as Pillow
from playwright.sync_api import Locator, Page, expect

from bench.material import Case
from hyalen.core.model.treatment import Cleaned, Mesh
from hyalen.demo.spoil import AGED, Curl, Spoiling, spoil
from tests.conftest import Pages
from tests.helpers import WAIT, Server, begin, image_of, step

Json = dict[str, Any]


@pytest.fixture(scope="module")
def bent(pages: Pages, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A page that bends into its spine, at 150 dpi."""
    truth = pages.truth(Case("small", "eng", Spoiling(), dpi=150.0)).image
    path = tmp_path_factory.mktemp("bent") / "bent.png"
    how = Spoiling(curl=Curl(sag=0.2, reach=0.9), tint=AGED, noise=3)
    Pillow.fromarray(spoil(truth, 150, how, 2)).save(path, dpi=(150, 150))
    return path


class Desk:
    """A document opened at the Clean stage."""

    def __init__(self, page: Page, server: Server, batch: str, *files: Path) -> None:
        begin(page, batch, *files)
        page.get_by_role("button", name=files[0].name, exact=True).click(timeout=WAIT)
        self.page, self.server, self.batch = page, server, batch
        # Read to the end: nothing may come in under the clerk's hands.
        self.until(lambda: all(p["has_content"] for p in self.pages()) and self.pages() != [])
        page.get_by_role("navigation", name="Stages").get_by_role("button", name="Clean").click()
        expect(page.locator(".sheet > img")).to_be_visible(timeout=WAIT)
        expect(step(page, "Cut")).not_to_contain_text("…", timeout=WAIT)

    def documents(self) -> list[Json]:
        batch = next(b["id"] for b in self.server.http.get("/batches").json() if b["name"] == self.batch)
        found: list[Json] = self.server.http.get(f"/batches/{batch}").json()["documents"]
        return found

    def pages(self, document: int = 0) -> list[Json]:
        found: list[Json] = self.server.http.get(f"/documents/{self.documents()[document]['id']}").json()["pages"]
        return found

    def detail(self, number: int = 0, document: int = 0) -> Json:
        found: Json = self.server.http.get(f"/pages/{self.pages(document)[number]['id']}").json()
        return found

    def until(self, true: Callable[[], bool]) -> None:
        end = time.monotonic() + WAIT / 1000
        while not true():
            assert time.monotonic() < end, "what was waited for did not come"
            self.page.wait_for_timeout(200)

    def clean(self) -> None:
        """What was tried stays in sight until the page has been cleaned like that."""
        before = self.detail()["cleaned"]
        self.page.get_by_role("button", name="Clean this page").click()
        self.until(lambda: self.detail()["cleaned"] != before)
        expect(self.page.locator(".sheet > img")).not_to_have_attribute("src", before)
        expect(self.page.locator(".sheet > img")).to_have_attribute("src", re.compile("^/api/blobs/"), timeout=WAIT)

    def shown(self) -> np.ndarray:
        bytes_ = self.server.http.get(image_of(self.page).removeprefix("/api")).content
        return np.asarray(Pillow.open(io.BytesIO(bytes_)).convert("L"))


def value(handle: Locator) -> float:
    return float(handle.get_attribute("aria-valuenow") or "nan")


def drag(page: Page, handle: Locator, dx: float, dy: float, idle: bool = True) -> None:
    expect(page.locator(".sheet > img")).to_have_attribute("src", re.compile("^data:"))  # the step's own view
    if idle:
        expect(page.get_by_role("status").filter(has_text="trying it")).to_have_count(0)
    box = handle.bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + dx, y + dy, steps=6)
    page.mouse.up()


LATE_PREVIEWS = """() => {
  const fetch = window.fetch;
  window.fetch = async (...asked) => {
    if (String(asked[0].url ?? asked[0]).includes('/preview')) await new Promise((on) => setTimeout(on, 2000));
    return fetch(...asked);
  };
}"""


def test_a_corner_is_dragged_and_taken_back_in_one_step(page: Page, server: Server, small_scan: Path) -> None:
    desk = Desk(page, server, "Corners", small_scan)
    step(page, "Outline").get_by_text("hand").click()
    corner = page.get_by_role("slider", name="Upper left corner")
    expect(corner).to_be_visible()
    began = value(corner)
    drag(page, corner, 40, 30)
    assert value(corner) > began + 3  # millimetres
    page.keyboard.press("Control+z")
    expect(corner).to_have_attribute("aria-valuenow", f"{began:g}")
    # What tells that a change is being tried lies over this corner and does not catch the pointer.
    page.evaluate(LATE_PREVIEWS)
    corner.press("ArrowRight")
    expect(page.locator(".making")).to_be_visible()
    drag(page, corner, 40, 30, idle=False)
    assert value(corner) > began + 3
    step(page, "Outline").get_by_role("button", name="Done").click()
    expect(step(page, "Outline")).to_contain_text("squared by hand")
    desk.clean()
    moved = desk.detail()["treatment"]["outline"]["corners"][0][0] * 25.4
    assert began + 3 < moved < began + 40


def test_a_slider_is_one_step_back_however_far_it_was_moved(page: Page, server: Server, small_scan: Path) -> None:
    Desk(page, server, "Sliders", small_scan)
    step(page, "Ink").get_by_text("hand").click()
    darker = step(page, "Ink").get_by_label("darker")
    began = darker.input_value()
    drag(page, darker, 60, 0)
    assert float(darker.input_value()) > float(began) + 0.1
    page.keyboard.press("Control+z")
    expect(darker).to_have_value(began)


def test_the_grid_of_a_bent_page_is_set_by_hand(page: Page, server: Server, bent: Path) -> None:
    desk = Desk(page, server, "Grids", bent)
    expect(step(page, "Flat")).to_contain_text("flattened")
    step(page, "Flat").get_by_text("hand").click()
    knots = page.get_by_role("slider", name=re.compile("^Grid row"))
    expect(knots).to_have_count(45)
    knot = page.get_by_role("slider", name="Grid row 2, column 5")
    began = value(knot)
    drag(page, knot, 0, 25)
    assert value(knot) > began + 2
    step(page, "Flat").get_by_role("button", name="Done").click()
    expect(step(page, "Flat")).to_contain_text("flattened by hand")
    desk.clean()
    assert len(desk.detail()["treatment"]["flatten"]["bend"]["down"]) == 5


def test_the_loupe_lays_the_scan_of_a_bent_page_under_the_pointer(page: Page, server: Server, bent: Path) -> None:
    desk = Desk(page, server, "Loupes", bent)
    detail = desk.detail()
    width, height = detail["cleaned_size"]
    mesh = Mesh.model_validate(detail["mesh"])
    cleaned = Cleaned.model_construct(width=width, height=height, to_original=detail["to_original"], mesh=mesh)
    page.get_by_role("button", name="Loupe", exact=True).click()
    sheet = page.locator(".sheet").bounding_box()
    assert sheet is not None
    scale = sheet["width"] / cleaned.width
    for x, y in ((0.15, 0.1), (0.6, 0.2)):
        at = (sheet["x"] + x * sheet["width"], sheet["y"] + y * sheet["height"])
        page.mouse.move(*at)
        lens = page.locator(".loupe[aria-hidden]").bounding_box()
        assert lens is not None
        assert lens["x"] + lens["width"] / 2 == pytest.approx(at[0], abs=1)
        style = page.locator(".loupe[aria-hidden] img").evaluate("e => e.style.transform")
        a, b, c, d, e, f = (float(v) for v in re.findall(r"-?[\d.]+(?:e-?\d+)?", style))
        place = np.array([[(at[0] - sheet["x"]) / scale, (at[1] - sheet["y"]) / scale]])
        ((ox, oy),) = cleaned.original_points(place)
        under = (a * ox + c * oy + e, b * ox + d * oy + f)
        assert under == pytest.approx((130, 130), abs=2)


def test_a_spread_is_split_where_the_clerk_puts_the_fold(page: Page, server: Server, small_scan: Path) -> None:
    desk = Desk(page, server, "Folds", small_scan)
    step(page, "Spread").get_by_text("hand").click()
    top = page.get_by_role("slider", name="Fold at the top")
    expect(top).to_be_visible()
    began = value(top)
    drag(page, top, 30, 0)
    assert value(top) > began + 2
    step(page, "Spread").get_by_role("button", name="Done").click()
    page.get_by_role("button", name="Clean this page").click()
    desk.until(lambda: len(desk.pages()) == 2)
    assert [p["half"] for p in desk.pages()] == ["left", "right"]
    expect(page.locator(".ribbon .page")).to_have_count(2, timeout=WAIT)


def test_what_was_erased_is_put_back_in_part(page: Page, server: Server, small_scan: Path) -> None:
    desk = Desk(page, server, "Patches", small_scan)
    before = desk.shown()
    sheet = page.locator(".sheet").bounding_box()
    assert sheet is not None

    def draw(tool: str, left: float, top: float, right: float, bottom: float) -> None:
        page.get_by_role("button", name=tool, exact=True).click()
        page.mouse.move(sheet["x"] + left * sheet["width"], sheet["y"] + top * sheet["height"])
        page.mouse.down()
        page.mouse.move(sheet["x"] + right * sheet["width"], sheet["y"] + bottom * sheet["height"], steps=5)
        page.mouse.up()

    # The box of the page's ink in shares, so that the areas hold text whatever the page says.
    rows, columns = np.flatnonzero((before < 128).any(1)), np.flatnonzero((before < 128).any(0))
    top, bottom = rows[0] / len(before), min(rows[-1] / len(before), 0.8)
    left, right = columns[0] / before.shape[1], columns[-1] / before.shape[1]
    middle = (left + right) / 2
    draw("Area", left - 0.02, top - 0.02, right + 0.02, bottom)
    expect(step(page, "By hand")).to_contain_text("1 place")
    draw("Put back", left - 0.02, top - 0.02, middle, bottom)
    expect(step(page, "By hand")).to_contain_text("2 places")
    desk.clean()
    after = desk.shown()
    assert after.shape == before.shape

    def ink(image: np.ndarray, a: float, b: float) -> int:
        rows = slice(int((top + 0.02) * len(image)), int((bottom - 0.02) * len(image)))
        return int((image[rows, int(a * image.shape[1]) : int(b * image.shape[1])] < 128).sum())

    assert ink(after, middle + 0.03, right) == 0 < ink(before, middle + 0.03, right)
    assert ink(after, left, middle - 0.03) == pytest.approx(ink(before, left, middle - 0.03), rel=0.02)


def test_a_treatment_goes_to_the_whole_batch_and_is_taken_back(
    page: Page, server: Server, small_scan: Path, tmp_path: Path
) -> None:
    other = tmp_path / "other.png"
    with Pillow.open(small_scan) as image:
        image.crop((0, 0, image.width, image.height - 40)).save(other, dpi=(150, 150))
    desk = Desk(page, server, "Batches", small_scan, other)
    desk.until(lambda: all(p["has_content"] for n in (0, 1) for p in desk.pages(n)))

    def switches() -> set[str]:
        return {desk.detail(0, n)["treatment"]["output"]["switch"] for n in (0, 1)}

    assert switches() == {"automatic"}
    step(page, "Colours").get_by_text("hand").click()
    page.get_by_label("Colours of the page").select_option("black_and_white")
    page.get_by_role("combobox", name="For", exact=True).select_option("batch")
    page.get_by_role("button", name="Clean the whole batch").click()
    expect(page.get_by_text("2 pages are cleaned again")).to_be_visible()
    desk.until(lambda: switches() == {"by_hand"} and all(p["task_state"] == "done" for p in desk.pages()))
    # For whom it is, is asked anew; what was done is taken back on the document in hand.
    page.get_by_role("button", name=re.compile("^Undo: treatment")).click()
    expect(page.get_by_text("Undone: treatment of 1 page")).to_be_visible()
    desk.until(lambda: switches() == {"automatic", "by_hand"})
