"""Sections of a word processor's file: page sizes, running heads and page numbers, as most of their pages have them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Any, NamedTuple

from docx.document import Document
from docx.enum.section import WD_ORIENT, WD_SECTION
from docx.enum.text import WD_ALIGN_PARAGRAPH, WD_LINE_SPACING
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.section import Section
from docx.shared import Inches, Length, Pt
from docx.text.paragraph import Paragraph

from hyalen.core.formats.docx_fields import add_field
from hyalen.core.layout.numerals import page_number
from hyalen.core.model.content import PageContent, Role
from hyalen.core.model.document import LabelRange, LabelStyle
from hyalen.core.structure.tree import StructureTree

SMALLEST, LARGEST = 3.0, 22.0  # inches of a side that a word processor takes
OTHER = 0.15  # of a side, by which pages are of another size
ENOUGH = 2  # right and left pages, by which they are told apart
GAP = Inches(0.3)  # between columns
SIDE = 0.35  # of the page's width: what stands farther out stands at a side
FORMATS = {
    LabelStyle.SMALL_ROMAN: "lowerRoman",
    LabelStyle.ROMAN: "upperRoman",
    LabelStyle.SMALL_LETTERS: "lowerLetter",
    LabelStyle.LETTERS: "upperLetter",
}


class _Edge(NamedTuple):
    """What stands in a page's head or foot: its text, and on which side its number ("" for none)."""

    text: str = ""
    number: str = ""


class Span(NamedTuple):
    """Pages, from `first` up to before `end`, that are one section; its number's range where labels begin there."""

    first: int
    end: int
    label: LabelRange | None


def spans(tree: StructureTree) -> list[Span]:
    """Sections begin where pages turn or change their size, where they are counted anew, and with each joined document."""
    joined = {part.first for part in tree.parts}
    labels = {each.first: each for each in tree.labels}
    starts = [0]
    last: tuple[float, float] | None = None
    for index in range(len(tree.pages)):
        size = _inches(tree.pages[index])
        if last is not None and (_is_other(last, size) or index in labels or index in joined):
            starts.append(index)
        last = size
    ends = [*starts[1:], len(tree.pages)]
    return [Span(a, b, labels.get(a)) for a, b in zip(starts, ends, strict=True)]


def _inches(page: PageContent) -> tuple[float, float]:
    return page.width / page.dpi, page.height / page.dpi


def _is_other(one: tuple[float, float], other: tuple[float, float]) -> bool:
    return any(abs(a - b) > OTHER * max(a, b) for a, b in zip(one, other, strict=True))


class Room(NamedTuple):
    """What is left of a page within its margins."""

    wide: Length
    high: Length


