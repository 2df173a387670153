"""Isolated specks to white."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.colour import ink_levels
from hyalen.core.imaging.neighbours import tree_of
from hyalen.core.imaging.pixels import Image, Labels, pieces

LEAST_LETTERS = 60  # fewer do not tell how large the page's dots are
LEAST_DOTS = 12  # dots on stems that tell the size of all; with fewer, the stroke does
FEW_DOTS, ALIKE = 8, 0.5  # dots on stems; the spread of half of them over their area, where they are much alike
MANY_MARKS, MUCH_ALIKE = 60, 0.25  # marks of a dot's size; the same spread, where they are the page's dots themselves
MOST_DUST = 0.5  # of a dot's area
LARGEST_DOT = 1.3  # times a dot's area: what is larger is no dust
LEADER = 1.8  # of the small letters' height: how far apart a row of dots may stand
MOST_TIED = 0.12  # of the letters that run together: in joined scripts dots stand anywhere
EVEN = 0.2  # of the step from dot to dot of a row, by which it may differ
SLANT = 0.35  # of the small letters' height: by so much the dot of an italic i stands to the right of its stem
TOUCHING = 1.3  # of the small letters' height: what is wider is several letters
LONGEST_FIBRE, THICKEST_FIBRE = 1 / 14, 1 / 85  # inches: longer and thicker are strokes of letters and dashes
OBLIQUE = 12.0  # degrees from upright and level, as no dash, bar or figure one is
CLEAR = 2  # pixels of paper around a mark that is no part of a letter
INK = 200  # grey level: the palest that is looked at
# Parts of an inch: the side of a square speck; the longest one; the least letter and the largest full stop; how near
# to a letter nothing goes; the grid on which letters are found; the least part of a broken letter and of a leader.
SPECK, LONGEST_SPECK, LETTER, NEAR, GRID, PART = 60, 30, 25, 14, 75, 100
FRAME = 2  # parts of an inch: what is larger is a table's frame, which is not all that it encloses
FIBRE_ALONE = 1.5  # times the longest fibre: the distance within which there is no other mark
TALLEST, WIDEST, WIDEST_TIED = 4, 3, 2  # parts of an inch: of letters; inches: of letters that run together
SMALL_LETTERS = 40  # percentile of the letters' heights: small ones, not capitals
# Small letters' heights: the largest dust; how far a letter may be from a dot of its; the least height and the least
# width of letters that run together, the latter over their height.
LARGEST_DUST, DOT_REACH, TIED_HEIGHT, TIED_WIDTH = 0.45, 2.2, 0.6, 1.8
LEVEL, UPRIGHT, COLON = 0.12, 0.15, 1.1  # the same: off one level, off one upright, and between a colon's dots
# The same, of where a dot may stand by a letter: over and under it, beside it, on its baseline, at its head.
OVERLAP, OVER, UNDER, BESIDE, ON_LINE, AT_HEAD, BETWEEN = 0.2, 0.8, 0.5, 0.6, 0.3, 0.35, 0.4
FLAT, MIDWAY, OFF = 1.3, 0.5, 0.25  # times as wide as high; small letters' heights over the line, and how far off that
LONG, DESCENDER = 1.2, 0.35  # the same: the height of capitals and of letters that reach below the line; how far
STEM, STEM_HEIGHT, STEM_DOT = (
    0.6,
    1.5,
    0.5,
)  # width of a stem over its height; small letters' heights: stems, their dots
LEAST_DOT, MOST_DOT = 0.5, 2.5  # of the square of a stroke; what is larger is several dots that run together
ROW = 9  # parts of an inch between marks that belong together, as those of a colon or a row of leader dots


def despeckle(page: Image, dpi: float) -> tuple[Image, int]:
    """Take off marks smaller than a full stop that stand clear of all writing.

    A mark goes when it covers less than a square of 1/60 inch and no letter-sized
    ink lies within 1/14 inch of it, so dots, accents and punctuation stay; so does one as
    large as a full stop (up to 1/25 inch), and a fibre, thin and up to 1/14 inch long, that
    leans as no dash does or has no writing to its left or right. Marks right above or beside each other stay: a
    colon after a space, a row of leader dots. Within lines goes what is less than half as large
    as the page's own dots (those on i and j, or a square of its stroke) and touches no letter.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened.
    dpi : float
        Pixels an inch.

    Returns
    -------
    page, removed
        The page and the number of marks taken off.
    """
    dark = (ink_levels(page, dpi) < INK).astype(np.uint8)
    labels, stats, centres = pieces(dark)
    count = len(stats)
    size = np.maximum(stats[:, 2], stats[:, 3])
    small = (stats[:, 4] <= (dpi / SPECK) ** 2) & (size <= dpi / LONGEST_SPECK)
    small[0] = False
    # Letters are found on a coarse grid: their surroundings need no pixel's precision.
    step = max(1, int(dpi / GRID))
    if count < 2:
        return page, 0
    letters = np.zeros((page.shape[0] // step + 1, page.shape[1] // step + 1), dtype=np.uint8)
    wide = size > dpi / FRAME
    length = np.hypot(stats[:, 2], stats[:, 3])
    thin = (
        (size > dpi / LONGEST_SPECK) & (length <= LONGEST_FIBRE * dpi) & (stats[:, 4] <= length * THICKEST_FIBRE * dpi)
    )
    for left, top, width, height, _ in stats[1:][(size[1:] > dpi / LETTER) & ~wide[1:] & ~thin[1:]]:
        letters[top // step : (top + height) // step + 1, left // step : (left + width) // step + 1] = 1
    wide[0] = False
    frames = np.zeros_like(letters)
    ruled = wide[labels[::step, ::step]]
    frames[: ruled.shape[0], : ruled.shape[1]] = ruled
    reach = max(3, int(dpi / NEAR / step)) * 2 + 1
    # Beside a rule, only its own ragged edge is no dust.
    near = cv2.max(
        cv2.dilate(letters, np.ones((reach, reach), np.uint8)), cv2.dilate(frames, np.ones((3, 3), np.uint8))
    )
    at = (np.nan_to_num(centres) / step).astype(np.int64)  # no pixel at all has no centre
    clear = near[at[:, 1], at[:, 0]] == 0
    stops = (stats[:, 4] > (dpi / SPECK) ** 2) & (size <= dpi / LETTER) & clear
    stops[0] = False
    thin[0] = False
    lettered = np.asarray(letters.any(axis=1), dtype=np.bool_)
    alone = np.flatnonzero(thin & clear)
    if len(alone):  # pieces of one broken letter lie beside each other
        marks = tree_of(centres[1:][size[1:] > dpi / GRID])
        beside = marks.query_ball_point(centres[alone], LONGEST_FIBRE * dpi * FIBRE_ALONE, return_length=True)
        alone = alone[beside <= 1]
    fibres = [i for i in alone if _is_fibre(labels, stats[i], int(i), lettered, step)]
    gone = (small & clear) | stops
    gone[np.flatnonzero(gone)[_in_a_row(centres[gone], centres, stats[:, 4] > (dpi / PART) ** 2, dpi)]] = False
    gone[fibres] = True
    gone |= _dust(dark, stats, centres, size, dpi)
    if not gone.any():
        return page, 0
    result = page.copy()
    for left, top, width, height, _ in stats[gone]:
        window = (slice(max(0, top - 1), top + height + 1), slice(max(0, left - 1), left + width + 1))
        mask = cv2.dilate(gone[labels[window]].astype(np.uint8), np.ones((3, 3), np.uint8)) == 1
        result[window][mask] = 255
    return result, int(gone.sum())


def _is_fibre(labels: Labels, stat: NDArray[np.int32], number: int, lettered: NDArray[np.bool_], step: int) -> bool:
    """Whether a thin mark that stands alone leans as no sign does, or stands where there is no line of writing."""
    left, top, width, height, _ = (int(v) for v in stat)
    if not lettered[top // step : (top + height) // step + 1].any():
        return True
    points = cv2.findNonZero((labels[top : top + height, left : left + width] == number).astype(np.uint8))
    along, across = np.abs(np.asarray(cv2.fitLine(points, cv2.DIST_L2, 0, 0.01, 0.01)).ravel()[:2])
    lean = float(np.rad2deg(np.arctan2(across, along)))
    return OBLIQUE < lean < 90 - OBLIQUE


def _dust(
    dark: NDArray[np.uint8],
    stats: NDArray[np.int32],
    centres: NDArray[np.float64],
    size: NDArray[np.int32],
    dpi: float,
) -> NDArray[np.bool_]:
    """Which marks within lines are dust: clear of all ink and far smaller than the page's dots, or where no dot can be.

    Dots in a row stay, whatever their size.
    """
    dust = np.zeros(len(stats), bool)
    left, top, width, height, area = stats.T
    letters = np.flatnonzero(
        (height > dpi / LONGEST_SPECK) & (height < dpi / TALLEST) & (width < dpi / WIDEST) & (size > dpi / LETTER)
    )
    if len(letters) < LEAST_LETTERS:
        return dust
    tall = float(np.percentile(height[letters], SMALL_LETTERS))
    dot, on_stems = _dot_area(stats, centres, size, letters, tall)
    tied = (height > TIED_HEIGHT * tall) & (height < dpi / TALLEST) & (width > TIED_WIDTH * height)
    tied &= width < WIDEST_TIED * dpi
    on_stems &= bool(tied.sum() < MOST_TIED * len(letters))  # letters that join bear dots anywhere
    small: NDArray[np.int64] = np.flatnonzero((area < LARGEST_DOT * dot) & (size < LARGEST_DUST * tall))
    boxes = np.c_[left, top, left + width, top + height].astype(np.float64)
    near = tree_of(centres[letters]).query_ball_point(centres[small], DOT_REACH * tall)
    marks = tree_of(centres[small])
    rows = marks.query_ball_point(centres[small], LEADER * tall)
    places = {int(i): place for place, i in enumerate(small)}

    def alike(i: int) -> NDArray[np.int64]:
        found = small[rows[places[i]]]
        return np.asarray(found[(area[found] > 0.5 * area[i]) & (area[found] < 2 * area[i])])

    def level(i: int) -> NDArray[np.int64]:
        found = alike(i)
        return np.asarray(found[np.abs(centres[found, 1] - centres[i, 1]) < LEVEL * tall])

    for i, others in zip(small.tolist(), near, strict=True):
        if i == 0:
            continue
        y, x, h, w = int(top[i]), int(left[i]), int(height[i]), int(width[i])
        around = dark[max(0, y - CLEAR) : y + h + CLEAR, max(0, x - CLEAR) : x + w + CLEAR]
        if cv2.countNonZero(around) != area[i]:
            continue
        beside = level(i)
        if len(beside) > 2 or any(_goes_on(i, j, level(j), centres) for j in beside.tolist()):  # leaders, an ellipsis
            continue
        if area[i] < MOST_DUST * dot:
            dust[i] = True
        elif on_stems and not (others and _may_stand(boxes[i], boxes[letters[others]], tall)):
            across, down = np.abs(centres[alike(i)] - centres[i]).T
            dust[i] = not ((across < UPRIGHT * tall) & (down < COLON * tall)).sum() > 1  # a colon's
    return dust


def _goes_on(end: int, following: int, level: NDArray[np.int64], centres: NDArray[np.float64]) -> bool:
    """Whether the row that ends with two marks goes on beyond the second, as far away as the second is from the end."""
    step = centres[following, 0] - centres[end, 0]
    off = centres[level, 0] - centres[following, 0] - step
    return bool(step != 0 and (np.abs(off) < EVEN * abs(step)).any())


def _may_stand(mark: NDArray[np.float64], letters: NDArray[np.float64], tall: float) -> bool:
    """Whether a dot can stand there: over or under a letter, behind one on its baseline, at its head, among letters that
    touch each other, or raised between two figures, which are as tall as capitals; or a hyphen, behind a letter.
    """
    left, top, right, bottom = mark
    middle = (left + right) / 2
    touching = letters[:, 2] - letters[:, 0] > TOUCHING * tall
    among = (letters[:, 0] < left) & (right < letters[:, 2]) & (letters[:, 1] < bottom) & (top < letters[:, 3])
    if (touching & among).any():  # over which of them nobody can tell
        return True
    within = (letters[:, 0] - UPRIGHT * tall < middle) & (middle < letters[:, 2] + SLANT * tall)
    over, under = letters[:, 1] - bottom, top - letters[:, 3]
    if (
        within
        & (((over > -OVERLAP * tall) & (over < OVER * tall)) | ((under > -OVERLAP * tall) & (under < UNDER * tall)))
    ).any():
        return True
    behind = (left - letters[:, 2] > -OVERLAP * tall) & (left - letters[:, 2] < BESIDE * tall)
    long = letters[:, 3] - letters[:, 1] > LONG * tall
    level = np.abs(bottom - letters[:, 3]) < ON_LINE * tall
    level |= long & (np.abs(bottom - (letters[:, 3] - DESCENDER * tall)) < ON_LINE * tall)  # behind a descender
    rise = letters[:, 3] - (top + bottom) / 2
    midway = (np.abs(rise - MIDWAY * tall) < OFF * tall) | (
        long & (np.abs(rise - (MIDWAY + DESCENDER) * tall) < OFF * tall)
    )
    if right - left > FLAT * (bottom - top) and (behind & midway).any():
        return True
    beside = np.abs((letters[:, 1] + letters[:, 3]) / 2 - (top + bottom) / 2) < BETWEEN * tall
    before, after = left - letters[:, 2], letters[:, 0] - right
    if (long & beside & (before > 0) & (before < BESIDE * tall)).any() and (
        long & beside & (after > 0) & (after < BESIDE * tall)
    ).any():
        return True
    at_head = (np.abs(top - letters[:, 1]) < AT_HEAD * tall) & (
        (np.abs(left - letters[:, 2]) < BESIDE * tall) | (np.abs(letters[:, 0] - right) < BESIDE * tall)
    )
    return bool((behind & level).any() or (at_head & (long | (top < letters[:, 1] + OVERLAP * tall))).any())


def _dot_area(
    stats: NDArray[np.int32],
    centres: NDArray[np.float64],
    size: NDArray[np.int32],
    letters: NDArray[np.int64],
    tall: float,
) -> tuple[float, bool]:
    """Pixels of a dot: of those right above a stem, where there are enough single ones, else of a square of the stroke.

    Also whether it was measured on stems; without them nobody knows where this script has its dots.
    """
    left, top, width, height, area = stats.T
    stems = letters[(width[letters] < STEM * height[letters]) & (height[letters] < STEM_HEIGHT * tall)]
    marks = np.flatnonzero((size < STEM_DOT * tall) & (area > 4))
    marks = marks[marks > 0]
    # A stroke's area over half its outline, which is about its length.
    stroke = float(np.median(area[letters] / (width[letters] + height[letters])))
    if len(stems) and len(marks):
        heads = np.c_[left[stems] + width[stems] / 2, top[stems]]
        apart, nearest = tree_of(heads).query(centres[marks], distance_upper_bound=OVER * tall)
        head = heads[np.minimum(nearest, len(heads) - 1)]
        above = np.isfinite(apart) & (np.abs(centres[marks][:, 0] - head[:, 0]) < OVERLAP * tall)
        above &= centres[marks][:, 1] < head[:, 1]
        over = area[marks[above]]
        dots = over[over > LEAST_DOT * stroke**2]
        if len(dots) >= LEAST_DOTS:
            # In Arabic a hamza may stand over more stems than a dot, and is three times as large.
            middle = min(float(np.median(dots)), _common_area(area[marks], LEAST_DOT * stroke**2))
            return (middle, True) if middle < MOST_DOT * stroke**2 else (stroke**2, False)
        if len(over) >= FEW_DOTS:  # in a coarse scan dots are pale, but much of one size, as dust is not
            lower, middle, upper = np.percentile(over, (25, 50, 75))
            if upper - lower < ALIKE * middle:
                return float(middle), False
    return stroke**2, False


def _common_area(areas: NDArray[np.int32], least: float) -> float:
    """The area of which most marks are, as many dots are and no dust is; infinite where they are of many sizes."""
    if len(areas) < MANY_MARKS:
        return np.inf
    lower, middle, upper = np.percentile(areas, (25, 50, 75))
    return float(middle) if middle > least and upper - lower < MUCH_ALIKE * middle else np.inf


def _in_a_row(
    places: NDArray[np.float64], centres: NDArray[np.float64], sizable: NDArray[np.bool_], dpi: float
) -> NDArray[np.bool_]:
    """For each place, whether a mark of some size stands right above or beside it within 1/9 inch."""
    marks = centres[1:][sizable[1:]]
    if len(places) == 0 or len(marks) == 0:
        return np.zeros(len(places), dtype=bool)
    reach, slack = dpi / ROW, dpi / PART
    found = tree_of(marks).query_ball_point(places, reach)
    aligned = np.zeros(len(places), dtype=bool)
    for i, near in enumerate(found):
        apart = np.abs(marks[near] - places[i])
        distant = apart.max(axis=1) > slack
        aligned[i] = bool((distant & (apart.min(axis=1) < slack)).any())
    return aligned
