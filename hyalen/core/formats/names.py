"""File names for delivery."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Container


def delivery_stem(source_name: str) -> str:
    """The source's stem without what file systems and the web take badly.

    Letters and digits of any script stay; runs of anything else become one hyphen.
    """
    stem = re.sub(r"\.[A-Za-z0-9]{1,5}$", "", source_name.replace("\\", "/").rsplit("/", 1)[-1])
    stem = unicodedata.normalize("NFC", stem)
    stem = re.sub(r"[^\w.-]+", "-", stem).strip("-._")
    return stem[:120] or "document"


def free_name(stem: str, extension: str, taken: Container[str]) -> str:
    """`stem.extension`, or with the first number that makes it new."""
    name, number = f"{stem}.{extension}", 2
    while name in taken:
        name, number = f"{stem}-{number}.{extension}", number + 1
    return name
