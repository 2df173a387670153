"""Languages: their tags, names and direction, the words they know, and which one a text is in."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from functools import cache, lru_cache

import langcodes
from babel import Locale, UnknownLocaleError

from hyalen.core.frequencies import frequencies, most_frequent, zipf_frequency

# Scripts that settle the language among those we know (Unicode 15, Scripts.txt).
SCRIPT_LANGUAGES = {
    "CYRILLIC": ("rus",),
    "GREEK": ("ell", "grc"),
    "ARABIC": ("ara",),
    "HEBREW": ("heb",),
}
EDGES = ".,;:!?()[]{}«»\"'“”„‘’…-–—·،؛؟"  # marks that stand before and behind words and are no part of them
# Words of one letter, of the languages' ordinary spelling; from memory.
SHAPED_ALIKE = frozenset("cosuvwxz")  # small letters that only their size tells from capitals
ONE_LETTER = {
    "eng": "aio", "fra": "aàyô", "spa": "aeouyó", "ita": "aeioè", "por": "aeoàéó", "pol": "aiouwz", "nld": "u",
    "rus": "авикосуя", "ell": "ηοή", "deu": "",
}  # fmt: skip
CAPITAL_NOUNS = frozenset({"deu", "frk", "ltz"})  # languages whose nouns begin with capitals
LATIN = "eng"  # whose model reads Latin letters within text of another script
LEAST_WORDS = 3  # words that tell a language
UNPARTED = frozenset({"zh", "ja", "ko"})  # written without spaces: their words are no tokens of a list
# What the OCR engine names as languages and are ways to print one (BCP 47 tags; RFC 5646, 2.2.3).
SCRIPT_TAGS = {"frk": "de-Latf"}
# Read only where a clerk asks for it, never found untold: old print and old spelling of a language.
BY_REQUEST = frozenset({"frk", "grc"})


@cache
def language_tag(code: str) -> str:
    """The BCP 47 tag of an ISO 639-3 code: the shortest ISO 639 code (RFC 5646, 2.2.1); an unknown code is its own tag."""
    if code in SCRIPT_TAGS:
        return SCRIPT_TAGS[code]
    try:
        return str(langcodes.standardize_tag(code))
    except langcodes.tag_parser.LanguageTagError:
        return code


@cache
def is_language(code: str) -> bool:
    """Whether there is a language of that ISO 639-3 code, or a way to print one that the OCR engine names so."""
    if code in SCRIPT_TAGS:
        return True
    return bool(re.fullmatch("[a-z]{3}", code)) and langcodes.Language.get(code).is_valid()


@cache
def language_name(code: str, reader: str = "en") -> str:
    """What the language is called in the language `reader` (a BCP 47 tag), or its code."""
    language, _, script = language_tag(code).partition("-")
    try:
        names = Locale.parse(reader, sep="-")
    except (ValueError, UnknownLocaleError):
        return code if reader == "en" else language_name(code)
    named = names.languages.get(language)
    if not named:
        return code
    return f"{named} ({names.scripts.get(script, script)})" if len(script) == 4 else str(named)


@cache
def number_signs(code: str) -> tuple[str, str] | None:
    """What parts decimals and thousands in a language's numbers (CLDR, numbers/symbols); None where it is not known."""
    try:
        symbols = Locale.parse(language_tag(code), sep="-").number_symbols["latn"]
    except (ValueError, UnknownLocaleError, KeyError):
        return None
    return str(symbols["decimal"]), str(symbols["group"])


@cache
def is_right_to_left(code: str) -> bool:
    """Whether the language is written from right to left (CLDR, layout/orientation)."""
    try:
        return str(Locale.parse(language_tag(code), sep="-").character_order) == "right-to-left"
    except (ValueError, UnknownLocaleError):
        return False


def mostly_right_to_left(codes: Sequence[str]) -> bool:
    """Whether more than half of the words' languages run from right to left."""
    return sum(is_right_to_left(code) for code in codes) * 2 > len(codes)


@lru_cache(maxsize=50_000)
def script_of(character: str) -> str:
    """The first word of a letter's Unicode name ("LATIN", "CYRILLIC"), or "" if it is no letter."""
    return unicodedata.name(character, "").split(" ")[0] if character.isalpha() else ""


@cache
def _base(language: str) -> str:
    """The language's own code, without script and region."""
    return language_tag(language).partition("-")[0]


@cache
def has_word_list(language: str) -> bool:
    """Whether words of the language can be looked up at all."""
    from wordfreq import available_languages  # its lists are read when the first word is looked up

    base = _base(language)
    return base in available_languages() and base not in UNPARTED


@lru_cache(maxsize=100_000)
def frequency(word: str, language: str) -> float:
    """Zipf frequency of a word, 0 where it is unknown or its language has no list (wordfreq's lists)."""
    if not has_word_list(language):
        return 0.0
    return zipf_frequency(word, _base(language))


def listed_frequency(word: str, language: str) -> float:
    """Zipf frequency of a word that is folded and of letters alone, as the list has it; much quicker than `frequency`."""
    if not has_word_list(language):
        return 0.0
    return frequencies(_base(language)).zipf(word)


def known_words(words: Sequence[str], language: str, least: float = 0.0) -> list[str]:
    """Those of many words, folded and of letters alone, whose frequency is above `least`."""
    return frequencies(_base(language)).known(words, least) if words and has_word_list(language) else []


@cache
def listed_words(language: str, count: int) -> tuple[str, ...]:
    """The most frequent words of a language, as its list has them."""
    if not has_word_list(language):
        return ()
    return most_frequent(_base(language), count)


def is_known(word: str, language: str) -> bool:
    """Whether the word occurs in the language's list, without regard to case."""
    return frequency(word.casefold(), language) > 0


def identify(words: Iterable[str], candidates: tuple[str, ...]) -> tuple[str | None, float]:
    """The likeliest language of a text.

    Each word votes for a language by its frequency there; the script narrows the
    candidates first.

    Parameters
    ----------
    words : iterable of str
    candidates : tuple of str
        ISO 639-3 codes.

    Returns
    -------
    language, margin
        None where fewer than three words can be judged; the margin is the share by
        which the best leads the next, 0 to 1.
    """
    words = [w.strip(".,;:!?()[]«»\"'“”„‘’0123456789-—–").casefold() for w in words]
    words = [w for w in words if len(w) > 1 or (w.isalpha() and w)]
    scripts = [s for w in words for s in [script_of(w[0])] if s]
    if len(scripts) < LEAST_WORDS:
        return None, 0.0
    script = max(set(scripts), key=scripts.count)
    fitting = SCRIPT_LANGUAGES.get(script)
    pool = [c for c in candidates if (c in fitting if fitting else not has_own_script(c))]
    if not pool:
        return None, 0.0
    if len(pool) == 1:
        return pool[0], 1.0
    scores = {c: sum(min(frequency(w, c), 7.0) for w in words) for c in pool}
    ranked = sorted(scores.items(), key=lambda item: -item[1])
    (best, first), (_, second) = ranked[0], ranked[1]
    if first <= 0:
        return None, 0.0
    return best, (first - second) / first


def has_own_script(language: str) -> bool:
    """Whether it is written in another script than the Latin one."""
    return any(language in languages for languages in SCRIPT_LANGUAGES.values())


def read_as(text: str, language: str) -> str:
    """The language whose model and list know a word: Latin letters within another script are read as English."""
    scripts = {script_of(c) for c in text if c.isalpha()}
    return LATIN if scripts == {"LATIN"} and has_own_script(language) else language
