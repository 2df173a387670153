"""A page's content: operations replayed over what was read."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import count
from typing import NamedTuple

from rapidfuzz import fuzz

from hyalen.core.decisions.ink import Ink, Lay, each_line
from hyalen.core.decisions.operations import (
    AssignLanguage,
    AssignRole,
    Confirm,
    ContentOperation,
    Describe,
    Insert,
    Leave,
    ReadAfresh,
    Reorder,
    Retext,
)
from hyalen.core.decisions.requests import EditError
from hyalen.core.model.content import Line, PageContent, Region, RegionKind, Role, Word, WordState
from hyalen.core.model.geometry import Box, union

SAME_WORD = 0.6  # of a word's area under the ink, and of the ink's under words
SAME_REGION = 0.5  # intersection over union
SAME_TEXT = 85.0  # per cent of likeness at which two texts are one
LEAST_SHARED = 0.3  # of the smaller area that two regions of one text share


class Unplaced(EditError):
    """The ink that a decision is about is not on the page any more."""


class Replayed(NamedTuple):
    """`unplaced` are the places in the sequence of operations whose ink was not found."""

    content: PageContent
    unplaced: tuple[int, ...]


def replay(reading: PageContent, operations: Sequence[ContentOperation], lay: Lay) -> Replayed:
    """What a page says after its operations, in order; one that finds no place is told and passed over."""
    content, unplaced = reading, list[int]()
    for at, operation in enumerate(operations):
        if isinstance(operation, ReadAfresh):
            content, unplaced = reading, []
            continue
        try:
            content = perform(content, operation, lay)
        except EditError:
            unplaced.append(at)
    return Replayed(content, tuple(unplaced))


def perform(content: PageContent, operation: ContentOperation, lay: Lay) -> PageContent:
    """The content after one operation.

    Raises
    ------
    Unplaced
        If its ink is not there.
    EditError
        If what is there cannot take the change.
    """
    match operation:
        case Retext():
            return _retext(content, operation, lay)
        case Insert():
            return _insert(content, operation, lay)
        case Confirm():
            return _confirm(content, operation.word, lay)
        case AssignRole():
            return _assign_role(content, find_region(content, operation.region, lay), operation.role)
        case Describe():
            return _describe(content, find_region(content, operation.region, lay), operation)
        case AssignLanguage():
            region = find_region(content, operation.region, lay)
            return _replace(content, region.model_copy(update={"language": operation.language}))
        case Reorder():
            return _reorder(content, operation, lay)
        case Leave():
            return _leave(content, operation, lay)
        case ReadAfresh():
            return content


# Finding ink


class _Span(NamedTuple):
    """Words `first` to `last` (excluded) of a region's line."""

    region: Region
    line: int
    first: int
    last: int

    @property
    def words(self) -> tuple[Word, ...]:
        return self.region.all_lines[self.line].words[self.first : self.last]


def find_words(content: PageContent, inks: Sequence[Ink], lay: Lay) -> _Span:
    """The words of one line that stand on the ink, however a new reading parts them.

    Raises
    ------
    Unplaced
        If there are none.
    """
    boxes = [lay.box(ink.place) for ink in inks]
    texts = [ink.text for ink in inks]
    lines = each_line(content)
    for region, at, line in lines:
        for first, word in enumerate(line.words):
            if word.box == boxes[0] and word.text == texts[0]:
                found = line.words[first : first + len(boxes)]
                if [w.box for w in found] == boxes and [w.text for w in found] == texts:
                    return _Span(region, at, first, first + len(boxes))
    whole = union(boxes)
    best, span = 0.0, None
    for region, at, line in lines:
        if line.box.overlap(whole) == 0:
            continue
        under = [i for i, w in enumerate(line.words) if whole.covers(w.box, SAME_WORD)]
        if not under:
            continue
        shared = sum(whole.overlap(line.words[i].box) for i in under)
        if shared > best:
            best, span = shared, _Span(region, at, under[0], under[-1] + 1)
    if span is None or best < SAME_WORD * sum(b.area for b in boxes):
        raise Unplaced(f"“{' '.join(texts)}” is not there any more")
    return span


def find_region(content: PageContent, ink: Ink, lay: Lay) -> Region:
    """The region that stands on the ink.

    Raises
    ------
    Unplaced
        If there is none that is nearly the same.
    """
    box = lay.box(ink.place)

    def likeness(region: Region) -> tuple[bool, float, bool, float]:
        same_text = fuzz.ratio(region.text[: len(ink.text) or 1], ink.text)
        return region.box == box, round(_shared(region.box, box), 2), region.kind is ink.kind, same_text

    best = max(content.everything, key=likeness, default=None)
    if best is not None:
        _, shared, same_kind, same_text = likeness(best)
        if shared >= SAME_REGION or (shared >= LEAST_SHARED and same_kind and ink.text and same_text >= SAME_TEXT):
            return best
    raise Unplaced("the block is not there any more")


