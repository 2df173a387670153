"""Second look at letters that the engine's layout analysis passed over."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from statistics import median
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from rapidfuzz import fuzz

from hyalen.core.imaging.curvature import LETTERS_DPI
from hyalen.core.imaging.hanging import PALEST_INK, without_hanging
from hyalen.core.imaging.pictures import lines_of_writing
from hyalen.core.imaging.pixels import Image, as_uint8, pieces, reduced, with_margin
from hyalen.core.imaging.skew import glyph_mask
from hyalen.core.languages import EDGES, is_known, mostly_right_to_left
from hyalen.core.layout.legible import is_set, reads
from hyalen.core.layout.sizes import CAPITALS
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord, Shape
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.reading.reader import Reader

WORK_DPI = 100.0  # pixels an inch: letters run together into strips
LONG_RULE = 0.5  # inches: no stroke of a letter is so long
MOST_READ = 0.3  # of a line, that was read, where the rest was not
SAME_WORD = 0.7  # of a word read before, that lies in one that is read now
MOST_STRIPS = 200  # of a page: a noisy one has thousands, and each takes a twentieth of a second
SURE = 0.6  # confidence of a line that is taken over
AS_SURE = 0.85  # times the usual confidence of the page's lines: hard print reads unsurely throughout
LONG_LINE = 4  # words, of which that suffices
LEAST_KNOWN = 3  # of its words, of four letters and more, that suffice by themselves
SAME_LEVEL, FEW_WORDS = 0.6, 8.0  # of a line's height: how level its parts stand, and how far apart
SIDEWAYS = 2.0  # times as high as wide: a line that runs from top to bottom
LEAST_UPRIGHT = 0.6  # confidence of half of the rows that are read in their stead
BIT, AROUND = 6, 0.3  # letters of an unsure bit; inches around such lines
# Of a row that was missed: words of those above and below; of the shorter one's width, over which they stand; times as
# high as each other, at most; sizes of the room between them, that is shown above and below it, and from it to them.
ROW_WORDS, ROW_SHARED, ALIKE, ONE_ROW, OVER, ROW_AROUND = 3, 0.8, 1.35, (0.6, 1.7), 0.15, 2.5
LETTER, WIDEST, LEAST_FILLED = 0.3, 4.0, 0.3  # sizes: height of letters, width of joined ones; of a row, under them
SAME_TEXT = 70.0  # per cent of likeness (partial ratio) at which a line was read before
DARK = 140  # grey level of ink in a picture
ROW, MOST_ROW = 0.3, 0.37  # inches: strips that are higher may have two lines, or have them surely
WIDE, CLOSE = 1 / 15, 1 / 75  # inches around a strip, and around a line that is shown to the engine as it is
DISPLAY = (0.14, 0.9)  # inches: heights of the letters of titles
LEAST_DISPLAY, MOST_DISPLAY, SURE_DISPLAY = 4, 12, 0.8  # letters of a title; titles of a page; confidence
# Of their height: from which space on letters are set apart, and that at which they, and words, are shown; usual spaces
# between words.
FAR_APART, LETTERS_CLOSE, WORDS_CLOSE, WORD_GAP = 0.4, 0.2, 0.7, 1.7
PALEST_STROKE = 24  # grey levels from its paper: faint pencil is ink, too


class Letters(NamedTuple):
    """Ink of letter size on a page.

    Attributes
    ----------
    mask : (h, w) uint8
        1 where there is such ink, at about `WORK_DPI`.
    dpi : float
        Pixels an inch of the mask.
    factor : float
        By which the page is larger.
    whole : Box
        The page.
    """

    mask: NDArray[np.uint8]
    dpi: float
    factor: float
    whole: Box


def letters_of(page: Image, dpi: float) -> Letters:
    """The letters of a cleaned page, to look through more than once for what nobody has read.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    small, factor = reduced(page, dpi, WORK_DPI)
    return Letters(glyph_mask(small, dpi / factor), dpi / factor, factor, Box(0, 0, page.shape[1], page.shape[0]))


