"""Lines as they are printed: what a reader ran together is cut, what it cut apart is joined."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from hyalen.core.imaging.hanging import on_ink
from hyalen.core.imaging.pixels import Image
from hyalen.core.languages import EDGES, mostly_right_to_left
from hyalen.core.layout.sizes import CAPITALS, DEEP, TALL, type_size, word_size
from hyalen.core.model.found import FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union

WORD_SPACE = 0.5  # line heights: what may part two words anywhere
LOOSE_SPACE = 1.0  # where a line above or below runs on over it
AS_LOOSE, LEAST_SPACES = 1.2, 3  # the same, times what parts the line's own words; as many spaces tell that
LEVEL = 0.8  # of the height of a bit between two words, that lies within its line's
MARKED = 1.7  # times as high as each other, of two on one baseline
ENDS_ALIKE, AS_WIDE = 0.4, 0.8  # line heights; of that space, which is wider than others in an even column
WIDEST_SPACE = 3.5  # where lines above and below do
LEAST_GUTTER = 0.35  # line heights between two words that columns part
SURE, LEAST_SURE = 0.8, 3  # confidence and letters of a word that no rule runs through
LEAST_CROSSED, WITHIN = 2, 0.15  # such words that a false one runs through; of a word's width, beside which it does not
LEAST_OFF = 0.2  # of the height: words that stand so far off a baseline have another
NARROW_GUTTER, BEGIN_ALIKE, INDENT = 2.5, 0.3, 2.0  # line heights: widest space that columns may be run together over;
# how exactly below each other lines begin there, and how exactly a line is as wide as both
# Line heights around a letter between columns: beside it lines end and begin, and it parts them; by how much its box
# may reach into them.
GUIDED, AT_RIM = 1.5, 0.1
MOST_UNLIKE, ONE_SIZE = 1.35, 1.15  # times: words within it are of one size; the same, of lines
# Times: type of two blocks, and how much wider its letters are at least; words beside it, and their letters, that tell.
OTHER_SIZE, OTHER_WIDTH, BESIDE, LEAST_LETTERS = 1.7, 1.3, 3, 5
TOUCHING = 0.35  # of its height, by which a bit may reach into the words beside it
LONG_LINE, MOST_BIT, ON_WORD = 4, 5, 0.3  # words of a line; letters of a bit of one; of its width, on one of its words
RULE_MARKS, LEAST_MARKS = frozenset("|¦"), 3  # strokes; lines that have one
ON_RULE = 0.5  # line heights beside a rule, of a stroke that it was read as
# Words of letters at each side of a gutter; rows below each other that have it; times as wide as their other spaces, at least.
SIDE_WORDS, LEAST_RUN, WIDER = 3, 10, 1.5
FAR_BELOW = 3.0  # line heights from row to row: a headline stands between
OFF_RULE, MARKS_NEAR = 0.6, 6.0  # line heights beside, and above each other


def without_rule_marks(lines: Sequence[FoundLine]) -> tuple[list[FoundLine], list[Box]]:
    """The lines without strokes that stand right below each other in several of them, and the rules that these are.

    A hairline between two columns, too thin to be seen in a coarse scan, is read as a stroke in line after line.
    """
    # A line's first or last stroke may be an I that was misread; those within lines tell, where they are close.
    marks = [(w.box, line.height) for line in lines for w in line.words[1:-1] if w.text in RULE_MARKS]
    rules: list[Box] = []
    for box, height in marks:
        x, y = box.centre
        near = [
            b
            for b, _ in marks
            if abs(b.centre.x - x) < OFF_RULE * height and abs(b.top - box.top) < MARKS_NEAR * height
        ]
        if len(near) >= LEAST_MARKS and not any(r.left <= x <= r.right and r.top <= y <= r.bottom for r in rules):
            rules.append(union(near))
    if not rules:
        return list(lines), []

    def kept(word: FoundWord) -> bool:
        (x, y), reach = word.box.centre, MARKS_NEAR * word.box.height
        on_rule = any(r.left <= x <= r.right and r.top - reach < y < r.bottom + reach for r in rules)
        return word.text not in RULE_MARKS or not on_rule

    parts = (part_of(line, tuple(w for w in line.words if kept(w))) for line in lines if any(map(kept, line.words)))
    middles = [round((r.left + r.right) / 2) for r in rules]
    return list(parts), [Box(x, r.top, x + 1, r.bottom) for x, r in zip(middles, rules, strict=True)]


def without_strokes_on(rules: Sequence[Box], lines: Sequence[FoundLine]) -> list[FoundLine]:
    """The lines without strokes at their ends that stand on a vertical rule: the rule was read as one."""

    def on_rule(word: FoundWord, height: float) -> bool:
        if word.text not in RULE_MARKS:
            return False
        x, y = word.box.centre
        return any(abs(rule.centre.x - x) < ON_RULE * height and rule.top < y < rule.bottom for rule in rules)

    def cleared(line: FoundLine) -> FoundLine:
        first, last = 0, len(line.words)
        while last > 1 and on_rule(line.words[last - 1], line.height):
            last -= 1
        while first < last - 1 and on_rule(line.words[first], line.height):
            first += 1
        return part_of(line, line.words[first:last])

    return [cleared(line) for line in lines]


def find_gutters(lines: Sequence[FoundLine]) -> list[Box]:
    """The white between columns that stand closer than words may, as rules a pixel wide.

    There several lines begin right below each other beside the ends of others; as far up and down as lines of that
    width have a space there. Where the next runs on over it, the white is a river in a column.
    """
    beside: list[tuple[FoundLine, FoundLine]] = []
    for right in lines:
        for left in lines:
            gap = right.box.left - left.box.right
            if LEAST_GUTTER * right.height < gap < NARROW_GUTTER * right.height and _level(left, right):
                beside.append((left, right))
    gutters: list[Box] = []
    for _, right in beside:
        height = right.height
        alike = [(a, b) for a, b in beside if abs(b.box.left - right.box.left) < BEGIN_ALIKE * height]
        alike = [(a, b) for a, b in alike if abs(b.box.top - right.box.top) < MARKS_NEAR * height]
        if len({id(b) for _, b in alike}) < LEAST_MARKS:
            continue
        x = round((max(a.box.right for a, _ in alike) + min(b.box.left for _, b in alike)) / 2)
        place = union(box for a, b in alike for box in (a.box, b.box))
        wide = [
            line
            for line in lines
            if abs(line.box.left - place.left) < INDENT * height and abs(line.box.right - place.right) < INDENT * height
        ]
        found = _as_far_as_parted([line for line in wide if line.box.left < x < line.box.right], x, place)
        if found is not None and not any(g.covers(found) for g in gutters):
            gutters.append(found)
    return gutters


def find_straight_gutters(lines: Sequence[FoundLine]) -> list[Box]:
    """The white between columns all of whose rows were read as one, as rules a pixel wide.

    In running text spaces do not stand below each other over many rows, let alone wide ones.
    """
    spoken = {id(line): sorted((w.box for w in line.words if _letters(w) > 1), key=lambda b: b.left) for line in lines}
    rows = sorted((x for x in lines if len(spoken[id(x)]) >= 2 * SIDE_WORDS), key=lambda line: line.level)
    if len(rows) < LEAST_RUN:
        return []
    size = float(np.median([line.height for line in rows]))
    step = max(1, int(LEAST_GUTTER * size / 2))
    xs = np.arange(min(r.box.left for r in rows), max(r.box.right for r in rows), step)
    widths = np.full((len(rows), len(xs)), np.nan)  # of the space there; 0 where there is a word, NaN beside the row
    begins, usual = np.zeros_like(widths), []
    for at, line in enumerate(rows):
        words = sorted((w.box for w in line.words), key=lambda b: b.left)
        said = spoken[id(line)]
        inner = (said[SIDE_WORDS - 1].left <= xs) & (xs < said[-SIDE_WORDS].right)
        widths[at, inner] = 0
        for a, b in pairwise(words):
            if (gap := b.left - a.right) > LEAST_GUTTER * line.height:
                within = inner & (a.right <= xs) & (xs < b.left)
                widths[at, within], begins[at, within] = gap, a.right
        usual.append(float(np.median([b.left - a.right for a, b in pairwise(words)])))
    level = np.array([line.level for line in rows])
    gutters: list[Box] = []
    for column, starts in zip(widths.T, begins.T, strict=True):
        met = np.flatnonzero(~np.isnan(column))
        parted_from_above = np.diff(level[met], prepend=level[met][:1]) > FAR_BELOW * size
        for run in np.split(met, np.flatnonzero((column[met] == 0) | parted_from_above)):
            run = run[column[run] > 0]
            if len(run) < LEAST_RUN or np.median(column[run]) < WIDER * np.median([usual[i] for i in run]):
                continue
            place = union(rows[i].box for i in run)
            x = round((float(starts[run].max()) + float((starts + column)[run].min())) / 2)
            found = Box(x, place.top, x + 1, place.bottom)
            near = [g for g in gutters if abs(g.left - x) < size and g.top < found.bottom and found.top < g.bottom]
            if all(found.height > g.height for g in near):
                gutters = [*(g for g in gutters if g not in near), found]
    return gutters


def _as_far_as_parted(lines: Sequence[FoundLine], x: int, place: Box) -> Box | None:
    """The rule at `x` through some rows, and through the next ones above and below that have a space there.

    None where the next one has none.
    """
    top, bottom = place.top, place.bottom
    for line in sorted(lines, key=lambda line: line.box.top):
        if line.box.bottom > bottom and line.box.top - bottom < LOOSE_SPACE * line.height:
            if not _parted_at(line, x):
                return None
            bottom = line.box.bottom
    for line in sorted(lines, key=lambda line: -line.box.bottom):
        if line.box.top < top and top - line.box.bottom < LOOSE_SPACE * line.height:
            if not _parted_at(line, x):
                return None
            top = line.box.top
    return Box(x, top, x + 1, bottom)


def _parted_at(line: FoundLine, x: int) -> bool:
    words = sorted(line.words, key=lambda w: w.box.left)
    near = 0.2 * line.height
    return any(
        a.box.right - near <= x <= b.box.left + near and b.box.left - a.box.right > LEAST_GUTTER * line.height
        for a, b in pairwise(words)
    )


def find_guides(lines: Sequence[FoundLine]) -> list[Box]:
    """Rules on both sides of letters that stand by themselves between columns, and count a page's parts (A, B, C).

    Beside such a letter lines above and below end, and others begin; one in every row is a table's.
    """
    letters = [(w.box, line.height) for line in lines for w in line.words if _is_capital(w.text.strip(EDGES))]
    rules: list[Box] = []
    for box, height in letters:
        near = MARKS_NEAR / 2 * height
        close = [line.box for line in lines if abs(line.box.centre.y - box.centre.y) < near]
        ends = sum(-AT_RIM < (box.left - b.right) / height < GUIDED for b in close)
        begins = sum(-AT_RIM < (b.left - box.right) / height < GUIDED for b in close)
        others = (o for o, _ in letters if o is not box and abs(o.centre.x - box.centre.x) < height)
        if min(ends, begins) > 1 and not any(abs(o.centre.y - box.centre.y) < near for o in others):
            reach = round(GUIDED * height)
            rules += [Box(x, box.top - reach, x + 1, box.bottom + reach) for x in (box.left - 1, box.right)]
    return rules


def _is_capital(text: str) -> bool:
    return len(text) == 1 and text.isupper()


def cut_lines(
    lines: Sequence[FoundLine], down: Sequence[Box], texts: Sequence[Box], page: Image | None = None
) -> list[FoundLine]:
    """Lines without those that run on over a rule, from one column into another or from one size of type into another.

    Parameters
    ----------
    lines : sequence of FoundLine
    down : sequence of Box
        Vertical rules.
    texts : sequence of Box
        Columns or paragraphs that another witness tells of.
    page : (h, w) uint8, optional
        Dark on white: words of two sizes that were read as one line have their heights from its ink.
    """
    result: list[FoundLine] = []
    for line in lines:
        words = sorted(line.words, key=lambda w: w.box.left)
        beside = [t for t in texts if t.top < line.box.bottom and line.box.top < t.bottom]
        cuts = [
            i
            for i, (a, b) in enumerate(pairwise(words), 1)
            if _is_cut(a.box, b.box, line.height, down, beside) or _changes_size(words, i)
        ]
        if not cuts:
            result.append(line)
            continue
        result += parted(line, [words[a:b] for a, b in zip([0, *cuts], [*cuts, len(words)], strict=True)], page)
    return result


def parted(line: FoundLine, parts: Sequence[Sequence[FoundWord]], page: Image | None = None) -> list[FoundLine]:
    """The line as several, each with words of it in their order; their boxes from the page's ink where it is given."""
    found = []
    for part in parts:
        own = {id(w) for w in part}
        kept = tuple(w for w in line.words if id(w) in own)
        if page is not None:
            kept = tuple(w._replace(box=on_ink(page, w.box)) for w in kept)
        found.append(part_of(line, kept))
    return found


