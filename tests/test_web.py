"""The HTTP interface: problem documents, edits, delivery."""

from __future__ import annotations

import base64
import io
import json
import time
import zipfile
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pytest
from docx import Document
from fastapi.testclient import TestClient
from httpx import Response
from PIL import Image as Pillow

from hyalen.core.formats.codecs import decode
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.source import Limits
from hyalen.core.model.content import PageContent, Part, Role
from hyalen.core.model.found import Style
from hyalen.demo.typeset import Typesetter
from hyalen.web.app import make_app
from tests.conftest import ContentMaker, Judge, worn
from tests.helpers import HERE, many_pages, read_document


@pytest.fixture(scope="module")
def client(tmp_path_factory: pytest.TempPathFactory) -> Iterator[TestClient]:
    with TestClient(
        make_app(tmp_path_factory.mktemp("web"), workers=2, limits=Limits(bytes=5_000_000)), base_url=HERE
    ) as made:
        yield made


@pytest.fixture(scope="module")
def read(client: TestClient, small_scan: Path) -> tuple[int, int]:
    """Batch and document, read."""
    batch = client.post("/api/batches", json={"name": "Box 14", "languages": ["eng"]}).json()["id"]
    files = [
        ("files", ("Small scan.png", small_scan.read_bytes())),
        ("files", ("bad.pdf", b"no pdf")),
        ("files", ("void.tif", b"")),
    ]
    told = client.post(f"/api/batches/{batch}/files", files=files).json()
    assert [(p["file"], p["reason"][:12]) for p in told["problems"]] == [
        ("bad.pdf", "the file is "),
        ("void.tif", "the file is "),
    ]
    (document,) = told["documents"]
    wait(client, batch)
    return batch, document


def now(client: TestClient, url: str) -> dict:
    """The revision that a change of a document is made on."""
    return {"revision": client.get(url).json()["revision"]}


def turned(client: TestClient, url: str) -> Response:
    """Undo or redo whatever comes next."""
    document, which = url.rsplit("/", 1)
    return client.post(url, json={"change": client.get(document).json()[which]["id"]})


def wait(client: TestClient, batch: int) -> dict:
    end = time.monotonic() + 120
    while True:
        state = client.get(f"/api/batches/{batch}").json()
        pending = sum(n for s in state["progress"].values() for k, n in s.items() if k in ("waiting", "running"))
        if not pending and not state["making"]:
            return state
        assert time.monotonic() < end
        time.sleep(0.1)


def page_of(client: TestClient, document: int) -> dict:
    return client.get(f"/api/pages/{client.get(f'/api/documents/{document}').json()['pages'][0]['id']}").json()


def test_errors_are_problem_documents(client: TestClient) -> None:
    # RFC 9457: type, title, status and detail, in application/problem+json.
    for response, status in (
        (client.get("/api/batches/999"), 404),
        (client.get("/api/pages/999"), 404),
        (client.post("/api/batches", json={"name": "x", "languages": ["xyz"]}), 422),
        (client.post("/api/batches", json={"name": "", "languages": ["eng"]}), 422),
    ):
        assert response.status_code == status
        assert response.headers["content-type"] == "application/problem+json"
        assert set(response.json()) >= {"type", "title", "status", "detail"} and response.json()["detail"]


def test_only_files_named_by_their_content_are_given_out(client: TestClient, read: tuple[int, int]) -> None:
    directory = client.app.state.services.store.directory / "blobs"  # type: ignore[attr-defined]
    for name in ("abcdef.txt", "a" * 63 + "g", "A" * 64):
        (directory / name[:2]).mkdir(exist_ok=True)
        (directory / name[:2] / name).write_text("secret")
        answer = client.get(f"/api/blobs/{name}")
        assert answer.status_code == 404 and "secret" not in answer.text
    name = "a" * 64
    (directory / "aa" / name).write_text("a picture")
    assert client.get(f"/api/blobs/{name}").text == "a picture"


