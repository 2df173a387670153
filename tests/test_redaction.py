"""What is redacted is in no part of any delivered file; it stays in the scan and in the journal."""

from __future__ import annotations

import io
import json
import re
import subprocess
import zipfile
from pathlib import Path

import cv2
import numpy as np
import pikepdf
import pypdfium2
import pytest
from fastapi.testclient import TestClient

from hyalen.core.decisions.decide import decide
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import ReadAfresh
from hyalen.core.decisions.replay import replay
from hyalen.core.decisions.requests import RedactAreas, Unredact
from hyalen.core.formats.codecs import decode, encode_bitonal, encode_jpeg
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions, Quality
from hyalen.core.formats.retouch import blackened
from hyalen.core.model.content import PageContent, Role, Word
from hyalen.core.model.document import BookmarkEntry, Particulars
from hyalen.core.model.packing import packed
from hyalen.core.read import read_content
from hyalen.core.structure.redaction import MARK, redacted, redacted_words, scrubbed
from hyalen.store.store import Store
from hyalen.web.app import make_app
from hyalen.work.jobs import make_delivery
from hyalen.work.manuscript import write_manuscript
from tests.conftest import ContentMaker
from tests.helpers import HERE, read_document

SECRET = "Bjarnason"
LAY = Lay()


def page() -> PageContent:
    maker = ContentMaker(top=400).add(Role.HEADING_1, f"Of keeper {SECRET}")
    maker.add(Role.PARAGRAPH, f"The keeper Olaf {SECRET} was at the light\nall through the night of the gale")
    return maker.table([["Name", "Pay"], [SECRET, "4100"]]).figure(f"{SECRET} before the tower").page()


def drawn(content: PageContent) -> np.ndarray[tuple[int, ...], np.dtype[np.uint8]]:
    """The page as it looks."""
    image = np.full((content.height, content.width), 245, np.uint8)
    for word in content.words:
        cv2.putText(image, word.text, (word.box.left, word.box.bottom), cv2.FONT_HERSHEY_SIMPLEX, 1.1, 20, 3)
    return image


def over(words: list[Word]) -> RedactAreas:
    return RedactAreas(areas=tuple(tuple((p.x, p.y) for p in w.box.grown(4).polygon()) for w in words))


def hidden() -> PageContent:
    content = page()
    request = over([w for w in content.words if w.text in (SECRET, "Olaf", "4100")])
    picture = next(r for r in content.regions if r.kind.is_picture)
    face = picture.box
    request = request.model_copy(update={"areas": (*request.areas, ((face.left, face.top), (face.left + 200, face.top), (face.left, face.top + 200)))})  # fmt: skip
    return replay(content, decide(content, request, LAY), LAY).content


def test_words_that_are_touched_go_whole_and_marks_say_so() -> None:
    told = redacted(hidden())
    texts = [r.text for r in told.regions]
    assert texts[0] == f"Of keeper {MARK}"
    assert texts[1].splitlines()[0] == f"The keeper {MARK} was at the light"  # neighbours have one mark
    assert texts[2] == f"Name\nPay\n{MARK}\n{MARK}" and told.regions[3].description == MARK
    assert redacted(page()) == page()


def test_a_redaction_is_undone_taken_back_and_outlasts_a_fresh_reading() -> None:
    content = hidden()
    assert len(content.redactions) == 6
    less = replay(content, decide(content, Unredact(index=0), LAY), LAY).content
    assert less.redactions == content.redactions[1:]
    operations = [*decide(page(), over([next(w for w in page().words if w.text == SECRET)]), LAY), ReadAfresh()]
    assert len(replay(page(), operations, LAY).content.redactions) == 1


def test_words_elsewhere_are_scrubbed_but_for_usual_ones() -> None:
    gone = redacted_words([hidden()], "eng")
    assert {"bjarnason", "4100", "olaf"} <= gone and "the" not in gone
    assert scrubbed(f"Letter of {SECRET.upper()}, 1931", gone) == f"Letter of {MARK}, 1931"
    assert scrubbed("The keeper", gone) == "The keeper"
    assert scrubbed(f"Letter-of-{SECRET}-1931.tif", gone) == f"Letter-of-{MARK}-1931.tif"


def delivered(tmp_path: Path, name: str, image: bytes, **options: object) -> bytes:
    content = hidden()
    path = tmp_path / "page"
    path.write_bytes(image)
    manuscript, out = tmp_path / "manuscript", tmp_path / f"out.{name}"
    write_manuscript(
        manuscript, f"The case of {SECRET}", "eng", [(packed(content), str(path), None)],
        particulars=Particulars(subject=f"{SECRET}, a keeper"), redacted_pages=[0],
        bookmarks=[BookmarkEntry(title=f"On {SECRET}", page=0)],
    )  # fmt: skip
    make_delivery(str(manuscript), str(out), name, DeliveryOptions.model_validate(options))
    return out.read_bytes()


