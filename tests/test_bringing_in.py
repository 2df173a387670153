"""Files of every kind: what holds others, office files, HTML, messages, HEIC; and what is wrong with them."""

from __future__ import annotations

import io
import struct
import threading
import zipfile
from collections.abc import Callable, Iterator
from email.message import EmailMessage
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path

import numpy as np
import openpyxl
import pikepdf
import pytest
from docx import Document
from docx.opc.constants import RELATIONSHIP_TYPE
from PIL import Image as Pillow
from PIL import ImageFile
from pptx import Presentation

from hyalen.core.formats.containers import page_of, unpack
from hyalen.core.formats.kinds import sniff
from hyalen.core.formats.office import turn_into_pdf
from hyalen.core.formats.printed import pdf_of
from hyalen.core.formats.read import count_pages, read_source_page
from hyalen.core.formats.source import Limits, SourceError
from hyalen.store.store import Store
from hyalen.work.intake import Taken, take_in_file
from tests.conftest import Judge
from tests.helpers import AT_ONCE
from tests.test_formats import run

HEIC = Path(__file__).parent.parent / ".venv/samples/heic"


def png() -> bytes:
    out = io.BytesIO()
    Pillow.fromarray(np.full((200, 140), 230, np.uint8)).save(out, "PNG")
    return out.getvalue()


def docx(path: Path, macros: bool = False, picture_at: str = "") -> Path:
    made = Document()
    made.core_properties.title = "Of the lamps"
    made.add_heading("Of the lamps", 1)
    paragraph = made.add_paragraph("The keeper of Torgrunn lit the lamp.")
    if picture_at:
        paragraph.part.relate_to(picture_at, RELATIONSHIP_TYPE.IMAGE, is_external=True)
        relation = next(r for r, each in paragraph.part.rels.items() if each.is_external)
        run_ = paragraph.add_run()
        shape = run_.add_picture(io.BytesIO(png()))
        blip = shape._inline.xpath(".//a:blip")[0]
        name = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}"
        del blip.attrib[f"{name}embed"]
        blip.set(f"{name}link", relation)
    made.save(str(path))
    if macros:
        with zipfile.ZipFile(path, "a") as archive:
            archive.writestr("word/vbaProject.bin", b"macro")
    return path


def zipped(path: Path, files: dict[str, bytes]) -> Path:
    with zipfile.ZipFile(path, "w") as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return path


def message() -> EmailMessage:
    told = EmailMessage()
    told["From"], told["To"], told["Subject"] = "keeper@example.org", "board@example.org", "Lamps & <oil>"
    told.set_content("Dear Board,\n\nthe lamp is lit.\nThe oil is low.")
    told.add_attachment(png(), maintype="image", subtype="png", filename="scan 9.png")
    return told


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Store]:
    made = Store(tmp_path / "data")
    yield made
    made.close()


Take = Callable[..., list[Taken]]


@pytest.fixture
def take(store: Store) -> Take:
    batch = store.documents.add_batch("b", ["eng"])

    def take(path: Path, password: str = "", limits: Limits | None = None) -> list[Taken]:
        return take_in_file(store, AT_ONCE, batch, path, limits or Limits(), password=password)

    return take


def test_a_zip_gives_each_of_its_files_in_the_order_in_which_people_count(take: Take, tmp_path: Path) -> None:
    files = {
        "box/10.png": png(),
        "box/9.png": png(),
        "__MACOSX/9.png": b"x",
        "box/.hidden": b"x",
        "notes.txt": b"hello",
    }
    taken = take(zipped(tmp_path / "box.zip", files))
    assert [t.name for t in taken] == ["9.png", "10.png", "notes.txt"]
    assert [t.document is not None for t in taken] == [True, True, False]
    assert "not a PDF" in taken[2].reason


def test_a_message_and_what_is_attached_are_documents(take: Take, store: Store, tmp_path: Path) -> None:
    (tmp_path / "letter.eml").write_bytes(message().as_bytes())
    whole = zipped(tmp_path / "mail.zip", {"letter.eml": message().as_bytes()})
    for path in (tmp_path / "letter.eml", whole):
        taken = take(path)
        assert [t.name for t in taken] == ["letter.eml", "scan 9.png"] and all(t.document for t in taken)
    document = store.documents.document(taken[0].document or 0)
    assert b"From: keeper@example.org" in store.blobs.get(document.came)
    text = run("pdftotext", store.blobs.path(document.source_blob), "-")
    assert "From: keeper@example.org" in text and "the lamp is lit." in text and "Attached: scan 9.png" in text


