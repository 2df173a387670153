"""Spoils clean page images the way scanners, age and haste do, from a seed."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.imaging.orientation import quarter_turned
from hyalen.core.imaging.pixels import Image, as_uint8


@dataclass(frozen=True)
class Spoiling:
    """What happens to a page. All lengths in inches, angles in degrees.

    `skew` is positive where the content ends up turned counter-clockwise;
    `turn` is the clockwise quarter turn put on the finished scan.
    """

    skew: float = 0.0
    bed: float = 0.0
    bed_level: int = 38
    tint: tuple[int, int, int] = (255, 255, 255)
    shade: float = 0.0
    specks: int = 0
    noise: float = 0.0
    blur: float = 0.0
    punch_holes: int = 0
    turn: int = 0
    jpeg: int | None = None
    fade: float = 0.0

    def with_skew(self, degrees: float) -> Spoiling:
        return replace(self, skew=degrees)


AGED = (240, 226, 196)
GREENISH = (222, 230, 214)
ROSE = (244, 222, 214)


def spoil(page: Image, dpi: float, how: Spoiling, seed: int) -> Image:
    """The page as a poor scan.

    Parameters
    ----------
    page : (h, w, 3) uint8
        Clean page, RGB.
    dpi : float
        Pixels an inch.
    how : Spoiling
    seed : int
        The same seed gives the same scan.

    Returns
    -------
    (H, W, 3) uint8
        Larger than the page where a bed surrounds it.
    """
    rng = np.random.default_rng(seed)
    image = page.astype(np.float32)
    height, width = page.shape[:2]
    if how.fade:
        keep = 1 - how.fade * _cloud(rng, height, width)[:, :, None]
        image = np.asarray(255 - (255 - image) * keep, dtype=np.float32)
    image *= np.array(how.tint, np.float32) / 255
    if how.shade:
        image *= 1 - how.shade * _cloud(rng, height, width)[:, :, None]
    scan = as_uint8(np.clip(image, 0, 255))
    if how.specks:
        _draw_specks(scan, rng, dpi, how.specks)
    if how.punch_holes:
        for i in range(how.punch_holes):
            y = int(height / 2 + (i - (how.punch_holes - 1) / 2) * 3.15 * dpi)
            cv2.circle(scan, (int(0.42 * dpi), y), int(0.12 * dpi), (how.bed_level,) * 3, -1, cv2.LINE_AA)
    border = int(how.bed * dpi)
    tint = how.tint if not border else (how.bed_level,) * 3
    scan = as_uint8(cv2.copyMakeBorder(scan, border, border, border, border, cv2.BORDER_CONSTANT, value=tint))
    if how.skew:
        h, w = scan.shape[:2]
        # OpenCV's positive angle turns counter-clockwise.
        matrix = cv2.getRotationMatrix2D((w / 2, h / 2), how.skew, 1.0)
        scan = as_uint8(
            cv2.warpAffine(
                scan, matrix, (w, h), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_CONSTANT, borderValue=tint
            )
        )
    if how.blur:
        scan = as_uint8(cv2.GaussianBlur(scan, (0, 0), how.blur * dpi))
    if how.noise:
        grain = rng.normal(0, how.noise, scan.shape[:2]).astype(np.float32)[:, :, None]
        scan = as_uint8(np.clip(scan.astype(np.float32) + grain, 0, 255))
    scan = quarter_turned(scan, how.turn)
    if how.jpeg:
        scan = decode(encode_jpeg(scan, how.jpeg))
    return scan


def _cloud(rng: np.random.Generator, height: int, width: int) -> NDArray[np.float32]:
    """A smooth random field between 0 and 1."""
    coarse = rng.random((5, 4)).astype(np.float32)
    field = cv2.resize(coarse, (width, height), interpolation=cv2.INTER_CUBIC)
    return np.asarray(np.clip((field - field.min()) / (np.ptp(field) + 1e-6), 0, 1), dtype=np.float32)


def _draw_specks(scan: Image, rng: np.random.Generator, dpi: float, count: int) -> None:
    height, width = scan.shape[:2]
    for _ in range(count):
        centre = (int(rng.integers(width)), int(rng.integers(height)))
        radius = max(1, int(dpi / 300 * rng.choice([1, 1, 1, 2, 2, 3])))
        level = int(rng.integers(20, 110))
        cv2.circle(scan, centre, radius, (level,) * 3, -1, cv2.LINE_AA)
