"""Words in Latin letters within lines of another script: names, abbreviations, a phrase.

The model of another script makes letters of its own of them, or figures. Lines with words of which it was unsure are
read by a Latin model too, and where that is surer of letters, its words are taken (figures: see `backwards`).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from itertools import groupby
from typing import NamedTuple

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import (
    EDGES,
    LATIN,
    has_own_script,
    is_right_to_left,
    listed_frequency,
    script_of,
)
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord, Model
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.lines import read_line
from hyalen.core.reading.reader import Reader

MOST = 40  # lines a page
APART = 2.0  # of a line's height: white that parts what is read by itself
DOUBTFUL, UNSURE = 0.9, 0.6  # confidence of a word that no list has, and of any, from which a line is looked at again
ENDING = ".,;:!?،؛؟"  # marks behind a word; in a line from right to left they stand at its left
# Of a word that stands where it is seen, until its line is in order: behind its letters and the marks at its right, before
# those at its left, which lead on to nothing. The engine's own Latin words are in order.
RTL = "\u200f"
_LEADS_ON = re.compile(rf"^[^{RTL}]*[,;:]((?:{RTL}.*)?)$")
_MARK_BEFORE = re.compile(rf"^([{ENDING}]+)(?=\d)")
LEAST = 3  # Latin letters that are a word
SURE, VERY_SURE, LEAD = 0.75, 0.85, 0.3  # confidence of the Latin words; beside a word that a list has, and its lead
COMMON = 4.5  # Zipf frequency of a word that stands, if it is not far too short for the letters found there
SHARED = 0.3  # of the narrower of two words, by which they lie on the same ink
# Letters that no eye tells from Latin ones (Unicode Technical Standard 39, confusables.txt; from memory).
LOOKALIKES = str.maketrans("АВЕКМНОРСТХаеорсухіјѕΑΒΕΖΗΙΚΜΝΟΡΤΥΧοιν", "ABEKMHOPCTXaeopcyxijsABEZHIKMNOPTYXoiv")


class _Place(NamedTuple):
    """What lies on the same ink: words of the line's own reading, with their places in it, and of the Latin one."""

    at: list[int]
    own: list[FoundWord]
    latin: list[FoundWord]


def with_latin_words(page: Image, dpi: float, blocks: Sequence[FoundBlock], reader: Reader) -> list[FoundBlock]:
    """The blocks with the Latin words of lines of other scripts; what was read before stays as another reading.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    """
    if LATIN not in reader.languages():
        return list(blocks)
    doubtful = sorted(
        (sum(map(_is_doubtful, line.words)) / -len(line.words), id(line))
        for block in blocks
        for line in block.lines
        if any(map(_is_doubtful, line.words))
    )
    chosen = {key for _, key in doubtful[:MOST]}
    looked = {
        id(line): _places_of(page, dpi, line, reader) for block in blocks for line in block.lines if id(line) in chosen
    }
    return [
        block._replace(lines=tuple(_mended(line, looked.get(id(line), [])) for line in block.lines)) for block in blocks
    ]


def _is_doubtful(word: FoundWord) -> bool:
    if not has_own_script(word.language) or _is_latin(word):
        return False
    if word.confidence < UNSURE:
        return True
    if is_right_to_left(word.language) and sum(c.isdigit() for c in word.text) >= LEAST:
        return True  # its model surely makes figures of Latin letters
    return word.confidence < DOUBTFUL and not _frequency(word)


def _places_of(page: Image, dpi: float, line: FoundLine, reader: Reader) -> list[_Place]:
    backwards = is_right_to_left(line.words[0].language)

    def read(box: Box) -> list[FoundWord]:
        found = read_line(page, dpi, box, line.height, (LATIN,), reader, model=Model.FINER)
        words = [word for each in found for word in each.words]
        return list(map(_with_mark_behind, words)) if backwards else words

    # Of a row with wide white, as of a table, the engine reads nothing at all.
    parts = _stretches(line)
    boxes = (
        [union(w.box for w in part) for part in parts if any(map(_is_doubtful, part))] if len(parts) > 1 else [line.box]
    )
    places = _places(line.words, [word for box in boxes for word in read(box)])
    # Among letters that are none of its own the model is less sure than of the word alone.
    return [p if _is_better(p) or not _may_be(p) else p._replace(latin=read(_box(p))) for p in places]


def _stretches(line: FoundLine) -> list[list[FoundWord]]:
    """The line's words without wide white between them."""
    parts: list[list[FoundWord]] = []
    for word in sorted(line.words, key=lambda w: w.box.left):
        if parts and word.box.left - parts[-1][-1].box.right < APART * line.height:
            parts[-1].append(word)
        else:
            parts.append([word])
    return parts


def _mended(line: FoundLine, places: Sequence[_Place]) -> FoundLine:
    """The line with the Latin words of some places."""
    taken = {p.at[0]: p for p in places if _is_better(p)}
    gone = {at for place in taken.values() for at in place.at}
    words: list[FoundWord] = []
    for at, word in enumerate(line.words):
        if at in taken:
            before = tuple(w.text for w in taken[at].own)
            words += (w._replace(language=word.language, others=(*w.others, *before)) for w in taken[at].latin)
        elif at not in gone:
            words.append(word)
    return line._replace(words=tuple(in_reading_order(words)))


