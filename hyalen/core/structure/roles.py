"""What each region of a page is for: headings, list items, captions, page numbers."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from hyalen.core.imaging.pixels import Image
from hyalen.core.layout.paragraphs import LIST_MARKER, SENTENCE_END
from hyalen.core.layout.sizes import body_size, type_size
from hyalen.core.layout.strokes import BOLD, least_bold, stroke_width
from hyalen.core.layout.witness import Kind, Witness
from hyalen.core.model.content import PageContent, Region, RegionKind, Role, Subject
from hyalen.core.model.geometry import Box, union
from hyalen.core.structure.centred import centred_heads
from hyalen.core.structure.contents import contents_entries
from hyalen.core.structure.headlines import with_headlines
from hyalen.core.structure.indented import addresses, quotations
from hyalen.core.structure.line_numbers import line_numbers
from hyalen.core.structure.lists import with_depths
from hyalen.core.structure.margins import Margin, margins, number_apart, side_notes

CAPTION_START = re.compile(
    r"^(fig(ure|ura|uur|\.)?|abb(ildung|\.)?|plate|table|tab(elle|\.)?|tableau|tabla|tabela|"
    r"photo(graph)?|map|plan|chart|diagram|afb\.?|rys\.?|рис\.?|εικ\.?|صورة|شكل)\b",
    re.IGNORECASE,
)
NOTE_START = re.compile(r"^(?:[*†‡§¶]+|\(?(?:\d{1,3}|[a-z])\)|\d{1,3}(?!\d*[.)]))\s*\D")
NOTE_SIZE, LARGER_THAN_NOTE, LARGER_THAN_BODY = 0.9, 0.97, 1.1  # of the body's
NOTE_SIGN = re.compile(
    r"^(?:[*†‡§¶+£$#|]{1,2}|[tij]|\(?(?:\d{1,3}|[a-z])\)|\d{1,3}(?![\d.)]))\s*[A-ZÀ-Þ«„“\"']"
)  # daggers are misread
LEAST_SIGNED, APART = 2, 3.0  # notes with a sign; sizes of the body's type between two notes
BYLINE = re.compile(r"^(?:[Bb]y|BY|[Vv]on|VON|[Pp]ar|PAR|[Dd]oor|[Dd]i|[Pp]or)[.:]?(?:\s+[A-ZÀ-ÖØ-Þ][\w.'’-]*){2,4}$")
MOST_CAPTION = 14  # words
MOST_NOTES = 12  # lines
MOST_LEGEND, LEAST_LEGEND, LEGEND_BELOW = 6, 3, 2.0  # lines and words of a picture's legend; sizes of type beneath it
FOOT = 0.55  # of the page's height
LEAST_TITLE = 0.5  # confidence of what the model takes a part for
HEADING = 0.5  # the score from which a text is one
TOLD = 0.6  # the score of what the model calls a title, or what is underlined
PLAIN_SIZE, BY_SIZE = 1.08, 1.8  # of the body's size, beyond which each tenth scores 0.18
PLAIN_WEIGHT, BY_WEIGHT = 1.15, 1.3  # of the body's strokes, the same
SENTENCE, UNENDED, CAPITALS = -0.35, -0.3, 0.3  # what a full stop, a comma at the end, and capitals add
MOST_LINES, MOST_LETTERS, LEAST_LETTERS = 3, 160, 3  # of a heading
PARTS = 3  # of a line, whose strokes are compared
MOST_UPRIGHT = 5  # letters that may stand higher than wide
LIKE_BODY = 1.2  # times the body's size: what is centred in such type is of one level
NEXT_LEVEL = 1.18  # times: sizes farther apart are different levels
TITLE_SIZE = 1.2  # of all other type, on a page without running text
SMALLEST_HEADING = 0.93  # of the body's size: bold type that is smaller labels something else
MOST_BETWEEN = 2  # regions without a number in a run of numbered ones


def assign_roles(
    content: PageContent, page: Image, told: Sequence[Witness] = (), rules: Sequence[Box] = ()
) -> PageContent:
    """The content with roles; page numbers become artifacts.

    A heading is short, does not end as a sentence does, and is set larger or bolder than the
    body; its level follows its size among the page's headings. What the measures
    leave open gets a lower confidence and the reason.

    Parameters
    ----------
    content : PageContent
        As found: text regions are paragraphs.
    page : (h, w) or (h, w, 3) uint8
        The cleaned page.
    told : sequence of Witness
        What a learned model takes the page's parts for.
    rules : sequence of Box
        Horizontal rules.
    """
    texts = [r for r in content.regions if r.kind is RegionKind.TEXT and not r.role.is_artifact]
    body = body_size(line for r in texts for line in r.lines)
    if body == 0:
        return content
    strokes = {r.id: stroke_width(page, r.box) for r in texts}
    long_texts = [strokes[r.id] for r in texts if len(r.text) > 80] or list(strokes.values())
    body_stroke = float(np.median(long_texts))
    bold = least_bold(long_texts)
    others = [r.box for r in content.regions if r.kind is not RegionKind.TEXT]
    pictures = [r.box for r in content.regions if r.kind is RegionKind.FIGURE]
    outside = margins(content, texts, told, rules)
    counted = line_numbers(texts, body)
    outside |= {r: Margin(Role.ARTIFACT, 0.8, "counts the lines beside it") for r in counted}
    headings: dict[str, _Heading] = {}
    apart = quotations([r for r in texts if r.id not in outside], body)
    letterhead = addresses([r for r in texts if r.id not in outside], content, body)
    roles: dict[str, tuple[Role, float, str]] = {}
    kinds = {r.id: _told(r.box, told) for r in texts}
    free = [rule for rule in rules if not any(other.grown(int(body)).covers(rule) for other in others)]
    alone = [rule for rule in free if not any(r.box.grown(int(0.3 * body)).covers(rule) for r in texts)]
    notes = _notes([r for r in texts if r.id not in outside], content, body, alone)
    contents = contents_entries([r for r in texts if r.id not in outside])
    centred = centred_heads([r for r in texts if r.id not in outside])
    title = _title([r for r in texts if r.id not in outside])
    aside = side_notes([r for r in texts if r.id not in outside], body)
    for region in texts:
        text = region.text
        if region.id in outside:
            roles[region.id] = outside[region.id]
        elif region.subject is Subject.STAMP:
            roles[region.id] = (Role.PARAGRAPH, region.confidence, "a stamp: askew or framed, in ink of another colour")
        elif region.id in contents:
            roles[region.id] = (Role.CONTENTS_ENTRY, 0.85, "leads to a page number, and the numbers rise")
        elif region.id in aside:
            roles[region.id] = (Role.SIDE_NOTE, 0.8, "small type in the margin beside the text")
        elif region.id in notes:
            roles[region.id] = (Role.NOTE, 0.8, "small type at the foot of the page")
        elif _is_caption(region, others, content.dpi, kinds[region.id]) or _is_legend(region, pictures, body):
            roles[region.id] = (Role.CAPTION, 0.9, "beside a figure or table")
        elif LIST_MARKER.match(text) and not _is_numbered_heading(region, strokes[region.id], body, body_stroke, bold):
            roles[region.id] = (Role.LIST_ITEM, 0.85, "starts with a list marker")
        else:
            size = _size(region) / body
            weight = strokes[region.id] / body_stroke if body_stroke else 1.0
            if weight > bold and size <= PLAIN_SIZE:
                weight = min(weight, _weight_throughout(region, page) / body_stroke)
            score = _heading_score(region, size, weight, bold)
            titled = Kind.TITLE in kinds[region.id] and score > 0.1
            underlined = _is_underlined(region, free) and len(text.split()) <= 8
            if titled or underlined:
                score = max(score, TOLD)
            if (region.id in centred and not BYLINE.match(text)) or region is title:
                score = max(score, HEADING)
            if score >= HEADING and not _is_upended(region):
                why = _why(region, size, weight, bold, underlined, region.id in centred)
                level = 1.0 if region.id in centred and 1 / LIKE_BODY < size < LIKE_BODY else size
                headings[region.id] = _Heading(level, score, why)
            elif region.id in apart:
                roles[region.id] = (Role.QUOTATION, 0.7, "set in on both sides between paragraphs")
            elif region.id in letterhead:
                roles[region.id] = (Role.ADDRESS, 0.7, "short lines that stand apart at the head of the page")
    roles |= {
        r: (Role.LIST_ITEM, 0.8, "one of a run of numbered entries")
        for r in _numbered_run(texts)
        if r not in outside and r not in contents and r not in centred
    }
    headings = {r: h for r, h in headings.items() if r not in roles}
    roles |= _heading_levels(headings)
    roles = _single_items_are_paragraphs(roles, content)

    def settled(region: Region) -> Region:
        if region.id not in roles:
            return region
        role, confidence, reason = roles[region.id]
        return region.model_copy(update={"role": role, "confidence": confidence, "reason": reason})

    regions = with_headlines([settled(r) for r in content.regions], body)
    regions = [part for r in regions for part in (number_apart(r) if r.role is Role.RUNNING_HEAD else (r,))]
    content = content.model_copy(
        update={
            "regions": tuple(r for r in regions if not r.role.is_artifact),
            "artifacts": content.artifacts + tuple(r for r in regions if r.role.is_artifact),
        }
    )
    return with_depths(content)


class _Heading(NamedTuple):
    """`size` is a share of the body's, `score` 0 to 1."""

    size: float
    score: float
    reason: str


