"""A page that curves into its spine, or is buckled, made flat from its own text lines, rules and rows of cells."""

from __future__ import annotations

from itertools import product
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.drawn import find_traces
from hyalen.core.imaging.neighbours import tree_of
from hyalen.core.imaging.pixels import Image, Labels, Pieces, grey, pieces, reduced
from hyalen.core.imaging.skew import glyph_mask
from hyalen.core.model.treatment import Bend

WORKING_DPI = 150.0  # pixels an inch: glyphs keep their shapes
KNOT_INCHES = 0.4  # inches between the splines' knots: the fall to a spine takes two or three
LEAST_BEND = 0.009  # inches: less than three pixels at 300 dpi, which reading does not mind
LEAST_LETTERS, LEAST_RULES = 120, 12  # in lines; fewer of both tell nothing of a surface
USUAL_LETTERS = 0.07  # inches: the height of lower-case letters with ascenders, where a page has none in lines
# Share by which the field must bring the most strained letters nearer to straight lines, their own one and one that the
# other half of the lines tells.
LEAST_GAIN, LEAST_HELD = 0.12, 0.3
ROUNDS = 8  # of reweighting; the weights stand still before
# Weight of the penalty a letter: lets a spine through and no single word. Of as many letters at least: what few say is
# no surer for being all there is.
STIFFNESS, HELD_BY = 0.008, 3000
LIKE = 6  # glyphs of like shape, by whose median a width is judged
LIKENESS_SIDE = 8  # pixels a side of the pictures in which shapes are compared
MOST_UNLIKE = 3  # Euclidean distance of two such pictures: beyond, they are other letters
LEAST_WIDTH_ERROR = 0.008  # in logarithms
STEEPNESSES = np.linspace(0, 0.85, 35)  # of the surface where it is steepest
EVIDENT_SHORTENING = 12.0  # fall of chi squared
LETTERS_DPI = 150.0  # pixels an inch at which letters stand apart
LEAST_GLYPHS, LONGEST_GLYPH = 10, 14  # of a page; glyphs' heights
LINE, CELL = (5, 6.0), (3, 2.0)  # glyphs and glyphs' heights of a line of text at least, and of what stands in a table
MOSTLY_CELLS = 2.0  # times as many letters as in lines of text: cells count, too
MOST_IN_CELLS = 20_000  # letters: more are a halftone or dirt
# In letters' heights: cells in one row differ by less from the next one, and all of them; from row to row, for dirt
# stands at any height. Share of letters whose row has other cells.
LEVEL, LOW_ROW, LEAST_PITCH, BESIDE = 0.3, 0.8, 1.0, 0.42
GLYPH = (0.6, 3.0)  # of the usual height: what is lower or taller is no letter
# From a glyph to the next one on its line: how much heights off a line weigh against heights along it, where the next is
# looked for and how many are, and in heights how far it may be, how much of their height both share, how far off it is.
OFF_LINE, SEARCHED, NEIGHBOURS, FARTHEST, SHARED, LOWEST = 1.5, 2.6, 8, 2.2, 0.35, 0.8
COST_OFF, COST_MIDDLE = 0.7, 0.3  # of a height off the line, of lower edges and of middles, against one along it
JOINED = 0.1  # letters' heights of spread about their lines, beyond which they join and stand on no baseline
ROWS, STEP, COLUMNS = 9, 0.2, (12, 80)  # of the grid: rows, inches between columns, how many of these
DEEPEST, STRAINED = 0.97, 0.85  # quantiles of the letters' shifts: the deepest, and from where on they are strained
OUTSIDE = 1.3  # half heights of the text, beyond which the field goes on as it is there
# Stiffness across of the field's constant, linear and quadratic part down the page, and how near to nothing each is held.
STIFF, NEAR_NOTHING = (0.35, 0.5, 1.2), (6e-3, 6e-2, 0.24)
NORMAL = 1.4826  # median absolute deviations in a standard deviation of a normal distribution
LEAST_SCALE, TUBES, WIDE_ROUNDS = (
    0.02,
    (6.0, 3.5),
    3,
)  # letters' heights; deviations within which letters count, first and last
LEAST_WEIGHT = 1e-4  # so that no line is without any
FLAT_QUANTILES, FLAT_SLOPES = (0.3, 0.5, 0.7), 0.03  # of slopes along the page: all flat where they differ by less
LEAST_SLOPE = 0.01  # of a line: less is no fall to a spine
PART_INCHES, LEAST_PARTS, LEAST_IN_PART = (
    0.3,
    (6, 5),
    12,
)  # parts of the width; how many, and how many known; glyphs of one
NEARER, DRAWN_IN = (0.7, 1.4), (0.6, 1.7)  # within which a lens may enlarge and draw in
MOST_NARROWED = 0.5  # in logarithms: more is another letter
HEIGHT_WEIGHT = 4  # of a logarithm of heights among the pixels of a shape
LEAST_SPREAD = 0.25  # pixels
AXES = (0.0, 0.25, 0.5, 0.75, 1.0)  # shares of the page's width at which a lens may stand
Floats = NDArray[np.float64]


