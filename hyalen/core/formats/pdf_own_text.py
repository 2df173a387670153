"""The text that a PDF page carries itself: words with their boxes, type and baselines, and its form fields."""

from __future__ import annotations

import ctypes
import unicodedata
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from itertools import groupby
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import pypdfium2
import pypdfium2.raw as pdfium
from numpy.typing import NDArray

from hyalen.core.formats.codecs import heard
from hyalen.core.formats.source import blamed
from hyalen.core.languages import script_of
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord, Style
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.model.text import fit
from hyalen.core.model.treatment import Cleaned

Place = Callable[[NDArray[np.float64]], NDArray[np.float64]]  # (n, 2) points of the page space to pixels

COMMENTS = frozenset(
    {pdfium.FPDF_ANNOT_TEXT, pdfium.FPDF_ANNOT_FREETEXT, pdfium.FPDF_ANNOT_HIGHLIGHT, pdfium.FPDF_ANNOT_UNDERLINE,
     pdfium.FPDF_ANNOT_STRIKEOUT, pdfium.FPDF_ANNOT_STAMP, pdfium.FPDF_ANNOT_INK, pdfium.FPDF_ANNOT_CARET}
)  # fmt: skip
MOST_COMMENTS = 50  # of a page
INVISIBLE = 3  # text rendering mode, ISO 32000-1, 9.3.6
LINE_HEIGHT = 0.95  # of the type's size: the height of a row as the OCR engine gives it
BOLD_WEIGHT = 600  # of a font, where 400 is regular (ISO 32000-1, table 122)
ITALIC_FLAG, FORCE_BOLD = 1 << 6, 1 << 18  # ISO 32000-1, table 123
SAME_LEVEL = 0.35  # of the type's size, by which glyphs of a line may stand off each other
WORD_GAP, COLUMN_GAP = 0.28, 1.6  # of the type's size between glyphs: another word, another line
BACKWARDS_GAP = 0.16  # the same between words of joined letters
DARKEST = 64  # level of a colour: what is darker and grey counts as black
FIELD_TYPE = 12.0  # points, of a field that leaves its type's size to the reader
LABEL_GAP = 8.0  # of its height, by which a label may stand off its field
LINKED = 0.5  # of a word, that a link lies over
LEAST_TURN = 0.35  # radians from upright at which text stands on its side
# Ligatures and the letters' forms that some fonts name instead of letters (Unicode, presentation forms A and B).
_FORMS = ((0xFB00, 0xFDFF), (0xFE70, 0xFEFF))
_BROKEN = "\x02\ufffe\u00ad"  # how pdfium gives a hyphen at a line's end


Edges = tuple[float, float, float, float]  # left, bottom, right, top in points


class Glyph(NamedTuple):
    text: str
    box: tuple[float, float, float, float]  # left, top, right, bottom in pixels
    foot: tuple[float, float]  # of its origin
    size: float
    angle: float
    style: frozenset[Style]
    colour: str
    content: int  # the marked content that it is in (ISO 32000-1, 14.7.4.2), -1 for none


def own_text(path: Path, index: int, size: tuple[int, int], hidden: bool = False) -> list[FoundBlock]:
    """What a page says by itself, as a reader finds it: a block for each run of lines, in the file's order.

    Parameters
    ----------
    path : Path
        Of a PDF file.
    index : int
        Of the page, from 0.
    size : (int, int)
        Width and height in pixels of the page's original: the whole page rendered, or its only image.
    hidden : bool
        Whether text that is not shown counts, such as that of an earlier reading of a scan.

    Raises
    ------
    SourceError
        If the page cannot be read.
    """
    with blamed("the page"), heard():
        document = pypdfium2.PdfDocument(path)
        try:
            document.init_forms()
            page = document[index]
            place = placing(page, size, hidden)
            glyphs = list(glyphs_of(page, place, hidden))
            links = list(placed_links(document, page, place))
            fields = list(_fields(document, page, place))
        finally:
            document.close()
    lines = [linked(line, links) for run in runs_of(glyphs) if (line := line_of(run)) is not None]
    lines = _with_values(lines, [line for line in fields if not any(_holds(known, line) for known in lines)])
    return [FoundBlock(BlockKind.TEXT, line.box, (line,)) for line in lines]


