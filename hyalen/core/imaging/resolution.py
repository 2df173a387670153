"""A page's resolution where the file states none, or an absurd one."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import NamedTuple

# Sheet sizes in inches, shorter side first (ISO 216; ANSI/ASME Y14.1).
SHEETS = {
    "A4": (8.27, 11.69),
    "Letter": (8.5, 11.0),
    "Legal": (8.5, 14.0),
    "8 x 10 inches": (8.0, 10.0),
}
LIKE_A4 = {"A3": (11.69, 16.54), "A5": (5.83, 8.27)}
USUAL = (72, 96, 100, 150, 200, 240, 300, 400, 600, 1200)
# Heights of small letters without ascender, in points: of four-point type and of placards; of
# the type that whole pages are set in; of eleven-point type.
POSSIBLE_LETTERS = (1.6, 24.0)
USUAL_LETTERS = (2.0, 10.5)
BODY_LETTERS = 5.0
PLAIN_INCHES = (7.0, 17.0)  # longer side of a page whose stated resolution nobody doubts


class Resolution(NamedTuple):
    """`reason` says where the number comes from; it is empty where the file states it."""

    dpi: float
    reason: str


def settle_resolution(
    width: int, height: int, stated: float | None, letters: Callable[[], float | None] = lambda: None
) -> Resolution:
    """The stated resolution if a page could have it, else an estimate.

    A statement is believed when it makes the page between 1 and 60 inches long and, where that
    is no usual length, its letters of a possible size. Otherwise the page is taken for the sheet
    whose proportions it has, at the nearest usual resolution when that is within 4 %; where
    its letters would be out of all proportion then, they decide.

    Parameters
    ----------
    width, height : int
        Pixels.
    stated : float or None
        Pixels an inch.
    letters : callable
        Height of the small letters in pixels, or None (`letters.letter_height`); called where
        the other evidence is not enough.
    """
    longest = max(width, height)
    if stated is not None and math.isfinite(stated) and 50 <= stated <= 2400:
        inches = longest / stated
        # 72 and 96 are what programs write when they do not know; a page that
        # then comes out larger than A3 was not scanned so.
        if 1 <= inches <= (17 if stated in (72, 96) else 60):
            height_px = None if PLAIN_INCHES[0] <= inches <= PLAIN_INCHES[1] else letters()
            if height_px is None or _within(height_px / stated * 72, POSSIBLE_LETTERS):
                return Resolution(float(stated), "")
    why = "no resolution is stated" if stated is None else f"the stated {stated:g} dpi is not credible"
    ratio = longest / min(width, height)
    fitting = sorted(SHEETS.items(), key=lambda item: abs(math.log(ratio / (item[1][1] / item[1][0]))))
    sheet, (_, long) = fitting[0]
    for other, (_, length) in LIKE_A4.items():  # the sizes of the A series have one proportion
        if sheet == "A4" and not 100 <= longest / long <= 700 and 100 <= longest / length <= 700:
            sheet, long = other, length
    guess = longest / long
    nearest = min(USUAL, key=lambda dpi: abs(math.log(dpi / guess)))
    dpi = float(nearest) if abs(nearest / guess - 1) <= 0.04 else round(guess)
    dpi = min(max(dpi, 50.0), 1200.0)
    height_px = letters()
    if height_px is None or _within(height_px / dpi * 72, USUAL_LETTERS):
        return Resolution(dpi, f"{why}; taken for {sheet} at {dpi:g} dpi")
    guess = height_px / BODY_LETTERS * 72
    nearest = min(USUAL, key=lambda each: abs(math.log(each / guess)))
    dpi = float(nearest) if 0.8 < nearest / guess < 1.25 else round(guess)
    dpi = min(max(dpi, 50.0), 1200.0)
    return Resolution(dpi, f"{why}; taken for {dpi:g} dpi by the height of its letters")


def _within(value: float, limits: tuple[float, float]) -> bool:
    return limits[0] <= value <= limits[1]
