"""Figures judged by their like: what most figures of one shape on a page were read as, each of them is.

Worn type and coarse scans let a reader take a 3 for a 5 here and for an 8 there. A page with columns of figures has
hundreds of each, struck by the same type: a linear discriminant that learns their shapes from all readings together,
wrong ones among them, tells each better than it was read by itself (Fisher's discriminant with a shrunk covariance;
the reader's own slips weighed as in Dawid and Skene, "Maximum likelihood estimation of observer error-rates using the
EM algorithm", Applied Statistics 28, 1979).
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.aligned import FRACTIONS, is_number
from hyalen.core.layout.cells import INSTEAD, numeric_columns
from hyalen.core.model.content import Cell, PageContent, Region, Word
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.cells import line_of

Floats = NDArray[np.float64]
FIGURES = "0123456789"
LEAST, LEAST_EACH = 120, 4  # figures a page, and of one kind, from which shapes are learnt
LEAST_UNREAD = 2  # figures where nothing was read: one alone may be a mark
LEAST_HEIGHT = 8  # pixels: below it a figure has no shape
DARK = 128  # grey level
TALL, WHOLE = 1.35, 0.6  # of the usual height: beyond is no figure, below a mark
BROKEN = 1.15  # of the usual height, that pieces of one figure have together
BENEATH = 0.9  # of the usual height below the top, that an underline is
PULL = 2.0  # pixels of ink, that a pixel nearer to where figures of the usual width would be parted is worth
CLOSE = 0.4  # of a figure's width, that a row of them may be wider or narrower
UNDERLINE = 2.0  # widths of a figure that a stroke runs on, at least
SIDE = 24  # pixels of a shape's square
FEATURES, FOLDS = 40, 10
SHRINK = 0.1  # of the covariance, towards that of a ball
LEAST_SPREAD = 1e-9
ROUNDS = 12  # at most, until no figure is judged otherwise than before
SELDOM = 0.1  # slips of each kind that count before any is seen
ODD = (0.01, 0.02, 0.04, 0.08, 0.16)  # share of shapes that are like no other; the likeliest is taken
SURE_WORD = 0.8  # confidence of letters, from which they are a word
LIKELY, SURE = 0.6, 0.9  # chance from which a figure is changed; from which its shape alone is a witness


class _Figures(NamedTuple):
    """A cell's one word with the shapes of its figures, from left to right.

    `read` is empty where their number differs; `touching` tells of each whether it was cut off from another. Where they
    are `plain`, nothing else stands between them, and their number is known.
    """

    cell: Cell
    word: Word
    box: Box
    shapes: list[Floats]
    touching: list[bool]
    read: str
    plain: bool


class Judged(NamedTuple):
    """What a word's figures are, and the chance of the least likely one; what their shapes alone tell surely, or None."""

    text: str
    chance: float
    alone: str | None


def with_alike(page: Image, content: PageContent) -> PageContent:
    """The content with the figures of its tables' columns as their like have it.

    What was read before stays as another reading; what the shapes alone tell is a word's second reading.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    """
    cells = list(_cells(content))
    size = _usual_size(page, cells)
    if size is None:
        return content
    found = [each for cell, word in cells if (each := _figures(page, cell, word, size)) is not None]
    judged = _judge(found)
    if not judged:
        return content
    unread = {each.cell.box: each for each in found if not each.word.text}

    def mended(word: Word) -> Word:
        told = judged.get(word.id)
        if told is None:
            return word
        if told.text == word.text or told.chance < LIKELY:
            return word if told.alone is None else word.model_copy(update={"second": told.alone})
        others = tuple(dict.fromkeys((word.text, *word.others)))
        chance = round(told.chance, 3)
        return word.model_copy(update={"text": told.text, "confidence": chance, "others": others, "letters": ""})

    def mended_cell(cell: Cell) -> Cell:
        if any(line.words for line in cell.lines):
            lines = (line.model_copy(update={"words": tuple(map(mended, line.words))}) for line in cell.lines)
            return cell.model_copy(update={"lines": tuple(lines)})
        each = unread.get(cell.box)
        told = judged.get(each.word.id) if each else None
        if each is None or told is None or told.chance < SURE or len(told.text) < LEAST_UNREAD:
            return cell
        word = each.word.model_copy(update={"text": told.text, "box": each.box, "confidence": round(told.chance, 3)})
        return cell.model_copy(update={"lines": (line_of(word),)})

    def mended_region(region: Region) -> Region:
        if region.table is None:
            return region
        cells = tuple(map(mended_cell, region.table.cells))
        return region.model_copy(update={"table": region.table.model_copy(update={"cells": cells})})

    return content.model_copy(update={"regions": tuple(map(mended_region, content.regions))})


