"""Accessibility rules: what a machine finds, what mends it, what a person signs off; contrast by the published examples."""

from __future__ import annotations

import io
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import pikepdf
import pytest
from fastapi.testclient import TestClient
from lxml import html

from hyalen.core.accessibility.catalogue import NOT_HERE, RULES, Judge
from hyalen.core.accessibility.page import judgements, page_findings
from hyalen.core.accessibility.rules import Heading, document_doubts
from hyalen.core.decisions.decide import decide
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.replay import replay
from hyalen.core.imaging.contrast import contrast, luminance, ratio
from hyalen.core.model.content import PageContent, Region, RegionKind, Role
from hyalen.core.model.geometry import Box
from hyalen.core.proofing.doubts import page_doubts
from hyalen.core.read import with_looks
from hyalen.demo.typeset import Typesetter
from hyalen.store.store import Store
from hyalen.web.app import make_app
from hyalen.web.schemas import Edit
from tests.conftest import ContentMaker
from tests.helpers import HERE, read_document


def kinds(content: PageContent) -> list[str]:
    return [d.kind for d in page_findings(content)]


# Contrast


@pytest.mark.parametrize(
    ("ink", "paper", "wanted"),
    [("#000000", "#ffffff", 21.0), ("#767676", "#ffffff", 4.54), ("#777777", "#ffffff", 4.48), ("#ff0000", "#ffffff", 4.0), ("#0000ff", "#ffffff", 8.59)],
)  # fmt: skip
def test_contrast_ratio_of_colours(ink: str, paper: str, wanted: float) -> None:
    """21:1 and 1:1 are of WCAG 2.2's definition; the others are widely published for its formula, from memory."""
    tones = [luminance([int(c[i : i + 2], 16) for i in (1, 3, 5)]) for c in (ink, paper)]
    assert ratio(*tones) == ratio(*reversed(tones)) == pytest.approx(wanted, abs=0.01)
    assert ratio(tones[0], tones[0]) == 1


@pytest.mark.parametrize(
    ("ink", "paper"), [("#000", "#fff"), ("#777", "#fff"), ("#999", "#eee"), ("#eeeeee", "#335544"), ("#a33", "#fec")]
)
def test_contrast_is_measured_from_the_pixels_of_set_type(setter: Typesetter, ink: str, paper: str) -> None:
    """Black, grey and coloured type, and light type on dark, as a browser draws it."""

    def rgb(told: str) -> list[int]:
        full = told if len(told) == 7 else "#" + "".join(2 * c for c in told[1:])
        return [int(full[i : i + 2], 16) for i in (1, 3, 5)]

    page = setter.set(
        f"<body style='background:{paper};color:{ink};font:26pt serif'><p>The lamp of Torgrunn was lit at four</p></body>"
    )
    rows, columns = np.nonzero(np.abs(cv2.cvtColor(page.image, cv2.COLOR_RGB2GRAY).astype(int) - luma(rgb(paper))) > 20)
    box = Box(int(columns.min()) - 4, int(rows.min()) - 4, int(columns.max()) + 4, int(rows.max()) + 4)
    wanted = ratio(luminance(rgb(ink)), luminance(rgb(paper)))
    assert contrast(page.image, [box]) == pytest.approx(wanted, rel=0.12)
    assert contrast(page.image, [Box(2, 2, 40, 40)]) is None


def luma(colour: list[int]) -> float:
    return 0.299 * colour[0] + 0.587 * colour[1] + 0.114 * colour[2]


def test_faint_and_small_print_are_found() -> None:
    content = ContentMaker().add(Role.PARAGRAPH, "the lamp was lit at four").page()
    region = content.regions[0]

    def told(**more: object) -> list[str]:
        return kinds(content.model_copy(update={"regions": (region.model_copy(update=more),)}))

    assert told(contrast=21.0) == told(contrast=None) == []
    assert told(contrast=4.4) == ["contrast"]
    assert kinds(content.model_copy(update={"dpi": 900.0})) == ["small"]
    # Large type may be fainter (WCAG 2.2, 1.4.3).
    large = content.model_copy(update={"dpi": 72.0, "regions": (region.model_copy(update={"contrast": 3.5}),)})
    assert kinds(large) == []
    page = np.full((3508, 2480), 255, np.uint8)
    for word in region.words:
        cv2.putText(page, word.text, (word.box.left, word.box.bottom), cv2.FONT_HERSHEY_SIMPLEX, 1.2, 170, 4)
    measured = with_looks(page, content).regions[0].contrast
    assert measured is not None and measured < 3


