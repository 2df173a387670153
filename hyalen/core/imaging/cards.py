"""Cards, receipts or labels that were laid on the glass together."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, Mask, as_uint8, grey, ink_mask, pieces, reduced
from hyalen.core.model.geometry import Box

WORK_DPI = 75.0  # pixels an inch: rows of small print stay apart
APART, ASIDE = 0.5, 0.3  # inches of white between cards over each other, and beside each other
LEAST_WIDTH, LEAST_ROWS = 1.0, 4  # inches, and rows of print, of a card
LEAST_BANDS, LEAST_IN_BAND = 2, 2  # rows of cards on a sheet, and cards in each
UNEVEN = 0.04  # inches by which some of them begin higher or farther left than those beside or below
SPECK, HAIR = 0.03, 0.06  # inches: dirt, and a card's own edge, are no print
LEVEL, MOST_LEVEL = 0.2, 0.6  # of the pitch, that rows of a table stand off at most; share of rows that stand level
SIDE = 0.8  # inches of a card beside the next one, in which its rows are looked at: a card may lean
LEAST_ROW, MOST_ROW = 0.03, 0.4  # inches: heights of a row of print


def find_cards(page: Image, dpi: float) -> list[Box]:
    """Which parts of the page are cards of their own, row by row; nothing where it is one sheet.

    Wide white runs between them in both directions, and they lie as hands lay them. The parts are the whole page: what
    lies between two cards is a part of one of them.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Upright.
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(grey(page), dpi, WORK_DPI)
    dpi = dpi / factor
    print_ = _print(small, dpi)
    height, width = print_.shape
    bands = _cut(_inked(print_, 1), int(APART * dpi))
    rows = [[Box(left, top, right, bottom) for left, right in _cards(print_[top:bottom], dpi)] for top, bottom in bands]
    if len(rows) < LEAST_BANDS or any(len(row) < LEAST_IN_BAND for row in rows) or not _is_laid(print_, rows, dpi):
        return []
    ends = page.shape[1] / width, page.shape[0] / height
    return [
        Box(round(b.left * ends[0]), round(b.top * ends[1]), round(b.right * ends[0]), round(b.bottom * ends[1]))
        for row in rows
        for b in row
    ]


def _is_laid(print_: Mask, rows: Sequence[Sequence[Box]], dpi: float) -> bool:
    """Whether hands laid them: they begin neither level nor right below each other, as a page's columns do, and their
    rows do not stand level, as a table's do.
    """
    inked = [[_inked_box(print_, part) for part in row] for row in rows]
    least = UNEVEN * dpi
    below = [[row[at].left for row in inked if at < len(row)] for at in range(max(map(len, inked)))]
    aside = [[box.top for box in row] for row in inked]
    if not all(any(max(each) - min(each) > least for each in edges) for edges in (below, aside)):
        return False
    beside = ((a, b) for row in rows for a, b in pairwise(row))
    return not all(_are_level(_part(print_, a), _part(print_, b), dpi) for a, b in beside)


def _part(print_: Mask, box: Box) -> Mask:
    return print_[box.top : box.bottom, box.left : box.right]


def _inked_box(print_: Mask, part: Box) -> Box:
    x, y, width, height = cv2.boundingRect(_part(print_, part))
    return Box(part.left + x, part.top + y, part.left + x + width, part.top + y + height)


def _print(page: Image, dpi: float) -> Mask:
    """Ink but for specks and for lines that run down the page."""
    found = pieces(as_uint8(ink_mask(page, dpi)))
    width, height = found.stats[:, 2], found.stats[:, 3]
    keep = (np.maximum(width, height) > SPECK * dpi) & ~((width < HAIR * dpi) & (height > 3 * HAIR * dpi))
    keep[0] = False
    return found.of(keep)


def _inked(mask: Mask, axis: int) -> NDArray[np.bool_]:
    return np.asarray(mask.any(axis=axis), np.bool_)


def _cut(inked: NDArray[np.bool_], gap: int) -> list[tuple[int, int]]:
    """From where to where the parts reach that so wide a white parts, cut in its middle."""
    at = np.flatnonzero(inked)
    if not len(at):
        return [(0, len(inked))]
    wide = np.flatnonzero(np.diff(at) > gap)
    cuts = [0, *((int(at[i]) + int(at[i + 1])) // 2 for i in wide), len(inked)]
    return list(pairwise(cuts))


def _cards(band: Mask, dpi: float) -> list[tuple[int, int]]:
    """The band's cards from the left; what is no card by itself goes with the one beside it."""
    parts: list[tuple[int, int]] = []
    for left, right in _cut(_inked(band, 0), int(ASIDE * dpi)):
        if parts and not (_is_card(band[:, left:right], dpi) and _is_card(band[:, slice(*parts[-1])], dpi)):
            parts[-1] = (parts[-1][0], right)
        else:
            parts.append((left, right))
    return parts


def _is_card(part: Mask, dpi: float) -> bool:
    columns = np.flatnonzero(part.any(axis=0))
    wide = len(columns) > 0 and columns[-1] - columns[0] > LEAST_WIDTH * dpi
    return bool(wide) and max(len(_rows(part, dpi, at_right)) for at_right in (False, True)) >= LEAST_ROWS


def _rows(part: Mask, dpi: float, at_right: bool) -> NDArray[np.float64]:
    """The middles of its rows of print at one side."""
    columns, reach = np.flatnonzero(part.any(axis=0)), int(SIDE * dpi)
    first = max(0, int(columns[-1]) - reach) if at_right else int(columns[0])
    part = part[:, first : first + reach]
    inked = np.r_[False, part.any(axis=1), False].astype(np.int8)
    starts, ends = np.flatnonzero(np.diff(inked) == 1), np.flatnonzero(np.diff(inked) == -1)
    fits = (ends - starts > LEAST_ROW * dpi) & (ends - starts < MOST_ROW * dpi)
    return np.asarray((starts[fits] + ends[fits]) / 2, np.float64)


def _are_level(a: Mask, b: Mask, dpi: float) -> bool:
    """Whether most rows of the part with fewer have one beside them, as those of a table do."""
    fewer, more = sorted((_rows(a, dpi, True), _rows(b, dpi, False)), key=len)
    if len(more) < LEAST_ROWS or not len(fewer):
        return True
    pitch = float(np.median(np.diff(more)))
    off = np.abs(fewer[:, None] - more[None, :]).min(axis=1)
    return bool((off < LEVEL * pitch).mean() > MOST_LEVEL)
