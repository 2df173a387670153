"""How each geometric step is measured, remembered or taken from the clerk."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from hyalen.core.imaging.cards import find_cards
from hyalen.core.imaging.curvature import find_curvature
from hyalen.core.imaging.frame import Frame, render, straighten_matrix
from hyalen.core.imaging.orientation import FindTurn, FoundTurn
from hyalen.core.imaging.outline import LEAST_KEYSTONE, find_outline
from hyalen.core.imaging.pixels import Image, reduced
from hyalen.core.imaging.skew import Skew, estimate_skew
from hyalen.core.imaging.spread import SURE, Fold, find_fold
from hyalen.core.imaging.trim import find_paper, goes_on_beyond
from hyalen.core.model.geometry import Box
from hyalen.core.model.treatment import Bend, Cleaned, Corners, Finding, Half, Mesh, StepName, Switch, Treatment

MEASURING_DPI = 150.0  # pixels an inch: as good as 300 for angles and edges, in a quarter of the time
LEAST_SKEW = 0.03  # degrees: a row of A4 rises by less than a millimetre
LEAST_SURE = 0.3  # confidence of an angle that is undone
LEAST_LEAN = 0.1  # degrees by which a bent page's flat part must lean to be turned again
LEAST_OUTLINE = 0.5  # confidence of corners that are squared
MILLIMETRES = 25.4  # an inch


@dataclass
class Measuring:
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
        self._seen: tuple[Image, Frame, Image] | None = None

    @property
    def small_dpi(self) -> float:
        return float(self.dpi * self.scale)

    def view(self, frame: Frame, mesh: Mesh | None = None) -> Image:
        """The frame at measuring resolution; one that is asked for again without a mesh is rendered once."""
        if mesh is not None:
            return render(self.small, frame.scaled(self.scale), mesh, sharp=False)
        if self._seen is None or self._seen[0] is not self.small or not self._seen[1].is_like(frame):
            self._seen = (self.small, frame, render(self.small, frame.scaled(self.scale), sharp=False))
        return self._seen[2]

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


def turn(m: Measuring, find_turn: FindTurn) -> FoundTurn:
    """The quarter turn that makes the page upright."""
    step = m.treatment.turn
    if step.switch is Switch.OFF:
        m.tell("turn", "left as scanned")
        return FoundTurn(0, 1.0)
    if step.switch is Switch.BY_HAND:
        m.tell("turn", f"turned {step.degrees}° by hand", step.degrees)
        return FoundTurn(step.degrees, 1.0)
    had, degrees = m.remembered("turn", "turn")
    if had:
        return FoundTurn(degrees, 1.0)  # type: ignore[arg-type]
    found = find_turn(m.small, m.small_dpi)
    says = f"turned {found.degrees}° clockwise" if found.degrees else "upright"
    m.tell("turn", says + (f": {found.reason}" if found.reason else ""), found.degrees, found.confidence)
    return found


def split(m: Measuring, whole: Frame, half: Half) -> tuple[tuple[float, float] | None, bool]:
    """The fold, and whether a whole picture is a spread that should be split."""
    step = m.treatment.split
    if step.switch is Switch.OFF:
        m.tell("split", "kept as one page")
        return None, False
    if step.switch is Switch.BY_HAND:
        fold = step.fold or (whole.width / m.dpi / 2,) * 2
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


def _known_fold(m: Measuring) -> Fold | None:
    """The fold as it was found before, on the whole picture or on one of its halves."""
    known = m.known
    if known is None or not m.same_so_far or known.applied.fold is None:
        return None
    if known.measured.split.switch is not Switch.AUTOMATIC:
        return None
    confidence = next((f.confidence for f in known.findings if f.step == "split"), 1.0)
    return Fold(*known.applied.fold, confidence)


def outline(m: Measuring, upright: Frame) -> tuple[Corners | None, Corners | None, int]:
    """Corners to be squared, those of a sheet that needs none of it, and how many lie outside the picture."""
    step = m.treatment.outline
    width, height = upright.width / m.dpi, upright.height / m.dpi

    def outside(corners: Corners) -> int:
        slack = 0.02 * max(width, height)
        return sum(not (-slack <= x <= width + slack and -slack <= y <= height + slack) for x, y in corners)

    if step.switch is Switch.OFF:
        m.tell("outline", "left as it lies")
        return None, None, 0
    if step.switch is Switch.BY_HAND and step.corners is not None:
        m.tell("outline", "squared by hand")
        return step.corners, None, outside(step.corners)
    had, remembered = m.remembered("outline", "corners")
    if had:
        seen = m.known.applied.seen if m.known is not None else None
        lost = remembered or seen
        return remembered, seen, outside(lost) if lost else 0  # type: ignore[return-value,arg-type]
    view = m.view(upright)
    found = find_outline(view, m.small_dpi)
    if found.corners is not None and goes_on_beyond(view, m.small_dpi, found.corners):
        m.tell("outline", "the page goes on beyond the edges that were seen")
        return None, None, 0
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


def straightened(flat: Frame, skew: float) -> Frame:
    """A frame after `skew` degrees are undone, large enough for all of it."""
    if not skew:
        return flat
    matrix, size = straighten_matrix(skew, flat.width, flat.height)
    return flat.then(matrix, *size)


def straight_and_flat(m: Measuring, flat: Frame, measured: Skew | None) -> tuple[float, Bend | None]:
    """Skew in degrees and the bend of the straightened sheet; `measured` is a skew that is known already."""
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
    found = find_curvature(m.view(straightened(flat, skew)), m.small_dpi)
    if found.bend is not None and abs(found.lean) > LEAST_LEAN and m.treatment.straighten.switch is Switch.AUTOMATIC:
        skew = round(skew + found.lean, 3)  # the profile had leant on the bent part
        found = find_curvature(m.view(straightened(flat, skew)), m.small_dpi)
        m.findings[-1] = m.findings[-1].model_copy(update={"says": f"{_turned(skew)}, by its flat part", "value": skew})
    if found.bend is None:
        m.tell("flatten", "flat" if found.confidence else "too little text to measure", found.deepest)
        return skew, None
    # Cards that lean each in its own way come out level, too.
    cards = find_cards(m.view(straightened(flat, skew)), m.small_dpi)
    says = "levelled; cards lie askew" if cards else "flattened; lines bent"
    m.tell(
        "flatten",
        f"{says} by up to {found.deepest * MILLIMETRES:.1f} mm",
        found.deepest * MILLIMETRES,
        round(found.confidence, 3),
    )
    return skew, found.bend


def _skew(m: Measuring, flat: Frame, measured: Skew | None) -> float:
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


def trim(
    m: Measuring,
    sheet: Frame,
    mesh: Mesh | None,
    size: tuple[int, int],
    limits: tuple[int, int],
    sides: Box | None,
    told_dpi: float,
) -> tuple[Box, Image]:
    """The kept part in pixels of the flat sheet, and how it looks at measuring resolution."""
    step = m.treatment.trim
    whole = Box(limits[0], 0, limits[1], size[1])
    view = m.view(Frame(sheet.matrix, *size), _scaled_mesh(mesh, m.scale) if mesh else None)
    if step.switch is Switch.OFF:
        box, says, cut = whole, "whole scan kept", 0.0
    elif step.switch is Switch.BY_HAND and step.box is not None:
        box = Box(*(round(v * m.dpi) for v in step.box)).intersection(Box(0, 0, *size))
        says, cut = "cut by hand", 0.0
        if box.width < 8 or box.height < 8:
            box = whole
    else:
        had, remembered = m.remembered("trim", "box")
        if had:
            box = Box(*(round(v * m.dpi) for v in remembered)).intersection(Box(0, 0, *size))  # type: ignore[attr-defined]
            return box, _part(view, box, m.scale)
        left, right = (round(v * m.scale) for v in limits)
        if sides is not None:
            sides = Box(*(round(v * m.scale) for v in sides))
            sides = Box(sides.left - left, sides.top, sides.right - left, sides.bottom)
        found = find_paper(view[:, left:right], m.small_dpi, sides)
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
    if step.frame is not None:
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
