"""The operations of the journal. Each is kept as it is and replayed; none names an id that a new reading renumbers."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from hyalen.core.decisions.ink import Corners, Ink, InkGrid, InkLine, Places
from hyalen.core.model.content import RegionKind, Role
from hyalen.core.model.document import Abbreviation, BookmarkEntry, LabelRange, Particulars, TextFrom
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Frozen
from hyalen.core.model.treatment import Treatment

# On a page's content: replayed in order over what was read


class Retext(Frozen):
    """Words that stand side by side say this; no text takes them away."""

    op: Literal["retext"] = "retext"
    words: tuple[Ink, ...] = Field(min_length=1)
    text: str


class Insert(Frozen):
    """A text between two words of a line, of which one is enough."""

    op: Literal["insert"] = "insert"
    after: Ink | None
    before: Ink | None
    text: str


class Confirm(Frozen):
    """The ink says what was read."""

    op: Literal["confirm"] = "confirm"
    word: Ink


class AssignRole(Frozen):
    """What a region is for."""

    op: Literal["assign_role"] = "assign_role"
    region: Ink
    role: Role


class Describe(Frozen):
    """A figure's description, or that it is decorative."""

    op: Literal["describe"] = "describe"
    region: Ink
    text: str = ""
    decorative: bool = False


class AssignLanguage(Frozen):
    """Which language a region is in (ISO 639-3)."""

    op: Literal["assign_language"] = "assign_language"
    region: Ink
    language: str


class Reorder(Frozen):
    """A region's place in the reading order: before another, else after one, else last."""

    op: Literal["reorder"] = "reorder"
    region: Ink
    before: Ink | None
    after: Ink | None = None


class Restyle(Frozen):
    """Words are set in a way, or not any more; of one word the letters from `start` up to `end`."""

    op: Literal["restyle"] = "restyle"
    words: tuple[Ink, ...] = Field(min_length=1)
    style: Style
    on: bool = True
    start: int | None = None
    end: int | None = None


class BreakBefore(Frozen):
    """A line ends before a word."""

    op: Literal["break_before"] = "break_before"
    word: Ink


class JoinNext(Frozen):
    """The line of a word goes on with the next one of its block or cell."""

    op: Literal["join_next"] = "join_next"
    word: Ink


class InsertRow(Frozen):
    """A line that was not read; it stands after the line of a word, or before all of the region's."""

    op: Literal["insert_row"] = "insert_row"
    region: Ink
    after: Ink | None
    place: Corners
    text: str


# Regions by hand; what was read for them is kept with them, so that replaying reads nothing


class Draw(Frozen):
    """A new region; the words in its outline are taken from where they were, `lines` are those that were nowhere."""

    op: Literal["draw"] = "draw"
    outline: Places
    kind: RegionKind
    role: Role
    language: str | None = None
    lines: tuple[InkLine, ...] = ()
    grid: InkGrid | None = None


class Reshape(Frozen):
    """A region's other outline; `trimmed` where what is left outside is not to be read."""

    op: Literal["reshape"] = "reshape"
    region: Ink
    outline: Places
    lines: tuple[InkLine, ...] = ()
    trimmed: bool = False


class Merge(Frozen):
    """Several regions become one, the first."""

    op: Literal["merge"] = "merge"
    regions: tuple[Ink, ...] = Field(min_length=2)


class Split(Frozen):
    """A region becomes two along a straight cut between two points."""

    op: Literal["split"] = "split"
    region: Ink
    cut: Places


class Remove(Frozen):
    """A region is no region any more; its ink stays in the picture."""

    op: Literal["remove"] = "remove"
    region: Ink


class Omit(Frozen):
    """A picture is blank in what is delivered, or not any more; the scan keeps it."""

    op: Literal["omit"] = "omit"
    region: Ink
    omitted: bool = True


class Substitute(Frozen):
    """Another image stands where a picture is, by its kept name; "" puts the scan's own back."""

    op: Literal["substitute"] = "substitute"
    region: Ink
    image: str


class Resize(Frozen):
    """A picture's width in office files in inches; None for the one it has on the page."""

    op: Literal["resize"] = "resize"
    region: Ink
    width: float | None


class Recast(Frozen):
    """A region becomes text or a table, with what was read for that."""

    op: Literal["recast"] = "recast"
    region: Ink
    kind: RegionKind
    lines: tuple[InkLine, ...] = ()
    grid: InkGrid | None = None


class Reread(Frozen):
    """A region says what was read in it again; what a person settled in it stays."""

    op: Literal["reread"] = "reread"
    region: Ink
    language: str | None
    lines: tuple[InkLine, ...]


class Thread(Frozen):
    """Regions follow one another in this order, from where the first stands."""

    op: Literal["thread"] = "thread"
    regions: tuple[Ink, ...] = Field(min_length=2)


class Regrid(Frozen):
    """A table's other lines; its words go to the cells that they lie in."""

    op: Literal["regrid"] = "regrid"
    region: Ink
    grid: InkGrid


class Fill(Frozen):
    """A table's cell, by its place, says this."""

    op: Literal["fill"] = "fill"
    region: Ink
    cell: Corners
    text: str


class Nest(Frozen):
    """How deep a list item or an entry of the contents stands, 0 for the outermost."""

    op: Literal["nest"] = "nest"
    region: Ink
    depth: int = Field(ge=0)