def laid(blocks: Sequence[FoundBlock], cleaned: Cleaned) -> list[FoundBlock]:
    """Blocks of an original as they lie on the cleaned page; what was cut off is gone."""
    whole = Box(0, 0, cleaned.width, cleaned.height)

    def box(b: Box) -> Box:
        return laid_box(b, cleaned)

    def line(of: FoundLine) -> FoundLine | None:
        words = tuple(w._replace(box=b) for w in of.words if whole.covers(b := box(w.box)))
        if not words:
            return None
        ends = cleaned.cleaned_points(np.array(of.baseline, dtype=np.float64))
        start, end = (Point(float(x), float(y)) for x, y in ends)
        height = of.height * box(of.box).height / max(1, of.box.height)
        return FoundLine(words, union(w.box for w in words), (start, end), height)

    found = []
    for block in blocks:
        lines = tuple(moved for each in block.lines if (moved := line(each)) is not None)
        if lines:
            found.append(FoundBlock(block.kind, union(each.box for each in lines), lines))
    return found


def laid_box(box: Box, cleaned: Cleaned) -> Box:
    """A box of an original as it lies on the cleaned page."""
    points = cleaned.cleaned_points(np.array(box.polygon(), dtype=np.float64))
    (left, top), (right, bottom) = points.min(axis=0), points.max(axis=0)
    return Box(round(float(left)), round(float(top)), round(float(right)), round(float(bottom)))


def comments(path: Path, index: int) -> list[str]:
    """What readers have noted on a page, which is no text of it (ISO 32000-1, 12.5.6)."""
    with blamed("the page"), heard():
        document = pypdfium2.PdfDocument(path)
        try:
            page = document[index]
            found = []
            for i in range(pdfium.FPDFPage_GetAnnotCount(page.raw)):
                note = pdfium.FPDFPage_GetAnnot(page.raw, i)
                if note and pdfium.FPDFAnnot_GetSubtype(note) in COMMENTS:
                    said = fit(_string(partial(pdfium.FPDFAnnot_GetStringValue, note, b"Contents"))).strip()
                    found += [said] if said else []
                if note:
                    pdfium.FPDFPage_CloseAnnot(note)
            return list(dict.fromkeys(found))[:MOST_COMMENTS]
        finally:
            document.close()


def placing(page: pypdfium2.PdfPage, size: tuple[int, int], hidden: bool) -> Place:
    """How the page's own space lies on its original."""
    width, height = size

    def on_page(points: NDArray[np.float64]) -> NDArray[np.float64]:
        found = np.empty_like(points)
        x, y = ctypes.c_int(), ctypes.c_int()
        for i, (px, py) in enumerate(points):
            # Device space is in whole numbers: a thousandth of a pixel is fine enough.
            pdfium.FPDF_PageToDevice(page.raw, 0, 0, width * 1000, height * 1000, 0, px, py, x, y)
            found[i] = x.value / 1000, y.value / 1000
        return found

    corners = np.array([[0.0, 0.0], [1000.0, 0.0], [0.0, 1000.0]])
    a, b, c = on_page(corners)
    across, up = (b - a) / 1000, (c - a) / 1000
    image = _only_image(page) if hidden else None
    if image is None:
        return lambda points: a + points[:, :1] * across + points[:, 1:] * up
    ends = a + image[:, :1] * across + image[:, 1:] * up
    low, high = ends.min(axis=0), ends.max(axis=0)
    stretch = np.array([width, height]) / np.maximum(high - low, 1e-6)
    return lambda points: (a + points[:, :1] * across + points[:, 1:] * up - low) * stretch


def _only_image(page: pypdfium2.PdfPage) -> NDArray[np.float64] | None:
    """Two opposite corners of the page's image where it has one only."""
    images = list(page.get_objects(filter=[pdfium.FPDF_PAGEOBJ_IMAGE], max_depth=3))
    if len(images) != 1:
        return None
    left, bottom, right, top = images[0].get_bounds()
    return np.array([[left, bottom], [right, top]])