def test_pictures_within_a_message_are_not_lost(take: Take, tmp_path: Path) -> None:
    told = EmailMessage()
    told["Subject"] = "Pictures"
    told.set_content("Dear Board")
    told.add_alternative('<p>Dear Board <img src="cid:one"></p>', subtype="html")
    told.get_payload()[1].add_related(png(), "image", "png", cid="<one>")  # type: ignore[index, union-attr]
    inner = EmailMessage()
    inner["Subject"] = "Forwarded"
    inner.set_content("The oil is low.")
    told.add_attachment(inner)
    (tmp_path / "m.eml").write_bytes(told.as_bytes())
    taken = take(tmp_path / "m.eml")
    assert [t.name for t in taken] == ["m.eml", "image 1", "message 2"] and all(t.document for t in taken)


def test_a_message_runs_nothing_and_a_strange_encoding_is_read(tmp_path: Path) -> None:
    told = EmailMessage()
    told["Subject"] = "<script>x</script>"
    told.set_content("lamp", charset="utf-8")
    told.replace_header("Content-Type", "text/plain; charset=nobody-knows")
    page = page_of(told)
    assert "<script" not in page and "lamp" in page
    assert "has no text" in page_of(EmailMessage())
    (tmp_path / "list.txt").write_bytes(b"lamps: oil\n\nlow")
    with pytest.raises(SourceError):  # a text with a colon is no message
        sniff(tmp_path / "list.txt")


def test_a_portfolio_is_the_files_within_it(take: Take, tmp_path: Path) -> None:
    """ISO 32000-1, 12.3.5: a document with a Collection is a cover."""
    cover = pikepdf.new()
    cover.add_blank_page()
    cover.attachments["b.png"] = png()
    cover.save(tmp_path / "attached.pdf")
    assert [t.name for t in take(tmp_path / "attached.pdf")] == ["attached.pdf"]  # without one it is a document
    cover.Root.Collection = pikepdf.Dictionary(Type=pikepdf.Name.Collection)
    cover.save(tmp_path / "portfolio.pdf")
    assert [t.name for t in take(tmp_path / "portfolio.pdf")] == ["b.png"]


def test_what_holds_too_much_is_refused(take: Take, tmp_path: Path) -> None:
    bomb = tmp_path / "bomb.zip"
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("a.png", bytes(5_000_000))
    (taken,) = take(bomb, limits=Limits(bytes=1_000_000))
    assert "larger than the limit" in taken.reason
    data = png()
    for depth in range(4):
        data = zipped(tmp_path / f"{depth}.zip", {f"{depth}.zip" if depth else "a.png": data}).read_bytes()
    (taken,) = take(tmp_path / "3.zip")
    assert "too many others" in taken.reason
    (taken,) = take(zipped(tmp_path / "none.zip", {}))
    assert "holds no files" in taken.reason


def test_an_encrypted_zip_asks_for_its_password(take: Take, tmp_path: Path) -> None:
    path = zipped(tmp_path / "box.zip", {"a.png": png(), "b.png": png()})
    data = bytearray(path.read_bytes())
    for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):  # the flag of encryption (APPNOTE 4.4.4), of the first
        place = data.index(mark) + at
        data[place : place + 2] = struct.pack("<H", 1)
    path.write_bytes(data)
    (taken,) = take(path)
    assert taken.locked and "opens with its password" in taken.reason
    (taken,) = take(path, password="wrong")
    assert taken.locked and "not its password" in taken.reason


def test_a_damaged_file_within_a_zip_is_named_and_the_rest_goes_on(take: Take, tmp_path: Path) -> None:
    path = zipped(tmp_path / "box.zip", {"a.png": png(), "b.png": png()})
    data = bytearray(path.read_bytes())
    data[data.index(b"IDAT")] ^= 0xFF  # its checksum (APPNOTE 4.4.7) tells
    path.write_bytes(data)
    taken = take(path)
    assert [(t.name, t.document is None) for t in taken] == [("a.png in box.zip", True), ("b.png", False)]
    path.write_bytes(zipped(path, {"a.png": png()}).read_bytes()[:-30])
    assert "damaged" in take(path)[0].reason


@pytest.mark.parametrize("kind", ["docx", "odt", "rtf", "doc", "xlsx", "pptx"])
def test_office_files_come_in_as_tagged_pdf(kind: str, take: Take, store: Store, tmp_path: Path) -> None:
    path = tmp_path / f"given.{kind}"
    if kind == "xlsx":
        book = openpyxl.Workbook()
        book.active.append(["Torgrunn", 45])
        book.save(path)
    elif kind == "pptx":
        slides = Presentation()
        slides.slides.add_slide(slides.slide_layouts[0]).shapes.title.text = "Torgrunn"
        slides.save(str(path))
    else:
        docx(tmp_path / "given.docx")
        if kind != "docx":
            run("soffice", "--headless", f"-env:UserInstallation=file://{tmp_path}/p", "--convert-to", kind, "--outdir", tmp_path, tmp_path / "given.docx")  # fmt: skip
    (taken,) = take(path)
    document = store.documents.document(taken.document or 0)
    assert document.source_name == f"given.{kind}" and "laid out anew" in document.cautions[0] and not document.note
    assert store.blobs.get(document.came) == path.read_bytes()  # kept bit for bit
    assert take(path)[0].document and store.documents.document(document.id + 1).note == f"the same file as given.{kind}"
    made = store.blobs.path(document.source_blob)
    assert "Torgrunn" in run("pdftotext", made, "-") and count_pages(made, Limits()) == 1


