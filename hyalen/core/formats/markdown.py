"""Markdown with tables, notes and strike-through, as CommonMark 0.31 and its common extensions have them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import replace
from typing import BinaryIO

from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.model.found import Style
from hyalen.core.structure.flow import Run
from hyalen.core.structure.references import Place, leads_elsewhere, note_text, parted_mark, place_at
from hyalen.core.structure.tree import Node, StructureTree, Tag

MARKS = ((Style.BOLD, "**", "**"), (Style.ITALIC, "*", "*"), (Style.STRUCK, "~~", "~~"))
HTML = ((Style.SUPERSCRIPT, "sup"), (Style.SUBSCRIPT, "sub"), (Style.UNDERLINED, "u"))
_SPECIAL = re.compile(r"([\\`*_\[\]<>|~$])")
_AT_START = re.compile(r"^(\s*)(#{1,6}(?=\s|$)|[-+=](?=\s|$)|[-=]{3,}|\d{1,9}[.)](?=\s|$)|>)")


def write_markdown(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """A document's blocks parted by empty lines; a picture is its description."""
    parted = b""
    for node in tree.nodes():
        for text in _blocks(node):
            file.write(parted + text.encode("utf8"))
            parted = b"\n\n"
    file.write(b"\n")


def _blocks(node: Node) -> list[str]:
    level = node.tag.heading_level
    if node.caption is not None:
        return [text for each in node.with_caption for text in _blocks(replace(each, caption=None))]
    if node.tag.is_picture:
        return [f"*[{_plain(node.alternative)}]*"] if node.alternative else []
    if node.tag is Tag.BLOCK_QUOTE:
        told = "\n\n".join(text for child in node.children for text in _blocks(child))
        return ["\n".join(f"> {line}".rstrip() for line in told.split("\n"))]
    if node.tag is Tag.L:
        return ["\n".join(_items(node, ""))]
    if node.tag is Tag.TOC:
        return ["\n".join(f"{'    ' * depth}- {_set(entry.parts[0].runs)}" for depth, _, entry in node.items())]
    if node.tag is Tag.TABLE:
        return [table for table in (_table(node),) if table]
    text = _set(node.plain_runs)
    if not text:
        return []
    if level is not None:
        return ["#" * level + " " + text.replace("\n", " ")]
    if node.tag is Tag.NOTE:
        return [f"[^{_note(Place(node.first.page, node.first.region.id))}]: {_set(note_text(node.runs)[1])}"]
    return [_AT_START.sub(_escaped, text)]


def _escaped(found: re.Match[str]) -> str:
    """What would begin another block, so that it does not."""
    mark = found[2]
    return f"{found[1]}{mark[:-1]}\\{mark[-1]}" if mark[0].isdigit() else f"{found[1]}\\{mark}"


def _items(node: Node, indent: str) -> list[str]:
    found: list[str] = []
    counts = node.numbering is not None and node.numbering.counts
    for at, item in enumerate(node.children):
        label = f"{item.number or at + 1}." if counts else "-"
        lead = f"{indent}{label} "
        body = next(part for part in item.parts if part.tag is not Tag.LBL)
        found.append(lead + _AT_START.sub(_escaped, _set(body.runs).replace("\n", " ")))
        for inner in (each for each in body.children if each.tag is Tag.L):
            found += _items(inner, " " * len(lead))
    return found


def _table(node: Node) -> str:
    """A table of pipes; what spans several places stands at the first, the others are empty."""
    width = node.columns
    rows = [[""] * width for _ in node.children]
    for cell in (cell for row in node.children for cell in row.children):
        assert cell.cell is not None
        rows[cell.cell.row][cell.cell.column] = _set(cell.plain_runs).replace("\n", " ")
    if not rows or not width:
        return ""
    headed = any(cell.tag is Tag.TH and cell.scope == "Column" for cell in node.children[0].children)
    head = rows.pop(0) if headed else [""] * width
    return "\n".join("| " + " | ".join(row) + " |" for row in (head, ["---"] * width, *rows))


def _set(runs: Sequence[Run]) -> str:
    return "".join(map(_run, runs)).strip()


def _run(run: Run) -> str:
    """A run with its marks, which stand beside its letters and never beside a space."""
    if run.text == "\n":
        return "\\\n"
    text = _plain(run.text)
    inner = text.strip()
    if not inner:
        return text
    before, after = text[: len(text) - len(text.lstrip())], text[len(text.rstrip()) :]
    for style, tag in HTML:
        if style in run.style:
            inner = f"<{tag}>{inner}</{tag}>"
    for style, opening, closing in MARKS:
        if style in run.style:
            inner = f"{opening}{inner}{closing}"
    if run.link:
        place = place_at(run.link)
        if place is None:
            inner = f"[{inner}](<{run.link}>)" if leads_elsewhere(run.link) else inner
        elif (parted := parted_mark(run.text))[1]:  # of a note; contents lead by their text
            inner = f"{_plain(parted[0])}[^{_note(place)}]"
    return before + inner + after


def _note(place: Place) -> str:
    return f"p{place.page + 1}-{place.region_id}"


def _plain(text: str) -> str:
    return _SPECIAL.sub(r"\\\1", text)