def _cells(content: PageContent) -> Iterator[tuple[Cell, Word]]:
    """The cells of columns of figures that hold one word, or none; then the word is an empty one."""
    number = 0
    for region in content.regions:
        if region.table is None:
            continue
        numeric = numeric_columns(region.table.cells, region.table.columns)
        for cell in region.table.cells:
            words = [w for line in cell.lines for w in line.words]
            if cell.column not in numeric or cell.column_span > 1 or len(words) > 1 or any(w.parts for w in words):
                continue
            if not words and not cell.header:
                number += 1
                words = [Word(id=f"f{number}", text="", box=cell.box, confidence=0.0)]
            if any(c in FRACTIONS for w in words for c in w.text):
                continue
            if words and (is_number(words[0].text) or not (cell.header or _is_word(words[0]))):
                yield cell, words[0]


def _is_word(word: Word) -> bool:
    """Whether it stands for a figure, or was surely read: every shape is like some figure, a word's as well."""
    text = word.text.strip(".,")
    return text.casefold() in INSTEAD or (len(text) > 2 and text.isalpha() and word.confidence > SURE_WORD)


def _usual_size(page: Image, cells: Sequence[tuple[Cell, Word]]) -> tuple[float, float] | None:
    """Height and width in pixels of most figures; None where there are too few or they are too small."""
    sizes = [
        (h, w) for cell, _ in cells for _, _, w, h in _parts(_ink(page, cell)) if 0.4 * h < w < h and h >= LEAST_HEIGHT
    ]
    if len(sizes) < LEAST / 3:
        return None
    height, width = np.median(np.array(sizes), axis=0)
    return float(height), float(width)


def _ink(page: Image, cell: Cell, beyond: int = 0) -> NDArray[np.uint8]:
    """The cell's ink, and what stands so far above and below it."""
    box = cell.box
    window = page[max(0, box.top - beyond) : max(0, box.bottom + beyond), max(0, box.left) : max(0, box.right)]
    return (window < DARK).astype(np.uint8)


def _parts(ink: NDArray[np.uint8]) -> list[tuple[int, int, int, int]]:
    """Connected ink as (left, top, width, height), without what the cell's edges cut."""
    if ink.size == 0:
        return []
    height, width = ink.shape
    stats = cv2.connectedComponentsWithStats(ink, connectivity=8)[2][1:, :4].tolist()
    return sorted((x, y, w, h) for x, y, w, h in stats if x > 0 and x + w < width and (h < height or y > 0))


def _without_underline(ink: NDArray[np.uint8], height: float, width: float) -> NDArray[np.uint8]:
    """The ink without strokes that run on beneath the figures; those within them are their own."""
    long = max(3, round(UNDERLINE * width))
    if ink.size == 0 or ink.shape[1] <= long:
        return ink
    strokes = cv2.morphologyEx(ink, cv2.MORPH_OPEN, np.ones((1, long), np.uint8))
    if not strokes.any():
        return ink
    labels, stats = cv2.connectedComponentsWithStats(ink, connectivity=8)[1:3]
    tops, tall = stats[labels, cv2.CC_STAT_TOP], stats[labels, cv2.CC_STAT_HEIGHT]
    beneath = (np.arange(len(ink))[:, None] - tops >= BENEATH * height) & (tall > BROKEN * height)
    alone = tall < WHOLE * height
    strokes[~(beneath | alone)] = 0
    for x, y, w, h in cv2.connectedComponentsWithStats(strokes, connectivity=8)[2][1:, :4].tolist():
        # Its edges are rough, and part of none of the figures.
        ink[max(0, y - 1) : y + h + 2, max(0, x - 2) : x + w + 2] = 0
    return ink


def _figures(page: Image, cell: Cell, word: Word, size: tuple[float, float]) -> _Figures | None:
    """The shapes of a cell's figures; None where something else stands there."""
    height, width = size
    # Where rows are near each other, the place between them is not known to the pixel.
    beyond = min(round(0.3 * height), cell.box.top)
    ink = _without_underline(_ink(page, cell, beyond), height, width)
    own = (beyond, beyond + cell.box.bottom - cell.box.top)
    parts = [p for p in _parts(ink) if own[0] <= p[1] + p[3] / 2 < own[1]]
    if any(h > TALL * height for *_, h in parts):
        return None
    whole = _joined(parts, height)
    places = list(_parted(ink, [p for p in whole if p[3] >= WHOLE * height], height, width))
    shapes = [_shape(ink[y : y + h, x : x + w], width) for x, y, w, h, _ in places]
    read = "".join(c for c in word.text if c.isalnum())
    tall = [w for *_, w, h in whole if h >= WHOLE * height]
    plain = all(h >= WHOLE * height or h * w <= 0.02 * height * width for *_, w, h in whole)
    plain = plain and (len(places) >= len(word.text) or all(_is_row(w, width) for w in tall))
    told = read if len(read) == len(shapes) and all(c in FIGURES for c in read) else ""
    if not shapes:
        return None
    left, top = max(0, cell.box.left), max(0, cell.box.top - beyond)
    box = union(Box(left + x, top + y, left + x + w, top + y + h) for x, y, w, h, _ in places)
    return _Figures(cell, word, box, shapes, [p[-1] for p in places], told, plain)