def glyphs_of(page: pypdfium2.PdfPage, place: Place, hidden: bool) -> Iterator[Glyph | None]:
    """The glyphs in the order in which the file gives them; None where it parts words."""
    text = page.get_textpage()
    raw = text.raw
    count = pdfium.FPDFText_CountChars(raw)
    left, right, bottom, top = (ctypes.c_double() for _ in range(4))
    x, y = ctypes.c_double(), ctypes.c_double()
    matrix = pdfium.FS_MATRIX()
    styles: dict[tuple[str, int, int], frozenset[Style]] = {}
    for i in range(count):
        letter = _letter(raw, i)
        if pdfium.FPDFText_IsGenerated(raw, i) == 1 or letter in "\r\n":
            yield None
            continue
        shown = pdfium.FPDFText_GetTextObject(raw, i)
        if not hidden and shown and pdfium.FPDFTextObj_GetTextRenderMode(shown) == INVISIBLE:
            continue
        pdfium.FPDFText_GetCharBox(raw, i, left, right, bottom, top)
        pdfium.FPDFText_GetCharOrigin(raw, i, x, y)
        pdfium.FPDFText_GetMatrix(raw, i, matrix)
        scale = abs(matrix.a * matrix.d - matrix.b * matrix.c) ** 0.5 or 1.0
        size = pdfium.FPDFText_GetFontSize(raw, i) * scale
        origin = (x.value, y.value)
        points = np.array(
            [
                [left.value, top.value],
                [right.value, bottom.value],
                origin,
                [origin[0] + size * matrix.a / scale, origin[1] + size * matrix.b / scale],
            ]
        )
        corner, other, foot, ahead = place(points)
        low, high = np.minimum(corner, other), np.maximum(corner, other)
        reach = ahead - foot
        length = float(np.hypot(*reach))
        yield Glyph(
            letter,
            (float(low[0]), float(low[1]), float(high[0]), float(high[1])),
            (float(foot[0]), float(foot[1])),
            length,
            float(np.arctan2(reach[1], reach[0])) if length else 0.0,
            _style(raw, i, styles),
            _colour(raw, i),
            int(pdfium.FPDFPageObj_GetMarkedContentID(shown)) if shown else -1,
        )


def _letter(raw: Any, index: int) -> str:
    code = pdfium.FPDFText_GetUnicode(raw, index)
    if pdfium.FPDFText_IsHyphen(raw, index) == 1 or chr(code) in _BROKEN:
        return "-"
    if code == 0 or 0xD800 <= code <= 0xDFFF:
        return "\ufffd"
    letter = chr(code)
    if any(first <= code <= last for first, last in _FORMS):
        return unicodedata.normalize("NFKC", letter)
    return letter


def _style(raw: Any, index: int, known: dict[tuple[str, int, int], frozenset[Style]]) -> frozenset[Style]:
    flags = ctypes.c_int()
    size = pdfium.FPDFText_GetFontInfo(raw, index, None, 0, flags)
    name = ctypes.create_string_buffer(max(1, size))
    pdfium.FPDFText_GetFontInfo(raw, index, name, size, flags)
    weight = pdfium.FPDFText_GetFontWeight(raw, index)
    key = (name.value.decode("utf8", "replace").lower(), flags.value, weight)
    if key not in known:
        told = set()
        if weight >= BOLD_WEIGHT or flags.value & FORCE_BOLD or any(w in key[0] for w in ("bold", "black", "heavy")):
            told.add(Style.BOLD)
        if flags.value & ITALIC_FLAG or any(w in key[0] for w in ("italic", "oblique")):
            told.add(Style.ITALIC)
        known[key] = frozenset(told)
    return known[key]


def _colour(raw: Any, index: int) -> str:
    """Six hexadecimal digits; empty for black and the darkest greys, which printers make of it."""
    red, green, blue, alpha = (ctypes.c_uint() for _ in range(4))
    if not pdfium.FPDFText_GetFillColor(raw, index, red, green, blue, alpha):
        return ""
    levels = red.value, green.value, blue.value
    if max(levels) < DARKEST and max(levels) - min(levels) < DARKEST // 2:
        return ""
    return "".join(f"{level:02x}" for level in levels)


def runs_of(glyphs: list[Glyph | None]) -> Iterator[list[list[Glyph]]]:
    """Lines of words: glyphs that follow each other on one level, no wider apart than words are."""
    for row in _rows(glyphs):
        letters = [g for g in row if g is not None and script_of(g.text[0])]
        if 2 * sum(_is_backwards(g) for g in letters) > len(letters):
            yield from _backwards_runs([g for g in row if g is not None])
        else:
            yield from _forward_runs(row)