class Curvature(NamedTuple):
    """`bend` is None where the page is flat; `deepest` is the largest shift in inches.

    `lean` is how far the lines' flat part still stands turned counter-clockwise, in degrees.
    """

    bend: Bend | None
    deepest: float
    confidence: float
    lean: float = 0.0


class Letters(NamedTuple):
    """Glyphs in lines: lower edge, width, the line's number, and which piece of the page's ink each is; pixels."""

    x: Floats
    bottom: Floats
    width: Floats
    line: NDArray[np.int64]
    height: float
    ink: Pieces
    number: NDArray[np.int64]

    def longer(self, glyphs: int, heights: float) -> Letters:
        """Those in lines of so many glyphs, and as many of their heights long, at least."""
        count = np.bincount(self.line)
        first, last = np.full(len(count), np.inf), np.full(len(count), -np.inf)
        np.minimum.at(first, self.line, self.x - self.width / 2)
        np.maximum.at(last, self.line, self.x + self.width / 2)
        long = (count >= glyphs) & (last - first > heights * self.height)
        kept = long[self.line] if len(count) else np.zeros(0, bool)
        x, bottom, width, number = (v[kept] for v in (self.x, self.bottom, self.width, self.number))
        line = (np.cumsum(long) - 1)[self.line[kept]]
        return self._replace(x=x, bottom=bottom, width=width, line=line, number=number)

    def densest(self) -> Floats:
        """For each glyph, the row in which most of its ink lies."""
        return _densest_rows(self.ink.labels, self.ink.stats)[self.number]


