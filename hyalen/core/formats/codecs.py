"""Image files to arrays and back."""

from __future__ import annotations

import io
import os
import re
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from pi_heif import register_heif_opener
from PIL import Image as Pillow
from PIL import ImageChops, ImageFile, ImageOps
from PIL.TiffImagePlugin import TiffImageFile

from hyalen.core.formats.source import SourceError, blamed, brief
from hyalen.core.imaging.letters import letter_height
from hyalen.core.imaging.pixels import Image, as_uint8

register_heif_opener()

PNG = b"\x89PNG"
LEAST_CONTRAST = 12  # grey levels: what differs less, of damaged data, is no picture but what fills the gaps
MOST_FILLING = 160  # grey level: decoders fill with black or mid-grey, and paper is lighter
# What a decoder says of data it decoded over; remarks on tags that it does not know are no damage, nor are a few
# bytes of padding before a marker.
_COMPLAINT = re.compile(
    r"[Cc]orrupt(?!.*: \d extraneous)|[Bb]ad code|[Uu]ncompressed data|[Pp]remature|[Ll]ine length|[Nn]ot enough data|"
    r"[Dd]ecod\w+ error"
)
_ORIENTATION = 0x0112  # Exif 2.32


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
    return _without_tint(as_uint8(np.asarray(picture.convert("RGB"))))


def _without_tint(array: Image) -> Image:
    """Grey where all channels are alike."""
    if array.ndim == 2:
        return array
    if np.array_equal(array[:, :, 0], array[:, :, 1]) and np.array_equal(array[:, :, 1], array[:, :, 2]):
        return as_uint8(array[:, :, 0])
    return array


def letters_of(picture: Pillow.Image) -> float | None:
    """Height of a picture's small letters in pixels; None where there are none or it cannot be decoded."""
    try:
        return letter_height(to_array(picture))
    except Exception:
        return None


def decode(data: bytes) -> Image:
    """The pixels of an image file that the program made."""
    with Pillow.open(io.BytesIO(data)) as picture:
        return to_array(picture)


def decode_half(data: bytes) -> Image:
    """The grey pixels of an image file that the program made, at half its size: a JPEG is not decoded further.

    Raises
    ------
    ValueError
        If it is none.
    """
    pixels = cv2.imdecode(np.frombuffer(data, dtype=np.uint8), cv2.IMREAD_REDUCED_GRAYSCALE_2)
    if pixels is None:
        raise ValueError("the page's picture cannot be decoded")
    return as_uint8(pixels)


class Decoded(NamedTuple):
    """Pixels, and what of them could not be decoded; empty where all could."""

    pixels: Image
    damage: str


def decode_scan(data: bytes) -> Decoded:
    """The pixels of a file as it came: of a damaged one what can be seen of it.

    Raises
    ------
    SourceError
        If nothing can be seen.
    """
    with blamed("the image"), heard() as said, Pillow.open(io.BytesIO(data)) as picture:
        try:
            pixels, damage = _pixels(picture, data), ""
        except MemoryError:
            raise
        except Exception as error:
            pixels, damage = _what_is_left(data), brief(error)
    return judged(pixels, damage or complaint(said))


def complaint(said: list[str]) -> str:
    """The first line that tells of damage; empty where none does."""
    return next((line for line in said if _COMPLAINT.search(line)), "")


def judged(pixels: Image, damage: str) -> Decoded:
    """Damaged pixels with the remark that the clerk reads.

    Raises
    ------
    SourceError
        If there is damage and nothing to be seen, which must not pass for a blank page.
    """
    if not damage:
        return Decoded(pixels, "")
    seen = len(pixels) - _filled(pixels)
    shown = pixels[:seen]
    if not seen or int(shown.max()) - int(shown.min()) < LEAST_CONTRAST:
        raise SourceError(f"the image data is damaged, and nothing of it can be shown ({damage}); scan it again")
    where = ""
    if seen < len(pixels):
        where = f", the lower {1 - seen / len(pixels):.0%} of the page are missing"
        pixels = pixels.copy()
        pixels[seen:] = np.percentile(shown, 90, axis=(0, 1))  # paper
    says = f"The image data is damaged ({damage}){where}: compare the page with the paper, or scan it again."
    return Decoded(pixels, says)


