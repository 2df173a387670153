"""A page's regions from what the engine read and what the image shows."""

from __future__ import annotations

from collections.abc import Sequence
from statistics import mode

import numpy as np

from hyalen.core.imaging.pixels import Image, grey
from hyalen.core.languages import EDGES, mostly_right_to_left
from hyalen.core.layout.aligned import find_aligned_tables, split_rows
from hyalen.core.layout.bar_codes import read_bar_codes
from hyalen.core.layout.beside_column import with_notes_apart
from hyalen.core.layout.bullets import mark_bullets
from hyalen.core.layout.columns import columns
from hyalen.core.layout.evidence import Evidence, gather
from hyalen.core.layout.figures import GAP, Figure, find_figures
from hyalen.core.layout.figures_apart import with_figures_apart
from hyalen.core.layout.initials import join_initials
from hyalen.core.layout.legible import (
    SURE,
    TRUSTED,
    UNSURE,
    columnar,
    in_rows,
    is_noise,
    is_print,
    is_set,
    plausible,
    reads,
    stands_up,
)
from hyalen.core.layout.making import (
    Numbering,
    code_region,
    figure_region,
    formula_region,
    in_cells,
    made_line,
    stray_region,
    table_region,
    text_region,
)
from hyalen.core.layout.numerals import page_number
from hyalen.core.layout.order import reading_order, with_initials_first
from hyalen.core.layout.outlines import core, outlined
from hyalen.core.layout.paragraphs import entry_numbers, split_paragraphs, usual_leading
from hyalen.core.layout.rows import (
    cut_lines,
    find_guides,
    find_gutters,
    find_straight_gutters,
    join_rows,
    part_of,
    without_bits,
    without_rule_marks,
    without_screens,
    without_strokes_on,
)
from hyalen.core.layout.stamps import with_whole_stamps
from hyalen.core.layout.strokes import stroke_width
from hyalen.core.layout.subjects import ink_colour, stamped, subject_of, usual_colour
from hyalen.core.layout.tables import FoundTable, find_grids
from hyalen.core.layout.witness import Kind, Witness
from hyalen.core.model.content import Line, Region, RegionKind, Subject
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union

LEAST_WORD, LONG = 3, 5  # letters: strokes of a drawing make short words
STRAY, RIM = 0.1, 0.015  # of the page's width
NEXT_LINE = 2.0  # heights of a line from the middle of the next one, at most
LEAST_FORMULA, MOST_RUNNING = 0.6, 3  # confidence of the model's formula; long words in it that read surely
LEAST_FIGURE = 0.45  # confidence of the model's figure that is believed
COLUMN_WORDS, MOST_IN_COLUMNS = 60, 0.7  # words of a cell; share of a grid's words in such cells
SAME_INK, AS_HIGH = 0.8, 1.5  # of a word's box, under one of a fuller line; times as high as it, at most
FEW = 2  # words that strokes of a picture may happen to be read as
FAR_OFF = 2.0  # line heights between a line's words and what a picture's strokes were read as
LEAST_FILLED = 0.5  # of the cells of a single row or column
LINE_GAP, TYPICAL = 0.8, 20  # heights of a word, where there are so many: less than what parts their lines
ROUNDS = 4  # of looking for pictures, what proves to be print taken away each time
EDGE, LONG_EDGE = 0.08, 4.0  # of the page's side: a strip along its rim; times as long as wide
STROKES = 8.0  # times a grid without words, that a picture is large of which it is a part
MOST_TEXT = 0.25  # of a picture's box, under lines of text
RUNNING_TEXT = frozenset({Kind.TEXT, Kind.TITLE, Kind.CAPTION, Kind.REFERENCE})


