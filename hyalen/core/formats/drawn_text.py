"""Text that is drawn on pages of our own: set by HarfBuzz, in fonts that are embedded with the glyphs that are used."""

from __future__ import annotations

import io
import unicodedata
from collections.abc import Iterator
from functools import cache, lru_cache
from itertools import groupby
from pathlib import Path
from typing import NamedTuple

import pikepdf
import uharfbuzz as hb
from fontTools import subset
from fontTools.ttLib import TTFont
from pikepdf import Array, Dictionary, Name

from hyalen.core.formats.pdf_font import to_unicode

FONTS = Path("/usr/share/fonts/truetype/noto")  # of Debian's fonts-noto-core
FIRST = "NotoSans-{weight}.ttf"
PLAIN, BOLD = "Regular", "Bold"
NO_GLYPH = "?"  # for what no font has
UNITS = 1000.0


class Glyph(NamedTuple):
    """A glyph of a face: its advance and place in thousandths of the size, and the text that it stands for."""

    face: str
    id: int
    advance: float
    x: float
    y: float
    text: str


class Typeset(NamedTuple):
    """A line's glyphs from left to right."""

    glyphs: tuple[Glyph, ...]

    def width(self, size: float) -> float:
        return sum(g.advance for g in self.glyphs) * size / UNITS


class _Face(NamedTuple):
    font: hb.Font
    has: frozenset[int]
    scale: float


@cache
def _face(name: str) -> _Face:
    blob = hb.Blob.from_file_path(str(FONTS / name))
    face = hb.Face(blob)
    with TTFont(FONTS / name, lazy=True) as told:
        known = frozenset(told.getBestCmap())
    return _Face(hb.Font(face), known, UNITS / face.upem)


@cache
def _faces(weight: str) -> tuple[str, ...]:
    """Sans-serif faces, the one that has Latin, Greek and Cyrillic first."""
    others = sorted(p.name for p in FONTS.glob(f"NotoSans*-{weight}.ttf"))
    first = FIRST.format(weight=weight)
    return (first, *(name for name in others if name != first and "Mono" not in name and "Display" not in name))


@cache
def _face_of(character: str, weight: str) -> str:
    """The first face that has a character, or ""."""
    for name in _faces(weight):
        if ord(character) in _face(name).has:
            return name
    return _face_of(character, PLAIN) if weight != PLAIN else ""


@lru_cache(maxsize=20_000)
def typeset(text: str, weight: str = PLAIN) -> Typeset:
    """A line of text, runs from right to left in their places.

    A simple form of the bidirectional algorithm (UAX 9): the line's direction is that of its first strong letter;
    words of the other direction that follow each other are turned around together.
    """
    shown = "".join(c if _face_of(c, weight) else NO_GLYPH for c in unicodedata.normalize("NFC", text))
    runs = [list(group) for _, group in groupby(_words(shown), key=lambda w: w[1])]
    base = runs[0][0][1] if runs else False
    glyphs: list[Glyph] = []
    for run in reversed(runs) if base else runs:
        for word, right_to_left in reversed(run) if run[0][1] else run:
            glyphs += _shaped(word, weight, right_to_left)
    return Typeset(tuple(glyphs))


def reads_otherwise(text: str, weight: str = PLAIN) -> bool:
    """Whether the glyphs of a line do not say its text by themselves: turned around, or not in any face."""
    return any(_direction(c) or not _face_of(c, weight) for c in unicodedata.normalize("NFC", text))


def _words(text: str) -> Iterator[tuple[str, bool]]:
    """Words and the spaces between them, and whether each runs from right to left; neutral ones go with the one before."""
    before = next((d for d in map(_direction, text) if d is not None), False)
    for group in (list(g) for _, g in groupby(text, key=str.isspace)):
        own = next((d for d in map(_direction, group) if d is not None), None)
        before = before if own is None else own
        yield "".join(group), before


def _direction(character: str) -> bool | None:
    kind = unicodedata.bidirectional(character)
    return True if kind in ("R", "AL") else False if kind == "L" else None


def _shaped(word: str, weight: str, right_to_left: bool) -> list[Glyph]:
    parts = [("".join(g), name) for name, g in groupby(word, key=lambda c: _face_of(c, weight))]
    found: list[Glyph] = []
    for part, name in reversed(parts) if right_to_left else parts:
        face = _face(name)
        buffer = hb.Buffer()
        buffer.add_str(part)
        buffer.guess_segment_properties()
        hb.shape(face.font, buffer, {"kern": False})  # the reader advances by widths alone
        found += _glyphs(part, name, face.scale, buffer, buffer.direction == "rtl")
    return found


def _glyphs(part: str, name: str, scale: float, buffer: hb.Buffer, backwards: bool) -> Iterator[Glyph]:
    starts = sorted({info.cluster for info in buffer.glyph_infos})
    ends = dict(zip(starts, [*starts[1:], len(part)], strict=True))
    told: set[int] = set()
    for info, place in zip(buffer.glyph_infos, buffer.glyph_positions, strict=True):
        text = "" if info.cluster in told else part[info.cluster : ends[info.cluster]]
        told.add(info.cluster)
        yield Glyph(name, info.codepoint, place.x_advance * scale, place.x_offset * scale, place.y_offset * scale, text)


