"""Whether two pictures are scans of one thing: a page that was fed twice, a letterhead, a seal that comes back."""

from __future__ import annotations

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, as_uint8, grey
from hyalen.core.model.geometry import Box

MOST_UNLIKE = 52  # bits of 256 in which two scans of one picture may differ
MOST_SHAPE = 1.12  # times that one picture may be wider beside its height than the other


def likeness(page: Image, content: Box | None) -> str:
    """256 bits that two scans of one page share for the greater part; empty where there is no content.

    Signs of the differences between neighbours of a 16 x 17 reduction (difference hash) of what is
    written, so that margins do not count.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    content : Box or None
        Around what is written, in pixels.
    """
    whole = Box(0, 0, page.shape[1], page.shape[0])
    box = content.intersection(whole) if content else whole
    if content is None or box.width < 40 or box.height < 40:
        return ""
    part = grey(as_uint8(page[box.top : box.bottom, box.left : box.right]))
    tiny = cv2.GaussianBlur(cv2.resize(part, (170, 160), interpolation=cv2.INTER_AREA), (0, 0), 2)
    tiny = cv2.resize(tiny, (17, 16), interpolation=cv2.INTER_AREA).astype(np.int16)
    bits = (tiny[:, 1:] > tiny[:, :-1]).ravel()
    return f"{int(''.join('1' if b else '0' for b in bits), 2):064x}"


def unlike(a: str, b: str) -> int:
    """In how many of their bits two likenesses differ."""
    return (int(a, 16) ^ int(b, 16)).bit_count()


def look(page: Image, box: Box) -> str:
    """A picture's shape, its width by its height in hundredths, and its likeness; empty where that is."""
    told = likeness(page, box)
    return f"{min(0xFFF, round(100 * box.width / max(1, box.height))):03x}{told}" if told else ""


def alike(first: str, second: str) -> bool:
    """Whether two looks are of one picture."""
    if not first or not second:
        return False
    shapes = int(first[:3], 16), int(second[:3], 16)
    return max(shapes) <= MOST_SHAPE * min(shapes) and unlike(first[3:], second[3:]) <= MOST_UNLIKE
