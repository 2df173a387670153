"""Small letters that were read as their own capitals: where both have one shape, the height of the ink tells them apart."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.pixels import Image, pieces
from hyalen.core.languages import EDGES, SHAPED_ALIKE, listed_frequency
from hyalen.core.layout.paragraphs import ends_sentence
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord

DARK = 128  # grey level of ink
LEAST_HEIGHT = 8  # pixels of small letters: in smaller type a capital is hardly taller
LETTER = 0.4  # of the word's height: what is lower is a dot or a speck
LOW = 25  # percentile of the heights of a word's letters: those without ascender and descender
TELLING = 0.75  # pieces of ink a letter, from which on a word's letters hardly touch
LOW_MARKS = ".,:;·-–—'’\"”“"
ASCENDERS, WITHOUT = frozenset("bdfhklß"), frozenset("aceimnorsuvwxzgpqyj")
NO_TALLER, LEVEL = (
    1.15,
    0.2,
)  # times small letters' height, of a first letter that is small; its foot and head beside theirs
COMMON = 3.5  # Zipf frequency of a word


def with_small_beginnings(page: Image, blocks: Sequence[FoundBlock]) -> list[FoundBlock]:
    """The blocks with common words within sentences that begin with a small letter by their ink, not with a capital.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    blocks : sequence of FoundBlock
    """

    def settled(block: FoundBlock) -> FoundBlock:
        before, lines = "", list[FoundLine]()
        for line in block.lines:
            words = []
            for word in line.words:
                within = before != "" and not ends_sentence(before)
                words.append(_small(word) if within and _may_be_small(word) and _is_low(page, word) else word)
                before = word.text
            lines.append(line._replace(words=tuple(words)))
        return block._replace(lines=tuple(lines))

    return [settled(block) for block in blocks]


def _small(word: FoundWord) -> FoundWord:
    return word._replace(text=word.text[0].lower() + word.text[1:], others=(*word.others, word.text))


def _may_be_small(word: FoundWord) -> bool:
    first, rest = word.text[:1], word.text[1:].rstrip(EDGES)
    shaped_alike = first.isupper() and first.lower() in SHAPED_ALIKE and rest.isalpha() and rest.islower()
    return shaped_alike and listed_frequency(first.lower() + rest, word.language) >= COMMON


def _is_low(page: Image, word: FoundWord) -> bool:
    """Whether the first letter's ink is no higher than that of the word's small letters, lower than an ascender, and stands as they do.

    Nothing is told by letters that touch, nor where no other letter is without ascender.
    """
    box, others = word.box, frozenset(word.text[1:])
    ink = page[max(0, box.top) : max(0, box.bottom), max(0, box.left) : max(0, box.right)] < DARK
    if not ink.any() or not others & WITHOUT:
        return False
    left, top, _, height, _ = pieces(ink.astype(np.uint8)).stats[1:].T
    letters = np.flatnonzero(height > LETTER * box.height)
    if len(letters) < max(2, TELLING * sum(c not in LOW_MARKS for c in word.text)):
        return False
    first, *rest = letters[np.argsort(left[letters])]
    small = float(np.percentile(height[rest], LOW))
    alike = [at for at in rest if height[at] <= NO_TALLER * small]
    feet, heads = top[alike] + height[alike], top[alike]
    return bool(
        small >= LEAST_HEIGHT
        and height[first] <= NO_TALLER * small
        and (not others & ASCENDERS or NO_TALLER * height[first] < height[rest].max())
        and abs(top[first] + height[first] - np.median(feet)) <= LEVEL * small
        and abs(top[first] - np.median(heads)) <= LEVEL * small
    )