def _with_mark_behind(word: FoundWord) -> FoundWord:
    """A word of a line that runs from right to left: the mark at its left ends it, and tells nothing of its letters."""
    core = word.text.lstrip(ENDING)
    if not core:
        return word
    marks = len(word.text) - len(core)
    letters = word.letters[marks:]
    sure = sum(map(int, letters)) / (10 * len(letters)) if letters and marks else word.confidence
    text = as_seen(core, word.text[:marks])
    return word._replace(text=text, letters=letters + word.letters[:marks], confidence=max(word.confidence, sure))


def as_seen(core: str, marks: str) -> str:
    """A word with the marks at its left, which end it, for `in_reading_order`."""
    return f"{core}{RTL}{marks}"


def _places(own: Sequence[FoundWord], latin: Sequence[FoundWord]) -> Iterator[_Place]:
    """Words of both readings that lie on each other, in stretches; those of one only are left out."""
    each = sorted(
        [(w.box.left, w.box.right, i, w, True) for i, w in enumerate(own)]
        + [(w.box.left, w.box.right, -1, w, False) for w in latin],
        key=lambda one: one[:3],
    )
    stretches: list[list[tuple[int, int, int, FoundWord, bool]]] = []
    for one in each:
        left, right = one[:2]
        if stretches and any(
            min(right, r) - max(left, x) > SHARED * min(right - left, r - x) for x, r, *_ in stretches[-1]
        ):
            stretches[-1].append(one)
        else:
            stretches.append([one])
    for stretch in stretches:
        of_line = sorted((i, w) for _, _, i, w, is_own in stretch if is_own)
        others = [w for *_, w, is_own in stretch if not is_own]
        if of_line and others:
            yield _Place([i for i, _ in of_line], [w for _, w in of_line], others)


def _box(place: _Place) -> Box:
    return union(w.box for w in (*place.own, *place.latin))


def _may_be(place: _Place) -> bool:
    """Whether it is worth a look by itself."""
    letters = sum(script_of(c) == "LATIN" for w in place.latin for c in w.text)
    return letters >= LEAST and _is_rare(place) and _confidence(place.own) < DOUBTFUL and _confidence(place.latin) > 0


def _is_rare(place: _Place) -> bool:
    return max(map(_frequency, place.own)) < COMMON


def _is_better(place: _Place) -> bool:
    """Whether the Latin words are surely what stands there."""
    texts = [w.text for w in place.latin]
    letters = [c for text in texts for c in text if c.isalpha()]
    if len(letters) < LEAST or not all(map(_is_latin, place.latin)):
        return False
    own = "".join(w.text.strip(EDGES) for w in place.own)
    if own.translate(LOOKALIKES).casefold() == "".join(text.strip(EDGES) for text in texts).casefold():
        return False
    sure, before = _confidence(place.latin), _confidence(place.own)
    if not any(c.isalpha() for c in own) or len(own) < len(letters) / 2:
        return sure >= SURE
    usual = max(map(_frequency, place.own))
    if usual > 0:
        return usual < COMMON and sure >= max(VERY_SURE, before + LEAD)
    return sure >= max(SURE, before)


def in_reading_order(words: Sequence[FoundWord]) -> list[FoundWord]:
    """The words of a line, its Latin ones that stand as they are seen from right to left (`as_seen`) in their own order.

    Figures behind a Latin word belong to it where a mark at its right leads on to them (UAX #9, rule W7); what ends all
    of it stands at the left.
    """
    ordered: list[FoundWord] = []
    for latin, group in groupby(words, key=_is_latin):
        stretch = list(group)
        if not latin or not any(RTL in word.text for word in stretch):
            ordered += stretch
            continue
        behind: list[FoundWord] = []
        if leads_on := _LEADS_ON.search(stretch[0].text):
            while ordered and any(c.isdigit() for c in ordered[-1].text) and not _has_letters(ordered[-1]):
                behind.append(_left_to_right(ordered.pop()))
            if behind and (end := leads_on.group(1)):
                stretch[0] = _ending(stretch[0], stretch[0].text.removesuffix(end))
                behind[-1] = _ending(behind[-1], behind[-1].text + end)
        ordered += [*reversed(stretch), *behind]
    return [w._replace(text=w.text.replace(RTL, "")) for w in ordered]


def _left_to_right(figure: FoundWord) -> FoundWord:
    """A figure whose mark at its right was taken for one before it."""
    text = _MARK_BEFORE.sub("", figure.text)
    return _ending(figure, text + figure.text[: len(figure.text) - len(text)]) if text != figure.text else figure


def _ending(word: FoundWord, text: str) -> FoundWord:
    return word._replace(text=text, letters="")


def _is_latin(word: FoundWord) -> bool:
    scripts = {script_of(c) for c in word.text if c.isalpha()}
    return scripts == {"LATIN"}


def _has_letters(word: FoundWord) -> bool:
    return any(c.isalpha() for c in word.text)


def _frequency(word: FoundWord) -> float:
    return listed_frequency(word.text.strip(EDGES).casefold(), word.language)


def _confidence(words: Sequence[FoundWord]) -> float:
    return sum(w.confidence * len(w.text) for w in words) / max(1, sum(len(w.text) for w in words))
