"""Odd requests are answered with problem documents, and history and settings over HTTP are what the screens show."""

from __future__ import annotations

import errno
import json
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.source import Limits
from hyalen.core.model.content import Role
from hyalen.core.model.treatment import Lighten, Switch, Treatment
from hyalen.store.store import Store
from hyalen.web.app import make_app
from tests.conftest import ContentMaker
from tests.helpers import HERE, read_document


@pytest.fixture
def client(tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    """A server whose foreman is not started: nothing happens by itself."""
    app = make_app(tmp_path_factory.mktemp("http"), workers=1)
    yield TestClient(app, base_url=HERE)
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


HUGE = 2**70
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
    ("POST", "/api/documents/77/undo", {"change": 1}, 404),
    ("POST", "/api/documents/77/redo", {"change": 1}, 404),
    ("POST", "/api/documents/1/undo", {}, 422),
    ("POST", "/api/documents/1/undo", {"change": 9}, 409),
    ("POST", "/api/documents/1/redo", {"change": 9}, 409),
    ("PUT", "/api/documents/1/order", {"revision": 0, "pages": [1]}, 409),
    ("PUT", "/api/documents/1/order", {"revision": 0, "pages": [1, 1, 2]}, 409),
    ("PUT", "/api/documents/77/order", {"revision": 0, "pages": []}, 404),
    ("POST", "/api/documents/1/pages/remove", {"revision": 0, "pages": [1, 2, 3]}, 409),
    ("POST", "/api/documents/1/pages/remove", {"revision": 0, "pages": []}, 422),
    ("POST", "/api/documents/1/turn", {"revision": 0, "pages": [1], "degrees": 45}, 422),
    ("POST", "/api/documents/1/turn", {"revision": 0, "pages": [77], "degrees": 90}, 404),
    ("PATCH", "/api/documents/1", {"revision": 0, "language": "xyz"}, 422),
    ("PATCH", "/api/documents/1", {"revision": 0, "languages": []}, 422),
    ("PATCH", "/api/documents/77", {"revision": 0, "title": "x"}, 404),
    ("GET", "/api/pages/77", None, 404),
    ("POST", "/api/pages/77/edits", {"revision": 0, "operation": {"op": "accept_word", "word_id": "w1"}}, 404),
    ("POST", "/api/pages/1/edits", {"revision": 1, "operation": {"op": "nonsense"}}, 422),
    ("POST", "/api/pages/1/edits", {"revision": 0, "operation": {"op": "accept_word", "word_id": "w1"}}, 409),
    ("POST", "/api/pages/1/read", {"revision": 0, "languages": ["xyz"]}, 422),
    ("POST", "/api/pages/1/read", {"revision": 0, "languages": ["auto", "eng"]}, 422),
    ("POST", "/api/pages/77/retry", None, 404),
    ("PUT", "/api/pages/77/treatment", {"revision": 0, "treatment": {}}, 404),
    ("POST", "/api/batches/1/deliveries", {"formats": []}, 422),
    ("GET", "/api/batches/1/zip", None, 409),
    ("GET", "/api/batches/77/zip", None, 404),
    ("GET", "/api/deliveries/77/file", None, 404),
    ("DELETE", "/api/batches/77", None, 404),
    ("DELETE", "/api/documents/77", None, 404),
    ("GET", f"/api/pages/{HUGE}", None, 422),
    ("GET", "/api/pages/-1", None, 422),
    ("GET", f"/api/documents/1/doubts?after={HUGE}", None, 422),
    ("GET", "/api/nothing", None, 404),
    ("PATCH", "/api/batches/1", {}, 405),
    ("POST", "/api/batches/77/cancel", None, 404),
    ("POST", "/api/batches/77/retry", None, 404),
    ("POST", "/api/batches/77/deliveries", {"formats": ["pdf"]}, 404),
    ("POST", "/api/batches/1/deliveries", {"formats": ["pdf"], "documents": [77]}, 404),
    ("DELETE", "/api/batches/1/problems/77", None, 404),
    ("DELETE", "/api/treatments/77", None, 404),
    ("POST", "/api/batches/77/files", None, 404),
    ("POST", "/api/batches/1/files", {"files": "none"}, 422),
    ("POST", "/api/pages/1/preview", {"treatment": {}}, 404),
    ("GET", "/api/pages/1/original", None, 404),
    ("PATCH", "/api/documents/1", {"title": "without a revision"}, 422),
    ("PATCH", "/api/documents/1", {"revision": 7, "title": "on another"}, 409),
    ("PUT", "/api/documents/1/order", {"revision": 7, "pages": [1, 2, 3]}, 409),
    ("POST", "/api/documents/1/turn", {"revision": 7, "pages": [1], "degrees": 90}, 409),
    ("PUT", "/api/pages/1/treatment", {"revision": 7, "treatment": {}}, 409),
    ("POST", "/api/pages/1/read", {"revision": 7}, 409),
    ("POST", "/api/batches", {"name": "n" * 201, "languages": ["eng"]}, 422),
]
CROOKED = {
    "a number that is none": {"outline": {"switch": "by_hand", "corners": [[0, 0], [8, 0], [8, float("nan")], [0, 9]]}},
    "corners in a row": {"outline": {"switch": "by_hand", "corners": [[0, 0], [1, 0], [2, 0], [3, 0]]}},
    "corners the other way": {"outline": {"switch": "by_hand", "corners": [[0, 0], [0, 9], [8, 9], [8, 0]]}},
    "an endless frame": {"trim": {"frame": {"width": 300, "height": 300, "left": 0, "top": 0}}},
    "a cut of nothing": {"trim": {"switch": "by_hand", "box": [3, 3, 3, 4]}},
    "a ragged bend": {
        "flatten": {"switch": "by_hand", "bend": {"size": [8, 11], "down": [[0, 0], [0, 0, 0]], "along": [0, 0]}}
    },
    "an empty bend": {"flatten": {"switch": "by_hand", "bend": {"size": [8, 11], "down": [[], []], "along": [0, 0]}}},
}


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


