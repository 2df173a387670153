"""What a screen asks for: changes that name regions and words by the ids of the page revision they are made on."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from hyalen.core.model.content import Role
from hyalen.core.model.geometry import Frozen
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


Request = Annotated[
    SetWord | AcceptWord | SetLine | SetText | SetRole | SetAlternative | SetLanguage | Move | AcceptDoubt,
    Field(discriminator="op"),
]
