"""A document on its way to a worker that makes a file of it: packed pages one after the other in one file."""

from __future__ import annotations

import json
import struct
from collections.abc import Iterable, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any

from hyalen.core.formats.retouch import blackened
from hyalen.core.model.document import Abbreviation, BookmarkEntry, LabelRange, OwnPage, Particulars
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
) -> None:
    """Packed contents, each with the path of its page's image, and where the page is as it came if it may be kept so.

    Only one is in memory at a time. `pictures` are the paths of the images in pictures' stead, by name;
    the pages of `bookmarks` and `redacted_pages` are numbers, from 0. What is redacted goes when it is read.
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
        head["bookmarks"] = None if bookmarks is None else [each.model_dump() for each in bookmarks]
        file.write(json.dumps(head).encode("utf8") + _LENGTH.pack(index))


def _entries(told: Sequence[dict[str, Any]] | None, gone: frozenset[str]) -> list[BookmarkEntry] | None:
    if told is None:
        return None
    kept = (
        {**each, "title": scrubbed(each["title"], gone), "follows": scrubbed(each["follows"], gone)} for each in told
    )
    return [BookmarkEntry.model_validate(each) for each in kept]


class Manuscript:
    """What was written: the tree, and each page's image."""

    def __init__(self, path: Path) -> None:
        self._path = path
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
        )

    def image(self, index: int) -> bytes:
        """A page's image as it is delivered."""
        data = Path(self._images[index]).read_bytes()
        return blackened(data, self.tree.pages[index].redactions) if index in self._redacted else data

    def _picture(self, name: str) -> bytes:
        return Path(self._pictures[name]).read_bytes()

    def _packed(self, index: int) -> bytes:
        with self._path.open("rb") as file:
            file.seek(self._offsets[index])
            (length,) = _LENGTH.unpack(file.read(_LENGTH.size))
            return file.read(length)
