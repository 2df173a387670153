"""ALTO 4.4: what stands where on each page, word by word, with confidences, other readings and reading order.

Analyzed Layout and Text Object (Library of Congress), namespace ns-v4. Places are in pixels of the cleaned page.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import BinaryIO
from xml.sax.saxutils import escape

from hyalen import __version__
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.formats.pages_xml import NumberedPage, attributes, baseline, is_in, numbered_pages, points
from hyalen.core.languages import language_tag
from hyalen.core.model.content import Line, Region, Role, Word
from hyalen.core.model.found import Style
from hyalen.core.model.geometry import Box
from hyalen.core.structure.flow import LineEnd, line_end
from hyalen.core.structure.tree import StructureTree

HEAD = (
    '<?xml version="1.0" encoding="UTF-8"?>\n<alto xmlns="http://www.loc.gov/standards/alto/ns-v4#"'
    ' xmlns:xlink="http://www.w3.org/1999/xlink" SCHEMAVERSION="4.4">\n'
)
STYLES = {
    Style.BOLD: "bold",
    Style.ITALIC: "italics",
    Style.UNDERLINED: "underline",
    Style.SUPERSCRIPT: "superscript",
    Style.SUBSCRIPT: "subscript",
    Style.SMALL_CAPITALS: "smallcaps",
}


def write_alto(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """All pages of a document as one file, one after the other; what a region is for is its tag."""

    def put(text: str) -> None:
        file.write(text.encode("utf8"))

    put(HEAD)
    put("<Description><MeasurementUnit>pixel</MeasurementUnit>")
    put(f"<sourceImageInformation><fileName>{escape(tree.title)}</fileName></sourceImageInformation>")
    put('<Processing ID="read"><processingCategory>contentGeneration</processingCategory><processingSoftware>')
    put(f"<softwareName>Hyalen</softwareName><softwareVersion>{__version__}</softwareVersion>")
    put("</processingSoftware></Processing></Description>\n<Tags>")
    put("".join(f'<LayoutTag ID="{_tag(role)}" LABEL="{role.value}"/>' for role in Role))
    put("</Tags>\n")
    put(_reading_order(tree))
    put("<Layout>\n")
    for page in numbered_pages(tree):
        put("\n".join(_page(page)) + "\n")
    put("</Layout>\n</alto>\n")


def _tag(role: Role) -> str:
    return f"role_{role.value}"


def _reading_order(tree: StructureTree) -> str:
    """Regions in the order in which they are read (since ALTO 4.3)."""
    parts = ['<ReadingOrder><OrderedGroup ID="order">']
    for page in numbered_pages(tree):
        for region in page.content.regions:
            parts.append(f"<ElementRef{attributes(ID=page.name('o' + region.id), REF=page.name(region.id))}/>")
    return "".join([*parts, "</OrderedGroup></ReadingOrder>\n"]) if len(parts) > 1 else ""


def _page(page: NumberedPage) -> Iterator[str]:
    content = page.content
    whole = attributes(HEIGHT=content.height, WIDTH=content.width)
    yield f"<Page{attributes(ID=f'p{page.number}', PHYSICAL_IMG_NR=page.number, PRINTED_IMG_NR=page.label)}{whole}>"
    yield f'<PrintSpace{whole} HPOS="0" VPOS="0">'
    for region in content.everything:
        yield from _region(page, region)
    yield "</PrintSpace></Page>"


def _place(box: Box) -> str:
    return attributes(HEIGHT=box.height, WIDTH=box.width, HPOS=box.left, VPOS=box.top)


def _region(page: NumberedPage, region: Region) -> Iterator[str]:
    language = region.language or page.language
    told = attributes(ID=page.name(region.id), TAGREFS=_tag(region.role)) + _place(is_in(region.box, page.content))
    shape = f'<Shape><Polygon POINTS="{points(region.outline, page.content)}"/></Shape>'
    if region.table is not None:
        yield f'<ComposedBlock{told} TYPE="table">{shape}'
        for cell in region.table.cells:
            at = attributes(ID=page.name(f"{region.id}_{cell.row}_{cell.column}"))
            yield f"<TextBlock{at}{_place(is_in(cell.box, page.content))}>"
            yield from _lines(page, cell.lines, language)
            yield "</TextBlock>"
        yield "</ComposedBlock>"
    elif region.kind.is_picture:
        kind = attributes(TYPE=region.kind.value)
        if region.lines:
            yield f"<ComposedBlock{told}{kind}>{shape}<TextBlock{attributes(ID=page.name(region.id + '_text'))}>"
            yield from _lines(page, region.lines, language)
            yield "</TextBlock></ComposedBlock>"
        else:
            yield f"<Illustration{told}{kind}>{shape}</Illustration>"
    else:
        yield f"<TextBlock{told}{attributes(LANG=language_tag(language))}>{shape}"
        yield from _lines(page, region.lines, language)
        yield "</TextBlock>"


def _lines(page: NumberedPage, lines: tuple[Line, ...], language: str) -> Iterator[str]:
    """Lines with their words, spaces and hyphens; a word that is broken is told whole at both its parts."""
    carried = ""
    for at, line in enumerate(lines):
        if not line.words:
            continue
        following = lines[at + 1] if at + 1 < len(lines) else None
        broken = following is not None and line_end(line, following, language) is LineEnd.BREAK
        yield f"<TextLine{_place(is_in(line.box, page.content))}{attributes(BASELINE=baseline(line, page.content))}>"
        for number, word in enumerate(line.words):
            if number:
                before = line.words[number - 1].box
                gap = max(0, word.box.left - before.right)
                yield f"<SP{attributes(WIDTH=gap, HPOS=before.right, VPOS=before.top)}/>"
            last = broken and number + 1 == len(line.words)
            whole = ""
            if last and following is not None:
                whole = word.text[:-1] + following.words[0].text
                yield _word(page, word, word.text[:-1], attributes(SUBS_TYPE="HypPart1", SUBS_CONTENT=whole))
                yield f"<HYP{attributes(CONTENT=word.text[-1])}/>"
            elif carried and number == 0:
                yield _word(page, word, word.text, attributes(SUBS_TYPE="HypPart2", SUBS_CONTENT=carried))
            else:
                yield _word(page, word, word.text, "")
            if number == 0 or last:
                carried = whole
        if not broken:
            carried = ""
        yield "</TextLine>"


def _word(page: NumberedPage, word: Word, text: str, more: str) -> str:
    style = " ".join(STYLES[s] for s in word.style if s in STYLES) or None
    told = attributes(
        ID=page.name(word.id), CONTENT=text, WC=f"{word.confidence:.3f}", STYLE=style,
        LANG=language_tag(word.language) if word.language else None,
        CC=None if len(word.letters) != len(text) else " ".join(str(9 - int(c)) for c in word.letters),
        CS="true" if word.settled else None,
    )  # fmt: skip
    others = "".join(f"<ALTERNATIVE>{escape(other)}</ALTERNATIVE>" for other in word.others if other)
    place = _place(is_in(word.box, page.content))
    return f"<String{told}{place}{more}>{others}</String>" if others else f"<String{told}{place}{more}/>"
