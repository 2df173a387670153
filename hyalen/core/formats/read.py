"""Brings files in, by what they are and not by what they are called."""

from __future__ import annotations

from pathlib import Path

from hyalen.core.formats.read_image import count_image_pages, read_image_page
from hyalen.core.formats.read_pdf import count_pdf_pages, read_pdf_page
from hyalen.core.formats.source import Limits, SourceError, SourcePage

SIGNATURES = {
    "pdf": (b"%PDF-",),
    "jpeg": (b"\xff\xd8\xff",),
    "png": (b"\x89PNG\r\n\x1a\n",),
    "tiff": (b"II*\x00", b"MM\x00*", b"II+\x00", b"MM\x00+"),
}
EXTENSIONS = {"pdf": "pdf", "jpg": "jpeg", "jpeg": "jpeg", "jpe": "jpeg", "png": "png", "tif": "tiff", "tiff": "tiff"}


def sniff(path: Path) -> str:
    """ "pdf", "jpeg", "png" or "tiff", from the file's first bytes.

    Raises
    ------
    SourceError
        If the file is empty or none of these.
    """
    with path.open("rb") as file:
        head = file.read(1024)
    if not head:
        raise SourceError("the file is empty")
    for kind, signatures in SIGNATURES.items():
        if any(head.startswith(s) for s in signatures) or (kind == "pdf" and b"%PDF-" in head):
            return kind
    raise SourceError("the file is not a PDF, TIFF, JPEG or PNG, whatever its name says")


def count_pages(path: Path, limits: Limits) -> int:
    """How many pages the file has; the file is opened, not decoded.

    Raises
    ------
    SourceError
        If it cannot be brought in; the message gives the reason.
    """
    size = path.stat().st_size
    if size > limits.bytes:
        raise SourceError(f"the file of {size / 1e6:.0f} MB is larger than the limit of {limits.bytes / 1e6:.0f} MB")
    if sniff(path) == "pdf":
        return count_pdf_pages(path, limits)
    count = count_image_pages(path, limits)
    if count > limits.pages:
        raise SourceError(f"the file has {count} pages, more than the limit of {limits.pages}; split it first")
    return count


def read_source_page(path: Path, index: int, limits: Limits) -> SourcePage:
    """Page `index`, from 0.

    Raises
    ------
    SourceError
        If that page cannot be brought in.
    """
    return read_pdf_page(path, index, limits) if sniff(path) == "pdf" else read_image_page(path, index, limits)


def naming_note(name: str, kind: str) -> str:
    """A remark where a file's ending says something else than its content, else ""."""
    ending = name.rsplit(".", 1)[-1].lower() if "." in name else ""
    told = EXTENSIONS.get(ending)
    if told == kind:
        return ""
    return (
        f"named .{ending} but it is {kind.upper()}; read as {kind.upper()}"
        if ending
        else f"has no ending; read as {kind.upper()}"
    )
