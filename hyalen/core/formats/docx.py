"""An editable DOCX: flowing text with heading styles, real lists, tables, notes, contents and running heads (ECMA-376)."""

from __future__ import annotations

import io
import re
from collections.abc import Callable
from dataclasses import replace
from typing import Any, BinaryIO, NamedTuple

from docx import Document
from docx.enum.style import WD_STYLE_TYPE
from docx.enum.text import WD_TAB_ALIGNMENT, WD_TAB_LEADER
from docx.opc.constants import RELATIONSHIP_TYPE
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Inches, Length, Pt, RGBColor
from docx.text.paragraph import Paragraph
from docx.text.run import Run as TextRun

from hyalen.core.formats.cut import CutPictures
from hyalen.core.formats.docx_fields import CONTENTS, add_field, begin_field, end_field
from hyalen.core.formats.docx_lists import DEEPEST, kinds_of, new_list, numbered_alike
from hyalen.core.formats.docx_notes import Notes
from hyalen.core.formats.docx_sections import Room, Span, begin_section, spans
from hyalen.core.formats.docx_table import add_table
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.model.content import Role
from hyalen.core.model.found import Style
from hyalen.core.structure.flow import Run, joined_runs
from hyalen.core.structure.references import Place, note_text, parted_mark, place_at
from hyalen.core.structure.tree import Node, StructureTree, Tag

FONT = {
    Style.BOLD: "bold",
    Style.ITALIC: "italic",
    Style.UNDERLINED: "underline",
    Style.SMALL_CAPITALS: "small_caps",
    Style.STRUCK: "strike",
    Style.SUPERSCRIPT: "superscript",
    Style.SUBSCRIPT: "subscript",
}
SIZES = {Style.SMALLER: Pt(9), Style.LARGER: Pt(14)}  # beside the template's 11 points
DEEPEST_CONTENTS = 9  # levels that a word processor has styles for
BY_STYLE = {f"Heading {level}": frozenset({Style.BOLD, Style.UNDERLINED}) for level in range(1, 7)}
_NUMBERED = re.compile(r"^(?P<name>[^\W\d]{2,20}\.?\s?)(?P<number>\d{1,3})(?![\d.]\d|\w)")  # a caption's beginning


