"""Where a page is free of ink: for what is stamped on it."""

from __future__ import annotations

import zlib
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey

CELL = 3.0  # points: a cell's side
LEAST_DPI = 100.0  # at which the thinnest stroke still shows
GROUND = 31  # cells: what is uniform over half an inch on each side is ground, be it dark
LEAST_CONTRAST = 26.0  # grey levels from the ground that are ink; a faint pencil's stroke has about 40
NOISE, MOST_CONTRAST = 4.0, 40.0  # times the ground's own unrest, and no more
QUIET = 20  # percent of the cells bear nothing but that unrest, on any page
DARK = 140.0  # grey level of a ground on which black is hard to read


class InkMap(NamedTuple):
    """A page in cells of `CELL` points from its upper left: where its ink is, and where its ground is dark."""

    ink: NDArray[np.bool_]
    dark: NDArray[np.bool_]

    def packed(self) -> bytes:
        """As few bytes."""
        rows, columns = self.ink.shape
        head = np.array([rows, columns], dtype="<u2").tobytes()
        return head + zlib.compress(np.packbits(np.stack([self.ink, self.dark])).tobytes(), 6)

    @classmethod
    def unpacked(cls, data: bytes) -> InkMap:
        rows, columns = (int(v) for v in np.frombuffer(data[:4], dtype="<u2"))
        bits = np.unpackbits(np.frombuffer(zlib.decompress(data[4:]), dtype=np.uint8), count=2 * rows * columns)
        ink, dark = bits.reshape(2, rows, columns).astype(bool)
        return cls(ink, dark)


def ink_map(page: Image, dpi: float) -> InkMap:
    """Tell ink from ground, cell by cell: what is darker or lighter than the ground around it anywhere in the cell.

    Parameters
    ----------
    page : (height, width) or (height, width, 3) uint8
    """
    image = grey(page)
    if dpi >= 2 * LEAST_DPI:
        half = image.shape[1] // 2, image.shape[0] // 2
        image = as_uint8(cv2.resize(image, half, interpolation=cv2.INTER_AREA))
        dpi /= 2
    size = max(1, round(image.shape[0] * 72 / dpi / CELL)), max(1, round(image.shape[1] * 72 / dpi / CELL))
    side = max(1, round(CELL * dpi / 72))
    kernel = np.ones((side, side), np.uint8)
    # A cell is told by the darkest and the lightest of its pixels, whatever their number.
    darkest = _sampled(cv2.erode(image, kernel), size)
    lightest = _sampled(cv2.dilate(image, kernel), size)
    middle = _sampled(cv2.blur(image, (side, side)), size).astype(np.uint8)
    ground = cv2.medianBlur(middle, GROUND).astype(np.float32)
    below, above = ground - darkest, lightest - ground
    unrest = float(np.percentile(np.maximum(below, above), QUIET))
    limit = max(LEAST_CONTRAST, min(MOST_CONTRAST, NOISE * unrest))
    return InkMap((below > limit) | (above > limit), ground < DARK)


def _sampled(pixels: NDArray[Any], size: tuple[int, int]) -> NDArray[np.float32]:
    """The value at each cell's middle."""
    rows = ((np.arange(size[0]) + 0.5) * pixels.shape[0] / size[0]).astype(int).clip(0, pixels.shape[0] - 1)
    columns = ((np.arange(size[1]) + 0.5) * pixels.shape[1] / size[1]).astype(int).clip(0, pixels.shape[1] - 1)
    return pixels[np.ix_(rows, columns)].astype(np.float32)


def no_ink(width: float, height: float) -> InkMap:
    """Of an empty page of a width and height in points."""
    nothing = np.zeros((max(1, round(height / CELL)), max(1, round(width / CELL))), dtype=bool)
    return InkMap(nothing, nothing)
