"""What a mark in the text or an entry of the contents leads to."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import NamedTuple

from rapidfuzz import fuzz, utils

from hyalen.core.layout.numerals import page_number
from hyalen.core.model.content import Line, PageContent, Region, RegionKind, Role, Word
from hyalen.core.model.found import Style
from hyalen.core.structure.flow import Run

ALIKE = 86.0  # of 100: a heading and its entry in the contents
_NOTE_LABEL = re.compile(r"^(?:([*†‡§¶]{1,3})|\(?(\d{1,3}|[a-z])[).]?)(?=[\s\w\"“„])")
_MARKS = "*†‡§¶"
_MARK = re.compile(
    r"(?:[*†‡§¶]{1,3}|^(?:\d{1,3}|[a-z])|[(\[](?:\d{1,3}|[a-z])[)\]]|(?<=[^\W\d])\d{1,3}|(?<=[;:!?”\"])\d{1,3}|(?<=[^\W\d][.,])\d{1,3})$"
)
LONGEST_MARK = 5
SCHEMES = frozenset({"http", "https", "mailto", "ftp", "tel"})
_POWER = re.compile(r"\d*(?:[kcdm]?m|ft|in|yd)[23]")
_MAIL = re.compile(r"[\w.+-]{1,64}@[A-Za-z0-9-]{1,63}(?:\.[A-Za-z0-9-]{1,63})+", re.ASCII)
_WEB = re.compile(r"(?:https?://[A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+|www(?:\.[A-Za-z0-9-]+){2,})(?:[:/?#][\w./?%&=~+:#,;@!$*()-]*)?", re.ASCII)  # fmt: skip


class Place(NamedTuple):
    """A region of a page, from 0."""

    page: int
    region_id: str

    @property
    def address(self) -> str:
        """What leads there from within the document; no address elsewhere begins so."""
        return f"#{self.page}:{self.region_id}"


def leads_elsewhere(address: str) -> bool:
    """Whether an address is one that people follow: of the web, of mail or of a telephone, and no script."""
    return address.partition(":")[0].casefold() in SCHEMES


def place_at(address: str) -> Place | None:
    """The place within the document that an address is of, None for one elsewhere."""
    told = re.fullmatch(r"#(\d+):(.+)", address)
    return Place(int(told[1]), told[2]) if told else None


def note_references(content: PageContent) -> dict[str, str]:
    """By the id of each word that bears the mark of a note, the id of the note of its page.

    A mark is a raised number or letter, or a star, dagger or the like at a word's end. The first in reading order that
    no note has yet is taken.
    """
    notes = [(label, r.id) for r in content.regions if r.role is Role.NOTE and (label := _label(r))]
    if not notes:
        return {}
    found: dict[str, str] = {}
    words = [w for r in content.regions if r.kind is not RegionKind.FIGURE and r.role is not Role.NOTE for w in r.words]
    for label, note in notes:
        word = next((w for w in words if w.id not in found and label in _marks(w)), None)
        if word is not None:
            found[word.id] = note
    return found


def parted_mark(text: str) -> tuple[str, str]:
    """A word that refers to a note as what is said and the mark, which is "" where it bears none."""
    word = text.strip()
    found = _MARK.search(word)
    return (word[: found.start()], found.group().strip("()[]")) if found else (word, "")


def note_text(runs: Sequence[Run]) -> tuple[str, list[Run]]:
    """A note's mark, and what it says without it."""
    if not runs:
        return "", []
    first, rest = runs[0], list(runs[1:])
    if Style.SUPERSCRIPT in first.style and len(first.text.strip()) <= LONGEST_MARK:
        mark, left = first.text.strip().strip("()[]."), ""
    else:
        told = _NOTE_LABEL.match(first.text)
        mark = (told[1] or told[2]) if told else ""
        left = first.text[told.end() :].lstrip() if told else first.text
    if left:
        rest.insert(0, first._replace(text=left))
    elif rest:
        rest[0] = rest[0]._replace(text=rest[0].text.lstrip())
    return mark, rest


def _label(note: Region) -> str:
    """The mark that a note begins with."""
    if not note.lines or not note.lines[0].words:
        return ""
    first = note.lines[0].words[0]
    if first.parts and first.parts[0].start == 0 and first.parts[0].style is Style.SUPERSCRIPT:
        return first.text[: first.parts[0].end].strip("()[].")
    if Style.SUPERSCRIPT in first.style:
        return first.text.strip("()[].")
    told = _NOTE_LABEL.match(note.text)
    return (told[1] or told[2]) if told else ""


def _marks(word: Word) -> set[str]:
    """What a word bears that may be the mark of a note."""
    raised = {word.text[p.start : p.end] for p in word.parts if p.style is Style.SUPERSCRIPT and p.start > 0}
    if Style.SUPERSCRIPT in word.style:
        raised.add(word.text)
    bare = word.text.rstrip('.,;:!?)”"')
    letters = bare.rstrip(_MARKS)
    found = {mark.strip("()[].,;:") for mark in raised}
    if _POWER.fullmatch(bare):  # of a measure, and no mark
        return set()
    if letters and letters != bare:
        found.add(bare[len(letters) :])
    return found - {""}


def address_in(text: str) -> str:
    """The address on the web or of post that a word is, or ""."""
    bare = text.strip("()[]{}<>“”„«»\"',;:!?").rstrip(".")
    if _MAIL.fullmatch(bare):
        return f"mailto:{bare}"
    if _WEB.fullmatch(bare):
        return bare if "://" in bare else f"https://{bare}"
    return ""


class Target(NamedTuple):
    """A heading that an entry may lead to."""

    place: Place
    text: str
    printed: str | None = None  # its page's number


def targets_of(pages: Iterable[PageContent]) -> list[Target]:
    """A document's headings, each with the number that is printed on its page."""
    found = []
    for index, page in enumerate(pages):
        printed = next((a.text for a in page.artifacts if a.role is Role.PAGE_NUMBER), None)
        found += [
            Target(Place(index, r.id), " ".join(r.text.split()), printed)
            for r in page.regions
            if r.role.heading_level is not None and r.lines
        ]
    return found


def led_to(lines: Sequence[Line], targets: Sequence[Target]) -> Place | None:
    """The heading that an entry of the contents names: of several alike, the one whose page bears its number."""
    words = [word.text for line in lines for word in line.words]
    number = page_number(words[-1]) if words else None
    title = " ".join(words[:-1] if number is not None else words)
    scored = [(fuzz.ratio(title, t.text, processor=utils.default_process), t) for t in targets]
    likely = [(score, t) for score, t in scored if score >= ALIKE]
    if not likely:
        return None
    best = max(
        likely, key=lambda each: (number is not None and _printed(each[1]) == number, each[0], -each[1].place.page)
    )
    return best[1].place


def _printed(target: Target) -> int | None:
    return page_number(re.sub(r"[^\w]", "", target.printed)) if target.printed else None


def linked(lines: Sequence[Line], address: str, words: Iterable[str] | None = None) -> tuple[Line, ...]:
    """The lines with words (all of them, or those of these ids) that lead to an address."""
    chosen = None if words is None else set(words)

    def told(word: Word) -> Word:
        if word.link or not (chosen is None or word.id in chosen):
            return word
        return word.model_copy(update={"link": address})

    return tuple(line.model_copy(update={"words": tuple(map(told, line.words))}) for line in lines)
