"""Drop capitals: a large letter beside the first lines of a paragraph belongs to its first word."""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence

from hyalen.core.languages import EDGES, ONE_LETTER, frequency
from hyalen.core.layout.rows import part_of
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box, union

LEAST_RISE = 1.55  # of the height of the line it stands beside
FAR_COMMONER = 2.0  # on the Zipf scale: what stands beside a letter is a word of its own
MOST_RISE = 8.0  # line heights of a drop capital
CAPITALS = "ABCDEFGHIJKLMNOPQRSTUVWXYZÀÂÄÅÇÈÉÊÎÑÔÖØÙÚÛÜ"
LEAST_HEAD, USUAL, UNSURE = 3, 2.5, 0.6  # letters beside an initial; Zipf frequency of a word; confidence of a guess
MOST_MISREAD = 3  # letters that an ornate initial is read as


def join_initials(lines: Sequence[FoundLine]) -> list[FoundLine]:
    """Lines in which a drop capital is the first letter of the word beside its head.

    The letter may stand by itself, or at the head of any of the lines beside it.
    """
    rest = list(lines)
    for line in lines:
        for word in line.words:
            read = _is_initial(word)
            if not read and not _is_unread(word, line):
                continue
            first = _first_beside(word, [each for each in rest if each is not line or len(line.words) > 1])
            if first is None:
                continue
            others = tuple(w for w in first.words if w is not word)
            if not read and not (others and _only_letter(others[0])):
                continue
            rest = [each for each in rest if each is not line and each is not first]
            if not others:
                continue
            letter = word._replace(text=word.text.strip(EDGES) if read else "")  # specks beside it are read as marks
            words = (*_as_one(letter, others[0]), *others[1:])
            rest.append(first._replace(words=words, box=union(w.box for w in others)))
            if first is not line and len(line.words) > 1:
                rest.append(part_of(line, tuple(w for w in line.words if w is not word)))
            break
    return list(map(_with_usual_initial, rest))


def _with_usual_initial(line: FoundLine) -> FoundLine:
    """The line, whose first word was read with another letter than the large one that makes it a usual word."""
    word = line.words[0]
    if len(line.words) < 2 or not word.text[:1].isupper() or not _is_high(word, line):
        return line
    if frequency(word.text.strip(EDGES).casefold(), word.language) > 0:
        return line
    only = _only_letter(word._replace(text=word.text[1:]))
    if not only:
        return line
    mended = word._replace(
        text=only + word.text[1:], confidence=min(UNSURE, word.confidence), letters="", others=(*word.others, word.text)
    )
    return line._replace(words=(mended, *line.words[1:]))


def _as_one(initial: FoundWord, head: FoundWord) -> tuple[FoundWord, ...]:
    """The letter and what it is the first letter of; apart where it is a word and the head alone is far commoner."""

    def usual(text: str) -> float:
        return frequency(text.strip(EDGES).casefold(), head.language)

    only = _only_letter(head)
    if only and not (initial.text and usual(initial.text + head.text)):
        box, confidence = union((initial.box, head.box)), min(UNSURE, initial.confidence, head.confidence)
        read = (*head.others, initial.text + head.text)
        return (head._replace(text=only + head.text, box=box, confidence=confidence, letters="", others=read),)
    plain = unicodedata.normalize("NFD", initial.text)[0]  # old print has no accents on capitals, but specks
    letter = max(initial.text, plain, key=lambda each: usual(each + head.text))
    text = letter + head.text
    is_word = initial.text.casefold() in ONE_LETTER.get(head.language, "")
    if is_word and usual(head.text) - usual(text) > FAR_COMMONER:
        return initial, head
    if usual(text) and head.text[1:].islower():  # after an initial old print has a second capital
        text = letter + head.text.lower()
    box, confidence = union((initial.box, head.box)), min(initial.confidence, head.confidence)
    return (head._replace(text=text, box=box, confidence=confidence, letters=""),)


def _only_letter(head: FoundWord) -> str:
    """The one capital that makes a usual word of what stands beside an initial; "" where several do, or none."""
    core = head.text.strip(EDGES)
    if len(core) < LEAST_HEAD or not core.islower():
        return ""
    usual = {letter: frequency((letter + core).casefold(), head.language) for letter in CAPITALS}
    first, second = sorted(usual, key=lambda letter: -usual[letter])[:2]
    rival = max(usual[second], frequency(core, head.language))
    return first if usual[first] >= USUAL and usual[first] - rival > FAR_COMMONER else ""


def _is_unread(word: FoundWord, line: FoundLine) -> bool:
    """Whether it may be an initial that reads as something else: at the head of a line, and far higher than the rest."""
    return word is line.words[0] and len(line.words) > 1 and len(word.text) <= MOST_MISREAD and _is_high(word, line)


def _is_high(word: FoundWord, line: FoundLine) -> bool:
    return word.box.height > LEAST_RISE * max(w.box.height for w in line.words[1:])


def _is_initial(word: FoundWord) -> bool:
    text = word.text.strip(EDGES)
    return len(text) == 1 and text.isalpha() and text.isupper()


def _first_beside(initial: FoundWord, lines: Sequence[FoundLine]) -> FoundLine | None:
    """The upper of at least two lines that begin right beside the letter."""
    box = initial.box
    beside = []
    for line in lines:
        words = [w for w in line.words if w is not initial]
        if not words:
            continue
        first = words[0].box
        if box.height > MOST_RISE * line.height:
            continue
        gap = first.left - box.right
        level = box.top - 0.1 * line.height < first.centre.y < box.bottom + 0.2 * line.height
        if -0.5 * line.height < gap < 1.5 * line.height and level:
            beside.append(line)
    # The baseline's line height, not the box, and the smallest: the letter itself may have stretched the others.
    if len(beside) < 2 or box.height < LEAST_RISE * min(line.height for line in beside):
        return None
    return min(beside, key=lambda line: _body(line, initial).top)


def _body(line: FoundLine, initial: FoundWord) -> Box:
    return union(w.box for w in line.words if w is not initial)
