"""What speaks for and against each word of a page: the reader's certainty, word lists, shapes, its page and its document."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Mapping
from functools import lru_cache
from statistics import median
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from hyalen.core.languages import frequency, has_word_list, listed_frequency, read_as, script_of
from hyalen.core.layout.aligned import BY_INK, FRACTIONS
from hyalen.core.model.content import Line, PageContent
from hyalen.core.proofing.confusions import misreadings
from hyalen.core.proofing.context import CONTEXT, context
from hyalen.core.proofing.placed import Placed, core_of, main_language, whole_words

_PARTS = re.compile(r"[^\w]+")
_ORDERLY_NUMBER = re.compile(
    rf"[(\[]?[-+±£$€§#]?(?:\d{{1,3}}(?:[.,’' ]\d{{3}})*(?:[.,:/–-]\d+)*[{FRACTIONS}]?|[{FRACTIONS}])"
    r"(?:st|nd|rd|th|er|e|a|o|ª|º)?[%°)\].,;:!?’'”\"]*"
)
_ORDERLY_EDGES = re.compile(r"[(\[«“„\"‘'’‹¿¡]{0,2}[^\W_].*?[)\]»”\"’'›.,;:!?…—–-]{0,3}", re.DOTALL)
COMMON = 3.5  # Zipf frequency: a word of which nobody thinks that it is another's misreading
LEAST_PART = 4  # letters of a compound's part, and its frequency
PART_FREQUENCY = 2.5
WORD_GAP = 0.35  # of a line's height: white between words is seldom less

FEATURES = (
    "confidence", "least_letter", "mean_letter", "unsure_letters", "letters_told", "length", "frequency", "unknown", "no_list",
    "compound", "likelier", "on_page", "in_document", "number", "orderly_number", "mixed", "mark_alone", "odd_edges", "inner_mark",
    "odd_case", "name", "foreign_script", "others", "other_known", "second_agrees", "second_differs",
    "recognised", "recognised_otherwise", "recognised_core", "line", "neighbour",
    "page", "height", "width", "table", "merged", "gap", "wide_gap", "fragment", "other_marks", "same_marks",
    *CONTEXT,
)  # fmt: skip


IN_DOCUMENT = FEATURES.index("in_document")  # which is asked for where it may matter only
MOST_COUNTED = 50


def _never(core: str) -> int:
    return 0


class Known(NamedTuple):
    """What is known beside the page: how often other pages of its document say a word, and the words of its lists.

    Words are their cores, folded.
    """

    count: Callable[[str], int] = _never
    listed: frozenset[str] = frozenset()


def evidence(content: PageContent, words: list[Placed]) -> NDArray[np.float32]:
    """A row of `FEATURES` for each word.

    Parameters
    ----------
    content : PageContent
    words : list of Placed
        Of this page.

    Returns
    -------
    (n, len(FEATURES)) float32
    """
    if not words:
        return np.zeros((0, len(FEATURES)), np.float32)
    fallback = main_language(content)
    sure = [w.confidence for p in words for w in (p.word,)]
    page_mean = float(np.mean(sure))
    counts = Counter(core_of(p.word.text).casefold() for p in words)
    exact = Counter(p.word.text.casefold() for p in words)
    scripts = Counter(s for p in words for c in p.word.text if (s := script_of(c)))
    main = {s for s, n in scripts.items() if n > 0.1 * scripts.total()} if scripts else set()
    lines = {id(p.line): p.line for p in words}
    shapes = {key: _shape(line) for key, line in lines.items()}
    whole = whole_words(words)
    rows = [
        _row(
            p,
            text,
            read_as(text, p.word.language or p.region.language or fallback),
            page_mean,
            counts,
            exact,
            main,
            shapes[id(p.line)],
        )
        for p, text in zip(words, whole, strict=True)
    ]
    return np.array([[*row, *more] for row, more in zip(rows, context(words, fallback), strict=True)], dtype=np.float32)


class _Shape(NamedTuple):
    """Of a line: mean certainty, usual height of its words and usual width of its letters."""

    mean: float
    height: float
    letter: float


def _shape(line: Line) -> _Shape:
    heights = [w.box.height for w in line.words]
    widths = [w.box.width / max(1, len(w.text)) for w in line.words]
    mean = sum(w.confidence for w in line.words) / max(1, len(line.words))
    return _Shape(mean, float(median(heights)), float(median(widths)))


def _row(
    placed: Placed,
    whole: str,
    language: str,
    page: float,
    counts: Mapping[str, int],
    exact: Mapping[str, int],
    main: set[str],
    shape: _Shape,
) -> list[float]:
    word = placed.word
    text, core = word.text, core_of(word.text)
    letters = [int(c) for c in word.letters] if len(word.letters) == len(text) else []
    known = lexical(whole, language)
    folded = core.casefold()
    around = [
        placed.line.words[i].confidence for i in (placed.at - 1, placed.at + 1) if 0 <= i < len(placed.line.words)
    ]
    other = max((_frequency(core_of(o), language) for o in word.others), default=0.0)
    again, recognised = word.second, word.recognised
    return [
        word.confidence,
        min(letters, default=9),
        sum(letters) / len(letters) if letters else 9.0,
        sum(v < 8 for v in letters),
        bool(letters),
        *known,
        min(counts[folded] - 1, 9),
        0.0,
        *_marks(text),
        any(s not in main for c in core if (s := script_of(c))),
        len(word.others),
        other - known[1],
        again == text,
        again is not None and again != text,
        recognised == text,
        recognised is not None and recognised != text,
        recognised is not None and core_of(recognised) == core,
        shape.mean,
        min(around, default=word.confidence),
        page,
        np.log(max(1, word.box.height) / max(1.0, shape.height)),
        np.log(max(1.0, word.box.width / max(1, len(text))) / max(1.0, shape.letter)),
        placed.region.table is not None,
        _merged(whole, language),
        *(gaps := _gaps(placed, shape)),
        gaps[0] < WORD_GAP and _fragment(placed),
        any(o != text and core_of(o) == core for o in word.others),
        exact[text.casefold()] / counts[folded],
    ]


def _gaps(placed: Placed, shape: _Shape) -> tuple[float, float]:
    """The least white beside a word, and the most, as shares of the line's height: a word in two, words far apart."""
    box, words = placed.word.box, placed.line.words
    whites = []
    for at in (placed.at - 1, placed.at + 1):
        if 0 <= at < len(words):
            other = words[at].box
            whites.append(max(box.left, other.left) - min(box.right, other.right))
    height = max(1.0, shape.height)
    return min(whites, default=height) / height, max(whites, default=0.0) / height