def _rows(glyphs: list[Glyph | None]) -> Iterator[list[Glyph | None]]:
    """Glyphs that follow each other on one level, however far apart."""
    row: list[Glyph | None] = []
    last: Glyph | None = None
    for glyph in glyphs:
        if glyph is not None and last is not None and not _is_level(last, glyph):
            yield row
            row = []
        row.append(glyph)
        last = glyph or last
    yield row


def _is_backwards(glyph: Glyph) -> bool:
    return script_of(glyph.text[0]) in ("ARABIC", "HEBREW")


def _backwards_runs(row: list[Glyph]) -> Iterator[list[list[Glyph]]]:
    """Lines of words of a right-to-left script, by where they stand: some files give their letters as they are seen.

    Numbers and Latin within run from left to right (UAX #9).
    """
    ordered = sorted(row, key=lambda g: -(g.box[0] + g.box[2]))
    lines: list[list[list[Glyph]]] = [[]]
    last = None
    for glyph in (g for g in ordered if not g.text.isspace()):  # where a space stands, such files do not say
        gap = _gap(last, glyph) if last is not None else 0.0
        if gap > COLUMN_GAP * glyph.size:
            lines.append([])
        if not lines[-1] or gap > BACKWARDS_GAP * glyph.size:
            lines[-1].append([])
        lines[-1][-1].append(glyph)
        last = glyph
    for line in lines:
        words = [_with_numbers_forward(word) for word in line]
        yield [w for _, group in groupby(words, key=lambda w: any(_is_backwards(g) for g in w)) for w in _run_of(group)]


def _run_of(words: Iterable[list[Glyph]]) -> list[list[Glyph]]:
    """Words of one direction, of which those that run forward stand the other way round."""
    run = list(words)
    return run if any(_is_backwards(g) for g in run[0]) else run[::-1]


def _with_numbers_forward(word: list[Glyph]) -> list[Glyph]:
    return [
        g
        for forward, group in groupby(word, key=lambda g: g.text[0].isdigit() or script_of(g.text[0]) == "LATIN")
        for g in (list(group)[::-1] if forward else group)
    ]


def _forward_runs(glyphs: list[Glyph | None]) -> Iterator[list[list[Glyph]]]:
    line: list[list[Glyph]] = []
    parted = False
    for glyph in glyphs:
        if glyph is None or glyph.text.isspace():
            parted = True
            continue
        last = line[-1][-1] if line else None
        if last is not None and not _goes_on(last, glyph):
            yield line
            line, last = [], None
        if last is None or parted or _gap(last, glyph) > WORD_GAP * max(last.size, glyph.size):
            line.append([glyph])
        else:
            line[-1].append(glyph)
        parted = False
    if line:
        yield line


def _goes_on(last: Glyph, glyph: Glyph) -> bool:
    return _is_level(last, glyph) and _gap(last, glyph) < COLUMN_GAP * max(last.size, glyph.size)


def _is_level(last: Glyph, glyph: Glyph) -> bool:
    if abs(last.angle - glyph.angle) > 0.1:
        return False
    cos, sin = np.cos(glyph.angle), np.sin(glyph.angle)
    dx, dy = glyph.foot[0] - last.foot[0], glyph.foot[1] - last.foot[1]
    return bool(abs(-sin * dx + cos * dy) <= SAME_LEVEL * max(last.size, glyph.size))


def _gap(last: Glyph, glyph: Glyph) -> float:
    """White between two glyphs along their line, whichever of them stands first."""
    if abs(glyph.angle) > LEAST_TURN:
        top, bottom = (last, glyph) if last.box[1] <= glyph.box[1] else (glyph, last)
        return bottom.box[1] - top.box[3]
    left, right = (last, glyph) if last.box[0] <= glyph.box[0] else (glyph, last)
    return right.box[0] - left.box[2]


