"""What stands in a page's margins, told from one page alone: running heads, page numbers, catchwords.

What recurs on other pages is told by `structure.running`.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from hyalen.core.layout.paragraphs import FAR_OFF, SENTENCE_END, opening, without_far_bit
from hyalen.core.layout.sizes import body_size, type_size
from hyalen.core.layout.witness import Kind, Witness
from hyalen.core.model.content import Line, PageContent, Region, Role, Word
from hyalen.core.model.geometry import Box, union

PAGE_NUMBER = re.compile(
    r"^\W*(?:(?:page|seite|página|pagina|p\.|s\.|bl\.|folio|fol\.|стр\.|σελ\.)\s*)?"
    r"(?:\d{1,4}[a-z]?|[ivxlc]{1,7})(?:\s*(?:/|of|de|von|di|van|z|из)\s*\d{1,4})?\W*$",
    re.IGNORECASE,
)
_NUMBER = re.compile(r"^\W*(?:\d{1,4}|[ivxlc]{2,7})\W*$")
_YEAR = re.compile(r"\b1[5-9]\d\d\b|\b20\d\d\b")
# NAME, WEEKDAY, MONTH 4, 1951, whichever way its commas were read.
_DATED = re.compile(r"^[^,.;]+[,.;][^,.;]+[,.;].*\b\d{1,2}\b.*\b(?:1[5-9]|20)\d\d\W*$")
# The next page's first word, which a sheet's signature may stand before: "A ij Disen", "* 2 mu-".
_SIGNATURE = re.compile(r"^(?:([^\s\d]{1,2}\s?(?:\d{1,2}|[ivxj]{2,3})\s+)|[^\s\d]{1,2}\s+)?([^\W\d]{1,12}[-,;:]?)$")
_CREDIT = re.compile(r"^(?:photo|foto|picture|cover|bild|source|quelle)", re.IGNORECASE)
FAR_BEFORE, MOST_MARKS = 1.5, 3  # line heights from a signature to the catchword; letters of a word of it
CLOSE_EDGE = 0.1  # of the page's height
LARGE = 1.35  # of the usual type
PARTED, MOST_MISREAD = 6.0, 6  # line heights between a head and its number; letters of a misread one
EDGE = 0.13  # of the page's height
MOST_WORDS = 9  # of a running head
WIDE_RULE = 0.5  # of the page's width
LEAST_TOLD = 0.45  # confidence of the model's header or footer
COLUMN, NARROW = 0.7, 0.35  # of the widest text: what stands in the page's column; of that, a margin's width
MOST_SIDE_LINES, MOST_SIDE_FILLED = 12, 0.5  # of a side note; of the column's height, that all of them fill
AROUND = 4.0  # sizes of the body above and below a letter, within which columns tell where it stands
OFF_MIDDLE, LEAST_BELOW = 0.1, 3  # of the column's width; lines of the text beneath a running head
SIDE_SIZE = 0.97  # of the body's size: a side note's


class Margin(NamedTuple):
    role: Role
    confidence: float
    reason: str


def margins(
    content: PageContent, texts: Sequence[Region], told: Sequence[Witness] = (), rules: Sequence[Box] = ()
) -> dict[str, Margin]:
    """The text regions that are no part of what the page says, by id.

    Parameters
    ----------
    content : PageContent
    texts : sequence of Region
        Its text regions.
    told : sequence of Witness
        What a learned model takes the page's parts for.
    rules : sequence of Box
        Horizontal rules.
    """
    usual = body_size(line for r in texts for line in r.lines)
    found: dict[str, Margin] = {}
    for at_top in (True, False):
        row = _outer_row(content, texts, at_top)
        for region in row:
            margin = _settled(region, row, texts, content, usual, told, rules, at_top)
            if margin:
                found[region.id] = margin
        if any(r.id in found for r in row):  # what stands in one row with a page number belongs to it
            for region in row:
                # A title is not so close over the text.
                large = at_top and len(region.lines) == 1 and type_size(region.lines[0]) > LARGE * usual
                if len(region.lines) == 1 and _may_be(region) and (large or _is_apart(region, texts, row)):
                    found.setdefault(region.id, Margin(Role.RUNNING_HEAD, 0.8, "in one row with the page number"))
    catchword = _catchword(content, [r for r in texts if r.id not in found])
    if catchword:
        found[catchword.id] = Margin(Role.ARTIFACT, 0.6, "a catchword or signature at the foot")
    return found


def _outer_row(content: PageContent, texts: Sequence[Region], at_top: bool) -> list[Region]:
    """The regions of the page's first or last row, if that stands in the margin."""
    if not texts:
        return []
    limit = EDGE * content.height
    outer = min(texts, key=lambda r: r.box.centre.y) if at_top else max(texts, key=lambda r: r.box.centre.y)
    if (outer.box.bottom > limit) if at_top else (outer.box.top < content.height - limit):
        # A page's content may begin low; then its first row stands alone, far from all else.
        return [outer] if len(outer.lines) == 1 and _is_apart(outer, texts, [outer]) else []
    middle = outer.box.centre.y
    return [r for r in texts if len(r.lines) <= 2 and r.box.top - 2 <= middle <= r.box.bottom + 2]


