"""What a picture shows, told by its ink: enough to name it to the clerk, who describes it."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces
from hyalen.core.model.content import Region, Subject
from hyalen.core.model.geometry import Box

WORK_SIDE = 400  # pixels of the longer side, at which a picture is looked at
PAPER, INK = 215, 110  # grey levels: lighter is paper, darker is ink, between them are the tones of a photograph
TONED = 0.3  # of the area in such tones: a photograph
COVERED = 0.55  # of the area darker than paper
OTHER_COLOUR = 20.0  # a* and b*: farther from the page's usual ink, and from grey, is ink of another colour
ROUND, ROUND_SIDES = 0.8, 1.3  # of the smallest circle around it, filled; longer side over shorter: a seal
AXIS = 0.45  # of the picture's width and height, along which a chart's two axes run
LARGEST_STAMP = (3.2, 2.2)  # inches
FRAME, RUNS_ALONG, ASKEW = 0.3, 0.7, 0.025  # inches around text; share of its side that a frame runs along; slope
LARGEST_SIGNATURE, WIDE = (4.5, 1.6), 1.3  # inches; width over height
SIGNED_INK = (0.015, 0.16)  # of the box
LONGEST_STROKE = 0.5  # of the width, that the longest connected stroke of handwriting reaches at least
LOGO_TOP, LARGEST_LOGO = 0.2, 0.08  # of the page's height, and of its area

Colour = NDArray[np.float64]


def subject_of(
    page: Image, dpi: float, box: Box, across: Sequence[Box], down: Sequence[Box], usual: Colour | None = None
) -> Subject:
    """What the picture in `box` shows.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    box : Box
    across, down : sequence of Box
        Rules of the page.
    usual : (2,) float64, optional
        The colour of the page's text (`usual_colour`).
    """
    window = page[max(0, box.top) : box.bottom, max(0, box.left) : box.right]
    scale = min(1.0, WORK_SIDE / max(1, *window.shape[:2]))
    size = (max(1, round(window.shape[1] * scale)), max(1, round(window.shape[0] * scale)))
    view = as_uint8(cv2.resize(window, size, interpolation=cv2.INTER_AREA))
    levels = grey(view)
    dark = levels < PAPER
    toned = float(((levels >= INK) & dark).mean())
    width, height = box.width / dpi, box.height / dpi
    small = width < LARGEST_STAMP[0] and height < LARGEST_STAMP[1]
    if small and dark.mean() < COVERED and _differs(ink_colour(page, box), usual):
        return Subject.SEAL if _is_round(dark) else Subject.STAMP
    if dark.mean() > COVERED or toned > TONED:
        return Subject.PHOTOGRAPH
    if _has_axes(box, across, down):
        return Subject.CHART
    if _is_signed(dark, width, height) and box.top > LOGO_TOP * page.shape[0]:
        return Subject.SIGNATURE
    if box.bottom < LOGO_TOP * page.shape[0] and box.area < LARGEST_LOGO * page.shape[0] * page.shape[1]:
        return Subject.LOGO
    return Subject.DRAWING


def stamped(page: Image, dpi: float, texts: Sequence[Region]) -> list[bool]:
    """Which texts are stamps: small, in ink of another colour than the others, and framed or askew.

    Colours are compared by their hue and chroma (a* and b* of CIE 1976 L*a*b*), which the paper's tint shifts alike.
    """
    colours = [ink_colour(page, text.box) for text in texts]
    usual = usual_colour(colours)
    return [
        _differs(colour, usual)
        and text.box.width < LARGEST_STAMP[0] * dpi
        and text.box.height < LARGEST_STAMP[1] * dpi
        and (_is_askew(text) or _is_framed(page, text.box, int(FRAME * dpi)))
        for colour, text in zip(colours, texts, strict=True)
    ]


def _is_askew(text: Region) -> bool:
    slopes = [(b.y - a.y) / max(1.0, b.x - a.x) for a, b in (line.baseline for line in text.lines)]
    return bool(slopes) and abs(float(np.median(slopes))) > ASKEW


def _is_framed(page: Image, box: Box, reach: int) -> bool:
    """Whether strokes run along three sides of a box at least."""
    whole = box.grown(reach, Box(0, 0, page.shape[1], page.shape[0]))
    ink = grey(page[whole.top : whole.bottom, whole.left : whole.right]) < PAPER
    top, left = box.top - whole.top, box.left - whole.left
    bottom, right = top + box.height, left + box.width
    rows, columns = ink[:, left:right].mean(axis=1), ink[top:bottom].mean(axis=0)
    sides = (rows[:top], rows[bottom:], columns[:left], columns[right:])
    return sum(bool(side.size and side.max() > RUNS_ALONG) for side in sides) >= 3


def usual_colour(colours: Sequence[Colour | None]) -> Colour | None:
    """The colour of most of a page's texts."""
    known = [c for c in colours if c is not None]
    return np.median(known, axis=0) if known else None


def ink_colour(page: Image, box: Box) -> Colour | None:
    """Mean a* and b* of the ink in a box; None on a page without colours."""
    view = page[max(0, box.top) : box.bottom, max(0, box.left) : box.right]
    if view.ndim == 2 or view.size == 0:
        return None
    levels = grey(view)
    dark = levels < (int(levels.min()) + int(levels.max())) / 2
    lab = cv2.cvtColor(view.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    return np.asarray(lab[dark][:, 1:].mean(axis=0), np.float64) if dark.any() else None


def _differs(colour: Colour | None, usual: Colour | None) -> bool:
    if colour is None:
        return False
    other = usual if usual is not None else np.zeros(2)
    return bool(np.hypot(*(colour - other)) > OTHER_COLOUR and np.hypot(*colour) > OTHER_COLOUR)


def _is_round(dark: NDArray[np.bool_]) -> bool:
    points = np.argwhere(dark)[:, ::-1].astype(np.float32)
    if len(points) < 20:
        return False
    hull = cv2.convexHull(points)
    _, radius = cv2.minEnclosingCircle(hull)
    height, width = dark.shape
    even = max(height, width) < ROUND_SIDES * min(height, width)
    return bool(even and cv2.contourArea(hull) > ROUND * np.pi * radius**2)


def _has_axes(box: Box, across: Sequence[Box], down: Sequence[Box]) -> bool:
    """Whether a long rule runs across and another down, and they meet at the picture's lower left or right."""
    for level in (r for r in across if box.covers(r, 0.7) and r.width > AXIS * box.width):
        for upright in (r for r in down if box.covers(r, 0.7) and r.height > AXIS * box.height):
            reach = 0.08 * max(box.width, box.height)
            meets = min(abs(upright.centre.x - level.left), abs(upright.centre.x - level.right)) < reach
            if meets and abs(level.centre.y - upright.bottom) < reach:
                return True
    return False


def _is_signed(dark: NDArray[np.bool_], width: float, height: float) -> bool:
    """Whether a few long, thin strokes run on like handwriting."""
    if width > LARGEST_SIGNATURE[0] or height > LARGEST_SIGNATURE[1] or width < WIDE * height:
        return False
    low, high = SIGNED_INK
    if not low < dark.mean() < high:
        return False
    strokes = pieces(dark.astype(np.uint8)).stats[1:]
    return bool(len(strokes) and strokes[:, cv2.CC_STAT_WIDTH].max() > LONGEST_STROKE * dark.shape[1])
