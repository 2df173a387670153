"""The cleaning settings of a page, and what each step found.

Lengths are inches, so that a treatment means the same on a preview of fewer pixels.
Each step's own frame is named beside it: *upright* is the original after quarter turns,
*sheet* the upright page squared and straightened, before it is flattened and cut.
"""

from __future__ import annotations

from enum import StrEnum
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from hyalen.core.model.geometry import Box, Frozen

QuarterTurn = Literal[0, 90, 180, 270]
Half = Literal["whole", "left", "right"]
Place = tuple[float, float]
Area = tuple[float, float, float, float]
Corners = tuple[Place, Place, Place, Place]


UNMOVED = 1e-6  # of a matrix from cleaned to original pixels


class Switch(StrEnum):
    """Whether a step is done: measured by the program, never, or with the clerk's own value."""

    AUTOMATIC = "automatic"
    OFF = "off"
    BY_HAND = "by_hand"


class Turn(Frozen):
    """Clockwise quarter turns that make the page upright."""

    switch: Switch = Switch.AUTOMATIC
    degrees: QuarterTurn = 0


class Split(Frozen):
    """A double-page spread in two at its fold: x at the upper and lower edge of the upright page."""

    switch: Switch = Switch.AUTOMATIC
    fold: Place | None = None


class Outline(Frozen):
    """The sheet's corners on the upright page, clockwise from the upper left; squared to a rectangle."""

    switch: Switch = Switch.AUTOMATIC
    corners: Corners | None = None


class Straighten(Frozen):
    """Skew in degrees, positive where the content stands turned counter-clockwise."""

    switch: Switch = Switch.AUTOMATIC
    degrees: float = Field(default=0.0, ge=-45, le=45)


class Bend(Frozen):
    """How a page curves: shifts from its flat place to where it is seen.

    Attributes
    ----------
    size : (width, height)
        Of the sheet, in inches; the grid's outer nodes lie on its edges.
    down : tuple of rows of float
        At each node, how far below its flat place the content stands, in inches.
    along : tuple of float
        At each column, how far to the right of its flat place the content stands.
    """

    size: Place
    down: tuple[tuple[float, ...], ...] = Field(min_length=2, max_length=80)
    along: tuple[float, ...] = Field(min_length=2, max_length=80)


class Flatten(Frozen):
    """A page that curves into the spine, or is buckled, made flat."""

    switch: Switch = Switch.AUTOMATIC
    bend: Bend | None = None


class Frame(Frozen):
    """An even page for a document: its size, and where each page's content begins on it."""

    width: float
    height: float
    left: float
    top: float


class Trim(Frozen):
    """The part of the sheet that is kept; with a `frame`, its content is set at one place on an even page."""

    switch: Switch = Switch.AUTOMATIC
    box: Area | None = None
    frame: Frame | None = None


class Lighten(Frozen):
    """Uneven light, tint, stains and shadows to white paper; `strength` 0 (as scanned) to 1 (white)."""

    switch: Switch = Switch.AUTOMATIC
    strength: float = Field(default=1.0, ge=0, le=1)


class Descreen(Frozen):
    """A printed picture's dots to even tones; by hand, at that many `lines` an inch."""

    switch: Switch = Switch.AUTOMATIC
    lines: float = Field(default=133.0, ge=40, le=300)


class ShowThrough(Frozen):
    """What shines through from the back of the sheet is taken off; by hand, with this `strength`."""

    switch: Switch = Switch.AUTOMATIC
    strength: float = Field(default=0.5, ge=0, le=1)


class Marks(Frozen):
    """Specks, punch holes, staple and fold marks, scanner streaks and dirty edges are taken off."""

    switch: Switch = Switch.AUTOMATIC
    specks: bool = True
    holes: bool = True
    lines: bool = True
    edges: bool = True


class Patch(Frozen):
    """A part to erase, or to put back as it was; a polygon on the original, in inches."""

    erase: bool = True
    outline: tuple[Place, ...] = Field(min_length=3, max_length=400)


class Ink(Frozen):
    """Ink made darker and its edges sharper, each 0 (as it is) to 1."""

    switch: Switch = Switch.AUTOMATIC
    darken: float = Field(default=0.5, ge=0, le=1)
    sharpen: float = Field(default=0.3, ge=0, le=1)


class Colours(StrEnum):
    """What a cleaned page consists of."""

    COLOUR = "colour"
    GREY = "grey"
    BLACK_AND_WHITE = "black_and_white"


class Threshold(StrEnum):
    """By the edges of strokes nearby, or by mean and deviation (Sauvola), which suits worn print."""

    EDGES = "edges"
    SAUVOLA = "sauvola"


class Output(Frozen):
    """Colour, grey or black and white; `bias` moves the threshold towards thin (-1) or bold (1)."""

    switch: Switch = Switch.AUTOMATIC
    colours: Colours = Colours.GREY
    threshold: Threshold = Threshold.EDGES
    bias: float = Field(default=0.0, ge=-1, le=1)


class Treatment(Frozen):
    """The steps in the order in which they are applied to the original."""

    turn: Turn = Turn()
    split: Split = Split()
    outline: Outline = Outline()
    straighten: Straighten = Straighten()
    flatten: Flatten = Flatten()
    trim: Trim = Trim()
    lighten: Lighten = Lighten()
    descreen: Descreen = Descreen()
    show_through: ShowThrough = ShowThrough()
    marks: Marks = Marks()
    patches: tuple[Patch, ...] = Field(default=(), max_length=2000)
    ink: Ink = Ink()
    output: Output = Output()


