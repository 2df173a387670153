"""How a word processor numbers lists as they are printed (ECMA-376-1, 17.9)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from docx.document import Document
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.text.paragraph import Paragraph

from hyalen.core.structure.lists import Numbering
from hyalen.core.structure.tree import Node

DEEPEST = 8  # level of a list, from 0 (17.9.3)
_FORMATS = {
    Numbering.DECIMAL: "decimal",
    Numbering.LOWER_LETTERS: "lowerLetter",
    Numbering.UPPER_LETTERS: "upperLetter",
    Numbering.LOWER_ROMAN: "lowerRoman",
    Numbering.UPPER_ROMAN: "upperRoman",
}
_BULLETS = {Numbering.CIRCLE: "\u25e6", Numbering.SQUARE: "\u25aa"}


class ListNumbers:
    """Numbers the items of a list, those of the lists within it too, each depth as its list there is printed."""

    def __init__(self, docx: Document, node: Node) -> None:
        self._numbering: Any = docx.part.numbering_part.element
        self._kinds: dict[int, Node] = {}  # the first list of each depth
        for depth, within, _ in node.items():
            self._kinds.setdefault(min(depth, DEEPEST), within)
        self._number = _new_list(self._numbering, self._kinds)
        self._own: dict[int, int] = {}  # of lists that are numbered otherwise than the first of their depth

    @staticmethod
    def style(depth: int, within: Node) -> str:
        """The word processor's own style for such an item."""
        kind = "List Number" if within.numbering and within.numbering.counts else "List Bullet"
        return f"{kind} {depth + 1}" if 0 < depth < 3 else kind

    def put(self, paragraph: Paragraph, depth: int, within: Node) -> None:
        """Have an item's paragraph numbered."""
        depth = min(depth, DEEPEST)
        if not _numbered_alike(within, self._kinds[depth]) and id(within) not in self._own:
            self._own[id(within)] = _new_list(self._numbering, self._kinds | {depth: within})
        properties: Any = paragraph._p.get_or_add_pPr()
        properties = properties.get_or_add_numPr()
        properties.get_or_add_ilvl().val = depth
        properties.get_or_add_numId().val = self._own.get(id(within), self._number)


def _new_list(numbering: Any, kinds: Mapping[int, Node]) -> int:
    """A numbering of its own for a list, each depth as the list there is printed; its number.

    Parameters
    ----------
    numbering : CT_Numbering
        Of the document.
    """
    used = [int(n) for n in numbering.xpath("./w:abstractNum/@w:abstractNumId")]
    own = max(used, default=-1) + 1
    abstract = OxmlElement("w:abstractNum")
    abstract.set(qn("w:abstractNumId"), str(own))
    _child(abstract, "w:multiLevelType", "hybridMultilevel")
    for depth in range(max(kinds) + 1):
        abstract.append(_level(depth, kinds[depth]))
    numbering.insert(len(used), abstract)  # all of them come before the instances
    return int(numbering.add_num(own).numId)


def _numbered_alike(one: Node, other: Node) -> bool:
    """Whether a list of the other's numbering begins as this one does: each starts anew within its item."""
    return (one.numbering, one.around, one.children[0].number) == (
        other.numbering,
        other.around,
        other.children[0].number,
    )


def _child(parent: Any, tag: str, value: str) -> Any:
    """A new element with a value, at the end of another."""
    element = OxmlElement(tag)
    element.set(qn("w:val"), value)
    parent.append(element)
    return element


def _level(depth: int, node: Node) -> Any:
    """How one depth of a list is numbered (17.9.6), in the order that its schema asks for."""
    level = OxmlElement("w:lvl")
    level.set(qn("w:ilvl"), str(depth))
    numbering = node.numbering or Numbering.NONE
    before, after = node.around
    _child(level, "w:start", str(node.children[0].number or 1))
    _child(level, "w:numFmt", _FORMATS.get(numbering, "bullet"))
    _child(
        level, "w:lvlText", f"{before}%{depth + 1}{after}" if numbering.counts else _BULLETS.get(numbering, "\u2022")
    )
    _child(level, "w:lvlJc", "left")
    properties = OxmlElement("w:pPr")
    indent = OxmlElement("w:ind")
    indent.set(qn("w:left"), str(360 * (depth + 1)))
    indent.set(qn("w:hanging"), "360")
    properties.append(indent)
    level.append(properties)
    return level
