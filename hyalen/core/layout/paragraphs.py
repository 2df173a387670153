"""Lines of a column into paragraphs, headings and list items."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from hyalen.core.model.content import Line

LIST_MARKER = re.compile(
    r"^(?:[•●▪■◦‣*·—–-]|[(\[]?(?:\d{1,3}|[ivxlc]{1,5}|[a-z])[.)\]]|\((?:\d{1,3}|[a-z])\))(?=\s)",
    re.IGNORECASE,
)
SENTENCE_END = tuple(".!?:;؟。")


_TALL = re.compile(r"[A-ZÀ-Þ0-9bdfhklßА-ЯЁбΑ-Ωβδθλξφψאל]")


def type_size(line: Line) -> float:
    """Height of the line's capitals and ascenders over the baseline, in pixels.

    Unlike the whole line's height it does not depend on which letters happen to stand
    in the line, so it tells sizes of type apart.
    """
    (x0, y0), (x1, y1) = line.baseline
    slope = (y1 - y0) / (x1 - x0) if x1 != x0 else 0.0
    rises = [(w, y0 + slope * (w.box.centre.x - x0) - w.box.top) for w in line.words]
    tall = [rise for w, rise in rises if _TALL.search(w.text)] or [rise for _, rise in rises]
    return max(1.0, float(np.median(tall)))


def split_paragraphs(lines: Sequence[Line], right_to_left: bool = False) -> list[list[Line]]:
    """Cut a column's lines where a new paragraph starts.

    A paragraph starts after more than the usual space, at a change of type size,
    at a list marker, at an indented line, or after a sentence that ends well short
    of the column's edge.

    Parameters
    ----------
    lines : sequence of Line
        From top to bottom.
    right_to_left : bool
        Lines start at the right edge.
    """
    if len(lines) < 2:
        return [list(lines)] if lines else []
    middle = [(line.baseline[0].y + line.baseline[1].y) / 2 for line in lines]
    pitch = np.diff(middle)
    usual = float(np.percentile(pitch, 35))
    starts = [-line.box.right if right_to_left else line.box.left for line in lines]
    ends = [-line.box.left if right_to_left else line.box.right for line in lines]
    edge, far = float(np.percentile(starts, 20)), float(max(ends))
    width = max(1.0, far - edge)
    paragraphs = [[lines[0]]]
    for i in range(1, len(lines)):
        before, line = lines[i - 1], lines[i]
        size = max(1.0, min(before.height, line.height))
        spaced = pitch[i - 1] > max(usual * 1.3, usual + 0.25 * size)
        sizes = (type_size(before), type_size(line))
        resized = max(sizes) / min(sizes) > 1.2 and len(line.text) > 3 and len(before.text) > 3
        marked = bool(LIST_MARKER.match(line.text))
        hanging = bool(LIST_MARKER.match(paragraphs[-1][0].text))
        indented = (
            not hanging
            and starts[i] - edge > 0.9 * size
            and starts[i - 1] - edge < 0.5 * size
            and starts[i] - edge < 0.3 * width
        )
        ended = far - ends[i - 1] > 0.22 * width and before.text.endswith(SENTENCE_END)
        if spaced or resized or marked or indented or ended:
            paragraphs.append([line])
        else:
            paragraphs[-1].append(line)
    return paragraphs
