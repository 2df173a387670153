"""Printed rules: long thin strokes, across and down."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, Mask, as_uint8, grey, pieces, reduced
from hyalen.core.model.geometry import Box

WORK_DPI = 150.0  # pixels an inch: a hairline is a pixel wide
LEAST_INCHES = 0.3  # of a rule; strokes of letters are shorter
THICKEST = 1 / 25  # inches: solid pictures are no rules
DARK = 170  # grey level: hairlines are lighter than letters
BESIDE = 3  # pixels
DARK_SIDE, DARK_SIDES = 0.7, 0.4  # of the pixels on one side of a stroke, and on both
HEAD_ROW = 0.6  # inches: taller dark grounds are panels by themselves


class Rules(NamedTuple):
    """Strokes as boxes in pixels of the page, and as masks (h, w) uint8 `factor` times smaller."""

    across: tuple[Box, ...]
    down: tuple[Box, ...]
    across_mask: Mask
    down_mask: Mask
    factor: float
    dpi: float


def find_rules(page: Image, dpi: float) -> Rules:
    """Strokes longer than 0.3 inch and no thicker than a 25th, gaps of a 30th of an inch closed.

    By morphological opening (Soille, Morphological Image Analysis, 2nd ed., ch. 4).

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(grey(page), dpi, WORK_DPI)
    dpi = dpi / factor
    dark = (small < DARK).astype(np.uint8)
    length, gap = max(8, int(dpi * LEAST_INCHES)), max(3, int(dpi / 30)) * 2 + 1
    masks = []
    for thickness_axis, line, closing in ((1, (1, length), (3, gap)), (0, (length, 1), (gap, 3))):
        strokes = cv2.morphologyEx(dark, cv2.MORPH_OPEN, np.ones(line, np.uint8))
        strokes = cv2.morphologyEx(strokes, cv2.MORPH_CLOSE, np.ones(closing, np.uint8))
        masks.append(_rules_of(as_uint8(strokes), dark, dpi, thickness_axis))
    boxes = [
        tuple(
            Box(*(int(v * factor) for v in (left, top, left + width, top + height)))
            for left, top, width, height, _ in pieces(mask).stats[1:].tolist()
        )
        for mask in masks
    ]
    return Rules(boxes[0], boxes[1], masks[0], masks[1], factor, dpi)


def _rules_of(strokes: Mask, dark: Mask, dpi: float, thickness_axis: int) -> Mask:
    """The strokes that are thin and stand out from what is beside them."""
    found = pieces(strokes)
    extent = found.stats[:, 2] if thickness_axis == 1 else found.stats[:, 3]
    keep = found.stats[:, 4] / np.maximum(extent, 1) <= dpi * THICKEST
    keep[0] = False
    lying, ground = (found.stats[:, :4], dark) if thickness_axis == 1 else (found.stats[:, [1, 0, 3, 2]], dark.T)
    for at in np.flatnonzero(keep):
        keep[at] = _stands_out(ground, *lying[at].tolist())
    return found.of(keep)


def _stands_out(dark: Mask, left: int, top: int, width: int, height: int) -> bool:
    """Whether what is above and below a stroke that lies is lighter: a dark ground between letters, or a tint, is not."""
    sides = (dark[max(0, top - BESIDE) : top, left : left + width], dark[top + height :, left : left + width][:BESIDE])
    shares = [float(side.mean()) for side in sides if side.size]
    return not shares or (max(shares) < DARK_SIDE and float(np.mean(shares)) < DARK_SIDES)


def with_panels(rules: Rules, page: Image, panels: Sequence[Box]) -> Rules:
    """The rules with the sides of dark panels, which part what stands within from what stands without.

    Where rules down end at a panel it is a table's head row: it has edges as other rows have, and those
    rules go on through it between its words.

    Parameters
    ----------
    rules : Rules
        Of the page.
    page : (h, w) or (h, w, 3) uint8
        With the panels turned to dark on white.
    panels : sequence of Box
    """
    if not panels:
        return rules
    across, down = rules.across_mask.copy(), rules.down_mask.copy()
    height, width = down.shape
    ink = cv2.resize(grey(page), (width, height), interpolation=cv2.INTER_AREA) < DARK
    reach = max(3, int(rules.dpi / 12))
    boxes = [Box(x - 1, p.top, x + 1, p.bottom) for p in panels for x in (p.left, p.right)]
    for panel in panels:
        left, top, right, bottom = (int(v / rules.factor) for v in panel)
        right, bottom = min(right, width - 1), min(bottom, height - 1)
        ends = down[bottom : bottom + reach, left : right + 1].any(axis=0)
        ends |= down[max(0, top - reach) : top, left : right + 1].any(axis=0)
        if not ends.any() or panel.height > HEAD_ROW * rules.dpi * rules.factor:
            continue
        across[[top, bottom], left : right + 1] = 1
        columns = np.flatnonzero(ends) + left
        for run in np.split(columns, np.flatnonzero(np.diff(columns) > 1) + 1):
            x = int(run.mean())
            if not ink[top:bottom, max(0, x - 1) : x + 2].any():
                down[max(0, top - reach) : bottom + reach, x] = 1
                at = int(x * rules.factor)
                boxes.append(Box(at - 1, panel.top, at + 1, panel.bottom))
    return rules._replace(down=(*rules.down, *boxes), across_mask=across, down_mask=down)
