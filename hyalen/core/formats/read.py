"""Brings files in, by what they are and not by what they are called."""

from __future__ import annotations

from pathlib import Path

from hyalen.core.formats.kinds import sniff
from hyalen.core.formats.read_image import count_image_pages, read_image_page
from hyalen.core.formats.read_pdf import count_pdf_pages, pdf_cautions, read_pdf_page
from hyalen.core.formats.source import Limits, SourceError, SourcePage


def count_pages(path: Path, limits: Limits) -> int:
    """How many pages the file has; the file is opened, not decoded.

    Raises
    ------
    SourceError
        If it cannot be brought in; the message gives the reason.
    """
    size = path.stat().st_size
    if size > limits.bytes:
        raise SourceError(
            f"the file of {size / 1e6:.0f} MB is larger than the limit of {limits.bytes / 1e6:.0f} MB; split it"
        )
    if sniff(path) == "pdf":
        return count_pdf_pages(path, limits)
    count = count_image_pages(path, limits)
    if count > limits.pages:
        raise SourceError(f"the file has {count} pages, more than the limit of {limits.pages}; split it first")
    return count


def cautions_of(path: Path) -> list[str]:
    """What is to be known before something is made of a file that can be read."""
    return pdf_cautions(path) if sniff(path) == "pdf" else []


def read_source_page(path: Path, index: int, limits: Limits) -> SourcePage:
    """Page `index`, from 0.

    Raises
    ------
    SourceError
        If that page cannot be brought in.
    """
    return read_pdf_page(path, index, limits) if sniff(path) == "pdf" else read_image_page(path, index, limits)
