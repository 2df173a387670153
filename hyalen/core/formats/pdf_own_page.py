"""A born-digital page as it is in its file: its fonts and lines kept, its content marked for the structure tree.

What PDF/A-2a (ISO 19005-2) or PDF/UA-1 (ISO 14289-1) would not allow in it is told before it is taken; such a page is
delivered as its picture with its text.
"""

from __future__ import annotations

import ctypes
from collections.abc import Collection, Iterator, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import pikepdf
import pypdfium2
import pypdfium2.raw as pdfium
from pikepdf import Array, Dictionary, Name

from hyalen.core.formats.pdf_annotations import take_annotations
from hyalen.core.formats.pdf_own_text import Edges, links_of
from hyalen.core.model.content import Line, PageContent, Region, Role
from hyalen.core.model.document import OwnPage
from hyalen.core.model.geometry import Box

POINTS_PER_INCH = 72.0
SHOWS = frozenset({"Tj", "TJ", "'", '"'})
BUILDS = frozenset({"m", "l", "c", "v", "y", "h", "re", "W", "W*"})
PAINTS = frozenset({"S", "s", "f", "F", "f*", "B", "B*", "b", "b*", "sh", "n"})
PARTS = frozenset({"BT", "ET", "q", "Q", *BUILDS})  # what no mark may go across, or begins another thing
LABELLED = frozenset({Role.LIST_ITEM})
MARKS = frozenset({"BMC", "BDC", "EMC", "MP", "DP"})
REFUSED = frozenset({"BX", "EX", "K", "k", "d0", "d1", "PS"})  # device CMYK has no place beside an RGB output intent
DEEPEST = 28  # q within q: ISO 19005-2, 6.1.13
ALLOWED_SPACES = frozenset(
    {"/DeviceRGB", "/DeviceGray", "/ICCBased", "/CalRGB", "/CalGray", "/Lab", "/Indexed", "/Pattern"}
)
ENCODINGS = frozenset({"/WinAnsiEncoding", "/MacRomanEncoding"})
LEAST_SPACED = 0.4  # spaces for each word of a page
SLACK = 3  # pixels by which a word may reach out of what shows it


class OwnText(NamedTuple):
    """What one operator shows: its box, those of its codes in their order (one for a ligature), and how many spaces.

    Spaces are among no codes: of several in a row pdfium tells one.
    """

    box: Edges
    codes: tuple[Edges, ...]
    spaces: int = 0


class OwnLink(NamedTuple):
    """A link to an address elsewhere, and the box that one clicks on."""

    box: Edges
    address: str


class Shown(NamedTuple):
    """What is shown or painted: its place among the instructions, its box in pixels of the page, and its words."""

    first: int
    last: int
    box: Box
    words: frozenset[str] = frozenset()


class Unfit(ValueError):
    """Why a page cannot be kept as it is."""


def own_texts(own: OwnPage) -> list[OwnText]:
    """What each operator of a page shows as text, in their order."""
    document = pypdfium2.PdfDocument(Path(own.path))
    try:
        page = document[own.page]
        text = page.get_textpage()
        codes: dict[int, list[Edges]] = {}
        spaces: dict[int, int] = {}
        left, right, bottom, top = (ctypes.c_double() for _ in range(4))
        for i in range(pdfium.FPDFText_CountChars(text.raw)):
            item = pdfium.FPDFText_GetTextObject(text.raw, i)
            if not item or pdfium.FPDFText_IsGenerated(text.raw, i) == 1:
                continue
            if chr(pdfium.FPDFText_GetUnicode(text.raw, i)).isspace():
                spaces[_address(item)] = spaces.get(_address(item), 0) + 1
                continue
            pdfium.FPDFText_GetCharBox(text.raw, i, left, right, bottom, top)
            mine = codes.setdefault(_address(item), [])
            edges = (left.value, bottom.value, right.value, top.value)
            if not mine or mine[-1] != edges or edges[0] == edges[2]:  # the letters of a ligature share their box
                mine.append(edges)
        objects = page.get_objects(filter=[pdfium.FPDF_PAGEOBJ_TEXT], max_depth=1)
        return [
            OwnText(item.get_bounds(), tuple(codes.get(at, ())), spaces.get(at, 0))
            for item in objects
            for at in (_address(item.raw),)
        ]
    finally:
        document.close()


def own_links(own: OwnPage) -> list[OwnLink]:
    """The page's links that lead out of the document."""
    document = pypdfium2.PdfDocument(Path(own.path))
    try:
        return [OwnLink(box, address) for box, address in links_of(document, document[own.page])]
    finally:
        document.close()


