"""A searchable, tagged PDF: page images, invisible text and a structure tree.

ISO 32000-1 with the identification of PDF/A-2a (ISO 19005-2) and, where the document meets it, PDF/UA-1 (ISO 14289-1);
or ISO 32000-2 with PDF/A-4 (ISO 19005-4) and PDF/UA-2 (ISO 14289-2).
"""

from __future__ import annotations

import logging
import tempfile
import warnings
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from datetime import UTC, datetime
from itertools import groupby, pairwise
from pathlib import Path
from typing import Any, BinaryIO

import pikepdf
from pikepdf import Array, Dictionary, Name, OutlineItem, String

from hyalen.core.formats.format import DeliveryOptions, Images, Standard
from hyalen.core.formats.pdf_annotations import fields_of
from hyalen.core.formats.pdf_font import InvisibleFont
from hyalen.core.formats.pdf_identity import VERSION, identify, label_pages, relate_attachments
from hyalen.core.formats.pdf_image import page_image
from hyalen.core.formats.pdf_marks import PageMark, mark_annotation
from hyalen.core.formats.pdf_own_page import OwnContent, OwnLink, Unfit, own_links, own_texts, take_page
from hyalen.core.formats.pdf_text import FONT_NAME, TextLayer
from hyalen.core.formats.retouch import retouched, retouched_regions
from hyalen.core.languages import language_tag
from hyalen.core.model.content import Line, PageContent, Region, Role, WordState
from hyalen.core.model.document import Attachment, OwnPage
from hyalen.core.model.geometry import Box, union
from hyalen.core.structure.bookmarks import Bookmark, HeadingPlace, bookmarks_of
from hyalen.core.structure.conformance import Conformance
from hyalen.core.structure.flow import LineEnd, Run, line_end
from hyalen.core.structure.headers import is_irregular
from hyalen.core.structure.redaction import scrubbed
from hyalen.core.structure.references import Place, place_at
from hyalen.core.structure.tree import Node, Piece, StructureTree, Tag

log = logging.getLogger(__name__)
POINTS_PER_INCH = 72.0
PAGINATION = {Role.RUNNING_HEAD, Role.PAGE_NUMBER}
PAGES_A_PART = 16
PART = "/HyalenPart"  # on a page of a bundle's part: what else of the document goes along
NAMESPACE = "http://iso.org/pdf2/ssn"  # of the structure types of PDF 2.0 (ISO 32000-2, 14.8.6.2)
NEWER: Mapping[str, str] = {Tag.NOTE: "FENote"}  # what it calls otherwise
OLDER = frozenset({Tag.BLOCK_QUOTE, Tag.TOC, Tag.TOCI, Tag.REFERENCE})  # what only PDF 1.7 knows (ISO/TS 32005)


def write_pdf(
    tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions, made: datetime | None = None
) -> None:
    """The document as a PDF file, page by page.

    It says that it is PDF/UA only where nothing stands against that (`structure.conformance`).

    Parameters
    ----------
    made : datetime, optional
        Date of creation; now where it is not given.
    """
    with tempfile.TemporaryDirectory(prefix="hyalen-pdf-") as directory:
        path, paints = _skeleton(tree, images, Path(directory), options)
        # A mapped file would count as memory.
        with pikepdf.open(path, access_mode=pikepdf.AccessMode.stream) as pdf:
            _Writer(tree, pdf, paints, options.standard).write(file, made or datetime.now(UTC))


