"""Grey to black and white."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8

MIDWAY = 0.45  # a little under the middle: thin strokes never reach the ink's full depth
RANGE = 128.0  # R of Sauvola and Pietikäinen: the largest deviation of 8-bit greys


def sauvola(page: Image, window: int, k: float = 0.2) -> NDArray[np.bool_]:
    """Ink by a threshold of the local mean and deviation: T = m (1 + k (s / 128 - 1)).

    Sauvola and Pietikäinen, Pattern Recognition 33 (2000), eq. 5.

    Parameters
    ----------
    page : (h, w) uint8
    window : int
        Odd side of the square neighbourhood, in pixels.
    k : float
        0.2 to 0.5; the paper uses 0.5, later contests 0.2.
    """
    mean, deviation = _local(page, window)
    return np.asarray(page <= mean * (1 + k * (deviation / RANGE - 1)))


def ink_threshold(page: Image, dpi: float, bias: float = 0.0) -> NDArray[np.bool_]:
    """Ink of a whitened page, by `midway_levels`."""
    smooth, limit = midway_levels(page, dpi, bias)
    return np.asarray(cv2.compare(smooth, limit, cv2.CMP_LT) > 0)


def softly_thresholded(page: Image, dpi: float, bias: float = 0.0) -> Image:
    """How the black-and-white page looks from afar: greys only where a finer pixel would be part ink."""
    smooth, limit = midway_levels(page, dpi, bias)
    return as_uint8(np.clip(128 + 3.0 * (smooth.astype(np.float32) - limit), 0, 255))


def midway_levels(page: Image, dpi: float, bias: float = 0.0) -> tuple[Image, Image]:
    """Levels below which a whitened page is ink: darker than the middle between the ink and the paper nearby.

    As in Su, Lu and Tan (IEEE TIP 22, 2013) strokes are first found by the local
    contrast; the threshold is then set halfway between the mean of the dark side and that of the
    light side of the edges around a pixel, which keeps strokes as wide as they are.

    Parameters
    ----------
    page : (h, w) uint8
        Whitened.
    dpi : float
        Pixels an inch.
    bias : float
        -1 (thin) to 1 (bold).

    Returns
    -------
    smooth, limit : (h, w) uint8
        A pixel is ink where `smooth` lies below `limit`.
    """
    smooth = as_uint8(cv2.GaussianBlur(page, (0, 0), max(0.4, dpi / 600)))
    # The threshold changes slowly: a quarter of the pixels tells it as well.
    coarse = smooth[::2, ::2]
    element = np.ones((3, 3) if dpi < 450 else (5, 5), np.uint8)
    high, low = cv2.dilate(coarse, element), cv2.erode(coarse, element)
    contrast = as_uint8(cv2.subtract(high, low))
    level, _ = cv2.threshold(contrast, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    _, edge = cv2.threshold(contrast, max(24.0, 0.6 * level), 1, cv2.THRESH_BINARY)
    reach = max(5, round(dpi / 24)) | 1
    share = MIDWAY + 0.18 * bias
    between = cv2.addWeighted(high, share, low, 1 - share, 0, dtype=cv2.CV_32F)
    counted = edge.astype(np.float32)
    weight = cv2.boxFilter(counted, -1, (reach, reach), normalize=False) + np.float32(1e-3)
    middle = cv2.boxFilter(cv2.multiply(between, counted), -1, (reach, reach), normalize=False)
    # Inside broad black there are no edges: there the page's own middle holds.
    known = np.minimum(weight, np.float32(0.01 * reach**2)) / np.float32(0.01 * reach**2)
    whole = np.float32(128.0 + 30 * bias)
    limit = as_uint8(cv2.convertScaleAbs(known * (middle / weight - whole) + whole))
    return smooth, as_uint8(cv2.resize(limit, (page.shape[1], page.shape[0]), interpolation=cv2.INTER_LINEAR))


def _local(page: Image, window: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    size = (window, window)
    mean = cv2.boxFilter(page, cv2.CV_32F, size, borderType=cv2.BORDER_REFLECT)
    square = cv2.sqrBoxFilter(page, cv2.CV_32F, size, borderType=cv2.BORDER_REFLECT)
    deviation = np.sqrt(np.maximum(square - mean**2, 0))
    return np.asarray(mean, dtype=np.float32), np.asarray(deviation, dtype=np.float32)
