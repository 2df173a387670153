"""The sheet of paper within the scan: cuts off the scanner bed."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces, reduced
from hyalen.core.model.geometry import Box

LEAST_DEPTH = 12
LEAST_CONTRAST = 0.25
LEAST_CUT = 2
SHADOWED_MARGIN = 0.12


def bed_mask(page: Image) -> NDArray[np.uint8]:
    """Dark area that reaches the border: the scanner's lid or bed around the paper.

    Parameters
    ----------
    page : (h, w) uint8
        About 75 dpi.
    """
    smooth = cv2.medianBlur(page, 5)
    paper = float(np.percentile(smooth, 75))
    dark = (smooth < 0.62 * paper).astype(np.uint8)
    dark = as_uint8(cv2.morphologyEx(dark, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)))
    framed = cv2.copyMakeBorder(dark, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=1)
    _, labels = cv2.connectedComponents(framed, connectivity=4)
    return np.asarray(labels[1:-1, 1:-1] == labels[0, 0], dtype=np.uint8)


def find_paper(page: Image, dpi: float) -> Box:
    """The upright rectangle of paper in a straightened scan.

    Each side is put where 95 % of the paper's rows (or columns) have begun, but
    never past ink that stands free of the bed, nor through lines that run on into
    a shadow as dark as the bed, such as a spine's: no word is cut.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.

    Returns
    -------
    Box
        The whole image where there is no bed around the paper.
    """
    height, width = page.shape[:2]
    whole = Box(0, 0, width, height)
    small, factor = reduced(grey(page), dpi, 75)
    bed = bed_mask(small)
    if bed.mean() < 0.002 or bed.mean() > 0.9:
        return whole
    count, labels, stats, _ = cv2.connectedComponentsWithStats(1 - bed, connectivity=4)
    if count < 2:
        return whole
    largest = 1 + int(np.argmax(stats[1:, 4]))
    paper = labels == largest
    if paper.mean() < 0.2:
        return whole
    rows = np.flatnonzero(paper.mean(axis=1) > 0.3 * paper.mean(axis=1).max())
    columns = np.flatnonzero(paper.mean(axis=0) > 0.3 * paper.mean(axis=0).max())
    body = paper[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]

    def start(across: NDArray[np.bool_]) -> int:
        return int(np.quantile(np.argmax(across, axis=1), 0.95))

    left = columns[0] + start(body)
    right = columns[-1] + 1 - start(body[:, ::-1])
    top = rows[0] + start(body.T)
    bottom = rows[-1] + 1 - start(body.T[:, ::-1])

    ink = _free_ink(small, bed, paper)
    if ink is not None:
        left, top = min(left, ink.left - 1), min(top, ink.top - 1)
        right, bottom = max(right, ink.right + 1), max(bottom, ink.bottom + 1)
    left, top, right, bottom = _past_shadow(small, dpi / factor, Box(left, top, right, bottom))
    inset = 1 if factor > 1 else 2
    box = Box(
        int((left + inset) * factor) if left > 0 else 0,
        int((top + inset) * factor) if top > 0 else 0,
        int((right - inset) * factor) if right < small.shape[1] else width,
        int((bottom - inset) * factor) if bottom < small.shape[0] else height,
    ).intersection(whole)
    return box if box.width > width // 5 and box.height > height // 5 else whole


def _free_ink(page: Image, bed: NDArray[np.uint8], paper: NDArray[np.bool_]) -> Box | None:
    """The box around letter-sized ink on the paper that does not touch the bed."""
    level = float(np.median(page[paper]))
    ink = ((page < 0.7 * level) & paper).astype(np.uint8)
    touching = cv2.dilate(bed, np.ones((5, 5), np.uint8)) == 1
    _, labels, stats, _ = cv2.connectedComponentsWithStats(ink, connectivity=8)
    keep = (stats[:, 4] >= 6) & (stats[:, 3] <= 40) & (stats[:, 2] <= 80)
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


def _past_shadow(page: Image, dpi: float, box: Box) -> Box:
    """The box widened by the lines of text that it would cut."""
    paper = cv2.GaussianBlur(cv2.morphologyEx(page, cv2.MORPH_CLOSE, np.ones((15, 15), np.uint8)), (0, 0), 3)
    depth = paper.astype(np.float32) - page
    ink = as_uint8((depth > LEAST_DEPTH) & (depth > LEAST_CONTRAST * paper))
    found = pieces(ink)
    stats = found.stats
    letter = (stats[:, 4] >= 4) & (stats[:, 3] >= 3) & (stats[:, 3] <= 0.5 * dpi) & (stats[:, 2] <= 1.0 * dpi)
    letter[0] = False
    letters = as_uint8(letter[found.labels])
    left, right = _run_on(letters, dpi, 0.2, box.left, box.right)
    top, bottom = _run_on(np.ascontiguousarray(letters.T), dpi, 0.3, box.top, box.bottom)
    return Box(left, top, right, bottom)


def _run_on(letters: Image, dpi: float, link: float, low: int, high: int) -> tuple[int, int]:
    """The limits along x moved outwards to where the lines that cross them end.

    `link` is the gap, in inches, over which letters belong together.
    """
    joined = cv2.morphologyEx(letters, cv2.MORPH_CLOSE, np.ones((1, int(link * dpi)), np.uint8))
    stats = pieces(as_uint8(joined)).stats[1:]
    starts, ends = stats[:, 0], stats[:, 0] + stats[:, 2]
    margin = int(SHADOWED_MARGIN * dpi)
    inner = 0.3 * dpi
    cut = starts[(starts < low) & (ends > low + inner)]
    if len(cut) >= LEAST_CUT:
        low = max(0, int(cut.min()) - margin)
    cut = ends[(ends > high) & (starts < high - inner)]
    if len(cut) >= LEAST_CUT:
        high = min(letters.shape[1], int(cut.max()) + margin)
    return low, high
