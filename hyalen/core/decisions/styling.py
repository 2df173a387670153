"""How words are set: bold, raised, in small capitals and so on, whole or in part."""

from __future__ import annotations

from hyalen.core.decisions.finding import find_words
from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import Restyle
from hyalen.core.decisions.wording import put
from hyalen.core.model.content import PageContent, Part, Word
from hyalen.core.model.found import Style

_ONE_OF = ({Style.SUPERSCRIPT, Style.SUBSCRIPT}, {Style.SMALLER, Style.LARGER})


def restyle(content: PageContent, operation: Restyle, lay: Lay) -> PageContent:
    span = find_words(content, operation.words, lay)
    style, on = operation.style, operation.on
    if operation.start is None or operation.end is None or len(span.words) != 1:
        return put(content, span, [_whole(word, style, on) for word in span.words])
    word = span.words[0]
    start, end = max(0, operation.start), min(len(word.text), operation.end)
    if start >= end:
        return content
    return put(content, span, [_in_part(word, style, on, start, end)])


def _whole(word: Word, style: Style, on: bool) -> Word:
    apart = _apart(style)
    styles = {s for s in word.style if s is not style and not (on and s in apart)}
    parts = tuple(p for p in word.parts if p.style is not style and not (on and p.style in apart))
    told = tuple(sorted(styles | {style})) if on else tuple(sorted(styles))
    return word.model_copy(update={"style": told, "parts": parts})


def _in_part(word: Word, style: Style, on: bool, start: int, end: int) -> Word:
    if start == 0 and end == len(word.text):
        return _whole(word, style, on)
    rest = [p for part in word.parts for p in _without(part, start, end)]
    if on:
        return word.model_copy(update={"parts": tuple(sorted([*rest, Part(start, end, style)]))})
    if style not in word.style:
        return word.model_copy(update={"parts": tuple(rest)})
    bare = _whole(word.model_copy(update={"parts": tuple(rest)}), style, on=False)
    kept = [Part(a, b, style) for a, b in ((0, start), (end, len(word.text))) if a < b]
    others = [p for part in rest for p in _clear_of(part, kept)]
    return bare.model_copy(update={"parts": tuple(sorted([*others, *kept]))})


def _clear_of(part: Part, kept: list[Part]) -> list[Part]:
    left = [part]
    for each in kept:
        left = [p for one in left for p in _without(one, each.start, each.end)]
    return left


def _without(part: Part, start: int, end: int) -> list[Part]:
    """What is left of a part outside some letters."""
    sides = (part._replace(end=min(part.end, start)), part._replace(start=max(part.start, end)))
    return [side for side in sides if side.start < side.end]


def _apart(style: Style) -> set[Style]:
    """Ways of setting that exclude this one."""
    return next((each - {style} for each in _ONE_OF if style in each), set())
