"""An e-book: chapters, pictures, navigation and the list of printed pages (EPUB 3.3, W3C; EPUB Accessibility 1.1)."""

from __future__ import annotations

import uuid
import zipfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from html import escape
from typing import BinaryIO, NamedTuple

from hyalen import __version__
from hyalen.core.formats.cut import CutPictures
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.formats.markup import CSS, Markup, page_id, place_id, text_of
from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.structure.bookmarks import Bookmark, HeadingPlace, bookmarks_of
from hyalen.core.structure.labels import page_labels
from hyalen.core.structure.references import Place
from hyalen.core.structure.tree import Node, StructureTree, Tag

MOST_A_CHAPTER = 200  # blocks, after which a file of its own begins: readers lay a file out whole
CONTAINER = """<?xml version="1.0" encoding="UTF-8"?>
<container version="1.0" xmlns="urn:oasis:names:tc:opendocument:xmlns:container">
<rootfiles><rootfile full-path="book/package.opf" media-type="application/oebps-package+xml"/></rootfiles>
</container>
"""


class _Plan(NamedTuple):
    """Where what is linked to stands: the chapter, from 0, of each heading, note and page; and the headings."""

    chapters: int
    places: dict[Place, int]
    pages: dict[int, int]
    headings: list[HeadingPlace]
    has_pictures: bool
    all_described: bool


def write_epub(
    tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions, made: datetime | None = None
) -> None:
    """A document as an e-book; a chapter begins at each heading of the first level, and at each document of several."""
    plan = _planned(tree)
    cut = CutPictures(tree, images)
    pictures: list[str] = []
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(zipfile.ZipInfo("mimetype"), "application/epub+zip", zipfile.ZIP_STORED)
        archive.writestr("META-INF/container.xml", CONTAINER)
        archive.writestr("book/style.css", CSS)

        def picture(node: Node) -> str:
            name = f"picture-{len(pictures) + 1:04}.jpg"
            pictures.append(name)
            waiting.append((name, cut.of(node)))
            return name

        waiting: list[tuple[str, bytes]] = []  # a ZIP takes one file at a time
        markup = Markup(tree, picture, cut.inches, lambda place: _address(plan, place))
        for number, nodes in enumerate(_chapters(tree)):
            language = tree.language_at(nodes[0].first.page)
            with _page(archive, _chapter(number), _title(tree, nodes), language) as out:
                for node in nodes:
                    for element in markup.elements(node, language):
                        out.append(text_of(element, xml=True))
            while waiting:
                name, data = waiting.pop(0)
                archive.writestr(zipfile.ZipInfo(f"book/{name}"), data, zipfile.ZIP_STORED)
        if not plan.chapters:
            with _page(archive, _chapter(0), tree.title, tree.language) as out:
                out.append("<p></p>")
        archive.writestr("book/nav.xhtml", _navigation(tree, plan))
        archive.writestr("book/package.opf", _package(tree, plan, pictures, made or datetime.now(UTC)))


def _chapters(tree: StructureTree) -> Iterator[list[Node]]:
    found: list[Node] = []
    for node in tree.nodes():
        begins = node.tag is Tag.H1 or len(found) >= MOST_A_CHAPTER
        begins = begins or bool(found and tree.part_at(node.first.page) != tree.part_at(found[0].first.page))
        if begins and found:
            yield found
            found = []
        found.append(node)
    if found:
        yield found


def _planned(tree: StructureTree) -> _Plan:
    places: dict[Place, int] = {}
    pages: dict[int, int] = {}
    headings: list[HeadingPlace] = []
    pictures, described, count = False, True, 0
    for number, nodes in enumerate(_chapters(tree)):
        count = number + 1
        for node in nodes:
            page, region, _ = node.first
            for each in range(max(pages, default=-1) + 1, page + 1):
                pages[each] = number
            level = node.tag.heading_level
            if level is not None or node.tag is Tag.NOTE:
                places[Place(page, region.id)] = number
            if level is not None:
                headings.append(HeadingPlace(page, level, node.text, region.id))
            if node.tag.is_picture:
                pictures, described = True, described and node.alternative is not None
    return _Plan(count, places, pages, headings, pictures, described)


def _chapter(number: int) -> str:
    return f"chapter-{number + 1:04}.xhtml"


def _address(plan: _Plan, place: Place) -> str | None:
    number = plan.places.get(place)
    return None if number is None else f"{_chapter(number)}#{place_id(place)}"


def _title(tree: StructureTree, nodes: Sequence[Node]) -> str:
    if nodes[0].tag.heading_level is not None and nodes[0].text.strip():
        return nodes[0].text
    return tree.parts[tree.part_at(nodes[0].first.page)].title if tree.parts else tree.title


@contextmanager
def _page(archive: zipfile.ZipFile, name: str, title: str, language: str) -> Iterator[list[str]]:
    """A page of the book, which is written when the block that fills it ends."""
    parts: list[str] = []
    yield parts
    archive.writestr(f"book/{name}", _xhtml(title, language, "\n".join(parts)))


