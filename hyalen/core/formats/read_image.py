"""JPEG, PNG and TIFF files (all compressions of the TIFF library, several pages a file)."""

from __future__ import annotations

import io
import warnings
from pathlib import Path
from typing import Any

from PIL import Image as Pillow
from PIL import UnidentifiedImageError

from hyalen.core.formats.codecs import letters_of
from hyalen.core.formats.source import Limits, SourceError, SourcePage, check_pixels
from hyalen.core.imaging.resolution import settle_resolution
from hyalen.core.model.document import PageKind

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
    with _opened(path) as picture:
        check_pixels(*picture.size, limits)
        return int(getattr(picture, "n_frames", 1))


def read_image_page(path: Path, index: int, limits: Limits) -> SourcePage:
    """One frame. A file of one frame is kept as it is; a frame of several is
    stored by itself without loss.

    Raises
    ------
    SourceError
        If the frame is damaged or too large.
    """
    with _opened(path) as picture:
        frames = int(getattr(picture, "n_frames", 1))
        try:
            if frames > 1:
                picture.seek(index)
            check_pixels(*picture.size, limits)
            if frames > 1:
                with warnings.catch_warnings():
                    warnings.simplefilter("ignore")
                    picture.load()
            else:
                _check_end(path, picture)
        except SourceError:
            raise
        except (OSError, EOFError, SyntaxError, ValueError, MemoryError) as error:
            raise SourceError(f"the image data is damaged or cut short ({_short(error)})") from error
        width, height = picture.size
        if _orientation(picture) in _TURNED:
            width, height = height, width
        resolution = settle_resolution(width, height, _stated_dpi(picture), lambda: letters_of(picture))
        original = path.read_bytes() if frames == 1 else _frame(picture)
    return SourcePage(original, width, height, resolution.dpi, resolution.reason, PageKind.SCANNED)


def _opened(path: Path) -> Pillow.Image:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return Pillow.open(path, formats=("JPEG", "PNG", "TIFF"))
    except UnidentifiedImageError as error:
        raise SourceError("the file is not a readable image; its header is damaged or cut short") from error
    except (OSError, SyntaxError, ValueError) as error:
        raise SourceError(f"the image cannot be opened ({_short(error)})") from error


def _orientation(picture: Pillow.Image) -> int:
    """The EXIF turn. Pillow decodes a whole PNG to look for EXIF behind the pixels; only what is in front counts."""
    if picture.format == "PNG" and "exif" not in picture.info:
        return 1
    return int(picture.getexif().get(_ORIENTATION, 1))


def _check_end(path: Path, picture: Pillow.Image) -> None:
    """Whether the file's own end mark is there; a TIFF has none and is decoded.

    A single image is decoded when it is cleaned; decoding it here too would cost a
    tenth of the time a page takes.
    """
    ends = {"JPEG": b"\xff\xd9", "MPO": b"\xff\xd9", "PNG": b"IEND"}
    mark = ends.get(picture.format or "")
    if mark is None:
        picture.load()
        return
    with path.open("rb") as file:
        file.seek(max(0, path.stat().st_size - 4096))
        if mark not in file.read():
            raise SourceError("the image data is cut short; copy or scan it again")


def _stated_dpi(picture: Pillow.Image) -> float | None:
    stated = picture.info.get("dpi")
    if (
        picture.format in ("JPEG", "MPO")
        and not picture.info.get("jfif_unit")
        and _X_RESOLUTION not in picture.getexif()
    ):
        return None  # Pillow's 72 stands for a file that says nothing
    if not stated:
        return None
    try:
        across, down = float(stated[0]), float(stated[1])
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    if across <= 0 or down <= 0 or abs(across - down) > 0.05 * max(across, down):
        return None
    # PNG keeps pixels a metre: 299.9994 is 300.
    return float(round(across)) if abs(across - round(across)) < 0.02 else across


def _frame(picture: Pillow.Image) -> bytes:
    out = io.BytesIO()
    dpi = picture.info.get("dpi")
    extra: dict[str, Any] = {"dpi": (float(dpi[0]), float(dpi[1]))} if dpi and float(dpi[0]) > 0 else {}
    turned = _orientation(picture)
    if turned != 1:
        fresh = Pillow.Exif()
        fresh[_ORIENTATION] = turned
        extra["exif"] = fresh.tobytes()
    kind = "PNG" if picture.mode in ("1", "L", "LA", "P", "RGB", "RGBA", "I;16") else "TIFF"
    if kind == "TIFF":
        extra = {k: v for k, v in extra.items() if k == "dpi"} | {"compression": "tiff_lzw"}
    picture.save(out, kind, **extra)
    return out.getvalue()


def _short(error: BaseException) -> str:
    return str(error).split("\n")[0][:120] or type(error).__name__
