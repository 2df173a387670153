"""The clerk's changes to a page, as pure functions from content to content."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from difflib import SequenceMatcher
from typing import Annotated, Literal

from pydantic import Field

from hyalen.core.model.content import Line, PageContent, Region, RegionKind, Role, Word, WordState
from hyalen.core.model.geometry import Box, Frozen, union


class EditError(ValueError):
    """A change that this page cannot take; the message says why."""


class SetWord(Frozen):
    """Give a word another text; several words part its box, no text takes it away."""

    op: Literal["set_word"] = "set_word"
    word_id: str
    text: str


class AcceptWord(Frozen):
    """The word is right as it was read."""

    op: Literal["accept_word"] = "accept_word"
    word_id: str


class SetLine(Frozen):
    """Give one line of a region (from 0, over a table's cells too) another text."""

    op: Literal["set_line"] = "set_line"
    region_id: str
    line: int
    text: str


class SetText(Frozen):
    """Give a region's lines another text; the number of lines stays."""

    op: Literal["set_text"] = "set_text"
    region_id: str
    text: str


class SetRole(Frozen):
    """Say what a region is for."""

    op: Literal["set_role"] = "set_role"
    region_id: str
    role: Role


class SetAlternative(Frozen):
    """Describe a figure, or mark it as decorative."""

    op: Literal["set_alternative"] = "set_alternative"
    region_id: str
    text: str = ""
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
    key: str


Operation = Annotated[
    SetWord | AcceptWord | SetLine | SetText | SetRole | SetAlternative | SetLanguage | Move | AcceptDoubt,
    Field(discriminator="op"),
]


def apply(content: PageContent, operation: Operation) -> PageContent:
    """The content after the change.

    Raises
    ------
    EditError
        If the page has no such word or region, or it cannot take the change.
    """
    match operation:
        case SetWord():
            return _set_word(content, operation.word_id, operation.text)
        case AcceptWord():
            return _on_word(content, operation.word_id, lambda w: [w.model_copy(update={"state": WordState.ACCEPTED})])
        case SetLine():
            region = _find(content, operation.region_id)
            lines = list(region.all_lines)
            if not 0 <= operation.line < len(lines):
                raise EditError("the region has no such line")
            lines[operation.line] = retext(lines[operation.line], operation.text, _prefix(content))
            return _replace(content, with_lines(region, lines))
        case SetText():
            return _set_text(content, operation)
        case SetRole():
            return _set_role(content, operation)
        case SetAlternative():
            return _set_alternative(content, operation)
        case SetLanguage():
            region = _find(content, operation.region_id)
            return _replace(content, region.model_copy(update={"language": operation.language}))
        case Move():
            return _move(content, operation)
        case AcceptDoubt():
            if operation.key in content.accepted:
                return content
            return content.model_copy(update={"accepted": (*content.accepted, operation.key)})


def _find(content: PageContent, region_id: str) -> Region:
    try:
        return content.region(region_id)
    except KeyError:
        raise EditError(f"the page has no region {region_id}") from None


def _replace(content: PageContent, changed: Region) -> PageContent:
    def swap(regions: Sequence[Region]) -> tuple[Region, ...]:
        return tuple(changed if r.id == changed.id else r for r in regions)

    return content.model_copy(update={"regions": swap(content.regions), "artifacts": swap(content.artifacts)})


def with_lines(region: Region, lines: Sequence[Line]) -> Region:
    """The region with other lines; in a table they are given back to its cells in order."""
    kept = [line for line in lines if line.words]
    if region.table is None:
        return region.model_copy(update={"lines": tuple(kept)})
    cells, at = [], 0
    for cell in region.table.cells:
        own = lines[at : at + len(cell.lines)]
        at += len(cell.lines)
        cells.append(cell.model_copy(update={"lines": tuple(line for line in own if line.words)}))
    return region.model_copy(update={"table": region.table.model_copy(update={"cells": tuple(cells)})})


def _prefix(content: PageContent) -> Callable[[], str]:
    """Fresh word ids."""
    taken = {word.id for word in content.words}
    number = 0

    def fresh() -> str:
        nonlocal number
        while True:
            number += 1
            if f"e{number}" not in taken:
                taken.add(f"e{number}")
                return f"e{number}"

    return fresh


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


def _corrected(tokens: Sequence[str], old: Sequence[Word], box: Box, fresh: Callable[[], str]) -> list[Word]:
    boxes = [w.box for w in old] if len(old) == len(tokens) else parted(box, tokens)
    words = []
    for i, (token, place) in enumerate(zip(tokens, boxes, strict=True)):
        word_id = old[i].id if i < len(old) else fresh()
        words.append(Word(id=word_id, text=token, box=place, confidence=1.0, state=WordState.CORRECTED))
    return words


def retext(line: Line, text: str, fresh: Callable[[], str]) -> Line:
    """The line with another text: words that stay the same keep their boxes and states."""
    tokens = text.split()
    old = list(line.words)
    words: list[Word] = []
    matcher = SequenceMatcher(None, [w.text for w in old], tokens, autojunk=False)
    for op, first, last, start, end in matcher.get_opcodes():
        if op == "equal":
            words += old[first:last]
        elif op == "replace":
            words += _corrected(tokens[start:end], old[first:last], union(w.box for w in old[first:last]), fresh)
        elif op == "insert":
            words += _corrected(tokens[start:end], [], _gap(line, words, old[first:], end - start), fresh)
    if not words:
        return line.model_copy(update={"words": ()})
    return line.model_copy(update={"words": tuple(words), "box": union(w.box for w in words)})


def _gap(line: Line, before: Sequence[Word], after: Sequence[Word], count: int) -> Box:
    """Where inserted words go: the space between their neighbours, at least a few pixels wide."""
    least = max(4, int(line.height) // 3) * count
    left = before[-1].box.right + 1 if before else max(0, line.box.left - least)
    right = after[0].box.left - 1 if after else left + least * 2
    if right < left:  # right-to-left neighbours
        left, right = right, left
    return Box(left, line.box.top, max(right, left + least), line.box.bottom)


def _on_word(content: PageContent, word_id: str, change: Callable[[Word], list[Word]]) -> PageContent:
    for region in content.everything:
        lines = list(region.all_lines)
        for i, line in enumerate(lines):
            for j, word in enumerate(line.words):
                if word.id == word_id:
                    words = (*line.words[:j], *change(word), *line.words[j + 1 :])
                    box = union(w.box for w in words) if words else line.box
                    lines[i] = line.model_copy(update={"words": words, "box": box})
                    return _replace(content, with_lines(region, lines))
    raise EditError(f"the page has no word {word_id}")


def _set_word(content: PageContent, word_id: str, text: str) -> PageContent:
    tokens, fresh = text.split(), _prefix(content)
    return _on_word(content, word_id, lambda w: _corrected(tokens, [w], w.box, fresh))


def _set_text(content: PageContent, operation: SetText) -> PageContent:
    region = _find(content, operation.region_id)
    texts = operation.text.split("\n")
    lines = list(region.all_lines)
    if len(texts) != len(lines):
        raise EditError(f"the region has {len(lines)} lines and the text {len(texts)}: keep its line ends")
    fresh = _prefix(content)
    changed = [
        line if line.text == text else retext(line, text, fresh) for line, text in zip(lines, texts, strict=True)
    ]
    return _replace(content, with_lines(region, changed))


_FIGURE_ROLES = {Role.FIGURE, Role.ARTIFACT}
_TABLE_ROLES = {Role.TABLE, Role.ARTIFACT}


def _set_role(content: PageContent, operation: SetRole) -> PageContent:
    region = _find(content, operation.region_id)
    role = operation.role
    if region.kind is RegionKind.FIGURE and role not in _FIGURE_ROLES and not region.lines:
        raise EditError("a picture without text can only be a figure or an artifact")
    if region.kind is RegionKind.TABLE and role not in _TABLE_ROLES:
        raise EditError("a table can only be a table or an artifact")
    if region.kind is RegionKind.TEXT and role is Role.TABLE:
        raise EditError("a text without a grid cannot be a table")
    kind = region.kind
    if region.kind is RegionKind.TEXT and role is Role.FIGURE:
        kind = RegionKind.FIGURE
    elif region.kind is RegionKind.FIGURE and role not in _FIGURE_ROLES:
        kind = RegionKind.TEXT
    changed = region.model_copy(
        update={"role": role, "kind": kind, "drawn": True, "confidence": 1.0, "reason": "set by hand"}
    )
    return _placed(content, changed)


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


def _set_alternative(content: PageContent, operation: SetAlternative) -> PageContent:
    region = _find(content, operation.region_id)
    if region.kind is not RegionKind.FIGURE:
        raise EditError("only a figure has a description")
    changed = region.model_copy(
        update={
            "alternative_text": operation.text.strip() or None,
            "role": Role.ARTIFACT if operation.decorative else Role.FIGURE,
            "drawn": True,
        }
    )
    return _placed(content, changed)


def _move(content: PageContent, operation: Move) -> PageContent:
    region = _find(content, operation.region_id)
    if region.role.is_artifact:
        raise EditError("an artifact has no place in the reading order")
    if operation.before == region.id:
        return content
    rest = [r for r in content.regions if r.id != region.id]
    if operation.before is None:
        at = len(rest)
    else:
        ids = [r.id for r in rest]
        if operation.before not in ids:
            raise EditError(f"the page's reading order has no region {operation.before}")
        at = ids.index(operation.before)
    return content.model_copy(update={"regions": (*rest[:at], region, *rest[at:])})
