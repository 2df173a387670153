"""Bar codes, read by their bars."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
import zxingcpp

from hyalen.core.imaging.pixels import Image, as_uint8, reduced
from hyalen.core.model.geometry import Box

WORK_DPI = 200.0  # pixels an inch: the narrowest bars that copiers print are two pixels wide
FINE_DPI = 300.0  # the same, to which a finer page is reduced by areas
LEAST_STEP = 1.25  # times: less is not worth a reduction
LEAST_CHARACTERS = 4  # shorter ones are found in hatchings
MARGIN = 0.03  # inches around the bars: their own blank rim is not counted


class BarCode(NamedTuple):
    """`kind` is the symbology's name, `text` what it says."""

    kind: str
    text: str
    box: Box


def read_bar_codes(page: Image, dpi: float) -> list[BarCode]:
    """Linear and matrix codes, upright or running up the page.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(page, dpi, FINE_DPI)
    step = dpi / factor / WORK_DPI
    if step > LEAST_STEP:  # so small a step needs no average of areas, which takes six times as long
        small = as_uint8(cv2.resize(small, None, fx=1 / step, fy=1 / step, interpolation=cv2.INTER_LINEAR))
        factor = page.shape[0] / small.shape[0]
    height = small.shape[0]
    whole, margin = Box(0, 0, page.shape[1], page.shape[0]), int(MARGIN * dpi)
    found: list[BarCode] = []
    for turned in (False, True):
        view = np.ascontiguousarray(np.rot90(small, -1)) if turned else np.ascontiguousarray(small)
        for code in zxingcpp.read_barcodes(view, try_rotate=False, try_invert=False, try_downscale=False):
            if not code.valid or len(code.text) < LEAST_CHARACTERS:
                continue
            p = code.position
            corners = [(c.x, c.y) for c in (p.top_left, p.top_right, p.bottom_right, p.bottom_left)]
            if turned:  # a quarter turn clockwise took (x, y) to (height - 1 - y, x)
                corners = [(y, height - 1 - x) for x, y in corners]
            xs, ys = zip(*corners, strict=True)
            edges = (min(xs), min(ys), max(xs), max(ys))
            box = Box(*(round(v * factor) for v in edges)).grown(margin, whole)
            if not any(box.overlap(other.box) > 0.5 * box.area for other in found):
                found.append(BarCode(code.format.name, code.text, box))
    return found
