"""A document on its way to a worker that makes a file of it: packed pages one after the other in one file."""

from __future__ import annotations

import json
import struct
from collections.abc import Callable, Iterable, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any

from hyalen.core.formats.retouch import blackened
from hyalen.core.model.document import Abbreviation, Attachment, BookmarkEntry, LabelRange, OwnPage, Part, Particulars
from hyalen.core.model.packing import LazyPages, unpacked
from hyalen.core.structure.redaction import delivered, redacted_words, scrubbed
from hyalen.core.structure.tree import StructureTree

_LENGTH = struct.Struct("<Q")


def write_manuscript(
    path: Path,
    title: str,
    language: str,
    pages: Iterable[tuple[bytes, str, OwnPage | None]],
    pictures: Mapping[str, str] | None = None,
    labels: Sequence[LabelRange] = (),
    particulars: Particulars | None = None,
    abbreviations: Sequence[Abbreviation] = (),
    bookmarks: Sequence[BookmarkEntry] | None = None,
    redacted_pages: Sequence[int] = (),
    attachments: Sequence[Attachment] = (),
    parts: Sequence[Part] = (),
) -> None:
    """Packed contents, each with the path of its page's image, and where the page is as it came if it may be kept so.

    Only one is in memory at a time. `pictures` are the paths of the images in pictures' stead, by name;
    the pages of `bookmarks` and `redacted_pages` are numbers, from 0; `parts` are the documents, where several are
    joined. What is redacted goes when it is read.
    """
    offsets: list[int] = []
    images: list[str] = []
    own: dict[int, OwnPage] = {}
    with path.open("wb") as file:
        for content, image, page in pages:
            if page is not None:
                own[len(offsets)] = page
            offsets.append(file.tell())
            images.append(image)
            file.write(_LENGTH.pack(len(content)) + content)
        index = file.tell()
        head: dict[str, Any] = {"title": title, "language": language, "offsets": offsets, "images": images, "own": own}
        head["pictures"] = dict(pictures or {})
        head["labels"] = [each.model_dump() for each in labels]
        head["particulars"] = (particulars or Particulars()).model_dump()
        head["redacted"] = list(redacted_pages)
        head["abbreviations"] = {each.short: each.full for each in abbreviations}
        head["bookmarks"] = _dumped(bookmarks)
        head["attachments"] = attachments
        head["parts"] = [each._replace(bookmarks=_dumped(each.bookmarks)) for each in parts]
        file.write(json.dumps(head).encode("utf8") + _LENGTH.pack(index))


def _dumped(entries: Sequence[BookmarkEntry] | None) -> Any:
    return None if entries is None else [each.model_dump() for each in entries]


def _entries(told: Sequence[dict[str, Any]] | None, gone: frozenset[str]) -> list[BookmarkEntry] | None:
    if told is None:
        return None
    kept = (
        {**each, "title": scrubbed(each["title"], gone), "follows": scrubbed(each["follows"], gone)} for each in told
    )
    return [BookmarkEntry.model_validate(each) for each in kept]


def _part(told: Sequence[Any], gone: frozenset[str]) -> Part:
    first, end, title, language, abbreviations, entries = told
    full = {short: scrubbed(full, gone) for short, full in abbreviations.items()}
    return Part(first, end, scrubbed(title, gone), language, full, _entries(entries, gone))


class Stopped(ValueError):
    """The manuscript was taken away: what is made of it is not wanted any more."""


class Manuscript:
    """What was written: the tree, and each page's image.

    Parameters
    ----------
    path : Path
    on_page : callable
        Told of each page that is read, by its number from 0.

    Raises
    ------
    Stopped
        When a page is read of one that has been taken away.
    """

    def __init__(self, path: Path, on_page: Callable[[int], None] = lambda _: None) -> None:
        self._path = path
        self._on_page = on_page
        with path.open("rb") as file:
            file.seek(-_LENGTH.size, 2)
            (index,) = _LENGTH.unpack(file.read())
            file.seek(index)
            head = json.loads(file.read()[: -_LENGTH.size])
        self._offsets: list[int] = head["offsets"]
        self._images: list[str] = head["images"]
        own = {int(index): OwnPage(*page) for index, page in head["own"].items()}
        self._redacted = frozenset(head["redacted"])
        self._pictures: dict[str, str] = head["pictures"]
        gone = redacted_words((unpacked(self._packed(i)) for i in sorted(self._redacted)), head["language"])
        pages = LazyPages(len(self._offsets), self._packed, partial(delivered, gone=gone))
        self.tree = StructureTree(
            scrubbed(head["title"], gone),
            head["language"],
            pages,
            own_pages={index: page for index, page in own.items() if index not in self._redacted},
            pictures=self._picture,
            labels=[LabelRange.model_validate(each) for each in head["labels"]],
            particulars=Particulars(**{k: scrubbed(v, gone) for k, v in head["particulars"].items()}),
            abbreviations={short: scrubbed(full, gone) for short, full in head["abbreviations"].items()},
            bookmarks=_entries(head["bookmarks"], gone),
            attachments=[Attachment(*each) for each in head["attachments"]],
            parts=[_part(each, gone) for each in head["parts"]],
            withheld=gone,
        )

    def image(self, index: int) -> bytes:
        """A page's image as it is delivered."""
        self._on_page(index)
        if not self._path.exists():
            raise Stopped("It was stopped.")
        data = Path(self._images[index]).read_bytes()
        return blackened(data, self.tree.pages[index].redactions) if index in self._redacted else data

    def _picture(self, name: str) -> bytes:
        return Path(self._pictures[name]).read_bytes()

    def _packed(self, index: int) -> bytes:
        self._on_page(index)
        try:
            with self._path.open("rb") as file:
                file.seek(self._offsets[index])
                (length,) = _LENGTH.unpack(file.read(_LENGTH.size))
                return file.read(length)
        except FileNotFoundError as error:
            raise Stopped("It was stopped.") from error
