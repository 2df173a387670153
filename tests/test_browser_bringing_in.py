"""Bring in, in the interface: documents joined, split, told by a table and put in order, and a watched folder."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PIL import Image as Pillow
from playwright.sync_api import Page, expect

from tests.helpers import WAIT, Server


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    home = tmp_path_factory.mktemp("bringing")
    made = Server(home / "data", "--watch", str(home / "folders"))
    yield made
    made.kill()


def resting(server: Server, page: Page, name: str) -> int:
    batch: int = server.http.post("/batches", json={"name": name, "languages": ["eng"]}).json()["id"]
    server.http.put(f"/batches/{batch}/pause", json={"paused": True})
    page.goto(f"{page.url.split('#')[0]}#/batch/{batch}/bring-in")
    expect(page.get_by_text("No documents yet")).to_be_visible()
    return batch


def pictures(folder: Path, *names: str) -> list[str]:
    for n, name in enumerate(names):
        Pillow.new("L", (60, 80 + n), 230).save(folder / name)
    return [str(folder / name) for name in names]


def test_documents_are_joined_split_and_put_in_order(page: Page, server: Server, tmp_path: Path) -> None:
    batch = resting(server, page, "Joined")
    page.get_by_label("all into one document").check()
    page.set_input_files("#files", pictures(tmp_path, "page 10.png", "page 9.png", "page 1.png"))
    rows = page.get_by_role("list", name="Documents").get_by_role("listitem")
    expect(rows).to_have_count(1, timeout=WAIT)
    expect(rows.first).to_contain_text("page 1.png")  # the first by name gives the document its name
    expect(rows.first).to_contain_text("3 pages")
    page.get_by_label("all into one document").uncheck()
    page.set_input_files("#files", pictures(tmp_path, "other.png"))
    expect(rows).to_have_count(2)
    page.get_by_label("Pick page 1.png").focus()
    page.keyboard.press("Alt+ArrowDown")
    expect(rows.first).to_contain_text("other.png")
    page.get_by_label("Pick page 1.png").check()
    page.get_by_label("Pick other.png").check()
    page.get_by_role("button", name="Join into one").click()
    page.get_by_role("dialog").get_by_role("button", name="Join").click()
    expect(rows).to_have_count(1)
    expect(rows.first).to_contain_text("4 pages")
    document = server.http.get(f"/batches/{batch}").json()["documents"][0]["id"]
    page.goto(f"{page.url.split('#')[0]}#/document/{document}/clean/1")
    page.get_by_role("button", name="All pages").click()
    page.get_by_role("option", name="Page 3").click()
    page.get_by_role("button", name="Begin a document here").click()
    expect(page.get_by_text("2 pages", exact=True)).to_be_visible()
    told = server.http.get(f"/batches/{batch}").json()["documents"]
    assert [(d["name"], d["pages"]) for d in told] == [("other.png", 2), ("other part 2.png", 2)]
    page.get_by_role("option", name="Page 2").click()
    page.get_by_label("Move the picked pages to").select_option("other part 2.png")
    expect(page.get_by_text("1 pages")).to_be_visible()
    assert [d["pages"] for d in server.http.get(f"/batches/{batch}").json()["documents"]] == [1, 3]


def test_a_table_tells_titles_and_its_useless_lines_are_named(page: Page, server: Server, tmp_path: Path) -> None:
    batch = resting(server, page, "Told")
    page.set_input_files("#files", pictures(tmp_path, "a.png", "b.png"))
    rows = page.get_by_role("list", name="Documents").get_by_role("listitem")
    expect(rows).to_have_count(2, timeout=WAIT)
    (tmp_path / "table.csv").write_text("file;title;reference\na.png;The lamp of Grimhaug;SLB 1\nno.png;x;y\n")
    page.set_input_files("#table", str(tmp_path / "table.csv"))
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("line 3 (no.png): no document of the batch has this name")
    page.keyboard.press("Escape")
    expect(rows.first).to_contain_text("The lamp of Grimhaug · SLB 1")
    document = server.http.get(f"/batches/{batch}").json()["documents"][0]["id"]
    assert server.http.get(f"/documents/{document}").json()["particulars"]["reference"] == "SLB 1"
    (tmp_path / "no.csv").write_text("name,colour\na,b\n")
    page.set_input_files("#table", str(tmp_path / "no.csv"))
    expect(page.get_by_text("the first line names the columns")).to_be_visible()


def test_what_is_put_into_the_batchs_folder_comes_into_the_batch(page: Page, server: Server, tmp_path: Path) -> None:
    batch = resting(server, page, "Box 14: letters")
    page.get_by_label("Watch a folder").check()
    expect(page.get_by_role("group", name="Watched folder")).to_contain_text("Box-14")
    folder = Path(server.http.get(f"/batches/{batch}").json()["inbox"])
    pictures(folder, "one.png", "two.png")
    (folder / "bad.tif").write_text("no picture")
    rows = page.get_by_role("list", name="Documents").get_by_role("listitem")
    expect(rows).to_have_count(2, timeout=WAIT)
    expect(page.get_by_label("Problems")).to_contain_text("bad.tif")
    assert sorted(p.name for p in (folder / "done").iterdir()) == ["one.png", "two.png"]
    assert "bad.tif" in (folder / "problems/bad.tif.txt").read_text()
    page.get_by_label("Watch a folder").uncheck()
    expect(page.get_by_text("come into this batch by themselves")).to_be_visible()
    assert server.http.get(f"/batches/{batch}").json()["inbox"] is None


def test_several_documents_are_told_at_once(page: Page, server: Server, tmp_path: Path) -> None:
    batch = resting(server, page, "At once")
    page.set_input_files("#files", pictures(tmp_path, "a.png", "b.png", "c.png"))
    rows = page.get_by_role("list", name="Documents").get_by_role("listitem")
    expect(rows).to_have_count(3, timeout=WAIT)
    page.get_by_label("Pick a.png").click()
    page.get_by_role("button", name="Tell of it…").click()
    page.get_by_label("Title").fill("The lamp of Grimhaug")
    page.get_by_role("dialog").get_by_role("button", name="Tell", exact=True).click()
    expect(rows.first).to_contain_text("The lamp of Grimhaug")
    page.get_by_label("Pick c.png").click(modifiers=["Shift"])
    page.get_by_role("button", name="Tell of them…").click()
    expect(page.get_by_label("Title")).to_have_count(0)
    page.get_by_label("Rights").fill("free to use")
    page.get_by_role("dialog").get_by_role("button", name="Tell", exact=True).click()
    expect(page.get_by_text("3 documents told")).to_be_visible()
    told = [
        server.http.get(f"/documents/{d['id']}").json()
        for d in server.http.get(f"/batches/{batch}").json()["documents"]
    ]
    assert [d["particulars"]["rights"] for d in told] == ["free to use"] * 3
    assert [d["title"] for d in told] == ["The lamp of Grimhaug", "b", "c"]
