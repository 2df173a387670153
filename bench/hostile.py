"""Damaged and hostile files: sound ones of every kind, changed by their structure and by their bytes, from a seed.

A file may be refused with a reason or taken; it must not end in any other error, take a worker's memory or
time beyond its limits, or hold up the files beside it.
"""

from __future__ import annotations

import io
import random
import struct
import tempfile
import time
import zlib
from collections import Counter, deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future
from functools import cache
from itertools import cycle
from pathlib import Path
from typing import Any, NamedTuple

import cv2
import numpy as np
import pikepdf
from PIL import Image as Pillow

from hyalen.core.formats.codecs import fax_strip
from hyalen.core.formats.read import count_pages
from hyalen.core.formats.source import Limits, SourceError
from hyalen.core.model.treatment import Outline, Switch, Treatment
from hyalen.work import jobs
from hyalen.work.workers import Job, LocalWorkers

SIZE = (420, 300)
SEED = 20
KINDS = ("pdf", "tiff", "png", "jpeg")
MOST_PAGES = 3  # of a mutant are looked at
SECONDS = 60.0  # of a processor


class Mutant(NamedTuple):
    """A changed file: its kind, what was done to it, and its bytes."""

    kind: str
    change: str
    data: bytes


# Sound files


@cache
def page_picture(mode: str) -> Pillow.Image:
    """A few lines of writing on a small page."""
    image = np.full((SIZE[1], SIZE[0], 3), 244, np.uint8)
    for row, line in enumerate(("Skarnholm Lights Board", "Stores received in March", "Oil 12 casks, wick 4 doz.")):
        cv2.putText(image, line, (20, 60 + 70 * row), cv2.FONT_HERSHEY_COMPLEX, 0.8, (30, 30, 40), 2, cv2.LINE_AA)
    picture = Pillow.fromarray(image)
    return picture.convert("L").point(lambda v: 255 * (v > 128)).convert("1") if mode == "1" else picture.convert(mode)


def _saved(mode: str, kind: str, **options: Any) -> bytes:
    out = io.BytesIO()
    page_picture(mode).save(out, kind, dpi=(150, 150), **options)
    return out.getvalue()


def _jbig2() -> bytes:
    """A page of one generic region in arithmetic code would need an encoder; MMR code is what Group 4 is (T.88, 6.2.6)."""
    picture = page_picture("1")
    coded = fax_strip(picture)
    width, height = picture.size

    def segment(number: int, kind: int, data: bytes) -> bytes:
        return struct.pack(">IBBBI", number, kind, 0, 1, len(data)) + data

    information = struct.pack(">IIIIBH", width, height, 0, 0, 0, 0)
    region = struct.pack(">IIIIBB", width, height, 0, 0, 0, 1) + coded
    return segment(0, 48, information) + segment(1, 38, region)


def _image_stream(pdf: pikepdf.Pdf, coding: str) -> pikepdf.Stream:
    grey = np.asarray(page_picture("L"))
    raw = grey.tobytes()
    name = pikepdf.Name
    bits: dict[str, Any] = {"ColorSpace": name.DeviceGray, "BitsPerComponent": 8}
    match coding:
        case "dct":
            data, bits["Filter"] = _saved("L", "JPEG"), name.DCTDecode
        case "jpx":
            data, bits["Filter"] = _saved("L", "JPEG2000"), name.JPXDecode
        case "flate":
            data, bits["Filter"] = zlib.compress(raw), name.FlateDecode
        case "fax":
            data, bits["Filter"] = fax_strip(page_picture("1")), name.CCITTFaxDecode
            bits["DecodeParms"] = pikepdf.Dictionary(K=-1, Columns=SIZE[0], Rows=SIZE[1], BlackIs1=False)
            bits["BitsPerComponent"] = 1
        case "jbig2":
            data, bits["Filter"] = _jbig2(), name.JBIG2Decode
            bits["BitsPerComponent"] = 1
        case "runs":
            data = b"".join(bytes([len(row) - 1]) + row for row in (raw[i : i + 128] for i in range(0, len(raw), 128)))
            data, bits["Filter"] = data + b"\x80", name.RunLengthDecode
        case _:
            data = raw
    kind = {"Type": name.XObject, "Subtype": name.Image, "Width": SIZE[0], "Height": SIZE[1]}
    return pdf.make_stream(data, **kind, **bits)


