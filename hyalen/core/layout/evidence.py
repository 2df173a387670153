"""What the image itself tells of a page's parts, before any letter is read."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.figures import merged
from hyalen.core.layout.rules import Rules, find_rules, with_panels
from hyalen.core.layout.witness import Kind, Witness, witnesses
from hyalen.core.model.geometry import Box

SEEN = 0.5  # confidence of a part that is no text
PLAIN_COLUMNS = 2  # of text side by side: a plain page has no more


class Evidence(NamedTuple):
    """What a learned model takes the page's parts for, the printed rules, and dark panels with light letters."""

    told: tuple[Witness, ...]
    rules: Rules
    panels: tuple[Box, ...] = ()

    @property
    def plain(self) -> bool:
        """Whether all is text in one column or two, nothing told of other parts."""
        if any(w.kind in (Kind.FIGURE, Kind.TABLE) and w.confidence > SEEN for w in self.told):
            return False
        text = [w.box for w in self.told if w.confidence > SEEN]
        apart = [[other for other in text if other.top < box.centre.y < other.bottom] for box in text]
        return bool(text) and max(len(merged(boxes)) for boxes in apart) <= PLAIN_COLUMNS


def gather(page: Image, dpi: float, panels: Sequence[Box] = ()) -> Evidence:
    """Ask the model and find the rules.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    panels : sequence of Box
        Dark grounds with light letters, which are turned to dark on white on `page`.
    """
    rules = with_panels(find_rules(page, dpi), page, panels)
    return Evidence(tuple(witnesses(page)), rules, tuple(panels))
