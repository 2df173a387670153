"""How frequent words are, by wordfreq's lists, in a twentieth of the memory that its dictionaries take.

A worker that reads eight languages would need half a gigabyte for these alone.
"""

from __future__ import annotations

from array import array
from bisect import bisect_left
from collections.abc import Sequence
from functools import cache
from itertools import chain, islice
from math import log10

import numpy as np

HIGHEST = 900  # centibels of a word that is all there is: Zipf frequency 9 (van Heuven et al., QJEP 67(6), 2014)


class Frequencies:
    """A language's words by their hashes, in order, and the Zipf frequency of each in hundredths.

    Of words of one hash, of which there are none in practice, the more frequent one counts.
    """

    def __init__(self, bins: list[list[str]]) -> None:
        words = np.fromiter((hash(word) for word in chain.from_iterable(bins)), dtype=np.int64)
        levels = np.repeat(HIGHEST - np.arange(len(bins)), [len(b) for b in bins]).astype(np.int16)
        order = np.argsort(words, kind="stable")
        # Numbers of Python's own are compared faster than numpy's.
        self._words = array("q", words[order].tobytes())
        self._levels = array("h", levels[order].tobytes())

    def zipf(self, token: str) -> float:
        """Of a word that is folded as the list is; 0 where the list has it not."""
        wanted = hash(token)
        at = bisect_left(self._words, wanted)
        return self._levels[at] / 100 if at < len(self._words) and self._words[at] == wanted else 0.0

    def known(self, tokens: Sequence[str], least: float = 0.0) -> list[str]:
        """Those of many words that are more frequent than `least`."""
        wanted = np.fromiter(map(hash, tokens), dtype=np.int64, count=len(tokens))
        words, levels = np.frombuffer(self._words, np.int64), np.frombuffer(self._levels, np.int16)
        at = np.minimum(np.searchsorted(words, wanted), len(words) - 1)
        found = (words[at] == wanted) & (levels[at] > 100 * least)
        return [tokens[int(i)] for i in np.flatnonzero(found)]


@cache
def frequencies(base: str) -> Frequencies:
    """The list of a language by its ISO 639-1 code."""
    return Frequencies(_bins(base))


def _bins(base: str) -> list[list[str]]:
    """The words of each hundredth of a Zipf frequency, the most frequent first."""
    from wordfreq import available_languages, read_cBpack

    found: list[list[str]] = read_cBpack(available_languages("best")[base])
    return found


def most_frequent(base: str, count: int) -> tuple[str, ...]:
    """The words at the head of a language's list."""
    return tuple(islice(chain.from_iterable(_bins(base)), count))


def zipf_frequency(text: str, base: str) -> float:
    """As wordfreq gives it: of a text of several words that of all together, figures by how usual such numbers are."""
    from wordfreq.numbers import digit_freq, smash_numbers
    from wordfreq.tokens import lossy_tokenize

    listed = frequencies(base)
    if text.isalpha() and (alone := listed.zipf(text)):
        return alone
    tokens: list[str] = lossy_tokenize(text, base)
    rarity = 0.0
    for token in tokens:
        smashed = smash_numbers(token)
        zipf = listed.zipf(smashed)
        if not zipf:
            return 0.0
        share = 10 ** (zipf - 9) * (digit_freq(token) if smashed != token else 1.0)
        rarity += 1 / share
    return round(max(0.0, 9 - log10(rarity)), 2) if rarity else 0.0
