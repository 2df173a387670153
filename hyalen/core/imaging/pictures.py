"""Where a page bears pictures: mixed tones that treatments of ink and paper must leave alone.

A mask is 1 where there is a picture and may have fewer pixels than the page.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces, reduced

WORKING_DPI = 37.5
SMALLEST_INCHES = 0.45
LEAST_MOTTLE = 10.0  # grey levels
MOST_HOLLOW = 1.5

Mask = NDArray[np.uint8]


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
    labels, stats, _ = pieces(as_uint8(cv2.morphologyEx(dark, cv2.MORPH_CLOSE, square)))
    keep = np.minimum(stats[:, 2], stats[:, 3]) >= SMALLEST_INCHES * scale
    keep[0] = False
    return as_uint8(cv2.dilate(_filled(keep[labels].astype(np.uint8)), np.ones((5, 5), np.uint8)))


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
