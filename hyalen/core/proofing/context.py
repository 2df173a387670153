"""What the marks of a word, its sentence, the numbers around it and its other readings tell of it."""

from __future__ import annotations

import re
from collections import Counter

from rapidfuzz.distance import Indel

from hyalen.core.languages import SHAPED_ALIKE, listed_frequency
from hyalen.core.model.content import Role, Word
from hyalen.core.proofing.placed import Placed, core_of

CONTEXT = (
    "least_mark", "first_mark", "last_mark", "unpaired", "sentence", "capital", "second_core", "joined", "usual_number",
    "other_marks", "other_unlike", "line_start", "same_shape", "parted",
)  # fmt: skip
_JOINED = re.compile(r"[^\W_][.,;:!?؛،»”\"]+[^\W\d_]|[^\W\d_][.,;:!?؛،]+[^\W_]")
_SIGNS = re.compile(r"[^\w]|[^\W\d]")
SENTENCE_ENDS = ".!?…؟"
# Kinds of marks, by which the evidence tells them apart.
MARKS = {mark: kind for kind, marks in enumerate((".", ",،", ";؛", ":", "!?؟", "()[]", "-–—"), 1) for mark in marks}
QUOTES, ANY_MARK = "\"'“”„‘’‚‹›«»״׳`´", 9
PAIRS = {")": "(", "]": "[", "}": "{", "”": "“„", "»": "«", "›": "‹", "«": "»"}


def context(words: list[Placed], fallback: str) -> list[list[float]]:
    """A row of `CONTEXT` for each word of a page; `fallback` is the language of words and regions that have none."""
    unpaired, usual = _unpaired(words), _usual_numbers(words)
    around = [(neighbour(words, i, -1), neighbour(words, i, 1)) for i in range(len(words))]
    rows = []
    for i, placed in enumerate(words):
        word, (before, after) = placed.word, around[i]
        rows.append(
            [
                *_marks_around(word),
                float(i in unpaired),
                *in_sentence(before, word.text, after),
                float(word.second is not None and core_of(word.second) == core_of(word.text)),
                float(_JOINED.search(word.text) is not None),
                usual[i],
                *_other_readings(word),
                float(placed.at == 0),
                float(may_be_small(word.text)),
                max(parted(words, i, fallback), parted(words, i + 1, fallback)),
            ]
        )
    return rows


def neighbour(words: list[Placed], at: int, step: int) -> str:
    """The word before or after in the same region, or in the next paragraph, where one may go on; "" at its ends."""
    there = at + step
    if not 0 <= there < len(words):
        return ""
    own, other = words[at].region, words[there].region
    flows = own is other or own.role is other.role is Role.PARAGRAPH
    return words[there].word.text if flows else ""


def parted(words: list[Placed], at: int, fallback: str) -> float:
    """How much more usual the last word of a line and the first of the next, at `at`, are as one than the rarer of them.

    0 where they are not, or where a hyphen parts them.
    """
    if not 0 < at < len(words):
        return 0.0
    first, second = words[at - 1], words[at]
    texts = first.word.text.casefold(), core_of(second.word.text)
    apart = second.at or first.region is not second.region or first.line is second.line
    if apart or not (texts[0].isalpha() and texts[1].isalpha() and texts[1].islower()):
        return 0.0
    language = second.word.language or second.region.language or fallback
    rarer = min(listed_frequency(text, language) for text in texts)
    return max(0.0, listed_frequency("".join(texts), language) - rarer)


def may_be_small(text: str) -> bool:
    """Whether a word begins with a capital that only its size tells from its small letter."""
    first = core_of(text)[:1]
    return first.isupper() and first.lower() in SHAPED_ALIKE


def _usual_numbers(words: list[Placed]) -> list[float]:
    """Of a number: how many of the others in its column, or outside of tables on its page, have the same signs between figures.

    1 for words without figures, 0.5 for a number alone.
    """
    columns = {
        w.id: (p.region.id, cell.column)
        for p in {p.region.id: p for p in words if p.region.table is not None}.values()
        for cell in (p.region.table.cells if p.region.table else ())
        for line in cell.lines
        for w in line.words
    }
    signs = ["".join(_SIGNS.findall(core_of(p.word.text))) if _has_figure(p.word.text) else None for p in words]
    groups: dict[object, Counter[str]] = {}
    for p, sign in zip(words, signs, strict=True):
        if sign is not None:
            groups.setdefault(columns.get(p.word.id), Counter())[sign] += 1
    found = []
    for p, sign in zip(words, signs, strict=True):
        counts = groups[columns.get(p.word.id)] if sign is not None else Counter[str]()
        others = counts.total() - 1
        found.append(1.0 if sign is None else (counts[sign] - 1) / others if others else 0.5)
    return found


def _has_figure(text: str) -> bool:
    return any(c.isdigit() for c in text)


def _marks_around(word: Word) -> tuple[float, float, float]:
    """The least certainty of a mark, and of which kind its first and its last character are; 0 for letters and figures."""
    text = word.text
    told = len(word.letters) == len(text)
    sure = [int(v) for c, v in zip(text, word.letters, strict=True) if not c.isalnum()] if told else []
    return float(min(sure, default=9)), float(_kind_of(text[:1])), float(_kind_of(text[-1:]))


def _other_readings(word: Word) -> tuple[float, float]:
    """Whether another reading has other marks around the same letters, and how unlike the most unlike one is, 0 to 1."""
    core = core_of(word.text)
    marks = any(core_of(other) == core and other != word.text for other in word.others)
    return float(marks), max((Indel.normalized_distance(core, core_of(other)) for other in word.others), default=0.0)


def _kind_of(character: str) -> int:
    if not character or character.isalnum():
        return 0
    return 8 if character in QUOTES else MARKS.get(character, ANY_MARK)


def _unpaired(words: list[Placed]) -> set[int]:
    """Places of words with a bracket or quotation mark whose other one does not stand in the same region."""
    alone: set[int] = set()
    waiting: list[tuple[str, int]] = []
    region = None
    for i, placed in enumerate(words):
        if placed.region is not region:
            alone |= {at for _, at in waiting}
            waiting, region = [], placed.region
        for c in placed.word.text:
            if c in PAIRS and waiting and waiting[-1][0] in PAIRS[c]:
                waiting.pop()
            elif c in "([{“„«»‹":
                waiting.append((c, i))
            elif c in PAIRS:
                alone.add(i)
    return alone | {at for _, at in waiting}


def in_sentence(before: str, text: str, after: str) -> tuple[float, float]:
    """Whether the end of a sentence and the capital after it agree: 1 where they do, -1 where not, 0 where nothing tells.

    First for the word's own end, then for its beginning.
    """

    def agree(first: str, second: str) -> float:
        letter = next((c for c in second if c.isalnum()), "")
        if not first or not letter.isalpha() or letter.upper() == letter.lower():
            return 0.0
        ends = first.rstrip("\"'”’»)]")[-1:] in SENTENCE_ENDS if first.rstrip("\"'”’»)]") else False
        if ends == letter.isupper():
            return 1.0
        return -1.0 if ends else -0.5  # capitals stand within sentences, too

    return agree(text, after), agree(before, text)
