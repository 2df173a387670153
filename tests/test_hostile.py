"""Damaged and hostile files: told, shown as far as they go, and no other file's trouble."""

from __future__ import annotations

import io
import json
import random
import subprocess
import sys
import zlib
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from PIL import Image as Pillow

from bench.hostile import SIZE, mutants, outcomes, page_picture, scanned_pdf, sound_files
from hyalen.core.formats import read_pdf
from hyalen.core.formats.codecs import decode_scan, encode_jpeg, fax_strip
from hyalen.core.formats.read import count_pages, read_source_page
from hyalen.core.formats.source import Limits, SourceError, SourcePage, brief
from hyalen.work import jobs

LIMITS = Limits()
TRUE = np.asarray(page_picture("L"))


def brought_in(data: bytes, tmp_path: Path, index: int = 0) -> SourcePage:
    path = tmp_path / "file"
    path.write_bytes(data)
    assert count_pages(path, LIMITS) > index
    return read_source_page(path, index, LIMITS)


def likeness(page: SourcePage, rows: slice = slice(None)) -> float:
    """How well a page shows the picture that was put in."""
    pixels = jobs.Original.of(page).scan().pixels
    grey = pixels if pixels.ndim == 2 else pixels.mean(axis=2)
    return float(np.corrcoef(grey[rows].ravel(), TRUE[rows].ravel())[0, 1])


def test_mutants_are_taken_or_refused_with_a_reason(tmp_path: Path) -> None:
    ends = {f"{m.kind}, {m.change}": end for m, end in outcomes(mutants(100, seed=7), 2, tmp_path)}
    assert [f"{what}: {end}" for what, end in ends.items() if end.startswith("ERROR")] == []
    assert {end.split(":")[0] for end in ends.values()} == {"taken", "remarked", "refused"}


@pytest.mark.parametrize("kind,name,data", sound_files(), ids=lambda v: v if isinstance(v, str) else "")
def test_sound_files_are_taken_without_a_remark(tmp_path: Path, kind: str, name: str, data: bytes) -> None:
    page = brought_in(data, tmp_path)
    assert jobs.Original.of(page).scan().damage == ""
    if name != "text":
        assert (page.width, page.height) == SIZE and likeness(page) > 0.9


def unusual(kind: str) -> bytes:
    """A sound PDF of a kind that decoders stumble over."""
    with pikepdf.open(io.BytesIO(scanned_pdf("flate"))) as pdf:
        image, name, out = pdf.pages[0].Resources.XObject.Im0, pikepdf.Name, io.BytesIO()
        if kind == "an ink of its own":  # no image file can hold it
            tint = pdf.make_stream(b"{1 exch sub}", FunctionType=4, Domain=[0, 1], Range=[0, 1])
            image.ColorSpace = pikepdf.Array([name.Separation, name.Black, name.DeviceGray, tint])
            image.write(zlib.compress((255 - TRUE).tobytes()), filter=name.FlateDecode)
        elif kind == "fax code without its end mark":  # ISO 32000-1, table 11: EndOfBlock
            image.BitsPerComponent = 1
            how = pikepdf.Dictionary(K=-1, Columns=SIZE[0], Rows=SIZE[1], EndOfBlock=False)
            image.write(fax_strip(page_picture("1"))[:-3], filter=name.CCITTFaxDecode, decode_parms=how)
        pdf.save(out)
    data = out.getvalue()
    return data.replace(b"startxref\n", b"startxref\n9") + b"\njunk" * 50 if kind == "a wrong table" else data


@pytest.mark.parametrize("kind", ["an ink of its own", "fax code without its end mark", "a wrong table"])
def test_sound_images_in_unusual_files_carry_no_remark(tmp_path: Path, kind: str) -> None:
    page = brought_in(unusual(kind), tmp_path)
    assert jobs.Original.of(page).scan().damage == "" and page.width >= SIZE[0]
    if page.width == SIZE[0]:
        assert likeness(page) > 0.9