def find_curvature(page: Image, dpi: float) -> Curvature:
    """How the text lines of a straightened page curve.

    Glyphs are chained into lines; rules across are lines, too, and so are a table's rows. All lines together fix one
    smooth field of downward shifts d(x, c): on line i, y = c_i + d(x, c_i), solved by least squares with Tukey's
    biweight (Beaton and Tukey, Technometrics 16, 1974), so that descenders do not count. The field is a tensor
    product of cubic B-splines across and a quadratic down, with a penalty on second differences (Eilers and Marx,
    Statistical Science 11, 1996). It counts where what every other line tells straightens those between, too.
    Where the page falls off to the spine, it is seen shortened; how much is found from the widths of like glyphs (a
    developable surface, as in Cao, Ding and Liu, ICDAR 2003).

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(grey(page), dpi, WORKING_DPI)
    dpi = dpi / factor
    size = (small.shape[1] / dpi, small.shape[0] / dpi)
    cells, rules = find_letters(small, dpi, CELL), find_traces(small, dpi)
    letters = cells.longer(*LINE)
    if len(cells.x) > MOSTLY_CELLS * len(letters.x):
        letters = _in_rows(cells, size, dpi) or letters
    few = len(letters.x) < LEAST_LETTERS and rules.line.max(initial=-1) + 1 < LEAST_RULES
    if few or size[0] < 1 or size[1] < 1:
        return Curvature(None, 0.0, 0.0)
    x = np.concatenate([letters.x, rules.x]) / dpi
    y = np.concatenate([letters.bottom, rules.y]) / dpi
    line = np.concatenate([letters.line, int(letters.line.max(initial=-1)) + 1 + rules.line])
    field = _Field(size, float(y.min()), float(y.max()))
    unit = letters.height / dpi or USUAL_LETTERS
    heights = _line_medians(y, line, int(line.max()) + 1)
    fitted = _fit(field, x, y, heights, line, unit)
    if fitted.scale > JOINED:  # joined scripts stand on their connecting strokes
        rows = np.concatenate([letters.densest(), rules.y]) / dpi
        dense = _fit(field, x, rows, heights, line, unit)
        if dense.scale < fitted.scale:
            fitted, y = dense, rows
    coefficients = fitted.coefficients
    shifts = field.at(x, heights) @ coefficients
    rows = np.linspace(0.0, size[1], ROWS)
    columns = np.linspace(0.0, size[0], min(COLUMNS[1], max(COLUMNS[0], int(size[0] / STEP) + 1)))
    down = np.array([field.at(columns, np.full(len(columns), r)) @ coefficients for r in rows])
    # What depends on y alone only moves whole lines: each row is measured from its own middle.
    covered = (columns >= x.min()) & (columns <= x.max())
    level = np.median(down[:, covered], axis=1) if covered.any() else down.mean(axis=1)
    own = shifts - np.interp(heights, rows, level)
    deepest = float(np.quantile(np.abs(own), DEEPEST))
    strained = np.abs(own) >= np.quantile(np.abs(own), STRAINED)
    gain = _gain(fitted.residual[strained], fitted.straight[strained])
    if deepest < LEAST_BEND or gain < LEAST_GAIN:
        return Curvature(None, deepest, 1.0)
    told = _told_by_others(field, x, y, heights, line, unit)[strained]
    if _gain(told, fitted.straight[strained]) < LEAST_HELD:
        return Curvature(None, deepest, 1.0)
    lean = _lean(down[:, covered], columns[covered])
    down -= level[:, None]
    shortened = _shortening(down, columns, size[1], letters, dpi)
    bend = _flat_grid(down, columns, size, shortened)
    return Curvature(bend, deepest, float(np.clip(0.4 + gain, 0, 1)), lean)


def find_letters(page: Image, dpi: float, least: tuple[int, float] = LINE) -> Letters:
    """Glyphs of a page, chained into lines.

    Parameters
    ----------
    page : (h, w) uint8
        At about 150 dpi.
    dpi : float
        Pixels an inch.
    least : (int, float)
        Glyphs of a line, and how many of their heights it is long.
    """
    ink = pieces(glyph_mask(page, dpi))
    stats = np.c_[ink.stats[1:], np.arange(1, len(ink.stats))].astype(np.float64)
    nothing = np.empty(0, np.int64)
    none = Letters(np.empty(0), np.empty(0), np.empty(0), nothing, 0.0, ink, nothing)
    if len(stats) < LEAST_GLYPHS:
        return none
    height = float(np.median(stats[:, 3][stats[:, 3] > dpi / 40])) if (stats[:, 3] > dpi / 40).any() else 0.0
    usable = (stats[:, 3] > GLYPH[0] * height) & (stats[:, 3] < GLYPH[1] * height)
    usable &= stats[:, 2] < LONGEST_GLYPH * height
    stats = stats[usable][np.argsort(stats[usable][:, 0])]
    if len(stats) < LEAST_GLYPHS:
        return none
    left, top, width, tall = stats[:, 0], stats[:, 1], stats[:, 2], stats[:, 3]
    right, bottom, middle = left + width, top + tall, top + tall / 2
    after = _followers(left, right, top, bottom, middle, height)
    line = np.empty(len(stats), np.int64)
    begun = set(after[after >= 0].tolist())
    for number, first in enumerate(i for i in range(len(stats)) if i not in begun):
        at = first
        while at >= 0:
            line[at] = number
            at = int(after[at])
    found = Letters(left + width / 2, bottom, width, line, height, ink, stats[:, 5].astype(np.int64))
    return found.longer(*least)


def _densest_rows(labels: Labels, stats: NDArray[np.int32]) -> Floats:
    """For each component, the row in which most of its ink lies."""
    y, x = np.nonzero(labels)
    which = labels[y, x]
    first = np.concatenate(([0], np.cumsum(stats[:, 3])))
    counts = np.bincount(first[which] + y - stats[which, 1], minlength=int(first[-1]))
    rows = np.zeros(len(stats))
    for i in range(1, len(stats)):
        rows[i] = stats[i, 1] + int(np.argmax(counts[first[i] : first[i + 1]]))
    return rows


def _followers(
    left: Floats, right: Floats, top: Floats, bottom: Floats, middle: Floats, height: float
) -> NDArray[np.int64]:
    """For each glyph, the next on its line, or -1; no glyph follows two."""
    count, neighbours = len(left), NEIGHBOURS
    tree = tree_of(np.c_[left, OFF_LINE * bottom])
    _, near = tree.query(np.c_[right, OFF_LINE * bottom], k=neighbours, distance_upper_bound=SEARCHED * height)
    here = np.repeat(np.arange(count), neighbours)
    there = near.ravel()
    known = (there < count) & (there != here)
    here, there = here[known], there[known]
    shared = np.minimum(bottom[there], bottom[here]) - np.maximum(top[there], top[here])
    lower = np.abs(bottom[there] - bottom[here])
    fits = (
        (left[there] > left[here])
        & (left[there] - right[here] < FARTHEST * height)
        & (shared > SHARED * np.minimum(bottom[there] - top[there], bottom[here] - top[here]))
        & (lower < LOWEST * height)
    )
    here, there = here[fits], there[fits]
    cost = (
        np.maximum(left[there] - right[here], 0)
        + COST_OFF * lower[fits]
        + COST_MIDDLE * np.abs(middle[there] - middle[here])
    )
    after = np.full(count, -1, np.int64)
    followed = np.zeros(count, bool)
    for i in np.argsort(cost, kind="stable"):  # cheapest pairs first, as in a matching
        a, b = here[i], there[i]
        if after[a] < 0 and not followed[b]:
            after[a] = b
            followed[b] = True
    return after


def _in_rows(cells: Letters, size: tuple[float, float], dpi: float) -> Letters | None:
    """A table's letters with its rows as lines; None where too few cells stand beside others.

    Cells tell slopes; those that lie level once these are taken off are a row, which tells shifts.
    """
    if not LEAST_LETTERS <= len(cells.x) <= MOST_IN_CELLS:
        return None
    x, y, count = cells.x / dpi, cells.bottom / dpi, int(cells.line.max()) + 1
    field = _Field(size, float(y.min()), float(y.max()))
    heights, unit = _line_medians(y, cells.line, count), cells.height / dpi
    fitted = _fit(field, x, y, heights, cells.line, unit)
    flat = _line_medians(y - field.at(x, heights) @ fitted.coefficients, cells.line, count)
    levels = flat[np.unique(cells.line, return_index=True)[1]]
    order = np.argsort(levels, kind="stable")
    begins = np.diff(levels[order], prepend=-np.inf) > LEVEL * unit
    row = np.empty(count, np.int64)
    row[order] = np.cumsum(begins) - 1
    ends = np.roll(begins, -1)
    first, last = levels[order][begins], levels[order][ends]
    beside = (last - first < LOW_ROW * unit) & (np.bincount(row) > 1)
    told = beside[row[cells.line]].mean() >= BESIDE and np.median(np.diff(first)) > LEAST_PITCH * unit
    return cells._replace(line=row[cells.line]) if told else None


class _Field:
    """Basis of the shift field: cubic B-splines across the page times 1, v, v^2 down it."""

    def __init__(self, size: tuple[float, float], first: float, last: float) -> None:
        spans = max(4, round(size[0] / KNOT_INCHES))
        inner = np.linspace(0.0, size[0], spans + 1)
        step = inner[1]
        self.knots = np.concatenate([inner[0] + step * np.arange(-3, 0), inner, inner[-1] + step * np.arange(1, 4)])
        self.across = len(self.knots) - 4
        self.middle, self.half = (first + last) / 2, max(0.5, (last - first) / 2)
        self.width = size[0]

    def at(self, x: Floats, y: Floats) -> Floats:
        """(n, 3 * across) values of the basis at points, inches."""
        from scipy.interpolate import BSpline  # slow to load, and needed on bent pages only

        inside = np.clip(x, 0, self.width - 1e-9)
        splines = BSpline.design_matrix(inside, self.knots, 3).toarray()
        v = np.clip((y - self.middle) / self.half, -OUTSIDE, OUTSIDE)
        return np.concatenate([splines, splines * v[:, None], splines * (v**2)[:, None]], axis=1)

    def penalty(self) -> Floats:
        """Rows that hold second differences across, and the higher terms, near zero."""
        second = np.diff(np.eye(self.across), 2, axis=0)
        ridge = np.eye(3 * self.across) * np.repeat(NEAR_NOTHING, self.across)[:, None]
        return np.concatenate([np.kron(np.diag(STIFF), second), ridge])


class _Fitted(NamedTuple):
    """Spread of the letters about straight lines and about the field's, in inches; its robust scale, in letters' heights."""

    coefficients: Floats
    straight: Floats
    residual: Floats
    scale: float


def _fit(field: _Field, x: Floats, y: Floats, heights: Floats, line: NDArray[np.int64], unit: float) -> _Fitted:
    """Parameters in inches; `unit` is the letters' height."""
    from scipy.sparse import csr_array  # as slow to load

    count = int(line.max()) + 1
    basis, penalty = field.at(x, heights), field.penalty()
    weight = np.ones(len(x))
    coefficients = np.zeros(basis.shape[1])
    residual = straight = y - _line_medians(y, line, count)
    scale = 0.0
    stiff = STIFFNESS * np.sqrt(max(len(x), HELD_BY)) * penalty
    for turn in range(ROUNDS):
        members = csr_array((weight, (line, np.arange(len(line)))), shape=(count, len(line)))
        inner = basis - ((members @ basis) / members.sum(axis=1)[:, None])[line]
        target = y - _line_means(y, line, weight, count)
        rows = inner * np.sqrt(weight)[:, None]
        coefficients = np.linalg.solve(rows.T @ rows + stiff.T @ stiff, rows.T @ (target * np.sqrt(weight)))
        residual = target - inner @ coefficients
        residual -= _line_medians(residual, line, count)
        # From a wide tube to a narrow one: first all letters count, at last those on the baseline.
        scale = max(NORMAL * float(np.median(np.abs(residual))), LEAST_SCALE * unit)
        tube = TUBES[turn >= WIDE_ROUNDS] * scale
        weight = np.clip(1 - (residual / tube) ** 2, 0, None) ** 2 + LEAST_WEIGHT
    return _Fitted(coefficients, straight, residual, scale / unit)


