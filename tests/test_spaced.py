"""Letters set far apart are set close before they are read."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point
from hyalen.core.read import read_content
from hyalen.core.reading.spaced import with_spaced_words
from hyalen.demo.typeset import Typesetter
from tests.readers import Asked, PartReader

HEIGHT, WIDTH, LEFT = 40, 20, 60  # pixels of a letter, and where a line begins
CLOSE, WORD, APART = 3, 14, 16  # white between letters, between words, between letters set apart
USUAL = "the lamp was lit and every keeper slept"


def row(text: str, at: int, page: Image) -> FoundBlock:
    """A bar for each letter of a line, with wide white beside those in capitals, and the line as one block."""
    x = LEFT
    for i, letter in enumerate(text):
        if letter == " ":
            beside = text[i - 1].isupper() and text[i + 1].isupper()
            x += WORD + (APART if beside else 0)
            continue
        cv2.rectangle(page, (x, at), (x + WIDTH - 1, at + HEIGHT - 1), 0, -1)
        x += WIDTH
        if i + 1 < len(text) and text[i + 1] != " ":
            x += APART if letter.isupper() or text[i + 1].isupper() else CLOSE
    box = Box(LEFT, at, x, at + HEIGHT)
    words = (FoundWord(text.replace(" ", "").casefold(), box, 0.9, "eng"),)
    return FoundBlock(BlockKind.TEXT, box, (FoundLine(words, box, (Point(LEFT, at + 39), Point(x, at + 39)), HEIGHT),))


class SetClose(PartReader):
    """Reads bars with little white between them as the letters it was told, and tells what white it was shown."""

    def __init__(self, letters: str) -> None:
        self.letters = letters
        self.shown: list[list[int]] = []

    def on(self, crop: Image, asked: Asked) -> list[FoundBlock]:
        dark = (crop < 128).any(axis=0)
        edges = np.flatnonzero(np.diff(np.concatenate([[0], dark.astype(np.int8), [0]])))
        scale = 56 / HEIGHT  # at which a line is read
        whites = ((edges[2::2] - edges[1:-1:2]) / scale).round().astype(int).tolist()
        self.shown.append(whites)
        words, text, left = list[FoundWord](), "", edges[0]
        for i, letter in enumerate(self.letters):
            text += letter
            if i == len(whites) or whites[i] > 0.25 * HEIGHT:
                words.append(FoundWord(text, Box(int(left), 0, int(edges[2 * i + 1]), crop.shape[0]), 0.9, "eng"))
                text, left = "", edges[2 * i + 2] if i < len(whites) else 0
        box = Box(0, 0, crop.shape[1], crop.shape[0])
        line = FoundLine(tuple(words), box, (Point(0, box.bottom), Point(box.right, box.bottom)), 56)
        return [FoundBlock(BlockKind.TEXT, box, (line,))]


def read(text: str) -> tuple[list[FoundWord], SetClose, NDArray[np.uint8]]:
    page = np.full((400, 2400), 255, np.uint8)
    blocks = [row(USUAL, 40, page), row(text, 150, page), row(USUAL, 260, page)]
    reader = SetClose(text.replace(" ", "").casefold())
    told = with_spaced_words(page, 300, ("eng",), blocks, reader)
    assert [told[0], told[2]] == [blocks[0], blocks[2]]
    return [w for line in told[1].lines for w in line.words], reader, page


@pytest.mark.parametrize(
    "text",
    [
        "the old LIGHT was lit",
        "LIGHT and water",
        "the old STRONG LIGHT",
        "and THE HOUSE stood there",
        "it was a LIGHT that burned",  # a word of one letter stands before it as one more letter would
    ],
)
def test_words_set_apart_are_parted_from_those_that_are_not(text: str) -> None:
    words, reader, page = read(text)
    assert [w.text for w in words] == text.casefold().split()
    for word in words:  # on the page's own ink, from edge to edge
        ink = (page[word.box.top : word.box.bottom, word.box.left : word.box.right] < 128).any(axis=0)
        assert ink[0] and ink[-1]
        assert (page[160, [word.box.left - 2, word.box.right + 1]] == 255).all()
    assert max(min(whites) for whites in reader.shown) == CLOSE


def test_what_is_no_word_then_stays_as_it_was() -> None:
    words, reader, _ = read("the old XQZVK was lit")
    assert "xqzvk" in [w.text for w in words]  # parted from the words around it, which a list has
    words, reader, _ = read("XQZVK")
    assert reader.shown and [w.text for w in words] == ["xqzvk"]


def test_a_page_without_such_letters_is_not_read_again() -> None:
    _, reader, _ = read("water and light")
    assert reader.shown == []


def test_letters_that_are_never_parted_belong_to_their_word() -> None:
    """In German "ch" and "ck" stay together where letters are set apart (common practice, no source)."""
    words, _, _ = read("the old BRIghT light was lit")
    assert [w.text for w in words] == ["the", "old", "bright", "light", "was", "lit"]


def test_no_letter_is_parted_from_a_word_that_is_none_itself() -> None:
    words, _, _ = read("the XAND was lit")  # "and" is a word, and "x" is none
    assert [w.text for w in words] == ["the", "xand", "was", "lit"]


def test_figures_in_columns_are_not_joined() -> None:
    page = np.full((400, 2400), 255, np.uint8)
    block = row("the lamp ABCD", 150, page)
    (line,) = block.lines
    edges = [LEFT + 7 * WIDTH + 5 * CLOSE + 2 * WORD + i * (WIDTH + APART) for i in range(4)]
    figures = [FoundWord(str(n), Box(x, 150, x + WIDTH, 190), 0.9, "eng") for n, x in enumerate(edges)]
    lamp = FoundWord("thelamp0", Box(LEFT, 150, edges[0] + WIDTH, 190), 0.9, "eng")
    blocks = [block._replace(lines=(line._replace(words=(lamp, *figures[1:])),)), row(USUAL, 260, page)]
    told = with_spaced_words(page, 300, ("eng",), blocks, SetClose("thelamp0123"))
    assert [w.text for w in told[0].lines[0].words] == ["the", "lamp", "0", "1", "2", "3"]


TEXTS = {
    "deu": "Der Leuchtturm von <s>Varddal</s> wurde im Jahre 1884 errichtet und steht auf einem <s>felsigen</s> Eiland "
    "vor der Küste. <s>Niemals</s> hat sein Licht versagt, auch nicht im <s>großen Sturm</s> des Jahres 1907.",
    "rus": "Маяк был построен в 1884 году и стоит на <s>скалистом</s> острове у берега. <s>Никогда</s> его свет не гас, "
    "даже в <s>большую бурю</s> 1907 года, когда волны били через <s>фонарь</s> смотрителя.",
}


@pytest.mark.parametrize("language", TEXTS)
def test_stressed_words_are_read_as_words(setter: Typesetter, language: str) -> None:
    text = TEXTS[language]
    style = "body{margin:25mm;font:11pt/1.5 'Liberation Serif'} s{text-decoration:none;letter-spacing:.25em}"
    page = setter.set(f"<html><meta charset=utf-8><style>{style}</style><p data-role=p>{text}</p>")
    content = read_content(page.image, page.dpi, (language,))
    words = {w.text.strip(".,") for region in content.regions for w in region.words}
    stressed = [w for part in text.split("<s>")[1:] for w in part.split("</s>")[0].split()]
    assert [w for w in stressed if w not in words] == []
