"""Whether the text that a page carries is what its ink says."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from rapidfuzz import fuzz

from hyalen.core.imaging.pixels import Image, as_uint8, with_margin
from hyalen.core.languages import BY_REQUEST, SCRIPT_LANGUAGES, identify, script_of
from hyalen.core.model.content import LEAST_LIKENESS
from hyalen.core.model.found import FoundBlock, FoundLine, Shape
from hyalen.core.reading.reader import Reader

SAMPLES = 5  # lines of a page that are read to compare
LEAST_LETTERS = 12  # of such a line
DARK = 150  # grey level
LEAST_INKED = 0.5  # of a page's words, under which there is ink
PADDING = 8  # pixels
_PUNCTUATION = re.compile(r"[\s.,;:!?'\"()\[\]’‘“”„«»…·•–—-]+")  # what readers differ in


class Judged(NamedTuple):
    """`likeness` (0 to 1) of the layer and the ink; what both say at the place where they differ most."""

    likeness: float
    layer: str = ""
    ink: str = ""

    @property
    def is_bad(self) -> bool:
        return self.likeness < LEAST_LIKENESS


def judge_layer(page: Image, dpi: float, blocks: Sequence[FoundBlock], reader: Reader) -> Judged:
    """Compare some lines of a page's own text with what a reader sees there.

    The middle one of the likenesses counts: a formula, or a line in a script that is not installed, says
    nothing about the rest. Text that lies off its ink is told by that.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    blocks : sequence of FoundBlock
        The page's own text.
    """
    lines = [line for block in blocks for line in block.lines]
    words = [w for line in lines for w in line.words]
    if not words:
        return Judged(0.0)
    inked = sum(_has_ink(page, w.box) for w in words) / len(words)
    if inked < LEAST_INKED:
        return Judged(0.0, _text(lines[0]), "")
    found = []
    for line in _samples(lines):
        languages = _languages(line, reader)
        if languages:
            ink = _read(page, dpi, line, languages, reader)
            found.append((fuzz.ratio(_bare(_text(line)), _bare(ink)), _text(line), ink))
    if not found:
        return Judged(1.0)  # no reader knows its script
    found.sort(key=lambda each: each[0])
    return Judged(round(found[len(found) // 2][0] / 100, 3), found[0][1], found[0][2])


def _samples(lines: Sequence[FoundLine]) -> list[FoundLine]:
    """Long lines from all over the page."""
    upright = [line for line in lines if line.box.width > line.box.height]
    long = [line for line in upright if sum(c.isalnum() for c in _text(line)) >= LEAST_LETTERS] or upright
    step = max(1.0, len(long) / SAMPLES)
    return [
        max(long[int(i * step) : max(int((i + 1) * step), int(i * step) + 1)], key=lambda line: len(_text(line)))
        for i in range(min(SAMPLES, len(long)))
    ]


def _languages(line: FoundLine, reader: Reader) -> tuple[str, ...]:
    installed = tuple(code for code in reader.languages() if code not in BY_REQUEST)
    text = _text(line)
    scripts = [s for c in text if (s := script_of(c))]
    if not scripts:
        return ("eng",) if "eng" in installed else installed[:1]
    script = max(set(scripts), key=scripts.count)
    own = [code for code in SCRIPT_LANGUAGES.get(script, ()) if code in installed]
    if script != "LATIN":
        return tuple(own[:1])
    told, _ = identify(text.split(), installed)
    return (told,) if told else tuple(code for code in ("eng", *installed) if code in installed)[:1]


def _read(page: Image, dpi: float, line: FoundLine, languages: tuple[str, ...], reader: Reader) -> str:
    left, top, right, bottom = line.box.grown(PADDING)
    crop = np.ascontiguousarray(page[max(0, top) : max(0, bottom), max(0, left) : max(0, right)])
    if crop.size == 0:
        return ""
    if float(np.median(crop)) < DARK:
        crop = as_uint8(255 - crop)
    crop = with_margin(crop, PADDING)
    found = reader.read_region(crop, dpi, languages, Shape.LINE)
    return " ".join(w.text for block in found for each in block.lines for w in each.words)


def _has_ink(page: Image, box: tuple[int, int, int, int]) -> bool:
    left, top, right, bottom = box
    part = page[max(0, top) : max(0, bottom), max(0, left) : max(0, right)]
    return part.size > 0 and int(part.max()) - int(part.min()) > 255 - DARK - 65


def _text(line: FoundLine) -> str:
    return " ".join(w.text for w in line.words)


def _bare(text: str) -> str:
    return _PUNCTUATION.sub("", text).casefold()
