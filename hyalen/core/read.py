"""Puts reading, layout and structure together: from a cleaned page's pixels to its content."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np

from hyalen.core.imaging.cards import find_cards
from hyalen.core.imaging.colour import coloured_among_black, ink_levels
from hyalen.core.imaging.contrast import contrast
from hyalen.core.imaging.hanging import PALEST_INK
from hyalen.core.imaging.letters import suited
from hyalen.core.imaging.likeness import look
from hyalen.core.imaging.panels import dark_panels, panels_turned
from hyalen.core.imaging.pixels import Image, grey, reduced
from hyalen.core.imaging.skew import glyph_mask
from hyalen.core.languages import BY_REQUEST, SCRIPT_LANGUAGES, identify, mostly_right_to_left
from hyalen.core.layout.cards import together
from hyalen.core.layout.evidence import Evidence, gather
from hyalen.core.layout.leaders import find_leaders, without_leaders
from hyalen.core.layout.lettering import with_lettering
from hyalen.core.layout.order import near_ties
from hyalen.core.layout.outlines import core
from hyalen.core.layout.regions import find_regions
from hyalen.core.model.content import Line, OwnText, PageContent, Region, RegionKind, Word
from hyalen.core.model.document import TextFrom
from hyalen.core.model.found import FoundBlock, FoundLine, Shape
from hyalen.core.model.geometry import Box
from hyalen.core.model.tagged import TaggedBlock
from hyalen.core.reading.alike import with_alike
from hyalen.core.reading.askew import read_askew
from hyalen.core.reading.beside import read_beside_drawings
from hyalen.core.reading.broken_rows import with_broken_rows
from hyalen.core.reading.by_rows import read_by_rows, with_rows_measured
from hyalen.core.reading.cells import read_cells
from hyalen.core.reading.engine import ENGINE
from hyalen.core.reading.finish import finished
from hyalen.core.reading.foreign import with_foreign_words
from hyalen.core.reading.initials import read_initials
from hyalen.core.reading.layer import judge_layer
from hyalen.core.reading.points import with_points
from hyalen.core.reading.reader import Reader
from hyalen.core.reading.rest import (
    Letters,
    letters_of,
    read_display,
    read_once,
    read_rest,
    unread_strips,
    with_rows_upright,
)
from hyalen.core.reading.tagged import tagged_content
from hyalen.core.reading.tangles import clear_of_neighbours, parted_from_tangles, still_tangled, untangled
from hyalen.core.structure.roles import assign_roles
from hyalen.core.twice import read_twice

AUTO = "auto"
SAMPLE_STRIPS = 3  # of a page, from which its languages are told
LEAST_UNREAD = 0.5  # inches
CERTAIN, LIKELY = 0.72, 0.45  # confidence of a strip's letters in the right script


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
    if cards := find_cards(page, dpi):
        cut = (np.ascontiguousarray(page[card.top : card.bottom, card.left : card.right]) for card in cards)
        return together(page, cards, [_read_sheet(each, dpi, languages, reader) for each in cut])
    return _read_sheet(page, dpi, languages, reader)


def _read_sheet(page: Image, dpi: float, languages: tuple[str, ...], reader: Reader) -> PageContent:
    panels = dark_panels(page, dpi)
    page = panels_turned(page, panels, dpi)
    evidence = gather(page, dpi, panels)
    leaders = find_leaders(grey(page), dpi)
    levels = ink_levels(page, dpi)
    ink = without_leaders(levels, leaders)
    letters = letters_of(ink, dpi)
    blocks: list[FoundBlock] = []
    if int(ink.min()) < PALEST_INK:
        blocks = read_once(_read_page(ink, dpi, languages, reader, evidence.plain))
        blocks = with_rows_upright(ink, dpi, languages, blocks, reader)
        blocks = read_by_rows(ink, dpi, languages, blocks, reader)
        blocks = read_beside_drawings(ink, dpi, languages, blocks, reader)
        blocks = with_broken_rows(ink, dpi, languages, blocks, reader)
        blocks, tangled = parted_from_tangles(untangled(ink, dpi, languages, blocks, reader))
        rest = read_rest(ink, dpi, languages, blocks, reader, letters)
        blocks += [*rest, *still_tangled(tangled, rest)]
        blocks += read_initials(ink, dpi, languages, blocks, reader)
        blocks += read_display(ink, dpi, languages, blocks, reader)
        blocks += read_askew(ink, dpi, languages, blocks, reader, letters)
        blocks = finished(ink, dpi, languages, clear_of_neighbours(blocks), leaders, reader)
        blocks = with_rows_measured(ink, blocks)
    content = read_cells(ink, dpi, settled_content(page, letters, dpi, blocks, languages, evidence), reader)
    return read_closely(ink, dpi, content, reader)


def read_closely(ink: Image, dpi: float, content: PageContent, reader: Reader = ENGINE) -> PageContent:
    """The content with what its letters' likeness, other readings of its ink and its words' languages tell.

    Parameters
    ----------
    ink : (h, w) uint8
        Dark on white.
    dpi : float
        Pixels an inch.
    """
    content = with_points(ink, with_alike(ink, content))
    return with_foreign_words(read_twice(ink, dpi, content, reader), _looked_up(reader))


def with_looks(page: Image, content: PageContent, shown: bool = True) -> PageContent:
    """The content with what its pictures look like and, where the page is the one that is delivered (`shown`), how far
    each text stands out from its ground and which of its words are in another colour.
    """

    def told(region: Region) -> Region:
        boxes = [w.box for line in region.all_lines for w in line.words]
        if region.kind is RegionKind.FIGURE:
            return region.model_copy(update={"look": look(page, region.box)})
        if region.kind.is_picture or not boxes or not shown:
            return region
        apart = coloured_among_black(page, boxes)
        coloured = tuple(w.id for w, told in zip(region.words, apart, strict=True) if told)
        return region.model_copy(update={"contrast": contrast(page, boxes), "coloured": coloured})

    return content.model_copy(update={"regions": tuple(map(told, content.regions))})


def read_own_content(
    page: Image,
    dpi: float,
    languages: tuple[str, ...],
    blocks: Sequence[FoundBlock],
    choice: TextFrom = "",
    reader: Reader = ENGINE,
    tagged: Sequence[TaggedBlock] = (),
) -> PageContent:
    """The content of a page that came with text: that text, unless it is not what the ink says.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        As it is shown.
    dpi : float
        Pixels an inch.
    languages : tuple of str
        As for `read_content`.
    blocks : sequence of FoundBlock
        The page's own text, in pixels of `page`.
    choice : "file", "ink" or ""
        What the clerk wants; where it is left open, own text counts that agrees with its ink.
    tagged : sequence of TaggedBlock
        What the file says of its parts, which then stands above what they look like.
    """
    judged = judge_layer(grey(page), dpi, blocks, reader)
    taken = bool(blocks) and (choice == "file" or (choice == "" and not judged.is_bad))
    told = OwnText(taken=taken, likeness=judged.likeness, layer=judged.layer, ink=judged.ink)
    if not taken:
        return read_content(page, dpi, languages, reader).model_copy(update={"own_text": told})
    if languages == (AUTO,):
        languages = _languages_of(blocks, reader)
    named = [_in_languages(block, languages) for block in blocks]
    if tagged:
        content = tagged_content(page.shape[:2], dpi, languages, reader.languages(), tagged)
        content = with_foreign_words(_as_stated(content, named), _looked_up(reader))
        return content.model_copy(update={"own_text": told, "unread": _unread(letters_of(grey(page), dpi), content)})
    panels = dark_panels(page, dpi)
    shown = panels_turned(page, panels, dpi)
    content = settled_content(shown, letters_of(grey(shown), dpi), dpi, named, languages, gather(shown, dpi, panels))
    content = with_foreign_words(_as_stated(content, named), _looked_up(reader))
    return content.model_copy(update={"own_text": told})


def _looked_up(reader: Reader) -> tuple[str, ...]:
    """The languages that are looked for where nobody names them."""
    return tuple(code for code in reader.languages() if code not in BY_REQUEST)


def _languages_of(blocks: Sequence[FoundBlock], reader: Reader) -> tuple[str, ...]:
    """The languages of most of a text's lines, most used first."""
    installed = _looked_up(reader)
    found: dict[str, int] = {}
    for block in blocks:
        words = [w.text for line in block.lines for w in line.words]
        language, margin = identify(words, installed)
        if language and margin > 0.02:
            found[language] = found.get(language, 0) + len(words)
    ranked = sorted(found, key=lambda code: -found[code])
    return tuple(code for code in ranked if found[code] >= 0.1 * found[ranked[0]])[:3] or ("eng",)


