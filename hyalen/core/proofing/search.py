"""Looking for text: what is sought, folded so that accents and case count only where they are meant to, and where it stands."""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator, Sequence
from enum import StrEnum
from functools import lru_cache
from typing import Any, NamedTuple

import regex as re

from hyalen.core.model.content import Line, Region
from hyalen.core.model.geometry import Box, Frozen
from hyalen.core.structure.flow import LineEnd, line_end

TATWEEL = "\u0640"  # stretches an Arabic word and is no letter
MOST_OF_A_PATTERN = 1_000  # characters
SECONDS = 2.0  # that a pattern may take for one passage: some never end


class PatternError(ValueError):
    """A pattern that cannot be used; the message says why."""


class Way(StrEnum):
    """How a text is sought."""

    PART = "part"  # anywhere, within words too
    WORDS = "words"  # whole words
    START = "start"  # words that begin so
    PATTERN = "pattern"  # a regular expression


class Sought(Frozen):
    """What is looked for; `exact` minds accents and case."""

    text: str
    way: Way = Way.PART
    exact: bool = False


class Span(NamedTuple):
    """A word within a passage: from `start` up to `end` of the passage's text, `line` counts from 0."""

    start: int
    end: int
    word_id: str
    line: int
    box: Box


class Passage(NamedTuple):
    """A region's or a cell's text as it reads, hyphens of line ends undone, and where its words are in it."""

    text: str
    spans: tuple[Span, ...]


def passages(region: Region, language: str) -> list[Passage]:
    """What is searched of a region: its text, or that of each cell."""
    told = region.language or language
    if region.table is None:
        return [made] if (made := _passage(region.lines, told)).spans else []
    found, first = [], 0
    for cell in region.table.cells:
        if (made := _passage(cell.lines, told, first)).spans:
            found.append(made)
        first += len(cell.lines)
    return found


def _passage(lines: Sequence[Line], language: str, first: int = 0) -> Passage:
    text, spans = "", []
    for i, line in enumerate(lines):
        end = line_end(line, lines[i + 1], language) if i + 1 < len(lines) else LineEnd.SPACE
        for j, word in enumerate(line.words):
            last = j + 1 == len(line.words)
            shown = word.text[:-1] if last and end is LineEnd.BREAK else word.text
            spans.append(Span(len(text), len(text) + len(shown), word.id, first + i, word.box))
            text += shown if last and end is not LineEnd.SPACE else f"{shown} "
    return Passage(text.rstrip(" "), tuple(spans))


class Folded(NamedTuple):
    """A text without case and accents; `at` is, for each of its letters and its end, the place in the text."""

    text: str
    at: tuple[int, ...]


@lru_cache(maxsize=20_000)
def _folded_letter(letter: str) -> str:
    if letter == TATWEEL:
        return ""
    parts = unicodedata.normalize("NFKD", letter)
    return "".join(c for c in parts if not unicodedata.combining(c)).casefold()


def folded(text: str) -> Folded:
    """The text as it is compared (Unicode 15, 3.13 D145 and decompositions)."""
    letters, at = [], []
    for i, c in enumerate(text):
        for each in _folded_letter(c):
            letters.append(each)
            at.append(i)
    return Folded("".join(letters), (*at, len(text)))


def fold(text: str) -> str:
    """Its letters alone."""
    return "".join(map(_folded_letter, text))


def check(sought: Sought) -> None:
    """Raise PatternError where nothing is sought, or the pattern is none."""
    if not sought.text.strip():
        raise PatternError("there is nothing to look for")
    if len(sought.text) > MOST_OF_A_PATTERN:
        raise PatternError(f"what is looked for has more than {MOST_OF_A_PATTERN} characters")
    expression(sought)


@lru_cache(maxsize=64)
def expression(sought: Sought) -> Any:
    """As a regular expression over folded text, or over the text itself for a pattern and where `exact`.

    Raises
    ------
    PatternError
    """
    if sought.way is Way.PATTERN:
        try:
            return re.compile(sought.text, 0 if sought.exact else re.IGNORECASE)
        except (re.error, OverflowError, RecursionError) as error:
            raise PatternError(f"the pattern cannot be used: {error}") from error
    words = (sought.text if sought.exact else fold(sought.text)).split()
    body = r"\s+".join(re.escape(word) for word in words)
    before = "" if sought.way is Way.PART else r"(?<!\w)"
    after = r"(?!\w)" if sought.way is Way.WORDS else r"\w*" if sought.way is Way.START else ""
    return re.compile(f"{before}{body}{after}")


def count(text: str, plain: str, sought: Sought) -> int:
    """How many places `matches` gives, where `plain` is the text folded; quicker."""
    if sought.way is Way.PATTERN:
        return sum(1 for _ in matches(text, sought))
    return len(expression(sought).findall(text if sought.exact else plain))


class Match(NamedTuple):
    """Where it stands in a text, and for a pattern what replaces it may refer to."""

    start: int
    end: int
    groups: Any


def matches(text: str, sought: Sought) -> Iterator[Match]:
    """Every place in a text, from the left, none within another (raises PatternError where a pattern does not end)."""
    pattern = expression(sought)
    if sought.exact or sought.way is Way.PATTERN:
        try:
            for found in pattern.finditer(text, timeout=SECONDS):
                if found.end() > found.start():
                    yield Match(found.start(), found.end(), found)
        except TimeoutError as error:
            raise PatternError("the pattern takes too long; make it simpler") from error
        return
    plain = folded(text)
    for found in pattern.finditer(plain.text):
        start, end = plain.at[found.start()], plain.at[found.end() - 1] + 1
        while end < len(text) and not _folded_letter(text[end]):  # the accents of the last letter
            end += 1
        yield Match(start, end, found)


def replacement(match: Match, sought: Sought, text: str) -> str:
    r"""What stands in a match's stead; in a pattern's, \1 is its first group.

    Raises
    ------
    PatternError
    """
    if sought.way is not Way.PATTERN:
        return text
    try:
        return str(match.groups.expand(text))
    except (re.error, IndexError) as error:
        raise PatternError(f"the replacement cannot be used: {error}") from error


def covered(spans: Sequence[Span], start: int, end: int) -> list[Span]:
    """The words of a passage that a match touches."""
    return [span for span in spans if span.start < end and start < span.end]
