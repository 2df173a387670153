"""Parts words that the reader joined although more white stands between them than between their letters."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import EDGES, ONE_LETTER, is_right_to_left, listed_frequency, script_of
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box

DARK = 128  # grey level of ink
LEAST_GAP, WIDER = 0.2, 1.6  # of the row's height; times as wide as the next widest white within the word
NEAR = 0.12  # of the word's width: how far its letters tell where the gap is, besides one letter
# Zipf frequencies: of each part at least, and of one of two letters; how much rarer both together are at least.
KNOWN, SHORT, RARER = 3.5, 5.0, 3.0
_STROKE = re.compile(r"([^\W_]+)(_)([^\W_]+\W?)")
STROKE = 0.35  # of the row's height: so much white is no gap between letters
# Between figures stands a decimal point or a date's; beside a 1 there is much white.
_AFTER_MARK = re.compile(r"(?<=\d[.,;:])(?=[^\W\d])|(?<=[^\W\d][.,;:])(?=\w)")


def without_joins(page: Image, line: FoundLine) -> FoundLine:
    """The line with such words as two, each with its ink; they are parted behind a mark, between two known words, or where
    white was read as a stroke under the line.

    Parameters
    ----------
    page : (h, w) uint8
        Cleaned.
    line : FoundLine
    """
    words = [part for word in line.words for part in _parted(page, word, line.height)]
    return line._replace(words=tuple(words)) if len(words) > len(line.words) else line


def _parted(page: Image, word: FoundWord, height: float) -> list[FoundWord]:
    backwards = is_right_to_left(word.language) and any(script_of(c) in ("ARABIC", "HEBREW") for c in word.text)
    if stroke := _STROKE.fullmatch(word.text):
        gap = _gap(page, word.box, height)
        wide = gap is not None and gap[1] - gap[0] >= STROKE * height
        return _halves(word, gap, stroke.span(2), backwards) if gap and wide else [word]
    gap = _gap(page, word.box, height) if len(word.text) > 1 else None
    places = list(_places(word)) if gap else []
    if gap is None or not places:
        return [word]
    middle = (gap[0] + gap[1]) / 2 / word.box.width
    along = 1 - middle if backwards else middle
    slack = NEAR + 1 / len(word.text)
    at = min(places, key=lambda i: abs(i / len(word.text) - along))
    if abs(at / len(word.text) - along) > slack:
        return [word]
    return _halves(word, gap, (at, at), backwards)


def _halves(word: FoundWord, gap: tuple[int, int], at: tuple[int, int], backwards: bool) -> list[FoundWord]:
    """What stands on both sides of a gap, and in the text before and from two places."""
    left, top, right, bottom = word.box
    boxes = [Box(left, top, left + gap[0], bottom), Box(left + gap[1], top, right, bottom)]
    if backwards:
        boxes.reverse()
    parts = (slice(0, at[0]), slice(at[1], None))
    return [
        word._replace(text=word.text[part], box=box, letters=word.letters[part], others=(*word.others, word.text))
        for part, box in zip(parts, boxes, strict=True)
    ]


def _places(word: FoundWord) -> Iterator[int]:
    """Where in the text two words may meet."""
    text = word.text
    yield from (match.start() for match in _AFTER_MARK.finditer(text))
    core = text.strip(EDGES).casefold()
    if not core.isalpha() or len(core) < 3:
        return
    together = listed_frequency(core, word.language)
    for at in range(1, len(text)):
        parts = [part.strip(EDGES).casefold() for part in (text[:at], text[at:])]
        usual = [listed_frequency(part, word.language) for part in parts]
        if all(_is_word(p, word.language) for p in parts) and (not together or together <= min(usual) - RARER):
            yield at


def _is_word(text: str, language: str) -> bool:
    if len(text) < 2:
        return text in ONE_LETTER.get(language, "") and bool(text)
    return listed_frequency(text, language) >= (SHORT if len(text) == 2 else KNOWN)


def _gap(page: Image, box: Box, height: float) -> tuple[int, int] | None:
    """From where to where, from the word's left edge, white much wider than all other white within it reaches."""
    ink = (page[max(0, box.top) : max(0, box.bottom), max(0, box.left) : max(0, box.right)] < DARK).any(axis=0)
    held = np.flatnonzero(ink)
    if len(held) < 2:
        return None
    steps = np.diff(held)
    widest = int(steps.argmax())
    wide, next_widest = int(steps[widest]) - 1, int(np.delete(steps, widest).max(initial=1)) - 1
    if wide < max(1, LEAST_GAP * height) or (next_widest and wide < WIDER * next_widest):
        return None
    left = int(held[widest]) + 1
    return left, left + wide
