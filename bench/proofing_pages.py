"""Pages for measuring doubts: the Declaration in many languages with names, dates, sums and rare words strewn in, spoilt."""

from __future__ import annotations

import re
from html import escape
from typing import NamedTuple

import numpy as np
from wordfreq import top_n_list

from bench.material import FILES, paragraphs
from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.demo.spoil import AGED, GREENISH, ROSE, Spoiling

FACES = (
    "'Liberation Serif'", "'Liberation Sans'", "'Courier Prime','Liberation Mono'", "'EB Garamond','Liberation Serif'",
    "'Noto Serif'", "'Liberation Mono'",
)  # fmt: skip
NON_LATIN = "'Noto Naskh Arabic','Noto Serif Hebrew','Noto Serif','Liberation Serif'"
HEADS = ("Sk", "Tor", "Hal", "Brei", "Ket", "Mew", "Sal", "Osk", "Vard", "Lin", "Grim", "Ul", "Fal", "Ey", "Rost")
TAILS = ("holm", "grunn", "vik", "stone", "low", "nes", "dal", "berg", "fjord", "ey", "mark", "sund", "haug", "by")
STREWN = 0.07  # of the words are followed by something that no list has
RARE = (20_000, 60_000)  # places in a language's list
LENGTH = 2300  # letters of a page


class ProofPage(NamedTuple):
    html: str
    language: str
    dpi: float
    how: Spoiling


def proof_page(seed: int, languages: tuple[str, ...] = tuple(FILES)) -> ProofPage:
    """A page and what is done to it."""
    rng = np.random.default_rng(seed)
    language = languages[seed % len(languages)]
    rare = top_n_list(language_tag(language), RARE[1])[RARE[0] :]
    names = [str(rng.choice(HEADS)) + str(rng.choice(TAILS)) for _ in range(6)]

    def strewn() -> str:
        kind = int(rng.integers(0, 6))
        if kind == 0:
            return str(rng.choice(names))
        if kind == 1:
            return f"{rng.integers(1, 29)}.{rng.integers(1, 13)}.{rng.integers(1880, 1960)}"
        if kind == 2:
            return f"{rng.integers(1, 9000)}.{rng.integers(10, 99)}"
        if kind == 3:
            return f"No. {rng.integers(1, 400)}/{rng.integers(1, 60)}"
        if kind == 4:
            return str(rng.integers(1800, 1990))
        return str(rng.choice(rare)) if rare else str(rng.choice(names))

    texts = [t for tag, t in paragraphs(language) if tag in ("p", "li")]
    start = int(rng.integers(0, len(texts)))
    items, used = [], 0
    for text in texts[start:] + texts[:start]:
        if used > LENGTH:
            break
        words = [w for word in text.split() for w in ((word, strewn()) if rng.random() < STREWN else (word,))]
        items.append(" ".join(words)[: LENGTH - used + 200])
        used += len(items[-1])
    latin = not is_right_to_left(language) and language not in ("rus", "ell")
    face = str(rng.choice(FACES)) if latin else NON_LATIN
    size = float(rng.uniform(9, 12.5))
    direction = "rtl" if is_right_to_left(language) else "ltr"
    body = "".join(f'<p data-role="paragraph">{escape(text)}</p>' for text in items)
    html = f"""<!doctype html><html lang="{language_tag(language)}" dir="{direction}"><style>
    body{{margin:20mm;font:{size:.1f}pt/1.4 {face}}} p{{margin:0 0 .6em}}</style>{body}</html>"""
    worn = float(rng.uniform(0, 1)) ** 1.5
    how = Spoiling(
        skew=float(rng.uniform(-2, 2)),
        tint=(AGED, GREENISH, ROSE, (255, 255, 255))[int(rng.integers(0, 4))],
        shade=float(rng.uniform(0, 0.4)),
        specks=int(1500 * worn * rng.random()),
        noise=float(rng.uniform(2, 9)),
        blur=float(0.005 * worn * rng.random()),
        fade=float(0.75 * worn * rng.random()),
        show_through=float(0.3 * (rng.random() < 0.2)),
        jpeg=int(rng.integers(45, 90)),
    )
    dpi = float(rng.choice([110, 150, 200, 300, 300, 300]))
    return ProofPage(html, language, dpi, how)


_EDGE = re.compile(r"^\W+|\W+$")


def wrong_words(texts: list[str], true: str) -> list[bool]:
    """Which of the words that were read stand nowhere on the page; a word's part before a line's hyphen is right."""
    known = set(true.split())
    return [text not in known and text.rstrip("-") not in known and not _part_of(text, true) for text in texts]


def _part_of(text: str, true: str) -> bool:
    """Whether a line end has parted a word there."""
    return text.endswith("-") and len(text) > 3 and re.search(rf"(?<!\w){re.escape(text[:-1])}\w", true) is not None