def find_regions(
    page: Image,
    dpi: float,
    blocks: Sequence[FoundBlock],
    languages: tuple[str, ...],
    evidence: Evidence | None = None,
) -> tuple[Region, ...]:
    """Text, tables and figures in reading order; roles are settled by `structure.roles`.

    Parameters
    ----------
    page : (h, w) or (h, w, 3) uint8
        The cleaned page.
    dpi : float
        Pixels an inch.
    blocks : sequence of FoundBlock
        What the engine found on it.
    languages : tuple of str
        What it was read in.
    evidence : Evidence, optional
        Gathered here where it is left out.
    """
    told, rules, panels = evidence or gather(page, dpi)
    ink = grey(page)
    codes = read_bar_codes(ink, dpi)
    numbered = Numbering()
    tables, staves = find_grids(rules)
    read = _without_doubles([with_figures_apart(ink, line) for block in blocks for line in block.lines])
    drawn = [b.box for b in blocks if b.kind is BlockKind.PICTURE and not b.lines]
    tables = [split_rows(t, read) for t in tables if _is_table(t, read) and not _is_in_drawing(t.box, drawn, read)]
    filling = columnar(read)
    column_words = {id(w) for line in read if id(line) in filling for w in line.words}
    figures = [Figure(box, box.polygon()) for box in staves]
    figures += [
        figure
        for figure in _figures(page, dpi, blocks, read, filling, tables, told, (*rules.across, *rules.down))
        if not any(box.covers(figure.box) for box in staves)
    ]

    formulas = [box for box in _formulas(told, read) if not any(t.box.covers(box) for t in tables)]
    figures = [f for f in figures if not any(box.covers(f.box, 0.5) for box in (*formulas, *(c.box for c in codes)))]
    ruled = [*(t.box for t in tables), *formulas, *(c.box for c in codes)]
    cells = in_rows(read)
    kept = []
    for line in read:
        sure = id(line) in filling
        part = _without(line, ruled, figures, sure)
        if _is_of_music(line, staves):
            continue
        if part is not None and (sure or id(line) in cells or not is_noise(part, dpi) or is_set(ink, part)):
            kept.append(part)
    upright = [line for line in kept if stands_up(line)]
    kept = [line for line in kept if not stands_up(line)]
    kept, marked = without_rule_marks(kept)
    down = without_screens(rules.down, kept)
    kept = without_strokes_on(down, kept)
    down += [*marked, *find_straight_gutters(kept)]
    running = [t.box for t in told if t.kind in RUNNING_TEXT]
    for _ in range(2):  # what parts columns is told by lines that do not run over it, and some are first cut by others
        down += [rule for rule in (*find_gutters(kept), *find_guides(kept)) if rule not in down]
        kept = cut_lines(kept, down, running, ink)
    rows = without_bits(join_rows(kept, down))
    surely = {id(line) for line in rows if id(line) in cells or any(id(w) in column_words for w in line.words)}
    surely |= {id(line) for line in rows if len(line.words) > 2 or is_set(ink, line)}
    rows = [line for line in rows if id(line) in surely or not is_noise(line, dpi)]
    rows = with_notes_apart(rows, ink)
    rows, strays = _parted_from_strays(mark_bullets(ink, rows), page.shape[1])
    aligned = find_aligned_tables(_chains(rows, rules.across, panels), rules.across, told)
    rows = [t for line in rows if (t := _without(line, [t.box for t in aligned], ())) is not None]
    chains = _chains(join_initials(rows), rules.across, panels)
    regions = [table_region(table, read, numbered, languages, "ruled grid", 0.9) for table in tables]
    regions += [table_region(table, read, numbered, languages, "aligned columns", 0.7) for table in aligned]
    colour = usual_colour([ink_colour(page, line.box) for line in rows])
    for figure in figures:
        if _is_edge(figure.box, page.shape[1], page.shape[0]):
            continue  # what was read of its strokes is no text either
        music = figure.box in staves
        subject = Subject.MUSIC if music else subject_of(page, dpi, figure.box, rules.across, rules.down, colour)
        regions.append(figure_region(figure, numbered, subject))
    regions += [code_region(code, numbered) for code in codes]
    regions += [formula_region(box, read, numbered) for box in formulas]
    parts: list[list[Region]] = [[region] for region in regions]
    leading, entries = usual_leading(chains), entry_numbers(chains)
    for chain in chains:
        spoken = [w.language for line in chain for w in line.words]
        right_to_left = mostly_right_to_left(spoken)
        strokes = [stroke_width(page, line.box) for line in chain]
        lines = [made_line(line, numbered) for line in chain]
        paragraphs = split_paragraphs(lines, right_to_left, leading, entries, strokes, mode(spoken))
        parts.append([text_region(paragraph, numbered, languages) for paragraph in paragraphs])
    for line in upright:  # its words stand below each other; no other line goes on from it
        level = (Point(line.box.left, line.box.bottom), Point(line.box.right, line.box.bottom))
        parts.append([text_region([made_line(line._replace(baseline=level), numbered)], numbered, languages)])
    parts += [[stray_region([made_line(line, numbered) for line in stray], numbered)] for stray in strays]
    parts = with_initials_first(parts)
    main = mostly_right_to_left([w.language for line in read for w in line.words])
    order = reading_order([union(core(region) for region in part) for part in parts], main)
    return outlined(_stamps_told(page, dpi, _broken_words_joined([region for i in order for region in parts[i]])))