@pytest.mark.parametrize("what", CROOKED)
def test_a_treatment_that_cannot_be_is_refused_where_it_is_asked_for(
    client: TestClient, document: int, what: str
) -> None:
    treatment = CROOKED[what]
    for path, body in (
        ("/api/pages/1/preview", {}),
        ("/api/pages/1/patches", {"outline": [[0.5, 0.5]]}),
        ("/api/treatments", {"name": "odd"}),
    ):
        sent = json.dumps({"treatment": treatment, **body})
        answer = client.post(path, content=sent, headers={"Content-Type": "application/json"})
        assert answer.status_code == 422 and answer.json()["detail"], path
    sent = json.dumps({"treatment": treatment, "revision": 0})
    assert client.put("/api/pages/1/treatment", content=sent).status_code == 422
    assert client.get("/api/treatments").json() == []


def test_lone_surrogates_are_no_fault_and_are_not_kept(client: TestClient, document: int) -> None:
    text = "\ud800 half"
    for method, path, body in (
        ("POST", "/api/batches", {"name": text, "languages": ["eng"]}),
        ("PATCH", "/api/documents/1", {"revision": 0, "title": text}),
        ("POST", "/api/treatments", {"name": text, "treatment": {}}),
        (
            "POST",
            "/api/pages/1/edits",
            {"revision": 1, "operation": {"op": "set_alternative", "region_id": "r1", "text": text}},
        ),
        ("POST", "/api/pages/1/edits", {"revision": 1, "operation": {"op": "accept_doubt", "key": text}}),
        ("POST", "/api/pages/1/edits", {"revision": 1, "operation": {"op": "accept_word", "word_id": text}}),
    ):
        answer = client.request(method, path, content=json.dumps(body), headers={"Content-Type": "application/json"})
        assert answer.status_code < 500 and r"\ud8" not in answer.text, path
    assert client.get("/api/documents/1").json()["title"].strip() == "half"


def test_what_is_not_here_yet_cannot_be_shown_yet(client: TestClient, store: Store) -> None:
    document = store.documents.add(store.documents.add_batch("b", ["eng"]), "a.png", "0" * 64, 1)
    (page,) = store.pages.ids(document)
    for answer in (
        client.post(f"/api/pages/{page}/preview", json={"treatment": {}}),
        client.post(f"/api/pages/{page}/patches", json={"treatment": {}, "outline": [[0.1, 0.1]]}),
        client.get(f"/api/pages/{page}/original"),
    ):
        assert answer.status_code == 409 and "brought in" in answer.json()["detail"]
    told = client.post("/api/batches/1/deliveries", json={"formats": ["pdf"]})
    assert told.status_code == 409


def test_what_no_document_can_hold_is_left_out_at_the_edge(client: TestClient, document: int) -> None:
    told = client.patch(
        "/api/documents/1", json={"revision": 0, "title": "Light\x0bs\x00 \ufffe of\nthe coast\U0001fffe"}
    ).json()
    assert told["title"] == "Lights  of the coast"
    page = client.get("/api/pages/1").json()
    word = page["content"]["regions"][1]["lines"][0]["words"][1]["id"]
    change = {"revision": page["revision"], "operation": {"op": "set_word", "word_id": word, "text": "nee\x08dle\x7f"}}
    said = client.post("/api/pages/1/edits", json=change).json()["page"]
    assert said["content"]["regions"][1]["lines"][0]["words"][1]["text"] == "needle"


