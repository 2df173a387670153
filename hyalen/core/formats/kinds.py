"""What files are, by their content and not by what they are called, and which of a folder's can be read."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterable, Iterator
from pathlib import Path

from hyalen.core.formats.source import SourceError

READABLE = "PDF, TIFF, JPEG, PNG, JPEG 2000, WebP, HEIC, BMP, GIF, office files, HTML, RTF, e-mail (EML) and ZIP files of these"
SIGNATURES = {
    kind: re.compile(begins, re.DOTALL | (re.IGNORECASE if kind in ("html", "e-mail") else 0))
    for kind, begins in {
        "pdf": rb"%PDF-",
        "jpeg": rb"\xff\xd8\xff",
        "png": rb"\x89PNG\r\n\x1a\n",
        "tiff": rb"II[*+]\x00|MM\x00[*+]",
        "jpeg 2000": rb"\x00\x00\x00\x0cjP  \r\n\x87\n|\xff\x4f\xff\x51",  # ISO/IEC 15444-1, annexes I and A
        "webp": rb"RIFF....WEBP",  # RFC 9649
        "bmp": rb"BM.{4}\x00{4}.{4}[\x0c\x28\x34\x38\x40\x6c\x7c]\x00{3}",  # with the size of one of its headers
        "heic": rb"....ftyp(?:hei[cxms]|mif1|msf1)",  # ISO/IEC 23008-12, 10.2
        "gif": rb"GIF8[79]a",
        "zip": rb"PK\x03\x04|PK\x05\x06",
        "ole": rb"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1",  # office files of before 2007, and encrypted ones
        "rtf": rb"\{\\rtf",
        "html": rb"(?:\xef\xbb\xbf)?\s*(?:<!--.*?-->\s*|<\?xml[^>]*>\s*)*<(?:!doctype\s+html|html)\b",
        "e-mail": rb"(?:[\x21-\x39\x3b-\x7e]+:[^\n]*\n(?:[ \t][^\n]*\n)*)*?(?:From|Date|Subject|MIME-Version|Received):\s",
    }.items()
}
OFFICE = {
    "docx": "word/document.xml",
    "xlsx": "xl/workbook.xml",
    "pptx": "ppt/presentation.xml",
    "odt": b"application/vnd.oasis.opendocument.text",
    "ods": b"application/vnd.oasis.opendocument.spreadsheet",
    "odp": b"application/vnd.oasis.opendocument.presentation",
}
TURNED = frozenset({*OFFICE, "ole", "rtf", "html"})  # into a PDF when they come in
CONTAINERS = frozenset({"zip", "e-mail"})
EXTENSIONS = {
    "pdf": "pdf", "jpg": "jpeg", "jpeg": "jpeg", "jpe": "jpeg", "png": "png", "tif": "tiff", "tiff": "tiff",
    "jp2": "jpeg 2000", "j2k": "jpeg 2000", "jpf": "jpeg 2000", "jpx": "jpeg 2000", "webp": "webp", "bmp": "bmp",
    "dib": "bmp", "gif": "gif", "heic": "heic", "heif": "heic", "docx": "docx", "docm": "docx", "xlsx": "xlsx",
    "xlsm": "xlsx", "pptx": "pptx", "pptm": "pptx", "odt": "odt", "ods": "ods", "odp": "odp", "doc": "ole", "xls": "ole",
    "ppt": "ole", "rtf": "rtf", "html": "html", "htm": "html", "xhtml": "html", "eml": "e-mail", "zip": "zip",
}  # fmt: skip
MEDIA_TYPES = {
    "pdf": "application/pdf", "jpeg": "image/jpeg", "png": "image/png", "tiff": "image/tiff", "jpeg 2000": "image/jp2",
    "webp": "image/webp", "bmp": "image/bmp", "gif": "image/gif", "heic": "image/heic",
    "rtf": "application/rtf", "html": "text/html", "e-mail": "message/rfc822", "zip": "application/zip", "ole": "application/x-ole-storage",
    "odt": "application/vnd.oasis.opendocument.text", "ods": "application/vnd.oasis.opendocument.spreadsheet",
    "odp": "application/vnd.oasis.opendocument.presentation",
    "docx": "application/vnd.openxmlformats-officedocument.wordprocessingml.document",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "pptx": "application/vnd.openxmlformats-officedocument.presentationml.presentation",
}  # fmt: skip


def media_type_of(path: Path) -> str:
    """What a file is, as it is told in protocols (RFC 6838)."""
    return MEDIA_TYPES[sniff(path)]


def sniff(path: Path) -> str:
    """What a file is, of `SIGNATURES`, from its first bytes.

    Raises
    ------
    SourceError
        If the file is empty, none of these, or a damaged ZIP file.
    """
    with path.open("rb") as file:
        head = file.read(1024)
    if not head:
        raise SourceError("the file is empty; copy it again")
    for kind, begins in SIGNATURES.items():
        if begins.match(head) or (kind == "pdf" and b"%PDF-" in head):
            return _packed(path) if kind == "zip" else kind
    raise SourceError(
        f"the file is not a PDF, an image or an office file, whatever its name says; {READABLE} can be read"
    )


def _packed(path: Path) -> str:
    """What a ZIP file is: an office file by its parts (ECMA-376-2; OpenDocument 1.3, part 2, 3.3), or just that."""
    try:
        with zipfile.ZipFile(path) as archive:
            names = set(archive.namelist())
            told = archive.read("mimetype")[:100].strip() if "mimetype" in names else b""
    except Exception as error:
        raise SourceError("the ZIP file is damaged; pack or copy it again") from error
    for kind, mark in OFFICE.items():
        if mark == told or mark in names:
            return kind
    return "zip"


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


def natural(name: str) -> tuple[tuple[int, int | str], ...]:
    """A key by which names are in the order in which people count: page 9 before page 10."""
    parts = re.split(r"(\d+)", name.casefold())
    return tuple((0, int(part)) if part.isdecimal() else (1, part) for part in parts if part)


def files_of(inputs: Iterable[Path], recursive: bool, left_out: list[Path]) -> Iterator[Path]:
    """The files that are named, and those in named folders that can be read, in the order in which people count.

    Parameters
    ----------
    inputs : iterable of Path
    recursive : bool
        Whether folders in folders count too; hidden ones never do.
    left_out : list of Path
        Takes what lies in a folder and is not read.
    """
    for path in inputs:
        if not path.is_dir():
            yield path
            continue
        for each in sorted(path.iterdir(), key=lambda p: natural(p.name)):
            if each.name.startswith("."):
                continue
            if each.is_dir():
                if recursive:
                    yield from files_of([each], recursive, left_out)
                else:
                    left_out.append(each)
            elif _is_readable(each):
                yield each
            else:
                left_out.append(each)


def _is_readable(path: Path) -> bool:
    """Whether a file in a folder begins like one of the formats; one that cannot be opened is tried, and named."""
    try:
        sniff(path)
    except SourceError:
        return False
    except OSError:
        return True
    return True
