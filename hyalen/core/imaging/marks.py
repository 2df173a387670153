"""Punch holes, staple marks, folds, scanner streaks and dirty edges."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces, reduced

WORKING_DPI = 75.0
HOLE_INCHES = (0.14, 0.38)  # ISO 838 punches 6 mm; common punches 5.5 to 8 mm
NEAR_EDGE_INCHES = 1.1
CORNER_INCHES = 1.2
EDGE_DIRT_INCHES = 0.16
BANDS = 14
LEAST_RISE = 7.0


class Line(NamedTuple):
    """A streak or fold across the whole page: its middle is `start + slope * t` on the way across; pixels."""

    upright: bool
    start: float
    slope: float
    half_width: float

    def enlarged(self, factor: float) -> Line:
        return self._replace(start=self.start * factor, half_width=self.half_width * factor)


def remove_holes(page: Image, seen: Image, dpi: float) -> tuple[Image, int]:
    """Punch holes near the edges and staples near the corners to paper; how many there were.

    A hole is dark, round (circularity 4 pi A / P^2) and of a punch's size; a staple a straight
    stroke that stands alone.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened.
    seen : (h, w) uint8
        The page in grey, perhaps of fewer pixels.
    dpi : float
        Pixels an inch of `seen`.
    """
    small, factor = reduced(seen, dpi, WORKING_DPI)
    scale = dpi / factor
    dark = (small < 140).astype(np.uint8)
    labels, stats, centres = pieces(dark)
    height, width = small.shape
    marks = np.zeros_like(dark)
    removed = 0
    for i in range(1, len(stats)):
        left, top, wide, tall, area = (int(v) for v in stats[i])
        if max(wide, tall) < 0.13 * scale or max(wide, tall) > 0.8 * scale:
            continue
        x, y = centres[i]
        to_edge = min(x, y, width - x, height - y)
        piece = (labels[top : top + tall, left : left + wide] == i).astype(np.uint8)
        hole = to_edge < NEAR_EDGE_INCHES * scale and _round(piece, area, scale)
        if not hole and not (_in_corner(x, y, width, height, scale) and _stroke(piece, area, scale)):
            continue
        reach = int(0.12 * scale)
        around = dark[max(0, top - reach) : top + tall + reach, max(0, left - reach) : left + wide + reach]
        if int(around.sum()) > 1.15 * area + 6:
            continue
        marks[top : top + tall, left : left + wide] |= piece
        removed += 1
    if removed == 0:
        return page, 0
    grown = cv2.dilate(marks, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (9, 9)))
    return _white(page, as_uint8(grown)), removed


def _in_corner(x: float, y: float, width: int, height: int, scale: float) -> bool:
    return min(x, width - x) < CORNER_INCHES * scale and min(y, height - y) < CORNER_INCHES * scale


def _round(piece: Image, area: int, scale: float) -> bool:
    tall, wide = piece.shape
    low, high = (v * scale for v in HOLE_INCHES)
    if not (low <= wide <= high and low <= tall <= high) or not 0.75 < wide / tall < 1.33:
        return False
    contours, _ = cv2.findContours(piece, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outline = max(contours, key=cv2.contourArea)
    filled, length = cv2.contourArea(outline), cv2.arcLength(outline, True)
    return bool(length > 0 and 4 * np.pi * filled / length**2 > 0.72 and area > 0.7 * filled)


def _stroke(piece: Image, area: int, scale: float) -> bool:
    points = cv2.findNonZero(piece)
    (_, _), (a, b), _ = cv2.minAreaRect(points)
    long, thin = max(a, b) + 1, min(a, b) + 1
    return bool(0.22 * scale < long < 0.75 * scale and thin < 0.06 * scale and area > 0.5 * long * thin)


def find_lines(page: Image, dpi: float, skew: float = 0.0) -> list[Line]:
    """Scanner streaks and folds: faint or dark lines from edge to edge of the page.

    A ruled line ends at a margin; these do not. In bands across the line's way the median
    of each row (or column) passes over letters, and the peaks that line up in nearly all
    bands, the outermost included, are a line. Folds run with the page, streaks with the
    scanner, that is, leaning by the skew that was undone.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened.
    dpi : float
        Pixels an inch.
    skew : float
        Degrees by which the page was straightened clockwise.
    """
    small, factor = reduced(grey(page), dpi, 150.0)
    found: list[Line] = []
    leans = (0.0, float(np.tan(np.deg2rad(skew)))) if abs(skew) > 0.1 else (0.0,)
    for upright in (True, False):
        view = small if upright else as_uint8(small.T)
        for lean in leans:
            # A line that leans by the skew stands straight in a sheared view.
            shear = lean if upright else -lean
            height, width = view.shape
            matrix = np.array([[1, shear, -shear * height / 2], [0, 1, 0]])
            seen = cv2.warpAffine(view, matrix, (width, height), borderMode=cv2.BORDER_REPLICATE) if lean else view
            for start, slope, half in _across(as_uint8(seen), dpi / factor):
                line = Line(upright, (start + shear * height / 2) * factor, slope - shear, half * factor)
                middle = line.start + line.slope * height * factor / 2
                near = [
                    f
                    for f in found
                    if f.upright == upright
                    and abs(f.start + f.slope * height * factor / 2 - middle) < 4 * factor + half
                ]
                if not near:
                    found.append(line)
    return found


def _across(view: Image, dpi: float) -> list[tuple[float, float, float]]:
    """(start, slope, half width) of lines that run down the view."""
    height, width = view.shape
    if height < 4 * BANDS or width < 40:
        return []
    edges = np.linspace(0, height, BANDS + 1).astype(int)
    dark = np.array([255 - _middle(view[a:b:3]) for a, b in pairwise(edges)], dtype=np.float32)
    wide = max(5, int(0.07 * dpi)) | 1
    # What a thin line rises above: an opening along the row (top-hat).
    rise = dark - cv2.morphologyEx(dark, cv2.MORPH_OPEN, np.ones((1, wide), np.uint8))
    slack = max(2, int(0.035 * dpi))
    strong = cv2.dilate((rise > LEAST_RISE).astype(np.uint8), np.ones((1, 2 * slack + 1), np.uint8))
    candidates = np.flatnonzero((strong.mean(axis=0) >= 0.8) & (strong[0] == 1) & (strong[-1] == 1))
    lines: list[tuple[float, float, float]] = []
    for run in np.split(candidates, np.flatnonzero(np.diff(candidates) > 1) + 1) if len(candidates) else []:
        if len(run) > 0.12 * dpi + 2 * slack + 2:
            continue  # too broad: a shadow or a picture
        near = slice(max(0, int(run[0]) - slack), min(width, int(run[-1]) + slack + 1))
        places = near.start + np.argmax(rise[:, near], axis=1).astype(np.float64)
        good = rise[:, near].max(axis=1) > LEAST_RISE
        middles = (edges[:-1] + edges[1:]) / 2
        slope, start = _theil_sen(places[good], middles[good])  # a line of text nearby draws some bands away
        apart = np.abs(places - start - slope * middles)
        on_line = np.clip(np.round(start + slope * middles).astype(int)[:, None] + np.arange(-2, 3), 0, width - 1)
        borne = np.take_along_axis(rise, on_line, axis=1).max(axis=1) > LEAST_RISE
        if borne.mean() < 0.8 or np.mean(apart < 0.015 * dpi) < 0.5:
            continue
        profile = np.quantile(rise[good & (apart < 0.015 * dpi)][:, near], 0.25, axis=0)  # the rest bear letters too
        half = max(1.5, float((profile > 0.2 * profile.max()).sum()) / 2 + 1)
        if half <= 0.05 * dpi:
            lines.append((float(start), float(slope), half))
    return lines


def _theil_sen(y: NDArray[np.float64], x: NDArray[np.float64]) -> tuple[float, float]:
    """Slope and intercept as scipy.stats.theilslopes tells them, without the second that it takes to load (Sen 1968)."""
    first, second = np.triu_indices(len(x), 1)
    slope = float(np.median((y[second] - y[first]) / (x[second] - x[first])))
    return slope, float(np.median(y) - slope * np.median(x))


def _middle(rows: Image) -> Image:
    """The median down the rows."""
    half = len(rows) // 2
    return as_uint8(np.partition(rows, half, axis=0)[half])


def remove_lines(page: Image, lines: list[Line]) -> Image:
    """Each line's own darkness taken off along it; letters that it crosses stay."""
    if not lines:
        return page
    result = page.copy()
    for line in lines:
        view = result if line.upright else np.swapaxes(result, 0, 1)
        t = np.arange(view.shape[0])
        reach = int(np.ceil(line.half_width)) + 2
        middle = np.round(line.start + line.slope * t).astype(np.int64)
        columns = np.clip(middle[:, None] + np.arange(-reach, reach + 1), 0, view.shape[1] - 1)
        part = view[t[:, None], columns].astype(np.float32)
        plain = part if part.ndim == 2 else part.min(axis=2)
        rise = np.concatenate(
            [np.broadcast_to(255 - np.median(b, axis=0), b.shape) for b in np.array_split(plain, BANDS)]
        )
        if abs(line.slope) > 0.004:  # it moves by whole pixels: each takes its neighbours' depth too
            rise = np.asarray(cv2.dilate(rise.astype(np.float32), np.ones((1, 3), np.uint8)), dtype=np.float64)
        # What is far darker than the line itself is ink that it crosses.
        kept = plain < 255 - np.maximum(2.0 * rise, rise + 60)
        white = np.where(rise > 3, np.clip(plain + 1.15 * rise + 12, 0, 255), plain)
        gain = white / np.maximum(plain, 1)
        if part.ndim == 3:
            kept, gain = kept[:, :, None], gain[:, :, None]
        view[t[:, None], columns] = np.where(kept, part, np.clip(part * gain, 0, 255)).astype(np.uint8)
    return result


