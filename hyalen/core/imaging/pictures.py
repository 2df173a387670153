"""Where a page bears pictures: mixed tones that treatments of ink and paper must leave alone.

A mask is 1 where there is a picture and may have fewer pixels than the page.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.curvature import LETTERS_DPI, find_letters
from hyalen.core.imaging.pixels import Image, Mask, as_uint8, grey, pieces, reduced
from hyalen.core.model.geometry import Box

WORKING_DPI = 37.5  # pixels an inch: letters run together, tones stay
SMALLEST_INCHES = 0.45  # of a picture's shorter side; stamps and initials are less
LEAST_MOTTLE = 10.0  # grey levels
MOST_HOLLOW = 1.5  # hull over area: what is hollower is a frame or a bent rule
UNEVEN = 0.03  # in logarithms
LEAST_PAPER = 0.75  # of the inside that is as even as paper in a frame around text
LEAST_RIM = 0.85  # the same of its rim
LEANING = 0.05  # rise over run: what is written so is a stamp or part of a picture
WHITE, LEAST_WHITE = 200, 0.94  # grey level; share of what lies between letters, that is paper and no tint
LEAST_LETTERS = 60  # letters in lines within, that make it text and no picture


def textured_mask(page: Image, dpi: float) -> Mask:
    """Where a scan is mottled without a gap, as halftones and photographs are. Needs no whitened page.

    Between letters there is even paper; in a picture the deviation within a fortieth of an
    inch is high everywhere over a third of an inch and more.
    """
    step = max(1, round(dpi / 150))
    small = grey(page)[::step, ::step]  # not averaged: the dots must stay
    scale = dpi / step
    mean = cv2.boxFilter(small, cv2.CV_32F, (7, 7))
    variance = cv2.sqrBoxFilter(small, cv2.CV_32F, (7, 7)) - mean**2
    mottled = (variance > LEAST_MOTTLE**2).astype(np.uint8)
    gap, least = max(3, int(0.06 * scale)) | 1, max(5, int(0.3 * scale)) | 1
    closed = cv2.morphologyEx(mottled, cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    solid = cv2.erode(closed, np.ones((gap, gap), np.uint8))
    solid = cv2.morphologyEx(solid, cv2.MORPH_OPEN, np.ones((least, least), np.uint8))
    grown = cv2.dilate(solid, np.ones((gap, gap), np.uint8))
    return _filled(as_uint8(grown))


def picture_mask(page: Image, dpi: float) -> Mask:
    """Where a whitened page bears tones, not strokes, at about 50 dpi.

    What is left dark when everything thinner than a seventh of an inch is closed, in
    pieces of half an inch and more.
    """
    small, factor = reduced(grey(page), dpi, WORKING_DPI)
    scale = dpi / factor
    side = max(3, int(0.14 * scale)) | 1
    square = np.ones((side, side), np.uint8)
    closed = cv2.morphologyEx(small, cv2.MORPH_CLOSE, square)
    dark = (as_uint8(cv2.medianBlur(as_uint8(closed), 3)) < 225).astype(np.uint8)
    found = pieces(as_uint8(cv2.morphologyEx(dark, cv2.MORPH_CLOSE, square)))
    keep = np.minimum(found.stats[:, 2], found.stats[:, 3]) >= SMALLEST_INCHES * scale
    keep[0] = False
    return as_uint8(cv2.dilate(_filled(found.of(keep)), np.ones((5, 5), np.uint8)))


def without_writing(pictures: Mask, page: Image, dpi: float) -> Mask:
    """A whitened page's pictures without the lines of writing beside them that the mask took in; on a tint they stay.

    Parameters
    ----------
    pictures : uint8
    page : (h, w) uint8
        At about `LETTERS_DPI`.
    """
    if not pictures.any():
        return pictures
    mask = enlarged(pictures, page)
    writing = np.zeros(mask.shape, np.uint8)
    for left, top, right, bottom in lines_of_writing(page, dpi, mask):
        writing[top:bottom, left:right] = 1
    if not writing.any():
        return pictures
    near = max(3, round(0.06 * dpi)) | 1  # from one line to the next
    gone = cv2.morphologyEx(writing, cv2.MORPH_CLOSE, np.ones((near, 1), np.uint8))
    gone = cv2.dilate(gone, np.ones((3, 3), np.uint8))
    least = max(3, round(0.3 * dpi))
    return as_uint8(
        cv2.morphologyEx(as_uint8(np.where(gone == 1, 0, mask)), cv2.MORPH_OPEN, np.ones((least, least), np.uint8))
    )


def lines_of_writing(page: Image, dpi: float, where: Mask) -> list[Box]:
    """Level lines of five letters and more on plain paper that lie within a mask, in part at least.

    Parameters
    ----------
    page : (h, w) uint8
        At about `LETTERS_DPI`; paper is white.
    where : (h, w) uint8
    """
    letters = find_letters(page, dpi)
    if not len(letters.x):
        return []
    own = np.isin(letters.ink.labels, letters.number)
    rim = cv2.dilate(own.astype(np.uint8), np.ones((3, 3), np.uint8)) == 1
    stats = letters.ink.stats[letters.number]
    found = []
    for line in range(int(letters.line.max()) + 1):
        mine = stats[letters.line == line]
        left, top = mine[:, :2].min(axis=0).tolist()
        right, bottom = (mine[:, :2] + mine[:, 2:4]).max(axis=0).tolist()
        place = np.s_[top:bottom, left:right]
        slope = np.polyfit(letters.x[letters.line == line], letters.bottom[letters.line == line], 1)[0]
        between = page[place][~rim[place]]
        if (
            abs(slope) < LEANING
            and where[place].any()
            and between.size
            and float(np.mean(between > WHITE)) > LEAST_WHITE
        ):
            found.append(Box(left, top, right, bottom))
    return found


def fills_the_page(page: Image, dpi: float) -> bool:
    """Whether a picture fills the scan to its rim, so that no paper is in sight.

    Paper, with its letters closed, is even over half an inch and among the brightest there is;
    where that covers neither most of the page nor its rim, lines of letters tell of paper, too.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Not whitened.
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(grey(page), dpi, 75)
    scale = dpi / factor
    letter, part, edge = max(3, int(0.25 * scale)), max(3, int(0.5 * scale)), max(2, int(0.25 * scale))
    if min(small.shape) < 4 * part:
        return False
    closed = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((letter, letter), np.uint8))
    bright = closed > 0.6 * np.percentile(closed[::3, ::3], 95)
    logs = np.log(np.maximum(closed.astype(np.float32), 1))

    def even(side: int) -> NDArray[np.bool_]:
        mean = cv2.boxFilter(logs, -1, (side, side))
        return np.asarray((cv2.sqrBoxFilter(logs, -1, (side, side)) - mean**2 < UNEVEN**2) & bright)

    rim = np.ones(small.shape, np.bool_)
    rim[edge:-edge, edge:-edge] = False
    if even(part).mean() >= LEAST_PAPER or even(edge)[rim].mean() >= LEAST_RIM:
        return False
    written, finer = reduced(grey(page), dpi, LETTERS_DPI)
    return len(find_letters(written, dpi / finer).x) < LEAST_LETTERS


def both(a: Mask, b: Mask) -> Mask:
    """Either mask, at the second's size."""
    return np.maximum(b, as_uint8(cv2.resize(a, (b.shape[1], b.shape[0]), interpolation=cv2.INTER_NEAREST)))


def enlarged(mask: Mask, page: Image) -> Mask:
    """A mask at the page's size."""
    return as_uint8(cv2.resize(mask, (page.shape[1], page.shape[0]), interpolation=cv2.INTER_NEAREST))


def with_pictures(page: Image, before: Image, pictures: Mask) -> Image:
    """A treated page with its pictures as they were before."""
    if not pictures.any():
        return page
    kept = enlarged(pictures, page) == 1
    result = page.copy()
    result[kept] = before[kept]
    return result


def _filled(mask: Mask) -> Mask:
    """Each part as its convex hull, unless that is far larger: a picture's lights are part of it."""
    result = mask.copy()
    outlines, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    for outline in outlines:
        hull = cv2.convexHull(outline)
        if cv2.contourArea(hull) < MOST_HOLLOW * cv2.contourArea(outline):
            cv2.fillConvexPoly(result, hull, (1,))
    return result