def test_other_sites_are_refused(client: TestClient) -> None:
    assert client.get("/api/batches", headers={"Origin": "https://example.org"}).status_code == 403
    assert client.get("/api/batches", headers={"Host": "example.org"}).status_code == 403
    assert client.get("/api/batches", headers={"Origin": HERE}).status_code == 200


def test_page_with_images_content_and_doubts(client: TestClient, read: tuple[int, int]) -> None:
    page = page_of(client, read[1])
    assert page["content"]["regions"] and page["dpi"] == 150
    for name in ("cleaned", "original"):
        response = client.get(page[name])
        assert response.status_code == 200 and response.headers["content-type"].startswith("image/")


def test_edit_undo_redo_and_stale(client: TestClient, read: tuple[int, int]) -> None:
    page = page_of(client, read[1])
    region = page["content"]["regions"][0]["id"]
    change = {
        "revision": page["revision"],
        "operation": {"op": "set_role", "region_id": region, "role": "caption"},
    }
    told = client.post(f"/api/pages/{page['id']}/edits", json=change).json()
    assert told["page"]["revision"] == page["revision"] + 1 and told["document"]["undo"]["label"] == "caption"
    # All that has changed is told at once: nothing else need be asked for.
    now = page_of(client, read[1])
    assert (told["page"]["content"], told["doubts"]) == (now["content"], now["doubts"])
    document = client.get(f"/api/documents/{read[1]}").json()
    assert {k: document[k] for k in told["document"]} == told["document"] and told["pages"] == document["pages"][:1]
    stale = client.post(f"/api/pages/{page['id']}/edits", json=change)
    assert stale.status_code == 409 and "nothing was overwritten" in stale.json()["detail"]
    change["revision"] += 1
    change["operation"]["role"] = "table"
    assert client.post(f"/api/pages/{page['id']}/edits", json=change).status_code == 422
    url = f"/api/documents/{read[1]}"
    assert client.post(f"{url}/undo", json={"change": 999}).status_code == 409
    undone = client.post(f"{url}/undo", json={"change": told["document"]["undo"]["id"]}).json()
    assert (undone["page"]["id"], undone["label"]) == (page["id"], "caption")
    assert page_of(client, read[1])["content"] == page["content"]
    assert turned(client, f"{url}/redo").json()["label"] == "caption"
    turned(client, f"{url}/undo")


def test_reading_again_keeps_corrected_words_unless_told_otherwise(client: TestClient, read: tuple[int, int]) -> None:
    batch, document = read
    page = page_of(client, document)
    word = page["content"]["regions"][-1]["lines"][0]["words"][0]
    operation = {"op": "set_word", "word_id": word["id"], "text": "Zzyzx"}
    client.post(f"/api/pages/{page['id']}/edits", json={"revision": page["revision"], "operation": operation})
    for keep, label in ((True, "read again"), (False, "read afresh")):
        answer = client.post(
            f"/api/pages/{page['id']}/read",
            json=now(client, f"/api/documents/{document}") | {"languages": ["eng", "fra"], "keep": keep},
        )
        assert answer.status_code == 202
        wait(client, batch)
        assert ("Zzyzx" in json.dumps(page_of(client, document)["content"])) is keep
        assert client.get(f"/api/documents/{document}").json()["undo"]["label"] == label
    assert page_of(client, document)["content"]["languages"] == ["eng", "fra"]
    turned(client, f"/api/documents/{document}/undo")
    assert "Zzyzx" in json.dumps(page_of(client, document)["content"])
    turned(client, f"/api/documents/{document}/undo")  # back to English, and no need to read
    assert page_of(client, document)["content"]["languages"] == ["eng"]