def _joined(parts: Sequence[tuple[int, int, int, int]], height: float) -> list[tuple[int, int, int, int]]:
    """The parts, those of a broken figure as one."""
    whole: list[tuple[int, int, int, int]] = []
    for x, y, w, h in parts:
        if whole and x < whole[-1][0] + whole[-1][2] - 0.4 * min(w, whole[-1][2]):
            left, top, wide, tall = whole[-1]
            upper, lower = min(y, top), max(y + h, top + tall)
            if lower - upper <= BROKEN * height:
                whole[-1] = (left, upper, max(x + w, left + wide) - left, lower - upper)
                continue
        whole.append((x, y, w, h))
    return whole


def _parted(
    ink: NDArray[np.uint8], whole: Sequence[tuple[int, int, int, int]], height: float, width: float
) -> Iterator[tuple[int, int, int, int, bool]]:
    """The figures, those that touch cut where there is least ink, which is said."""
    for x, y, w, h in whole:
        count = _count(w, width)
        columns = ink[y : y + h, x : x + w].sum(axis=0)
        cuts = [0, *(_thinnest(columns, i * w / count, 0.2 * width) for i in range(1, count)), w]
        for first, last in pairwise(cuts):
            yield x + first, y, last - first, h, count > 1


def _count(wide: float, width: float) -> int:
    """How many figures of the usual width stand in a row so wide, one pixel apart."""
    return max(1, round((wide + 1) / (width + 1)))


def _is_row(wide: float, width: float) -> bool:
    """Whether its width tells surely how many figures it holds."""
    count = _count(wide, width)
    return abs(wide + 1 - count * (width + 1)) <= (WHOLE if count == 1 else CLOSE) * width


def _thinnest(columns: NDArray[np.uint64], at: float, reach: float) -> int:
    """Where near a place there is least ink."""
    places = range(max(1, int(at - reach)), min(len(columns) - 1, int(at + reach)) + 1)
    return min(places, key=lambda x: int(columns[x]) + PULL * abs(x - at), default=round(at))


def _shape(ink: NDArray[np.uint8], width: float) -> Floats:
    """A figure's ink in a square, its height made the same, as one row."""
    ink = ink[_extent(ink.sum(axis=1), 0.15 * width)]
    rows, columns = np.flatnonzero(ink.any(axis=1)), np.flatnonzero(ink.any(axis=0))
    square = np.zeros((SIDE, SIDE), np.float32)
    if len(rows) and len(columns):
        cut = ink[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1].astype(np.float32)
        tall = SIDE - 4
        wide = max(1, min(SIDE, round(cut.shape[1] * tall / cut.shape[0])))
        how = cv2.INTER_AREA if cut.shape[0] > tall else cv2.INTER_LINEAR
        left = (SIDE - wide) // 2
        square[2 : 2 + tall, left : left + wide] = cv2.resize(cut, (wide, tall), interpolation=how)
    return np.asarray(cv2.GaussianBlur(square, (0, 0), 0.7), np.float64).ravel()


def _extent(rows: NDArray[np.uint64], least: float) -> slice:
    """Without rows above and below that hold a speck only."""
    held = np.flatnonzero(rows >= least)
    return slice(int(held[0]), int(held[-1]) + 1) if len(held) else slice(None)


def _judge(found: Sequence[_Figures]) -> dict[str, Judged]:
    """By word, what its figures are; empty where the page has too few to tell."""
    read = np.array([c for each in found for c in (each.read or " " * len(each.shapes))])
    kinds = [k for k in FIGURES if np.count_nonzero(read == k) >= LEAST_EACH]
    if len(kinds) < 5 or np.count_nonzero(read != " ") < LEAST:
        return {}
    shapes = np.array([shape for each in found for shape in each.shapes])
    touching = np.array([cut for each in found for cut in each.touching])
    chances, alone = chances_of(shapes, read, touching, kinds)
    judged: dict[str, Judged] = {}
    at = 0

    def told(which: Floats, each: _Figures) -> tuple[str, float]:
        mine = which[at : at + len(each.shapes)]
        figures = "".join(kinds[k] for k in mine.argmax(axis=1))
        if each.read:
            following = iter(figures)
            figures = "".join(next(following) if c.isalnum() else c for c in each.word.text)
        return figures, float(mine.max(axis=1).min())

    for each in found:
        text, chance = told(chances, each)
        by_shape, sure = told(alone, each)
        if each.read or each.plain:
            judged[each.word.id] = Judged(text, chance, by_shape if sure >= SURE else None)
        at += len(each.shapes)
    return judged