def scanned_pdf(*codings: str, words: str = "") -> bytes:
    """A PDF of one page an image, each in another coding; perhaps with visible text."""
    pdf = pikepdf.new()
    for coding in codings:
        page = pdf.add_blank_page(page_size=(SIZE[0] * 0.48, SIZE[1] * 0.48))
        font = pikepdf.Dictionary(Type=pikepdf.Name.Font, Subtype=pikepdf.Name.Type1, BaseFont=pikepdf.Name.Helvetica)
        images = pikepdf.Dictionary(Im0=_image_stream(pdf, coding))
        page.Resources = pikepdf.Dictionary(XObject=images, Font=pikepdf.Dictionary(F0=font))
        content = f"q {SIZE[0] * 0.48} 0 0 {SIZE[1] * 0.48} 0 0 cm /Im0 Do Q\n"
        if words:
            content += f"BT /F0 12 Tf 20 20 Td ({words}) Tj ET"
        page.Contents = pdf.make_stream(content.encode())
    out = io.BytesIO()
    pdf.save(out, static_id=True)
    return out.getvalue()


@cache
def sound_files() -> tuple[tuple[str, str, bytes], ...]:
    """(kind, name, bytes) of undamaged files."""
    codings = ("dct", "jpx", "flate", "fax", "jbig2", "runs", "raw")
    files = [("pdf", coding, scanned_pdf(coding)) for coding in codings]
    files += [
        ("pdf", "text", scanned_pdf("dct", words="Born with its words")),
        ("pdf", "three", scanned_pdf(*codings[:3])),
    ]
    for compression in ("raw", "tiff_lzw", "tiff_adobe_deflate", "packbits", "jpeg"):
        files.append(("tiff", compression, _saved("RGB", "TIFF", compression=compression)))
    for compression in ("group3", "group4"):
        files.append(("tiff", compression, _saved("1", "TIFF", compression=compression)))
    pages = {"save_all": True, "append_images": [page_picture("L"), page_picture("1")]}
    files.append(("tiff", "pages", _saved("L", "TIFF", compression="tiff_lzw", **pages)))
    for mode in ("RGB", "L", "1", "P", "LA", "RGBA"):
        files.append(("png", mode, _saved(mode, "PNG")))
    for mode, progressive in (("RGB", False), ("L", False), ("RGB", True), ("CMYK", False)):
        files.append(("jpeg", f"{mode}{progressive}", _saved(mode, "JPEG", quality=80, progressive=progressive)))
    return tuple(files)


# Changes of bytes


def _flip(data: bytearray, rng: random.Random) -> None:
    for _ in range(rng.choice((1, 3, 20))):
        data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)


def _cut(data: bytearray, rng: random.Random) -> None:
    del data[rng.randrange(len(data)) :]


def _take_out(data: bytearray, rng: random.Random) -> None:
    at = rng.randrange(len(data))
    del data[at : at + rng.choice((1, 7, 100, 3000))]


def _double(data: bytearray, rng: random.Random) -> None:
    at, size = rng.randrange(len(data)), rng.choice((1, 16, 500))
    data[at:at] = data[at : at + size]


def _garbage(data: bytearray, rng: random.Random) -> None:
    at, size = rng.randrange(len(data)), rng.choice((4, 64, 2000))
    data[at : at + size] = rng.randbytes(min(size, len(data) - at))


