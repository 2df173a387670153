"""The whole job in the real interface, driven in headless Chromium."""

from __future__ import annotations

import io
import re
import shutil
from pathlib import Path

import pikepdf
import pytest
from docx import Document
from PIL import Image as Pillow
from playwright.sync_api import Page, expect

from hyalen.demo.archive import REPORT_1
from hyalen.demo.spoil import AGED, Spoiling, spoil
from hyalen.demo.typeset import Typesetter
from tests.helpers import WAIT, Server, begin, image_of, many_pages, step, until


@pytest.fixture(scope="module")
def scan(setter: Typesetter, tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("scan") / "Inspection 1931.png"
    image = spoil(
        setter.set(REPORT_1).image, 300, Spoiling(skew=1.7, bed=0.3, tint=AGED, shade=0.3, specks=400, noise=5), 3
    )
    Pillow.fromarray(image).save(path, dpi=(300, 300))
    return path


def test_the_whole_job(page: Page, scan: Path, tmp_path: Path) -> None:
    bad = tmp_path / "letter.pdf"
    bad.write_text("no PDF at all")
    begin(page, "Box 14", scan, bad)
    expect(page.get_by_label("Problems")).to_contain_text("letter.pdf")
    expect(page.locator("[data-document] .count")).to_be_visible(timeout=WAIT)
    page.get_by_role("button", name="Inspection 1931.png", exact=True).click()

    # Proof: the first doubt is lifted off the page and corrected on its ink.
    count = page.locator("nav .here .count")
    expect(count).to_be_visible()
    before = int(count.inner_text())
    page.get_by_role("button", name="Next doubt", exact=True).click()
    field = page.locator("[data-lifted] input.here")
    expect(field).to_be_focused()
    field.fill("corrected-on-its-ink")
    field.press("Enter")
    expect(field).not_to_have_value("corrected-on-its-ink")
    expect(count).to_have_text(str(before - 1))
    page.keyboard.press("Escape")

    # Tag: the figure is described, a block becomes a heading by key and moves up by key.
    expect(page.locator("[data-lifted]")).to_have_count(0)
    page.get_by_role("button", name="Tag").click()
    page.locator("[data-region]", has_text=", not described").get_by_role("button").first.click()
    page.get_by_label("Description").fill("A lighthouse on a rock")
    page.get_by_label("Description").press("Enter")
    expect(page.locator("[data-region]", has_text="A lighthouse on a rock")).to_be_visible()
    blocks = page.locator("[data-region]")
    second = blocks.nth(1).get_attribute("data-region")
    page.keyboard.press("Escape")
    page.locator(f"[data-region='{second}'] > button").click()
    page.get_by_label("Role").select_option("heading_3")
    expect(page.locator(f"[data-region='{second}'] .sign")).to_have_text("H3")
    page.get_by_role("region", name="Sheet").focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(blocks.first).to_have_attribute("data-region", second or "")
    page.keyboard.press("Control+z")
    expect(blocks.nth(1)).to_have_attribute("data-region", second or "")
    page.keyboard.press("Control+Shift+z")
    expect(blocks.first).to_have_attribute("data-region", second or "")

    # What was done is still there after a reload, and can still be undone.
    page.reload()
    expect(page.locator("[data-region]").first).to_have_attribute("data-region", second or "")
    expect(page.get_by_role("button", name="Undo")).to_be_enabled()

    # Check: the title is given; deliver; open what was delivered.
    page.get_by_role("button", name="Check").click()
    page.get_by_label("Title").fill("Inspection of Torgrunn")
    page.get_by_label("Title").press("Enter")
    expect(page.get_by_label("Findings")).not_to_contain_text("file's name")
    page.get_by_role("button", name="Deliver", exact=True).click()
    page.get_by_role("checkbox", name="Join tables that go on over pages").focus()
    page.keyboard.press("Space")
    with page.expect_request(lambda r: r.method == "POST" and r.url.endswith("/deliveries")) as asked:
        page.get_by_role("button", name="Make 2 files").click()
    assert asked.value.post_data_json["options"]["join_tables"] is True
    with page.expect_download(timeout=WAIT) as got:
        page.get_by_role("link", name="Inspection-1931.pdf").click(timeout=WAIT)
    with pikepdf.open(got.value.path()) as pdf:
        top = pdf.Root.StructTreeRoot.K[0].K
        assert str(top[0].S) == "/H3" and str(pdf.docinfo.Title) == "Inspection of Torgrunn"
        assert [str(k.Alt) for k in top if str(k.S) == "/Figure"] == ["A lighthouse on a rock"]
    with page.expect_download() as got:
        page.get_by_role("link", name="Inspection-1931.docx").click(timeout=WAIT)
    kept = tmp_path / "got.docx"
    shutil.copy(got.value.path(), kept)
    text = "\n".join(p.text for p in Document(io.BytesIO(kept.read_bytes())).paragraphs)
    assert "corrected-on-its-ink" in text


def test_pages_turn_by_key_and_the_ribbon_stays_short_at_500_pages(
    page: Page, small_scan: Path, server: Server, tmp_path: Path
) -> None:
    many = many_pages(tmp_path / "many.tif", small_scan, 500)
    begin(page, "Long", many)
    page.get_by_role("button", name="many.tif", exact=True).click(timeout=WAIT)
    batch = next(b["id"] for b in server.http.get("/batches").json() if b["name"] == "Long")
    server.http.post(f"/batches/{batch}/cancel")
    expect(page.get_by_text("of 500")).to_be_visible()
    assert page.locator(".ribbon .page").count() < 40
    page.get_by_role("region", name="Sheet").focus()
    page.keyboard.press("PageDown")
    expect(page.locator(".ribbon .page.here")).to_have_attribute("aria-label", re.compile("^Page 2"))
    for _ in range(20):  # every press counts, however fast
        page.keyboard.press("PageDown")
    expect(page.locator(".ribbon .page.here")).to_have_attribute("aria-label", re.compile("^Page 22"))
    page.keyboard.press("End")
    expect(page.locator(".ribbon .page.here")).to_have_attribute("aria-label", re.compile("^Page 500"))
    assert page.locator(".ribbon .page").count() < 40
    server.http.delete(f"/batches/{batch}")


def test_two_hundred_files_are_dropped_found_and_put_in_order(page: Page, server: Server, tmp_path: Path) -> None:
    batch = server.http.post("/batches", json={"name": "Two hundred", "languages": ["eng"]}).json()["id"]
    server.http.put(f"/batches/{batch}/pause", json={"paused": True})
    files = [tmp_path / f"letter {n}.png" for n in range(200)]
    for path in files:
        Pillow.new("L", (60, 80), 230).save(path)
    files[7].write_text("no picture")
    page.goto(f"{page.url.split('#')[0]}#/batch/{batch}/bring-in")
    page.set_input_files("#files", [str(f) for f in files])
    expect(page.get_by_text("199 documents")).to_be_visible(timeout=WAIT)
    expect(page.get_by_label("Problems")).to_contain_text("letter 7.png")
    rows = page.locator("[data-document]")
    expect(rows.first).to_contain_text("letter 0.png")
    assert rows.count() < 40  # only those in sight are drawn
    page.get_by_role("combobox", name="Order", exact=True).select_option("by name")
    expect(rows.nth(2)).to_contain_text("letter 2.png")  # and not 10
    page.get_by_label("Documents whose name has").fill("19")
    expect(rows).to_have_count(12)  # 19, 119, 190 to 199
    page.get_by_label("Documents whose name has").fill("lamp")
    expect(page.get_by_text("No document is like that.")).to_be_visible()
    page.get_by_label("Documents whose name has").fill("")
    page.get_by_role("group", name="Documents that are").get_by_role("button", name="at work").click()
    expect(page.get_by_role("list", name="Documents").get_by_role("listitem").first).to_have_attribute(
        "aria-setsize", "199"
    )
    page.get_by_role("list", name="Documents").evaluate("box => box.scrollTo(0, box.scrollHeight)")
    expect(rows.last).to_contain_text("letter 199.png")
    server.http.delete(f"/batches/{batch}")


def test_an_edit_made_elsewhere_is_not_overwritten(page: Page, server: Server, small_scan: Path) -> None:
    begin(page, "Two clerks", small_scan)
    page.get_by_role("button", name="small.png", exact=True).click(timeout=WAIT)
    expect(page.locator("[data-region]").first).to_be_visible(timeout=WAIT)
    batch = next(b["id"] for b in server.http.get("/batches").json() if b["name"] == "Two clerks")
    document = server.http.get(f"/batches/{batch}").json()["documents"][0]["id"]
    page_id = server.http.get(f"/documents/{document}").json()["pages"][0]["id"]
    now = server.http.get(f"/pages/{page_id}").json()
    region = now["content"]["regions"][0]["id"]
    server.http.post(
        f"/pages/{page_id}/edits",
        json={"revision": now["revision"], "operation": {"op": "set_role", "region_id": region, "role": "caption"}},
    )
    page.locator(f"[data-region='{region}'] > button").click()
    page.get_by_label("Role").select_option("heading_5")
    expect(page.get_by_text("nothing was overwritten")).to_be_visible()
    expect(page.locator(f"[data-region='{region}'] .sign")).to_have_text("C")


def test_empty_states_and_keys_are_explained(page: Page) -> None:
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("next, previous doubt")
    page.keyboard.press("Escape")
    begin(page, "Empty")
    expect(page.get_by_text("No documents yet")).to_be_visible()
    page.get_by_role("button", name="Hyalen").click()
    page.get_by_role("button", name="Remove Empty").click()
    page.get_by_role("dialog").get_by_role("button", name="Remove", exact=True).click()
    expect(page.get_by_role("button", name="Remove Empty")).to_have_count(0)


AXE = Path(__file__).parent.parent / "frontend/node_modules/axe-core/axe.min.js"


def test_every_screen_meets_wcag_as_far_as_a_program_can_tell(page: Page, server: Server, small_scan: Path) -> None:
    # WCAG 2.2 A and AA, by axe-core's rules.
    def check(screen: str) -> None:
        page.wait_for_timeout(600)
        page.evaluate(AXE.read_text("utf8"))
        found = page.evaluate(
            """async () => (await axe.run({runOnly: ['wcag2a', 'wcag2aa', 'wcag21aa', 'wcag22aa']})).violations
                 .map(v => v.id + ': ' + v.nodes.map(n => n.target.join(' ')).slice(0, 3).join(' | '))"""
        )
        assert found == [], screen

    check("trolley")
    begin(page, "Checked", small_scan)
    expect(page.get_by_role("button", name="small.png", exact=True)).to_be_visible(timeout=WAIT)
    check("bring in")
    page.get_by_role("button", name="small.png", exact=True).click()
    expect(page.locator("[data-region]").first).to_be_visible(timeout=WAIT)
    page.locator("[data-region] > button").first.click()
    page.get_by_role("region", name="Sheet").focus()
    page.keyboard.press("Enter")
    expect(page.locator("[data-lifted]")).to_be_visible()
    check("proof with a line in hand")
    page.keyboard.press("Alt+a")
    page.keyboard.press("Alt+c")
    expect(page.get_by_role("dialog", name="Characters").get_by_role("button").first).to_be_visible()
    check("setting and characters")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    page.keyboard.press("v")
    expect(page.get_by_role("region", name="Slips")).to_be_visible()
    check("slips")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Word lists…").click()
    check("word lists")
    page.keyboard.press("Escape")
    for stage in ("Clean", "Read", "Tag", "Check", "Deliver"):
        page.get_by_role("navigation", name="Stages").get_by_role("button", name=stage).click()
        if stage == "Check":
            for fold in ("Particulars", "Abbreviations", "Page labels"):
                page.locator("summary", has_text=fold).click()
            page.get_by_role("button", name="Another range").click()
        check(stage)
        if stage == "Tag":
            page.keyboard.press("o")
            expect(page.get_by_role("region", name="Headings and bookmarks")).to_be_visible()
            check("headings and bookmarks")
            page.keyboard.press("Escape")
        if stage == "Deliver":
            page.get_by_role("button", name="See and weigh it").click()
            expect(page.get_by_role("img", name="as scanned")).to_have_js_property("complete", True, timeout=WAIT)
            check("quality by its sample")
        if stage == "Clean":
            step(page, "Outline").get_by_text("hand").click()
            expect(page.get_by_role("slider", name="Upper left corner")).to_be_visible()
            check("handles")
            page.get_by_role("button", name="Forget").click()
            page.get_by_role("button", name="All pages").click()
            check("contact sheet")
            page.get_by_role("button", name="Back to the sheet").click()


def test_a_page_is_cleaned_by_hand_before_the_clerks_eyes(page: Page, scan: Path) -> None:
    begin(page, "Cleaned", scan)
    page.get_by_role("button", name="Inspection 1931.png", exact=True).click(timeout=WAIT)
    expect(page.locator("[data-region]").first).to_be_visible(timeout=WAIT)
    page.get_by_role("navigation", name="Stages").get_by_role("button", name="Clean").click()
    expect(step(page, "Straight")).to_contain_text("straightened 1.")
    before = image_of(page)

    # A setting shows at once, is taken back by key, and touches nothing until it is applied.
    step(page, "Paper").get_by_text("off").click()
    expect(page.locator(".sheet > img")).to_have_attribute("src", re.compile("^data:"))
    expect(step(page, "Paper")).to_contain_text("left as scanned")
    page.keyboard.press("Control+z")  # while the switch still has the focus
    expect(page.locator(".sheet > img")).to_have_attribute("src", before)

    # The seam shows the scan beneath and moves by key; the untouched scan shows while its key is held.
    page.keyboard.press("s")
    seam = page.get_by_role("slider", name="Seam")
    expect(seam).to_be_visible()
    at = int(seam.get_attribute("aria-valuenow") or 0)
    seam.press("ArrowLeft")
    expect(seam).to_have_attribute("aria-valuenow", str(at - 2))
    page.get_by_role("region", name="Sheet").focus()
    page.keyboard.press("s")
    expect(seam).to_have_count(0)
    page.keyboard.down("u")
    expect(page.get_by_alt_text("The untouched scan")).to_be_visible()
    page.keyboard.up("u")
    expect(page.get_by_alt_text("The untouched scan")).to_have_count(0)

    # The cut is moved on the sheet; an area is erased; both are applied to the page.
    step(page, "Cut").get_by_text("hand").click()
    handle = page.get_by_role("slider", name="Upper cut")
    expect(handle).to_be_visible()
    began = float(handle.get_attribute("aria-valuenow") or 0)
    handle.focus()
    for _ in range(3):
        page.keyboard.press("Shift+ArrowDown")
    expect(handle).not_to_have_attribute("aria-valuenow", str(began))
    left = page.get_by_role("slider", name="Left cut")
    at_left = float(left.get_attribute("aria-valuenow") or 0)
    grip = left.bounding_box()
    assert grip is not None
    page.mouse.move(grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2)
    page.mouse.down()
    page.mouse.move(grip["x"] + grip["width"] / 2 + 20, grip["y"] + grip["height"] / 2, steps=4)
    page.mouse.up()
    assert float(left.get_attribute("aria-valuenow") or 0) > at_left + 3  # millimetres
    step(page, "Cut").get_by_role("button", name="Done").click()
    expect(page.get_by_role("status").filter(has_text="trying it")).to_have_count(0)
    page.get_by_role("button", name="Area").click()
    sheet = page.locator(".sheet").bounding_box()
    assert sheet is not None
    page.mouse.move(sheet["x"] + 100, sheet["y"] + 60)
    page.mouse.down()
    page.mouse.move(sheet["x"] + 300, sheet["y"] + 160, steps=4)
    page.mouse.up()
    expect(step(page, "By hand")).to_contain_text("1 place erased")
    page.get_by_role("button", name="Freehand").click()
    page.mouse.move(sheet["x"] + 400, sheet["y"] + 60)
    page.mouse.down()
    for x, y in ((460, 70), (470, 120), (420, 140), (400, 100)):
        page.mouse.move(sheet["x"] + x, sheet["y"] + y, steps=3)
    page.mouse.up()
    expect(step(page, "By hand")).to_contain_text("2 places erased")
    page.get_by_role("button", name="Clean this page").click()
    expect(page.get_by_text("The page is cleaned again")).to_be_visible()
    expect(page.locator(".sheet > img")).to_have_attribute("src", re.compile("^/api/blobs/"), timeout=WAIT)
    expect(page.locator(".sheet > img")).not_to_have_attribute("src", before, timeout=WAIT)
    expect(step(page, "Cut")).to_contain_text("cut by hand")

    # It is saved under a name, and the change is taken back.
    page.get_by_role("button", name="Save as").click()
    page.get_by_label("Name").fill("Reports")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_label("Saved treatments")).to_have_value("Reports")
    page.get_by_role("button", name=re.compile("^Undo: treatment")).click()
    expect(step(page, "Cut")).not_to_contain_text("cut by hand", timeout=WAIT)


