"""Punch holes, staple marks, folds, scanner streaks and dirty edges."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, Labels, as_uint8, grey, pieces, reduced

WORKING_DPI = 75.0
DARK, DIRTY, FAINT = (
    140,
    190,
    200,
)  # grey levels: below which are holes and staples, dirt at an edge, a mark that is picked
HOLE_INCHES = (0.14, 0.38)  # ISO 838 punches 6 mm; common punches 5.5 to 8 mm
NEAR_EDGE_INCHES = 1.1
CORNER_INCHES = 1.2
LEAST_MARK, LARGEST_MARK = 0.13, 0.8  # inches of a hole's or a staple's longer side
ROUNDEST = 1.33  # times that a hole is longer than it is wide: it is punched round, and scanned aslant
LEAST_CIRCULAR, LEAST_FULL = (
    0.72,
    0.7,
)  # circularity (a square has 0.79, a ragged hole less), and ink of what is enclosed
STAPLE_INCHES, STAPLE_THICK = (0.22, 0.75), 0.06  # half a staple's back to a whole one; inches
ALONE_SHARE, ALONE_PIXELS = 1.15, 6  # of a mark's own ink that may lie around it, for it to stand alone
CUT_LETTER = (0.05, 0.22)  # inches of a letter that the scan's edge cut off; dirt is smaller or longer
SEARCH_DPI = 150.0  # pixels an inch: a streak is a pixel wide
NARROWEST = 40  # pixels of a view in which lines are sought
BESIDE = 0.06  # inches: nearer lines are one
EXACT = 0.015  # inches from its line at which a band's peak is on it
LEAST_EXACT, EXACT_STREAK = 0.5, 0.85  # of the bands: letters draw some peaks away, fewer from a faint streak
BROADEST = 0.05  # inches of half a line: broader is a shadow or a picture
EVEN_STREAK = 0.5  # of its usual depth, by which a streak's may differ
ALIKE_AREA, ALIKE_REACH = 0.55, 12  # common part of the union (Jaccard); pixels around the place that was pointed at
EDGE_DIRT_INCHES = 0.16
# Of a piece of the bed in a corner: inches of its shorter and its longer side, its grey level, how much of its box is ink.
BED_DEPTH, BED_LENGTH, BED_BLACK, SOLID = 0.45, 0.8, 60, 0.85
BANDS = 28  # across a line's way: in one, a line that leans by MOST_LEAN moves by about its own width
LEAST_RISE = 7.0  # grey levels by which a line is darker than the paper beside it
LEAST_DPI = 90.0  # below, a fold is as broad as the strokes of letters and drawings
MOST_LEAN = 3.0  # degrees of a fold against its page
LEAST_BORNE = 0.8  # of the bands that a line runs through
LEAST_RUN = 0.45  # of the page's length, for a streak that begins where the dust fell on the glass
MOST_UNEVEN = 1.0  # of its usual depth: by so much a line's depth may differ among the bands
MOST_LINES = 5  # in one direction: more are a ruled sheet, a grid or a page of text
MOST_RISE, DUST = 110.0, 0.018  # grey levels, inches: a darker or broader line that ends on the page is printed


class Line(NamedTuple):
    """A streak or fold: its middle is `start + slope * t` on the way across, within `span` of that way; pixels."""

    upright: bool
    start: float
    slope: float
    half_width: float
    span: tuple[float, float] = (0.0, 1.0)

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
    dark = (small < DARK).astype(np.uint8)
    labels, stats, centres = pieces(dark)
    height, width = small.shape
    marks = np.zeros_like(dark)
    removed = 0
    for i in range(1, len(stats)):
        left, top, wide, tall, area = (int(v) for v in stats[i])
        if not LEAST_MARK * scale <= max(wide, tall) <= LARGEST_MARK * scale:
            continue
        x, y = centres[i]
        to_edge = min(x, y, width - x, height - y)
        piece = (labels[top : top + tall, left : left + wide] == i).astype(np.uint8)
        hole = to_edge < NEAR_EDGE_INCHES * scale and _round(piece, area, scale)
        if not hole and not (_in_corner(x, y, width, height, scale) and _stroke(piece, area, scale)):
            continue
        reach = int(0.12 * scale)
        around = dark[max(0, top - reach) : top + tall + reach, max(0, left - reach) : left + wide + reach]
        if int(around.sum()) > ALONE_SHARE * area + ALONE_PIXELS:
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
    if not (low <= wide <= high and low <= tall <= high) or not 1 / ROUNDEST < wide / tall < ROUNDEST:
        return False
    contours, _ = cv2.findContours(piece, cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_NONE)
    outline = max(contours, key=cv2.contourArea)
    filled, length = cv2.contourArea(outline), cv2.arcLength(outline, True)
    return bool(length > 0 and 4 * np.pi * filled / length**2 > LEAST_CIRCULAR and area > LEAST_FULL * filled)


def _stroke(piece: Image, area: int, scale: float) -> bool:
    points = cv2.findNonZero(piece)
    (_, _), (a, b), _ = cv2.minAreaRect(points)
    long, thin = max(a, b) + 1, min(a, b) + 1
    low, high = (v * scale for v in STAPLE_INCHES)
    return bool(low < long < high and thin < STAPLE_THICK * scale and area > 0.5 * long * thin)


def find_lines(page: Image, dpi: float, skew: float = 0.0) -> list[Line]:
    """Scanner streaks and folds: faint or dark lines from edge to edge of the page, leaning by up to three degrees.

    A ruled line ends at a margin; these do not, but for a streak, which may begin anywhere and then
    goes on to the page's edge, and is faint. In bands across the line's way the median of each row
    (or column) passes over letters; the peaks that line up in nearly all bands are a line (a Hough
    transform of the bands). What leans is sought about the page and about the scanner, that is, by the
    skew that was undone.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened.
    dpi : float
        Pixels an inch.
    skew : float
        Degrees by which the page was straightened clockwise.
    """
    small, factor = reduced(grey(page), dpi, SEARCH_DPI)
    found: list[Line] = []
    for upright in (True, False):
        view = small if upright else as_uint8(small.T)
        lean = float(np.tan(np.deg2rad(skew))) * (-1 if upright else 1)
        lines = _across(view, dpi / factor, lean)
        for line in lines if len(lines) <= MOST_LINES else ():
            found.append(Line(upright, line.start * factor, line.slope, line.half_width * factor, line.span))
    return found


class _Bands(NamedTuple):
    """By how much each place of each band is darker than what is beside it; where the bands' middles are."""

    rise: NDArray[np.float32]
    middles: NDArray[np.float64]
    slack: int


