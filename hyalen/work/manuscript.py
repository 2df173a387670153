"""A document on its way to a worker that makes a file of it: packed pages one after the other in one file."""

from __future__ import annotations

import json
import struct
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

from hyalen.core.model.document import Abbreviation, BookmarkEntry, LabelRange, OwnPage, Particulars
from hyalen.core.model.packing import LazyPages
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
) -> None:
    """Packed contents, each with the path of its page's image, and where the page is as it came if it may be kept so.

    Only one is in memory at a time. `pictures` are the paths of the images in pictures' stead, by name;
    the pages of `bookmarks` are numbers, from 0.
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
        head["abbreviations"] = {each.short: each.full for each in abbreviations}
        head["bookmarks"] = None if bookmarks is None else [each.model_dump() for each in bookmarks]
        file.write(json.dumps(head).encode("utf8") + _LENGTH.pack(index))


def _entries(told: Sequence[object] | None) -> list[BookmarkEntry] | None:
    return None if told is None else [BookmarkEntry.model_validate(each) for each in told]


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
        pages = LazyPages(len(self._offsets), self._packed)
        self._pictures: dict[str, str] = head["pictures"]
        self.tree = StructureTree(
            head["title"],
            head["language"],
            pages,
            own_pages=own,
            pictures=self._picture,
            labels=[LabelRange.model_validate(each) for each in head["labels"]],
            particulars=Particulars.model_validate(head["particulars"]),
            abbreviations=head["abbreviations"],
            bookmarks=_entries(head["bookmarks"]),
        )

    def image(self, index: int) -> bytes:
        return Path(self._images[index]).read_bytes()

    def _picture(self, name: str) -> bytes:
        return Path(self._pictures[name]).read_bytes()

    def _packed(self, index: int) -> bytes:
        with self._path.open("rb") as file:
            file.seek(self._offsets[index])
            (length,) = _LENGTH.unpack(file.read(_LENGTH.size))
            return file.read(length)