def _xhtml(title: str, language: str, body: str) -> str:
    tag, direction = language_tag(language), "rtl" if is_right_to_left(language) else "ltr"
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<!DOCTYPE html>\n'
        f'<html xmlns="http://www.w3.org/1999/xhtml" xmlns:epub="http://www.idpf.org/2007/ops" lang="{tag}"'
        f' xml:lang="{tag}" dir="{direction}">\n<head><meta charset="utf-8"/><title>{escape(title) or "-"}</title>'
        f'<link rel="stylesheet" type="text/css" href="style.css"/></head>\n<body>\n{body}\n</body>\n</html>\n'
    )


def _navigation(tree: StructureTree, plan: _Plan) -> str:
    marks = [mark for mark in bookmarks_of(tree.documents, plan.headings) if mark.entry.page in plan.pages]
    entries = (
        _nested(marks, plan) if marks else f'<ol><li><a href="{_chapter(0)}">{escape(tree.title) or "-"}</a></li></ol>'
    )
    labels = page_labels(tree.labels, len(tree.pages))
    pages = "".join(
        f'<li><a href="{_chapter(number)}#{page_id(page)}">{escape(labels[page])}</a></li>'
        for page, number in plan.pages.items()
    )
    listed = f'<nav epub:type="page-list" role="doc-pagelist" hidden="hidden"><ol>{pages}</ol></nav>' if pages else ""
    body = f'<nav epub:type="toc" role="doc-toc" id="toc">{entries}</nav>\n{listed}'
    return _xhtml(tree.title, tree.language, body)


def _nested(marks: Sequence[Bookmark], plan: _Plan) -> str:
    """Bookmarks as lists within each other; none stands more than one deeper than the one before it."""
    out, depth = ["<ol>"], 0
    for at, mark in enumerate(marks):
        page = mark.entry.page
        place = Place(page, mark.region_id) if mark.region_id else None
        address = (_address(plan, place) if place else None) or f"{_chapter(plan.pages[page])}#{page_id(page)}"
        if at:
            if mark.entry.depth > depth:
                out.append("<ol>")
            else:
                out.append("</li></ol>" * (depth - mark.entry.depth) + "</li>")
        depth = mark.entry.depth
        out.append(f'<li><a href="{address}">{escape(mark.entry.title)}</a>')
    out.append("</li></ol>" * (depth + 1))
    return "".join(out)


def _package(tree: StructureTree, plan: _Plan, pictures: Sequence[str], made: datetime) -> str:
    told = tree.particulars
    tag = language_tag(tree.language)
    stamp = made.astimezone(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
    unique = uuid.uuid5(uuid.NAMESPACE_URL, f"{told.reference}|{tree.title}|{stamp}")
    chapters = [_chapter(number) for number in range(max(1, plan.chapters))]
    named = [
        ("dc:creator", told.author),
        ("dc:subject", told.keywords),
        ("dc:description", told.subject),
        ("dc:source", told.reference),
        ("dc:rights", told.rights),
        ("dc:coverage", told.date),
    ]
    features = ["structuralNavigation", "tableOfContents", "readingOrder", "pageBreakMarkers", "pageNavigation"]
    features += ["alternativeText"] if plan.all_described else []
    modes = ["textual", *(["visual"] if plan.has_pictures else [])]
    enough = ["textual"] if plan.all_described else ["textual,visual"]
    accessible = [("schema:accessMode", each) for each in modes]
    accessible += [("schema:accessModeSufficient", each) for each in enough]
    accessible += [("schema:accessibilityFeature", each) for each in features]
    accessible += [("schema:accessibilityHazard", "none")]
    items = [
        *((each, each, "application/xhtml+xml", "") for each in chapters),
        *((each, each, "image/jpeg", "") for each in pictures),
        ("style", "style.css", "text/css", ""),
        ("nav", "nav.xhtml", "application/xhtml+xml", ' properties="nav"'),
    ]
    direction = ' page-progression-direction="rtl"' if is_right_to_left(tree.language) else ""
    return "\n".join(
        [
            '<?xml version="1.0" encoding="UTF-8"?>',
            f'<package xmlns="http://www.idpf.org/2007/opf" version="3.0" unique-identifier="id" xml:lang="{tag}">',
            '<metadata xmlns:dc="http://purl.org/dc/elements/1.1/">',
            f'<dc:identifier id="id">urn:uuid:{unique}</dc:identifier>',
            f"<dc:title>{escape(tree.title) or '-'}</dc:title><dc:language>{tag}</dc:language>",
            *(f"<{name}>{escape(value)}</{name}>" for name, value in named if value),
            f'<meta property="dcterms:modified">{stamp}</meta>',
            f'<meta name="generator" content="Hyalen {__version__}"/>',
            *(f'<meta property="{name}">{value}</meta>' for name, value in accessible),
            "</metadata>\n<manifest>",
            *(f'<item id="{id}" href="{href}" media-type="{kind}"{more}/>' for id, href, kind, more in items),
            f"</manifest>\n<spine{direction}>",
            *(f'<itemref idref="{each}"/>' for each in chapters),
            "</spine>\n</package>\n",
        ]
    )