def _across(view: Image, dpi: float, lean: float) -> list[Line]:
    """Lines that run down the view; `lean` is the slope that the scanner's own lines have."""
    height, width = view.shape
    if height < 4 * BANDS or width < NARROWEST or dpi < LEAST_DPI:
        return []
    edges = np.linspace(0, height, BANDS + 1).astype(int)
    dark = np.array([255 - _middle(view[a:b:3]) for a, b in pairwise(edges)], dtype=np.float32)
    wide = max(5, int(0.07 * dpi)) | 1
    # What a thin line rises above: an opening along the row (top-hat).
    rise = dark - cv2.morphologyEx(dark, cv2.MORPH_OPEN, np.ones((1, wide), np.uint8))
    bands = _Bands(rise, (edges[:-1] + edges[1:]) / 2, max(2, int(0.02 * dpi)))
    lines: list[Line] = []
    for slope, middle, span in _votes(bands, height, lean):
        near = (abs(line.start + line.slope * height / 2 - middle) < BESIDE * dpi + line.half_width for line in lines)
        line = None if any(near) else _fitted(bands, slope, middle - slope * height / 2, span, dpi)
        if line is not None:
            lines.append(line)
    return lines


def _votes(bands: _Bands, height: int, lean: float) -> Iterator[tuple[float, float, tuple[int, int]]]:
    """(slope, place at half the height, first and last band) of what may be lines, the likeliest first."""
    count, width = bands.rise.shape
    strong = cv2.dilate((bands.rise > LEAST_RISE).astype(np.uint8), np.ones((1, 2 * bands.slack + 1), np.uint8))
    step = 2 * bands.slack / height
    most = float(np.tan(np.deg2rad(MOST_LEAN)))
    slopes = {float(v) for v in np.arange(-most, most + step, step)} | {0.0, lean}
    columns, away = np.arange(width), bands.middles - height / 2
    found: list[tuple[float, float, float, float, tuple[int, int]]] = []
    for slope in slopes:
        at = columns[None, :] + np.round(slope * away).astype(int)[:, None]
        borne = np.take_along_axis(strong, np.clip(at, 0, width - 1), axis=1) * ((at >= 0) & (at < width))
        whole = (borne.mean(axis=0) >= LEAST_BORNE) & (borne[0] == 1) & (borne[-1] == 1)
        begun, ended = _runs_to_an_edge(borne) if slope in (0.0, lean) else np.zeros((2, width), np.int64)
        for column in np.flatnonzero(whole | (np.maximum(begun, ended) >= LEAST_RUN * count)).tolist():
            first, last = 0, count
            if not whole[column]:
                first, last = (
                    (0, int(begun[column])) if begun[column] >= ended[column] else (count - int(ended[column]), count)
                )
            share = float(borne[first:last, column].sum()) / count
            found.append((share, -abs(slope), slope, float(column), (first, last)))
    for _, _, slope, place, span in sorted(found, reverse=True):
        yield slope, place, span


def _runs_to_an_edge(borne: NDArray[np.uint8]) -> NDArray[np.int64]:
    """For each column, over how many bands in a row it is borne from the first on, and up to the last."""
    from_first = np.cumprod(borne, axis=0, dtype=np.int64).sum(axis=0)
    to_last = np.cumprod(borne[::-1], axis=0, dtype=np.int64).sum(axis=0)
    return np.stack([from_first, to_last])