def _stamps_told(page: Image, dpi: float, regions: list[Region]) -> list[Region]:
    """Text in ink of another colour than the page's is a stamp; its words stay words."""
    texts = [r for r in regions if r.kind is RegionKind.TEXT]
    told = stamped(page, dpi, texts)
    stamps = {r.id for r, is_stamp in zip(texts, told, strict=True) if is_stamp}
    marked = [r.model_copy(update={"subject": Subject.STAMP}) if r.id in stamps else r for r in regions]
    return with_whole_stamps(marked, dpi)


def _broken_words_joined(regions: Sequence[Region]) -> list[Region]:
    """The regions, one that begins with the rest of a word right below the other part of it joined to that."""
    joined: list[Region] = []
    for region in regions:
        before = joined[-1] if joined else None
        if before is not None and before.lines and region.lines and _breaks_a_word(before.lines[-1], region.lines[0]):
            lines = (*before.lines, *region.lines)
            outline = union(line.box for line in lines).polygon()
            joined[-1] = before.model_copy(update={"lines": lines, "outline": outline})
        else:
            joined.append(region)
    return joined


def _breaks_a_word(line: Line, below: Line) -> bool:
    text, shared = line.text, min(line.box.right, below.box.right) - max(line.box.left, below.box.left)
    broken = len(text) > LONG and text[-1] in "-‐¬—" and text[-2].isalpha() and below.text[:1].islower()
    near = 0 < below.level - line.level < 1.6 * max(line.height, below.height)
    backwards = mostly_right_to_left([w.language for w in below.words])
    far_in = line.box.right - below.box.right if backwards else below.box.left - line.box.left
    begins = far_in < 0.5 * line.box.width  # a catchword, which stands beyond that, is no rest of a word
    return broken and near and begins and shared > 0.5 * min(line.box.width, below.box.width)


def _is_table(table: FoundTable, read: Sequence[FoundLine]) -> bool:
    """Whether rules enclose cells, not columns of running text, as a newspaper's do, or a drawing's few boxes."""
    counts = [sum(len(part.words) for part in parts) for parts in in_cells(table, read)]
    if min(table.rows, table.columns) == 1 and sum(n > 0 for n in counts) < LEAST_FILLED * len(counts):
        return False
    return sum(n for n in counts if n > COLUMN_WORDS) <= MOST_IN_COLUMNS * sum(counts)


def _is_edge(box: Box, width: int, height: int) -> bool:
    """Whether it is a strip along the page's rim: the leaves beneath, the neighbouring page, the bed."""
    upright = box.height > LONG_EDGE * box.width and box.width < EDGE * width
    lying = box.width > LONG_EDGE * box.height and box.height < EDGE * height
    aside = box.left < RIM * width or box.right > (1 - RIM) * width
    return (upright and aside) or (lying and (box.top < RIM * height or box.bottom > (1 - RIM) * height))


def _is_in_drawing(table: Box, drawn: Sequence[Box], read: Sequence[FoundLine]) -> bool:
    """Whether rules without a word are the strokes of a far larger picture: a blank form fills most of its own place."""
    within = any(picture.covers(table) and picture.area > STROKES * table.area for picture in drawn)
    return within and not any(table.overlap(w.box) > 0 for line in read for w in line.words)


def _chains(lines: Sequence[FoundLine], across: Sequence[Box], panels: Sequence[Box]) -> list[list[FoundLine]]:
    """Chains of lines; what stands in a panel goes on within it only."""
    inside = [[line for line in lines if panel.covers(line.box)] for panel in panels]
    held = {id(line) for group in inside for line in group}
    outside = [line for line in lines if id(line) not in held]
    return [chain for group in (outside, *inside) for chain in columns(group, across)]


