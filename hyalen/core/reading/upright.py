"""Which quarter turn makes a page upright, from the direction of its lines and its script."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np

from hyalen.core.imaging.background import estimate_paper, whiten
from hyalen.core.imaging.frame import straighten_matrix
from hyalen.core.imaging.orientation import FoundTurn, line_direction, quarter_turned
from hyalen.core.imaging.pixels import Image, as_uint8, grey, reduced
from hyalen.core.imaging.skew import Skew, estimate_skew, glyph_mask
from hyalen.core.languages import EDGES, is_known
from hyalen.core.model.found import FoundWord, Shape
from hyalen.core.model.treatment import QuarterTurn
from hyalen.core.reading.engine import ENGINE, script_turn

READING_DPI = 150.0  # pixels an inch: enough to tell letters from upturned ones
LINES_READ = 4  # lines that are read both ways up
LINE_INCHES = 2.4  # inches of a line that are read: three to five words
MOST_INK = 0.5  # of the page's width, in a row: more is its edge or a rule, and no letters
LINES_TRIED = 8  # lines among which those with most letters are taken
LEGIBLE = 0.5  # confidence below which a line tells nothing
CLEAR_MARGIN = 0.12  # of confidence between two ways up, that decides
CLEAR_READING = 0.7  # confidence of the better way up
EVIDENT_MARGIN = 0.25  # of confidence, at which no further line is read
FAINTLY, BETTER, LEAST_SPEAKING = 0.12, 2.0, 3  # confidence of a line that speaks at all; times the other; lines
LEAST_LETTERS = 12  # letters read before a way up has a mean
EVIDENT_LETTERS = 25  # letters that one evident line has
EVIDENT_READING, EVIDENT_KNOWN = 0.85, 0.7  # of confidence, of the words longer than two letters
LEAST_SCRIPT_MARGIN = 0.8  # of the engine's own orientation score, that counts at all
SURE_SCRIPT_MARGIN = 5.0  # the score at which its word is certain
SURE_ACROSS = 2.0  # the score that a quarter turn needs, against the direction of the lines
LEAST_DIRECTION = 0.05  # confidence of the direction of lines


def find_turn(page: Image, dpi: float, languages: tuple[str, ...] = ("eng",)) -> FoundTurn:
    """The clockwise turn that makes the page upright.

    The lines' direction is measured. Which end is up is told by reading a few lines both
    ways: upside down they read with far less confidence. Where that is not clear (another
    script than was told, few words) the engine's script detector is asked
    (Unnikrishnan and Smith, MOCR 2009). A page without enough text keeps its turn.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    languages : tuple of str
        What the page is likely to be written in; "auto" counts as English.
    """
    small, factor = reduced(grey(page), dpi, READING_DPI)
    dpi = dpi / factor
    direction = line_direction(small, dpi)
    if direction.confidence == 0:
        return FoundTurn(0, 0.5, "too little text to tell which way is up")
    quarter = 0 if direction.upright else 90
    view = quarter_turned(small, quarter)
    skew = estimate_skew(view, dpi)
    if abs(skew.degrees) > 0.3:
        matrix, size = straighten_matrix(skew.degrees, view.shape[1], view.shape[0])
        view = as_uint8(cv2.warpAffine(view, matrix[:2], size, borderMode=cv2.BORDER_REPLICATE))
    coarse, factor = reduced(view, dpi, 75)
    view = whiten(view, estimate_paper(coarse, dpi / factor))
    known = tuple(code for code in languages if code != "auto")[:1] or ("eng",)
    extra, margin, rather = _reading_turn(view, dpi, known)
    if margin >= CLEAR_MARGIN:
        return _turned(quarter + extra, min(1.0, 0.6 + margin * 2), skew)
    extra, margin = script_turn(view, dpi)
    if rather is not None and margin < SURE_SCRIPT_MARGIN and direction.confidence >= LEAST_DIRECTION:
        return _turned(quarter + rather, 0.5, skew, "the lines read badly either way up")
    if margin < LEAST_SCRIPT_MARGIN:
        return FoundTurn(0, 0.5, "the script does not tell which way is up")
    # Noise and numerals have scripts, too: what reads well that way settles it, and without that
    # a weak answer across the lines' direction is none.
    more, legible, _ = _reading_turn(quarter_turned(view, extra), dpi, known)
    if legible >= CLEAR_MARGIN:
        return _turned(quarter + extra + more, min(1.0, 0.6 + legible * 2), skew)
    if direction.confidence < LEAST_DIRECTION or (extra % 180 and margin < SURE_ACROSS):
        return FoundTurn(0, 0.5, "the script does not tell which way is up")
    confidence = float(np.clip(margin / SURE_SCRIPT_MARGIN, 0.5, 1.0))
    return _turned(quarter + extra, confidence, skew, "" if margin >= 2 else "the script leaves a doubt")


def _turned(degrees: int, confidence: float, skew: Skew, reason: str = "") -> FoundTurn:
    turn: QuarterTurn = degrees % 360  # type: ignore[assignment]
    return FoundTurn(turn, round(confidence, 3), reason, skew)


def _text_lines(view: Image, dpi: float) -> list[Image]:
    """Crops of the lines with most letters, each at most `LINE_INCHES` wide."""
    mask = glyph_mask(view, dpi)
    rows = mask.sum(axis=1, dtype=np.float64)
    inked = np.flatnonzero(rows > max(3.0, 0.08 * float(rows.max())))
    runs = np.split(inked, np.flatnonzero(np.diff(inked) > 1) + 1) if len(inked) else []
    most = MOST_INK * view.shape[1]
    fitting = [r for r in runs if dpi * 0.05 <= len(r) <= dpi * 0.35 and float(rows[r].mean()) <= most]
    fitting.sort(key=lambda r: -float(rows[r].sum()))
    lines, width, pad = [], int(dpi * LINE_INCHES), int(dpi * 0.05)
    for run in fitting[:LINES_TRIED]:
        top, bottom = max(0, int(run[0]) - pad), int(run[-1]) + 1 + pad
        held = np.convolve(mask[run].sum(axis=0, dtype=np.float64), np.ones(width), mode="valid")
        left = int(np.argmax(held)) if len(held) else 0
        lines.append(np.ascontiguousarray(view[top:bottom, left : left + width]))
    return lines


def _reading_turn(view: Image, dpi: float, languages: tuple[str, ...]) -> tuple[int, float, int | None]:
    """Extra clockwise degrees, and by how much more confidently the lines read that way (0: cannot tell).

    Also which way nearly all of them read less badly, where they read badly.
    """
    scores, letters = {0: 0.0, 180: 0.0}, {0: 0, 180: 0}
    pairs: list[tuple[float, float]] = []
    best, margin, read = 0, 0.0, 0
    for line in _text_lines(view, dpi):
        lying = _read_line(line, 0, dpi, languages)
        if _evident(lying, languages):
            return 0, EVIDENT_MARGIN, None  # no line reads like this upside down
        turned = _read_line(line, 180, dpi, languages)
        if _evident(turned, languages):
            return 180, EVIDENT_MARGIN, None
        found = {0: lying, 180: turned}
        pairs.append((_confidence(found[0]), _confidence(found[180])))
        if max(_confidence(words) for words in found.values()) < LEGIBLE:
            continue  # no writing either way: a fold, a rule, a picture
        for degrees, words in found.items():
            scores[degrees] += sum(w.confidence * len(w.text) for w in words)
            letters[degrees] += _letters(words)
        means = {d: scores[d] / letters[d] if letters[d] >= LEAST_LETTERS else 0.0 for d in scores}
        best = 0 if means[0] >= means[180] else 180
        margin = means[best] - means[180 - best] if means[best] >= CLEAR_READING else 0.0
        read += 1
        if read == LINES_READ or (margin >= EVIDENT_MARGIN and min(letters.values()) >= EVIDENT_LETTERS):
            break
    return best, margin, less_badly(pairs)


def less_badly(pairs: Sequence[tuple[float, float]]) -> int | None:
    """The way up that at least three lines speak for and none against, by their confidence as they lie and turned."""
    lying = [a > BETTER * b for a, b in pairs if max(a, b) >= FAINTLY]
    turned = [b > BETTER * a for a, b in pairs if max(a, b) >= FAINTLY]
    for degrees, speak, against in ((0, lying, turned), (180, turned, lying)):
        if sum(speak) >= LEAST_SPEAKING and not any(against):
            return degrees
    return None


def _read_line(line: Image, degrees: int, dpi: float, languages: tuple[str, ...]) -> list[FoundWord]:
    """The words of a line as it lies or upside down."""
    crop = line if degrees == 0 else np.ascontiguousarray(line[::-1, ::-1])
    blocks = ENGINE.read_region(crop, dpi, languages, Shape.LINE)
    return [w for b in blocks for each in b.lines for w in each.words]


def _letters(words: Sequence[FoundWord]) -> int:
    return sum(len(w.text) for w in words)


def _confidence(words: Sequence[FoundWord]) -> float:
    return sum(w.confidence * len(w.text) for w in words) / max(1, _letters(words))


def _evident(words: Sequence[FoundWord], languages: tuple[str, ...]) -> bool:
    """Whether a line reads so well, and in so many words of the language, that it lies upright."""
    long = [w for w in words if sum(c.isalpha() for c in w.text) > 2]
    known = sum(is_known(w.text.strip(EDGES), languages[0]) for w in long)
    enough = _letters(long) >= EVIDENT_LETTERS and known >= EVIDENT_KNOWN * len(long)
    return enough and _confidence(words) >= EVIDENT_READING
