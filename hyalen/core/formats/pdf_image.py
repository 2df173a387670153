"""A page's picture in a PDF: as it was scanned, reduced, or as ink over a soft background."""

from __future__ import annotations

import io
from typing import Any, NamedTuple

import numpy as np
import pikepdf
from numpy.typing import NDArray
from pikepdf import Array, Dictionary, Name
from PIL import Image as Pillow

from hyalen.core.formats.codecs import decode, encode_bitonal, encode_jpeg, fax_of_ink, fax_strip, is_one_bit
from hyalen.core.formats.format import DeliveryOptions, Quality, Tones
from hyalen.core.imaging.background import estimate_paper, is_coloured, whiten
from hyalen.core.imaging.layers import Layers, layered
from hyalen.core.imaging.pixels import Image, as_uint8, grey, reduced
from hyalen.core.imaging.threshold import ink_threshold
from hyalen.core.model.content import PageContent, RegionKind
from hyalen.core.model.geometry import Box

BALANCED_DPI, BALANCED_JPEG = 200.0, 70
SURELY_SMALLER = 0.12  # of the page as it is, than which no balanced one is smaller
BACKGROUND_JPEG = 45
PICTURE_DPI, PICTURE_JPEG = 150.0, 60


class PageImage(NamedTuple):
    """The pictures by name, and what paints them over the unit square (ISO 32000-1, 8.9.5)."""

    pictures: Dictionary
    paint: str


def page_image(pdf: pikepdf.Pdf, image: bytes, content: PageContent, options: DeliveryOptions) -> PageImage:
    """A page's picture of the quality and tones that are wanted; what is black and white stays so.

    Parameters
    ----------
    image : bytes
        A JPEG or one-bit PNG.
    """
    if is_one_bit(image) or (options.quality is Quality.AS_SCANNED and options.tones is Tones.AS_IS):
        return _whole(pdf, image)
    page = decode(image)
    if options.tones is Tones.BLACK_AND_WHITE:
        white = grey(whiten(page, estimate_paper(page, content.dpi)))
        return _whole(pdf, encode_bitonal(as_uint8(np.where(ink_threshold(white, content.dpi), 0, 255))))
    if page.ndim == 3 and (options.tones is Tones.GREY or not is_coloured(page, content.dpi)):
        page = grey(page)
    if options.quality is Quality.AS_SCANNED:
        return _whole(pdf, encode_jpeg(page))
    made = _smallest(pdf, page, content) if options.quality is Quality.SMALLEST else None
    if made is not None and _weight(made) < SURELY_SMALLER * len(image):
        return made
    small, _ = reduced(page, content.dpi, BALANCED_DPI)
    least = min((encode_jpeg(small, BALANCED_JPEG), image), key=len)  # never larger than it came
    return made if made is not None and _weight(made) < len(least) else _whole(pdf, least)


def _smallest(pdf: pikepdf.Pdf, page: Image, content: PageContent) -> PageImage | None:
    pictures = [r.box for r in content.everything if r.kind is RegionKind.FIGURE]
    layers = layered(page, content.dpi, pictures)
    return _in_layers(pdf, page, content, layers, pictures) if layers is not None else None


def _weight(made: PageImage) -> int:
    return sum(len(picture.read_raw_bytes()) for picture in made.pictures.values())


def _whole(pdf: pikepdf.Pdf, image: bytes) -> PageImage:
    return PageImage(Dictionary(Im0=_picture(pdf, image)), "/Im0 Do")


def _in_layers(pdf: pikepdf.Pdf, page: Image, content: PageContent, layers: Layers, pictures: list[Box]) -> PageImage:
    found = Dictionary(Im0=_picture(pdf, encode_jpeg(layers.background, BACKGROUND_JPEG)))
    paint = ["/Im0 Do"]
    whole = Box(0, 0, page.shape[1], page.shape[0])
    for box in (each.intersection(whole) for each in pictures):
        if box.width < 2 or box.height < 2:
            continue
        part, _ = reduced(
            np.ascontiguousarray(page[box.top : box.bottom, box.left : box.right]), content.dpi, PICTURE_DPI
        )
        name = f"/Im{len(found)}"
        found[name] = _picture(pdf, encode_jpeg(part, PICTURE_JPEG))
        place = (
            box.width / whole.width,
            box.height / whole.height,
            box.left / whole.width,
            1 - box.bottom / whole.height,
        )
        wide, high, left, low = (f"{v:.6f}" for v in place)
        paint.append(f"q {wide} 0 0 {high} {left} {low} cm {name} Do Q")
    for ink in layers.inks:
        name = f"/Im{len(found)}"
        found[name] = _stencil(pdf, ink.mask)
        colour = " ".join(f"{v / 255:.3f}" for v in ink.colour)
        paint.append(f"q {colour} rg {name} Do Q")
    return PageImage(found, "\n".join(paint))


def _stencil(pdf: pikepdf.Pdf, ink: NDArray[np.bool_]) -> pikepdf.Object:
    """A mask through which a colour is painted (ISO 32000-1, 8.9.6.2), in CCITT Group 4: no letter stands for another."""
    height, width = ink.shape
    return pdf.make_stream(
        fax_of_ink(ink),
        **_entries(width, height),
        ImageMask=True,
        BitsPerComponent=1,
        Decode=Array([0, 1]),
        Filter=Name.CCITTFaxDecode,
        DecodeParms=Dictionary(K=-1, Columns=width, Rows=height, BlackIs1=False),
    )


def _picture(pdf: pikepdf.Pdf, image: bytes) -> pikepdf.Object:
    """A JPEG as it is, a one-bit image as CCITT Group 4 (ISO 32000-1, 7.4.6 and 7.4.8)."""
    with Pillow.open(io.BytesIO(image)) as opened:
        (width, height), mode = opened.size, opened.mode
        coded = fax_strip(opened) if mode == "1" else image
    if mode == "1":
        return pdf.make_stream(
            coded,
            **_entries(width, height),
            ColorSpace=Name.DeviceGray,
            BitsPerComponent=1,
            Filter=Name.CCITTFaxDecode,
            DecodeParms=Dictionary(K=-1, Columns=width, Rows=height, BlackIs1=False),
        )
    space = Name.DeviceGray if mode == "L" else Name.DeviceRGB
    return pdf.make_stream(
        coded, **_entries(width, height), ColorSpace=space, BitsPerComponent=8, Filter=Name.DCTDecode
    )


def _entries(width: int, height: int) -> dict[str, Any]:
    return {"Type": Name.XObject, "Subtype": Name.Image, "Width": width, "Height": height}
