"""How frequent words are, by wordfreq's lists, in a twentieth of the memory that its dictionaries take.

A worker that reads eight languages would need half a gigabyte for these alone. What setup has laid out on the disk is
there at once and shared by all workers; without that, making it takes half a second a language.
"""

from __future__ import annotations

import sys
from bisect import bisect_left
from collections.abc import Sequence
from functools import cache
from hashlib import blake2b
from importlib.metadata import version
from itertools import chain, islice
from math import log10
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

HIGHEST = 900  # centibels of a word that is all there is: Zipf frequency 9 (van Heuven et al., QJEP 67(6), 2014)
HASH_BYTES = 8


def _hashed(word: str) -> int:
    """The same in every process, as Python's own is not."""
    return int.from_bytes(
        blake2b(word.encode("utf8", "surrogatepass"), digest_size=HASH_BYTES).digest(), "little", signed=True
    )


class Frequencies:
    """A language's words by their hashes, in order, and the Zipf frequency of each in hundredths.

    Of words of one hash, of which there are none in practice, the more frequent one counts.

    Parameters
    ----------
    words : (n,) int64
    levels : (n,) int16
    """

    def __init__(self, words: NDArray[np.int64], levels: NDArray[np.int16]) -> None:
        self._words, self._levels = words, levels
        # Numbers of Python's own are compared faster than numpy's.
        self._word_at, self._level_at = memoryview(words), memoryview(levels)  # type: ignore[arg-type]

    @classmethod
    def of(cls, bins: Sequence[Sequence[str]]) -> Frequencies:
        """From the words of each hundredth, the most frequent first."""
        words = np.fromiter(map(_hashed, chain.from_iterable(bins)), dtype=np.int64)
        levels = np.repeat(HIGHEST - np.arange(len(bins)), [len(b) for b in bins]).astype(np.int16)
        order = np.argsort(words, kind="stable")
        return cls(words[order], levels[order])

    @classmethod
    def kept(cls, base: str) -> Frequencies | None:
        """As `keep` has left it, or None."""
        try:
            words, levels = (np.load(path, mmap_mode="r") for path in _paths(base))
        except (OSError, ValueError, EOFError):
            return None
        return cls(words, levels)

    def keep(self, base: str) -> None:
        """Lay it out on the disk."""
        words, levels = _paths(base)
        words.parent.mkdir(parents=True, exist_ok=True)
        np.save(words, self._words)
        np.save(levels, self._levels)

    def zipf(self, token: str) -> float:
        """Of a word that is folded as the list is; 0 where the list has it not."""
        wanted = _hashed(token)
        at = bisect_left(self._word_at, wanted)
        return self._level_at[at] / 100 if at < len(self._word_at) and self._word_at[at] == wanted else 0.0

    def known(self, tokens: Sequence[str], least: float = 0.0) -> list[str]:
        """Those of many words that are more frequent than `least`."""
        wanted = np.fromiter(map(_hashed, tokens), dtype=np.int64, count=len(tokens))
        at = np.minimum(np.searchsorted(self._words, wanted), len(self._words) - 1)
        found = (self._words[at] == wanted) & (self._levels[at] > 100 * least)
        return [tokens[int(i)] for i in np.flatnonzero(found)]


def _paths(base: str) -> tuple[Path, Path]:
    """Where the hashes and the frequencies of a language of this version's lists lie."""
    place = Path(sys.prefix) / "share/hyalen/words"
    return place / f"{base}-{version('wordfreq')}.words.npy", place / f"{base}-{version('wordfreq')}.levels.npy"


@cache
def frequencies(base: str) -> Frequencies:
    """The list of a language by its ISO 639-1 code."""
    return Frequencies.kept(base) or Frequencies.of(_bins(base))


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
