"""The font of a searchable PDF's invisible text: one empty glyph for each character used.

Nothing is drawn with it (text rendering mode 3, ISO 32000-1, 9.3.6), so glyphs
need no outlines; it is embedded and maps to Unicode, as ISO 14289-1, 7.21 and
ISO 19005-2, 6.2.11 ask.
"""

from __future__ import annotations

import io
from collections.abc import Mapping

import pikepdf
from fontTools.fontBuilder import FontBuilder
from fontTools.ttLib.tables._g_l_y_f import Glyph
from pikepdf import Array, Dictionary, Name

UNITS = 1000
ADVANCE = 500
NAME = "HYALEN+HyalenText"


class InvisibleFont:
    """Gives each character a glyph on first use; `embed` once all text is coded."""

    def __init__(self) -> None:
        self._ids: dict[str, int] = {}

    def glyph(self, character: str) -> int:
        """The glyph id of a character, 1 and up."""
        return self._ids.setdefault(character, len(self._ids) + 1)

    def code(self, text: str) -> str:
        """Hexadecimal two-byte codes (Identity-H)."""
        return "".join(f"{self.glyph(c):04X}" for c in text)

    def program(self) -> bytes:
        """The TrueType font file."""
        names = [".notdef", *(f"g{i}" for i in self._ids.values())]
        builder = FontBuilder(UNITS, isTTF=True)
        builder.setupGlyphOrder(names)
        builder.setupCharacterMap({ord(c): f"g{i}" for c, i in self._ids.items() if ord(c) < 0x10000})
        builder.setupGlyf({name: Glyph() for name in names})
        builder.setupHorizontalMetrics(dict.fromkeys(names, (ADVANCE, 0)))
        builder.setupHorizontalHeader(ascent=800, descent=-200)
        builder.setupNameTable({"familyName": "HyalenText", "styleName": "Regular", "psName": "HyalenText"})
        builder.setupOS2(sTypoAscender=800, sTypoDescender=-200, usWinAscent=800, usWinDescent=200)
        builder.setupPost(keepGlyphNames=False)
        out = io.BytesIO()
        builder.save(out)
        return out.getvalue()

    def embed(self, pdf: pikepdf.Pdf) -> pikepdf.Object:
        """The Type0 font dictionary in `pdf` (ISO 32000-1, 9.7)."""
        program = self.program()
        file = pdf.make_stream(program, Length1=len(program))
        descriptor = pdf.make_indirect(
            Dictionary(
                Type=Name.FontDescriptor,
                FontName=Name("/" + NAME),
                Flags=4,
                FontBBox=Array([0, -200, ADVANCE, 800]),
                ItalicAngle=0,
                Ascent=800,
                Descent=-200,
                CapHeight=700,
                StemV=80,
                FontFile2=file,
            )
        )
        descendant = pdf.make_indirect(
            Dictionary(
                Type=Name.Font,
                Subtype=Name.CIDFontType2,
                BaseFont=Name("/" + NAME),
                CIDSystemInfo=Dictionary(Registry=b"Adobe", Ordering=b"Identity", Supplement=0),
                FontDescriptor=descriptor,
                DW=ADVANCE,
                CIDToGIDMap=Name.Identity,
            )
        )
        return pdf.make_indirect(
            Dictionary(
                Type=Name.Font,
                Subtype=Name.Type0,
                BaseFont=Name("/" + NAME),
                Encoding=Name("/Identity-H"),
                DescendantFonts=Array([descendant]),
                ToUnicode=pdf.make_stream(to_unicode({i: c for c, i in self._ids.items()})),
            )
        )


def to_unicode(texts: Mapping[int, str]) -> bytes:
    """The ToUnicode CMap of a font by its glyphs' ids (ISO 32000-1, 9.10.3)."""
    entries = [f"<{i:04X}> <{text.encode('utf-16-be').hex().upper()}>" for i, text in texts.items()]
    blocks = [entries[i : i + 100] for i in range(0, len(entries), 100)]
    body = "\n".join(f"{len(b)} beginbfchar\n" + "\n".join(b) + "\nendbfchar" for b in blocks)
    return (
        "/CIDInit /ProcSet findresource begin\n12 dict begin\nbegincmap\n"
        "/CIDSystemInfo << /Registry (Adobe) /Ordering (UCS) /Supplement 0 >> def\n"
        "/CMapName /Adobe-Identity-UCS def\n/CMapType 2 def\n"
        "1 begincodespacerange\n<0000> <FFFF>\nendcodespacerange\n"
        f"{body}\nendcmap\nCMapName currentdict /CMap defineresource pop\nend\nend\n"
    ).encode("ascii")
