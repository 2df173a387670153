"""Reads the words that are likeliest to be wrong once more, so that proofing has further witnesses.

Words in Latin letters and figures are shown to another model. Those of which it tells otherwise, and words of other
scripts, the engine reads again.

Where what was read is no word and another reading of the same ink is one, that is taken: of 6,355 wrong words of 240
made pages it mended 65 and spoilt 2; a word that only looks like the one read is never taken by itself, which would
have spoilt one for two that it mends, and an old spelling first.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Sequence
from typing import NamedTuple

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import LATIN, is_right_to_left, listed_frequency, read_as
from hyalen.core.layout.aligned import BY_INK
from hyalen.core.model.content import Line, PageContent, Word
from hyalen.core.proofing.chance import Judged, judge
from hyalen.core.proofing.placed import Placed, core_of, main_language, proofed_words
from hyalen.core.reading.backwards import is_latin_figure, second_figure
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.recogniser import Recognised, are_alike
from hyalen.core.reading.second import second_reading
from hyalen.core.recognised import recognised_words

LEAST = 0.012  # chance that a word is wrong
SHORTEST = 3  # letters of a word that is mended
AROUND = 1  # words beside it that are read, too: a word alone reads worse
# From which the other model's reading is taken: chance that the word is wrong, chance of the least sure character, and
# logarithm of how much likelier that reading is by the ink. By them, on 96 spoilt made pages, 153 wrong words become right,
# 68 stay wrong and 3 right ones become wrong.
LEAST_WRONG, LEAST_SURE, LEAST_ODDS = 0.3, 0.6, 5.0
# Where it reads so beside the words around, too: by the ink, and by ink and chance together, which are multiplied as
# independent witnesses' odds are. Of the words that are left on 60 such pages 42 become right, 23 stay wrong, 6 become
# wrong; on eight real scans 29, 1 and 1.
ODDS_BESIDE, ODDS_TOGETHER = 2.0, 3.0
RAREST = 1e-4  # chance that is told from none
TALLEST = 2.0  # of its line's height, that a word is that does not lie on its side
APOSTROPHE = "’"
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
    """The content with what other readings have on its worst words, and words for what was read as none.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    judged = [each for each in judge(content) if _is_level(each.placed)]
    told = {each.placed.word.id: each for each in judged}
    fallback = main_language(content)
    recognised = recognised_words(page, judged, fallback)
    sure = {key for key, read in recognised.items() if are_alike(read.text, told[key].placed.word.text)}
    second: dict[str, str] = {}
    left = MOST
    for span in sorted(_spans(judged, sure, fallback), key=lambda span: -span.worst):
        if left <= 0:
            break
        left -= span.share
        if span.how.alone:
            texts = [second_figure(page, dpi, w, span.line.height, span.home, reader) for w in span.words]
        else:
            texts = second_reading(page, dpi, span.words, span.line.height, (span.how.language,), reader)
        second |= {w.id: text for w, text in zip(span.words, texts, strict=True) if w.second is None and span.reads(w)}

    def seen(word: Word) -> Word:
        word = word.model_copy(update={"second": second.get(word.id, word.second)})
        read = recognised.get(word.id)
        if read is None:
            return word
        if word.id in sure:
            return word.model_copy(update={"recognised": word.text})
        word = word.model_copy(update={"recognised": read.text})
        home = told[word.id].placed.region.language or fallback
        better = _is_better(word, read, told[word.id].chance, read_as(word.text, home))
        return with_reading(word, read.text) if better else word

    return with_known_readings(_with_words(content, second.keys() | recognised.keys(), seen))


def _is_level(placed: Placed) -> bool:
    """Whether a word stands in its line, not on its side as words do that are read from below or above."""
    return placed.word.box.height < TALLEST * placed.line.height


