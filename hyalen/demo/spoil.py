"""Spoils clean page images the way scanners, age and haste do, from a seed."""

from __future__ import annotations

from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.imaging.orientation import quarter_turned
from hyalen.core.imaging.pixels import Image, as_uint8

Corners = tuple[tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]]


@dataclass(frozen=True)
class Curl:
    """How a page curves. A cylinder under a lens, or a buckle from the feeder.

    The surface lies `depth` inches below the lens's focal plane at the spine and rises over
    `reach` inches; the lens hangs `lens` inches above. `sag` shifts the lines as a
    scanner's line sensor sees a lifted page; `wave` is the amplitude of a buckle; `axis` says
    above which share of the page's width (from the spine) and height the lens hangs.
    """

    depth: float = 0.0
    reach: float = 1.0
    lens: float = 16.0
    sag: float = 0.0
    wave: float = 0.0
    length: float = 7.0
    right: bool = False
    shadow: float = 0.5
    axis: tuple[float, float] = (0.5, 0.5)

    def place(self, x: NDArray[np.float64], y: NDArray[np.float64], size: tuple[float, float]) -> Placed:
        """Where points of the flat page, in inches, are seen."""
        width, height = size
        along = np.linspace(0.0, width, 2000)
        below = -self.depth * np.exp(-along / self.reach)
        steps = np.sqrt(np.maximum(1e-3, 1 - np.gradient(below, along) ** 2))
        across = np.concatenate(([0.0], np.cumsum((steps[1:] + steps[:-1]) / 2 * np.diff(along))))
        across += width - across[-1]
        s = width - x if self.right else x
        z = np.interp(s, along, below)
        scale = self.lens / (self.lens - z)
        middle = (self.axis[0] * width, self.axis[1] * height)
        u = middle[0] + (np.interp(s, along, across) - middle[0]) * scale
        v = middle[1] + (y - middle[1]) * scale
        v = v + self.sag * np.exp(-s / self.reach) + self.wave * np.sin(2 * np.pi * x / self.length + y / 9)
        return (width - u if self.right else u), v


Placed = tuple[NDArray[np.float64], NDArray[np.float64]]