def _gain(after: Floats, before: Floats) -> float:
    """The share by which deviations are less than they were."""
    least = float(np.median(np.abs(before)))
    return 1 - float(np.median(np.abs(after))) / least if least > 0 else 0.0


def _told_by_others(
    field: _Field, x: Floats, y: Floats, heights: Floats, line: NDArray[np.int64], unit: float
) -> Floats:
    """Each letter's residual by a field that every other line tells, its own left out (cross-validation; Stone,
    J. Roy. Statist. Soc. B 36, 1974): a bend is of the page, not of the letters that it was measured on.
    """
    order = np.argsort(heights[np.unique(line, return_index=True)[1]], kind="stable")
    odd = np.argsort(order, kind="stable")[np.unique(line, return_inverse=True)[1]] % 2 == 1
    residual = y - _line_medians(y, line, int(line.max()) + 1)
    if not odd.any():  # a single line, beside which nothing stands
        return residual
    for held in (odd, ~odd):
        others = np.unique(line[~held], return_inverse=True)[1]
        told = _fit(field, x[~held], y[~held], heights[~held], others, unit).coefficients
        rest = y[held] - field.at(x[held], heights[held]) @ told
        own = np.unique(line[held], return_inverse=True)[1]
        residual[held] = rest - _line_medians(rest, own, int(own.max()) + 1)
    return residual


