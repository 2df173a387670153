"""How likely each word of a page is wrong, kept beside its content, and what is to be expected of the page."""

from __future__ import annotations

import json
import sqlite3
import zlib
from collections.abc import Sequence

from hyalen.core.proofing.chance import Chances, Judged, basis
from hyalen.core.proofing.remaining import Left


def save_chances(db: sqlite3.Connection, page_id: int, judged: Sequence[Judged], language: str) -> None:
    """The words' chances, and the wrong ones that are to be expected; `language` is that of blocks that say none."""
    save_expected(db, page_id, judged)
    db.execute("UPDATE page SET chances = ? WHERE id = ?", (_packed(judged, language), page_id))


def save_expected(db: sqlite3.Connection, page_id: int, judged: Sequence[Judged]) -> None:
    """The wrong words that are to be expected; what the words' chances were told from stays."""
    left = Left.of(each.chance for each in judged)
    db.execute("UPDATE page SET proofed = ?, expected = ?, variance = ? WHERE id = ?", (*left, page_id))


def _packed(judged: Sequence[Judged], language: str) -> bytes:
    rows = [[each.placed.word.id, basis(each.placed, language), each.alone] for each in judged]
    return zlib.compress(json.dumps(rows, separators=(",", ":")).encode("utf8"), 1)


def unpacked_chances(data: bytes) -> Chances:
    return {word: (told, chance) for word, told, chance in json.loads(zlib.decompress(data))}
