"""What a format to deliver is: a name, and a walk over the structure tree that writes to a file."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Annotated, BinaryIO, Protocol

from pydantic import AfterValidator, Field

from hyalen.core.formats.names import checked_pattern
from hyalen.core.model.geometry import Frozen
from hyalen.core.model.text import OneLine

if TYPE_CHECKING:
    from hyalen.core.structure.tree import StructureTree

Images = Callable[[int], bytes]  # page index -> the cleaned page as JPEG or one-bit PNG
Pictures = Callable[[str], bytes]  # name -> the image that stands in a picture's stead


class Quality(StrEnum):
    """How pages' pictures are kept in a PDF."""

    AS_SCANNED = "as_scanned"
    BALANCED = "balanced"
    SMALLEST = "smallest"


class Tones(StrEnum):
    """In which colours they are."""

    AS_IS = "as_is"
    GREY = "grey"
    BLACK_AND_WHITE = "black_and_white"


class Standard(StrEnum):
    """Which edition of PDF is written, and with it which standards for archives and for readers it meets."""

    PDF_1_7 = "pdf_1_7"  # ISO 32000-1 with PDF/A-2a (3a with files attached) and PDF/UA-1
    PDF_2_0 = "pdf_2_0"  # ISO 32000-2 with PDF/A-4 (4f with files attached) and PDF/UA-2


class DeliveryOptions(Frozen):
    """How a document is delivered.

    Attributes
    ----------
    keep_running_heads : bool
        In plain text.
    join_tables : bool
        Whether a table that goes on over pages is one.
    quality, tones
        Of the pages' pictures in a PDF.
    standard
        Of a PDF.
    attach_source : bool
        Whether the file that was brought in lies within the PDF.
    one_sheet : bool
        Whether a workbook has its tables beneath each other.
    page_breaks : bool
        Whether pages of a word processor's file begin where they do on paper.
    joined : bool
        Whether several documents become one file.
    post : bool
        Whether what is made is put into the folder that is meant for it, too.
    pages : str
        Which of each document's pages, as "1-3, 7"; all where it is empty.
    name : str
        Pattern of the file's name (`names.stem_by`).
    """

    keep_running_heads: bool = False
    join_tables: bool = False
    quality: Quality = Quality.AS_SCANNED
    tones: Tones = Tones.AS_IS
    standard: Standard = Standard.PDF_1_7
    attach_source: bool = False
    one_sheet: bool = False
    page_breaks: bool = False
    joined: bool = False
    post: bool = False
    pages: OneLine = Field(default="", max_length=200)
    name: Annotated[OneLine, AfterValidator(checked_pattern)] = Field(default="{source}", max_length=200)


class Write(Protocol):
    """Writes a document without holding more than a few of its pages."""

    def __call__(self, tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None: ...


class Purpose(StrEnum):
    """What a format is for."""

    READING = "reading"
    EDITING = "editing"
    EXCHANGE = "exchange"
    LISTENING = "listening"


@dataclass(frozen=True)
class Format:
    """A format; `describes` is what the clerk reads, its name first; `load` imports what writes it."""

    name: str
    media_type: str
    describes: str
    load: Callable[[], Write]
    purpose: Purpose
    suffix: str = ""
    tables_only: bool = False

    @property
    def write(self) -> Write:
        return self.load()

    @property
    def ending(self) -> str:
        """The file name's ending, without its point."""
        return self.suffix or self.name
