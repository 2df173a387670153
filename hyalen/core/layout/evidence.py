"""What the image itself tells of a page's parts, before any letter is read."""

from __future__ import annotations

from typing import NamedTuple

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.rules import Rules, find_rules
from hyalen.core.layout.witness import Witness, witnesses


class Evidence(NamedTuple):
    """What a learned model takes the page's parts for, and the printed rules."""

    told: tuple[Witness, ...]
    rules: Rules


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
