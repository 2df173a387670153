"""Whether two pictures are of one thing: a letterhead, a seal, an ornament that comes back."""

from __future__ import annotations

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.model.geometry import Box

SIDE = 12  # cells of the fingerprint
MOST_APART = 0.2  # of its bits: what two scans of one print differ in
MOST_SHAPE = 1.12  # times that one picture may be wider beside its height than the other


def fingerprint(page: Image, box: Box) -> str:
    """A picture as hexadecimal digits that are nearly the same for each scan of it.

    Whether each cell of a grid is darker than the one to its right and than the one beneath it (difference hash, common
    practice, no source), after the shape of the box in hundredths.
    """
    part = grey(page)[max(0, box.top) : max(0, box.bottom), max(0, box.left) : max(0, box.right)]
    if part.size == 0 or min(part.shape) < SIDE:
        return ""
    small = cv2.resize(cv2.GaussianBlur(part, (5, 5), 0), (SIDE + 1, SIDE + 1), interpolation=cv2.INTER_AREA).astype(
        int
    )
    bits = np.concatenate([(small[:-1, 1:] < small[:-1, :-1]).ravel(), (small[1:, :-1] < small[:-1, :-1]).ravel()])
    shape = min(0xFFF, round(100 * part.shape[1] / part.shape[0]))
    return f"{shape:03x}{np.packbits(bits).tobytes().hex()}"


def alike(first: str, second: str) -> bool:
    """Whether two fingerprints are of one picture."""
    if not first or not second or len(first) != len(second):
        return False
    shapes = int(first[:3], 16), int(second[:3], 16)
    if max(shapes) > MOST_SHAPE * min(shapes):
        return False
    differing = (int(first[3:], 16) ^ int(second[3:], 16)).bit_count()
    return differing <= MOST_APART * 2 * SIDE * SIDE
