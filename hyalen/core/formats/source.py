"""What is common to everything that can be brought in: pages, limits and problems."""

from __future__ import annotations

import re
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from hyalen.core.model.document import PageKind
from hyalen.core.model.geometry import Frozen
from hyalen.core.model.treatment import QuarterTurn


class SourceError(ValueError):
    """A file or page that cannot be brought in; the message says why and what to do."""


class Limits(Frozen):
    """What is refused, so that one hostile file cannot stop the bench.

    Bytes a file, pages a file, pixels a page, and pixels of a page's longer side: JPEG, in which pages are
    kept, ends at 65,535 (ITU-T T.81, B.2.2), and cleaning adds a margin.
    """

    bytes: int = 2_000_000_000
    pages: int = 5_000
    pixels: int = 150_000_000
    side: int = 60_000


@dataclass(frozen=True)
class SourcePage:
    """One page as it came.

    Attributes
    ----------
    original : bytes
        An image file: the page's own where it is one scanned image, else rendered.
    stated_turn : int
        Clockwise turn that the container states (a PDF's /Rotate).
    damage : str
        What of the page could not be decoded; empty where all could.
    own_text : bool
        Whether it came with text, be it hidden.
    """

    original: bytes
    width: int
    height: int
    dpi: float
    dpi_reason: str
    kind: PageKind
    stated_turn: QuarterTurn = 0
    damage: str = ""
    own_text: bool = False


def check_pixels(width: int, height: int, limits: Limits) -> None:
    """Raise SourceError where an image is empty or larger than the limit."""
    if width < 1 or height < 1:
        raise SourceError("the image is empty; scan it again")
    if max(width, height) > limits.side:
        raise SourceError(
            f"the image of {width} x {height} pixels is longer than the limit of {limits.side:,} pixels a side; "
            "cut it into several pages"
        )
    if width * height > limits.pixels:
        raise SourceError(
            f"the image of {width} x {height} pixels is larger than the limit of "
            f"{limits.pixels / 1e6:.0f} megapixels; scan it at a lower resolution"
        )


@contextmanager
def blamed(what: str) -> Iterator[None]:
    """Whatever a library stumbles over in a file is that file's fault, and of no other file's concern.

    Parameters
    ----------
    what : str
        What is read, as the reason begins: "the image", "the page".

    Raises
    ------
    SourceError
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            yield
    except SourceError:
        raise
    except MemoryError as error:
        raise SourceError(f"{what} needs more memory than a worker may take; scan it at a lower resolution") from error
    except Exception as error:
        raise SourceError(f"{what} is damaged ({brief(error)}); copy or scan it again") from error


def brief(error: BaseException) -> str:
    """A library's error in one short line, without paths, names of kept files and addresses of objects."""
    text = re.sub(r"\S*/(\S+)", r"\1", str(error).strip().split("\n")[0])
    text = re.sub(r"\b[0-9a-f]{64}:? ?", "", re.sub(r"<[\w.]+ object at 0x[0-9a-f]+>", "the data", text)).strip()
    return "".join(c for c in text if c.isprintable())[:120] or type(error).__name__
