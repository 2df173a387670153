"""The stacks of made-up sheets: what is printed on them, how they lie, and where they jam."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cache, lru_cache
from html import escape
from pathlib import Path
from typing import Literal

import cv2
import numpy as np
import pypdfium2 as pdfium

from hyalen.core.formats.printed import pdf_of
from hyalen.core.imaging.pixels import Image, as_uint8
from hyalen.core.scanning.separators import separator_sheets
from hyalen.demo.spoil import AGED, GREENISH, Spoiling, spoil

Fault = Literal["", "jam", "double_feed", "cut", "slow", "cover_open", "doubled"]
PAPER = (210.0, 297.0)  # millimetres

_STYLE = """@page{size:A4;margin:24mm 24mm 20mm 28mm} body{font:11.5pt/1.5 serif;color:#1a1816;margin:0}
header{font-size:9pt;letter-spacing:.08em;margin-bottom:12mm} h1{font-size:17pt;margin:0 0 5mm} p{margin:0 0 3.4mm}
table{border-collapse:collapse;width:100%;margin:3mm 0} td,th{border-bottom:.5pt solid #555;padding:1.2mm;text-align:left}
td:last-child,th:last-child{text-align:right}"""
_LIGHTS = ("Grimhaug", "Torgrunn", "Hallvik", "Skarn Sound", "Ytre Holm", "Veggskjer")
_MATTERS = (
    "oil and wicks",
    "the fog signal",
    "the landing stage",
    "coal for the winter",
    "the spare mantles",
    "the boat",
)


@dataclass(frozen=True)
class Sheet:
    """A sheet of paper: what stands on either side (an HTML body, or pages of a PDF), and what happens to it."""

    front: str
    back: str = ""
    how: Spoiling = field(default_factory=Spoiling)
    seed: int = 0
    fault: Fault = ""
    picture: tuple[bytes, int] | None = None
    image: Path | None = None

    def without_fault(self) -> Sheet:
        """As it goes through when it is laid in again."""
        return replace(self, fault="" if self.fault != "doubled" else "doubled")


def letter(number: int, dated: str = "1931") -> str:
    """The front of a letter to the board; each has its own number in words that no other has."""
    light, matter = _LIGHTS[number % len(_LIGHTS)], _MATTERS[number // 2 % len(_MATTERS)]
    return (
        f"<header>SKARNHOLM LIGHTS BOARD</header><h1>Letter {number} of {dated}</h1>"
        f"<p>Sir, I have the honour to report upon {escape(matter)} at {light}. What was sent by the tender in the autumn has "
        f"lasted until the second week of the month, and what is left will not carry the station beyond the next call.</p>"
        f"<p>The lamp was trimmed every four hours and did not fail. I beg that {3 + number % 7} casks be put aboard, and that "
        f"the bill of {12 + number * 7 % 80} crowns be passed with the others.</p>"
        "<p>The keepers are in good health, and the weather has been such that the landing was used on nine days only.</p>"
        f"<p>I am, Sir, your obedient servant, the keeper at {light}.</p>"
    )


def reply(number: int) -> str:
    """The back of a letter: what the office wrote on it."""
    rows = "".join(
        f"<tr><td>{m}</td><td>{5 + (number * 13 + i * 29) % 90}.00</td></tr>" for i, m in enumerate(_MATTERS[:4])
    )
    return (
        f"<h1>Answer to letter {number}</h1><p>Read at the meeting of the board and passed to the storekeeper, who is to send "
        f"what is named below with the next tender.</p><table><tr><th>Article</th><th>Crowns</th></tr>{rows}</table>"
    )


def _lying(number: int) -> Spoiling:
    """How a sheet comes to lie: a little askew, some on the dark bed, some with dust on the glass."""
    return Spoiling(
        skew=(-0.9, 0.4, 1.3, -0.3, 0.0)[number % 5],
        bed=0.18 if number % 3 == 1 else 0.0,
        tint=(AGED, (250, 249, 245), GREENISH)[number % 3],
        specks=40 if number % 4 == 2 else 0,
        streaks=1 if number % 6 == 5 else 0,
        noise=2.0,
        show_through=0.16 if number % 2 else 0.0,
    )


def _letters(count: int) -> list[Sheet]:
    return [Sheet(letter(n), how=_lying(n), seed=n) for n in range(1, count + 1)]


def _both(count: int) -> list[Sheet]:
    return [Sheet(letter(n), reply(n) if n % 4 != 3 else "", _lying(n), n) for n in range(1, count + 1)]


def _troubled() -> list[Sheet]:
    faults: dict[int, Fault] = {3: "jam", 6: "double_feed", 8: "cut", 9: "slow"}
    return [replace(s, fault=faults.get(n, "")) for n, s in enumerate(_both(10), 1)]


def _separated() -> list[Sheet]:
    found: list[Sheet] = []
    for at, name in enumerate(("Box 14 letters", "Box 15 letters", "")):
        found.append(Sheet("", how=Spoiling(skew=0.6, noise=2.0), seed=900 + at, picture=(_separator(name), 0)))
        found += [Sheet(letter(10 * at + n), how=_lying(n), seed=10 * at + n) for n in range(1, 4)]
    return found


@cache
def _separator(name: str) -> bytes:
    return separator_sheets([name])


def _poor() -> list[Sheet]:
    return [
        Sheet(letter(41), how=replace(_lying(1), fade=0.85, show_through=0.0), seed=41),
        Sheet(letter(42), how=Spoiling(tint=AGED, noise=2.0), seed=42, fault="doubled"),
        Sheet("", how=_lying(2), seed=43),
        Sheet(letter(44), how=_lying(4), seed=44),
    ]


class Stack:
    """A stack of sheets by its name, made when it is first laid in."""

    def __init__(self, name: str, says: str, make: Callable[[], Sequence[Sheet]]) -> None:
        self.name, self.says, self._make = name, says, make

    def sheets(self) -> list[Sheet]:
        return list(self._make())


STACKS = [
    Stack("letters", "12 letters, written on one side", lambda: _letters(12)),
    Stack("answers", "8 letters with the board's answer on the back of most", lambda: _both(8)),
    Stack("boxes", "letters of three boxes, a separator sheet before each", _separated),
    Stack("trouble", "10 letters on both sides: one jams, two stick together, one is lost on the way", _troubled),
    Stack("poor", "4 sheets: faint, doubled, blank, good", _poor),
    Stack("trolley", "250 letters on both sides", lambda: _both(250)),
]


def of_folder(folder: Path) -> list[Sheet]:
    """A stack of pictures on disk, in the order of their names."""
    return [Sheet("", seed=n, image=path) for n, path in enumerate(sorted(folder.iterdir())) if path.is_file()]


@lru_cache(maxsize=24)
def _set(body: str) -> bytes:
    return pdf_of(
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>A sheet</title><style>{_STYLE}</style><body>{body}</body></html>'
    )


def _printed(sheet: Sheet, back: bool, dpi: float) -> Image:
    """What is printed on a side, flat and clean: (h, w, 3) uint8."""
    width, height = (round(v / 25.4 * dpi) for v in PAPER)
    if sheet.image and not back:
        read = cv2.imdecode(np.fromfile(sheet.image, np.uint8), cv2.IMREAD_COLOR)
        if read is None:
            raise ValueError(f"{sheet.image.name} is no picture")
        return as_uint8(
            cv2.resize(cv2.cvtColor(read, cv2.COLOR_BGR2RGB), (width, height), interpolation=cv2.INTER_AREA)
        )
    body = sheet.back if back else sheet.front
    if not body and (back or sheet.picture is None):
        return np.full((height, width, 3), 255, np.uint8)
    data, page = (_set(body), 0) if body or sheet.picture is None else sheet.picture
    document = pdfium.PdfDocument(data)
    try:
        shown = document[page].render(scale=dpi / 72, rev_byteorder=True).to_numpy()[:, :, :3]
    finally:
        document.close()
    return as_uint8(cv2.resize(as_uint8(shown), (width, height), interpolation=cv2.INTER_AREA))


def scanned(sheet: Sheet, back: bool, dpi: float) -> Image:
    """A side as the scanner sees it: (h, w, 3) uint8."""
    front = _printed(sheet, back, dpi)
    other = _printed(sheet, not back, dpi) if sheet.how.show_through else None
    seen = spoil(front, dpi, sheet.how, sheet.seed * 2 + back, other)
    if sheet.fault == "doubled" and not back:
        seen = _with_another(seen, dpi)
    return seen


def _with_another(seen: Image, dpi: float) -> Image:
    """Another sheet that came along, its upper edge across the first one's foot."""
    edge = int(0.8 * seen.shape[0])
    longer = np.concatenate([seen[:edge], seen[: int(0.5 * seen.shape[0])]])
    reach = max(3, int(0.03 * dpi))
    shadow = np.linspace(1.0, 0.55, reach)[:, None, None]
    longer[edge - reach : edge] = (longer[edge - reach : edge] * shadow).astype(np.uint8)
    return longer
