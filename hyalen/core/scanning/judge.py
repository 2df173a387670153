"""What is to be seen on a sheet as it comes from the scanner, while the paper is still at hand."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.neighbours import tree_of
from hyalen.core.imaging.pixels import Image, as_uint8, grey, ink_mask, reduced
from hyalen.core.imaging.quality import advice, measure_quality
from hyalen.core.scanning.passes import Judged
from hyalen.core.scanning.separators import read_separator

WORK_DPI = 100.0  # pixels an inch
RIM = 0.2  # inches at a picture's edges, where bed and shadows show
STAIN = 3  # pixels a side of the smallest stroke, at WORK_DPI: smaller is dust
LEAST_STROKES = 3  # near each other: a short word
NEAR = 0.4  # inches between the strokes of a word
LONG_STROKE = 0.25  # inches: a line that somebody has drawn
LEAST_MARK, SURE_INK = (
    0.05,
    0.2,
)  # of the paper's lightness: paler is grain; paler than sure ink may be of the other side
EXPLAINED = 0.85  # of the pale marks, that lie on the other side's ink, seen in a mirror
MIRROR_DPI, SHIFT, REACH = 25.0, 12, 2  # pixels an inch; pixels by which the sides may lie apart, and marks be blurred
LEAST_CUT = 6  # letters that touch one edge of the picture
LETTER = (0.03, 0.3)  # inches: the height of a letter
TOO_LONG = 1.08  # of the sheet's length that was told
ACROSS, LEAST_ACROSS = 0.97, 0.7  # of the sheet's width: rules end before its edges; of the picture's
EDGE_SHADOW = 22  # grey levels
MOST_GREY, LEAST_COLOURED = 14.0, 0.002  # a pixel's distance in CIE a*b* from the paper's tint; of the picture
NORMAL_PAPER = 14.2  # inches: the longest sheet that is common, legal
# Of `advice`: what another scan can mend.
MENDED_BY_SCANNING = ("contrast", "sharpness", "noise", "glare")


class Seen(NamedTuple):
    judged: Judged
    thumb: Image


THUMB_HEIGHT = 440


def judge_sheet(scan: Image, dpi: float, length: float = 0.0, front: Image | None = None) -> Seen:
    """Whether a side is blank or a separator sheet, and what is wrong with it.

    Parameters
    ----------
    scan : (h, w) or (h, w, 3) uint8
        As it came.
    dpi : float
        Pixels an inch.
    length : float
        Of the sheet in inches, where the clerk has told it.
    front : (h, w) or (h, w, 3) uint8, optional
        The other side of the sheet, as it came at the same resolution: what of it shows through is no writing.
    """
    small, factor = reduced(scan, dpi, WORK_DPI)
    at = dpi / factor
    height, width = scan.shape[:2]
    thumb, _ = reduced(small, float(small.shape[0]), float(THUMB_HEIGHT))
    name = read_separator(small, at)
    if name is not None:
        return Seen(Judged(width=width, height=height, separator=name), thumb)
    tones = grey(small)
    strokes = _strokes(tones, at)
    blank = _is_blank(strokes, at)
    if not blank and front is not None and _is_blank(strokes.sure, at):
        blank = _shows_through(strokes, tones.shape, grey(reduced(front, dpi, WORK_DPI)[0]), at)
    remarks: list[str] = []
    if not blank:
        found = advice(measure_quality(scan, dpi, small, at), dpi, blank=False)
        remarks += [f.says for f in found if f.topic in MENDED_BY_SCANNING and f.confidence < 1]
        remarks += _cut(strokes, tones.shape, at)
    if told := _doubled(tones, at, length):
        remarks.append(told)
    return Seen(Judged(width=width, height=height, blank=blank, remarks=tuple(remarks)), thumb)


def has_colour(scan: Image) -> bool:
    """Whether a picture has more colour than its paper's tint: a stamp, red ink, a photograph.

    Parameters
    ----------
    scan : (h, w) or (h, w, 3) uint8
    """
    if scan.ndim != 3:
        return False
    tint = cv2.cvtColor(scan, cv2.COLOR_RGB2LAB)[:, :, 1:].astype(np.float32)
    away = np.linalg.norm(tint - np.median(tint.reshape(-1, 2), axis=0), axis=2)
    return bool((away > MOST_GREY).mean() > LEAST_COLOURED)


class _Strokes(NamedTuple):
    """Connected ink: (n, 4) int boxes as left, top, width, height; whether each lies off the rim, and is dark."""

    boxes: NDArray[np.int64]
    inner: NDArray[np.bool_]
    dark: NDArray[np.bool_]

    @property
    def sure(self) -> _Strokes:
        """Those that are too dark to be of the other side."""
        return _Strokes(self.boxes[self.dark], self.inner[self.dark], self.dark[self.dark])


def _strokes(tones: Image, dpi: float) -> _Strokes:
    ink = ink_mask(tones, dpi)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(ink.astype(np.uint8), connectivity=8)
    paper = cv2.medianBlur(as_uint8(cv2.resize(tones, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)), 21)
    paper = as_uint8(cv2.resize(paper, (tones.shape[1], tones.shape[0])))
    dark = np.full(count, 255, np.int64)
    np.minimum.at(dark, labels.ravel().astype(np.int64), tones.ravel().astype(np.int64))
    left, top, width, height = (stats[:, i].astype(np.int64) for i in range(4))
    middle = paper[np.minimum(top + height // 2, tones.shape[0] - 1), np.minimum(left + width // 2, tones.shape[1] - 1)]
    contrast = 1 - dark / np.maximum(1, middle)
    kept = (contrast > LEAST_MARK) & (np.maximum(width, height) >= STAIN)
    kept[0] = False  # the paper
    rim = int(RIM * dpi)
    rows, columns = tones.shape[:2]
    inner = (left >= rim) & (top >= rim) & (left + width <= columns - rim) & (top + height <= rows - rim)
    boxes = np.stack([left, top, width, height], axis=1)[kept]
    return _Strokes(boxes, inner[kept], (contrast > SURE_INK)[kept])


def _shows_through(strokes: _Strokes, shape: tuple[int, ...], front: Image, dpi: float) -> bool:
    """Whether pale marks lie where the other side's ink is, seen in a mirror."""
    step = dpi / MIRROR_DPI
    size = (round(shape[1] / step), round(shape[0] / step))
    marks = np.zeros((size[1], size[0]), np.float32)
    for left, top, width, height in strokes.boxes[strokes.inner] / step:
        marks[int(top) : int(top + height) + 1, int(left) : int(left + width) + 1] = 1
    ink = ink_mask(front, dpi).astype(np.uint8)[:, ::-1]
    ink = as_uint8(cv2.resize(np.ascontiguousarray(ink) * 255, size, interpolation=cv2.INTER_AREA))
    near = as_uint8(cv2.dilate((ink > 20).astype(np.uint8), np.ones((2 * REACH + 1, 2 * REACH + 1), np.uint8)))
    wide = np.pad(near.astype(np.float32), SHIFT)
    return bool(cv2.matchTemplate(wide, marks, cv2.TM_CCORR).max() >= EXPLAINED * marks.sum() > 0)