def without_screens(down: Sequence[Box], lines: Sequence[FoundLine]) -> list[Box]:
    """The vertical rules without those that run through words that read surely: a tint's dots in a row look like one."""
    sure = (w for line in lines for w in line.words if w.confidence > SURE)
    words = [w.box for w in sure if _letters(w) >= LEAST_SURE]

    def crossed(rule: Box) -> int:
        x = rule.centre.x
        inside = (w for w in words if w.left + WITHIN * w.width < x < w.right - WITHIN * w.width)
        return sum(rule.top < w.top and w.bottom < rule.bottom for w in inside)

    return [rule for rule in down if crossed(rule) < LEAST_CROSSED]


def part_of(line: FoundLine, words: tuple[FoundWord, ...]) -> FoundLine:
    """The line with some of its words only, on a baseline of their own where they do not stand on the line's."""
    if len(words) == len(line.words):
        return line
    part = line._replace(words=words, box=union(w.box for w in words))
    text = "".join(w.text for w in words)
    if text.lower() == text.upper():
        return part
    (x0, y0), (x1, y1) = line.baseline
    slope = (y1 - y0) / (x1 - x0) if x1 != x0 else 0.0
    off = float(np.median([_foot(w) - (y0 + slope * (w.box.centre.x - x0)) for w in words]))
    if abs(off) >= LEAST_OFF * line.height:
        left, right = (Point(x, y0 + slope * (x - x0) + off) for x in (part.box.left, part.box.right))
        part = part._replace(baseline=(left, right))
    own = type_size(part) / CAPITALS
    alike = line.height < MOST_UNLIKE * own and own < MOST_UNLIKE * line.height
    return part if alike else part._replace(height=own)