def unread_strips(letters: Letters, read: Sequence[Box]) -> list[Box]:
    """Boxes of line-shaped ink that lies under none of the boxes read.

    Parameters
    ----------
    letters : Letters
    read : sequence of Box
        Words and pictures, in the page's pixels.
    """
    mask, dpi, factor = letters.mask.copy(), letters.dpi, letters.factor
    pad = max(1, int(dpi / 50))
    for box in read:
        left, top, right, bottom = (int(v / factor) for v in box)
        mask[max(0, top - pad) : bottom + pad + 1, max(0, left - pad) : right + pad + 1] = 0
    for long in (np.ones((int(LONG_RULE * dpi), 1), np.uint8), np.ones((1, int(LONG_RULE * dpi)), np.uint8)):
        rules = cv2.morphologyEx(mask, cv2.MORPH_OPEN, long)  # a frame beside letters would be one strip with them
        mask[cv2.dilate(rules, np.ones((3, 3), np.uint8)) > 0] = 0
    reach = int(dpi / 5) | 1
    joined = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((3, reach), np.uint8))
    strips = []
    for left, top, width, height, _ in pieces(as_uint8(joined)).stats[1:].tolist():
        ink = int(mask[top : top + height, left : left + width].sum())
        if width < dpi * 0.18 or not dpi * 0.05 <= height <= dpi * 0.45 or ink < 0.06 * width * height:
            continue
        box = Box(*(int(v * factor) for v in (left, top, left + width, top + height)))
        strips.append(box.grown(int(dpi * factor / 25), letters.whole))
    return strips


def read_rest(
    page: Image,
    dpi: float,
    languages: tuple[str, ...],
    blocks: Sequence[FoundBlock],
    reader: Reader,
    letters: Letters | None = None,
) -> list[FoundBlock]:
    """Blocks for the letters that `blocks` left out; only what reads with confidence.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    letters : Letters or None
        The page's, where they are known.
    """
    letters = letters or letters_of(page, dpi)
    words = [w.box for b in blocks for line in b.lines for w in line.words]
    pictures = [b.box for b in blocks if b.kind is BlockKind.PICTURE and max(b.box.width, b.box.height) > 0.4 * dpi]
    strips = [*unread_strips(letters, [*words, *pictures]), *_beside_pictures(page, dpi, words, pictures)]
    known = [line for b in blocks for line in b.lines]
    usual = median(line.confidence for line in known) if known else 1.0
    strips += _missing_rows(page, known)
    found = []
    # The longest first; what is left then stays a doubt, as all ink that was not read.
    for strip in sorted(strips, key=lambda s: -s.width)[:MOST_STRIPS]:
        crop = np.ascontiguousarray(page[strip.top : strip.bottom, strip.left : strip.right])
        for read in _read_somehow(crop, dpi, languages, reader):
            lines = [x for line in read if (x := _within(shifted(line, strip.left, strip.top), strip)).words]
            lines = [x for x in lines if _confident(x, usual) or (is_set(page, x) and _is_between(x, known))]
            lines = [line for line in lines if not any(_same(line, k) for k in known)]
            lines = [line for line in lines if not _is_read(line, words)]
            if lines:
                found.append(FoundBlock(BlockKind.TEXT, strip, tuple(lines)))
                words += [w.box for line in lines for w in line.words]
    return found


def _missing_rows(page: Image, known: Sequence[FoundLine]) -> list[Box]:
    """Where ink stands between two lines of a column that leave room for just one between them."""
    lines = sorted((line for line in known if len(line.words) >= ROW_WORDS), key=lambda line: line.box.top)
    rows = []
    for at, line in enumerate(lines):
        beneath = (x for x in lines[at + 1 :] if x.box.centre.y > line.box.bottom and _is_in_column(x.box, line.box))
        below = next(beneath, None)
        if below is None:
            continue
        small, large = sorted((line.height, below.height))
        row = Box(
            max(line.box.left, below.box.left), line.box.bottom, min(line.box.right, below.box.right), below.box.top
        )
        if large > ALIKE * small or not ONE_ROW[0] * small < row.height < ONE_ROW[1] * large:
            continue
        if letter_widths(page, row, small).sum() > LEAST_FILLED * row.width:
            rows.append(row.grown(int(OVER * small), Box(0, 0, page.shape[1], page.shape[0])))
    return rows


def letter_widths(page: Image, place: Box, size: float) -> NDArray[np.int32]:
    """Widths of the ink there that is as high as letters of a size, in pixels; a rule is lower, or far wider."""
    ink = (page[max(0, place.top) : place.bottom, max(0, place.left) : place.right] < DARK).astype(np.uint8)
    wide, high = pieces(ink).stats[1:, [2, 3]].T
    return np.asarray(wide[(high > LETTER * size) & (wide < WIDEST * size)], np.int32)


