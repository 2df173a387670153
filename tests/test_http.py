"""Odd requests are answered with problem documents, and history and settings over HTTP are what the screens show."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient

from hyalen.core.model.content import Role
from hyalen.core.model.treatment import Lighten, Switch, Treatment
from hyalen.store.store import Store
from hyalen.web.app import make_app
from tests.conftest import ContentMaker
from tests.helpers import read_document


@pytest.fixture
def client(tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    """A server whose foreman is not started: nothing happens by itself."""
    app = make_app(tmp_path_factory.mktemp("http"), workers=1)
    yield TestClient(app)
    app.state.services.store.close()


@pytest.fixture
def store(client: TestClient) -> Store:
    found: Store = client.app.state.services.store  # type: ignore[attr-defined]
    return found


@pytest.fixture
def document(store: Store) -> int:
    pages = [
        ContentMaker(top=600)
        .add(Role.HEADING_1, f"Chapter {'abc'[n]}")
        .add(Role.PARAGRAPH, f"the nedle qzxv{n}")
        .page()
        for n in range(3)
    ]
    return read_document(store, pages)[0]


ODD = [
    ("GET", "/api/batches/77", None, 404),
    ("GET", "/api/documents/77", None, 404),
    ("GET", "/api/documents/77/doubts", None, 404),
    ("GET", "/api/documents/77/flow", None, 404),
    ("GET", "/api/documents/1/doubts?limit=0", None, 422),
    ("GET", "/api/documents/1/doubts?limit=-1", None, 422),
    ("GET", "/api/documents/1/doubts?stage=nonsense", None, 422),
    ("GET", "/api/documents/1/flow?page=-1", None, 422),
    ("GET", "/api/documents/1/flow?count=9999", None, 422),
    ("POST", "/api/documents/77/undo", {}, 404),
    ("POST", "/api/documents/77/redo", {}, 404),
    ("POST", "/api/documents/1/undo", {"change": 9}, 409),
    ("POST", "/api/documents/1/redo", {"change": 9}, 409),
    ("PUT", "/api/documents/1/order", {"pages": [1]}, 409),
    ("PUT", "/api/documents/1/order", {"pages": [1, 1, 2]}, 409),
    ("PUT", "/api/documents/77/order", {"pages": []}, 404),
    ("POST", "/api/documents/1/pages/remove", {"pages": [1, 2, 3]}, 409),
    ("POST", "/api/documents/1/pages/remove", {"pages": []}, 422),
    ("POST", "/api/documents/1/turn", {"pages": [1], "degrees": 45}, 422),
    ("POST", "/api/documents/1/turn", {"pages": [77], "degrees": 90}, 404),
    ("PATCH", "/api/documents/1", {"language": "xyz"}, 422),
    ("PATCH", "/api/documents/1", {"languages": []}, 422),
    ("PATCH", "/api/documents/77", {"title": "x"}, 404),
    ("GET", "/api/pages/77", None, 404),
    ("POST", "/api/pages/77/edits", {"revision": 0, "operation": {"op": "accept_word", "word_id": "w1"}}, 404),
    ("POST", "/api/pages/1/edits", {"revision": 1, "operation": {"op": "nonsense"}}, 422),
    ("POST", "/api/pages/1/edits", {"revision": -1, "operation": {"op": "accept_word", "word_id": "w1"}}, 409),
    ("POST", "/api/pages/1/read", {"languages": ["xyz"]}, 422),
    ("POST", "/api/pages/1/read", {"languages": ["auto", "eng"]}, 422),
    ("POST", "/api/pages/77/retry", None, 404),
    ("PUT", "/api/pages/77/treatment", {"treatment": {}}, 404),
    ("POST", "/api/batches/1/deliveries", {"formats": []}, 422),
    ("GET", "/api/batches/1/zip", None, 409),
    ("GET", "/api/batches/77/zip", None, 404),
    ("GET", "/api/deliveries/77/file", None, 404),
    ("DELETE", "/api/batches/77", None, 404),
    ("DELETE", "/api/documents/77", None, 404),
]


@pytest.mark.parametrize("method,path,body,status", ODD, ids=[f"{m} {p} {s}" for m, p, _, s in ODD])
def test_odd_requests_are_refused_with_a_reason(
    client: TestClient, document: int, method: str, path: str, body: dict[str, object] | None, status: int
) -> None:
    before = client.get("/api/documents/1").json()
    answer = client.request(method, path, json=body)
    told = answer.json()
    assert answer.status_code == status and answer.headers["content-type"] == "application/problem+json"
    assert told["status"] == status and told["detail"] and told["title"]
    assert client.get("/api/documents/1").json() == before


def test_one_history_over_http(client: TestClient, store: Store, document: int) -> None:
    url = f"/api/documents/{document}"
    ids = [p["id"] for p in client.get(url).json()["pages"]]
    page = client.get(f"/api/pages/{ids[0]}").json()
    word = page["content"]["regions"][1]["lines"][0]["words"][1]["id"]
    change = {"revision": page["revision"], "operation": {"op": "set_word", "word_id": word, "text": "needle"}}
    assert client.post(f"/api/pages/{ids[0]}/edits", json=change | {"everywhere": True}).json()["words"] == 3
    assert client.patch(url, json={"title": "  Letters  "}).json()["title"] == "Letters"
    client.put(f"{url}/order", json={"pages": ids[::-1]})
    client.post(f"{url}/pages/remove", json={"pages": ids[:1]})
    pale = Treatment(lighten=Lighten(switch=Switch.BY_HAND, strength=0.3)).model_dump(mode="json")
    assert client.put(f"/api/pages/{ids[1]}/treatment", json={"treatment": pale, "pages": "document"}).json() == {
        "tasks": 2
    }
    labels = []
    while (head := client.get(url).json())["undo"]:
        told = client.post(f"{url}/undo", json={"change": head["undo"]["id"]}).json()
        labels.append((told["label"], told["arranged"]))
    assert labels == [
        ("treatment of 2 pages", True),
        ("1 page taken out", True),
        ("order of the pages", True),
        ("title", True),
        ("“nedle” to “needle”", False),
    ]
    assert [p["id"] for p in head["pages"]] == ids and head["title"] == "Some-scan"
    assert told["page"]["content"]["regions"][1]["lines"][0]["words"][1]["text"] == "nedle"
    assert {p["id"] for p in told["pages"]} == set(ids)
    for _ in labels:
        client.post(f"{url}/redo", json={})
    assert client.get(url).json()["title"] == "Letters" and len(client.get(url).json()["removed"]) == 1


def test_setting_what_is_so_already_is_no_step(client: TestClient, document: int) -> None:
    url = f"/api/documents/{document}"
    now = client.get(url).json()
    client.patch(
        url, json={"title": now["title"], "language": now["language"], "languages": now["languages"], "duplex": False}
    )
    client.put(f"{url}/order", json={"pages": [p["id"] for p in now["pages"]]})
    client.put("/api/pages/1/treatment", json={"treatment": {}, "pages": "document"})
    assert client.get(url).json()["undo"] is None


def test_doubts_come_in_parts_and_by_stage(client: TestClient, document: int) -> None:
    url = f"/api/documents/{document}/doubts"
    whole = client.get(url).json()
    parts, last = [], {}
    while part := client.get(url, params={"limit": 2, **last}).json():
        parts += part
        last = {"after": part[-1]["page_id"], "after_key": part[-1]["key"]}
    assert parts == whole and len(whole) >= 4
    proof = client.get(url, params={"stage": "proof"}).json()
    assert {d["stage"] for d in proof} == {"proof"} and len(proof) < len(whole)


def test_the_browser_is_told_the_rules(client: TestClient) -> None:
    told = client.get("/api/about", headers={"Accept-Language": "de-DE,de;q=0.9"}).json()
    rules = {r["role"]: r for r in told["roles"]}
    assert set(rules) == {r.value for r in Role}
    assert rules["table"]["kinds"] == ["table"] and set(rules["artifact"]["kinds"]) == {"text", "table", "figure"}
    assert [r for r in rules if rules[r]["artifact"]] == ["running_head", "page_number", "artifact"]
    assert {x["code"]: x["name"] for x in told["languages"]}["fra"] == "Französisch"
    assert client.get("/api/about", headers={"Accept-Language": "xx-nonsense"}).json()["languages"][0]["name"]
    assert [f["name"] for f in told["formats"]] == ["pdf", "docx", "txt", "xlsx", "json"]


def test_the_trolley_tells_what_a_batch_takes(client: TestClient, store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    store.documents.add(batch, "a.png", store.blobs.put(b"x" * 1234), 1)
    (told,) = client.get("/api/batches").json()
    assert (told["size"], told["busy"], told["pages"]) == (1234, True, 1)
    client.delete(f"/api/batches/{batch}")
    assert client.get("/api/batches").json() == []
    assert [p for p in (store.directory / "blobs").rglob("*") if p.is_file()] == []


def test_a_page_taken_up_again_is_listed_once(client: TestClient, store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    document = store.documents.add(batch, "a.png", "0" * 64, 1)
    (page,) = store.pages.ids(document)
    for _ in range(3):
        (task,) = store.tasks.next(9)
        store.tasks.begin(task.id)
        store.course.failed(task, "the image is torn")
        told = client.get(f"/api/batches/{batch}").json()
        assert [(f["page"], f["reason"]) for f in told["failed"]] == [(1, "the image is torn")]
        assert client.post(f"/api/pages/{page}/retry").status_code == 202
    assert client.get(f"/api/batches/{batch}").json()["failed"] == []
    assert client.post(f"/api/batches/{batch}/retry").json() == {"tasks": 0}


def test_a_delivery_waits_until_all_is_read(client: TestClient, store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    store.documents.add(batch, "a.png", "0" * 64, 1)
    told = client.post(f"/api/batches/{batch}/deliveries", json={"formats": ["pdf"]})
    assert told.status_code == 409 and "a.png is still being read" in told.json()["detail"]
