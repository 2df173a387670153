"""What a screen reader announces and reads: a document in the order and words in which it is heard."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from enum import StrEnum
from typing import NamedTuple

from hyalen.core.structure.tree import Node, Tag


class Kind(StrEnum):
    """What one goes to, from one to the next."""

    BLOCK = "block"
    HEADING = "heading"
    ITEM = "item"
    CELL = "cell"
    PICTURE = "picture"
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
        columns = max((sum(c.cell.column_span for c in row.children if c.cell) for row in node.children), default=0)
        return f"{_counted(len(node.children), 'table with', 'row')} and {_counted(columns, '', 'column')}"
    if node.tag is Tag.FIGURE:
        return "graphic" if node.alternative else "graphic without a description"
    if node.tag is Tag.FORMULA:
        return "formula" if node.alternative else "formula without a description"
    if node.tag is Tag.TOC:
        return _counted(len(node.children), "contents with", "entry")
    return {Tag.CAPTION: "caption", Tag.NOTE: "note", Tag.ARTIFACT: "not read aloud"}.get(node.tag, "")


def spoken(nodes: Iterable[Node]) -> Iterator[Said]:
    """The nodes of a tree's top level as they are heard, each as it comes."""
    for node in nodes:
        if node.tag is not Tag.ARTIFACT:
            yield from _said(node)


def _said(node: Node) -> Iterator[Said]:
    page, region, _ = node.first
    told = announced(node)

    def say(kind: Kind, before: str, text: str, language: str = node.language, at: Node = node) -> Said:
        own_page, own_region, _ = at.first if at.pieces or at.children else node.first
        return Said(kind, before, text, language, own_page, own_region.id, node.tag.heading_level or 0)

    if node.tag in (Tag.L, Tag.TOC):
        yield say(Kind.BLOCK, told, "")
        for item in node.children:
            text = " ".join(part.text for part in item.children if part.text)
            yield say(Kind.ITEM, "", text, item.language, item)
        yield Said(
            Kind.END, "end of list" if node.tag is Tag.L else "end of contents", "", node.language, page, region.id
        )
    elif node.tag is Tag.TABLE:
        yield say(Kind.BLOCK, told, "")
        yield from _cells(node)
        yield Said(Kind.END, "end of table", "", node.language, page, region.id)
    elif node.tag.is_picture:
        yield say(Kind.PICTURE, told, node.alternative or "")
    elif node.text:
        yield say(Kind.HEADING if node.tag.heading_level else Kind.BLOCK, told, node.text)


def _cells(table: Node) -> Iterator[Said]:
    """Row by row, each cell after its headers where these are another cell's."""
    columns: dict[int, str] = {}
    for number, row in enumerate(table.children, 1):
        header = next((c.text for c in row.children if c.scope == "Row"), "")
        for cell in row.children:
            assert cell.cell is not None
            at = range(cell.cell.column, cell.cell.column + cell.cell.column_span)
            if cell.scope == "Column":
                columns |= dict.fromkeys(at, cell.text)
                before = "column header"
            elif cell.scope == "Row":
                before = "row header"
            else:
                before = ", ".join(h for h in dict.fromkeys([header, columns.get(at.start, "")]) if h)
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
    """The text as a person would read it out: ranges of numbers and usual abbreviations in words."""
    if to := _TO.get(language):
        text = re.sub(r"(?<=\d)\s?–\s?(?=\d)", f" {to} ", text)
    for short, full in _SHORT.get(language, {}).items():
        after = r"(?=\s*\d)" if short in _BEFORE else ""
        text = re.sub(rf"(?<!\w){re.escape(short)}{after}", full, text)
    return " ".join(text.replace("\u00ad", "").split())