def _zeros(data: bytearray, rng: random.Random) -> None:
    at, size = rng.randrange(len(data)), rng.choice((4, 64, 2000))
    data[at : at + size] = bytes(min(size, len(data) - at))


def _behind(data: bytearray, rng: random.Random) -> None:
    data += rng.randbytes(rng.choice((1, 100, 9000)))


BYTES: dict[str, Callable[[bytearray, random.Random], None]] = {
    "bits turned": _flip,
    "cut off": _cut,
    "bytes gone": _take_out,
    "bytes doubled": _double,
    "garbage": _garbage,
    "zeros": _zeros,
    "bytes behind": _behind,
}

# Changes of structure

NUMBERS = (0, 1, 2, 7, 255, 65535, 70_000, 2**31 - 1, 2**31, 2**32 - 1)


def _png(data: bytes, rng: random.Random) -> bytes:
    """Chunks changed, with checksums that are right."""
    chunks, at = [], 8
    while at < len(data):
        (size,) = struct.unpack_from(">I", data, at)
        chunks.append((data[at + 4 : at + 8], data[at + 8 : at + 8 + size]))
        at += 12 + size
    pick = rng.randrange(len(chunks))
    match rng.randrange(6):
        case 0:
            width, height, *rest = struct.unpack(">IIBBBBB", chunks[0][1])
            size = [width, height]
            size[rng.randrange(2)] = rng.choice(NUMBERS)
            chunks[0] = (b"IHDR", struct.pack(">IIBBBBB", *size, *rest))
        case 1:
            head = bytearray(chunks[0][1])
            head[rng.randrange(8, 13)] = rng.choice((0, 1, 2, 3, 4, 6, 8, 16, 255))
            chunks[0] = (b"IHDR", bytes(head))
        case 2:
            del chunks[pick]
        case 3:
            chunks.insert(rng.randrange(len(chunks)), chunks[pick])
        case 4:
            chunks[pick] = (chunks[pick][0], rng.randbytes(len(chunks[pick][1])))
        case _:
            rng.shuffle(chunks)
    parts = [struct.pack(">I", len(d)) + k + d + struct.pack(">I", zlib.crc32(k + d)) for k, d in chunks]
    return data[:8] + b"".join(parts)


