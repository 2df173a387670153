"""A document on its way to a worker that makes a file of it: packed pages one after the other in one file."""

from __future__ import annotations

import json
import struct
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

from hyalen.core.model.document import LabelRange, OwnPage, Particulars
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
) -> None:
    """Packed contents, each with the path of its page's image, and where the page is as it came if it may be kept so.

    Only one is in memory at a time. `pictures` are the paths of the images in pictures' stead, by name.
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
        head = {"title": title, "language": language, "offsets": offsets, "images": images, "own": own}
        head["pictures"] = dict(pictures or {})
        head["labels"] = [each.model_dump() for each in labels]
        head["particulars"] = (particulars or Particulars()).model_dump()
        file.write(json.dumps(head).encode("utf8") + _LENGTH.pack(index))


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
