"""The outline of a sheet that was photographed, or lies askew on a dark or light bed."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, reduced
from hyalen.core.model.treatment import Corners

WORKING_DPI = 60.0  # pixels an inch: a sheet's edge shows, its writing does not
WORKING_SIZE = 640  # pixels of the longer side, where the resolution is not known
LEAST_SHARE = 0.25  # of the picture: who photographs a sheet fills a quarter of the frame
LEAST_KEYSTONE = 0.7  # degrees between opposite sides
LEAST_SIDE = 60  # pixels: smaller pictures show no sheet
LEAST_SOLID = 0.93  # of its hull, that a sheet's outline fills
LIKE_ITS_CORNERS = (0.94, 1.06)  # the hull's area over its four corners'
WHOLE = 0.985  # of the picture: a sheet that is larger fills it
LEAST_APART, LEAST_SIDES_APART = (
    0.006,
    3,
)  # of the longer side, from the picture's rim; sides: a shadow at one is no bed
BEST, BY_STRAY, BY_AREA = 1.15, 1 / 3, 5  # confidence: at best, less a pixel of stray, less a share of another area
GRAIN, LETTER = 5, 11  # pixels of the median filter; of the closing that takes letters away
NOISE = (6.0, 2.5, 2.5)  # of L*, a* and b* as OpenCV scales them: a bed varies by as much at least
FAR = 12  # grey levels a deviation from the bed
LEAST_LEVEL = 20  # of Otsu's threshold: lower parts nothing
SMOOTH = 7  # pixels of the closing and opening that make a sheet of scraps
MOST_RIM = 0.35  # of the picture's rim that a sheet may cover
# Cutting out: pixels of the longer side; grey levels between rim and middle; rounds of the cut; pixels of closings.
CUT_SIDE, CUT_CONTRAST, CUT_ROUNDS, CUT_SMOOTH, CUT_CLOSED = 240, 8, 3, 9, 15
TOLERANCES = (0.01, 0.015, 0.02, 0.03, 0.04, 0.06)  # of the outline's length, at which four corners are sought
ALONG, BESIDE, LEAST_BESIDE = (0.08, 0.92), 0.02, 4.0  # of a side's length, where its points are taken; off it; pixels
LEAST_POINTS = 20  # of a side: with fewer it is the picture's own edge
UNKNOWN_STRAY = 9.0  # pixels


class Found(NamedTuple):
    """`corners` in inches, clockwise from the upper left; None where the sheet fills the picture or is not seen.

    `keystone` is the largest angle between opposite sides, in degrees.
    """

    corners: Corners | None
    keystone: float
    confidence: float


def find_outline(page: Image, dpi: float) -> Found:
    """The four corners of the sheet in a picture.

    What differs in colour from the picture's rim is the sheet (a distance in CIE L*a*b*,
    Otsu's threshold); each side is a line through its edge's points, fitted with little
    weight on outliers (Huber 1981), and the corners are where the sides meet.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Upright.
    dpi : float
        Pixels an inch.
    """
    small, _ = reduced(page, max(page.shape[:2]) / 11.0, WORKING_SIZE / 11.0)
    factor = page.shape[1] / small.shape[1]
    height, width = small.shape[:2]
    if min(height, width) < LEAST_SIDE:
        return Found(None, 0.0, 0.0)
    for mask in _sheets(small):
        contours, _ = cv2.findContours(mask, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
        if not contours:
            continue
        contour = max(contours, key=cv2.contourArea)
        hull = np.asarray(cv2.convexHull(contour), np.int32)
        area = float(cv2.contourArea(hull))
        if area < LEAST_SHARE * height * width or cv2.contourArea(contour) < LEAST_SOLID * area:
            continue
        quad = _four_corners(hull)
        if quad is None:
            continue
        quad, stray = _refined(quad, contour[:, 0, :].astype(np.float64), (width, height))
        box = float(cv2.contourArea(quad.astype(np.float32)))
        if box <= 0 or not LIKE_ITS_CORNERS[0] < area / box < LIKE_ITS_CORNERS[1] or area > WHOLE * height * width:
            continue
        middles = (quad + np.roll(quad, -1, axis=0)) / 2
        apart = np.minimum(middles, (width, height) - middles).min(axis=1)
        if (apart > LEAST_APART * max(height, width)).sum() < LEAST_SIDES_APART:
            continue
        keystone = _keystone(quad)
        confidence = float(np.clip(BEST - stray * BY_STRAY - abs(1 - area / box) * BY_AREA, 0, 1))
        corners = tuple((round(float(x) * factor / dpi, 4), round(float(y) * factor / dpi, 4)) for x, y in quad)
        return Found(corners, keystone, round(confidence, 3))  # type: ignore[arg-type]
    return Found(None, 0.0, 0.0)


def _sheets(small: Image) -> Iterator[NDArray[np.uint8]]:
    """Masks that may be the sheet: apart from the rim by lightness, by colour and lightness, and cut out."""
    colour = small if small.ndim == 3 else as_uint8(cv2.cvtColor(small, cv2.COLOR_GRAY2RGB))
    lab = cv2.cvtColor(as_uint8(cv2.medianBlur(colour, GRAIN)), cv2.COLOR_RGB2LAB).astype(np.float32)
    rim = max(3, min(lab.shape[:2]) // 50)
    border = np.concatenate(
        [lab[:rim].reshape(-1, 3), lab[-rim:].reshape(-1, 3), lab[:, :rim].reshape(-1, 3), lab[:, -rim:].reshape(-1, 3)]
    )
    bed = np.median(border, axis=0)
    # The letters are closed first, so that they do not count as bed.
    lightness = as_uint8(cv2.morphologyEx(as_uint8(lab[:, :, 0]), cv2.MORPH_CLOSE, np.ones((LETTER, LETTER), np.uint8)))
    spread = 1.4826 * np.median(np.abs(border - bed), axis=0) + np.array(NOISE)
    full = lab.copy()
    full[:, :, 0] = lightness
    far = as_uint8(np.clip(np.linalg.norm((full - bed) / spread, axis=2) * FAR, 0, 255))
    for picture in (lightness, far):
        level, mask = cv2.threshold(picture, 0, 1, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
        if level < LEAST_LEVEL:
            continue
        mask = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((SMOOTH, SMOOTH), np.uint8))
        mask = cv2.morphologyEx(mask, cv2.MORPH_OPEN, np.ones((SMOOTH, SMOOTH), np.uint8))
        edge = np.concatenate([mask[0], mask[-1], mask[:, 0], mask[:, -1]])
        if edge.mean() < MOST_RIM:
            yield as_uint8(mask)
    cut = _cut_out(small)
    if cut is not None:
        yield cut


def _cut_out(small: Image) -> NDArray[np.uint8] | None:
    """The sheet cut from a bed of several colours by graph cuts (Rother et al., SIGGRAPH 2004).

    The rim is bed, the middle likely sheet; None where the rim looks like the middle.
    """
    scale = CUT_SIDE / max(small.shape[:2])
    size = (round(small.shape[1] * scale), round(small.shape[0] * scale))
    tiny = cv2.resize(
        small if small.ndim == 3 else cv2.cvtColor(small, cv2.COLOR_GRAY2RGB), size, interpolation=cv2.INTER_AREA
    )
    tiny = as_uint8(cv2.morphologyEx(as_uint8(tiny), cv2.MORPH_CLOSE, np.ones((CUT_SMOOTH, CUT_SMOOTH), np.uint8)))
    height, width = tiny.shape[:2]
    rim = max(2, min(height, width) // 40)
    mask = np.full((height, width), cv2.GC_PR_BGD, np.uint8)
    mask[height // 8 : -height // 8, width // 8 : -width // 8] = cv2.GC_PR_FGD
    mask[height // 3 : -height // 3, width // 3 : -width // 3] = cv2.GC_FGD
    mask[:rim] = mask[-rim:] = mask[:, :rim] = mask[:, -rim:] = cv2.GC_BGD
    middle = tiny[mask == cv2.GC_FGD].mean(axis=0)
    sides = (tiny[:rim], tiny[-rim:], tiny[:, :rim], tiny[:, -rim:])
    if sum(bool(np.abs(side.mean(axis=(0, 1)) - middle).max() > CUT_CONTRAST) for side in sides) < LEAST_SIDES_APART:
        return None
    cv2.setRNGSeed(1)
    models = np.zeros((1, 65), np.float64), np.zeros((1, 65), np.float64)
    cv2.grabCut(tiny, mask, (0, 0, 0, 0), *models, CUT_ROUNDS, cv2.GC_INIT_WITH_MASK)
    sheet = as_uint8((mask == cv2.GC_FGD) | (mask == cv2.GC_PR_FGD))
    # A sheet that reaches the rim, which was told to be bed, goes on to the picture's edge.
    for side in (sheet, sheet[::-1], sheet.T, sheet.T[::-1]):
        if side[rim].mean() > 0.5:
            side[:rim] = side[rim]
    opened = cv2.morphologyEx(sheet, cv2.MORPH_OPEN, np.ones((CUT_SMOOTH, CUT_SMOOTH), np.uint8))
    larger = cv2.resize(opened, (small.shape[1], small.shape[0]), interpolation=cv2.INTER_LINEAR)
    return as_uint8(cv2.morphologyEx(larger, cv2.MORPH_CLOSE, np.ones((CUT_CLOSED, CUT_CLOSED), np.uint8)))


def _four_corners(hull: NDArray[np.int32]) -> NDArray[np.float64] | None:
    length = cv2.arcLength(hull, True)
    for tolerance in TOLERANCES:
        found = cv2.approxPolyDP(hull, tolerance * length, True)
        if len(found) == 4:
            return _clockwise(found[:, 0, :].astype(np.float64))
        if len(found) < 4:
            return None
    return None


def _clockwise(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """From the corner nearest the upper left on."""
    centre = points.mean(axis=0)
    ordered = points[np.argsort(np.arctan2(points[:, 1] - centre[1], points[:, 0] - centre[0]))]
    first = int(np.argmin(ordered.sum(axis=1)))
    return np.roll(ordered, -first, axis=0)


def _refined(
    quad: NDArray[np.float64], contour: NDArray[np.float64], view: tuple[int, int]
) -> tuple[NDArray[np.float64], float]:
    """The corners where lines through the sides' points meet, and the points' mean stray in pixels."""
    lines, strays = [], []
    inside = (contour[:, 0] > 1) & (contour[:, 1] > 1) & (contour[:, 0] < view[0] - 2) & (contour[:, 1] < view[1] - 2)
    for i in range(4):
        a, b = quad[i], quad[(i + 1) % 4]
        length = float(np.linalg.norm(b - a))
        along = (b - a) / max(length, 1e-9)
        offset = contour - a
        t, across = offset @ along, offset @ np.array((-along[1], along[0]))
        near = (t > ALONG[0] * length) & (t < ALONG[1] * length) & inside
        near &= np.abs(across) < max(LEAST_BESIDE, BESIDE * length)
        if near.sum() < LEAST_POINTS:
            lines.append((*a, *along))
            continue
        vx, vy, x0, y0 = (
            float(v) for v in cv2.fitLine(contour[near].astype(np.float32), cv2.DIST_HUBER, 0, 0.01, 0.01).ravel()
        )
        lines.append((x0, y0, vx, vy))
        strays.append(float(np.mean(np.abs((contour[near] - (x0, y0)) @ np.array((-vy, vx))))))
    corners = []
    for i in range(4):
        (x1, y1, dx1, dy1), (x2, y2, dx2, dy2) = lines[i - 1], lines[i]
        crossing = dx1 * dy2 - dy1 * dx2
        if abs(crossing) < 1e-6:
            return quad, UNKNOWN_STRAY
        t = ((x2 - x1) * dy2 - (y2 - y1) * dx2) / crossing
        corners.append((x1 + t * dx1, y1 + t * dy1))
    return np.array(corners) + 0.5, float(np.mean(strays)) if strays else UNKNOWN_STRAY


def _keystone(quad: NDArray[np.float64]) -> float:
    sides = [quad[(i + 1) % 4] - quad[i] for i in range(4)]
    angles = [float(np.degrees(np.arctan2(s[1], s[0]))) for s in sides]
    pairs = [abs((angles[i] - angles[i + 2] + 180 + 180) % 360 - 180) for i in (0, 1)]
    return max(pairs)