def _foot(word: FoundWord) -> float:
    """Where the word stands: descenders reach about a quarter of the height of a word deeper."""
    if not DEEP.search(word.text):
        return word.box.bottom
    return word.box.bottom - (0.24 if TALL.search(word.text) else 0.32) * word.box.height


def _is_cut(a: Box, b: Box, height: float, down: Sequence[Box], texts: Sequence[Box]) -> bool:
    top, bottom = min(a.top, b.top), max(a.bottom, b.bottom)
    for rule in down:
        if a.right - 0.2 * height <= rule.centre.x <= b.left + 0.2 * height:
            # A stroke no taller than the line may be a letter.
            crossed = min(bottom, rule.bottom) - max(top, rule.top)
            if crossed > 0.6 * (bottom - top) and rule.height > 2 * height:
                return True
    if len(texts) < 2 or b.left - a.right < LEAST_GUTTER * height:
        return False
    left = [t for t in texts if t.covers(a, 0.8)]
    right = [t for t in texts if t.covers(b, 0.8)]
    return bool(left and right) and all(
        t.right <= b.left + height and u.left >= a.right - height for t in left for u in right
    )


def _changes_size(words: Sequence[FoundWord], at: int) -> bool:
    """Whether words of far larger or smaller type begin there, as those of a pull quote within a column do."""
    left, right = words[max(0, at - BESIDE) : at], words[at : at + BESIDE]
    if min(len(left), len(right)) < 2 or min(sum(_letters(w) for w in side) for side in (left, right)) < LEAST_LETTERS:
        return False
    # Specks above and below make words tall, but not their letters wide.
    return _are_larger(left, right) or _are_larger(right, left)


