"""What workers do: bytes and settings in, a result out; no database, no state between calls."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np

from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.formats.deliver import DeliveryOptions, deliver
from hyalen.core.formats.read import read_source_page
from hyalen.core.formats.source import Limits, SourcePage
from hyalen.core.imaging.clean import clean_page
from hyalen.core.imaging.orientation import quarter_turned
from hyalen.core.imaging.pixels import as_uint8
from hyalen.core.model.content import PageContent
from hyalen.core.model.treatment import Cleaned, Treatment
from hyalen.core.proofing.keep import carry_over
from hyalen.core.reading.page import read_content
from hyalen.core.reading.upright import find_turn
from hyalen.core.structure.levels import level_headings
from hyalen.core.structure.running import find_running_heads, set_aside
from hyalen.store.store import DocumentParts, main_language

THUMB_WIDTH = 180


class CleanedImage(NamedTuple):
    """The cleaned page as JPEG, a small picture of it, and what was done."""

    image: bytes
    thumb: bytes
    cleaned: Cleaned


def bring_in(path: str, index: int, limits: Limits) -> SourcePage:
    """One page of a source file (raises SourceError)."""
    return read_source_page(Path(path), index, limits)


def clean(
    original: bytes, dpi: float, stated_turn: int, treatment: Treatment, languages: Sequence[str]
) -> CleanedImage:
    """Apply a treatment to an original image file; the languages help to tell which way is up."""
    # OpenCV's own threads would compete with the other workers for the same cores.
    cv2.setNumThreads(1)
    page = quarter_turned(decode(original), stated_turn)
    image, cleaned = clean_page(page, dpi, treatment, partial(find_turn, languages=tuple(languages)))
    height = max(1, round(image.shape[0] * THUMB_WIDTH / image.shape[1]))
    thumb = as_uint8(cv2.resize(image, (THUMB_WIDTH, height), interpolation=cv2.INTER_AREA))
    return CleanedImage(encode_jpeg(image), encode_jpeg(thumb, 75), cleaned)


def read(
    image: bytes,
    dpi: float,
    languages: Sequence[str],
    keep: PageContent | None = None,
    moved: Sequence[float] | None = None,
) -> PageContent:
    """Read a cleaned page; what a person settled on `keep` is carried over.

    Parameters
    ----------
    moved : 9 floats, optional
        Row-major 3x3 matrix from the pixels of `keep` to those of `image`.
    """
    cv2.setNumThreads(1)
    content = read_content(decode(image), dpi, tuple(languages))
    if keep is None:
        return content
    matrix = np.eye(3) if moved is None else np.array(moved, dtype=np.float64).reshape(3, 3)
    return carry_over(keep, content, matrix)


class Settled(NamedTuple):
    """Pages that changed, by id, each with the revision it was made from, and the main language."""

    pages: dict[int, tuple[int, PageContent]]
    language: str


def settle(parts: DocumentParts) -> Settled:
    """What needs all of a document's pages: running heads, heading levels, the main language."""
    before = parts.content().pages
    heads = find_running_heads(before)
    after = level_headings(
        [set_aside(page, {i for i in ids if not page.region(i).drawn}) for page, ids in zip(before, heads, strict=True)]
    )
    changed = {
        page_id: (revision, new)
        for page_id, revision, old, new in zip(parts.page_ids, parts.revisions, before, after, strict=True)
        if new != old
    }
    return Settled(changed, main_language(after))


def make_delivery(parts: DocumentParts, file_format: str, options: DeliveryOptions) -> bytes:
    """A document as a file."""
    images = [partial(Path.read_bytes, Path(p)) for p in parts.images]
    return deliver(parts.content(), images, file_format, options)
