"""Quality and size of delivered pictures, names, parts of documents, delivery sets, the record and the bag."""

from __future__ import annotations

import hashlib
import io
import json
import subprocess
import time
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import bagit
import cv2
import numpy as np
import pikepdf
import pypdfium2
import pytest
from fastapi.testclient import TestClient

from hyalen.core.formats.codecs import encode_bitonal, encode_jpeg
from hyalen.core.formats.format import DeliveryOptions, Quality, Tones
from hyalen.core.formats.names import checked_pattern, stem_by
from hyalen.core.imaging.layers import layered
from hyalen.core.imaging.threshold import ink_threshold
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.document import DocumentContent, LabelRange, LabelStyle
from hyalen.core.model.geometry import Box
from hyalen.core.structure.labels import labels_of_part, page_labels
from hyalen.demo.typeset import Typesetter
from hyalen.store.store import Store
from hyalen.web.app import make_app
from hyalen.work.samples import Sheet, as_delivered, weights
from tests.conftest import ContentMaker, Judge
from tests.helpers import HERE, cleaned, deliver, read_document

TEXT = "The keeper was at the light through all the night of the gale and kept the pressure by hand. " * 14


@pytest.fixture(scope="module")
def scan(setter: Typesetter) -> np.ndarray[Any, np.dtype[np.uint8]]:
    """A page of print on toned, grainy paper, with a stamp in red."""
    made = setter.set(f"<body style='font:11pt serif'><h1>Torgrunn</h1><p>{TEXT}</p><p style='color:#b02020;font:bold 20pt sans-serif'>RECEIVED</p></body>").image  # fmt: skip
    chance = np.random.default_rng(7)
    paper = made.astype(np.float32) * (np.array([0.93, 0.91, 0.86]) if made.ndim == 3 else 0.9)
    grain = chance.normal(0, 4, paper.shape[:2])[:, :, None]
    return np.clip(cv2.GaussianBlur(paper, (3, 3), 0) + grain, 0, 255).astype(np.uint8)


def content_for(image: np.ndarray[Any, Any]) -> PageContent:
    return PageContent(width=image.shape[1], height=image.shape[0], dpi=300)


# Quality


def test_ink_lies_sharp_over_a_soft_background(scan: np.ndarray[Any, np.dtype[np.uint8]]) -> None:
    layers = layered(scan, 300)
    assert layers is not None and layers.background.shape[0] < scan.shape[0] / 3
    black, red = layers.inks
    assert max(black.colour) < 110 and red.colour[0] > red.colour[1] + 60
    whole = np.zeros(scan.shape[:2], bool)
    for ink in layers.inks:
        assert not (whole & ink.mask).any()  # each pixel is of one ink
        whole |= ink.mask
    wanted = ink_threshold(cv2.cvtColor(scan, cv2.COLOR_RGB2GRAY), 300)
    assert (whole & wanted).sum() > 0.93 * wanted.sum() and (whole & ~wanted).sum() < 0.05 * wanted.sum()
    # Where ink was, the background is paper.
    assert int(np.percentile(layers.background, 1)) > 180
    # A picture stays in the background; a page that is all picture has no layers.
    first = int(np.nonzero(whole.any(axis=1))[0][0]) + 80
    boxed = layered(scan, 300, [Box(0, 0, scan.shape[1], first)])
    assert boxed is not None and boxed.inks and not any(ink.mask[:first].any() for ink in boxed.inks)
    assert layered(np.random.default_rng(1).integers(0, 255, (900, 700), dtype=np.uint8), 300) is None


def test_smaller_pictures_weigh_less_and_look_the_same(
    tmp_path: Path, scan: np.ndarray[Any, np.dtype[np.uint8]]
) -> None:
    path = tmp_path / "page"
    path.write_bytes(encode_jpeg(scan))
    sheet = Sheet(str(path), content_for(scan))
    told = weights([sheet], Tones.AS_IS)
    assert told[Quality.SMALLEST] < 0.12 * told[Quality.AS_SCANNED] < told[Quality.BALANCED] < told[Quality.AS_SCANNED]
    assert weights([sheet], Tones.BLACK_AND_WHITE)[Quality.AS_SCANNED] < told[Quality.SMALLEST]
    for quality in Quality:
        shown = cv2.imdecode(np.frombuffer(as_delivered(sheet, DeliveryOptions(quality=quality)), np.uint8), cv2.IMREAD_COLOR_RGB)  # fmt: skip
        assert abs(shown.shape[0] - scan.shape[0]) <= 1
        both = [cv2.resize(each, (300, 420), interpolation=cv2.INTER_AREA).astype(int) for each in (shown, scan)]
        assert np.abs(both[0] - both[1]).mean() < 6
    grey = as_delivered(sheet, DeliveryOptions(tones=Tones.GREY))
    assert np.ptp(cv2.imdecode(np.frombuffer(grey, np.uint8), cv2.IMREAD_COLOR_RGB).astype(int), axis=2).max() < 8


