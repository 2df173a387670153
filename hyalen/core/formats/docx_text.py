"""The text of a word processor's file: runs as they are printed, captions that count, references, notes, links (ECMA-376-1, 17)."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, NamedTuple

from docx.document import Document
from docx.enum.style import WD_STYLE_TYPE
from docx.opc.constants import RELATIONSHIP_TYPE
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Pt, RGBColor
from docx.text.paragraph import Paragraph
from docx.text.run import Run as TextRun

from hyalen.core.formats.docx_fields import add_field
from hyalen.core.formats.docx_notes import Notes
from hyalen.core.languages import is_right_to_left, language_tag, number_signs
from hyalen.core.model.content import Role
from hyalen.core.model.found import Style
from hyalen.core.structure.flow import Run, joined_runs
from hyalen.core.structure.references import Place, leads_elsewhere, note_text, parted_mark, place_at
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
BY_STYLE = {f"Heading {level}": frozenset({Style.BOLD, Style.UNDERLINED}) for level in range(1, 7)}
_NUMBERED = re.compile(r"^(?P<name>[^\W\d]{2,20}\.?\s?)(?P<number>\d{1,3})(?![\d.]\d|\w)")  # a caption's beginning


class TextWriter:
    """Writes paragraphs at a document's end.

    Parameters
    ----------
    as_printed : bool
        Whether notes are paragraphs where they stand, instead of notes at the foot of their reference's page, and
        type is as bold as it is printed, whatever its style.
    """

    def __init__(self, docx: Document, tree: StructureTree, as_printed: bool = False) -> None:
        self._docx = docx
        self._tree = tree
        self.notes = Notes(docx)
        self.referred: set[Place] = set()  # notes at the foot
        self.standing: set[Place] = set()  # notes that are paragraphs
        self._as_printed = as_printed
        self.point = (number_signs(tree.language) or ("", ""))[0]  # the document's decimal mark
        self._styles: dict[str, str | None] = {}
        self._marks = 0
        self._captions = _caption_labels(tree)
        self._numbered: set[_Label] = set()  # captions that have their mark
        self._counted: dict[str, int] = {}  # the last number of each series

    def describe(self) -> None:
        """Title, language and particulars of the document; black type for headings."""
        properties = self._docx.core_properties
        properties.title = self._tree.title
        properties.language = language_tag(self._tree.language)
        told = self._tree.particulars
        properties.author, properties.subject, properties.keywords = (
            told.author[:255],
            told.subject[:255],
            told.keywords[:255],
        )
        properties.identifier = told.reference[:255]
        properties.comments = ""
        defaults = self._docx.styles.element.find(qn("w:docDefaults"))
        run = defaults.find(qn("w:rPrDefault")).find(qn("w:rPr"))
        for old in run.findall(qn("w:lang")):
            run.remove(old)
        run.append(_lang(self._tree.language))  # w:lang of the default run properties (17.3.2.20)
        settings: Any = self._docx.settings.element
        for mark in settings.findall(qn("w:decimalSymbol")) if self.point else ():
            mark.set(qn("w:val"), self.point)
        for name in (*(f"Heading {level}" for level in range(1, 7)), "Caption"):
            style: Any = self._docx.styles[name]
            style.font.color.rgb = RGBColor(0, 0, 0)
            if self._as_printed:
                style.font.bold = style.font.italic = False

    def begin(self, style: str) -> Paragraph:
        """An empty paragraph of a style, whose id is not looked for each time."""
        if style not in self._styles:
            part: Any = self._docx.part
            self._styles[style] = part.get_style_id(style, WD_STYLE_TYPE.PARAGRAPH)
        paragraph = self._docx.add_paragraph()
        if (told := self._styles[style]) is not None:
            paragraph._p.style = told
        return paragraph

    def caption(self, node: Node) -> Paragraph:
        """Its number as a field that counts, so that lists of figures can be made (ECMA-376-1, 17.16.5.56)."""
        runs = node.runs
        told = _NUMBERED.match(runs[0].text) if runs else None
        if told is None:
            return self.paragraph(node, "Caption")
        paragraph = self.begin("Caption")
        label = _Label(self._tree.part_at(node.first.page), _series(told["name"]), int(told["number"]))
        mark = label.mark if label not in self._numbered else ""  # of two that are called the same, the first
        close = self._open_mark(paragraph, mark) if mark else None
        self.run(paragraph, runs[0]._replace(text=told["name"]), node.language)
        last = self._counted.get(label.series, 0)
        anew = "" if label.number == last + 1 else rf" \r {label.number}"  # else counting would change what is printed
        add_field(paragraph, rf"SEQ {label.series} \* ARABIC{anew}", told["number"])
        self._counted[label.series] = label.number
        self._numbered.add(label)
        if close is not None:
            close()
        for run in [runs[0]._replace(text=runs[0].text[told.end() :]), *runs[1:]]:
            if run.text:
                self.run(paragraph, run, node.language)
        return paragraph

    def _refer(self, paragraph: Paragraph, told: Run, place: Place, language: str) -> None:
        """A word that bears the mark of a note: the mark becomes a reference, the note stands at the foot."""
        self.referred.add(place)
        region = self._tree.pages[place.page].region(place.region_id)
        before, mark = parted_mark(told.text)
        after = told.text[len(told.text.rstrip()) :]
        if before:
            self.run(paragraph, told._replace(text=before, link=""), language)
        spoken = region.language or language
        _, runs = note_text(joined_runs(region.lines, spoken))

        def fill(note: Paragraph) -> None:
            for run in runs:
                self.run(note, run._replace(link=""), spoken)

        self.notes.refer(paragraph, mark, fill)
        if after:
            paragraph.add_run(after)

    def paragraph(self, node: Node, style: str) -> Paragraph:
        paragraph = self.begin(style)
        if node.tag.heading_level is not None or node.tag is Tag.NOTE:
            self._mark(paragraph, Place(node.first.page, node.first.region.id))
        plain = frozenset() if self._as_printed else BY_STYLE.get(style, frozenset())
        self.text(paragraph, node, plain)
        return paragraph

    def _mark(self, paragraph: Paragraph, place: Place) -> None:
        """A bookmark that links lead to."""
        self._open_mark(paragraph, _mark_name(place))()

    def _open_mark(self, paragraph: Paragraph, name: str) -> Callable[[], None]:
        """Begin a bookmark at a paragraph's end; what ends it there (ECMA-376-1, 17.13.6.2)."""
        self._marks += 1
        number = str(self._marks)
        start, end = OxmlElement("w:bookmarkStart"), OxmlElement("w:bookmarkEnd")
        start.set(qn("w:id"), number)
        start.set(qn("w:name"), name)
        end.set(qn("w:id"), number)
        paragraph._p.append(start)
        return lambda: paragraph._p.append(end)

    def text(self, paragraph: Paragraph, node: Node, plain: frozenset[Style] = frozenset()) -> None:
        """A node's text set as it is printed, but for what the paragraph's style sets anyway."""
        for run in node.runs:
            place = place_at(run.link)
            if place is not None and not self._stands(place) and self._is_note(place):
                if parted_mark(run.text)[1]:
                    self._refer(paragraph, run, place, node.language)
                    continue
                run = run._replace(link="")  # the mark comes
            self._referring(paragraph, run._replace(style=run.style - plain), node)

    def _referring(self, paragraph: Paragraph, run: Run, node: Node) -> None:
        """A run in which the names of captions are references that follow their numbers (ECMA-376-1, 17.16.5.51)."""
        at, language = 0, node.language
        part = self._tree.part_at(node.pieces[0].page) if node.pieces else 0
        for found in _REFERRED.finditer(run.text) if self._captions and not run.link else ():
            label = _Label(part, _series(found["name"]), int(found["number"]))
            if label not in self._captions:
                continue
            if found.start() > at:
                self.run(paragraph, run._replace(text=run.text[at : found.start()]), language)
            shown = add_field(paragraph, rf"REF {label.mark} \h", found.group())
            self._dress(paragraph, shown, run, language)
            at = found.end()
        if at < len(run.text) or not at:
            self.run(paragraph, run._replace(text=run.text[at:]), language)

    def _stands(self, place: Place) -> bool:
        return self._as_printed or place in self.standing

    def _is_note(self, place: Place) -> bool:
        return self._tree.pages[place.page].region(place.region_id).role is Role.NOTE

    def run(self, paragraph: Paragraph, told: Run, language: str) -> None:
        run = paragraph.add_run(told.text)
        self._dress(paragraph, run, told, language)
        if told.link and (place_at(told.link) or leads_elsewhere(told.link)):
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
        if language != self._tree.language or backwards:
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
