"""Words of another language within a text: a French phrase in an English sentence."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from hyalen.core.languages import EDGES, has_word_list, listed_frequency, script_of
from hyalen.core.model.content import Line, PageContent, Region, Word

LEAST_WORDS = 3  # of a run
RARE = 3.6  # Zipf frequency beneath which a word makes one look at the words around it
WORTH, MOST_WORTH = 0.6, 3.0  # by how much more frequent a word must be there to count for the run; the most one counts
LEAST_RUN, LEAST_MEAN = 5.0, 1.0  # of a run altogether, and a word on average
COMMON = 5.2  # a word that is as frequent as this there, as its articles and prepositions are


class _Run(NamedTuple):
    worth: float
    first: int
    end: int
    language: str


def with_foreign_words(content: PageContent, installed: Sequence[str]) -> PageContent:
    """The content with the language of runs of words that are not in their block's.

    A run is of three words and more, among them one of the other language's most frequent ones, that are together far
    more frequent in that language than in the block's own (wordfreq's lists). Names are in no list and tell nothing.

    Parameters
    ----------
    content : PageContent
    installed : sequence of str
        The languages that are looked for (ISO 639-3).
    """
    return content.model_copy(update={"regions": tuple(_told(r, installed) for r in content.regions)})


def _told(region: Region, installed: Sequence[str]) -> Region:
    language = region.language
    if region.table is not None or region.kind.is_picture or not language or not has_word_list(language):
        return region
    words = [word for line in region.lines for word in line.words]
    texts = [word.text.strip(EDGES).casefold().replace("’", "'") for word in words]
    own = [listed_frequency(text, language) if _counts(text) else -1.0 for text in texts]
    if not _is_suspicious(own):
        return region
    script = next((s for t in texts for c in t[:1] if (s := script_of(c))), "")
    others = [code for code in installed if code != language and has_word_list(code)]
    runs = [run for code in others if (run := _best_run(texts, own, code, script))]
    if not runs:
        return region
    best = max(runs)
    foreign = {word.id for word in words[best.first : best.end]}

    def told(word: Word) -> Word:
        return word.model_copy(update={"language": best.language}) if word.id in foreign else word

    def line_told(line: Line) -> Line:
        return line.model_copy(update={"words": tuple(map(told, line.words))})

    return region.model_copy(update={"lines": tuple(map(line_told, region.lines))})


def _counts(text: str) -> bool:
    return len(text) > 1 and not any(c.isdigit() for c in text)


def _is_suspicious(own: Sequence[float]) -> bool:
    """Whether rare words stand close together, so that it is worth looking further."""
    rare = [0 <= frequency < RARE for frequency in own]
    return any(sum(rare[i : i + LEAST_WORDS + 1]) >= 2 for i in range(len(rare)))


def _best_run(texts: Sequence[str], own: Sequence[float], language: str, script: str) -> _Run | None:
    """The stretch whose words gain most by being of the language (Kadane's maximum subarray)."""
    there = [
        listed_frequency(t, language) if o >= 0 and script_of(t[0]) == script else 0.0
        for t, o in zip(texts, own, strict=True)
    ]
    gains = [
        -0.2 if o < 0 else max(-MOST_WORTH, min(MOST_WORTH, f - o)) - WORTH for f, o in zip(there, own, strict=True)
    ]
    best, total, start = _Run(0.0, 0, 0, language), 0.0, 0
    for i, gain in enumerate(gains):
        if total <= 0:
            total, start = 0.0, i
        total += gain
        if total > best.worth:
            best = _Run(total, start, i + 1, language)
    inside = range(best.first, best.end)
    gaining = [i for i in inside if gains[i] > 0]
    common = any(there[i] > COMMON and gains[i] > 0 for i in inside)
    if len({texts[i] for i in gaining}) < LEAST_WORDS or not common:
        return None
    return best if best.worth >= LEAST_RUN and best.worth / (best.end - best.first) >= LEAST_MEAN else None