def write_part(
    tree: StructureTree,
    images: Images,
    file: BinaryIO,
    options: DeliveryOptions,
    name: str,
    marks: Mapping[int, Sequence[PageMark]],
    hang: Callable[[pikepdf.Pdf, int], None] = lambda pdf, index: None,
) -> bool:
    """The document as a part of a bundle (`bundle_pdf`); whether nothing stands against its being PDF/UA.

    Its structure, bookmarks and fields hang on each of its pages, because these alone go along when files are put
    together.

    Parameters
    ----------
    name : str
        Goes before the identifiers of its elements and fields, so that no other part has the same.
    marks : mapping of int to sequence of PageMark
        By page, from 0.
    hang : callable
        Told of each page, by its number, to hang more on it.
    """
    with tempfile.TemporaryDirectory(prefix="hyalen-pdf-") as directory:
        path, paints = _skeleton(tree, images, Path(directory), options)
        with pikepdf.open(path, access_mode=pikepdf.AccessMode.stream) as pdf:
            writer = _Writer(tree, pdf, paints, Standard.PDF_1_7, f"{name}-", marks)
            met = writer.build().met
            told = Dictionary(Root=pdf.Root.StructTreeRoot, Fields=Array(), Met=met, Pages=len(pdf.pages))
            if "/AcroForm" in pdf.Root:
                told.Fields = pdf.Root.AcroForm.Fields
            if "/Outlines" in pdf.Root:
                told.Outlines = pdf.Root.Outlines
            told = pdf.make_indirect(told)
            for index, page in enumerate(pdf.pages):
                page.obj[PART] = told
                hang(pdf, index)
            pdf.save(file, object_stream_mode=pikepdf.ObjectStreamMode.generate)
            return met


def _skeleton(
    tree: StructureTree, images: Images, directory: Path, options: DeliveryOptions
) -> tuple[Path, dict[int, str]]:
    """A PDF of nothing but each page's picture, or the page as it came; and what paints the pictures, by page.

    The writer opens it and adds the rest: pictures that lie in an opened file are read when it is
    saved, one by one, so that memory stays flat. (Those of another file would be copied into it.)
    """
    parts, count = [], len(tree.pages)
    paints: dict[int, str] = {}
    for first in range(0, count, PAGES_A_PART):
        part = pikepdf.new()
        for index in range(first, min(first + PAGES_A_PART, count)):
            own, content = tree.own_pages.get(index), tree.pages[index]
            if own is not None and _is_kept(part, own, content):
                continue
            page = part.add_blank_page()
            image = retouched(images(index), content, tree.pictures)
            made = page_image(part, image, content, options)
            page.Resources = Dictionary(XObject=made.pictures)
            paints[index] = made.paint
        parts.append(directory / f"{first}.pdf")
        with warnings.catch_warnings():
            warnings.simplefilter(
                "ignore", pikepdf.exceptions.PageCopyWarning
            )  # the form is made when all are together
            part.save(parts[-1])
    whole = directory / "whole.pdf"
    if len(parts) > 1 or tree.attachments:
        merged = ["--pages", *map(str, parts), "--"] if parts else []
        attached = (part for each in tree.attachments for part in _attaching(each))
        pikepdf.Job(["pikepdf", "--empty", *merged, *attached, str(whole)]).run()
        return whole, paints
    if not parts:
        pikepdf.new().save(whole)
    return (parts[0] if parts else whole), paints


def _attaching(each: Attachment) -> list[str]:
    told = f"What the document was made from: {each.name}"
    return [
        "--add-attachment", each.path, f"--key={each.name}", f"--filename={each.name}", f"--mimetype={each.media_type}",
        f"--description={told}", "--",
    ]  # fmt: skip


def _is_kept(part: pikepdf.Pdf, own: OwnPage, content: PageContent) -> bool:
    """Append a page as it came, if it can be kept so."""
    if retouched_regions(content):
        return False
    try:
        with pikepdf.open(own.path) as source:
            page = source.pages[own.page]
            fonts = OwnContent(page.obj, own_texts(own), content, own_links(own)).fonts
            take_page(part, source, own, content, fonts)
    except (Unfit, pikepdf.PdfError, AttributeError, KeyError, IndexError, TypeError, ValueError) as error:
        log.info("page %d is delivered as its picture: %s", own.page + 1, error)
        return False
    return True