def test_one_bit_stays_one_bit_whatever_is_asked(tmp_path: Path, scan: np.ndarray[Any, np.dtype[np.uint8]]) -> None:
    path = tmp_path / "page"
    path.write_bytes(encode_bitonal(cv2.cvtColor(scan, cv2.COLOR_RGB2GRAY)))
    sizes = weights([Sheet(str(path), content_for(scan))], Tones.GREY)
    assert len(set(sizes.values())) == 1 and sizes[Quality.SMALLEST] < 1.1 * path.stat().st_size


def test_what_is_all_picture_is_never_made_larger(tmp_path: Path) -> None:
    """Layers of a page of few letters around a picture at a low resolution would weigh more than the page."""
    page = ContentMaker().figure("A tower").page()
    box = page.regions[0].box
    image = np.full((page.height, page.width), 250, np.uint8)
    image[box.top : box.bottom, box.left : box.right] = np.random.default_rng(3).integers(
        0, 255, (box.height, box.width)
    )
    cv2.putText(image, "Torgrunn", (220, 140), cv2.FONT_HERSHEY_SIMPLEX, 1, 30, 2)
    content = page.model_copy(update={"dpi": 100.0})
    path = tmp_path / "page"
    path.write_bytes(encode_jpeg(image))
    told = weights([Sheet(str(path), content)], Tones.AS_IS)
    assert told[Quality.SMALLEST] <= told[Quality.BALANCED] <= told[Quality.AS_SCANNED]


def test_a_file_of_layers_is_accepted_and_shows_its_figure(tmp_path: Path, judge: Judge) -> None:
    """ISO 19005-2 and 14289-1 by the reference validator; the picture as another renderer than ours shows it."""
    page = ContentMaker().add(Role.HEADING_1, "Torgrunn").figure("A tower").page()
    image = np.full((page.height, page.width, 3), (240, 236, 225), np.uint8)
    box = page.regions[1].box
    image[box.top : box.bottom, box.left : box.right] = (60, 120, 190)
    cv2.putText(image, "Torgrunn", (220, 140), cv2.FONT_HERSHEY_SIMPLEX, 2, (30, 30, 30), 5)
    data = deliver(
        DocumentContent(title="Lamps", language="eng", pages=(page,)),
        lambda _: encode_jpeg(image),
        "pdf",
        quality=Quality.SMALLEST,
    )
    path = tmp_path / "a.pdf"
    path.write_bytes(data)
    judge.accepts(path)
    with pikepdf.open(path) as pdf:
        stencils = [x for x in pdf.pages[0].Resources.XObject.values() if x.get("/ImageMask")]
        assert len(stencils) == 1 and stencils[0].Filter == "/CCITTFaxDecode"
    shown = pypdfium2.PdfDocument(path)[0].render(scale=1).to_numpy()
    middle = shown[round(box.centre.y * 72 / 300), round(box.centre.x * 72 / 300)]
    assert np.abs(middle[:3][::-1].astype(int) - (60, 120, 190)).max() < 25
    command = ["pdftoppm", "-r", "72", "-png", "-singlefile", str(path), str(tmp_path / "poppler")]
    subprocess.run(command, check=True)
    other = cv2.imread(str(tmp_path / "poppler.png"))
    assert other is not None and np.abs(other.astype(int) - shown[:, :, :3]).mean() < 3


# Names and parts


def test_names_are_made_of_what_is_told_and_safe() -> None:
    told = {"source": "Some-scan", "title": "The lamps: a report", "reference": "SLB 14/2", "number": "007"}
    assert stem_by("{number} {reference}-{title}-accessible", told) == "007-SLB-14-2-The-lamps-a-report-accessible"
    assert stem_by("", told) == "document" and stem_by("con", told) == "file-con"
    with pytest.raises(ValueError, match="nothing that a name can have"):
        checked_pattern("{author}")


def test_pages_of_a_part_keep_what_they_are_called() -> None:
    ranges = [LabelRange(style=LabelStyle.SMALL_ROMAN), LabelRange(first=4), LabelRange(first=8, prefix="A-")]
    everything = page_labels(ranges, 12)
    for chosen in ([2, 3, 4, 9], [0], [11, 11], list(range(12)), [5, 7]):
        assert page_labels(labels_of_part(ranges, chosen), len(chosen)) == [everything[i] for i in chosen]


# Over the wire


@pytest.fixture
def client(tmp_path: Path) -> Iterator[TestClient]:
    store = Store(tmp_path / "data")
    image = store.blobs.put(encode_jpeg(np.full((3508, 2480), 240, np.uint8)))
    pages = [ContentMaker().add(Role.HEADING_1, f"Part {n}").page() for n in ("one", "two", "three")]
    read_document(store, pages, image=image, how=cleaned())
    store.close()
    with TestClient(make_app(tmp_path / "data", workers=1), base_url=HERE) as made:
        yield made