def test_a_word_processors_file_becomes_a_pdf_that_meets_its_standard(judge: Judge, tmp_path: Path) -> None:
    turn_into_pdf(docx(tmp_path / "a.docx"), "docx", tmp_path / "a.pdf")
    judge.accepts(tmp_path / "a.pdf")


def test_macros_stay_behind_and_nothing_is_fetched(tmp_path: Path) -> None:
    asked: list[str] = []

    class Listener(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            asked.append(self.path)
            self.send_error(404)

        do_HEAD = do_OPTIONS = do_PROPFIND = do_GET

        def log_message(self, *_: object) -> None: ...

    server = HTTPServer(("127.0.0.1", 0), Listener)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    address = f"http://127.0.0.1:{server.server_port}/lamp.png"
    told = turn_into_pdf(docx(tmp_path / "a.docx", True, address), "docx", tmp_path / "a.pdf")
    assert any("macros stay behind" in each for each in told)
    (tmp_path / "a.html").write_text(
        f'<!doctype html><html lang=en><title>x</title><p>Lamp<img src="{address}" alt="x">'
    )
    turn_into_pdf(tmp_path / "a.html", sniff(tmp_path / "a.html"), tmp_path / "b.pdf")
    server.shutdown()
    assert not asked
    assert all("amp" in run("pdftotext", tmp_path / name, "-") for name in ("a.pdf", "b.pdf"))


def test_office_files_that_cannot_be_opened_are_named(take: Take, tmp_path: Path) -> None:
    whole = docx(tmp_path / "a.docx").read_bytes()
    (tmp_path / "short.docx").write_bytes(whole[: len(whole) // 2])
    (tmp_path / "rubbish.doc").write_bytes(b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" + bytes(3000))
    zipped(tmp_path / "hollow.docx", {"word/document.xml": b"<rubbish"})
    told = {name: take(tmp_path / name)[0].reason for name in ("short.docx", "rubbish.doc", "hollow.docx")}
    assert all("damaged" in reason for reason in told.values()), told
    assert "encrypted" in told["rubbish.doc"]


def test_without_an_office_suite_it_is_said_what_is_missing(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(SourceError, match="LibreOffice"):
        turn_into_pdf(docx(tmp_path / "a.docx"), "docx", tmp_path / "a.pdf")


def test_heic_pictures_are_read(take: Take, tmp_path: Path) -> None:
    """Samples that pi-heif's source package carries for its own tests."""
    samples = sorted(HEIC.glob("*.hei?"))
    assert samples
    for path in samples:
        assert sniff(path) == "heic"
        page = read_source_page(path, 0, Limits())
        with Pillow.open(path) as picture:
            assert (page.width, page.height) == picture.size
        assert take(path)[0].document is not None
    broken = tmp_path / "broken.heic"
    broken.write_bytes(samples[0].read_bytes()[:200])
    assert take(broken)[0].document is None


def test_files_within_are_written_nowhere_else(tmp_path: Path) -> None:
    into = tmp_path / "into"
    into.mkdir()
    path = zipped(tmp_path / "a.zip", {"../../up.png": png(), "/etc/abs.png": png(), "a\\..\\b.png": png()})
    held = unpack(path, "zip", into, Limits())
    assert sorted(h.name for h in held) == ["abs.png", "b.png", "up.png"]
    assert all(h.path is not None and h.path.parent == into for h in held)
    assert sorted(p.name for p in tmp_path.iterdir()) == ["a.zip", "into"]


def test_damage_of_a_picture_is_told_after_a_page_was_set() -> None:
    """WeasyPrint has Pillow read over damage, everywhere."""
    pdf_of("<html lang=en><title>x</title><p>x</html>")
    assert not ImageFile.LOAD_TRUNCATED_IMAGES


def test_a_page_as_bytes_is_read_in_the_encoding_it_states(tmp_path: Path) -> None:
    page = '<html lang="de"><head><meta charset="iso-8859-1"><title>x</title></head><p>Überfahrt</html>'
    (tmp_path / "a.pdf").write_bytes(pdf_of(page.encode("latin-1")))
    assert "Überfahrt" in run("pdftotext", tmp_path / "a.pdf", "-")
