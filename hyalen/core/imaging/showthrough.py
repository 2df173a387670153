"""What shines through from the back of a sheet."""

from __future__ import annotations

from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.colour import coloured_ink
from hyalen.core.imaging.pictures import enlarged
from hyalen.core.imaging.pixels import Image, Mask, as_uint8, grey, reduced

WORKING_DPI = 150.0  # pixels an inch: what shines through is blurred anyway
LEAST_COVER = 0.008  # of the page that shines through, before anything is taken off
LEAST_SPREAD = 0.2  # of the page's fields in which it shows: a stain fills few
MOST_BESIDE = 4.0  # times the strong ink's area: what covers more may be the page's own faint writing
FAINT_INK = 140.0  # grey levels below white
DEEPEST = 0.42  # of the ink's depth
GRID = (12, 9)  # fields of a page, rows and columns, in which show-through is counted
REGISTER_DPI = 50.0  # pixels an inch at which front and back are laid on each other
LEAST_AGREEMENT = 0.85  # correlation of front and mirrored back: the right back, rightly laid


class Ghost(NamedTuple):
    """Show-through as measured: its share of the page, and its depth and the ink's, in grey levels below white.

    `beside` is how many times the strong ink's area it covers.
    """

    cover: float
    depth: float
    ink: float
    beside: float = 0.0

    @property
    def present(self) -> bool:
        return self.cover >= LEAST_COVER

    @property
    def doubtful(self) -> bool:
        """Whether it may as well be the page's own faint writing: nearly as dark as what little ink there is."""
        little = self.beside > MOST_BESIDE or self.ink < FAINT_INK
        return self.present and little and self.depth > DEEPEST * self.ink


def find_show_through(page: Image, dpi: float, pictures: Mask) -> Ghost:
    """Pale writing all over a whitened page, far from any strong ink.

    The rim of a letter is as pale as a ghost, so only what lies clear of strong ink
    counts; a pale stamp or a note in pencil covers a small part of the page, show-through
    lies in many parts (common practice, no source).

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened.
    dpi : float
        Pixels an inch.
    pictures : uint8
        From `pictures`; they have pale tones of their own.
    """
    depth, coloured, scale = _small(page, dpi)
    plain = enlarged(pictures, depth) == 0
    inked = depth[(depth > 90) & plain]
    if inked.size < 200:
        return Ghost(0.0, 0.0, 0.0)
    ink = float(np.percentile(inked, 80))
    strong = ((depth > 0.5 * ink) | coloured).astype(np.uint8)
    near = cv2.dilate(strong, np.ones((7, 7), np.uint8))
    pale = (depth > 18) & (near == 0) & plain
    margin = int(0.25 * scale)
    inner = pale[margin:-margin, margin:-margin] if min(pale.shape) > 4 * margin else pale
    cells = cv2.resize(inner.astype(np.float32), GRID[::-1], interpolation=cv2.INTER_AREA)
    spread = float((cells > 0.004).mean())
    cover = float(inner.mean())
    if spread < LEAST_SPREAD or cover < LEAST_COVER:
        return Ghost(0.0, 0.0, ink)
    beside = cover / max(1e-6, float((strong[plain]).mean()))
    return Ghost(cover, float(np.percentile(depth[pale], 97)), ink, beside)


def _small(page: Image, dpi: float) -> tuple[Image, NDArray[np.bool_], float]:
    """Grey levels below white at working resolution, what of them is ink in a colour of its own, and that resolution.

    Red print is paler than black, and no ghost: what shines through has lost most of its colour.
    """
    small, factor = reduced(page, dpi, WORKING_DPI)
    coloured = coloured_ink(small, dpi / factor)
    depth = as_uint8(255 - grey(small))
    return depth, np.zeros(depth.shape, bool) if coloured is None else coloured, dpi / factor