def _jpeg(data: bytes, rng: random.Random) -> bytes:
    """Segments changed, dropped, doubled; sizes in the frame header."""
    segments, at = [], 2
    while at + 4 <= len(data) and data[at] == 0xFF and data[at + 1] != 0xDA:
        (size,) = struct.unpack_from(">H", data, at + 2)
        segments.append(bytearray(data[at : at + 2 + size]))
        at += 2 + size
    scan = bytearray(data[at:])
    pick = rng.randrange(len(segments))
    match rng.randrange(6):
        case 0:
            frame = next(s for s in segments if s[1] in (0xC0, 0xC2))
            struct.pack_into(">H", frame, rng.choice((5, 7)), rng.choice(NUMBERS) & 0xFFFF)
        case 1:
            segments[pick][rng.randrange(4, len(segments[pick]))] ^= rng.randrange(1, 256)
        case 2:
            del segments[pick]
        case 3:
            segments.insert(rng.randrange(len(segments)), segments[pick])
        case 4:
            struct.pack_into(">H", segments[pick], 2, rng.choice((0, 1, 2, 3, 40000, 65535)))
        case _:
            del scan[len(scan) // 2 :]
    return data[:2] + b"".join(bytes(s) for s in segments) + bytes(scan)


def _tiff(data: bytes, rng: random.Random) -> bytes:
    """A directory's entries: their tag, type, count or value; where the directory lies and what comes next."""
    out = bytearray(data)
    (at,) = struct.unpack_from("<I", out, 4)
    for _ in range(rng.randrange(3)):
        (count,) = struct.unpack_from("<H", out, at)
        (following,) = struct.unpack_from("<I", out, at + 2 + 12 * count)
        at = following or at
    (count,) = struct.unpack_from("<H", out, at)
    entry = at + 2 + 12 * rng.randrange(count)
    places = (0, len(data) - 2, len(data) + 50, at, 2**32 - 2)
    match rng.randrange(8):
        case 0:
            struct.pack_into("<I", out, 4, rng.choice(places))
        case 1:
            struct.pack_into("<I", out, at + 2 + 12 * count, rng.choice(places))
        case 2:
            struct.pack_into("<H", out, at, rng.choice((0, 1, 200, 65535)))
        case 3:
            struct.pack_into("<H", out, entry, rng.choice((254, 256, 257, 258, 259, 262, 273, 277, 278, 279, 322, 339)))
        case 4:
            struct.pack_into("<H", out, entry + 2, rng.randrange(14))
        case 5:
            struct.pack_into("<I", out, entry + 4, rng.choice(NUMBERS))
        case _:
            struct.pack_into("<I", out, entry + 8, rng.choice(NUMBERS + places))
    return bytes(out)


def _pdf(data: bytes, rng: random.Random) -> bytes:
    """An object's entry given a value that it must not have, or a stream of garbage."""
    with pikepdf.open(io.BytesIO(data)) as pdf:
        name, page = pikepdf.Name, pdf.pages[rng.randrange(len(pdf.pages))]
        image: Any = page.Resources.XObject.Im0
        odd: list[Any] = [
            0,
            -1,
            70_000,
            2**31 - 1,
            0.5,
            name.Odd,
            pikepdf.Array([]),
            pikepdf.Dictionary(),
            "text",
            True,
        ]
        odd += [pikepdf.Array([name.Indexed, name.DeviceRGB, 255, b"\x00"]), pikepdf.Array([1, 0]), None]
        filters = [name.FlateDecode, name.LZWDecode, name.RunLengthDecode, name.DCTDecode, name.JPXDecode]
        filters += [name.CCITTFaxDecode, name.JBIG2Decode, name.ASCII85Decode]
        coded = image.read_raw_bytes()
        match rng.randrange(9):
            case 0 | 1:
                key = rng.choice(
                    ("Width", "Height", "BitsPerComponent", "ColorSpace", "Decode", "DecodeParms", "Filter")
                )
                _give(image, key, rng.choice(odd))
            case 2:
                image.Filter = rng.choice([*filters, pikepdf.Array(rng.sample(filters, 2))])
                image.write(coded, filter=image.Filter)
            case 3:
                half = coded[: rng.randrange(len(coded))]
                image.write(rng.choice((b"", half, rng.randbytes(len(coded)))), filter=image.get("/Filter"))
            case 4:
                _give(
                    page.obj,
                    rng.choice(("MediaBox", "CropBox", "Rotate", "Contents", "Resources", "UserUnit")),
                    rng.choice(odd),
                )
            case 5:
                boxes = ([900, 900, 950, 950], [0, 0, 0, 0], [0, 0, 20000, 3], [100, 100, 0, 0], [-1e9, -1e9, 1e9, 1e9])
                _give(page.obj, rng.choice(("MediaBox", "CropBox")), pikepdf.Array(rng.choice(boxes)))
            case 6:
                form = pdf.make_stream(b"/Fm Do /Fm Do", Type=name.XObject, Subtype=name.Form, BBox=[0, 0, 99, 99])
                form.Resources = pikepdf.Dictionary(XObject=pikepdf.Dictionary(Fm=form))
                page.Resources.XObject.Fm = form
                page.Contents = pdf.make_stream(b"/Fm Do /Im0 Do " * rng.choice((1, 200)))
            case 7:
                space = pikepdf.Array([name.Indexed, 0, 255, b"\x00" * 768])
                shared = pdf.make_indirect(space)
                shared[1] = shared
                image.ColorSpace = shared
            case _:
                page.Contents = pdf.make_stream(rng.randbytes(200))
        out = io.BytesIO()
        pdf.save(out, static_id=True, object_stream_mode=pikepdf.ObjectStreamMode.disable)
        return out.getvalue()


def _give(owner: pikepdf.Object, key: str, value: Any) -> None:
    if value is None:
        if f"/{key}" in owner:
            del owner[f"/{key}"]
    else:
        owner[f"/{key}"] = value


STRUCTURE: dict[str, Callable[[bytes, random.Random], bytes]] = {"pdf": _pdf, "tiff": _tiff, "png": _png, "jpeg": _jpeg}


def mutants(count: int, seed: int = SEED) -> Iterator[Mutant]:
    """Changed files, all kinds in turn, half of them by structure; the same for the same seed."""
    rng = random.Random(seed)
    by_kind = {kind: cycle([f for f in sound_files() if f[0] == kind]) for kind in KINDS}
    for number in range(count):
        kind, name, data = next(by_kind[KINDS[number % len(KINDS)]])
        if number // len(KINDS) % 2:
            yield Mutant(kind, f"{name}: structure", STRUCTURE[kind](data, rng))
        else:
            change = rng.choice(list(BYTES))
            changed = bytearray(data)
            BYTES[change](changed, rng)
            yield Mutant(kind, f"{name}: {change}", bytes(changed))


# What becomes of them


def outcome(path: str, whole: bool = False) -> str:
    """Bring a file in and clean its first pages: "taken", "remarked" where damage is told, or "refused".

    Unless the cleaning is to be `whole`, it does not look for the sheet's outline, which takes most of its time.
    """
    treatment = Treatment() if whole else Treatment(outline=Outline(switch=Switch.OFF))
    try:
        says = "taken"
        for index in range(min(MOST_PAGES, count_pages(Path(path), Limits()))):
            page = jobs.bring_in(path, index, Limits())
            cleaned = jobs.clean(jobs.Original.of(page), treatment, ["eng"]).cleaned
            if any(f.topic == "damage" for f in cleaned.findings):
                says = "remarked"
    except SourceError as error:
        return f"refused: {error}"
    return says


def outcomes(files: Iterable[Mutant], workers: int, directory: Path) -> Iterator[tuple[Mutant, str]]:
    """Each with what became of it; "ERROR" and more where that is neither of the three."""
    pool, under_way = LocalWorkers(workers), deque[tuple[Mutant, Future[str]]]()
    try:
        for number, mutant in enumerate(files):
            path = directory / f"{number % (4 * workers + 50)}.{mutant.kind}"
            path.write_bytes(mutant.data)
            under_way.append((mutant, pool.submit(Job(outcome, (str(path), number % 10 == 0), SECONDS))))
            if len(under_way) > 2 * workers:
                yield _ended(*under_way.popleft())
        yield from (_ended(*each) for each in under_way)
    finally:
        pool.close()


def _ended(mutant: Mutant, future: Future[str]) -> tuple[Mutant, str]:
    error = future.exception()
    return mutant, f"ERROR {type(error).__name__}: {error}" if error else future.result()


def run(workers: int, count: int = 10_000) -> list[tuple[str, str, str, str]]:
    """Rows of the table: how many mutants end how; errors are printed with what was done to the file."""
    ends: Counter[str] = Counter()
    slowest, began = 0.0, time.monotonic()
    with tempfile.TemporaryDirectory() as directory:
        for mutant, end in outcomes(mutants(count), workers, Path(directory)):
            ends[end.split(":")[0].split()[0]] += 1
            if end.startswith("ERROR"):
                print(f"{mutant.kind}, {mutant.change}: {end}")
            slowest, began = max(slowest, time.monotonic() - began), time.monotonic()
    shares = ", ".join(f"{ends[end]} {end}" for end in ("taken", "remarked", "refused"))
    return [
        ("hostile files", f"{shares}; {ends['ERROR']} errors", "", "0 errors"),
        ("longest wait for one", f"{slowest:.1f} s", "", "60 s"),
    ]
