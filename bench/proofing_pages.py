"""Pages for measuring doubts: the Declaration in many languages with names, dates, sums and rare words strewn in, spoilt."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable
from dataclasses import replace
from html import escape
from typing import NamedTuple

import cv2
import numpy as np
from numpy.typing import NDArray
from wordfreq import top_n_list

from bench.material import CURLS, FILES, SPINES, VIEWS, paragraphs
from hyalen.core.imaging.pixels import Image, as_uint8, grey
from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.proofing.placed import Placed, core_of
from hyalen.demo.spoil import AGED, GREENISH, ROSE, Spoiling, spoil

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


# Of pages, each: in two columns, in heavy type, in type set close, bent, photographed, on a bed, of one bit.
FAULTS = ("columns", "heavy", "close", "bent", "photographed", "bed", "one bit")
REGISTERS = 0.35  # of the pages are entries, not prose
FAULTY = 0.5  # of the pages have one of these, too
MICROFILMED = 0.2  # of the pages come from a film: black and white only, with thin strokes lost and narrow white filled
SOFT, LEVELS = (0.0022, 0.004), (0.48, 0.7)  # inches; of the paper's grey: where black begins
# What letters and marks of worn type are taken for, and how many of them are, so that nothing but their sentence tells.
WORN = {
    ",": ".", ";": ":", ".": "", "e": "ct", "f": "t", "t": "if", "o": "uc", "s": "c", "n": "u", "h": "n", "l": "i", "r": "i", "a": "u",
}  # fmt: skip
WEAR, WEAR_OF_MARKS = 0.003, 0.1
UNEVEN = 0.12  # by how much that varies over the page, from a word and from a letter to the next


class ProofPage(NamedTuple):
    """`level` is the grey level below which all is black on a scan of one bit; None where it is grey.

    `film` is as `level`, a share of the paper's grey, of a page that was on film, and how soft that is in inches.
    `register` tells that it bears entries, not prose. `worn` is what its ink says, where that is not what was set.
    """

    html: str
    language: str
    dpi: float
    how: Spoiling
    level: int | None = None
    register: bool = False
    film: tuple[float, float] | None = None
    worn: str | None = None

    def scan(self, image: Image, seed: int) -> Image:
        """The page as it was spoilt."""
        scan = spoil(image, self.dpi, self.how, seed=seed)
        if self.film is not None:
            return filmed(grey(scan), self.dpi, *self.film, seed)
        if self.level is None:
            return scan
        return as_uint8(np.where(grey(scan) < self.level * float(np.median(grey(scan))) / 255, 0, 255).astype(np.uint8))


def _cut(text: str, length: int) -> str:
    """As many whole words of a text."""
    return text if len(text) <= length else text[:length].rpartition(" ")[0]


def filmed(scan: Image, dpi: float, level: float, soft: float, seed: int) -> Image:
    """A grey page as a scan of its film, in black and white; `level` and `soft` as in `ProofPage`."""
    rng = np.random.default_rng(seed)

    def cloud(cell: float) -> NDArray[np.float32]:
        """Of spots of so many inches, with a deviation of 1."""
        coarse = rng.normal(size=[max(2, int(side / dpi / cell)) for side in scan.shape]).astype(np.float32)
        return np.asarray(cv2.resize(coarse, scan.shape[::-1], interpolation=cv2.INTER_CUBIC), np.float32)

    blurred = cv2.GaussianBlur(scan.astype(np.float32), (0, 0), soft * dpi) / float(np.median(scan))
    uneven = level + UNEVEN * (0.5 * cloud(0.3) + 0.5 * cloud(0.02))
    return as_uint8(np.where(blurred < uneven, 0, 255).astype(np.uint8))


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

    def after(word: str) -> str:
        """What is strewn in behind a word, as its sentence has it: a slip that is set on purpose is none."""
        text = strewn()
        return text[0].upper() + text[1:] if word.endswith((".", "!", "?", "…")) else text

    texts = [t for tag, t in paragraphs(language) if tag in ("p", "li")]
    start = int(rng.integers(0, len(texts)))
    items, used = [], 0
    for text in texts[start:] + texts[:start]:
        if used > LENGTH:
            break
        words = [w for word in text.split() for w in ((word, after(word)) if rng.random() < STREWN else (word,))]
        items.append(_cut(" ".join(words), LENGTH - used + 200))
        used += len(items[-1])
    latin = not is_right_to_left(language) and language not in ("rus", "ell")
    face = str(rng.choice(FACES)) if latin else NON_LATIN
    size = float(rng.uniform(9, 12.5))
    direction = "rtl" if is_right_to_left(language) else "ltr"
    if seed // len(languages) % PAGES == PAGES - 1:
        items = items[:2]
        items[1:1] = [""]
    entries = _register(seed, items, names, rare)
    body = "".join(f'<p data-role="paragraph">{escape(text)}</p>' if text else _table(rng, names) for text in items)
    if entries:
        body = "".join(f'<p data-role="paragraph" class="entry">{entry}</p>' for entry in entries)
    html = f"""<!doctype html><html lang="{language_tag(language)}" dir="{direction}"><style>
    body{{margin:20mm;font:{size:.1f}pt/1.4 {face}}} p{{margin:0 0 .6em}}
    .entry{{margin:0;padding-left:2em;text-indent:-2em}}
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
    return _on_film(_with_fault(ProofPage(html, language, dpi, how, register=bool(entries)), seed), seed)