def line_of(words: list[list[Glyph]]) -> FoundLine | None:
    found = []
    for word in words:
        text = fit("".join(g.text for g in word))
        box = _whole(word)
        if not text.strip() or box.width < 1 or box.height < 1:
            continue
        style = frozenset.intersection(*(g.style for g in word))
        colour = Counter(g.colour for g in word).most_common(1)[0][0]
        found.append(FoundWord(text, box, 1.0, "", style=style, letters="9" * len(text), colour=colour))
    if not found:
        return None
    glyphs = [g for word in words for g in word]
    backwards = sum(script_of(g.text[0]) in ("ARABIC", "HEBREW") for g in glyphs) > len(glyphs) / 2
    box = union(w.box for w in found)
    size = float(np.median([g.size for g in glyphs]))
    if abs(glyphs[0].angle) > LEAST_TURN:
        return FoundLine(
            tuple(found), box, (Point(box.left, box.bottom), Point(box.right, box.bottom)), LINE_HEIGHT * size
        )
    first, last = (glyphs[-1], glyphs[0]) if backwards else (glyphs[0], glyphs[-1])
    foot = float(np.median([g.foot[1] for g in glyphs]))
    slope = (
        (last.foot[1] - first.foot[1]) / (last.foot[0] - first.foot[0]) if last.foot[0] - first.foot[0] > size else 0.0
    )
    middle = (box.left + box.right) / 2
    ends = tuple(Point(x, foot + (slope if abs(slope) > 0.002 else 0.0) * (x - middle)) for x in (box.left, box.right))
    return FoundLine(tuple(found), box, (ends[0], ends[1]), LINE_HEIGHT * size)


def _whole(word: list[Glyph]) -> Box:
    left, top = min(g.box[0] for g in word), min(g.box[1] for g in word)
    right, bottom = max(g.box[2] for g in word), max(g.box[3] for g in word)
    return Box(int(np.floor(left)), int(np.floor(top)), int(np.ceil(right)), int(np.ceil(bottom)))


# Links and form fields


class PlacedLink(NamedTuple):
    box: Box
    address: str


def links_of(document: pypdfium2.PdfDocument, page: pypdfium2.PdfPage) -> Iterator[tuple[Edges, str]]:
    """Where one gets to an address elsewhere (ISO 32000-1, 12.5.6.5 and 12.6.4.7): left, bottom, right, top in points."""
    at, link, rectangle = ctypes.c_int(0), pdfium.FPDF_LINK(), pdfium.FS_RECTF()
    while pdfium.FPDFLink_Enumerate(page.raw, at, link):
        action = pdfium.FPDFLink_GetAction(link)
        if not action or not pdfium.FPDFLink_GetAnnotRect(link, rectangle):
            continue
        size = pdfium.FPDFAction_GetURIPath(document.raw, action, None, 0)
        buffer = ctypes.create_string_buffer(max(1, size))
        pdfium.FPDFAction_GetURIPath(document.raw, action, buffer, size)
        address = fit(buffer.value.decode("utf8", "replace")).strip()
        if address:
            (left, right), (bottom, top) = (
                sorted((rectangle.left, rectangle.right)),
                sorted((rectangle.bottom, rectangle.top)),
            )
            yield (left, bottom, right, top), address


def placed_links(document: pypdfium2.PdfDocument, page: pypdfium2.PdfPage, place: Place) -> Iterator[PlacedLink]:
    """The same in pixels."""
    for (x0, y0, x1, y1), address in links_of(document, page):
        ends = place(np.array([[x0, y0], [x1, y1]]))
        (left, top), (right, bottom) = ends.min(axis=0), ends.max(axis=0)
        yield PlacedLink(Box(round(left), round(top), round(right), round(bottom)), address)


def linked(line: FoundLine, links: Sequence[PlacedLink]) -> FoundLine:
    if not links:
        return line
    words = []
    for word in line.words:
        held = next((link for link in links if link.box.covers(word.box, LINKED)), None)
        words.append(word._replace(link=held.address) if held else word)
    return line._replace(words=tuple(words))


