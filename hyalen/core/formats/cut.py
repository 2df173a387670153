"""The pictures of a document, cut from its pages as they are needed."""

from __future__ import annotations

from functools import lru_cache

from hyalen.core.formats.codecs import decode, encode_jpeg
from hyalen.core.formats.format import Images
from hyalen.core.structure.tree import Node, StructureTree


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
        box = region.box
        return encode_jpeg(self._pixels(index)[max(0, box.top) : box.bottom, max(0, box.left) : box.right])

    def inches(self, node: Node) -> float:
        """How wide it is: as a person has set it, or as it is on its page."""
        index, region, _ = node.first
        return region.width or region.box.width / self._tree.pages[index].dpi