def test_a_treatment_by_hand_is_applied_and_the_original_stays(client: TestClient, read: tuple[int, int]) -> None:
    batch, document = read
    page = page_of(client, document)
    before = client.get(page["original"]).content
    treatment = page["treatment"] | {"turn": {"switch": "by_hand", "degrees": 90}}
    assert (
        client.put(
            f"/api/pages/{page['id']}/treatment",
            json=now(client, f"/api/documents/{document}") | {"treatment": treatment},
        ).status_code
        == 202
    )
    wait(client, batch)
    turned = page_of(client, document)
    assert turned["content"]["width"] == page["content"]["height"]
    assert client.get(turned["original"]).content == before
    client.put(
        f"/api/pages/{page['id']}/treatment",
        json=now(client, f"/api/documents/{document}") | {"treatment": page["treatment"]},
    )
    wait(client, batch)


def test_a_preview_shows_a_treatment_and_keeps_nothing(client: TestClient, read: tuple[int, int]) -> None:
    page = page_of(client, read[1])
    url = f"/api/pages/{page['id']}/preview"

    def show(view: str = "page", **steps: object) -> tuple[np.ndarray, dict]:
        told = client.post(url, json={"treatment": page["treatment"] | steps, "view": view}).json()
        kind, data = told["image"].split(",")
        assert kind == "data:image/jpeg;base64"
        image = decode(base64.b64decode(data))
        assert image.shape[:2] == (told["height"], told["width"])
        return image, told

    plain, told = show()
    turned, _ = show(turn={"switch": "by_hand", "degrees": 90})
    assert abs(turned.shape[0] - plain.shape[1]) <= 3
    assert {"turn", "straighten", "output"} <= {f["step"] for f in told["findings"]}
    for view in ("before", "spread", "upright", "sheet"):
        assert show(view)[0].shape[0] > 100
    cut, told = show(trim={"switch": "by_hand", "box": [0.5, 0.5, 3.5, 2.0]})
    assert cut.shape[1] == pytest.approx(3 * told["dpi"], abs=2)
    assert page_of(client, read[1]) == page


def test_marks_and_areas_drawn_on_the_page_become_patches(client: TestClient, read: tuple[int, int]) -> None:
    page = page_of(client, read[1])
    url, treatment = f"/api/pages/{page['id']}/patches", page["treatment"]
    area = {"treatment": treatment, "outline": [[0.1, 0.2], [0.4, 0.2], [0.4, 0.5], [0.1, 0.5]]}
    (patch,) = client.post(url, json=area).json()["patches"]
    across = max(x for x, _ in patch["outline"]) - min(x for x, _ in patch["outline"])
    assert across == pytest.approx(0.3 * page["cleaned_size"][0] / page["cleaned_dpi"], rel=0.02)
    box = page["content"]["regions"][0]["lines"][0]["words"][0]["box"]
    at = [(box[0] + (box[2] - box[0]) * 0.1) / page["cleaned_size"][0], (box[1] + box[3]) / 2 / page["cleaned_size"][1]]
    assert len(client.post(url, json={"treatment": treatment, "outline": [at]}).json()["patches"]) == 1
    told = client.post(url, json={"treatment": treatment, "outline": [[0.1, 0.1], [0.2, 0.2]]})
    assert told.status_code == 422 and "enclose" in told.json()["detail"]