class Tie(Frozen):
    """A text is the caption of a picture or table, or of nothing."""

    op: Literal["tie"] = "tie"
    caption: Ink
    to: Ink | None


class SayIn(Frozen):
    """Words are in another language than their block (ISO 639-3)."""

    op: Literal["say_in"] = "say_in"
    words: tuple[Ink, ...] = Field(min_length=1)
    language: str


class ChartData(Frozen):
    """What a chart shows, as rows of which the first is of headers."""

    op: Literal["chart_data"] = "chart_data"
    region: Ink
    rows: tuple[tuple[str, ...], ...]


class Redact(Frozen):
    """An area is taken out of all that is delivered; not any more where `on` is False."""

    op: Literal["redact"] = "redact"
    area: Places
    on: bool = True


class Leave(Frozen):
    """A doubt is left as it is; `at` is the word or region it is about, else the whole page."""

    op: Literal["leave"] = "leave"
    doubt: str
    at: Ink | None = None


class ReadAfresh(Frozen):
    """What was decided on this page before counts no more."""

    op: Literal["read_afresh"] = "read_afresh"


ContentOperation = Annotated[
    Retext
    | Insert
    | Confirm
    | AssignRole
    | Describe
    | AssignLanguage
    | Reorder
    | Draw
    | Reshape
    | Merge
    | Split
    | Remove
    | Omit
    | Substitute
    | Resize
    | Recast
    | Reread
    | Thread
    | Regrid
    | Fill
    | Leave
    | Restyle
    | BreakBefore
    | JoinNext
    | InsertRow
    | Nest
    | Tie
    | SayIn
    | ChartData
    | Redact
    | ReadAfresh,
    Field(discriminator="op"),
]

# Settings: of each kind and page or document, the last one counts


class Treat(Frozen):
    """How a page is cleaned."""

    op: Literal["treat"] = "treat"
    treatment: Treatment


class ReadIn(Frozen):
    """The languages a page or document is read in; a page with None goes with its document."""

    op: Literal["read_in"] = "read_in"
    languages: tuple[str, ...] | None


class TakeTextFrom(Frozen):
    """Whether a page that came with text says that text or what its ink says; "" lets the program decide."""

    op: Literal["take_text_from"] = "take_text_from"
    source: TextFrom = ""


class TakeOut(Frozen):
    """Whether a page is taken out of its document."""

    op: Literal["take_out"] = "take_out"
    out: bool = True


class Arrange(Frozen):
    """The order of a document's pages, by id; those taken out keep their place in it."""

    op: Literal["arrange"] = "arrange"
    order: tuple[int, ...]


class Entitle(Frozen):
    """A document's title."""

    op: Literal["entitle"] = "entitle"
    title: str


class SpeakIn(Frozen):
    """A document's main language (ISO 639-3)."""

    op: Literal["speak_in"] = "speak_in"
    language: str


class ScanBothSides(Frozen):
    """Whether a document's pages are fronts and backs in turn."""

    op: Literal["scan_both_sides"] = "scan_both_sides"
    duplex: bool


class LabelPages(Frozen):
    """What a document's pages are called."""

    op: Literal["label_pages"] = "label_pages"
    ranges: tuple[LabelRange, ...]


class Tell(Frozen):
    """What is told of a document beside its title and language."""

    op: Literal["tell"] = "tell"
    particulars: Particulars


class Abbreviate(Frozen):
    """What a document's abbreviations stand for."""

    op: Literal["abbreviate"] = "abbreviate"
    abbreviations: tuple[Abbreviation, ...]


class SetBookmarks(Frozen):
    """A document's bookmarks; None for its headings alone."""

    op: Literal["set_bookmarks"] = "set_bookmarks"
    bookmarks: tuple[BookmarkEntry, ...] | None


Setting = Annotated[
    LabelPages
    | Tell
    | Abbreviate
    | SetBookmarks
    | Treat
    | ReadIn
    | TakeTextFrom
    | TakeOut
    | Arrange
    | Entitle
    | SpeakIn
    | ScanBothSides,
    Field(discriminator="op"),
]
Operation = Annotated[ContentOperation | Setting, Field(discriminator="op")]

CONTENT_MODELS: tuple[type[Frozen], ...] = (
    Retext, Insert, Confirm, AssignRole, Describe, AssignLanguage, Reorder, Draw, Reshape, Merge, Split, Remove, Omit,
    Substitute, Resize, Recast, Reread, Thread, Regrid, Fill, Leave, Restyle, BreakBefore,
    JoinNext, InsertRow, Nest, Tie, SayIn, ChartData, Redact, ReadAfresh,
)  # fmt: skip
_SETTINGS: tuple[type[Frozen], ...] = (
    Treat,
    ReadIn,
    TakeTextFrom,
    TakeOut,
    Arrange,
    Entitle,
    SpeakIn,
    ScanBothSides,
    LabelPages,
    Tell,
    Abbreviate,
    SetBookmarks,
)
CONTENT_KINDS = tuple(str(model.model_fields["op"].default) for model in CONTENT_MODELS)
_MODELS = {str(model.model_fields["op"].default): model for model in (*CONTENT_MODELS, *_SETTINGS)}


def stored(operation: Operation) -> str:
    """The operation as JSON."""
    return operation.model_dump_json(exclude_defaults=True)


def operation_from(kind: str, value: str) -> Operation:
    """The operation of that kind from its JSON."""
    return _MODELS[kind].model_validate_json(value)  # type: ignore[return-value]
