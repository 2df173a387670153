"""Which picture or table a caption belongs to."""

from __future__ import annotations

import re
from collections.abc import Sequence

from hyalen.core.model.content import PageContent, Region, RegionKind, Role

CAPTIONED = (RegionKind.FIGURE, RegionKind.TABLE, RegionKind.FORMULA)
MOST_GAP = 0.6  # inches
LEAST_SHARED = 0.3  # of the narrower one's width
_OF_A_TABLE = re.compile(r"^tab(le|elle|leau|la|ela|\.)?\b", re.IGNORECASE)


def captioned(content: PageContent) -> dict[str, str]:
    """By the id of each caption, the id of what it explains; what a person has tied comes first.

    Otherwise it is the nearest picture or table right above, below or beside it, each with one caption; what begins as
    the caption of a table goes to a table where one is near.
    """
    others = {r.id: r for r in content.regions if r.kind in CAPTIONED and not r.role.is_artifact}
    captions = [r for r in content.regions if r.role is Role.CAPTION]
    found = {r.id: r.captions for r in captions if r.captions in others}
    pairs = []
    for caption in captions:
        if caption.id in found or caption.captions == "":
            continue
        table = bool(_OF_A_TABLE.match(caption.text))
        for other in others.values():
            gap = _gap(caption, other)
            if gap is not None and gap < MOST_GAP * content.dpi:
                pairs.append((table != (other.kind is RegionKind.TABLE), gap, caption.id, other.id))
    for _, _, caption_id, other_id in sorted(pairs):
        if caption_id not in found and other_id not in found.values():
            found[caption_id] = other_id
    return {caption: other for caption, other in found.items() if other is not None}


def _gap(caption: Region, other: Region) -> float | None:
    """Pixels between the two; None where they neither stand beneath nor beside each other."""
    a, b = caption.box, other.box
    across = min(a.right, b.right) - max(a.left, b.left)
    along = min(a.bottom, b.bottom) - max(a.top, b.top)
    if across > LEAST_SHARED * min(a.width, b.width):
        return max(0.0, float(-along))
    if along > LEAST_SHARED * min(a.height, b.height):
        return max(0.0, float(-across))
    return None


def beside_their_pictures(regions: Sequence[Region], tied: dict[str, str]) -> list[Region]:
    """The regions in reading order with each tied caption right before or after what it explains."""
    if not tied:
        return list(regions)
    places = {r.id: i for i, r in enumerate(regions)}
    above: dict[str, list[Region]] = {}
    below: dict[str, list[Region]] = {}
    for region in regions:
        if other := tied.get(region.id):
            (above if places[region.id] < places[other] else below).setdefault(other, []).append(region)
    ordered = []
    for region in regions:
        if region.id not in tied:
            ordered += [*above.get(region.id, []), region, *below.get(region.id, [])]
    return ordered
