"""Headlines of several rows: headings of one size right beneath each other are one."""

from __future__ import annotations

import re
from collections.abc import Sequence

from hyalen.core.layout.paragraphs import SENTENCE_END
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.content import Region
from hyalen.core.model.geometry import union

LEAST_SIZE = 1.3  # of the body's size
ALIKE = 1.15  # times: rows within it are of one size
PITCH = 1.75  # sizes from row to row
MOST_ROWS = 3
_NUMBERED = re.compile(r"\W*(?:\d+|[IVXLC]+)\b")


def with_headlines(regions: Sequence[Region], body: float) -> list[Region]:
    """The regions, a headline that was found in several joined to one.

    Parameters
    ----------
    regions : sequence of Region
        In reading order, with roles.
    body : float
        Size of the page's usual type, in pixels (see `sizes.body_size`).
    """
    joined: list[Region] = []
    for region in regions:
        if joined and _goes_on(joined[-1], region, body):
            lines = (*joined[-1].lines, *region.lines)
            outline = union(line.box for line in lines).polygon()
            joined[-1] = joined[-1].model_copy(update={"lines": lines, "outline": outline})
        else:
            joined.append(region)
    return joined


def _goes_on(head: Region, below: Region, body: float) -> bool:
    """Whether two headings are one: of one size, set alike, aligned on one side or centred."""
    headings = head.role.heading_level is not None and below.role.heading_level is not None
    if not headings or len(head.lines) + len(below.lines) > MOST_ROWS:
        return False
    upper, lower = head.lines[-1], below.lines[0]
    sizes = sorted((type_size(upper), type_size(lower)))
    if sizes[0] < LEAST_SIZE * body or sizes[1] > ALIKE * sizes[0]:
        return False
    near = 0 < lower.level - upper.level < PITCH * sizes[1]
    aside = (upper.box.left - lower.box.left, upper.box.right - lower.box.right)
    aligned = min(map(abs, (*aside, sum(aside) / 2))) < 0.5 * sizes[1]
    alike = upper.text.isupper() is lower.text.isupper()
    ended = upper.text.endswith(SENTENCE_END) or _NUMBERED.match(lower.text) is not None
    return near and aligned and alike and not ended
