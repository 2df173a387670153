"""What the image itself tells of a page's parts, before any letter is read."""

from __future__ import annotations

from typing import NamedTuple

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.figures import merged
from hyalen.core.layout.rules import Rules, find_rules
from hyalen.core.layout.witness import Kind, Witness, witnesses

SEEN = 0.5  # confidence of a part that is no text
PLAIN_COLUMNS = 2


class Evidence(NamedTuple):
    """What a learned model takes the page's parts for, and the printed rules."""

    told: tuple[Witness, ...]
    rules: Rules

    @property
    def plain(self) -> bool:
        """Whether all is text in one column or two, nothing told of other parts."""
        if any(w.kind in (Kind.FIGURE, Kind.TABLE) and w.confidence > SEEN for w in self.told):
            return False
        text = [w.box for w in self.told if w.confidence > SEEN]
        apart = [[other for other in text if other.top < box.centre.y < other.bottom] for box in text]
        return bool(text) and max(len(merged(boxes)) for boxes in apart) <= PLAIN_COLUMNS


def gather(page: Image, dpi: float) -> Evidence:
    """Ask the model and find the rules.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    return Evidence(tuple(witnesses(page)), find_rules(page, dpi))
