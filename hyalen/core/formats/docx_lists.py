"""How a word processor numbers lists as they are printed (ECMA-376-1, 17.9)."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from docx.oxml import OxmlElement
from docx.oxml.ns import qn

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


def new_list(numbering: Any, kinds: Mapping[int, Node]) -> int:
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
    child(abstract, "w:multiLevelType", "hybridMultilevel")
    for depth in range(max(kinds) + 1):
        abstract.append(_level(depth, kinds[depth]))
    numbering.insert(len(used), abstract)  # all of them come before the instances
    return int(numbering.add_num(own).numId)


def kinds_of(node: Node) -> dict[int, Node]:
    """The first list of each depth, from the outermost."""
    kinds: dict[int, Node] = {}
    for depth, within, _ in node.items():
        kinds.setdefault(min(depth, DEEPEST), within)
    return kinds


def numbered_alike(one: Node, other: Node) -> bool:
    """Whether a list of the other's numbering begins as this one does: each starts anew within its item."""
    return (one.numbering, one.around, one.children[0].number) == (
        other.numbering,
        other.around,
        other.children[0].number,
    )


def child(parent: Any, tag: str, value: str) -> Any:
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
    child(level, "w:start", str(node.children[0].number or 1))
    child(level, "w:numFmt", _FORMATS.get(numbering, "bullet"))
    child(level, "w:lvlText", f"{before}%{depth + 1}{after}" if numbering.counts else _BULLETS.get(numbering, "\u2022"))
    child(level, "w:lvlJc", "left")
    properties = OxmlElement("w:pPr")
    indent = OxmlElement("w:ind")
    indent.set(qn("w:left"), str(360 * (depth + 1)))
    indent.set(qn("w:hanging"), "360")
    properties.append(indent)
    level.append(properties)
    return level
