"""The words of a page that are proofed, with where they stand."""

from __future__ import annotations

from itertools import pairwise
from typing import NamedTuple

from hyalen.core.model.content import Line, PageContent, Region, RegionKind, Role, Word

EDGE = ".,;:!?()[]{}«»\"'“”„‘’‚‹›…—–-*†‡§`´|_~،؛؟״׳"
HYPHENS = "-‐¬\u00ad"


class Placed(NamedTuple):
    """A word with where it stands."""

    word: Word
    region: Region
    line: Line
    at: int


def core_of(text: str) -> str:
    """A word without the marks around it."""
    return text.strip(EDGE)


def proofed_words(content: PageContent) -> list[Placed]:
    """The words that are proofed, which are all but those of artifacts and formulas."""
    return [
        Placed(word, region, line, at)
        for region in content.everything
        if region.role is not Role.ARTIFACT and region.kind is not RegionKind.FORMULA
        for line in region.all_lines
        for at, word in enumerate(line.words)
    ]


def main_language(content: PageContent) -> str:
    """The language of blocks that say none."""
    return content.languages[0] if content.languages else "eng"


def whole_words(words: list[Placed]) -> list[str]:
    """Each word's text; of one that a line's end has parted, that of both its parts."""
    whole = [p.word.text for p in words]
    for i, (first, second) in enumerate(pairwise(words)):
        text = first.word.text
        parted = second.at == 0 and first.at + 1 == len(first.line.words) and first.region is second.region
        if parted and len(text) > 2 and text[-1] in HYPHENS and text[-2].isalpha() and second.word.text[0].isalpha():
            whole[i] = whole[i + 1] = text[:-1] + second.word.text
    return whole
