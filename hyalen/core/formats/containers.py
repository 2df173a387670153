"""Files that hold other files: ZIP, e-mail with attachments (RFC 5322, 2045), portfolios (ISO 32000-1, 12.3.5)."""

from __future__ import annotations

import html
import zipfile
from collections.abc import Iterator
from email import policy
from email.message import EmailMessage
from email.parser import BytesParser
from pathlib import Path
from typing import NamedTuple

import pikepdf

from hyalen.core.formats.kinds import natural
from hyalen.core.formats.source import Limits, SourceError, blamed

MOST_FILES = 5_000
HEADERS = ("From", "To", "Cc", "Date")
CHUNK = 1 << 20


class Held(NamedTuple):
    """A file out of another one: what it is called there, and where it lies now, or why it does not."""

    name: str
    path: Path | None
    reason: str = ""


def is_portfolio(path: Path) -> bool:
    """Whether a PDF is only the cover of the files within it."""
    try:
        with pikepdf.open(path) as pdf:
            return "/Collection" in pdf.Root and bool(len(pdf.attachments))
    except Exception:
        return False


def unpack(path: Path, kind: str, into: Path, limits: Limits, password: str = "") -> list[Held]:
    """The files within a file, each written into a folder; a message is the first of its own.

    Raises
    ------
    SourceError
        If it is damaged, or holds nothing.
    """
    told = {"zip": _of_zip, "e-mail": _of_message, "pdf": _of_portfolio}[kind]
    found: list[Held] = []
    left = limits.bytes  # that all of them may take together: a small file can hold endless ones
    with blamed(f"the {'ZIP file' if kind == 'zip' else 'PDF' if kind == 'pdf' else kind}"):
        for name, chunks in told(path, password):
            target = into / f"{len(found):05d}"
            if len(found) >= MOST_FILES:
                raise SourceError(f"the file holds more than {MOST_FILES:,} files; bring them in by parts")
            try:
                with target.open("wb") as file:
                    for chunk in chunks:
                        left -= len(chunk)
                        if left < 0:
                            break
                        file.write(chunk)
            except SourceError as error:
                found.append(Held(name, None, str(error)))
                continue
            except Exception as error:
                found.append(Held(name, None, _why(error)))
                continue
            if left < 0:
                raise SourceError(
                    f"what the file holds is larger than the limit of {limits.bytes / 1e6:.0f} MB; bring it in by parts"
                )
            found.append(Held(name, target))
    if not found:
        raise SourceError("the file holds no files")
    return found


def _why(error: Exception) -> str:
    if isinstance(error, RuntimeError) and "password" in str(error).lower():
        return "it is encrypted; tell its password, or unpack it first"
    if isinstance(error, NotImplementedError):
        return "it is packed in a way that is not known; unpack it first"
    return "it is damaged; pack or copy it again"


Named = Iterator[tuple[str, Iterator[bytes]]]


def _of_zip(path: Path, password: str) -> Named:
    with zipfile.ZipFile(path) as archive:
        if password:
            archive.setpassword(password.encode("utf8"))
        told = [info for info in archive.infolist() if not info.is_dir()]
        for info in sorted(told, key=lambda each: natural(each.filename)):
            parts = info.filename.replace("\\", "/").split("/")
            if "__MACOSX" in parts or parts[-1].startswith("."):
                continue
            yield parts[-1], _read(archive, info)


def _read(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> Iterator[bytes]:
    with archive.open(info) as file:
        while chunk := file.read(CHUNK):
            yield chunk


def _of_portfolio(path: Path, password: str) -> Named:
    with pikepdf.open(path, password=password) as pdf:
        for name in sorted(pdf.attachments, key=natural):
            spec = pdf.attachments[name]
            yield (spec.filename or name).replace("\\", "/").split("/")[-1], iter([spec.get_file().read_bytes()])


def _of_message(path: Path, _: str) -> Named:
    with path.open("rb") as file:
        message = BytesParser(policy=policy.default).parse(file)
    assert isinstance(message, EmailMessage)
    subject = " ".join(str(message.get("Subject", "")).split()) or "message"
    yield f"{subject[:100]}.html", iter([page_of(message).encode("utf8")])
    for number, part in enumerate(message.iter_attachments(), 1):
        if part.get_content_type() == "message/rfc822":
            inner = part.get_payload(0) if part.is_multipart() else None
            if isinstance(inner, EmailMessage):
                yield part.get_filename() or f"message {number}.eml", iter([inner.as_bytes()])
            continue
        data = part.get_payload(decode=True)
        if isinstance(data, bytes) and not _is_inline_picture(part):
            yield (part.get_filename() or f"attachment {number}").replace("\\", "/").split("/")[-1], iter([data])


def _is_inline_picture(part: EmailMessage) -> bool:
    return (
        part.get_content_maintype() == "image"
        and part.get_content_disposition() == "inline"
        and not part.get_filename()
    )


def page_of(message: EmailMessage) -> str:
    """A message as a page: its headers, the names of what is attached, and its text."""
    title = html.escape(str(message.get("Subject", "")) or "Message")
    told = "".join(f"<p><b>{name}:</b> {html.escape(str(message[name]))}</p>" for name in HEADERS if message[name])
    names = [html.escape(n) for part in message.iter_attachments() if (n := part.get_filename())]
    attached = f"<p><b>Attached:</b> {', '.join(names)}</p>" if names else ""
    return (
        f'<!DOCTYPE html><html lang="und"><head><meta charset="utf-8"><title>{title}</title></head><body>'
        f"<h1>{title}</h1>{told}{attached}{_body(message)}</body></html>"
    )


def _body(message: EmailMessage) -> str:
    """What it says as paragraphs of plain text, of its HTML where there is no other."""
    part = message.get_body(("plain", "html"))
    if part is None or part.get_payload() is None:
        return "<p>(The message has no text.)</p>"
    try:
        text = str(part.get_content())
    except Exception:  # an encoding that nobody knows: its letters without accents are the same in all
        text = str(part.get_payload() or "")
    if part.get_content_subtype() == "html":
        return text
    blocks = text.replace("\r\n", "\n").strip().split("\n\n")
    return "".join(f"<p>{html.escape(block).replace(chr(10), '<br>')}</p>" for block in blocks if block.strip())