def order(client: TestClient, formats: list[str], **options: Any) -> list[dict[str, Any]]:
    body = {"formats": formats, "options": options, "made_by": "E. Sandvik"}
    assert client.post("/api/batches/1/deliveries", json=body).status_code == 202
    until = time.monotonic() + 120
    while (batch := client.get("/api/batches/1").json())["making"] and time.monotonic() < until:
        time.sleep(0.1)
    assert not batch["failed"]
    found: list[dict[str, Any]] = batch["deliveries"]
    return found


def test_a_part_is_delivered_under_a_name_of_its_own(client: TestClient) -> None:
    wanted = {"formats": ["pdf", "txt"], "options": {"name": "{number}-{source}-accessible"}}
    told = client.post("/api/batches/1/names", json=wanted).json()
    made = order(client, ["pdf", "txt"], name="{number}-{source}-accessible", pages="2-3")
    assert [d["name"] for d in made] == [t["name"] for t in told] == ["001-Some-scan-accessible.pdf", "001-Some-scan-accessible.txt"]  # fmt: skip
    text = client.get(f"/api/deliveries/{made[1]['id']}/file").text
    assert "Part two" in text and "Part three" in text and "Part one" not in text
    with pikepdf.open(io.BytesIO(client.get(f"/api/deliveries/{made[0]['id']}/file").content)) as pdf:
        assert len(pdf.pages) == 2
    assert client.post("/api/batches/1/names", json={"formats": ["pdf"], "options": {"name": "{x}"}}).status_code == 422
    assert client.post("/api/batches/1/names", json={"formats": ["exe"]}).status_code == 422
    for pages in ("9-12", "a"):
        refused = client.post("/api/batches/1/deliveries", json={"formats": ["txt"], "options": {"pages": pages}})
        assert refused.status_code == 422 and "Some scan" in refused.json()["detail"]


def test_sets_are_kept_under_names(client: TestClient) -> None:
    wanted = {"name": "Web", "formats": ["pdf"], "options": {"quality": "smallest"}}
    (kept,) = client.put("/api/delivery-sets", json=wanted).json()
    assert (kept["name"], kept["options"]["quality"]) == ("Web", "smallest")
    (kept,) = client.put("/api/delivery-sets", json=wanted | {"formats": ["pdf", "docx"]}).json()
    assert kept["formats"] == ["pdf", "docx"]
    assert client.delete(f"/api/delivery-sets/{kept['id']}").status_code == 204
    assert client.get("/api/delivery-sets").json() == []
    assert client.delete(f"/api/delivery-sets/{kept['id']}").status_code == 404


def test_the_record_says_what_was_made_and_the_bag_is_whole(client: TestClient, tmp_path: Path) -> None:
    """RFC 8493 by the Library of Congress's own package."""
    assert client.get("/api/batches/1/bag").status_code == 409
    (made,) = order(client, ["txt"], quality="balanced")
    data = client.get(f"/api/deliveries/{made['id']}/file").content
    told = json.loads(client.get(f"/api/deliveries/{made['id']}/record").content)
    assert told["sha256"] == hashlib.sha256(data).hexdigest() and told["by"] == "E. Sandvik"
    assert told["options"]["quality"] == "balanced" and told["up_to_date"]
    (part,) = told["documents"]
    assert part["redacted_areas"] == 0 and part["sources"][0]["file"] == "Some scan.pdf"
    page = client.get(f"/api/deliveries/{made['id']}/record.html").text
    assert told["sha256"] in page and "E. Sandvik" in page and '<html lang="en">' in page
    with zipfile.ZipFile(io.BytesIO(client.get("/api/batches/1/bag").content)) as archive:
        archive.extractall(tmp_path / "out")
    (folder,) = (tmp_path / "out").iterdir()
    found = bagit.Bag(str(folder))
    found.validate()
    assert f"data/{made['name']}" in found.entries and f"data/records/{made['name']}.json" in found.entries
    assert found.info["Payload-Oxum"] and found.version == "1.0"
    (folder / "data" / made["name"]).write_text("other")
    with pytest.raises(bagit.BagValidationError):
        found.validate()


def test_what_it_will_look_like_and_weigh_is_told_before(client: TestClient) -> None:
    page = client.get("/api/documents/1").json()["pages"][0]["id"]
    shown = client.get(f"/api/pages/{page}/as-delivered", params={"quality": "smallest", "tones": "grey"})
    assert shown.headers["content-type"] == "image/jpeg" and shown.content[:2] == b"\xff\xd8"
    told = {w["quality"]: w["bytes"] for w in client.get("/api/documents/1/weights").json()}
    assert set(told) == {q.value for q in Quality} and told["smallest"] <= told["as_scanned"]
