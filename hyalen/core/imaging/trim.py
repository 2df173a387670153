"""The sheet of paper within the scan: cuts off the scanner bed."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.curvature import LETTERS_DPI, find_letters
from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces, reduced
from hyalen.core.model.geometry import Box
from hyalen.core.model.treatment import Corners

LEAST_DEPTH = 12  # grey levels darker than the paper around: less is grain
LEAST_CONTRAST = 0.25  # of the paper's level: strokes are at least so dark, shadows seldom
LEAST_CUT = 2  # lines of writing that a cut would go through before it is moved outwards
SHADOWED_MARGIN = 0.12  # inches that are kept beyond such lines
LEAST_PAPER = 0.03  # of the picture that a sheet fills: a slip on a large bed
LEAST_SOLID = 0.82  # of its hull that a sheet fills, torn corners counted
UNEVEN_BED = 0.2  # of the brightest level: a bed varies less, the dark parts of a picture more
LEAST_EDGE = 0.2  # of the brightest level, by which the page rises abruptly where a bed ends
# Of the paper's level; of a row's length; inches of a black band at an edge.
BAND_LEVEL, BAND_DARK, BAND_INCHES = 0.4, 0.75, 0.08
MOST_BEYOND = 0.002  # of all letters that may lie beyond a sheet's outline: else it is none
LEAST_CAPTION = 5  # letters of a line beneath a picture
LEAST_WRITTEN, MOST_WRITTEN = 0.05, 0.25  # of the letters, outside corners that may be, and are, no sheet's
DARKER = 8  # grey levels by which a bed is darker than the sheet on it
WORKING_DPI = 75.0  # pixels an inch: a sheet's edge shows
PAPER_PERCENTILE, BRIGHTEST = 75, 98  # of the picture's levels: paper, where it fills most; the brightest
BED_LEVEL = 0.62  # of the paper's, below which the border is bed
BED_SHARE = (0.002, 0.97)  # of the picture, that a bed covers
BED_QUARTILES = (25, 75)  # percentiles between which its levels are compared
BODY, BEGUN = 0.3, 0.95  # of the fullest row, that is paper; the quantile of rows that have begun where a side is put
BAND_PAPER, DEEPEST_BAND = 90, 0.4  # percentile of the levels that is paper; of the page, that a black band may cover
INK_LEVEL = 0.7  # of the paper's
LEAST_INK, TALLEST_INK, WIDEST_INK = 6, 40, 80  # pixels of letter-sized ink at 75 dpi: area, height, width
RIM, SHEET_EDGE, EDGE_PERCENTILES = (
    0.3,
    0.12,
    (10, 90),
)  # inches beside corners, and along a sheet's sides; levels there
LEAST_LETTER, LARGEST_LETTER = (4, 3), (0.5, 1.0)  # pixels of area and height; inches of height and width
# Inches over which letters across and down belong together; from a limit, on both sides of which a line must stand.
LINKED, CROSSING = (0.2, 0.3), 0.3
MOST_UNEVEN_SIDES = 0.25  # of the brighter: along a sheet's four sides the paper is of one brightness


def bed_mask(page: Image) -> NDArray[np.uint8]:
    """Dark area that reaches the border: the scanner's lid or bed around the paper.

    Parameters
    ----------
    page : (h, w) uint8
        About 75 dpi.
    """
    smooth = as_uint8(cv2.medianBlur(page, 5))
    # Of a slip on a large bed most is bed: what is brighter than Otsu's threshold is paper then.
    level, _ = cv2.threshold(smooth, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)
    bright = smooth[smooth > level]
    paper = max(
        float(np.percentile(smooth[::2, ::2], PAPER_PERCENTILE)),
        float(np.median(bright)) if bright.size > LEAST_PAPER * smooth.size else 0.0,
    )
    dark = (smooth < BED_LEVEL * paper).astype(np.uint8)
    dark = as_uint8(cv2.morphologyEx(dark, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)))
    framed = cv2.copyMakeBorder(dark, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=1)
    _, labels = cv2.connectedComponents(framed, connectivity=4)
    return np.asarray(labels[1:-1, 1:-1] == labels[0, 0], dtype=np.uint8)


def find_paper(page: Image, dpi: float, outline: Box | None = None) -> Box:
    """The upright rectangle of paper in a straightened scan.

    Each side is put where 95 % of the paper's rows (or columns) have begun, but
    never past ink that stands free of the bed, nor through lines that run on into
    a shadow as dark as the bed, such as a spine's: no word is cut.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    outline : Box, optional
        Where the sheet's sides were seen otherwise, as on a bed as light as paper.

    Returns
    -------
    Box
        The whole image where there is no bed around the paper.
    """
    height, width = page.shape[:2]
    whole = Box(0, 0, width, height)
    small, factor = reduced(grey(page), dpi, WORKING_DPI)
    limits = _paper_on_dark(small) or _within_bands(small, dpi / factor)
    letters = _letters(small, dpi / factor)
    if outline is not None:
        seen = Box(*(round(v / factor) for v in outline)).intersection(limits)
        if _is_sheet(small, letters, seen, limits, dpi / factor):
            limits = seen
    left, top, right, bottom = _past_shadow(letters, dpi / factor, limits)
    inset = 1 if factor > 1 else 2
    box = Box(
        int((left + inset) * factor) if left > 0 else 0,
        int((top + inset) * factor) if top > 0 else 0,
        int((right - inset) * factor) if right < small.shape[1] else width,
        int((bottom - inset) * factor) if bottom < small.shape[0] else height,
    ).intersection(whole)
    return box if box.width > width // 8 and box.height > height // 8 else whole


def _paper_on_dark(page: Image) -> Box | None:
    """The paper's rectangle within a dark bed, all free ink in it; None where there is no such bed."""
    bed = bed_mask(page)
    if not BED_SHARE[0] <= bed.mean() <= BED_SHARE[1]:
        return None
    low, high = np.percentile(page[bed == 1][::4], BED_QUARTILES)
    if high - low > UNEVEN_BED * np.percentile(page[::3, ::3], BRIGHTEST):  # the dark parts of a picture
        return None
    count, labels, stats, _ = cv2.connectedComponentsWithStats(1 - bed, connectivity=4)
    if count < 2:
        return None
    largest = 1 + int(np.argmax(stats[1:, 4]))
    paper = labels == largest
    if paper.mean() < LEAST_PAPER or _solidity(paper) < LEAST_SOLID or not _abrupt(page, bed, paper):
        return None
    rows = np.flatnonzero(paper.mean(axis=1) > BODY * paper.mean(axis=1).max())
    columns = np.flatnonzero(paper.mean(axis=0) > BODY * paper.mean(axis=0).max())
    body = paper[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]

    def start(across: NDArray[np.bool_]) -> int:
        return int(np.quantile(np.argmax(across, axis=1), BEGUN))

    left = columns[0] + start(body)
    right = columns[-1] + 1 - start(body[:, ::-1])
    top = rows[0] + start(body.T)
    bottom = rows[-1] + 1 - start(body.T[:, ::-1])
    ink = _free_ink(page, bed, paper)
    if ink is not None:
        left, top = min(left, ink.left - 1), min(top, ink.top - 1)
        right, bottom = max(right, ink.right + 1), max(bottom, ink.bottom + 1)
    return Box(int(left), int(top), int(right), int(bottom))


