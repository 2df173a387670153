"""Pixel conversions that every treatment shares."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

Image = NDArray[np.uint8]
Mask = NDArray[np.uint8]
SMALL = 1 << 18  # pixels: of fewer, a table of all short numbers takes longer than an index


def as_uint8(array: NDArray[np.generic]) -> Image:
    """OpenCV returns untyped arrays; this states what they are."""
    return np.ascontiguousarray(array, dtype=np.uint8)


Labels = NDArray[np.uint16] | NDArray[np.int32]


class Pieces(NamedTuple):
    """Connected parts of a mask; number 0 is what is outside of it.

    `labels` is (h, w), uint16 where the parts are few enough; `stats` holds left, top, width, height and area;
    `centres` x and y.
    """

    labels: Labels
    stats: NDArray[np.int32]
    centres: NDArray[np.float64]

    def of(self, told: NDArray[np.bool_]) -> Image:
        """A mask of the parts that are told to be in it, by their numbers."""
        if self.labels.dtype != np.uint16 or self.labels.size < SMALL:
            return np.asarray(told[self.labels], dtype=np.uint8)
        table = np.zeros(1 << 16, np.uint8)
        table[: len(told)] = told
        return as_uint8(cv2.LUT(self.labels, table))  # five times as fast as an index


def pieces(mask: NDArray[np.uint8]) -> Pieces:
    """The parts of a mask that hang together, corners included; an empty mask has none."""
    if mask.size == 0:  # OpenCV would end the process
        return Pieces(np.zeros(mask.shape, np.uint16), np.zeros((1, 5), np.int32), np.zeros((1, 2)))
    if cv2.countNonZero(mask) == 0:
        height, width = mask.shape
        outside = np.array([[0, 0, width, height, width * height]], np.int32)
        return Pieces(np.zeros(mask.shape, np.uint16), outside, np.array([[(width - 1) / 2, (height - 1) / 2]]))
    try:
        _, labels, stats, centres = cv2.connectedComponentsWithStats(mask, connectivity=8, ltype=cv2.CV_16U)
        numbers: Labels = np.asarray(labels, np.uint16)
    except cv2.error:  # too many for short numbers, which take half the time
        _, labels, stats, centres = cv2.connectedComponentsWithStats(mask, connectivity=8, ltype=cv2.CV_32S)
        numbers = np.asarray(labels, np.int32)
    return Pieces(numbers, np.asarray(stats, np.int32), np.asarray(centres, np.float64))


def grey(image: Image) -> Image:
    """Luma (ITU-R BT.601) of an (h, w, 3) RGB image; an (h, w) image is returned as it is."""
    return image if image.ndim == 2 else as_uint8(cv2.cvtColor(image, cv2.COLOR_RGB2GRAY))


def with_margin(image: Image, pixels: int) -> Image:
    """A grey image with so much white around it: the engine reads letters badly that touch an edge."""
    return as_uint8(cv2.copyMakeBorder(image, *(pixels,) * 4, cv2.BORDER_CONSTANT, value=255))


def reduced(image: Image, dpi: float, target_dpi: float) -> tuple[Image, float]:
    """The image at about `target_dpi` and the factor by which it shrank (at least 1).

    Area averaging, so that thin strokes pale instead of vanishing.
    """
    whole = dpi / target_dpi
    if whole <= 1.25:
        return image, 1.0
    before = image.shape
    while dpi / target_dpi >= 1.9 and min(image.shape[:2]) >= 4:  # halving is many times faster than one odd step
        image = as_uint8(
            cv2.resize(
                image[: image.shape[0] // 2 * 2, : image.shape[1] // 2 * 2],
                None,
                fx=0.5,
                fy=0.5,
                interpolation=cv2.INTER_AREA,
            )
        )
        dpi /= 2
    factor = dpi / target_dpi
    if factor <= 1.25:
        return image, before[0] / image.shape[0]
    size = (max(1, round(image.shape[1] / factor)), max(1, round(image.shape[0] / factor)))
    return as_uint8(cv2.resize(image, size, interpolation=cv2.INTER_AREA)), whole


def ink_mask(page: Image, dpi: float) -> NDArray[np.bool_]:
    """Pixels darker than their surroundings by more than the page's noise.

    A local mean over a quarter of an inch, as in Sauvola and Pietikäinen
    (Pattern Recognition 33, 2000), with a floor taken from the page's contrast,
    so that tinted paper and scanner bed do not count as ink.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.

    Returns
    -------
    (h, w) bool
    """
    side = max(5, int(dpi / 4) | 1)
    local = cv2.boxFilter(page, cv2.CV_32F, (side, side), borderType=cv2.BORDER_REPLICATE)
    depth = local - page
    strong = float(np.percentile(depth[::3, ::3], 99.0))
    return np.asarray(depth > max(14.0, 0.33 * strong), dtype=np.bool_)