def test_pages_are_arranged_treated_and_named_over_http(client: TestClient, small_scan: Path, tmp_path: Path) -> None:
    batch = client.post("/api/batches", json={"name": "Order", "languages": ["eng"]}).json()["id"]
    many = many_pages(tmp_path / "three.tif", small_scan, 3)
    (document,) = client.post(
        f"/api/batches/{batch}/files", files=[("files", ("three.tif", many.read_bytes()))]
    ).json()["documents"]
    wait(client, batch)
    url = f"/api/documents/{document}"

    def ids() -> list[int]:
        return [p["id"] for p in client.get(url).json()["pages"]]

    a, b, c = ids()
    assert [
        p["id"] for p in client.put(f"{url}/order", json=now(client, url) | {"pages": [c, a, b]}).json()["pages"]
    ] == [c, a, b]
    assert client.put(f"{url}/order", json=now(client, url) | {"pages": [c, a]}).status_code == 409
    told = client.post(f"{url}/pages/remove", json=now(client, url) | {"pages": [a]}).json()
    assert [p["id"] for p in told["pages"]] == [c, b] and [r["id"] for r in told["removed"]] == [a]
    assert client.post(f"{url}/pages/remove", json=now(client, url) | {"pages": [c, b]}).status_code == 409
    assert [
        p["id"] for p in client.post(f"{url}/pages/restore", json=now(client, url) | {"pages": [a]}).json()["pages"]
    ] == [c, a, b]

    assert client.post(f"{url}/turn", json=now(client, url) | {"pages": [a, b], "degrees": 180}).json()["tasks"] == 2
    wait(client, batch)
    turns = {p: client.get(f"/api/pages/{p}").json()["applied"]["turn"] for p in (a, b, c)}
    assert turns == {a: 180, b: 180, c: 0}
    assert turned(client, f"{url}/undo").json()["label"] == "treatment of 2 pages"
    wait(client, batch)
    assert client.get(f"/api/pages/{a}").json()["applied"]["turn"] == 0

    assert (
        client.post(f"{url}/margins", json=now(client, url) | {"pages": [a, b, c], "even": True}).json()["tasks"] == 3
    )
    wait(client, batch)
    sizes = {tuple(client.get(f"/api/pages/{p}").json()["cleaned_size"]) for p in (a, b, c)}
    assert len(sizes) == 1

    treatment = client.get(f"/api/pages/{a}").json()["treatment"] | {"lighten": {"switch": "off"}}
    saved = client.post("/api/treatments", json={"name": " As scanned ", "treatment": treatment}).json()
    assert saved["name"] == "As scanned"
    again = client.post("/api/treatments", json={"name": "as scanned", "treatment": treatment})
    assert again.status_code == 409
    chosen = {"treatment": saved["treatment"], "pages": "selection", "selection": [a, c]}
    assert (
        client.put(f"/api/pages/{a}/treatment", json=now(client, f"/api/documents/{document}") | chosen).json()["tasks"]
        == 2
    )
    wait(client, batch)
    switches = [client.get(f"/api/pages/{p}").json()["treatment"]["lighten"]["switch"] for p in (a, b, c)]
    assert switches == ["off", "automatic", "off"]
    assert (
        client.put(
            f"/api/pages/{a}/treatment", json=now(client, f"/api/documents/{document}") | chosen | {"pages": "batch"}
        ).json()["tasks"]
        == 3
    )
    assert client.delete(f"/api/treatments/{saved['id']}").status_code == 204
    wait(client, batch)


def test_delivery_becomes_out_of_date_with_the_next_change(
    client: TestClient, read: tuple[int, int], judge: Judge, tmp_path: Path
) -> None:
    batch, document = read
    assert client.post(f"/api/batches/{batch}/deliveries", json={"formats": ["odt"]}).status_code == 422
    assert client.get(f"/api/batches/{batch}/zip").status_code == 409
    assert client.post(f"/api/batches/{batch}/deliveries", json={"formats": ["pdf", "txt"]}).json()["tasks"] == 2
    state = wait(client, batch)
    assert {d["name"] for d in state["deliveries"]} == {"Small-scan.pdf", "Small-scan.txt"}
    file = client.get(f"/api/deliveries/{state['deliveries'][0]['id']}/file")
    assert 'filename="Small-scan.pdf"' in file.headers["content-disposition"] and file.content.startswith(b"%PDF")
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/batches/{batch}/zip").content))
    assert archive.testzip() is None and set(archive.namelist()) == {
        "Small-scan.pdf",
        "Small-scan.txt",
        "Small-scan-report.html",
    }
    (tmp_path / "Small-scan.pdf").write_bytes(archive.read("Small-scan.pdf"))
    judge.accepts(tmp_path / "Small-scan.pdf")
    assert all(d["current"] for d in state["deliveries"])
    client.patch(
        f"/api/documents/{document}", json=now(client, f"/api/documents/{document}") | {"title": "A better title"}
    )
    assert not any(d["current"] for d in client.get(f"/api/batches/{batch}").json()["deliveries"])


