"""Uneven light and tinted paper to white, with pictures and colour kept."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, reduced

GRID_DPI = 30.0


def estimate_paper(page: Image, dpi: float, pictures: NDArray[np.uint8] | None = None) -> NDArray[np.float32]:
    """The paper's own level at each place, on a coarse grid.

    A grey closing over three tenths of an inch removes the strokes; where what
    remains is still far darker than the page's paper there is a picture, and the
    level is carried in from around it by normalised convolution (Knutsson and
    Westin, CVPR 1993).

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    pictures : (h, w) uint8, optional
        1 where there is a picture, at any resolution; its lights are not taken for paper.

    Returns
    -------
    (gh, gw) or (gh, gw, 3) float32
        At about 30 dpi.
    """
    # Reduced in two steps: the maximum over a small window first finds paper between strokes.
    factor = max(1.0, dpi / GRID_DPI)
    window = max(1, int(dpi / 50))
    brightest = (
        cv2.dilate(cv2.blur(page, (window, window)), np.ones((window * 2 + 1, window * 2 + 1), np.uint8))
        if window > 1
        else page
    )
    size = (max(1, round(page.shape[1] / factor)), max(1, round(page.shape[0] / factor)))
    grid = cv2.resize(brightest, size, interpolation=cv2.INTER_AREA)
    grid = cv2.morphologyEx(grid, cv2.MORPH_CLOSE, np.ones((9, 9), np.uint8))
    level = grey(as_uint8(grid)).astype(np.float32)
    paper = float(np.percentile(level, 80))
    known = (level > 0.62 * paper).astype(np.float32)
    if pictures is not None and pictures.any():
        known[cv2.resize(pictures, size, interpolation=cv2.INTER_NEAREST) == 1] = 0
    if known.mean() > 0.3:
        known = np.asarray(cv2.erode(known, np.ones((3, 3), np.uint8)), dtype=np.float32)
    else:
        known = np.ones_like(known)
    values = grid.astype(np.float32)
    weights = known if values.ndim == 2 else known[:, :, None]
    near = cv2.GaussianBlur(values * weights, (0, 0), 3)
    near_weight = cv2.GaussianBlur(known, (0, 0), 3)
    far = cv2.GaussianBlur(values * weights, (0, 0), 25)
    far_weight = cv2.GaussianBlur(known, (0, 0), 25)
    if values.ndim == 3:
        near_weight, far_weight = near_weight[:, :, None], far_weight[:, :, None]
    carried = far / np.maximum(far_weight, 1e-3)
    trust = np.clip(near_weight * 2, 0, 1)
    local = near / np.maximum(near_weight, 1e-3)
    return np.asarray(np.maximum(trust * local + (1 - trust) * carried, 1.0), dtype=np.float32)


def whiten(page: Image, paper: NDArray[np.float32], strength: float = 1.0) -> Image:
    """Divide the page by its paper level; `strength` 0 leaves it as it is.

    The white point lies 6 % under the paper's level, so that grain and paper
    fibre go to white too.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    paper : (gh, gw) or (gh, gw, 3) float32
        From `estimate_paper`.
    strength : float
        0 to 1.
    """
    if strength <= 0:
        return page
    level = cv2.resize(paper, (page.shape[1], page.shape[0]), interpolation=cv2.INTER_LINEAR)
    target = 255.0 / 0.94
    gain = np.asarray((1 - strength) + strength * target / level, dtype=np.float32)
    return as_uint8(cv2.multiply(page, gain, dtype=cv2.CV_8U))


def is_coloured(page: Image, dpi: float) -> bool:
    """Whether a whitened page bears coloured ink or pictures (more than 0.1 % of its area)."""
    if page.ndim == 2:
        return False
    small, _ = reduced(page, dpi, 75)
    small = as_uint8(cv2.medianBlur(small, 3))
    chroma = small.max(axis=2).astype(np.int16) - small.min(axis=2)
    return bool((chroma > 40).mean() > 0.001)