def test_coloured_words_among_black_ones_are_a_persons_to_judge() -> None:
    content = ContentMaker().add(Role.PARAGRAPH, "sums in red are owed by the keepers").page()
    page = np.full((3508, 2480, 3), (238, 228, 205), np.uint8)  # paper that has yellowed
    for word in content.words:
        ink = (190, 30, 30) if word.text == "red" else (45, 38, 32)
        cv2.putText(page, word.text, (word.box.left, word.box.bottom), cv2.FONT_HERSHEY_SIMPLEX, 1.2, ink, 4)
    told = with_looks(page, content)
    assert [w.text for w in told.words if w.id in told.regions[0].coloured] == ["red"]
    assert [(j.rule, j.text) for j in judgements(told)] == [("colour", "red")]
    assert with_looks(cv2.cvtColor(page, cv2.COLOR_RGB2GRAY), content).regions[0].coloured == ()
    assert with_looks(page, content, shown=False).regions[0].contrast is None


# Findings and what mends them


def mended(content: PageContent, kind: str) -> PageContent:
    """The page after what its finding offers."""
    (found,) = [d for d in page_findings(content) if d.kind == kind]
    assert found.mend is not None
    edit = Edit.model_validate({"revision": 1, "operation": found.mend.operation})
    return replay(content, decide(content, edit.operation, Lay()), Lay()).content


def headless() -> PageContent:
    table = ContentMaker().table([["Year", "Lamp"], ["1911", "gas"]]).regions[0]
    assert table.table is not None
    cells = tuple(c.model_copy(update={"header": False}) for c in table.table.cells)
    bare = table.model_copy(update={"table": table.table.model_copy(update={"cells": cells})})
    return PageContent(width=2480, height=3508, dpi=300, regions=(bare,), languages=("eng",))


BROKEN = {
    "headers": headless(),
    "lone_item": ContentMaker().add(Role.PARAGRAPH, "before it").add(Role.LIST_ITEM, "• one").add(Role.PARAGRAPH, "after it").page(),
    "said_language": ContentMaker(language="fra").add(Role.PARAGRAPH, "The keeper was at the light all through that night").page().model_copy(update={"languages": ("fra", "eng")}),
    "caption": ContentMaker().add(Role.CAPTION, "Figure 1. Nothing").add(Role.PARAGRAPH, "text").page(),
}  # fmt: skip


@pytest.mark.parametrize("kind", BROKEN)
def test_what_is_broken_is_found_and_mended(kind: str) -> None:
    assert kinds(BROKEN[kind]) == [kind]
    assert kinds(mended(BROKEN[kind], kind)) == []


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("IMG_0042.JPG", ["poor_alternative"]), ("scan 14.tif", ["poor_alternative"]), ("image", ["poor_alternative"]),
        ("An image of a lighthouse", ["poor_alternative"]), ("Photograph", ["poor_alternative"]),
        ("The lighthouse of Torgrunn from the south landing", []), ("Figures of four keepers before the door", []),
    ],
)  # fmt: skip
def test_a_description_that_says_nothing_is_found(text: str, found: list[str]) -> None:
    assert kinds(ContentMaker().figure(text).page()) == found


def test_repeated_descriptions_unspeakable_characters_links_and_jumps() -> None:
    assert kinds(ContentMaker().figure("The seal").figure("The seal").page()) == ["repeated_alternative"] * 2
    assert kinds(ContentMaker().add(Role.PARAGRAPH, "la\ufffdp and \ue001 lamp").page()) == ["unspeakable"] * 2
    page = ContentMaker().add(Role.PARAGRAPH, "https://skarnholm.example/lights here").page()
    linked = page.with_lines(
        lambda line: line.model_copy(
            update={"words": tuple(w.model_copy(update={"link": "https://x"}) for w in line.words)}
        )
    )
    assert kinds(page) == [] and kinds(linked) == ["link"]
    text = ContentMaker().add(Role.PARAGRAPH, "above it").add(Role.PARAGRAPH, "beneath").page()
    turned = text.model_copy(update={"regions": text.regions[::-1]})
    assert kinds(text) == [] and kinds(turned) == ["jump"]
    assert kinds(turned.model_copy(update={"near_ties": ("r1",)})) == []  # a doubt about that is there


# What a person judges


def test_a_verdict_holds_until_what_was_judged_changes() -> None:
    maker = ContentMaker().figure("The lighthouse").table([["Year", "Lamp"], ["1911", "gas"]])
    content = maker.page()
    told = {j.key: j.print for j in judgements(content)}
    assert set(told) == {"describes:r1", "is_table:r2"}
    other = content.regions[0].model_copy(update={"alternative_text": "The lighthouse at night"})
    changed = {j.key: j.print for j in judgements(content.model_copy(update={"regions": (other, content.regions[1])}))}
    assert changed["describes:r1"] != told["describes:r1"] and changed["is_table:r2"] == told["is_table:r2"]


