"""Mends what the engine's models are known to confuse in a script, where the language decides it."""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence

import numpy as np

from hyalen.core.languages import EDGES, frequency
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord
from hyalen.core.reading.dust import without_specks

_BREATHINGS = "\u0313\u0314"
_OTHER_ACCENTS = "\u0300\u0342"
_TONOS = "\u0301"
_ARABIC_MARKS = str.maketrans(",;?", "،؛؟")
# Letters whose capital differs in size only, without ascender or descender in lower case.
_SAME_SHAPE = frozenset("вгжзиклмнопстхчшъыьэюяοκχω")
_SHORT_TAIL = frozenset("дцщ")
LIKE_SIZE = 1.2  # times: type within it is of one size
LEAST_ALIKE = 5  # lines of like size that tell how high small letters stand
TALLEST_SMALL = 1.18  # of small letters' height; capitals are about 1.4
TAIL = 1.25  # times the small letters' height, for those whose tail counts as height


def mended(line: FoundLine) -> FoundLine | None:
    """The line with each word's script-specific confusions undone and specks taken off; None if it was specks."""
    words = (w._replace(text=mended_word(w.text, w.language)) for w in line.words)
    kept = tuple(w for word in words if (w := without_specks(word)) is not None)
    return line._replace(words=kept) if kept else None


def mended_word(text: str, language: str) -> str:
    """One word; languages without known confusions come back unchanged."""
    text = unicodedata.normalize("NFC", text)
    if language == "ell":
        return monotonic(text)
    if language == "ara":
        return _arabic(text)
    return text


def monotonic(text: str) -> str:
    """Greek with the accents of the language's present spelling (Greek decree 297/1982).

    The model mixes in polytonic letters, and the micro sign for mu. A breathing or
    other accent becomes the tonos, or nothing where only the bare word is known.
    """
    text = text.replace("\u00b5", "\u03bc")
    parts = unicodedata.normalize("NFD", text)
    if not any(c in parts for c in _BREATHINGS + _OTHER_ACCENTS):
        return text
    out: list[str] = []
    for c in parts:
        if c in _BREATHINGS + _OTHER_ACCENTS + _TONOS:
            if out[-1:] != [_TONOS]:
                out.append(_TONOS)
        else:
            out.append(c)
    accented = unicodedata.normalize("NFC", "".join(out))
    bare = unicodedata.normalize("NFC", "".join(c for c in parts if c not in _BREATHINGS + _OTHER_ACCENTS + _TONOS))
    core, plain = accented.strip(EDGES).casefold(), bare.strip(EDGES).casefold()
    return bare if frequency(plain, "ell") > frequency(core, "ell") + 1.0 else accented


def _arabic(text: str) -> str:
    """Arabic punctuation after Arabic letters, and final yeh where the word asks for it."""
    if not any(unicodedata.bidirectional(c) == "AL" for c in text):
        return text
    core = text.rstrip(",;?.:")
    tail = text[len(core) :].translate(_ARABIC_MARKS)
    if core.endswith("ى"):
        other = core[:-1] + "ي"
        if frequency(other, "ara") > frequency(core, "ara") + 0.7:
            core = other
    return core + tail


def settle_case(blocks: Sequence[FoundBlock]) -> list[FoundBlock]:
    """A page's blocks in which words read as capitals, but no taller than small letters, are small.

    In Cyrillic and Greek many capitals have the shape of their small letters; the
    height of the ink tells them apart, beside the median height of small letters
    in lines of like size.
    """
    lines = [line for block in blocks for line in block.lines if line.words]
    size = {id(line): float(np.median([w.box.height for w in line.words])) for line in lines}
    small = [
        (size[id(line)], w.box.height)
        for line in lines
        for w in line.words
        if len(w.text) > 1 and all(c in _SAME_SHAPE for c in w.text)
    ]

    def small_height(line: FoundLine) -> float | None:
        alike = [height for other, height in small if 1 / LIKE_SIZE < other / size[id(line)] < LIKE_SIZE]
        return float(np.median(alike)) if len(alike) >= LEAST_ALIKE else None

    def settle(word: FoundWord, limit: float) -> FoundWord:
        lower = word.text.lower()
        if word.text == lower or not all(c in _SAME_SHAPE or c in _SHORT_TAIL for c in lower):
            return word
        if not unicodedata.name(lower[0], "").startswith(("CYRILLIC", "GREEK")):
            return word
        if any(c in _SHORT_TAIL for c in lower):
            limit *= TAIL
        return word._replace(text=lower) if word.box.height < limit else word

    def settled(line: FoundLine) -> FoundLine:
        height = small_height(line) if line.words else None
        if height is None:
            return line
        return line._replace(words=tuple(settle(w, TALLEST_SMALL * height) for w in line.words))

    return [block._replace(lines=tuple(settled(line) for line in block.lines)) for block in blocks]
