"""Characters that a keyboard may lack: a language's letters, the variants of a letter, signs of print."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from functools import cache

from hyalen.core.frequencies import most_frequent
from hyalen.core.languages import UNPARTED, language_tag

ASKED = 20_000  # words of a language that tell its letters
LEAST_SEEN = 5  # of them, that have a letter: fewer are words of other languages
# Letters, marks and figures of Latin, Greek, Cyrillic, Hebrew and Arabic print (Unicode's Blocks.txt).
BLOCKS = (
    (0xA1, 0x24F),
    (0x370, 0x52F),
    (0x5D0, 0x5F4),
    (0x621, 0x6D5),
    (0x1E00, 0x1FFF),
    (0x2070, 0x209C),
    (0x2150, 0x215E),
)
# Letters that Unicode neither decomposes nor names after the one that they are typed by.
_OF_OLD = {"a": "æ", "o": "œ", "s": "ßſ", "d": "ð", "t": "þ", "i": "ı", "n": "ŋ"}
_NAMED = re.compile(r"(?:LATIN|GREEK|CYRILLIC|ARABIC) (?:SMALL|CAPITAL) LETTER (\w+) WITH ")
_SET = ("<super>", "<sub>", "<fraction>")
SIGNS = {
    "Dashes and spaces": "–—‐\u00a0\u2009\u202f…·•",
    "Quotation marks": "‘’‚“”„‹›«»′″",
    "References": "§¶†‡*°№ªº©®™",
    "Numbers": "½⅓⅔¼¾⅛⅜⅝⅞×÷±−≈≠≤≥‰µ",
    "Currencies": "£€$¢¥ƒ₤₽₪",
    "Arrows and marks": "←→↑↓✓✗☐☑♂♀",
}


@cache
def letters(language: str) -> tuple[str, ...]:
    """The letters of a language (ISO 639-3) beyond A to Z, the most frequent first; none where no list tells them."""
    base = language_tag(language).partition("-")[0]
    if base in UNPARTED:
        return ()
    try:
        words = most_frequent(base, ASKED)
    except KeyError:
        return ()
    seen = Counter(c for word in words for c in dict.fromkeys(word) if c.isalpha() and not c.isascii())
    scripts = Counter(_script(c) for c in "".join(words[:1000]) if c.isalpha())
    main = scripts.most_common(1)[0][0] if scripts else ""
    return tuple(c for c, count in seen.most_common() if count >= LEAST_SEEN and _script(c) == main)


@cache
def variants() -> dict[str, tuple[str, ...]]:
    """For each letter and figure those that are made of it: accented, of old print; raised and lowered ones last."""
    found: dict[str, list[str]] = {}
    for first, last in BLOCKS:
        for c in map(chr, range(first, last + 1)):
            base = _base(c)
            if base and base != c and unicodedata.is_normalized("NFC", c):
                found.setdefault(base, []).append(c)
    for base, others in _OF_OLD.items():
        for c in others:
            found.setdefault(base, []).append(c)
            if len(c.upper()) == 1 and c.upper() != base.upper():
                found.setdefault(base.upper(), []).append(c.upper())
    raised = [c for others in found.values() for c in others if unicodedata.decomposition(c).startswith("<")]
    return {base: tuple(sorted(dict.fromkeys(others), key=raised.__contains__)) for base, others in found.items()}


def _base(c: str) -> str:
    told = unicodedata.decomposition(c).split()
    if told and not told[0].startswith("<"):
        plain = unicodedata.normalize("NFD", c)
        return plain[0] if plain[0].isalpha() else ""
    if told and told[0] in _SET:
        return unicodedata.normalize("NFKD", c)[0]
    named = _NAMED.match(unicodedata.name(c, ""))
    if named and len(named.group(1)) == 1:
        return named.group(1) if c.isupper() else named.group(1).lower()
    return ""


def _script(c: str) -> str:
    return unicodedata.name(c, "?").partition(" ")[0]