def _parted_from_strays(lines: Sequence[FoundLine], width: int) -> tuple[list[FoundLine], list[list[FoundLine]]]:
    """The page's own lines, and those at its left and right rim that are the ends of a neighbouring page's."""
    reach = STRAY * width
    strays: list[list[FoundLine]] = []
    kept = list(lines)
    for at_left in (True, False):

        def depth(box: Box, at_left: bool = at_left) -> float:
            """How far the box reaches in from the rim."""
            return box.right if at_left else width - box.left

        def touches(box: Box, at_left: bool = at_left) -> bool:
            return box.left < RIM * width if at_left else box.right > (1 - RIM) * width

        inner = [line for line in kept if depth(line.box) >= reach]
        rim = [line for line in kept if depth(line.box) < reach and not _goes_on(line, inner)]
        at_rim = {id(line) for line in rim}
        rest = [line for line in kept if id(line) not in at_rim]
        if rim and rest and sum(touches(line.box) for line in rim) > 0.5 * len(rim):
            kept = rest
            strays.append(sorted(rim, key=lambda line: line.box.top))
    return kept, strays


def _goes_on(line: FoundLine, others: Sequence[FoundLine]) -> bool:
    """Whether one of the others stands right above or below it: it begins or ends their paragraph."""

    def beneath(other: Box) -> bool:
        across = min(other.right, line.box.right) - max(other.left, line.box.left)
        return across > 0.5 * line.box.width and abs(other.centre.y - line.box.centre.y) < NEXT_LINE * line.box.height

    return any(beneath(other.box) for other in others)


def _figures(
    page: Image,
    dpi: float,
    blocks: Sequence[FoundBlock],
    read: Sequence[FoundLine],
    filling: set[int],
    tables: Sequence[FoundTable],
    told: Sequence[Witness],
    rules: Sequence[Box],
) -> list[Figure]:
    ink = grey(page)
    legible = {id(line) for line in read if id(line) in filling or reads(line) or is_set(ink, line)}
    trusted = [w.box for line in read for w in line.words if id(line) in legible or plausible(w, dpi)]
    text = [line.box for line in read if len(line.words) > 2 and id(line) in legible]
    seen = [t.box for t in told if t.kind is Kind.FIGURE and t.confidence > LEAST_FIGURE]
    seen += [b.box for b in blocks if b.kind is BlockKind.PICTURE and not b.lines and _is_picture(b.box, dpi, trusted)]
    seen = [box for box in seen if sum(box.overlap(line) for line in text) < MOST_TEXT * box.area]
    heights = [w.box.height for line in read for w in line.words]
    gap = min(GAP, LINE_GAP * float(np.median(heights)) / dpi) if len(heights) > TYPICAL else GAP
    for _ in range(ROUNDS):
        found = find_figures(page, dpi, trusted, [t.box for t in tables], seen, rules, gap)
        printed = [f.box for f in found if is_print(f.box, read)]
        if not printed:
            break
        # Blurred type joins as a picture's ink does.
        trusted += [w.box for line in read for w in line.words if any(box.covers(w.box, 0.6) for box in printed)]
        seen = [box for box in seen if not is_print(box, read)]
    return [f for f in found if not any(t.box.covers(f.box) for t in tables)]


def _formulas(told: Sequence[Witness], read: Sequence[FoundLine]) -> list[Box]:
    """Displayed formulas that the model tells of, but not what reads as running text."""
    found = []
    for witness in told:
        if witness.kind is not Kind.FORMULA or witness.confidence < LEAST_FORMULA:
            continue
        inside = [w for line in read for w in line.words if witness.box.covers(w.box, 0.6)]
        running = [w for w in inside if len(w.text.strip(EDGES)) >= LONG and w.confidence > SURE]
        backwards = mostly_right_to_left([w.language for w in inside])  # Arabic vowel signs look like indices
        number = inside and page_number("".join(w.text for w in inside)) is not None
        if len(running) < MOST_RUNNING and not backwards and not number:
            found.append(union([witness.box, *(w.box for w in inside)]))
    return found


