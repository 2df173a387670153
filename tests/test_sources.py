"""Bringing in: what the files are, what they keep, and what is refused with a reason."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np
import pikepdf
import pytest
from PIL import Image as Pillow

from hyalen.commands import UsageError
from hyalen.commands.usage import told_limits
from hyalen.core.formats.codecs import decode, decode_scan
from hyalen.core.formats.kinds import files_of, naming_note, sniff
from hyalen.core.formats.read import count_pages, read_source_page
from hyalen.core.formats.source import Limits, SourceError
from hyalen.core.model.document import PageKind
from hyalen.settings import Environment
from hyalen.work.jobs import rendition

LIMITS = Limits()


def picture(mode: str = "RGB", size: tuple[int, int] = (620, 877)) -> Pillow.Image:
    rng = np.random.default_rng(1)
    noise = Pillow.fromarray(rng.integers(0, 255, (size[1], size[0], 3), np.uint8), "RGB")
    return noise.convert(mode)


def image_pdf(path: Path, jpeg: bytes, size: tuple[int, int], rotate: int = 0, text: str = "") -> None:
    pdf = pikepdf.new()
    page = pdf.add_blank_page(page_size=(size[0] * 0.24, size[1] * 0.24))
    image = pdf.make_stream(
        jpeg,
        Type=pikepdf.Name.XObject,
        Subtype=pikepdf.Name.Image,
        Width=size[0],
        Height=size[1],
        ColorSpace=pikepdf.Name.DeviceRGB,
        BitsPerComponent=8,
        Filter=pikepdf.Name.DCTDecode,
    )
    font = pikepdf.Dictionary(Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica)
    page.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Im0=image), Font=pikepdf.Dictionary(F0=font))
    content = f"q {size[0] * 0.24} 0 0 {size[1] * 0.24} 0 0 cm /Im0 Do Q {text}"
    page.Contents = pdf.make_stream(content.encode())
    if rotate:
        page.Rotate = rotate
    pdf.save(path)


def jpeg() -> bytes:
    out = io.BytesIO()
    picture().save(out, "JPEG", quality=80)
    return out.getvalue()


@pytest.mark.parametrize(
    "compression", ["raw", "tiff_lzw", "tiff_deflate", "packbits", "jpeg", "group3", "group4", "tiff_adobe_deflate"]
)
def test_tiff_of_every_usual_compression_and_several_pages(tmp_path: Path, compression: str) -> None:
    mode = "1" if compression.startswith("group") else "RGB"
    first, second = picture(mode), picture(mode, (400, 500))
    path = tmp_path / "scan.tif"
    first.save(path, save_all=True, append_images=[second], compression=compression, dpi=(200, 200))
    assert count_pages(path, LIMITS) == 2
    page = read_source_page(path, 1, LIMITS)
    assert (page.width, page.height, page.dpi, page.kind) == (400, 500, 200, PageKind.SCANNED)
    with Pillow.open(path) as true:
        true.seek(1)
        assert np.array_equal(decode(page.original), decode_of(true))


def decode_of(image: Pillow.Image) -> np.ndarray:
    return np.asarray(image.convert("L" if image.mode == "1" else "RGB"))


@pytest.mark.parametrize(
    ("ending", "kind", "options"),
    [("jp2", "jpeg 2000", {}), ("j2k", "jpeg 2000", {}), ("webp", "webp", {"lossless": True}), ("bmp", "bmp", {}), ("gif", "gif", {})],
)  # fmt: skip
def test_other_images_are_told_by_their_content_and_read(
    tmp_path: Path, ending: str, kind: str, options: dict[str, Any]
) -> None:
    path = tmp_path / f"scan.{ending}"
    true = picture("L").convert("RGB") if ending != "gif" else picture("L")
    true.save(path, **options)
    named = path.rename(tmp_path / "scan.dat")
    assert sniff(named) == kind and count_pages(named, LIMITS) == 1
    page = read_source_page(named, 0, LIMITS)
    assert (page.width, page.height) == true.size and page.original == named.read_bytes()
    shown = decode_scan(page.original)
    assert not shown.damage and np.abs(shown.pixels.astype(int) - np.asarray(true.convert("L"))).mean() < 2
    shown_as, made = rendition(str(named), 0)
    assert shown_as in ("image/jpeg", "image/png") and made is not None  # in a form that every browser shows


def test_an_image_of_several_pictures_has_as_many_pages(tmp_path: Path) -> None:
    path = tmp_path / "both.gif"
    second = picture("L", (620, 877)).transpose(Pillow.Transpose.FLIP_TOP_BOTTOM)
    picture("L").save(path, save_all=True, append_images=[second])
    assert count_pages(path, LIMITS) == 2
    assert np.abs(decode(read_source_page(path, 1, LIMITS).original).astype(int) - np.asarray(second)).mean() < 3


def test_files_of_a_folder_come_in_the_order_in_which_people_count(tmp_path: Path) -> None:
    for name in ("page 10.png", "page 9.png", "Page 1.png", "a2b10.png", "a2b9.png"):
        picture().save(tmp_path / name)
    assert [p.name for p in files_of([tmp_path], False, [])] == ["a2b9.png", "a2b10.png", "Page 1.png", "page 9.png", "page 10.png"]  # fmt: skip


def test_a_text_that_begins_like_an_image_is_none(tmp_path: Path) -> None:
    for text in (b"BMW is no bitmap, whatever it begins with", b"RIFF of the reef", b"GIF89 no"):
        (tmp_path / "a.txt").write_bytes(text)
        with pytest.raises(SourceError, match="not a PDF"):
            sniff(tmp_path / "a.txt")


@pytest.mark.parametrize("kind", ["JPEG", "PNG"])
def test_a_single_image_is_kept_bit_for_bit(tmp_path: Path, kind: str) -> None:
    path = tmp_path / f"scan.{kind.lower()}"
    picture().save(path, kind, dpi=(300, 300))
    page = read_source_page(path, 0, LIMITS)
    assert page.original == path.read_bytes()
    assert page.dpi == 300 and page.dpi_reason == ""


def test_exif_turn_is_honoured(tmp_path: Path) -> None:
    image = picture()
    exif = image.getexif()
    exif[0x0112] = 6
    path = tmp_path / "photo.jpg"
    image.save(path, exif=exif.tobytes())
    page = read_source_page(path, 0, LIMITS)
    assert (page.width, page.height) == (877, 620)
    assert decode(page.original).shape[:2] == (620, 877)
    assert page.dpi_reason


def test_a_scanned_pdf_page_keeps_its_images_own_bytes(tmp_path: Path) -> None:
    data, path = jpeg(), tmp_path / "scan.pdf"
    image_pdf(path, data, (620, 877))
    page = read_source_page(path, 0, LIMITS)
    assert page.original == data
    assert (page.kind, page.dpi) == (PageKind.SCANNED, pytest.approx(300, abs=0.5))


def test_invisible_text_leaves_a_page_scanned_and_visible_text_makes_it_born_digital(tmp_path: Path) -> None:
    words = "BT /F0 12 Tf {mode} Tr 20 20 Td (The quick brown fox jumps) Tj ET"
    image_pdf(tmp_path / "hidden.pdf", jpeg(), (620, 877), text=words.format(mode=3))
    assert read_source_page(tmp_path / "hidden.pdf", 0, LIMITS).kind is PageKind.SCANNED
    image_pdf(tmp_path / "shown.pdf", jpeg(), (620, 877), text=words.format(mode=0))
    page = read_source_page(tmp_path / "shown.pdf", 0, LIMITS)
    assert (page.kind, page.dpi, page.width) == (PageKind.BORN_DIGITAL, 300, pytest.approx(620, abs=2))


def test_a_pdfs_rotation_is_told(tmp_path: Path) -> None:
    image_pdf(tmp_path / "turned.pdf", jpeg(), (620, 877), rotate=90)
    page = read_source_page(tmp_path / "turned.pdf", 0, LIMITS)
    assert (page.stated_turn, page.width, page.height) == (90, 877, 620)


def bad_file(tmp_path: Path, what: str) -> Path:
    path = tmp_path / "bad.pdf"
    if what == "empty":
        path.write_bytes(b"")
    elif what == "text":
        path.write_text("this is no PDF")
    elif what == "encrypted":
        pdf = pikepdf.new()
        pdf.add_blank_page()
        pdf.save(path, encryption=pikepdf.Encryption(user="u", owner="o"))
    elif what == "cut pdf":
        image_pdf(path, jpeg(), (620, 877))
        path.write_bytes(b"%PDF-1.7\n" + path.read_bytes()[2000:3000])
    elif what == "no pages":
        pikepdf.new().save(path)
    elif what == "cut tiff":
        out = io.BytesIO()
        picture().save(out, "TIFF", compression="tiff_lzw")
        path.write_bytes(out.getvalue()[:60_000])
    elif what == "bomb":
        head = bytearray(io.BytesIO().getvalue())
        out = io.BytesIO()
        Pillow.new("1", (8, 8)).save(out, "PNG")
        head = bytearray(out.getvalue())
        head[16:24] = (200_000).to_bytes(4, "big") + (200_000).to_bytes(4, "big")
        import zlib

        head[29:33] = zlib.crc32(bytes(head[12:29])).to_bytes(4, "big")
        path.write_bytes(bytes(head))
    return path


@pytest.mark.parametrize(
    "what,reason",
    [("empty", "empty"), ("text", "not a PDF"), ("encrypted", "password"), ("cut pdf", "damaged"),
     ("no pages", "no pages"), ("cut tiff", "damaged"), ("bomb", "longer than the limit")],
)  # fmt: skip
def test_what_cannot_be_brought_in_says_why(tmp_path: Path, what: str, reason: str) -> None:
    path = bad_file(tmp_path, what)
    with pytest.raises(SourceError, match=reason):
        for index in range(count_pages(path, LIMITS)):
            read_source_page(path, index, LIMITS)


def test_limits_are_kept(tmp_path: Path) -> None:
    path = tmp_path / "scan.tif"
    picture().save(path, save_all=True, append_images=[picture()] * 3)
    for limits, reason in (
        (Limits(pages=3), "4 pages"),
        (Limits(bytes=1000), "MB"),
        (Limits(pixels=1000), "megapixels"),
    ):
        with pytest.raises(SourceError, match=reason):
            count_pages(path, limits)


def test_a_file_is_what_its_content_is(tmp_path: Path) -> None:
    path = tmp_path / "scan.pdf"
    picture().save(path, "PNG")
    assert sniff(path) == "png"
    assert "PNG" in naming_note("scan.pdf", "png")
    assert naming_note("scan.PNG", "png") == ""


def test_limits_can_be_set(monkeypatch: pytest.MonkeyPatch) -> None:
    assert Environment().limits == Limits()
    monkeypatch.setenv("HYALEN_MAX_PAGES", "12")
    monkeypatch.setenv("HYALEN_MAX_PIXELS", "99")
    assert Environment().limits == Limits(pages=12, pixels=99)
    for value in ("0", "-3", "many", "1.5"):
        monkeypatch.setenv("HYALEN_MAX_BYTES", value)
        with pytest.raises(UsageError, match="HYALEN_MAX_BYTES"):
            told_limits()
