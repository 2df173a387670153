"""Image files to arrays and back."""

from __future__ import annotations

import io

import cv2
import numpy as np
from PIL import Image as Pillow
from PIL import ImageChops, ImageOps
from PIL.TiffImagePlugin import TiffImageFile

from hyalen.core.imaging.letters import letter_height
from hyalen.core.imaging.pixels import Image, as_uint8


def to_array(picture: Pillow.Image) -> Image:
    """A Pillow image as (h, w) grey or (h, w, 3) RGB uint8.

    Transparency is laid on white, 16-bit greys are scaled by their own range,
    CMYK and palettes become RGB, and an EXIF turn (Exif 2.32, tag 0112) is applied.
    """
    if picture.format != "PNG" or "exif" in picture.info:
        picture = ImageOps.exif_transpose(picture) or picture
    if picture.mode in ("1", "L"):
        return as_uint8(np.asarray(picture.convert("L")))
    if picture.mode.startswith("I") or picture.mode == "F":
        values = np.asarray(picture, dtype=np.float64)
        top = 65535.0 if values.max() > 255 else 255.0
        return as_uint8(np.clip(values / top * 255, 0, 255))
    if "A" in picture.getbands() or "transparency" in picture.info:
        picture = picture.convert("RGBA")
        picture = Pillow.alpha_composite(Pillow.new("RGBA", picture.size, "white"), picture)
    array = as_uint8(np.asarray(picture.convert("RGB")))
    if np.array_equal(array[:, :, 0], array[:, :, 1]) and np.array_equal(array[:, :, 1], array[:, :, 2]):
        return as_uint8(array[:, :, 0])
    return array


def letters_of(picture: Pillow.Image) -> float | None:
    """Height of a picture's small letters in pixels; None where there are none or it cannot be decoded."""
    try:
        return letter_height(to_array(picture))
    except (OSError, SyntaxError, ValueError, MemoryError):
        return None


def decode(data: bytes) -> Image:
    """The pixels of an image file that was checked when it was brought in.

    Raises
    ------
    ValueError
        If the bytes are no image.
    """
    try:
        with Pillow.open(io.BytesIO(data)) as picture:
            return to_array(picture)
    except (OSError, SyntaxError, ValueError) as error:
        raise ValueError(f"not a readable image: {error}") from error


def encode_jpeg(image: Image, quality: int = 85) -> bytes:
    """Baseline JPEG of a grey or RGB image."""
    return _encode(".jpg", image, [cv2.IMWRITE_JPEG_QUALITY, quality])


def encode_png(image: Image) -> bytes:
    """PNG, quickly rather than smallest."""
    return _encode(".png", image, [cv2.IMWRITE_PNG_COMPRESSION, 1])


def encode_bitonal(image: Image) -> bytes:
    """PNG of one bit a pixel; what is darker than mid-grey is black."""
    return _encode(".png", image, [cv2.IMWRITE_PNG_BILEVEL, 1, cv2.IMWRITE_PNG_COMPRESSION, 4])


def fax_strip(image: Pillow.Image) -> bytes:
    """A one-bit image as one strip of CCITT Group 4 code (ITU-T T.6), ink as black runs."""
    out = io.BytesIO()
    rows_per_strip = {278: image.size[1]}  # TIFF 6.0
    # The TIFF library codes ones as black runs, and in Pillow's images ones are white.
    ImageChops.invert(image.convert("1")).save(out, "TIFF", compression="group4", tiffinfo=rows_per_strip)
    with Pillow.open(io.BytesIO(out.getvalue())) as written:
        assert isinstance(written, TiffImageFile)
        offsets, sizes = written.tag_v2[273], written.tag_v2[279]  # StripOffsets, StripByteCounts
    data = out.getvalue()
    return b"".join(data[o : o + n] for o, n in zip(offsets, sizes, strict=True))


def _encode(kind: str, image: Image, options: list[int]) -> bytes:
    pixels = image if image.ndim == 2 else as_uint8(image[:, :, ::-1])
    ok, coded = cv2.imencode(kind, pixels, options)
    if not ok:
        raise ValueError(f"the image of {image.shape[1]} x {image.shape[0]} pixels cannot be coded")
    return coded.tobytes()