def clean_edges(page: Image, seen: Image, dpi: float) -> tuple[Image, int]:
    """Dirt along the page's edges to white: dark pieces that touch the edge and reach little inwards.

    Parameters as for `remove_holes`.

    Returns
    -------
    page, removed
        How many pieces there were.
    """
    small, factor = reduced(seen, dpi, WORKING_DPI)
    scale = dpi / factor
    height, width = small.shape
    dark = (small < 190).astype(np.uint8)
    labels, stats, _ = pieces(dark)
    left, top, wide, tall = (stats[:, i] for i in range(4))
    depth = EDGE_DIRT_INCHES * scale
    at_side = (left <= 1) | (left + wide >= width - 1)
    at_end = (top <= 1) | (top + tall >= height - 1)
    gone = (at_side & (wide <= depth)) | (at_end & (tall <= depth))
    # A letter that the scan cut off looks alike but is small; it stays unless it is a mere speck.
    letter = (np.maximum(wide, tall) < 0.22 * scale) & (np.maximum(wide, tall) > 0.05 * scale)
    gone &= ~letter
    gone[0] = False
    if not gone.any():
        return page, 0
    mask = cv2.dilate(gone[labels].astype(np.uint8), np.ones((5, 5), np.uint8))
    return _white(page, as_uint8(mask)), int(gone.sum())


