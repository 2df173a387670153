"""A block's text as it runs, over line ends and hyphens, given another wording."""

from __future__ import annotations

import re
from collections.abc import Iterator
from difflib import SequenceMatcher
from typing import NamedTuple

from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import ContentOperation, Insert
from hyalen.core.decisions.replacing import Replaced, replacing
from hyalen.core.decisions.requests import EditError
from hyalen.core.model.content import PageContent, Region
from hyalen.core.proofing.search import Passage, Span, passages


class _Token(NamedTuple):
    text: str
    start: int
    end: int
    words: tuple[Span, ...]


def rewording(content: PageContent, region: Region, text: str, lay: Lay) -> list[ContentOperation]:
    """What changes between a text as it runs and another; words that stay the same are not touched.

    Raises
    ------
    EditError
        If the region is no text with words.
    """
    if region.table is not None or region.kind.is_picture:
        raise EditError("only a text can be written as it runs; of a table type into its cells")
    told = passages(region, region.language or next(iter(content.languages), "eng"))
    if not told:
        raise EditError("the block has no words; put a line in on the sheet")
    passage = told[0]
    old, new = _tokens(passage), text.split()
    words = {w.id: w for w in region.words}
    replaced: list[Replaced] = []
    inserted: list[ContentOperation] = []
    matcher = SequenceMatcher(None, [t.text for t in old], new, autojunk=False)
    for kind, first, last, start, end in matcher.get_opcodes():
        if kind == "insert":
            before = old[first - 1].words[-1] if first else None
            after = old[first].words[0] if first < len(old) else None
            inserted.append(
                Insert(
                    after=lay.word(words[before.word_id]) if before else None,
                    before=lay.word(words[after.word_id]) if after else None,
                    text=" ".join(new[start:end]),
                )
            )
        elif kind != "equal":
            replaced += _changed(old[first:last], new[start:end])
    return [*replacing(content, passage.text, replaced, lay), *inserted]


def _changed(old: list[_Token], new: list[str]) -> Iterator[Replaced]:
    """Word by word where there are as many, else all at once."""
    if len(old) == len(new):
        for token, text in zip(old, new, strict=True):
            yield Replaced(token.start, token.end, token.words, text)
    else:
        words = tuple(span for token in old for span in token.words)
        yield Replaced(old[0].start, old[-1].end, words, " ".join(new))


def _tokens(passage: Passage) -> list[_Token]:
    """The passage between its spaces; a word that a line's end has parted is one."""
    found = []
    for match in re.finditer(r"\S+", passage.text):
        start, end = match.span()
        words = tuple(s for s in passage.spans if s.start < end and start < s.end)
        found.append(_Token(match.group(), start, end, words))
    return found
