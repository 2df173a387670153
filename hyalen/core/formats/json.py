"""The page content model as JSON: title, language and every page."""

from __future__ import annotations

import json
from typing import BinaryIO

from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.structure.tree import StructureTree


def write_json(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """An object with `title`, `language` (ISO 639-3) and `pages`, each a `PageContent`."""
    head = json.dumps({"title": tree.title, "language": tree.language}, ensure_ascii=False)
    file.write(head[:-1].encode("utf8") + b', "pages": [')
    for index in range(len(tree.pages)):
        file.write((b",\n" if index else b"\n") + tree.pages[index].model_dump_json().encode("utf8"))
    file.write(b"\n]}\n")