class _Sheet:
    """A page that is being written: its content operators and, by MCID, the elements they belong to."""

    def __init__(
        self,
        number: int,
        content: PageContent,
        obj: pikepdf.Object,
        layer: TextLayer,
        own: OwnContent | None,
        links: Sequence[OwnLink],
    ) -> None:
        self.number = number
        self.obj = obj
        self.layer = layer
        self.own = own
        self.links = links
        self.scale = POINTS_PER_INCH / content.dpi
        self.height = content.height
        self.size = content.width * self.scale, content.height * self.scale
        self.operators: list[str] = []
        self.marked: list[pikepdf.Object] = []
        self.notes = _by_region(obj, content, self.scale)


class _Writer:
    def __init__(
        self,
        tree: StructureTree,
        pdf: pikepdf.Pdf,
        paints: Mapping[int, str],
        standard: Standard,
        prefix: str = "",
        marks: Mapping[int, Sequence[PageMark]] | None = None,
    ) -> None:
        self.tree = tree
        self.prefix = prefix
        self.marks = marks or {}
        self.standard = standard
        self.namespace = pdf.make_indirect(Dictionary(Type=Name.Namespace, NS=String(NAMESPACE)))
        self.paints = paints
        self.pdf = pdf
        self.font = InvisibleFont()
        self.font_object = self.pdf.make_indirect(Dictionary())
        self.sheets: list[_Sheet] = []
        self.closed = 0
        self.numbers: Any = Array()
        self.linked: list[pikepdf.Object] = []  # the elements of annotations, by their place in the parent tree
        self.widgets: list[pikepdf.Object] = []
        self.names: dict[str, pikepdf.Object] = {}
        self.leading: list[tuple[pikepdf.Object, pikepdf.Object, Place]] = []  # annotations, their elements, where to
        self.standing: dict[Place, pikepdf.Object] = {}  # the first element of each region
        self.language = tree.language  # of the document whose node is in hand
        self._irregular = ""  # name of the table in hand where its cells name their headers

    def write(self, file: BinaryIO, made: datetime) -> None:
        pdf, tree = self.pdf, self.tree
        conformance = self.build()
        label_pages(pdf, tree.labels, len(tree.pages))
        if tree.attachments:
            relate_attachments(pdf)
        identify(pdf, tree, made, self.standard, conformance.met)
        pdf.save(file, min_version=VERSION[self.standard], object_stream_mode=pikepdf.ObjectStreamMode.generate)

    def build(self) -> Conformance:
        """The pages' contents, the structure, the fields and the bookmarks."""
        pdf, tree = self.pdf, self.tree
        root = pdf.make_indirect(Dictionary(Type=Name.StructTreeRoot, K=Array()))
        if self.standard is Standard.PDF_2_0:
            root.Namespaces = Array([self.namespace])
        top = self._element(Tag.DOCUMENT, root, Lang=String(language_tag(tree.language)))
        conformance = Conformance(tree.title)
        headings = []
        within = self._within(top)
        for node in tree.nodes():
            conformance.see(node)
            self._close_before(node.first.page, top)
            self.language = tree.language_at(node.first.page)
            parent = within(node.first.page)
            self._add(node, parent)
            for page in dict.fromkeys(piece.page for piece in _all_pieces(node)):
                self._annotate(self._sheet(page), {p.region.id for p in _all_pieces(node) if p.page == page}, parent)
            if node.tag.heading_level is not None:
                page, region, _ = node.first
                headings.append(HeadingPlace(page, node.tag.heading_level, node.text, region.id))
        self._close_before(len(tree.pages), top)
        if self.widgets:
            pdf.Root.AcroForm = pdf.make_indirect(fields_of(self.widgets, pdf))
        for number, element in enumerate(self.linked, len(self.sheets)):
            self.numbers.extend([number, element])
        root.ParentTree = pdf.make_indirect(Dictionary(Nums=self.numbers))
        root.ParentTreeNextKey = len(self.sheets) + len(self.linked)
        if self.names:  # in the order of their names (ISO 32000-1, 7.9.6 and table 322)
            pairs = [each for name, element in sorted(self.names.items()) for each in (String(name), element)]
            root.IDTree = pdf.make_indirect(Dictionary(Names=Array(pairs)))
        self._lead()
        for key, value in self.font.embed(pdf).items():
            self.font_object[key] = value
        pdf.Root.StructTreeRoot = root
        pdf.Root.MarkInfo = Dictionary(Marked=True)
        pdf.Root.Lang = String(language_tag(tree.language))
        pdf.Root.ViewerPreferences = Dictionary(DisplayDocTitle=True)
        self._outline(bookmarks_of(tree.documents, headings))
        return conformance

    def _within(self, top: pikepdf.Object) -> Callable[[int], pikepdf.Object]:
        """What gives the element that stands for the document of a page; those that are joined have one each."""
        if not self.tree.parts:
            return lambda _: top
        made = [
            (part.end, self._element(Tag.PART, top, T=String(part.title), Lang=String(language_tag(part.language))))
            for part in self.tree.parts
            if part.first < part.end
        ]
        return lambda page: next(element for end, element in made if page < end)

    # Pages, opened when the first node stands on them and closed when none can any more

    def _sheet(self, number: int) -> _Sheet:
        while len(self.sheets) <= number:
            self._open_next()
        return self.sheets[number]

    def _open_next(self) -> None:
        number = len(self.sheets)
        content = self.tree.pages[number]
        page = self.pdf.pages[number].obj
        scale = POINTS_PER_INCH / content.dpi
        width, height = content.width * scale, content.height * scale
        own, links = None, list[OwnLink]()
        if number not in self.paints:
            came = self.tree.own_pages[number]
            links = own_links(came)
            own = OwnContent(page, own_texts(came), content, links)
        if own is None:
            page.MediaBox = Array([0, 0, round(width, 3), round(height, 3)])
        if "/Font" not in page.Resources:
            page.Resources.Font = Dictionary()
        page.Resources.Font[f"/{FONT_NAME}"] = self.font_object
        page.StructParents = number
        page.Tabs = Name.S
        for mark in self.marks.get(number, ()):
            if "/Annots" not in page:
                page.Annots = Array()
            page.Annots.append(mark_annotation(self.pdf, mark, content.height, scale))
        sheet = _Sheet(number, content, page, TextLayer(self.font, content.height, scale), own, links)
        if own is None:
            sheet.operators.append(
                f"/Artifact BMC\nq {width:.3f} 0 0 {height:.3f} 0 0 cm\n{self.paints[number]}\nQ\nEMC"
            )
        for region in content.artifacts if own is None else ():
            if region.lines:
                kind = _artifact(region, content.height)
                text = sheet.layer.lines(region.lines, region.language or self.tree.language_at(number))
                sheet.operators.append(f"/Artifact {kind} BDC\n{text}\nEMC")
        self.sheets.append(sheet)

    def _close_before(self, number: int, top: pikepdf.Object) -> None:
        """Write the contents of the pages before this one: no later node stands on them."""
        for index in range(self.closed, number):
            sheet = self._sheet(index)
            self._annotate(sheet, set(sheet.notes), top)
            coded = "\n".join(sheet.operators).encode("ascii")
            if sheet.own is not None:
                coded = b"q\n" + sheet.own.coded() + b"\nQ\n" + coded
            sheet.obj.Contents = self.pdf.make_stream(coded)
            sheet.own = None
            self.numbers.extend([index, self.pdf.make_indirect(Array(sheet.marked))])
            sheet.operators, sheet.marked = [], []
        self.closed = max(self.closed, number)

    # Structure (ISO 32000-1, 14.7 and 14.8)

    def _element(self, tag: str, parent: pikepdf.Object, **entries: Any) -> pikepdf.Object:
        """A structure element; in PDF 2.0 of its own namespace where it knows the type (ISO 32000-2, 14.8.6)."""
        if self.standard is Standard.PDF_2_0:
            tag = NEWER.get(tag, tag)
            if tag not in OLDER:
                entries["NS"] = self.namespace
        element = self.pdf.make_indirect(Dictionary(S=Name("/" + tag), P=parent, K=Array(), **entries))
        parent.K.append(element)
        return element

    def _mark(self, element: pikepdf.Object, page: int, operators: str) -> None:
        """Put content on a page as belonging to an element."""
        sheet = self._sheet(page)
        mcid = len(sheet.marked)
        sheet.operators.append(f"{element.S} <</MCID {mcid}>> BDC\n{operators}\nEMC")
        self._belongs(element, sheet, mcid)

    def _mark_piece(self, element: pikepdf.Object, piece: Piece) -> None:
        """Have the piece's words, in the page's own content or laid over its picture, belong to an element."""
        sheet = self._sheet(piece.page)
        first = len(sheet.marked)
        links = sheet.own.mark(piece.lines, str(element.S).lstrip("/"), first) if sheet.own is not None else []
        last: tuple[int, pikepdf.Object] | None = None
        for mcid, link in enumerate(links, first):
            if link is None:
                self._belongs(element, sheet, mcid)
                continue
            if last is None or last[0] != link:
                last = link, self._link(element, sheet, sheet.links[link])
            self._belongs(last[1], sheet, mcid)
        for told, lines in _by_way(piece.lines) if not links else ():
            within = element
            if told.link:
                box = _rectangle(union(line.box for line in lines), sheet.height, sheet.scale)
                text = " ".join(line.text for line in lines)
                within = self._link(element, sheet, OwnLink(box, told.link), text)
            if told.language or told.expansion:
                within = self._span(within, told)
            self._mark(within, piece.page, self._coded(piece._replace(lines=tuple(lines))))

    def _span(self, parent: pikepdf.Object, told: Run) -> pikepdf.Object:
        """Words in another language, or an abbreviation (ISO 32000-1, 14.9.2 and 14.9.5)."""
        entries: dict[str, Any] = {}
        if told.language:
            entries["Lang"] = String(language_tag(told.language))
        if told.expansion:
            entries["E"] = String(told.expansion)
        return self._element(Tag.SPAN, parent, **entries)

    def _link(self, parent: pikepdf.Object, sheet: _Sheet, link: OwnLink, text: str = "") -> pikepdf.Object:
        """A link's element within another, with its annotation (ISO 14289-1, 7.18.5; ISO 19005-2, 6.3).

        One that leads elsewhere in the document is a reference (ISO 32000-1, table 338).
        """
        key = len(self.tree.pages) + len(self.linked)
        place = place_at(link.address)
        note = self.pdf.make_indirect(
            Dictionary(
                Type=Name.Annot, Subtype=Name.Link, Rect=Array([round(v, 2) for v in link.box]), Border=Array([0, 0, 0]),
                F=4, Contents=String(link.address if place is None else f"To {text}"), StructParent=key,
            )
        )  # fmt: skip
        if place is None:
            note.A = Dictionary(S=Name.URI, URI=String(link.address))
        else:
            parent = self._element(Tag.REFERENCE, parent)
            self.leading.append((note, parent, place))
        if "/Annots" not in sheet.obj:
            sheet.obj.Annots = Array()
        sheet.obj.Annots.append(note)
        element = self._element("Link", parent, Pg=sheet.obj)
        element.K.append(Dictionary(Type=Name.OBJR, Pg=sheet.obj, Obj=note))
        self.linked.append(element)
        return element

    def _annotate(self, sheet: _Sheet, regions: Iterable[str], parent: pikepdf.Object) -> None:
        """Give elements to the annotations and fields that stand at regions (ISO 14289-1, 7.18.1 and 7.18.4)."""
        for note in (note for region in regions for note in sheet.notes.pop(region, ())):
            widget = str(note.Subtype) == "/Widget"
            for key in (key for key in ("/Contents", "/TU", "/Subj") if key in note):
                note[key] = String(scrubbed(str(note[key]), self.tree.withheld))
            note.StructParent = len(self.tree.pages) + len(self.linked)
            element = self._element("Form" if widget else "Annot", self._element(Tag.P, parent), Pg=sheet.obj)
            element.K.append(Dictionary(Type=Name.OBJR, Pg=sheet.obj, Obj=note))
            self.linked.append(element)
            if widget:
                if self.tree.parts:  # the same form in two documents is two forms
                    note.T = String(f"{self.tree.part_at(sheet.number) + 1}_{note.T}")
                elif self.prefix:
                    note.T = String(f"{self.prefix}{note.T}")
                self.widgets.append(note)

    def _belongs(self, element: pikepdf.Object, sheet: _Sheet, mcid: int) -> None:
        sheet.marked.append(element)
        if "/Pg" not in element:
            element.Pg = sheet.obj
        # On the element's own page the number alone says it (ISO 32000-1, 14.7.4.1).
        same = element.Pg.objgen == sheet.obj.objgen
        element.K.append(mcid if same else Dictionary(Type=Name.MCR, Pg=sheet.obj, MCID=mcid))

    def _lead(self) -> None:
        """Give the links within the document their destinations, now that all places are known."""
        for note, element, place in self.leading:
            box = self.tree.pages[place.page].region(place.region_id).box
            to = self._destination(self.sheets[place.page], box.top)
            target = self.standing.get(place)
            if self.standard is Standard.PDF_1_7 or target is None:
                note.Dest = to
                continue
            note.A = _going(target, to)
            element.Ref = Array([target])
            self._refer_back(target, element)
        for element in self.standing.values():
            if str(element.S) == "/FENote" and "/Ref" not in element:  # nothing refers to it (ISO 14289-2, 8.2.5.14)
                element.S = Name.Aside

    @staticmethod
    def _refer_back(target: pikepdf.Object, element: pikepdf.Object) -> None:
        if str(target.S) == "/FENote":
            target.Ref = Array([*target.get("/Ref", Array()), element])

    def _destination(self, sheet: _Sheet, top: int, left: int = 0) -> Any:
        up = (sheet.height - top) * sheet.scale + 6
        return Array([sheet.obj, Name.XYZ, round(left * sheet.scale, 2), round(up, 2), 0])

    def _name(self, element: pikepdf.Object, name: str) -> None:
        name = self.prefix + name
        element.ID = String(name)
        self.names[name] = element

    def _add(self, node: Node, parent: pikepdf.Object) -> None:
        entries = {} if node.language == self.language else {"Lang": String(language_tag(node.language))}
        element = self._element(node.tag, parent, **entries)
        for piece in node.pieces:
            self.standing.setdefault(Place(piece.page, piece.region.id), element)
        if node.caption is not None and node.caption_first:
            self._add(node.caption, element)
        if node.tag.is_picture:
            self._figure(element, node)
        else:
            self._text(element, node)
        if node.caption is not None and not node.caption_first:
            self._add(node.caption, element)

    def _text(self, element: pikepdf.Object, node: Node) -> None:
        if node.tag is Tag.NOTE:  # each has an identifier of its own (ISO 14289-1, 7.9)
            self._name(element, f"note-{len(self.names) + 1:06}")
        if node.numbering is not None:
            element.A = Dictionary(O=Name.List, ListNumbering=Name("/" + node.numbering.value))
        if node.tag is Tag.TABLE:
            if node.alternative is not None:
                element.A = Dictionary(O=Name.Table, Summary=String(node.alternative))
            self._irregular = f"table-{len(self.names) + 1:06}" if is_irregular(node) else ""
        if node.cell is not None:
            _describe_cell(element, node, self._irregular, self.prefix)
            if self._irregular and node.scope is not None:
                self._name(element, _cell_name(self._irregular, node))
        for piece in node.pieces:
            if piece.lines:
                self._mark_piece(element, piece)
        if any(self._says_else(piece) for piece in node.pieces):
            element.ActualText = String(node.text)
        for child in node.children:
            self._add(child, element)
        for piece in (p for each in node.again for p in each.pieces if self._sheet(p.page).own is None):
            self._sheet(piece.page).operators.append(f"/Artifact <</Type /Layout>> BDC\n{self._coded(piece)}\nEMC")

    def _says_else(self, piece: Piece) -> bool:
        """Whether a page's own content would be read otherwise: corrected, without spaces, with words broken."""
        own = self._sheet(piece.page).own
        if own is None or not piece.lines:
            return False
        corrected = any(w.state is WordState.CORRECTED for line in piece.lines for w in line.words)
        language = piece.region.language or self.tree.language_at(piece.page)
        ends = (line_end(a, b, language) for a, b in pairwise(piece.lines))
        return corrected or own.is_unspaced or any(end is LineEnd.BREAK for end in ends)

    def _coded(self, piece: Piece) -> str:
        return self._sheet(piece.page).layer.lines(
            piece.lines, piece.region.language or self.tree.language_at(piece.page)
        )

    def _figure(self, element: pikepdf.Object, node: Node) -> None:
        page, region, lines = node.first
        sheet = self._sheet(page)
        left, bottom, right, top = _rectangle(region.box, sheet.height, sheet.scale)
        if node.alternative is not None:
            element.Alt = String(node.alternative)
        element.A = Dictionary(O=Name.Layout, Placement=Name.Block, BBox=Array([left, bottom, right, top]))
        if sheet.own is not None:
            first = len(sheet.marked)
            count = len(sheet.own.mark(lines, node.tag.value, first))
            count += sheet.own.mark_picture(region, node.tag.value, first + count)
            for mcid in range(first, first + count):
                self._belongs(element, sheet, mcid)
            if not count:
                self._mark(element, page, "")
            return
        width, height = sheet.size
        self._mark(
            element,
            page,
            f"q {left} {bottom} {right - left:.3f} {top - bottom:.3f} re W n "
            f"{width:.3f} 0 0 {height:.3f} 0 0 cm\n{self.paints[page]}\nQ"
            + (f"\n{self._coded(node.first)}" if lines else ""),
        )

    # Navigation and identification

    def _outline(self, marks: Sequence[Bookmark]) -> None:
        """Bookmarks (ISO 32000-1, 12.3.3): places in the document with their look."""
        if not marks:
            return
        with self.pdf.open_outline() as outline:
            levels: list[list[OutlineItem]] = [outline.root]
            for mark in marks:
                entry = mark.entry
                item = OutlineItem(entry.title, **self._led_to(mark))
                item.bold, item.italic = entry.bold, entry.italic
                if entry.colour:
                    red, green, blue = (int(entry.colour[i : i + 2], 16) / 255 for i in (0, 2, 4))
                    item.color = (round(red, 4), round(green, 4), round(blue, 4))
                del levels[entry.depth + 1 :]
                levels[-1].append(item)
                levels.append(item.children)
        self.pdf.Root.PageMode = Name.UseOutlines

    def _led_to(self, mark: Bookmark) -> dict[str, Any]:
        """Where a bookmark leads; in PDF 2.0 an element (ISO 14289-2, 8.8)."""
        sheet, entry = self.sheets[mark.entry.page], mark.entry
        if mark.region_id:
            to = self._destination(sheet, self.tree.pages[entry.page].region(mark.region_id).box.top)
        elif entry.top is None:
            to = Array([sheet.obj, Name.Fit])
        else:
            width = sheet.size[0] / sheet.scale
            to = self._destination(sheet, round(entry.top * sheet.height), round((entry.left or 0) * width))
        if self.standard is Standard.PDF_1_7:
            return {"destination": to}
        target = self.standing.get(Place(entry.page, mark.region_id)) or self._first_of(entry.page)
        return {"destination": to} if target is None else {"action": _going(target, to)}

    def _first_of(self, page: int) -> pikepdf.Object | None:
        """The first element of a page, or of the next one that has any."""
        return next((element for place, element in self.standing.items() if place.page >= page), None)