def _without_doubles(lines: Sequence[FoundLine]) -> list[FoundLine]:
    """The lines without words that the engine read a second time on the same ink."""
    words = [w for line in lines for w in line.words]
    if not words:
        return list(lines)
    left, top, right, bottom = np.array([w.box for w in words], dtype=np.float64).T
    confidence = np.array([w.confidence for w in words])
    area = (right - left) * (bottom - top)
    wide = np.minimum(right[:, None], right) - np.maximum(left[:, None], left)
    tall = np.minimum(bottom[:, None], bottom) - np.maximum(top[:, None], top)
    shared = np.clip(wide, 0, None) * np.clip(tall, 0, None)
    rows = np.array([i for i, line in enumerate(lines) for _ in line.words])
    apart = rows[:, None] != rows
    first, texts = np.arange(len(words)), np.unique([w.text for w in words], return_inverse=True)[1]
    before = first < first[:, None]
    better = (confidence > confidence[:, None]) | ((confidence == confidence[:, None]) & before)
    double = (apart & better & (shared > 0.5 * area[:, None])).any(axis=1) & (confidence < SURE)
    count, height = np.array([len(lines[row].words) for row in rows]), bottom - top
    fuller = apart & (count > count[:, None]) & (confidence > SURE)
    same = apart & (texts == texts[:, None]) & ((count > count[:, None]) | ((count == count[:, None]) & before))
    double |= (same & (shared > 0.5 * area[:, None])).any(axis=1)
    # The end of a line, read once more as the start of one that runs on into a picture.
    double |= (fuller & (height < AS_HIGH * height[:, None]) & (shared > SAME_INK * area[:, None])).any(axis=1)
    if not double.any():
        return list(lines)
    gone = {id(w) for w, is_double in zip(words, double, strict=True) if is_double}
    kept = (line._replace(words=tuple(w for w in line.words if id(w) not in gone)) for line in lines)
    return [line for line in kept if line.words]


def _is_picture(box: Box, dpi: float, words: Sequence[Box]) -> bool:
    inside = sum(box.overlap(w) for w in words)
    return box.width > dpi * 0.4 and box.height > dpi * 0.4 and inside < 0.1 * box.area


def _without(line: FoundLine, tables: Sequence[Box], figures: Sequence[Figure], sure: bool = False) -> FoundLine | None:
    """The line less its words that lie in tables or are a figure's strokes misread; None where none are left.

    Text over a picture is text: what reads surely stays.
    """
    few = len(line.words) <= FEW and line.confidence < UNSURE and any(f.box.covers(line.box) for f in figures)
    few = few and all(sum(map(str.isalpha, w.text)) < LONG for w in line.words)
    sure = sure or (reads(line) and not few)

    def stays(word: FoundWord) -> bool:
        if any(b.covers(word.box) for b in tables):
            return False
        long = word.confidence > TRUSTED and sum(c.isalpha() for c in word.text) >= LONG
        return sure or long or word.confidence > SURE or not any(f.box.covers(word.box) for f in figures)

    words = [w for w in line.words if stays(w)]
    for end in (0, -1):  # an ornament's rim beside the text reads like short words
        while len(words) > 1 and _is_rim(words[end], figures):
            del words[end]
        words = _without_strokes_far_off(words, end, line.height, figures)
    if len(words) == 1 and _is_letter(words[0].text) and any(f.box.covers(words[0].box) for f in figures):
        return None
    return part_of(line, tuple(words)) if words else None


def _is_of_music(line: FoundLine, staves: Sequence[Box]) -> bool:
    """Whether it is a staff's notes or bars, misread."""
    letters = sum(c.isalpha() for w in line.words for c in w.text)
    return letters < LEAST_WORD and any(box.covers(line.box) for box in staves)


def _is_letter(text: str) -> bool:
    return len(core := text.strip(EDGES)) == 1 and core.isalpha()


def _without_strokes_far_off(
    words: list[FoundWord], end: int, height: float, figures: Sequence[Figure]
) -> list[FoundWord]:
    """The words but for unsure ones at an end that lie in a picture, far from the others: a line ran on into it."""
    ordered = words if end else words[::-1]
    for at in range(len(ordered) - 1, 0, -1):
        a, b = ordered[at - 1].box, ordered[at].box
        if ordered[at].confidence > SURE or not any(f.box.covers(ordered[at].box) for f in figures):
            break
        if max(b.left - a.right, a.left - b.right) > FAR_OFF * height:
            return ordered[:at] if end else ordered[:at][::-1]
    return words


def _is_rim(word: FoundWord, figures: Sequence[Figure]) -> bool:
    short = sum(c.isalnum() for c in word.text) < LEAST_WORD
    return short and word.confidence < SURE and any(f.box.covers(word.box) for f in figures)
