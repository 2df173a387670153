"""Invisible text laid exactly over its ink, as PDF content operators."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from itertools import groupby

from hyalen.core.formats.pdf_font import ADVANCE, UNITS, InvisibleFont
from hyalen.core.languages import script_of
from hyalen.core.model.content import Line
from hyalen.core.structure.flow import LineEnd, line_end

FONT_NAME = "HyRead"  # of the font without shapes among a page's resources
SOFT_HYPHEN = "\u00ad"
_RIGHT_TO_LEFT = frozenset({"ARABIC", "HEBREW"})


def is_right_to_left(text: str) -> bool:
    """Whether the first letter belongs to a right-to-left script (UAX #9, rule P2)."""
    for character in text:
        script = script_of(character)
        if script:
            return script in _RIGHT_TO_LEFT
    return False


class TextLayer:
    """Codes lines of one page as text objects.

    Parameters
    ----------
    font : InvisibleFont
    height : int
        Of the page, in pixels.
    scale : float
        Points a pixel.
    """

    def __init__(self, font: InvisibleFont, height: int, scale: float) -> None:
        self._font = font
        self._height = height
        self._scale = scale

    def lines(self, lines: Sequence[Line], language: str) -> str:
        """A text object with the lines; every word sits in its own box on its baseline."""
        out = ["BT 3 Tr"]
        for i, line in enumerate(lines):
            following = lines[i + 1] if i + 1 < len(lines) else None
            end = line_end(line, following, language) if following else LineEnd.SPACE
            out.extend(self._line(line, end))
        out.append("ET")
        return "\n".join(out)

    def _line(self, line: Line, end: LineEnd) -> Iterable[str]:
        (x0, y0), (x1, y1) = line.baseline_in_box
        slope = (y1 - y0) / (x1 - x0) if x1 > x0 else 0.0
        slope = slope if abs(slope) < 0.2 else 0.0
        angle = math.atan(-slope)
        size = max(1.0, min(line.height, line.box.height * 1.6) * self._scale)
        yield f"/{FONT_NAME} {size:.2f} Tf"

        def show(text: str, left: float, width: float) -> str:
            baseline = y0 + slope * (left - x0)
            return self._run(text, left, baseline, width, size, angle)

        for at, word in enumerate(line.words):
            last = at + 1 == len(line.words)
            text = word.text
            if last and end is LineEnd.BREAK:
                text = text[:-1] + SOFT_HYPHEN
            backwards = is_right_to_left(text)
            for run, left, width in _runs(text, word.box.left, word.box.width, backwards):
                baseline = y0 + slope * (left - x0)
                yield self._run(run, left, baseline, width, size, angle, mirrored=backwards and _turns(run))
            if last:
                if end is LineEnd.SPACE:
                    edge = word.box.left - size * 0.25 / self._scale if backwards else word.box.right
                    yield show(" ", edge, size * 0.25 / self._scale)
                continue
            after = line.words[at + 1].box
            if backwards:
                yield show(" ", min(after.right, word.box.left - 1), max(1, word.box.left - after.right))
            else:
                yield show(" ", word.box.right, max(1, after.left - word.box.right))

    def _run(
        self, text: str, x: float, y: float, width: float, size: float, angle: float, mirrored: bool = False
    ) -> str:
        """Show `text` over `width` pixels; mirrored, it starts at the right edge and runs to the left.

        A mirrored text matrix keeps right-to-left text in the order in which it is read, in the
        content stream as well as on the page. Nothing is drawn, so no glyph is seen mirrored.
        """
        stretch = 100 * width * self._scale / (len(text) * ADVANCE / UNITS * size)
        cos, sin = math.cos(angle), math.sin(angle)
        left = (x + width if mirrored else x) * self._scale
        bottom = (self._height - y) * self._scale
        sign = -1 if mirrored else 1
        matrix = f"{sign * cos:.5f} {sign * sin:.5f} {-sin:.5f} {cos:.5f} {left:.2f} {bottom:.2f}"
        return f"{stretch:.2f} Tz {matrix} Tm <{self._font.code(text)}> Tj"


def _turns(run: str) -> bool:
    return any(script_of(c) in _RIGHT_TO_LEFT for c in run) or not any(c.isalnum() for c in run)


def _runs(text: str, left: float, width: float, backwards: bool) -> Iterable[tuple[str, float, float]]:
    """Directional runs with their places: numbers and Latin stay left-to-right (UAX #9)."""
    if not backwards:
        yield text, left, width
        return
    each = width / len(text)
    right = left + width
    for _, group in groupby(text, key=lambda c: c.isdigit() or script_of(c) not in (*_RIGHT_TO_LEFT, "")):
        run = "".join(group)
        right -= each * len(run)
        yield run, right, each * len(run)