def test_an_order_is_judged_where_blocks_stand_beside_each_other() -> None:
    def at(left: int, name: str) -> Region:
        made = ContentMaker().add(Role.PARAGRAPH, "some words").regions[0]
        return made.model_copy(update={"id": name, "outline": Box(left, 100, left + 300, 400).polygon()})

    beside = PageContent(width=2480, height=3508, dpi=300, regions=(at(100, "a"), at(900, "b")))
    (order,) = judgements(beside)
    (turned,) = judgements(beside.model_copy(update={"regions": beside.regions[::-1]}))
    assert order.rule == "order" and order.print != turned.print
    assert judgements(ContentMaker().add(Role.PARAGRAPH, "one").add(Role.PARAGRAPH, "two").page()) == []


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    store = Store(tmp_path / "data")
    maker = ContentMaker().add(Role.HEADING_2, "The lamps").figure().figure("The seal of the Board")
    read_document(store, [maker.page()])
    store.close()
    with TestClient(make_app(tmp_path / "data", workers=1), base_url=HERE) as made:
        yield made


def edit(client: TestClient, operation: dict[str, Any]) -> None:
    page = client.get("/api/pages/1").json()
    told = client.post("/api/pages/1/edits", json={"revision": page["revision"], "operation": operation})
    assert told.status_code == 200


def test_from_findings_to_none_and_signed_off(client: TestClient) -> None:
    heading = client.get("/api/pages/1").json()["content"]["regions"][0]["id"]
    edit(client, {"op": "set_role", "region_id": heading, "role": "heading_3"})
    standing = client.get("/api/documents/1/standing").json()
    assert standing["findings"] == 3 and standing["to_judge"] == 2 and len(standing["obstacles"]) == 2
    rules = {r["id"]: r for r in client.get("/api/rules").json()}
    doubts = client.get("/api/documents/1/doubts").json()
    assert {d["kind"] for d in doubts} == {"title", "level", "alternative"} and {d["kind"] for d in doubts} <= set(
        rules
    )
    mends = {d["kind"]: d["mend"] for d in doubts}
    edit(client, mends["level"]["operation"])
    assert mends["title"]["title"] == "The lamps"
    revision = client.get("/api/documents/1").json()["revision"]
    client.patch("/api/documents/1", json={"revision": revision, "title": mends["title"]["title"]})
    figure = next(r["id"] for r in client.get("/api/pages/1").json()["content"]["regions"] if r["kind"] == "figure")
    edit(client, {"op": "set_alternative", "region_id": figure, "text": "A lantern on its pedestal"})
    told = client.get("/api/documents/1/judgements").json()
    (first, second) = [j for j in told if j["rule"] == "describes"]
    # The headings are looked at together and signed off together.
    standing = client.post("/api/documents/1/judgements/headings", json={"name": "E. Sandvik"}).json()
    assert (standing["to_judge"], standing["judged"]) == (2, 1)
    signed = {"page": 1, "key": first["key"], "print": first["print"], "name": "E. Sandvik"}
    standing = client.post("/api/documents/1/judgements", json=signed).json()
    assert standing == {"findings": 0, "to_judge": 1, "judged": 2, "obstacles": []}
    assert client.get("/api/documents/1/judgements").json() == [second]
    everything = client.get("/api/documents/1/judgements", params={"open_only": False}).json()
    done = next(j for j in everything if j["key"] == first["key"])
    assert done["by"] == "E. Sandvik" and done["made"]
    # What changes is open again, and only that; what was changed meanwhile cannot be signed.
    edit(client, {"op": "set_alternative", "region_id": second["region_id"], "text": "The Board's seal, a lit lamp"})
    assert (
        client.post(
            "/api/documents/1/judgements", json=signed | {"key": second["key"], "print": second["print"]}
        ).status_code
        == 404
    )
    assert client.get("/api/documents/1/standing").json()["judged"] == 2
    edit(client, {"op": "set_alternative", "region_id": figure, "text": "Another lantern"})
    assert client.get("/api/documents/1/standing").json()["judged"] == 1
    client.post("/api/documents/1/undo", json={"change": client.get("/api/documents/1").json()["undo"]["id"]})
    assert client.get("/api/documents/1/standing").json()["judged"] == 2  # as it was signed
    assert client.delete("/api/pages/1/judgements/" + first["key"]).status_code == 204
    assert client.get("/api/documents/1/standing").json()["judged"] == 1


