"""Where on a page the ink of a decision is."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from rapidfuzz import fuzz

from hyalen.core.decisions.ink import Ink, Lay, each_line
from hyalen.core.decisions.requests import EditError
from hyalen.core.model.content import PageContent, Region, Word
from hyalen.core.model.geometry import Box, union

SAME_WORD = 0.6  # of a word's area under the ink, and of the ink's under words
SAME_REGION = 0.5  # intersection over union
SAME_TEXT = 85.0  # per cent of likeness at which two texts are one
LEAST_SHARED = 0.3  # of the smaller area that two regions of one text share


class Unplaced(EditError):
    """The ink that a decision is about is not on the page any more."""


class WordSpan(NamedTuple):
    """Words `first` to `last` (excluded) of a region's line."""

    region: Region
    line: int
    first: int
    last: int

    @property
    def words(self) -> tuple[Word, ...]:
        return self.region.all_lines[self.line].words[self.first : self.last]


def find_words(content: PageContent, inks: Sequence[Ink], lay: Lay) -> WordSpan:
    """The words of one line that stand on the ink, however a new reading parts them.

    Raises
    ------
    Unplaced
        If there are none.
    """
    boxes = [lay.box(ink.place) for ink in inks]
    texts = [ink.text for ink in inks]
    lines = each_line(content)
    for region, at, line in lines:
        for first, word in enumerate(line.words):
            if word.box == boxes[0] and word.text == texts[0]:
                found = line.words[first : first + len(boxes)]
                if [w.box for w in found] == boxes and [w.text for w in found] == texts:
                    return WordSpan(region, at, first, first + len(boxes))
    whole = union(boxes)
    best, span = 0.0, None
    for region, at, line in lines:
        if line.box.overlap(whole) == 0:
            continue
        under = [i for i, w in enumerate(line.words) if whole.covers(w.box, SAME_WORD)]
        if not under:
            continue
        shared = sum(whole.overlap(line.words[i].box) for i in under)
        if shared > best:
            best, span = shared, WordSpan(region, at, under[0], under[-1] + 1)
    if span is None or best < SAME_WORD * sum(b.area for b in boxes):
        raise Unplaced(f"“{' '.join(texts)}” is not there any more")
    return span


def find_region(content: PageContent, ink: Ink, lay: Lay) -> Region:
    """The region that stands on the ink.

    Raises
    ------
    Unplaced
        If there is none that is nearly the same.
    """
    box = lay.box(ink.place)

    def likeness(region: Region) -> tuple[bool, float, bool, float]:
        same_text = fuzz.ratio(region.text[: len(ink.text) or 1], ink.text)
        return region.box == box, round(_shared(region.box, box), 2), region.kind is ink.kind, same_text

    best = max(content.everything, key=likeness, default=None)
    if best is not None:
        _, shared, same_kind, same_text = likeness(best)
        if shared >= SAME_REGION or (shared >= LEAST_SHARED and same_kind and ink.text and same_text >= SAME_TEXT):
            return best
    raise Unplaced("the block is not there any more")


def _shared(a: Box, b: Box) -> float:
    """Intersection over union."""
    common = a.overlap(b)
    whole = a.area + b.area - common
    return common / whole if whole else 0.0