def _within_bands(page: Image, dpi: float) -> Box:
    """The page less the black bands along its sides, as of a copier's open lid."""
    dark = page < BAND_LEVEL * float(np.percentile(page[::3, ::3], BAND_PAPER))
    sides = [0, 0, page.shape[1], page.shape[0]]
    for _ in range(2):  # a band across hides the end of one that runs down
        left, top, right, bottom = sides
        inner = dark[top:bottom, left:right]
        columns, rows = inner.mean(axis=0) > BAND_DARK, inner.mean(axis=1) > BAND_DARK
        least = max(2, int(BAND_INCHES * dpi))
        for at, band in enumerate((columns, rows, columns[::-1], rows[::-1])):
            depth = int(np.argmin(band)) if not band.all() else 0
            if band[:1].any() and depth >= least and depth < DEEPEST_BAND * len(band):
                sides[at] += depth if at < 2 else -depth
    return Box(*sides)


def _abrupt(page: Image, bed: NDArray[np.uint8], paper: NDArray[np.bool_]) -> bool:
    """Whether the paper mostly ends in an edge, not in a slope as a picture's dark parts do."""
    smooth = cv2.medianBlur(page, 5)
    near = np.ones((7, 7), np.uint8)
    rise = cv2.morphologyEx(smooth, cv2.MORPH_GRADIENT, near)
    rim = (cv2.dilate(bed, np.ones((3, 3), np.uint8)) == 1) & paper
    return bool(rim.any() and np.median(rise[rim]) > LEAST_EDGE * np.percentile(page[::3, ::3], BRIGHTEST))


