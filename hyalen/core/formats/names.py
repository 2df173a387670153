"""File names: as they are shown, and as they are delivered."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping

from hyalen.core.model.text import BREAKS, UNFIT

MOST_BYTES = 240  # of a delivered name without its number: file systems take 255 (POSIX NAME_MAX)
# Names of devices, which Windows takes for no file whatever the ending (Microsoft, "Naming Files, Paths, and Namespaces").
RESERVED = {"con", "prn", "aux", "nul"} | {
    f"{port}{n}" for port in ("com", "lpt") for n in "0123456789\u00b9\u00b2\u00b3"
}


def shown(name: str) -> str:
    """A file's name as it is shown and kept: bytes and controls that are no text stand as U+FFFD."""
    text = name.encode("utf8", "surrogateescape").decode("utf8", "replace") if _has_raw_bytes(name) else name
    return UNFIT.sub("\ufffd", BREAKS.sub("\ufffd", text))


def _has_raw_bytes(name: str) -> bool:
    """Whether all that keeps it from being UTF-8 are bytes that Python has kept (PEP 383)."""
    return any("\udc80" <= c <= "\udcff" for c in name) and not any("\ud800" <= c < "\udc80" for c in name)


def delivery_stem(source_name: str) -> str:
    """The source's stem without what file systems and the web take badly.

    Letters and digits of any script stay; runs of anything else become one hyphen.
    """
    stem = re.sub(r"\.[A-Za-z0-9]{1,5}$", "", source_name.replace("\\", "/").rsplit("/", 1)[-1])
    stem = unicodedata.normalize("NFC", stem)
    stem = re.sub(r"[^\w.-]+", "-", stem).strip("-._")
    stem = _cut(stem[:120], MOST_BYTES - 10).rstrip("-._") or "document"
    return f"file-{stem}" if stem.split(".")[0].lower() in RESERVED else stem


TOKENS = ("source", "title", "reference", "number", "date", "batch")
_TOKEN = re.compile(r"\{(\w*)\}")


def checked_pattern(pattern: str) -> str:
    """The pattern of a name, if it holds nothing in braces but what is known.

    Raises
    ------
    ValueError
    """
    unknown = [t for t in _TOKEN.findall(pattern) if t not in TOKENS]
    if unknown:
        told = ", ".join(f"{{{t}}}" for t in TOKENS)
        raise ValueError(f"“{{{unknown[0]}}}” is nothing that a name can have; there are {told}")
    return pattern


def stem_by(pattern: str, told: Mapping[str, str]) -> str:
    """A delivered file's name without its ending: the pattern with what it asks for, safe as `delivery_stem` makes it.

    What stands before a slash of the pattern is a folder.
    """
    parts = [_TOKEN.sub(lambda m: re.sub(r"[/\\]", "-", told.get(m[1], "")), part) for part in pattern.split("/")]
    kept = [part for part in parts[:-1] if part.strip("-._ ")] + parts[-1:]
    return "/".join(re.sub("-{2,}", "-", delivery_stem(part + ".x")) for part in kept)


def free_name(stem: str, extension: str, taken: Iterable[str]) -> str:
    """`stem.extension`, or with the first number that makes it new, also where capitals count for nothing."""
    known = {_folded(name) for name in taken}
    name, number = f"{stem}.{extension}", 2
    while _folded(name) in known:
        name, number = f"{stem}-{number}.{extension}", number + 1
    return name


def _folded(name: str) -> str:
    return unicodedata.normalize("NFC", name).casefold()


def _cut(text: str, most: int) -> str:
    """The beginning of a text that has no more bytes than that in UTF-8."""
    return text.encode("utf8", "ignore")[:most].decode("utf8", "ignore")
