"""Lets the language decide on marks that dust left in a line: what no text of the language would have there goes."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable

from hyalen.core.languages import EDGES, ONE_LETTER, frequency
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box

SURE = 0.95  # confidence at which the engine's word stands, whatever the language says
COMMON, KNOWN, RARE = 3.5, 3.0, 2.5  # Zipf frequencies: once in 100,000 words, in a million
FAR_COMMONER = 2.0  # on the Zipf scale (powers of ten): the word without the speck is a hundred times as common
FUNCTION_WORD = 6.8  # on the Zipf scale: the, of, and
_JOINT = re.compile(r"^(\w{2,})([.,;:'’\-])(\w{2,})$")
_STOP = re.compile(r"^(\w+)[.:]$")


_SPECKS = "'`’‘.,·*\"“”|_~^°¢"
_LONE_SPECKS = set(_SPECKS) | {"-", "<", ">", "\\", "/", "«", "»"}


def without_specks(word: FoundWord) -> FoundWord | None:
    """A word without the marks that dust beside it was read as; None where it was nothing else.

    Only marks that are read with little confidence and stand where no punctuation
    can (alone, before a word, after one that is known without them) are taken off.
    """
    text = word.text
    if all(c in _LONE_SPECKS for c in text):
        return None if word.confidence < 0.85 and len(text) < 3 else word
    if word.confidence >= 0.8:
        return word
    core = text.lstrip("'`’‘.,·*|_~^°")
    trimmed = core.rstrip('`‘*|_~^°"“')
    if trimmed != text and frequency(trimmed.strip(EDGES).casefold(), word.language) > 2.5:
        return word._replace(text=trimmed)
    return word


def without_dust(line: FoundLine, is_stop: Callable[[FoundWord], bool] = lambda word: False) -> FoundLine:
    """The line with marks undone that its language excludes; each word keeps what it was read as.

    Two common words joined by a mark are two; a full stop before a small letter goes from a common
    word, but not from what may be an abbreviation, nor where it looks like one of the page's (`is_stop`); a mark or a
    letter by itself goes if it is no word; an accent, or `ri` for n under a speck, goes where only that makes a common
    word.
    """
    words: list[FoundWord] = []
    for i, word in enumerate(line.words):
        following = line.words[i + 1] if i + 1 < len(line.words) else None
        if _is_dust(word, line, bool(words), following):
            continue
        for part in _parted(word):
            words.append(_mended(part, following, is_stop))
    return line._replace(words=tuple(words)) if words else line


def _is_dust(word: FoundWord, line: FoundLine, follows: bool, following: FoundWord | None) -> bool:
    """A lone mark, or a lone letter that is no word and too low for a letter, between words."""
    if len(word.text) != 1 or not follows or following is None or not following.text[0].isalpha():
        return False
    if word.text in ".,'’‘":
        return True
    low = word.box.height < 0.42 * line.height
    return word.text.islower() and low and word.text not in ONE_LETTER.get(word.language, word.text)


def _parted(word: FoundWord) -> list[FoundWord]:
    match = _JOINT.match(word.text)
    if not match or word.confidence >= SURE or word.text[:1].isdigit() or match.group(3)[0].isupper():
        return [word]
    first, mark, second = match.groups()
    parts = min(_frequency(first, word.language), _frequency(second, word.language))
    if mark == "-":  # compounds are many, but hardly with "of" or "the"
        most = max(_frequency(first, word.language), _frequency(second, word.language))
        if parts < COMMON or most < FUNCTION_WORD:
            return [word]
    elif parts < COMMON or _frequency(word.text, word.language) > RARE:
        return [word]
    if mark in "'’" and len(first) < 3:  # an article that lost its vowel
        return [word]
    width = word.box.width * len(first) / len(word.text)
    step = word.box.width / len(word.text)
    left, top, right, bottom = word.box
    halves = (
        (first, Box(left, top, round(left + width), bottom)),
        (second, Box(round(left + width + step), top, right, bottom)),
    )
    return [word._replace(text=text, box=box, others=(*word.others, word.text)) for text, box in halves]


def _mended(word: FoundWord, following: FoundWord | None, is_stop: Callable[[FoundWord], bool]) -> FoundWord:
    text = _without_stop(word, following)
    if text is None or is_stop(word):
        text = _without_accent(word)
    return word if text is None else word._replace(text=text, others=(*word.others, word.text))


def _without_stop(word: FoundWord, following: FoundWord | None) -> str | None:
    match = _STOP.match(word.text)
    if (
        not match
        or following is None
        or not following.text[0].islower()
        or (word.text.endswith(":") and word.confidence > 0.6)
    ):
        return None
    core = match.group(1)
    usual = _frequency(core, word.language)
    return core if core.isalpha() and (usual > 6 or (len(core) > 4 and usual > COMMON)) else None


def _without_accent(word: FoundWord) -> str | None:
    core = word.text.strip(".,;:!?()")
    if word.confidence >= SURE or len(core) < 3 or not core.isalpha() or _frequency(core, word.language) > RARE:
        return None
    tries = [_bare(core, i) for i in range(len(core))]
    tries += [core[: m.start()] + "n" + core[m.end() :] for m in re.finditer("ri", core)]
    ranked = sorted({t for t in tries if t != core}, key=lambda t: -_frequency(t, word.language))
    if not ranked or _frequency(ranked[0], word.language) < max(KNOWN, _frequency(core, word.language) + FAR_COMMONER):
        return None
    return word.text.replace(core, ranked[0])


def _bare(text: str, i: int) -> str:
    """The text with the accent of its i-th letter taken off."""
    return text[:i] + unicodedata.normalize("NFD", text[i])[0] + text[i + 1 :]


def _frequency(word: str, language: str) -> float:
    return frequency(word.casefold(), language)
