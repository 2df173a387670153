"""The structure tree as elements of HTML, which a web page and an e-book share.

HTML (WHATWG, as of 2024), with the roles of DPUB-ARIA 1.1 for notes, contents and page breaks.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace

from lxml import etree

from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.model.found import Style
from hyalen.core.structure.flow import Run
from hyalen.core.structure.headers import is_irregular
from hyalen.core.structure.labels import page_labels
from hyalen.core.structure.lists import Numbering
from hyalen.core.structure.references import Place, leads_elsewhere, place_at
from hyalen.core.structure.tree import Node, StructureTree, Tag

Element = etree._Element
STYLES: Mapping[Style, tuple[str, str]] = {  # an element, or a span of a class
    Style.BOLD: ("b", ""),
    Style.ITALIC: ("i", ""),
    Style.UNDERLINED: ("u", ""),
    Style.STRUCK: ("s", ""),
    Style.SUPERSCRIPT: ("sup", ""),
    Style.SUBSCRIPT: ("sub", ""),
    Style.SMALL_CAPITALS: ("span", "small-capitals"),
    Style.LARGER: ("span", "larger"),
    Style.SMALLER: ("span", "smaller"),
}
TYPES = {
    Numbering.DECIMAL: "1",
    Numbering.LOWER_LETTERS: "a",
    Numbering.UPPER_LETTERS: "A",
    Numbering.LOWER_ROMAN: "i",
    Numbering.UPPER_ROMAN: "I",
}
BULLETS = {Numbering.CIRCLE: "circle", Numbering.SQUARE: "square", Numbering.NONE: "none"}
CSS = """body{font-family:serif;font-size:1.05em;line-height:1.55;max-width:44rem;margin:2rem auto;padding:0 1rem;color:#111;background:#fff}
h1,h2,h3,h4,h5,h6{line-height:1.25;margin:1.6em 0 .5em}
figure{margin:1.2em 0}img{max-width:100%;height:auto}figcaption,.caption{font-size:.92em}
table{border-collapse:collapse;margin:1em 0}th,td{border:1px solid #777;padding:.25em .5em;text-align:start;vertical-align:top}
caption{text-align:start;font-size:.92em;padding:.2em 0}
blockquote{margin:1em 2em}aside{font-size:.92em;border-inline-start:3px solid #bbb;padding-inline-start:.7em;margin:1em 0}
nav ol{list-style:none}.page-number{float:inline-end;padding-inline-start:1em}
.small-capitals{font-variant-caps:small-caps}.larger{font-size:1.2em}.smaller{font-size:.85em}
.unseen{position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%)}
"""


class Markup:
    """Makes the elements of a tree's nodes.

    Parameters
    ----------
    tree : StructureTree
    picture : callable
        The address of a picture's image.
    inches : callable
        How wide a picture is.
    address : callable
        How a place within the document is linked to.
    """

    def __init__(
        self,
        tree: StructureTree,
        picture: Callable[[Node], str],
        inches: Callable[[Node], float],
        address: Callable[[Place], str | None],
    ) -> None:
        self._picture, self._inches, self._address = picture, inches, address
        self._labels = page_labels(tree.labels, len(tree.pages))
        self._page = -1
        self._language = tree.language
        self._tables = 0

    def elements(self, node: Node, language: str) -> Iterator[Element]:
        """A node of the top level, within text of a language; before it where pages begin."""
        self._language = language
        page = node.first.page
        while self._page < page:
            self._page += 1
            told = {"role": "doc-pagebreak", "id": page_id(self._page), "title": self._labels[self._page]}
            yield _made("div", **told)
        yield self._block(node)

    def _block(self, node: Node) -> Element:
        level = node.tag.heading_level
        if node.caption is not None and node.tag.is_picture:
            made = _made("figure")
            for each in node.with_caption:
                if each is node.caption:
                    made.append(self._text("figcaption", each))
                else:
                    made.append(self._image(replace(each, caption=None)))
        elif node.tag is Tag.FIGURE:
            made = _made("figure")
            made.append(self._image(node))
        elif node.tag is Tag.FORMULA:
            made = _made("p")
            made.append(self._image(node))
        elif node.tag is Tag.TABLE:
            made = self._table(node)
        elif node.tag is Tag.L:
            made = self._list(node)
        elif node.tag is Tag.TOC:
            made = _made("nav", role="doc-toc")
            made.append(self._contents(node))
        elif node.tag is Tag.BLOCK_QUOTE:
            made = _made("blockquote")
            made.extend(self._block(child) for child in node.children)
        elif node.tag is Tag.NOTE:
            made = _made("aside", role="doc-footnote")
            made.append(self._text("p", node))
        elif level is not None:
            made = self._text(f"h{level}", node)
        else:
            made = self._text("p", node)
            if node.tag is Tag.CAPTION:
                made.set("class", "caption")
        if level is not None or node.tag is Tag.NOTE:
            made.set("id", place_id(Place(node.first.page, node.first.region.id)))
        self._tell_language(made, node)
        return made

    def _tell_language(self, made: Element, node: Node) -> None:
        if node.language != self._language:
            _set_language(made, node.language)

    def _text(self, tag: str, node: Node) -> Element:
        made = _made(tag)
        self._fill(made, node.plain_runs)
        return made

    def _fill(self, parent: Element, runs: Sequence[Run]) -> None:
        for run in runs:
            if run.text == "\n":
                etree.SubElement(parent, "br")
                continue
            at = parent
            if run.link:
                at = self._link(at, run.link)
            if run.language:
                at = etree.SubElement(at, "span")
                _set_language(at, run.language)
            if run.expansion:
                at = etree.SubElement(at, "abbr", title=run.expansion)
            if run.colour:
                at = etree.SubElement(at, "span", style=f"color:#{run.colour}")
            for style in sorted(run.style):
                if style in STYLES:
                    tag, kind = STYLES[style]
                    at = etree.SubElement(at, tag, {"class": kind} if kind else {})
            _append_text(at, run.text)

    def _link(self, parent: Element, link: str) -> Element:
        place = place_at(link)
        if place is None:
            return etree.SubElement(parent, "a", href=link) if leads_elsewhere(link) else parent
        address = self._address(place)
        if address is None:
            return parent
        return etree.SubElement(parent, "a", href=address)

    def _image(self, node: Node) -> Element:
        wide = f"width:{self._inches(node):.2f}in"  # as on paper, where there is room
        return _made("img", src=self._picture(node), alt=node.alternative or "", style=wide)

    def _list(self, node: Node) -> Element:
        counts = node.numbering is not None and node.numbering.counts
        made = _made("ol" if counts else "ul")
        if counts and node.numbering is not None:
            made.set("type", TYPES[node.numbering])
        elif node.numbering in BULLETS:
            made.set("style", f"list-style-type:{BULLETS[node.numbering]}")
        following = 1
        if counts and node.children[0].number not in (None, 1):
            following = node.children[0].number or 1
            made.set("start", str(following))
        for item in node.children:
            entry = etree.SubElement(made, "li")
            label = next((part.text for part in item.parts if part.tag is Tag.LBL), "")
            if counts and item.number is not None and item.number != following:
                entry.set("value", str(item.number))
            following = (item.number or following) + 1
            if counts and node.around != ("", ".") and label and '"' not in label and "\\" not in label:
                entry.set("style", f'list-style-type:"{label} "')
            for part in (part for part in item.parts if part.tag is not Tag.LBL):
                self._fill(entry, part.runs)
                entry.extend(self._list(inner) for inner in part.children if inner.tag is Tag.L)
            self._tell_language(entry, item)
        return made

    def _contents(self, node: Node) -> Element:
        made = _made("ol")
        for entry in node.children:
            item = etree.SubElement(made, "li")
            for part in entry.parts:
                self._fill(item, part.runs)
            item.extend(self._contents(inner) for inner in entry.children if inner.tag is Tag.TOC)
        return made

    def _table(self, node: Node) -> Element:
        made = _made("table")
        self._tables += 1
        if node.backwards != is_right_to_left(self._language):
            made.set("dir", "rtl" if node.backwards else "ltr")
        if node.caption is not None:
            made.append(self._text("caption", node.caption))
        if node.alternative:
            made.set("aria-describedby", f"table-{self._tables}")
        irregular = f"t{self._tables}" if is_irregular(node) else ""
        heads = 0
        for row in node.children:
            if not row.children or any(cell.tag is not Tag.TH for cell in row.children):
                break
            heads += 1
        heads = 0 if heads == len(node.children) else heads
        within = etree.SubElement(made, "thead" if heads else "tbody")
        for number, row in enumerate(node.children):
            if heads and number == heads:
                within = etree.SubElement(made, "tbody")
            line = etree.SubElement(within, "tr")
            line.extend(self._cell(cell, irregular) for cell in row.children)
        if not node.alternative:
            return made
        both = _made("div")
        told = etree.SubElement(both, "p", {"class": "unseen", "id": f"table-{self._tables}"})
        told.text = node.alternative
        both.append(made)
        return both

    def _cell(self, node: Node, irregular: str) -> Element:
        assert node.cell is not None
        made = self._text("th" if node.tag is Tag.TH else "td", node)
        if node.tag is Tag.TH:
            made.set("scope", "row" if node.scope == "Row" else "col")
        if node.cell.row_span > 1:
            made.set("rowspan", str(node.cell.row_span))
        if node.cell.column_span > 1:
            made.set("colspan", str(node.cell.column_span))
        if irregular:
            if node.tag is Tag.TH:
                made.set("id", _cell_id(irregular, node))
            if node.headers:
                made.set("headers", " ".join(_cell_id(irregular, head) for head in node.headers))
        self._tell_language(made, node)
        return made


def page_id(index: int) -> str:
    """What the beginning of a page, from 0, is called in links."""
    return f"page-{index + 1}"


def place_id(place: Place) -> str:
    return f"p{place.page + 1}-{place.region_id}"


def text_of(element: Element, xml: bool) -> str:
    """An element as text; as XML or as HTML, where empty elements that may hold something have an end."""
    return etree.tostring(element, encoding="unicode", method="xml" if xml else "html")


def _made(tag: str, **attributes: str) -> Element:
    return etree.Element(tag, attributes)


def _set_language(element: Element, language: str) -> None:
    element.set("lang", language_tag(language))
    element.set("dir", "rtl" if is_right_to_left(language) else "ltr")


def _append_text(element: Element, text: str) -> None:
    if len(element):
        element[-1].tail = (element[-1].tail or "") + text
    else:
        element.text = (element.text or "") + text


def _cell_id(table: str, node: Node) -> str:
    assert node.cell is not None
    return f"{table}-{node.cell.row}-{node.cell.column}"