def _filled(pixels: Image) -> int:
    """How many rows at the foot a decoder has filled with one dark value, having no data for them."""
    rows = pixels.reshape(len(pixels), -1)
    last = rows[-1]
    if int(last.max()) != int(last.min()) or int(last[0]) > MOST_FILLING:
        return 0
    other = np.flatnonzero((rows != last[0]).any(axis=1))
    return len(rows) - (int(other[-1]) + 1 if other.size else 0)


def _pixels(picture: Pillow.Image, data: bytes) -> Image:
    if picture.format not in ("JPEG", "MPO") or picture.mode not in ("L", "RGB"):
        return to_array(picture)
    # Pillow keeps to itself what this decoder tells of damage.
    how = cv2.IMREAD_GRAYSCALE if picture.mode == "L" else cv2.IMREAD_COLOR_RGB
    decoded = cv2.imdecode(np.frombuffer(data, np.uint8), how | cv2.IMREAD_IGNORE_ORIENTATION)
    if decoded is None:
        return to_array(picture)  # tells why
    if picture.getexif().get(_ORIENTATION, 1) == 1:
        return _without_tint(as_uint8(decoded))
    turned = Pillow.fromarray(decoded)
    turned.getexif()[_ORIENTATION] = picture.getexif()[_ORIENTATION]
    return to_array(turned)


def _what_is_left(data: bytes) -> Image:
    """Of damaged data what two decoders that do not give up make of it."""
    before, ImageFile.LOAD_TRUNCATED_IMAGES = ImageFile.LOAD_TRUNCATED_IMAGES, True
    try:
        with Pillow.open(io.BytesIO(data)) as picture:
            return to_array(picture)
    except Exception:
        decoded = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)
        if decoded is None:
            raise
        return as_uint8(decoded[:, :, ::-1])
    finally:
        ImageFile.LOAD_TRUNCATED_IMAGES = before


@contextmanager
def heard() -> Iterator[list[str]]:
    """Lines that C libraries write to the standard error: the only place where some tell of damage.

    Only for processes that do one thing at a time.
    """
    said: list[str] = []
    with tempfile.TemporaryFile() as file:
        kept = os.dup(2)
        os.dup2(file.fileno(), 2)
        try:
            yield said
        finally:
            os.dup2(kept, 2)
            os.close(kept)
            file.seek(0)
            said.extend(file.read(10_000).decode("utf8", "replace").splitlines())


def encode_jpeg(image: Image, quality: int = 85) -> bytes:
    """Baseline JPEG of a grey or RGB image."""
    return _encode(".jpg", image, [cv2.IMWRITE_JPEG_QUALITY, quality])


def encode_png(image: Image) -> bytes:
    """PNG, quickly rather than smallest: on a grey page filters of rows (PNG, 3rd ed., 9) take longer than they save."""
    plain = [
        cv2.IMWRITE_PNG_FILTER,
        cv2.IMWRITE_PNG_FILTER_NONE,
        cv2.IMWRITE_PNG_STRATEGY,
        cv2.IMWRITE_PNG_STRATEGY_RLE,
    ]
    return _encode(".png", image, plain if image.ndim == 2 else [])


def is_one_bit(data: bytes) -> bool:
    """Whether a page's file, which the program made, is black and white: such are PNG, the others JPEG."""
    return data.startswith(PNG)


def encode_bitonal(image: Image) -> bytes:
    """PNG of one bit a pixel; what is darker than mid-grey is black."""
    return _encode(".png", image, [cv2.IMWRITE_PNG_BILEVEL, 1, cv2.IMWRITE_PNG_COMPRESSION, 4])


def fax_strip(image: Pillow.Image) -> bytes:
    """A one-bit image as one strip of CCITT Group 4 code (ITU-T T.6), ink as black runs."""
    return _group4(ImageChops.invert(image.convert("1")))  # in Pillow's images ones are white


def fax_of_ink(ink: NDArray[np.bool_]) -> bytes:
    """The same of an (h, w) mask of ink."""
    return _group4(Pillow.fromarray(ink))


def _group4(image: Pillow.Image) -> bytes:
    out = io.BytesIO()
    rows_per_strip = {278: image.size[1]}  # TIFF 6.0; its library codes ones as black runs
    image.save(out, "TIFF", compression="group4", tiffinfo=rows_per_strip)
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
