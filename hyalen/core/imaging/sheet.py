"""Where the page lies on the scan: turn, fold, outline, skew, curvature and cut, one frame upon the other."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.background import estimate_paper, is_coloured, whiten
from hyalen.core.imaging.frame import Frame, bend_mesh, squared, turn_matrix
from hyalen.core.imaging.lid import lid_tinted
from hyalen.core.imaging.measuring import Measuring, outline, split, straight_and_flat, straightened, trim, turn
from hyalen.core.imaging.orientation import FindTurn
from hyalen.core.imaging.pictures import fills_the_page
from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces, reduced
from hyalen.core.model.geometry import Box, translation
from hyalen.core.model.treatment import Applied, Cleaned, Corners, Finding, Half, Mesh, Treatment


@dataclass(frozen=True)
class Placed:
    """The page on its scan.

    Attributes
    ----------
    whole, upright, sheet, page : Frame
        Views of the original: turned, halved too, squared and straightened, and the kept part.
    mesh : Mesh or None
        On the kept part.
    kept : Box
        What of the page is scan; all else is an even page's margin.
    content : Box or None
        Around ink, on the page.
    spread : bool
        Whether a whole picture shows two pages.
    lost : int
        Corners of the sheet outside the picture.
    small, small_dpi
        The original at measuring resolution.
    picture : bool
        Whether a picture fills the kept part and no paper is in sight.
    colour : bool
        Whether the kept part bears colour beside its paper's tint.
    """

    whole: Frame
    upright: Frame
    sheet: Frame
    page: Frame
    mesh: Mesh | None
    applied: Applied
    kept: Box
    content: Box | None
    spread: bool
    lost: int
    picture: bool
    colour: bool
    small: Image
    small_dpi: float
    findings: tuple[Finding, ...]


def place_page(
    original: Image,
    dpi: float,
    treatment: Treatment,
    find_turn: FindTurn,
    half: Half = "whole",
    known: Cleaned | None = None,
    told_dpi: float | None = None,
) -> Placed:
    """Find where the page lies.

    Parameters
    ----------
    original : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    treatment : Treatment
    find_turn : callable
        (image, dpi) -> FoundTurn; called where the turn is automatic and not known.
    half : "whole", "left" or "right"
        Which side of a spread's fold is wanted.
    known : Cleaned, optional
        An earlier outcome; what rests on unchanged ground is taken from it.
    told_dpi : float, optional
        The resolution in whose pixels findings are told, where `original` is reduced.
    """
    m = Measuring(original, dpi, treatment, known)
    found = turn(m, find_turn)
    m.settle("turn", found.degrees)
    height, width = original.shape[:2]
    if found.degrees in (90, 270):
        width, height = height, width
    whole = Frame(turn_matrix(found.degrees, original.shape[1], original.shape[0]), width, height)
    fold, spread = split(m, whole, half)
    m.settle("fold", fold)
    m.settle("half", half)
    upright = _halved(whole, fold, half, dpi)
    corners, seen, lost = outline(m, upright)
    m.settle("corners", corners)
    m.settle("seen", seen)
    if seen is not None and half == "whole":
        m.small = lid_tinted(m.small, m.small_dpi, _on_scan(seen, upright, dpi) * m.scale)
    flat = upright
    if corners is not None:
        matrix, size = squared(np.array(corners) * dpi, (upright.width, upright.height))
        flat = upright.then(matrix, *size)
    measured = found.skew if corners is None and half == "whole" else None
    skew, bend = straight_and_flat(m, flat, measured)
    m.settle("skew", skew)
    m.settle("bend", bend)
    sheet = straightened(flat, skew)
    size = (sheet.width, sheet.height) if bend is None else (round(bend.size[0] * dpi), round(bend.size[1] * dpi))
    mesh = bend_mesh(bend, dpi, 0, 0, *size) if bend else None
    limits = _fold_limits(fold, half, whole, sheet, mesh, size, dpi)
    sides = _on_sheet(seen, upright, sheet, mesh, dpi) if seen else None
    box, view = trim(m, sheet, mesh, size, limits, sides, told_dpi or dpi)
    small, factor = reduced(view, m.small_dpi, 75)
    picture = fills_the_page(view, m.small_dpi)
    white = small if picture else whiten(small, estimate_paper(small, m.small_dpi / factor))
    content = _content(grey(white), box, m.small_dpi / factor, dpi)
    page, kept = box, Box(0, 0, box.width, box.height)
    frame = treatment.trim.frame
    if frame is not None and content is not None:
        left, top = round(content.left - frame.left * dpi), round(content.top - frame.top * dpi)
        page = Box(left, top, left + max(8, round(frame.width * dpi)), top + max(8, round(frame.height * dpi)))
        kept = box.intersection(page)
        kept = Box(kept.left - left, kept.top - top, kept.right - left, kept.bottom - top)
    if bend:
        mesh = bend_mesh(bend, dpi, page.left, page.top, page.width, page.height)
    if content is not None:
        content = Box(*(v - o for v, o in zip(content, (page.left, page.top) * 2, strict=True)))
    applied = Applied(
        half=half,
        turn=found.degrees,
        fold=fold,
        corners=corners,
        seen=seen,
        skew=skew,
        bend=bend,
        box=(box.left / dpi, box.top / dpi, box.right / dpi, box.bottom / dpi),
        sheet=(size[0] / dpi, size[1] / dpi),
        upright=(upright.width / dpi, upright.height / dpi),
    )
    return Placed(
        whole,
        upright,
        sheet,
        sheet.then(translation(-page.left, -page.top), page.width, page.height),
        mesh,
        applied,
        kept,
        content,
        spread,
        lost,
        picture,
        is_coloured(white, m.small_dpi / factor),
        m.small,
        m.small_dpi,
        tuple(m.findings),
    )


def _halved(whole: Frame, fold: tuple[float, float] | None, half: Half, dpi: float) -> Frame:
    if half == "whole" or fold is None:
        return whole
    if half == "left":
        return Frame(whole.matrix, min(whole.width, max(8, round(max(fold) * dpi))), whole.height)
    left = min(max(0, round(min(fold) * dpi)), whole.width - 8)
    return whole.then(translation(-left, 0), whole.width - left, whole.height)


def lid_on_scan(original: Image, dpi: float, placed: Placed) -> Image:
    """The scan with the lid around a darker sheet as dark as its paper."""
    if placed.applied.seen is None or placed.applied.half != "whole":
        return original
    return lid_tinted(original, dpi, _on_scan(placed.applied.seen, placed.upright, dpi))


def _on_scan(corners: Corners, upright: Frame, dpi: float) -> NDArray[np.float64]:
    """Corners of the upright view in pixels of the scan."""
    ends = np.c_[np.array(corners) * dpi, np.ones(4)] @ np.linalg.inv(upright.matrix).T
    return np.asarray(ends[:, :2] / ends[:, 2:], dtype=np.float64)


def _fold_limits(
    fold: tuple[float, float] | None,
    half: Half,
    whole: Frame,
    sheet: Frame,
    mesh: Mesh | None,
    size: tuple[int, int],
    dpi: float,
) -> tuple[int, int]:
    """Left and right limits on the flat sheet, so that nothing of the other page is kept."""
    if fold is None or half == "whole":
        return 0, size[0]
    ends = np.array([(fold[0] * dpi, 0, 1), (fold[1] * dpi, whole.height, 1)])
    move = sheet.matrix @ np.linalg.inv(whole.matrix)
    seen = ends @ move.T
    seen = seen[:, :2] / seen[:, 2:]
    if mesh is not None:
        seen = seen - mesh.at(seen)
    if half == "left":
        return 0, int(min(size[0], max(8, seen[:, 0].min())))
    return int(max(0, min(size[0] - 8, seen[:, 0].max()))), size[0]


def _on_sheet(corners: Corners, upright: Frame, sheet: Frame, mesh: Mesh | None, dpi: float) -> Box:
    """The rectangle within a sheet's corners, in pixels of the flat sheet."""
    ends = np.c_[np.array(corners) * dpi, np.ones(4)] @ (sheet.matrix @ np.linalg.inv(upright.matrix)).T
    seen = ends[:, :2] / ends[:, 2:]
    if mesh is not None:
        seen = seen - mesh.at(seen)
    (ul, ur, lr, ll) = seen
    return Box(int(max(ul[0], ll[0])), int(max(ul[1], ur[1])), int(min(ur[0], lr[0])), int(min(ll[1], lr[1])))


