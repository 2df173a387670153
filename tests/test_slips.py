"""Alike doubts together, many words settled as one change, how good a text was when it was delivered."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from hyalen.core.decisions.requests import AcceptWord, Request, SetLanguage
from hyalen.core.model.content import PageContent, Role
from hyalen.store.store import Store
from hyalen.web.app import make_app
from tests.conftest import ContentMaker, worn
from tests.helpers import HERE, do, read_document

LINES = "tbe lamp of tbe station\nbums at nigbt and tbe keeqer"


FIRST = ("The report of the spring came late", "Nothing else was heard of them before autumn")


def content(number: int = 0) -> PageContent:
    maker = ContentMaker(top=700 + 400 * number).add(Role.PARAGRAPH, FIRST[number]).add(Role.PARAGRAPH, LINES)
    return worn(maker.table([["Year", "Lamps"], ["1911", "4"], ["1912", "5"], ["ee", "6"]]).page())


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    store = Store(tmp_path / "data")
    read_document(store, [content(0), content(1)])
    store.close()
    with TestClient(make_app(tmp_path / "data", workers=1), base_url=HERE) as made:
        yield made


def slips(client: TestClient, **query: Any) -> list[dict[str, Any]]:
    told = client.get("/api/documents/1/slips", params=query).json()
    assert told["whole"] or len(told["slips"]) == query["limit"]
    found: list[dict[str, Any]] = told["slips"]
    return found


def settle(client: TestClient, chosen: list[dict[str, Any]], text: str | None, change: int | None = None) -> Any:
    words = [{"page": s["page"], "word": s["word"], "was": s["text"], "text": text} for s in chosen]
    answer = client.post("/api/documents/1/words", json={"words": words, "change": change})
    return answer.json() if answer.status_code == 200 else answer.status_code


def test_figures_of_a_column_come_beneath_each_other_with_their_ink(client: TestClient) -> None:
    told = [s for s in slips(client) if s["alike"] == "column 1"]
    groups = {s["group"] for s in told}
    assert len(groups) == 2 and len(told) == 6  # a column of each page by itself
    for group in groups:
        own = [s for s in told if s["group"] == group]
        assert [s["text"] for s in own] == ["1911", "1912", "ee"] and own[0]["many"] == 3
        assert own[0]["box"][1] < own[1]["box"][1] < own[2]["box"][1]


def test_slips_come_in_portions_and_what_is_like_no_other_comes_last(client: TestClient) -> None:
    whole = slips(client)
    parts = [s for first in range(0, len(whole), 3) for s in slips(client, first=first, limit=3)]
    assert parts == whole
    alone = [s["group"] == "" for s in whole]
    assert alone == sorted(alone)
    words = slips(client, by="words")
    assert {s["text"]: s["many"] for s in words if s["text"] in ("tbe", "keeqer")} == {"tbe": 6, "keeqer": 2}


def test_many_words_are_settled_as_one_change_and_taken_back_as_one(client: TestClient) -> None:
    mine = [s for s in slips(client, by="words") if s["text"] == "tbe"]
    told = settle(client, mine[:4], "the")
    again = settle(client, mine[4:], "the", told["document"]["undo"]["id"])
    assert (told["words"], again["words"]) == (4, 2) and again["label"] == "2 words to “the”"
    assert not [s for s in slips(client, by="words") if s["text"] == "tbe"]
    assert client.get("/api/search", params={"text": "tbe"}).json()["total"] == 0
    undo = client.get("/api/documents/1").json()["undo"]
    client.post("/api/documents/1/undo", json={"change": undo["id"]})
    assert client.get("/api/search", params={"text": "tbe"}).json()["total"] == 6


def test_words_are_accepted_and_what_was_changed_meanwhile_is_passed_over(client: TestClient) -> None:
    mine = [s for s in slips(client, by="words") if s["text"] == "keeqer"]
    page = client.get(f"/api/pages/{mine[0]['page']}").json()
    operation = {"op": "set_word", "word_id": mine[0]["word"], "text": "keeper"}
    client.post(f"/api/pages/{page['id']}/edits", json={"revision": page["revision"], "operation": operation})
    told = settle(client, mine, None)
    assert told["words"] == 1
    states = [w["state"] for p in (1, 2) for r in client.get(f"/api/pages/{p}").json()["content"]["regions"]
              for line in r.get("lines", []) for w in line["words"] if w["text"] in ("keeper", "keeqer")]  # fmt: skip
    assert sorted(states) == ["accepted", "corrected"]
    assert settle(client, mine, None, change=99) == 409


def test_words_that_no_list_knows_are_marked_but_not_those_of_the_clerks(client: TestClient) -> None:
    def marked() -> list[str]:
        page = client.get("/api/pages/1").json()
        words = {
            w["id"]: w["text"] for r in page["content"]["regions"] for line in r.get("lines", []) for w in line["words"]
        }
        return [words[i] for i in page["unknown"] if i in words]

    assert "keeqer" in marked() and "station" not in marked() and "lamp" not in marked()
    client.post("/api/word-lists/0", json={"words": ["keeqer"]})
    assert "keeqer" not in marked()


def test_expected_errors_are_told_of_pages_document_and_batch(client: TestClient) -> None:
    left = client.get("/api/documents/1/left").json()
    pages = client.get("/api/documents/1").json()["pages"]
    batch = client.get("/api/batches/1").json()["left"]
    assert batch["words"] == left["words"] > 0 and batch["expected"] == left["expected"]
    assert sum(p["expected"] for p in pages) == pytest.approx(left["expected"], abs=0.2)
    settle(client, [s for s in slips(client, by="words") if s["text"] == "tbe"], "the")
    assert client.get("/api/batches/1").json()["left"]["expected"] < batch["expected"]


def test_a_word_in_another_language_or_read_otherwise_is_judged_anew(tmp_path: Path) -> None:
    store = Store(tmp_path / "data")
    document, (page,) = read_document(store, [content()])

    def chances() -> dict[str, float]:
        return {d.text: d.weight for d in store.doubts.of_document(document, "proof")}

    def edit(request: Request) -> None:
        store.decisions.edit(page, store.pages.page(page).revision, request)

    before = chances()
    edit(
        AcceptWord(
            word_id=next(d.word_id for d in store.doubts.of_document(document, "proof") if d.text == "keeqer") or ""
        )
    )
    kept = chances()
    assert "keeqer" not in kept and all(kept[text] == before[text] for text in kept)  # the others stay as they were
    told = store.pages.content(page)
    assert told is not None
    region = next(r for r in told.regions if "bums" in r.text)
    edit(SetLanguage(region_id=region.id, language="deu"))
    assert chances() != kept
    store.settings.read_again(document, [page], None, whole=False, keep=False)
    task = next(t for t in store.tasks.next(10) if t.page_id == page and t.stage == "read")
    sure = content().with_lines(
        lambda line: line.model_copy(
            update={"words": tuple(w.model_copy(update={"confidence": 0.99, "letters": ""}) for w in line.words)}
        )
    )
    do(store, task, sure)
    assert chances() != before


def test_a_delivery_remembers_how_good_its_text_was(tmp_path: Path) -> None:
    store = Store(tmp_path / "data")
    document, _ = read_document(store, [content()])
    store.samples.draw(document, 4, seed=1)
    for number, drawn in enumerate(store.samples.verdicts(document).waiting[:3]):
        store.samples.judge(drawn.page_id, drawn.word_id, number > 0)
    wanted = store.tasks.want_delivery(1, document, {"format": "txt", "edition": "1"})
    task = next(t for t in store.tasks.next(10) if t.id == wanted)
    assert store.tasks.begin(task.id) and store.deliveries.delivered(task, "a.txt", "0" * 64, 12)
    (made,) = store.deliveries.of_batch(1)
    left = store.doubts.left(document)
    assert (made.words, made.looked_at, made.found_right) == (left.words, 3, 2)
    assert made.expected == pytest.approx(left.expected) and made.expected > 0


def test_a_place_beneath_and_characters_are_told(client: TestClient) -> None:
    region = client.get("/api/pages/1").json()["content"]["regions"][1]
    place = client.get(f"/api/pages/1/beneath/{region['id']}", params={"after": 1}).json()["box"]
    assert place[1] >= region["lines"][1]["box"][1] + 10
    assert client.get("/api/pages/1/beneath/none").status_code == 422
    told = client.get("/api/characters", params={"languages": "deu,nonsense"}).json()
    assert list(told["languages"]) == ["deu"] and "ä" in told["languages"]["deu"] and "é" in told["variants"]["e"]
