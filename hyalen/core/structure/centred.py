"""Headings in the body's own type: lines of their own in the middle of a column, over its paragraphs."""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence

from hyalen.core.layout.paragraphs import SENTENCE_END
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.content import Region

LEAST_IN = 2.0  # sizes that it stands in on either side
UNLIKE = 0.2  # of both sides' space: by how much they may differ
APART, MOST_APART = 1.15, 4.0  # times the column's own leading, to the lines above and below
FULL, MOST_FULL = 2, 0.8  # lines of the paragraph beneath; of its width, that a heading takes
LEAST_LETTERS = 0.6  # of its characters: neither a formula nor a row of figures
MOST_SHARE = 0.4  # of a page's texts: where more stand so, it is a title page, verse, or a play


def centred_heads(texts: Sequence[Region]) -> set[str]:
    """Ids of single centred lines with space around, that a paragraph follows, or another such line over one.

    Parameters
    ----------
    texts : sequence of Region
        A page's text in reading order.
    """
    found: list[Region] = []
    below: Region | None = None  # the paragraph that the lines looked at stand over
    under: Region | None = None
    for at in range(len(texts) - 1, -1, -1):
        region = texts[at]
        if len(region.lines) >= FULL:
            below = under = region
            continue
        above = texts[at - 1] if at else None
        if below is None or under is None or not _is_over(region, under, below, above):
            below = None
            continue
        if _is_headed(region):
            found.append(region)
        under = region
    return {r.id for r in found} if len(found) <= max(1, MOST_SHARE * len(texts)) else set()


def _is_over(region: Region, under: Region, below: Region, above: Region | None) -> bool:
    """Whether it is a line in the middle of a paragraph's column, apart from what stands under and above it."""
    line, size = region.lines[0], type_size(region.lines[0])
    left, right = line.box.left - below.box.left, below.box.right - line.box.right
    if min(left, right) < LEAST_IN * size or abs(left - right) > UNLIKE * (left + right):
        return False
    if line.box.width > MOST_FULL * below.box.width:
        return False
    first, last = below.lines[0], below.lines[-1]
    leading = (last.level - first.level) / (len(below.lines) - 1)
    down = under.lines[0].level - line.level
    # Where something else stands above, it is in another column, or the page begins.
    up = line.level - above.lines[-1].level if above is not None and above.lines else MOST_APART * leading
    return APART * leading < down < MOST_APART * leading and (up < 0 or up > APART * leading)


def _is_headed(region: Region) -> bool:
    text = region.text
    signs = [c for c in text if not c.isspace() and not unicodedata.category(c).startswith("M")]
    lettered = sum(map(str.isalpha, signs)) > LEAST_LETTERS * len(signs)
    formula = any(unicodedata.category(c) == "Sm" for c in signs)
    return lettered and not formula and not text.endswith((*SENTENCE_END, ",", "-")) and not text[:1].islower()
