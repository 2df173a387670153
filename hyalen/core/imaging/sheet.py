"""Where the page lies on the scan: turn, fold, outline, skew, curvature and cut, each measured or the clerk's."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import NamedTuple

import cv2
import numpy as np

from hyalen.core.imaging.background import estimate_paper, is_coloured, whiten
from hyalen.core.imaging.curvature import find_curvature
from hyalen.core.imaging.frame import Frame, bend_mesh, render, squared, straighten_matrix, turn_matrix
from hyalen.core.imaging.outline import LEAST_KEYSTONE, find_outline
from hyalen.core.imaging.pictures import fills_the_page
from hyalen.core.imaging.pixels import Image, as_uint8, grey, pieces, reduced
from hyalen.core.imaging.skew import Skew, estimate_skew
from hyalen.core.imaging.spread import SURE, Fold, find_fold
from hyalen.core.imaging.trim import find_paper
from hyalen.core.model.geometry import Box, translation
from hyalen.core.model.treatment import (
    Applied,
    Bend,
    Cleaned,
    Corners,
    Finding,
    Half,
    Mesh,
    QuarterTurn,
    StepName,
    Switch,
    Treatment,
)

MEASURING_DPI = 150.0
LEAST_SKEW = 0.03
LEAST_SURE = 0.3
LEAST_LEAN = 0.1
LEAST_OUTLINE = 0.5
MILLIMETRES = 25.4


class FoundTurn(NamedTuple):
    """Clockwise degrees that make the page upright, with a reason where that is doubtful.

    `skew` is that of the upright page where it was measured on the way.
    """

    degrees: QuarterTurn
    confidence: float
    reason: str = ""
    skew: Skew | None = None


FindTurn = Callable[[Image, float], FoundTurn]


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
    colour: bool
    small: Image
    small_dpi: float
    findings: tuple[Finding, ...]


@dataclass
class _Measuring:
    """One page under measurement: each step hands its frame on to the next."""

    original: Image
    dpi: float
    treatment: Treatment
    known: Cleaned | None
    findings: list[Finding] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.small, _ = reduced(self.original, self.dpi, MEASURING_DPI)
        self.scale = self.small.shape[1] / self.original.shape[1]
        self.same_so_far = self.known is not None

    @property
    def small_dpi(self) -> float:
        return float(self.dpi * self.scale)

    def view(self, frame: Frame, mesh: Mesh | None = None) -> Image:
        """The frame at measuring resolution."""
        return render(self.small, frame.scaled(self.scale), mesh, sharp=False)

    def tell(self, step: StepName, says: str, value: float = 0.0, confidence: float = 1.0) -> None:
        self.findings.append(Finding(step=step, says=says, value=value, confidence=confidence))

    def remembered(self, step: StepName, attribute: str) -> tuple[bool, object]:
        """What was measured before, if all that the step rests on is as it was."""
        if (
            not self.same_so_far
            or self.known is None
            or getattr(self.known.measured, step).switch is not Switch.AUTOMATIC
        ):
            return False, None
        self.findings += [f for f in self.known.findings if f.step == step]
        return True, getattr(self.known.applied, attribute)

    def settle(self, attribute: str, value: object) -> None:
        """After a step: whether what follows still stands on the same ground."""
        if self.known is not None and getattr(self.known.applied, attribute) != value:
            self.same_so_far = False


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
    m = _Measuring(original, dpi, treatment, known)
    turn = _turn(m, find_turn)
    m.settle("turn", turn.degrees)
    height, width = original.shape[:2]
    if turn.degrees in (90, 270):
        width, height = height, width
    whole = Frame(turn_matrix(turn.degrees, original.shape[1], original.shape[0]), width, height)
    fold, spread = _split(m, whole, half)
    m.settle("fold", fold)
    m.settle("half", half)
    upright = _halved(whole, fold, half, dpi)
    corners, seen, lost = _outline(m, upright)
    m.settle("corners", corners)
    flat = upright
    if corners is not None:
        matrix, size = squared(np.array(corners) * dpi, (upright.width, upright.height))
        flat = upright.then(matrix, *size)
    measured = turn.skew if corners is None and half == "whole" else None
    skew, bend = _straight_and_flat(m, flat, measured)
    m.settle("skew", skew)
    m.settle("bend", bend)
    sheet = _straightened(flat, skew)
    size = (sheet.width, sheet.height) if bend is None else (round(bend.size[0] * dpi), round(bend.size[1] * dpi))
    mesh = bend_mesh(bend, dpi, 0, 0, *size) if bend else None
    limits = _fold_limits(fold, half, whole, sheet, mesh, size, dpi)
    outline = _on_sheet(seen, upright, sheet, mesh, dpi) if seen else None
    box, view = _trim(m, sheet, mesh, size, limits, outline, told_dpi or dpi)
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
        turn=turn.degrees,
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
        is_coloured(white, m.small_dpi / factor),
        m.small,
        m.small_dpi,
        tuple(m.findings),
    )


def _turn(m: _Measuring, find_turn: FindTurn) -> FoundTurn:
    turn = m.treatment.turn
    if turn.switch is Switch.OFF:
        m.tell("turn", "left as scanned")
        return FoundTurn(0, 1.0)
    if turn.switch is Switch.BY_HAND:
        m.tell("turn", f"turned {turn.degrees}° by hand", turn.degrees)
        return FoundTurn(turn.degrees, 1.0)
    had, degrees = m.remembered("turn", "turn")
    if had:
        return FoundTurn(degrees, 1.0)  # type: ignore[arg-type]
    found = find_turn(m.small, m.small_dpi)
    says = f"turned {found.degrees}° clockwise" if found.degrees else "upright"
    m.tell("turn", says + (f": {found.reason}" if found.reason else ""), found.degrees, found.confidence)
    return found


def _split(m: _Measuring, whole: Frame, half: Half) -> tuple[tuple[float, float] | None, bool]:
    """The fold, and whether a whole picture is a spread that should be split."""
    split = m.treatment.split
    if split.switch is Switch.OFF:
        m.tell("split", "kept as one page")
        return None, False
    if split.switch is Switch.BY_HAND:
        fold = split.fold or (whole.width / m.dpi / 2,) * 2
        m.tell("split", f"{half} page; fold set by hand" if half != "whole" else "fold set by hand")
        return fold, half == "whole"
    found = _known_fold(m) or find_fold(m.view(whole), m.small_dpi)
    if half == "whole" and found.confidence < SURE:
        says = "single page" if found.confidence == 0 else "perhaps two pages of a spread"
        m.tell("split", says, confidence=1.0 if found.confidence == 0 else 1 - found.confidence)
        return None, False
    if found.confidence == 0:
        found = Fold(whole.width / m.dpi / 2, whole.width / m.dpi / 2, 0.5)
    where = (found.top + found.bottom) / 2 * MILLIMETRES
    which = "a spread" if half == "whole" else f"{half} page of a spread"
    m.tell("split", f"{which}, fold at {where:.0f} mm", where, found.confidence)
    return (found.top, found.bottom), half == "whole"


def _known_fold(m: _Measuring) -> Fold | None:
    """The fold as it was found before, on the whole picture or on one of its halves."""
    known = m.known
    if known is None or not m.same_so_far or known.applied.fold is None:
        return None
    if known.measured.split.switch is not Switch.AUTOMATIC:
        return None
    confidence = next((f.confidence for f in known.findings if f.step == "split"), 1.0)
    return Fold(*known.applied.fold, confidence)


def _halved(whole: Frame, fold: tuple[float, float] | None, half: Half, dpi: float) -> Frame:
    if half == "whole" or fold is None:
        return whole
    if half == "left":
        return Frame(whole.matrix, min(whole.width, max(8, round(max(fold) * dpi))), whole.height)
    left = min(max(0, round(min(fold) * dpi)), whole.width - 8)
    return whole.then(translation(-left, 0), whole.width - left, whole.height)


def _outline(m: _Measuring, upright: Frame) -> tuple[Corners | None, Corners | None, int]:
    """Corners to be squared, those of a sheet that needs none of it, and how many lie outside the picture."""
    outline = m.treatment.outline
    width, height = upright.width / m.dpi, upright.height / m.dpi

    def outside(corners: Corners) -> int:
        slack = 0.02 * max(width, height)
        return sum(not (-slack <= x <= width + slack and -slack <= y <= height + slack) for x, y in corners)

    if outline.switch is Switch.OFF:
        m.tell("outline", "left as it lies")
        return None, None, 0
    if outline.switch is Switch.BY_HAND and outline.corners is not None:
        m.tell("outline", "squared by hand")
        return outline.corners, None, outside(outline.corners)
    had, remembered = m.remembered("outline", "corners")
    if had:
        seen = m.known.applied.seen if m.known is not None else None
        lost = remembered or seen
        return remembered, seen, outside(lost) if lost else 0  # type: ignore[return-value,arg-type]
    found = find_outline(m.view(upright), m.small_dpi)
    if found.corners is None:
        m.tell("outline", "no edge of a sheet in sight")
        return None, None, 0
    if found.keystone < LEAST_KEYSTONE or found.confidence < LEAST_OUTLINE:
        m.tell("outline", "square to the glass", found.keystone)
        if found.confidence < LEAST_OUTLINE:
            return None, None, 0
        return None, found.corners, outside(found.corners)
    m.tell("outline", f"squared; its sides ran {found.keystone:.1f}° apart", found.keystone, found.confidence)
    return found.corners, None, outside(found.corners)


def _straightened(flat: Frame, skew: float) -> Frame:
    if not skew:
        return flat
    matrix, size = straighten_matrix(skew, flat.width, flat.height)
    return flat.then(matrix, *size)


def _straight_and_flat(m: _Measuring, flat: Frame, measured: Skew | None) -> tuple[float, Bend | None]:
    skew = _skew(m, flat, measured)
    flatten = m.treatment.flatten
    if flatten.switch is Switch.OFF:
        m.tell("flatten", "left as it lies")
        return skew, None
    if flatten.switch is Switch.BY_HAND and flatten.bend is not None:
        m.tell("flatten", "flattened by hand")
        return skew, flatten.bend
    m.settle("skew", skew)
    had, remembered = m.remembered("flatten", "bend")
    if had:
        return skew, remembered  # type: ignore[return-value]
    found = find_curvature(m.view(_straightened(flat, skew)), m.small_dpi)
    if found.bend is not None and abs(found.lean) > LEAST_LEAN and m.treatment.straighten.switch is Switch.AUTOMATIC:
        skew = round(skew + found.lean, 3)  # the profile had leant on the bent part
        found = find_curvature(m.view(_straightened(flat, skew)), m.small_dpi)
        m.findings[-1] = m.findings[-1].model_copy(update={"says": f"{_turned(skew)}, by its flat part", "value": skew})
    if found.bend is None:
        m.tell("flatten", "flat" if found.confidence else "too little text to measure", found.deepest)
        return skew, None
    m.tell(
        "flatten",
        f"flattened; lines bent by up to {found.deepest * MILLIMETRES:.1f} mm",
        found.deepest * MILLIMETRES,
        round(found.confidence, 3),
    )
    return skew, found.bend


def _skew(m: _Measuring, flat: Frame, measured: Skew | None) -> float:
    straighten = m.treatment.straighten
    if straighten.switch is Switch.OFF:
        m.tell("straighten", "left as scanned")
        return 0.0
    if straighten.switch is Switch.BY_HAND:
        m.tell("straighten", f"straightened {straighten.degrees:+.2f}° by hand", straighten.degrees)
        return straighten.degrees
    had, remembered = m.remembered("straighten", "skew")
    if had:
        return float(remembered)  # type: ignore[arg-type]
    skew = measured or estimate_skew(m.view(flat), m.small_dpi)
    if 0 < skew.confidence < LEAST_SURE and abs(skew.degrees) >= LEAST_SKEW:
        m.tell("straighten", f"perhaps {abs(skew.degrees):.1f}° askew; left, for want of lines", 0.0, skew.confidence)
        return 0.0
    if skew.confidence == 0 or abs(skew.degrees) < LEAST_SKEW:
        says = "straight" if skew.confidence else "too little text to measure"
        m.tell("straighten", says, confidence=max(skew.confidence, 0.9))
        return 0.0
    m.tell("straighten", _turned(skew.degrees), skew.degrees, skew.confidence)
    return skew.degrees


def _turned(skew: float) -> str:
    return f"straightened {abs(skew):.2f}° {'clockwise' if skew > 0 else 'counter-clockwise'}"


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


def _trim(
    m: _Measuring,
    sheet: Frame,
    mesh: Mesh | None,
    size: tuple[int, int],
    limits: tuple[int, int],
    outline: Box | None,
    told_dpi: float,
) -> tuple[Box, Image]:
    """The kept part in pixels of the flat sheet, and how it looks at measuring resolution."""
    trim = m.treatment.trim
    whole = Box(limits[0], 0, limits[1], size[1])
    view = m.view(Frame(sheet.matrix, *size), _scaled_mesh(mesh, m.scale) if mesh else None)
    if trim.switch is Switch.OFF:
        box, says, cut = whole, "whole scan kept", 0.0
    elif trim.switch is Switch.BY_HAND and trim.box is not None:
        box = Box(*(round(v * m.dpi) for v in trim.box)).intersection(Box(0, 0, *size))
        says, cut = "cut by hand", 0.0
        if box.width < 8 or box.height < 8:
            box = whole
    else:
        had, remembered = m.remembered("trim", "box")
        if had:
            box = Box(*(round(v * m.dpi) for v in remembered)).intersection(Box(0, 0, *size))  # type: ignore[attr-defined]
            return box, _part(view, box, m.scale)
        left, right = (round(v * m.scale) for v in limits)
        if outline is not None:
            outline = Box(*(round(v * m.scale) for v in outline))
            outline = Box(outline.left - left, outline.top, outline.right - left, outline.bottom)
        found = find_paper(view[:, left:right], m.small_dpi, outline)
        box = Box(
            whole.left + int(found.left / m.scale),
            int(found.top / m.scale),
            whole.left + int(np.ceil(found.right / m.scale)) if found.right < right - left else whole.right,
            int(np.ceil(found.bottom / m.scale)) if found.bottom < view.shape[0] else whole.bottom,
        ).intersection(whole)
        cuts = {"left": box.left, "top": box.top, "right": size[0] - box.right, "bottom": size[1] - box.bottom}
        told = {side: round(px * told_dpi / m.dpi) for side, px in cuts.items()}
        named = [f"{px} px {side}" for side, px in told.items() if px > 0]
        says, cut = ("cut " + ", ".join(named) if named else "no scanner bed"), sum(told.values())
    if trim.frame is not None:
        says += "; margins evened"
    m.tell("trim", says, cut)
    return box, _part(view, box, m.scale)


def _part(view: Image, box: Box, scale: float) -> Image:
    edges = (
        int(box.top * scale),
        int(np.ceil(box.bottom * scale)),
        int(box.left * scale),
        int(np.ceil(box.right * scale)),
    )
    return view[edges[0] : edges[1], edges[2] : edges[3]]


def _scaled_mesh(mesh: Mesh, scale: float) -> Mesh:
    """A mesh for a view of `scale` times the pixels."""
    return mesh.model_copy(update={"step": mesh.step * scale, "shifts": tuple(v * scale for v in mesh.shifts)})


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
