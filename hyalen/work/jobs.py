"""What workers do: bytes and settings in, a result out; no database, no state between calls."""

from __future__ import annotations

import hashlib
import io
import os
import time
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

import cv2
from PIL import Image as Pillow

from hyalen.core.formats.codecs import Decoded, decode, decode_scan, encode_bitonal, encode_jpeg, encode_png
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.pdf_own_text import comments, laid, own_text
from hyalen.core.formats.pdf_tags import laid_tags, tagged_blocks
from hyalen.core.formats.read import read_source_page
from hyalen.core.formats.source import Limits, SourceError, SourcePage, blamed
from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.orientation import FindTurn, quarter_turned
from hyalen.core.imaging.pixels import Image, as_uint8, reduced
from hyalen.core.model.content import PageContent
from hyalen.core.model.document import PageKind, TextFrom
from hyalen.core.model.tagged import TaggedBlock
from hyalen.core.model.treatment import (
    Cleaned,
    Colours,
    Finding,
    Half,
    Marks,
    Output,
    ShowThrough,
    Switch,
    Treatment,
    as_made,
)
from hyalen.core.proofing.chance import Weighed, weigh
from hyalen.core.proofing.doubts import SURE
from hyalen.core.read import AUTO, read_content, read_own_content, with_looks
from hyalen.core.reading.upright import find_turn
from hyalen.core.scanning.judge import judge_sheet
from hyalen.core.scanning.passes import Judged
from hyalen.work.manuscript import Manuscript

THUMB_WIDTH = 180
PROGRESS_SECONDS = 0.3  # between two times that it is told
REVERSE_DPI = 150.0
DAMAGED = 0.05  # confidence that a page of damaged data is whole: a doubt of the first rank


class CleanedImage(NamedTuple):
    """The cleaned page as a JPEG or one-bit PNG file, a small picture of it, and what was done.

    `read` is the page as it is read, in a PNG file: a JPEG's ripples around letters change what is found there.
    """

    image: bytes
    thumb: bytes
    read: bytes
    cleaned: Cleaned


class Original(NamedTuple):
    """An image file as it was brought in, with how it is to be taken."""

    data: bytes
    dpi: float
    stated_turn: int
    dpi_guessed: bool = False
    damage: str = ""

    @classmethod
    def of(cls, page: SourcePage) -> Original:
        return cls(page.original, page.dpi, page.stated_turn, bool(page.dpi_reason), page.damage)

    def scan(self) -> Decoded:
        """The pixels, turned as stated, and what of them is damaged (raises SourceError)."""
        decoded = decode_scan(self.data)
        return Decoded(quarter_turned(decoded.pixels, self.stated_turn), self.damage or decoded.damage)


def bring_in(path: str, index: int, limits: Limits, told_dpi: float = 0.0) -> SourcePage:
    """One page of a source file; `told_dpi` counts where it does not say its own (raises SourceError)."""
    page = read_source_page(Path(path), index, limits)
    return replace(page, dpi=told_dpi, dpi_reason="") if told_dpi and page.dpi_reason else page


def clean(
    original: Original,
    treatment: Treatment,
    languages: Sequence[str],
    half: Half = "whole",
    known: Cleaned | None = None,
    reverse: Original | None = None,
) -> CleanedImage:
    """Apply a treatment to an original; the languages help to tell which way is up."""
    # OpenCV's own threads would compete with the other workers for the same cores.
    cv2.setNumThreads(1)
    turn = partial(find_turn, languages=tuple(languages))
    scan, damage = original.scan()
    page = clean_page(
        scan,
        original.dpi,
        treatment,
        turn,
        half,
        known,
        reverse=_reverse(reverse, turn) if reverse else None,
        dpi_guessed=original.dpi_guessed,
    )
    if damage:
        told = Finding(step="quality", topic="damage", says=damage, confidence=DAMAGED)
        page = page._replace(cleaned=page.cleaned.model_copy(update={"findings": (told, *page.cleaned.findings)}))
    shown = page.shown
    height = max(1, round(shown.shape[0] * THUMB_WIDTH / shown.shape[1]))
    smaller, _ = reduced(shown, shown.shape[1], THUMB_WIDTH)
    thumb = as_uint8(cv2.resize(smaller, (THUMB_WIDTH, min(height, 20 * THUMB_WIDTH)), interpolation=cv2.INTER_AREA))
    image = encode_bitonal(shown) if page.cleaned.colours is Colours.BLACK_AND_WHITE else encode_jpeg(shown)
    return CleanedImage(image, encode_jpeg(thumb, 75), encode_png(page.read), page.cleaned)


