"""How sheets are to be scanned, and where their pages go."""

from __future__ import annotations

from enum import StrEnum
from typing import Literal, Self

from pydantic import Field, model_validator

from hyalen.core.model.geometry import Frozen

MM = 25.4  # millimetres an inch
Source = Literal["feeder", "flatbed"]


class Sides(StrEnum):
    """Which sides: of a feeder that turns sheets both at once, of one that does not in a second pass."""

    ONE = "one"
    BOTH = "both"
    SECOND_PASS = "second_pass"


class Colour(StrEnum):
    """Of the picture; automatic is judged from a preview on the glass, and in colour from the feeder."""

    AUTOMATIC = "automatic"
    COLOUR = "colour"
    GREY = "grey"
    ONE_BIT = "one_bit"


class Paper(StrEnum):
    """Size of the sheets: ISO 216, and those of ANSI/ASME Y14.1 and of common office use in North America."""

    AUTOMATIC = "automatic"
    A3 = "A3"
    A4 = "A4"
    A5 = "A5"
    LETTER = "letter"
    LEGAL = "legal"
    OWN = "own"


PAPERS: dict[Paper, tuple[float, float]] = {
    Paper.A3: (297, 420),
    Paper.A4: (210, 297),
    Paper.A5: (148, 210),
    Paper.LETTER: (215.9, 279.4),
    Paper.LEGAL: (215.9, 355.6),
}  # millimetres


class Area(Frozen):
    """A part of the glass in millimetres from its upper left corner."""

    left: float = Field(ge=0, le=2000)
    top: float = Field(ge=0, le=2000)
    width: float = Field(ge=5, le=2000)
    height: float = Field(ge=5, le=2000)


class Wish(Frozen):
    """How sheets are scanned.

    Attributes
    ----------
    own : (float, float) or None
        Width and height of the sheets in millimetres, for paper of its own size.
    crop : Area or None
        What of the glass is wanted; the whole sheet where it is None.
    brightness, contrast : int
        From -100 to 100; 0 is the device's own.
    drop_blank : bool
        Whether sides without ink are left out; they can be put back.
    """

    source: Source = "feeder"
    sides: Sides = Sides.ONE
    colour: Colour = Colour.AUTOMATIC
    dpi: int = Field(default=300, ge=75, le=1200)
    paper: Paper = Paper.AUTOMATIC
    own: tuple[float, float] | None = None
    crop: Area | None = None
    brightness: int = Field(default=0, ge=-100, le=100)
    contrast: int = Field(default=0, ge=-100, le=100)
    drop_blank: bool = True

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.paper is Paper.OWN and (self.own is None or min(self.own) < 20 or max(self.own) > 2000):
            raise ValueError("tell the size of the sheets: 20 to 2,000 mm a side")
        if self.source == "flatbed" and self.sides is not Sides.ONE:
            raise ValueError("the glass scans one side; turn the sheet over and scan it again")
        return self

    def area(self, width: float, height: float) -> Area:
        """What is asked of a device that takes sheets of at most so many millimetres."""
        if self.crop and self.source == "flatbed":
            left, top = min(self.crop.left, width - 5), min(self.crop.top, height - 5)
            return Area(
                left=left, top=top, width=min(self.crop.width, width - left), height=min(self.crop.height, height - top)
            )
        wanted = self.own if self.paper is Paper.OWN and self.own else PAPERS.get(self.paper, (width, height))
        return Area(left=0, top=0, width=min(wanted[0], width), height=min(wanted[1], height))


Cut = Literal["none", "sheets", "blank", "separator"]


class Aim(Frozen):
    """Where pages go.

    Attributes
    ----------
    document : int or None
        That they are appended to; a new one where it is None.
    after : int or None
        The page behind which they are put.
    instead : int or None
        The page in whose place the next one is put, which is taken out.
    cut : str
        When a new document begins: never, after so many `sheets`, at a sheet without ink, or at a separator sheet.
    prefix, counter : str, int
        The name of a new document, and the number in it.
    """

    document: int | None = None
    after: int | None = None
    instead: int | None = None
    cut: Cut = "none"
    sheets: int = Field(default=1, ge=1, le=5000)
    prefix: str = Field(default="Scan", max_length=120)
    counter: int = Field(default=1, ge=1, le=999_999)

    @model_validator(mode="after")
    def _one_place(self) -> Self:
        told = sum(each is not None for each in (self.document, self.after, self.instead))
        if told > 1:
            raise ValueError("pages go to the end of a document, behind a page, or in its place: tell one of these")
        if (self.after is not None or self.instead is not None) and self.cut != "none":
            raise ValueError("pages among those of a document begin no new one")
        return self

    def name(self, counter: int) -> str:
        """Of a new document."""
        return f"{self.prefix.strip() or 'Scan'} {counter:04}"


class Preset(Frozen):
    """A wish and how documents are cut and named, kept under a name."""

    wish: Wish = Wish()
    cut: Cut = "none"
    sheets: int = Field(default=1, ge=1, le=5000)
    prefix: str = Field(default="Scan", max_length=120)