def _solidity(area: NDArray[np.bool_]) -> float:
    """The share of its smallest rectangle, at any angle, that an area fills, its holes counted in."""
    outlines, _ = cv2.findContours(area.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    outline = max(outlines, key=cv2.contourArea)
    (_, (width, height), _) = cv2.minAreaRect(outline)
    return float(cv2.contourArea(outline) / max(1.0, width * height))


def _free_ink(page: Image, bed: NDArray[np.uint8], paper: NDArray[np.bool_]) -> Box | None:
    """The box around letter-sized ink on the paper that does not touch the bed."""
    level = float(np.median(page[paper]))
    ink = ((page < INK_LEVEL * level) & paper).astype(np.uint8)
    touching = cv2.dilate(bed, np.ones((5, 5), np.uint8)) == 1
    labels, stats, _ = pieces(ink)
    keep = (stats[:, 4] >= LEAST_INK) & (stats[:, 3] <= TALLEST_INK) & (stats[:, 2] <= WIDEST_INK)
    keep[0] = False
    keep[np.unique(labels[touching])] = False
    if not keep.any():
        return None
    boxes = stats[keep]
    return Box(
        int(boxes[:, 0].min()),
        int(boxes[:, 1].min()),
        int((boxes[:, 0] + boxes[:, 2]).max()),
        int((boxes[:, 1] + boxes[:, 3]).max()),
    )


def goes_on_beyond(page: Image, dpi: float, corners: Corners) -> bool:
    """Whether four corners are no sheet's: much writing lies beyond them, or some, on paper no darker than theirs.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    corners : four of (x, y)
        In inches.
    """
    small, factor = reduced(grey(page), dpi, WORKING_DPI)
    scale = dpi / factor
    inside = np.zeros(small.shape, np.uint8)
    cv2.fillConvexPoly(inside, np.round(np.array(corners) * scale).astype(np.int32), (1,))
    letters = _letters(small, scale)
    written = float(letters[inside == 0].sum()) / max(1.0, float(letters.sum()))
    band = np.ones((int(RIM * scale) | 1, int(RIM * scale) | 1), np.uint8)
    paper = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((9, 9), np.uint8))
    beyond = paper[(cv2.dilate(inside, band) == 1) & (inside == 0)]
    within = paper[(cv2.erode(inside, band) == 0) & (inside == 1)]
    if written > MOST_WRITTEN:
        return True
    if beyond.size == 0 or within.size == 0 or np.median(beyond) <= np.median(within) - DARKER:
        return False
    return written >= LEAST_WRITTEN or _is_captioned(page, dpi, corners)