def remove_show_through(page: Image, dpi: float, depth: float, ink: float, pictures: Mask) -> Image:
    """Levels paler than `depth` below white become white, those up to the ink's are stretched; pictures stay.

    The white point is lowered by as much as the ghost is deep nearby, so that clear parts keep their tones.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Whitened.
    depth, ink : float
        Grey levels below white, from `find_show_through`.
    pictures : uint8
        From `pictures`.
    """
    depths, coloured, scale = _small(page, dpi)
    dark = depths.astype(np.float32)
    near = cv2.dilate(((dark > 0.5 * ink) | coloured).astype(np.uint8), np.ones((7, 7), np.uint8))
    pale = np.where((near == 0) & (dark < 1.15 * depth), dark, 0)
    reach = int(0.25 * scale) | 1
    local = cv2.GaussianBlur(cv2.dilate(pale, np.ones((reach, reach), np.uint8)), (0, 0), 0.12 * scale)
    local[enlarged(pictures, depths) == 1] = 0
    white = np.clip(local * 1.15 + 4, 0, 0.6 * ink)
    white[local < 12] = 0
    point = 255 - cv2.resize(cv2.GaussianBlur(white, (0, 0), 1.5), (page.shape[1], page.shape[0]))
    black = 255 - ink
    gain = (255 - black) / np.maximum(point - black, 40)
    levels = gain if page.ndim == 2 else gain[:, :, None]
    mended = as_uint8(np.clip((page.astype(np.float32) - black) * levels + black, 0, 255))
    if coloured.any():
        rims = cv2.dilate(coloured.astype(np.uint8), np.ones((3, 3), np.uint8))
        kept = cv2.resize(rims, page.shape[1::-1], interpolation=cv2.INTER_NEAREST) == 1
        mended[kept] = page[kept]
    return mended


def subtract_reverse(page: Image, reverse: Image, dpi: float) -> tuple[Image, float] | None:
    """The page without what its own back shows through, or None where the back cannot be laid on it.

    The mirrored back is registered by maximising the enhanced correlation coefficient
    (Evangelidis and Psarakis, TPAMI 30, 2008). Ink behind paper multiplies its light, so the
    page is divided by what the back leaves of it (the model of Sharma, IEEE TIP 10, 2001).

    Parameters
    ----------
    page, reverse : (h, w) or (h, w, 3) uint8
        Both cleaned; the reverse as it is read on its own side, at any resolution.

    Returns
    -------
    page, strength
        Strength is the share of the back's darkness that shines through.
    """
    front, factor = reduced(grey(page), dpi, WORKING_DPI)
    behind = as_uint8(
        cv2.resize(grey(reverse)[:, ::-1], (front.shape[1], front.shape[0]), interpolation=cv2.INTER_AREA)
    )
    dark = (255 - front).astype(np.float32)
    back = cv2.GaussianBlur((255 - behind).astype(np.float32), (0, 0), 1.0)
    strong = cv2.dilate((dark > 90).astype(np.uint8), np.ones((7, 7), np.uint8))
    # The ghost alone is registered: the front's own ink has nothing to do with the back.
    clear = (strong == 0).astype(np.uint8)
    scale = REGISTER_DPI / (dpi / factor)
    size = (max(8, int(front.shape[1] * scale)), max(8, int(front.shape[0] * scale)))
    seen = cv2.GaussianBlur(cv2.resize(dark * clear, size, interpolation=cv2.INTER_AREA), (0, 0), 1)
    expected = cv2.GaussianBlur(cv2.resize(back, size, interpolation=cv2.INTER_AREA), (0, 0), 1)
    shift, _ = cv2.phaseCorrelate(expected.astype(np.float32), seen.astype(np.float32))
    warp = np.array([[1, 0, -shift[0]], [0, 1, -shift[1]]], np.float32)
    try:
        agreement, found = cv2.findTransformECC(
            seen,
            expected,
            warp,
            cv2.MOTION_AFFINE,
            (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_COUNT, 80, 1e-5),
            cv2.resize(clear, size, interpolation=cv2.INTER_NEAREST),
            5,
        )
    except cv2.error:
        return None
    if agreement < LEAST_AGREEMENT:
        return None
    warp = np.array(found, np.float32)
    warp[:, 2] /= scale
    laid = cv2.warpAffine(back, warp, (front.shape[1], front.shape[0]), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
    open_paper = (clear == 1) & (laid > 40)
    if open_paper.sum() < 100:
        return None
    strength = float(np.median(dark[open_paper] / laid[open_paper]))
    if not 0.02 < strength < 0.8:
        return None
    # The back's letters are widened a little: they are seen blurred through the sheet.
    cover = cv2.GaussianBlur(cv2.dilate(laid, np.ones((3, 3), np.uint8)), (0, 0), 0.8)
    left = 1 - np.clip(1.15 * strength * cover / 255, 0, 0.85)
    full = cv2.resize(left, (page.shape[1], page.shape[0]), interpolation=cv2.INTER_LINEAR)
    gain = 1 / (full if page.ndim == 2 else full[:, :, None])
    return as_uint8(np.clip(page.astype(np.float32) * gain, 0, 255)), strength
