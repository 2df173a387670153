"""The register of formats that a document can be delivered in. A new one is written as a module and named here.

What writes a format is imported when it is first used.
"""

from __future__ import annotations

from collections.abc import Callable

from hyalen.core.formats.format import Format, Purpose, Write


def _pdf() -> Write:
    from hyalen.core.formats.pdf import write_pdf

    return write_pdf


def _docx() -> Write:
    from hyalen.core.formats.docx import write_docx

    return write_docx


def _placed() -> Write:
    from hyalen.core.formats.docx_placed import write_placed_docx

    return write_placed_docx


def _text() -> Write:
    from hyalen.core.formats.text import write_text

    return write_text


def _xlsx() -> Write:
    from hyalen.core.formats.xlsx import write_xlsx

    return write_xlsx


def _json() -> Write:
    from hyalen.core.formats.json import write_json

    return write_json


def _pptx() -> Write:
    from hyalen.core.formats.pptx import write_pptx

    return write_pptx


def _html() -> Write:
    from hyalen.core.formats.html import write_html

    return write_html


def _epub() -> Write:
    from hyalen.core.formats.epub import write_epub

    return write_epub


def _markdown() -> Write:
    from hyalen.core.formats.markdown import write_markdown

    return write_markdown


def _alto() -> Write:
    from hyalen.core.formats.alto import write_alto

    return write_alto


def _page_xml() -> Write:
    from hyalen.core.formats.page_xml import write_page_xml

    return write_page_xml


def _hocr() -> Write:
    from hyalen.core.formats.hocr import write_hocr

    return write_hocr


def _csv() -> Write:
    from hyalen.core.formats.csv import write_csv

    return write_csv


def _tei() -> Write:
    from hyalen.core.formats.tei import write_tei

    return write_tei


def _sound(name: str) -> Callable[[], Write]:
    def load() -> Write:
        from hyalen.core.formats.sound import sound_writer

        return sound_writer(name)

    return load


def _chapters() -> Write:
    from hyalen.core.formats.sound import write_chapters

    return write_chapters


_OFFICE = "application/vnd.openxmlformats-officedocument"
_WORDS = f"{_OFFICE}.wordprocessingml.document"
FORMATS = {
    each.name: each
    for each in (
        Format("pdf", "application/pdf", "PDF, searchable and tagged", _pdf, Purpose.READING),
        Format("html", "text/html; charset=utf-8", "HTML, one file", _html, Purpose.READING),
        Format("epub", "application/epub+zip", "EPUB 3, an e-book", _epub, Purpose.READING),
        Format("txt", "text/plain; charset=utf-8", "Plain text", _text, Purpose.READING),
        Format("docx", _WORDS, "DOCX, flowing text", _docx, Purpose.EDITING),
        Format("placed", _WORDS, "Placed DOCX, as on paper", _placed, Purpose.EDITING, "placed.docx"),
        Format("xlsx", f"{_OFFICE}.spreadsheetml.sheet", "XLSX, the tables", _xlsx, Purpose.EDITING, tables_only=True),
        Format("pptx", f"{_OFFICE}.presentationml.presentation", "PPTX, pages that are slides", _pptx, Purpose.EDITING),
        Format("md", "text/markdown; charset=utf-8", "Markdown", _markdown, Purpose.EDITING),
        Format("csv", "application/zip", "CSV, a file a table", _csv, Purpose.EXCHANGE, "csv.zip", tables_only=True),
        Format("alto", "application/xml", "ALTO 4, words in their places", _alto, Purpose.EXCHANGE, "alto.xml"),
        Format("page", "application/zip", "PAGE XML, a file a page", _page_xml, Purpose.EXCHANGE, "page.zip"),
        Format("hocr", "text/html; charset=utf-8", "hOCR, words in their places", _hocr, Purpose.EXCHANGE, "hocr.html"),
        Format("tei", "application/tei+xml", "TEI, for text archives", _tei, Purpose.EXCHANGE, "tei.xml"),
        Format("json", "application/json", "JSON, the page content", _json, Purpose.EXCHANGE),
        Format("opus", "audio/ogg", "Opus, read aloud", _sound("opus"), Purpose.LISTENING),
        Format("chapters", "application/zip", "Chapters, an Opus file each", _chapters, Purpose.LISTENING, "zip"),
        Format("flac", "audio/flac", "FLAC, read aloud", _sound("flac"), Purpose.LISTENING),
        Format("wav", "audio/wav", "WAV, read aloud", _sound("wav"), Purpose.LISTENING),
    )
}
