"""Lines of a column into paragraphs, headings and list items."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from hyalen.core.languages import EDGES, is_known
from hyalen.core.layout.initials import LEAST_RISE
from hyalen.core.layout.leaders import LEADER
from hyalen.core.layout.numerals import page_number
from hyalen.core.layout.sizes import CAPITALS, SetLine, type_size, vagueness
from hyalen.core.layout.strokes import least_bold
from hyalen.core.model.content import Line, Word

LIST_MARKER = re.compile(
    r"^(?:[•●▪■◦‣*·—–-]|[(\[]?(?:\d{1,3}|[ivxlc]{1,5}|[a-z])[.)\]]|\((?:\d{1,3}|[a-z])\))(?=\s)",
    re.IGNORECASE,
)
SENTENCE_END = tuple(".!?:;؟。")
BULLETS = "•●▪■◦‣*"
LEAST_INDENT = 0.6  # line heights
RESIZED = 1.25  # times that type changes between paragraphs
RESIZED_JUSTIFIED, RESIZED_LAST = 1.6, 1.45  # worn or sized-down lines of one justified paragraph
RESIZED_ON = 1.8  # a last line that goes on a sentence in a small letter
LEAST_OPENED, ALIKE = 2, 0.3  # paragraphs that tell a column's indent; line heights that indents may differ
SHORT = 4  # lines of a column that does not tell its own leading
LEAST_ENTRIES, MOST_PASSED = 5, 3  # entries of a numbered run; numbers that it may pass over
_NUMBERED = re.compile(r"[(\[]?(\d{1,4})[.)\]]?\s+\D")
LEAST_LEADING, ENTRY_GAP = 3, 1.2  # lines of a column that lead to page numbers; line heights before such a number
FAR_OFF, BIT = 3.0, 2  # line heights between a head and its number, as no text has; letters of a misread number
LEAST_OVER, FAR_IN = 3, 0.5  # lines over a paragraph's last one, or a catchword; of their width, that it stands in
WELL_SHORT = 0.3  # of the column's width, that a paragraph's last line leaves whatever comes after it
LONG_ENTRY = 8  # lines of a hanging entry
VERSES, MOSTLY_VERSES = 3, 0.8  # lines before and behind a verse; of them, that begin with capitals
RAGGED = 0.3  # line heights that lines end apart
BESIDE_INITIAL = 2.0  # line heights that a large initial moves lines in
LOOSE = 1.3  # line heights: lines nearer than that are not spaced
_ABBREVIATED = re.compile(r"(?:^|[\s(])[^\W\d_]{1,2}\.$")  # an initial, or "p." before its number
_RUN_IN = re.compile(r"(?:[A-ZÀ-Þ'’&-]{2,}\s+){2,}[^\s]*[a-zß-ÿ]")


def leads_to_number(line: SetLine) -> bool:
    """Whether the line ends with a page number behind a leader or a wide gap, as an entry of contents does."""
    if len(line.words) < 2 or page_number(line.words[-1].text) is None:
        return False
    before, number = line.words[-2], line.words[-1]
    gap = max(number.box.left - before.box.right, before.box.left - number.box.right)
    return before.text == LEADER or gap > ENTRY_GAP * line.height


def usual_leading(columns: Sequence[Sequence[SetLine]]) -> float:
    """Distance of baselines over line height, as most of the page's columns have it; 0 where no column tells.

    Parameters
    ----------
    columns : sequence of sequence of line
        Each from top to bottom.
    """
    found = []
    for lines in columns:
        if len(lines) > 3:
            pitch = np.diff([line.level for line in lines])
            found += [float(np.median(pitch) / max(1.0, np.median([line.height for line in lines])))] * len(lines)
    return float(np.median(found)) if found else 0.0


def entry_numbers(columns: Sequence[Sequence[SetLine]]) -> frozenset[int]:
    """The numbers of a page's numbered entries: of lines that count on, five and more of them, misread ones between.

    Parameters
    ----------
    columns : sequence of sequence of line
        In reading order, each from top to bottom.
    """
    found: set[int] = set()
    run: list[int] = []
    for line in (line for lines in columns for line in lines):
        number = _leading_number(line)
        if number is None:
            continue
        if run and not 0 < number - run[-1] <= MOST_PASSED:
            run = []
        run.append(number)
        if len(run) >= LEAST_ENTRIES:
            found |= set(range(run[0], run[-1] + MOST_PASSED + 1))
    return frozenset(found)


def _leading_number(line: SetLine) -> int | None:
    match = _NUMBERED.match(" ".join(word.text for word in line.words[:2]))
    return int(match.group(1)) if match else None


def split_paragraphs(
    lines: Sequence[Line],
    right_to_left: bool = False,
    leading: float = 0.0,
    entries: frozenset[int] = frozenset(),
    strokes: Sequence[float] = (),
    language: str = "",
) -> list[list[Line]]:
    """Cut a column's lines where a new paragraph starts.

    A paragraph starts after more than the usual space, at a change of type size, after and before
    bold lines that do not fill their column, at a list
    marker, at a line indented beside its neighbours, around a centred line, and after a
    sentence that ends so early that the next word would have stood beside it. In a column of
    hanging entries it starts at each line that is not indented. Edges are taken from a line's
    neighbours, for a column may follow a picture's outline.

    Parameters
    ----------
    lines : sequence of Line
        From top to bottom.
    right_to_left : bool
        Lines start at the right edge.
    leading : float
        The page's usual distance of baselines over line height, if known.
    entries : frozenset of int
        With which numbered entries start on this page, from `entry_numbers`.
    strokes : sequence of float
        Each line's stroke width, where that is known (`strokes.stroke_width`).
    language : str
        In which words are looked up.
    """
    if not lines:
        return []
    column = _Column(lines, right_to_left, leading, entries, strokes, language)
    paragraphs = [[lines[0]]]
    for i in range(1, len(lines)):
        if column.starts_at(i):
            paragraphs.append([lines[i]])
        else:
            paragraphs[-1].append(lines[i])
    return paragraphs


def _ordinal(line: Line) -> int | None:
    """What a list marker counts: its number, or its letter's place in the alphabet."""
    match = LIST_MARKER.match(line.text)
    core = re.sub(r"[\W_]", "", match.group()) if match else ""
    if core.isdigit():
        return int(core)
    return ord(core.lower()) if len(core) == 1 else None


