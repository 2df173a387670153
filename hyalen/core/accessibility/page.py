"""What is found on one page against the rules, and what a person must judge there."""

from __future__ import annotations

import hashlib
import re
import unicodedata
from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import pairwise

from hyalen.core.decisions.requests import Request, SetHeaders, SetLanguage, SetRole
from hyalen.core.languages import identify, language_name
from hyalen.core.layout.sizes import type_size
from hyalen.core.model.content import PageContent, Region, RegionKind, Role, Word
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Frozen
from hyalen.core.proofing.doubts import FIRST_WORDS, Doubt, Mend, Stage

LEAST_CONTRAST, LEAST_OF_LARGE = 4.5, 3.0  # WCAG 2.2, 1.4.3
LARGE, LARGE_BOLD = 18.0, 14.0  # points (WCAG 2.2, definition of large-scale text)
CAPITALS = 0.7  # of the type's size
SMALLEST = 6.0  # points
LEAST_WORDS, LEAST_LEAD = 6, 0.25  # of a block whose language is told; by how much another one leads
LEAST_LETTERS = 12  # of a block whose contrast or size is judged
_FILE = re.compile(r"^[\w .()-]+\.(jpe?g|png|tiff?|bmp|gif|webp|pdf)$", re.IGNORECASE)
_IMAGE_OF = re.compile(r"^(an? |the )?(image|picture|photo(graph)?|graphic|figure|bild|abbildung|image)( of| von)?\b.{0,3}$|^(an? )?(image|picture|graphic) (of|showing)\b", re.IGNORECASE)  # fmt: skip
_ADDRESS = re.compile(r"^(https?://|www\.)\S+$", re.IGNORECASE)
_CAPTIONED = (RegionKind.FIGURE, RegionKind.TABLE, RegionKind.FORMULA)


class Judgement(Frozen):
    """What a person must judge at a place.

    Attributes
    ----------
    key : str
        "order", or the rule with the region's id.
    rule : str
        Its id in `catalogue.RULES`.
    print : str
        Of all that is judged: a verdict holds until that changes.
    """

    key: str
    rule: str
    question: str
    print: str
    region_id: str | None = None
    text: str = ""


def page_findings(content: PageContent) -> list[Doubt]:
    """What a machine finds on one page."""
    return [
        *_descriptions(content),
        *_tables(content),
        *_lists(content),
        *_captions(content),
        *_legibility(content),
        *_languages(content),
        *_speech(content),
        *_jumps(content),
    ]


def judgements(content: PageContent) -> list[Judgement]:
    """What a person must judge on one page."""
    found = []
    blocks = [r for r in content.regions if not r.role.is_artifact]
    if _has_columns(blocks):
        told = "|".join(f"{r.id}:{r.text[:FIRST_WORDS]}" for r in blocks)
        found.append(
            Judgement(
                key="order", rule="order", question="Is the page read in an order that makes sense?", print=_print(told)
            )
        )
    heads = [r for r in blocks if r.role.heading_level is not None]
    if heads:
        told = "|".join(f"{r.role}:{r.text}" for r in heads)
        text = " · ".join(" ".join(r.text.split()) for r in heads)
        question = "Do the headings say what follows, and is nothing else a heading?"
        found.append(Judgement(key="headings", rule="headings", question=question, print=_print(told), text=text[:240]))
    for region in blocks:
        told = f"{region.box}:{region.alternative_text}:{region.text}"
        alternative = (region.alternative_text or "").strip()
        if region.kind is RegionKind.FIGURE and alternative:
            question = "Does the description say what the picture says?"
            found.append(_about(region, "describes", question, told, alternative))
        elif region.table is not None:
            headers = [c.header for c in region.table.cells]
            question = "Is it a table, and are its headers the right ones?"
            found.append(_about(region, "is_table", question, f"{told}:{headers}", region.text))
        apart = set(region.coloured)
        coloured = [w.text for w in region.words if w.colour or w.id in apart]
        if coloured and len({w.colour or w.id in apart for w in region.words}) > 1:
            question = "Is it clear without its colours?"
            found.append(_about(region, "colour", question, f"{told}:{coloured}", " ".join(coloured)))
    return found


def _about(region: Region, rule: str, question: str, told: str, text: str) -> Judgement:
    return Judgement(
        key=f"{rule}:{region.id}",
        rule=rule,
        question=question,
        print=_print(told),
        region_id=region.id,
        text=" ".join(text.split())[:240],
    )


def _print(told: str) -> str:
    return hashlib.sha256(told.encode("utf8")).hexdigest()[:16]


def _has_columns(blocks: Sequence[Region]) -> bool:
    """Whether blocks stand beside each other, so that they might be read otherwise."""
    boxes = [r.box for r in blocks]
    return any(
        min(a.bottom, b.bottom) - max(a.top, b.top) > 0.3 * min(a.height, b.height)
        for i, a in enumerate(boxes)
        for b in boxes[:i]
        if a.right <= b.left or b.right <= a.left
    )


def _finding(
    rule: str,
    weight: float,
    reason: str,
    region: Region | None = None,
    word: Word | None = None,
    mend: tuple[str, Request] | None = None,
) -> Doubt:
    at = word.id if word else region.id if region else ""
    return Doubt(
        key=f"check:{rule}:{at}",
        stage=Stage.CHECK,
        kind=rule,
        weight=weight,
        reason=reason,
        region_id=region.id if region else None,
        word_id=word.id if word else None,
        text=word.text if word else " ".join(region.text.split())[:FIRST_WORDS] if region else "",
        mend=Mend(label=mend[0], operation=mend[1].model_dump(mode="json")) if mend else None,
    )


