"""From what a screen asks for to operations tied to ink, and what they are called."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.decisions.by_hand import by_hand, name_by_hand
from hyalen.core.decisions.by_tagging import by_tagging, name_by_tagging
from hyalen.core.decisions.by_typing import by_typing, name_by_typing
from hyalen.core.decisions.ink import Ink, Lay
from hyalen.core.decisions.operations import (
    AssignLanguage,
    AssignRole,
    Confirm,
    ContentOperation,
    Describe,
    Leave,
    Reorder,
    Retext,
)
from hyalen.core.decisions.requests import (
    AcceptDoubt,
    AcceptWord,
    BreakLine,
    EditError,
    InsertLine,
    JoinLines,
    JoinWords,
    Move,
    NestRegions,
    PartBlock,
    Request,
    SetAlternative,
    SetData,
    SetLanguage,
    SetLine,
    SetRole,
    SetRunning,
    SetStyle,
    SetText,
    SetWord,
    SetWordLanguage,
    TieCaption,
)
from hyalen.core.decisions.targets import region_of, retext, word_of
from hyalen.core.languages import is_language
from hyalen.core.model.content import PageContent
from hyalen.core.model.part import PartRead

SHORT = 24


def decide(content: PageContent, request: Request, lay: Lay, read: Sequence[PartRead] = ()) -> list[ContentOperation]:
    """The operations that a request comes to on this content; none where nothing would change.

    Parameters
    ----------
    content : PageContent
    request : Request
    lay : Lay
    read : sequence of PartRead
        What was read for it, as `wanted` asks.

    Raises
    ------
    EditError
        If the page has no such word, line or region.
    """
    match request:
        case SetWord():
            return [Retext(words=(lay.word(word_of(content, request.word_id)),), text=request.text)]
        case AcceptWord():
            return [Confirm(word=lay.word(word_of(content, request.word_id)))]
        case SetLine():
            lines = region_of(content, request.region_id).all_lines
            if not 0 <= request.line < len(lines):
                raise EditError("the region has no such line")
            return list(retext(lines[request.line], request.text, lay))
        case SetText():
            lines, texts = region_of(content, request.region_id).all_lines, request.text.split("\n")
            if len(texts) != len(lines):
                raise EditError(f"the region has {len(lines)} lines and the text {len(texts)}: keep its line ends")
            return [o for line, text in zip(lines, texts, strict=True) for o in retext(line, text, lay)]
        case SetRole():
            return [AssignRole(region=lay.region(region_of(content, request.region_id)), role=request.role)]
        case SetAlternative():
            region = lay.region(region_of(content, request.region_id))
            return [Describe(region=region, text=request.text.strip(), decorative=request.decorative)]
        case SetLanguage():
            if not is_language(request.language):
                raise EditError(f"There is no language {request.language!r}; languages have three letters (ISO 639-3).")
            return [AssignLanguage(region=lay.region(region_of(content, request.region_id)), language=request.language)]
        case Move():
            return _reorder(content, request, lay)
        case AcceptDoubt():
            return [] if request.key in content.accepted else [leave(content, request.key, lay)]
        case JoinWords() | BreakLine() | JoinLines() | InsertLine() | PartBlock() | SetStyle() | SetRunning():
            return by_typing(content, request, lay)
        case NestRegions() | TieCaption() | SetWordLanguage() | SetData():
            return by_tagging(content, request, lay)
        case _:
            return by_hand(content, request, lay, read)


def name(request: Request, content: PageContent) -> str:
    """What undo calls the change, in words."""
    match request:
        case SetWord():
            before = word_of(content, request.word_id).text
            return (
                f"“{short(before)}” to “{short(request.text)}”"
                if request.text.strip()
                else f"“{short(before)}” taken away"
            )
        case AcceptWord():
            return f"“{short(word_of(content, request.word_id).text)}” is right"
        case SetLine() | SetText():
            return f"text “{short(request.text)}”"
        case SetRole():
            return request.role.value.replace("_", " ")
        case SetAlternative():
            return "decorative picture" if request.decorative else "description"
        case SetLanguage():
            return "language of a block"
        case Move():
            return "reading order"
        case AcceptDoubt():
            return "doubt left as it is"
        case JoinWords() | BreakLine() | JoinLines() | InsertLine() | PartBlock() | SetStyle() | SetRunning():
            return name_by_typing(request, content)
        case NestRegions() | TieCaption() | SetWordLanguage() | SetData():
            return name_by_tagging(request)
        case _:
            return name_by_hand(request)


def short(text: str) -> str:
    text = " ".join(text.split())
    return text if len(text) <= SHORT else text[: SHORT - 1] + "…"


def _reorder(content: PageContent, request: Move, lay: Lay) -> list[ContentOperation]:
    region = region_of(content, request.region_id)
    if region.role.is_artifact:
        raise EditError("an artifact has no place in the reading order")
    if request.before == region.id:
        return []
    rest = [r for r in content.regions if r.id != region.id]
    if request.before is None:
        return [Reorder(region=lay.region(region), before=None)]
    at = next((i for i, r in enumerate(rest) if r.id == request.before), None)
    if at is None:
        raise EditError(f"the page's reading order has no region {request.before}")
    after = lay.region(rest[at - 1]) if at else None
    return [Reorder(region=lay.region(region), before=lay.region(rest[at]), after=after)]


def leave(content: PageContent, key: str, lay: Lay) -> Leave:
    doubt, _, at = key.rpartition(":")
    ink: Ink | None = next((lay.word(w) for w in content.words if w.id == at), None)
    ink = ink or next((lay.region(r) for r in content.everything if r.id == at), None)
    return Leave(doubt=doubt, at=ink) if ink else Leave(doubt=key)
