"""A bundle as one PDF: the parts that its documents were made to, put in order, numbered, with its index before them.

The parts (`pdf.write_part`) are put together by qpdf, which carries all that hangs on their pages; here their structure
trees, bookmarks, fields and page labels are made one (ISO 32000-1, 12.3.3, 12.4.2, 14.7). Streams stay on disk.
"""

from __future__ import annotations

import subprocess
import tempfile
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

import pikepdf
from pikepdf import Array, Dictionary, Name, String

from hyalen.core.bundling.plan import SheetKind, index_label, label_ranges
from hyalen.core.bundling.stamp import EDGE, place_stamp
from hyalen.core.formats.bundle_tree import BundleTree, Mark, put_outline
from hyalen.core.formats.drawn_text import BOLD, DrawnFonts, Typeset, broken, reads_otherwise, typeset
from hyalen.core.formats.format import Standard
from hyalen.core.formats.front_pages import HIGH, INK, MARGIN, WIDE, FrontPages, new_page
from hyalen.core.formats.pdf_identity import identify, label_pages
from hyalen.core.formats.pdf_marks import moved
from hyalen.core.formats.put_together import put_together
from hyalen.core.imaging.margin import InkMap, no_ink
from hyalen.core.languages import language_tag
from hyalen.core.model.bundle import StampPlace
from hyalen.core.model.document import Particulars
from hyalen.core.model.front import FrontTable
from hyalen.core.model.geometry import Frozen
from hyalen.core.structure.tree import StructureTree

INK_MAP = "/HyalenInk"  # on a part's page: where its ink is
CAPITAL = 0.714  # height of a figure of the stamp's face, of its size
GROUND = 2.0  # points of light ground around a number
NUMBERED, FRONT_EDGE = 14.0, 24.0  # size of the front's numbers, and points from their edge
LINEARIZE = ("qpdf", "--linearize", "--stream-data=preserve", "--newline-before-endstream")  # ISO 19005-2, 6.1.7.1
Told = Callable[[str, int, int], None]


class BundleSheet(Frozen):
    """A sheet behind the front: `part` is the place of its part, -1 for none, `at` its page there, from 0."""

    kind: SheetKind
    part: int = -1
    at: int = 0
    label: str = ""
    says: str = ""


class BundlePart(Frozen):
    """A document's part: its file and its title."""

    path: str
    title: str


class BundleMark(Frozen):
    """A bookmark: the sheet that it leads to, and the part whose own bookmarks are beneath it, or -1."""

    title: str
    depth: int
    sheet: int
    part: int = -1


class BundleOrder(Frozen):
    """All that a PDF is made from.

    Attributes
    ----------
    front : tuple of FrontTable
        The index, or what has changed and the index.
    right_hand : bool
        Whether what stands behind the front begins on a right-hand page.
    stamp : StampPlace or None
        Where numbers are stamped; None for nowhere.
    """

    title: str
    language: str
    particulars: Particulars = Particulars()
    front: tuple[FrontTable, ...] = ()
    sheets: tuple[BundleSheet, ...] = ()
    parts: tuple[BundlePart, ...] = ()
    bookmarks: tuple[BundleMark, ...] = ()
    right_hand: bool = False
    stamp: StampPlace | None = None
    size: float = 16.0
    blank: str = ""


class Assembled(NamedTuple):
    """How many pages a file has, how many of them are the front's, and whether it says that it is PDF/UA."""

    pages: int
    front: int
    accessible: bool


def write_bundle(
    order: BundleOrder, path: Path, made: datetime | None = None, told: Told = lambda phase, at, count: None
) -> Assembled:
    """The bundle as a linearized PDF file; a folder beside it, whose name begins with the file's, is used meanwhile.

    Parameters
    ----------
    told : callable
        Of how far it is: what is being done, how much of it, of how much.
    """
    with tempfile.TemporaryDirectory(prefix=f"{path.name}-", dir=path.parent) as directory:
        whole = _together(order, Path(directory), told)
        with pikepdf.open(whole, access_mode=pikepdf.AccessMode.stream) as pdf:
            assembly = _Assembly(order, pdf, told)
            assembled = assembly.put_together(made or datetime.now(UTC))
            told("saving", 0, 2)
            flat = Path(directory) / "flat.pdf"
            pdf.save(
                flat,
                min_version="1.7",
                object_stream_mode=pikepdf.ObjectStreamMode.generate,
                stream_decode_level=pikepdf.StreamDecodeLevel.none,
            )
        whole.unlink()
        told("saving", 1, 2)
        # The qpdf within pikepdf writes hint tables with which Debian's finds fault, and the other way round.
        subprocess.run([*LINEARIZE, flat, path], check=True, capture_output=True)
    return assembled