def _address(item: Any) -> int:
    return ctypes.cast(item, ctypes.c_void_p).value or 0


def take_page(
    part: pikepdf.Pdf, source: pikepdf.Pdf, own: OwnPage, content: PageContent, fonts: Collection[str]
) -> None:
    """Append the page to a PDF, without what it must not have; `fonts` are those that it uses.

    Raises
    ------
    Unfit
        If it cannot be kept; nothing is appended then.
    """
    page = source.pages[own.page]
    left, bottom, right, top = (float(v) for v in page.cropbox)
    scale = POINTS_PER_INCH / content.dpi
    if int(page.rotation) % 360 or abs(left) > 0.01 or abs(bottom) > 0.01 or float(page.obj.get("/UserUnit", 1)) != 1:
        raise Unfit("it is turned or its origin lies elsewhere")
    if abs(right - content.width * scale) > 2 or abs(top - content.height * scale) > 2:
        raise Unfit("it was cut")
    _check_resources(_with_fonts(page.obj, fonts))
    take_annotations(page, source, Path(own.path), own.page, _check_appearance)
    part.pages.append(page)
    mine = part.pages[-1].obj
    for key in list(mine.keys()):
        if key not in ("/Type", "/Parent", "/Resources", "/Contents", "/Group", "/Annots"):
            del mine[key]
    for annotation in mine.Annots:
        for look in _looks(annotation):
            _mend(look.get("/Resources", Dictionary()))
    mine.MediaBox = Array([0, 0, round(right, 3), round(top, 3)])
    mine.Resources = _with_fonts(mine, fonts)  # pages may share theirs: what is left out for one stays with the others
    _mend(mine.Resources)


def _check_appearance(look: Any) -> None:
    """Raise Unfit for what PDF/A does not allow in how an annotation looks."""
    for font in _values(look.get("/Resources", Dictionary()), "/Font"):
        _check_font(font, 0)
    _check_resources(look.get("/Resources", Dictionary()))
    if any(str(i.operator) in REFUSED for i in pikepdf.parse_content_stream(look)):
        raise Unfit("it has operators of another colour space")


def _looks(annotation: Any) -> Iterator[Any]:
    normal = annotation.AP.N
    if isinstance(normal, pikepdf.Stream):
        yield normal
    else:
        yield from (each for each in normal.values() if isinstance(each, pikepdf.Stream))


def _with_fonts(page: pikepdf.Object, fonts: Collection[str]) -> pikepdf.Dictionary:
    """A page's resources with no other fonts."""
    had: Any = page.get("/Resources", {})
    named = had.get("/Font", {})
    kept = Dictionary({key: had[key] for key in had})
    kept.Font = Dictionary({name: named[name] for name in fonts if name in named})
    return kept


def _check_resources(resources: Any, depth: int = 0) -> None:
    """Raise Unfit for what PDF/A or PDF/UA does not allow among a page's or form's resources."""
    if depth > 6:
        raise Unfit("its forms lie too deep")
    for font in _values(resources, "/Font"):
        _check_font(font, depth)
    for space in _values(resources, "/ColorSpace"):
        _check_space(space)
    for state in _values(resources, "/ExtGState"):
        if any(key in state for key in ("/TR", "/TR2", "/HTP", "/HT")) and str(state.get("/TR2", "")) != "/Default":
            raise Unfit("it sets transfer curves or halftones")
        if isinstance(state.get("/SMask"), Dictionary):
            raise Unfit("it masks with a form")
    for pattern in _values(resources, "/Pattern"):
        if int(pattern.get("/PatternType", 1)) == 1:
            raise Unfit("it fills with tiles")
        _check_space(pattern.Shading.ColorSpace)
    for shading in _values(resources, "/Shading"):
        _check_space(shading.ColorSpace)
    for item in _values(resources, "/XObject"):
        filters = item.get("/Filter", Array())
        named = {str(f) for f in filters} if isinstance(filters, Array) else {str(filters)}
        if named & {"/LZWDecode", "/JPXDecode", "/Crypt"} or "/OPI" in item or "/Alternates" in item:
            raise Unfit("its pictures are coded as no archive takes them")
        if item.get("/Subtype") == Name.Image:
            if "/ColorSpace" in item:
                _check_space(item.ColorSpace)
            if isinstance(item.get("/SMask"), pikepdf.Stream) and "/Matte" in item.SMask:
                raise Unfit("its pictures are matted")
        elif item.get("/Subtype") == Name.Form:
            inner = item.get("/Resources", Dictionary())
            if next(_values(inner, "/Font"), None) is not None:
                raise Unfit("text stands in a form")
            _check_resources(inner, depth + 1)
            if any(str(i.operator) in REFUSED for i in pikepdf.parse_content_stream(item)):
                raise Unfit("a form has operators of another colour space")
        else:
            raise Unfit("it draws what is neither picture nor form")


