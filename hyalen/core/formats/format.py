"""What a format to deliver is: a name, and a walk over the structure tree that writes to a file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, BinaryIO, Protocol

from hyalen.core.model.geometry import Frozen

if TYPE_CHECKING:
    from hyalen.core.structure.tree import StructureTree

Images = Callable[[int], bytes]  # page index -> the cleaned page as JPEG or one-bit PNG
Pictures = Callable[[str], bytes]  # name -> the image that stands in a picture's stead


class DeliveryOptions(Frozen):
    """`keep_running_heads` applies to plain text; `join_tables` makes a table that goes on over pages one."""

    keep_running_heads: bool = False
    join_tables: bool = False


class Write(Protocol):
    """Writes a document without holding more than a few of its pages."""

    def __call__(self, tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None: ...


@dataclass(frozen=True)
class Format:
    """A format; `describes` is what the clerk reads beside its name, `load` imports what writes it."""

    name: str
    media_type: str
    describes: str
    load: Callable[[], Write]
    suffix: str = ""
    tables_only: bool = False

    @property
    def write(self) -> Write:
        return self.load()

    @property
    def ending(self) -> str:
        """The file name's ending, without its point."""
        return self.suffix or self.name
