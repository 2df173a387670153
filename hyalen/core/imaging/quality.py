"""What a scan is worth, told before time is wasted on it."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8, grey, ink_mask, reduced
from hyalen.core.model.treatment import Finding

LEAST_DPI = 190.0  # pixels an inch: at 200 dpi readers lose little (common practice, no source)
LEAST_CONTRAST = 60.0  # grey levels between paper and ink; pencil has fewer
MOST_NOISE = 22.0  # grey levels of the grain's deviation: beyond, it breaks strokes
LEAST_EFFECTIVE = 130.0  # pixels an inch that the sharpness of edges amounts to
LEAST_CLIPPED = 0.02  # of the page: a lamp's reflection is larger than a white spot


class Quality(NamedTuple):
    """Measures of a scan.

    Attributes
    ----------
    contrast : float
        Grey levels between paper and ink.
    noise : float
        Standard deviation of the paper's grain, grey levels.
    edge : float
        Median width of a stroke's edge, 10 to 90 %, in inches.
    effective_dpi : float
        The resolution that such edges bear: a pixel for half an edge.
    clipped : float
        Share of the page where light is so strong that paper and pale ink are one.
    """

    contrast: float
    noise: float
    edge: float
    effective_dpi: float
    clipped: float


def measure_quality(scan: Image, dpi: float, small: Image, small_dpi: float) -> Quality:
    """Contrast, noise, sharpness and clipping of a scan as it came.

    Noise by Immerkær's method (Computer Vision and Image Understanding 64, 1996): the
    response to the difference of two Laplacians, here its median, so that letters do not count.

    Parameters
    ----------
    scan : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    small : (h, w) or (h, w, 3) uint8
        The same, reduced to `small_dpi`.
    """
    small = grey(small)
    part = _busiest(scan, dpi, small, small_dpi)
    ink = ink_mask(small, small_dpi)[::2, ::2]
    tones = small[::2, ::2]
    both = ink.any() and not ink.all()
    contrast = float(np.median(tones[~ink])) - float(np.percentile(tones[ink], 35)) if both else 0.0
    kernel = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], dtype=np.float32)
    response = np.abs(cv2.filter2D(part, cv2.CV_32F, kernel))
    noise = float(np.median(response[::2, ::2])) / 0.6745 / 6
    edge = _edge_width(part, dpi)
    effective = min(dpi, 2 / edge) if edge else 0.0
    return Quality(contrast, noise, edge, effective, _clipped(small))


def advice(quality: Quality, dpi: float, blank: bool, lost: int = 0, enlarged: float = 1.0) -> list[Finding]:
    """What will hurt reading, with what to do; a finding of little confidence becomes a doubt.

    `enlarged` tells by how much the page was enlarged to be read; it is below 1 where a huge page was reduced.
    """

    def finding(topic: str, says: str, value: float, confidence: float = 0.6) -> Finding:
        return Finding(step="quality", topic=topic, says=says, value=round(value, 2), confidence=confidence)

    if blank:
        return [finding("blank", "The page seems to be blank.", 0, 0.5)]
    found = []
    if enlarged < 1:
        says = f"Larger than a worker's memory: kept at {dpi * enlarged:.0f} instead of {dpi:.0f} dpi."
        found.append(finding("size", says, dpi * enlarged, 1.0))
    if dpi < LEAST_DPI or enlarged > 1:
        how = f"; enlarged {enlarged:.1f} times to be read" if enlarged > 1 else ""
        why = f"Only {dpi:.0f} dpi" if dpi < LEAST_DPI else "Very small print"
        found.append(finding("resolution", f"{why}{how}: scan again at {300 if dpi < LEAST_DPI else 600} dpi.", dpi))
    elif 0 < quality.effective_dpi < min(LEAST_EFFECTIVE, 0.55 * dpi):
        found.append(
            finding(
                "sharpness",
                f"Blurred: as sharp as {quality.effective_dpi:.0f} dpi. Scan again with the page flat on the glass.",
                quality.effective_dpi,
            )
        )
    if 0 < quality.contrast < LEAST_CONTRAST:
        found.append(finding("contrast", "The ink is faint: scan again in grey, with more contrast.", quality.contrast))
    if quality.noise > MOST_NOISE:
        found.append(finding("noise", "The scan is grainy: scan again with more light.", quality.noise))
    if quality.clipped > LEAST_CLIPPED:
        found.append(
            finding(
                "glare",
                f"Glare on {quality.clipped:.0%} of the page: what stood there is lost. Take it again without the lamp.",
                quality.clipped,
            )
        )
    if lost:
        found.append(
            finding(
                "corners",
                f"{lost} corner{'s' * (lost > 1)} of the sheet lie{'s' * (lost == 1)} outside the picture.",
                lost,
            )
        )
    return found


def _busiest(scan: Image, dpi: float, small: Image, small_dpi: float) -> Image:
    """A window of two inches with most strokes, at full resolution."""
    side = int(2 * dpi)
    if max(scan.shape[:2]) <= side:
        return grey(scan)
    tiny, _ = reduced(small, small_dpi, 50)
    factor = scan.shape[0] / tiny.shape[0]
    ink = ink_mask(tiny, dpi / factor).astype(np.float32)
    reach = max(3, int(side / factor))
    held = cv2.boxFilter(ink, -1, (reach, reach), normalize=False, borderType=cv2.BORDER_CONSTANT)
    y, x = np.unravel_index(int(np.argmax(held)), held.shape)
    top = min(max(0, int(y * factor) - side // 2), max(0, scan.shape[0] - side))
    left = min(max(0, int(x * factor) - side // 2), max(0, scan.shape[1] - side))
    return grey(as_uint8(scan[top : top + side, left : left + side]))


def _edge_width(part: Image, dpi: float) -> float:
    """Median 10-90 % width of strong upright edges, in inches; 0 where there are none."""
    if min(part.shape) < 32:
        return 0.0
    smooth = cv2.GaussianBlur(part, (0, 0), 0.6).astype(np.float32)
    slope = np.abs(np.diff(smooth, axis=1))
    reach = max(3, int(dpi / 16)) | 1
    element = np.ones((1, reach), np.uint8)
    drop = (cv2.dilate(smooth, element) - cv2.erode(smooth, element))[:, 1:]
    ridge = slope >= cv2.dilate(slope, np.ones((1, 3), np.uint8)) - 1e-6
    strong = ridge & (drop > max(50.0, 0.5 * float(np.percentile(drop, 99)))) & (slope > 6)
    if strong.sum() < 150:
        return 0.0
    # A straight ramp of that slope over 80 % of the drop.
    widths = 0.8 * drop[strong] / slope[strong]
    return float(np.percentile(widths, 30)) / dpi


def _clipped(small: Image) -> float:
    """Share of the page in glare: spots of pure white in a picture that is darker elsewhere."""
    tones = small[::3, ::3]
    if float((tones >= 254).mean()) > 0.5 or float(np.median(tones)) > 240:
        return 0.0  # white paper, evenly lit
    white = (small >= 254).astype(np.uint8)
    side = max(5, min(small.shape) // 60) | 1
    spots: NDArray[np.uint8] = as_uint8(cv2.morphologyEx(white, cv2.MORPH_OPEN, np.ones((side, side), np.uint8)))
    return float(spots.mean())