def begin_section(docx: Document, tree: StructureTree, span: Span) -> Room:
    """Have the section that follows be as its pages are, the first where nothing is written yet."""
    section = docx.sections[0] if span.first == 0 else add_section(docx, WD_SECTION.NEW_PAGE)
    if span.first < len(tree.pages):
        width, height = _inches(tree.pages[span.first])
        if SMALLEST <= width <= LARGEST and SMALLEST <= height <= LARGEST:
            section.page_width, section.page_height = Inches(width), Inches(height)
            section.orientation = WD_ORIENT.LANDSCAPE if width > height else WD_ORIENT.PORTRAIT
    wide = section.page_width or Inches(8.27)
    margin = Length(min(Inches(1), wide // 8))
    section.left_margin = section.right_margin = section.top_margin = section.bottom_margin = margin
    section.header_distance = section.footer_distance = Length(margin // 2)
    _put_heads(docx, section, tree, span)
    count_pages(section, span.label)
    high = (section.page_height or Inches(11.69)) - 2 * margin - Inches(0.5)
    set_columns(section, [Length(wide - 2 * margin)], [])
    return Room(Length(wide - 2 * margin), Length(high))


def begin_columns(docx: Document, number: int, room: Room) -> Room:
    """Have what follows on the same page be set in columns; the room in one of them."""
    section = add_section(docx, WD_SECTION.CONTINUOUS)
    count_pages(section, None)
    width = Length((room.wide - (number - 1) * GAP) // number)
    set_columns(section, [width] * number, [GAP] * (number - 1))
    return Room(width, room.high)


def add_section(docx: Document, kind: WD_SECTION) -> Section:
    """A section after what was written, whose last paragraph bears the properties of the section before (17.6.18)."""
    section: Section = docx.add_section(kind)
    body: Any = docx.element.body
    ended = body[-2]  # an empty paragraph, which bears them
    before = ended.getprevious()
    if before is not None and before.tag == qn("w:p") and not before.xpath("./w:pPr/w:sectPr"):
        before.get_or_add_pPr().append(ended.pPr.find(qn("w:sectPr")))
        body.remove(ended)
    else:
        set_thin(Paragraph(ended, docx._body))
    return section


def set_columns(section: Section, widths: Sequence[Length], gaps: Sequence[Length]) -> None:
    """The widths of a section's columns, and what lies between them (17.6.4)."""
    properties: Any = section._sectPr
    for old in properties.findall(qn("w:cols")):
        properties.remove(old)
    cols = OxmlElement("w:cols")
    cols.set(qn("w:num"), str(len(widths)))
    cols.set(qn("w:space"), "0")
    if len(widths) > 1:
        cols.set(qn("w:equalWidth"), "0")
        for width, gap in zip(widths, [*gaps, None], strict=True):
            col = OxmlElement("w:col")
            col.set(qn("w:w"), str(width.twips))
            if gap is not None:
                col.set(qn("w:space"), str(gap.twips))
            cols.append(col)
    following = properties.xpath("./w:titlePg | ./w:bidi | ./w:docGrid")
    if following:
        following[0].addprevious(cols)
    else:
        properties.append(cols)


def set_thin(paragraph: Paragraph) -> None:
    """Have a paragraph take next to no room."""
    form = paragraph.paragraph_format
    form.space_before = form.space_after = Pt(0)
    form.line_spacing_rule = WD_LINE_SPACING.EXACTLY
    form.line_spacing = Pt(1)


def count_pages(section: Section, label: LabelRange | None) -> None:
    """How the section's pages are counted; without a label they go on from the ones before (17.6.12)."""
    properties: Any = section._sectPr
    for old in properties.findall(qn("w:pgNumType")):  # what was begun with is the section's before
        properties.remove(old)
    if label is None:
        return
    counted = OxmlElement("w:pgNumType")
    if label.style in FORMATS:
        counted.set(qn("w:fmt"), FORMATS[label.style])
    counted.set(qn("w:start"), str(label.start))
    properties.find(qn("w:pgMar")).addnext(counted)


def _put_heads(docx: Document, section: Section, tree: StructureTree, span: Span) -> None:
    """The heads and feet that most of the section's left and right pages have; none on its first page if it has none."""
    pages = tree.pages[span.first : span.end]
    tops, feet = (_numbers_apart([_edge(page, top) for page in pages]) for top in (True, False))
    heads = list(zip(tops, feet, strict=True))
    sides = [[each for at, each in enumerate(heads) if (span.first + at) % 2 == parity] for parity in (0, 1)]
    if min(map(len, sides)) < ENOUGH:
        sides = [heads, heads]
    kinds = [(_usual([h for h, _ in side]), _usual([f for _, f in side])) for side in sides]
    settings: Any = docx.settings
    apart = kinds[0] != kinds[1]
    if apart:
        settings.odd_and_even_pages_header_footer = True
    for part in (section.header, section.footer, section.even_page_header, section.even_page_footer):
        part.is_linked_to_previous = False
    _put(section.header.paragraphs[0], kinds[0][0])
    _put(section.footer.paragraphs[0], kinds[0][1])
    _put(section.even_page_header.paragraphs[0], kinds[1][0])
    _put(section.even_page_footer.paragraphs[0], kinds[1][1])
    none = (_Edge(), _Edge())
    section.different_first_page_header_footer = False
    if len(heads) > 1 and heads[0] == none and any(kind != none for kind in kinds):
        section.different_first_page_header_footer = True
        for part in (section.first_page_header, section.first_page_footer):
            part.is_linked_to_previous = False


def _edge(page: PageContent, top: bool) -> _Edge:
    mine = [a for a in page.artifacts if a.lines and (a.box.centre.y < page.height / 2) == top]
    texts = [a for a in sorted(mine, key=lambda a: a.box.left) if a.role is Role.RUNNING_HEAD]
    number = next((a for a in mine if a.role is Role.PAGE_NUMBER), None)
    side = ""
    if number is not None:
        across = number.box.centre.x / page.width
        side = "left" if across < SIDE else "right" if across > 1 - SIDE else "middle"
    return _Edge("  ".join(a.text.replace("\n", " ") for a in texts), side)


def _numbers_apart(edges: Sequence[_Edge]) -> list[_Edge]:
    """The same without numbers at an end of their text that count the pages."""
    found = list(edges)
    for end, side in ((0, "left"), (-1, "right")):
        words = [edge.text.split() for edge in found]
        numbers = [page_number(told[end]) if len(told) > 1 else None for told in words]
        first = Counter(n - at for at, n in enumerate(numbers) if n is not None)
        for at, n in enumerate(numbers):
            if n is not None and first[n - at] >= ENOUGH:
                rest = words[at][1:] if end == 0 else words[at][:-1]
                found[at] = _Edge(" ".join(rest), found[at].number or side)
    return found


def _usual(edges: Sequence[_Edge]) -> _Edge:
    """The text that stands there most often, and the side of most numbers."""
    texts = Counter(e.text for e in edges if e.text).most_common(1)
    sides = Counter(e.number for e in edges if e.number).most_common(1)
    return _Edge(texts[0][0] if texts else "", sides[0][0] if sides else "")


def _put(paragraph: Paragraph, edge: _Edge) -> None:
    """The number at its side, a tab between it and the text."""
    if edge.number == "left":
        add_field(paragraph, "PAGE", "1")
        if edge.text:
            paragraph.add_run("\t")
    if edge.text:
        paragraph.add_run(edge.text)
    if edge.number in ("middle", "right"):
        if edge.text:
            paragraph.add_run("\t\t" if edge.number == "right" else "\t")
        else:
            right = edge.number == "right"
            paragraph.alignment = WD_ALIGN_PARAGRAPH.RIGHT if right else WD_ALIGN_PARAGRAPH.CENTER
        add_field(paragraph, "PAGE", "1")
