"""What is done to a page's paper and ink once it lies straight."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.background import estimate_paper, whiten
from hyalen.core.imaging.despeckle import despeckle
from hyalen.core.imaging.ink import darken, sharpen
from hyalen.core.imaging.marks import clean_edges, find_lines, remove_holes, remove_lines
from hyalen.core.imaging.pictures import both, picture_mask, textured_mask, with_pictures, without_writing
from hyalen.core.imaging.pixels import Image, Mask, as_uint8, grey, ink_mask, reduced
from hyalen.core.imaging.plates import plate_mask
from hyalen.core.imaging.screen import descreen, find_screen
from hyalen.core.imaging.showthrough import find_show_through, remove_show_through, subtract_reverse
from hyalen.core.imaging.threshold import ink_threshold, sauvola, softly_thresholded
from hyalen.core.model.treatment import Colours, Finding, StepName, Switch, Threshold, Treatment

ALREADY_WHITE = 250.0  # grey level of the darkest paper of a page that needs no lightening
LEAST_WHITE = 245.0  # of paper, for a ghost to be told from it
MEASURING_DPI = 150.0  # pixels an inch at which paper, ink and pictures are measured
FAINT_INK = 95.0  # grey level: lighter ink is made darker
LEAST_BITONAL_DPI = 240.0  # pixels an inch: below, black and white breaks thin strokes
MOST_HALF_TONES = 0.05  # of the ink's pixels that are neither dark nor light, in print and line drawings


class Surface(NamedTuple):
    """The page to read and the page to show, which differ where the output is black and white.

    `small` is the read page's grey at measuring resolution.
    """

    read: Image
    shown: Image
    colours: Colours
    small: Image
    small_dpi: float
    findings: tuple[Finding, ...]


def treat_surface(
    page: Image,
    dpi: float,
    treatment: Treatment,
    patches: Sequence[tuple[bool, NDArray[np.float64]]] = (),
    reverse: Image | None = None,
    skew: float = 0.0,
    screen: bool = False,
    picture: bool = False,
    enlarged: float = 1.0,
) -> Surface:
    """Apply the treatment's steps from the paper on.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Straight and cut.
    dpi : float
        Pixels an inch.
    treatment : Treatment
    patches : sequence of (erase, (n, 2) outline)
        On the page, in pixels, in the order they were made.
    reverse : (h, w) or (h, w, 3) uint8, optional
        The cleaned back of the sheet.
    skew : float
        Degrees that were undone; scanner streaks lean by them.
    screen : bool
        Whether the page is for the screen at few pixels, where black and white would look ragged.
    picture : bool
        Whether a picture fills the page and no paper is in sight.
    enlarged : float
        How many times as large the page is as it was scanned.
    """
    pictures = np.ones((8, 8), np.uint8) if picture else textured_mask(page, dpi)
    plate = None if picture else plate_mask(page, dpi)
    work = _Work(page, dpi, treatment, pictures if plate is None else both(plate, pictures))
    work.lighten(picture)
    work.pictures = without_writing(both(pictures, picture_mask(*work.small())), *work.small())
    work.descreen(enlarged)
    work.show_through(reverse)
    before = work.page
    work.marks(skew)
    work.page = patched(work.page, before, patches)
    work.ink()
    read, shown, colours = work.output(screen)
    return Surface(read, shown, colours, *work.small(), tuple(work.findings))


def patched(page: Image, before: Image, patches: Sequence[tuple[bool, NDArray[np.float64]]]) -> Image:
    """Outlines filled with paper, or with what stood there before marks were taken off.

    Parameters
    ----------
    page, before : (h, w) or (h, w, 3) uint8
    patches : sequence of (erase, (n, 2) outline in pixels)
    """
    if not patches:
        return page
    result = page.copy()
    for erase, outline in patches:
        points = np.round(outline).astype(np.int32)
        if erase:
            cv2.fillPoly(result, [points], 255 if result.ndim == 2 else (255, 255, 255))
            continue
        mask = np.zeros(result.shape[:2], np.uint8)
        cv2.fillPoly(mask, [points], 1)
        result[mask == 1] = before[mask == 1]
    return result


@dataclass
class _Work:
    """A page on the bench: each step takes it up where the last left it."""

    page: Image
    dpi: float
    treatment: Treatment
    pictures: Mask
    findings: list[Finding] = field(default_factory=list)
    _reduced: tuple[Image, Image, float] | None = None

    def small(self) -> tuple[Image, float]:
        """The page at measuring resolution and that resolution; made anew only when the page has changed."""
        if self._reduced is None or self._reduced[0] is not self.page:
            image, factor = reduced(grey(self.page), self.dpi, MEASURING_DPI)
            self._reduced = self.page, image, self.dpi / factor
        return self._reduced[1:]

    def small_colour(self) -> tuple[Image, float]:
        """The same in the page's own colours."""
        if self.page.ndim == 2:
            return self.small()
        image, factor = reduced(self.page, self.dpi, MEASURING_DPI)
        return image, self.dpi / factor

    def tell(self, step: StepName, says: str, value: float = 0.0, confidence: float = 1.0) -> None:
        self.findings.append(Finding(step=step, says=says, value=round(value, 3), confidence=confidence))

    def lighten(self, picture: bool) -> None:
        step = self.treatment.lighten
        if step.switch is Switch.OFF:
            return self.tell("lighten", "paper left as scanned")
        strength = step.strength if step.switch is Switch.BY_HAND else 1.0
        if step.switch is Switch.AUTOMATIC and picture:
            return self.tell("lighten", "a picture fills the page: left as scanned", confidence=0.9)
        small, dpi = self.small() if self.page.ndim == 2 else (self.page, self.dpi)
        coarse, factor = reduced(small, dpi, 75)
        paper = estimate_paper(coarse, dpi / factor, self.pictures)
        level = float(np.median(paper))
        if float(np.percentile(paper, 2)) > ALREADY_WHITE:
            return self.tell("lighten", "paper already white", level)
        self.page = whiten(self.page, paper, strength)
        if self.page.ndim == 2:
            self._reduced = self.page, whiten(small, paper, strength), dpi
        says = f"paper at {level / 2.55:.0f} % brought to white"
        self.tell("lighten", says if strength == 1 else f"paper lightened by {strength:.0%}", level)

    def descreen(self, enlarged: float) -> None:
        step = self.treatment.descreen
        if step.switch is Switch.OFF:
            return self.tell("descreen", "left as scanned")
        if step.switch is Switch.BY_HAND:
            self.page = descreen(self.page, self.dpi, step.lines, self.pictures)
            return self.tell("descreen", f"smoothed at {step.lines:.0f} lines an inch", step.lines)
        screen = find_screen(self.page, self.dpi, self.pictures, enlarged)
        if screen is None:
            return self.tell("descreen", "no halftone")
        self.page = descreen(self.page, self.dpi, screen.lines, self.pictures)
        self.tell("descreen", f"halftone of {screen.lines:.0f} lines an inch smoothed", screen.lines)

    def show_through(self, reverse: Image | None) -> None:
        step = self.treatment.show_through
        if step.switch is Switch.OFF:
            return self.tell("show_through", "left as scanned")
        small, dpi = self.small_colour()
        if step.switch is Switch.AUTOMATIC and float(np.percentile(grey(small)[::4, ::4], 70)) < LEAST_WHITE:
            return self.tell("show_through", "not sought, since the paper is not white")
        ghost = find_show_through(small, dpi, self.pictures)
        if step.switch is Switch.BY_HAND:
            depth = step.strength * 0.6 * (ghost.ink or 200)
            self.page = remove_show_through(self.page, self.dpi, depth, ghost.ink or 200, self.pictures)
            return self.tell("show_through", f"taken off, strength {step.strength:.0%}", step.strength)
        if not ghost.present:
            return self.tell("show_through", "nothing shines through")
        if reverse is not None:
            laid = subtract_reverse(self.page, reverse, self.dpi)
            if laid is not None:
                self.page = laid[0]
                ghost = find_show_through(*self.small_colour(), self.pictures)
                if ghost.present:
                    self.page = remove_show_through(self.page, self.dpi, ghost.depth, ghost.ink, self.pictures)
                return self.tell("show_through", f"the back's {laid[1]:.0%} taken off by its own scan", laid[1])
        if ghost.doubtful:
            return self.tell(
                "show_through", "faint writing, or the back shining through: left as it is", ghost.cover, 0.5
            )
        self.page = remove_show_through(self.page, self.dpi, ghost.depth, ghost.ink, self.pictures)
        self.tell("show_through", f"the back shone through on {ghost.cover:.0%} of the page", ghost.cover, 0.85)

    def marks(self, skew: float) -> None:
        step = self.treatment.marks
        if step.switch is Switch.OFF:
            return self.tell("marks", "left as scanned")
        if self.pictures.all():
            return self.tell("marks", "not sought in a picture")
        told: list[str] = []
        total = 0

        def count(number: int, one: str, many: str) -> None:
            nonlocal total
            total += number
            if number:
                told.append(f"{number} {one if number == 1 else many}")

        before, seen = self.page, self.small()
        if step.edges:
            self.page, number = clean_edges(self.page, *seen)
            count(number, "dirty edge", "dirty edges")
        if step.lines:
            lines = find_lines(*seen, skew)
            self.page = remove_lines(self.page, [line.enlarged(self.dpi / seen[1]) for line in lines])
            count(len(lines), "streak or fold", "streaks and folds")
        if step.holes:
            self.page, number = remove_holes(self.page, *seen)
            count(number, "hole or staple", "holes and staples")
        if step.specks:
            self.page, number = despeckle(self.page, self.dpi)
            count(number, "speck", "specks")
        if total:
            self.page = with_pictures(self.page, before, self.pictures)
        self.tell("marks", ", ".join(told) + " removed" if told else "no marks", total)

    def ink(self) -> None:
        step = self.treatment.ink
        if step.switch is Switch.OFF:
            return self.tell("ink", "left as scanned")
        level = _ink_level(*self.small())
        if step.switch is Switch.BY_HAND:
            self.page = sharpen(darken(self.page, level, step.darken), self.dpi, step.sharpen, self.pictures)
            return self.tell("ink", f"darkened by {step.darken:.0%}, sharpened by {step.sharpen:.0%}", step.darken)
        if level < FAINT_INK:
            return self.tell("ink", f"ink at {100 - level / 2.55:.0f} % black", level)
        self.page = darken(self.page, level, 0.8)
        self.tell("ink", f"faint ink at {100 - level / 2.55:.0f} % black darkened", level)

    def output(self, screen: bool) -> tuple[Image, Image, Colours]:
        """The page to read, the page to show, and what the latter consists of."""
        step = self.treatment.output
        colours = step.colours
        if step.switch is not Switch.BY_HAND:
            colours = self.fitting_colours(screen) if step.switch is Switch.AUTOMATIC else _as_it_is(self.page)
        says = {Colours.COLOUR: "colour", Colours.GREY: "grey", Colours.BLACK_AND_WHITE: "black and white"}[colours]
        self.tell("output", says if step.switch is not Switch.OFF else f"{says}, as scanned")
        if colours is Colours.COLOUR:
            return self.page, self.page, _as_it_is(self.page)
        plain = grey(self.page)
        if colours is Colours.GREY:
            return plain, plain, colours
        bias = step.bias if step.switch is Switch.BY_HAND else 0.0
        if step.switch is Switch.BY_HAND and step.threshold is Threshold.SAUVOLA:
            ink = sauvola(plain, max(15, round(self.dpi / 5)) | 1, 0.2 - 0.15 * bias)
            return plain, _black_on_white(ink), colours
        if screen:
            return plain, softly_thresholded(plain, self.dpi, bias), colours
        ink = ink_threshold(plain, self.dpi, bias)
        return plain, _black_on_white(ink), colours

    def fitting_colours(self, screen: bool) -> Colours:
        """Black and white for clear text, grey for pictures and half tones, colour where there is colour."""
        if self.page.ndim == 3:
            return Colours.COLOUR
        if (self.dpi < LEAST_BITONAL_DPI and not screen) or self.pictures.any():
            return Colours.GREY
        small, _ = self.small()
        dark = (small < 110).astype(np.uint8)
        if dark.sum() < 50:
            return Colours.GREY
        rim = cv2.dilate(dark, np.ones((5, 5), np.uint8))
        half_tones = float(((small < 205) & (rim == 0)).sum() / dark.sum())
        return Colours.BLACK_AND_WHITE if half_tones < MOST_HALF_TONES else Colours.GREY


def _black_on_white(ink: NDArray[np.bool_]) -> Image:
    return as_uint8(cv2.bitwise_not(as_uint8(ink) * np.uint8(255)))


def _as_it_is(page: Image) -> Colours:
    return Colours.GREY if page.ndim == 2 else Colours.COLOUR


def _ink_level(page: Image, dpi: float) -> float:
    """The grey level of strokes, away from their rims; 0 where there are none."""
    ink = ink_mask(page, dpi)
    return float(np.percentile(page[ink], 15)) if ink.sum() > 50 else 0.0
