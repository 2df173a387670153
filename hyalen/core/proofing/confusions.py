"""Which letters look alike, script by script, and how far a misreading is from what was meant.

The pairs are common practice of people who proof what was read from paper; no source.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterator
from functools import lru_cache

ALIKE, SAME_BASE, OTHER, LOST = (
    0.3,
    0.25,
    1.0,
    0.8,
)  # costs: of shapes alike, of one letter's accents or cases, of others
_LATIN = (
    "rn/m nn/m in/m ni/m m/n ri/n ii/n ti/n u/n u/ii li/h lt/h h/b h/n cl/d cl/a ol/d vv/w vv/W iv/w lv/w w/v y/v "
    "l/1 l/I I/1 l/i i/1 l/t i/j i/! l/! l/| I/| I/! t/f t/r t/1 f/r f/ſ ſ/f s/ſ c/e c/o e/o a/o a/e a/s e/s o/0 O/0 O/Q O/D "
    "D/0 C/G C/O S/5 s/5 S/8 B/8 B/R B/E E/F P/F P/R Z/2 z/2 g/9 g/q q/9 b/6 G/6 T/7 A/4 y/g j/; x/z k/h k/lc H/N H/II "
    "M/N N/U U/V V/Y K/R fi/h fi/ñ fl/A ff/ß ß/B ß/b ß/fs æ/œ æ/ce œ/ce ae/æ oe/œ ø/o ø/ö ð/d þ/p đ/d ł/l ł/t "
    ",/. ./: :/; ;/, '/, '/‘ '/’ ‘/’ \"/“ \"/” “/” -/– –/— -/~ ./· °/o °/0 °/* */' 1/7 3/8 5/6 6/8 8/9 0/6 0/8 4/1"
)
_CYRILLIC = (
    "и/н н/п п/л л/д ш/щ ш/и ц/п ц/и е/с с/о е/о з/э з/3 З/3 э/о ь/ы ь/ъ б/6 б/в о/0 О/0 м/и т/г т/m г/r к/н ю/о "
    "ж/к х/к у/ч ч/ц я/а й/и ё/е ы/м"
)
_GREEK = "ν/υ ν/v ο/σ ο/0 α/ο ι/l κ/x η/π η/n ρ/p τ/r χ/x ω/ο ε/ς ς/s Ι/Τ Α/Λ Λ/Δ Ο/Θ Ε/Σ Η/Π μ/u γ/y ζ/ξ δ/ό θ/0 φ/ψ"
_ARABIC = "ب/ت ب/ن ب/ي ت/ث ت/ن ن/ي ج/ح ح/خ ج/خ د/ذ د/ر ذ/ز ر/ز ر/و س/ش ص/ض ط/ظ ع/غ ف/ق ف/غ ه/ة ا/أ ا/إ ا/آ ا/ل أ/إ ي/ى ك/ل م/ه لا/ال"
_HEBREW = "ר/ד ד/ך ה/ח ח/ת ה/ת ו/ז ו/ן ז/ן ו/י כ/ב נ/ג נ/כ ם/ס ט/ם ט/מ ע/צ צ/ץ ש/ס כ/ר ק/ה פ/ם ן/ז"


# One letter with and without its accents; a reader drops, adds or changes them.
_ACCENTED = (
    "aáàâäãåąă eéèêëęěė iíìîïıį oóòôöõőø uúùûüůűų yýÿ cçćč nñńň sśšş zźżž lł dďđ tťţ gğ rř "
    "AÁÀÂÄÃÅĄ EÉÈÊËĘĚ IÍÌÎÏ OÓÒÔÖÕØ UÚÙÛÜ CÇĆČ NÑŃ SŚŠ ZŹŻŽ LŁ "
    "αά εέ ηή ιίϊΐ οό υύϋΰ ωώ ΑΆ ΕΈ ΗΉ ΙΊ ΟΌ ΥΎ ΩΏ σς её ий ЕЁ ИЙ اأإآ ىي هة وؤ يئ"
)


def _pairs() -> dict[str, tuple[str, ...]]:
    found: dict[str, set[str]] = {}
    for group in _ACCENTED.split():
        for letter in group:
            found.setdefault(letter, set()).update(set(group) - {letter})
    for pair in " ".join((_LATIN, _CYRILLIC, _GREEK, _ARABIC, _HEBREW)).split():
        a, _, b = pair.partition("/")
        found.setdefault(a, set()).add(b)
        found.setdefault(b, set()).add(a)
    return {shape: tuple(sorted(others)) for shape, others in found.items()}


LIKE = _pairs()
_LONGEST = max(len(shape) for shape in LIKE)


@lru_cache(maxsize=4096)
def bare(letter: str) -> str:
    """A letter without its accents and case."""
    return "".join(c for c in unicodedata.normalize("NFD", letter) if not unicodedata.combining(c)).casefold()


def misreadings(text: str) -> Iterator[str]:
    """What the text may have been before one shape was taken for another that looks like it, or an accent for another."""
    seen = {text}
    for at in range(len(text)):
        for length in range(1, min(_LONGEST, len(text) - at) + 1):
            for other in LIKE.get(text[at : at + length], ()):
                meant = text[:at] + other + text[at + length :]
                if meant not in seen:
                    seen.add(meant)
                    yield meant


@lru_cache(maxsize=50_000)
def distance(read: str, meant: str) -> float:
    """The least cost of what must have been misread for `meant` to come out as `read`.

    Damerau's and Levenshtein's distance without transpositions, in which shapes that look alike, of one or
    more letters, cost less.
    """
    rows, columns = len(read) + 1, len(meant) + 1
    cost = [[0.0] * columns for _ in range(rows)]
    for i in range(rows):
        for j in range(columns):
            if not i and not j:
                continue
            best = min(
                cost[i - 1][j] + LOST if i else float("inf"),
                cost[i][j - 1] + LOST if j else float("inf"),
                cost[i - 1][j - 1] + _letter(read[i - 1], meant[j - 1]) if i and j else float("inf"),
            )
            for a in range(1, min(_LONGEST, i) + 1):
                for other in LIKE.get(read[i - a : i], ()):
                    b = len(other)
                    if b <= j and meant[j - b : j] == other:
                        best = min(best, cost[i - a][j - b] + ALIKE)
            cost[i][j] = best
    return cost[-1][-1]


def _letter(a: str, b: str) -> float:
    if a == b:
        return 0.0
    return SAME_BASE if bare(a) == bare(b) else OTHER


def confused(read: str, meant: str) -> tuple[str, str] | None:
    """What was taken for what, where the two differ in one place only."""
    if read == meant:
        return None
    start = 0
    while start < min(len(read), len(meant)) and read[start] == meant[start]:
        start += 1
    end = 0
    while end < min(len(read), len(meant)) - start and read[-1 - end] == meant[-1 - end]:
        end += 1
    a, b = read[start : len(read) - end], meant[start : len(meant) - end]
    return (a, b) if len(a) <= _LONGEST and len(b) <= _LONGEST else None
