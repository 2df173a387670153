"""Lays out the word lists of the languages that are installed, so that no worker need do so when it begins."""

from __future__ import annotations

from hyalen.core.frequencies import Frequencies, frequencies
from hyalen.core.languages import has_word_list, language_tag
from hyalen.core.reading.engine import ENGINE


def main() -> None:
    for code in ENGINE.languages():
        base = language_tag(code).partition("-")[0]
        if has_word_list(code) and Frequencies.kept(base) is None:
            frequencies(base).keep(base)


if __name__ == "__main__":
    main()