def _line_means(values: Floats, line: NDArray[np.int64], weight: Floats, count: int) -> Floats:
    total = np.bincount(line, weight * values, count)
    return np.asarray((total / np.bincount(line, weight, count))[line])


def _line_medians(values: Floats, line: NDArray[np.int64], count: int) -> Floats:
    order = np.lexsort((values, line))
    sizes = np.bincount(line, minlength=count)
    first = np.concatenate(([0], np.cumsum(sizes)[:-1]))
    return np.asarray(values[order][first + sizes // 2][line])


def _lean(down: Floats, columns: Floats) -> float:
    """Degrees counter-clockwise of the flat part; of the whole, where nothing is flat."""
    slopes = np.gradient(down, columns, axis=1)
    low, middle, high = np.quantile(slopes, FLAT_QUANTILES)
    if high - low > FLAT_SLOPES:
        middle = np.polyfit(columns, down.mean(axis=0), 1)[0]
    return -float(np.rad2deg(np.arctan(middle)))


def _shortening(down: Floats, columns: Floats, height: float, letters: Letters, dpi: float) -> Floats:
    """By how much the page is seen shortened at each column: 1 where it lies flat, less where it falls off.

    The slope of the surface is taken to be in proportion to that of the lines; the
    proportion is the one under which like glyphs are equally wide everywhere. A lens
    draws in what lies deeper towards its axis, which may stand above the page or, over an
    open book, above its edge; a line sensor does not.
    """
    constant, leaning = down.mean(axis=0), down[-1] - down[0]
    profile = leaning if np.ptp(leaning) > np.ptp(constant) else constant
    slope = np.gradient(profile, columns)
    slope -= np.median(slope)
    steepest = float(np.abs(slope).max())
    flat = np.ones(len(columns))
    if steepest < LEAST_SLOPE or len(letters.x) == 0:
        return flat
    x = letters.x / dpi
    steep = np.abs(np.interp(x, columns, slope))
    narrower = _narrowing(letters, steep <= np.median(steep))
    edges = np.linspace(columns[0], columns[-1], max(LEAST_PARTS[0], int(columns[-1] / PART_INCHES)))
    which = np.digitize(x, edges) - 1
    places, widths, sure = [], [], []
    for part in range(len(edges) - 1):
        here = (which == part) & np.isfinite(narrower)
        if here.sum() >= LEAST_IN_PART:
            places.append(float(x[here].mean()))
            widths.append(float(np.mean(narrower[here])))
            sure.append(1 / (float(np.var(narrower[here])) / here.sum() + LEAST_WIDTH_ERROR**2))
    if len(places) < LEAST_PARTS[1]:
        return flat
    weights = np.array(sure)
    best, least, without = flat, np.inf, np.inf
    deeper = np.clip(1 + (leaning - np.median(leaning)) / height, *NEARER)
    axes = columns[0] + np.array(AXES) * (columns[-1] - columns[0])
    drawn_in = [1 / np.clip(np.gradient(axis + (columns - axis) / deeper, columns), *DRAWN_IN) for axis in axes]
    for sight, steepness in product((flat, *drawn_in), STEEPNESSES):
        seen = sight * np.sqrt(1 - (slope / steepest * steepness) ** 2)
        gap = np.array(widths) - np.interp(places, columns, np.log(seen))
        error = float(np.sum(weights * (gap - np.average(gap, weights=weights)) ** 2))
        if sight is flat and steepness == 0:
            without = error
        if error < least:
            best, least = seen, error
    return best if without - least > EVIDENT_SHORTENING else flat


def _narrowing(letters: Letters, flat: NDArray[np.bool_]) -> Floats:
    """For each glyph the logarithm of its width against that of its like on the flat part; NaN where there is none.

    Likeness is judged on glyphs brought to one width and height, so that it does not depend on their widths,
    which are told by the spread of the ink: a blurred rim hardly changes it.
    """
    found = np.full(len(letters.x), np.nan)
    known = np.flatnonzero(flat)
    if len(known) <= LIKE:
        return found
    widths = np.log(_spreads(letters.ink)[letters.number])
    shapes = _shapes(letters)
    squares = (shapes**2).sum(axis=1)
    apart = squares[:, None] + squares[known] - 2 * shapes @ shapes[known].T
    apart[known, np.arange(len(known))] = np.inf  # no glyph is its own like
    like = np.argpartition(apart, LIKE, axis=1)[:, :LIKE]
    near = np.take_along_axis(apart, like, axis=1) < MOST_UNLIKE**2
    gaps = np.where(near, widths[:, None] - widths[known[like]], np.nan)
    some = near.any(axis=1)
    found[some] = np.nanmedian(gaps[some], axis=1)
    found[np.abs(found) > MOST_NARROWED] = np.nan
    return found


def _spreads(ink: Pieces) -> Floats:
    """The standard deviation of each piece's ink along x, at least a quarter of a pixel."""
    _, x = np.nonzero(ink.labels)
    which = ink.labels[ink.labels > 0]
    count = np.maximum(np.bincount(which, minlength=len(ink.stats)), 1)
    mean = np.bincount(which, x, len(ink.stats)) / count
    square = np.bincount(which, x.astype(np.float64) ** 2, len(ink.stats)) / count
    return np.sqrt(np.maximum(square - mean**2, LEAST_SPREAD**2))


def _shapes(letters: Letters) -> NDArray[np.float32]:
    """Each glyph's ink brought to one width and height, and a measure of its height."""
    side = LIKENESS_SIDE
    shapes = np.empty((len(letters.x), side**2 + 1), np.float32)
    for i, number in enumerate(letters.number):
        left, top, width, height, _ = letters.ink.stats[number]
        glyph = (letters.ink.labels[top : top + height, left : left + width] == number).astype(np.uint8) * 255
        shapes[i, :-1] = cv2.resize(glyph, (side, side), interpolation=cv2.INTER_AREA).ravel()
        shapes[i, -1] = height
    shapes[:, :-1] /= 255
    shapes[:, -1] = HEIGHT_WEIGHT * np.log(shapes[:, -1])
    return shapes


def _flat_grid(down: Floats, columns: Floats, size: tuple[float, float], shortened: Floats) -> Bend:
    """Shifts from flat places to seen ones, on a grid over the flat sheet."""
    stretch = 1 / shortened
    flat_x = np.concatenate(([0.0], np.cumsum((stretch[1:] + stretch[:-1]) / 2 * np.diff(columns))))
    wide = float(flat_x[-1])
    grid = np.linspace(0.0, wide, len(columns))
    seen_x = np.interp(grid, flat_x, columns)
    at_seen = [np.interp(seen_x, columns, row) for row in down]
    return Bend(
        size=(round(wide, 4), size[1]),
        down=tuple(tuple(round(float(v), 5) for v in row) for row in at_seen),
        along=tuple(round(float(v), 5) for v in seen_x - grid),
    )
