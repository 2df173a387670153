"""What a screen reader announces and reads: a document in the order and words in which it is heard."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from enum import StrEnum
from itertools import groupby
from typing import NamedTuple

from hyalen.core.structure.flow import Run
from hyalen.core.structure.tree import Node, Tag


class Kind(StrEnum):
    """What one goes to, from one to the next."""

    BLOCK = "block"
    HEADING = "heading"
    ITEM = "item"
    CELL = "cell"
    PICTURE = "picture"
    LINK = "link"
    RUN = "run"  # the same text going on in another language
    END = "end"


class Said(NamedTuple):
    """A stretch that is heard at once.

    Attributes
    ----------
    announced : str
        What stands nowhere and is said before the text; in English, as the interface is.
    text : str
        What the document says.
    language : str
        ISO 639-3 code of the text.
    page : int
        From 0.
    level : int
        Of a heading, 1 to 6, else 0.
    """

    kind: Kind
    announced: str
    text: str
    language: str
    page: int
    region_id: str
    level: int = 0


def announced(node: Node) -> str:
    """The kind of a block as it is spoken; nothing for plain text."""
    level = node.tag.heading_level
    if level is not None:
        return f"heading level {level}"
    if node.tag is Tag.L:
        return _counted(len(node.children), "list with", "item")
    if node.tag is Tag.TABLE:
        columns = node.columns
        return f"{_counted(len(node.children), 'table with', 'row')} and {_counted(columns, '', 'column')}"
    if node.tag is Tag.FIGURE:
        return "graphic" if node.alternative else "graphic without a description"
    if node.tag is Tag.FORMULA:
        return "formula" if node.alternative else "formula without a description"
    if node.tag is Tag.TOC:
        return _counted(len(node.children), "contents with", "entry")
    return _PLAIN.get(node.tag, "")


_PLAIN = {
    Tag.CAPTION: "caption",
    Tag.NOTE: "note",
    Tag.BLOCK_QUOTE: "quotation",
    Tag.ARTIFACT: "not read aloud",
}


def spoken(nodes: Iterable[Node]) -> Iterator[Said]:
    """The nodes of a tree's top level as they are heard, each as it comes."""
    for node in nodes:
        if node.tag is not Tag.ARTIFACT:
            yield from _said(node)


def _said(node: Node) -> Iterator[Said]:
    if node.caption is not None:
        for each in node.with_caption:
            yield from _said(replace(each, caption=None))
    elif node.tag in (Tag.L, Tag.TOC):
        yield from _list(node)
    elif node.tag is Tag.BLOCK_QUOTE:
        yield _say(node, Kind.BLOCK, announced(node), "")
        for child in node.children:
            yield from _said(child)
        yield _say(node, Kind.END, "end of quotation", "")
    elif node.tag is Tag.TABLE:
        yield _say(node, Kind.BLOCK, announced(node), node.alternative or "")
        yield from _cells(node)
        yield _say(node, Kind.END, "end of table", "")
    elif node.tag.is_picture:
        yield _say(node, Kind.PICTURE, announced(node), node.alternative or "")
    elif node.text:
        yield from _spoken_text(node, Kind.HEADING if node.tag.heading_level else Kind.BLOCK, announced(node), (node,))


def _say(node: Node, kind: Kind, before: str, text: str, language: str = "") -> Said:
    page, region, _ = node.first
    return Said(kind, before, text, language or node.language, page, region.id, node.tag.heading_level or 0)


def _list(node: Node) -> Iterator[Said]:
    yield _say(node, Kind.BLOCK, announced(node), "")
    for item in node.children:
        yield from _spoken_text(item, Kind.ITEM, "", item.parts)
        for inner in (*item.children, *(each for part in item.parts for each in part.children)):
            if inner.tag in (Tag.L, Tag.TOC):
                yield from _list(inner)
    yield _say(node, Kind.END, "end of list" if node.tag is Tag.L else "end of contents", "")


def _spoken_text(node: Node, kind: Kind, before: str, parts: Sequence[Node]) -> Iterator[Said]:
    """A text in the voices of its languages, with abbreviations in full."""
    runs = [Run(" ")] if len(parts) > 1 else []
    whole = [run for i, part in enumerate(parts) for run in (runs if i else []) + part.runs]
    for at, ((language, linked), group) in enumerate(groupby(whole, key=lambda run: (run.language, bool(run.link)))):
        text = "".join(run.expansion or run.text for run in group).strip()
        if not text:
            continue
        first = ", ".join(part for part in (before if at == 0 else "", "link" if linked else "") if part)
        own = Kind.LINK if linked and (at or kind is Kind.BLOCK) else Kind.RUN if at else kind
        yield _say(node, own, first, text, language)


def _cells(table: Node) -> Iterator[Said]:
    """Row by row, each cell after its headers where these are other cells."""
    for number, row in enumerate(table.children, 1):
        for cell in row.children:
            if cell.scope is not None:
                before = f"{cell.scope.lower()} header"
            else:  # the row's header is what one asks for first
                rows_first = sorted(cell.headers, key=lambda h: h.scope != "Row")
                before = ", ".join(dict.fromkeys(h.text for h in rows_first if h.text))
            first = f"row {number}: " if cell is row.children[0] else ""
            page, region, _ = cell.first if cell.pieces else table.first
            yield Said(Kind.CELL, f"{first}{before}".strip(), cell.text or "", cell.language, page, region.id)


def _counted(number: int, before: str, what: str) -> str:
    many = f"{what[:-1]}ies" if what.endswith("y") else f"{what}s"
    return f"{before} {number} {what if number == 1 else many}".strip()


# Between two numbers, and abbreviations before one or a name (common practice, no source).
_TO = {"eng": "to", "deu": "bis", "fra": "à", "spa": "a", "ita": "a", "por": "a", "nld": "tot"}
_SHORT = {
    "eng": {"No.": "number", "Nos.": "numbers", "p.": "page", "pp.": "pages", "Fig.": "figure", "e.g.": "for example",
            "i.e.": "that is", "cf.": "compare", "viz.": "namely", "ca.": "about", "c.": "about", "vol.": "volume"},
    "deu": {"Nr.": "Nummer", "S.": "Seite", "Abb.": "Abbildung", "z. B.": "zum Beispiel", "d. h.": "das heißt", "ca.": "etwa", "vgl.": "vergleiche", "Bd.": "Band"},
    "fra": {"No.": "numéro", "n°": "numéro", "p.": "page", "pp.": "pages", "fig.": "figure", "etc.": "et cetera", "cf.": "voir", "t.": "tome"},
}  # fmt: skip
_BEFORE = frozenset({"No.", "Nos.", "p.", "pp.", "Fig.", "c.", "vol.", "Nr.", "S.", "Abb.", "Bd.", "n°", "fig.", "t."})


def readable(text: str, language: str) -> str:
    """The text as a person would read it out: ranges of numbers and usual abbreviations in words, lines that stay apart."""
    text = re.sub(r"(?<=\w)\n", ", ", text)
    if to := _TO.get(language):
        text = re.sub(r"(?<=\d)\s?–\s?(?=\d)", f" {to} ", text)
    for short, full in _SHORT.get(language, {}).items():
        after = r"(?=\s*\d)" if short in _BEFORE else ""
        text = re.sub(rf"(?<!\w){re.escape(short)}{after}", full, text)
    return " ".join(text.replace("\u00ad", "").split())
