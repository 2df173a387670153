"""Lines beside a woodcut initial or another drawing, that the engine ran on into its strokes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.imaging.pixels import Image, pieces, reduced
from hyalen.core.layout.rows import part_of
from hyalen.core.model.found import FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, union
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import sure_letters, with_lines_replaced, without_emptied
from hyalen.core.reading.tangles import read_rows, usual_height

WORK_DPI = 100.0  # pixels an inch: the strokes of a drawing are connected
DARK = 140  # grey level
HEIGHTS, ASPECT = (2.5, 14.0), 2.5  # of a drawing: usual heights of lines; its longer side in its shorter
UNSURE = 0.6  # confidence of what was read of its strokes
SURE, LEAST_WORD = 0.75, 2  # confidence and letters of a word that is text although it stands there
BEYOND, NEAR = 2.0, 3.0  # usual heights that a line goes on beside it; within which lines beside it begin
LEVEL = 0.5  # of a line's height, that is level with it
CLEARLY, ONE_ROW = 1.1, 1.6  # times as sure, what is taken instead; usual heights of a line that is one row, at most
AS_GOOD = 0.85  # of the letters that were read before, surely and beside the drawing
FILLED, LEAST_ROW = 0.6, 0.2  # of the drawing's width, under words of a row that touches it; its confidence
LETTER = 0.4  # of a line's height: widest of usual letters
SAME_ROW = 0.5  # of a line's height, that another's row has in common with it
MOST = 6  # drawings of a page


def read_beside_drawings(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks with lines to the right of a drawing that one ran into without its strokes, read again where that is surer.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    usual = usual_height(blocks)
    if usual is None:
        return list(blocks)
    result = list(blocks)
    read = 0
    for touched in _drawings(page, dpi, usual):
        known = [line for b in result for line in b.lines if line.words]
        if read == MOST or not any(_runs_into(line, touched, usual) for line in known):
            continue
        drawing = _without_rows(touched, known)
        mine = [line for line in known if _is_beside(line, drawing, usual)]
        if not any(_runs_into(line, drawing, usual) for line in mine):
            continue
        read += 1
        ids = {id(line) for line in mine}
        blank = page.copy()
        blank[:, : drawing.right] = 255
        clipped = [line._replace(box=line.box._replace(left=max(line.box.left, drawing.right))) for line in mine]
        again = read_rows(blank, dpi, languages, clipped, [x for x in known if id(x) not in ids], reader)
        # What was read of a row before, without the drawing's strokes, where that is one row and surer.
        told = [part_of(x, words) for x in mine if x.box.height < ONE_ROW * usual and (words := _outside(x, drawing))]
        surest = (_surer(line, [x for x in told if _is_row_of(x, line)]) for line in again)
        again = list({id(line): line for line in surest}.values())
        # No row is lost that is not found now.
        again += [x for x in mine if not any(_is_row_of(x, y) for y in again)]
        before = sum(sure_letters(x._replace(words=_outside(x, drawing))) for x in mine)
        if sum(map(sure_letters, again)) >= AS_GOOD * before:
            result = with_lines_replaced(result, mine, again)
    return without_emptied(result, blocks)


def _surer(line: FoundLine, before: Sequence[FoundLine]) -> FoundLine:
    """The line, or what was read of its row before where that is clearly surer and begins no farther in."""
    whole = (x for x in before if x.box.left < line.box.left + LEVEL * line.box.height)
    best = max(whole, key=sure_letters, default=line)
    return best if sure_letters(best) > CLEARLY * sure_letters(line) else line


def _drawings(page: Image, dpi: float, usual: float) -> list[Box]:
    """Connected ink of the size of an initial that is a picture, or of a small drawing."""
    small, factor = reduced(page, dpi, WORK_DPI)
    low, high = (times * usual / factor for times in HEIGHTS)
    found: list[Box] = []
    for left, top, width, height, _ in pieces((small < DARK).astype(np.uint8)).stats[1:].tolist():
        if low < height < high and width < ASPECT * height:
            box = Box(left, top, left + width, top + height)
            touching = [b for b in found if b.overlap(box) > 0]
            found = [*(b for b in found if b not in touching), union([box, *touching])]
    whole = Box(0, 0, page.shape[1], page.shape[0])
    drawings = [b for b in found if b.height < high and b.width < ASPECT * b.height < ASPECT**2 * b.width]
    return [Box(*(round(v * factor) for v in b)).grown(int(factor), whole) for b in drawings]


def _without_rows(drawing: Box, lines: Sequence[FoundLine]) -> Box:
    """The drawing less rows of text right above and below it whose letters touch it: they begin where it begins."""
    top, bottom = drawing.top, drawing.bottom
    for line in lines:
        letter = LETTER * line.box.height  # strokes read as a few letters are as wide as many
        inside = [w for w in line.words if w.box.overlap(drawing) > 0]
        within = sum(min(w.box.intersection(drawing).width, letter * len(w.text)) for w in inside)
        begins = abs(line.box.left - drawing.left) < LEVEL * line.box.height
        surest = max((w.confidence for w in inside), default=0.0)
        if not begins or within < FILLED * drawing.width or line.confidence < LEAST_ROW or surest < UNSURE:
            continue
        if line.box.top < drawing.top + LEVEL * line.box.height:
            top = max(top, line.box.bottom)
        elif line.box.bottom > drawing.bottom - LEVEL * line.box.height:
            bottom = min(bottom, line.box.top)
    return drawing._replace(top=top, bottom=bottom) if bottom > top else drawing


def _is_level(line: FoundLine, drawing: Box) -> bool:
    return min(line.box.bottom, drawing.bottom) - max(line.box.top, drawing.top) > LEVEL * line.box.height


def _runs_into(line: FoundLine, drawing: Box, usual: float) -> bool:
    """Whether it was begun in the drawing's strokes, and goes on beside it."""
    goes_on = line.box.right > drawing.right + BEYOND * usual
    return goes_on and _is_level(line, drawing) and 0 < len(_outside(line, drawing)) < len(line.words)


def _outside(line: FoundLine, drawing: Box) -> tuple[FoundWord, ...]:
    """Its words that are not the drawing's strokes: unsure, or without a letter, and within its width."""

    def is_stroke(word: FoundWord) -> bool:
        says_nothing = word.confidence < UNSURE or not any(map(str.isalnum, word.text))
        return says_nothing and drawing.left < word.box.right and word.box.centre.x < drawing.right

    return tuple(w for w in line.words if not is_stroke(w))


def _is_beside(line: FoundLine, drawing: Box, usual: float) -> bool:
    """Whether it stands to the right of the drawing, with no text before or within that."""
    starts = drawing.left - NEAR * usual < line.box.left < drawing.right + NEAR * usual
    if not starts or line.box.right < drawing.right + usual or not _is_level(line, drawing):
        return False
    before = [w for w in line.words if w.box.centre.x < drawing.right]
    return not any(w.confidence > SURE and sum(map(str.isalpha, w.text)) >= LEAST_WORD for w in before)


def _is_row_of(line: FoundLine, other: FoundLine) -> bool:
    shared = min(line.box.bottom, other.box.bottom) - max(line.box.top, other.box.top)
    return shared > SAME_ROW * min(line.box.height, other.box.height)