@dataclass(frozen=True)
class Spoiling:
    """What happens to a page. All lengths in inches, angles in degrees.

    `skew` is positive where the content ends up turned counter-clockwise;
    `turn` is the clockwise quarter turn put on the finished scan. `corners` says where the
    page's corners (clockwise from the upper left) come to lie in a photograph, as shares of
    the frame's width and height; the bed is then a table top. `fold_lean` is in degrees, and
    `streak_from` says at which share of the scan's height the dust fell on the glass.
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
    curl: Curl | None = None
    corners: Corners | None = None
    bed_light: bool = False
    show_through: float = 0.0
    streaks: int = 0
    folds: int = 0
    fold_lean: float = 0.0
    streak_from: float = 0.0
    fibres: int = 0
    staples: int = 0

    def with_skew(self, degrees: float) -> Spoiling:
        return replace(self, skew=degrees)


AGED = (240, 226, 196)
GREENISH = (222, 230, 214)
ROSE = (244, 222, 214)


def spoil(page: Image, dpi: float, how: Spoiling, seed: int, reverse: Image | None = None) -> Image:
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
    reverse : (h, w, 3) uint8, optional
        What is printed on the back, as read there; needed where it shows through.

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
    if how.show_through and reverse is not None:
        ghost = cv2.GaussianBlur(np.ascontiguousarray(reverse[:, ::-1]), (0, 0), 0.004 * dpi)
        ghost = as_uint8(cv2.resize(ghost, (width, height)))
        image *= 1 - how.show_through * (1 - ghost.astype(np.float32) / 255)
    image *= np.array(how.tint, np.float32) / 255
    if how.shade:
        image *= 1 - how.shade * _cloud(rng, height, width)[:, :, None]
    scan = as_uint8(np.clip(image, 0, 255))
    if how.specks:
        _draw_specks(scan, rng, dpi, how.specks)
    for _ in range(how.fibres):
        x, y = int(rng.integers(width)), int(rng.integers(height))
        angle, length = rng.uniform(0, np.pi), 14 * dpi / 300
        end = (x + int(length * np.cos(angle)), y + int(length * np.sin(angle)))
        cv2.line(scan, (x, y), end, (60,) * 3, max(1, round(dpi / 150)), cv2.LINE_AA)
    if how.punch_holes:
        for i in range(how.punch_holes):
            y = int(height / 2 + (i - (how.punch_holes - 1) / 2) * 3.15 * dpi)
            cv2.circle(scan, (int(0.42 * dpi), y), int(0.12 * dpi), (how.bed_level,) * 3, -1, cv2.LINE_AA)
    for _ in range(how.staples):
        x, y = int(rng.uniform(0.2, 0.6) * dpi), int(rng.uniform(0.2, 0.6) * dpi)
        cv2.line(scan, (x, y), (x + int(0.35 * dpi), y + int(0.1 * dpi)), (70,) * 3, max(1, int(dpi / 75)), cv2.LINE_AA)
    for i in range(how.folds):
        y = int(height * (i + 1) / (how.folds + 1))
        sag = int(np.tan(np.deg2rad(how.fold_lean)) * width)
        line = as_uint8(np.full((height, width), 255))
        cv2.line(
            line,
            (0, y),
            (width, y + sag + int(rng.uniform(-0.02, 0.02) * dpi)),
            (185,),
            max(1, int(dpi / 100)),
            cv2.LINE_AA,
        )
        line = as_uint8(cv2.GaussianBlur(line, (0, 0), dpi / 150))
        scan = as_uint8(scan * (line[:, :, None] / 255.0))
    if how.curl:
        scan = _bent(scan, dpi, how.curl)
    if how.corners:
        scan = _photographed(scan, how, rng)
    border = int(how.bed * dpi) if not how.corners else 0
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
    for _ in range(how.streaks):
        x = int(rng.uniform(0.1, 0.9) * scan.shape[1])
        wide = max(1, int(dpi / 200))
        struck = scan[int(how.streak_from * scan.shape[0]) :, x : x + wide]
        struck[:] = (struck * rng.uniform(0.45, 0.75)).astype(np.uint8)
    if how.blur:
        scan = as_uint8(cv2.GaussianBlur(scan, (0, 0), how.blur * dpi))
    if how.noise:
        grain = rng.normal(0, how.noise, scan.shape[:2]).astype(np.float32)[:, :, None]
        scan = as_uint8(np.clip(scan.astype(np.float32) + grain, 0, 255))
    scan = quarter_turned(scan, how.turn)
    if how.jpeg:
        scan = decode(encode_jpeg(scan, how.jpeg))
    return scan


def to_scan(
    points: NDArray[np.float64], shape: tuple[int, ...], dpi: float, how: Spoiling, frame: tuple[int, ...]
) -> NDArray[np.float64]:
    """Where points of the clean page come to lie in its scan, quarter turns aside.

    Parameters
    ----------
    points : (n, 2) float64
        Pixels of the page.
    shape, frame : tuple of int
        The page's and the scan's (height, width, ...).
    """
    height, width = shape[:2]
    x, y = points[:, 0], points[:, 1]
    if how.curl:
        x, y = how.curl.place(x / dpi, y / dpi, (width / dpi, height / dpi))
        x, y = x * dpi, y * dpi
    if how.corners:
        found = np.c_[x, y, np.ones(len(x))] @ _photograph_matrix(width, height, how.corners, frame).T
        return np.asarray(found[:, :2] / found[:, 2:])
    border = int(how.bed * dpi)
    turn = cv2.getRotationMatrix2D((frame[1] / 2, frame[0] / 2), how.skew, 1.0)
    return np.asarray(np.c_[x + border, y + border, np.ones(len(x))] @ turn.T)


def spread(left: Image, right: Image, dpi: float, shadow: float = 0.5) -> Image:
    """Two pages of one height side by side, as an open book, with the fold's shadow."""
    both = np.hstack([left, right]).astype(np.float32)
    x = np.abs(np.arange(both.shape[1]) - left.shape[1]) / dpi
    dark = 1 - shadow * np.exp(-x / 0.25)
    return as_uint8(both * dark[None, :, None])