def _may_be(region: Region) -> bool:
    """Whether it could be a running head: short, and no sentence or part of one."""
    text = region.text
    return len(text.split()) <= MOST_WORDS and not _CREDIT.match(text) and not text.endswith((",", ";", ":", "-", "."))


def _is_apart(region: Region, texts: Sequence[Region], row: Sequence[Region], least: float = 0.9) -> bool:
    """Whether more space than between lines parts it from all text that is not in its row."""
    others = [r.box for r in texts if all(r is not each for each in row)]
    gap = min((max(b.top - region.box.bottom, region.box.top - b.bottom) for b in others), default=0)
    return gap > least * region.lines[0].height


def _number_that_stands_off(region: Region, least: float = 0.9) -> int | None:
    """0 or -1 where the first or last word is a number that more than a word's space parts from the rest."""
    words, height = region.lines[0].words, region.lines[0].height
    if len(words) < 2:
        return None
    for end, number, other in ((0, words[0], words[1]), (-1, words[-1], words[-2])):
        apart = max(other.box.left - number.box.right, number.box.left - other.box.right)
        if apart > least * height and _NUMBER.match(number.text.casefold()):
            return end
    return None


def number_apart(head: Region) -> tuple[Region, ...]:
    """A running head and the page number that stands off at its end, in their order; the head alone without one.

    Office files count the number anew, and pages can be called by it.
    """
    end = _number_that_stands_off(head) if len(head.lines) == 1 else None
    if end is None:
        return (head,)
    line = head.lines[0]
    number, others = line.words[end], line.words[1:] if end == 0 else line.words[:-1]
    if _is_year(number.text):
        return (head,)

    def part(words: Sequence[Word]) -> Line:
        return line.model_copy(update={"words": tuple(words), "box": union(w.box for w in words)})

    rest, alone = part(others), part([number])
    text = head.model_copy(update={"lines": (rest,), "outline": rest.box.polygon()})
    aside = {"role": Role.PAGE_NUMBER, "id": f"{head.id}n", "lines": (alone,), "outline": alone.box.polygon()}
    page_number = head.model_copy(update=aside | {"reason": "a number that stands off in the running head"})
    return (page_number, text) if end == 0 else (text, page_number)


def _is_year(text: str) -> bool:
    return _YEAR.fullmatch(text.strip(".,")) is not None


def _parted(line: Line) -> bool:
    """Whether what may be a misread number stands at one end, farther off than any word of a title."""
    words = sorted(line.words, key=lambda w: w.box.left)
    for at in range(1, len(words)):
        ends = ["".join(w.text for w in part) for part in (words[:at], words[at:])]
        gap = words[at].box.left - words[at - 1].box.right
        if gap > PARTED * line.height and min(map(len, ends)) <= MOST_MISREAD:
            return True
    return False


