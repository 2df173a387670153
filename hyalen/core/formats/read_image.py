"""Images: JPEG, PNG, JPEG 2000, WebP, HEIC, BMP, GIF and TIFF in all compressions of its library; several pages a file."""

from __future__ import annotations

import io
import logging
from pathlib import Path
from typing import Any

import cv2
from PIL import Image as Pillow
from PIL import UnidentifiedImageError

from hyalen.core.formats.codecs import complaint, heard, judged, letters_of, to_array
from hyalen.core.formats.source import Limits, SourceError, SourcePage, blamed, brief, check_pixels
from hyalen.core.imaging.pixels import Image, as_uint8
from hyalen.core.imaging.resolution import settle_resolution
from hyalen.core.model.document import PageKind

logging.getLogger("PIL").setLevel(logging.CRITICAL)  # what it says of tags, a clerk cannot use
Pillow.MAX_IMAGE_PIXELS = None  # our own limit is checked before any pixel is decoded
_ORIENTATION = 0x0112
_X_RESOLUTION = 0x011A
_TURNED = {5, 6, 7, 8}


def count_image_pages(path: Path, limits: Limits) -> int:
    """Frames of the file.

    Raises
    ------
    SourceError
        If it is no image, or its header is damaged.
    """
    with blamed("the image"), _opened(path) as picture:
        check_pixels(*picture.size, limits)
        return int(getattr(picture, "n_frames", 1))


def read_image_page(path: Path, index: int, limits: Limits) -> SourcePage:
    """One frame. A file of one frame is kept as it is, and decoded when it is cleaned; a frame of
    several is stored by itself without loss.

    Raises
    ------
    SourceError
        If the frame cannot be decoded or is too large.
    """
    with blamed("the image"), _opened(path) as picture:
        frames = int(getattr(picture, "n_frames", 1))
        if frames > 1:
            picture.seek(index)
        check_pixels(*picture.size, limits)
        width, height = picture.size
        if _orientation(picture) in _TURNED:
            width, height = height, width
        original, damage = (path.read_bytes(), "") if frames == 1 else _frame(path, index, picture)
        with heard():
            resolution = settle_resolution(width, height, _stated_dpi(picture), lambda: letters_of(picture))
    return SourcePage(original, width, height, resolution.dpi, resolution.reason, PageKind.SCANNED, damage=damage)


def _opened(path: Path) -> Pillow.Image:
    try:
        return Pillow.open(path, formats=("JPEG", "PNG", "TIFF", "JPEG2000", "WEBP", "HEIF", "BMP", "GIF"))
    except UnidentifiedImageError as error:
        raise SourceError(
            "the file is not a readable image; its header is damaged or cut short: copy or scan it again"
        ) from error


def _orientation(picture: Pillow.Image) -> int:
    """The EXIF turn. Pillow decodes a whole PNG to look for EXIF behind the pixels; only what is in front counts."""
    if picture.format == "PNG" and "exif" not in picture.info:
        return 1
    return int(picture.getexif().get(_ORIENTATION, 1))


def _stated_dpi(picture: Pillow.Image) -> float | None:
    if (
        picture.format in ("JPEG", "MPO")
        and not picture.info.get("jfif_unit")
        and _X_RESOLUTION not in picture.getexif()
    ):
        return None  # Pillow's 72 stands for a file that says nothing
    across, down = _dpi_pair(picture) or (0.0, 0.0)
    if across <= 0 or abs(across - down) > 0.05 * max(across, down):
        return None
    # PNG keeps pixels a metre: 299.9994 is 300.
    return float(round(across)) if abs(across - round(across)) < 0.02 else across


def _dpi_pair(picture: Pillow.Image) -> tuple[float, float] | None:
    """The resolution that is stated across and down; None where none is, or no number that one could be."""
    try:
        across, down = (float(v) for v in picture.info.get("dpi", ()))
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    return (across, down) if 0 < across < 1e6 and 0 < down < 1e6 else None


def _frame(path: Path, index: int, picture: Pillow.Image) -> tuple[bytes, str]:
    """A frame of several as a file of its own, and what of it is damaged."""
    with heard() as said:
        try:
            picture.load()
            left, damage = picture, ""
        except MemoryError:
            raise
        except Exception as error:
            left, damage = Pillow.fromarray(_what_is_left(path, index)), brief(error)
    damage = damage or complaint(said)
    if damage:
        damage = judged(to_array(left), damage).damage
    dpi = _dpi_pair(picture)
    extra: dict[str, Any] = {"dpi": dpi} if dpi else {}
    turned = _orientation(picture)
    if turned != 1:
        fresh = Pillow.Exif()
        fresh[_ORIENTATION] = turned
        extra["exif"] = fresh.tobytes()
    kind = "PNG" if left.mode in ("1", "L", "LA", "P", "RGB", "RGBA", "I;16") else "TIFF"
    if kind == "TIFF":
        extra = {k: v for k, v in extra.items() if k == "dpi"} | {"compression": "tiff_lzw"}
    out = io.BytesIO()
    left.save(out, kind, **extra)
    return out.getvalue(), damage


def _what_is_left(path: Path, index: int) -> Image:
    """Of a damaged frame what another decoder makes of it."""
    ok, frames = cv2.imreadmulti(str(path), start=index, count=1, flags=cv2.IMREAD_COLOR_RGB)
    if not ok or not frames:
        raise SourceError("the image data is damaged, and nothing of it can be decoded; copy or scan it again")
    return as_uint8(frames[0])
