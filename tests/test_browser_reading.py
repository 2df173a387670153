"""Columns, few dots and tables of real files, read right in the interface itself."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from PIL import Image as Pillow
from playwright.sync_api import Page, expect

from hyalen.core.formats.source import Limits
from hyalen.demo.archive import LETTER_2
from hyalen.demo.gazette import GAZETTE, TIDES
from hyalen.demo.spoil import AGED, Spoiling, spoil
from hyalen.demo.typeset import Typesetter
from hyalen.store.store import Store
from hyalen.work.foreman import Foreman
from hyalen.work.intake import take_in_file
from tests.helpers import AT_ONCE, Server, until_idle

COLUMNS, TABLES, COARSE = 1, 2, 3
HOW = Spoiling(skew=0.7, tint=AGED, specks=150, noise=4)


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory, setter: Typesetter) -> Iterator[Server]:
    """A server on three scans that were read from their files: four columns, tables, a letter at 90 dots an inch."""
    folder = tmp_path_factory.mktemp("reading")
    store = Store(folder / "data")
    batch = store.documents.add_batch("Real work", ["eng"])
    for name, html, dpi in (("gazette", GAZETTE, 300), ("tides", TIDES, 300), ("letter", LETTER_2, 90)):
        picture = Pillow.fromarray(spoil(setter.set(html, 300).image, 300, HOW, seed=5))
        path = folder / f"{name}.png"
        size = round(picture.width * dpi / 300), round(picture.height * dpi / 300)
        picture.resize(size).save(path, dpi=(dpi, dpi))
        take_in_file(store, AT_ONCE, batch, path, Limits())
    foreman = Foreman(store, 2)
    foreman.start()
    until_idle(foreman)
    foreman.stop()
    store.close()
    made = Server(folder / "data")
    yield made
    made.kill()


def script(page: Page, server: Server, document: int) -> list[str]:
    """The first words of the blocks in the order in which they will be read aloud."""
    page.goto(f"http://127.0.0.1:{server.port}/#/document/{document}/tag/1")
    blocks = page.locator("[data-region] > button")
    expect(blocks.nth(3)).to_be_visible()
    return [text.strip() for text in blocks.all_inner_texts()]


def position(blocks: list[str], start: str) -> int:
    found = [i for i, text in enumerate(blocks) if start in text]
    assert found, f"{start!r} is not among {blocks}"
    return found[0]


def test_four_columns_are_read_one_after_the_other_under_their_headline(page: Page, server: Server) -> None:
    blocks = script(page, server, COLUMNS)
    starts = [
        "THE LIGHTS",
        "The winter",
        "The Secretary",
        "From the",
        "Torgrunn has",
        "Rules to",
        "Keepers are",
        "An old",
        "Whoever",
    ]
    places = [position(blocks, start) for start in starts]
    assert places == sorted(places)


def test_a_page_of_ninety_dots_an_inch_is_read_and_its_want_told(page: Page, server: Server) -> None:
    blocks = script(page, server, COARSE)
    places = [position(blocks, start) for start in ("The tender", "I regret", "The fog", "I have the")]
    assert places == sorted(places)
    page.goto(f"http://127.0.0.1:{server.port}/#/document/{COARSE}/clean/1")
    expect(page.get_by_text("enlarged").first).to_be_visible()


def test_tables_with_rules_and_without_are_tables_in_the_read_through(page: Page, server: Server) -> None:
    page.goto(f"http://127.0.0.1:{server.port}/#/document/{TABLES}/check/1")
    tables = page.locator(".rows")
    expect(tables).to_have_count(2)
    expect(tables.nth(0)).to_contain_text("15.40")
    expect(tables.nth(1)).to_contain_text("Persons landed")