def _fitted(bands: _Bands, slope: float, start: float, span: tuple[int, int], dpi: float) -> Line | None:
    """A line along what was voted for, if its bands agree on it."""
    part = slice(*span)
    rise, middles = bands.rise[part], bands.middles[part]
    width = rise.shape[1]
    reach = 2 * bands.slack
    windows = np.round(start + slope * middles).astype(int)[:, None] + np.arange(-reach, reach + 1)
    seen = np.take_along_axis(rise, np.clip(windows, 0, width - 1), axis=1)
    places = windows[:, 0] + np.argmax(seen, axis=1).astype(np.float64)
    good = seen.max(axis=1) > LEAST_RISE
    if good.sum() < 4:
        return None
    slope, start = _theil_sen(places[good], middles[good])  # a line of text nearby draws some bands away
    apart = np.abs(places - start - slope * middles)
    on_line = np.clip(np.round(start + slope * middles).astype(int)[:, None] + np.arange(-2, 3), 0, width - 1)
    borne = np.take_along_axis(rise, on_line, axis=1).max(axis=1)
    exact = apart < EXACT * dpi
    if (borne > LEAST_RISE).mean() < LEAST_BORNE or exact.mean() < LEAST_EXACT:
        return None
    low, usual, high = np.quantile(borne, (0.2, 0.5, 0.8))
    if high - low > MOST_UNEVEN * usual:
        return None  # a row of letters, whose bands differ
    profile = np.quantile(seen[good & exact], 0.25, axis=0)  # the rest bear letters too
    half = max(1.5, float((profile > 0.2 * profile.max()).sum()) / 2 + 1)
    if half > BROADEST * dpi:
        return None
    printed = usual > MOST_RISE or half > DUST * dpi or high - low > EVEN_STREAK * usual or exact.mean() < EXACT_STREAK
    if printed and span != (0, BANDS):
        return None
    return Line(True, float(start), float(slope), half, (span[0] / BANDS, span[1] / BANDS))


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
        t = np.arange(int(line.span[0] * view.shape[0]), int(line.span[1] * view.shape[0]))
        reach = int(np.ceil(line.half_width)) + 2
        middle = np.round(line.start + line.slope * t).astype(np.int64)
        columns = np.clip(middle[:, None] + np.arange(-reach, reach + 1), 0, view.shape[1] - 1)
        part = view[t[:, None], columns].astype(np.float32)
        plain = part if part.ndim == 2 else part.min(axis=2)
        rise = np.concatenate(
            [np.broadcast_to(255 - np.median(b, axis=0), b.shape) for b in np.array_split(plain, BANDS) if len(b)]
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
    dark = (small < DIRTY).astype(np.uint8)
    found = pieces(dark)
    labels, stats, _ = found
    left, top, wide, tall = (stats[:, i] for i in range(4))
    depth = EDGE_DIRT_INCHES * scale
    at_side = (left <= 1) | (left + wide >= width - 1)
    at_end = (top <= 1) | (top + tall >= height - 1)
    gone = (at_side & (wide <= depth)) | (at_end & (tall <= depth))
    # Where the sheet's corner is missing or folded the bed is seen: black, and deeper than dirt. A printed bar is longer.
    longest = np.maximum(wide, tall)
    solid = np.bincount(labels[small < BED_BLACK], minlength=len(stats)) > SOLID * wide * tall
    small_piece = (np.minimum(wide, tall) <= BED_DEPTH * scale) & (longest <= BED_LENGTH * scale)
    gone |= at_side & at_end & solid & small_piece
    # A letter that the scan cut off looks alike but is small; it stays unless it is a mere speck.
    letter = (longest > CUT_LETTER[0] * scale) & (longest < CUT_LETTER[1] * scale)
    gone &= ~letter
    gone[0] = False
    if not gone.any():
        return page, 0
    mask = cv2.dilate(found.of(gone), np.ones((5, 5), np.uint8))
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
    dark = (page < FAINT).astype(np.uint8)
    labels, stats, _ = pieces(dark)
    y, x = np.nonzero(dark)
    if len(x) == 0:
        return []
    apart = (x - place[0]) ** 2 + (y - place[1]) ** 2
    nearest = int(np.argmin(apart))
    if apart[nearest] > ALIKE_REACH**2:
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
        if i != chosen and (shape & wanted).sum() < ALIKE_AREA * (shape | wanted).sum():
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


def _picture(labels: Labels, stats: NDArray[np.int32], i: int) -> NDArray[np.bool_]:
    left, top, wide, tall = (int(v) for v in stats[i, :4])
    piece = (labels[top : top + tall, left : left + wide] == i).astype(np.uint8)
    return np.asarray(cv2.resize(piece, (16, 16), interpolation=cv2.INTER_NEAREST) == 1)