def test_what_stands_against_pdf_ua_is_told_even_where_it_was_left_as_it_is(client: TestClient) -> None:
    (picture,) = [d for d in client.get("/api/documents/1/doubts").json() if d["kind"] == "alternative"]
    edit(client, {"op": "accept_doubt", "key": picture["key"]})
    standing = client.get("/api/documents/1/standing").json()
    assert standing["findings"] == 1 and standing["obstacles"] == [
        "1 picture on page 1 without a description (ISO 14289-1, 7.3)"
    ]
    edit(client, {"op": "set_alternative", "region_id": picture["region_id"], "text": "", "decorative": True})
    assert client.get("/api/documents/1/standing").json()["obstacles"] == []


def test_the_report_tells_findings_and_sign_offs(client: TestClient) -> None:
    place = next(j for j in client.get("/api/documents/1/judgements").json() if j["rule"] == "describes")
    signed = {"page": 1, "key": place["key"], "print": place["print"], "name": "E. <Sandvik>"}
    client.post("/api/documents/1/judgements", json=signed)
    answer = client.get("/api/documents/1/report")
    assert "Some-scan-report.html" in answer.headers["content-disposition"]
    told = html.fromstring(answer.text)
    heads = [h.text_content() for h in told.iter("h1", "h2")]
    assert heads[0].startswith("Report on") and "Judged by a person" in heads
    assert told.get("lang") == "en" and all(th.get("scope") == "col" for th in told.iter("th"))
    text = told.text_content()
    # The same as a PDF that says it is PDF/UA-1 (ISO 14289-1, clause 5) and has the headings in its tree.
    printed = pikepdf.open(io.BytesIO(client.get("/api/documents/1/report.pdf").content))
    assert printed.Root.MarkInfo.Marked and b"pdfuaid:part" in bytes(printed.Root.Metadata.read_bytes())
    assert printed.Root.Lang == "en" and str(printed.docinfo.get("/Title", "")).startswith("Report")
    assert "E. <Sandvik>" in text and "without a description" in text and "wrong words are to be expected" in text


def test_every_rule_says_where_it_comes_from_and_why() -> None:
    for rule in RULES.values():
        assert rule.clause and rule.why.endswith(".") and rule.judge in Judge
        assert not rule.protocol or rule.protocol[:2] not in NOT_HERE


def test_every_rule_of_the_program_is_broken_by_something_here() -> None:
    """A rule that nothing is found by would be a promise only."""
    link = BROKEN["caption"].with_lines(
        lambda line: line.model_copy(
            update={"words": tuple(w.model_copy(update={"link": "x", "text": "www.x.example"}) for w in line.words)}
        )
    )
    faint = ContentMaker().add(Role.PARAGRAPH, "the lamp was lit at four").page()
    faint = faint.model_copy(update={"dpi": 900.0, "regions": (faint.regions[0].model_copy(update={"contrast": 2.0}),)})
    turned = ContentMaker().add(Role.PARAGRAPH, "above it").add(Role.PARAGRAPH, "\ufffd beneath").page()
    turned = turned.model_copy(update={"regions": turned.regions[::-1]})
    pictures = ContentMaker().figure("The seal").figure("The seal").figure("a.png").figure().page()
    formula = ContentMaker().add(Role.PARAGRAPH, "E = mc").page()
    formula = formula.model_copy(
        update={"regions": (formula.regions[0].model_copy(update={"kind": RegionKind.FORMULA, "role": Role.FORMULA}),)}
    )
    pages = [*BROKEN.values(), link, faint, turned, pictures, formula]
    found = {d.kind for page in pages for d in (*page_findings(page), *page_doubts(page))}
    level = Heading(page=0, region_id="r1", level=3)
    found |= {d.kind for _, d in document_doubts("scan", "scan", 21, [], language=None)}
    found |= {d.kind for _, d in document_doubts("A title", "scan", 1, [level])}
    assert {rule.id for rule in RULES.values() if rule.judge is Judge.MACHINE} <= found
    titled = ContentMaker().add(Role.HEADING_1, "The lamps").page()
    asked = {j.rule for page in [titled, *BROKEN.values(), *_judged()] for j in judgements(page)}
    assert asked == {rule.id for rule in RULES.values() if rule.judge is Judge.PERSON}


def _judged() -> list[PageContent]:
    """Pages that need a person: two columns, a described picture, coloured words."""
    column = ContentMaker().add(Role.PARAGRAPH, "one two").page()
    beside = column.regions[0].model_copy(update={"id": "r9", "outline": Box(1500, 100, 1800, 160).polygon()})
    words = column.regions[0].lines[0].words
    red = column.with_lines(
        lambda line: line.model_copy(update={"words": (words[0].model_copy(update={"colour": "aa0000"}), words[1])})
    )
    return [
        column.model_copy(update={"regions": (column.regions[0], beside)}),
        red,
        ContentMaker().figure("A lamp").page(),
    ]
