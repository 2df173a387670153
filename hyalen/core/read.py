"""Puts reading, layout and structure together: from a cleaned page's pixels to its content."""

from __future__ import annotations

import cv2
import numpy as np

from hyalen.core.imaging.pixels import Image, grey, reduced
from hyalen.core.imaging.skew import glyph_mask
from hyalen.core.languages import SCRIPT_LANGUAGES, identify
from hyalen.core.layout.evidence import gather
from hyalen.core.layout.regions import find_regions
from hyalen.core.model.content import PageContent
from hyalen.core.model.found import FoundBlock, Shape
from hyalen.core.reading.again import read_again
from hyalen.core.reading.engine import ENGINE
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import read_once, read_rest
from hyalen.core.reading.spelling import mended, settle_case
from hyalen.core.structure.roles import assign_roles

AUTO = "auto"
SAMPLE_STRIPS = 3
LEAST_INK = 190  # grey level: a page without anything darker is blank, and the engine would read its grain


def read_content(page: Image, dpi: float, languages: tuple[str, ...], reader: Reader = ENGINE) -> PageContent:
    """The content of a cleaned page.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
    dpi : float
        Pixels an inch.
    languages : tuple of str
        ISO 639-3 codes, or ("auto",) to find them among those the reader knows.
    reader : Reader

    Raises
    ------
    EngineError
        If the engine cannot be used.
    """
    if languages == (AUTO,):
        languages = detect_languages(page, dpi, reader)
    ink = grey(page)
    blocks: list[FoundBlock] = []
    if int(ink.min()) < LEAST_INK:
        blocks = read_once(reader.read_page(ink, dpi, languages))
        blocks += read_rest(ink, dpi, languages, blocks, reader)
        blocks = read_again(ink, dpi, languages, blocks, reader)
    blocks = settle_case(
        [block._replace(lines=tuple(m for line in block.lines if (m := mended(line)))) for block in blocks]
    )
    evidence = gather(page, dpi)
    content = PageContent(
        width=page.shape[1],
        height=page.shape[0],
        dpi=dpi,
        regions=find_regions(page, dpi, blocks, languages, evidence),
        languages=languages,
    )
    return assign_roles(content, page, evidence.told, evidence.rules.across)


def detect_languages(page: Image, dpi: float, reader: Reader = ENGINE) -> tuple[str, ...]:
    """The languages of a page, most used first.

    Strips of the page are read with one model for each script that is installed,
    the Latin one first; the words of each strip are then looked up in the
    languages' word lists.
    """
    found: dict[str, float] = {}
    for strip in _sample_strips(grey(page), dpi):
        language, weight = _strip_language(strip, dpi, reader)
        if language:
            found[language] = found.get(language, 0.0) + weight
    ranked = sorted(found, key=lambda code: -found[code])
    kept = [code for code in ranked if found[code] >= 0.2 * found[ranked[0]]]
    return tuple(kept[:3]) or ("eng",)


def _strip_language(strip: Image, dpi: float, reader: Reader) -> tuple[str | None, float]:
    installed = reader.languages()
    own_script = [codes[0] for codes in SCRIPT_LANGUAGES.values() if codes[0] in installed]
    best: tuple[str | None, float] = (None, 0.0)
    for model in ["Latin", *own_script]:
        words = [
            w for b in reader.read_region(strip, dpi, (model,), Shape.BLOCK) for line in b.lines for w in line.words
        ]
        if not words:
            continue
        confidence = sum(w.confidence * len(w.text) for w in words) / sum(len(w.text) for w in words)
        candidates = installed if model == "Latin" else (model,)
        language, margin = identify([w.text for w in words], candidates)
        weight = confidence * len(words)
        if language and margin > 0.02 and weight > best[1]:
            best = (language, weight)
        if language and confidence > 0.85 and margin > 0.05:
            break
    return best


def _sample_strips(page: Image, dpi: float) -> list[Image]:
    """Strips about half an inch high where most letters stand, from different parts of the page."""
    small, factor = reduced(page, dpi, 75)
    rows = cv2.blur(glyph_mask(small, dpi / factor).sum(axis=1, dtype=np.float64)[:, None], (1, 9))[:, 0]
    height = max(8, int(0.55 * dpi / factor))
    strips = []
    for part in range(SAMPLE_STRIPS):
        first = part * len(rows) // SAMPLE_STRIPS
        last = (part + 1) * len(rows) // SAMPLE_STRIPS
        held = np.convolve(rows[first:last], np.ones(height), mode="valid")
        if len(held) == 0 or held.max() == 0:
            continue
        top = int((first + int(np.argmax(held))) * factor)
        strips.append(page[top : top + int(height * factor)])
    return strips