def _in_languages(block: FoundBlock, languages: tuple[str, ...]) -> FoundBlock:
    """The block with its words' language, which no file states for each."""

    def told(line: FoundLine) -> FoundLine:
        language = identify([w.text for w in line.words], languages)[0] or languages[0]
        return line._replace(words=tuple(w._replace(language=language) for w in line.words))

    return block._replace(lines=tuple(map(told, block.lines)))


def _as_stated(content: PageContent, blocks: Sequence[FoundBlock]) -> PageContent:
    """The content with what the file says of its words' fonts, colours and links, besides what the ink shows."""
    words = (w for b in blocks for line in b.lines for w in line.words)
    stated = {(w.text, w.box): w for w in words if w.style or w.colour or w.link}

    def told(word: Word) -> Word:
        own = stated.get((word.text, word.box))
        if own is None:
            return word
        style = tuple(sorted({*word.style, *own.style}))
        return word.model_copy(update={"style": style, "colour": own.colour, "link": own.link})

    def told_line(line: Line) -> Line:
        return line.model_copy(update={"words": tuple(map(told, line.words))})

    return content.with_lines(told_line) if stated else content


def settled_content(
    page: Image,
    letters: Letters,
    dpi: float,
    blocks: Sequence[FoundBlock],
    languages: tuple[str, ...],
    evidence: Evidence,
) -> PageContent:
    """The content of a page from what was read on it: regions in order, their roles, how their words are set.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        Cleaned, dark panels turned.
    letters : Letters
        The page's: what no region holds of them is told.
    """
    found = find_regions(page, dpi, blocks, languages, evidence)
    content = PageContent(width=page.shape[1], height=page.shape[0], dpi=dpi, regions=found, languages=languages)
    content = content.model_copy(update={"unread": _unread(letters, content)})
    content = with_lettering(assign_roles(content, page, evidence.told, evidence.rules.across), page)
    backwards = mostly_right_to_left([r.language or languages[0] for r in content.regions])
    ties = near_ties([core(r) for r in content.regions], backwards)
    return content.model_copy(update={"near_ties": tuple(content.regions[i].id for i in ties)})