def _values(resources: Any, key: str) -> Iterator[Any]:
    found = resources.get(key, Dictionary()) if isinstance(resources, Dictionary) else Dictionary()
    return iter(list(found.values())) if isinstance(found, Dictionary) else iter(())


def _check_space(space: Any) -> None:
    name = str(space[0]) if isinstance(space, Array) and len(space) else str(space)
    if name not in ALLOWED_SPACES:
        raise Unfit(f"its colours are {name.lstrip('/')}")
    if name == "/ICCBased" and int(space[1].get("/N", 0)) not in (1, 3):
        raise Unfit("its colours have a profile for print")
    if name == "/Indexed":
        _check_space(space[1])


def _check_font(font: Any, depth: int) -> None:
    kind = str(font.get("/Subtype", ""))
    if kind == "/Type3":  # drawn letter by letter in the file itself
        _check_resources(font.get("/Resources", Dictionary()), depth + 1)
        if "/ToUnicode" not in font:
            raise Unfit("a font of it does not tell its letters")
        return
    if kind not in ("/Type0", "/TrueType", "/Type1"):
        raise Unfit("a font of it is of another kind")
    inner = font.DescendantFonts[0] if kind == "/Type0" else font
    descriptor = inner.get("/FontDescriptor", Dictionary())
    if not any(key in descriptor for key in ("/FontFile", "/FontFile2", "/FontFile3")):
        raise Unfit("a font of it is not embedded")
    if "/ToUnicode" not in font:
        raise Unfit("a font of it does not tell its letters")
    if kind == "/Type0":
        if str(font.get("/Encoding", "")) not in ("/Identity-H", "/Identity-V"):
            raise Unfit("a font of it is coded by a table elsewhere")
        if str(inner.get("/Subtype")) == "/CIDFontType2" and "/CIDToGIDMap" not in inner:
            raise Unfit("a font of it does not tell its glyphs")
    if kind == "/TrueType":
        symbolic = bool(int(descriptor.get("/Flags", 0)) & 4)
        encoding = font.get("/Encoding")
        named = encoding.get("/BaseEncoding") if isinstance(encoding, Dictionary) else encoding
        differs = isinstance(encoding, Dictionary) and "/Differences" in encoding
        if symbolic and encoding is not None:
            raise Unfit("a symbolic font of it has an encoding")
        if not symbolic and (str(named) not in ENCODINGS or differs):
            raise Unfit("a font of it has an encoding of its own")


def _mend(resources: Any) -> None:
    """Take away what is optional and often wrong (ISO 19005-2, 6.2.11.4.2 and 6.2.8)."""
    for font in _values(resources, "/Font"):
        inner = font.DescendantFonts[0] if "/DescendantFonts" in font else font
        for key in ("/CIDSet", "/CharSet"):
            if key in inner.get("/FontDescriptor", Dictionary()):
                del inner.FontDescriptor[key]
    for item in _values(resources, "/XObject"):
        for key in ("/Interpolate", "/OC", "/Metadata", "/PieceInfo", "/StructParent", "/StructParents"):
            if key in item:
                del item[key]
        if item.get("/Subtype") == Name.Form:
            _mend(item.get("/Resources", Dictionary()))
    if isinstance(resources, Dictionary) and "/Properties" in resources:
        del resources["/Properties"]


