"""Pages for measuring doubts: the Declaration in many languages with names, dates, sums and rare words strewn in, spoilt."""

from __future__ import annotations

import unicodedata
from html import escape
from typing import NamedTuple

import numpy as np
from wordfreq import top_n_list

from bench.material import FILES, paragraphs
from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.proofing.evidence import Placed, core_of
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
PAGES = 4  # of a document
LENGTH = 2300  # letters of a page


class ProofPage(NamedTuple):
    html: str
    language: str
    dpi: float
    how: Spoiling


def document_of(seed: int, languages: int = len(FILES)) -> int:
    """Pages of one language that follow each other are of one document, with its own names and rare words."""
    return seed // (languages * PAGES) * languages + seed % languages


def proof_page(seed: int, languages: tuple[str, ...] = tuple(FILES)) -> ProofPage:
    """A page and what is done to it."""
    rng = np.random.default_rng(seed)
    language = languages[seed % len(languages)]
    own = np.random.default_rng(1_000_000 + document_of(seed, len(languages)))
    listed = top_n_list(language_tag(language), RARE[1])[RARE[0] :]
    rare = [str(w) for w in own.choice(listed, 12)] if listed else []
    names = [str(own.choice(HEADS)) + str(own.choice(TAILS)) for _ in range(6)]

    def strewn() -> str:
        kind = int(rng.integers(0, 6))
        if kind == 0:
            return str(rng.choice(names))
        if kind == 1:
            return f"{rng.integers(1, 29)}.{rng.integers(1, 13)}.{rng.integers(1880, 1960)}"
        if kind == 2:
            return f"{rng.integers(1, 9000)}.{rng.integers(10, 99)}"
        if kind == 3:
            return f"{rng.integers(1, 400)}/{rng.integers(1, 60)}"
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
    if seed // len(languages) % PAGES == PAGES - 1:
        items = items[:2]
        items[1:1] = [""]
    body = "".join(f'<p data-role="paragraph">{escape(text)}</p>' if text else _table(rng, names) for text in items)
    html = f"""<!doctype html><html lang="{language_tag(language)}" dir="{direction}"><style>
    body{{margin:20mm;font:{size:.1f}pt/1.4 {face}}} p{{margin:0 0 .6em}}
    td{{padding:.3mm 3mm;text-align:right}} table{{border-collapse:collapse;margin:5mm 0}}
    .ruled td{{border:1px solid #000}}</style>{body}</html>"""
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


def _table(rng: np.random.Generator, names: list[str]) -> str:
    """Rows of names and figures, ruled or not, with their sums."""
    columns, rows = int(rng.integers(3, 7)), int(rng.integers(8, 20))
    decimals = int(rng.integers(0, 3))
    figures = rng.integers(5, 10 ** int(rng.integers(2, 5)), (rows, columns))

    def row(name: str, values: list[int]) -> str:
        cells = "".join(f"<td>{value / 10**decimals:.{decimals}f}</td>" for value in values)
        return f'<tr data-role="paragraph"><td>{escape(name)}</td>{cells}</tr>'

    years = "".join(f"<td>{1920 + i}</td>" for i in range(columns))
    body = "".join(row(names[i % len(names)], figures[i].tolist()) for i in range(rows))
    total = row("Total", figures.sum(axis=0).tolist())
    ruled = ' class="ruled"' if rng.random() < 0.5 else ""
    return f'<table{ruled}><tr data-role="paragraph"><td></td>{years}</tr>{body}{total}</table>'


_ALIKE = str.maketrans("’‘ʼ‐‑−–—“”„«»", '\'\'\'-----"""""')


# Letters of two scripts that look the same: no eye could tell them on the page.
_HOMOGLYPHS = str.maketrans("ΑΒΕΖΗΙΚΜΝΟΡΤΥΧοАВЕКМНОРСТХаеорсух", "ABEZHIKMNOPTYXoABEKMHOPCTXaeopcyx")


def plain(text: str) -> str:
    """A word as it is compared: without the marks around it, one kind of apostrophe and hyphen.

    As in ISRI's word accuracy (Rice and Nartker, "The ISRI analytic tools for OCR evaluation", 1996, 3.1), where
    neither case nor punctuation counts; figures do here. From memory.
    """
    return (
        core_of(unicodedata.normalize("NFKC", text).translate(_ALIKE)).strip("-'\"").translate(_HOMOGLYPHS).casefold()
    )


def wrong_words(words: list[Placed], true: str) -> list[bool]:
    """Which of the words that were read stand nowhere on the page; parts of a word on both sides of a line's end do."""
    known = {plain(word) for word in true.split()}
    wrong = []
    for i, placed in enumerate(words):
        text = plain(placed.word.text)
        right = not text or text in known
        after, before = words[i + 1 : i + 2], words[max(0, i - 1) : i]
        for first, second in [*((placed, w) for w in after), *((w, placed) for w in before)]:
            if not right and first.word.text.rstrip()[-1:] in "-‐" and first.line is not second.line:
                joined = first.word.text.rstrip("-‐")
                right = bool({plain(joined + sign + second.word.text) for sign in ("", "-")} & known)
        wrong.append(not right)
    return wrong
