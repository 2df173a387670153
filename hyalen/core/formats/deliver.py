"""The register of formats that a document can be delivered in. A new one is written as a module and named here.

What writes a format is imported when it is first used.
"""

from __future__ import annotations

from collections.abc import Callable

from hyalen.core.formats.format import Format, Write


def _pdf() -> Write:
    from hyalen.core.formats.pdf import write_pdf

    return write_pdf


def _docx() -> Write:
    from hyalen.core.formats.docx import write_docx

    return write_docx


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
FORMATS = {
    each.name: each
    for each in (
        Format("pdf", "application/pdf", "PDF, searchable and tagged", _pdf),
        Format("docx", f"{_OFFICE}.wordprocessingml.document", "DOCX, flowing text", _docx),
        Format("txt", "text/plain; charset=utf-8", "Plain text", _text),
        Format("xlsx", f"{_OFFICE}.spreadsheetml.sheet", "XLSX, the tables", _xlsx, tables_only=True),
        Format("pptx", f"{_OFFICE}.presentationml.presentation", "PPTX, pages that are slides", _pptx),
        Format("csv", "application/zip", "CSV, a file a table", _csv, suffix="csv.zip", tables_only=True),
        Format("html", "text/html; charset=utf-8", "HTML, one file", _html),
        Format("epub", "application/epub+zip", "EPUB 3, an e-book", _epub),
        Format("md", "text/markdown; charset=utf-8", "Markdown", _markdown),
        Format("alto", "application/xml", "ALTO 4, words in their places", _alto, suffix="alto.xml"),
        Format("page", "application/zip", "PAGE XML, a file a page", _page_xml, suffix="page.zip"),
        Format("hocr", "text/html; charset=utf-8", "hOCR, words in their places", _hocr, suffix="hocr.html"),
        Format("tei", "application/tei+xml", "TEI, for text archives", _tei, suffix="tei.xml"),
        Format("json", "application/json", "JSON, the page content", _json),
        Format("opus", "audio/ogg", "Opus, read aloud", _sound("opus")),
        Format("flac", "audio/flac", "FLAC, read aloud", _sound("flac")),
        Format("chapters", "application/zip", "Opus, a file a chapter", _chapters, suffix="zip"),
        Format("wav", "audio/wav", "WAV, read aloud", _sound("wav")),
    )
}
