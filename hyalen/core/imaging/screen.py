"""Halftones: a printed picture's dots to even tones."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, Mask, as_uint8, grey

TILE = 256  # pixels a side: some twenty periods of a screen of 133 lines at 300 dpi
LEAST_DPI = 200.0  # pixels an inch: below, the screen is finer than the scan
MOST_DPI = 700.0  # pixels an inch: above, the dots are marks of their own
LINES = (
    60.0,
    210.0,
)  # screens an inch from newsprint to art paper (common practice); letters stand closer than 60, too
LEAST_PROMINENCE = 24.0  # times the spectrum around it that a screen's peak stands above
LEAST_ACROSS = 0.2  # of the peak's power, at a right angle to it: strokes of letters have rows one way only
LEAST_SWING = 3.0  # grey levels of the dots' fundamental
WINDOW = np.outer(np.hanning(TILE), np.hanning(TILE)).astype(np.float32)


class Screen(NamedTuple):
    """`lines` an inch, and in how many tiles of the pictures it was found."""

    lines: float
    tiles: int
    prominence: float


def find_screen(page: Image, dpi: float, pictures: Mask, enlarged: float = 1.0) -> Screen | None:
    """The frequency of a halftone screen in the page's pictures.

    Tiles of the pictures are windowed (Hann) and transformed; a screen stands out as sharp
    peaks of the power spectrum in the range of printing screens, at equal distance and a right
    angle to each other (Foley et al., Computer Graphics, 13.4 on clustered dots).

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch. Where the scan had fewer than 200 the dots are not resolved, above 700 they do no harm.
    pictures : uint8
        From `pictures`.
    enlarged : float
        How many times as large the page is as it was scanned.
    """
    if not dpi / enlarged >= LEAST_DPI or dpi > MOST_DPI or min(page.shape[:2]) < TILE:
        return None
    if not pictures.any():
        return None
    plain = grey(page)
    fy, fx = plain.shape[0] / pictures.shape[0], plain.shape[1] / pictures.shape[1]
    found = []
    for y in range(0, plain.shape[0] - TILE + 1, TILE):
        for x in range(0, plain.shape[1] - TILE + 1, TILE):
            part = pictures[int(y / fy) : int((y + TILE) / fy), int(x / fx) : int((x + TILE) / fx)]
            if part.size and part.mean() > 0.9:
                tile = plain[y : y + TILE, x : x + TILE].astype(np.float32)
                peak = _peak((tile - float(tile.mean())) * WINDOW, dpi, min(LINES[1], 0.49 * dpi / enlarged))
                if peak is not None:
                    found.append(peak)
            if len(found) >= 24:
                break
    if not found:
        return None
    lines = np.array([f[0] for f in found])
    middle = float(np.median(lines))
    agree = np.abs(lines - middle) < 0.06 * middle
    if agree.sum() < max(1, 0.4 * len(lines)):
        return None
    return Screen(middle, int(agree.sum()), float(np.median([f[1] for f in found])))


def _peak(tile: NDArray[np.float32], dpi: float, finest: float) -> tuple[float, float] | None:
    """(lines an inch, prominence) of the strongest peak up to `finest` lines that has one at a right angle."""
    power = np.abs(np.fft.fftshift(np.fft.fft2(tile))) ** 2
    axis = np.fft.fftshift(np.fft.fftfreq(TILE)) * dpi
    fx, fy = np.meshgrid(axis, axis)
    radius = np.hypot(fx, fy)
    ring = (radius >= LINES[0]) & (radius <= finest)
    if not ring.any():
        return None
    level = float(np.median(power[ring])) + 1e-6
    band = np.where(ring, power, 0)
    y, x = np.unravel_index(int(np.argmax(band)), band.shape)
    prominence = float(np.sqrt(band[y, x] / level))
    cy, cx = TILE // 2, TILE // 2
    across = (cy + (x - cx), cx - (y - cy))
    if not (1 <= across[0] < TILE - 1 and 1 <= across[1] < TILE - 1):
        return None
    second = float(power[across[0] - 1 : across[0] + 2, across[1] - 1 : across[1] + 2].max())
    swing = 2 * float(np.sqrt(band[y, x])) / float(WINDOW.sum())
    at_limit = radius[y, x] < LINES[0] + 2 * dpi / TILE  # the foot of what lies below: an edge, a tone
    if prominence < LEAST_PROMINENCE or second < LEAST_ACROSS * band[y, x] or swing < LEAST_SWING or at_limit:
        return None
    return float(radius[y, x]), prominence


def descreen(page: Image, dpi: float, lines: float, pictures: Mask) -> Image:
    """The pictures' dots smoothed to tones; writing and paper are not touched.

    A Gaussian whose transfer at the screen's frequency is 2 %: sigma = sqrt(2 ln 50) / (2 pi f).

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    lines : float
        Screen lines an inch.
    pictures : uint8
        From `pictures`.
    """
    if not pictures.any():
        return page
    mask = pictures
    sigma = float(np.sqrt(2 * np.log(50)) / (2 * np.pi * lines)) * dpi
    result = page.copy()
    fy, fx = page.shape[0] / mask.shape[0], page.shape[1] / mask.shape[1]
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask, connectivity=8)
    for i in range(1, count):
        left, top, wide, tall, _ = (int(v) for v in stats[i])
        y0, x0 = int(top * fy), int(left * fx)
        y1, x1 = min(page.shape[0], int((top + tall) * fy)), min(page.shape[1], int((left + wide) * fx))
        part = result[y0:y1, x0:x1]
        if part.size == 0:
            continue
        smooth = cv2.GaussianBlur(part, (0, 0), sigma)
        piece = (labels[top : top + tall, left : left + wide] == i).astype(np.float32)
        blend = cv2.GaussianBlur(cv2.resize(piece, (x1 - x0, y1 - y0)), (0, 0), 2 * sigma)
        weight = blend if part.ndim == 2 else blend[:, :, None]
        part[:] = as_uint8(smooth * weight + part * (1 - weight))
    return result
