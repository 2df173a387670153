"""The operations of the journal. Each is kept as it is and replayed; none names an id that a new reading renumbers."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from hyalen.core.decisions.ink import Ink
from hyalen.core.model.content import Role
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


class Leave(Frozen):
    """A doubt is left as it is; `at` is the word or region it is about, else the whole page."""

    op: Literal["leave"] = "leave"
    doubt: str
    at: Ink | None = None


class ReadAfresh(Frozen):
    """What was decided on this page before counts no more."""

    op: Literal["read_afresh"] = "read_afresh"


ContentOperation = Annotated[
    Retext | Insert | Confirm | AssignRole | Describe | AssignLanguage | Reorder | Leave | ReadAfresh,
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


Setting = Annotated[Treat | ReadIn | TakeOut | Arrange | Entitle | SpeakIn | ScanBothSides, Field(discriminator="op")]
Operation = Annotated[ContentOperation | Setting, Field(discriminator="op")]

CONTENT_MODELS: tuple[type[Frozen], ...] = (
    Retext, Insert, Confirm, AssignRole, Describe, AssignLanguage, Reorder, Leave, ReadAfresh,
)  # fmt: skip
_SETTINGS: tuple[type[Frozen], ...] = (Treat, ReadIn, TakeOut, Arrange, Entitle, SpeakIn, ScanBothSides)
CONTENT_KINDS = tuple(str(model.model_fields["op"].default) for model in CONTENT_MODELS)
_MODELS = {str(model.model_fields["op"].default): model for model in (*CONTENT_MODELS, *_SETTINGS)}


def stored(operation: Operation) -> str:
    """The operation as JSON."""
    return operation.model_dump_json(exclude_defaults=True)


def operation_from(kind: str, value: str) -> Operation:
    """The operation of that kind from its JSON."""
    return _MODELS[kind].model_validate_json(value)  # type: ignore[return-value]
