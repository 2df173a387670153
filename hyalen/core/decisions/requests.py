"""What a screen asks for: changes that name regions and words by the ids of the page revision they are made on."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from hyalen.core.model.content import RegionKind, Role
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Frozen
from hyalen.core.model.grid import Axis
from hyalen.core.model.text import Lines, OneLine

# Characters: more than any sheet holds, and no more than every format can.
MOST_OF_A_LINE = 4_000
MOST_OF_A_BLOCK = 100_000


class EditError(ValueError):
    """A change that this page cannot take; the message says why."""


class SetWord(Frozen):
    """Give a word another text; several words part its box, no text takes it away."""

    op: Literal["set_word"] = "set_word"
    word_id: str
    text: OneLine = Field(max_length=MOST_OF_A_LINE)


class AcceptWord(Frozen):
    """The word is right as it was read."""

    op: Literal["accept_word"] = "accept_word"
    word_id: str


class SetLine(Frozen):
    """Give one line of a region (from 0, over a table's cells too) another text."""

    op: Literal["set_line"] = "set_line"
    region_id: str
    line: int
    text: OneLine = Field(max_length=MOST_OF_A_LINE)


class SetText(Frozen):
    """Give a region's lines another text; the number of lines stays."""

    op: Literal["set_text"] = "set_text"
    region_id: str
    text: Lines = Field(max_length=MOST_OF_A_BLOCK)


class SetRole(Frozen):
    """Say what a region is for."""

    op: Literal["set_role"] = "set_role"
    region_id: str
    role: Role


class SetAlternative(Frozen):
    """Describe a figure, or mark it as decorative."""

    op: Literal["set_alternative"] = "set_alternative"
    region_id: str
    text: Lines = Field(default="", max_length=MOST_OF_A_BLOCK)
    decorative: bool = False


class SetLanguage(Frozen):
    """Say which language a region is in (ISO 639-3)."""

    op: Literal["set_language"] = "set_language"
    region_id: str
    language: str


class Move(Frozen):
    """Put a region before another in the reading order; last where `before` is None."""

    op: Literal["move"] = "move"
    region_id: str
    before: str | None = None


class AcceptDoubt(Frozen):
    """Leave something as it is."""

    op: Literal["accept_doubt"] = "accept_doubt"
    key: OneLine


# Regions by hand; points are pixels of the cleaned page

Pixel = Annotated[float, Field(ge=-100_000, le=200_000, allow_inf_nan=False)]
Corner = tuple[Pixel, Pixel]
Drawn = Annotated[tuple[Corner, ...], Field(min_length=3, max_length=1_000)]
RegionIds = Annotated[tuple[str, ...], Field(min_length=1, max_length=2_000)]
Index = Annotated[int, Field(ge=0, le=5_000)]


class DrawRegion(Frozen):
    """A new region; its role follows its kind, and that of text what its words were before."""

    op: Literal["draw_region"] = "draw_region"
    outline: Drawn
    kind: RegionKind = RegionKind.TEXT
    role: Role | None = None


class ShapeRegion(Frozen):
    """Give a region another outline: moved, resized, its corners dragged."""

    op: Literal["shape_region"] = "shape_region"
    region_id: str
    outline: Drawn


class TakeOutArea(Frozen):
    """Take an area out of one region, or of all that it lies on: what stands there is not read."""

    op: Literal["take_out_area"] = "take_out_area"
    area: Drawn
    region_id: str | None = None


class CutRegion(Frozen):
    """Cut a region in two."""

    op: Literal["cut_region"] = "cut_region"
    region_id: str
    start: Corner
    end: Corner


class MergeRegions(Frozen):
    """Make several regions one."""

    op: Literal["merge_regions"] = "merge_regions"
    region_ids: RegionIds


class RemoveRegions(Frozen):
    """Take regions away; their ink stays in the picture and is not read."""

    op: Literal["remove_regions"] = "remove_regions"
    region_ids: RegionIds


class OmitPictures(Frozen):
    """Leave pictures out of what is delivered, or put them back."""

    op: Literal["omit_pictures"] = "omit_pictures"
    region_ids: RegionIds
    omitted: bool = True


class SubstitutePicture(Frozen):
    """Let another image stand where a picture is; "" puts the scan's own back."""

    op: Literal["substitute_picture"] = "substitute_picture"
    region_id: str
    image: str = Field(pattern="^([0-9a-f]{64})?$")


class ResizePictures(Frozen):
    """How wide pictures are in office files, in inches; None for as wide as on the page."""

    op: Literal["resize_pictures"] = "resize_pictures"
    region_ids: RegionIds
    width: Annotated[float, Field(ge=0.1, le=50, allow_inf_nan=False)] | None


class SetKind(Frozen):
    """Make regions text, tables or pictures."""

    op: Literal["set_kind"] = "set_kind"
    region_ids: RegionIds
    kind: RegionKind


class SetRoles(Frozen):
    """Say what several regions are for."""

    op: Literal["set_roles"] = "set_roles"
    region_ids: RegionIds
    role: Role


class ThreadRegions(Frozen):
    """Regions follow one another in this order, from where the first stands."""

    op: Literal["thread_regions"] = "thread_regions"
    region_ids: RegionIds


class ReadRegions(Frozen):
    """Read regions again, perhaps in other languages."""

    op: Literal["read_regions"] = "read_regions"
    region_ids: RegionIds
    languages: tuple[str, ...] = Field(default=(), max_length=4)


class RedactAreas(Frozen):
    """Take areas out of all that is delivered, for good; the scan keeps them."""

    op: Literal["redact_areas"] = "redact_areas"
    areas: Annotated[tuple[Drawn, ...], Field(min_length=1, max_length=500)]


class Unredact(Frozen):
    """Deliver again what a redaction covers, by its place among the page's."""

    op: Literal["unredact"] = "unredact"
    index: Index


# Words and lines by hand


class JoinWords(Frozen):
    """Make words that stand side by side in a line one."""

    op: Literal["join_words"] = "join_words"
    word_ids: Annotated[tuple[str, ...], Field(min_length=2, max_length=100)]


class BreakLine(Frozen):
    """Let a line end before a word."""

    op: Literal["break_line"] = "break_line"
    word_id: str


class JoinLines(Frozen):
    """Let the line of a word go on with the next one of its block or cell."""

    op: Literal["join_lines"] = "join_lines"
    word_id: str


class InsertLine(Frozen):
    """A line that was not read, beneath one of a region (above all with -1); without `box` where it is likeliest."""

    op: Literal["insert_line"] = "insert_line"
    region_id: str
    after: Annotated[int, Field(ge=-1, le=5_000)]
    text: OneLine = Field(min_length=1, max_length=MOST_OF_A_LINE)
    box: tuple[Pixel, Pixel, Pixel, Pixel] | None = None


class PartBlock(Frozen):
    """Let a new block begin with a line of a region."""

    op: Literal["part_block"] = "part_block"
    region_id: str
    line: Index


class SetStyle(Frozen):
    """How words are set, or of one word the letters from `start` up to `end`."""

    op: Literal["set_style"] = "set_style"
    word_ids: Annotated[tuple[str, ...], Field(min_length=1, max_length=2_000)]
    style: Style
    on: bool = True
    start: Index | None = None
    end: Index | None = None


class SetRunning(Frozen):
    """Give a region another text as it runs, whatever its line ends; what stays the same keeps its words."""

    op: Literal["set_running"] = "set_running"
    region_id: str
    text: OneLine = Field(max_length=MOST_OF_A_BLOCK)


# Structure by hand


class NestRegions(Frozen):
    """Let list items or entries of the contents stand one deeper, or one less deep."""

    op: Literal["nest_regions"] = "nest_regions"
    region_ids: RegionIds
    by: Literal[-1, 1]


class TieCaption(Frozen):
    """Make a text the caption of a picture or table, of nothing where `to` is None."""

    op: Literal["tie_caption"] = "tie_caption"
    region_id: str
    to: str | None


class SetWordLanguage(Frozen):
    """Say which language words are in (ISO 639-3)."""

    op: Literal["set_word_language"] = "set_word_language"
    word_ids: Annotated[tuple[str, ...], Field(min_length=1, max_length=2_000)]
    language: str


DataRow = Annotated[tuple[Annotated[OneLine, Field(max_length=1_000)], ...], Field(max_length=50)]


class SetData(Frozen):
    """Say what a chart shows, as rows of which the first is of headers; none takes them away."""

    op: Literal["set_data"] = "set_data"
    region_id: str
    rows: Annotated[tuple[DataRow, ...], Field(max_length=500)]


# Tables by hand


class FindLines(Frozen):
    """Look for a table's rows and columns again within its outline."""

    op: Literal["find_lines"] = "find_lines"
    region_id: str


class MoveLine(Frozen):
    """Move a line of a table, counted from 0, the outer ones included."""

    op: Literal["move_line"] = "move_line"
    region_id: str
    axis: Axis
    index: Index
    to: Pixel


class AddLine(Frozen):
    """A line more, which parts a row or column in two."""

    op: Literal["add_line"] = "add_line"
    region_id: str
    axis: Axis
    at: Pixel


class RemoveLine(Frozen):
    """Take a line away: the rows or columns on both its sides become one."""

    op: Literal["remove_line"] = "remove_line"
    region_id: str
    axis: Axis
    index: Index


class MergeCells(Frozen):
    """Make the cells of a block of places one."""

    op: Literal["merge_cells"] = "merge_cells"
    region_id: str
    row: Index
    column: Index
    row_span: Annotated[int, Field(ge=1, le=5_000)]
    column_span: Annotated[int, Field(ge=1, le=5_000)]


class PartCell(Frozen):
    """Part a cell that spans several places."""

    op: Literal["part_cell"] = "part_cell"
    region_id: str
    row: Index
    column: Index


class SetHeaders(Frozen):
    """Say how many rows at the head and columns at the left are headers."""

    op: Literal["set_headers"] = "set_headers"
    region_id: str
    rows: Index
    columns: Index


class SetCell(Frozen):
    """Give a cell a text, an empty one too."""

    op: Literal["set_cell"] = "set_cell"
    region_id: str
    row: Index
    column: Index
    text: Lines = Field(max_length=MOST_OF_A_LINE)


ByHand = (
    DrawRegion
    | ShapeRegion
    | TakeOutArea
    | CutRegion
    | MergeRegions
    | RemoveRegions
    | OmitPictures
    | SubstitutePicture
    | ResizePictures
    | SetKind
    | SetRoles
    | ThreadRegions
    | ReadRegions
    | RedactAreas
    | Unredact
)
OnText = JoinWords | BreakLine | JoinLines | InsertLine | PartBlock | SetStyle | SetRunning
OnStructure = NestRegions | TieCaption | SetWordLanguage | SetData
OnTable = FindLines | MoveLine | AddLine | RemoveLine | MergeCells | PartCell | SetHeaders | SetCell
Request = Annotated[
    SetWord
    | AcceptWord
    | SetLine
    | SetText
    | SetRole
    | SetAlternative
    | SetLanguage
    | Move
    | AcceptDoubt
    | OnText
    | OnStructure
    | ByHand
    | OnTable,
    Field(discriminator="op"),
]
