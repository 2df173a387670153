"""A reader that no engine stands behind, for tests to say what is read."""

from __future__ import annotations

from typing import NamedTuple

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import FoundBlock, Model, Shape


class Asked(NamedTuple):
    """How a part of a page is to be read."""

    languages: tuple[str, ...]
    model: Model
    alphabet: str


class PartReader:
    """Reads parts of a page as `on` says, and finds nothing on a whole page."""

    known: tuple[str, ...] = ("eng",)

    def languages(self) -> tuple[str, ...]:
        return self.known

    def read_page(self, page: Image, dpi: float, languages: tuple[str, ...]) -> list[FoundBlock]:
        return []

    def read_region(
        self,
        crop: Image,
        dpi: float,
        languages: tuple[str, ...],
        shape: Shape,
        model: Model = Model.USUAL,
        alphabet: str = "",
    ) -> list[FoundBlock]:
        return self.on(crop, Asked(languages, model, alphabet))

    def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
        return []
