"""The structure, bookmarks and fields of a bundle's parts made one (ISO 32000-1, 12.3.3, 12.7 and 14.7)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import pikepdf
from pikepdf import Array, Dictionary, Name, String

from hyalen.core.formats.front_pages import FrontPages
from hyalen.core.formats.pdf import PART

Moves = Mapping[tuple[int, int], tuple[float, float, float]]


class Mark(NamedTuple):
    """A bookmark that leads to a page; a part's own are beneath it."""

    title: str
    depth: int
    page: pikepdf.Object
    part: int = -1


class BundleTree:
    """Puts parts beneath the Document element `top`.

    Attributes
    ----------
    met : bool
        Whether each part says that it is PDF/UA.
    outlines : dict of int to list of outline items
        By part, those of its pages that are here.
    """

    def __init__(self, pdf: pikepdf.Pdf, top: Any) -> None:
        self.pdf, self.top = pdf, top
        self.met = True
        self.fields: list[Any] = []
        self.outlines: dict[int, list[Any]] = {}
        self._keys = 0
        self._numbers: list[Any] = []
        self._below: list[Any] = []
        self._names: dict[str, Any] = {}

    def key(self, element: Any) -> int:
        """The key in the parent tree of an element, or of a page's elements by their marks."""
        told = self.pdf.make_indirect(Array(element)) if isinstance(element, list) else element
        self._numbers.extend([self._keys, told])
        self._keys += 1
        return self._keys - 1

    def put_front(self, front: FrontPages) -> None:
        for page, marked in zip(front.pages, front.marked, strict=True):
            page.StructParents = self.key(list(marked))
        for link, element in zip(front.links, front.linked, strict=True):
            link.note.StructParent = self.key(element)

    def put_part(self, at: int, pages: Sequence[Any], title: str, moves: Moves) -> None:
        """A part of which these pages are here, in order."""
        told: Any = pages[0][PART]
        root: Any = told.Root
        whole = len(pages) == int(told.Pages)
        here = {page.objgen for page in pages}
        element: Any = root.K[0]
        kept = None if whole else _Pruned(here, pages).keep(element)
        if kept is None or element.objgen in kept:
            element.S, element.P, element.T = Name.Part, self.top, String(title)
            self._below.append(element)
        self._renumber(root, pages, whole, moves)
        names = root.IDTree.Names if "/IDTree" in root else []
        for name, named in zip(names[::2], names[1::2], strict=True) if len(names) else ():
            if kept is None or named.objgen in kept:
                self._names[str(name)] = named
        self._take_fields(told.Fields, pages)
        self.met = self.met and bool(told.Met)
        outlines = told.get("/Outlines", Dictionary())
        if here & moves.keys():
            _lead_to_moved([note for page in pages for note in page.get("/Annots", Array())], moves)
            _lead_to_moved(_each_item(outlines), moves)
        if "/First" in outlines:
            self.outlines[at] = _items(outlines, here, whole)
        for page in pages:
            del page[PART]

    def close(self, root: Any) -> None:
        """Put what belongs to all into the root of the structure tree."""
        self.top.K = Array([*self.top.K, *self._below])
        root.ParentTree = self.pdf.make_indirect(Dictionary(Nums=Array(self._numbers)))
        root.ParentTreeNextKey = self._keys
        if self._names:  # in the order of their names (ISO 32000-1, 7.9.6 and table 322)
            pairs = [each for name, element in sorted(self._names.items()) for each in (String(name), element)]
            root.IDTree = self.pdf.make_indirect(Dictionary(Names=Array(pairs)))

    def put_missing(self, part: Any) -> None:
        """What stands in the place of a document that cannot be had."""
        self._below.append(part)

    def _renumber(self, root: Any, pages: Sequence[Any], whole: bool, moves: Moves) -> None:
        first = self._keys
        nums = root.ParentTree.Nums
        used: set[int] = set()
        for page in pages:
            if "/StructParents" in page:
                key = int(page.StructParents)
                used.add(key)
                page.StructParents = first + key
                if page.objgen in moves:
                    _move_boxes(nums[2 * key + 1], moves[page.objgen])
            for note in page.get("/Annots", Array()):
                if "/StructParent" in note:
                    used.add(int(note.StructParent))
                    note.StructParent = first + int(note.StructParent)
        for at in range(0, len(nums), 2):
            if whole or int(nums[at]) in used:
                self._numbers.extend([first + int(nums[at]), nums[at + 1]])
        self._keys += int(root.ParentTreeNextKey)

    def _take_fields(self, fields: Any, pages: Sequence[Any]) -> None:
        if not len(fields):
            return
        here = {note.objgen for page in pages for note in page.get("/Annots", Array())}
        for field in fields:
            if "/Kids" in field:
                field.Kids = Array([kid for kid in field.Kids if kid.objgen in here])
                if len(field.Kids):
                    self.fields.append(field)
            elif field.objgen in here:
                self.fields.append(field)


def _move_boxes(elements: Any, move: tuple[float, float, float]) -> None:
    """A picture's box goes with its page (ISO 32000-1, table 344)."""
    scale, x, y = move
    done: set[tuple[int, int]] = set()
    for element in elements:
        if element.objgen in done or "/A" not in element or "/BBox" not in element.A:
            continue
        done.add(element.objgen)
        box = [float(v) for v in element.A.BBox]
        element.A.BBox = Array([round(v * scale + (y if at % 2 else x), 3) for at, v in enumerate(box)])


