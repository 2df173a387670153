"""Every format a document can be delivered in, by name."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache

from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.formats.docx import write_docx
from hyalen.core.formats.pdf import write_pdf
from hyalen.core.formats.text import write_text
from hyalen.core.formats.xlsx import write_xlsx
from hyalen.core.model.content import Region
from hyalen.core.model.document import DocumentContent
from hyalen.core.model.geometry import Frozen

FORMATS = ("pdf", "docx", "txt", "xlsx", "json")
MEDIA_TYPES = {
    "pdf": "application/pdf",
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "txt": "text/plain; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "json": "application/json",
}


class DeliveryOptions(Frozen):
    """`keep_running_heads` applies to plain text."""

    keep_running_heads: bool = False


def deliver(
    document: DocumentContent,
    images: Sequence[Callable[[], bytes]],
    file_format: str,
    options: DeliveryOptions | None = None,
) -> bytes:
    """The document as a file.

    Parameters
    ----------
    document : DocumentContent
    images : sequence of callables
        Each gives a cleaned page as JPEG or one-bit PNG; called only where the format needs pixels.
    file_format : str
        One of `FORMATS`.
    options : DeliveryOptions, optional

    Raises
    ------
    ValueError
        If the format is none of ours.
    """
    options = options or DeliveryOptions()
    if file_format == "pdf":
        return write_pdf(document, (image() for image in images))
    if file_format == "docx":

        @lru_cache(maxsize=1)
        def pixels(index: int):  # type: ignore[no-untyped-def]
            return decode(images[index]())

        def crop(index: int, region: Region) -> bytes:
            box = region.box
            return encode_jpeg(pixels(index)[max(0, box.top) : box.bottom, max(0, box.left) : box.right])

        return write_docx(document, crop)
    if file_format == "txt":
        return write_text(document, options.keep_running_heads).encode("utf8")
    if file_format == "xlsx":
        return write_xlsx(document)
    if file_format == "json":
        return document.model_dump_json(indent=1, exclude_defaults=False).encode("utf8")
    raise ValueError(f"there is no format {file_format!r}; choose among {', '.join(FORMATS)}")