def _is_in_column(box: Box, other: Box) -> bool:
    return box.intersection(other).width > ROW_SHARED * min(box.width, other.width)


def without_neighbours(crop: Image) -> Image:
    """A line's crop without what hangs into it from the lines above and below: the engine's line finder loses the line."""
    ink = (crop < PALEST_INK).astype(np.uint8)
    hanging = ink - without_hanging(ink)
    if not hanging.any():
        return crop
    return np.where(cv2.dilate(hanging, np.ones((3, 3), np.uint8)) > 0, np.uint8(255), crop)


def _beside_pictures(page: Image, dpi: float, words: Sequence[Box], pictures: Sequence[Box]) -> list[Box]:
    """Lines on plain paper in the boxes of pictures: what the engine's box of a picture takes in beside it."""
    if not pictures:
        return []
    small, factor = reduced(page, dpi, LETTERS_DPI)
    where = np.zeros(small.shape, np.uint8)
    for box in pictures:
        left, top, right, bottom = (max(0, int(v / factor)) for v in box)
        where[top:bottom, left:right] = 1
    for box in words:
        left, top, right, bottom = (max(0, int(v / factor)) for v in box)
        where[top:bottom, left:right] = 0
    whole = Box(0, 0, page.shape[1], page.shape[0])
    lines = [Box(*(int(v * factor) for v in box)) for box in lines_of_writing(small, dpi / factor, where)]
    free = [box for box in lines if sum(box.overlap(w) for w in words) < MOST_READ * box.area]
    free = [box for box in free if any(p.covers(box) for p in pictures)]
    return [box.grown(int(dpi / 25), whole) for box in (*_rows_of(free), *free)]


def _rows_of(parts: Sequence[Box]) -> list[Box]:
    """What parts of lines make together that stand level with each other, a few words apart: coarse type is found in bits."""
    rows: list[Box] = []
    for part in sorted(parts, key=lambda b: b.left):
        last = next((row for row in rows if _continues(row, part)), None)
        if last is None:
            rows.append(part)
        else:
            rows[rows.index(last)] = union((last, part))
    return [row for row in rows if row not in parts]


def _continues(row: Box, part: Box) -> bool:
    shared = min(row.bottom, part.bottom) - max(row.top, part.top)
    height = min(row.height, part.height)
    return shared > SAME_LEVEL * height and part.left - row.right < FEW_WORDS * height


