"""One web page that needs nothing else: its pictures and its style lie within."""

from __future__ import annotations

import base64
from html import escape
from typing import BinaryIO

from hyalen.core.formats.cut import CutPictures
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.formats.markup import CSS, Markup, place_id, text_of
from hyalen.core.languages import is_right_to_left, language_tag
from hyalen.core.structure.tree import Node, StructureTree


def write_html(tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions) -> None:
    """A document as HTML, block by block; what runs on over pages runs on, and pages begin at marks of their own."""
    cut = CutPictures(tree, images)

    def picture(node: Node) -> str:
        return f"data:image/jpeg;base64,{base64.b64encode(cut.of(node)).decode('ascii')}"

    def put(text: str) -> None:
        file.write(text.encode("utf8"))

    markup = Markup(tree, picture, cut.inches, lambda place: f"#{place_id(place)}")
    put(f'<!doctype html>\n<html {_language(tree.language)}>\n<head>\n<meta charset="utf-8">\n')
    put('<meta name="viewport" content="width=device-width, initial-scale=1">\n')
    put(f"<title>{escape(tree.title)}</title>\n{_told(tree)}<style>{CSS}</style>\n</head>\n<body>\n<main>\n")
    open_part: int | None = None
    for node in tree.nodes():
        if tree.parts and (part := tree.part_at(node.first.page)) != open_part:
            told = tree.parts[part]
            put("</section>\n" if open_part is not None else "")
            put(f'<section aria-label="{escape(told.title)}" {_language(told.language)}>\n')
            open_part = part
        for element in markup.elements(node, tree.language_at(node.first.page)):
            put(text_of(element, xml=False) + "\n")
    put("</section>\n" if open_part is not None else "")
    put("</main>\n</body>\n</html>\n")


def _language(language: str) -> str:
    return f'lang="{language_tag(language)}" dir="{"rtl" if is_right_to_left(language) else "ltr"}"'


def _told(tree: StructureTree) -> str:
    """What is told of the document, in HTML's own names and Dublin Core's."""
    told = tree.particulars
    named = (
        ("author", told.author),
        ("description", told.subject),
        ("keywords", told.keywords),
        ("dcterms.identifier", told.reference),
        ("dcterms.rights", told.rights),
        ("dcterms.date", told.date),
    )
    return "".join(f'<meta name="{name}" content="{escape(value)}">\n' for name, value in named if value)
