"""Applies a page's treatment to its original and tells what each step found."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import cv2
import numpy as np

from hyalen.core.imaging.background import estimate_paper, is_coloured, whiten
from hyalen.core.imaging.despeckle import despeckle
from hyalen.core.imaging.orientation import quarter_turned
from hyalen.core.imaging.pixels import Image, as_uint8, grey, ink_mask, reduced
from hyalen.core.imaging.skew import Skew, estimate_skew
from hyalen.core.imaging.trim import find_paper
from hyalen.core.model.geometry import Box, Matrix, compose, translation
from hyalen.core.model.treatment import Cleaned, Finding, QuarterTurn, Switch, Treatment

LEAST_SKEW = 0.03
ALREADY_WHITE = 250.0


class FoundTurn(NamedTuple):
    """Clockwise degrees that make the page upright, with a reason where that is doubtful.

    `skew` is that of the upright page where it was measured on the way.
    """

    degrees: QuarterTurn
    confidence: float
    reason: str = ""
    skew: Skew | None = None


def turn_matrix(degrees: int, width: int, height: int) -> Matrix:
    """Pixel transform of a clockwise quarter turn of a `width` x `height` image."""
    if degrees == 90:
        return np.array([[0, -1, height], [1, 0, 0], [0, 0, 1]], dtype=np.float64)
    if degrees == 180:
        return np.array([[-1, 0, width], [0, -1, height], [0, 0, 1]], dtype=np.float64)
    if degrees == 270:
        return np.array([[0, 1, 0], [-1, 0, width], [0, 0, 1]], dtype=np.float64)
    return np.eye(3)


def straighten_matrix(skew: float, width: int, height: int) -> tuple[Matrix, tuple[int, int]]:
    """Turns content that stands `skew` degrees counter-clockwise upright, on a canvas that holds it all.

    Returns
    -------
    matrix, (width, height)
    """
    angle = np.deg2rad(skew)
    cos, sin = float(np.cos(angle)), float(np.sin(angle))
    new_width = int(np.ceil(abs(width * cos) + abs(height * sin)))
    new_height = int(np.ceil(abs(width * sin) + abs(height * cos)))
    turn = np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1]], dtype=np.float64)
    matrix = compose(translation(-width / 2, -height / 2), turn, translation(new_width / 2, new_height / 2))
    return matrix, (new_width, new_height)


def clean_page(
    original: Image,
    dpi: float,
    treatment: Treatment,
    find_turn: Callable[[Image, float], FoundTurn],
) -> tuple[Image, Cleaned]:
    """The cleaned page.

    Parameters
    ----------
    original : (h, w) or (h, w, 3) uint8
        Grey or RGB.
    dpi : float
        Pixels an inch.
    treatment : Treatment
    find_turn : callable
        (image, dpi) -> FoundTurn; called where the turn is automatic.

    Returns
    -------
    image, cleaned
        The image is (h, w) where the page bears no colour.
    """
    findings: list[Finding] = []
    colour = _bears_colour(original, dpi)
    if not colour and treatment.lighten.switch is Switch.AUTOMATIC:
        original = grey(original)  # the tint goes anyway, and a third of the pixels is a third of the time
    turn, found = _turn(original, dpi, treatment, find_turn)
    degrees = turn.degrees
    findings.append(found)
    page = quarter_turned(original, degrees)
    matrix = turn_matrix(degrees, original.shape[1], original.shape[0])

    skew, found = _skew(page, dpi, treatment, turn.skew)
    findings.append(found)
    if skew:
        bend, size = straighten_matrix(skew, page.shape[1], page.shape[0])
        page = as_uint8(cv2.warpAffine(page, bend[:2], size, flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE))
        matrix = compose(matrix, bend)

    box, found = _trim(page, dpi, treatment)
    findings.append(found)
    page = page[box.top : box.bottom, box.left : box.right]
    matrix = compose(matrix, translation(-box.left, -box.top))

    page, found = _lighten(page, dpi, treatment)
    findings.append(found)
    if treatment.despeckle.switch is not Switch.OFF:
        page, removed = despeckle(page, dpi)
        marks = "no specks" if removed == 0 else f"{removed} speck{'s' * (removed != 1)} removed"
        findings.append(Finding(step="despeckle", says=marks, value=removed))
    blank = is_blank(page, dpi)
    findings += quality(page, dpi, blank)
    cleaned = Cleaned(
        width=page.shape[1],
        height=page.shape[0],
        dpi=dpi,
        turn=degrees,
        skew=skew,
        trim=box,
        to_original=tuple(float(v) for v in np.linalg.inv(matrix).ravel()),
        blank=blank,
        colour=colour,
        findings=tuple(findings),
    )
    return page, cleaned


def is_blank(page: Image, dpi: float) -> bool:
    """Whether a whitened page bears less ink than a short word: one part in 50,000."""
    if min(page.shape[:2]) < 8:
        return True
    small, factor = reduced(grey(page), dpi, 100)
    margin = int(dpi / factor / 6)
    inner = small[margin:-margin, margin:-margin] if min(small.shape) > 4 * margin > 0 else small
    if inner.min() > 160 or inner.max() < 90:
        return True
    return bool((inner < 150).mean() < 2e-5)


def quality(page: Image, dpi: float, blank: bool) -> list[Finding]:
    """What will hurt reading, with advice."""
    if blank:
        return [Finding(step="quality", says="The page seems to be blank.", confidence=0.5)]
    found = []
    if dpi < 190:
        found.append(
            Finding(step="quality", says=f"Only {dpi:g} dpi: scan again at 300 dpi.", value=dpi, confidence=0.6)
        )
    small, factor = reduced(grey(page), dpi, 150)
    ink = ink_mask(small, dpi / factor)
    if ink.any():
        contrast = float(np.median(small[~ink])) - float(np.median(small[ink]))
        if contrast < 60:
            found.append(
                Finding(
                    step="quality",
                    says="The ink is faint: scan again in grey, with more contrast.",
                    value=contrast,
                    confidence=0.6,
                )
            )
    return found


def _turn(
    page: Image, dpi: float, treatment: Treatment, find_turn: Callable[[Image, float], FoundTurn]
) -> tuple[FoundTurn, Finding]:
    if treatment.turn.switch is Switch.OFF:
        return FoundTurn(0, 1.0), Finding(step="turn", says="left as scanned")
    if treatment.turn.switch is Switch.BY_HAND:
        degrees = treatment.turn.degrees
        return FoundTurn(degrees, 1.0), Finding(step="turn", says=f"turned {degrees}° by hand", value=degrees)
    found = find_turn(page, dpi)
    says = f"turned {found.degrees}° clockwise" if found.degrees else "upright"
    if found.reason:
        says += f": {found.reason}"
    return found, Finding(step="turn", says=says, value=found.degrees, confidence=found.confidence)


def _skew(page: Image, dpi: float, treatment: Treatment, measured: Skew | None) -> tuple[float, Finding]:
    if treatment.straighten.switch is Switch.OFF:
        return 0.0, Finding(step="straighten", says="left as scanned")
    if treatment.straighten.switch is Switch.BY_HAND:
        degrees = treatment.straighten.degrees
        return degrees, Finding(step="straighten", says=f"straightened {degrees:+.2f}° by hand", value=degrees)
    skew = measured or estimate_skew(page, dpi)
    if skew.confidence == 0 or abs(skew.degrees) < LEAST_SKEW:
        says = "straight" if skew.confidence else "too little text to measure"
        return 0.0, Finding(step="straighten", says=says, confidence=max(skew.confidence, 0.9))
    says = f"straightened {abs(skew.degrees):.2f}° {'clockwise' if skew.degrees > 0 else 'counter-clockwise'}"
    return skew.degrees, Finding(step="straighten", says=says, value=skew.degrees, confidence=skew.confidence)


def _trim(page: Image, dpi: float, treatment: Treatment) -> tuple[Box, Finding]:
    whole = Box(0, 0, page.shape[1], page.shape[0])
    if treatment.trim.switch is Switch.OFF:
        return whole, Finding(step="trim", says="whole scan kept")
    if treatment.trim.switch is Switch.BY_HAND and treatment.trim.box is not None:
        box = treatment.trim.box.intersection(whole)
        if box.width > 0 and box.height > 0:
            return box, Finding(step="trim", says="cut by hand")
    box = find_paper(page, dpi)
    cuts = {
        "left": box.left,
        "top": box.top,
        "right": whole.right - box.right,
        "bottom": whole.bottom - box.bottom,
    }
    named = [f"{px} px {side}" for side, px in cuts.items() if px > 0]
    says = "cut " + ", ".join(named) if named else "no scanner bed"
    return box, Finding(step="trim", says=says, value=sum(cuts.values()))


def _bears_colour(page: Image, dpi: float) -> bool:
    """Whether there is colour on the page beside its paper's tint."""
    if page.ndim == 2:
        return False
    small, factor = reduced(page, dpi, 75)
    return is_coloured(whiten(small, estimate_paper(small, dpi / factor)), dpi / factor)


def _lighten(page: Image, dpi: float, treatment: Treatment) -> tuple[Image, Finding]:
    if treatment.lighten.switch is Switch.OFF:
        return page, Finding(step="lighten", says="paper left as scanned")
    strength = treatment.lighten.strength if treatment.lighten.switch is Switch.BY_HAND else 1.0
    small, factor = reduced(page, dpi, 75)
    paper = estimate_paper(small, dpi / factor)
    level = float(np.median(paper))
    if float(np.percentile(paper, 2)) > ALREADY_WHITE:
        return page, Finding(step="lighten", says="paper already white", value=level)
    says = f"paper at {level / 2.55:.0f} % brought to white"
    return whiten(page, paper, strength), Finding(step="lighten", says=says, value=level)