def _has_number(region: Region) -> bool:
    words = region.lines[0].words
    return len(words) > 1 and any(_NUMBER.match(w.text.casefold()) for w in (words[0], words[-1]))


def _settled(
    region: Region,
    row: Sequence[Region],
    texts: Sequence[Region],
    content: PageContent,
    usual: float,
    told: Sequence[Witness],
    rules: Sequence[Box],
    at_top: bool,
) -> Margin | None:
    text = region.text
    if len(region.lines) == 1 and PAGE_NUMBER.match(text):
        if len(row) > 1 and _is_year(text):
            return Margin(Role.RUNNING_HEAD, 0.7, "the year of the date at the page's edge")
        return Margin(Role.PAGE_NUMBER, 0.9, "a number alone at the page's edge")
    if len(region.lines) > 1 or len(text.split()) > MOST_WORDS:
        return None
    capitals = sum(c.isupper() for c in text) > 0.5 * sum(c.isalpha() for c in text)
    uncased = not any(c.isupper() or c.islower() for c in text)
    misread = at_top and len(without_far_bit(region.lines[0])) < len(region.lines[0].words)
    if uncased and at_top and _parted(region.lines[0]):
        return Margin(Role.RUNNING_HEAD, 0.7, "a line with the page number far off at its end")
    if at_top and _YEAR.search(text) and capitals and len(row) == 1:
        if _ruled_below(region.box, content, rules):
            return Margin(Role.RUNNING_HEAD, 0.7, "a dated line over a rule at the page's head")
        if _DATED.match(text):
            return Margin(Role.RUNNING_HEAD, 0.6, "a name and a full date at the page's head")
    large = type_size(region.lines[0]) > LARGE * usual
    if at_top and not large and len(row) == 1 and _is_apart(region, texts, row) and _is_centred(region, texts):
        below = [r for r in texts if r.box.top > region.box.centre.y and len(r.lines) >= LEAST_BELOW]
        if below and opening(text).islower():
            return Margin(Role.RUNNING_HEAD, 0.6, "in mid-sentence, in the middle of the page's head")
        if below and _may_be(region) and _goes_on(min(below, key=lambda r: r.box.top)):
            return Margin(Role.RUNNING_HEAD, 0.7, "a line over text that goes on in mid-sentence")
    if not _may_be(region) and not (capitals and _number_that_stands_off(region, FAR_OFF) == 0):
        return None
    stands_off = _number_that_stands_off(region) is not None or (capitals and not at_top and _has_number(region))
    # Such a head may stand close over the text.
    far = capitals and (misread or _number_that_stands_off(region, FAR_OFF) is not None)
    if not large and (far or (stands_off and _is_apart(region, texts, row))):
        return Margin(Role.RUNNING_HEAD, 0.85, "a line with the page number at the page's edge")
    kinds = {w.kind for w in told if w.confidence > LEAST_TOLD and w.box.covers(region.box, 0.6)}
    if (
        kinds & {Kind.HEADER, Kind.FOOTER}
        and (region.box.bottom if at_top else content.height - region.box.top) < CLOSE_EDGE * content.height
        and not large
        and Kind.TITLE not in kinds
        and _is_apart(region, texts, row, 1.5)
    ):
        return Margin(Role.RUNNING_HEAD, 0.7, "looks like a running head")
    return None


def _is_centred(region: Region, texts: Sequence[Region]) -> bool:
    """Whether it stands in the middle of the page's widest text and leaves room at both sides."""
    column = max((r.box for r in texts), key=lambda box: box.width)
    off = abs(region.box.centre.x - column.centre.x)
    return off < OFF_MIDDLE * column.width and region.box.width < COLUMN * column.width


