"""Which quarter turn makes a page upright, from the direction of its lines and its script."""

from __future__ import annotations

import cv2
import numpy as np
import tesserocr
from PIL import Image as Pillow

from hyalen.core.imaging.background import estimate_paper, whiten
from hyalen.core.imaging.clean import FoundTurn, straighten_matrix
from hyalen.core.imaging.orientation import line_direction, quarter_turned
from hyalen.core.imaging.pixels import Image, as_uint8, grey, reduced
from hyalen.core.imaging.skew import estimate_skew, glyph_mask
from hyalen.core.model.treatment import QuarterTurn
from hyalen.core.reading.engine import engine_for

READING_DPI = 150.0
ENOUGH = 5.0
LEAST = 0.8


def find_turn(page: Image, dpi: float) -> FoundTurn:
    """The clockwise turn that makes the page upright.

    The lines' direction is measured; which end is up the engine's script detector
    tells (Unnikrishnan and Smith, MOCR 2009), first on the strip with most ink and on
    the whole page when that leaves a doubt. A page without enough text keeps its turn.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
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
    view = whiten(view, estimate_paper(view, dpi))
    for part in (_fullest_strip(view, dpi), view):
        extra, margin = _script_turn(part, dpi)
        if margin >= ENOUGH:
            break
    if margin < LEAST:
        return FoundTurn(0, 0.5, "the script does not tell which way is up")
    confidence = round(float(np.clip(margin / ENOUGH, 0.5, 1.0)), 3)
    turn: QuarterTurn = ((quarter + extra) % 360)  # type: ignore[assignment]
    return FoundTurn(turn, confidence, "" if margin >= 2 else "the script leaves a doubt")


def _fullest_strip(page: Image, dpi: float) -> Image:
    """The 1.6 inches of the page's height that hold the most letter-sized ink."""
    height = int(dpi * 1.6)
    if page.shape[0] <= height * 1.5:
        return page
    rows = glyph_mask(page, dpi).sum(axis=1, dtype=np.float64)
    held = np.convolve(rows, np.ones(height), mode="valid")
    top = int(np.argmax(held))
    return page[top : top + height]


def _script_turn(page: Image, dpi: float) -> tuple[int, float]:
    """Extra clockwise degrees and the detector's margin (log-likelihood ratio)."""
    api = engine_for("osd")
    api.SetPageSegMode(tesserocr.PSM.OSD_ONLY)
    api.SetImage(Pillow.fromarray(np.ascontiguousarray(page)))
    api.SetSourceResolution(round(dpi))
    found = api.DetectOrientationScript()
    api.Clear()
    return (int(found["orient_deg"]), float(found["orient_conf"])) if found else (0, 0.0)