def _reverse(original: Original, turn: FindTurn) -> Image:
    """The back of a sheet, cleaned at the resolution that show-through has."""
    small, factor = reduced(original.scan().pixels, original.dpi, REVERSE_DPI)
    off = {"marks": Marks(switch=Switch.OFF), "show_through": ShowThrough(), "output": Output(switch=Switch.OFF)}
    return clean_page(small, original.dpi / factor, Treatment(**off), turn).shown  # type: ignore[arg-type]


class PageRead(NamedTuple):
    """What a page says, and what its words' likelihood to be wrong is told from: whoever keeps it need not look again."""

    content: PageContent
    weighed: Weighed

    @classmethod
    def of(cls, content: PageContent) -> PageRead:
        return cls(content, weigh(content))


def read(image: bytes, dpi: float, languages: Sequence[str], shown: bool = True) -> PageRead:
    """Read a cleaned page; `shown` says whether it is delivered as it is read, and not in black and white."""
    cv2.setNumThreads(1)
    page = decode(image)
    content = read_content(page, dpi, tuple(languages))
    return PageRead.of(with_looks(page, content, shown))


class Own(NamedTuple):
    """Where a page's own text is: a PDF file, the page in it, the pixels of its original, and its kind."""

    path: str
    page: int
    size: tuple[int, int]
    kind: str


def read_own(image: bytes, cleaned: Cleaned, languages: Sequence[str], own: Own, choice: TextFrom) -> PageRead:
    """What a page that came with text says; where that text cannot be had, what its ink says."""
    cv2.setNumThreads(1)
    hidden = own.kind != PageKind.BORN_DIGITAL
    tagged: list[TaggedBlock] = []
    if not hidden and choice != "ink":
        with suppress(SourceError):  # tags that cannot be read cost nothing of the text
            tagged = laid_tags(tagged_blocks(Path(own.path), own.page, own.size) or [], cleaned)
    try:
        found = laid(own_text(Path(own.path), own.page, own.size, hidden), cleaned)
        noted = comments(Path(own.path), own.page)
    except SourceError:
        found, noted = [], []
    page = decode(image)
    content = with_looks(page, read_own_content(page, cleaned.dpi, tuple(languages), found, choice, tagged=tagged))
    return PageRead.of(content.model_copy(update={"comments": tuple(noted)}))


def judge_face(path: str, dpi: float, length: float, limits: Limits, front: str | None = None) -> tuple[Judged, bytes]:
    """What is to be seen on a picture from a scanner, and a small one of it.

    `dpi` counts where the file does not say its own; `length` is the sheet's in inches, 0 where it is not told; `front`
    is the file of the sheet's other side (raises SourceError).
    """
    cv2.setNumThreads(1)
    page = bring_in(path, 0, limits, dpi)
    decoded = decode_scan(page.original)
    other = decode_scan(bring_in(front, 0, limits, dpi).original).pixels if front else None
    seen = judge_sheet(decoded.pixels, page.dpi, length, other)
    damage = page.damage or decoded.damage
    judged = seen.judged.model_copy(update={"remarks": (damage, *seen.judged.remarks)}) if damage else seen.judged
    return judged, encode_jpeg(as_uint8(seen.thumb), 80)


def preview_of(path: str, limits: Limits) -> bytes:
    """The first page of a file from a scanner as a JPEG file (raises SourceError)."""
    return encode_jpeg(decode_scan(bring_in(path, 0, limits).original).pixels, 85)