def _content(white: Image, box: Box, scale: float, dpi: float) -> Box | None:
    """The box around ink and pictures, specks and edges left out, in pixels of the flat sheet.

    `white` is the kept part, whitened, at `scale` pixels an inch.
    """
    if min(white.shape) < 30:
        return None
    dark = (white < 170).astype(np.uint8)
    joined = cv2.morphologyEx(dark, cv2.MORPH_CLOSE, np.ones((3, 9), np.uint8))
    stats = pieces(as_uint8(joined)).stats[1:]
    rim = int(0.1 * scale)
    inside = (
        (stats[:, 0] > rim)
        & (stats[:, 1] > rim)
        & (stats[:, 0] + stats[:, 2] < white.shape[1] - rim)
        & (stats[:, 1] + stats[:, 3] < white.shape[0] - rim)
        & (np.maximum(stats[:, 2], stats[:, 3]) > 0.12 * scale)
    )
    # A hole by itself at the margin is no content.
    hole = (
        (np.abs(stats[:, 2] - stats[:, 3]) <= 3)
        & (stats[:, 2] < 0.4 * scale)
        & (stats[:, 4] > 0.6 * stats[:, 2] * stats[:, 3])
    )
    stats = stats[inside & ~hole]
    if len(stats) == 0:
        return None
    edges = (
        stats[:, 0].min(),
        stats[:, 1].min(),
        (stats[:, 0] + stats[:, 2]).max(),
        (stats[:, 1] + stats[:, 3]).max(),
    )
    full = dpi / scale
    left, top, right, bottom = (round(float(v) * full) for v in edges)
    return Box(box.left + left, box.top + top, box.left + right, box.top + bottom)
