"""Text as documents can hold it."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import AfterValidator

# What no XML 1.0 document may hold (clause 2.2), and the non-characters of Unicode (23.7).
_PLANES_ENDS = "".join(chr(plane << 16 | end) for plane in range(17) for end in (0xFFFE, 0xFFFF))
UNFIT = re.compile(f"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufdd0-\ufdef{_PLANES_ENDS}]")
BREAKS = re.compile(r"[\t\n\r\u2028\u2029]+")


def fit_lines(text: str) -> str:
    """A text without what no document can hold: controls, lone surrogates, non-characters."""
    return UNFIT.sub("", text)


def fit(text: str) -> str:
    """The same in one line: its breaks are blanks."""
    return text if text.isprintable() and text.isascii() else fit_lines(BREAKS.sub(" ", text))


OneLine = Annotated[str, AfterValidator(fit)]
Lines = Annotated[str, AfterValidator(fit_lines)]