def _fragment(placed: Placed) -> bool:
    """Whether a number may be part of its neighbour: a mark that parts figures is the last or first thing there is."""
    words, at = placed.line.words, placed.at
    if not any(c.isdigit() for c in placed.word.text):
        return False
    before = words[at - 1].text if at else ""
    after = words[at + 1].text if at + 1 < len(words) else ""
    text = placed.word.text
    return (
        (before[-1:] in ".,/" and before[-2:-1].isdigit() and text[:1].isdigit())
        or (text[-1:] in ".,/" and after[:1].isdigit())
        or (text[:1] in ".,/" or (after[:1] in ".,/" and after[1:2].isdigit()))
    )


@lru_cache(maxsize=50_000)
def _merged(text: str, language: str) -> float:
    """Of a word that no list has: how frequent the rarer of two words is that stand in it without white between."""
    core = core_of(text)
    if not has_word_list(language) or _frequency(core, language) > 0 or not any(c.isalpha() for c in core):
        return 0.0
    parts = [p for p in _PARTS.split(core.casefold()) if p]
    if len(parts) > 1:
        return min(listed_frequency(p, language) for p in parts)
    folded = core.casefold()
    return max(
        (
            min(listed_frequency(folded[:at], language), listed_frequency(folded[at:], language))
            for at in range(1, len(folded))
        ),
        default=0.0,
    )


@lru_cache(maxsize=50_000)
def lexical(text: str, language: str) -> tuple[float, ...]:
    """Length, frequency, whether unknown, without a list, a compound, and how much likelier a word of like shape is."""
    core = core_of(text)
    own = _frequency(core, language)
    has_list = has_word_list(language)
    compound = own == 0 and _is_compound(core.casefold(), language)
    likelier = 0.0
    if own < COMMON and core and not core.isdigit():
        folded = core.casefold()
        likelier = max((listed_frequency(other, language) for other in misreadings(folded)), default=0.0) - own
    return float(len(core)), own, float(has_list and own == 0), float(not has_list), float(compound), likelier


def _frequency(core: str, language: str) -> float:
    """Of a word, or of the more frequent of its parts behind an apostrophe or hyphen."""
    folded = core.casefold().replace("’", "'")
    if not folded or not any(c.isalpha() for c in folded):
        return 0.0
    best = frequency(folded, language)
    for sign in "'-":
        if sign in folded:
            parts = [p for p in folded.split(sign) if p]
            best = max(best, min((frequency(p, language) for p in parts), default=0.0))
            best = max(best, max((frequency(p, language) for p in parts if len(p) > 3), default=0.0) - 1)
    return best


def _is_compound(folded: str, language: str) -> bool:
    """Whether the word is two known ones set together, perhaps with an s or a hyphen between."""
    return any(
        min(listed_frequency(folded[:at], language), listed_frequency(rest, language)) >= PART_FREQUENCY
        for at in range(LEAST_PART, len(folded) - LEAST_PART + 1)
        for rest in (folded[at:], folded[at:].removeprefix("s"))
        if len(rest) >= LEAST_PART
    )


@lru_cache(maxsize=50_000)
def _marks(text: str) -> tuple[float, ...]:
    """A number, an orderly one, letters and figures mixed, a mark alone, odd marks around and within, odd case, a name."""
    core = core_of(text)
    digits, letters = sum(c.isdigit() or c in BY_INK for c in core), sum(c.isalpha() for c in core)
    inner = sum(not c.isalnum() and c not in "'’-–./,:" for c in core)
    cased = [c for c in core if c.isalpha()]
    upper = sum(c.isupper() for c in cased)
    odd_case = 0 < upper < len(cased) and not (cased[0].isupper() and upper == 1)
    return (
        float(digits > 0 and letters == 0),
        float(digits > 0 and _ORDERLY_NUMBER.fullmatch(text) is not None),
        float(digits > 0 and letters > 0),
        float(not digits and not letters),
        float(bool(core) and _ORDERLY_EDGES.fullmatch(text) is None),
        float(inner),
        float(odd_case),
        float(bool(cased) and cased[0].isupper() and not odd_case and len(core) > 3),
    )


def told(row: NDArray[np.float32]) -> dict[str, float]:
    """A row by the names of its features."""
    return dict(zip(FEATURES, map(float, row), strict=True))