class OwnContent:
    """The instructions of a page's own content, what they show, and to which element each belongs.

    Parameters
    ----------
    page : pikepdf.Object
    texts : sequence of OwnText
    content : PageContent
        What the page says; a text that shows words of several of its parts is cut between them.
    links : sequence of OwnLink

    Raises
    ------
    Unfit
        If its texts cannot be told apart, or it is not what PDF/A allows.
    """

    def __init__(
        self, page: pikepdf.Object, texts: Sequence[OwnText], content: PageContent, links: Sequence[OwnLink] = ()
    ) -> None:
        self._scale = content.dpi / POINTS_PER_INCH
        self._height = content.height
        self._words = [(w.id, w.box) for w in content.words]
        self._links = [self._box(link.box) for link in links]
        self._part_of = self._linked(_parts(content))
        self._wide = _wide_fonts(page)
        self._out: list[Any] = []
        self.shown: list[Shown] = []
        self.fonts: set[str] = set()  # the names of those that show something
        self._spaces = 0
        self._said: set[str] = set()
        self._marks: dict[int, tuple[int, str]] = {}  # what is shown, by its number, to its MCID and tag
        instructions = [i for i in pikepdf.parse_content_stream(page) if str(i.operator) not in MARKS]
        _check_operators(instructions)
        self._take(instructions, texts)

    def _box(self, edges: Edges) -> Box:
        left, bottom, right, top = edges
        return Box(
            round(left * self._scale),
            round(self._height - top * self._scale),
            round(right * self._scale),
            round(self._height - bottom * self._scale),
        )

    def _linked(self, parts: dict[str, tuple[str, int, bool]]) -> dict[str, tuple[object, ...]]:
        """The words' parts, those under a link apart from those beside it."""
        return {word: (*parts[word], self._link_at(box)) for word, box in self._words}

    def _link_at(self, box: Box) -> int | None:
        return next((i for i, link in enumerate(self._links) if _within(box, link)), None)

    def _take(self, instructions: Sequence[Any], texts: Sequence[OwnText]) -> None:
        """Texts by what pdfium tells of them, paths and pictures by their matrices."""
        following = iter(texts)
        matrices: list[Matrix] = [(1.0, 0.0, 0.0, 1.0, 0.0, 0.0)]
        points: list[tuple[float, float]] = []
        start: int | None = None
        wide, font = False, ""
        words: frozenset[str] = frozenset()
        for instruction in instructions:
            operator = str(instruction.operator)
            inline = isinstance(instruction, pikepdf.ContentStreamInlineImage)
            values: list[Any] = [] if inline else list(instruction.operands)
            if operator in SHOWS and not _is_empty(values[-1]):
                text = next(following, None)
                if text is None:
                    raise Unfit("its texts cannot be told apart")
                self.fonts.add(font)
                words = self._show(instruction, text, wide, words)
                continue
            self._out.append(instruction)
            at = len(self._out) - 1
            if operator == "q":
                matrices.append(matrices[-1])
            elif operator == "Q":
                matrices.pop()
            elif operator == "cm":
                matrices[-1] = _times(tuple(float(v) for v in values), matrices[-1])
            elif operator == "Tf":
                font = str(values[0])
                wide = font in self._wide
            elif operator in BUILDS:
                start = at if start is None else start
                points += _corners(operator, [float(v) for v in values], matrices[-1])
            elif operator in PAINTS:
                if operator != "n":
                    self.shown.append(Shown(at if start is None else start, at, self._around(points)))
                points, start = [], None
            elif operator == "Do" or inline:
                unit = [_at(matrices[-1], x, y) for x, y in ((0, 0), (1, 0), (0, 1), (1, 1))]
                self.shown.append(Shown(at, at, self._around(unit)))
        if next(following, None) is not None:
            raise Unfit("its texts cannot be told apart")

    def _around(self, points: Sequence[tuple[float, float]]) -> Box:
        if not points:
            return Box(0, 0, 0, 0)
        xs, ys = [p[0] for p in points], [p[1] for p in points]
        return self._box((min(xs), min(ys), max(xs), max(ys)))

    # Texts

    def _show(self, instruction: Any, text: OwnText, wide: bool, before: frozenset[str]) -> frozenset[str]:
        """Take a text, cut where another part of the page's content begins; the words that it shows last."""
        box = self._box(text.box)
        area = box.grown(SLACK)
        near = [(i, b) for i, b in self._words if area.overlap(b)]
        held = [self._word_at(self._box(code), near) for code in text.codes]
        self._spaces += text.spaces or (not held)  # a drawn space has no box
        self._said |= {w for w in held if w is not None}
        runs: list[tuple[int, frozenset[str]]] = []  # how many codes, and their words
        for word in held:
            if word is None:
                count, words = runs.pop() if runs else (0, frozenset())
                runs.append((count + 1, words))
            elif runs and (not runs[-1][1] or self._part_of[word] == self._part_of[next(iter(runs[-1][1]))]):
                runs[-1] = runs[-1][0] + 1, runs[-1][1] | {word}
            else:
                runs.append((1, frozenset({word})))
        if not runs or not any(words for _, words in runs):
            found = frozenset(i for i, b in near if area.covers(b))
            self._put(instruction, box, found or before)  # spaces go with the word before them
            return found or before
        if len(runs) == 1:
            self._put(instruction, box, runs[0][1])
            return runs[0][1]
        pieces = _cut(instruction, [count for count, _ in runs], 2 if wide else 1)
        for piece, (_, words) in zip(pieces, runs, strict=True):
            self._put(piece, box, words)
        return runs[-1][1]

    def _put(self, instruction: Any, box: Box, words: frozenset[str]) -> None:
        self._out.append(instruction)
        self.shown.append(Shown(len(self._out) - 1, len(self._out) - 1, box, words))

    @staticmethod
    def _word_at(code: Box, near: Sequence[tuple[str, Box]]) -> str | None:
        middle = code.centre
        for word, box in near:
            reach = box.grown(SLACK)
            if box.left <= middle.x <= box.right and reach.top <= middle.y <= reach.bottom:
                return word
        return None

    @property
    def is_unspaced(self) -> bool:
        """Whether words are parted by white only, as some programs set them: a reader would run them together."""
        return self._spaces < LEAST_SPACED * len(self._said)

    # Marking

    def mark(self, lines: Sequence[Line], tag: str, first: int) -> list[int | None]:
        """Give the texts that show a piece's words to an element, as they are read.

        Returns
        -------
        list of int or None
            For each MCID that it takes, from `first` on, the number of the link that it is.
        """
        order = {w.id: n for n, w in enumerate(w for line in lines for w in line.words)}
        mine = [n for n, shown in enumerate(self.shown) if n not in self._marks and not shown.words.isdisjoint(order)]
        runs = self._runs(mine)
        runs.sort(key=lambda run: min(order[w] for n in run for w in self.shown[n].words if w in order))
        links = [self._link_at(self.shown[run[0]].box) for run in runs]
        for at, (run, link) in enumerate(zip(runs, links, strict=True)):
            self._give([run], tag if link is None else "Link", first + at)
        return links

    def mark_picture(self, region: Region, tag: str, first: int) -> int:
        """Give what is painted within a picture's box to its element; how many MCIDs that takes."""
        free = (n for n, shown in enumerate(self.shown) if not shown.words and n not in self._marks)
        return self._give(self._runs([n for n in free if _within(self.shown[n].box, region.box)]), tag, first)

    def _runs(self, numbers: Sequence[int]) -> list[list[int]]:
        """What is shown one right after the other, with nothing between that no mark may go across."""
        runs: list[list[int]] = []
        for number in numbers:
            last = runs[-1][-1] if runs else None
            between = self._out[self.shown[last].last + 1 : self.shown[number].first] if last is not None else []
            near = (
                None if last is None else (self._link_at(self.shown[last].box), self._link_at(self.shown[number].box))
            )
            on_end = str(self._out[self.shown[number].first].operator) in PARTS
            if (
                last == number - 1
                and near is not None
                and near[0] == near[1]
                and not on_end
                and not any(str(i.operator) in PARTS for i in between)
            ):
                runs[-1].append(number)
            else:
                runs.append([number])
        return runs

    def _give(self, runs: Sequence[Sequence[int]], tag: str, first: int) -> int:
        for mcid, run in enumerate(runs, first):
            for number in run:
                self._marks[number] = mcid, tag
        return len(runs)

    def coded(self) -> bytes:
        """The content stream: each thing shown in its element or an artifact."""
        opens: dict[int, str] = {}
        closes: set[int] = set()
        for number, shown in enumerate(self.shown):
            mark = self._marks.get(number)
            opens[shown.first] = "/Artifact BMC" if mark is None else f"/{mark[1]} <</MCID {mark[0]}>> BDC"
            closes.add(shown.last)
        out: list[bytes] = []
        held = ""  # the mark that is open
        ended = False  # whether what it was opened for is over: the next thing of the same element goes on with it
        for at, instruction in enumerate(self._out):
            over = at in opens and opens[at] != held
            if held and ended and (over or str(instruction.operator) in PARTS):
                out.append(b"EMC")
                held = ""
            if at in opens:
                if not held:
                    out.append(opens[at].encode("ascii"))
                held, ended = opens[at], False
            if str(instruction.operator) != "Tf" or str(instruction.operands[0]) in self.fonts:
                out.append(pikepdf.unparse_content_stream([instruction]))
            ended = ended or at in closes
        if held:
            out.append(b"EMC")
        return b"\n".join(out)