def test_too_large_a_file_is_a_problem_and_the_others_go_on(
    client: TestClient, read: tuple[int, int], small_scan: Path
) -> None:
    batch = client.post("/api/batches", json={"name": "b", "languages": ["eng"]}).json()["id"]
    url = f"/api/batches/{batch}/files"
    beyond = {"files": ("vast.tif", b"II*\0" + b"\0" * 6_000_000)}
    assert client.post(url, files=beyond).status_code == 413
    files = [
        ("files", ("huge.tif", b"II*\0" + b"\0" * 5_000_000)),
        ("files", ("a/b/../c.png", small_scan.read_bytes())),
    ]
    told = client.post(url, files=files).json()
    assert [p["file"] for p in told["problems"]] == ["huge.tif"] and "limit" in told["problems"][0]["reason"]
    assert client.get(f"/api/batches/{batch}").json()["documents"][0]["name"] == "c.png"
    client.delete(f"/api/batches/{batch}")
    assert client.get(f"/api/batches/{batch}").status_code == 404


def test_the_flow_is_what_will_be_delivered(client: TestClient, read: tuple[int, int]) -> None:
    told = client.get(f"/api/documents/{read[1]}/flow").json()
    page = page_of(client, read[1])
    assert [f["region_id"] for f in told["items"]] == [r["id"] for r in page["content"]["regions"]]
    assert all("\n" not in f["text"] for f in told["items"]) and told["following"] is None


def test_the_flow_is_set_as_the_page_is(tmp_path: Path, maker: type[ContentMaker]) -> None:
    page = maker().add(Role.PARAGRAPH, "an area of m2 in all").add(Role.LIST_ITEM, "1. plain item").page()
    first = page.regions[0]
    words = list(first.lines[0].words)
    words[1] = words[1].model_copy(update={"style": (Style.ITALIC,)})
    words[3] = words[3].model_copy(update={"parts": (Part(1, 2, Style.SUPERSCRIPT),)})
    line = first.lines[0].model_copy(update={"words": tuple(words)})
    page = page.model_copy(update={"regions": (first.model_copy(update={"lines": (line,)}), *page.regions[1:])})
    app = make_app(tmp_path / "set", workers=1)
    document, _ = read_document(app.state.services.store, [page])
    with TestClient(app, base_url=HERE) as client:
        text, item = client.get(f"/api/documents/{document}/flow").json()["items"]
    assert [(r["text"], r["style"]) for r in text["runs"]] == [
        ("an ", []), ("area", ["italic"]), (" of m", []), ("2", ["superscript"]), (" in all", [])
    ]  # fmt: skip
    assert item["runs"] == [] and item["text"] == "1. plain item"


def test_a_long_flow_comes_in_parts_that_fit(tmp_path: Path, maker: type[ContentMaker]) -> None:
    def page(n: int) -> PageContent:
        made = maker(top=600).add(Role.PARAGRAPH, f"Page {n} ends.").add(Role.LIST_ITEM, f"{n + 1}. item")
        made.add(Role.CONTENTS_ENTRY, f"Chapter {n} … {n}")
        return made.add(Role.PARAGRAPH, f"and {n} goes on" if n % 3 else f"Page {n} is done.").page()

    app = make_app(tmp_path / "long", workers=1)
    document, _ = read_document(app.state.services.store, [page(n) for n in range(25)])
    with TestClient(app, base_url=HERE) as client:
        url = f"/api/documents/{document}/flow"
        whole = client.get(url, params={"count": 50}).json()["items"]
        parts, at = [], 0
        while at is not None:
            part = client.get(url, params={"page": at, "count": 4}).json()
            assert all(
                at < item["page"] <= at + 4
                for item in part["items"]
                if item["role"] not in ("list_item", "contents_entry")
            )
            parts += part["items"]
            at = part["following"]
    assert parts == whole and len(whole) >= 60
    assert {i["announced"] for i in whole} >= {"", "list with 1 item", "contents with 1 entry"}
    assert {i["text"] for i in whole if i["role"] == "contents_entry"} == {f"Chapter {n} {n}" for n in range(25)}