def everything_in(data: bytes) -> str:
    """All that a file holds, unpacked: streams, strings and attributes."""
    if data.startswith(b"%PDF"):
        with pikepdf.open(io.BytesIO(data)) as pdf:
            parts = [str(o) if not isinstance(o, pikepdf.Stream) else "" for o in pdf.objects]
            parts += [bytes(o.read_bytes()).decode("latin1") for o in pdf.objects if isinstance(o, pikepdf.Stream) and o.get("/Subtype") != "/Image"]  # fmt: skip
            told = "".join(parts)
            return told + bytes.fromhex("".join(re.findall(r"<([0-9A-Fa-f]{4,})>", told))[: 2 * 10**6 // 4 * 4]).decode("utf-16-be", "ignore")  # fmt: skip
    if data.startswith(b"PK"):
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            return "".join(archive.read(n).decode("utf8", "ignore") for n in archive.namelist())
    return data.decode("utf8", "ignore")


UUID = r"[0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}"


@pytest.mark.parametrize("name", [n for n in FORMATS if n not in ("pptx", "opus", "flac", "wav", "chapters")])
def test_no_delivered_file_says_it(tmp_path: Path, name: str) -> None:
    data = delivered(tmp_path, name, encode_jpeg(drawn(page())))
    told = re.sub(UUID, "", everything_in(data))  # whose figures are any
    assert SECRET not in told and SECRET.casefold() not in told.casefold() and "4100" not in told
    assert name != "json" or json.loads(data)
    if name == "pdf":
        with pikepdf.open(io.BytesIO(data)) as pdf:
            assert str(pdf.docinfo["/Title"]) == f"The case of {MARK}"


@pytest.mark.parametrize("quality", Quality)
def test_no_picture_shows_it(tmp_path: Path, quality: Quality) -> None:
    """What a reader finds on the delivered picture, and what poppler's text says, are without it."""
    data = delivered(tmp_path, "pdf", encode_jpeg(drawn(page())), quality=quality)
    path = tmp_path / "a.pdf"
    path.write_bytes(data)
    told = subprocess.run(["pdftotext", str(path), "-"], capture_output=True, text=True, check=True).stdout
    assert "keeper" in told and MARK in told and SECRET not in told and "4100" not in told
    shown = pypdfium2.PdfDocument(path)[0].render(scale=300 / 72).to_numpy()
    read = " ".join(w.text for w in read_content(np.ascontiguousarray(shown[:, :, 0]), 300, ("eng",)).words)
    assert "keeper" in read and SECRET not in read and "4100" not in read


def test_black_and_white_pages_stay_so() -> None:
    content = hidden()
    data = encode_bitonal(drawn(page()))
    done = blackened(data, content.redactions)
    assert done.startswith(b"\x89PNG")
    word = next(w for w in page().words if w.text == SECRET)
    assert decode(done)[word.box.top : word.box.bottom, word.box.left : word.box.right].max() == 0
    assert blackened(data, ()) is data


def test_what_is_found_is_redacted_at_all_its_places_as_one_step(tmp_path: Path) -> None:
    store = Store(tmp_path / "data")
    read_document(store, [page(), page()])
    store.close()
    with TestClient(make_app(tmp_path / "data", workers=1), base_url=HERE) as client:
        ids = [p["id"] for p in client.get("/api/documents/1").json()["pages"]]
        wanted = {"text": SECRET, "way": "words", "by": "", "redact": True, "pages": ids}
        told = client.post("/api/documents/1/replace", json=wanted).json()
        assert told["words"] == 6 and told["document"]["undo"]["label"] == f"“{SECRET}” redacted"
        assert [len(client.get(f"/api/pages/{p}").json()["content"]["redactions"]) for p in ids] == [3, 3]
        said = " ".join(s["text"] for s in client.get("/api/documents/1/spoken").json()["said"])
        assert MARK in said and SECRET not in said
        report = client.get("/api/documents/1/report").text
        assert "Page 1: 3 areas" in report and SECRET not in report
        client.post("/api/documents/1/undo", json={"change": told["document"]["undo"]["id"]})
        assert "redactions" not in client.get(f"/api/pages/{ids[0]}").json()["content"] or not client.get(f"/api/pages/{ids[0]}").json()["content"]["redactions"]  # fmt: skip