def _is_captioned(page: Image, dpi: float, corners: Corners) -> bool:
    """Whether of what stands in lines much lies beyond: a picture's details may look like letters, but are in no line."""
    small, factor = reduced(grey(page), dpi, LETTERS_DPI)
    letters = find_letters(small, dpi / factor)
    outline = np.array(corners, np.float32) * np.float32(dpi / factor)
    places = zip(letters.x.tolist(), letters.bottom.tolist(), strict=True)
    beyond = sum(cv2.pointPolygonTest(outline, place, False) < 0 for place in places)
    return beyond >= LEAST_CAPTION and beyond > MOST_WRITTEN * len(letters.x)


def _is_sheet(page: Image, letters: Image, seen: Box, limits: Box, dpi: float) -> bool:
    """Whether an outline is a sheet's and not a picture's: even paper along its sides, nothing written beyond."""
    if seen.width < dpi or seen.height < dpi:
        return False
    beyond = letters[limits.top : limits.bottom, limits.left : limits.right].sum()
    beyond -= letters[seen.top : seen.bottom, seen.left : seen.right].sum()
    if beyond > MOST_BEYOND * letters.sum():
        return False
    edge = max(2, int(SHEET_EDGE * dpi))
    paper = cv2.morphologyEx(page, cv2.MORPH_CLOSE, np.ones((15, 15), np.uint8))
    paper = paper[seen.top + 2 : seen.bottom - 2, seen.left + 2 : seen.right - 2]
    sides = np.concatenate([s.ravel() for s in (paper[:edge], paper[-edge:], paper[:, :edge], paper[:, -edge:])])
    low, high = np.percentile(sides, EDGE_PERCENTILES)
    return bool(high - low < MOST_UNEVEN_SIDES * high)


def _letters(page: Image, dpi: float) -> Image:
    """Letter-sized ink against its surroundings, in a shadow too."""
    paper = cv2.GaussianBlur(cv2.morphologyEx(page, cv2.MORPH_CLOSE, np.ones((15, 15), np.uint8)), (0, 0), 3)
    depth = paper.astype(np.float32) - page
    found = pieces(as_uint8((depth > LEAST_DEPTH) & (depth > LEAST_CONTRAST * paper)))
    stats = found.stats
    letter = (stats[:, 4] >= LEAST_LETTER[0]) & (stats[:, 3] >= LEAST_LETTER[1])
    letter &= (stats[:, 3] <= LARGEST_LETTER[0] * dpi) & (stats[:, 2] <= LARGEST_LETTER[1] * dpi)
    letter[0] = False
    return found.of(letter)


def _past_shadow(letters: Image, dpi: float, box: Box) -> Box:
    """The box widened by the lines of text that it would cut."""
    left, right = _run_on(letters, dpi, LINKED[0], box.left, box.right)
    top, bottom = _run_on(np.ascontiguousarray(letters.T), dpi, LINKED[1], box.top, box.bottom)
    return Box(left, top, right, bottom)


def _run_on(letters: Image, dpi: float, link: float, low: int, high: int) -> tuple[int, int]:
    """The limits along x moved outwards to where the lines that cross them end.

    `link` is the gap, in inches, over which letters belong together.
    """
    joined = cv2.morphologyEx(letters, cv2.MORPH_CLOSE, np.ones((1, int(link * dpi)), np.uint8))
    stats = pieces(as_uint8(joined)).stats[1:]
    starts, ends = stats[:, 0], stats[:, 0] + stats[:, 2]
    margin = int(SHADOWED_MARGIN * dpi)
    inner = CROSSING * dpi
    cut = starts[(starts < low) & (ends > low + inner)]
    if len(cut) >= LEAST_CUT:
        low = max(0, int(cut.min()) - margin)
    cut = ends[(ends > high) & (starts < high - inner)]
    if len(cut) >= LEAST_CUT:
        high = min(letters.shape[1], int(cut.max()) + margin)
    return low, high
