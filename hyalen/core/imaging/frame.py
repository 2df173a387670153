"""Where each pixel of a cleaned page comes from: one resampling for all geometric steps."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image, as_uint8
from hyalen.core.model.geometry import Matrix, compose, translation
from hyalen.core.model.treatment import Bend, Mesh

MESH_INCHES = 0.2  # inches between the nodes of a bend: a line of text bends by less than a pixel between them
REFINEMENT = 5  # nodes between two, when pixels are fetched
CUT_INK, CUT_DEPTH = 40, 50  # of an edge's length is wider than letters that are cut there; grey levels of their ink
SHEETS = (1.2941, 1.4142)  # Letter (ANSI/ASME Y14.1), the A series (ISO 216)


@dataclass(frozen=True)
class Frame:
    """A plane view of the original.

    Attributes
    ----------
    matrix : (3, 3) float64
        From the original's pixels to the frame's.
    width, height : int
        Pixels.
    """

    matrix: Matrix
    width: int
    height: int

    def is_like(self, other: Frame) -> bool:
        """Whether both show the same."""
        return (self.width, self.height) == (other.width, other.height) and np.array_equal(self.matrix, other.matrix)

    def then(self, step: Matrix, width: int, height: int) -> Frame:
        """The frame after one more plane transform."""
        return Frame(compose(self.matrix, step), width, height)

    def scaled(self, scale: float) -> Frame:
        """The same frame where both the original and the frame have `scale` times the pixels."""
        out = np.diag([scale, scale, 1.0])
        matrix = out @ self.matrix @ np.diag([1 / scale, 1 / scale, 1.0])
        return Frame(matrix, max(1, round(self.width * scale)), max(1, round(self.height * scale)))


def turn_matrix(degrees: int, width: float, height: float) -> Matrix:
    """Pixel transform of a clockwise quarter turn of a `width` x `height` image."""
    if degrees == 90:
        return np.array([[0, -1, height], [1, 0, 0], [0, 0, 1]], dtype=np.float64)
    if degrees == 180:
        return np.array([[-1, 0, width], [0, -1, height], [0, 0, 1]], dtype=np.float64)
    if degrees == 270:
        return np.array([[0, 1, 0], [-1, 0, width], [0, 0, 1]], dtype=np.float64)
    return np.eye(3)


def straighten_matrix(skew: float, width: int, height: int) -> tuple[Matrix, tuple[int, int]]:
    """Turns content that stands `skew` degrees counter-clockwise upright, on a canvas that holds it all.

    Returns
    -------
    matrix, (width, height)
    """
    angle = np.deg2rad(skew)
    cos, sin = float(np.cos(angle)), float(np.sin(angle))
    new_width = int(np.ceil(abs(width * cos) + abs(height * sin)))
    new_height = int(np.ceil(abs(width * sin) + abs(height * cos)))
    turn = np.array([[cos, -sin, 0], [sin, cos, 0], [0, 0, 1]], dtype=np.float64)
    matrix = compose(translation(-width / 2, -height / 2), turn, translation(new_width / 2, new_height / 2))
    return matrix, (new_width, new_height)


def squared(corners: NDArray[np.float64], view: tuple[int, int]) -> tuple[Matrix, tuple[int, int]]:
    """The transform that makes a rectangle of four corners seen in perspective.

    The rectangle's proportions follow from the lens, as in Zhang and He (Digital Signal
    Processing 17, 2007, eq. 11-21), with the lens's axis at the middle of the view, or from the
    sides' mean lengths; whichever comes near a sheet of paper's is taken for that.

    Parameters
    ----------
    corners : (4, 2) float64
        Clockwise from the upper left, in pixels.
    view : (width, height)
        Of the whole picture.

    Returns
    -------
    matrix, (width, height)
    """
    upper, right, lower, left = (
        float(np.linalg.norm(corners[b] - corners[a])) for a, b in ((0, 1), (1, 2), (3, 2), (0, 3))
    )
    width, height = (upper + lower) / 2, (left + right) / 2
    slant = max(abs(np.log(upper / lower)), abs(np.log(left / right)))
    ratio = _proportions(height / width, _true_ratio(corners, view), 0.05 + 0.5 * slant)
    area = width * height
    width = float(np.sqrt(area / ratio))
    size = (max(2, round(width)), max(2, round(width * ratio)))
    target = np.array([(0, 0), (size[0], 0), size, (0, size[1])], dtype=np.float32)
    return np.asarray(cv2.getPerspectiveTransform(corners.astype(np.float32), target), dtype=np.float64), size


def _proportions(seen: float, true: float | None, slack: float) -> float:
    """Height over width: a sheet's, if what the lens tells or what is seen comes near one; else what is seen.

    `slack` is how far foreshortening may have changed what is seen, in logarithms.
    """
    sheets = (*SHEETS, *(1 / s for s in SHEETS))
    if true is not None:
        exact = min(sheets, key=lambda sheet: abs(np.log(true / sheet)))
        if abs(np.log(true / exact)) < 0.012 and abs(np.log(exact / seen)) < 0.3:
            return exact
    near = min(sheets, key=lambda sheet: abs(np.log(seen / sheet)))
    return near if abs(np.log(seen / near)) < slack else seen


def _true_ratio(corners: NDArray[np.float64], view: tuple[int, int]) -> float | None:
    """Height over width of the rectangle, or None where the perspective is too weak to tell."""
    centre = np.array(view, dtype=np.float64) / 2
    m1, m2, m4, m3 = (np.append(c - centre, 1.0) for c in corners)
    k2 = np.dot(np.cross(m1, m4), m3) / np.dot(np.cross(m2, m4), m3)
    k3 = np.dot(np.cross(m1, m4), m2) / np.dot(np.cross(m3, m4), m2)
    n2, n3 = k2 * m2 - m1, k3 * m3 - m1
    if abs(n2[2]) < 1e-3 or abs(n3[2]) < 1e-3:
        return None
    focal = -(n2[0] * n3[0] + n2[1] * n3[1]) / (n2[2] * n3[2])
    longest = max(view)
    if not (0.5 * longest) ** 2 < focal < (6 * longest) ** 2:
        return None
    metric = np.diag([1 / focal, 1 / focal, 1.0])
    across, down = n2 @ metric @ n2, n3 @ metric @ n3
    ratio = float(np.sqrt(down / across))
    seen = float(np.linalg.norm(corners[3] - corners[0]) / np.linalg.norm(corners[1] - corners[0]))
    return ratio if 0.7 < ratio / seen < 1.4 else None


def bend_mesh(bend: Bend, dpi: float, left: float, top: float, width: int, height: int) -> Mesh:
    """A bend as pixel shifts on the part of the sheet that is kept.

    Parameters
    ----------
    left, top : float
        Where the kept part begins on the sheet, in pixels.
    width, height : int
        Of the kept part, in pixels.
    """
    step = MESH_INCHES * dpi
    columns, rows = int(np.ceil(width / step)) + 2, int(np.ceil(height / step)) + 2
    x = (left + np.arange(columns) * step) / dpi
    y = (top + np.arange(rows) * step) / dpi
    down, along = np.array(bend.down, np.float64), np.array(bend.along, np.float64)
    at_column = np.clip(x / bend.size[0], 0, 1) * (down.shape[1] - 1)
    at_row = np.clip(y / bend.size[1], 0, 1) * (down.shape[0] - 1)
    shifts = np.empty((rows, columns, 2))
    shifts[:, :, 0] = _cubic(along[None, :], at_column)
    shifts[:, :, 1] = _cubic(_cubic(down, at_column).T, at_row).T
    return Mesh(step=step, rows=rows, columns=columns, shifts=tuple(round(float(v), 2) for v in (shifts * dpi).ravel()))


def _cubic(values: NDArray[np.float64], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """Interpolate each row of `values` at fractional columns (natural cubic spline)."""
    from scipy.interpolate import CubicSpline

    return np.asarray(CubicSpline(np.arange(values.shape[1]), values, axis=1, bc_type="natural")(at))


def render(original: Image, frame: Frame, mesh: Mesh | None = None, sharp: bool = True) -> Image:
    """The original seen in a frame; what lies outside of it repeats its edge, letters that are cut there closed.

    A whole-pixel move is a copy; all else is one bicubic resampling, so that each step adds no blur.
    """
    flags = cv2.INTER_CUBIC if sharp else cv2.INTER_LINEAR
    size = (frame.width, frame.height)
    if mesh is not None:
        map_x, map_y = _maps(frame, mesh)
        original = _edged(original)
        return as_uint8(cv2.remap(original, map_x, map_y, flags, borderMode=cv2.BORDER_REPLICATE))
    copied = _copied(original, frame)
    if copied is not None:
        return copied
    original = _edged(original)
    if abs(frame.matrix[2, 0]) + abs(frame.matrix[2, 1]) < 1e-12:
        return as_uint8(cv2.warpAffine(original, frame.matrix[:2], size, flags=flags, borderMode=cv2.BORDER_REPLICATE))
    return as_uint8(cv2.warpPerspective(original, frame.matrix, size, flags=flags, borderMode=cv2.BORDER_REPLICATE))


def _edged(original: Image) -> Image:
    """The original with the paper between and behind the ink of its outermost pixels there."""
    edges: list[Any] = [np.s_[0], np.s_[-1], np.s_[:, 0], np.s_[:, -1]]
    closed = []
    for edge in edges:
        line = np.ascontiguousarray(original[edge])[None]
        side = np.ones((1, max(3, line.shape[1] // CUT_INK) | 1), np.uint8)
        closed.append(as_uint8(cv2.morphologyEx(line, cv2.MORPH_CLOSE, side))[0])
    if all(int((c - original[edge]).max()) < CUT_DEPTH for c, edge in zip(closed, edges, strict=True)):
        return original  # a large scan is not copied for its grain
    result = original.copy()
    for c, edge in zip(closed, edges, strict=True):
        result[edge] = c
    return result


def _copied(original: Image, frame: Frame) -> Image | None:
    """A pure quarter turn and move, without resampling; None where it is more than that."""
    linear = frame.matrix[:2, :2]
    if not np.allclose(np.abs(linear).sum(axis=0), 1, atol=1e-9) or not np.allclose(
        linear, np.round(linear), atol=1e-9
    ):
        return None
    turns = {(1, 0, 0, 1): 0, (0, -1, 1, 0): 90, (-1, 0, 0, -1): 180, (0, 1, -1, 0): 270}
    degrees = turns.get(tuple(int(v) for v in np.round(linear).ravel()))  # type: ignore[arg-type]
    if degrees is None or abs(frame.matrix[2, 0]) + abs(frame.matrix[2, 1]) > 1e-12:
        return None
    whole = turn_matrix(degrees, original.shape[1], original.shape[0])
    left, top = (-(frame.matrix[i, 2] - whole[i, 2]) for i in (0, 1))
    if max(abs(left - round(left)), abs(top - round(top))) > 1e-6:
        return None
    left, top = round(left), round(top)
    turned = np.rot90(original, -degrees // 90)
    if left < 0 or top < 0 or left + frame.width > turned.shape[1] or top + frame.height > turned.shape[0]:
        return None
    return as_uint8(turned[top : top + frame.height, left : left + frame.width])


def _maps(frame: Frame, mesh: Mesh) -> tuple[NDArray[np.int16], NDArray[np.uint16]]:
    """OpenCV's fixed-point maps from the frame's pixels to the original's."""
    # Splines refine the shifts to short steps; between those a straight line is exact enough.
    fine = max(3, round(mesh.step / REFINEMENT) | 1)
    columns, rows = int(np.ceil(frame.width / fine)) + 2, int(np.ceil(frame.height / fine)) + 2
    x, y = np.arange(columns) * fine, np.arange(rows) * fine
    shifts = np.array(mesh.shifts).reshape(mesh.rows, mesh.columns, 2)
    places = np.empty((rows, columns, 3))
    for i in (0, 1):
        across = _cubic(shifts[:, :, i], np.minimum(x / mesh.step, mesh.columns - 1))
        places[:, :, i] = _cubic(across.T, np.minimum(y / mesh.step, mesh.rows - 1)).T
    places[:, :, 0] += x
    places[:, :, 1] += y[:, None]
    places[:, :, 2] = 1
    seen = places @ np.linalg.inv(frame.matrix).T
    nodes = (seen[:, :, :2] / seen[:, :, 2:]).astype(np.float32)
    # Pixel p lies at node p / fine; the odd step makes resize's half-pixel shift a whole one.
    shift = (fine - 1) // 2
    dense = cv2.resize(nodes, (columns * fine, rows * fine), interpolation=cv2.INTER_LINEAR)
    dense = dense[shift : shift + frame.height, shift : shift + frame.width]
    fixed_xy, fixed_part = cv2.convertMaps(dense, np.empty(0, np.float32), cv2.CV_16SC2)
    return np.asarray(fixed_xy, dtype=np.int16), np.asarray(fixed_part, dtype=np.uint16)
