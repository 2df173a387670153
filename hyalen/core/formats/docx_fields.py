"""Fields of a word processor: page numbers, numbers of captions, contents that bring themselves up to date (ECMA-376-1, 17.16)."""

from __future__ import annotations

from typing import Any

from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.text.paragraph import Paragraph
from docx.text.run import Run

CONTENTS = r'TOC \o "1-6" \h \z \u'


def add_field(paragraph: Paragraph, instruction: str, shown: str) -> Run:
    """A field at a paragraph's end, and the run that it shows until it is brought up to date (17.16.18)."""
    for run in (_mark("begin"), _instruction(f" {instruction} "), _mark("separate")):
        paragraph._p.append(run)
    run = paragraph.add_run(shown)
    end_field(paragraph)
    return run


def begin_field(paragraph: Paragraph, instruction: str) -> None:
    """The beginning of a field that goes on over paragraphs, before what they say (17.16.18)."""
    at = 1 if paragraph._p.pPr is not None else 0
    for offset, run in enumerate((_mark("begin"), _instruction(instruction), _mark("separate"))):
        paragraph._p.insert(at + offset, run)


def end_field(paragraph: Paragraph) -> None:
    paragraph._p.append(_mark("end"))


def _mark(kind: str) -> Any:
    run, mark = OxmlElement("w:r"), OxmlElement("w:fldChar")
    mark.set(qn("w:fldCharType"), kind)
    run.append(mark)
    return run


def _instruction(text: str) -> Any:
    run, told = OxmlElement("w:r"), OxmlElement("w:instrText")
    told.set(qn("xml:space"), "preserve")
    told.text = text
    run.append(told)
    return run
