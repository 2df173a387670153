"""The pictures of a document, cut from its pages as they are needed."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.formats.format import Images
from hyalen.core.structure.tree import Node, StructureTree

NOTHING = np.full((1, 1), 255, np.uint8)  # of a picture that lies off its page


class CutPictures:
    """Gives a picture's image file, one page decoded at a time."""

    def __init__(self, tree: StructureTree, images: Images) -> None:
        self._tree = tree
        self._pixels = lru_cache(maxsize=1)(lambda index: decode(images(index)))

    def of(self, node: Node) -> bytes:
        """As JPEG: what stands in the picture's stead, or its part of the cleaned page."""
        index, region, _ = node.first
        if region.substitute:
            return self._tree.pictures(region.substitute)
        box, page = region.box, self._pixels(index)
        part = page[max(0, box.top) : box.bottom, max(0, box.left) : box.right]
        return encode_jpeg(part if part.size else NOTHING)

    def inches(self, node: Node) -> float:
        """How wide it is: as a person has set it, or as it is on its page."""
        index, region, _ = node.first
        return region.width or region.box.width / self._tree.pages[index].dpi
