"""PAGE: regions with outlines, lines with baselines, words, and reading order (PRImA, 2019-07-15).

The schema has one page a file, so that a document is a ZIP of them.
"""

from __future__ import annotations

import zipfile
from collections.abc import Iterator
from datetime import UTC, datetime
from typing import BinaryIO
from xml.sax.saxutils import escape

from hyalen import __version__
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.formats.pages_xml import (
    NumberedPage,
    attributes,
    baseline,
    box_points,
    numbered_pages,
    points,
)
from hyalen.core.model.content import Line, Region, RegionKind, Role, Word
from hyalen.core.structure.tree import StructureTree

NAMESPACE = "http://schema.primaresearch.org/PAGE/gts/pagecontent/2019-07-15"
KINDS = {
    RegionKind.TEXT: "TextRegion",
    RegionKind.TABLE: "TableRegion",
    RegionKind.FIGURE: "ImageRegion",
    RegionKind.FORMULA: "MathsRegion",
}
TYPES = {
    Role.PARAGRAPH: "paragraph",
    Role.CAPTION: "caption",
    Role.NOTE: "footnote",
    Role.SIDE_NOTE: "marginalia",
    Role.LIST_ITEM: "list-label",
    Role.CONTENTS_ENTRY: "TOC-entry",
    Role.RUNNING_HEAD: "header",
    Role.PAGE_NUMBER: "page-number",
} | {Role(f"heading_{level}"): "heading" for level in range(1, 7)}


def write_page_xml(
    tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions, made: datetime | None = None
) -> None:
    """Each page as a file of its own with its picture beside it, in a ZIP."""
    stamp = (made or datetime.now(UTC)).strftime("%Y-%m-%dT%H:%M:%S")
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        for page in numbered_pages(tree):
            picture = images(page.number - 1)
            ending = "png" if picture.startswith(b"\x89PNG") else "jpg"
            name = f"page-{page.number:04}"
            archive.writestr(f"{name}.xml", "\n".join(_page(page, f"{name}.{ending}", stamp)))
            archive.writestr(zipfile.ZipInfo(f"{name}.{ending}"), picture, zipfile.ZIP_STORED)


def _page(page: NumberedPage, picture: str, stamp: str) -> Iterator[str]:
    content = page.content
    yield '<?xml version="1.0" encoding="UTF-8"?>'
    yield f'<PcGts xmlns="{NAMESPACE}">'
    yield f"<Metadata><Creator>Hyalen {__version__}</Creator><Created>{stamp}</Created><LastChange>{stamp}</LastChange></Metadata>"
    size = attributes(imageFilename=picture, imageWidth=content.width, imageHeight=content.height)
    yield f"<Page{size}{attributes(imageXResolution=f'{content.dpi:g}', imageYResolution=f'{content.dpi:g}', imageResolutionUnit='PPI')}>"
    if content.regions:
        yield '<ReadingOrder><OrderedGroup id="order">'
        for at, region in enumerate(content.regions):
            yield f"<RegionRefIndexed{attributes(index=at, regionRef=page.name(region.id))}/>"
        yield "</OrderedGroup></ReadingOrder>"
    for region in content.everything:
        yield from _region(page, region)
    yield "</Page></PcGts>"


def _region(page: NumberedPage, region: Region) -> Iterator[str]:
    kind = KINDS.get(region.kind, "TextRegion")
    custom = f"structure {{type:{region.role.value};}}"
    told = attributes(id=page.name(region.id), custom=custom)
    if kind == "TextRegion":
        told += attributes(type_=TYPES.get(region.role, "other"))
    elif kind == "TableRegion" and region.table is not None:
        told += attributes(rows=region.table.rows, columns=region.table.columns)
    yield f'<{kind}{told}><Coords points="{points(region.outline, page.content)}"/>'
    if kind == "TableRegion" and region.table is not None:
        for cell in region.table.cells:
            yield f"<TextRegion{attributes(id=page.name(f'{region.id}_{cell.row}_{cell.column}'))}>"
            yield f'<Coords points="{box_points(cell.box, page.content)}"/>'
            yield "<Roles><TableCellRole" + attributes(
                rowIndex=cell.row, columnIndex=cell.column, rowSpan=cell.row_span, colSpan=cell.column_span,
                header="true" if cell.header else None,
            ) + "/></Roles>"  # fmt: skip
            yield from _lines(page, cell.lines, f"{region.id}_{cell.row}_{cell.column}")
            yield "</TextRegion>"
    elif kind == "TextRegion":
        yield from _lines(page, region.lines, region.id)
        yield _text(region.text)
    elif region.lines:  # its text, as a region within it
        yield f"<TextRegion{attributes(id=page.name(region.id + '_text'))}>"
        yield f'<Coords points="{points(region.outline, page.content)}"/>'
        yield from _lines(page, region.lines, region.id)
        yield "</TextRegion>"
    yield f"</{kind}>"


def _lines(page: NumberedPage, lines: tuple[Line, ...], within: str) -> Iterator[str]:
    for at, line in enumerate(line for line in lines if line.words):
        yield f"<TextLine{attributes(id=page.name(f'{within}_l{at}'))}>"
        yield f'<Coords points="{box_points(line.box, page.content)}"/><Baseline points="{baseline(line, page.content)}"/>'
        yield from (_word(page, word) for word in line.words)
        yield _text(line.text) + "</TextLine>"


def _word(page: NumberedPage, word: Word) -> str:
    coords = f'<Coords points="{box_points(word.box, page.content)}"/>'
    return f"<Word{attributes(id=page.name(word.id))}>{coords}{_text(word.text, word.confidence)}</Word>"


def _text(text: str, confidence: float | None = None) -> str:
    conf = attributes(conf=None if confidence is None else f"{confidence:.3f}")
    return f"<TextEquiv{conf}><Unicode>{escape(text)}</Unicode></TextEquiv>"
