"""A part of a page, read by itself while somebody waits for it."""

from __future__ import annotations

from collections.abc import Mapping

import cv2
import numpy as np

from hyalen.core.imaging.colour import ink_levels
from hyalen.core.imaging.letters import suited
from hyalen.core.imaging.pixels import Image, as_uint8, grey, with_margin
from hyalen.core.languages import is_right_to_left
from hyalen.core.layout.grids import find_grid
from hyalen.core.layout.leaders import find_leaders, without_leaders
from hyalen.core.layout.lettering import with_lettering
from hyalen.core.layout.making import Numbering, made_line
from hyalen.core.model.content import Line, PageContent, Region, RegionKind, Role
from hyalen.core.model.found import Shape
from hyalen.core.model.geometry import Box, bounds, union
from hyalen.core.model.part import PartRead, PartWanted
from hyalen.core.read import read_closely
from hyalen.core.reading.engine import ENGINE
from hyalen.core.reading.finish import finished
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import letters_of, read_rest, shifted, unread_strips

DARK_GROUND = 110  # grey level of most of a part whose letters are light
PAD = 0.04  # inches of white around what is read


def read_part(page: Image, dpi: float, wanted: PartWanted, reader: Reader = ENGINE) -> PartRead:
    """What stands within an outline, without what is known already, and its rows and columns where they are wanted.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned.
    dpi : float
        Pixels an inch.
    wanted : PartWanted
    reader : Reader

    Raises
    ------
    EngineError
        If the engine cannot be used.
    """
    box = bounds(wanted.outline).intersection(Box(0, 0, page.shape[1], page.shape[0]))
    if box.width < 2 or box.height < 2:
        return PartRead()
    ink = _ink(ink_levels(page, dpi), box, wanted)
    lines = _read(ink, dpi, box, wanted, reader)
    lines = _lettered(_closely(lines, ink, box, dpi, wanted, reader), page, dpi, wanted)
    if not wanted.grid:
        return PartRead(lines)
    crop = np.ascontiguousarray(grey(page)[box.top : box.bottom, box.left : box.right])
    return PartRead(lines, find_grid(crop, dpi, box, (*wanted.held, *lines), is_right_to_left(wanted.languages[0])))


def _closely(
    lines: tuple[Line, ...], ink: Image, box: Box, dpi: float, wanted: PartWanted, reader: Reader
) -> tuple[Line, ...]:
    """The lines as all witnesses tell them that a whole page's words have."""
    if not lines:
        return ()
    there = Box(0, 0, box.right, box.bottom)
    alone = as_uint8(np.full((there.height, there.width), 255))
    alone[box.top :, box.left :] = ink
    content = _page_of(there, dpi, wanted.languages, {"read": lines})
    return read_closely(alone, dpi, content, reader).region("read").lines


def _lettered(lines: tuple[Line, ...], page: Image, dpi: float, wanted: PartWanted) -> tuple[Line, ...]:
    """The lines with the style of their words, told beside what is around them."""
    if not lines:
        return ()
    there = Box(0, 0, page.shape[1], page.shape[0])
    content = _page_of(there, dpi, wanted.languages, {"read": lines, "around": wanted.around})
    return with_lettering(content, page).region("read").lines


def _page_of(there: Box, dpi: float, languages: tuple[str, ...], lines: Mapping[str, tuple[Line, ...]]) -> PageContent:
    """A page that has those paragraphs, by their names."""
    regions = tuple(
        Region(
            id=name,
            kind=RegionKind.TEXT,
            role=Role.PARAGRAPH,
            outline=union(line.box for line in of).polygon(),
            language=languages[0],
            lines=of,
        )
        for name, of in lines.items()
        if of
    )
    return PageContent(width=there.width, height=there.height, dpi=dpi, regions=regions, languages=languages)


def _ink(page: Image, box: Box, wanted: PartWanted) -> Image:
    """The ink under the outline that is not known yet, dark on white."""
    crop = page[box.top : box.bottom, box.left : box.right].copy()
    inside = np.zeros(crop.shape, np.uint8)
    corners = np.round(np.array(wanted.outline) - (box.left, box.top)).astype(np.int32)
    cv2.fillPoly(inside, [corners], (1,))
    if inside.any() and float(np.median(crop[inside > 0])) < DARK_GROUND:
        crop = as_uint8(255 - crop)
    crop[inside == 0] = 255
    for left, top, right, bottom in wanted.boxes:
        crop[max(0, top - 1 - box.top) : max(0, bottom + 1 - box.top), max(0, left - 1 - box.left) : max(0, right + 1 - box.left)] = 255  # fmt: skip
    return as_uint8(crop)


def _read(ink: Image, dpi: float, box: Box, wanted: PartWanted, reader: Reader) -> tuple[Line, ...]:
    if wanted.held and not unread_strips(letters_of(ink, dpi), []):
        return ()
    pad = max(4, int(PAD * dpi))
    padded = with_margin(ink, pad)
    leaders = find_leaders(padded, dpi)
    padded = without_leaders(padded, leaders)
    view, scale = suited(padded, may_reduce=True)
    found = reader.read_region(view, dpi * scale, wanted.languages, Shape.BLOCK)
    blocks = found if scale == 1.0 else [block.scaled(1 / scale) for block in found]
    blocks += read_rest(padded, dpi, wanted.languages, blocks, reader)
    kept = finished(padded, dpi, wanted.languages, blocks, leaders, reader)
    numbered = Numbering()
    lines = (shifted(line, box.left - pad, box.top - pad) for b in kept for line in b.lines if line.words)
    return tuple(made_line(line, numbered) for line in lines)