def rewritten(coding: str, how: str) -> bytes:
    """A PDF whose image's code is empty, cut in half, or garbage from some place on."""
    with pikepdf.open(io.BytesIO(scanned_pdf(coding))) as pdf:
        image = pdf.pages[0].Resources.XObject.Im0
        code = image.read_raw_bytes()
        changed = {
            "empty": b"",
            "half": code[: len(code) // 2],
            "garbage": code[: len(code) // 2] + random.Random(3).randbytes(len(code) // 2),
        }[how]
        image.write(changed, filter=image.get("/Filter"), decode_parms=image.get("/DecodeParms"))
        out = io.BytesIO()
        pdf.save(out)
        return out.getvalue()


@pytest.mark.parametrize("coding", ["dct", "flate", "fax", "jbig2"])
def test_half_an_image_in_a_pdf_is_shown_with_a_remark(tmp_path: Path, coding: str) -> None:
    page = brought_in(rewritten(coding, "half"), tmp_path)
    assert jobs.Original.of(page).scan().damage
    assert likeness(page, slice(0, SIZE[1] // 4)) > 0.9


@pytest.mark.parametrize("coding", ["flate", "fax", "jpx"])
def test_garbage_in_a_stream_is_told_or_refused_never_silent(tmp_path: Path, coding: str) -> None:
    try:
        page = brought_in(rewritten(coding, "garbage"), tmp_path)
        assert "damaged" in jobs.Original.of(page).scan().damage
    except SourceError as error:
        assert "damaged" in str(error)


@pytest.mark.parametrize("coding", ["dct", "flate", "fax", "jbig2", "runs", "jpx"])
def test_an_empty_image_is_no_blank_page(tmp_path: Path, coding: str) -> None:
    with pytest.raises(SourceError, match="damaged"):
        jobs.Original.of(brought_in(rewritten(coding, "empty"), tmp_path)).scan()


def test_jbig2_is_read_without_its_decoder_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", "/nowhere")
    page = brought_in(scanned_pdf("jbig2"), tmp_path)
    assert page.damage == "" and likeness(page) > 0.9


def test_a_jpeg_that_breaks_off_shows_what_is_there(tmp_path: Path) -> None:
    whole = encode_jpeg(TRUE)
    decoded = decode_scan(whole[: len(whole) * 6 // 10])
    assert "damaged" in decoded.damage
    assert np.corrcoef(decoded.pixels[:100].ravel(), TRUE[:100].ravel())[0, 1] > 0.97
    assert "missing" in decoded.damage and decoded.pixels[-20:].min() > 200  # paper, not the decoder's filling
    behind = decode_scan(whole + b"trailer" * 500)
    assert behind.damage == "" and np.array_equal(behind.pixels, decode_scan(whole).pixels)


def test_damage_is_a_doubt_of_the_first_rank() -> None:
    whole = encode_jpeg(TRUE)
    made = jobs.clean(jobs.Original(whole[: len(whole) // 2], 150, 0), jobs.Treatment(), ["eng"])
    (finding,) = [f for f in made.cleaned.findings if f.topic == "damage"]
    assert finding.confidence < 0.1 and "compare the page with the paper" in finding.says


def changed_pdf(change: str) -> bytes:
    with pikepdf.open(io.BytesIO(scanned_pdf("flate"))) as pdf:
        page, name = pdf.pages[0], pikepdf.Name
        if change == "a width that is a name":
            page.Resources.XObject.Im0.Width = name.Odd
        elif change == "a colour space that names itself":
            space = pdf.make_indirect(pikepdf.Array([name.Indexed, 0, 1, b"\0" * 6]))
            space[1] = space
            page.Resources.XObject.Im0.ColorSpace = space
        elif change == "a form within itself":
            form = pdf.make_stream(b"/Fm Do /Fm Do", Type=name.XObject, Subtype=name.Form, BBox=[0, 0, 9, 9])
            form.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Fm=form))
            page.Resources.XObject.Fm = form
        elif change == "content that is none":
            page.Contents = pdf.make_stream(random.Random(1).randbytes(400))
        elif change == "a crop box outside":
            page.CropBox = [900, 900, 950, 950]
        elif change == "an image drawn 200 times":
            page.Contents = pdf.make_stream(page.Contents.read_bytes() * 200)
        out = io.BytesIO()
        pdf.save(out)
        return out.getvalue()


@pytest.mark.parametrize(
    "change", ["a width that is a name", "a colour space that names itself", "a form within itself", "content that is none"]
)  # fmt: skip
def test_a_page_that_cannot_be_shown_is_refused_not_blank(tmp_path: Path, change: str) -> None:
    with pytest.raises(SourceError, match=r"the page|the image"):
        brought_in(changed_pdf(change), tmp_path)


@pytest.mark.parametrize("change", ["a crop box outside", "an image drawn 200 times"])
def test_an_odd_page_is_shown(tmp_path: Path, change: str) -> None:
    assert brought_in(changed_pdf(change), tmp_path).width > 100


def test_a_reason_names_nothing_that_a_clerk_cannot_know(tmp_path: Path) -> None:
    kept = tmp_path / ("ab" * 32)
    kept.write_bytes(scanned_pdf("raw").replace(b"/Root", b"/Toor"))
    with pytest.raises(SourceError) as told:
        count_pages(kept, LIMITS)
    assert "Root" in str(told.value) and "abab" not in str(told.value) and "/" not in str(told.value)
    assert brief(ValueError("cannot identify <_io.BytesIO object at 0x7f>")) == "cannot identify the data"


def test_a_blank_page_is_no_damage(tmp_path: Path) -> None:
    pdf, out = pikepdf.new(), io.BytesIO()
    pdf.add_blank_page(page_size=(200, 200)).Contents = pdf.make_stream(b"q Q")
    pdf.save(out)
    assert brought_in(out.getvalue(), tmp_path).damage == ""


def test_the_operators_are_those_of_the_standard() -> None:
    """ISO 32000-1, annex A, table A.1 has 73; pikepdf joins an inline image's three into one of its own."""
    assert len(read_pdf.OPERATORS) == 74


@pytest.mark.parametrize("size", [(70_000, 40), (1, 140_000_000), (30_000, 30_000)])
def test_images_beyond_the_limits_are_refused_unseen(tmp_path: Path, size: tuple[int, int]) -> None:
    import struct

    head = struct.pack(">IIBBBBB", *size, 8, 0, 0, 0, 0)
    chunks = ((b"IHDR", head), (b"IDAT", zlib.compress(b"\0" * 100)), (b"IEND", b""))
    data = b"".join(struct.pack(">I", len(d)) + k + d + struct.pack(">I", zlib.crc32(k + d)) for k, d in chunks)
    (tmp_path / "large.png").write_bytes(b"\x89PNG\r\n\x1a\n" + data)
    with pytest.raises(SourceError, match="limit"):
        count_pages(tmp_path / "large.png", LIMITS)


def test_inspect_tells_every_file_and_ends_with_sound_json(tmp_path: Path) -> None:
    good, cut = tmp_path / "good.png", tmp_path / "cut\x07.tif"
    page_picture("L").save(good, dpi=(150, 150))
    out = io.BytesIO()
    page_picture("L").save(out, "TIFF", save_all=True, append_images=[page_picture("L")] * 2)
    cut.write_bytes(out.getvalue()[:150_000])
    raw = tmp_path / "bad\udcff.jpg"
    raw.write_bytes(encode_jpeg(TRUE)[:40])
    command = [sys.executable, "-m", "hyalen.cli", "inspect", *map(str, (good, cut, raw))]
    ended = subprocess.run(command, capture_output=True, timeout=120, check=False)
    assert ended.returncode == 3 and b"Traceback" not in ended.stderr
    found = json.loads(ended.stdout.decode("utf8"))["inputs"]
    assert found[0]["pages"] and all("\x07" not in f["path"] for f in found)
    assert "problem" in found[2] and found[2]["path"].endswith("bad\ufffd.jpg")


def test_pictures_of_the_program_itself_decode_as_before() -> None:
    for mode in ("L", "RGB"):
        picture = page_picture(mode)
        for kind, exact in (("PNG", True), ("JPEG", False)):
            out = io.BytesIO()
            picture.save(out, kind, quality=95)
            pixels = decode_scan(out.getvalue()).pixels
            with Pillow.open(io.BytesIO(out.getvalue())) as read:
                other = np.asarray(read)
            assert np.abs(pixels.astype(int) - other.astype(int)).max() <= (0 if exact else 2)