def test_previews_of_two_clerks_at_once_are_answered(client: TestClient, read: tuple[int, int]) -> None:
    page = page_of(client, read[1])

    def show(degrees: int) -> int:
        turned = page["treatment"] | {
            "turn": {"switch": "automatic"},
            "straighten": {"switch": "by_hand", "degrees": degrees},
        }
        return client.post(f"/api/pages/{page['id']}/preview", json={"treatment": turned}).status_code

    with ThreadPoolExecutor(4) as pool:
        assert list(pool.map(show, range(8))) == [200] * 8


def test_the_built_front_end_is_served(client: TestClient) -> None:
    assert '<div id="app">' in client.get("/").text
    assert '<div id="app">' in client.get("/..%2f..%2fpyproject.toml").text


def test_a_printed_page_says_its_own_text_until_its_ink_is_wanted(
    client: TestClient, setter: Typesetter, judge: Judge, tmp_path: Path
) -> None:
    """Two of a file's three pages are brought in; they leave as they came, and one block by itself."""
    pages = [
        setter.printed(
            f"<html lang=en><p style='font:14pt serif;margin:90mm 20mm'>The keeper of light {i} writes to the Board.</p>"
        )
        for i in range(3)
    ]
    with pikepdf.new() as pdf:
        for each in pages:
            with pikepdf.open(io.BytesIO(each)) as one:
                pdf.pages.append(one.pages[0])
        file = io.BytesIO()
        pdf.save(file)
    batch = client.post("/api/batches", json={"name": "Printed", "languages": ["eng"]}).json()["id"]
    sent = client.post(
        f"/api/batches/{batch}/files", files=[("files", ("letters.pdf", file.getvalue()))], data={"pages": "2-"}
    )
    (document,) = sent.json()["documents"]
    refused = client.post(
        f"/api/batches/{batch}/files", files=[("files", ("letters.pdf", file.getvalue()))], data={"pages": "9"}
    )
    assert "none of those" in refused.json()["problems"][0]["reason"]
    wait(client, batch)
    page = page_of(client, document)
    assert page["kind"] == "born_digital" and page["own_text"] and page["content"]["own_text"]["taken"]
    words = [w["text"] for w in page["content"]["regions"][0]["lines"][0]["words"]]
    assert " ".join(words) == "The keeper of light 1 writes to the Board."
    assert len(client.get(f"/api/documents/{document}").json()["pages"]) == 2

    region = page["content"]["regions"][0]["id"]
    alone = client.get(f"/api/pages/{page['id']}/regions/{region}/txt")
    assert alone.text.strip() == "The keeper of light 1 writes to the Board."
    assert client.get(f"/api/pages/{page['id']}/regions/{region},{region}/txt").text == alone.text
    for name in (f for f in FORMATS if f not in ("xlsx", "csv", "pptx", "opus", "flac", "wav", "chapters")):
        made = client.get(f"/api/pages/{page['id']}/regions/{region}/{name}")
        assert made.status_code == 200 and made.headers["content-type"] == FORMATS[name].media_type, name
    assert client.get(f"/api/pages/{page['id']}/regions/{region}/xlsx").status_code == 422
    assert client.get(f"/api/pages/{page['id']}/regions/none/txt").status_code == 422

    url = f"/api/documents/{document}"
    client.post(f"/api/pages/{page['id']}/read", json={**now(client, url), "text_from": "ink"}).raise_for_status()
    wait(client, batch)
    anew = page_of(client, document)
    assert anew["text_from"] == "ink" and not anew["content"]["own_text"]["taken"]
    turned(client, f"{url}/undo").raise_for_status()
    wait(client, batch)
    assert page_of(client, document)["content"]["own_text"]["taken"]

    client.post(f"/api/batches/{batch}/deliveries", json={"formats": ["pdf"]}).raise_for_status()
    (made,) = wait(client, batch)["deliveries"]
    path = tmp_path / "letters.pdf"
    path.write_bytes(client.get(f"/api/deliveries/{made['id']}/file").content)
    judge.accepts(path)
    with pikepdf.open(path) as pdf:
        assert len(pdf.pages) == 2 and "/Im0" not in pdf.pages[0].resources.get("/XObject", {})


