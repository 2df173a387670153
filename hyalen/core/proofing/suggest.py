"""What a doubtful word may have been, likeliest first."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from functools import lru_cache

from rapidfuzz import process
from rapidfuzz.distance import Levenshtein

from hyalen.core.languages import CAPITAL_NOUNS, has_word_list, known_words, listed_frequency, listed_words
from hyalen.core.model.content import Word
from hyalen.core.proofing.confusions import confused, distance, misreadings
from hyalen.core.proofing.context import in_sentence, may_be_small, neighbour, parted
from hyalen.core.proofing.placed import Placed, core_of

MOST = 9
FARTHEST = 2.2  # cost of a misreading beyond which nothing is suggested
LISTED = 60_000  # of a language's words, the most frequent, that are compared letter by letter
NEAR = 24  # of them that are looked at closely
# What a suggestion is worth: how alike it looks, how frequent it is, whether this document or another reading has it.
LIKENESS, FREQUENCY, IN_DOCUMENT, IN_LIST, OTHER_READING, TAUGHT = 2.6, 0.45, 1.2, 1.5, 1.6, 1.0
CLAUSE_ENDS = ".,;:!?،؛؟"
ELIDING = {"fra", "ita", "cat", "oci"}  # where an apostrophe ends a word before a vowel
_NUMBER = re.compile(r"\d+(?:[.,:/-]\d+)*")
LONGEST_TWICE, LEAST_TWICE = 9, 1.5  # letters of a word with two misreadings; how frequent the word meant must be
UNKNOWN = 1.5  # what a reading is worth less that no list and no document has

Taught = Mapping[tuple[str, str], int]


def suggestions(
    word: Word,
    language: str,
    document: Mapping[str, int],
    listed: Collection[str] = (),
    taught: Taught | None = None,
    placed: Sequence[str] = (),
) -> list[str]:
    """Up to nine texts for a word.

    Parameters
    ----------
    word : Word
    language : str
        ISO 639-3 code of its region.
    document : mapping of str to int
        Words of the document, folded, and how often it says them.
    listed : collection of str
        Words of the clerk's lists, folded.
    taught : mapping, optional
        How often a shape was corrected to another in this document.
    placed : sequence of str
        What it may be by its place; see `by_its_place`. Another reading of the ink goes before these.
    """
    core = core_of(word.text)
    if not core:
        return list(word.readings[:MOST])
    folded = core.casefold()
    readings = {core_of(o).casefold() for o in word.readings if core_of(o)}
    figures = any(c.isdigit() for c in folded) and sum(c.isalpha() for c in folded) < 2
    found: dict[str, float] = {}
    words = set[str]()  # of them, those that some list, the document or figures know
    for other in {*readings, *_candidates(folded, language), *_near(folded, document), *_near(folded, listed)}:
        if other == folded or not other or (figures and other not in readings and not other[0].isdigit()):
            continue
        cost = distance(folded, other)
        if cost > FARTHEST and other not in readings:
            continue
        parts = other.split()
        frequency = min((listed_frequency(p, language) for p in parts), default=0.0)
        known = frequency > 0 or _NUMBER.fullmatch(other) is not None or other in document or other in listed
        if known:
            words.add(other)
        pair = confused(folded, other)
        found[other] = (
            -LIKENESS * cost
            + FREQUENCY * frequency
            + IN_DOCUMENT * (1 if document.get(other, 0) > 1 else 0.5 if other in document else 0)
            + IN_LIST * (other in listed)
            + OTHER_READING * (other in readings)
            + TAUGHT * min(3, (taught or {}).get(pair, 0) if pair else 0)
            - UNKNOWN * (not known)
        )
    best = sorted(found, key=lambda other: (-found[other], other))[:MOST]
    start = word.text.index(core)
    before, after = word.text[:start], word.text[start + len(core) :]
    made = [f"{before}{_cased(other, core)}{after}" for other in best]
    as_read = [o for o in word.readings if o not in made]
    same_core = [o for o in as_read if core_of(o).casefold() == folded]  # other marks around the same word
    elided = language in ELIDING and not before and after in ("'", "’")
    known_as_read = folded in document or listed_frequency(folded, language) > 0
    bared = _without_specks(before, core, after) if known_as_read and not elided else []
    told = [*same_core[:1], *bared, *made]
    if word.recognised and word.recognised != word.text:
        # What the other model sees may look nothing like what was read, and no cost of a misreading would put it first.
        told.insert(0 if core_of(word.recognised).casefold() in words else 1, word.recognised)
    first = 1 if word.readings else 0
    return list(dict.fromkeys([*told[:first], *placed, *told[first:]]))[:MOST]


def by_its_place(words: list[Placed], at: int, fallback: str) -> list[str]:
    """What a known word may be by its sentence and its line: another mark at its end, another case, a hyphen.

    Parameters
    ----------
    words : list of Placed
        Of the page, of which one at `at` is asked about.
    fallback : str
        Language of words and regions that have none.
    """
    text = words[at].word.text
    language = words[at].word.language or words[at].region.language or fallback
    if not text or listed_frequency(core_of(text).casefold(), language) == 0:
        return [f"{text}-"] if text and parted(words, at + 1, fallback) else []
    end, beginning = in_sentence(neighbour(words, at, -1), text, neighbour(words, at, 1))
    found = []
    if end == -1 and text[-1] == ".":
        found += [f"{text[:-1]},", text[:-1]]
    within = beginning < 0 and words[at].at == 0 and may_be_small(text) and language not in CAPITAL_NOUNS
    if beginning == -1 or within:
        found.append(text[0].swapcase() + text[1:])
    if parted(words, at + 1, fallback):
        found.append(f"{text}-")
    return found


def _without_specks(before: str, core: str, after: str) -> list[str]:
    """A known word without the marks that may be specks: more around it than one that ends a clause."""
    if not before and (not after or after in CLAUSE_ENDS):
        return []
    kept = next((mark for mark in after if mark in CLAUSE_ENDS), "")
    return list(dict.fromkeys([core + kept, core]))


def _candidates(folded: str, language: str) -> Iterator[str]:
    """Known words that one or two confusions make of it, two words in one, and known words near by."""
    once = set(misreadings(folded))
    twice = set(_twice(once)) if len(folded) <= LONGEST_TWICE or any(c.isdigit() for c in folded) else set()
    yield from known_words(list(once), language)
    yield from known_words(list(twice), language, LEAST_TWICE)
    for at in range(1, len(folded)):
        first, rest = folded[:at], folded[at:].lstrip("-'’.,")
        if min(listed_frequency(first, language), listed_frequency(rest, language)) > 3.5:
            yield f"{first} {rest}"
    if any(c.isdigit() for c in folded):
        yield from (other for other in once | twice if _NUMBER.fullmatch(other))
    if has_word_list(language) and len(folded) > 3:
        for word, *_ in process.extract(
            folded, _by_length(language, len(folded)), scorer=Levenshtein.distance, score_cutoff=2, limit=NEAR
        ):
            yield word


def _twice(once: Collection[str]) -> Iterator[str]:
    return (again for other in once for again in misreadings(other))


@lru_cache(maxsize=256)
def _by_length(language: str, length: int) -> tuple[str, ...]:
    return tuple(w for w in listed_words(language, LISTED) if abs(len(w) - length) <= 1)


def _near(folded: str, words: Collection[str]) -> Iterator[str]:
    most = min(3, max(1, len(folded) // 2))
    for word, *_ in process.extract(folded, list(words), scorer=Levenshtein.distance, score_cutoff=most, limit=NEAR):
        yield word


def _cased(other: str, like: str) -> str:
    """In capitals where the word as read is."""
    letters = [c for c in like if c.isalpha()]
    if len(letters) > 1 and all(c.isupper() for c in letters):
        return other.upper()
    if letters and letters[0].isupper():
        return other[:1].upper() + other[1:]
    return other