def worn_page(seed: int, languages: tuple[str, ...] = tuple(FILES)) -> ProofPage:
    """A page from film whose type was worn: some of its letters and marks have lost strokes and look like others."""
    page, rng = proof_page(seed, languages), np.random.default_rng(5_000_000 + seed)

    def worn(character: str) -> str:
        looks = WORN.get(character)
        if looks is None or rng.random() > (WEAR if character.isalpha() else WEAR_OF_MARKS):
            return character
        return str(rng.choice(list(looks))) if looks else ""

    head, body = page.html.split("</style>")
    texts = re.sub(r"(?<=>)[^<>&]+(?=<)", lambda text: "".join(map(worn, text[0])), body)
    film = float(rng.uniform(*LEVELS)), float(rng.uniform(*SOFT))
    return page._replace(dpi=max(page.dpi, 200.0), level=None, film=film, worn=f"{head}</style>{texts}")


def _register(seed: int, items: list[str], names: list[str], rare: list[str]) -> list[str]:
    """Entries of a catalogue or register made of a page's own words, for some pages: numbers, names, shortened words, italics."""
    rng = np.random.default_rng(3_000_000 + seed)
    if rng.random() > REGISTERS or "" in items:
        return []
    words = [w.strip(".,;:!?()“”«»\"'") for text in items for w in text.split()]
    words = [w for w in words if len(w) > 1 and w[0].isalpha()] + rare

    def some(least: int, most: int) -> list[str]:
        return [str(w) for w in rng.choice(words, int(rng.integers(least, most)))]

    def short() -> str:
        return str(rng.choice(words))[: int(rng.integers(2, 5))] + "."

    first, usual = int(rng.integers(1, 800)), [short() for _ in range(4)]
    entries, used = list[str](), 0
    while used < LENGTH:
        kind = int(rng.integers(0, 4))
        name = str(rng.choice(names)) if rng.random() < 0.5 else " ".join(some(1, 3)).title()
        initials = "".join(f"{str(rng.choice(words))[0].upper()}. " for _ in range(int(rng.integers(0, 3))))
        title = " ".join(some(2, 9))
        year, count = int(rng.integers(1790, 1990)), int(rng.integers(1, 40))
        tail = [str(rng.choice(usual)) if rng.random() < 0.7 else short() for _ in range(int(rng.integers(1, 4)))]
        sums = (
            f"{count}-{rng.integers(2, 20)}.",
            f"{rng.integers(2, 300)}.{rng.integers(10, 99)}",
            f"({year})",
            f"{count} ½",
            f"№ {count}",
            f"{count} %",
            f"{count}%",
        )
        place = f"{rng.choice(names)}, {year}."
        said = {
            0: f"{escape(name)}, {escape(initials)}{escape(title)}. {escape(place)} {count} {escape(' '.join(tail))}",
            1: f"{escape(name)}, <i>{escape(title)}</i>; {escape(' '.join(tail))} {rng.choice(sums)}",
            2: f"{escape(initials)}{escape(name)}: {escape(title)}, {escape(', '.join(tail))} {rng.choice(sums)}, {year}",
            3: f"<b>{escape(name)}</b> ({escape(' '.join(tail))}) {escape(title)}. {escape(str(rng.choice(usual)))} {rng.choice(sums)}",
        }[kind]
        entries.append(f"{first + len(entries)} {said}")
        used += len(said)
    return entries


def _with_fault(page: ProofPage, seed: int) -> ProofPage:
    rng = np.random.default_rng(2_000_000 + seed)
    if rng.random() > FAULTY:
        return page
    fault = str(rng.choice(FAULTS))
    styles = {
        "columns": "body{columns:2;column-gap:8mm;margin:14mm}",
        "heavy": "body{font-weight:bold}",
        "close": "body{letter-spacing:-.03em}",
    }
    if fault in styles:
        return page._replace(html=page.html.replace("</style>", styles[fault] + "</style>"))
    if fault == "one bit":
        return page._replace(level=int(rng.integers(110, 200)))
    how = page.how
    if fault == "bent":
        how = replace(how, skew=0.0, curl=(*CURLS, *SPINES)[int(rng.integers(0, len(CURLS) + len(SPINES)))])
    elif fault == "photographed":
        how = replace(how, skew=0.0, corners=VIEWS[int(rng.integers(0, len(VIEWS)))])
    else:
        how = replace(how, bed=0.3)
    return page._replace(how=how)


def _on_film(page: ProofPage, seed: int) -> ProofPage:
    """Some pages as a film of them would be scanned, at 200 pixels an inch or more."""
    rng = np.random.default_rng(4_000_000 + seed)
    if rng.random() > MICROFILMED or page.level is not None:
        return page
    return page._replace(dpi=max(page.dpi, 200.0), film=(float(rng.uniform(*LEVELS)), float(rng.uniform(*SOFT))))


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


def exact(text: str) -> str:
    """A word as it is compared to the letter: with its marks and case, one kind of apostrophe, quotation mark and hyphen."""
    return unicodedata.normalize("NFKC", text).translate(_ALIKE).translate(_HOMOGLYPHS).strip()


def wrong_words(words: list[Placed], true: str, plain: Callable[[str], str] = plain) -> list[bool]:
    """Which of the words that were read stand nowhere on the page; parts of a word on both sides of a line's end do.

    `plain` makes two words one that are not told apart.
    """
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
