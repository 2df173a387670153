"""A reader's marks on a page: annotations with their looks and texts (ISO 32000-1, 12.5.6)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import pikepdf
from pikepdf import Array, Dictionary, Name, String

from hyalen.core.model.bundle import MarkKind
from hyalen.core.model.geometry import Box, union

PRINT, NO_ZOOM, NO_ROTATE = 1 << 2, 1 << 3, 1 << 4  # table 165
BAR, BESIDE = 2.4, 7.0  # points: how thick a line at the side is, and how far from the text
BORDER = 1.6
NOTE = 18.0  # a note's side


class PageMark(NamedTuple):
    """A mark: its boxes in pixels, a line each; colour as six hexadecimal digits; who or what it is named after."""

    kind: MarkKind
    boxes: Sequence[Box]
    colour: str
    name: str
    text: str


def mark_annotation(pdf: pikepdf.Pdf, mark: PageMark, height: int, scale: float) -> pikepdf.Object:
    """The annotation of a mark on a page that is so many pixels high, of `scale` points each."""
    boxes = [_points(box, height, scale) for box in mark.boxes]
    left, bottom, right, top = _points(union(mark.boxes), height, scale)
    colour = [round(int(mark.colour[i : i + 2], 16) / 255, 4) for i in (0, 2, 4)]
    made = Dictionary(
        Type=Name.Annot, F=PRINT, C=Array(colour), Contents=String(mark.text or mark.name or _CALLED[mark.kind])
    )
    if mark.name:
        made.T = String(mark.name)
    told = " ".join(f"{v:g}" for v in colour)
    resources = Dictionary()
    match mark.kind:
        case MarkKind.HIGHLIGHT:
            made.Subtype = Name.Highlight
            corners = [v for a, b, c, d in boxes for v in (a, d, c, d, a, b, c, b)]
            made.QuadPoints = Array([round(v, 2) for v in corners])
            fills = " ".join(f"{a:.2f} {b:.2f} {c - a:.2f} {d - b:.2f} re" for a, b, c, d in boxes)
            look = f"/Over gs {told} rg {fills} f"
            resources = Dictionary(ExtGState=Dictionary(Over=Dictionary(Type=Name.ExtGState, BM=Name.Multiply)))
        case MarkKind.SIDELINE:
            made.Subtype = Name.Line
            x = max(BAR, left - BESIDE)
            left, right = x - BAR, x + BAR
            made.L = Array([round(v, 2) for v in (x, bottom, x, top)])
            made.BS = Dictionary(W=BAR)
            look = f"{told} RG {BAR} w {x:.2f} {bottom:.2f} m {x:.2f} {top:.2f} l S"
        case MarkKind.AREA:
            made.Subtype = Name.Square
            left, bottom, right, top = left - BORDER, bottom - BORDER, right + BORDER, top + BORDER
            made.BS = Dictionary(W=BORDER)
            inside = f"{left + BORDER / 2:.2f} {bottom + BORDER / 2:.2f} {right - left - BORDER:.2f} {top - bottom - BORDER:.2f}"
            look = f"{told} RG {BORDER} w {inside} re S"
        case MarkKind.NOTE:
            made.Subtype, made.Name = Name.Text, Name.Note
            made.F = PRINT | NO_ZOOM | NO_ROTATE
            right, bottom = left + NOTE, top - NOTE
            look = _slip(left, bottom, told)
    made.Rect = Array([round(v, 2) for v in (left, bottom, right, top)])
    shown = pdf.make_stream(
        f"q {look} Q".encode("ascii"), Type=Name.XObject, Subtype=Name.Form, BBox=made.Rect, Resources=resources
    )
    made.AP = Dictionary(N=shown)
    return pdf.make_indirect(made)


_CALLED = {MarkKind.HIGHLIGHT: "Highlight", MarkKind.SIDELINE: "Marked passage", MarkKind.AREA: "Marked area", MarkKind.NOTE: "Note"}  # fmt: skip


def _slip(left: float, bottom: float, colour: str) -> str:
    """A slip of paper with three lines."""
    side = NOTE - 2
    lines = " ".join(
        f"{left + 5:.2f} {bottom + y:.2f} m {left + NOTE - 5:.2f} {bottom + y:.2f} l S" for y in (5.5, 9.0, 12.5)
    )
    return f"{colour} rg 0.2 G 0.8 w {left + 1:.2f} {bottom + 1:.2f} {side:.2f} {side:.2f} re B {lines}"


def _points(box: Box, height: int, scale: float) -> tuple[float, float, float, float]:
    return box.left * scale, (height - box.bottom) * scale, box.right * scale, (height - box.top) * scale


def moved(note: Any, scale: float, x: float, y: float) -> None:
    """Move an annotation with its page, which is made smaller and lies at another place."""

    def told(key: str) -> None:
        if key in note:
            values = [float(v) for v in note[key]]
            note[key] = Array([round(v * scale + (y if at % 2 else x), 2) for at, v in enumerate(values)])

    for key in ("/Rect", "/QuadPoints", "/L", "/Vertices"):
        told(key)
    if "/InkList" in note:
        note.InkList = Array(
            [
                Array([round(float(v) * scale + (y if at % 2 else x), 2) for at, v in enumerate(line)])
                for line in note.InkList
            ]
        )