def _going(target: pikepdf.Object, to: Any) -> Dictionary:
    """An action that goes to an element, and for viewers that know none to its place (ISO 32000-2, 12.6.4.2)."""
    return Dictionary(S=Name.GoTo, SD=Array([target, *list(to)[1:]]), D=to)


def _all_pieces(node: Node) -> Iterator[Piece]:
    yield from node.pieces
    for child in (*node.children, *((node.caption,) if node.caption else ())):
        yield from _all_pieces(child)


def _by_region(page: pikepdf.Object, content: PageContent, scale: float) -> dict[str, list[pikepdf.Object]]:
    """A page's annotations by the region that they stand at, which is the nearest one, before it in its own row."""
    found: dict[str, list[pikepdf.Object]] = {}
    for note in page.get("/Annots", Array()):
        left, bottom, right, top = (float(v) / scale for v in note.Rect)
        box = Box(round(left), round(content.height - top), round(right), round(content.height - bottom))
        near = min(content.regions, key=lambda r: _apart(r.box, box), default=None)
        found.setdefault(near.id if near else "", []).append(note)
    return found


def _apart(region: Box, note: Box) -> float:
    """How far apart; what stands beside is nearer than what stands above or below."""
    across = max(region.left - note.right, note.left - region.right, 0)
    down = max(region.top - note.bottom, note.top - region.bottom, 0)
    return across / 4 + 4 * down


