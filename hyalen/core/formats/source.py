"""What is common to everything that can be brought in: pages, limits and problems."""

from __future__ import annotations

from dataclasses import dataclass

from hyalen.core.model.document import PageKind
from hyalen.core.model.geometry import Frozen
from hyalen.core.model.treatment import QuarterTurn


class SourceError(ValueError):
    """A file or page that cannot be brought in; the message says why and what to do."""


class Limits(Frozen):
    """What is refused, so that one hostile file cannot stop the bench.

    Bytes a file, pages a file and pixels a page.
    """

    bytes: int = 2_000_000_000
    pages: int = 5_000
    pixels: int = 150_000_000


@dataclass(frozen=True)
class SourcePage:
    """One page as it came.

    Attributes
    ----------
    original : bytes
        An image file: the page's own where it is one scanned image, else rendered.
    stated_turn : int
        Clockwise turn that the container states (a PDF's /Rotate).
    """

    original: bytes
    width: int
    height: int
    dpi: float
    dpi_reason: str
    kind: PageKind
    stated_turn: QuarterTurn = 0
    note: str = ""


def check_pixels(width: int, height: int, limits: Limits) -> None:
    """Raise SourceError where an image is empty or larger than the limit."""
    if width < 1 or height < 1:
        raise SourceError("the image is empty")
    if width * height > limits.pixels:
        raise SourceError(
            f"the image of {width} x {height} pixels is larger than the limit of "
            f"{limits.pixels / 1e6:.0f} megapixels; scan it at a lower resolution"
        )