def _parts(content: PageContent) -> dict[str, tuple[str, int, bool]]:
    """For each word, what it belongs to that no text may go across: its region, cell, and whether it is a label."""
    found = {}
    for region in content.everything:
        cells = [c.lines for c in region.table.cells] if region.table else [region.lines]
        for at, lines in enumerate(cells):
            for row, line in enumerate(lines):
                for i, word in enumerate(line.words):
                    label = region.role in LABELLED and row == 0 and i == 0
                    found[word.id] = (region.id, at, label)
    return found


def _wide_fonts(page: pikepdf.Object) -> frozenset[str]:
    """The names of the page's fonts whose codes have two bytes."""
    fonts = page.get("/Resources", Dictionary()).get("/Font", Dictionary())
    return frozenset(str(name) for name, font in fonts.items() if font.get("/Subtype") == Name.Type0)


def _check_operators(instructions: Sequence[Any]) -> None:
    depth = 0
    for instruction in instructions:
        operator = str(instruction.operator)
        if operator in REFUSED or (operator in ("cs", "CS") and str(instruction.operands[0]) == "/DeviceCMYK"):
            raise Unfit("it is printed in process colours")
        depth += {"q": 1, "Q": -1}.get(operator, 0)
        if not 0 <= depth <= DEEPEST:
            raise Unfit("its states lie too deep or are not paired")
    if depth:
        raise Unfit("its states are not paired")


