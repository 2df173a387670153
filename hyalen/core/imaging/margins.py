"""Even margins for a document's pages."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from hyalen.core.model.treatment import Cleaned, Frame

LEAST_MARGIN = 0.25  # inches around the content


def even_frame(pages: Sequence[Cleaned]) -> Frame | None:
    """A page that holds the content of all: the usual size, its content where it usually begins.

    Medians over the pages, so that a single odd page changes nothing but the room it needs. None
    where no page bears content.
    """
    boxes = [(p, p.content) for p in pages if p.content is not None]
    if not boxes:
        return None
    own = np.array([(p.width / p.dpi, p.height / p.dpi) for p, _ in boxes])
    content = np.array([[v / p.dpi for v in box] for p, box in boxes])
    width, height = np.median(own, axis=0)
    left, top = (max(LEAST_MARGIN, float(v)) for v in np.median(content[:, :2], axis=0))
    wide, tall = (content[:, 2:] - content[:, :2]).max(axis=0)
    return Frame(
        width=round(float(max(width, left + wide + LEAST_MARGIN)), 3),
        height=round(float(max(height, top + tall + LEAST_MARGIN)), 3),
        left=round(left, 3),
        top=round(top, 3),
    )
