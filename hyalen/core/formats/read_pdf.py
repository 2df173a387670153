"""PDF files: a page that is one scanned image gives that image's own bytes, others are rendered."""

from __future__ import annotations

import ctypes
import io
import math
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, NamedTuple

import pikepdf
import pypdfium2
import pypdfium2.raw as pdfium
from PIL import Image as Pillow

from hyalen.core.formats.codecs import encode_png, letters_of, to_array
from hyalen.core.formats.source import Limits, SourceError, SourcePage, check_pixels
from hyalen.core.imaging.resolution import settle_resolution
from hyalen.core.model.document import PageKind

RENDER_DPI = 300.0
LEAST_TEXT = 10
INVISIBLE = 3


class PageMake(NamedTuple):
    """What a page is made of: visible text characters, images, other visible marks."""

    characters: int
    images: tuple[Any, ...]
    marks: int


def count_pdf_pages(path: Path, limits: Limits) -> int:
    """Pages of the file.

    Raises
    ------
    SourceError
        If it is encrypted, damaged, without pages or has too many.
    """
    try:
        with pikepdf.open(path) as pdf:
            count = len(pdf.pages)
    except pikepdf.PasswordError as error:
        raise SourceError("the PDF is encrypted and needs a password; bring in a copy without one") from error
    except (pikepdf.PdfError, ValueError, OSError, RecursionError) as error:
        raise SourceError(f"the PDF is damaged ({str(error).splitlines()[0][-100:]})") from error
    if count == 0:
        raise SourceError("the PDF has no pages")
    if count > limits.pages:
        raise SourceError(f"the PDF has {count} pages, more than the limit of {limits.pages}; split it first")
    return count


def read_pdf_page(path: Path, index: int, limits: Limits) -> SourcePage:
    """One page, from 0.

    Raises
    ------
    SourceError
        If the page cannot be read.
    """
    try:
        with _opened(path) as document:
            page = document[index]
            make = page_make(page)
            kind = PageKind.BORN_DIGITAL if make.characters >= LEAST_TEXT else PageKind.SCANNED
            if kind is PageKind.SCANNED and len(make.images) == 1 and make.marks == 0:
                own = _own_image(path, index, make.images[0], page, limits)
                if own is not None:
                    return own
            return _rendered(page, kind, limits)
    except pypdfium2.PdfiumError as error:
        raise SourceError(f"page {index + 1} of the PDF cannot be read ({error})") from error


@contextmanager
def _opened(path: Path) -> Iterator[pypdfium2.PdfDocument]:
    document = pypdfium2.PdfDocument(path)
    try:
        yield document
    finally:
        document.close()


def page_make(page: pypdfium2.PdfPage) -> PageMake:
    """Count what can be seen on a page; invisible text (rendering mode 3) does not count."""
    visible = 0
    images, marks = [], 0
    text = page.get_textpage()
    for item in page.get_objects(max_depth=6):
        if item.type == pdfium.FPDF_PAGEOBJ_TEXT:
            if pdfium.FPDFTextObj_GetTextRenderMode(item.raw) != INVISIBLE:
                size = pdfium.FPDFTextObj_GetText(item.raw, text.raw, None, 0)
                buffer = ctypes.create_string_buffer(size)
                pdfium.FPDFTextObj_GetText(
                    item.raw, text.raw, ctypes.cast(buffer, ctypes.POINTER(pdfium.FPDF_WCHAR)), size
                )
                visible += sum(c.isalnum() for c in buffer.raw[: max(0, size - 2)].decode("utf-16-le", "ignore"))
        elif item.type == pdfium.FPDF_PAGEOBJ_IMAGE:
            images.append(item)
        else:
            marks += 1
    return PageMake(visible, tuple(images), marks + (visible > 0))


def _own_image(path: Path, index: int, item: Any, page: pypdfium2.PdfPage, limits: Limits) -> SourcePage | None:
    """The page's only image, if it fills the page upright; None where it must be rendered."""
    a, b, c, d, *_ = item.get_matrix().get()
    if a <= 0 or d <= 0 or abs(b) > 1e-3 * a or abs(c) > 1e-3 * d:
        return None
    left, bottom, right, top = page.get_cropbox()
    if a * d < 0.7 * (right - left) * (top - bottom):
        return None
    with pikepdf.open(path) as pdf:
        source = pdf.pages[index]
        own: list[Any] = list(source.get_images(recursive=False).values())
        if len(own) != 1 or "/SMask" in own[0] or "/Mask" in own[0] or own[0].get("/ImageMask", False):
            return None
        if "/Decode" in own[0]:
            return None
        check_pixels(int(own[0].Width), int(own[0].Height), limits)
        turn = int(source.rotation) % 360
        out = io.BytesIO()
        try:
            pikepdf.PdfImage(own[0]).extract_to(stream=out)
            original = out.getvalue()
            with Pillow.open(io.BytesIO(original)) as picture:
                width, height = picture.size
                picture.load()
        except (pikepdf.PdfError, OSError, ValueError, NotImplementedError, SyntaxError) as error:
            if isinstance(error, OSError) and "truncated" in str(error):
                raise SourceError(f"the image of page {index + 1} is cut short") from error
            return None
        except pikepdf.models.image.UnsupportedImageTypeError:
            return None
    stated = width / (a / 72.0)
    resolution = settle_resolution(
        width, height, round(stated, 1) if math.isfinite(stated) else None, lambda: letters_of(picture)
    )
    if turn in (90, 270):
        width, height = height, width
    return SourcePage(
        original,
        width,
        height,
        resolution.dpi,
        resolution.reason,
        PageKind.SCANNED,
        turn,  # type: ignore[arg-type]
    )


def _rendered(page: pypdfium2.PdfPage, kind: PageKind, limits: Limits) -> SourcePage:
    width, height = page.get_size()
    scale = RENDER_DPI / 72.0
    check_pixels(max(1, round(width * scale)), max(1, round(height * scale)), limits)
    image = to_array(page.render(scale=scale).to_pil())
    return SourcePage(encode_png(image), image.shape[1], image.shape[0], RENDER_DPI, "", kind)