def _weight_throughout(region: Region, page: Image) -> float:
    """Width of its strokes, in pixels; that of the finer part where a line goes on in finer type than it begins in."""
    found = []
    for line in region.lines:
        ends = [len(line.words) * part // PARTS for part in range(PARTS + 1)]
        boxes = [union(w.box for w in line.words[a:b]) for a, b in pairwise(ends) if b > a]
        finest, *_, boldest = sorted(stroke_width(page, box) for box in (*boxes, line.box))
        found.append(finest if finest * BOLD < boldest else boldest)
    return min(found)


def _is_upended(region: Region) -> bool:
    """Whether letters run up or down the page: their line's height is no size of type then."""
    letters = max(len(line.text) for line in region.lines)
    return letters > MOST_UPRIGHT and region.box.height > 1.5 * region.box.width * len(region.lines)


def _why(region: Region, size: float, weight: float, bold: float, underlined: bool, centred: bool) -> str:
    """What a heading is told by, in words."""
    told = []
    if size > PLAIN_SIZE:
        told.append(f"{size:.1f} times as large as the text")
    if weight > bold:
        told.append("bold")
    if region.text.isupper():
        told.append("in capitals")
    if underlined:
        told.append("underlined")
    if centred:
        told.append("centred over a paragraph")
    told.append("a line of its own" if len(region.lines) == 1 else "short")
    return ", ".join(told)


def _heading_score(region: Region, size: float, weight: float, bold: float) -> float:
    """0 to 1; `size` and `weight` are shares of the body's, `bold` is the least weight of bold type."""
    text = " ".join(line.text for line in region.lines)
    letters = [c for c in text if c.isalpha()]
    if len(region.lines) > MOST_LINES or len(text) > MOST_LETTERS or len(letters) < LEAST_LETTERS:
        return 0.0
    if BYLINE.match(text) or (text[:1].islower() and text.endswith(SENTENCE_END)):
        return 0.0
    score = BY_SIZE * max(0.0, size - PLAIN_SIZE) + BY_WEIGHT * max(0.0, weight - PLAIN_WEIGHT)
    if weight > bold and size > SMALLEST_HEADING:
        score = max(score, HEADING + 0.5 * (weight - bold))
    if text.endswith(SENTENCE_END):
        score += SENTENCE
    if text.endswith((",", "-")):
        score += UNENDED
    cased = [c for c in letters if c.isupper() or c.islower()]
    if cased and all(c.isupper() for c in cased) and len(region.lines) <= 2:
        score += CAPITALS
    return min(score, 1.0)


def _title(texts: Sequence[Region]) -> Region | None:
    """A page's first line, where it is of far larger type than all others and none of these is running text."""
    if len(texts) < 2 or any(len(r.lines) > MOST_LINES for r in texts):
        return None
    first, *others = sorted(texts, key=lambda r: r.box.top)
    alone = len(first.lines) == 1 and sum(map(str.isalpha, first.text)) > LEAST_LETTERS
    return first if alone and _size(first) > TITLE_SIZE * max(map(_size, others)) else None


def _is_numbered_heading(region: Region, stroke: float, body: float, body_stroke: float, bold: float) -> bool:
    size = _size(region) / body
    weight = stroke / body_stroke if body_stroke else 1.0
    return len(region.lines) <= 2 and _heading_score(region, size, weight, bold) >= HEADING


def _size(region: Region) -> float:
    return float(np.median([type_size(line) for line in region.lines]))


def _is_underlined(region: Region, rules: Sequence[Box]) -> bool:
    """Whether rules run right beneath a single line over most of its width; letters that reach down part them."""
    if len(region.lines) != 1:
        return False
    box, size = region.box, type_size(region.lines[0])
    level = region.lines[0].level
    beneath = [r for r in rules if -0.2 * size < r.centre.y - level < 0.8 * size and r.width < 1.3 * box.width]
    return sum(max(0, min(r.right, box.right) - max(r.left, box.left)) for r in beneath) > 0.75 * box.width


def _heading_levels(headings: dict[str, _Heading]) -> dict[str, tuple[Role, float, str]]:
    """Sizes more than 18 % apart are different levels, the largest first."""
    levels: list[float] = []
    for size in sorted((h.size for h in headings.values()), reverse=True):
        if not levels or levels[-1] / size > NEXT_LEVEL:
            levels.append(size)
    found = {}
    for region_id, (size, score, why) in headings.items():
        level = 1 + min(range(len(levels)), key=lambda i: abs(levels[i] - size))
        role = Role(f"heading_{min(level, 6)}")
        confidence = round(0.55 + 0.45 * score, 3) if score < 0.95 else 1.0
        found[region_id] = (role, confidence, why)
    return found


def _single_items_are_paragraphs(
    roles: dict[str, tuple[Role, float, str]], content: PageContent
) -> dict[str, tuple[Role, float, str]]:
    """A numbered paragraph without a neighbour of its kind is no list."""
    ids = [r.id for r in content.regions]
    items = {i for i, (role, *_) in roles.items() if role is Role.LIST_ITEM}
    kept = dict(roles)
    for at, region_id in enumerate(ids):
        if region_id in items:
            near = set(ids[max(0, at - 1) : at + 2]) - {region_id}
            if not near & items and not content.region(region_id).text.startswith(("•", "●", "▪", "■", "◦")):
                del kept[region_id]
    return kept


def _told(box: Box, told: Sequence[Witness]) -> set[Kind]:
    return {w.kind for w in told if w.confidence > LEAST_TITLE and w.box.covers(box, 0.7)}


def _is_caption(region: Region, others: Sequence[Box], dpi: float, kinds: set[Kind]) -> bool:
    if len(region.lines) > 6 or not _beside(region.box, others, dpi * 0.6):
        return False
    if CAPTION_START.match(region.text):
        return True
    if len(region.text.split()) > MOST_CAPTION or region.text.endswith("."):
        return False
    return (
        len(region.lines) <= 2
        and bool(kinds & {Kind.CAPTION, Kind.TABLE_CAPTION})
        and not kinds & {Kind.TEXT, Kind.TITLE}
    )


def _is_legend(region: Region, pictures: Sequence[Box], body: float) -> bool:
    """Whether it stands right beneath a picture, no wider than that, in smaller type than the text."""
    box = region.box
    return (
        len(region.lines) <= MOST_LEGEND
        and len(region.text.split()) >= LEAST_LEGEND
        and _size(region) < NOTE_SIZE * body
        and any(
            -body < box.top - p.bottom < LEGEND_BELOW * body and box.left > p.left - body and box.right < p.right + body
            for p in pictures
        )
    )


def _notes(texts: Sequence[Region], content: PageContent, body: float, rules: Sequence[Box]) -> set[str]:
    """Ids of the notes at the foot of the page: below a short rule, or small, and after a mark.

    Once a note has begun, what stands below it in its column belongs to the notes, but for the text's own type below
    small type.
    """
    found = _foot_notes(texts, body)
    begun: list[tuple[Box, bool]] = []
    for region in sorted(texts, key=lambda r: r.box.top):
        box, size = region.box, _size(region)
        if any(
            b.bottom <= box.centre.y
            and min(b.right, box.right) - max(b.left, box.left) > 0.3 * box.width
            and not (was_small and size > LARGER_THAN_NOTE * body)
            for b, was_small in begun
        ):
            found.add(region.id)
            continue
        small, marked = size < NOTE_SIZE * body, bool(NOTE_START.match(region.text))
        if size > LARGER_THAN_BODY * body and not marked:
            continue  # a quotation pulled out between rules
        above = [rule for rule in rules if 0 <= box.top - rule.bottom < 2.5 * body and rule.width < 0.6 * content.width]
        ruled = any(rule.left < box.right for rule in above)
        parted = any(-4 * body < rule.left - box.left < body for rule in above)  # a note's own rule starts at the left
        below = sum(
            len(r.lines) for r in texts if r.box.top >= box.top and r.box.left < box.right and box.left < r.box.right
        )
        goes_on = not marked and not small and _goes_on(region, texts)  # beneath the frame of an initial
        over = _over(box, texts)
        pulled = over is not None and _size(over) > LARGER_THAN_BODY * body
        parted = parted and below <= MOST_NOTES and len(region.text) > 40 and not (goes_on or pulled)
        if box.top > FOOT * content.height and ((marked and (small or ruled)) or parted) and len(region.text) > 12:
            found.add(region.id)
            begun.append((box, small))
    return found


def _foot_notes(texts: Sequence[Region], body: float) -> set[str]:
    """Ids of small type beneath all of the text, in columns or not, of which two parts at least begin with a sign."""
    large = [r.box for r in texts if _size(r) > LARGER_THAN_NOTE * body]
    if not large:
        return set()
    foot = max(box.bottom for box in large)
    small = sorted((r for r in texts if _size(r) < NOTE_SIZE * body and r.box.centre.y > foot), key=lambda r: r.box.top)
    if sum(bool(NOTE_SIGN.match(r.text)) for r in small) < LEAST_SIGNED:
        return set()
    reach, found = small[0].box.bottom, set[str]()
    for region in small:
        if region.box.top - reach > APART * body:
            break
        found.add(region.id)
        reach = max(reach, region.box.bottom)
    return found


def _over(box: Box, texts: Sequence[Region]) -> Region | None:
    """The text right above a place."""
    above = (
        r for r in texts if r.box.bottom <= box.centre.y and min(r.box.right, box.right) > max(r.box.left, box.left)
    )
    return max(above, key=lambda r: r.box.bottom, default=None)


def _goes_on(region: Region, texts: Sequence[Region]) -> bool:
    """Whether a sentence of the text right above goes on in it."""
    box = region.box
    over = _over(box, texts)
    last = over.text.rstrip() if over else ""
    return region.text[:1].islower() and (last[-1:].isalpha() or last.endswith(("-", ",", "\u2010")))


def _numbered_run(texts: Sequence[Region]) -> set[str]:
    """Ids of three regions and more, each of which starts with the number after that before it.

    Misread numbers, and what stands between entries, do not end a run.
    """
    numbers = [int(m.group()) if (m := re.match(r"\d{1,4}(?=[\s.)])", r.text)) else None for r in texts]
    found: set[str] = set()
    run: list[str] = []
    last, passed = 0, 0
    for region, number in zip(texts, numbers, strict=True):
        if number is None:
            passed += 1
            continue
        if passed > MOST_BETWEEN or not 0 < number - last <= passed + 2:
            run = []
        run.append(region.id)
        last, passed = number, 0
        if len(run) > 2:
            found |= set(run)
    return found


def _beside(box: Box, others: Sequence[Box], reach: float) -> bool:
    """Whether the box stands just above or below one of the others."""
    for other in others:
        shared = min(box.right, other.right) - max(box.left, other.left)
        gap = max(box.top - other.bottom, other.top - box.bottom)
        if shared > 0.3 * min(box.width, other.width) and gap < reach:
            return True
    return False