def _together(order: BundleOrder, directory: Path, told: Told) -> Path:
    """One file with the pages of all parts, each part's in their order, the parts in theirs."""
    wanted: defaultdict[int, list[int]] = defaultdict(list)
    for sheet in order.sheets:
        if sheet.part >= 0:
            wanted[sheet.part].append(sheet.at)
    whole = directory / "whole.pdf"
    if not wanted:
        pikepdf.new().save(whole)
        return whole
    files = [(order.parts[part].path, sorted(wanted[part])) for part in sorted(wanted)]
    put_together(files, whole, lambda count: told("putting together", count, len(files)))
    return whole


class _Assembly:
    def __init__(self, order: BundleOrder, pdf: pikepdf.Pdf, told: Told) -> None:
        self.order, self.pdf, self.told = order, pdf, told
        self.fonts = DrawnFonts(pdf)
        self.root: Any = pdf.make_indirect(Dictionary(Type=Name.StructTreeRoot, K=Array()))
        self.top = self._element("Document", self.root, Lang=String(language_tag(order.language)))
        self.tree = BundleTree(pdf, self.top)
        self.smaller: dict[tuple[int, int], tuple[float, float, float]] = {}  # by page, how it was moved

    def put_together(self, made: datetime) -> Assembled:
        order, pdf = self.order, self.pdf
        came = [page.obj for page in pdf.pages]
        front = self._front()
        front.close()
        missing: dict[int, pikepdf.Object] = {}
        ordered = self._sheets(came, missing)
        self._number_all(front.pages, ordered)
        self.tree.put_front(front)
        self._structure(ordered, missing)
        for link in front.links:
            link.note.Dest = Array([ordered[link.sheet], Name.Fit])
        behind = [self._blank()] if order.right_hand and len(front.pages) % 2 else []
        self.fonts.embed()
        self._arrange([*front.pages, *behind, *ordered])
        marks = [Mark(t.heading, 0, front.pages[at]) for t, at in zip(order.front, front.starts, strict=True)]
        marks += [Mark(m.title, m.depth, ordered[m.sheet], m.part) for m in order.bookmarks]
        put_outline(pdf, marks, self.tree.outlines)
        labels = [*([""] * len(behind)), *(sheet.label for sheet in order.sheets)]
        label_pages(pdf, label_ranges(len(front.pages), labels), len(pdf.pages))
        root: Any = pdf.Root
        self.tree.close(self.root)
        root.StructTreeRoot = self.root
        root.MarkInfo = Dictionary(Marked=True)
        root.Lang = String(language_tag(order.language))
        root.ViewerPreferences = Dictionary(DisplayDocTitle=True)
        if self.tree.fields:
            root.AcroForm = pdf.make_indirect(Dictionary(Fields=Array(self.tree.fields)))
        tree = StructureTree(order.title, order.language, (), particulars=order.particulars)
        met = self.tree.met and bool(order.title.strip())
        identify(pdf, tree, made, Standard.PDF_1_7, met)
        return Assembled(len(pdf.pages), len(front.pages), met)

    def _element(self, tag: str, parent: pikepdf.Object, **entries: Any) -> Any:
        element = self.pdf.make_indirect(Dictionary(S=Name(f"/{tag}"), P=parent, K=Array(), **entries))
        parent.K.append(element)
        return element

    # Pages

    def _front(self) -> FrontPages:
        title = String(self.order.front[0].heading) if self.order.front else None
        parent = self._element("Part", self.top, T=title) if title is not None else self.top
        front = FrontPages(self.pdf, self.fonts, parent)
        for table in self.order.front:
            front.put(table)
        return front

    def _sheets(self, came: Sequence[pikepdf.Object], missing: dict[int, pikepdf.Object]) -> list[Any]:
        """The page of each sheet, in order; blank ones and those in the stead of documents are made."""
        wanted = sorted({(s.part, s.at) for s in self.order.sheets if s.part >= 0})
        places = {each: at for at, each in enumerate(wanted)}
        found: list[Any] = []
        for place, sheet in enumerate(self.order.sheets):
            if sheet.kind is SheetKind.BLANK:
                found.append(self._blank())
            elif sheet.part < 0:
                found.append(self._missing(sheet, place, missing))
            else:
                found.append(came[places[sheet.part, sheet.at]])
        return found

    def _blank(self) -> Any:
        page: Any = new_page(self.pdf)
        line = typeset(self.order.blank)
        shown = self.fonts.draw(line, (WIDE - line.width(11)) / 2, HIGH / 2, 11)
        page.Contents = self._stream(f"/Artifact <</Type /Pagination>> BDC\n0.35 g {shown}\nEMC")
        page.Resources.Font = self.fonts.resources()
        return page

    def _missing(self, sheet: BundleSheet, place: int, missing: dict[int, pikepdf.Object]) -> Any:
        """What stands in the place of a document that cannot be had."""
        page: Any = new_page(self.pdf)
        part = self.pdf.make_indirect(Dictionary(S=Name.Part, P=self.top, K=Array()))
        told = {"ActualText": String(sheet.says)} if reads_otherwise(sheet.says) else {}
        element = self._element("P", part, Pg=page, **told)
        operators: list[str] = []
        y = HIGH / 2 + 60
        for line in broken(sheet.says, WIDE - 2 * MARGIN, 13):
            y -= 18
            shown = self.fonts.draw(typeset(line), MARGIN, y, 13)
            element.K.append(len(operators))
            operators.append(f"/P <</MCID {len(operators)}>> BDC\n{INK} rg {shown}\nEMC")
        page.Contents = self._stream("\n".join(operators))
        page.Resources.Font = self.fonts.resources()
        page.StructParents = self.tree.key([element] * len(operators))
        missing[place] = part
        return page

    def _arrange(self, pages: Iterable[Any]) -> None:
        del self.pdf.pages[:]
        for page in pages:
            self.pdf.pages.append(pikepdf.Page(page))

    def _stream(self, operators: str) -> Any:
        return self.pdf.make_stream(operators.encode("ascii"))

    # Numbers

    def _number_all(self, front: Sequence[Any], ordered: Sequence[Any]) -> None:
        order = self.order
        for at, page in enumerate(front if order.stamp is not None else ()):
            line = typeset(index_label(at), BOLD)
            self._add(page, self._number(line, WIDE - MARGIN - line.width(NUMBERED), FRONT_EDGE, NUMBERED, False), line)
        for at, (sheet, page) in enumerate(zip(order.sheets, ordered, strict=True)):
            if order.stamp is not None and sheet.label:
                self._stamp(page, sheet.label, order.stamp)
            if INK_MAP in page:
                del page[INK_MAP]
            if at % 200 == 0:
                self.told("numbering", at, len(ordered))

    def _stamp(self, page: Any, label: str, place: StampPlace) -> None:
        left, bottom, right, top = (float(v) for v in page.MediaBox)
        width, height = right - left, top - bottom
        line, size = typeset(label, BOLD), self.order.size
        size = min(size, size * (width - 2 * EDGE) / max(1.0, line.width(size)))
        ink = InkMap.unpacked(bytes(page[INK_MAP])) if INK_MAP in page else no_ink(width, height)
        made = place_stamp(ink, (width, height), (line.width(size), CAPITAL * size), place)
        if made.scale < 1:
            x = left + width * (1 - made.scale) / 2
            y = bottom if place.value.startswith("top") else bottom + height * (1 - made.scale)
            self._shrink(page, made.scale, x - left * made.scale, y - bottom * made.scale)
        self._add(page, self._number(line, left + made.x, bottom + made.y, size, made.ground), line)

    def _number(self, line: Typeset, x: float, y: float, size: float, ground: bool) -> str:
        """The operators; a page's number is no part of what it says (ISO 32000-1, table 330)."""
        light = ""
        if ground:
            box = x - GROUND, y - GROUND, line.width(size) + 2 * GROUND, CAPITAL * size + 2 * GROUND
            light = f"1 g {' '.join(f'{v:.2f}' for v in box)} re f "
        shown = self.fonts.draw(line, x, y, size)
        return f"q /Artifact <</Type /Pagination /Subtype /Footer>> BDC\n{light}0 g {shown}\nEMC Q"

    def _add(self, page: Any, operators: str, line: Typeset) -> None:
        if page.objgen not in self.smaller:
            self._wrap(page, b"q\n")
        page.Contents.append(self._stream(f"\n{operators}"))
        if "/Font" not in page.Resources:
            page.Resources.Font = Dictionary()
        for name, font in self.fonts.of(line).items():
            page.Resources.Font[name] = font

    def _wrap(self, page: Any, before: bytes) -> None:
        """What a page's own contents set counts for them alone."""
        contents = page.Contents
        each = [*contents] if isinstance(contents, Array) else [contents]
        page.Contents = Array([self.pdf.make_stream(before), *each, self.pdf.make_stream(b"\nQ")])

    def _shrink(self, page: Any, scale: float, x: float, y: float) -> None:
        """Make what is on a page smaller: its contents, its annotations and, later, the boxes of its pictures."""
        self._wrap(page, f"q {scale:.5f} 0 0 {scale:.5f} {x:.3f} {y:.3f} cm\n".encode("ascii"))
        for note in page.get("/Annots", Array()):
            moved(note, scale, x, y)
        self.smaller[page.objgen] = scale, x, y

    # Structure

    def _structure(self, ordered: Sequence[Any], missing: Mapping[int, pikepdf.Object]) -> None:
        of_part: defaultdict[int, list[Any]] = defaultdict(list)
        for sheet, page in zip(self.order.sheets, ordered, strict=True):
            if sheet.part >= 0:
                of_part[sheet.part].append(page)
        for place, sheet in enumerate(self.order.sheets):
            if place in missing:
                self.tree.put_missing(missing[place])
            elif sheet.part in of_part:
                part = self.order.parts[sheet.part]
                self.tree.put_part(sheet.part, of_part.pop(sheet.part), part.title, self.smaller)
