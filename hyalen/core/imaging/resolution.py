"""A page's resolution where the file states none, or an absurd one."""

from __future__ import annotations

import math
from typing import NamedTuple

# Sheet sizes in inches, shorter side first (ISO 216; ANSI/ASME Y14.1).
SHEETS = {
    "A4": (8.27, 11.69),
    "Letter": (8.5, 11.0),
    "Legal": (8.5, 14.0),
}
LIKE_A4 = {"A3": (11.69, 16.54), "A5": (5.83, 8.27)}
USUAL = (72, 96, 100, 150, 200, 240, 300, 400, 600, 1200)


class Resolution(NamedTuple):
    """`reason` says where the number comes from; it is empty where the file states it."""

    dpi: float
    reason: str


def settle_resolution(width: int, height: int, stated: float | None) -> Resolution:
    """The stated resolution if a page could have it, else an estimate.

    A statement is believed when it makes the page between 1 and 60 inches long. Otherwise the
    page is taken for the sheet whose proportions it has, at the nearest usual
    resolution when that is within 4 %.

    Parameters
    ----------
    width, height : int
        Pixels.
    stated : float or None
        Pixels an inch.
    """
    longest = max(width, height)
    if stated is not None and math.isfinite(stated) and 50 <= stated <= 2400:
        inches = longest / stated
        # 72 and 96 are what programs write when they do not know; a page that
        # then comes out larger than A3 was not scanned so.
        if 1 <= inches <= (17 if stated in (72, 96) else 60):
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
    return Resolution(dpi, f"{why}; taken for {sheet} at {dpi:g} dpi")