def read_display(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """Blocks for rows of large letters in what was taken for a picture: the titles of old and illustrated pages.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    whole = Box(0, 0, page.shape[1], page.shape[0])
    pictures = [b.box.intersection(whole) for b in blocks if b.kind is BlockKind.PICTURE and not b.lines]
    known = [w.box for b in blocks for line in b.lines for w in line.words]
    found = []
    for row in _large_rows(page, dpi, pictures)[:MOST_DISPLAY]:
        box = union(row).grown(int(dpi / 25), whole)
        if any(box.overlap(w) > 0 for w in known):
            continue
        margin = int(dpi / 12)
        line = _read_close(page, row, margin, dpi, languages, reader)
        if line is not None:
            found.append(FoundBlock(BlockKind.TEXT, box, (line,)))
            continue
        crop = _set_out(page, row, [letter.left for letter in row], margin)
        for block in reader.read_region(crop, dpi, languages, Shape.LINE):
            lines = [shifted(line, row[0].left - margin, union(row).top - margin) for line in block.lines]
            lines = [line for line in lines if _is_display(line, len(row))]
            if lines:
                found.append(FoundBlock(BlockKind.TEXT, box, tuple(lines)))
    return found


def _set_out(page: Image, row: Sequence[Box], lefts: Sequence[int], margin: int) -> Image:
    """Letters of a row on white, each at its place across, without the picture's strokes around them."""
    box, first = union(row), lefts[0]
    right = max(left + letter.width for left, letter in zip(lefts, row, strict=True))
    crop = np.full((box.height + 2 * margin, right - first + 2 * margin), 255, np.uint8)
    for left, letter in zip(lefts, row, strict=True):
        x, y = left - first + margin, letter.top - box.top + margin
        part = page[letter.top : letter.bottom, letter.left : letter.right]
        crop[y : y + letter.height, x : x + letter.width] = part
    return crop


def _read_close(
    page: Image, row: Sequence[Box], margin: int, dpi: float, languages: tuple[str, ...], reader: Reader
) -> FoundLine | None:
    """What letters set far apart say once they stand close; None where they need not, or not each is one of a word."""
    height = float(np.median([letter.height for letter in row]))
    gaps = [b.left - a.right for a, b in pairwise(row)]
    if np.median(gaps) < FAR_APART * height:
        return None
    wide = WORD_GAP * float(np.median(gaps))
    spaces = [round((WORDS_CLOSE if gap > wide else LETTERS_CLOSE) * height) for gap in gaps]
    lefts = np.cumsum([row[0].left, *(a.width + space for a, space in zip(row, spaces, strict=False))]).tolist()
    found = reader.read_region(_set_out(page, row, lefts, margin), dpi, languages, Shape.LINE)
    lines = [line for block in found for line in block.lines]
    if len(lines) != 1 or lines[0].confidence < SURE_DISPLAY:
        return None
    backwards = mostly_right_to_left([w.language for w in lines[0].words])
    left, words = list(reversed(row)) if backwards else list(row), list[FoundWord]()
    for word in lines[0].words:
        count = sum(map(str.isalnum, word.text))
        if not 0 < count <= len(left):
            return None
        words.append(word._replace(box=union(left[:count])))
        left = left[count:]
    if left:
        return None
    box = union(row)
    level = float(np.median([letter.bottom for letter in row]))
    return FoundLine(tuple(words), box, (Point(box.left, level), Point(box.right, level)), height / CAPITALS)


def _large_rows(page: Image, dpi: float, pictures: Sequence[Box]) -> list[list[Box]]:
    """Rows of marks in the pictures that are of a size and a shape as large letters are, from the left."""
    rows: list[list[Box]] = []
    for picture in pictures:
        window = (page[picture.top : picture.bottom, picture.left : picture.right] < DARK).astype(np.uint8)
        marks = []
        for left, top, width, height, area in pieces(window).stats[1:].tolist():
            fits = DISPLAY[0] * dpi < height < DISPLAY[1] * dpi and width < 1.7 * height and height < 8 * width
            if fits and 0.1 * width * height < area < 0.8 * width * height:
                left, top = left + picture.left, top + picture.top
                marks.append(Box(left, top, left + width, top + height))
        mine: list[list[Box]] = []
        for mark in sorted(marks, key=lambda m: m.left):
            row = next((r for r in mine if _goes_on(r[-1], mark)), None)
            if row is None:
                mine.append([mark])
            else:
                row.append(mark)
        rows += [row for row in mine if len(row) >= LEAST_DISPLAY]
    return rows


def _goes_on(last: Box, mark: Box) -> bool:
    shorter, taller = sorted((last.height, mark.height))
    level = abs(last.bottom - mark.bottom) < 0.35 * taller
    return taller < 1.4 * shorter and level and -0.2 * taller < mark.left - last.right < 2.5 * taller


def _is_display(line: FoundLine, marks: int) -> bool:
    letters = sum(c.isalnum() for w in line.words for c in w.text)
    return line.confidence >= SURE_DISPLAY and letters >= LEAST_DISPLAY and 0.7 * marks <= letters <= 1.4 * marks


def _read_somehow(crop: Image, dpi: float, languages: tuple[str, ...], reader: Reader) -> list[tuple[FoundLine, ...]]:
    """Lines of a strip's blocks; where the engine's line finder sees nothing in it, it is taken for one line by its ink."""

    def read(part: Image, margin: int, shape: Shape) -> list[tuple[FoundLine, ...]]:
        found = reader.read_region(with_margin(part, margin), dpi, languages, shape)
        return [tuple(shifted(line, -margin, -margin) for line in block.lines) for block in found if block.lines]

    inches, wide = crop.shape[0] / dpi, int(dpi * WIDE)
    shape = Shape.LINE if inches < ROW else Shape.BLOCK
    if (found := read(crop, wide, shape)) or inches > MOST_ROW:
        return found
    alone = without_neighbours(crop)
    if alone is not crop and (found := read(alone, wide, shape)):
        return found
    inked = np.argwhere(alone < PALEST_INK)
    if not len(inked):
        return []
    (top, left), (bottom, right) = inked.min(axis=0), inked.max(axis=0) + 1
    close = read(np.ascontiguousarray(alone[top:bottom, left:right]), max(2, int(dpi * CLOSE)), Shape.RAW_LINE)
    return [tuple(shifted(line, left, top) for line in lines) for lines in close]


def sure_letters(line: FoundLine) -> float:
    return sum(w.confidence**2 * len(w.text) for w in line.words)


def _says_something(line: FoundLine) -> bool:
    """Whether several of its words are in the word list: coarse print reads unsurely, and no drawing reads so."""
    known = {t for w in line.words if len(t := w.text.strip(EDGES)) > 3 and is_known(t, w.language)}
    return len(known) >= LEAST_KNOWN and reads(line)


def _confident(line: FoundLine, usual: float = 1.0) -> bool:
    if len(line.words) >= LONG_LINE and _says_something(line):
        return True
    sure = min(SURE, AS_SURE * usual) if len(line.words) >= LONG_LINE else SURE
    return line.confidence >= sure and any(c.isalnum() for w in line.words for c in w.text)


def _within(line: FoundLine, strip: Box) -> FoundLine:
    """The line with no word beyond the strip, whose white margin the engine may give to words."""
    words = tuple(w._replace(box=w.box.intersection(strip)) for w in line.words if w.box.overlap(strip) > 0)
    return line._replace(words=words, box=line.box.intersection(strip))


def _is_between(line: FoundLine, known: Sequence[FoundLine]) -> bool:
    """Whether lines as long stand right above and below it, as in a column: what it says is a row of theirs."""
    reach = ROW_AROUND * line.height
    steps = [k.box.centre.y - line.box.centre.y for k in known if _is_in_column(k.box, line.box)]
    return any(-reach < step < 0 for step in steps) and any(0 < step < reach for step in steps)


def _is_read(line: FoundLine, words: Sequence[Box]) -> bool:
    """Whether it has a word that was read before."""
    return any(word.box.covers(w, SAME_WORD) for word in line.words for w in words)


def read_once(blocks: Sequence[FoundBlock]) -> list[FoundBlock]:
    """The blocks without lines that the engine read twice at one place.

    The line with more sure letters stays; where the other read a word otherwise, that is kept
    beside it as another reading.
    """
    lines = sorted((line for b in blocks for line in b.lines if line.words), key=sure_letters, reverse=True)
    kept: list[FoundLine] = []
    doubles: dict[int, list[FoundLine]] = {}
    gone = set()
    for line in lines:
        first = next((other for other in kept if _same(line, other)), None)
        if first is None:
            kept.append(line)
        else:
            doubles.setdefault(id(first), []).append(line)
            gone.add(id(line))
    if not gone:
        return list(blocks)
    return [
        b._replace(
            lines=tuple(_with_others(line, doubles.get(id(line), ())) for line in b.lines if id(line) not in gone)
        )
        for b in blocks
    ]


def with_rows_upright(
    page: Image, dpi: float, languages: tuple[str, ...], blocks: Sequence[FoundBlock], reader: Reader
) -> list[FoundBlock]:
    """The blocks with rows in place of lines that were read from top to bottom: columns of figures taken for such.

    With those go the unsure bits around. What they stand on is read as one block; where that is unsure, too, it is free
    for `read_rest`.

    Parameters
    ----------
    page : (h, w) uint8
    dpi : float
        Pixels an inch.
    """
    kept, columns = _without_sideways(blocks, dpi)
    if not columns:
        return kept
    place = union(columns).grown(int(dpi * CLOSE), Box(0, 0, page.shape[1], page.shape[0]))
    words = [w.box for b in kept for line in b.lines for w in line.words]
    crop = np.ascontiguousarray(page[place.top : place.bottom, place.left : place.right])
    margin = int(dpi * WIDE)
    found = reader.read_region(with_margin(crop, margin), dpi, languages, Shape.BLOCK)
    lines = [shifted(line, place.left - margin, place.top - margin) for b in found for line in b.lines if line.words]
    lines = [line for line in lines if line.box.width > line.box.height and not _is_read(line, words)]
    if not lines or median(line.confidence for line in lines) < LEAST_UPRIGHT:
        return kept
    return [*kept, FoundBlock(BlockKind.TEXT, place, tuple(lines))]


def _without_sideways(blocks: Sequence[FoundBlock], dpi: float) -> tuple[list[FoundBlock], list[Box]]:
    """The blocks without lines that were read from top to bottom and make no sense, and where these stood."""

    def stands(line: FoundLine) -> bool:
        letters = sum(len(w.text) for w in line.words)
        return line.box.height > SIDEWAYS * line.box.width and letters > 2 and line.confidence < SURE

    columns = [line.box for b in blocks for line in b.lines if stands(line)]
    if not columns:
        return list(blocks), []
    around = union(columns).grown(int(AROUND * dpi))

    def is_lost(line: FoundLine) -> bool:
        letters = sum(len(w.text) for w in line.words)
        return stands(line) or (letters <= BIT and line.confidence < SURE and around.covers(line.box))

    lost = [line.box for b in blocks for line in b.lines if is_lost(line)]
    return [b._replace(lines=tuple(line for line in b.lines if not is_lost(line))) for b in blocks], lost


def without_ghosts(page: Image, blocks: Sequence[FoundBlock]) -> list[FoundBlock]:
    """The blocks without words where there is no ink: the engine invents some across wide gaps."""

    def inked(word: FoundWord) -> bool:
        part = page[max(0, word.box.top) : word.box.bottom, max(0, word.box.left) : word.box.right]
        if part.size == 0:
            return True
        return int(part.min()) < PALEST_INK or int(part.max()) - int(part.min()) > PALEST_STROKE

    return [
        block._replace(
            lines=tuple(
                line._replace(words=words)
                for line in block.lines
                if (words := tuple(word for word in line.words if inked(word)))
            )
        )
        for block in blocks
    ]


def _with_others(line: FoundLine, doubles: Sequence[FoundLine]) -> FoundLine:
    """The line with what its doubles read on the same ink."""
    if not doubles:
        return line

    def told(word: FoundWord) -> FoundWord:
        found = [
            w.text
            for double in doubles
            for w in double.words
            if w.text != word.text and word.box.covers(w.box, 0.7) and w.box.covers(word.box, 0.7)
        ]
        return word._replace(others=tuple(dict.fromkeys((*word.others, *found))))

    return line._replace(words=tuple(told(w) for w in line.words))


def _same(line: FoundLine, other: FoundLine) -> bool:
    """Whether two lines say the same at the same place."""
    shared = line.box.intersection(other.box)
    if shared.height < 0.4 * min(line.box.height, other.box.height) or shared.width < 0.3 * min(
        line.box.width, other.box.width
    ):
        return False
    texts = (" ".join(w.text for w in each.words) for each in (line, other))
    return bool(fuzz.partial_ratio(*texts) >= SAME_TEXT)


def shifted(
    line: FoundLine, dx: float, dy: float, scale: float = 1.0, left: float = 0.0, top: float = 0.0
) -> FoundLine:
    """The line moved by (dx, dy), then scaled, then moved by (left, top)."""

    def box(b: Box) -> Box:
        return Box(
            round((b.left + dx) * scale + left),
            round((b.top + dy) * scale + top),
            round((b.right + dx) * scale + left),
            round((b.bottom + dy) * scale + top),
        )

    def point(p: Point) -> Point:
        return Point((p.x + dx) * scale + left, (p.y + dy) * scale + top)

    start, end = line.baseline
    return line._replace(
        words=tuple(w._replace(box=box(w.box)) for w in line.words),
        box=box(line.box),
        baseline=(point(start), point(end)),
        height=line.height * scale,
    )


def with_lines_replaced(
    blocks: Sequence[FoundBlock], before: Sequence[FoundLine], after: Sequence[FoundLine]
) -> list[FoundBlock]:
    """The blocks with lines in place of others, each where most of its ink was, or in the block that is nearest."""
    gone = {id(line) for line in before}
    places = [(at, line.box) for at, b in enumerate(blocks) for line in b.lines if id(line) in gone]
    mine: dict[int, list[FoundLine]] = {}
    for line in after:
        shared = {at: 0.0 for at, _ in places}
        for at, box in places:
            shared[at] += line.box.overlap(box)
        nearest = min(places, key=lambda place: abs(place[1].centre.y - line.box.centre.y))[0]
        at = max(shared, key=lambda a: (shared[a], a == nearest))
        mine.setdefault(at, []).append(line)
    result = []
    for at, block in enumerate(blocks):
        kept = [line for line in block.lines if id(line) not in gone] + mine.get(at, [])
        if len(kept) != len(block.lines) or at in mine:
            block = block._replace(lines=tuple(sorted(kept, key=lambda line: line.box.top)))
        result.append(block)
    return result


def without_emptied(blocks: Sequence[FoundBlock], before: Sequence[FoundBlock]) -> list[FoundBlock]:
    """The blocks but for those that have lost all their lines; one that had none, a picture, stays."""
    return [b for b, old in zip(blocks, before, strict=True) if b.lines or not old.lines]
