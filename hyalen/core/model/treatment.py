"""The cleaning settings of a page, and what each step found."""

from __future__ import annotations

from enum import StrEnum
from typing import Literal

from hyalen.core.model.geometry import Box, Frozen

QuarterTurn = Literal[0, 90, 180, 270]


class Switch(StrEnum):
    """Whether a step is done: measured by the program, never, or with the clerk's own value."""

    AUTOMATIC = "automatic"
    OFF = "off"
    BY_HAND = "by_hand"


class Turn(Frozen):
    """Clockwise quarter turns that make the page upright."""

    switch: Switch = Switch.AUTOMATIC
    degrees: QuarterTurn = 0


class Straighten(Frozen):
    """Skew in degrees, positive where the content stands turned counter-clockwise."""

    switch: Switch = Switch.AUTOMATIC
    degrees: float = 0.0


class Trim(Frozen):
    """The part of the straightened page that is kept, in its pixels."""

    switch: Switch = Switch.AUTOMATIC
    box: Box | None = None


class Lighten(Frozen):
    """Uneven light and tint to white paper; `strength` 0 (as scanned) to 1 (white)."""

    switch: Switch = Switch.AUTOMATIC
    strength: float = 1.0


class Despeckle(Frozen):
    """Isolated marks smaller than a full stop are taken off."""

    switch: Switch = Switch.AUTOMATIC


class Treatment(Frozen):
    """The steps in the order in which they are applied to the original."""

    turn: Turn = Turn()
    straighten: Straighten = Straighten()
    trim: Trim = Trim()
    lighten: Lighten = Lighten()
    despeckle: Despeckle = Despeckle()


class Finding(Frozen):
    """What one step measured or did.

    `value` is in the step's own unit: degrees, pixels cut, grey levels, marks removed.
    `confidence` is 0 to 1.
    """

    step: Literal["resolution", "turn", "straighten", "trim", "lighten", "despeckle", "quality"]
    says: str
    value: float = 0.0
    confidence: float = 1.0


class Cleaned(Frozen):
    """The outcome of a treatment.

    Attributes
    ----------
    width, height, dpi
        Of the cleaned page.
    turn, skew
        Degrees that were undone.
    trim : Box
        The kept part, in pixels of the turned and straightened page.
    to_original : tuple of 9 floats
        Row-major 3x3 matrix from cleaned pixels to the original's.
    blank : bool
        Whether the page bears no ink.
    """

    width: int
    height: int
    dpi: float
    turn: QuarterTurn
    skew: float
    trim: Box
    to_original: tuple[float, ...]
    blank: bool
    colour: bool
    findings: tuple[Finding, ...]
