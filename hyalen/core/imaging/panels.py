"""Light letters on dark grounds: panels, bands and head rows are found and turned to dark on light to be read."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.background import estimate_paper, whiten
from hyalen.core.imaging.letters import in_rows
from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces, reduced
from hyalen.core.model.geometry import Box

WORK_DPI = 150.0  # pixels an inch: the smallest white letters have four pixels
DARKER = 0.62  # of the paper's grey level
STROKE = 0.035  # inches: thicker dark ink is ground, thinner is letters and rules
GAP = 0.06  # inches that light letters may part the ground at its rim
LEAST_HEIGHT, LEAST_WIDTH = 0.12, 0.3  # inches
LEAST_FILLED = 0.82  # of its box: a panel, not a picture's outline
LEAST_RIM = 0.8  # of the rim that is dark: not heavy letters, which stand on paper
LEAST_DARK, MOST_UNEVEN = 0.5, 26.0  # share of the ground; grey levels within it
LIGHTER, LEAST_CONTRAST = 0.45, 50.0  # of the way from the ground to the lightest; grey levels between them
LEAST_LETTERS = 5  # light letters in a row that make a dark patch a panel
RIM = 0.025  # inches
LEAST_WRITTEN = 0.5  # of the light ink that stands in rows as letters do


def dark_panels(page: Image, dpi: float) -> list[Box]:
    """Boxes of even dark ground that bears rows of light letters.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(grey(page), dpi, WORK_DPI)
    scale = dpi / factor
    paper = float(np.percentile(small[::4, ::4], 90))
    dark = (small < DARKER * paper).astype(np.uint8)
    if dark.mean() < 0.002:
        return []
    ground = cv2.morphologyEx(dark, cv2.MORPH_OPEN, _square(STROKE * scale))
    joined = cv2.morphologyEx(ground, cv2.MORPH_CLOSE, _square(GAP * scale))
    whole = Box(0, 0, page.shape[1], page.shape[0])
    found = []
    outlines, _ = cv2.findContours(joined, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    for outline in outlines:
        left, top, width, height = cv2.boundingRect(outline)
        filled = cv2.contourArea(outline) >= LEAST_FILLED * width * height
        if height < LEAST_HEIGHT * scale or width < LEAST_WIDTH * scale or not filled:
            continue
        window = (slice(top, top + height), slice(left, left + width))
        if _is_panel(small[window], dark[window]):
            box = Box(*(round(v * factor) for v in (left, top, left + width, top + height)))
            found.append(box.intersection(whole))
    return found


def panels_turned(page: Image, panels: list[Box], dpi: float) -> Image:
    """The page in grey with its dark panels dark on white, their rims whitened.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    panels : list of Box
        From `dark_panels`.
    dpi : float
        Pixels an inch.
    """
    if not panels:
        return page
    result = grey(page).copy()
    whole = Box(0, 0, result.shape[1], result.shape[0])
    rim = max(2, int(RIM * dpi))
    for panel in panels:
        inner = result[panel.top : panel.bottom, panel.left : panel.right]
        turned = as_uint8(255 - inner)
        turned = whiten(turned, estimate_paper(turned, dpi))
        ink = float(np.percentile(turned, 1))
        left, top, right, bottom = panel.grown(rim, whole)
        result[top:bottom, left:right] = 255
        stretched = np.clip((turned.astype(np.float32) - ink) * 255 / max(1.0, 255 - ink), 0, 255)
        result[panel.top + rim : panel.bottom - rim, panel.left + rim : panel.right - rim] = stretched[
            rim:-rim, rim:-rim
        ]
    return result


def _square(side: float) -> NDArray[np.uint8]:
    return np.ones((max(3, int(side)) | 1,) * 2, np.uint8)


def _is_panel(window: Image, dark: Image) -> bool:
    rim = np.concatenate([dark[1], dark[-2], dark[:, 1], dark[:, -2]])
    ground, lightest = float(np.median(window)), float(np.percentile(window, 99.5))
    if rim.mean() < LEAST_RIM or dark.mean() < LEAST_DARK or lightest - ground < LEAST_CONTRAST:
        return False
    light = as_uint8(window > ground + LIGHTER * (lightest - ground))
    inner = cv2.dilate(light, np.ones((5, 5), np.uint8)) == 0
    if not inner.any() or float(window[inner].std()) > MOST_UNEVEN:
        return False
    stats = pieces(light).stats[1:].astype(np.float64)
    inside = (stats[:, 0] > 0) & (stats[:, 1] > 0)
    inside &= (stats[:, 0] + stats[:, 2] < dark.shape[1]) & (stats[:, 1] + stats[:, 3] < dark.shape[0])
    letters = in_rows(stats[inside])
    written = float(stats[inside][:, 4].sum())
    return len(letters) >= LEAST_LETTERS and written > LEAST_WRITTEN * float(light.sum())
