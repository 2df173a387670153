"""Fractions of one sign, and the sign №, are read from their ink."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from hyalen.core.layout.aligned import FRACTIONS, is_number
from hyalen.core.model.found import BlockKind, FoundBlock, FoundLine, FoundWord
from hyalen.core.model.geometry import Box, Point, union
from hyalen.core.read import read_content
from hyalen.core.reading.fractions import MOST, SHARES, SIGNS, Halves, halves_of, with_fractions
from hyalen.core.reading.numero import ringed_over_bar, with_numero
from hyalen.demo.typeset import Typesetter

ROWS = [
    "Paid for oil 2½ gallons, at 6¼d. the pint",
    "Wicks, 17½ dozen, 1s. 4¾d.",
    "Rope of ¾ inch, 12 ½ fathoms",
    "Interest 15 % a year, in all 25%",
]


@pytest.mark.parametrize("face", ["Liberation Serif", "Liberation Mono", "EB Garamond"])
def test_fractions_are_read_and_per_cents_stay(setter: Typesetter, face: str) -> None:
    style = f"body{{margin:25mm;font:12pt/1.6 '{face}'}}"
    body = "".join(f"<p data-role=p>{row}</p>" for row in ROWS)
    page = setter.set(f"<meta charset=utf-8><style>{style}</style>{body}")
    words = [w.text.strip(".,") for r in read_content(page.image, page.dpi, ("eng",)).regions for w in r.words]
    for fraction in ("2½", "6¼d", "17½", "4¾d", "¾"):
        assert fraction in words
    assert [w for w in words if "%" in w] == ["%", "25%"]


@pytest.mark.parametrize("face", ["Liberation Serif", "Liberation Mono"])
def test_faint_fractions_are_read_and_the_sign_before_a_number(setter: Typesetter, face: str) -> None:
    style = f"body{{margin:25mm;font:12pt/1.6 '{face}'}}"
    rows = ["Wicks, № 23, of the store", "the lamp, № 8, of Grimhaug", "No 5 was lit", "paid 16 ½ fathoms of rope"]
    page = setter.set(f"<meta charset=utf-8><style>{style}</style>" + "".join(f"<p data-role=p>{r}</p>" for r in rows))
    image = page.image[:, :, 0]
    pale = (255 - (255 - cv2.GaussianBlur(image, (0, 0), 0.8).astype(np.float64)) * 0.7).astype(np.uint8)
    words = [w.text for r in read_content(pale, page.dpi, ("nld",)).regions for w in r.words]
    assert [w for w in words if "№" in w] == ["№", "№"]
    assert "No" in words and "½" in words


def test_a_table_of_per_cents_is_not_tried_through() -> None:
    """Each sign here would be tried: a stroke with ink above and below that reads as no figure."""
    page = np.full((3000, 400), 255, np.uint8)
    sign = stroke()
    sign[0:26, 2:12] = sign[34:60, 48:58] = 1
    words = []
    for row in range(40):
        page[70 * row + 5 : 70 * row + 65, 5:65][sign > 0] = 0
        words.append(FoundWord("%", Box(5, 70 * row + 5, 65, 70 * row + 65), 0.9, "eng"))
    lines = tuple(FoundLine((w,), w.box, (Point(5, w.box.bottom), Point(65, w.box.bottom)), 60) for w in words)
    asked = []

    class Nothing:
        def read_region(self, *_: object, **__: object) -> list[FoundBlock]:
            asked.append(1)
            return []

    block = FoundBlock(BlockKind.TEXT, union(w.box for w in words), lines)
    assert with_fractions(page, 300, [block], Nothing()) == [block]  # type: ignore[arg-type]
    tried = len(asked) / 2
    assert MOST <= tried < MOST + 10 < 40 * len(SHARES)


def test_what_stands_behind_the_sign_before_a_number_stays() -> None:
    page = np.full((80, 200), 255, np.uint8)
    page[20:60, 20:26] = page[20:60, 44:50] = 0
    page[28:48, 58:76] = 0
    page[54:58, 58:76] = 0
    words = tuple(
        FoundWord(text, Box(left, 18, right, 62), 0.9, "nld")
        for text, left, right in (("Ne.", 18, 90), ("7", 120, 140))
    )
    line = FoundLine(words, union(w.box for w in words), (Point(18, 60), Point(140, 60)), 44)
    (block,) = with_numero(page, [FoundBlock(BlockKind.TEXT, line.box, (line,))])
    assert [(w.text, w.others) for w in block.lines[0].words] == [("№.", ()), ("7", ())]


def test_a_ring_over_a_bar_is_the_end_of_the_sign_before_a_number() -> None:
    sign = np.zeros((40, 60), np.uint8)
    sign[:, 0:6] = sign[:, 24:30] = 1
    sign[8:28, 38:56] = 1
    sign[12:24, 42:52] = 0
    assert not ringed_over_bar(sign)  # No
    sign[34:38, 38:56] = 1
    assert ringed_over_bar(sign)
    sign[34:38, 46:56] = 0
    assert not ringed_over_bar(sign)  # a mark beneath it


def test_a_fraction_in_a_column_of_figures_is_kept(setter: Typesetter) -> None:
    rows = "".join(f"<tr><td>Oil, {i}</td><td>{12 + i}½</td><td>{7 + 3 * i}</td></tr>" for i in range(8))
    style = "body{margin:25mm;font:13pt 'Liberation Serif'} td{border:1px solid;padding:2mm 6mm;text-align:right}"
    page = setter.set(
        f"<meta charset=utf-8><style>{style} table{{border-collapse:collapse}}</style><table data-role=t>{rows}</table>"
    )
    (table,) = [r.table for r in read_content(page.image, page.dpi, ("eng",)).regions if r.table is not None]
    cells = [c.text for c in table.cells if c.column == 1]
    assert cells == [f"{12 + i}½" for i in range(8)]


def stroke(height: int = 60, width: int = 60) -> NDArray[np.uint8]:
    ink = np.zeros((height, width), np.uint8)
    cv2.line(ink, (14, height - 1), (width - 15, 0), 1, 3)
    return ink


def test_what_stands_above_and_below_a_rising_stroke() -> None:
    ink = stroke()
    ink[0:26, 2:12] = 1
    ink[34:60, 48:58] = 1
    assert halves_of(ink) == Halves(Box(2, 0, 12, 26), Box(48, 34, 58, 60))


@pytest.mark.parametrize(
    "upper,lower",
    [
        ((0, 26), None),  # nothing below
        ((0, 60), (34, 60)),  # a figure as high as the line, as in 1/2
        ((0, 8), (52, 60)),  # no figures, as the bars of a Z
    ],
)
def test_other_signs_are_no_fractions(upper: tuple[int, int], lower: tuple[int, int] | None) -> None:
    ink = stroke()
    ink[slice(*upper), 2:12] = 1
    if lower:
        ink[slice(*lower), 48:58] = 1
    assert halves_of(ink) is None


def test_a_stroke_that_falls_parts_nothing() -> None:
    ink = np.ascontiguousarray(stroke()[:, ::-1])
    ink[0:26, 48:58] = 1
    ink[34:60, 2:12] = 1
    assert halves_of(ink) is None


def test_a_fraction_is_a_number() -> None:
    assert set(SIGNS.values()) == set(FRACTIONS)
    assert all(is_number(text) for text in ("17½", "½", "£2¾", "4½%"))
    assert not is_number("six")