def _are_larger(some: Sequence[FoundWord], others: Sequence[FoundWord]) -> bool:
    """Whether each of some words is of far larger type than each of the others."""
    taller = min(map(word_size, some)) > OTHER_SIZE * max(map(word_size, others))
    return taller and _letter_width(some) > OTHER_WIDTH * _letter_width(others)


def _letter_width(words: Sequence[FoundWord]) -> float:
    return sum(w.box.width for w in words) / sum(len(w.text) for w in words)


def _letters(word: FoundWord) -> int:
    return sum(map(str.isalpha, word.text))


def join_rows(lines: Sequence[FoundLine], down: Sequence[Box] = ()) -> list[FoundLine]:
    """Lines in which one that continues another at the same height is part of it.

    Two are one when they share most of their height and the space between them is no
    wider than a space between words could be; in a loosely set line, it may be as wide as
    the lines above or below run on over it. One that stands between two words of the other,
    left out when that was read, is part of it, too.

    Parameters
    ----------
    lines : sequence of FoundLine
    down : sequence of Box
        Vertical rules, which nothing is joined over.
    """
    rows = list(lines)
    while True:
        joined = _join_once(rows, down)
        if len(joined) == len(rows):
            return joined
        rows = joined


def _join_once(lines: Sequence[FoundLine], down: Sequence[Box]) -> list[FoundLine]:
    rows: list[FoundLine] = []
    for line in sorted(lines, key=lambda each: each.box.left):
        for at, other in enumerate(rows):
            if (whole := _filled(other, line)) is not None:
                rows[at] = whole
                break
            size = max(line.height, other.height)
            gap = line.box.left - other.box.right
            if not _level(line, other) or not -0.3 * size < gap < WIDEST_SPACE * size:
                continue
            if _is_cut(other.box, line.box, size, down, ()):
                continue
            spaces = 2 if _ends_sentence(other) else 1
            loose = max(LOOSE_SPACE * size, spaces * AS_LOOSE * _own_space((other, line)))
            if gap < WORD_SPACE * size or _bridges(other, line, lines) >= (1 if gap < loose else 2):
                rows[at] = _joined(other, line)
                break
        else:
            rows.append(line)
    return rows


