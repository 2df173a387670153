"""What every reader of text can do, whatever engine or file stands behind it."""

from __future__ import annotations

from typing import Protocol

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import FoundBlock, Model, Shape


class Reader(Protocol):
    """Reads pixels. Safe to use from several threads at once."""

    def read_page(self, page: Image, dpi: float, languages: tuple[str, ...]) -> list[FoundBlock]:
        """A whole cleaned page.

        Parameters
        ----------
        page : (h, w) or (h, w, 3) uint8
        dpi : float
            Pixels an inch.
        languages : tuple of str
            ISO 639-3 codes, the likeliest first.
        """

    def read_region(
        self,
        crop: Image,
        dpi: float,
        languages: tuple[str, ...],
        shape: Shape,
        model: Model = Model.USUAL,
        alphabet: str = "",
    ) -> list[FoundBlock]:
        """A part of a page whose layout is known: one column, one line, or one line whose ink is not analysed.

        Parameters
        ----------
        model : Model
            By which it is read where there is one; else by the usual one.
        alphabet : str
            The only characters that can stand there; all where it is empty.
        """

    def languages(self) -> tuple[str, ...]:
        """ISO 639-3 codes of the languages it can read."""
