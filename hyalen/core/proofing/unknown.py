"""Spell marks: words that no list of their block's language knows."""

from __future__ import annotations

from collections.abc import Collection

from hyalen.core.model.content import PageContent
from hyalen.core.proofing.evidence import FEATURES, lexical
from hyalen.core.proofing.placed import core_of, main_language, proofed_words, whole_words

_UNKNOWN, _COMPOUND = (FEATURES.index(name) - FEATURES.index("length") for name in ("unknown", "compound"))


def unknown_words(content: PageContent, listed: Collection[str] = ()) -> list[str]:
    """Ids of the words that are in no list of their language, nor in the clerks' own, and are no compound of such.

    Parameters
    ----------
    listed : collection of str
        The clerks' words, folded.
    """
    words = proofed_words(content)
    fallback = main_language(content)
    found = []
    for placed, whole in zip(words, whole_words(words), strict=True):
        told = lexical(whole, placed.region.language or fallback)
        core = core_of(whole)
        if told[_UNKNOWN] and not told[_COMPOUND] and core.isalpha() and core.casefold() not in listed:
            found.append(placed.word.id)
    return found
