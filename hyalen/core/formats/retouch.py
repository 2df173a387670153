"""A page's image as it is delivered: without what is left out, with the images that stand in pictures' stead."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hyalen.core.formats.codecs import decode, encode_bitonal, encode_jpeg, is_one_bit
from hyalen.core.formats.format import Pictures
from hyalen.core.imaging.pixels import Image, as_uint8
from hyalen.core.model.content import PageContent, Region
from hyalen.core.model.geometry import Box, Point

WHITE, BLACK = 255, 0
EDGE = 3  # pixels: no soft edge of a letter is left beside a redaction


def retouched_regions(content: PageContent) -> list[Region]:
    """The regions whose ink is not delivered as it is."""
    return [region for region in content.everything if region.omitted or region.substitute]


def retouched(image: bytes, content: PageContent, pictures: Pictures) -> bytes:
    """The page's JPEG or one-bit PNG file with its omitted and substituted regions done; the same where there is none.

    Parameters
    ----------
    image : bytes
        In whose pixels the regions are.
    pictures : callable
        The substitutes by their names.
    """
    regions = retouched_regions(content)
    if not regions:
        return image
    substitutes = [(region, decode(pictures(region.substitute))) for region in regions if not region.omitted]
    page = _with_colour(decode(image), [picture for _, picture in substitutes])
    for region in regions:
        cv2.fillPoly(page, [np.round(np.array(region.outline)).astype(np.int32)], (WHITE,) * 3)
    for region, picture in substitutes:
        _paste(page, region.box, picture)
    only_blank = is_one_bit(image) and not substitutes
    return encode_bitonal(page) if only_blank else encode_jpeg(page)


def blackened(image: bytes, areas: Sequence[Sequence[Point]]) -> bytes:
    """The page's file with areas black, whatever was there; the same where there are none."""
    if not areas:
        return image
    page = decode(image).copy()
    for area in areas:
        outline = np.round(np.array(area)).astype(np.int32)
        cv2.fillPoly(page, [outline], (BLACK,) * 3)
        cv2.polylines(page, [outline], isClosed=True, color=(BLACK,) * 3, thickness=EDGE)
    return encode_bitonal(page) if is_one_bit(image) else encode_jpeg(page)


def _with_colour(page: Image, pictures: Sequence[Image]) -> Image:
    if page.ndim == 2 and any(picture.ndim == 3 for picture in pictures):
        return as_uint8(cv2.cvtColor(page, cv2.COLOR_GRAY2RGB))
    return page.copy()


def _paste(page: Image, box: Box, picture: Image) -> None:
    """As large as the box allows, in its middle."""
    height, width = picture.shape[:2]
    factor = min(box.width / width, box.height / height)
    size = max(1, round(width * factor)), max(1, round(height * factor))
    made = cv2.resize(picture, size, interpolation=cv2.INTER_AREA if factor < 1 else cv2.INTER_CUBIC)
    if page.ndim == 3 and made.ndim == 2:
        made = cv2.cvtColor(made, cv2.COLOR_GRAY2RGB)
    left, top = box.left + (box.width - size[0]) // 2, box.top + (box.height - size[1]) // 2
    shown = Box(left, top, left + size[0], top + size[1]).intersection(Box(0, 0, page.shape[1], page.shape[0]))
    part = made[shown.top - top : shown.bottom - top, shown.left - left : shown.right - left]
    page[shown.top : shown.bottom, shown.left : shown.right] = part
