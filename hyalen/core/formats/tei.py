"""TEI, as libraries exchange texts (TEI P5; the elements of TEI Lite and of its tables, notes and figures)."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from html import escape
from typing import BinaryIO

from hyalen import __version__
from hyalen.core.formats.format import DeliveryOptions, Images
from hyalen.core.languages import language_tag
from hyalen.core.model.found import Style
from hyalen.core.structure.flow import Run
from hyalen.core.structure.labels import page_labels
from hyalen.core.structure.references import Place, place_at
from hyalen.core.structure.tree import Node, StructureTree, Tag

RENDITIONS = {
    Style.BOLD: "bold",
    Style.ITALIC: "italic",
    Style.UNDERLINED: "underline",
    Style.STRUCK: "strikethrough",
    Style.SUPERSCRIPT: "superscript",
    Style.SUBSCRIPT: "subscript",
    Style.SMALL_CAPITALS: "smallcaps",
    Style.LARGER: "larger",
    Style.SMALLER: "smaller",
}


def write_tei(
    tree: StructureTree, images: Images, file: BinaryIO, options: DeliveryOptions, made: datetime | None = None
) -> None:
    """A document as TEI: divisions by its headings, page beginnings, and what its pages say in order."""

    def put(text: str) -> None:
        file.write(text.encode("utf8"))

    put('<?xml version="1.0" encoding="UTF-8"?>\n<TEI xmlns="http://www.tei-c.org/ns/1.0">\n')
    put(_header(tree, made or datetime.now(UTC)))
    put(f'<text xml:lang="{language_tag(tree.language)}"><body>\n')
    labels = page_labels(tree.labels, len(tree.pages))
    begun, levels = -1, list[int]()
    for node in tree.nodes():
        level = node.tag.heading_level
        if level is not None:
            while levels and levels[-1] >= level:
                levels.pop()
                put("</div>\n")
        elif not levels:
            levels.append(level or 1)
            put("<div>\n")
        if level is not None:
            levels.append(level)
            put("<div>\n")
        while begun < node.first.page:
            begun += 1
            put(f'<pb n="{escape(labels[begun])}"/>')
        put("\n".join(_block(node, tree.language_at(node.first.page))) + "\n")
    put("</div>\n" * len(levels) if levels else "<div><p/></div>\n")
    put("</body></text>\n</TEI>\n")


def _header(tree: StructureTree, made: datetime) -> str:
    told = tree.particulars
    author = f"<author>{escape(told.author)}</author>" if told.author else ""
    reference = f"<idno>{escape(told.reference)}</idno>" if told.reference else ""
    date = f"<date>{escape(told.date)}</date>" if told.date else ""
    rights = f"<availability><p>{escape(told.rights)}</p></availability>" if told.rights else ""
    subject = f"<abstract><p>{escape(told.subject)}</p></abstract>" if told.subject else ""
    words = "".join(f"<term>{escape(w.strip())}</term>" for w in told.keywords.split(",") if w.strip())
    keywords = f"<textClass><keywords>{words}</keywords></textClass>" if words else ""
    language = language_tag(tree.language)
    return (
        f"<teiHeader><fileDesc><titleStmt><title>{escape(tree.title)}</title>{author}</titleStmt>"
        f'<publicationStmt><publisher>Hyalen {__version__}</publisher><date when="{made:%Y-%m-%d}"/>{rights}'
        f"</publicationStmt><sourceDesc><bibl><title>{escape(tree.title)}</title>{reference}{date}</bibl></sourceDesc>"
        f'</fileDesc><profileDesc>{subject}<langUsage><language ident="{language}">{language}</language></langUsage>'
        f"{keywords}</profileDesc></teiHeader>\n"
    )


def _block(node: Node, language: str) -> Iterator[str]:
    lang = "" if node.language == language else f' xml:lang="{language_tag(node.language)}"'
    name = f' xml:id="{_id(Place(node.first.page, node.first.region.id))}"'
    if node.tag.heading_level is not None:
        yield f"<head{lang}{name}>{_runs(node.plain_runs)}</head>"
    elif node.tag.is_picture:
        caption = f"<head>{_runs(node.caption.runs)}</head>" if node.caption else ""
        told = f"<figDesc>{escape(node.alternative)}</figDesc>" if node.alternative else ""
        yield f"<figure>{caption}{told}</figure>"
    elif node.tag is Tag.TABLE:
        yield from _table(node, lang)
    elif node.tag is Tag.L:
        yield from _list(node, lang)
    elif node.tag is Tag.TOC:
        yield '<list type="contents">'
        for _, _, entry in node.items():
            yield f"<item>{_runs(entry.parts[0].runs)}</item>"
        yield "</list>"
    elif node.tag is Tag.BLOCK_QUOTE:
        yield f"<quote{lang}>" + "".join(f"<p>{_runs(child.runs)}</p>" for child in node.children) + "</quote>"
    elif node.tag is Tag.NOTE:
        yield f'<note place="bottom"{lang}{name}>{_runs(node.runs)}</note>'
    elif node.text:
        yield f"<p{lang}>{_runs(node.runs)}</p>"


def _table(node: Node, lang: str) -> Iterator[str]:
    yield f"<table{lang}>"
    if node.caption:
        yield f"<head>{_runs(node.caption.runs)}</head>"
    for row in node.children:
        yield "<row>"
        for cell in row.children:
            assert cell.cell is not None
            spans = (f' rows="{cell.cell.row_span}"' if cell.cell.row_span > 1 else "") + (
                f' cols="{cell.cell.column_span}"' if cell.cell.column_span > 1 else ""
            )
            role = ' role="label"' if cell.tag is Tag.TH else ""
            yield f"<cell{role}{spans}>{_runs(cell.plain_runs)}</cell>"
        yield "</row>"
    yield "</table>"


def _list(node: Node, lang: str = "") -> Iterator[str]:
    counts = node.numbering is not None and node.numbering.counts
    yield f'<list rend="{"numbered" if counts else "bulleted"}"{lang}>'
    for item in node.children:
        label = next((part.text for part in item.parts if part.tag is Tag.LBL), "")
        number = f' n="{escape(label)}"' if label else ""
        body = next(part for part in item.parts if part.tag is not Tag.LBL)
        inner = "".join(text for each in body.children if each.tag is Tag.L for text in _list(each))
        yield f"<item{number}>{_runs(body.runs)}{inner}</item>"
    yield "</list>"


def _runs(runs: Sequence[Run]) -> str:
    return "".join(map(_run, runs))


def _run(run: Run) -> str:
    if run.text == "\n":
        return "<lb/>"
    text = escape(run.text, quote=False)
    rend = " ".join(RENDITIONS[style] for style in sorted(run.style) if style in RENDITIONS)
    if rend:
        text = f'<hi rend="{rend}">{text}</hi>'
    if run.language:
        text = f'<foreign xml:lang="{language_tag(run.language)}">{text}</foreign>'
    if run.expansion:
        text = f"<choice><abbr>{text}</abbr><expan>{escape(run.expansion)}</expan></choice>"
    if run.link:
        place = place_at(run.link)
        text = f'<ref target="{escape(run.link) if place is None else "#" + _id(place)}">{text}</ref>'
    return text


def _id(place: Place) -> str:
    return f"p{place.page + 1}-{place.region_id}"
