"""The document as it is heard: its order and words, and the sound that is made of it."""

from __future__ import annotations

import io
import re
import struct
import subprocess
import wave
import zipfile
from pathlib import Path

import numpy as np
import pytest
from fastapi.testclient import TestClient

from hyalen.core.accessibility.spoken import Kind, Said, readable, spoken
from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.sound import RATE, as_wav, speak, voice
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.document import DocumentContent
from hyalen.core.structure.tree import StructureTree
from hyalen.store.store import Store
from hyalen.web.app import make_app
from tests.conftest import ContentMaker
from tests.helpers import HERE, deliver, read_document


def document(*pages: PageContent) -> DocumentContent:
    return DocumentContent(title="The lamps", language="eng", pages=pages)


def page() -> PageContent:
    maker = (
        ContentMaker()
        .add(Role.HEADING_1, "The lamps")
        .add(Role.PARAGRAPH, "They were lit at\nfour each even-\ning")
        .add(Role.LIST_ITEM, "1. of oil")
    )
    maker = maker.add(Role.LIST_ITEM, "2. of gas").figure("A lantern").table([["Station", "Lamps"], ["Torgrunn", "4"]])
    return maker.add(Role.NOTE, "* counted in May").page()  # fmt: skip


def said(*pages: PageContent) -> list[Said]:
    told = document(*pages)
    return list(spoken(StructureTree(told.title, told.language, told.pages).nodes()))


def test_a_document_is_announced_and_read_in_order() -> None:
    told = [(s.kind, s.announced, s.text) for s in said(page())]
    assert told == [
        (Kind.HEADING, "heading level 1", "The lamps"),
        (Kind.BLOCK, "", "They were lit at four each evening"),
        (Kind.BLOCK, "list with 2 items", ""),
        (Kind.ITEM, "", "1. of oil"),
        (Kind.ITEM, "", "2. of gas"),
        (Kind.END, "end of list", ""),
        (Kind.PICTURE, "graphic", "A lantern"),
        (Kind.BLOCK, "table with 2 rows and 2 columns", ""),
        (Kind.CELL, "row 1: column header", "Station"),
        (Kind.CELL, "column header", "Lamps"),
        (Kind.CELL, "row 2: Station", "Torgrunn"),
        (Kind.CELL, "Lamps", "4"),
        (Kind.END, "end of table", ""),
        (Kind.BLOCK, "note", "* counted in May"),
    ]
    assert said(page())[0].level == 1


def test_what_is_heard_are_the_words_of_the_structure_text_in_its_order(tmp_path: Path) -> None:
    """Poppler's walk over the tags of the PDF that is delivered, as an outside witness."""
    scan = encode_jpeg(np.full((3508, 2480), 255, np.uint8))
    (tmp_path / "a.pdf").write_bytes(deliver(document(page(), page()), lambda _: scan, "pdf"))
    told = subprocess.run(
        ["pdfinfo", "-struct-text", str(tmp_path / "a.pdf")], capture_output=True, text=True, check=True
    ).stdout
    words = " ".join(re.findall(r'"(.*)"\n', told)).split()
    heard = [w for s in said(page(), page()) if s.kind is not Kind.PICTURE for w in s.text.split()]
    assert "".join(heard) == "".join(words).replace("even-ing", "evening")


@pytest.mark.parametrize(
    ("text", "language", "wanted"),
    [
        ("pp. 3–5 and No. 7", "eng", "pages 3 to 5 and number 7"),
        ("No. I have not", "eng", "No. I have not"),
        ("S. 3–5, vgl. Nr. 2", "deu", "Seite 3 bis 5, vergleiche Nummer 2"),
        ("a–b stays", "eng", "a–b stays"),
        ("soft\u00adhyphen", "eng", "softhyphen"),
        ("The Board\n3 Harbour Street", "eng", "The Board, 3 Harbour Street"),
    ],
)
def test_ranges_and_abbreviations_are_read_as_a_person_would(text: str, language: str, wanted: str) -> None:
    assert readable(text, language) == wanted


def test_a_voice_speaks_the_language_and_longer_texts_take_longer() -> None:
    assert [voice(code) for code in ("deu", "fra", "qqq")] == ["de", "fr", "en"]
    short, long, quick = (
        speak("four", "eng"),
        speak("four lamps were lit at four", "eng"),
        speak("four lamps were lit at four", "eng", 300),
    )
    assert 0.1 < len(short) / 2 / RATE < 2 and len(long) > 2 * len(short) and len(quick) < 0.8 * len(long)
    with wave.open(io.BytesIO(as_wav(short))) as file:
        assert (file.getframerate(), file.getnchannels(), file.getnframes()) == (RATE, 1, len(short) // 2)


def test_sound_is_delivered_with_chapters(tmp_path: Path) -> None:
    told = document(page(), ContentMaker().add(Role.HEADING_2, "The bells").add(Role.PARAGRAPH, "Two").page())
    made = {name: deliver(told, lambda _: b"", name) for name in ("wav", "flac", "opus")}
    with wave.open(io.BytesIO(made["wav"])) as file:
        seconds = file.getnframes() / RATE
    assert struct.unpack("<I", made["wav"][4:8])[0] == len(made["wav"]) - 8
    count = struct.unpack_from("<I", made["wav"], made["wav"].index(b"cue ") + 8)[0]
    assert count == 2 and b"The bells\0" in made["wav"] and seconds > 5
    for name, check in (("flac", ["flac", "--test", "--silent"]), ("opus", ["opusinfo"])):
        path = tmp_path / f"a.{name}"
        path.write_bytes(made[name])
        told_by = subprocess.run([*check, str(path)], capture_output=True, text=True, check=True)
        assert "error" not in told_by.stderr.casefold()
        assert b"CHAPTER002NAME=The bells" in made[name] and b"TITLE=The lamps" in made[name]
        assert len(made[name]) < len(made["wav"])


def test_sound_is_delivered_as_a_file_a_chapter(tmp_path: Path) -> None:
    told = document(page(), ContentMaker().add(Role.HEADING_2, "The bells").add(Role.PARAGRAPH, "Two").page())
    with zipfile.ZipFile(io.BytesIO(deliver(told, lambda _: b"", "chapters"))) as archive:
        names = archive.namelist()
        assert names == ["001-The-lamps.opus", "002-The-bells.opus"]
        for name in names:
            path = tmp_path / name
            path.write_bytes(archive.read(name))
            subprocess.run(["opusinfo", str(path)], capture_output=True, check=True)
    assert b"TITLE=The bells" in path.read_bytes()


def test_a_document_is_listened_to_through_the_interface(tmp_path: Path) -> None:
    store = Store(tmp_path / "data")
    read_document(store, [page(), ContentMaker(top=900).add(Role.PARAGRAPH, "Nothing was heard").page()])
    store.close()
    with TestClient(make_app(tmp_path / "data", workers=1), base_url=HERE) as client:
        part = client.get("/api/documents/1/spoken", params={"count": 1}).json()
        assert part["following"] == 1 and part["said"][0]["announced"] == "heading level 1"
        rest = client.get("/api/documents/1/spoken", params={"page": 1}).json()
        assert rest["following"] is None and {s["position"] for s in rest["said"]} == {1}
        sound = client.get("/api/speech", params={"text": "The lamps", "announced": "heading level 1"})
        assert sound.headers["content-type"] == "audio/wav" and sound.content[:4] == b"RIFF"
        assert client.get("/api/speech", params={"text": "x" * 5000}).status_code == 422
