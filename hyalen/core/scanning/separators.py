"""Sheets that are laid between documents before scanning, and told by a QR code (ISO/IEC 18004) on them."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Sequence
from html import escape

import numpy as np
import zxingcpp
from numpy.typing import NDArray

from hyalen.core.formats.codecs import encode_bitonal
from hyalen.core.formats.printed import pdf_of
from hyalen.core.imaging.pixels import Image, grey, reduced

MARK = "hyalen-separator:"  # before the name of the document that follows
READING_DPI = (150.0, 100.0, 60.0)  # the codes' squares are 1.5 mm wide and more: dirt weighs less when they are small
MOST_SHEETS = 200
LONGEST_NAME = 120

_STYLE = """@page { size: A4; margin: 18mm } body { font-family: sans-serif; margin: 0 }
section { break-after: page; height: 255mm; position: relative } section:last-child { break-after: auto }
h1 { font-size: 40pt; margin: 0 0 6mm; overflow-wrap: anywhere } p { font-size: 14pt; margin: 0 0 4mm }
img { position: absolute; width: 70mm; height: 70mm } .a { left: 0; bottom: 0 } .b { right: 0; bottom: 90mm }
.bar { position: absolute; left: 0; right: 0; bottom: 80mm; border-top: 3mm dashed #000 }"""


def separator_sheets(names: Sequence[str]) -> bytes:
    """A PDF of one sheet a name, to be laid before each document's first sheet; "" for one that names none.

    The code stands twice, so that a fold or a stain leaves one.
    """
    sections = []
    for name in names[:MOST_SHEETS]:
        told = " ".join(name.split())[:LONGEST_NAME]
        code = zxingcpp.create_barcode(MARK + told, zxingcpp.BarcodeFormat.QRCode, ec_level="H")
        picture = _data_uri(np.asarray(code.to_image(scale=10, add_quiet_zones=False)))
        images = "".join(f'<img class="{c}" alt="The code that is read by the scanner" src="{picture}">' for c in "ab")
        sections.append(
            f"<section><h1>{escape(told) or 'A new document'}</h1><p>Separator sheet: the next document begins after it. "
            f'It is not kept; use it again.</p>{images}<div class="bar"></div></section>'
        )
    return pdf_of(
        '<!doctype html><html lang="en"><meta charset="utf-8"><title>Separator sheets</title>'
        f"<style>{_STYLE}</style><body>{''.join(sections)}</body></html>"
    )


def _data_uri(code: NDArray[np.uint8]) -> str:
    return f"data:image/png;base64,{b64encode(encode_bitonal(code)).decode()}"


def read_separator(scan: Image, dpi: float) -> str | None:
    """The name on a separator sheet, "" where it has none; None where the picture shows no separator sheet.

    Parameters
    ----------
    scan : (h, w) or (h, w, 3) uint8
        As it came, at any turn.
    dpi : float
        Pixels an inch.
    """
    for at in READING_DPI:
        small, _ = reduced(grey(scan), dpi, at)
        for code in zxingcpp.read_barcodes(
            np.ascontiguousarray(small), formats=zxingcpp.BarcodeFormats([zxingcpp.BarcodeFormat.QRCode])
        ):
            if code.valid and code.text.startswith(MARK):
                return str(code.text[len(MARK) :][:LONGEST_NAME])
    return None