def _descriptions(content: PageContent) -> Iterator[Doubt]:
    described = [r for r in content.regions if r.kind is RegionKind.FIGURE and (r.alternative_text or "").strip()]
    counts = Counter((r.alternative_text or "").strip().casefold() for r in described)
    for region in described:
        text = (region.alternative_text or "").strip()
        if _FILE.match(text):
            yield _finding("poor_alternative", 0.7, f"The description “{text[:60]}” is the name of a file.", region)
        elif _IMAGE_OF.match(text):
            yield _finding(
                "poor_alternative",
                0.4,
                f"The description “{text[:60]}” says that it is a picture, not what it shows.",
                region,
            )
        elif counts[text.casefold()] > 1:
            yield _finding("repeated_alternative", 0.3, f"Several pictures are described as “{text[:60]}”.", region)


def _tables(content: PageContent) -> Iterator[Doubt]:
    for region in content.regions:
        table = region.table
        if table is None or table.rows < 2 or table.columns < 2 or any(c.header for c in table.cells):
            continue
        request = SetHeaders(region_id=region.id, rows=1, columns=0)
        yield _finding(
            "headers", 0.6, "A table without header cells.", region, mend=("The first row is its header", request)
        )


def _lists(content: PageContent) -> Iterator[Doubt]:
    regions = [r for r in content.regions if not r.role.is_artifact]
    for i, region in enumerate(regions):
        beside = [regions[j].role for j in (i - 1, i + 1) if 0 <= j < len(regions)]
        edge = i in (0, len(regions) - 1)  # it may go on over the page
        if region.role is Role.LIST_ITEM and Role.LIST_ITEM not in beside and not edge:
            request = SetRole(region_id=region.id, role=Role.PARAGRAPH)
            yield _finding("lone_item", 0.3, "A list of one item.", region, mend=("It is a paragraph", request))


def _captions(content: PageContent) -> Iterator[Doubt]:
    others = [r for r in content.everything if r.kind in _CAPTIONED]
    for region in content.regions:
        if region.role is Role.CAPTION and not others:
            request = SetRole(region_id=region.id, role=Role.PARAGRAPH)
            yield _finding(
                "caption",
                0.4,
                "A caption on a page without picture or table.",
                region,
                mend=("It is a paragraph", request),
            )


def _legibility(content: PageContent) -> Iterator[Doubt]:
    for region in content.regions:
        lines = region.all_lines
        if region.kind.is_picture or len(region.text) < LEAST_LETTERS or not lines:
            continue
        sizes = sorted(type_size(line) for line in lines)
        points = sizes[len(sizes) // 2] / CAPITALS * 72 / content.dpi
        bold = all(Style.BOLD in w.style for w in region.words)
        least = LEAST_OF_LARGE if points >= (LARGE_BOLD if bold else LARGE) else LEAST_CONTRAST
        if region.contrast is not None and region.contrast < least:
            reason = f"Faint: ink and paper have a contrast of {region.contrast:.1f} to 1, and {least:g} is the least. Darken the ink in Clean."
            yield _finding("contrast", round(min(0.8, 0.3 + 0.15 * (least - region.contrast)), 3), reason, region)
        if points < SMALLEST:
            yield _finding("small", 0.25, f"Small print of {points:.1f} points.", region)


def _languages(content: PageContent) -> Iterator[Doubt]:
    """Blocks whose words are those of another language of the page."""
    for region in content.regions:
        words = [w.text for w in region.words if not w.language]
        if region.language is None or len(words) < LEAST_WORDS or region.kind.is_picture:
            continue
        likely, lead = identify(words, tuple(dict.fromkeys([*content.languages, region.language])))
        if likely and likely != region.language and lead > LEAST_LEAD:
            request = SetLanguage(region_id=region.id, language=likely)
            reason = f"It is said to be in {language_name(region.language)}, and its words are {language_name(likely)}."
            yield _finding("said_language", 0.5, reason, region, mend=(f"It is {language_name(likely)}", request))


def _speech(content: PageContent) -> Iterator[Doubt]:
    for region in content.regions:
        for word in region.words:
            if _is_unspeakable(word.text):
                yield _finding(
                    "unspeakable", 0.6, "It holds a character without meaning: no voice can say it.", region, word
                )
            elif word.link and _ADDRESS.match(word.text):
                yield _finding("link", 0.25, "A link whose text is its address.", region, word)


def _is_unspeakable(text: str) -> bool:
    if text.isprintable():
        return "\ufffd" in text
    return any(c == "\ufffd" or unicodedata.category(c) in ("Co", "Cn", "Cs") for c in text)


def _jumps(content: PageContent) -> Iterator[Doubt]:
    """Where the order goes back up in one column."""
    if content.near_ties:
        return  # that doubt is about the same
    for before, after in pairwise(r for r in content.regions if not r.role.is_artifact):
        a, b = before.box, after.box
        shared = min(a.right, b.right) - max(a.left, b.left)
        if shared > 0.7 * max(a.width, b.width) and b.bottom < a.top:
            yield _finding("jump", 0.5, "It is read after what stands beneath it in its column.", after)