def _goes_on(text: Region) -> bool:
    """Whether a text begins in a small letter, at its own edge: no initial was lost there."""
    first = text.lines[0]
    at_edge = first.box.left - min(line.box.left for line in text.lines) < 0.5 * first.height
    return at_edge and opening(first.text).islower()


def _ruled_below(box: Box, content: PageContent, rules: Sequence[Box]) -> bool:
    reach = 1.5 * box.height
    near = [rule for rule in rules if 0 <= rule.centre.y - box.bottom < reach]
    return sum(rule.width for rule in near) > WIDE_RULE * content.width


def _catchword(content: PageContent, texts: Sequence[Region]) -> Region | None:
    """The page's last line where it is only the first word of the next page, at the right."""
    if len(texts) < 2:
        return None
    last = max(texts, key=lambda r: r.box.bottom)
    over = [r for r in texts if r is not last and r.box.left < last.box.centre.x < r.box.right]
    before = [r for r in over if r.box.bottom <= last.box.centre.y]
    if len(last.lines) != 1 or not before:
        return None
    above = max(before, key=lambda r: r.box.bottom)
    words = [w for w in last.lines[0].words if any(map(str.isalnum, w.text))]
    text = " ".join(w.text for w in words)
    told = _SIGNATURE.match(last.text) or _SIGNATURE.match(text)
    # A signature in the middle of the foot, however it reads, stands far before the catchword.
    left = words[-1].box.left if words else 0
    apart = len(words) > 1 and left - words[-2].box.right > FAR_BEFORE * last.lines[0].height
    apart = apart and all(len(w.text) <= MOST_MARKS for w in words[:-1]) and words[-1].text.strip("-,;:.").isalpha()
    if len(text) > 14 or not (told or apart):
        return None
    begins = left if apart else last.box.left
    short = above.box.right - last.box.right < 0.25 * above.box.width
    inset = short and begins - above.box.left > 0.4 * above.box.width
    if not inset:
        return None
    if apart or text.endswith("-") or (told and told[1]):
        return last
    return last if told and told[2][0].islower() and not above.text.endswith(SENTENCE_END) else None


def side_notes(texts: Sequence[Region], body: float) -> set[str]:
    """Ids of the notes in the margin: narrow, beside the page's columns and outside of them, or a letter between them.

    Parameters
    ----------
    texts : sequence of Region
        Without what stands at the page's head and foot.
    body : float
        Size of the page's usual type, in pixels (see `sizes.body_size`).
    """
    wide = [r for r in texts if len(r.lines) > 1]
    if not wide:
        return set()
    widest = max(r.box.width for r in wide)
    column = [r.box for r in texts if r.box.width > COLUMN * widest]
    first, last = min(b.left for b in column), max(b.right for b in column)
    left = float(np.median([b.left for b in column if b.left < first + 0.5 * widest]))
    right = float(np.median([b.right for b in column if b.right > last - 0.5 * widest]))
    top, bottom = min(b.top for b in column), max(b.bottom for b in column)

    def is_outside(region: Region) -> bool:
        box = region.box
        middle = box.centre.x
        # A letter over a column's entries stands between no columns, whatever is beside it; those far off may lean.
        reach = AROUND * body
        near = [b for b in column if b.top < box.bottom + reach and box.top < b.bottom + reach] or column
        between = len(region.text) == 1 and all(middle < b.left + body or middle > b.right - body for b in near)
        return box.right < left or box.left > right or between

    found = {
        r.id
        for r in texts
        if is_outside(r)
        and r.box.width < NARROW * widest
        and top - body < r.box.centre.y < bottom + body
        and len(r.lines) <= MOST_SIDE_LINES
        and (len(r.text) == 1 or float(np.median([type_size(line) for line in r.lines])) < SIDE_SIZE * body)
        and any(c.isalpha() for c in r.text)
    }
    height = sum(r.box.height for r in texts if r.id in found)
    # A second column is not a margin, however narrow.
    return found if height < MOST_SIDE_FILLED * (bottom - top) else set()