def _lead_to_moved(each: Iterable[Any], moves: Moves) -> None:
    """Links and bookmarks lead where a place of a page has gone (ISO 32000-1, table 151)."""
    for item in each:
        to = item.get("/Dest")
        if not _is_page(to) or len(to) < 4 or to[1] != Name.XYZ or to[0].objgen not in moves:
            continue
        scale, *shift = moves[to[0].objgen]
        for at, by in zip((2, 3), shift, strict=True):
            if to[at] is not None:
                to[at] = round(float(to[at]) * scale + by, 3)


def _each_item(outlines: Any) -> Iterator[Any]:
    item = outlines.get("/First")
    while item is not None:
        yield item
        yield from _each_item(item)
        item = item.get("/Next")


class _Pruned:
    """A part's structure without what stands on pages that are not here."""

    def __init__(self, here: set[tuple[int, int]], pages: Sequence[Any]) -> None:
        self._here = here
        self._notes: set[tuple[int, int]] = set()
        for page in pages:
            if "/Annots" not in page:
                continue
            page.Annots = Array([note for note in page.Annots if self._leads(note)])
            self._notes |= {note.objgen for note in page.Annots}
        self._kept: set[tuple[int, int]] = set()

    def keep(self, element: Any) -> set[tuple[int, int]]:
        """The elements that stay, of one and those beneath it."""
        self._keep(element)
        return self._kept

    def _leads(self, note: Any) -> bool:
        """Whether an annotation is no link to a page that is not here."""
        return not isinstance(note.get("/Dest"), Array) or _is_here(note, self._here)

    def _keep(self, element: Any) -> bool:
        kids = element.get("/K", Array())
        each = list(kids) if isinstance(kids, Array) else [kids]
        on_page = "/Pg" in element and element.Pg.objgen in self._here
        kept = [kid for kid in each if self._stays(kid, on_page)]
        if str(element.get("/S")) == "/TR" and kept:
            kept = each  # a row keeps all its cells
            self._kept |= {kid.objgen for kid in each}
        element.K = Array(kept)
        if str(element.get("/S")) == "/Link" and not any(isinstance(k, Dictionary) and "/Obj" in k for k in kept):
            element.S = Name.Span
        if kept:
            self._kept.add(element.objgen)
        return bool(kept)

    def _stays(self, kid: Any, on_page: bool) -> bool:
        if not isinstance(kid, Dictionary):
            return on_page
        if "/S" in kid:
            return self._keep(kid)
        if "/Obj" in kid:
            return kid.Obj.objgen in self._notes
        return "/Pg" in kid and kid.Pg.objgen in self._here


def _items(outlines: Any, here: set[tuple[int, int]], whole: bool) -> list[Any]:
    """A part's bookmarks of the first level; those of pages that are not here are left out."""
    found = []
    item = outlines.get("/First")
    while item is not None:
        following = item.get("/Next")
        below = _items(item, here, whole) if not whole and "/First" in item else None
        if below is not None:
            _link(item, below)
        if whole or _is_here(item, here):
            found.append(item)
        elif below:
            found += below
        item = following
    return found


def _is_here(item: Any, here: set[tuple[int, int]]) -> bool:
    to = item.get("/Dest")
    return _is_page(to) and to[0].objgen in here


def _is_page(to: Any) -> bool:
    """Whether a destination leads to a page that is in this file."""
    return isinstance(to, Array) and isinstance(to[0], Dictionary)


def put_outline(pdf: pikepdf.Pdf, marks: Sequence[Mark], own: Mapping[int, list[Any]]) -> None:
    """The bookmarks of the whole: sections are open, documents closed over their own."""
    if not marks:
        return
    root: Any = pdf.make_indirect(Dictionary(Type=Name.Outlines))
    levels: list[tuple[Any, list[Any]]] = [(root, [])]
    made: list[tuple[Any, list[Any]]] = [levels[0]]
    for mark in marks:
        item = pdf.make_indirect(Dictionary(Title=String(mark.title or "Untitled"), Dest=Array([mark.page, Name.Fit])))
        depth = min(mark.depth, len(levels) - 1)
        del levels[depth + 1 :]
        levels[-1][1].append(item)
        levels.append((item, []))
        made.append(levels[-1])
        if mark.part in own:
            levels[-1][1].extend(own[mark.part])
    for item, below in reversed(made):
        _link(item, below)
    opened: dict[tuple[int, int], int] = {}  # what is seen beneath each that is open
    ids = {item.objgen for item, _ in made}
    sections = {item.objgen for item, below in made if any(each.objgen in ids for each in below)}
    for item, below in reversed(made):
        if not below:
            continue
        seen = len(below) + sum(opened.get(b.objgen, 0) for b in below)
        is_open = item is root or item.objgen in sections
        item.Count = seen if is_open else -len(below)
        if is_open:
            opened[item.objgen] = seen
    pdf.Root.Outlines = root
    pdf.Root.PageMode = Name.UseOutlines


def _link(item: Any, below: Sequence[Any]) -> None:
    """Chain items beneath another."""
    for key in ("/First", "/Last", "/Count"):
        if key in item:
            del item[key]
    for at, each in enumerate(below):
        each.Parent = item
        for key, other in (("/Prev", at - 1), ("/Next", at + 1)):
            if 0 <= other < len(below):
                each[key] = below[other]
            elif key in each:
                del each[key]
    if below:
        item.First, item.Last = below[0], below[-1]
        item.Count = -len(below)