def broken(text: str, width: float, size: float, weight: str = PLAIN) -> list[str]:
    """Text in lines no wider than `width`, broken between words, and within one that is wider alone."""
    lines: list[str] = []
    line = ""
    for word in text.split():
        tried = f"{line} {word}".strip()
        if typeset(tried, weight).width(size) <= width:
            line = tried
            continue
        if line:
            lines.append(line)
        line = word
        while typeset(line, weight).width(size) > width and len(line) > 1:
            cut = next((n for n in range(len(line) - 1, 1, -1) if typeset(line[:n], weight).width(size) <= width), 1)
            lines.append(line[:cut])
            line = line[cut:]
    return [*lines, line] if line or not lines else lines


class DrawnFonts:
    """The faces that are drawn with in a PDF; `embed` once all text is coded."""

    def __init__(self, pdf: pikepdf.Pdf) -> None:
        self._pdf = pdf
        self._used: dict[str, dict[int, str]] = {}
        self._objects: dict[str, pikepdf.Object] = {}

    def draw(self, line: Typeset, x: float, y: float, size: float) -> str:
        """Operators that show a line from a point on its baseline (ISO 32000-1, 9.4.3)."""
        parts: list[str] = []
        face, begins, codes = "", x, ""

        def close() -> None:
            if codes:
                parts.append(f"/{self._key(face)} {size:g} Tf 1 0 0 1 {begins:.2f} {y:.2f} Tm <{codes}> Tj")

        for glyph in line.glyphs:
            self._use(glyph)
            if glyph.x or glyph.y:  # a mark that has its own place
                close()
                at = x + glyph.x * size / UNITS, y + glyph.y * size / UNITS
                parts.append(
                    f"/{self._key(glyph.face)} {size:g} Tf 1 0 0 1 {at[0]:.2f} {at[1]:.2f} Tm <{glyph.id:04X}> Tj"
                )
                codes, begins = "", x + glyph.advance * size / UNITS
            elif glyph.face != face or not codes:
                close()
                face, begins, codes = glyph.face, x, f"{glyph.id:04X}"
            else:
                codes += f"{glyph.id:04X}"
            x += glyph.advance * size / UNITS
        close()
        return f"BT {' '.join(parts)} ET"

    def resources(self) -> Dictionary:
        """The fonts by the names that the operators use."""
        return Dictionary({f"/{self._key(face)}": self._object(face) for face in self._used})

    def of(self, line: Typeset) -> dict[str, pikepdf.Object]:
        """The fonts of a line by the names that its operators use."""
        return {f"/{self._key(face)}": self._object(face) for face in dict.fromkeys(g.face for g in line.glyphs)}

    def _use(self, glyph: Glyph) -> None:
        known = self._used.setdefault(glyph.face, {})
        if glyph.text or glyph.id not in known:
            known[glyph.id] = known.get(glyph.id) or glyph.text
        self._object(glyph.face)

    @staticmethod
    def _key(face: str) -> str:
        return "HyB" + face.removesuffix(".ttf").replace("-", "")

    def _object(self, face: str) -> pikepdf.Object:
        if face not in self._objects:
            self._objects[face] = self._pdf.make_indirect(Dictionary())
        return self._objects[face]

    def embed(self) -> None:
        """Put each face in with the glyphs that were drawn (ISO 32000-1, 9.7; ISO 19005-2, 6.2.11)."""
        for at, (face, used) in enumerate(self._used.items()):
            for key, value in self._embedded(face, used, at).items():
                self._objects[face][key] = value

    def _embedded(self, face: str, used: dict[int, str], at: int) -> Dictionary:
        pdf = self._pdf
        with TTFont(FONTS / face) as font:
            options = subset.Options(retain_gids=True, notdef_outline=True, hinting=False, layout_features=[])
            options.drop_tables += ["GSUB", "GPOS", "GDEF"]
            cut = subset.Subsetter(options)
            cut.populate(gids=list(used))
            cut.subset(font)
            scale = UNITS / font["head"].unitsPerEm
            head, wide = font["head"], font["hmtx"]
            names = font.getGlyphOrder()
            widths = [each for i in sorted(used) for each in (i, Array([round(wide[names[i]][0] * scale, 2)]))]
            box = [round(v * scale) for v in (head.xMin, head.yMin, head.xMax, head.yMax)]
            up, down = (round(v * scale) for v in (font["hhea"].ascent, font["hhea"].descent))
            out = io.BytesIO()
            font.save(out)
        name = Name(f"/HYALE{chr(ord('A') + at % 26)}+{face.removesuffix('.ttf')}")
        program = out.getvalue()
        descriptor = Dictionary(
            Type=Name.FontDescriptor, FontName=name, Flags=4, FontBBox=Array(box), ItalicAngle=0, Ascent=up,
            Descent=down, CapHeight=714, StemV=80, FontFile2=pdf.make_stream(program, Length1=len(program)),
        )  # fmt: skip
        below = Dictionary(
            Type=Name.Font, Subtype=Name.CIDFontType2, BaseFont=name, CIDToGIDMap=Name.Identity, DW=600,
            W=Array(widths), FontDescriptor=pdf.make_indirect(descriptor),
            CIDSystemInfo=Dictionary(Registry=pikepdf.String("Adobe"), Ordering=pikepdf.String("Identity"), Supplement=0),
        )  # fmt: skip
        told = {i: text or " " for i, text in used.items()}
        return Dictionary(
            Type=Name.Font, Subtype=Name.Type0, BaseFont=name, Encoding=Name("/Identity-H"),
            DescendantFonts=Array([pdf.make_indirect(below)]), ToUnicode=pdf.make_stream(to_unicode(told)),
        )  # fmt: skip
