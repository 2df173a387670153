"""Pictures, drawings and stamps: large ink that is neither text nor a table's rules."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, Labels, Pieces, as_uint8, grey, pieces, reduced
from hyalen.core.model.geometry import Box, Point, union

WORK_DPI = 100.0  # pixels an inch: a drawing's strokes touch, letters do not
GAP = 1 / 12  # inches
FRAMED = 0.12  # more of an outline under words than this is text with a frame around it
LEAST_INK = 0.03  # of a box that another witness calls a picture
SPRAWLING = 0.25  # of the page
SOLID = 0.12  # inches: thinner links between pictures are frames
LEAST_STROKE = 0.36  # inches
LEAST_FILLED = 0.12  # of a box
RIM, LEAST_INNER = 0.12, 0.3  # of a box's sides; share of ink within: thin strokes there are a drawing, no frame
LINE_WORDS = 3  # of a line that parts a picture
MOSTLY_RULE = 0.7  # of connected ink, under rules
MOST_TEXT = 0.02  # under words, where a picture may still be told by its box


class Figure(NamedTuple):
    """`outline` goes around the picture's ink where text stands within its box."""

    box: Box
    outline: tuple[Point, ...]


def find_figures(
    page: Image,
    dpi: float,
    words: Sequence[Box],
    tables: Sequence[Box],
    told: Sequence[Box] = (),
    rules: Sequence[Box] = (),
    gap: float = GAP,
) -> list[Figure]:
    """Pictures.

    Ink under well-read words and tables is taken away; what is left is joined over
    gaps of a twelfth of an inch at most, and a group counts as a picture when it is larger than half an
    inch both ways, or two thirds of an inch one way with a body of ink. Groups within a box that
    another witness tells of are one picture.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    words : sequence of Box
        Of words that were read with confidence.
    tables : sequence of Box
    told : sequence of Box
        Pictures that another witness tells of.
    rules : sequence of Box
        Strokes that frame or part, and are no pictures.
    gap : float
        Inches over which ink is joined; lines of small print that nobody could read are nearer to each other.
    """
    small, factor = reduced(grey(page), dpi, WORK_DPI)
    ink = (small < 200).astype(np.uint8)
    text = _mask(ink.shape, (*words, *tables), factor, max(1, int(dpi / factor / 60)))
    ink[text == 1] = 0
    ink[_own_rules(ink, _mask(ink.shape, rules, factor, 1))] = 0
    reach = max(3, int(gap * dpi / factor)) | 1
    joined = as_uint8(cv2.morphologyEx(ink, cv2.MORPH_CLOSE, np.ones((reach, reach), np.uint8)))
    found, strokes = pieces(joined), pieces(as_uint8(ink))
    parts = [_Part.of(found.labels, found.stats, i, ink, text, strokes) for i in range(1, len(found.stats))]
    labels = found.labels.astype(np.int32)
    for part in [p for p in parts if p.sprawls(small.shape)]:
        # Frames and bands join what are several pictures.
        side = max(3, int(SOLID * dpi / factor)) | 1
        opened = cv2.morphologyEx(
            (labels == part.label).astype(np.uint8), cv2.MORPH_OPEN, np.ones((side, side), np.uint8)
        )
        apart = pieces(as_uint8(opened))
        first = int(labels.max()) + 1
        labels = np.where(apart.labels > 0, apart.labels + first - 1, np.where(labels == part.label, 0, labels))
        stats = np.concatenate([np.zeros((first, 5), np.int32), apart.stats[1:]])
        parts.remove(part)
        parts += [_Part.of(labels, stats, i, ink, text, strokes) for i in range(first, len(stats))]
    figures: list[tuple[Box, list[_Part]]] = []
    smaller = [Box(*(int(v / factor) for v in b)) for b in words]
    for box in merged([Box(*(int(v / factor) for v in b)) for b in told if not any(t.covers(b) for t in tables)]):
        inside = [p for p in parts if box.covers(p.box, 0.6)]
        if (
            sum(p.ink for p in inside) > LEAST_INK * box.area
            and max(p.largest for p in inside) > LEAST_STROKE * dpi / factor
        ):
            figures += [
                (union(p.box for p in group), group) for group in _parted_by_text(inside, smaller, dpi / factor / 2)
            ]
            parts = [p for p in parts if p not in inside]
    figures += [(p.box, [p]) for p in parts if p.is_picture(dpi / factor)]
    whole = [f for f in figures if not any(o[0].covers(f[0], 0.9) for o in figures if o[0].area > f[0].area)]
    return [_figure(box, members, labels, text, factor, page) for box, members in whole]


def _parted_by_text(parts: Sequence[_Part], words: Sequence[Box], least: float) -> list[list[_Part]]:
    """The parts of what one witness takes for a picture, above and below a line of text that none of them reaches past.

    Each is at least `least` pixels high and half as wide as all: a legend stays with its chart.
    """
    whole = union(p.box for p in parts)
    # A dash before the line, that was not read, is no part of either.
    ordered = sorted((p for p in parts if not _is_level(p.box, words)), key=lambda p: p.box.top)
    bottom = 0
    for at, part in enumerate(ordered):
        clear, bottom = at > 0 and bottom <= part.box.top, max(bottom, part.box.bottom)
        if not clear:
            continue
        above, below = union(p.box for p in ordered[:at]), union(p.box for p in ordered[at:])
        between = sum(above.bottom <= w.centre.y <= below.top and whole.left < w.centre.x < whole.right for w in words)
        large = min(above.height, below.height) > least and min(above.width, below.width) > 0.5 * whole.width
        if between >= LINE_WORDS and large:
            return [ordered[:at], *_parted_by_text(ordered[at:], words, least)]
    return [list(parts)]


