"""Uneven light and tinted paper to white, with pictures and colour kept."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, reduced

GRID_DPI = 30.0  # pixels an inch of the grid on which paper is estimated: a stroke falls between its nodes
STROKES = np.ones((9, 9), np.uint8)
STEEPEST_SHADOW = 0.22  # in logarithms, from one place of the grid to the next
LEAST_SHADOW = 0.3  # of a side's length along which a shadow lies


def estimate_paper(page: Image, dpi: float, pictures: NDArray[np.uint8] | None = None) -> NDArray[np.float32]:
    """The paper's own level at each place, on a coarse grid.

    A grey closing over three tenths of an inch removes the strokes; where what
    remains is still far darker than the page's paper there is a picture, and the
    level is carried in from around it by normalised convolution (Knutsson and
    Westin, CVPR 1993). A shadow that deepens gradually towards the rim is no picture
    and is followed all the way.

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
    coarse = as_uint8(cv2.resize(brightest, size, interpolation=cv2.INTER_AREA))
    grid = cv2.morphologyEx(coarse, cv2.MORPH_CLOSE, STROKES)
    level = grey(as_uint8(grid)).astype(np.float32)
    paper = float(np.percentile(level[::2, ::2], 80))
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
    far, far_weight = _widely_blurred(values * weights), _widely_blurred(known)
    if values.ndim == 3:
        near_weight, far_weight = near_weight[:, :, None], far_weight[:, :, None]
    carried = far / np.maximum(far_weight, 1e-3)
    trust = np.clip(near_weight * 2, 0, 1)
    local = near / np.maximum(near_weight, 1e-3)
    found = np.asarray(np.maximum(trust * local + (1 - trust) * carried, 1.0), dtype=np.float32)
    shadow = _shadow(level, paper)
    if pictures is not None and pictures.any():
        shadow &= cv2.resize(pictures, size, interpolation=cv2.INTER_NEAREST) == 0
    return _with_shadow(found, coarse, shadow) if shadow.any() else found


def _widely_blurred(field: NDArray[np.float32]) -> NDArray[np.float32]:
    """A Gaussian of 25 places, at a quarter of the places, which tell it as well."""
    size = (max(1, field.shape[1] // 4), max(1, field.shape[0] // 4))
    coarse = cv2.GaussianBlur(cv2.resize(field, size, interpolation=cv2.INTER_AREA), (0, 0), 6.25)
    return np.asarray(cv2.resize(coarse, field.shape[1::-1], interpolation=cv2.INTER_LINEAR), dtype=np.float32)


def _shadow(level: NDArray[np.float32], paper: float) -> NDArray[np.bool_]:
    """Where the paper darkens gradually towards the page's rim, as into a spine; a picture has an edge."""
    logs = np.log(np.maximum(level, 1))
    step = np.zeros_like(logs)
    for axis in (0, 1):
        rise = np.abs(np.diff(logs, axis=axis))
        pad = [(0, 0), (0, 0)]
        pad[axis] = (1, 0)
        step = np.maximum(step, np.pad(rise, pad))
    smooth = as_uint8(step < STEEPEST_SHADOW)
    _, labels = cv2.connectedComponents(smooth, connectivity=4)
    bright = np.unique(labels[(level > 0.8 * paper) & (smooth == 1)])
    dark = np.isin(labels, bright[bright > 0]) & (level < 0.8 * paper)
    count, labels = cv2.connectedComponents(as_uint8(dark), connectivity=8)
    shadow = np.zeros(level.shape, np.bool_)
    for side in (labels[:, 0], labels[:, -1], labels[0], labels[-1]):
        reach = np.bincount(side, minlength=count)
        for label in np.flatnonzero(reach > LEAST_SHADOW * len(side)):
            if label:
                shadow |= labels == label
    return shadow


def _with_shadow(paper: NDArray[np.float32], coarse: Image, shadow: NDArray[np.bool_]) -> NDArray[np.float32]:
    """The paper's level with the slopes of a shadow followed down to the rim.

    In logarithms and with the rim mirrored through its own value, so that a slope is kept as it is.
    """
    wide = 2 * len(STROKES)
    edged = cv2.copyMakeBorder(coarse, wide, wide, wide, wide, cv2.BORDER_REPLICATE)
    closed = cv2.morphologyEx(edged, cv2.MORPH_CLOSE, STROKES)[wide:-wide, wide:-wide]
    logs = np.log(np.maximum(closed.astype(np.float32), 1))
    pad = [(6, 6), (6, 6), (0, 0)][: logs.ndim]
    logs = cv2.GaussianBlur(np.pad(logs, pad, mode="reflect", reflect_type="odd"), (0, 0), 1.5)[6:-6, 6:-6]
    near = cv2.dilate(as_uint8(shadow), np.ones((9, 9), np.uint8)).astype(np.float32)
    weight = np.asarray(cv2.GaussianBlur(near, (0, 0), 2), dtype=np.float32)
    if paper.ndim == 3:
        weight = weight[:, :, None]
    return np.asarray(np.maximum(weight * np.exp(logs) + (1 - weight) * paper, 1.0), dtype=np.float32)


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
    if strength == 1:
        return as_uint8(cv2.divide(page, level, scale=target, dtype=cv2.CV_8U))
    gain = np.asarray((1 - strength) + strength * target / level, dtype=np.float32)
    return as_uint8(cv2.multiply(page, gain, dtype=cv2.CV_8U))


def is_coloured(page: Image, dpi: float) -> bool:
    """Whether a whitened page bears coloured ink or pictures (more than 0.1 % of its area)."""
    if page.ndim == 2:
        return False
    small, _ = reduced(page, dpi, 75)
    small = as_uint8(cv2.medianBlur(small, 3))
    red, green, blue = cv2.split(small)
    chroma = cv2.subtract(cv2.max(cv2.max(red, green), blue), cv2.min(cv2.min(red, green), blue))
    return bool((chroma > 40).mean() > 0.001)