def without_bits(lines: Sequence[FoundLine]) -> list[FoundLine]:
    """The lines but for unsure single words of a few letters on words of a longer line, that were read of the same ink."""
    long = [line for line in lines if len(line.words) >= LONG_LINE]

    def is_bit(line: FoundLine) -> bool:
        if len(line.words) > 1 or line.confidence > SURE or len(line.words[0].text) > MOST_BIT:
            return False
        rows = (row for row in long if row.box.covers(line.box, LEVEL))
        return any(w.box.intersection(line.box).width > ON_WORD * line.box.width for row in rows for w in row.words)

    return [line for line in lines if not is_bit(line)]


def _filled(line: FoundLine, bit: FoundLine) -> FoundLine | None:
    """The line with the words of one that stands between two of its own; None where it does not."""
    shared = min(line.box.bottom, bit.box.bottom) - max(line.box.top, bit.box.top)
    if shared < LEVEL * bit.box.height or bit.box.height > line.box.height:
        return None
    at = next((i for i, (a, b) in enumerate(pairwise(line.words), 1) if _stands_between(a.box, bit.box, b.box)), None)
    return None if at is None else line._replace(words=(*line.words[:at], *bit.words, *line.words[at:]))


def _stands_between(a: Box, bit: Box, b: Box) -> bool:
    left, right = (a, b) if a.left < b.left else (b, a)
    slack = TOUCHING * bit.height
    return left.right <= bit.left + slack and bit.right <= right.left + slack


