"""What another model reads on the ink of a word in Latin letters or figures: a witness beside the engine.

It was trained by others on other pages, so that it errs otherwise: of the words of 96 spoilt made pages whose chance to be
wrong was 0.002 and more, it agreed with 5,755 right ones and 131 wrong ones, and with 327 and 527 it did not.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from functools import cache, lru_cache
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import has_word_list, listed_words, script_of
from hyalen.core.learned import model

PACKAGE, MODEL = "rapidocr", "PP-OCRv6_rec_small.onnx"
HEIGHT = 48  # pixels of a line, as the model was trained
NARROWEST = 16  # pixels that it takes
BLANK = 0  # its class that is no character
LISTED, LEAST_LISTED = 20_000, 2  # words of a language that tell its letters, and how many have a letter at least
UNLISTED = {"deu": "ß"}  # which the word lists fold
ASCII = "abcdefghijklmnopqrstuvwxyz"
DIGITS = "0123456789"
MARKS = "!\"#$%&'()*+,-./:;<=>?@[]_{|}«»“”„‘’‚–—°§€£©… "
IMPOSSIBLE = -30.0  # logarithm of the chance of a character that the model does not know
# Marks that no two readers tell apart in the same way.
_ALIKE = str.maketrans("’‘‚“”„«»–—", '\'\',"""""--')


class Recognised(NamedTuple):
    """What the model reads.

    Attributes
    ----------
    text : str
    least : float
        Of its characters, the chance of the one of which it is least sure.
    odds : float
        Natural logarithm of how much likelier the text is, by the ink, than what the engine has read.
    beside : bool
        Whether it reads so with the words beside in sight, too.
    """

    text: str
    least: float
    odds: float
    beside: bool = False


class Asked(NamedTuple):
    """A word that stands on some ink.

    Attributes
    ----------
    read : str
        What the engine has there.
    language : str
        ISO 639-3 code, of a language in Latin letters.
    within : pair of float
        Where in the width of the ink it stands, if other words are seen besides.
    """

    read: str
    language: str
    within: tuple[float, float] = (0.0, 1.0)


def recognise(ink: Image, words: Sequence[Asked]) -> list[Recognised]:
    """What the model reads on the ink of one word, or of several in a row.

    The characters are those of the likeliest class of each step, repeated ones once; the chance of a text is that of
    all ways in which the steps may tell it (Graves et al., "Connectionist temporal classification", ICML 2006,
    section 4.1). Only the language's letters, figures and marks are let count, and what the engine has read; of figures,
    no letters.

    Parameters
    ----------
    ink : (h, w) uint8
        As high as its line.
    words : sequence of Asked
    """
    steps = _steps(ink)
    return [_told(steps, word) for word in words]


def _told(steps: NDArray[np.float32], word: Asked) -> Recognised:
    read = word.read
    letters = _letters(word.language) if any(c.isalpha() for c in read) else frozenset[str]()
    classes = _classes(letters | set(read))
    first, last = (round(share * len(steps)) for share in word.within)
    first = min(first, len(steps) - 1)  # a word may be told to stand at the very end, as where boxes overlap
    steps = steps[first : max(first + 1, last), classes]
    best, sure = steps.argmax(1), steps.max(1)
    text: list[str] = []
    chances: list[float] = []
    before = BLANK
    for at, chance in zip(best.tolist(), sure.tolist(), strict=True):
        if at != BLANK and at != before:
            text.append(_characters()[classes[at]])
            chances.append(chance)
        elif at != BLANK:
            chances[-1] = max(chances[-1], chance)
        before = at
    told = "".join(text).strip()
    least = min(chances, default=0.0)
    if told == read:
        return Recognised(told, least, 0.0)
    logs = np.log(steps.astype(np.float64) + 1e-9)
    return Recognised(told, least, _likelihood(logs, classes, told) - _likelihood(logs, classes, read))


def are_alike(one: str, other: str) -> bool:
    """Whether two readings say the same, but for the white and for marks that print tells apart and readers do not."""
    return _plain(one) == _plain(other)


def _plain(text: str) -> str:
    return "".join(text.split()).translate(_ALIKE)


def _likelihood(logs: NDArray[np.float64], classes: NDArray[np.intp], text: str) -> float:
    """Natural logarithm of the chance of a text, white left out, by the forward algorithm."""
    places = {_characters()[c]: i for i, c in enumerate(classes.tolist()) if c != BLANK}
    characters = [c for c in text if not c.isspace()]
    known = [places[c] for c in characters if c in places]
    label = np.full(2 * len(known) + 1, BLANK)
    label[1::2] = known
    leaps = np.zeros(len(label), dtype=bool)  # from a character to another one, without a blank between
    leaps[3::2] = label[3::2] != label[1:-2:2]
    way = np.full(len(label), -np.inf)
    way[:2] = logs[0, label[:2]]
    for step in logs[1:]:
        stayed = np.logaddexp(way, np.r_[-np.inf, way[:-1]])
        leapt = np.where(leaps, np.r_[-np.inf, -np.inf, way][: len(way)], -np.inf)
        way = np.logaddexp(stayed, leapt) + step[label]
    told = float(np.logaddexp.reduce(way[-2:]))
    if not np.isfinite(told):  # of more characters than steps
        return IMPOSSIBLE * len(characters)
    return told + IMPOSSIBLE * (len(characters) - len(known))


def _steps(ink: Image) -> NDArray[np.float32]:
    """(steps, classes) chances of each class, from left to right."""
    height, width = ink.shape[:2]
    size = max(NARROWEST, round(width * HEIGHT / height)), HEIGHT
    shown = cv2.resize(ink, size, interpolation=cv2.INTER_AREA if height > HEIGHT else cv2.INTER_CUBIC)
    scaled = np.broadcast_to(shown.astype(np.float32) / 127.5 - 1, (1, 3, *shown.shape))
    session = model(PACKAGE, MODEL)
    told = session.run(None, {session.get_inputs()[0].name: np.ascontiguousarray(scaled)})
    return np.asarray(told[0][0], np.float32)


@cache
def _characters() -> list[str]:
    """Of the model's classes, which it names itself: the blank, those of its list, and white."""
    session = model(PACKAGE, MODEL)
    return ["", *session.get_modelmeta().custom_metadata_map["character"].split("\n"), " "]


@lru_cache(maxsize=500)
def _classes(letters: frozenset[str]) -> NDArray[np.intp]:
    """The classes of letters, figures and marks, the blank first."""
    return np.array([BLANK, *sorted(at for c, at in _class_of().items() if c in letters or c in DIGITS or c in MARKS)])


@cache
def _class_of() -> dict[str, int]:
    return {character: at for at, character in enumerate(_characters()) if character}


@cache
def _letters(language: str) -> frozenset[str]:
    """Small and capital letters of a language: those of its frequent words, and of English; all where it has no list."""
    if not has_word_list(language):
        return frozenset(c for c in _class_of() if script_of(c) == "LATIN")
    counts = Counter(c for word in listed_words(language, LISTED) for c in set(word) if script_of(c) == "LATIN")
    small = {c for c, count in counts.items() if count >= LEAST_LISTED} | {*ASCII, *UNLISTED.get(language, "")}
    return frozenset(small | {c.upper() for c in small if len(c.upper()) == 1})