def _is_better(word: Word, read: Recognised, chance: float, language: str) -> bool:
    """Whether what the other model reads is taken: ink and chance are for it, or the engine's second reading is.

    Not where it loses letters, parts the word, or makes one that no list has of one that a list has.
    """
    told, before = core_of(read.text), core_of(word.text)
    if read.odds < (ODDS_BESIDE if read.beside else LEAST_ODDS) or " " in read.text or _is_less(told, before):
        return False
    if word.second is not None and are_alike(word.second, read.text):
        return True
    lost = told != before and listed_frequency(before.casefold(), language) and _is_unknown(told.casefold(), language)
    if lost or read.least < LEAST_SURE:
        return False
    if read.beside:
        return read.odds + _log_odds(chance) >= ODDS_TOGETHER
    return chance >= LEAST_WRONG


def _log_odds(chance: float) -> float:
    chance = min(max(chance, RAREST), 1 - RAREST)
    return math.log(chance / (1 - chance))


def _is_less(told: str, before: str) -> bool:
    """Whether another reading has only a part of what was read, or marks instead of letters."""
    part = told != before and told in before
    bare = any(map(str.isalpha, before)) and not any(map(str.isalnum, told))
    return part or bare or 2 * len(told) < len(before)


def with_known_readings(content: PageContent) -> PageContent:
    """The content with the other reading of each word that no list has and the page says once, where that is a word.

    What was read stays as another reading. A word on which two models agree stays.
    """
    placed = proofed_words(content)
    said = Counter(core_of(p.word.text).casefold() for p in placed)
    better: dict[str, str] = {}
    for each in placed:
        word = each.word
        language = read_as(word.text, each.region.language or (content.languages or ("eng",))[0])
        core = core_of(word.text).casefold()
        agreed = word.recognised == word.text
        if len(core) < SHORTEST or said[core] > 1 or word.settled or agreed or not _is_unknown(core, language):
            continue
        for other in (word.recognised or "", word.second or "", *word.others):
            told = core_of(other).casefold()
            if told and told not in core and told.isalpha() and listed_frequency(told, language):
                better[word.id] = other
                break

    return _with_words(content, better.keys(), lambda word: with_reading(word, better[word.id]))


def with_reading(word: Word, text: str) -> Word:
    """The word with another reading for its text; what was read stays as another."""
    if APOSTROPHE in word.text:
        text = text.replace("'", APOSTROPHE)
    others = tuple(dict.fromkeys((word.text, *(o for o in word.others if o != text))))
    recognised = text if are_alike(word.recognised or "", text) else word.recognised
    second = word.text if word.second == text != recognised else word.second
    parts = word.parts if len(text) == len(word.text) else ()  # raised and lowered letters, by their places
    told = {"text": text, "others": others, "second": second, "recognised": recognised, "letters": "", "parts": parts}
    return word.model_copy(update=told)


def _with_words(content: PageContent, which: Collection[str], told: Callable[[Word], Word]) -> PageContent:
    """The content with some words, by their ids, told otherwise."""

    def line_told(line: Line) -> Line:
        if not any(word.id in which for word in line.words):
            return line
        return line.model_copy(update={"words": tuple(told(w) if w.id in which else w for w in line.words)})

    return content.with_lines(line_told) if which else content


def _is_unknown(core: str, language: str) -> bool:
    return core.isalpha() and not listed_frequency(core, language)


def _spans(judged: Sequence[Judged], sure: Collection[str], fallback: str) -> Iterator[Span]:
    """The doubtful words of each line and language with those beside them, near ones together; none of the sure ones.

    Signs that are read by their ink are none: the engine would always read something else.
    """
    chances: dict[tuple[int, How], dict[int, float]] = {}
    lines: dict[int, tuple[Line, str]] = {}
    for each in judged:
        placed = each.placed
        if placed.word.id in sure:
            continue
        if placed.word.second is None and each.chance >= LEAST and not any(c in BY_INK for c in placed.word.text):
            home = placed.region.language or fallback
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