def test_an_unknown_language_of_a_block_is_refused(client: TestClient, document: int) -> None:
    page = client.get("/api/pages/1").json()
    region = page["content"]["regions"][0]["id"]
    for language in ("qqq-nonsense", "x", "", "123"):
        change = {
            "revision": page["revision"],
            "operation": {"op": "set_language", "region_id": region, "language": language},
        }
        answer = client.post("/api/pages/1/edits", json=change)
        assert answer.status_code == 422 and "ISO 639-3" in answer.json()["detail"]
    change["operation"]["language"] = "isl"
    assert client.post("/api/pages/1/edits", json=change).status_code == 200


OWN = [
    ({}, 200),
    ({"Host": "localhost:9999"}, 200),
    ({"Host": "[::1]:8320"}, 200),
    ({"Host": "127.0.0.1:8320.evil.example"}, 403),
    ({"Host": "127.0.0.1:8320@evil.example"}, 403),
    ({"Host": "127.0.0.1.evil.example"}, 403),
    ({"Host": "testserver"}, 403),
    ({"Origin": HERE}, 200),
    ({"Origin": "http://["}, 403),
    ({"Origin": "null"}, 403),
    ({"Origin": "https://127.0.0.1:8320"}, 403),
    ({"Sec-Fetch-Site": "same-origin"}, 200),
    ({"Sec-Fetch-Site": "cross-site"}, 403),
    ({"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "no-cors", "Sec-Fetch-Dest": "image"}, 403),
    ({"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "iframe"}, 403),
    ({"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "document"}, 200),
    ({"Referer": "http://evil.example/page"}, 403),
    ({"Referer": f"{HERE}/documents/1"}, 200),
]


@pytest.mark.parametrize("headers,status", OWN, ids=[str(h) for h, _ in OWN])
def test_only_the_application_itself_is_answered(client: TestClient, headers: dict[str, str], status: int) -> None:
    """Fetch Metadata Request Headers (W3C), RFC 9110 (Host, Referer), RFC 6454 (Origin)."""
    assert client.get("/api/about", headers=headers).status_code == status


@pytest.mark.parametrize("path", ["/api/about", "/api/nothing", "/", "/assets/nothing.js"])
def test_every_answer_forbids_framing_sniffing_and_foreign_scripts(client: TestClient, path: str) -> None:
    headers = client.get(path).headers
    policy = dict(part.strip().split(" ", 1) for part in headers["content-security-policy"].split(";"))
    assert (
        policy["script-src"] == "'self'" and policy["frame-ancestors"] == "'none'" and policy["object-src"] == "'none'"
    )
    assert headers["x-content-type-options"] == "nosniff" and headers["x-frame-options"] == "DENY"
    assert headers["referrer-policy"] == "no-referrer" and headers["cross-origin-resource-policy"] == "same-origin"


@pytest.mark.parametrize("path", ["/%00", "/" + "a" * 1000, "/" + "a" * 5000, "/..%2f..%2fetc%2fpasswd", "/api/%00"])
def test_odd_addresses_are_no_fault(client: TestClient, path: str) -> None:
    answer = client.get(path)
    assert answer.status_code in (200, 404) and b"root:" not in answer.content


def test_a_body_over_the_limit_is_refused_before_it_is_kept(tmp_path: Path) -> None:
    app = make_app(tmp_path / "small", workers=1, limits=Limits(bytes=1000))
    client = TestClient(app, base_url=HERE)
    batch = client.post("/api/batches", json={"name": "b", "languages": ["eng"]}).json()["id"]
    taken = 0

    def endless() -> Iterator[bytes]:
        nonlocal taken
        yield b'--x\r\nContent-Disposition: form-data; name="files"; filename="a.png"\r\n\r\n'
        for _ in range(40):
            taken += 1_000_000
            yield b"x" * 1_000_000

    form = {"Content-Type": "multipart/form-data; boundary=x"}
    answer = client.post(f"/api/batches/{batch}/files", content=endless(), headers=form)
    assert answer.status_code == 413 and "limit" in answer.json()["detail"]
    told = client.post(f"/api/batches/{batch}/files", content=b"x" * 1_200_000, headers=form)
    assert told.status_code == 413
    middling = client.post(f"/api/batches/{batch}/files", files={"files": ("a.png", b"x" * 5000)}).json()
    assert middling["problems"][0]["file"] == "a.png" and "limit" in middling["problems"][0]["reason"]
    app.state.services.store.close()


def test_a_full_disk_is_told_as_such(client: TestClient, store: Store, monkeypatch: pytest.MonkeyPatch) -> None:
    batch = store.documents.add_batch("b", ["eng"])

    def full(*_: object, **__: object) -> str:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(store.blobs, "put_stream", full)
    answer = client.post(f"/api/batches/{batch}/files", files={"files": ("a.png", b"x")})
    assert answer.status_code == 507 and "room" in answer.json()["detail"]


def test_answers_to_uploads_name_their_own_problems_only(client: TestClient, store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    store.documents.add_problem(batch, "of-another.pdf", "came meanwhile")
    told = client.post(
        f"/api/batches/{batch}/files", files=[("files", ("mine.pdf", b"no PDF")), ("files", ("con.txt", b""))]
    ).json()
    assert [p["file"] for p in told["problems"]] == ["mine.pdf", "con.txt"] and told["documents"] == []
    assert [p.file for p in store.documents.problems(batch)] == ["of-another.pdf", "mine.pdf", "con.txt"]


def test_one_history_over_http(client: TestClient, store: Store, document: int) -> None:
    url = f"/api/documents/{document}"
    ids = [p["id"] for p in client.get(url).json()["pages"]]
    page = client.get(f"/api/pages/{ids[0]}").json()
    word = page["content"]["regions"][1]["lines"][0]["words"][1]["id"]
    change = {"revision": page["revision"], "operation": {"op": "set_word", "word_id": word, "text": "needle"}}
    assert client.post(f"/api/pages/{ids[0]}/edits", json=change | {"everywhere": True}).json()["words"] == 3
    assert client.patch(url, json={"revision": 0, "title": "  Letters  "}).json()["title"] == "Letters"
    assert client.put(f"{url}/order", json={"revision": 1, "pages": ids[::-1]}).json()["revision"] == 2
    assert client.post(f"{url}/pages/remove", json={"revision": 2, "pages": ids[:1]}).status_code == 200
    pale = Treatment(lighten=Lighten(switch=Switch.BY_HAND, strength=0.3)).model_dump(mode="json")
    treated = {"revision": 3, "treatment": pale, "pages": "document"}
    assert client.put(f"/api/pages/{ids[1]}/treatment", json=treated).json() == {"tasks": 2, "revision": 4}
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
    while head := client.get(url).json()["redo"]:
        client.post(f"{url}/redo", json={"change": head["id"]})
    assert client.get(url).json()["title"] == "Letters" and len(client.get(url).json()["removed"]) == 1


def test_setting_what_is_so_already_is_no_step(client: TestClient, document: int) -> None:
    url = f"/api/documents/{document}"
    now = client.get(url).json()
    client.patch(
        url,
        json={
            "revision": 0,
            "title": now["title"],
            "language": now["language"],
            "languages": now["languages"],
            "duplex": False,
        },
    )
    client.put(f"{url}/order", json={"revision": 0, "pages": [p["id"] for p in now["pages"]]})
    client.put("/api/pages/1/treatment", json={"revision": 0, "treatment": {}, "pages": "document"})
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
    assert rules["table"]["kinds"] == ["table"] and set(rules["artifact"]["kinds"]) == {
        "text",
        "table",
        "figure",
        "formula",
    }
    # A figure has no text; what was taken for a formula may be made text again.
    assert "figure" not in rules["paragraph"]["kinds"] and "formula" in rules["paragraph"]["kinds"]
    assert [r for r in rules if rules[r]["artifact"]] == ["running_head", "page_number", "artifact"]
    assert {x["code"]: x["name"] for x in told["languages"]}["fra"] == "Französisch"
    assert client.get("/api/about", headers={"Accept-Language": "xx-nonsense"}).json()["languages"][0]["name"]
    assert [f["name"] for f in told["formats"]] == list(FORMATS)
    assert {f["purpose"] for f in told["formats"]} == {"reading", "editing", "exchange", "listening"}
    assert {f["name"] for f in told["formats"] if f["tables_only"]} == {"xlsx", "csv"}


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
    assert client.post(f"/api/batches/{batch}/retry").json() == {"tasks": 0, "revision": None}


def test_a_delivery_waits_until_all_is_read(client: TestClient, store: Store) -> None:
    batch = store.documents.add_batch("b", ["eng"])
    store.documents.add(batch, "a.png", "0" * 64, 1)
    told = client.post(f"/api/batches/{batch}/deliveries", json={"formats": ["pdf"]})
    assert told.status_code == 409 and "a.png is still being read" in told.json()["detail"]