def _white(page: Image, mask: Image) -> Image:
    """White where the small mask is set."""
    result = page.copy()
    fy, fx = page.shape[0] / mask.shape[0], page.shape[1] / mask.shape[1]
    stats = pieces(mask).stats
    for left, top, wide, tall, _ in stats[1:]:
        piece = mask[top : top + tall, left : left + wide]
        y0, x0 = int(top * fy), int(left * fx)
        y1, x1 = (
            min(page.shape[0], int(np.ceil((top + tall) * fy))),
            min(page.shape[1], int(np.ceil((left + wide) * fx))),
        )
        full = cv2.resize(piece, (x1 - x0, y1 - y0), interpolation=cv2.INTER_NEAREST)
        result[y0:y1, x0:x1][full == 1] = 255
    return result


def alike(page: Image, place: NDArray[np.float64], likes: bool = True) -> list[NDArray[np.float64]]:
    """Outlines of the mark at a place and, if asked, of those of its size and shape.

    Shapes are compared as 16 x 16 pictures: alike where the common part is at least 0.55 of the
    union (Jaccard).

    Parameters
    ----------
    page : (h, w) uint8
    place : (2,) float64
        x and y in pixels; the nearest mark within 12 pixels is taken.

    Returns
    -------
    list of (n, 2) float64
        Empty where there is no mark.
    """
    dark = (page < 200).astype(np.uint8)
    labels, stats, _ = pieces(dark)
    y, x = np.nonzero(dark)
    if len(x) == 0:
        return []
    apart = (x - place[0]) ** 2 + (y - place[1]) ** 2
    nearest = int(np.argmin(apart))
    if apart[nearest] > 144:
        return []
    chosen = int(labels[y[nearest], x[nearest]])
    wanted = _picture(labels, stats, chosen)
    sizes = stats[:, 2:5].astype(np.float64)
    near = (np.abs(sizes / np.maximum(sizes[chosen], 1) - 1) <= np.array([0.25, 0.25, 0.35]) + 2 / sizes[chosen]).all(
        axis=1
    )
    near[0] = False
    found = []
    for i in np.flatnonzero(near) if likes else [chosen]:
        shape = _picture(labels, stats, int(i))
        if i != chosen and (shape & wanted).sum() < 0.55 * (shape | wanted).sum():
            continue
        left, top, wide, tall = (int(v) for v in stats[i, :4])
        piece = np.pad((labels[top : top + tall, left : left + wide] == i).astype(np.uint8), 3)
        outlines, _ = cv2.findContours(
            cv2.dilate(piece, np.ones((3, 3), np.uint8)), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE
        )
        points = max(outlines, key=cv2.contourArea)[:, 0, :] + np.array([left - 3.0, top - 3.0])
        if len(points) >= 3:
            found.append(points)
    return found


def _picture(labels: NDArray[np.int32], stats: NDArray[np.int32], i: int) -> NDArray[np.bool_]:
    left, top, wide, tall = (int(v) for v in stats[i, :4])
    piece = (labels[top : top + tall, left : left + wide] == i).astype(np.uint8)
    return np.asarray(cv2.resize(piece, (16, 16), interpolation=cv2.INTER_NEAREST) == 1)
