"""Which typeface every word processor has comes nearest to what is printed, and how large it has to be set.

The widths and heights of its glyphs are read from fonts of equal metrics (Debian's fonts-liberation). Without them
all glyphs count as alike, and only sizes are told.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from statistics import median
from typing import NamedTuple

from fontTools.ttLib import TTFont

from hyalen.core.model.content import Line, Word
from hyalen.core.model.found import Style

FOLDER = Path("/usr/share/fonts/truetype/liberation")
USUAL_WIDTH, USUAL_HEIGHT = 0.5, 0.68  # ems, of a glyph that a font has not
LEADING = 1.2  # ems from a lone line to the next
LETTERS = 3  # of a word that tells something of its typeface
WORDS = 12  # that tell it
BETTER = 0.8  # of the usual face's misfit, that another one has to have
NARROWEST, WIDEST = 60, 150  # per cent of its width, that type may be set in
SAME = 4  # per cent, within which it is set as it is
SMALLEST, LARGEST = 3.0, 400.0  # points


class _Glyph(NamedTuple):
    advance: float  # ems, as the others
    top: float
    bottom: float


class _Font:
    """The glyphs of a font file, each read when it is asked for."""

    def __init__(self, path: Path) -> None:
        self._glyphs: dict[str, _Glyph] = {}
        self._font = TTFont(path, lazy=True) if path.exists() else None
        self._names: dict[int, str] = self._font.getBestCmap() if self._font else {}

    def glyph(self, character: str) -> _Glyph:
        if character not in self._glyphs:
            self._glyphs[character] = self._read(character)
        return self._glyphs[character]

    def _read(self, character: str) -> _Glyph:
        name = self._names.get(ord(character))
        if self._font is None or name is None:
            return _Glyph(USUAL_WIDTH, USUAL_HEIGHT, 0.0)
        em = self._font["head"].unitsPerEm
        outline = self._font["glyf"][name]
        top, bottom = getattr(outline, "yMax", 0), getattr(outline, "yMin", 0)
        return _Glyph(self._font["hmtx"][name][0] / em, top / em, bottom / em)


@lru_cache(maxsize=12)
def _font(file: str) -> _Font:
    return _Font(FOLDER / file)


@dataclass(frozen=True)
class Typeface:
    """A typeface by the name that word processors know it by, and the file of equal metrics."""

    name: str
    file: str

    def width(self, text: str, style: Iterable[Style] = ()) -> float:
        """How far a text goes, in ems."""
        return _measured(self._cut(style), text)[0]

    def height(self, text: str, style: Iterable[Style] = ()) -> float:
        """How high its ink is, in ems."""
        return _measured(self._cut(style), text)[1]

    def _cut(self, style: Iterable[Style]) -> str:
        bold, italic = Style.BOLD in style, Style.ITALIC in style
        return f"{self.file}-{'Bold' * bold + 'Italic' * italic or 'Regular'}.ttf"


@lru_cache(maxsize=50_000)
def _measured(file: str, text: str) -> tuple[float, float]:
    glyphs = [_font(file).glyph(c) for c in text]
    inked = [g for g, c in zip(glyphs, text, strict=True) if not c.isspace()]
    high = max((g.top for g in inked), default=0.0) - min((g.bottom for g in inked), default=0.0)
    return sum(g.advance for g in glyphs), high


SERIF = Typeface("Times New Roman", "LiberationSerif")
SANS = Typeface("Arial", "LiberationSans")
MONO = Typeface("Courier New", "LiberationMono")


def nearest_face(words: Iterable[Word]) -> Typeface:
    """The typeface whose widths go best with the words' widths, whatever their sizes: the usual one where few tell it."""
    telling = [w for w in words if len(w.text) >= LETTERS and w.text.isalpha() and w.box.width > 0]
    if len(telling) < WORDS:
        return SERIF
    misfits = {face: _misfit(face, telling) for face in (SERIF, SANS, MONO)}
    best = min(misfits, key=lambda face: misfits[face])
    return best if misfits[best] < BETTER * misfits[SERIF] else SERIF


def _misfit(face: Typeface, words: Sequence[Word]) -> float:
    """How much the ems that words' widths speak for differ among neighbours."""
    ems = [w.box.width / face.width(w.text, w.style) for w in words]
    return median(abs(a - b) / (a + b) for a, b in pairwise(ems))


class Fit(NamedTuple):
    """How type is set: its size in pixels of the page an em, and its width in per cent of its own."""

    em: float
    width: int


def fit(face: Typeface, lines: Sequence[Line], unit: float) -> Fit:
    """The size, in half points, that goes with the height of the lines' words, and the width that goes with their width.

    Parameters
    ----------
    unit : float
        Points a pixel.
    """
    words = [w for line in lines for w in line.words if w.text.strip() and w.box.height > 0 and w.box.width > 0]
    solid = [w for w in words if any(c.isalnum() for c in w.text)] or words
    if not solid:
        return Fit(_rounded(max((line.box.height for line in lines), default=12) / 1.2, unit), 100)
    heights = [w.box.height / face.height(w.text, w.style) for w in solid if face.height(w.text, w.style) > 0]
    em = median(heights) if heights else median(w.box.height for w in solid)
    wide = sum(w.box.width for w in solid) / max(1e-6, sum(face.width(w.text, w.style) for w in solid))
    if not NARROWEST <= 100 * wide / em <= WIDEST:  # heights of joined or broken ink
        em = wide
    em = _rounded(em, unit)
    width = round(100 * wide / em)
    return Fit(em, 100 if abs(width - 100) <= SAME else max(NARROWEST, min(WIDEST, width)))


def _rounded(em: float, unit: float) -> float:
    return max(SMALLEST, min(LARGEST, round(2 * em * unit) / 2)) / unit


def lines_of(
    face: Typeface, texts: Sequence[tuple[str, frozenset[Style]]], em: float, width: float, first: float = 0.0
) -> int:
    """How many lines words take in a column of a width in pixels, the first line beginning `first` farther right."""
    count, at, fresh = 1, first, True
    space = face.width(" ") * em
    for text, style in texts:
        wide = face.width(text, style) * em
        if not fresh and at + wide > width:
            count, at = count + 1, 0.0
        at, fresh = at + wide + space, False
    return count