LATE_DOUBTS = """() => {
  const fetch = window.fetch;
  window.fetch = async (...asked) => {
    const answer = await fetch(...asked);
    if (String(asked[0].url ?? asked[0]).includes('/doubts')) await new Promise((on) => setTimeout(on, 1000));
    return answer;
  };
}"""


def test_pages_are_arranged_on_the_contact_sheet(page: Page, small_scan: Path, tmp_path: Path) -> None:
    begin(page, "Arranged", many_pages(tmp_path / "four.tif", small_scan, 4))
    page.get_by_role("button", name="four.tif", exact=True).click(timeout=WAIT)
    expect(page.locator(".ribbon .page img")).to_have_count(4, timeout=WAIT)
    page.get_by_role("button", name="All pages").click()
    pages = page.get_by_role("listbox", name="Pages").get_by_role("option")
    expect(pages).to_have_count(4)

    def order() -> list[str]:
        return [p.get_attribute("src") or "" for p in page.locator(".contact .page img").all()]

    def leads(src: str) -> None:
        expect(page.locator(".contact .page img").first).to_have_attribute("src", src)

    first = order()
    pages.nth(1).click()
    pages.nth(2).click(modifiers=["Shift"])
    expect(page.get_by_text("2 picked")).to_be_visible()
    page.keyboard.press("Alt+ArrowLeft")
    leads(first[1])
    assert order() == [first[1], first[2], first[0], first[3]]
    pages.nth(3).drag_to(pages.nth(0))
    leads(first[3])
    assert order() == [first[3], first[1], first[2], first[0]]
    page.get_by_role("button", name="Undo: order of the pages").click()
    leads(first[1])
    page.keyboard.press("Control+Shift+z")
    leads(first[3])
    page.keyboard.press("Control+z")
    leads(first[1])
    pages.nth(0).click()
    page.keyboard.press("Delete")
    expect(pages).to_have_count(3)
    # What is picked while the answers about a change still come in stays picked.
    page.evaluate(LATE_DOUBTS)
    with page.expect_response(re.compile("/doubts")) as late:
        page.get_by_role("button", name="Put back what was page 1").click()
        expect(pages).to_have_count(4)
        assert order()[0] == first[1]
        page.keyboard.press("Control+a")
        expect(page.get_by_text("4 picked")).to_be_visible()
    late.value.finished()
    page.wait_for_timeout(1500)
    expect(page.get_by_text("4 picked")).to_be_visible()
    page.get_by_role("button", name="Upside down").click()
    expect(page.get_by_text("4 pages turned")).to_be_visible()
    pages.nth(2).dblclick()
    expect(page.locator(".ribbon .page.here")).to_have_attribute("aria-label", re.compile("^Page 3"))