def _is_level(box: Box, words: Sequence[Box]) -> bool:
    """Whether it is no higher than a word beside it, and stands on its level."""
    return any(w.top <= box.top and box.bottom <= w.bottom for w in words)


def _own_rules(ink: Image, rules: Image) -> NDArray[np.bool_]:
    """Where ink is nothing but rules: an axis of a chart, or the flat of a ring, is a part of more."""
    found = pieces(ink)
    under = np.bincount(found.labels[rules == 1].ravel(), minlength=len(found.stats))
    alone = under > MOSTLY_RULE * found.stats[:, cv2.CC_STAT_AREA]
    return np.asarray(alone[found.labels] & (rules == 1))


class _Part(NamedTuple):
    """A group of ink; `filled` counts its holes in, `ink` and `text` are pixels within that.

    `largest` is the longer side of its largest connected stroke, `inner` the ink that is not at the box's rim.
    """

    label: int
    box: Box
    area: int
    filled: int
    ink: int
    text: int
    largest: int
    inner: int

    @classmethod
    def of(cls, labels: Labels, stats: NDArray[np.int32], i: int, ink: Image, text: Image, strokes: Pieces) -> _Part:
        left, top, width, height, area = (int(v) for v in stats[i])
        window = (slice(top, top + height), slice(left, left + width))
        mine = labels[window] == i
        contours, _ = cv2.findContours(mine.astype(np.uint8), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
        filled = cv2.drawContours(np.zeros(mine.shape, np.uint8), contours, -1, 1, cv2.FILLED) == 1
        box = Box(left, top, left + width, top + height)
        own = np.unique(strokes.labels[window][mine & (ink[window] == 1)])
        largest = int(strokes.stats[own, 2:4].max()) if len(own) else 0
        own_ink = (ink[window] == 1) & mine
        y, x = int(RIM * height) + 1, int(RIM * width) + 1
        inner = int(own_ink[y:-y, x:-x].sum())
        covered = int(text[window][filled].sum())
        return cls(i, box, area, int(filled.sum()), int(own_ink.sum()), covered, largest, inner)

    def sprawls(self, shape: tuple[int, ...]) -> bool:
        """Whether it reaches over much of the page, around text."""
        around = self.filled < 0.6 * self.box.area or self.text > FRAMED * self.filled
        return self.box.area > SPRAWLING * shape[0] * shape[1] and around

    def is_picture(self, dpi: float) -> bool:
        short, long = sorted((self.box.width, self.box.height))
        if short < dpi * 0.4 or long < dpi * 0.55 or self.area < 0.025 * self.box.area:
            return False
        if self.largest < LEAST_STROKE * dpi:
            return False  # letters that nobody could read
        if self.filled < LEAST_FILLED * self.box.area and (self.text or self.inner < LEAST_INNER * self.ink):
            return False  # strokes around something
        solid = self.ink > 0.5 * (self.filled - self.text)  # text on a dark ground has the ground for a picture
        return self.ink >= 0.012 * self.box.area and (solid or self.text <= FRAMED * self.filled)


def _figure(
    box: Box,
    members: Sequence[_Part],
    labels: Labels,
    text: Image,
    factor: float,
    page: Image,
) -> Figure:
    whole = Box(0, 0, page.shape[1], page.shape[0])
    full = Box(*(int(v * factor) for v in box)).grown(int(factor), whole)
    window = (slice(box.top, box.bottom), slice(box.left, box.right))
    if text[window].sum() <= MOST_TEXT * box.area:
        return Figure(full, full.polygon())
    mine = np.isin(labels[window], [m.label for m in members]).astype(np.uint8)
    side = max(3, min(mine.shape) // 20) | 1
    closed = cv2.morphologyEx(np.pad(mine, side), cv2.MORPH_CLOSE, np.ones((side, side), np.uint8))
    closed = closed[side:-side, side:-side] * (1 - text[window]) if side else closed
    contours, _ = cv2.findContours(as_uint8(closed), cv2.RETR_EXTERNAL, cv2.CHAIN_APPROX_SIMPLE)
    largest = max(contours, key=cv2.contourArea)
    corners = cv2.approxPolyDP(largest, 2.0, True).reshape(-1, 2)
    if len(corners) < 3:
        return Figure(full, full.polygon())
    outline = tuple(Point(float((x + box.left) * factor), float((y + box.top) * factor)) for x, y in corners)
    return Figure(full, outline)


def _mask(shape: tuple[int, ...], boxes: Sequence[Box], factor: float, pad: int) -> Image:
    mask = np.zeros(shape, np.uint8)
    for box in boxes:
        left, top, right, bottom = (int(v / factor) for v in box)
        mask[max(0, top - pad) : bottom + pad + 1, max(0, left - pad) : right + pad + 1] = 1
    return mask


def merged(boxes: Sequence[Box]) -> list[Box]:
    """Boxes of which one lies mostly in another become one."""
    result: list[Box] = []
    for box in boxes:
        absorbed = [b for b in result if b.covers(box, 0.6) or box.covers(b, 0.6)]
        for other in absorbed:
            result.remove(other)
        result.append(union([box, *absorbed]))
    return result if len(result) == len(boxes) else merged(result)