def inspect(path: str, index: int, limits: Limits) -> dict[str, Any]:
    """What a page is like, as the `inspect` command prints it (raises SourceError)."""
    page = bring_in(path, index, limits)
    treatment = as_made(Treatment()) if page.kind is PageKind.BORN_DIGITAL else Treatment()
    cleaned = clean(Original.of(page), treatment, [AUTO]).cleaned
    findings = [page.dpi_reason] if page.dpi_reason else []
    findings += [f.says for f in cleaned.findings if f.confidence < SURE]
    return {
        "number": index + 1,
        "kind": page.kind.value,
        "width_px": page.width,
        "height_px": page.height,
        "dpi": page.dpi,
        "orientation_degrees": cleaned.turn,
        "skew_degrees": round(cleaned.skew, 3),
        "blank": cleaned.blank,
        "findings": findings,
    }


def rendition(path: str, stated_turn: int) -> tuple[str, bytes | None]:
    """An original as every browser shows it: its media type, and its bytes unless the file is shown as it is.

    Raises
    ------
    SourceError
        If nothing of it can be decoded.
    """
    data = Path(path).read_bytes()
    with blamed("the image"), Pillow.open(io.BytesIO(data)) as picture:
        kind = picture.format
        as_it_is = kind in ("JPEG", "PNG") and picture.mode in ("L", "RGB", "1") and stated_turn == 0
    if as_it_is:
        return f"image/{(kind or 'png').lower()}", None
    image = quarter_turned(decode_scan(data).pixels, stated_turn)
    return "image/jpeg", encode_jpeg(image, 92)


class PictureBroughtIn(NamedTuple):
    image: bytes
    width: int
    height: int


def picture(path: str, limits: Limits) -> PictureBroughtIn:
    """The first image of a file, as one that is delivered in a picture's stead (raises SourceError)."""
    page = read_source_page(Path(path), 0, limits)
    decoded = decode_scan(page.original)
    if page.damage or decoded.damage:
        raise SourceError(page.damage or decoded.damage)
    pixels = decoded.pixels
    return PictureBroughtIn(encode_jpeg(pixels, 92), pixels.shape[1], pixels.shape[0])


class Delivered(NamedTuple):
    """A file that was written, with its SHA-256."""

    path: str
    digest: str
    size: int


def make_delivery(manuscript: str, out: str, name: str, options: DeliveryOptions) -> Delivered:
    """Write a document's manuscript to a file in a format; the manuscript is used up.

    How many pages have been reached stands in a file beside `out` meanwhile (`pages_reached`).
    """
    source, path = Path(manuscript), Path(out)
    progress = _progress(path)
    at, reached, told = 0, 0, time.monotonic()

    def on_page(index: int) -> None:
        nonlocal at, reached, told
        at = index + 1
        reached = max(reached, at)
        if time.monotonic() - told > PROGRESS_SECONDS:
            told = time.monotonic()
            progress.write_text(str(reached))

    try:
        document = Manuscript(source, on_page)
        with path.open("w+b") as file:
            tree = replace(document.tree, join_tables=options.join_tables)
            FORMATS[name].write(tree, document.image, file, options)
            file.flush()
            os.fsync(file.fileno())
            file.seek(0)
            digest = hashlib.file_digest(file, "sha256").hexdigest()
        return Delivered(out, digest, path.stat().st_size)
    except BaseException as error:
        path.unlink(missing_ok=True)
        if at:
            error.add_note(f"at page {at}")
        raise
    finally:
        source.unlink(missing_ok=True)
        progress.unlink(missing_ok=True)


def _progress(out: Path) -> Path:
    return out.with_name(f"{out.name}-pages")


def pages_reached(out: Path) -> int:
    """How far what is being written to a file has come; 0 where that is not told."""
    try:
        return int(_progress(out).read_text() or 0)
    except (OSError, ValueError):
        return 0
