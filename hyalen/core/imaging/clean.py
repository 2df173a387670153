"""Applies a page's treatment to its original and tells what each step found."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.frame import render
from hyalen.core.imaging.letters import reading_scale, rescaled, working_scale
from hyalen.core.imaging.likeness import likeness
from hyalen.core.imaging.orientation import FindTurn
from hyalen.core.imaging.pixels import Image, grey, reduced
from hyalen.core.imaging.quality import advice, measure_quality
from hyalen.core.imaging.sheet import Placed, lid_on_scan, place_page
from hyalen.core.imaging.surface import treat_surface
from hyalen.core.model.geometry import Box
from hyalen.core.model.treatment import Cleaned, Colours, Half, Switch, Treatment

# Long sides in inches by the sides' ratio: ISO 216 A4, ANSI/ASME Y14.1 Letter, US Legal, and the 8 x 10 of photographs.
SHEET_INCHES = {1.4142: 11.69, 1.2941: 11.0, 1.6471: 14.0, 1.25: 10.0}
MOST_OFF = 0.03  # of the ratio: a squared photograph's sides are right within two or three per cent


# Grey levels of a page without any ink, and of one that is all dark; of ink; and the share of the page that a short word has.
ALL_PAPER, ALL_DARK, INK, SHORT_WORD = 160, 90, 150, 2e-5


class CleanPage(NamedTuple):
    """The page as it is shown and delivered, and, where that is black and white, as it is read."""

    shown: Image
    read: Image
    cleaned: Cleaned


def clean_page(
    original: Image,
    dpi: float,
    treatment: Treatment,
    find_turn: FindTurn,
    half: Half = "whole",
    known: Cleaned | None = None,
    reverse: Image | None = None,
    dpi_guessed: bool = False,
    told_dpi: float | None = None,
) -> CleanPage:
    """The cleaned page; one of small print is enlarged first, as are the pixels of the outcome, a huge one reduced.

    Parameters
    ----------
    original : (h, w) or (h, w, 3) uint8
        Grey or RGB.
    dpi : float
        Pixels an inch.
    treatment : Treatment
    find_turn : callable
        (image, dpi) -> FoundTurn; called where the turn is automatic and not known.
    half : "whole", "left" or "right"
        Which side of a spread.
    known : Cleaned, optional
        An earlier outcome on the same original: what still stands is not measured again.
    reverse : (h, w) or (h, w, 3) uint8, optional
        The cleaned back of the sheet, for show-through.
    dpi_guessed : bool
        Whether no resolution is stated: a photographed sheet of known proportions then sets it.
    told_dpi : float, optional
        Where `original` is reduced for the screen: the resolution in whose pixels findings are
        told. The scan's quality is then not measured again.
    """
    screen = told_dpi is not None
    as_scanned = treatment.output.switch is Switch.OFF
    scale = 1.0 if screen else working_scale(original)
    if scale == 1.0 and not screen and not as_scanned:
        scale = reading_scale(original)
    fine = rescaled(original, scale)
    placed = place_page(fine, dpi * scale, treatment, find_turn, half, known, told_dpi or dpi)
    return finish_page(fine, dpi * scale, treatment, placed, known, reverse, dpi_guessed, screen, scale)


def finish_page(
    original: Image,
    dpi: float,
    treatment: Treatment,
    placed: Placed,
    known: Cleaned | None = None,
    reverse: Image | None = None,
    dpi_guessed: bool = False,
    screen: bool = False,
    scale: float = 1.0,
) -> CleanPage:
    """The cleaned page, once it is known where it lies; parameters as for `clean_page`.

    `scale` tells by how much `original` was enlarged.
    """
    wants_colour = treatment.output.switch is Switch.BY_HAND and treatment.output.colours is Colours.COLOUR
    as_is = wants_colour or treatment.lighten.switch is not Switch.AUTOMATIC
    colour = original.ndim == 3 and (as_is or placed.colour)
    # The tint goes anyway, and a third of the pixels is a third of the time.
    original = lid_on_scan(original, dpi, placed)
    source = original if colour else grey(original)
    page = render(source, placed.page, placed.mesh)
    page_dpi = _sheet_dpi(placed, dpi) if dpi_guessed else dpi
    patches = _patches(treatment, placed, dpi)
    # A clerk who sets the paper by hand says that there is some.
    picture = placed.picture and treatment.lighten.switch is not Switch.BY_HAND
    surface = treat_surface(
        page, page_dpi, treatment, patches, reverse, placed.applied.skew, screen, picture, max(1.0, scale)
    )
    read, shown = (_even_margins(image, placed, page_dpi) for image in (surface.read, surface.shown))
    blank = is_blank(surface.small, surface.small_dpi)
    if screen:
        quality = [f for f in known.findings if f.step == "quality"] if known else []
    else:
        measured = measure_quality(original, dpi, placed.small, placed.small_dpi)
        quality = advice(measured, page_dpi / scale, blank, placed.lost, scale)
    cleaned = Cleaned(
        width=read.shape[1],
        height=read.shape[0],
        dpi=page_dpi,
        turn=placed.applied.turn,
        skew=placed.applied.skew,
        trim=tuple(round(v * dpi / scale) for v in placed.applied.box),  # type: ignore[arg-type]
        to_original=tuple(
            float(v) for v in (np.diag([1 / scale, 1 / scale, 1]) @ np.linalg.inv(placed.page.matrix)).ravel()
        ),
        mesh=placed.mesh,
        content=placed.content,
        spread=placed.spread,
        likeness=likeness(surface.small, _scaled(placed.content, surface.small_dpi / page_dpi)),
        blank=blank,
        colour=read.ndim == 3,
        colours=surface.colours,
        applied=placed.applied,
        measured=treatment,
        findings=(*placed.findings, *surface.findings, *quality),
    )
    return CleanPage(shown, read, cleaned)


def _scaled(box: Box | None, scale: float) -> Box | None:
    return None if box is None else Box(*(round(v * scale) for v in box))


def is_blank(page: Image, dpi: float) -> bool:
    """Whether a whitened page bears less ink than a short word: one part in 50,000."""
    if min(page.shape[:2]) < 8:
        return True
    small, factor = reduced(grey(page), dpi, 75)
    margin = int(dpi / factor / 6)
    inner = small[margin:-margin, margin:-margin] if min(small.shape) > 4 * margin > 0 else small
    if inner.min() > ALL_PAPER or inner.max() < ALL_DARK:
        return True
    return bool((inner < INK).mean() < SHORT_WORD)


def _sheet_dpi(placed: Placed, dpi: float) -> float:
    """The resolution at which a squared sheet has a known size."""
    if placed.applied.corners is None:
        return dpi
    left, top, right, bottom = placed.applied.box
    long, short = max(right - left, bottom - top) * dpi, max(1.0, min(right - left, bottom - top) * dpi)
    ratio, inches = min(SHEET_INCHES.items(), key=lambda item: abs(np.log(long / short / item[0])))
    if abs(long / short / ratio - 1) > MOST_OFF:
        return dpi
    return float(min(max(round(long / inches), 50), 1200))


def _patches(treatment: Treatment, placed: Placed, dpi: float) -> list[tuple[bool, NDArray[np.float64]]]:
    """The clerk's patches, from the original onto the page."""
    if not treatment.patches:
        return []
    found = []
    for patch in treatment.patches:
        points = np.array(patch.outline, dtype=np.float64) * dpi
        seen = np.c_[points, np.ones(len(points))] @ placed.page.matrix.T
        seen = flat = seen[:, :2] / seen[:, 2:]
        if placed.mesh is not None:
            for _ in range(12):
                flat = seen - placed.mesh.at(flat)
        found.append((patch.erase, np.asarray(flat, dtype=np.float64)))
    return found


def _even_margins(page: Image, placed: Placed, dpi: float) -> Image:
    """White where an even page reaches past the scan, whose rim goes too."""
    height, width = page.shape[:2]
    rim = max(1, round(dpi / 75))
    left, top, right, bottom = placed.kept
    if left <= 0 and top <= 0 and right >= width and bottom >= height:
        return page
    left, top = (v + rim if v > 0 else 0 for v in (left, top))
    right, bottom = (v - rim if v < end else end for v, end in ((right, width), (bottom, height)))
    result = np.full_like(page, 255)
    result[top:bottom, left:right] = page[top:bottom, left:right]
    return result
