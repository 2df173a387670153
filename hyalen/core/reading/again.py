"""Lines that read badly are read once more, larger and by the finer model, and the better reading is kept."""

from __future__ import annotations

from collections.abc import Sequence

from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import EDGES, is_known
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord, Model
from hyalen.core.model.geometry import Box
from hyalen.core.reading.lines import read_line
from hyalen.core.reading.reader import Reader

WEAK = 0.86  # mean confidence of a line's letters below which it is read again
MOST = 24  # lines a page: what reads badly all over does not read better
SLACK = 0.08  # of a line's height, that its words may be higher than it was found
BETTER = 0.03  # of worth (confidence and known words) by which another reading must lead


def read_again(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks with their weakest lines read again where that reads better.

    What the line was read as before stays as other readings of its words.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    weak = sorted(
        (value, id(line)) for b in blocks for line in b.lines if (value := _worth(line)) < WEAK and _letters(line) > 2
    )
    chosen = {key for _, key in weak[:MOST]}
    if not chosen:
        return list(blocks)
    return [
        block._replace(
            lines=tuple(
                _best(page, dpi, languages, line, reader) if id(line) in chosen else line for line in block.lines
            )
        )
        for block in blocks
    ]


def _best(page: Image, dpi: float, languages: tuple[str, ...], line: FoundLine, reader: Reader) -> FoundLine:
    if line.box.height > 2.5 * line.height:
        return line
    found = read_line(page, dpi, line.box, line.height, languages, reader, model=Model.FINER)
    if len(found) != 1:
        return line
    other = found[0]
    if not 0.6 < _letters(other) / max(1, _letters(line)) < 1.6 or _worth(other) < _worth(line) + BETTER:
        return line
    words = tuple(
        w._replace(box=_within(w.box, line), others=tuple(dict.fromkeys((*w.others, *_before(w, line)))))
        for w in other.words
    )
    return line._replace(words=words)


def _within(box: Box, line: FoundLine) -> Box:
    """The box of a word, no higher than its line was found: what hangs into it from the lines around is seen again, too."""
    slack = int(SLACK * line.height)
    top, bottom = max(box.top, line.box.top - slack), min(box.bottom, line.box.bottom + slack)
    return box._replace(top=top, bottom=bottom) if bottom - top > 0.5 * box.height else box


def _before(word: FoundWord, line: FoundLine) -> list[str]:
    """What the line's first reading had on the word's ink."""
    return [
        w.text
        for w in line.words
        if w.text != word.text and word.box.covers(w.box, 0.6) and w.box.covers(word.box, 0.6)
    ]


def _letters(line: FoundLine) -> int:
    return sum(c.isalnum() for w in line.words for c in w.text)


def _worth(line: FoundLine) -> float:
    """Mean confidence of the letters; words that the language knows count a little more."""
    total = sum(len(w.text) for w in line.words)
    if not total:
        return 0.0
    known = sum(len(w.text) for w in line.words if len(w.text) > 3 and is_known(w.text.strip(EDGES), w.language))
    return line.confidence + 0.1 * known / total - 0.05