def chances_of(
    shapes: Floats, read: NDArray[np.str_], touching: NDArray[np.bool_], kinds: Sequence[str]
) -> tuple[Floats, Floats]:
    """The chance of each kind for each shape, learnt from what all others were read as.

    Parameters
    ----------
    shapes : (n, d) float
    read : (n,) str
        What each was read as; a space where that is not known.
    touching : (n,) bool
        Which were cut off from others, so that their shapes are less certain.
    kinds : sequence of str
        The `k` kinds.

    Returns
    -------
    (n, k) float, (n, k) float
        Rows add up to one.
    """
    centred = shapes - shapes.mean(axis=0)
    directions = np.linalg.svd(centred, full_matrices=False)[2][: min(FEATURES, len(shapes) // 6)]
    features = centred @ directions.T
    labels = np.array([kinds.index(c) if c in kinds else -1 for c in read])
    now, chances, likely = labels, np.empty((len(shapes), len(kinds))), np.empty(0)
    for _ in range(ROUNDS):
        likely = _by_others(features, now, len(kinds))
        for group in (touching, ~touching):
            each = (_weighed((1 - odd) * likely[group] + odd / len(kinds), labels[group]) for odd in ODD)
            chances[group] = max(each, key=lambda pair: pair[1])[0]
        before, now = now, chances.argmax(axis=1)
        if np.array_equal(before, now):
            break
    return chances, likely


def _weighed(likely: Floats, labels: NDArray[np.int_]) -> tuple[Floats, float]:
    """Chances by shape and by what the reader told, whose slips they tell; how well both foretell what it told.

    A shape's own reading does not count among the slips by which it is judged: one odd shape proves no habit.
    """
    told = np.flatnonzero(labels >= 0)
    read, kinds = labels[told], likely.shape[1]
    weighed, both = likely.copy(), likely[told]
    for _ in range(5):
        own = weighed[told]
        slips = np.full((kinds, kinds), SELDOM)
        for kind in range(kinds):
            slips[:, kind] += own[read == kind].sum(axis=0)
        both = likely[told] * (slips.T[read] - own) / (slips.sum(axis=1) - own)
        weighed[told] = both / both.sum(axis=1, keepdims=True)
    return weighed, float(np.log(both.sum(axis=1)).sum())


def _by_others(features: Floats, labels: NDArray[np.int_], kinds: int) -> Floats:
    """Chances by a linear discriminant that has seen only the other folds."""
    fold = np.random.default_rng(0).permutation(len(features)) % FOLDS
    found = np.full((len(features), kinds), 1e-12)
    for each in range(FOLDS):
        mine, others = fold == each, (fold != each) & (labels >= 0)
        present = [k for k in range(kinds) if np.count_nonzero(labels[others] == k) >= 2]
        found[np.ix_(mine, present)] += discriminate(features[others], labels[others], features[mine], present)
    return np.asarray(found / found.sum(axis=1, keepdims=True))


def discriminate(known: Floats, labels: NDArray[np.int_], asked: Floats, kinds: Sequence[int]) -> Floats:
    """Chances by Fisher's linear discriminant, each kind as likely as another before it is seen.

    Parameters
    ----------
    known : (n, d) float
    labels : (n,) int
    asked : (m, d) float
    kinds : sequence of int
        The `k` labels that count.

    Returns
    -------
    (m, k) float
    """
    means = np.array([known[labels == k].mean(axis=0) for k in kinds])
    counted = np.isin(labels, kinds)
    own = means[np.searchsorted(np.array(kinds), labels[counted])]
    off = known[counted] - own
    covariance = off.T @ off / len(off)
    covariance *= 1 - SHRINK
    # Drawn by a machine, all of a kind may be the same to the pixel.
    covariance.flat[:: len(covariance) + 1] += SHRINK * (off**2).sum() / off.size + LEAST_SPREAD
    weights = np.linalg.solve(covariance, means.T)
    scores = asked @ weights - 0.5 * (means.T * weights).sum(axis=0)
    scores -= scores.max(axis=1, keepdims=True)
    chances = np.exp(scores)
    return np.asarray(chances / chances.sum(axis=1, keepdims=True))