def test_a_pages_blocks_are_given_to_the_others_of_its_document(client: TestClient, read: tuple[int, int]) -> None:
    store = client.app.state.services.store  # type: ignore[attr-defined]
    content = (
        ContentMaker(top=1500).add(Role.PARAGRAPH, "Station and keeper").add(Role.PARAGRAPH, "Persons landed").page()
    )
    document, ids = read_document(store, [content] * 3)
    page = client.get(f"/api/pages/{ids[0]}").json()
    edit = {"op": "set_roles", "region_ids": ["r1", "r2"], "role": "caption"}
    told = client.post(f"/api/pages/{ids[0]}/edits", json={"revision": page["revision"], "operation": edit}).json()
    stale = client.post(f"/api/pages/{ids[0]}/template", json={"revision": page["revision"]})
    assert stale.status_code == 409
    revision = told["page"]["revision"]
    given = client.post(f"/api/pages/{ids[0]}/template", json={"revision": revision, "pages": [ids[2]]}).json()
    assert [p["id"] for p in given["pages"]] == [ids[2]]
    roles = [[r["role"] for r in client.get(f"/api/pages/{i}").json()["content"]["regions"]] for i in ids]
    assert roles == [["caption"] * 2, ["paragraph"] * 2, ["caption"] * 2]
    more = {"revision": revision, "pages": [ids[1]], "change": given["document"]["undo"]["id"]}
    assert client.post(f"/api/pages/{ids[0]}/template", json=more | {"change": 1}).status_code == 409
    went_on = client.post(f"/api/pages/{ids[0]}/template", json=more).json()
    assert [p["id"] for p in went_on["pages"]] == [ids[1]] and went_on["document"]["undo"]["id"] == more["change"]
    turned(client, f"/api/documents/{document}/undo").raise_for_status()
    for page_id in ids[1:]:
        assert {r["role"] for r in client.get(f"/api/pages/{page_id}").json()["content"]["regions"]} == {"paragraph"}


def test_a_file_stands_in_a_pictures_stead(client: TestClient, read: tuple[int, int], tmp_path: Path) -> None:
    store = client.app.state.services.store  # type: ignore[attr-defined]
    content = ContentMaker().figure().add(Role.PARAGRAPH, "The old lantern, drawn from memory.").page()
    white = Pillow.new("RGB", (content.width, content.height), "white")
    file = io.BytesIO()
    white.save(file, "JPEG")
    document, ids = read_document(store, [content], image=store.blobs.put(file.getvalue()))
    url, revision = f"/api/pages/{ids[0]}", store.pages.page(ids[0]).revision
    broken = client.post(f"{url}/pictures", files={"file": ("lantern.png", b"\x89PNG\r\n\x1a\nno picture")})
    assert broken.status_code == 422 and "lantern.png" in broken.json()["detail"]
    other = io.BytesIO()
    Pillow.new("RGB", (300, 100), (20, 30, 200)).save(other, "PNG")
    kept = client.post(f"{url}/pictures", files={"file": ("lantern.png", other.getvalue())}).json()
    assert (kept["width"], kept["height"]) == (300, 100)

    def edit(revision: int, image: str) -> Any:
        operation = {"op": "substitute_picture", "region_id": "r1", "image": image}
        return client.post(f"{url}/edits", json={"revision": revision, "operation": operation})

    assert edit(revision, "f" * 64).status_code == 422
    edit(revision, kept["image"]).raise_for_status()
    store.recover()
    assert client.get(f"/api/blobs/{kept['image']}").status_code == 200
    alone = Document(io.BytesIO(client.get(f"{url}/regions/r1/docx").content))
    assert len(alone.inline_shapes) == 1
    turned(client, f"/api/documents/{document}/undo").raise_for_status()
    assert not page_of(client, document)["content"]["regions"][0]["substitute"]
    client.delete(f"/api/documents/{document}").raise_for_status()
    assert client.get(f"/api/blobs/{kept['image']}").status_code == 404