def ends_sentence(text: str) -> bool:
    """Whether a text ends as a sentence does, quotation marks and brackets passed over."""
    return text.rstrip("\"'”’»)").endswith(SENTENCE_END)


def opening(text: str) -> str:
    """A text's first letter or figure, quotation marks passed over."""
    return text.lstrip("\"'“‘«„([¿¡")[:1]


def _has_initial(line: Line) -> bool:
    """Whether the line begins with a drop capital."""
    return bool(line.words) and line.words[0].box.height > LEAST_RISE * line.height


def _all_capitals(line: Line) -> bool:
    letters = [c for word in without_far_bit(line) for c in word.text if c.isalpha()]
    return len(letters) > 3 and all(c.isupper() for c in letters)


def without_far_bit(line: Line) -> tuple[Word, ...]:
    """The line's words but for one of a letter or two at an end, so far off as no word of a text is: a misread number."""
    words = line.words
    for bit, other, rest in ((words[0], words[1], words[1:]), (words[-1], words[-2], words[:-1])) if words[1:] else ():
        off = max(other.box.left - bit.box.right, bit.box.left - other.box.right)
        if len(bit.text) <= BIT and off > FAR_OFF * line.height:
            return rest
    return words


class _Column:
    """A column's measures: `starts` and `ends` grow in reading direction."""

    def __init__(
        self,
        lines: Sequence[Line],
        right_to_left: bool,
        leading: float,
        entries: frozenset[int],
        strokes: Sequence[float],
        language: str,
    ) -> None:
        self.lines, self.leading, self.entries, self.language = lines, leading, entries, language
        boxes = [line.box for line in lines]
        self.starts = [-b.right if right_to_left else b.left for b in boxes]
        for i in range(len(lines) - 1):
            if _has_initial(lines[i]):  # the lines beside it are level with each other, not with the letter
                self.starts[i] = self.starts[i + 1]
        self.ends = [-b.left if right_to_left else b.right for b in boxes]
        self.sizes = [type_size(line) for line in lines]
        middle = [line.level for line in lines]
        self.pitch = np.diff(middle)
        self.hanging = self._is_hanging()
        ends = [leads_to_number(line) for line in lines]
        self.leading_on = ends if sum(ends) >= LEAST_LEADING else [False] * len(lines)
        self.verse = [self._is_verse(i) for i in range(len(lines))]
        usual = float(np.median(strokes)) if len(strokes) else 0.0
        least = usual * least_bold(strokes)
        self.bold = [usual > 0 and width > least for width in strokes] or [False] * len(lines)

    def starts_at(self, i: int) -> bool:
        before, line = self.lines[i - 1], self.lines[i]
        size = max(1.0, min(before.height, line.height))
        if self.leading_on[i - 1]:
            return True
        if self._spaced(i, size) or self._resized(i) or self._case_changes(i, size) or self._stands_last(i, size):
            return True
        if self.bold[i] != self.bold[i - 1] and self._falls_short(i if self.bold[i] else i - 1, size):
            return True
        if self.entries and _leading_number(line) in self.entries and self._edge_distance(i) < 0.6 * size:
            return True
        if self.hanging:
            return self._at_edge(i)
        if self.verse[i] and self.verse[i - 1]:
            return self._marked(i, size)
        if self._marked(i, size) or self._indented(i, size) or self._ended(i, size) or self._beside_initial(i, size):
            return True
        if self._centred(i - 1, size):
            return not self._centred(i, size) and not line.text[:1].islower()
        closed = ends_sentence(before.text) or self._remains(i - 1) > 1.5 * size
        return closed and self._centred(i, size)

    def _spaced(self, i: int, size: float) -> bool:
        near = self.pitch[max(0, i - 6) : i + 5]
        usual = float(np.percentile(near, 35)) if len(near) > 2 else float(np.min(self.pitch))
        if self.leading and len(self.lines) <= SHORT:  # a short column does not tell its own
            usual = min(usual, self.leading * size)
        return bool(self.pitch[i - 1] > max(usual * 1.3, usual + 0.25 * size, LOOSE * size))

    def _resized(self, i: int) -> bool:
        before, sizes = self.lines[i - 1], (self.sizes[i - 1], self.sizes[i])
        # What stands over and under letters makes lines high: a title's are no longer than its capitals tell.
        allowed = self._allowed(i, min(before.height, min(sizes) / CAPITALS)) * vagueness(before)
        return max(sizes) / min(sizes) > allowed and min(len(self.lines[i].text), len(self.lines[i - 1].text)) > 3

    def _case_changes(self, i: int, size: float) -> bool:
        """Whether a line of capitals ends here that does not fill its column or reaches beyond it: no run-in title."""
        if not _all_capitals(self.lines[i - 1]) or _all_capitals(self.lines[i]):
            return False
        beyond = self.ends[i - 1] - max(self.ends[i : i + 4])
        first = i == 1 and not self.lines[0].text.endswith(":")  # of which no line above tells how wide the column is
        remains = -beyond if first else self._remains(i - 1)
        return max(remains, beyond) > 1.5 * size

    def _stands_last(self, i: int, size: float) -> bool:
        """Whether it is the last line and stands at the column's far end, as a catchword does and no line of a text."""
        if i < LEAST_OVER or i + 1 < len(self.lines):
            return False
        start, end = min(self.starts[i - LEAST_OVER : i]), max(self.ends[i - LEAST_OVER : i])
        return self.starts[i] - start > FAR_IN * (end - start) and self.ends[i] > end - 2 * size

    def _allowed(self, i: int, size: float) -> float:
        """By how much type may change within a paragraph: more where the line and the one before end alike.

        Worn or hand-set type varies; an indent, or a last line that ends early, does not count.
        """
        start, end = self.starts[i] - self.starts[i - 1], self.ends[i] - self.ends[i - 1]
        if abs(end) < 0.8 * size and -3 * size < start < 0.8 * size:
            return RESIZED_JUSTIFIED
        last = abs(start) < 0.8 * size and end < 0 and not ends_sentence(self.lines[i - 1].text)
        if last and self.lines[i].text[:1].islower():
            return RESIZED_ON
        return RESIZED_LAST if last else RESIZED

    def _marked(self, i: int, size: float) -> bool:
        """A bullet, or a number or letter that does not merely come first in its line."""
        text, before = self.lines[i].text, self.lines[i - 1].text
        if not LIST_MARKER.match(text):
            return False
        if text[0] in BULLETS or self._counts_on(i):
            return True
        if self._remains(i - 1) > 2 * size:
            return True
        goes_on = _ABBREVIATED.search(before) or before.count("(") > before.count(")")
        return before.endswith((*SENTENCE_END, ";", ",")) and not goes_on

    def _counts_on(self, i: int) -> bool:
        """Whether the line's number or letter is the next after that of an item above it."""
        mark = _ordinal(self.lines[i])
        above = [m for line in self.lines[:i] if (m := _ordinal(line)) is not None]
        return mark is not None and bool(above) and mark == above[-1] + 1

    def _indented(self, i: int, size: float) -> bool:
        """Whether the line starts farther in than the lines before and after it."""
        before = self.starts[i] - min(self.starts[max(0, i - 2) : i])
        after = self.starts[i + 1 : i + 3]
        if before < -size and after and self.starts[i] - min(after) > LEAST_INDENT * size:
            room = max(self.ends[i : i + 4]) - self.ends[i - 1]  # verses above may all end early
            return ends_sentence(self.lines[i - 1].text) and room > 1.5 * size
        if before <= LEAST_INDENT * size or before > 0.45 * self._width(i):
            return False
        if self._goes_on_in_item(i, size):
            return False
        if not self._may_end(i - 1, size) and not self._opens_as_others(i, before, size):
            return False
        return not after or self.starts[i] - min(after) > LEAST_INDENT * size

    def _may_end(self, i: int, size: float) -> bool:
        """Whether a paragraph may end with the line: a sentence does, or room is left."""
        return ends_sentence(self.lines[i].text) or self._remains(i) > 1.5 * size

    def _opens_as_others(self, i: int, indent: float, size: float) -> bool:
        """Whether the line opens with a capital at the indent of two paragraphs: the end before may be cut off or unread."""
        if not opening(self.lines[i].text).isupper() or self.lines[i - 1].text.endswith(("-", ",", ";")):
            return False
        others = [
            k
            for k in range(1, len(self.lines))
            if ends_sentence(self.lines[k - 1].text)
            and abs(self.starts[k] - self.starts[k - 1] - indent) < ALIKE * size
            and opening(self.lines[k].text).isupper()
        ]
        return len(others) >= LEAST_OPENED

    def _goes_on_in_item(self, i: int, size: float) -> bool:
        """Whether the line is one of those below a list item's first, that start level with each other, farther in."""
        for k in range(i - 1, max(-1, i - 1 - LONG_ENTRY), -1):
            if LIST_MARKER.match(self.lines[k].text):
                return self.starts[k + 1] - self.starts[k] > 0.5 * size
            if abs(self.starts[k] - self.starts[i]) > 0.4 * size:
                return False
        return False

    def _ended(self, i: int, size: float) -> bool:
        before, line = self.lines[i - 1], self.lines[i]
        if not line.words:
            return False
        if not ends_sentence(before.text):
            return opening(line.text).isupper() and self._stops_short(i - 1, size)
        first = line.words[0]
        if opening(line.text).islower():  # small capitals are read as small letters
            return not before.text.endswith(":") and self._remains(i - 1) > WELL_SHORT * self._width(i)
        if _RUN_IN.match(line.text) and not _RUN_IN.match(before.text):
            return True
        return self._remains(i - 1) > first.box.width + 0.9 * size

    def _stops_short(self, i: int, size: float) -> bool:
        """Whether the line ends far before those above it, which are justified: its full stop was misread."""
        above = slice(max(0, i - LEAST_OVER), i)
        starts, ends = self.starts[above], self.ends[above]
        even = len(ends) == LEAST_OVER and max(np.ptp(starts), np.ptp(ends)) < 0.5 * size
        return even and min(ends) - self.ends[i] > WELL_SHORT * (min(ends) - max(starts))

    def _beside_initial(self, i: int, size: float) -> bool:
        """Whether the first of some lines stands here that a large initial moves in, read or not: their word has lost it."""
        inside = [start - self.starts[i - 1] > BESIDE_INITIAL * size for start in self.starts[i : i + 2]]
        if len(inside) < 2 or not all(inside) or not opening(self.lines[i].text).isupper():
            return False
        whole = self.lines[i].words[0].text.strip(EDGES)
        return whole.isupper() or ends_sentence(self.lines[i - 1].text) or not is_known(whole, self.language)

    def _remains(self, i: int) -> float:
        """Space between the line's end and its column's edge, told by the lines around it."""
        far = min(max(self.ends[max(0, i - 3) : i + 1]), max(self.ends[i : i + 4]))
        return float(far - self.ends[i])

    def _falls_short(self, i: int, size: float) -> bool:
        """Whether the line leaves room for more words, compared with those around it; one may be wider than the column."""
        near = sorted(self.ends[max(0, i - 3) : i + 4])
        return near[-2 if len(near) > 3 else -1] - self.ends[i] > 1.5 * size

    def _width(self, i: int) -> float:
        near = slice(max(0, i - 3), i + 4)
        return max(1.0, float(max(self.ends[near]) - min(self.starts[near])))

    def _centred(self, i: int, size: float) -> bool:
        """Whether the line stands in the middle of a column that other lines fill."""
        near = range(max(0, i - 3), min(len(self.lines), i + 4))
        edge, far = min(self.starts[k] for k in near), max(self.ends[k] for k in near)
        left, right = self.starts[i] - edge, far - self.ends[i]
        full = sum(max(self.starts[k] - edge, far - self.ends[k]) < 0.35 * size for k in near)
        alone = all(abs(self.starts[k] - self.starts[i]) > 0.8 * size for k in (i - 1, i + 1) if k in near)
        return full > 1 and alone and min(left, right) > 1.2 * size and abs(left - right) < 0.3 * (left + right)

    def _edge_distance(self, i: int) -> float:
        """How far the line starts from the outermost edge near it; a page may lean."""
        return float(self.starts[i] - min(self.starts[max(0, i - 2) : i + 3]))

    def _at_edge(self, i: int) -> bool:
        """Whether the line starts at the outermost edge near it, not within an entry so long that all near it is indented."""
        near = self.starts[max(0, i - LONG_ENTRY) : i + LONG_ENTRY + 1]
        size = self.lines[i].height
        indents = [start - min(near) for start in near if start - min(near) > 0.4 * size]
        least = max(0.4 * size, 0.6 * float(np.median(indents))) if indents else 0.4 * size
        return self._edge_distance(i) < 0.4 * size and self.starts[i] - min(near) < least

    def _is_verse(self, i: int) -> bool:
        """Whether the lines around begin with capitals though no sentence ended, and no margin makes them even: verses."""
        near = range(max(0, i - VERSES), min(len(self.lines), i + VERSES + 1))
        if len(near) <= VERSES or any(self.leading_on[k] for k in near):
            return False
        opens = sum(opening(self.lines[k].text).isupper() for k in near)
        within = sum(
            opening(self.lines[k].text).isupper() and not ends_sentence(self.lines[k - 1].text) for k in near if k
        )
        far = max(self.ends[k] for k in near)
        ragged = sum(far - self.ends[k] > RAGGED * self.lines[k].height for k in near)
        return opens >= MOSTLY_VERSES * len(near) and within >= 0.5 * len(near) and ragged >= 0.4 * len(near)

    def _is_hanging(self) -> bool:
        """Whether entries start at the edge and go on indented: their first words tell, by capital or figure."""
        if len(self.lines) < 4:
            return False
        at_edge: list[bool] = []
        inside: list[bool] = []
        for i, line in enumerate(self.lines):
            opens = line.text.lstrip("\"'“‘«„(•*—-")[:1]
            told = opens.isupper() or opens.isdigit()
            (at_edge if self._at_edge(i) else inside).append(told)
        if len(inside) < 2 or len(at_edge) < 2 or len(inside) < 0.2 * len(self.lines):
            return False
        return sum(at_edge) > 0.85 * len(at_edge) and sum(inside) < 0.7 * len(inside)
