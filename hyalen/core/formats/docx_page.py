"""The pages of a DOCX that looks as the paper does: sections of columns, and each page's own head and foot."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

from docx.document import Document
from docx.enum.section import WD_ORIENT, WD_SECTION
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.section import Section, _BaseHeaderFooter
from docx.shared import Length, Pt
from docx.text.paragraph import Paragraph
from docx.text.run import Run

from hyalen.core.formats.docx_fields import add_field
from hyalen.core.formats.docx_sections import add_section, count_pages, set_columns, set_thin
from hyalen.core.formats.typefaces import LEADING, Fit, Typeface, fit
from hyalen.core.model.content import PageContent, Region, Role
from hyalen.core.model.document import LabelRange

MOST = 22 * 72.0  # points of a side that a word processor takes
LEAST_FOOT = 18.0  # points beneath the text, where the paper has as many
APART = 10.0  # points between the text and what stands in the foot
TEMPLATE = 11.0  # points, beside which type is told to be smaller or larger


class Sheet:
    """A page as it is measured, and in points."""

    def __init__(self, page: PageContent) -> None:
        self.page = page
        side = max(page.width, page.height) * 72 / page.dpi
        self.unit = 72 / page.dpi * min(1.0, MOST / side)  # points a pixel

    def points(self, pixels: float) -> Length:
        return Pt(pixels * self.unit)


class Margins(NamedTuple):
    """Of a page, in its pixels."""

    left: float
    top: float
    right: float  # where text ends, from the left
    bottom: float  # where it ends, from the top


class ColumnPlace(NamedTuple):
    """Where a column stands, in pixels of its page."""

    left: float
    right: float


class PageSetter:
    """Begins pages and, within them, bands of columns.

    Each section's properties stand with its last paragraph (17.6.18), so that what is begun here is written there
    by the one that follows.
    """

    def __init__(self, docx: Document, face: Typeface, labels: Sequence[LabelRange]) -> None:
        self._docx = docx
        self._face = face
        self._labels = {each.first: each for each in labels}
        self._heads: tuple[object, ...] = ((), ())
        self._begun = False

    def begin_page(self, index: int, sheet: Sheet, margins: Margins, label: str) -> None:
        """A page of its size, with what stands in its head and foot."""
        section = self._section(WD_SECTION.NEW_PAGE)
        page = sheet.page
        section.page_width, section.page_height = sheet.points(page.width), sheet.points(page.height)
        section.orientation = WD_ORIENT.LANDSCAPE if page.width > page.height else WD_ORIENT.PORTRAIT
        section.left_margin, section.right_margin = sheet.points(margins.left), sheet.points(page.width - margins.right)
        section.top_margin = sheet.points(margins.top)
        free = (page.height - margins.bottom) * sheet.unit
        section.bottom_margin = Pt(max(0.0, min(LEAST_FOOT, free / 3)))
        section.different_first_page_header_footer = False
        count_pages(section, self._labels.get(index))
        self._put_edges(section, sheet, margins, label)

    def begin_band(self, sheet: Sheet, margins: Margins, columns: Sequence[ColumnPlace], first: bool) -> None:
        """Columns at their places within the page's margins, beneath what was written."""
        section = self._docx.sections[-1] if first else self._section(WD_SECTION.CONTINUOUS)
        if not first:
            count_pages(section, None)
        starts = [margins.left, *(each.left for each in columns[1:])]
        ends = [*(each.right for each in columns[:-1]), margins.right]
        gaps = [start - end for start, end in zip(starts[1:], ends[:-1], strict=True)]
        widths = [sheet.points(end - start) for start, end in zip(starts, ends, strict=True)]
        set_columns(section, widths, [sheet.points(max(0.0, gap)) for gap in gaps])

    def _section(self, kind: WD_SECTION) -> Section:
        if not self._begun:
            self._begun = True
            return self._docx.sections[0]
        return add_section(self._docx, kind)

    def _put_edges(self, section: Section, sheet: Sheet, margins: Margins, label: str) -> None:
        """The head and the foot as they are printed; those of the page before go on where they are the same."""
        middle = sheet.page.height / 2
        mine = [a for a in sheet.page.artifacts if a.lines and a.role in (Role.RUNNING_HEAD, Role.PAGE_NUMBER)]
        heads = sorted((a for a in mine if a.box.centre.y < middle), key=lambda a: a.box.left)
        feet = sorted((a for a in mine if a.box.centre.y >= middle), key=lambda a: a.box.left)
        section.header_distance = section.footer_distance = Pt(0)
        if heads:  # what stands beside the text moves out of its way
            above = margins.top - LEADING * self._em(heads, sheet)
            section.header_distance = sheet.points(max(0.0, min(above, *(a.box.top for a in heads))))
        if feet:
            beneath = margins.bottom + LEADING * self._em(feet, sheet) + APART / sheet.unit
            foot = max(beneath, *(a.box.bottom for a in feet))
            section.footer_distance = sheet.points(max(0.0, sheet.page.height - foot))
        told = tuple(_told(each, sheet, label) for each in (heads, feet))
        parts = (section.header, section.footer)
        for part, regions, now, last in zip(parts, (heads, feet), told, self._heads, strict=True):
            part.is_linked_to_previous = now == last
            if now != last:
                self._fill(part, regions, sheet, margins, label)
        self._heads = told

    def _fit(self, regions: Sequence[Region], sheet: Sheet) -> Fit:
        return fit(self._face, [line for region in regions for line in region.lines], sheet.unit)

    def _em(self, regions: Sequence[Region], sheet: Sheet) -> float:
        return self._fit(regions, sheet).em

    def _fill(
        self, part: _BaseHeaderFooter, regions: Sequence[Region], sheet: Sheet, margins: Margins, label: str
    ) -> None:
        """One paragraph, each thing at a tab where it stands."""
        paragraph = part.paragraphs[0]
        paragraph.style = "Normal"
        set_thin(paragraph)
        if not regions:
            return
        size, width = self._fit(regions, sheet)
        form = paragraph.paragraph_format
        form.line_spacing = Pt(LEADING * size * sheet.unit)
        form.left_indent = sheet.points(regions[0].box.left - margins.left)
        form.right_indent = -sheet.points(sheet.page.width - margins.right)
        for number, region in enumerate(regions):
            if number:
                form.tab_stops.add_tab_stop(sheet.points(region.box.left - margins.left))
                paragraph.add_run("\t")
            text = region.text.replace("\n", " ")
            if _is_label(region, label):
                add_field(paragraph, "PAGE", text)
            else:
                paragraph.add_run(text)
        set_type(paragraph, size * sheet.unit, width)


def _is_label(region: Region, label: str) -> bool:
    return region.role is Role.PAGE_NUMBER and region.text == label


def _told(regions: Sequence[Region], sheet: Sheet, label: str) -> tuple[object, ...]:
    """What makes two pages' heads the same one: what they say and about where, page numbers that count aside."""
    return tuple(
        (None if _is_label(r, label) else r.text, *(round(v * sheet.unit / 9) for v in (r.box.left, r.box.top)))
        for r in regions
    )


def set_type(paragraph: Paragraph, points: float, width: int) -> None:
    """Set all of a paragraph in a size, to the half point (17.3.2.38), and in a width in per cent (17.3.2.43)."""
    for element in paragraph._p.xpath(".//w:r"):
        run = Run(element, paragraph)
        own = run.font.size
        told = points if own is None else points * own.pt / TEMPLATE
        run.font.size = Pt(max(1.0, round(2 * told) / 2))
        size: Any = element.rPr.find(qn("w:sz"))
        size.addnext(_value("w:szCs", size.get(qn("w:val"))))
        if width != 100:
            size.addprevious(_value("w:w", str(width)))


def _value(name: str, value: str) -> Any:
    element = OxmlElement(name)
    element.set(qn("w:val"), value)
    return element
