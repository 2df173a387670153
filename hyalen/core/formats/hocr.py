"""hOCR 1.2: pages, areas, paragraphs, lines and words with their boxes, as HTML that shows in any browser."""

from __future__ import annotations

from collections.abc import Iterator
from html import escape
from typing import BinaryIO

from hyalen import __version__
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.formats.pages_xml import NumberedPage, is_in, numbered_pages
from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.model.content import Line, Region, RegionKind
from hyalen.core.model.geometry import Box
from hyalen.core.structure.tree import StructureTree

CAPABILITIES = "ocr_page ocr_carea ocr_par ocr_line ocrx_word ocr_photo ocr_math ocr_table"
KINDS = {
    RegionKind.FIGURE: "ocr_photo",
    RegionKind.FORMULA: "ocr_math",
    RegionKind.TABLE: "ocr_table",
}


def write_hocr(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """All pages of a document, regions in the order in which they are read."""

    def put(text: str) -> None:
        file.write(text.encode("utf8"))

    tag = language_tag(tree.language)
    put('<?xml version="1.0" encoding="UTF-8"?>\n<!DOCTYPE html>\n')
    put(f'<html xmlns="http://www.w3.org/1999/xhtml" lang="{tag}" xml:lang="{tag}">\n<head><meta charset="utf-8"/>')
    put(f'<title>{escape(tree.title)}</title><meta name="ocr-system" content="Hyalen {__version__}"/>')
    put(f'<meta name="ocr-capabilities" content="{CAPABILITIES}"/></head>\n<body>\n')
    for page in numbered_pages(tree):
        put("\n".join(_page(page)) + "\n")
    put("</body>\n</html>\n")


def _box(box: Box) -> str:
    return f"bbox {box.left} {box.top} {box.right} {box.bottom}"


def _page(page: NumberedPage) -> Iterator[str]:
    content = page.content
    whole = _box(Box(0, 0, content.width, content.height))
    yield (
        f'<div class="ocr_page" id="p{page.number}" title="{whole}; ppageno {page.number - 1};'
        f' lpageno {escape(page.label)}; scan_res {content.dpi:g} {content.dpi:g}">'
    )
    for region in content.regions:
        yield from _region(page, region)
    yield "</div>"


def _region(page: NumberedPage, region: Region) -> Iterator[str]:
    title = _box(is_in(region.box, page.content))
    language = region.language or page.language
    told = f'lang="{language_tag(language)}" dir="{"rtl" if is_right_to_left(language) else "ltr"}"'
    kind = KINDS.get(region.kind, "ocr_carea")
    yield f'<div class="{kind}" id="{page.name(region.id)}" title="{title}">'
    cells = [cell.lines for cell in region.table.cells] if region.table is not None else [region.lines]
    for lines in (lines for lines in cells if lines):
        yield f'<p class="ocr_par" {told}>'
        yield from (_line(page, line) for line in lines if line.words)
        yield "</p>"
    yield "</div>"


def _line(page: NumberedPage, line: Line) -> str:
    """The baseline is told as hOCR does: its slope, and how far above the box's foot it begins."""
    box = is_in(line.box, page.content)
    (x0, y0), (x1, y1) = line.baseline_in_box
    slope = (y1 - y0) / (x1 - x0) if x1 > x0 else 0.0
    words = " ".join(
        f'<span class="ocrx_word" id="{page.name(w.id)}" title="{_box(is_in(w.box, page.content))};'
        f' x_wconf {round(100 * w.confidence)}">{escape(w.text)}</span>'
        for w in line.words
    )
    return f'<span class="ocr_line" title="{_box(box)}; baseline {slope:.4f} {y0 - box.bottom:.1f}; x_size {line.height:.1f}">{words}</span>'
