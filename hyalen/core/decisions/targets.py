"""What a request names on a page, and what changes between a line and its new text."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from difflib import SequenceMatcher
from itertools import groupby

from hyalen.core.decisions.ink import Lay
from hyalen.core.decisions.operations import ContentOperation, Insert, Retext
from hyalen.core.decisions.requests import EditError
from hyalen.core.model.content import Line, PageContent, Region, Word


def word_of(content: PageContent, word_id: str) -> Word:
    """The word of that id.

    Raises
    ------
    EditError
        If the page has none.
    """
    for word in content.words:
        if word.id == word_id:
            return word
    raise EditError(f"the page has no word {word_id}")


def region_of(content: PageContent, region_id: str) -> Region:
    """The region of that id.

    Raises
    ------
    EditError
        If the page has none.
    """
    try:
        return content.region(region_id)
    except KeyError:
        raise EditError(f"the page has no region {region_id}") from None


def runs_of(content: PageContent, word_ids: Iterable[str]) -> list[list[Word]]:
    """Words by those that stand side by side in a line, so that a later reading that parts them otherwise finds them.

    Raises
    ------
    EditError
        If the page has not all of them.
    """
    wanted = set(word_ids)
    for each in wanted:
        word_of(content, each)
    runs: list[list[Word]] = []
    for region in content.everything:
        for line in region.all_lines:
            for chosen, group in groupby(line.words, key=lambda word: word.id in wanted):
                if chosen:
                    runs.append(list(group))
    return runs


def retext(line: Line, text: str, lay: Lay) -> Iterator[ContentOperation]:
    """What changes between a line and its new text; words that stay the same are not touched."""
    tokens, old = text.split(), line.words
    matcher = SequenceMatcher(None, [w.text for w in old], tokens, autojunk=False)
    for kind, first, last, start, end in matcher.get_opcodes():
        words = tuple(lay.word(w) for w in old[first:last])
        if kind in ("replace", "delete"):
            yield Retext(words=words, text=" ".join(tokens[start:end]))
        elif kind == "insert":
            yield Insert(
                after=lay.word(old[first - 1]) if first else None,
                before=lay.word(old[first]) if first < len(old) else None,
                text=" ".join(tokens[start:end]),
            )
