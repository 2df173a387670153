"""What is taken out of a delivery for good: areas of pages, their words, and what else would tell them."""

from __future__ import annotations

import re
from collections.abc import Iterable

from shapely import box as box_area
from shapely.geometry import Polygon
from shapely.ops import unary_union

from hyalen.core.languages import frequency
from hyalen.core.model.content import Line, PageContent, Region, Word
from hyalen.core.model.geometry import Box, union

MARK = "[redacted]"
LEAST_TOUCHED = 0.03  # of a word's box: part of a letter would tell it
LEAST_OF_A_PICTURE = 0.02
_WORD = re.compile(r"[^\W_]+(?:['’][^\W_]+)*")
SHORTEST, USUAL = 3, 5.0  # letters of a word that is looked for elsewhere; Zipf frequency from which it tells nothing


def redacted(content: PageContent) -> PageContent:
    """A page without what its redactions cover; the same where it has none.

    A word that is touched goes whole, with its other readings, and a mark stands in its place. The description of a
    picture that is touched goes, and what readers noted on the page.
    """
    if not content.redactions:
        return content
    area = unary_union([Polygon(outline).buffer(0) for outline in content.redactions])

    def touched(box: Box, least: float) -> bool:
        shape = box_area(*box)
        return bool(shape.area) and area.intersection(shape).area > least * shape.area

    def line_told(line: Line) -> Line:
        words: list[Word] = []
        for word in line.words:
            if not touched(word.box, LEAST_TOUCHED):
                words.append(word)
            elif words and words[-1].text == MARK:
                words[-1] = words[-1].model_copy(update={"box": union([words[-1].box, word.box])})
            else:
                words.append(Word(id=word.id, text=MARK, box=word.box, confidence=1.0))
        return line.model_copy(update={"words": tuple(words)})

    def region_told(region: Region) -> Region:
        if not region.kind.is_picture or not touched(region.box, LEAST_OF_A_PICTURE):
            return region
        return region.model_copy(update={"alternative_text": MARK, "data": (), "substitute": ""})

    told = content.with_lines(line_told)
    return told.model_copy(
        update={
            "regions": tuple(map(region_told, told.regions)),
            "artifacts": tuple(map(region_told, told.artifacts)),
            "own_text": None,
            "comments": (),
            "unread": (),
        }
    )


def delivered(content: PageContent, gone: frozenset[str]) -> PageContent:
    """A page as it leaves the house: without what is redacted, and without words that are redacted anywhere where they
    are no ink but told of it, in the descriptions of pictures.
    """
    content = redacted(content)
    if not gone or not any(r.alternative_text or r.data for r in content.everything):
        return content

    def told(region: Region) -> Region:
        if not (region.alternative_text or region.data):
            return region
        data = tuple(tuple(scrubbed(cell, gone) for cell in row) for row in region.data)
        text = scrubbed(region.alternative_text, gone) if region.alternative_text else None
        return region.model_copy(update={"alternative_text": text, "data": data})

    return content.model_copy(
        update={"regions": tuple(map(told, content.regions)), "artifacts": tuple(map(told, content.artifacts))}
    )


def redacted_words(pages: Iterable[PageContent], language: str) -> frozenset[str]:
    """The words that redactions cover, folded, but for the language's usual ones: what must stand nowhere else."""
    found: set[str] = set()
    for page in pages:
        if page.redactions:
            left = {w.id for w in redacted(page).words if w.text != MARK}
            for word in page.words:
                if word.id not in left:
                    found |= {_bare(word.text), *map(_bare, _WORD.findall(word.text))}
    return frozenset(
        w for w in found if len(w) >= SHORTEST and (any(c.isdigit() for c in w) or frequency(w, language) < USUAL)
    )


def scrubbed(text: str, words: frozenset[str]) -> str:
    """A text that stands elsewhere without such words."""
    if not words:
        return text
    return _WORD.sub(lambda m: MARK if _bare(m.group()) in words else m.group(), text)


def _bare(text: str) -> str:
    return text.strip(".,;:!?()[]{}«»\"'“”„‘’…-–—").casefold()
