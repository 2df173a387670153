"""Reads the lines whose words are likeliest to be wrong a second time, so that proofing has two witnesses."""

from __future__ import annotations

from hyalen.core.imaging.pixels import Image
from hyalen.core.model.content import Line, PageContent
from hyalen.core.proofing.chance import judge
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.second import second_reading

LEAST = 0.05  # chance that a word of the line is wrong
MOST = 10  # lines a page: each takes a good hundredth of the time that reading the page does


def read_twice(page: Image, dpi: float, content: PageContent, reader: Reader) -> PageContent:
    """The content with what a second reading has on the words of its worst lines.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    worst: dict[int, float] = {}
    lines: dict[int, tuple[Line, str]] = {}
    for each in judge(content):
        placed, key = each.placed, id(each.placed.line)
        if placed.word.second is not None:
            continue
        worst[key] = max(worst.get(key, 0.0), each.chance)
        lines[key] = placed.line, placed.region.language or content.languages[0]
    chosen = sorted((key for key in worst if worst[key] >= LEAST), key=lambda key: -worst[key])[:MOST]
    second: dict[str, str] = {}
    for line, language in (lines[key] for key in chosen):
        told = second_reading(page, dpi, line, (language,), reader)
        second |= {w.id: text for w, text in zip(line.words, told, strict=True) if w.second is None}

    def seconded(line: Line) -> Line:
        if not any(word.id in second for word in line.words):
            return line
        words = (w.model_copy(update={"second": second[w.id]}) if w.id in second else w for w in line.words)
        return line.model_copy(update={"words": tuple(words)})

    return content.with_lines(seconded) if second else content