def test_what_was_typed_stays_on_its_page_when_the_page_is_turned(
    page: Page, server: Server, small_scan: Path, tmp_path: Path
) -> None:
    begin(page, "Turned", many_pages(tmp_path / "two.tif", small_scan, 2))
    page.get_by_role("button", name="two.tif", exact=True).click(timeout=WAIT)
    batch = next(b["id"] for b in server.http.get("/batches").json() if b["name"] == "Turned")
    document = server.http.get(f"/batches/{batch}").json()["documents"][0]["id"]
    expect(page.locator(".ribbon .page .mark, .ribbon .page img")).not_to_have_count(0, timeout=WAIT)
    expect(page.locator("[data-region]").first).to_be_visible(timeout=WAIT)
    end = 60
    while not all(p["has_content"] for p in server.http.get(f"/documents/{document}").json()["pages"]):
        page.wait_for_timeout(500)
        end -= 1
        assert end > 0
    page.wait_for_timeout(1500)
    page.locator("[data-region] > button").first.click()
    page.get_by_role("region", name="Sheet").focus()
    page.keyboard.press("Enter")
    field = page.locator("[data-lifted] input.here")
    expect(field).to_be_focused()
    field.fill("typedhere")
    field.press("PageDown")
    expect(page.locator(".ribbon .page.here")).to_have_attribute("aria-label", re.compile("^Page 2"))
    first, second = (p["id"] for p in server.http.get(f"/documents/{document}").json()["pages"])
    until(page, lambda: "typedhere" in server.http.get(f"/pages/{first}").text)
    assert "typedhere" not in server.http.get(f"/pages/{second}").text
