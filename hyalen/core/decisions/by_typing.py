"""From what is typed at words and lines to operations, and what they are called."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.lines import place_beneath
from hyalen.core.decisions.operations import (
    BreakBefore,
    ContentOperation,
    InsertRow,
    JoinNext,
    Restyle,
    Retext,
    Split,
)
from hyalen.core.decisions.requests import (
    BreakLine,
    EditError,
    InsertLine,
    JoinLines,
    JoinWords,
    OnText,
    PartBlock,
    SetRunning,
    SetStyle,
)
from hyalen.core.decisions.running import rewording
from hyalen.core.decisions.targets import region_of, runs_of, word_of
from hyalen.core.model.content import Line, PageContent, Word
from hyalen.core.model.geometry import Box

BETWEEN = 0.35  # of the way from a baseline to the next, where a cut goes clear of both lines' letters
BEYOND = 10  # pixels that a cut goes beyond a block's sides


def by_typing(content: PageContent, request: OnText, lay: Lay) -> list[ContentOperation]:
    """The operations that a change of words or lines comes to; see `decide`."""
    match request:
        case JoinWords():
            words = _side_by_side(content, request.word_ids)
            return [Retext(words=tuple(lay.word(w) for w in words), text="".join(w.text for w in words))]
        case BreakLine():
            word = word_of(content, request.word_id)
            return [] if _line_of(content, word).words[0].id == word.id else [BreakBefore(word=lay.word(word))]
        case JoinLines():
            return [JoinNext(word=lay.word(word_of(content, request.word_id)))]
        case InsertLine():
            return [_insert(content, request, lay)]
        case PartBlock():
            return [_part(content, request, lay)]
        case SetStyle():
            return _restyle(content, request, lay)
        case SetRunning():
            return rewording(content, region_of(content, request.region_id), request.text, lay)


def name_by_typing(request: OnText, content: PageContent) -> str:
    """What undo calls the change."""
    match request:
        case JoinWords():
            return f"“{' '.join(word_of(content, i).text for i in request.word_ids)[:40]}” made one word"
        case BreakLine():
            return "line parted"
        case JoinLines():
            return "lines joined"
        case InsertLine():
            return "line put in"
        case PartBlock():
            return "block parted"
        case SetStyle():
            return f"{request.style.value.replace('_', ' ')}{'' if request.on else ' taken off'}"
        case SetRunning():
            return "text of a block"


def _line_of(content: PageContent, word: Word) -> Line:
    return next(line for r in content.everything for line in r.all_lines if any(w.id == word.id for w in line.words))


def _side_by_side(content: PageContent, ids: Sequence[str]) -> list[Word]:
    line = _line_of(content, word_of(content, ids[0]))
    places = [i for i, w in enumerate(line.words) if w.id in set(ids)]
    if len(places) != len(set(ids)) or places != list(range(places[0], places[0] + len(places))):
        raise EditError("only words that stand side by side in a line can be made one")
    return [line.words[i] for i in places]


def _insert(content: PageContent, request: InsertLine, lay: Lay) -> InsertRow:
    region = region_of(content, request.region_id)
    if region.table is not None or region.kind.is_picture:
        raise EditError("a line can be put into a text; of a table type into its cells")
    if request.after >= len(region.lines):
        raise EditError("the region has no such line")
    if not request.text.split():
        raise EditError("a line has words")
    place = _box(content, request.box) if request.box else place_beneath(content, region, request.after)
    after = region.lines[request.after].words[0] if request.after >= 0 and region.lines else None
    return InsertRow(
        region=lay.region(region), after=lay.word(after) if after else None, place=lay.corners(place), text=request.text
    )


def _box(content: PageContent, told: tuple[float, float, float, float]) -> Box:
    """A box as it was drawn, kept within the page.

    Raises
    ------
    EditError
        If hardly anything is left of it.
    """
    left, right = sorted((round(told[0]), round(told[2])))
    top, bottom = sorted((round(told[1]), round(told[3])))
    box = Box(max(0, left), max(0, top), min(content.width, right), min(content.height, bottom))
    if box.width < 4 or box.height < 4:
        raise EditError("the place of the line is too small, or beside the page")
    return box


def _part(content: PageContent, request: PartBlock, lay: Lay) -> Split:
    """A cut clear of both lines, as slanting as they are."""
    region = region_of(content, request.region_id)
    if region.table is not None or region.kind.is_picture:
        raise EditError("only a text can be parted between its lines; cut a table or picture on the sheet")
    if not 0 < request.line < len(region.lines):
        raise EditError("a block cannot begin before its first line or after its last")
    upper, lower = region.lines[request.line - 1], region.lines[request.line]
    sides = (region.box.left - BEYOND, region.box.right + BEYOND)
    ends = [(x, upper.level_at(x) + BETWEEN * (lower.level_at(x) - upper.level_at(x))) for x in sides]
    return Split(region=lay.region(region), cut=lay.places(ends))


def _restyle(content: PageContent, request: SetStyle, lay: Lay) -> list[ContentOperation]:
    return [
        Restyle(
            words=tuple(map(lay.word, run)), style=request.style, on=request.on, start=request.start, end=request.end
        )
        for run in runs_of(content, request.word_ids)
    ]
