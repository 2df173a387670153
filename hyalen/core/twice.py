"""Reads the words that are likeliest to be wrong a second time, so that proofing has two witnesses.

Where what was read is no word and another reading of the same ink is one, that is taken: of 6,355 wrong words of 240
made pages it mended 65 and spoilt 2; a word that only looks like the one read is never taken by itself, which would
have spoilt one for two that it mends, and an old spelling first.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import NamedTuple

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import LATIN, is_right_to_left, listed_frequency, read_as
from hyalen.core.layout.aligned import BY_INK
from hyalen.core.model.content import Line, PageContent, Word
from hyalen.core.proofing.chance import judge
from hyalen.core.proofing.placed import core_of, proofed_words
from hyalen.core.reading.backwards import is_latin_figure, second_figure
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.second import second_reading

LEAST = 0.012  # chance that a word is wrong
SHORTEST = 3  # letters of a word that is mended
AROUND = 1  # words beside it that are read, too: a word alone reads worse
MOST = 16.0  # lines a page, by their width: each takes a good hundredth of the time that reading the page does


class How(NamedTuple):
    """How a word is read again: in which language, and whether by itself, as figures are that run from left to right
    among letters from right to left."""

    language: str
    alone: bool

    @classmethod
    def of(cls, word: Word, home: str) -> How:
        """For a word of a region in the language `home`."""
        if is_right_to_left(home) and is_latin_figure(word.text):
            return cls(LATIN, True)
        return cls(read_as(word.text, home), False)


class Span(NamedTuple):
    """Words of a line that are read together; `home` is their region's language, `worst` the largest chance
    among them, `share` theirs of the line's width."""

    words: tuple[Word, ...]
    line: Line
    how: How
    home: str
    worst: float
    share: float

    def reads(self, word: Word) -> bool:
        """Whether the word is one that is to be read so, and not only beside those that are."""
        return How.of(word, self.home) == self.how and not any(c in BY_INK for c in word.text)


def read_twice(page: Image, dpi: float, content: PageContent, reader: Reader) -> PageContent:
    """The content with what a second reading has on its worst words, and words for what was read as none.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    second: dict[str, str] = {}
    left = MOST
    for span in sorted(_spans(content), key=lambda span: -span.worst):
        if left <= 0:
            break
        left -= span.share
        if span.how.alone:
            told = [second_figure(page, dpi, w, span.line.height, span.home, reader) for w in span.words]
        else:
            told = second_reading(page, dpi, span.words, span.line.height, (span.how.language,), reader)
        second |= {w.id: text for w, text in zip(span.words, told, strict=True) if w.second is None and span.reads(w)}

    def seconded(line: Line) -> Line:
        if not any(word.id in second for word in line.words):
            return line
        words = (w.model_copy(update={"second": second[w.id]}) if w.id in second else w for w in line.words)
        return line.model_copy(update={"words": tuple(words)})

    return with_known_readings(content.with_lines(seconded) if second else content)


def with_known_readings(content: PageContent) -> PageContent:
    """The content with the other reading of each word that no list has and the page says once, where that is a word.

    What was read stays as another reading.
    """
    placed = proofed_words(content)
    said = Counter(core_of(p.word.text).casefold() for p in placed)
    better: dict[str, str] = {}
    for each in placed:
        word = each.word
        language = read_as(word.text, each.region.language or (content.languages or ("eng",))[0])
        core = core_of(word.text).casefold()
        if len(core) < SHORTEST or said[core] > 1 or word.settled or not _is_unknown(core, language):
            continue
        for other in (word.second or "", *word.others):
            told = core_of(other).casefold()
            if told and told not in core and told.isalpha() and listed_frequency(told, language):
                better[word.id] = other
                break

    def mended(word: Word) -> Word:
        text = better.get(word.id)
        if text is None:
            return word
        others = tuple(dict.fromkeys((word.text, *(o for o in word.others if o != text))))
        second = word.text if word.second == text else word.second
        return word.model_copy(update={"text": text, "others": others, "second": second, "letters": ""})

    def mended_line(line: Line) -> Line:
        if not any(w.id in better for w in line.words):
            return line
        return line.model_copy(update={"words": tuple(map(mended, line.words))})

    return content.with_lines(mended_line) if better else content


def _is_unknown(core: str, language: str) -> bool:
    return core.isalpha() and not listed_frequency(core, language)


def _spans(content: PageContent) -> Iterator[Span]:
    """The doubtful words of each line and language with those beside them, near ones together.

    Signs that are read by their ink are none: the engine would always read something else.
    """
    chances: dict[tuple[int, How], dict[int, float]] = {}
    lines: dict[int, tuple[Line, str]] = {}
    for each in judge(content):
        placed = each.placed
        if placed.word.second is None and each.chance >= LEAST and not any(c in BY_INK for c in placed.word.text):
            home = placed.region.language or content.languages[0]
            chances.setdefault((id(placed.line), How.of(placed.word, home)), {})[placed.at] = each.chance
            lines[id(placed.line)] = placed.line, home
    for (key, how), at in chances.items():
        line, home = lines[key]
        around = 0 if how.alone else AROUND
        for group in _near(sorted(at), around):
            words = line.words[max(0, group[0] - around) : group[-1] + around + 1]
            width = sum(w.box.width for w in words) / max(1, sum(w.box.width for w in line.words))
            yield Span(words, line, how, home, max(at[i] for i in group), width)


def _near(places: list[int], around: int) -> Iterator[list[int]]:
    """Places in groups between which words are left out, though so many `around` each are read, too."""
    group: list[int] = []
    for at in places:
        if group and at > group[-1] + 2 * around + 1:
            yield group
            group = []
        group.append(at)
    if group:
        yield group
