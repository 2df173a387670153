"""The register of formats that a document can be delivered in. A new one is written as a module and named here."""

from __future__ import annotations

from hyalen.core.formats.docx import DOCX
from hyalen.core.formats.json import JSON
from hyalen.core.formats.pdf import PDF
from hyalen.core.formats.text import TEXT
from hyalen.core.formats.xlsx import XLSX

FORMATS = {each.name: each for each in (PDF, DOCX, TEXT, XLSX, JSON)}