def _shared(a: Box, b: Box) -> float:
    """Intersection over union."""
    common = a.overlap(b)
    whole = a.area + b.area - common
    return common / whole if whole else 0.0


# Text


def _fresh(content: PageContent) -> Iterator[str]:
    """Word ids that the page does not have yet."""
    taken: set[str] | None = None
    for number in count(1):
        if taken is None:  # looked for when the first is wanted: most changes want none
            taken = {word.id for word in content.words}
        if f"e{number}" not in taken:
            yield f"e{number}"


def parted(box: Box, tokens: Sequence[str]) -> list[Box]:
    """The box cut into one for each token, by length, with a letter's space between."""
    length = sum(len(t) for t in tokens) + len(tokens) - 1
    boxes, at = [], 0
    for token in tokens:
        left = box.left + box.width * at // length
        at += len(token)
        boxes.append(Box(left, box.top, max(left + 1, box.left + box.width * at // length), box.bottom))
        at += 1
    return boxes


def _written(tokens: Sequence[str], old: Sequence[Word], box: Box, fresh: Iterator[str]) -> list[Word]:
    boxes = [w.box for w in old] if len(old) == len(tokens) else parted(box, tokens)
    words = []
    for i, (token, place) in enumerate(zip(tokens, boxes, strict=True)):
        word_id = old[i].id if i < len(old) else next(fresh)
        style = old[min(i, len(old) - 1)].style if old else ()
        words.append(Word(id=word_id, text=token, box=place, confidence=1.0, state=WordState.CORRECTED, style=style))
    return words


def _put(content: PageContent, span: _Span, words: Sequence[Word]) -> PageContent:
    """Other words in a span's stead."""
    lines = list(span.region.all_lines)
    line = lines[span.line]
    now = (*line.words[: span.first], *words, *line.words[span.last :])
    box = union(w.box for w in now) if now else line.box
    lines[span.line] = line.model_copy(update={"words": now, "box": box})
    return _replace(content, with_lines(span.region, lines))


def _retext(content: PageContent, operation: Retext, lay: Lay) -> PageContent:
    tokens = operation.text.split()
    try:
        span = find_words(content, operation.words, lay)
    except Unplaced:
        if not tokens:
            return content  # what was to go is not there
        raise
    words = _written(tokens, span.words, union(w.box for w in span.words), _fresh(content)) if tokens else []
    return _put(content, span, words)


def _insert(content: PageContent, operation: Insert, lay: Lay) -> PageContent:
    """Between the two words; what a new reading found between them is what was inserted."""
    after = _found(content, operation.after, lay)
    before = _found(content, operation.before, lay)
    if after is None and before is None:
        raise Unplaced(f"the place of “{operation.text}” is not there any more")
    if after is not None and before is not None and (after.region.id, after.line) != (before.region.id, before.line):
        before = None
    place = after or before
    assert place is not None
    line = place.region.all_lines[place.line]
    first = after.last if after is not None else before.first if before is not None else 0
    last = before.first if before is not None and before.first >= first else first
    tokens = operation.text.split()
    there = line.words[first:last]
    box = union(w.box for w in there) if there else _gap(line, first, len(tokens))
    words = _written(tokens, there, box, _fresh(content))
    return _put(content, _Span(place.region, place.line, first, last), words)


def _found(content: PageContent, ink: Ink | None, lay: Lay) -> _Span | None:
    if ink is None:
        return None
    try:
        return find_words(content, (ink,), lay)
    except Unplaced:
        return None


def _gap(line: Line, at: int, count: int) -> Box:
    """Where inserted words go: the space between their neighbours, at least a few pixels wide."""
    before, after = line.words[:at], line.words[at:]
    least = max(4, int(line.height) // 3) * count
    left = before[-1].box.right + 1 if before else max(0, line.box.left - least)
    right = after[0].box.left - 1 if after else left + least * 2
    if right < left:  # right-to-left neighbours
        left, right = right, left
    return Box(left, line.box.top, max(right, left + least), line.box.bottom)


def _confirm(content: PageContent, ink: Ink, lay: Lay) -> PageContent:
    span = find_words(content, (ink,), lay)
    if " ".join(w.text for w in span.words) == ink.text:
        return _put(content, span, [w.model_copy(update={"state": WordState.ACCEPTED}) for w in span.words])
    words = _written(ink.text.split(), span.words, union(w.box for w in span.words), _fresh(content))
    return _put(content, span, [w.model_copy(update={"state": WordState.ACCEPTED}) for w in words])


# Regions


def _replace(content: PageContent, changed: Region) -> PageContent:
    def swap(regions: Sequence[Region]) -> tuple[Region, ...]:
        return tuple(changed if r.id == changed.id else r for r in regions)

    return content.model_copy(update={"regions": swap(content.regions), "artifacts": swap(content.artifacts)})


def with_lines(region: Region, lines: Sequence[Line]) -> Region:
    """The region with other lines; in a table they are given back to its cells in order."""
    if region.table is None:
        return region.model_copy(update={"lines": tuple(line for line in lines if line.words)})
    cells, at = [], 0
    for cell in region.table.cells:
        own = lines[at : at + len(cell.lines)]
        at += len(cell.lines)
        cells.append(cell.model_copy(update={"lines": tuple(line for line in own if line.words)}))
    return region.model_copy(update={"table": region.table.model_copy(update={"cells": tuple(cells)})})


_PICTURE_KINDS = {Role.FIGURE: RegionKind.FIGURE, Role.FORMULA: RegionKind.FORMULA}
_PICTURE_ROLES = {*_PICTURE_KINDS, Role.ARTIFACT}
_TABLE_ROLES = {Role.TABLE, Role.ARTIFACT}


def roles_for(kind: RegionKind) -> tuple[Role, ...]:
    """The roles that a region of this kind can be given."""
    if kind is RegionKind.FIGURE:
        return tuple(r for r in Role if r in _PICTURE_ROLES)
    if kind is RegionKind.TABLE:
        return tuple(r for r in Role if r in _TABLE_ROLES)
    return tuple(r for r in Role if r is not Role.TABLE)


def _assign_role(content: PageContent, region: Region, role: Role) -> PageContent:
    if region.kind.is_picture and role not in _PICTURE_ROLES and not region.lines:
        raise EditError("a picture without text can only be a figure, a formula or an artifact")
    if region.kind is RegionKind.TABLE and role not in _TABLE_ROLES:
        raise EditError("a table can only be a table or an artifact")
    if region.kind is RegionKind.TEXT and role is Role.TABLE:
        raise EditError("a text without a grid cannot be a table")
    kind, described = region.kind, region.alternative_text
    if role in _PICTURE_KINDS:
        kind = _PICTURE_KINDS[role]
        # What was read in it would be lost to every format otherwise.
        described = described or " ".join(region.text.split()) or None
    elif region.kind.is_picture and role not in _PICTURE_ROLES:
        kind = RegionKind.TEXT
    update = {
        "role": role,
        "kind": kind,
        "alternative_text": described,
        "drawn": True,
        "confidence": 1.0,
        "reason": "set by hand",
    }
    return _placed(content, region.model_copy(update=update))


def _placed(content: PageContent, region: Region) -> PageContent:
    """The region among the regions or the artifacts, as its role says, at its place in height."""
    content = _replace(content, region)
    is_artifact = region.id in {a.id for a in content.artifacts}
    if is_artifact == region.role.is_artifact:
        return content
    if region.role.is_artifact:
        regions = tuple(r for r in content.regions if r.id != region.id)
        return content.model_copy(update={"regions": regions, "artifacts": (*content.artifacts, region)})
    artifacts = tuple(a for a in content.artifacts if a.id != region.id)
    at = next((i for i, r in enumerate(content.regions) if r.box.top > region.box.top), len(content.regions))
    regions = (*content.regions[:at], region, *content.regions[at:])
    return content.model_copy(update={"regions": regions, "artifacts": artifacts})


def _describe(content: PageContent, region: Region, operation: Describe) -> PageContent:
    if not region.kind.is_picture:
        raise EditError("only a figure or a formula has a description")
    own = next(role for role, kind in _PICTURE_KINDS.items() if kind is region.kind)
    changed = region.model_copy(
        update={
            "alternative_text": operation.text or None,
            "role": Role.ARTIFACT if operation.decorative else own,
            "drawn": True,
        }
    )
    return _placed(content, changed)


def _reorder(content: PageContent, operation: Reorder, lay: Lay) -> PageContent:
    region = find_region(content, operation.region, lay)
    if region.role.is_artifact:
        raise EditError("an artifact has no place in the reading order")
    rest = [r for r in content.regions if r.id != region.id]
    order = {r.id: i for i, r in enumerate(rest)}
    at = len(rest)
    if operation.before is not None:
        near = _in_order(content, operation.before, order, lay)
        if near is None:
            before = _in_order(content, operation.after, order, lay)
            if before is None:
                raise Unplaced("the block that it was put before is not there any more")
            near = before + 1
        at = near
    return content.model_copy(update={"regions": (*rest[:at], region, *rest[at:]), "near_ties": ()})


def _in_order(content: PageContent, ink: Ink | None, order: dict[str, int], lay: Lay) -> int | None:
    if ink is None:
        return None
    try:
        return order.get(find_region(content, ink, lay).id)
    except Unplaced:
        return None


def _leave(content: PageContent, operation: Leave, lay: Lay) -> PageContent:
    key = operation.doubt
    if operation.at is not None:
        if operation.at.kind is None:
            key += f":{find_words(content, (operation.at,), lay).words[0].id}"
        else:
            key += f":{find_region(content, operation.at, lay).id}"
    if key in content.accepted:
        return content
    return content.model_copy(update={"accepted": (*content.accepted, key)})