def test_what_is_left_what_a_word_may_be_and_word_lists(client: TestClient, read: tuple[int, int]) -> None:
    store = client.app.state.services.store  # type: ignore[attr-defined]
    content = worn(ContentMaker().add(Role.PARAGRAPH, "tbe keeper of Grimhaug and tbe lamp of Grimhaug").page())
    document, ids = read_document(store, [content])
    url = f"/api/documents/{document}/left"
    before = client.get(url, params={"goal": 0.9}).json()
    assert before["words"] == 9 and before["between"][0] <= before["expected"] <= before["between"][1]
    assert 0 < before["look"] <= 9 and client.get(url, params={"goal": 2}).status_code == 422
    told = client.get(f"/api/pages/{ids[0]}/words/w1/help").json()
    assert told["suggestions"][0] == "the" and told["kin"] == 1
    assert client.get(f"/api/pages/{ids[0]}/words/w999/help").status_code == 422

    batch = store.documents.document(document).batch_id
    doubts = client.get(f"/api/documents/{document}/doubts").json()
    assert "Grimhaug" in {d["text"] for d in doubts}
    lists = f"/api/word-lists/{batch}"
    assert client.post(lists, json={"words": ["Grimhaug,", " ", "Grimhaug"]}).json() == {"words": ["grimhaug"]}
    assert client.get(lists).text == "Grimhaug\n" and client.get("/api/word-lists/0").text == ""
    assert "Grimhaug" not in {d["text"] for d in client.get(f"/api/documents/{document}/doubts").json()}
    assert client.get(url).json()["expected"] < before["expected"]
    client.delete(f"{lists}/Grimhaug").raise_for_status()
    assert client.get(lists).text == "" and client.get("/api/word-lists/999").status_code == 404

    found = client.get("/api/search", params={"text": "TBE", "way": "words", "document": document}).json()
    assert found["total"] == 2 and found["hits"][0]["words"] == ["w1"] and found["pages"] == ids
    assert client.get("/api/search", params={"text": "(", "way": "pattern"}).status_code == 422
    wanted = {"text": "tbe", "way": "words", "by": "the", "pages": ids}
    assert client.post(f"/api/documents/{document}/replace", json=wanted).json()["words"] == 2
    assert client.get(url).json()["expected"] < before["expected"]


def test_a_sample_is_drawn_judged_and_told(client: TestClient, read: tuple[int, int]) -> None:
    store = client.app.state.services.store  # type: ignore[attr-defined]
    pages = [ContentMaker().add(Role.PARAGRAPH, "The keeper lit the lamp and wrote the log").page() for _ in range(3)]
    document, ids = read_document(store, pages)
    settled = {"revision": store.pages.page(ids[0]).revision, "operation": {"op": "accept_word", "word_id": "w1"}}
    client.post(f"/api/pages/{ids[0]}/edits", json=settled).raise_for_status()
    url = f"/api/documents/{document}/sample"
    assert client.get(url).json()["waiting"] == []
    drawn = client.post(url, json={"size": 500}).json()["waiting"]
    assert len(drawn) == 26 and (ids[0], "w1") not in {(w["page"], w["word"]) for w in drawn}
    assert drawn[0]["box"] == list(next(w.box for w in pages[0].words if w.id == drawn[0]["word"]))
    for i, word in enumerate(drawn):
        told = client.post(f"{url}/verdicts", json={"page": word["page"], "word": word["word"], "right": i > 0}).json()
    assert (told["looked_at"], told["right"], told["waiting"]) == (26, 25, [])
    assert told["between"][0] < 25 / 26 < told["between"][1] and told["more"] > 0
    stranger = client.post(f"{url}/verdicts", json={"page": ids[0], "word": "w1", "right": True})
    assert stranger.status_code == 404
    client.delete(url).raise_for_status()
    assert client.get(url).json()["looked_at"] == 0