def _is_blank(strokes: _Strokes, dpi: float) -> bool:
    """No stroke that somebody drew, and no three near each other: holes, dust and the bed's edge are no writing."""
    boxes = strokes.boxes[strokes.inner]
    if (boxes[:, 2:] > LONG_STROKE * dpi).any():
        return False
    if len(boxes) < LEAST_STROKES:
        return True
    near = np.asarray(
        tree_of(boxes[:, :2] + boxes[:, 2:] / 2).query(boxes[:, :2] + boxes[:, 2:] / 2, k=LEAST_STROKES, p=np.inf)[0]
    )
    return not bool((near[:, -1] < NEAR * dpi).any())


def _cut(strokes: _Strokes, shape: tuple[int, ...], dpi: float) -> list[str]:
    """Edges of the picture over which writing runs."""
    height, width = shape[:2]
    left, top = strokes.boxes[:, 0], strokes.boxes[:, 1]
    right, bottom = left + strokes.boxes[:, 2], top + strokes.boxes[:, 3]
    letter = (strokes.boxes[:, 2:].max(axis=1) < LETTER[1] * dpi) & (
        strokes.boxes[:, 3] >= LETTER[0] * dpi * (2 / 3)  # a cut letter is lower
    )
    edges = {"left": left <= 1, "right": right >= width - 1, "upper": top <= 1, "lower": bottom >= height - 1}
    return [
        f"Writing runs off the {name} edge: lay the sheet straight and scan it again."
        for name, touching in edges.items()
        if int((touching & letter).sum()) >= LEAST_CUT
    ]


def _doubled(tones: Image, dpi: float, length: float) -> str:
    """Whether two sheets went through together: a picture too long, or a sheet's edge across it."""
    long = tones.shape[0] / dpi
    if (length and long > TOO_LONG * length) or (
        not length and long > NORMAL_PAPER * TOO_LONG > 0 and _portrait(tones)
    ):
        return f"{long * 25.4:.0f} mm long: perhaps two sheets went through together."
    reach, thick = max(2, round(dpi / 40)), max(3, round(dpi / 33))
    inner = tones[int(0.1 * tones.shape[0]) : int(0.9 * tones.shape[0])].astype(np.int32)
    if len(inner) <= reach:
        return ""
    step = inner[reach:] - inner[:-reach]  # an edge's shadow is darker than what stands above it
    dark = cv2.dilate((step < -EDGE_SHADOW).astype(np.uint8), np.ones((thick, 1), np.uint8))
    across = dark.mean(axis=1)
    if across.max() < LEAST_ACROSS:
        return ""
    row = int(across.argmax())
    paper = np.flatnonzero(
        tones[int(0.1 * tones.shape[0]) :][row : row + thick].max(axis=0) > 0.6 * np.percentile(tones, 90)
    )
    if len(paper) and float(dark[row, paper[0] : paper[-1] + 1].mean()) >= ACROSS:
        return "An edge lies across the sheet: two went through together, or it is folded."
    return ""


def _portrait(tones: Image) -> bool:
    return bool(tones.shape[0] > tones.shape[1])
