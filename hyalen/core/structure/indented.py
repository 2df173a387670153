"""Text that is set apart from its column: quotations, and addresses at the head of a letter."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from hyalen.core.layout.paragraphs import LIST_MARKER, SENTENCE_END
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.content import PageContent, Region

EM = 1.4  # times the height of capitals
LEAST_IN = 1.2  # ems by which a quotation stands in on either side
LEAST_LINES, MOST_SHARE = 2, 0.4  # of a quotation; of a page's paragraphs
FLUSH = 0.6  # ems by which its lines may begin apart
HEAD = 0.45  # of the page's height: where an address may stand
ADDRESS_LINES = (3, 7)
MOST_ADDRESS, MOST_WORDS = 0.55, 7  # of the width of the page's text; of a line


def quotations(texts: Sequence[Region], body: float) -> set[str]:
    """Ids of paragraphs whose lines stand in on both sides between paragraphs that fill the same column.

    Parameters
    ----------
    texts : sequence of Region
        A page's text in reading order.
    body : float
        Height of the body's capitals in pixels.
    """
    em = EM * body
    found = set()
    for at in range(1, len(texts) - 1):
        before, region, after = texts[at - 1 : at + 2]
        if len(region.lines) < LEAST_LINES or LIST_MARKER.match(region.text):
            continue
        lefts = sorted(line.box.left for line in region.lines)
        left, right = lefts[len(lefts) // 2], max(line.box.right for line in region.lines)
        level = max(line.box.left for line in region.lines[1:]) - min(line.box.left for line in region.lines[1:])
        full = all(
            r.box.width > region.box.width
            and len(r.lines) >= LEAST_LINES
            and left - r.box.left > LEAST_IN * em
            and r.box.right - right > LEAST_IN * em
            for r in (before, after)
        )
        sized = body / 1.35 < type_size(region.lines[0]) < 1.08 * body
        in_order = before.box.bottom <= region.box.centre.y <= after.box.top
        if full and sized and in_order and level < FLUSH * em and abs(lefts[0] - left) < 2 * em:
            found.add(region.id)
    return found if len(found) <= MOST_SHARE * len(texts) else set()


def addresses(texts: Sequence[Region], content: PageContent, body: float) -> set[str]:
    """Ids of blocks of a few short lines at a page's head before its first longer text, one beneath the other.

    Their lines begin with capitals or figures and none ends as a sentence does; there are one or two on a letter.
    """
    longer = [r for r in texts if len(r.text) > 200]
    if not longer:
        return set()
    widest = max(r.box.width for r in texts)
    first = min(r.box.top for r in longer)
    found = [r.id for r in texts if r.box.bottom < min(first, HEAD * content.height) and _is_address(r, widest, body)]
    return set(found) if len(found) <= 2 else set()


def _is_address(region: Region, widest: int, body: float) -> bool:
    lines = region.lines
    if not ADDRESS_LINES[0] <= len(lines) <= ADDRESS_LINES[1] or region.box.width > MOST_ADDRESS * widest:
        return False
    if any(not 0.8 * body < type_size(line) < 1.15 * body for line in lines):
        return False
    texts = [line.text for line in lines]
    opens = all(t[:1].isupper() or t[:1].isdigit() for t in texts)
    short = all(len(t.split()) <= MOST_WORDS for t in texts)
    ends = any(t.endswith(SENTENCE_END) and len(t.split()[-1]) > 4 for t in texts[:-1])
    hyphened = any(a.endswith("-") for a, _ in pairwise(texts))
    ragged = max(line.box.right for line in lines) - min(line.box.right for line in lines) > EM * body
    return opens and short and ragged and not ends and not hyphened