def write_docx(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """The document as flowing text.

    Paragraphs are joined over lines, columns and pages, running heads and page
    numbers stand in the header and footer instead of the flow.
    """
    _Writer(tree, images, options).write(file)


class _Writer:
    def __init__(self, tree: StructureTree, images: Images, options: DeliveryOptions) -> None:
        self.tree = tree
        self.cut = CutPictures(tree, images)
        self.docx = Document()
        self.notes = Notes(self.docx)
        self.referred: set[Place] = set()  # notes at the foot
        self.standing: set[Place] = set()  # notes that are paragraphs
        self.room = Room(Length(0), Length(0))
        self.breaks = options.page_breaks
        self.marks = 0
        self.captions = _caption_labels(tree)
        self.numbered: set[_Label] = set()  # captions that have their mark
        self.counted: dict[str, int] = {}  # the last number of each series

    def write(self, file: BinaryIO) -> None:
        properties = self.docx.core_properties
        properties.title = self.tree.title
        properties.language = language_tag(self.tree.language)
        told = self.tree.particulars
        properties.author, properties.subject, properties.keywords = (
            told.author[:255],
            told.subject[:255],
            told.keywords[:255],
        )
        properties.identifier = told.reference[:255]
        properties.comments = ""
        self._defaults()
        coming = list(reversed(spans(self.tree)))
        self._begin(coming.pop())
        page = 0
        for node in self.tree.nodes():
            first = node.first.page
            anew = False
            while coming and coming[-1].first <= first:  # of sections without a word the last one counts
                anew = True
                span = coming.pop()
                if not (coming and coming[-1].first <= first):
                    self._begin(span)
            before = len(self.docx.element.body)
            self._add(node)
            if self.breaks and not anew and first > page:
                self._break_before(before - 1)  # the section's properties stand last
            page = max(page, node.pieces[-1].page if node.pieces else first)
        self.notes.attach()
        self.docx.save(file)

    def _begin(self, span: Span) -> None:
        self.room = begin_section(self.docx, self.tree, span)

    def _break_before(self, at: int) -> None:
        """Have what was added there begin a page."""
        body = self.docx.element.body
        if at < 1 or at >= len(body) - 1:
            return
        if body[at].tag != qn("w:p"):
            body.insert(at, OxmlElement("w:p"))
        Paragraph(body[at], self.docx._body).paragraph_format.page_break_before = True

    def _defaults(self) -> None:
        """Black type for headings, and w:lang of the default run properties (ECMA-376-1, 17.3.2.20)."""
        defaults = self.docx.styles.element.find(qn("w:docDefaults"))
        properties = defaults.find(qn("w:rPrDefault")).find(qn("w:rPr"))
        for old in properties.findall(qn("w:lang")):
            properties.remove(old)
        properties.append(_lang(self.tree.language))
        for name in (*(f"Heading {level}" for level in range(1, 7)), "Caption"):
            style: Any = self.docx.styles[name]
            style.font.color.rgb = RGBColor(0, 0, 0)

    def _add(self, node: Node) -> None:
        level = node.tag.heading_level
        if node.caption is not None:
            for each in node.with_caption:
                self._add(replace(each, caption=None))
            if node.caption_first or node.tag.is_picture:  # a page never ends between the two
                before = self.docx.paragraphs[-2]
                before.paragraph_format.keep_with_next = True
        elif node.tag is Tag.BLOCK_QUOTE:
            for child in node.children:
                self._paragraph(child, "Quote")
        elif node.tag.is_picture:
            self._picture(node)
        elif node.tag is Tag.TOC:
            self._contents(node)
        elif node.tag is Tag.TABLE:
            self._table(node)
        elif node.tag is Tag.L:
            self._list(node)
        elif level is not None:
            self._paragraph(node, f"Heading {level}")
        elif node.tag is Tag.CAPTION:
            self._caption(node)
        elif node.tag is Tag.NOTE:
            place = Place(node.first.page, node.first.region.id)
            if place not in self.referred:  # else it stands at the foot of its reference's page
                self.standing.add(place)
                self._paragraph(node, "Normal")
        elif node.text:
            self._paragraph(node, "Normal")

    def _caption(self, node: Node) -> None:
        """Its number as a field that counts, so that lists of figures can be made (ECMA-376-1, 17.16.5.56)."""
        runs = node.runs
        told = _NUMBERED.match(runs[0].text) if runs else None
        if told is None:
            self._paragraph(node, "Caption")
            return
        paragraph = self.docx.add_paragraph(style="Caption")
        label = _Label(self.tree.part_at(node.first.page), _series(told["name"]), int(told["number"]))
        mark = label.mark if label not in self.numbered else ""  # of two that are called the same, the first
        close = self._open_mark(paragraph, mark) if mark else None
        self._run(paragraph, runs[0]._replace(text=told["name"]), node.language)
        last = self.counted.get(label.series, 0)
        anew = "" if label.number == last + 1 else rf" \r {label.number}"  # else counting would change what is printed
        add_field(paragraph, rf"SEQ {label.series} \* ARABIC{anew}", told["number"])
        self.counted[label.series] = label.number
        self.numbered.add(label)
        if close is not None:
            close()
        for run in [runs[0]._replace(text=runs[0].text[told.end() :]), *runs[1:]]:
            if run.text:
                self._run(paragraph, run, node.language)

    def _refer(self, paragraph: Paragraph, told: Run, place: Place, language: str) -> None:
        """A word that bears the mark of a note: the mark becomes a reference, the note stands at the foot."""
        self.referred.add(place)
        region = self.tree.pages[place.page].region(place.region_id)
        before, mark = parted_mark(told.text)
        after = told.text[len(told.text.rstrip()) :]
        if before:
            self._run(paragraph, told._replace(text=before, link=""), language)
        spoken = region.language or language
        _, runs = note_text(joined_runs(region.lines, spoken))

        def fill(note: Paragraph) -> None:
            for run in runs:
                self._run(note, run._replace(link=""), spoken)

        self.notes.refer(paragraph, mark, fill)
        if after:
            paragraph.add_run(after)

    def _paragraph(self, node: Node, style: str) -> Paragraph:
        paragraph = self.docx.add_paragraph(style=style)
        if node.tag.heading_level is not None or node.tag is Tag.NOTE:
            self._mark(paragraph, Place(node.first.page, node.first.region.id))
        self._text(paragraph, node, plain=BY_STYLE.get(style, frozenset()))
        return paragraph

    def _mark(self, paragraph: Paragraph, place: Place) -> None:
        """A bookmark that links lead to."""
        self._open_mark(paragraph, _mark_name(place))()

    def _open_mark(self, paragraph: Paragraph, name: str) -> Callable[[], None]:
        """Begin a bookmark at a paragraph's end; what ends it there (ECMA-376-1, 17.13.6.2)."""
        self.marks += 1
        number = str(self.marks)
        start, end = OxmlElement("w:bookmarkStart"), OxmlElement("w:bookmarkEnd")
        start.set(qn("w:id"), number)
        start.set(qn("w:name"), name)
        end.set(qn("w:id"), number)
        paragraph._p.append(start)
        return lambda: paragraph._p.append(end)

    def _text(self, paragraph: Paragraph, node: Node, plain: frozenset[Style] = frozenset()) -> None:
        """A node's text set as it is printed, but for what the paragraph's style sets anyway."""
        for run in node.runs:
            place = place_at(run.link)
            if place is not None and place not in self.standing and self._is_note(place):
                if parted_mark(run.text)[1]:
                    self._refer(paragraph, run, place, node.language)
                    continue
                run = run._replace(link="")  # the mark comes
            self._referring(paragraph, run._replace(style=run.style - plain), node)

    def _referring(self, paragraph: Paragraph, run: Run, node: Node) -> None:
        """A run in which the names of captions are references that follow their numbers (ECMA-376-1, 17.16.5.51)."""
        at, language = 0, node.language
        part = self.tree.part_at(node.pieces[0].page) if node.pieces else 0
        for found in _REFERRED.finditer(run.text) if self.captions and not run.link else ():
            label = _Label(part, _series(found["name"]), int(found["number"]))
            if label not in self.captions:
                continue
            if found.start() > at:
                self._run(paragraph, run._replace(text=run.text[at : found.start()]), language)
            shown = add_field(paragraph, rf"REF {label.mark} \h", found.group())
            self._dress(paragraph, shown, run, language)
            at = found.end()
        if at < len(run.text) or not at:
            self._run(paragraph, run._replace(text=run.text[at:]), language)

    def _is_note(self, place: Place) -> bool:
        return self.tree.pages[place.page].region(place.region_id).role is Role.NOTE

    def _run(self, paragraph: Paragraph, told: Run, language: str) -> None:
        run = paragraph.add_run(told.text)
        self._dress(paragraph, run, told, language)
        if told.link:
            self._link(paragraph, run, told.link)

    def _dress(self, paragraph: Paragraph, run: TextRun, told: Run, language: str) -> None:
        """Set a run as it is printed, and tell its language."""
        for each in told.style:
            if each in SIZES:
                run.font.size = SIZES[each]
            else:
                setattr(run.font, FONT[each], True)
        if told.colour:
            run.font.color.rgb = RGBColor.from_string(told.colour.upper())
        language = told.language or language
        backwards = is_right_to_left(language)
        if backwards:
            properties = paragraph._p.get_or_add_pPr()
            if properties.find(qn("w:bidi")) is None:
                properties.append(OxmlElement("w:bidi"))
            run._r.get_or_add_rPr().append(OxmlElement("w:rtl"))
        if language != self.tree.language or backwards:
            run._r.get_or_add_rPr().append(_lang(language))

    def _link(self, paragraph: Paragraph, run: TextRun, address: str) -> None:
        """A w:hyperlink around a run (ECMA-376-1, 17.16.22)."""
        element = OxmlElement("w:hyperlink")
        if place := place_at(address):
            element.set(qn("w:anchor"), _mark_name(place))
        else:
            element.set(qn("r:id"), paragraph.part.relate_to(address, RELATIONSHIP_TYPE.HYPERLINK, is_external=True))
        paragraph._p.remove(run._r)
        element.append(run._r)
        paragraph._p.append(element)

    def _list(self, node: Node) -> None:
        """Items that the word processor numbers, as deep as they stand."""
        kinds = kinds_of(node)
        numbering = self.docx.part.numbering_part.element
        number = new_list(numbering, kinds)
        own: dict[int, int] = {}  # of lists within it that are numbered otherwise than the first of their depth
        for depth, within, item in node.items():
            kind = "List Number" if within.numbering and within.numbering.counts else "List Bullet"
            if not any(part.tag is Tag.LBL for part in item.parts):
                self._paragraph(item.parts[-1], "List")
                continue
            paragraph = self._paragraph(item.parts[-1], f"{kind} {depth + 1}" if 0 < depth < 3 else kind)
            properties: Any = paragraph._p.get_or_add_pPr()
            properties = properties.get_or_add_numPr()
            if not numbered_alike(within, kinds[min(depth, DEEPEST)]) and id(within) not in own:
                own[id(within)] = new_list(numbering, kinds | {min(depth, DEEPEST): within})
            properties.get_or_add_ilvl().val = min(depth, DEEPEST)
            properties.get_or_add_numId().val = own.get(id(within), number)

    def _contents(self, node: Node) -> None:
        """Contents as a field that brings itself up to date from the headings; until then its entries are those printed."""
        added: list[Paragraph] = []
        for depth, _, entry in node.items():
            told = entry.parts[0]
            title, _, number = told.text.rpartition(" ")
            address = next((w.link for p in told.pieces for line in p.lines for w in line.words), "")
            paragraph = self.docx.add_paragraph(style=self._contents_style(min(depth + 1, DEEPEST_CONTENTS)))
            self._run(paragraph, Run(f"{title}\t{number}" if title else number, link=address), entry.language)
            added.append(paragraph)
        if added:
            begin_field(added[0], CONTENTS)
            end_field(added[-1])

    def _contents_style(self, level: int) -> str:
        """The word processor's own style for entries of a level, the page number at a tab with dots before it."""
        name, styles = f"toc {level}", self.docx.styles
        if name not in styles:
            style: Any = styles.add_style(name, WD_STYLE_TYPE.PARAGRAPH, builtin=True)
            style.base_style = styles["Normal"]
            style.paragraph_format.space_after = Pt(3)
            style.paragraph_format.left_indent = Inches(0.25 * (level - 1))
            style.paragraph_format.tab_stops.add_tab_stop(self.room.wide, WD_TAB_ALIGNMENT.RIGHT, WD_TAB_LEADER.DOTS)
        return name

    def _picture(self, node: Node) -> None:
        width = min(Inches(self.cut.inches(node)), self.room.wide)
        paragraph = self.docx.add_paragraph()
        own = self.cut.of(node)
        picture = paragraph.add_run().add_picture(io.BytesIO(own), width=width)
        if picture.height > self.room.high:
            picture.width, picture.height = Length(picture.width * self.room.high // picture.height), self.room.high
        properties = paragraph._p.xpath(".//wp:docPr")[0]
        if node.alternative:
            properties.set("descr", node.alternative)

    def _table(self, node: Node) -> None:
        body = self.docx.element.body
        if len(body) > 1 and body[-2].tag == qn("w:tbl"):  # two tables without a word between them would be one
            self.docx.add_paragraph().paragraph_format.space_after = Pt(0)
        add_table(self.docx, node, self.room.wide, lambda paragraph, cell: self._text(paragraph, cell))


_REFERRED = re.compile(r"(?<!\w)(?P<name>[^\W\d]{2,20}\.?)\s(?P<number>\d{1,3})(?!\w|[.,]\d)")


class _Label(NamedTuple):
    """What a caption is called in its document: the name of its series, and its number."""

    part: int
    series: str
    number: int

    @property
    def mark(self) -> str:
        """The bookmark around it."""
        return f"ref_{self.part}_{self.series}_{self.number}"[:40]


def _caption_labels(tree: StructureTree) -> set[_Label]:
    """What the captions are called."""
    found: set[_Label] = set()
    for index in range(len(tree.pages)):
        for region in tree.pages[index].regions:
            if region.role is Role.CAPTION and (told := _NUMBERED.match(region.text.replace("\n", " "))):
                found.add(_Label(tree.part_at(index), _series(told["name"]), int(told["number"])))
    return found


def _series(name: str) -> str:
    return re.sub(r"\W", "", name)


def _mark_name(place: Place) -> str:
    return f"p{place.page + 1}_{place.region_id}"[:40]


def _lang(language: str) -> Any:
    element = OxmlElement("w:lang")
    tag = language_tag(language)
    element.set(qn("w:val"), tag)
    if is_right_to_left(language):
        element.set(qn("w:bidi"), tag)
    return element
