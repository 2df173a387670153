"""What a worker does for a bundle: parts of documents, and the whole of them. Paths and settings in, files out."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Literal, NamedTuple

import cv2
import pikepdf

from hyalen.core.formats.bundle_pdf import INK_MAP, Assembled, BundleOrder, write_bundle
from hyalen.core.formats.codecs import decode, decode_half
from hyalen.core.formats.format import DeliveryOptions
from hyalen.core.formats.front_office import write_front_docx, write_front_xlsx
from hyalen.core.formats.front_pages import count_front
from hyalen.core.formats.pdf import write_part
from hyalen.core.formats.pdf_marks import PageMark
from hyalen.core.formats.retouch import retouched
from hyalen.core.imaging.margin import LEAST_DPI, ink_map
from hyalen.core.model.front import FrontTable
from hyalen.work.manuscript import Manuscript


class Made(NamedTuple):
    """A file that was written, with its SHA-256."""

    path: str
    digest: str
    size: int


class MadePart(NamedTuple):
    made: Made
    met: bool


class MadeBundle(NamedTuple):
    made: Made
    assembled: Assembled


def make_part(
    manuscript: str, out: str, name: str, options: DeliveryOptions, marks: Mapping[int, Sequence[PageMark]]
) -> MadePart:
    """A document as a part of a bundle, each page with a map of its ink; the manuscript is used up."""
    cv2.setNumThreads(1)
    source, path = Path(manuscript), Path(out)
    try:
        document = Manuscript(source)
        tree = document.tree

        def hang(pdf: pikepdf.Pdf, index: int) -> None:
            page = tree.pages[index]
            image = retouched(document.image(index), page, tree.pictures)
            coarse = page.dpi < 2 * LEAST_DPI
            found = ink_map(decode(image), page.dpi) if coarse else ink_map(decode_half(image), page.dpi / 2)
            pdf.pages[index].obj[INK_MAP] = pikepdf.String(found.packed())

        with path.open("w+b") as file:
            met = write_part(tree, document.image, file, options, name, marks, hang)
        return MadePart(_made(path), met)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    finally:
        source.unlink(missing_ok=True)


def make_bundle(order: str, out: str) -> MadeBundle:
    """A bundle as it is ordered in a file, which is used up."""
    path, told = Path(out), Path(order)
    progress = _progress(path)
    try:
        wanted = BundleOrder.model_validate_json(told.read_bytes())
        assembled = write_bundle(
            wanted, path, told=lambda phase, at, count: _tell(progress, phase, at, count) if phase else None
        )
        return MadeBundle(_made(path), assembled)
    except BaseException:
        path.unlink(missing_ok=True)
        raise
    finally:
        told.unlink(missing_ok=True)
        progress.unlink(missing_ok=True)


def make_front(kind: Literal["docx", "xlsx"], table: FrontTable, title: str, language: str, out: str) -> Made:
    """A bundle's index as an office file."""
    path = Path(out)
    write = write_front_docx if kind == "docx" else write_front_xlsx
    write(table, title, language, path)
    return _made(path)


def front_pages(tables: Sequence[FrontTable]) -> int:
    """How many pages tables take."""
    return count_front(tables)


def _made(path: Path) -> Made:
    with path.open("rb") as file:
        os.fsync(file.fileno())
        digest = hashlib.file_digest(file, "sha256").hexdigest()
    return Made(str(path), digest, path.stat().st_size)


def _progress(out: Path) -> Path:
    return out.with_name(f"{out.name}-progress")


def _tell(progress: Path, phase: str, at: int, count: int) -> None:
    progress.write_text(json.dumps([phase, at, count]))


def bundle_progress(out: Path) -> tuple[str, int, int]:
    """What is being done for a file, and how much of it."""
    try:
        phase, at, count = json.loads(_progress(out).read_text())
    except (OSError, ValueError):
        return "", 0, 0
    return str(phase), int(at), int(count)