def _cut(instruction: Any, counts: Sequence[int], width: int) -> list[Any]:
    """A text as several that show so many codes each.

    Raises
    ------
    Unfit
        If its codes are not as many.
    """
    operator = str(instruction.operator)
    if operator not in ("Tj", "TJ"):
        raise Unfit("one text belongs to two blocks")
    shown = instruction.operands[0]
    items: list[Any] = []
    for each in shown if operator == "TJ" else [shown]:
        if isinstance(each, pikepdf.String):
            data = bytes(each)
            items += [data[i : i + width] for i in range(0, len(data), width)]
        else:
            items.append(each)
    space = _space_among([each for each in items if isinstance(each, bytes)], sum(counts))
    pieces: list[list[Any]] = [[]]
    left = list(counts)
    for each in items:
        letter = isinstance(each, bytes) and each != space
        if letter and left[len(pieces) - 1] == 0:
            pieces.append([])
        if letter:
            left[len(pieces) - 1] -= 1
        mine = pieces[-1]
        if mine and isinstance(each, bytes) and isinstance(mine[-1], bytes):
            mine[-1] += each
        else:
            mine.append(each)
    arrays = (Array([pikepdf.String(each) if isinstance(each, bytes) else each for each in mine]) for mine in pieces)
    return [pikepdf.ContentStreamInstruction([array], pikepdf.Operator("TJ")) for array in arrays]


def _space_among(codes: Sequence[bytes], letters: int) -> bytes | None:
    """The code of the space, where without it there are as many codes as letters; None where there are anyway.

    Raises
    ------
    Unfit
        If there is no such code.
    """
    if len(codes) == letters:
        return None
    for code in dict.fromkeys(codes):
        if len(codes) - codes.count(code) == letters:
            return code
    raise Unfit("one text belongs to two blocks")


Matrix = tuple[float, ...]


def _times(first: Matrix, then: Matrix) -> Matrix:
    """One matrix that applies both (ISO 32000-1, 8.3.4)."""
    a, b, c, d, e, f = first
    g, h, i, j, k, m = then
    return (a * g + b * i, a * h + b * j, c * g + d * i, c * h + d * j, e * g + f * i + k, e * h + f * j + m)


def _at(matrix: Matrix, x: float, y: float) -> tuple[float, float]:
    a, b, c, d, e, f = matrix
    return a * x + c * y + e, b * x + d * y + f


def _corners(operator: str, values: list[float], matrix: Matrix) -> list[tuple[float, float]]:
    if operator == "re":
        x, y, w, h = values
        return [_at(matrix, *p) for p in ((x, y), (x + w, y), (x, y + h), (x + w, y + h))]
    return [_at(matrix, x, y) for x, y in zip(values[::2], values[1::2], strict=True)]


def _is_empty(shown: Any) -> bool:
    if isinstance(shown, Array):
        return not any(isinstance(each, pikepdf.String) and len(bytes(each)) for each in shown)
    return not len(bytes(shown))


def _within(box: Box, region: Box) -> bool:
    middle = box.centre
    return region.left <= middle.x <= region.right and region.top <= middle.y <= region.bottom