def _fields(document: pypdfium2.PdfDocument, page: pypdfium2.PdfPage, place: Place) -> Iterator[FoundLine]:
    """The values of a form's fields, where they stand (ISO 32000-1, 12.7)."""
    if document.formenv is None:
        return
    form = document.formenv.raw
    rectangle = pdfium.FS_RECTF()
    for i in range(pdfium.FPDFPage_GetAnnotCount(page.raw)):
        note = pdfium.FPDFPage_GetAnnot(page.raw, i)
        if not note:
            continue
        try:
            if pdfium.FPDFAnnot_GetSubtype(note) != pdfium.FPDF_ANNOT_WIDGET:
                continue
            value = _string(partial(pdfium.FPDFAnnot_GetFormFieldValue, form, note))
            if not value.strip() or not pdfium.FPDFAnnot_GetRect(note, rectangle):
                continue
            if pdfium.FPDFAnnot_GetFormFieldType(form, note) not in (
                pdfium.FPDF_FORMFIELD_TEXTFIELD, pdfium.FPDF_FORMFIELD_COMBOBOX, pdfium.FPDF_FORMFIELD_LISTBOX,
            ):  # fmt: skip
                continue
            ends = place(np.array([[rectangle.left, rectangle.top], [rectangle.right, rectangle.bottom]]))
            (left, top), (right, bottom) = ends.min(axis=0), ends.max(axis=0)
            box = Box(round(left), round(top), round(right), round(bottom))
            size = ctypes.c_float()
            pdfium.FPDFAnnot_GetFontSize(form, note, size)
            scale = box.height / max(1e-6, abs(rectangle.top - rectangle.bottom))
            yield from _value_lines(value, box, (size.value or FIELD_TYPE) * scale)
        finally:
            pdfium.FPDFPage_CloseAnnot(note)


def _value_lines(value: str, box: Box, size: float) -> Iterator[FoundLine]:
    """A value's rows in the middle of its field, `size` pixels of type high, or as much smaller as there is room for."""
    rows = [t for t in (row.split() for row in value.splitlines()) if t]
    height = max(2, round(min(size * 1.1, box.height / max(1, len(rows)))))
    first = box.top + (box.height - height * len(rows)) // 2
    for i, tokens in enumerate(rows):
        top, bottom = first + height * i, first + height * (i + 1)
        each = min(box.width / max(1, sum(len(t) + 1 for t in tokens)), 0.5 * height)
        words, x = [], float(box.left)
        for token in tokens:
            place = Box(round(x), top, max(round(x) + 1, round(x + each * len(token))), bottom)
            words.append(FoundWord(token, place, 1.0, "", letters="9" * len(token)))
            x += each * (len(token) + 1)
        line = union(w.box for w in words)
        yield FoundLine(tuple(words), line, (Point(line.left, bottom), Point(line.right, bottom)), float(height))


def _with_values(lines: list[FoundLine], values: Sequence[FoundLine]) -> list[FoundLine]:
    """Lines with the values of fields: each goes on the line of its label, which stands before it on its row."""
    found = list(lines)
    for value in values:
        labels = [(gap, at) for at, line in enumerate(found) if (gap := _gap_before(line, value)) is not None]
        if not labels:
            found.append(value)
            continue
        _, at = min(labels)
        label = found[at]
        words = (*label.words, *value.words)
        found[at] = label._replace(words=words, box=union(w.box for w in words))
    return found


def _gap_before(label: FoundLine, value: FoundLine) -> int | None:
    """The gap between a value and its label, if one may be the other's."""
    overlap = min(label.box.bottom, value.box.bottom) - max(label.box.top, value.box.top)
    if 2 * overlap < min(label.box.height, value.box.height):
        return None
    backwards = any(script_of(c) in ("ARABIC", "HEBREW") for c in label.words[-1].text)
    gap = label.box.left - value.box.right if backwards else value.box.left - label.box.right
    return gap if -label.height < gap < LABEL_GAP * label.height else None


def _string(ask: Callable[[Any, int], int]) -> str:
    """UTF-16 text that pdfium writes into a buffer."""
    size = ask(None, 0)
    if size <= 2:
        return ""
    buffer = ctypes.create_string_buffer(size)
    ask(ctypes.cast(buffer, ctypes.POINTER(pdfium.FPDF_WCHAR)), size)
    return buffer.raw[: size - 2].decode("utf-16-le", "replace")


def _holds(line: FoundLine, other: FoundLine) -> bool:
    """Whether a field's value is shown by text that is drawn there already."""
    return line.box.overlap(other.box) > 0.3 * min(line.box.area, other.box.area) and all(
        any(w.text == o.text for w in line.words) for o in other.words
    )