def _read_page(ink: Image, dpi: float, languages: tuple[str, ...], reader: Reader, plain: bool) -> list[FoundBlock]:
    """What is found on the page; a plain one is looked at as finely as its smallest letters need.

    That saves a fifth of the time; where columns, pictures and tables stand close, their gaps need all pixels.
    """
    view, scale = suited(ink, may_reduce=plain)
    found = reader.read_page(view, dpi * scale, languages)
    return found if scale == 1.0 else [block.scaled(1 / scale) for block in found]


def _unread(letters: Letters, content: PageContent) -> tuple[Box, ...]:
    """Rows of letters that no region holds: no ink is passed over in silence."""
    held = [w.box for w in content.words] + [r.box for r in content.regions if r.kind is not RegionKind.TEXT]
    strips = unread_strips(letters, held)
    return tuple(s for s in strips if s.width > LEAST_UNREAD * content.dpi and s.width > 2 * s.height)


def detect_languages(page: Image, dpi: float, reader: Reader = ENGINE) -> tuple[str, ...]:
    """The languages of a page, most used first.

    Strips of the page are read with one model for each script that is installed until one
    reads well, the Latin one first; the words of each strip are then looked up in the
    languages' word lists.
    """
    installed = _looked_up(reader)
    own_script = [codes[0] for codes in SCRIPT_LANGUAGES.values() if codes[0] in installed]
    # English letters are enough to tell which Latin language a strip is in; the words then decide.
    models = [code for code in ("eng", *installed) if code in installed and code not in own_script][:1] + own_script
    found: dict[str, float] = {}
    sure = False
    for strip in _sample_strips(grey(page), dpi):
        best = _Strip(None, 0.0, "", 0.0)
        for model in models:
            read = _read_strip(strip, dpi, model, (model,) if model in own_script else installed, reader)
            best = max(best, read, key=lambda each: each.weight)
            if read.confidence > (LIKELY if sure else CERTAIN):  # the script is right, and no other need be tried
                break
        sure = sure or best.confidence > CERTAIN
        if best.language:
            found[best.language] = found.get(best.language, 0.0) + best.weight
            models.sort(key=lambda model: model != best.model)
    ranked = sorted(found, key=lambda code: -found[code])
    kept = [code for code in ranked if found[code] >= 0.2 * found[ranked[0]]]
    return tuple(kept[:3]) or ("eng",)


class _Strip(NamedTuple):
    """What a strip's words tell, read with one model; `weight` is 0 where no language can be told."""

    language: str | None
    weight: float
    model: str
    confidence: float


def _read_strip(strip: Image, dpi: float, model: str, candidates: tuple[str, ...], reader: Reader) -> _Strip:
    found = reader.read_region(strip, dpi, (model,), Shape.BLOCK)
    words = [w for b in found for line in b.lines for w in line.words]
    if not words:
        return _Strip(None, 0.0, model, 0.0)
    confidence = sum(w.confidence * len(w.text) for w in words) / sum(len(w.text) for w in words)
    language, margin = identify([w.text for w in words], candidates)
    told = language is not None and margin > 0.02
    return _Strip(language if told else None, confidence * len(words) if told else 0.0, model, confidence)


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
