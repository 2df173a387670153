"""How a page will look and how much it will weigh in a PDF, before the choice is made. What an attendant does."""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pikepdf
import pypdfium2
from pikepdf import Array, Dictionary

from hyalen.core.formats.codecs import encode_jpeg
from hyalen.core.formats.format import DeliveryOptions, Quality, Tones
from hyalen.core.formats.pdf_image import page_image
from hyalen.core.formats.retouch import blackened
from hyalen.core.imaging.pixels import as_uint8
from hyalen.core.model.content import PageContent

POINTS_PER_INCH = 72.0
SHOWN_JPEG = 92  # so good that what is seen is the choice's doing


class Sheet(NamedTuple):
    """A page: where its cleaned image lies, and its content."""

    path: str
    content: PageContent


def _pdf(sheet: Sheet, options: DeliveryOptions) -> bytes:
    """Its picture alone as a PDF."""
    image = blackened(Path(sheet.path).read_bytes(), sheet.content.redactions)
    width, height = (v * POINTS_PER_INCH / sheet.content.dpi for v in (sheet.content.width, sheet.content.height))
    pdf = pikepdf.new()
    page = pdf.add_blank_page()
    made = page_image(pdf, image, sheet.content, options)
    page.MediaBox = Array([0, 0, round(width, 3), round(height, 3)])
    page.Resources = Dictionary(XObject=made.pictures)
    page.Contents = pdf.make_stream(f"q {width:.3f} 0 0 {height:.3f} 0 0 cm\n{made.paint}\nQ".encode())
    file = io.BytesIO()
    pdf.save(file)
    return file.getvalue()


def as_delivered(sheet: Sheet, options: DeliveryOptions) -> bytes:
    """The page as a viewer shows it at its own resolution, as JPEG."""
    document = pypdfium2.PdfDocument(_pdf(sheet, options))
    try:
        shown = document[0].render(scale=sheet.content.dpi / POINTS_PER_INCH).to_numpy()
    finally:
        document.close()
    colours = shown[:, :, 2::-1] if shown.ndim == 3 and shown.shape[2] >= 3 else shown.reshape(shown.shape[:2])
    return encode_jpeg(as_uint8(np.ascontiguousarray(colours)), SHOWN_JPEG)


def weights(sheets: Sequence[Sheet], tones: Tones) -> dict[Quality, int]:
    """Bytes that the pictures of some pages take in each quality."""
    return {
        quality: sum(len(_pdf(sheet, DeliveryOptions(quality=quality, tones=tones))) for sheet in sheets)
        for quality in Quality
    }
