"""Parts of a page, read while the clerk waits. What an attendant does."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from pathlib import Path

import cv2

from hyalen.core.formats.codecs import decode
from hyalen.core.formats.deliver import FORMATS
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.retouch import blackened
from hyalen.core.imaging.pixels import Image
from hyalen.core.model.content import PageContent
from hyalen.core.model.part import PartRead, PartWanted
from hyalen.core.part import read_part
from hyalen.core.structure.redaction import delivered, redacted_words, scrubbed
from hyalen.core.structure.tree import StructureTree
from hyalen.work.preview import Recent

# Kept by the process that reads: the pages that were worked on last.
_PAGES: Recent[Image] = Recent()


def read_parts(path: str, dpi: float, wanted: Sequence[PartWanted]) -> list[PartRead]:
    """What stands in parts of a cleaned page, whose image lies at `path`."""
    cv2.setNumThreads(1)
    page = _PAGES.get(path)
    if page is None:
        page = decode(Path(path).read_bytes())
        _PAGES.put(path, page)
    return [read_part(page, dpi, part) for part in wanted]


def write_alone(
    format_name: str, title: str, language: str, content: PageContent, image: str, pictures: Mapping[str, str]
) -> bytes:
    """A page's content, of one region, as a file of a format; `image` is where the cleaned page lies."""
    file = io.BytesIO()
    gone = redacted_words([content], language)
    told, content = scrubbed(title, gone), delivered(content, gone)
    tree = StructureTree(told, language, [content], pictures=lambda name: Path(pictures[name]).read_bytes())
    shown = blackened(Path(image).read_bytes(), content.redactions)
    FORMATS[format_name].write(tree, lambda _: shown, file, DeliveryOptions())
    return file.getvalue()
