"""Text as documents can hold it."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import AfterValidator

# What no XML 1.0 document may hold (clause 2.2), and the non-characters of Unicode (23.7) but those of the planes' ends.
UNFIT = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufdd0-\ufdef\ufffe\uffff]")
BREAKS = re.compile(r"[\t\n\r\u2028\u2029]+")


def fit_lines(text: str) -> str:
    """A text without what no document can hold: controls, lone surrogates, non-characters."""
    return "".join(c for c in UNFIT.sub("", text) if ord(c) & 0xFFFE != 0xFFFE)


def fit(text: str) -> str:
    """The same in one line: its breaks are blanks."""
    return fit_lines(BREAKS.sub(" ", text))


OneLine = Annotated[str, AfterValidator(fit)]
Lines = Annotated[str, AfterValidator(fit_lines)]