def halftone(picture: Image, dpi: float, lines: float = 120.0, degrees: float = 45.0) -> Image:
    """A grey picture printed with a screen of round dots, `lines` an inch, and scanned."""
    fine = 2
    height, width = picture.shape[:2]
    y, x = np.mgrid[0 : height * fine, 0 : width * fine].astype(np.float32) / (dpi * fine)
    a = np.deg2rad(degrees)
    u, v = (x * np.cos(a) + y * np.sin(a)) * lines, (-x * np.sin(a) + y * np.cos(a)) * lines
    level = 0.5 + 0.25 * (np.cos(2 * np.pi * u) + np.cos(2 * np.pi * v))
    tone = cv2.resize(picture, (width * fine, height * fine)).astype(np.float32) / 255
    printed = np.where(level < tone, 255, 25).astype(np.uint8)
    return as_uint8(cv2.resize(printed, (width, height), interpolation=cv2.INTER_AREA))


def _bent(scan: Image, dpi: float, curl: Curl) -> Image:
    """The page as it is seen when it curves, with the spine's shadow."""
    height, width = scan.shape[:2]
    size = (width / dpi, height / dpi)
    # The inverse, by fixed-point steps on a grid of the scan; enlarged by straight lines between its nodes.
    step = 17
    columns, lines = width // step + 2, height // step + 2
    cols, rows = np.meshgrid(np.arange(columns) * step / dpi, np.arange(lines) * step / dpi)
    x, y = cols.copy(), rows.copy()
    for _ in range(60):
        u, v = curl.place(x, y, size)
        x, y = x + 0.7 * (cols - u), y + 0.7 * (rows - v)
    shift = (step - 1) // 2
    map_x, map_y = (
        cv2.resize((v * dpi).astype(np.float32), (columns * step, lines * step), interpolation=cv2.INTER_LINEAR)[
            shift : shift + height, shift : shift + width
        ]
        for v in (x, y)
    )
    seen = cv2.remap(scan, map_x, map_y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    s = (width - 1 - np.arange(width) if curl.right else np.arange(width)) / dpi
    dark = 1 - curl.shadow * np.exp(-s / (0.45 * curl.reach)) if curl.depth or curl.sag else np.ones(width)
    return as_uint8(np.clip(seen * dark[None, :, None], 0, 255))


def _photograph_matrix(width: int, height: int, corners: Corners, frame: tuple[int, ...]) -> NDArray[np.float64]:
    at = np.array([(cx * frame[1], cy * frame[0]) for cx, cy in corners], np.float32)
    page = np.array([(0, 0), (width, 0), (width, height), (0, height)], np.float32)
    return np.asarray(cv2.getPerspectiveTransform(page, at), dtype=np.float64)


def _photographed(scan: Image, how: Spoiling, rng: np.random.Generator) -> Image:
    """The page on a table, seen aslant, under uneven light; the frame is as large as the page."""
    height, width = scan.shape[:2]
    corners = how.corners
    assert corners is not None
    matrix = _photograph_matrix(width, height, corners, scan.shape)
    grain = cv2.resize(rng.random((height // 40 + 2, 3)).astype(np.float32), (width, height))
    base = np.array((214, 206, 196) if how.bed_light else (92, 66, 48), np.float32)
    table = base * (0.85 + 0.3 * grain[:, :, None])
    seen = cv2.warpPerspective(scan, matrix, (width, height), flags=cv2.INTER_AREA)
    inside = cv2.warpPerspective(np.ones((height, width), np.float32), matrix, (width, height), flags=cv2.INTER_LINEAR)
    shadow = cv2.GaussianBlur(inside, (0, 0), width / 130)
    table *= (1 - 0.35 * shadow)[:, :, None]
    light = 1 - 0.25 * _cloud(rng, height, width)
    both = (seen * inside[:, :, None] + table * (1 - inside[:, :, None])) * light[:, :, None]
    return as_uint8(np.clip(both, 0, 255))


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