def _artifact(region: Region, height: int) -> str:
    """What is no part of what the page says: a page's head or foot, or layout (ISO 32000-1, table 330)."""
    if region.role not in PAGINATION:
        return "<</Type /Layout>>"
    edge = "Header" if region.box.centre.y < height / 2 else "Footer"
    return f"<</Type /Pagination /Subtype /{edge}>>"


def _cell_name(table: str, node: Node) -> str:
    assert node.cell is not None
    return f"{table}-{node.cell.row:05}-{node.cell.column:05}"


def _describe_cell(element: pikepdf.Object, node: Node, irregular: str, prefix: str) -> None:
    """Scope, headers by name and spans (ISO 32000-1, table 349)."""
    attributes = Dictionary(O=Name.Table)
    if irregular and node.headers:
        attributes.Headers = Array([String(prefix + _cell_name(irregular, head)) for head in node.headers])
    assert node.cell is not None
    if node.scope is not None:
        attributes.Scope = Name("/" + node.scope)
    if node.cell.row_span > 1:
        attributes.RowSpan = node.cell.row_span
    if node.cell.column_span > 1:
        attributes.ColSpan = node.cell.column_span
    if len(attributes) > 1:
        element.A = attributes


def _by_way(lines: Sequence[Line]) -> Iterator[tuple[Run, list[Line]]]:
    """Lines parted where a link, another language or an abbreviation begins or ends; what is none stays together."""
    parts: list[tuple[Run, list[Line]]] = []
    for line in lines:
        for told, group in groupby(
            line.words, key=lambda w: Run("", link=w.link, language=w.language, expansion=w.expansion)
        ):
            words = tuple(group)
            whole = len(words) == len(line.words)
            part = line if whole else line.model_copy(update={"words": words, "box": union(w.box for w in words)})
            same = bool(parts) and parts[-1][0] == told
            if same and not told.link and not told.expansion:  # a link's rectangle is of one line
                parts[-1][1].append(part)
            else:
                parts.append((told, [part]))
    yield from parts


def _rectangle(box: Box, height: int, scale: float) -> tuple[float, float, float, float]:
    """Left, bottom, right, top in points."""
    edges = (box.left, height - box.bottom, box.right, height - box.top)
    left, bottom, right, top = (round(v * scale, 3) for v in edges)
    return left, bottom, right, top
