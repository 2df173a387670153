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
from hyalen.core.formats.read_pdf import Locked
from hyalen.core.formats.source import Limits, SourceError, blamed

MOST_FILES = 5_000
HEADERS = ("From", "To", "Cc", "Date")
CHUNK = 1 << 20
ENCRYPTED = 1  # APPNOTE 4.4.4


class Enclosed(NamedTuple):
    """A file out of another one: what it is called there, and where it lies now, or why it does not.

    A message's own text has no name.
    """

    name: str
    path: Path | None
    reason: str = ""


def is_portfolio(path: Path, password: str = "") -> bool:
    """Whether a PDF is only the cover of the files within it."""
    try:
        with pikepdf.open(path, password=password) as pdf:
            return "/Collection" in pdf.Root and bool(len(pdf.attachments))
    except Exception:
        return False


def unpack(path: Path, kind: str, into: Path, limits: Limits, password: str = "") -> list[Enclosed]:
    """The files within a file, each written into a folder; a message is the first of its own.

    Raises
    ------
    SourceError
        If it is damaged, or holds nothing.
    """
    told = {"zip": _of_zip, "e-mail": _of_message, "pdf": _of_portfolio}[kind]
    found: list[Enclosed] = []
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
                found.append(Enclosed(name, None, str(error)))
                continue
            except Exception as error:
                found.append(Enclosed(name, None, _why(error)))
                continue
            if left < 0:
                raise SourceError(
                    f"what the file holds is larger than the limit of {limits.bytes / 1e6:.0f} MB; bring it in by parts"
                )
            found.append(Enclosed(name, target))
    if not found:
        raise SourceError("the file holds no files")
    return found


def _why(error: Exception) -> str:
    if isinstance(error, NotImplementedError):
        return "it is packed or encrypted in a way that is not known; unpack it first"
    return "it is damaged; pack or copy it again"


Named = Iterator[tuple[str, Iterator[bytes]]]


def _of_zip(path: Path, password: str) -> Named:
    with zipfile.ZipFile(path) as archive:
        told = [info for info in archive.infolist() if not info.is_dir()]
        _unlock(archive, next((info for info in told if info.flag_bits & ENCRYPTED), None), password)
        for info in sorted(told, key=lambda each: natural(each.filename)):
            parts = info.filename.replace("\\", "/").split("/")
            if "__MACOSX" in parts or parts[-1].startswith("."):
                continue
            yield parts[-1], _read(archive, info)


def _unlock(archive: zipfile.ZipFile, encrypted: zipfile.ZipInfo | None, password: str) -> None:
    """Have the archive give its encrypted files, of which this is the first."""
    if encrypted is None:
        return
    if password:
        archive.setpassword(password.encode("utf8"))
    try:
        archive.open(encrypted).close()
    except RuntimeError as error:
        if password:
            raise Locked("the ZIP file is encrypted and this is not its password; try another") from error
        raise Locked("the ZIP file is encrypted; it opens with its password") from error
    except NotImplementedError:
        return  # what that file is refused for


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
    yield "", iter([page_of(message).encode("utf8")])
    for number, part in enumerate(_attached(message), 1):
        inner = part.get_payload(0) if part.get_content_type() == "message/rfc822" and part.is_multipart() else None
        data = inner.as_bytes() if isinstance(inner, EmailMessage) else part.get_payload(decode=True)
        if isinstance(data, bytes):
            yield _name_of(part) or f"{part.get_content_maintype()} {number}", iter([data])


def _attached(message: EmailMessage) -> Iterator[EmailMessage]:
    """Each part that is a file by itself, pictures within its text too; not the text, in whichever form."""
    for part in message.iter_parts() if message.is_multipart() else ():
        assert isinstance(part, EmailMessage)
        if part.get_content_type() == "message/rfc822":
            yield part
        elif part.is_multipart():
            yield from _attached(part)
        elif part.get_content_type() not in ("text/plain", "text/html") or part.is_attachment() or part.get_filename():
            yield part


def _name_of(part: EmailMessage) -> str:
    return (part.get_filename() or "").replace("\\", "/").split("/")[-1]


def page_of(message: EmailMessage) -> str:
    """A message as a page: its headers, the names of what is attached, and its text."""
    title = html.escape(str(message.get("Subject", "")) or "Message")
    told = "".join(f"<p><b>{name}:</b> {html.escape(str(message[name]))}</p>" for name in HEADERS if message[name])
    names = [html.escape(name) for part in _attached(message) if (name := _name_of(part))]
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
