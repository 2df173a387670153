"""A page as sharp ink of few colours over a soft background: small, and as easy to read (mixed raster content, ITU-T T.44)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.background import estimate_paper, whiten
from hyalen.core.imaging.pixels import Image, as_uint8, grey
from hyalen.core.imaging.threshold import ink_threshold
from hyalen.core.model.geometry import Box

BACKGROUND_DPI = 75.0
MOST_INK = 0.3  # of a page outside its pictures: beyond, it is no page of writing
LEAST_INK = 0.0002  # of a page, that a colour needs to be one of its own
COLOURED = 24.0  # chroma in CIELAB, no source
HUES = 6  # that are told apart, each a sixth of the circle
HALO = 2  # twice two pixels around ink, that are soft and no background


class Ink(NamedTuple):
    """Where ink of one colour is: (h, w) bool, and its red, green and blue."""

    mask: NDArray[np.bool_]
    colour: tuple[int, int, int]


class Layers(NamedTuple):
    """`background` lies beneath everything, at about 75 dpi; the inks lie over it."""

    background: Image
    inks: tuple[Ink, ...]


def layered(page: Image, dpi: float, pictures: Sequence[Box] = ()) -> Layers | None:
    """A page's inks and its background; None where most of it is no writing.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    pictures : sequence of Box
        What stays whole in the background.
    """
    plain = grey(page)
    paper = estimate_paper(_halved(plain), dpi / 2)  # which it tells on a coarse grid
    mask = ink_threshold(whiten(plain, paper), dpi)
    free = np.ones(mask.shape, dtype=bool)
    for box in pictures:
        free[max(0, box.top) : box.bottom, max(0, box.left) : box.right] = False
    mask &= free
    if mask.sum() > MOST_INK * max(1, int(free.sum())):
        return None
    mask = _without_specks(mask)
    return Layers(_background(page, mask, dpi), tuple(_inks(page, mask)))


def _without_specks(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Without what has one or two pixels: of three that touch, one touches two others."""
    around = cv2.boxFilter(mask.view(np.uint8), -1, (3, 3), normalize=False, borderType=cv2.BORDER_CONSTANT)
    middles = as_uint8(mask & (around >= 3))
    return mask & (cv2.dilate(middles, np.ones((3, 3), np.uint8)) > 0)


def _inks(page: Image, mask: NDArray[np.bool_]) -> list[Ink]:
    """The mask by colour: black and grey together, and each hue that there is enough of."""
    if page.ndim == 2 or not mask.any():
        level = int(np.percentile(page[mask], 25)) if mask.any() and page.ndim == 2 else 0
        return [Ink(mask, (level, level, level))] if mask.any() else []
    lab = as_uint8(cv2.cvtColor(page, cv2.COLOR_RGB2Lab))  # a and b about 128
    # A stroke's soft edge takes the colour of its middle.
    small = cv2.blur(lab, (5, 5))
    a, b = (small[:, :, i][mask].astype(np.float32) - 128 for i in (1, 2))
    chroma = np.zeros(mask.shape, dtype=np.float32)
    chroma[mask] = np.hypot(a, b)
    coloured = chroma > COLOURED
    found, rest = [], mask.copy()
    if coloured.sum() > LEAST_INK * mask.size:
        hue = np.zeros(mask.shape, dtype=np.int8)
        hue[mask] = np.floor((np.arctan2(b, a) + np.pi) / (2 * np.pi) * HUES).astype(np.int8) % HUES
        for which in range(HUES):
            own = coloured & (hue == which)
            if own.sum() > LEAST_INK * mask.size:
                found.append(Ink(own, _middle(page, lab, own)))
                rest &= ~own
    if rest.any():
        found.insert(0, Ink(rest, _middle(page, lab, rest)))
    return found


def _middle(page: Image, lab: Image, mask: NDArray[np.bool_]) -> tuple[int, int, int]:
    """The colour of the darker half of an ink: its strokes' middles."""
    light = lab[:, :, 0][mask]
    colours = page[mask][light <= np.median(light)]
    red, green, blue = (int(v) for v in np.median(colours, axis=0))
    return red, green, blue


def _background(page: Image, mask: NDArray[np.bool_], dpi: float) -> Image:
    """The page without its ink, reduced; where ink was, what is around it (normalised convolution)."""
    small = _halved(page)  # a quarter of the pixels tells it as well
    inked = _halved(mask.view(np.uint8) * np.uint8(255))
    around = cv2.dilate(inked, np.ones((2 * HALO + 1,) * 2, np.uint8))
    weight = np.asarray(around == 0, np.float32)
    factor = max(1, round(dpi / BACKGROUND_DPI / 2))
    sums = _reduced(small * (weight if page.ndim == 2 else weight[:, :, None]), factor)
    known = _reduced(weight, factor)
    for reach in (0, 5, 15, 61):
        if reach:
            wide, near = cv2.blur(sums, (reach, reach)), cv2.blur(known, (reach, reach))
            gap = known < 0.05
            sums[gap], known[gap] = wide[gap], near[gap]
    divisor = np.maximum(known, 1e-4)
    return as_uint8(np.clip(sums / (divisor if page.ndim == 2 else divisor[:, :, None]), 0, 255))


def _halved(image: Image) -> Image:
    return as_uint8(_reduced(image, 2))


def _reduced(image: NDArray[Any], factor: int) -> NDArray[Any]:
    """The means of squares of so many pixels a side; what is over at the right and at the foot goes."""
    height, width = (max(1, side // factor) for side in image.shape[:2])
    whole = image[: height * factor, : width * factor]
    return np.asarray(cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA))
