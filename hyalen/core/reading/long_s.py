"""The long s of old print (ſ), which readers take for an f: undone where the page's own words tell that it has it."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product

from hyalen.core.languages import EDGES, frequency
from hyalen.core.model.found import FoundBlock, FoundWord

KNOWN = 3.0  # Zipf frequency: once in a million words
FAR_COMMONER = 2.0  # on the Zipf scale (powers of ten): a hundred times as common with an s
LEAST_WORDS, LEAST_SHARE = 4, 0.3  # of words with an f, that are words only with an s
MOST_LETTERS = 4  # f in one word: each may be either


def without_long_s(blocks: Sequence[FoundBlock]) -> list[FoundBlock]:
    """The blocks with s for the f that a long s was read as, on a page that bears long s; else as they are.

    A long s never ends a word (common practice of printers until about 1800). Only a word that is none,
    or a far rarer one, with f is changed; how it was read stays beside it. ſ itself is s to search and sort.

    Parameters
    ----------
    blocks : sequence of FoundBlock
        Of one page.
    """
    words = [w for b in blocks for line in b.lines for w in line.words if "f" in w.text[:-1]]
    meant = {id(w): text for w in words if (text := _with_s(w)) is not None}
    bears = len(meant) >= LEAST_WORDS and len(meant) >= LEAST_SHARE * len(words)

    def settled(word: FoundWord) -> FoundWord:
        text = meant.get(id(word), word.text) if bears else word.text
        text = text.replace("ſ", "s")
        return word if text == word.text else word._replace(text=text, others=(word.text, *word.others))

    return [
        block._replace(lines=tuple(line._replace(words=tuple(settled(w) for w in line.words)) for line in block.lines))
        for block in blocks
    ]


def _with_s(word: FoundWord) -> str | None:
    """The word with s for some of its f, where only that makes a word of its language."""
    core = word.text.strip(EDGES)
    places = [i for i, c in enumerate(core[:-1]) if c == "f"]
    if len(core) < 3 or not core.isalpha() or not 0 < len(places) <= MOST_LETTERS:
        return None
    usual = _frequency(core, word)
    if usual >= KNOWN:
        return None
    tries = []
    for choice in product("fs", repeat=len(places)):
        letters = list(core)
        for place, letter in zip(places, choice, strict=True):
            letters[place] = letter
        tries.append("".join(letters))
    best = max(tries, key=lambda text: _frequency(text, word))
    found = _frequency(best, word)
    if best == core or found < KNOWN or found < usual + FAR_COMMONER:
        return None
    return word.text.replace(core, best)


def _frequency(text: str, word: FoundWord) -> float:
    return frequency(text.casefold(), word.language)