def _ends_sentence(line: FoundLine) -> bool:
    """Whether a sentence ends with the line, after which a typist gives two spaces (common practice, no source)."""
    return line.words[-1].text.rstrip("\"'”’)")[-1:] in (".", ":", "?", "!")


def _own_space(parts: Sequence[FoundLine]) -> float:
    """What usually parts the words of a line that was found in parts, in pixels."""
    spaces = [b.box.left - a.box.right for part in parts for a, b in pairwise(part.words)]
    return float(np.median(spaces)) if len(spaces) >= LEAST_SPACES else 0.0


def _level(a: FoundLine, b: FoundLine) -> bool:
    shared = min(a.box.bottom, b.box.bottom) - max(a.box.top, b.box.top)
    ratio = max(a.height, b.height) / max(1.0, min(a.height, b.height))
    # A mark over or under a few letters makes their row's height uncertain.
    alike = ratio < 1.4 or (ratio < MARKED and abs(a.level - b.level) < 0.2 * min(a.height, b.height))
    return shared > 0.6 * min(a.box.height, b.box.height) and (alike or shared > 0.8 * max(a.box.height, b.box.height))


def _bridges(left: FoundLine, right: FoundLine, lines: Sequence[FoundLine]) -> int:
    """On how many sides, above and below, a line of like size right there runs on over the gap between two."""
    height = max(left.height, right.height)
    row = union((left.box, right.box))
    sides = set()
    for line in lines:
        # The height of a line of figures is told less surely than how large its words are.
        alike = max(line.height, height) <= 1.3 * min(line.height, height) or _of_one_size((line, left, right))
        if line is left or line is right or not alike:
            continue
        above = line.box.centre.y < row.centre.y
        apart = row.top - line.box.bottom if above else line.box.top - row.bottom
        widest = LOOSE_SPACE * line.height
        if _fill_alike(line, row) and _is_worded(left) and _is_worded(right):
            widest = max(widest, AS_WIDE * (right.box.left - left.box.right))
        if -0.5 * height < apart < 0.8 * height and _runs_over(line, left.box.right, right.box.left, widest):
            sides.add(above)
    return len(sides)


def _of_one_size(lines: Sequence[FoundLine]) -> bool:
    sizes = [type_size(line) for line in lines]
    return max(sizes) < ONE_SIZE * min(sizes)


def _fill_alike(line: FoundLine, row: Box) -> bool:
    """Whether a line begins and ends where a row does, as those of an even column do."""
    return max(abs(line.box.left - row.left), abs(line.box.right - row.right)) < ENDS_ALIKE * line.height


def _is_worded(line: FoundLine) -> bool:
    return not any(c.isdigit() for w in line.words for c in w.text)


def _runs_over(line: FoundLine, start: int, end: int, widest: float) -> bool:
    """Whether the line's words go on over a stretch without more space than that."""
    if line.box.left > start - line.height or line.box.right < end + line.height:
        return False
    words = sorted((w.box for w in line.words), key=lambda b: b.left)
    return all(b.left - a.right < widest for a, b in pairwise(words) if a.right < end and b.left > start)


def _joined(left: FoundLine, right: FoundLine) -> FoundLine:
    backwards = mostly_right_to_left([w.language for w in (*left.words, *right.words)])
    first, second = (right, left) if backwards else (left, right)
    return FoundLine(
        words=(*first.words, *second.words),
        box=union((left.box, right.box)),
        baseline=(left.baseline[0], right.baseline[1]),
        height=max(left.height, right.height),
    )
