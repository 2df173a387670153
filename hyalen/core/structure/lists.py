"""List items: the marker that is printed and the text after it."""

from __future__ import annotations

import re
from typing import NamedTuple

from hyalen.core.layout.paragraphs import LIST_MARKER


class ListItem(NamedTuple):
    """`number` is None for a bulleted item."""

    label: str
    body: str
    number: int | None


def parse_item(text: str) -> ListItem:
    """Part a list item's text into label and body (ISO 32000-1, 14.8.4.3.3: Lbl and LBody)."""
    match = LIST_MARKER.match(text)
    if not match:
        return ListItem("", text, None)
    label = match.group()
    digits = re.search(r"\d+", label)
    return ListItem(label, text[match.end() :].lstrip(), int(digits.group()) if digits else None)
