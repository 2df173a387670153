"""What decisions do to words."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import count

from hyalen.core.decisions.finding import Unplaced, WordSpan, find_words
from hyalen.core.decisions.ink import Ink, Lay
from hyalen.core.decisions.operations import Insert, Retext
from hyalen.core.model.content import Line, PageContent, Region, Word, WordState
from hyalen.core.model.geometry import Box, union


def fresh_words(content: PageContent) -> Iterator[str]:
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


def written(tokens: Sequence[str], old: Sequence[Word], box: Box, fresh: Iterator[str]) -> list[Word]:
    boxes = [w.box for w in old] if len(old) == len(tokens) else parted(box, tokens)
    words = []
    for i, (token, place) in enumerate(zip(tokens, boxes, strict=True)):
        word_id = old[i].id if i < len(old) else next(fresh)
        was = old[min(i, len(old) - 1)] if old else None
        kept: dict[str, object] = {"style": was.style, "colour": was.colour, "link": was.link} if was else {}
        if was is not None and len(was.text) == len(token):  # a raised or lowered letter stays one
            kept["parts"] = was.parts
        words.append(Word(id=word_id, text=token, box=place, confidence=1.0, state=WordState.CORRECTED, **kept))  # type: ignore[arg-type]
    return words


def put(content: PageContent, span: WordSpan, words: Sequence[Word]) -> PageContent:
    """Other words in a span's stead."""
    lines = list(span.region.all_lines)
    line = lines[span.line]
    now = (*line.words[: span.first], *words, *line.words[span.last :])
    box = union(w.box for w in now) if now else line.box
    lines[span.line] = line.model_copy(update={"words": now, "box": box})
    return replaced(content, with_lines(span.region, lines))


def retext(content: PageContent, operation: Retext, lay: Lay) -> PageContent:
    tokens = operation.text.split()
    try:
        span = find_words(content, operation.words, lay)
    except Unplaced:
        if not tokens:
            return content  # what was to go is not there
        raise
    words = written(tokens, span.words, union(w.box for w in span.words), fresh_words(content)) if tokens else []
    return put(content, span, words)


def insert(content: PageContent, operation: Insert, lay: Lay) -> PageContent:
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
    words = written(tokens, there, box, fresh_words(content))
    return put(content, WordSpan(place.region, place.line, first, last), words)


def _found(content: PageContent, ink: Ink | None, lay: Lay) -> WordSpan | None:
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


def confirm(content: PageContent, ink: Ink, lay: Lay) -> PageContent:
    span = find_words(content, (ink,), lay)
    if " ".join(w.text for w in span.words) == ink.text:
        return put(content, span, [w.model_copy(update={"state": WordState.ACCEPTED}) for w in span.words])
    words = written(ink.text.split(), span.words, union(w.box for w in span.words), fresh_words(content))
    return put(content, span, [w.model_copy(update={"state": WordState.ACCEPTED}) for w in words])


def replaced(content: PageContent, changed: Region) -> PageContent:
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