# What belongs to one page and means nothing on another.
OWN_TO_A_PAGE = frozenset({"patches"})
StepName = Literal[
    "resolution",
    "turn",
    "split",
    "outline",
    "straighten",
    "flatten",
    "trim",
    "lighten",
    "descreen",
    "show_through",
    "marks",
    "ink",
    "output",
    "quality",
]


def for_other_pages(treatment: Treatment, page: Treatment) -> Treatment:
    """A treatment as it is put on another page, which keeps what is its own.

    Erased places stay with their page, and so does what was set by hand for one sheet
    alone: its fold, outline, angle, bend and cut.
    """
    kept: dict[str, object] = {name: getattr(page, name) for name in OWN_TO_A_PAGE}
    for name in ("split", "outline", "straighten", "flatten", "trim"):
        if getattr(treatment, name).switch is Switch.BY_HAND:
            kept[name] = getattr(page, name)
    return treatment.model_copy(update=kept)


def as_made(treatment: Treatment) -> Treatment:
    """The treatment of a page that no scanner has seen: nothing is done to it but what is set by hand."""
    steps = {
        name: step.model_copy(update={"switch": Switch.OFF})
        for name in Treatment.model_fields
        if getattr(step := getattr(treatment, name), "switch", None) is Switch.AUTOMATIC
    }
    return treatment.model_copy(update=steps)


class Finding(Frozen):
    """What one step measured or did.

    `value` is in the step's own unit: degrees, pixels cut, grey levels, marks removed.
    `confidence` is 0 to 1; `topic` tells several findings of one step apart.
    """

    step: StepName
    topic: str = ""
    says: str
    value: float = 0.0
    confidence: float = 1.0


class Mesh(Frozen):
    """Shifts in pixels from the cleaned page's flat places to where they are seen.

    `shifts` holds (x, y) pairs row by row; the nodes stand `step` pixels apart from (0, 0) on.
    """

    step: float
    rows: int
    columns: int
    shifts: tuple[float, ...]

    def at(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Shifts at (n, 2) pixel places, bilinear between the nodes."""
        grid = np.array(self.shifts).reshape(self.rows, self.columns, 2)
        place = points / self.step
        column = np.clip(place[:, 0], 0, self.columns - 1.000001)
        row = np.clip(place[:, 1], 0, self.rows - 1.000001)
        c, r = column.astype(np.int64), row.astype(np.int64)
        fx, fy = (column - c)[:, None], (row - r)[:, None]
        upper = grid[r, c] * (1 - fx) + grid[r, c + 1] * fx
        lower = grid[r + 1, c] * (1 - fx) + grid[r + 1, c + 1] * fx
        return np.asarray(upper * (1 - fy) + lower * fy)


class Applied(Frozen):
    """The geometry that was used, each step's own value or the clerk's: what is measured once is not measured again.

    `corners` are squared; `seen` are the sheet's where it lies square to the glass and needs no squaring.
    """

    half: Half = "whole"
    turn: QuarterTurn = 0
    fold: Place | None = None
    corners: Corners | None = None
    seen: Corners | None = None
    skew: float = 0.0
    bend: Bend | None = None
    box: Area = (0.0, 0.0, 0.0, 0.0)
    sheet: Place = (0.0, 0.0)
    upright: Place = (0.0, 0.0)


class Cleaned(Frozen):
    """The outcome of a treatment.

    Attributes
    ----------
    width, height, dpi
        Of the cleaned page.
    turn, skew
        Degrees that were undone.
    trim : Box
        The kept part, in pixels of the sheet.
    to_original : tuple of 9 floats
        Row-major 3x3 matrix from cleaned pixels, moved by `mesh` where there is one, to the original's.
    content : Box or None
        Around what is written and drawn, in pixels of the cleaned page.
    spread : bool
        Whether a whole picture shows two pages, to be split at `applied.fold`.
    likeness : str
        256 bits in hexadecimal that change little from scan to scan of one page; empty without content.
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
    mesh: Mesh | None = None
    content: Box | None = None
    spread: bool = False
    likeness: str = ""
    blank: bool
    colour: bool
    colours: Colours = Colours.GREY
    applied: Applied = Applied()
    measured: Treatment = Treatment()
    findings: tuple[Finding, ...]

    @property
    def is_untouched(self) -> bool:
        """Whether each pixel of the cleaned page lies where it lay on the original."""
        moved = np.abs(np.array(self.to_original).reshape(3, 3) - np.eye(3))
        return self.mesh is None and self.turn == 0 and bool((moved < UNMOVED).all())

    def original_points(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where (n, 2) pixel places of the cleaned page lie on the original."""
        places = points if self.mesh is None else points + self.mesh.at(points)
        found = np.c_[places, np.ones(len(places))] @ np.array(self.to_original).reshape(3, 3).T
        return np.asarray(found[:, :2] / found[:, 2:])

    def cleaned_points(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Where (n, 2) pixel places of the original come to lie on the cleaned page."""
        inverse = np.linalg.inv(np.array(self.to_original).reshape(3, 3))
        found = np.c_[points, np.ones(len(points))] @ inverse.T
        seen = np.asarray(found[:, :2] / found[:, 2:])
        if self.mesh is None:
            return seen
        flat = seen
        for _ in range(12):  # the shifts change slowly, so the fixed point is near
            flat = seen - self.mesh.at(flat)
        return flat
